"""Arranging places on a sheet: align, spread, mirror, turn, scale. Points (n, 2), half sizes (n,
2), metres.
"""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from isthmus.errors import EntryFault

Array = NDArray[np.float64]
EDGES = ("left", "middle", "right", "top", "centre", "bottom")
_SIDES = {
    "left": (0, -1),
    "middle": (0, 0),
    "right": (0, 1),
    "top": (1, 1),
    "centre": (1, 0),
    "bottom": (1, -1),
}


def align(
    points: Array, halves: Array, edge: str, to: str = "extreme", figure: float = 0.0
) -> Array:
    """Bring one edge or middle of all to the extreme, to the `first`'s, or to a `figure`.

    The extreme of a middle is the middle of the whole.
    """
    axis, side = _SIDES[edge]
    at = points[:, axis] + side * halves[:, axis]
    if to == "figure":
        if not math.isfinite(figure):
            raise EntryFault("That is not a figure.", do="Write metres.")
        wanted = figure
    elif to == "first":
        wanted = float(at[0])
    elif side == 0:
        wanted = (
            float((points[:, axis] - halves[:, axis]).min())
            + float((points[:, axis] + halves[:, axis]).max())
        ) / 2
    else:
        wanted = float(at.min() if side < 0 else at.max())
    moved = points.copy()
    moved[:, axis] += wanted - at
    return moved


def distribute(points: Array, halves: Array, axis: int, gaps: bool = False) -> Array:
    """Spread evenly along an axis between the outermost two: by centres, or so that the gaps
    between them are equal.
    """
    if len(points) < 3:
        return points.copy()
    order = np.argsort(points[:, axis], kind="stable")
    at, half = points[order, axis], halves[order, axis]
    moved = points.copy()
    if not gaps:
        moved[order, axis] = np.linspace(at[0], at[-1], len(at))
        return moved
    free = (at[-1] - half[-1]) - (at[0] + half[0]) - 2 * half[1:-1].sum()
    gap = free / (len(at) - 1)
    edge = at[0] + half[0]
    for index in range(1, len(at) - 1):
        moved[order[index], axis] = edge + gap + half[index]
        edge += gap + 2 * half[index]
    return moved


def middle(points: Array) -> Array:
    """The middle of the box around all points, (2,)."""
    return (points.min(axis=0) + points.max(axis=0)) / 2


def mirror(points: Array, axis: int, about: float) -> Array:
    """Mirror at the line where coordinate `axis` is `about`."""
    moved = points.copy()
    moved[:, axis] = 2 * about - moved[:, axis]
    return moved


def turn(points: Array, degrees: float, about: Array) -> Array:
    """Turn about a point, anticlockwise."""
    c, s = math.cos(math.radians(degrees)), math.sin(math.radians(degrees))
    return (points - about) @ np.array([[c, s], [-s, c]]) + about


def scale(points: Array, factor: float | tuple[float, float], about: Array) -> Array:
    """Draw apart or together about a point. Raises EntryFault for a factor that would pile all on
    one spot.
    """
    factors = np.broadcast_to(np.asarray(factor, np.float64), (2,))
    if (
        not np.isfinite(factors).all()
        or (np.abs(factors) < 1e-3).any()
        or (np.abs(factors) > 1e3).any()
    ):
        raise EntryFault("That is not a scale.", do="Write a factor such as 1.5, or 50 %.")
    return (points - about) * factors + about
