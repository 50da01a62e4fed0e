"""Snapping: to a grid, to other units and in line with them, to structures. One nearest rule for
each direction.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]


@dataclass(frozen=True)
class Guide:
    """Why a point came to lie where it does: a line from there to what it was drawn to, and the
    measure between.
    """

    start: tuple[float, float]
    end: tuple[float, float]
    words: str


@dataclass(frozen=True)
class Snapped:
    point: tuple[float, float]
    guides: tuple[Guide, ...] = ()


def snap(
    point: tuple[float, float], reach: float, others: Array, segments: Array, grid: float = 0.0
) -> Snapped:
    """`others` (n, 2) are units at rest, `segments` (m, 2, 2) lines units may hang on; `reach` is
    metres.

    A structure under the point wins; else each direction for itself goes to the nearest unit in
    line, else to the grid.
    """
    at = np.array(point, np.float64)
    if len(segments):
        start, way = segments[:, 0], segments[:, 1] - segments[:, 0]
        square = np.maximum((way * way).sum(axis=1), 1e-12)
        share = np.clip(((at - start) * way).sum(axis=1) / square, 0.0, 1.0)
        foot = start + way * share[:, None]
        away = np.hypot(*(foot - at).T)
        best = int(np.argmin(away))
        if away[best] <= reach:
            x, y = (float(v) for v in foot[best])
            along = float(share[best] * np.sqrt(square[best]))
            near = start[best]
            return Snapped(
                (x, y), (Guide((float(near[0]), float(near[1])), (x, y), f"{along:.2f} m along"),)
            )
    guides = []
    for axis in (0, 1):
        if len(others):
            off = np.abs(others[:, axis] - point[axis])
            near = off <= reach
            if near.any():
                across = np.abs(others[:, 1 - axis] - point[1 - axis])
                best = int(
                    np.flatnonzero(near)[np.lexsort((across[near], np.round(off[near], 6)))[0]]
                )
                at[axis] = others[best, axis]
                guides.append((axis, best))
                continue
        if grid > 0:
            line = round(point[axis] / grid) * grid
            if abs(line - point[axis]) <= reach:
                at[axis] = line
    x, y = (float(v) for v in at)
    made = []
    for axis, best in guides:
        ox, oy = (float(v) for v in others[best])
        made.append(Guide((ox, oy), (x, y), f"{abs((y - oy) if axis == 0 else (x - ox)):.2f} m"))
    return Snapped((x, y), tuple(made))
