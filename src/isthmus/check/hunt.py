"""The hunt: at which address a unit really listens, by lighting ever smaller parts of what it could
be.

A look lights the slots 1…x of the universes in turn with one byte that lights the unit and is safe
for every unit there. The unit then lights when the last slot it needs lies within, so looks halve
the candidates; with lies allowed, each candidate is weighed by how many answers still could be
wrong (Berlekamp's weights of Ulam's game).
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field
from math import comb

import numpy as np
from numpy.typing import NDArray

from isthmus.check.safe import column_bytes
from isthmus.check.sights import DARK
from isthmus.errors import EntryFault
from isthmus.patch.index import index_of
from isthmus.plural import many
from isthmus.profiles import light_program, profiles_of
from isthmus.profiles.colour import LUMINANCE
from isthmus.profiles.light import LightProgram
from isthmus.show.records import SLOTS, Show, Unit

Slots = dict[tuple[int, int], int]
VISIBLE = 1.5 * DARK
YES, NO, UNSURE = "yes", "no", "not sure"


def levels(program: LightProgram, windows: NDArray[np.uint8]) -> NDArray[np.float64]:
    """(k,) light of a unit for each row of slots (k, width)."""
    return (program.read(windows).rgb @ LUMINANCE).max(axis=1, initial=0.0)


def half_light(program: LightProgram, value: int) -> float:
    """Half of the light a unit gives with this byte in all its slots."""
    return float(levels(program, np.full((1, program.width), value, np.uint8))[0]) / 2


def scattered(program: LightProgram) -> bool:
    """Whether a mode listens at several addresses at once."""
    return len(program.chart.footprints) > 1


def hunted_modes(show: Show, unit_id: str, any_mode: bool) -> tuple[Unit, dict[str, LightProgram]]:
    """A unit, and by name its mode, or every mode of its profile, whose light tells at which
    address it listens.

    Raises EntryFault where there is none.
    """
    unit = show.unit(unit_id)
    found = profiles_of(show).mode_of(unit) if unit else None
    if unit is None or found is None:
        number = unit.number if unit else "A unit that is not there"
        raise EntryFault(
            f"{number} has no profile, so it cannot be hunted.", do="Give it a profile first."
        )
    profile, own = found
    programs = {m.name: light_program(profile, m) for m in (profile.modes if any_mode else [own])}
    together = {name: p for name, p in programs.items() if not scattered(p)}
    if not together:
        raise EntryFault(
            f"{unit.number} listens at several addresses at once, so its light does not tell "
            "which of them it heard.",
            do="Read its addresses at the unit, or ask it by RDM.",
        )
    lit = {name: p for name, p in together.items() if p.assembly.beams}
    if not lit:
        raise EntryFault(
            f"{unit.number} gives no light, so light does not tell where it listens.",
            do="Read its address at the unit.",
        )
    return unit, lit


def hunted_universes(unit: Unit, universes: Sequence[int]) -> list[int]:
    """Where to look: these, or the unit's own. Raises EntryFault where there are none."""
    found = sorted(dict.fromkeys(universes or [p.universe for p in unit.patch]))
    if not found:
        raise EntryFault(
            f"{unit.number} has no address, so there is nowhere to start.",
            do="Choose universes to hunt in.",
        )
    return found


def programs_in(show: Show, universes: Iterable[int]) -> list[LightProgram]:
    """Every mode that is patched in these universes, once."""
    found: dict[tuple[int, str], LightProgram] = {}
    for universe in universes:
        for span in index_of(show).universe(universe).spans:
            unit = show.unit(span.unit)
            mode = profiles_of(show).mode_of(unit) if unit else None
            if mode:
                found[(id(mode[0]), mode[1].name)] = light_program(*mode)
    return list(found.values())


def brightest(wanted: Sequence[LightProgram], everybody: Iterable[LightProgram]) -> int:
    """The byte that, in every slot, makes the dimmest of these units brightest and is safe for
    everybody; 0 when there is none.
    """
    allowed = np.ones(256, bool)
    for program in everybody:
        allowed &= column_bytes(program).all(axis=0)
    light = np.where(allowed, np.inf, 0.0)
    for program in wanted:
        every = np.repeat(np.arange(256, dtype=np.uint8)[:, None], program.width, axis=1)
        light = np.minimum(light, levels(program, every))
    best = int(light.argmax())
    return best if wanted and light[best] > VISIBLE else 0


def keeps_light(program: LightProgram, value: int) -> NDArray[np.bool_]:
    """(width,) whether a unit still gives half its light when one slot alone is dark."""
    holes = np.full((program.width, program.width), value, np.uint8)
    np.fill_diagonal(holes, 0)
    return levels(program, holes) > half_light(program, value)


def last_needed(program: LightProgram, value: int) -> int:
    """How many slots from its start must be lit, so that the unit gives half its light. 0 when it
    needs none.
    """
    ramp = np.where(
        np.arange(program.width) < np.arange(program.width + 1)[:, None], value, 0
    ).astype(np.uint8)
    light = levels(program, ramp)
    return int(np.argmax(light > half_light(program, value)))


@dataclass(frozen=True)
class Place:
    """Where a unit could listen."""

    universe: int
    address: int
    mode: str

    @property
    def words(self) -> str:
        return f"{self.universe}.{self.address:03d}"


NOWHERE = Place(0, 0, "")  # it lights at none: dead, unplugged, or on another line


@dataclass(frozen=True)
class HuntLook:
    """What to send, and the question. `lit` says of each place whether a unit there would light;
    `count` how many are left.
    """

    slots: Slots
    words: str
    count: int
    lit: NDArray[np.bool_] = field(compare=False)


class Hunt:
    """One unit. Call `look`, send its slots, `answer`, until `found` names places."""

    def __init__(
        self,
        show: Show,
        unit_id: str,
        universes: Sequence[int] = (),
        any_mode: bool = False,
        lies: int = 0,
        leave_out: Iterable[Place] = (),
    ) -> None:
        """Universes default to the unit's own; `leave_out` are places it is known not to be at.

        Raises EntryFault where it cannot be hunted by light.
        """
        unit, programs = hunted_modes(show, unit_id, any_mode)
        self.show, self.unit, self.lies = show, unit, lies
        self.universes = hunted_universes(unit, universes)
        everybody = [*programs_in(show, self.universes), *programs.values()]
        self.value = brightest(list(programs.values()), everybody)
        barred = set(leave_out)
        self.places: list[Place] = []
        self._keeps: dict[
            str, NDArray[np.bool_]
        ] = {}  # mode → whether it still lights with one slot dark, for each slot
        reach: list[int] = []
        for name, program in programs.items() if self.value else ():
            needs = last_needed(program, self.value)
            self._keeps[name] = keeps_light(program, self.value)
            for at, universe in enumerate(self.universes):
                for address in range(1, SLOTS - program.width + 2):
                    place = Place(universe, address, name)
                    if needs and place not in barred:
                        self.places.append(place)
                        reach.append(at * SLOTS + address + needs - 1)
        if not self.places:
            raise EntryFault(
                f"{unit.number} cannot be hunted by light: no byte lights it that is safe "
                "for all units there, or no address is left.",
                do="Read its address at the unit, or ask it by RDM.",
            )
        self.places.append(NOWHERE)
        reach.append(len(self.universes) * SLOTS + 1)  # no look lights it
        self.bright = 2 * half_light(
            programs.get(unit.mode) or next(iter(programs.values())), self.value
        )
        self._reach = np.array(reach, np.int64)
        at = {universe: index * SLOTS for index, universe in enumerate(self.universes)}
        self._starts = np.array(
            [at[p.universe] + p.address for p in self.places[:-1]] + reach[-1:], np.int64
        )
        self._wrong = np.zeros(len(reach), np.int64)  # answers each place contradicts
        self.asked: list[tuple[HuntLook, str]] = []

    # ------------------------------------------------------------ looks

    @property
    def used(self) -> int:
        return sum(answer != UNSURE for _, answer in self.asked)

    @property
    def most(self) -> int:
        """How many looks are needed at most: halving, with lies until their weights are spent, and
        to tell modes apart.
        """
        count = len(np.unique(self._reach)) - 1  # the first look tells the unit that lights nowhere
        looks = 0
        while 2**looks < count * sum(comb(looks, k) for k in range(self.lies + 1)):
            looks += 1
        return (
            1 + looks + (1 if self.lies else 0) + max(0, len(self._keeps) - 1) * (1 + 2 * self.lies)
        )

    def _weights(self) -> NDArray[np.float64]:
        """What each place still weighs: in how many ways the answers to come could still lead to
        it.
        """
        left = max(0, self.most - self.used - 1)
        by_wrong = [
            float(sum(comb(left, k) for k in range(self.lies - w + 1)))
            for w in range(self.lies + 1)
        ]
        alive = self.alive
        weights = np.zeros(len(self._wrong))
        weights[alive] = np.array(by_wrong)[self._wrong[alive]]
        return weights

    def look(self) -> HuntLook | None:
        """The next part to light; None when nothing is left to tell apart by light."""
        if not self.asked:
            return self._everything()
        weights = self._weights()
        slots = np.unique(self._reach[weights > 0])
        if len(slots) < 2:
            return self._between_modes()
        heavy = np.zeros(len(slots))
        np.maximum.at(heavy, np.searchsorted(slots, self._reach[weights > 0]), weights[weights > 0])
        below = np.cumsum(heavy)
        at = int(np.abs(below[:-1] - below[-1] / 2).argmin())
        unsure = [look.lit for look, answer in self.asked if answer == UNSURE]
        while any(np.array_equal(lit, self._reach <= slots[at]) for lit in unsure) and at + 2 < len(
            slots
        ):
            at += 1  # a person was not sure: the same picture again would not help
        last = int(slots[at])
        universe, address = self._spot(last)
        where = (
            f"up to {universe}.{address:03d}"
            if len(self.universes) > 1
            else f"1 to {address} of universe {universe}"
        )
        words = f"Addresses {where} are lit. Does unit {self.unit.number} light?"
        return HuntLook(self._lit_up_to(last), words, self._left, self._reach <= last)

    def _everything(self) -> HuntLook:
        """The first look: a unit that stays dark now listens nowhere here, and nothing else needs
        to be asked.
        """
        total = len(self.universes) * SLOTS
        where = (
            f"universe {self.universes[0]}"
            if len(self.universes) == 1
            else many(len(self.universes), "universe")
        )
        words = f"Everything in {where} is lit. Does unit {self.unit.number} light?"
        return HuntLook(self._lit_up_to(total), words, self._left, self._reach <= total)

    @property
    def _left(self) -> int:
        """Addresses the answers still allow."""
        return int(self.alive[:-1].sum())

    @property
    def dark(self) -> bool:
        """Whether all that remains is that it lights nowhere here."""
        alive = self._wrong == self._wrong.min()
        return bool(self.asked) and not self.contradicts and bool(alive[-1]) and self.look() is None

    def _between_modes(self) -> HuntLook | None:
        """The slot that one mode needs and another does not, dark among lit ones."""
        alive = np.flatnonzero(self.alive[:-1])
        best: tuple[int, int, NDArray[np.bool_]] | None = None
        for slot in sorted(
            {
                int(self._starts[i]) + o
                for i in alive
                for o in range(len(self._keeps[self.places[i].mode]))
            }
        ):
            lit = self._with_dark(slot)
            apart = min(int(lit[alive].sum()), int((~lit[alive]).sum()))
            if apart and (best is None or apart > best[0]):
                best = apart, slot, lit
        if best is None:
            return None
        _, slot, lit = best
        universe, address = self._spot(slot)
        slots = self._lit_up_to(len(self.universes) * SLOTS) | {(universe, address): 0}
        words = f"All is lit but {universe}.{address:03d}. Does unit {self.unit.number} light?"
        return HuntLook(slots, words, len(alive), lit)

    def _with_dark(self, slot: int) -> NDArray[np.bool_]:
        """Of each place, whether a unit there lights while one slot alone is dark."""
        offsets = slot - self._starts
        out = np.ones(len(offsets), bool)
        out[-1] = False
        for at in np.flatnonzero(offsets[:-1] >= 0):
            keeps = self._keeps[self.places[at].mode]
            if offsets[at] < len(keeps):
                out[at] = keeps[offsets[at]]
        return out

    def _spot(self, slot: int) -> tuple[int, int]:
        return self.universes[(slot - 1) // SLOTS], (slot - 1) % SLOTS + 1

    def _lit_up_to(self, last: int) -> Slots:
        return {
            (universe, address): self.value if at * SLOTS + address <= last else 0
            for at, universe in enumerate(self.universes)
            for address in range(1, SLOTS + 1)
        }

    def answer(self, look: HuntLook, answer: str) -> None:
        """Take yes, no or not sure. Raises EntryFault for anything else."""
        if answer not in (YES, NO, UNSURE):
            raise EntryFault(
                f"“{answer[:20]}” is not an answer.", do=f"Say {YES}, {NO} or {UNSURE}."
            )
        self.asked.append((look, answer))
        if answer != UNSURE:
            self._wrong += look.lit != (answer == YES)

    def take_back(self) -> None:
        """Without the last answer."""
        if self.asked:
            look, answer = self.asked.pop()
            if answer != UNSURE:
                self._wrong -= look.lit != (answer == YES)

    def lights(self, level: float) -> bool:
        """Whether a measured level, 0…1, counts as lighting: half of what all its slots would make
        of it.
        """
        return level > self.bright / 2

    @property
    def found(self) -> list[Place]:
        """What remains: one place, one for each mode that looks alike, or nothing yet, or when the
        answers contradict each other.
        """
        if self.contradicts or self.look() is not None or self.dark:
            return []
        alive = self._wrong == self._wrong.min()
        return [place for place, ok in zip(self.places, alive, strict=True) if ok]

    @property
    def modes(self) -> tuple[str, ...]:
        """In which modes it could be."""
        return tuple(self._keeps)

    @property
    def alive(self) -> NDArray[np.bool_]:
        """(places,) which of them the answers still allow."""
        return self._wrong <= self.lies

    @property
    def contradicts(self) -> bool:
        return not self.alive.any()
