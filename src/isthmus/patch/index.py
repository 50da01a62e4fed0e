"""The patch as looked up: by unit and universe, occupied slots as bits. One edit costs only
what it touched.

A universe's slots are the bits of one integer, slot 1 the lowest; a run of n free slots is found in
log n shifts.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from functools import cached_property

from isthmus.patch.spans import Clash, Span, clashes, unit_spans
from isthmus.profiles import ProfileSet, profiles_of
from isthmus.recent import Recent
from isthmus.show.records import SLOTS, UNIVERSES, Show, Unit

FULL = (1 << SLOTS) - 1


def bits(first: int, last: int) -> int:
    """Slots first…last as bits, cut at the ends of the universe."""
    first, last = max(first, 1), min(last, SLOTS)
    return ((1 << (last - first + 1)) - 1) << (first - 1) if last >= first else 0


def starts(taken: int, length: int) -> int:
    """Bits of the slots at which `length` free slots begin."""
    free, have = ~taken & FULL, 1
    while have < length and free:
        step = min(have, length - have)
        free &= free >> step
        have += step
    return free


def first_start(taken: int, length: int, address: int = 1, every: int = 1) -> int:
    """The first address from `address` on (1, 1 + every …) with `length` free slots; 0 when there
    is none.
    """
    found = starts(taken, length) >> (address - 1) << (address - 1)
    while found:
        at = (found & -found).bit_length()
        if (at - 1) % every == 0:
            return at
        found &= found - 1
    return 0


def longest_run(taken: int) -> int:
    """How many free slots the longest run has."""
    low, high = 0, SLOTS
    while low < high:
        middle = (low + high + 1) // 2
        if starts(taken, middle):
            low = middle
        else:
            high = middle - 1
    return low


def free_runs(taken: int) -> list[tuple[int, int]]:
    """Free stretches (first, last) of a universe."""
    runs, at = [], 1
    while at <= SLOTS:
        rest = taken >> (at - 1)
        if rest & 1:
            at += ((rest + 1) & ~rest).bit_length() - 1  # the run of ones
            continue
        length = (rest & -rest).bit_length() - 1 if rest else SLOTS - at + 1
        runs.append((at, min(SLOTS, at + length - 1)))
        at += length
    return runs


@dataclass(frozen=True)
class Universe:
    """One universe: its spans by address, which slots are taken, kept as room, and claimed twice
    (as bits).
    """

    spans: tuple[Span, ...] = ()
    taken: int = 0
    kept: int = 0
    clashes: tuple[Clash, ...] = ()

    @cached_property
    def longest(self) -> int:
        """The longest run that is neither taken nor kept."""
        return longest_run(self.taken | self.kept)

    @staticmethod
    def of(spans: Iterable[Span]) -> Universe:
        ordered = sorted(spans, key=lambda span: (span.start, span.number))
        taken = doubled = kept = 0
        for span in ordered:
            mine = bits(span.start, span.end)
            doubled |= taken & mine
            taken |= mine
            kept |= bits(span.start, span.start + span.room - 1)
        return Universe(
            tuple(ordered),
            taken,
            kept & ~taken,
            tuple(clashes(ordered)) if doubled or _past(ordered) else (),
        )


def _patched_otherwise(old: Unit | None, new: Unit) -> bool:
    """Whether the patch has to look at a unit again: not when it only moved or has another name."""
    if old is None:
        return True
    before = old.number, old.profile, old.mode, old.patch
    return before != (new.number, new.profile, new.mode, new.patch)


def _past(ordered: list[Span]) -> bool:
    return bool(ordered) and ordered[-1].end > SLOTS


EMPTY = Universe()


class PatchIndex:
    """What the patch of one show takes. Never changed; the next one is made from it."""

    def __init__(
        self,
        show: Show,
        profiles: ProfileSet,
        by_id: dict[str, Unit],
        spans: dict[str, tuple[Span, ...]],
        universes: dict[int, Universe],
        numbers: dict[int, tuple[str, ...]],
    ) -> None:
        self.show, self.profiles, self.by_id = show, profiles, by_id
        self.spans, self.universes, self.numbers = spans, universes, numbers
        self.doubled: frozenset[int] = frozenset()  # numbers several units have

    @staticmethod
    def of(show: Show) -> PatchIndex:
        empty = PatchIndex(Show(), profiles_of(show), {}, {}, {}, {})
        return empty.next(show)

    def next(self, show: Show) -> PatchIndex:
        """The index of another show; only units that are other objects are looked at."""
        profiles = profiles_of(show)
        fresh, gone = changed_units(self.show.units, show.units, self.by_id)
        by_id = dict(self.by_id)
        for unit_id in gone:
            del by_id[unit_id]
        by_id.update((unit.id, unit) for unit in fresh)
        fresh = [unit for unit in fresh if _patched_otherwise(self.by_id.get(unit.id), unit)]
        fresh += self._of_other_profiles(show, profiles, {unit.id for unit in fresh})
        touched = {*gone, *(unit.id for unit in fresh)}
        spans, universes = self._spans_after(touched, fresh, profiles)
        renumbered = {old.number for i in touched if (old := self.by_id.get(i))}
        renumbered.update(unit.number for unit in fresh)
        numbers = self._numbers_after(touched, fresh, renumbered)
        made = PatchIndex(show, profiles, by_id, spans, universes, numbers)
        made.doubled = (self.doubled - renumbered) | {
            n for n in renumbered if len(numbers.get(n, ())) > 1
        }
        return made

    def _of_other_profiles(self, show: Show, profiles: ProfileSet, away: set[str]) -> list[Unit]:
        """Units that are the same objects, but whose profile is not what it was."""
        if profiles is self.profiles:
            return []
        before = self.profiles.profiles
        known = {key for key, profile in profiles.profiles.items() if before.get(key) is profile}
        return [u for u in show.units if u.profile not in known and u.id not in away]

    def _spans_after(
        self, touched: set[str], fresh: list[Unit], profiles: ProfileSet
    ) -> tuple[dict[str, tuple[Span, ...]], dict[int, Universe]]:
        """The spans of all units, and the universes, after the touched ones left and the fresh
        ones came.
        """
        spans, universes = dict(self.spans), dict(self.universes)
        enter: dict[int, list[Span]] = defaultdict(list)
        changed = {span.universe for i in touched for span in spans.pop(i, ())}
        for unit in fresh:
            made = spans[unit.id] = tuple(unit_spans(unit, profiles))
            for span in made:
                enter[span.universe].append(span)
        for universe in changed | enter.keys():
            before = universes.get(universe, EMPTY).spans
            kept = [s for s in before if s.unit not in touched] + enter[universe]
            if kept:
                universes[universe] = Universe.of(kept)
            else:
                universes.pop(universe, None)
        return spans, universes

    def _numbers_after(
        self, touched: set[str], fresh: list[Unit], renumbered: set[int]
    ) -> dict[int, tuple[str, ...]]:
        """Which units have which number, where only the renumbered ones are looked at."""
        numbers = dict(self.numbers)
        back = {n: [i for i in self.numbers.get(n, ()) if i not in touched] for n in renumbered}
        for unit in fresh:
            back[unit.number].append(unit.id)
        for number, ids in back.items():
            if ids:
                numbers[number] = tuple(ids)
            else:
                numbers.pop(number, None)
        return numbers

    # ------------------------------------------------------------ questions

    def universe(self, number: int) -> Universe:
        return self.universes.get(number, EMPTY)

    def all_spans(self) -> list[Span]:
        return [span for group in self.spans.values() for span in group]

    def clashes(self) -> list[Clash]:
        return [
            clash for number in sorted(self.universes) for clash in self.universes[number].clashes
        ]

    def last_used(self) -> tuple[int, int]:
        """The last universe in use and the last slot taken in it; (1, 0) when nothing is
        patched.
        """
        if not self.universes:
            return 1, 0
        number = max(self.universes)
        universe = self.universes[number]
        return number, (universe.taken | universe.kept).bit_length()


class Room:
    """Free slots to be given out one by one: a plan, apart from the patch."""

    def __init__(
        self, universes: Mapping[int, Universe] | None = None, without: Iterable[Span] = ()
    ) -> None:
        self.taken: dict[int, int] = {n: u.taken | u.kept for n, u in (universes or {}).items()}
        self._most: dict[int, int] = {
            n: u.longest for n, u in (universes or {}).items()
        }  # no run is longer than this
        away: dict[int, set[Span]] = defaultdict(set)
        for span in without:
            away[span.universe].add(span)
        for number, gone in away.items():
            mask = 0
            for span in (universes or {}).get(number, EMPTY).spans:
                if span not in gone:
                    mask |= bits(span.start, max(span.end, span.start + span.room - 1))
            self.taken[number] = mask
            self._most.pop(number, None)

    def copy(self) -> Room:
        """Another plan that begins where this one stands."""
        made = Room()
        made.taken, made._most = dict(self.taken), dict(self._most)
        return made

    def fits(self, universe: int, address: int, length: int) -> bool:
        return address + length - 1 <= SLOTS and not self.taken.get(universe, 0) & bits(
            address, address + length - 1
        )

    def find(
        self, length: int, universe: int = 1, address: int = 1, every: int = 1
    ) -> tuple[int, int] | None:
        """The first universe.address from there on; with `every` only at 1, 1 + every, 1 + 2·every
        …
        """
        if length > SLOTS:
            return None
        universe, address = max(1, universe), max(1, address)  # foreign files have others
        most, taken = self._most, self.taken
        while universe <= UNIVERSES:
            if most.get(universe, SLOTS) >= length:
                at = first_start(taken.get(universe, 0), length, address, every)
                if at:
                    return universe, at
                if address == 1 and every == 1:
                    most[universe] = length - 1
            universe, address = universe + 1, 1
        return None

    def take(self, universe: int, address: int, length: int) -> None:
        self.taken[universe] = self.taken.get(universe, 0) | bits(address, address + length - 1)

    def give(self, universe: int, address: int, length: int) -> None:
        self.taken[universe] = self.taken.get(universe, 0) & ~bits(address, address + length - 1)
        self._most.pop(universe, None)


def changed_units(
    old: tuple[Unit, ...], new: tuple[Unit, ...], have: Mapping[str, Unit]
) -> tuple[list[Unit], set[str]]:
    """Units that are other objects than before, and the ids of those that are gone. `have` are the
    old ones by id.
    """
    if old is new:
        return [], set()
    if len(old) == len(new):  # most edits change units in place
        pairs = [(a, b) for a, b in zip(old, new, strict=True) if a is not b]
        if all(a.id == b.id for a, b in pairs):
            return [b for _, b in pairs], set()
    get = have.get
    fresh = [unit for unit in new if get(unit.id) is not unit]
    return fresh, have.keys() - {unit.id for unit in new}


_INDEXES: Recent[PatchIndex] = Recent()


def index_of(show: Show) -> PatchIndex:
    """The index of a show, made from the last one asked for; the same object for the same units and
    profiles.
    """
    return _INDEXES.get(
        (show.units, profiles_of(show)),
        lambda newest: newest.next(show) if newest else PatchIndex.of(show),
    )
