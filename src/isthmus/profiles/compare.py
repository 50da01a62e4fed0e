"""Two charts against each other: a verdict for every channel and for every range.

Lines are paired as a whole (assignment), so that one channel too many at the top reads as “shifted
by 1” below it and not as everything wrong.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray
from rapidfuzz import fuzz

from isthmus.plural import many
from isthmus.profiles.channel_table import Band, ChannelLine, ChannelTable

LineState = Literal["same", "shifted", "ranges", "size", "absent", "extra"]
BandState = Literal["same", "shifted", "other range", "absent", "extra"]
_NEVER = 10.0  # the cost of a pair that is none


@dataclass(frozen=True)
class BandVerdict:
    state: BandState
    left: Band | None
    right: Band | None
    shift: int = 0

    def words(self) -> str:
        if self.left is None and self.right is not None:
            return f"“{self.right.name}” {self.right.start}–{self.right.end} stands only there"
        assert self.left is not None
        name = f"“{self.left.name}” {self.left.start}–{self.left.end}"
        if self.right is None:
            return f"{name} is absent"
        if self.state == "same":
            return f"{name} is the same"
        if self.state == "shifted":
            return f"{name} is shifted by {self.shift:+d}"
        other = (
            f"“{self.right.name}” " if self.right.name != self.left.name and self.right.name else ""
        )
        return f"{name} is {other}{self.right.start}–{self.right.end} there"


@dataclass(frozen=True)
class LineVerdict:
    """One pair of lines: `shift` counts slots from left to right. `left` None is extra, `right`
    None is absent.
    """

    state: LineState
    left: ChannelLine | None
    right: ChannelLine | None
    shift: int = 0
    bands: tuple[BandVerdict, ...] = ()

    def words(self) -> str:
        if self.left is None and self.right is not None:
            return f"{self.right.words} on {self.right.where()} is extra"
        assert self.left is not None
        name = self.left.words
        if self.right is None:
            return f"{name} on {self.left.where()} is absent"
        parts = []
        if self.shift or self.left.block != self.right.block:
            parts.append(f"on {self.right.where()}, not {self.left.where()}")
        if self.left.size != self.right.size:
            parts.append(f"{8 * self.right.size} bit, not {8 * self.left.size}")
        wrong = [band for band in self.bands if band.state != "same"]
        if wrong:
            parts.append(f"{len(wrong)} of {len(self.bands)} ranges differ")
        return (
            f"{name} {', '.join(parts)}" if parts else f"{name} on {self.left.where()} is the same"
        )


def _family(attribute: str) -> str:
    return re.sub(r"\d+", "", attribute)


def _same(
    left: Sequence[ChannelLine], right: Sequence[ChannelLine], key: Callable[[str], str]
) -> NDArray[np.bool_]:
    """Where the attributes of two lists of lines are equal under `key`; lines without one equal
    nothing.
    """
    ids: dict[str, int] = {}
    a = np.array(
        [ids.setdefault(key(line.attribute), len(ids)) if line.attribute else -1 for line in left]
    )
    b = np.array(
        [ids.setdefault(key(line.attribute), len(ids)) if line.attribute else -2 for line in right]
    )
    return a[:, None] == b[None, :]


def _pair(left: Sequence[ChannelLine], right: Sequence[ChannelLine]) -> list[tuple[int, int]]:
    """Which lines speak of the same thing: the cheapest assignment by attribute, name and
    distance.
    """
    from scipy.optimize import linear_sum_assignment  # slow to import, and only needed here

    if not left or not right:
        return []
    cost = np.full((len(left), len(right)), _NEVER)
    cost[_same(left, right, _family)] = 2.0
    cost[_same(left, right, str)] = 0.0
    for i, j in _named_alike(left, right):
        cost[i, j] = min(cost[i, j], 3.0)
    at, to = (
        np.array([line.slots[0] if line.slots else 0 for line in lines]) for lines in (left, right)
    )
    block, other = (np.array([line.block for line in lines]) for lines in (left, right))
    # convex in the distance: all of a row of cells shifted alike is cheaper than one sent to the
    # far end
    away = np.abs(at[:, None] - to[None, :]) + 512 * (block[:, None] != other[None, :])
    cost = np.where(cost < _NEVER, cost + 1.5 * np.minimum(1.0, away / 128) ** 1.5, _NEVER)
    rows, columns = linear_sum_assignment(cost)
    return [(int(i), int(j)) for i, j in zip(rows, columns, strict=True) if cost[i, j] < _NEVER]


def _named_alike(
    left: Sequence[ChannelLine], right: Sequence[ChannelLine]
) -> Iterator[tuple[int, int]]:
    """Pairs in which an attribute is missing, and the names are nearly the same."""
    named = [(j, b) for j, b in enumerate(right) if b.name]
    nameless = [(j, b) for j, b in named if not b.attribute]
    for i, a in enumerate(left):
        if not a.name:
            continue
        for j, b in nameless if a.attribute else named:
            if fuzz.token_sort_ratio(a.name.lower(), b.name.lower()) >= 80:
                yield i, j


def overlap(a: Band, b: Band) -> float:
    """Intersection over union of two ranges, 0 … 1."""
    common = min(a.end, b.end) - max(a.start, b.start) + 1
    union = max(a.end, b.end) - min(a.start, b.start) + 1
    return max(0.0, common / union) if union > 0 else 0.0


def compare_bands(left: ChannelLine, right: ChannelLine) -> tuple[BandVerdict, ...]:
    """The ranges of two lines, in the left one's resolution. A line without ranges says nothing
    about them.
    """
    from scipy.optimize import linear_sum_assignment

    alone = len(left.bands) == 1 and len(right.bands) == 1
    if not left.bands or not right.bands or (alone and not left.bands[0].name):
        return ()
    theirs = [_rescaled(band, right, left) for band in right.bands]
    worth = np.array([[_alike(a, b) for b in theirs] for a in left.bands])
    rows, columns = linear_sum_assignment(worth, maximize=True)
    partner = {int(i): int(j) for i, j in zip(rows, columns, strict=True) if worth[i, j] > 0.45}
    made = [
        _verdict(band, theirs[partner[i]]) if i in partner else BandVerdict("absent", band, None)
        for i, band in enumerate(left.bands)
    ]
    taken = set(partner.values())
    made.extend(BandVerdict("extra", None, band) for j, band in enumerate(theirs) if j not in taken)
    return tuple(made)


def _alike(a: Band, b: Band) -> float:
    """How much two ranges speak of the same thing, by place and name."""
    both_named = bool(a.name and b.name)
    alike = fuzz.token_sort_ratio(a.name.lower(), b.name.lower()) / 100 if both_named else 0.3
    shared = overlap(a, b)
    if both_named and shared < 0.5 and alike < 0.6:
        return 0.0
    # the same name says more than the same place
    return shared + (1.2 if alike >= 0.85 else 0.7) * alike


def _verdict(band: Band, other: Band) -> BandVerdict:
    ahead, behind = other.start - band.start, other.end - band.end
    if ahead != behind:
        return BandVerdict("other range", band, other, 0)
    return BandVerdict("shifted" if ahead else "same", band, other, ahead)


def _rescaled(band: Band, own: ChannelLine, other: ChannelLine) -> Band:
    if own.size == other.size:
        return band
    shift = 8 * (other.size - own.size)
    if shift > 0:
        start, end = band.start << shift, ((band.end + 1) << shift) - 1
    else:
        start, end = band.start >> -shift, band.end >> -shift
    return Band(
        start, end, band.name, band.attribute, band.low, band.high, band.wheel_slot, band.when
    )


def compare(left: ChannelTable, right: ChannelTable) -> list[LineVerdict]:
    """A verdict for every line of both, in the order of the left one, extras where they stand."""
    pairs = dict(_pair(left.lines, right.lines))
    made: list[LineVerdict] = []
    for i, line in enumerate(left.lines):
        j = pairs.get(i)
        if j is None:
            made.append(LineVerdict("absent", line, None))
            continue
        other = right.lines[j]
        shift = (other.slots[0] if other.slots else 0) - (line.slots[0] if line.slots else 0)
        bands = compare_bands(line, other)
        state: LineState = "same"
        if shift or line.block != other.block:
            state = "shifted"
        elif line.size != other.size:
            state = "size"
        elif any(band.state != "same" for band in bands):
            state = "ranges"
        made.append(LineVerdict(state, line, other, shift, bands))
    taken = set(pairs.values())
    for j, line in enumerate(right.lines):
        if j not in taken:
            at = next(
                (
                    k
                    for k, v in enumerate(made)
                    if v.right is not None
                    and v.right.slots
                    and line.slots
                    and v.right.slots[0] > line.slots[0]
                ),
                len(made),
            )
            made.insert(at, LineVerdict("extra", None, line))
    return made


def in_words(verdicts: Sequence[LineVerdict]) -> list[str]:
    """What differs, a sentence each; a run of channels shifted alike is told as one."""
    told: list[str] = []
    run: list[LineVerdict] = []

    def close() -> None:
        if len(run) > 2 and run[0].left and run[-1].left:
            told.append(
                f"{run[0].left.words} to {run[-1].left.words} ({many(len(run), 'channel')}) "
                "shifted "
                f"by {run[0].shift:+d}"
            )
        else:
            told.extend(verdict.words() for verdict in run)
        run.clear()

    for verdict in verdicts:
        plainly = (
            verdict.state == "shifted"
            and verdict.left
            and verdict.right
            and verdict.left.size == verdict.right.size
        )
        if plainly and all(band.state == "same" for band in verdict.bands):
            if run and run[-1].shift != verdict.shift:
                close()
            run.append(verdict)
            continue
        close()
        if verdict.state != "same":
            told.append(verdict.words())
    close()
    return told


def differences(left: ChannelTable, right: ChannelTable) -> list[str]:
    """What differs, in words, ranges and defaults included; empty when the charts agree."""
    verdicts = compare(left, right)
    told = in_words(verdicts)
    for verdict in verdicts:
        a, b = verdict.left, verdict.right
        if a and b:
            if None not in (a.default, b.default) and a.size == b.size and a.default != b.default:
                told.append(f"{a.words} stands at {b.default} by default, not {a.default}")
            told.extend(
                f"{a.words}: {band.words()}" for band in verdict.bands if band.state != "same"
            )
    return told
