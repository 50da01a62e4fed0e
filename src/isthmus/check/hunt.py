"""The hunt: at which address a unit really listens, by lighting ever smaller parts of what it could
be.

Each look lights some of the slots, or makes parts of them flash (`hunt_flashes`), and the places a
unit could be at are weighed by the answer (Bayes). A place counts only where the unit would be
plainly bright or fully dark (`hunt_looks`), so what a person takes for light does not matter. With
answers that may be wrong it goes on until one place outweighs all others.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from math import ceil, log2

import numpy as np
from numpy.typing import NDArray

from isthmus.check import hunt_flashes
from isthmus.check.hunt_asked import (
    BITS,
    FLASHING,
    HOW_OFTEN,
    NO,
    NOWHERE,
    UNSURE,
    YES,
    HuntLook,
    Place,
    Slots,
)
from isthmus.check.hunt_flashes import STEADY, Counts
from isthmus.check.hunt_looks import FEW, QUESTIONS, Question, cuts, plain, runs, worth
from isthmus.check.hunt_parts import Part, aside, hunted_modes, hunted_universes
from isthmus.check.hunt_slots import slot_bytes
from isthmus.check.hunt_told import parts, told
from isthmus.errors import EntryFault
from isthmus.patch.index import index_of
from isthmus.profiles import light_program, profiles_of
from isthmus.profiles.light import LightProgram
from isthmus.show.records import SLOTS, Show

BETTER = 1.2  # times the bits of a plain question: it takes two seconds longer to answer
WRONG = 1 / 15  # how often an answer is wrong, where some may be
SURE = 0.999  # the weight at which a place is taken then
NEVER = 0.1  # how often a unit that is hunted is dead, before anything was seen
TELLS = 0.02  # bits; a look that would tell less is not asked
LITTLE = 1e-3  # the same where answers may be wrong: sureness comes bit by bit
NEARLY = 0.97  # of all weight: the places that matter for the next picture
MUTE = 0.02  # of its brightest: so dark a unit would be nothing to go by
MOST = 40  # looks, with wrong answers
WHOLE = 0.99  # of its light: with so much it is taken to be lit whole


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


class Hunt:
    """One unit. Call `look`, send its slots, `answer`, until `look` is None. Then it is `dark`
    everywhere, or `found` names what remains, or the answers `contradict` each other.
    """

    def __init__(
        self,
        show: Show,
        unit_id: str,
        universes: Sequence[int] = (),
        any_mode: bool = False,
        lies: int = 0,
        leave_out: Iterable[Place] = (),
        block: int = 0,
        flashing: bool = False,
    ) -> None:
        """Universes default to the unit's own; `leave_out` are places it is known not to be at.
        With `lies` any answer may be wrong. `block` is the DMX break that is hunted; 0: the unit
        as a whole. `flashing`: it may ask how often a unit flashes, which takes fewer looks.

        Raises EntryFault where it cannot be hunted by light.
        """
        unit, programs = hunted_modes(show, unit_id, any_mode, block)
        self.show, self.unit, self.block = show, unit, block
        self.wrong, self.flashing = WRONG if lies else 0.0, flashing
        self.universes = hunted_universes(unit, universes, block)
        bytes_ = slot_bytes(show, self.universes, list(programs.values()))
        value = bytes_.value if bytes_ else 0
        self._parts = {name: Part(program, block, value) for name, program in programs.items()}
        self._aside = aside(show, unit, block, self.universes, list(programs.values()))
        barred = set(leave_out)
        every = [
            Place(universe, address, name)
            for name, part in self._parts.items()
            for universe in self.universes
            for address in range(1, SLOTS - part.width + 2)
        ]
        self.places = [place for place in every if place not in barred]
        if bytes_ is None or not self.places:
            raise EntryFault(
                f"{unit.number} cannot be hunted by light: no byte lights it that is safe, or no "
                "address is left.",
                do="Read its address at the unit, or ask it by RDM.",
            )
        self._bytes, self.value = bytes_, bytes_.value
        row = {universe: at for at, universe in enumerate(self.universes)}
        self._rows = np.array([row[place.universe] for place in self.places])
        self._starts = np.array([place.address for place in self.places])
        self._widths = np.array([self._parts[place.mode].width for place in self.places])
        self._kinds = np.array([list(self._parts).index(place.mode) for place in self.places])
        self._all = np.ones(len(self.universes) * SLOTS, bool)
        self._full = self._light(self._all, np.arange(len(self.places)))
        self.places.append(NOWHERE)
        parts = self._parts.values()
        self._needs = [part.needed(QUESTIONS[0].high) for part in parts]
        self._first_needed = np.array([part.first_needed(WHOLE) for part in parts])
        self._last_needed = np.array([part.needed(WHOLE) - 1 for part in parts])
        self.bright = float(self._full.max())
        self._mute = self._full < MUTE * self.bright  # what is safe there does not light it
        self._first = np.full(len(self.places), (1 - NEVER) / (len(self.places) - 1))
        self._first[-1] = NEVER
        self.asked: list[tuple[HuntLook, str]] = []
        self._measured = 0.0
        self._next: tuple[int, HuntLook | None] | None = None

    # ------------------------------------------------------------ what a place would show

    def _light(self, mask: NDArray[np.bool_], at: NDArray[np.int64]) -> NDArray[np.float64]:
        """(k,) light of a unit at each of these places, without NOWHERE."""
        return self._lights([mask], at)[0]

    def _lights(
        self, masks: Sequence[NDArray[np.bool_]], at: NDArray[np.int64]
    ) -> NDArray[np.float64]:
        """(masks, k)"""
        stack = np.stack(masks).reshape(len(masks), len(self.universes), SLOTS)
        slots = np.where(stack | self._aside.held, self._bytes.lit, self._bytes.dark)
        out = np.zeros((len(masks), len(at)))
        for kind, part in enumerate(self._parts.values()):
            mine = np.flatnonzero(self._kinds[at] == kind)
            if len(mine):
                columns = self._starts[at[mine], None] - 1 + np.arange(part.width)
                windows = slots[:, self._rows[at[mine], None], columns]
                found = part.levels(windows.reshape(-1, part.width))
                out[:, mine] = found.reshape(len(masks), -1)
        return out

    def _may(
        self, pictures: Sequence[Counts], question: Question, at: NDArray[np.int64]
    ) -> NDArray[np.uint8]:
        """(pictures, k) which answers may come at these places, NOWHERE among them."""
        may = np.full((len(pictures), len(at)), BITS[NO], np.uint8)  # nowhere is dark always
        real = np.flatnonzero(at < len(self.places) - 1)
        if question is HOW_OFTEN:
            masks = [frame for one in pictures for frame in hunt_flashes.frames(one)]
            light = self._lights(masks, at[real]) / self._brightest[at[real]]
            by_frame = light.reshape(len(pictures), STEADY, -1).swapaxes(0, 1)
            may[:, real] = hunt_flashes.answers(by_frame, question)
        else:
            light = self._lights([one > 0 for one in pictures], at[real])
            may[:, real] = plain(
                question.of(light / self._brightest[at[real]]), BITS[YES], BITS[NO]
            )
        return may

    # ------------------------------------------------------------ what is known

    @property
    def weights(self) -> NDArray[np.float64]:
        """(places,) how likely each is after the answers; all 0 where none fits them."""
        weights = self._first.copy()
        for look, answer in self.asked:
            if answer != UNSURE:
                wrong = max(self.wrong, look.question.wrong)
                fits = look.may & BITS[answer] > 0
                chance = np.where(fits, 1 - wrong, wrong / (len(look.answers) - 1))
                # where it is not plain any answer that may come fits as well as the right one
                several = look.may & (look.may - 1) > 0
                weights *= np.where(several & fits, 1 - self.wrong, chance)
        total = weights.sum()
        return weights / total if total > 0 else weights

    @property
    def _brightest(self) -> NDArray[np.float64]:
        """(places,) without NOWHERE: the most light a unit there has given so far, beside which
        all that follows is seen.
        """
        seen = [look.light for look, _ in self.asked]
        most = np.max([self._full, *seen], axis=0)
        return np.where(self._mute, self.bright, most)

    @property
    def alive(self) -> NDArray[np.bool_]:
        """(places,) which of them the answers still allow."""
        weights = self.weights
        return weights > (weights.max() * 2e-3 if self.wrong else 0.0)

    @property
    def used(self) -> int:
        return sum(answer != UNSURE for _, answer in self.asked)

    @property
    def most(self) -> int:
        """How many looks are needed at most, about: the first, and parting what is left."""
        if self.wrong:
            return MOST
        parts = len(FLASHING) if self.flashing else 2
        steps = ceil(log2(len(self.places) - 1) / log2(parts))
        return 1 + steps + 2 * (len(self._parts) > 1)

    @property
    def contradicts(self) -> bool:
        """Whether no place fits the answers."""
        if not self.wrong:
            return not self.weights.any()
        return self.look() is None and len(self.doubted) > max(3, self.used // 3)

    @property
    def doubted(self) -> list[int]:
        """Which answers do not fit the likeliest place, or where none is left the one most of them
        fit; from 0. Not those that go by everyone's own measure.
        """
        answers = [
            (at, look.may & BITS[answer] == 0)
            for at, (look, answer) in enumerate(self.asked)
            if answer != UNSURE and not look.question.wrong
        ]
        weights = self.weights
        off = np.sum([misfit for _, misfit in answers], axis=0) if answers else weights
        best = int(weights.argmax() if weights.any() else off.argmin())
        return [at for at, misfit in answers if misfit[best]]

    @property
    def dark(self) -> bool:
        """Whether it lights nowhere here, wherever it may be told by light."""
        weights = self.weights
        taken = SURE if self.wrong else 1.0
        unlit = weights[-1] + weights[:-1][self._mute].sum()
        return bool(self.asked) and bool(unlit >= taken - 1e-9)

    @property
    def found(self) -> list[Place]:
        """What remains, the likeliest first: one place, or several that light does not tell apart,
        or nothing yet.
        """
        if self.contradicts or self.dark or self.look() is not None:
            return []
        weights = self.weights
        order = np.argsort(-weights, kind="stable")
        enough = int(np.searchsorted(np.cumsum(weights[order]), SURE - 1e-9)) + 1
        keep = order[:enough] if self.wrong else order[weights[order] > 0]
        return [self.places[at] for at in keep.tolist() if at < len(self.places) - 1]

    @property
    def untold(self) -> int:
        """Of how many addresses light tells nothing, for what is safe there does not light it."""
        return int(self._mute.sum())

    @property
    def modes(self) -> tuple[str, ...]:
        """In which modes it could be."""
        return tuple(self._parts)

    # ------------------------------------------------------------ looks

    def look(self) -> HuntLook | None:
        """The next part to light; None when nothing is left to tell apart by light."""
        if self._next is None or self._next[0] != len(self.asked):
            self._next = len(self.asked), self._choose()
        return self._next[1]

    def _choose(self) -> HuntLook | None:
        if not self.asked:
            return self._everything()
        weights = self.weights
        if not weights.any() or self.used >= (MOST if self.wrong else 10 * self.most):
            return None
        if self.wrong and weights.max() >= SURE:
            return None
        at = np.flatnonzero(weights > 1e-6)
        asked = {look.question.words for look, _ in self.asked}
        pictures = [STEADY * mask.astype(np.uint8) for mask in self._pictures(weights, at)]
        more, most = self._best(list(self._flashing(weights, at)), HOW_OFTEN, weights, at)
        for question in QUESTIONS:
            if question.wrong and question.words in asked:
                continue  # what is likelier was said once; the same eye would say it again
            bits, best = self._best(pictures, question, weights, at)
            if most is not None and more >= BETTER * bits:
                return self._made(most, HOW_OFTEN)
            if best is not None:
                return self._made(best, question)
        return None

    def _best(
        self,
        pictures: Sequence[Counts],
        question: Question,
        weights: NDArray[np.float64],
        at: NDArray[np.int64],
    ) -> tuple[float, Counts | None]:
        """(bits, the picture that tells most), if any is worth a look."""
        if not pictures:
            return 0.0, None
        wrong = max(self.wrong, question.wrong)
        ways = len(FLASHING) if question is HOW_OFTEN else 2
        bits = [worth(weights[at], row, wrong, ways) for row in self._may(pictures, question, at)]
        top = int(np.argmax(bits))
        enough = bits[top] > (LITTLE if self.wrong else TELLS)
        return (bits[top], pictures[top]) if enough else (0.0, None)

    def _everything(self) -> HuntLook:
        """The first look, which shows whether it lights at all; parts flash, so it tells more."""
        if self.flashing:
            at = np.arange(len(self.places) - 1)
            counts = hunt_flashes.everything(
                self._spots(self._last_needed, at), self._first[:-1], len(self._all)
            )
            return self._made(counts, HOW_OFTEN)
        return self._made(STEADY * self._all.astype(np.uint8), QUESTIONS[0])

    def _spots(self, offsets: NDArray[np.int64], at: NDArray[np.int64]) -> NDArray[np.int64]:
        """(k,) slots, from 1 over all universes, so far from the start of each of these places."""
        return self._rows[at] * SLOTS + self._starts[at] + offsets[self._kinds[at]]

    def _flashing(self, weights: NDArray[np.float64], at: NDArray[np.int64]) -> Iterator[Counts]:
        """Pictures of parts that flash, where that is allowed."""
        real = at[at < len(self.places) - 1]
        if self.flashing and len(real):
            first, last = (
                self._spots(offsets, real) for offsets in (self._first_needed, self._last_needed)
            )
            yield from hunt_flashes.divided(first, last, weights[real], len(self._all))
            likely = _likely(weights[real])
            if len(likely) <= FEW:
                begin, end = int(first[likely].min()), int(last[likely].max())
                for part in hunt_flashes.tried(begin, end, len(self.asked)):
                    made = np.zeros(len(self._all), np.uint8)
                    made[begin - 1 : end] = part
                    yield made

    def _pictures(
        self, weights: NDArray[np.float64], at: NDArray[np.int64]
    ) -> Iterator[NDArray[np.bool_]]:
        """Those that could be shown next; none that was shown already, unless answers may be
        wrong.
        """
        asked = self.asked[-3:] if self.wrong else self.asked
        shown = [look.counts > 0 for look, _ in asked if not look.flashes]
        if self.wrong:
            yield self._all
        real = at[at < len(self.places) - 1]
        if not len(real):
            if not shown or not np.array_equal(shown[-1], self._all):
                yield self._all
            return
        total = len(self._all)
        starts = self._rows[real] * SLOTS + self._starts[real]
        needs = np.array(self._needs)[self._kinds[real]]
        made = list(cuts(starts + needs - 1, weights[real], total))
        likely = _likely(weights[real])
        if len(likely) <= FEW:
            made += runs(starts[likely].tolist(), self._widths[real][likely].tolist(), total)
        for mask in made:
            if mask.any() and not any(np.array_equal(mask, one) for one in shown):
                yield mask

    def _made(self, counts: Counts, question: Question) -> HuntLook:
        flashes = question is HOW_OFTEN
        masks = hunt_flashes.frames(counts) if flashes else [counts > 0]
        light = self._light(masks[0], np.arange(len(self.places) - 1))
        may = self._may([counts], question, np.arange(len(self.places)))[0]
        shown = parts(counts, self.universes) if flashes else told(masks[0], self.universes)
        asked = question.words.format(self.unit.number)
        frames = tuple(self._sent(mask) for mask in masks)
        left = int(self.alive[:-1].sum())
        return HuntLook(frames, shown, asked, left, counts, may, light, question)

    def _sent(self, mask: NDArray[np.bool_]) -> Slots:
        sent = self._bytes.of(mask.reshape(len(self.universes), SLOTS) | self._aside.held)
        return self._aside.slots | {
            (universe, address + 1): int(sent[row, address])
            for row, universe in enumerate(self.universes)
            for address in range(SLOTS)
        }

    # ------------------------------------------------------------ answers

    def answer(self, look: HuntLook, answer: str) -> None:
        """Take one of the answers of a look, or not sure. Raises EntryFault for anything else."""
        if answer not in (*look.answers, UNSURE):
            raise EntryFault(
                f"“{answer[:20]}” is not an answer.",
                do=f"Say {', '.join(look.answers)} or {UNSURE}.",
            )
        self.asked.append((look, answer))
        self._next = None

    def take_back(self) -> None:
        """Without the last answer."""
        if self.asked:
            self.asked.pop()
            self._next = None

    def measured(self, levels: Sequence[float]) -> str:
        """What a meter answers to the look at hand that measures these levels, 0…1, in its frames:
        lit is what is as bright as is asked for, beside the brightest measured so far.
        """
        look = self.look()
        question = look.question if look else QUESTIONS[0]
        self._measured = max(self._measured, *levels)
        least = max(MUTE * self.bright, self._measured * (question.low + question.high) / 2)
        return look.read(levels, least) if look else UNSURE


def _likely(weights: NDArray[np.float64]) -> NDArray[np.int64]:
    """Which of them make up nearly all of the weight."""
    order = np.argsort(-weights, kind="stable")
    share = np.cumsum(weights[order]) / weights.sum()
    return order[: int(np.searchsorted(share, NEARLY)) + 1]
