"""Looks of a hunt: which slots are lit, what is asked, and what each place would answer.

A person's eye is not a meter. A place counts in an answer only where the unit would be plainly
bright or fully dark there; where it would glimmer, either answer may come, and neither tells
anything about that place. Where bright and dark cannot be had, the level itself is asked for, and
that answer only says which place is likelier.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Mask = NDArray[np.bool_]
Array = NDArray[np.float64]
BRIGHT, DARK, GLIMMER = 1, 0, -1
FEW = 48  # places that are left: from then on pictures of any run of slots are tried
LEAST = 1e-5  # of all weight: less on one side, and an answer tells nothing
NEAR = 5  # cuts to either side of the middle that are tried
RUNS = 14  # beginnings and ends of runs
FEWEST, SHORT = 8, 4  # places from which on all runs of so many slots are tried too


@dataclass(frozen=True)
class Question:
    """Of the light a unit gives with everything lit: at most `low` is a no, at least `high` a yes.
    `wrong` is how often such an answer is taken to be wrong at least: who goes by another measure
    than is asked for does so every time, so nothing is concluded from it, it only says what is
    likelier.
    """

    words: str
    low: float
    high: float
    wrong: float = 0.0

    def of(self, share: Array) -> NDArray[np.int8]:
        """(k,) BRIGHT, DARK or GLIMMER."""
        found = np.full(share.shape, GLIMMER, np.int8)
        found[share >= self.high] = BRIGHT
        found[share <= self.low] = DARK
        return found


QUESTIONS = (
    Question("Does unit {} light?", 0.001, 0.65),
    Question("Does unit {} glow at all, however faintly?", 0.0005, 0.12, 0.25),
    Question("Is unit {} as bright as with everything lit?", 0.3, 0.9, 0.25),
)


def plain(kinds: NDArray[np.int8], yes: int, no: int) -> NDArray[np.uint8]:
    """(…,) which answers may come: one where it is bright or dark, both where it glimmers."""
    return np.where(kinds == BRIGHT, yes, np.where(kinds == DARK, no, yes | no)).astype(np.uint8)


def worth(weights: Array, may: NDArray[np.uint8], wrong: float, ways: int) -> float:
    """Bits that an answer, one of so many `ways`, tells about the places at which only one may
    come; it is wrong with chance `wrong`. Nothing where all of them would answer alike: at the
    others that answer could come too.
    """
    bits, at = np.unique(may, return_inverse=True)
    parts = np.bincount(at, weights)[bits & (bits - 1) == 0]
    told = parts.sum()
    if not len(parts) or told - parts.max() < LEAST * weights.sum():
        return 0.0
    share = np.append(parts / told, np.zeros(ways - len(parts)))
    noise = np.append(1 - wrong, np.full(ways - 1, wrong / (ways - 1)))
    said = share * (1 - wrong) + (1 - share) * wrong / (ways - 1)
    return float(told / weights.sum() * (_entropy(said) - _entropy(noise)))


def _entropy(chances: Array) -> float:
    some = chances[chances > 0.0]
    return float(-(some * np.log2(some)).sum())


def cuts(ends: NDArray[np.int64], weights: Array, total: int) -> Iterator[Mask]:
    """Pictures lit up to a slot, or from one on: around where the places left weigh as much on
    either side. `ends` are the slots, 1 to `total`, up to which a place has to be lit.
    """
    order = np.argsort(ends, kind="stable")
    below = np.cumsum(weights[order])
    middle = int(np.searchsorted(below, below[-1] / 2))
    slots = np.unique(ends[order][max(0, middle - 40) : middle + 41])
    at = int(np.searchsorted(slots, ends[order][middle]))
    for slot in slots[max(0, at - NEAR) : at + NEAR + 1].tolist():
        mask = np.zeros(total, bool)
        mask[:slot] = True
        yield mask
        yield ~mask


def runs(starts: Sequence[int], widths: Sequence[int], total: int) -> Iterator[Mask]:
    """For few places: one run of slots lit, or all but one run; runs begin and end where the
    windows of places do. `starts` count from 1.
    """
    edges = sorted(set(starts) | {s + w for s, w in zip(starts, widths, strict=True)})
    if len(edges) > RUNS:
        edges = [edges[i] for i in np.linspace(0, len(edges) - 1, RUNS).round().astype(int)]
    pairs = {(a, b) for a in edges for b in edges if a < b}
    pairs |= {(s, s + w) for s, w in zip(starts[:RUNS], widths[:RUNS], strict=True)}
    first, last = min(starts), max(s + w for s, w in zip(starts, widths, strict=True))
    for long in range(1, SHORT + 1 if len(starts) <= FEWEST else 2):
        pairs |= {(slot, slot + long) for slot in range(first, min(last, first + 96))}
    for a, b in sorted(pairs):
        mask = np.zeros(total, bool)
        mask[a - 1 : b - 1] = True
        yield mask
        yield ~mask
