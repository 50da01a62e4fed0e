"""The space the rig takes up: what haze fills and a view fits to, and who stands so far off that
they are left out.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from isthmus.show.records import Structure
from isthmus.stage.transforms import turn_of

Array = NDArray[np.float64]
FAR = 4.0  # times the usual distance from the middle
AT_LEAST = 12.0  # metres from the middle no one is a stray within


@dataclass(frozen=True)
class Space:
    """The box (metres) and the indices of the strays that were left out of it."""

    low: tuple[float, float, float]
    high: tuple[float, float, float]
    strays: tuple[int, ...] = ()

    @property
    def middle(self) -> tuple[float, float, float]:
        """The middle of the box, metres."""
        a, b, c = ((x + y) / 2 for x, y in zip(self.low, self.high, strict=True))
        return a, b, c

    @property
    def size(self) -> float:
        """The diagonal, metres."""
        return float(np.linalg.norm(np.array(self.high) - np.array(self.low)))


def corners(structure: Structure) -> Array:
    """The eight corners of a structure's box in the world, (8, 3)."""
    x, y, z = (v / 2 for v in structure.size)
    low = 0.0 if structure.kind in ("mast", "boom", "tower", "mesh") else -z
    if structure.kind == "circle":
        y = x + y
        x = y
    start = (-x, -y, low)
    end = (x, y, low + 2 * z)
    if structure.kind == "corner":
        start, end = (-y, -y, -z), (2 * x, 2 * x, z)
    local = np.array(
        [
            [(start, end)[i][0], (start, end)[j][1], (start, end)[k][2]]
            for i in (0, 1)
            for j in (0, 1)
            for k in (0, 1)
        ]
    )
    return local @ turn_of(structure.rotation).T + np.array(structure.position)


def space_of(positions: Array, structures: Sequence[Structure]) -> Space:
    """The space of a rig: structures always count, and units unless they stand far off from
    everybody else.

    Far off is more than four times as far from the middle (the median) as nine in ten of the
    others, and 12 m at least.
    """
    points = np.asarray(positions, np.float64).reshape(-1, 3)
    built = np.concatenate([corners(s) for s in structures]) if structures else np.zeros((0, 3))
    strays: tuple[int, ...] = ()
    kept = points
    if len(points):
        middle = np.median(np.concatenate([points, built]), axis=0)
        away = np.linalg.norm(points - middle, axis=1)
        reach = max(AT_LEAST, FAR * float(np.quantile(away, 0.9 if len(away) > 9 else 0.5)))
        if len(built):
            reach = max(reach, 1.5 * float(np.linalg.norm(built - middle, axis=1).max()))
        strays = tuple(int(i) for i in np.flatnonzero(away > reach))
        kept = points[away <= reach]
    whole = np.concatenate([kept, built])
    if not len(whole):
        return Space((-5.0, -5.0, 0.0), (5.0, 5.0, 5.0), strays)
    low, high = whole.min(axis=0), whole.max(axis=0)
    return Space(tuple(map(float, low)), tuple(map(float, high)), strays)  # type: ignore[arg-type]
