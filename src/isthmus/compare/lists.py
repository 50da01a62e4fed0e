"""Another's list of the rig beside ours: which line is which unit, what is other, and what of it is
one shift that holds for all.

Lines and units are matched as a whole (an assignment with most in common), so that a list with
other numbers is not told as all new.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from isthmus.compare.assigning import assigned
from isthmus.patch.models import plain
from isthmus.patch.paper import row_of
from isthmus.plural import many
from isthmus.profiles import profiles_of
from isthmus.show.address import write_address
from isthmus.show.records import SLOTS, PaperRow, Show

FIELDS = ("number", "address", "type", "mode", "name", "position")
FEW, MOST_OF = 3, 0.6  # a shift holds for so many at least, and for such a share
OFTEN, TRIED = 8, 400  # differences that are tried, and lines they are looked for with
LIKE = 0.4  # of what both say: less in common, and they are two things
MOST = 3000  # lines that are matched as a whole; of more only those that agree in something


@dataclass(frozen=True)
class Pair:
    """A unit of ours by its id, and a line of theirs; `other` are the fields that differ."""

    unit: str
    ours: PaperRow
    theirs: PaperRow
    other: tuple[str, ...]


@dataclass(frozen=True)
class Beside:
    """`numbers`: how much higher their numbers are where that is so for nearly all; `universes`: by
    our universe, which it is there; `slots`: how much higher their addresses within them. Pairs
    that differ in nothing but these are alike but for the shift.
    """

    pairs: tuple[Pair, ...]
    ours_only: tuple[tuple[str, PaperRow], ...]
    theirs_only: tuple[PaperRow, ...]
    numbers: int
    universes: dict[int, int]
    slots: int

    def shifted(self, pair: Pair, field: str) -> bool:
        """Whether a field differs by what holds for nearly all."""
        if field == "number":
            return bool(self.numbers) and pair.theirs.number - pair.ours.number == self.numbers
        if field == "address" and pair.theirs.universe and pair.ours.universe:
            there = self.universes.get(pair.ours.universe, pair.ours.universe)
            return (there, pair.ours.address + self.slots) == (
                pair.theirs.universe,
                pair.theirs.address,
            )
        return False

    @property
    def apart(self) -> tuple[Pair, ...]:
        """Pairs that differ in more than a shift."""
        return tuple(p for p in self.pairs if any(not self.shifted(p, f) for f in p.other))


def beside(show: Show, theirs: Sequence[PaperRow]) -> Beside:
    """Our units, by number, and another's lines."""
    profiles = profiles_of(show)
    units = sorted(show.units, key=lambda unit: unit.number)
    ours = [row_of(unit, profiles, line) for line, unit in enumerate(units, 1)]
    numbers, spots = _shifts(ours, theirs)
    matched = _assigned(ours, theirs, numbers, spots)
    universes, slots = _mapping([(ours[a], theirs[b]) for a, b in matched])
    pairs = tuple(
        Pair(units[a].id, ours[a], theirs[b], _other(ours[a], theirs[b])) for a, b in matched
    )
    left, right = {a for a, _ in matched}, {b for _, b in matched}
    deltas = Counter(p.theirs.number - p.ours.number for p in pairs)
    steady = _steady(deltas)
    return Beside(
        pairs,
        tuple((units[a].id, row) for a, row in enumerate(ours) if a not in left),
        tuple(row for b, row in enumerate(theirs) if b not in right),
        steady,
        universes,
        slots,
    )


# ------------------------------------------------------------ shifts


def _absolute(row: PaperRow) -> int | None:
    return (row.universe - 1) * SLOTS + row.address if row.universe else None


def _shifts(ours: Sequence[PaperRow], theirs: Sequence[PaperRow]) -> tuple[int, int]:
    """How much higher numbers and absolute addresses are there: of the differences there are most
    often, those by which most lines meet; none where that is as good.
    """
    mine, there = [_says(row) for row in ours], [_says(row) for row in theirs]
    both = [{(n, at) for n, at, _ in there if at is not None}, {(n, x) for n, _, x in there}]
    spots = {(at, x) for _, at, x in there if at is not None}
    best, found = -1.0, (0, 0)
    for number in _often([n for n, _, _ in mine], [n for n, _, _ in there]):
        for spot in _often([at for _, at, _ in mine], [at for _, at, _ in there]):
            met = sum(
                2 * (at is not None and (n + number, at + spot) in both[0])
                + ((n + number, x) in both[1])
                + (at is not None and (at + spot, x) in spots)
                for n, at, x in mine
            ) - 0.01 * (bool(number) + bool(spot))
            if met > best:
                best, found = met, (number, spot)
    return found


def _says(row: PaperRow) -> tuple[int, int | None, tuple[str, ...]]:
    return row.number, _absolute(row), (plain(row.name), plain(row.type), plain(row.hangs_on))


def _often(mine: Sequence[int | None], there: Sequence[int | None]) -> list[int]:
    """The differences that are there most often, none among them; of long lists by a part."""
    a = np.array([x for x in mine if x is not None][:: max(1, len(mine) // TRIED)])
    b = np.array([x for x in there if x is not None])
    if not len(a) or not len(b):
        return [0]
    deltas, counts = np.unique(np.subtract.outer(b, a), return_counts=True)
    return [0, *deltas[np.argsort(-counts, kind="stable")[:OFTEN]].tolist()]


def _steady(deltas: Counter[int]) -> int:
    """The difference nearly all have; 0 where none has."""
    if not deltas:
        return 0
    delta, count = deltas.most_common(1)[0]
    return delta if count >= FEW and count >= MOST_OF * deltas.total() else 0


def _mapping(pairs: Sequence[tuple[PaperRow, PaperRow]]) -> tuple[dict[int, int], int]:
    """Which universe each of ours is there, and how much higher addresses in them are: only what
    nearly all of a universe say, and what no two universes share.
    """
    both = [(a, b) for a, b in pairs if a.universe and b.universe]
    slots = Counter(b.address - a.address for a, b in both)
    steady = slots.most_common(1)[0][0] if slots else 0
    if not slots or slots[steady] < MOST_OF * slots.total():
        steady = 0
    votes: dict[int, Counter[int]] = {}
    for a, b in both:
        if b.address - a.address == steady:
            votes.setdefault(a.universe, Counter())[b.universe] += 1
    totals = Counter(a.universe for a, _ in both)
    found = {}
    for universe, seen in votes.items():
        there, count = seen.most_common(1)[0]
        if there != universe and count >= MOST_OF * totals[universe] and totals[universe] > 1:
            found[universe] = there
    taken = Counter(found.values())
    return {a: b for a, b in found.items() if taken[b] == 1}, steady


# ------------------------------------------------------------ which is which


def _assigned(
    ours: Sequence[PaperRow], theirs: Sequence[PaperRow], numbers: int, spots: int
) -> list[tuple[int, int]]:
    """Pairs of indices, in our order."""
    if max(len(ours), len(theirs)) > MOST:
        return _by_keys(ours, theirs, numbers, spots)
    said = [
        (weight, [of(row, shift) for row in ours], [of(row, 0) for row in theirs])
        for weight, of, shift in _weighed(numbers, spots)
    ]
    return assigned(said, LIKE)


def _weighed(numbers: int, spots: int) -> list[tuple[float, Callable[[PaperRow, int], Any], int]]:
    """How much it counts that two say the same of something, ours raised by what holds for all."""
    return [
        (3.0, lambda row, by: row.number + by, numbers),
        (3.0, lambda row, by: None if (at := _absolute(row)) is None else at + by, spots),
        (2.0, lambda row, _: plain(row.name) or None, 0),
        (1.0, lambda row, _: plain(row.type) or None, 0),
        (0.5, lambda row, _: plain(row.mode) or None, 0),
        (1.0, lambda row, _: plain(row.hangs_on) or None, 0),
    ]


def _by_keys(
    ours: Sequence[PaperRow], theirs: Sequence[PaperRow], numbers: int, spots: int
) -> list[tuple[int, int]]:
    """By number, else by address, each once: for lists too long to be matched as a whole."""
    found: dict[int, int] = {}
    taken: set[int] = set()
    for _, of, shift in _weighed(numbers, spots)[:2]:
        there = {of(row, 0): at for at, row in enumerate(theirs) if at not in taken}
        for at, row in enumerate(ours):
            key = of(row, shift)
            if at not in found and key is not None and there.get(key) not in (None, *taken):
                found[at] = there[key]
                taken.add(there[key])
    return sorted(found.items())


def _other(ours: PaperRow, theirs: PaperRow) -> tuple[str, ...]:
    """What a line says otherwise; of what it leaves out it says nothing."""
    found = []
    if ours.number != theirs.number:
        found.append("number")
    spot = (ours.universe, ours.address)
    if theirs.universe and spot != (theirs.universe, theirs.address):
        found.append("address")
    for field in ("type", "mode", "name", "position"):
        name = "hangs_on" if field == "position" else field
        a, b = plain(getattr(ours, name)), plain(getattr(theirs, name))
        if b and a != b and not (field == "type" and _ends_alike(a, b)):
            found.append(field)
    return tuple(found)


def _ends_alike(a: str, b: str) -> bool:
    """A model with its maker and one without."""
    return bool(a and b) and (a.endswith(b) or b.endswith(a))


# ------------------------------------------------------------ in words


def sentences(found: Beside) -> list[str]:
    """What is other, the shifts first, each in one sentence."""
    told = []
    if found.numbers:
        told.append(f"Their numbers are {_higher(found.numbers)} ({_count(found, 'number')}).")
    if found.universes:
        told.append(f"{_universes(found.universes)} ({_count(found, 'address')}).")
    if found.slots:
        told.append(f"Their addresses are {_higher(found.slots)} ({_count(found, 'address')}).")
    apart = len(found.apart)
    alike = len(found.pairs) - apart
    rest = " but for that" if told else ""
    told.append(f"{many(alike, 'unit')} {'is' if alike == 1 else 'are'} alike{rest}.")
    if apart:
        told.append(f"{many(apart, 'unit')} {'differs' if apart == 1 else 'differ'}.")
    if found.ours_only:
        told.append(f"{many(len(found.ours_only), 'unit')} only with us.")
    if found.theirs_only:
        told.append(f"{many(len(found.theirs_only), 'unit')} only with them.")
    return told


def _count(found: Beside, field: str) -> str:
    count = sum(found.shifted(pair, field) for pair in found.pairs)
    return f"{count} of {many(len(found.pairs), 'unit')}"


def _higher(by: int) -> str:
    return f"{abs(by)} {'higher' if by > 0 else 'lower'}"


def _universes(universes: dict[int, int]) -> str:
    deltas = {there - here for here, there in universes.items()}
    if len(deltas) == 1:
        return f"Their universes are {_higher(deltas.pop())}"
    pairs = [f"{here} is {there}" for here, there in sorted(universes.items())]
    more = f" and {len(pairs) - 8} more" if len(pairs) > 8 else ""
    return f"Our universe {', '.join(pairs[:8])}{more} there"


def said(row: PaperRow, field: str) -> str:
    """What a line says of a field."""
    if field == "address":
        return write_address(row.universe, row.address) if row.universe else ""
    return str(getattr(row, "hangs_on" if field == "position" else field))
