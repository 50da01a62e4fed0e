"""Looks that tell more than yes and no: parts of what is lit flash once, twice or three times over
and over, or stay lit, and what is asked is how often a unit flashes.

Who flashes less is lit only when those that flash more are: a unit whose dimmer and colours lie in
two parts shows the lesser of both, plainly. So one look halves more than twice.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from itertools import combinations, pairwise

import numpy as np
from numpy.typing import NDArray

from isthmus.check.hunt_looks import BRIGHT, DARK, Array, Question

Counts = NDArray[np.uint8]  # of each slot: how often it flashes; STEADY: it stays lit
STEADY = 4
EVERY = (1 << STEADY + 1) - 1  # any answer may come
FLASH, PAUSE = 0.25, 0.75  # seconds; two flashes a second: fewer than three do no harm
# (seconds, frame): frame n lights the slots that flash oftener than n times
RHYTHM = ((FLASH, 0), (FLASH, 3), (FLASH, 1), (FLASH, 3), (FLASH, 2), (PAUSE, 3))
EVEN, BETWEEN = 0.95, 0.12  # of its brightest flash: at least so bright is a flash like the others,
# at most so bright is dark between them
TRIED = 96  # pictures
DENSE = (0.08, 0.2, 0.5)  # how often a part ends at a slot
KINDS = (0, 0, 1, 2, 3, STEADY, STEADY)  # of the parts: who is dark or lit tells neighbours best
FEW = 7  # ends of places: from then on every division of them is tried


def frames(counts: Counts) -> list[NDArray[np.bool_]]:
    """Which slots are lit: in the first flash, the second, the third, and between."""
    return [counts > at for at in range(STEADY)]


def runs_of(counts: Counts) -> list[tuple[int, int, int]]:
    """Slots in a row that do the same, but for dark ones: from, counted from 0, up to, and how
    often they flash.
    """
    edges = [0, *(np.flatnonzero(np.diff(counts.astype(int))) + 1).tolist(), len(counts)]
    return [(a, b, int(counts[a])) for a, b in pairwise(edges) if counts[a]]


def answers(shares: Array, question: Question) -> NDArray[np.uint8]:
    """(…,) which answers may come where a unit gives these shares of its light in the four frames,
    (4, …): a bit for each of dark, 1, 2, 3, steady. One bit where it is plain.
    """
    top = shares.max(axis=0)
    kinds = question.of(shares)
    kinds[(shares <= BETWEEN * top) & (top >= question.high)] = DARK
    bright = (kinds == BRIGHT) & (shares >= EVEN * top)
    count = bright.sum(axis=0)
    order = np.arange(STEADY).reshape(-1, *[1] * (shares.ndim - 1))
    plain = np.where(order < count, bright, kinds == DARK).all(axis=0)
    # where it is not plain: who is bright at a time is not dark, who is dark once is not steady
    may = np.full(top.shape, EVERY, np.uint8)
    may[(kinds == BRIGHT).any(axis=0)] &= EVERY - 1
    may[(kinds == DARK).any(axis=0)] &= EVERY - (1 << STEADY)
    return np.where(plain, np.uint8(1) << count.astype(np.uint8), may).astype(np.uint8)


def everything(ends: NDArray[np.int64], weights: Array, total: int) -> Counts:
    """All slots lit, in four parts that weigh alike; what lights at all is lit in the first flash.
    `ends` are the slots, from 1, up to which a place has to be lit.
    """
    cuts = _quantiles(ends, weights, STEADY)
    return _laid(cuts, total, 1) if cuts else np.full(total, STEADY, np.uint8)


def divided(
    starts: NDArray[np.int64], ends: NDArray[np.int64], weights: Array, total: int
) -> Iterator[Counts]:
    """Pictures in five parts, from steady to dark, that weigh alike; or that set the likeliest
    place apart; or, when few are left, every one. From either end: `starts` are the first slots a
    place needs, `ends` the last.
    """
    for edges, back in ((ends, False), (starts, True)):
        sides = total - edges + 1 if back else edges
        spots = np.unique(sides).tolist()
        if len(spots) <= FEW:
            many = {one for n in range(1, STEADY + 1) for one in combinations(spots, n)}
        else:
            heavy = int(sides[weights.argmax()])
            left, right = sides < heavy, sides > heavy
            apart = [heavy - 1, heavy]
            apart += _quantiles(sides[left], weights[left], 2)
            apart += _quantiles(sides[right], weights[right], 2)
            many = {_quantiles(sides, weights, STEADY + 1), tuple(sorted(set(apart)))}
        for cuts in sorted(many):
            inside = [cut for cut in cuts if 0 < cut < total]
            if inside:
                made = _laid(inside, total, 0)
                yield made[::-1] if back else made


def tried(first: int, last: int, seed: int) -> Iterator[Counts]:
    """For few places, of which `first` and `last` are the outermost slots: parts as they fall, some
    of them a slot wide. Where colours add up no order of parts tells neighbours apart; of many that
    are tried one does.
    """
    chance = np.random.default_rng(seed)
    size = last - first + 1
    for _ in range(TRIED):
        cut = chance.random(size) < chance.choice(DENSE)
        kinds = chance.choice(KINDS, size)
        yield kinds[np.cumsum(cut) % size].astype(np.uint8)


def _quantiles(edges: NDArray[np.int64], weights: Array, parts: int) -> tuple[int, ...]:
    """Up to `parts` - 1 slots that cut the weights into equal parts."""
    if not len(edges):
        return ()
    order = np.argsort(edges, kind="stable")
    below = np.cumsum(weights[order])
    at = np.searchsorted(below, below[-1] * np.arange(1, parts) / parts)
    return tuple(sorted(set(edges[order][at].tolist())))


def _laid(cuts: Sequence[int], total: int, least: int) -> Counts:
    """Steady up to the first cut, then flashing less from cut to cut, `least` after the last."""
    steps = np.arange(least, STEADY + 1)
    counts = np.full(total, least, np.uint8)
    chosen = steps[np.linspace(0, len(steps) - 1, len(cuts) + 1).round().astype(int)][::-1]
    for first, last, count in zip((0, *cuts[:-1]), cuts, chosen, strict=False):
        counts[first:last] = count
    return counts
