"""The hunt: at which address a unit really listens, by lighting ever smaller parts of what it could be.

A look lights the slots 1…x of the universes in turn with one byte that lights the unit and is safe for every unit
there. The unit then lights when the last slot it needs lies within, so looks halve the candidates; with lies allowed,
each candidate is weighed by how many answers still could be wrong (Berlekamp's weights of Ulam's game).
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from math import comb

import numpy as np
from numpy.typing import NDArray

from isthmus.check.safe import column_bytes
from isthmus.check.sights import DARK, LUMINANCE
from isthmus.errors import EntryFault
from isthmus.patch.index import index_of
from isthmus.profiles import light_program, profiles_of
from isthmus.profiles.light import LightProgram
from isthmus.show.records import SLOTS, Show

Slots = dict[tuple[int, int], int]
YES, NO, UNSURE = "yes", "no", "not sure"


def levels(program: LightProgram, windows: NDArray[np.uint8]) -> NDArray[np.float64]:
    """(k,) light of a unit for each row of slots (k, width)."""
    return (program.read(windows).rgb @ LUMINANCE).max(axis=1, initial=0.0)


def all_lit(program: LightProgram, others: Iterable[LightProgram] = ()) -> int | None:
    """The byte that, in every slot, lights the unit brightest and is safe for it and the others; None when there is none."""
    allowed = column_bytes(program).all(axis=0)
    for other in others:
        allowed &= column_bytes(other).all(axis=0)
    every = np.repeat(np.arange(256, dtype=np.uint8)[:, None], program.width, axis=1)
    light = np.where(allowed, levels(program, every), 0.0)
    best = int(light.argmax())
    return best if light[best] > 1.5 * DARK else None


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


def common_value(show: Show, universe: int, units: Sequence[str]) -> int:
    """The byte that lights every one of these units and is safe for all of the universe. Raises EntryFault without one."""
    everybody = programs_in(show, [universe])
    wanted = [light_program(*found) for u in units if (unit := show.unit(u)) and (found := profiles_of(show).mode_of(unit))]
    best, value = 0.0, 0
    for candidate in range(1, 256):
        if all(column_bytes(p)[:, candidate].all() for p in everybody):
            light = min((float(levels(p, np.full((1, p.width), candidate, np.uint8))[0]) for p in wanted), default=0.0)
            best, value = max((best, value), (light, candidate))
    if best <= 1.5 * DARK:
        raise EntryFault("No byte lights all of these units and is safe for everybody there.", do="Hunt them one by one.")
    return value


def last_needed(program: LightProgram, value: int) -> int:
    """How many slots from its start must be lit, so that the unit gives half its light. 0 when it needs none."""
    ramp = np.where(np.arange(program.width) < np.arange(program.width + 1)[:, None], value, 0).astype(np.uint8)
    light = levels(program, ramp)
    return int(np.argmax(light > light[-1] / 2))


@dataclass(frozen=True)
class Place:
    """Where a unit could listen."""

    universe: int
    address: int
    mode: str


@dataclass(frozen=True)
class HuntLook:
    """What to send, and the question. `count` says how many candidates are left."""

    slots: Slots
    words: str
    count: int
    number: int


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
        """Universes default to the unit's own. Raises EntryFault where it cannot be hunted by light."""
        unit = show.unit(unit_id)
        found = profiles_of(show).mode_of(unit) if unit else None
        if unit is None or found is None:
            raise EntryFault("A unit without a profile cannot be hunted.", do="Give it a profile first.")
        self.show, self.unit, self.lies = show, unit, lies
        self.universes = sorted(dict.fromkeys(universes or [p.universe for p in unit.patch]))
        if not self.universes:
            raise EntryFault(f"{unit.number} has no address, so nobody knows where to look.", do="Choose universes to hunt in.")
        profile, mode = found
        modes = list(profile.modes) if any_mode else [mode]
        neighbours = programs_in(show, self.universes)
        self.value, self.bright = 0, 0.0
        barred = set(leave_out)
        self.places: list[Place] = []
        reach: list[int] = []
        for m in modes:
            program = light_program(profile, m)
            value = all_lit(program, [*neighbours, *(light_program(profile, x) for x in modes)])
            if value is None or len(program.chart.footprints) != 1 or not program.assembly.beams:
                continue
            self.value = max(self.value, value)
            full = float(levels(program, np.full((1, program.width), value, np.uint8))[0])
            self.bright = full if m is mode or not self.bright else self.bright
            needs = last_needed(program, value)
            for at, universe in enumerate(self.universes):
                for address in range(1, SLOTS - program.width + 2):
                    place = Place(universe, address, m.name)
                    if needs and place not in barred:
                        self.places.append(place)
                        reach.append(at * SLOTS + address + needs - 1)
        if not self.places:
            raise EntryFault(
                f"{unit.number} cannot be hunted by light: no byte lights it that is safe for all units there.",
                do="Read its address at the unit, or ask it by RDM.",
            )
        self._reach = np.array(reach, np.int64)
        self._wrong = np.zeros(len(reach), np.int64)  # answers each candidate contradicts
        self.asked: list[tuple[int, str]] = []  # the last lit slot, the answer

    # ------------------------------------------------------------ looks

    @property
    def used(self) -> int:
        return sum(answer != UNSURE for _, answer in self.asked)

    @property
    def most(self) -> int:
        """How many looks are needed at most: halving, and with lies until their weights are spent."""
        count = len(np.unique(self._reach))
        looks = 0
        while 2**looks < count * sum(comb(looks, k) for k in range(self.lies + 1)):
            looks += 1
        return looks + (1 if self.lies else 0)

    def _weights(self) -> NDArray[np.float64]:
        """What each slot that could be the last needed still weighs."""
        left = max(0, self.most - self.used - 1)
        by_wrong = [float(sum(comb(left, k) for k in range(self.lies - w + 1))) for w in range(self.lies + 1)]
        alive = self._wrong <= self.lies
        weights = np.zeros(len(self._wrong))
        weights[alive] = np.array(by_wrong)[self._wrong[alive]]
        return weights

    def look(self) -> HuntLook | None:
        """The next part to light; None when nothing is left to tell apart by light."""
        weights = self._weights()
        slots = np.unique(self._reach[weights > 0])
        if len(slots) < 2:
            return None
        heavy = np.zeros(len(slots))
        np.maximum.at(heavy, np.searchsorted(slots, self._reach[weights > 0]), weights[weights > 0])
        below = np.cumsum(heavy)
        at = int(np.abs(below[:-1] - below[-1] / 2).argmin())
        tried = {x for x, answer in self.asked if answer == UNSURE}
        while int(slots[at]) in tried and at + 2 < len(slots):
            at += 1  # somebody was not sure: the same picture again would not help
        last = int(slots[at])
        universe, address = self.universes[(last - 1) // SLOTS], (last - 1) % SLOTS + 1
        count = int((weights > 0).sum())
        where = f"up to {universe}.{address:03d}" if len(self.universes) > 1 else f"1 to {address} of universe {universe}"
        words = f"Addresses {where} are lit. Does {self.unit.number} light?"
        return HuntLook(self.slots_to(last), words, count, len(self.asked) + 1)

    def slots_to(self, last: int) -> Slots:
        return {
            (universe, address): self.value if at * SLOTS + address <= last else 0
            for at, universe in enumerate(self.universes)
            for address in range(1, SLOTS + 1)
        }

    def answer(self, look: HuntLook, answer: str) -> None:
        """Take yes, no or not sure. Raises EntryFault for anything else."""
        if answer not in (YES, NO, UNSURE):
            raise EntryFault(f"“{answer[:20]}” is no answer.", do=f"Say {YES}, {NO} or {UNSURE}.")
        lit = [key for key, value in look.slots.items() if value]
        last = max((self.universes.index(u) * SLOTS + a for u, a in lit), default=0)
        self.asked.append((last, answer))
        if answer != UNSURE:
            self._wrong += (self._reach <= last) != (answer == YES)

    def lights(self, level: float) -> bool:
        """Whether a measured level, 0…1, counts as lighting: half of what all its slots would make of it."""
        return level > self.bright / 2

    def take_back(self) -> None:
        """Without the last answer."""
        if self.asked:
            last, answer = self.asked.pop()
            if answer != UNSURE:
                self._wrong -= (self._reach <= last) != (answer == YES)

    @property
    def found(self) -> list[Place]:
        """What remains: one place, one for each mode that looks alike, or nothing when the answers contradict each other."""
        least = self._wrong.min(initial=0)
        if least > self.lies:
            return []
        alive = self._wrong <= self.lies
        if len(np.unique(self._reach[alive])) > 1:
            alive = self._wrong == least
            if len(np.unique(self._reach[alive])) > 1 or self.look() is not None:
                return []
        return [place for place, ok in zip(self.places, alive, strict=True) if ok]

    @property
    def alive(self) -> NDArray[np.bool_]:
        """(places,) which of them the answers still allow."""
        return self._wrong <= self.lies

    @property
    def contradicts(self) -> bool:
        return bool((self._wrong > self.lies).all())


# ---------------------------------------------------------------- several units at once

CODE_BITS = 9


def code_frames(universe: int, value: int) -> list[Slots]:
    """Eighteen frames: in each pair the slots with a one, then with a nought, at one place of their number less one."""
    out = []
    for bit in range(CODE_BITS):
        for wanted in (1, 0):
            out.append({(universe, a): value if (a - 1) >> bit & 1 == wanted else 0 for a in range(1, SLOTS + 1)})
    return out


def half_light(program: LightProgram, value: int) -> float:
    """Half of the light a unit gives with this byte in all its slots."""
    return float(levels(program, np.full((1, program.width), value, np.uint8))[0]) / 2


def code_of(program: LightProgram, address: int, frames: Sequence[NDArray[np.uint8]]) -> tuple[bool, ...]:
    """On or off in each frame (512,), of a unit at an address: on is half of what all its slots would make of it."""
    rows = np.zeros((len(frames), program.width), np.uint8)
    for i, frame in enumerate(frames):
        part = frame[address - 1 : address - 1 + program.width]
        rows[i, : len(part)] = part
    value = max(int(frame.max()) for frame in frames)
    return tuple(bool(x) for x in levels(program, rows) > half_light(program, value))


def read_code(program: LightProgram, universe: int, value: int, seen: Sequence[bool], wrong: int = 0) -> list[int]:
    """Addresses whose code is the one seen, or differs in at most `wrong` places, the nearest first."""
    frames = [np.array([f[(universe, a)] for a in range(1, SLOTS + 1)], np.uint8) for f in code_frames(universe, value)]
    apart: list[tuple[int, int]] = []
    for address in range(1, SLOTS - program.width + 2):
        code = code_of(program, address, frames)
        off = sum(a != b for a, b in zip(code, seen, strict=True))
        if off <= wrong and any(code):
            apart.append((off, address))
    return [address for _, address in sorted(apart)]
