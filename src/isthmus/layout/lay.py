"""Where n units come to lie: along a line, a drawn path, a circle or arc, in a grid. Points (n, 2),
metres of a sheet.
"""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np
from numpy.typing import ArrayLike, NDArray

from isthmus.errors import EntryFault
from isthmus.plural import many

Array = NDArray[np.floating]
Point = tuple[float, float]
SMALLEST = 1e-4  # metres; two points nearer than this are one
LEAST_SWEEP = 0.01  # degrees


def _finite(what: str, *values: float) -> None:
    if not all(math.isfinite(v) and abs(v) < 1e5 for v in values):
        raise EntryFault(f"That is not a {what}.", do="Write plain figures in metres or degrees.")


def line(count: int, start: Point, end: Point) -> Array:
    """From `start` to `end`, both taken; one alone lies at the start."""
    _finite("line", *start, *end)
    along = np.linspace(0.0, 1.0, count) if count > 1 else np.zeros(count)
    return np.array(start, np.float64) + along[:, None] * (
        np.array(end, np.float64) - np.array(start, np.float64)
    )


def line_spaced(count: int, start: Point, spacing: float, degrees: float) -> Array:
    """From `start`, each `spacing` metres further in one direction (0 to the right,
    anticlockwise).
    """
    _finite("line", *start, spacing, degrees)
    way = np.array([math.cos(math.radians(degrees)), math.sin(math.radians(degrees))])
    return np.array(start) + np.arange(count)[:, None] * spacing * way


def along_path(
    points: ArrayLike, count: int, spacing: float = 0.0, closed: bool = False
) -> tuple[Array, Array]:
    """`count` places even by length on a path (m, 2 or 3), and its direction at each as unit
    vectors.

    Open: first and last at its ends. Closed: no doubled end. With a spacing: from its start, as far
    as it goes. Raises EntryFault for a path of no length, and for a spacing that leads past its
    end.
    """
    path = np.asarray(points, np.float64)
    if path.ndim != 2 or len(path) < 2 or not np.isfinite(path).all():
        raise EntryFault("A path needs two points at least.", do="Draw it again.")
    if closed:
        path = np.concatenate([path, path[:1]])
    steps = np.linalg.norm(np.diff(path, axis=0), axis=1)
    kept = np.concatenate([[True], steps > SMALLEST])
    path = path[kept]
    if len(path) < 2:
        raise EntryFault("That path has no length.", do="Draw it again, longer.")
    steps = np.linalg.norm(np.diff(path, axis=0), axis=1)
    at = np.concatenate([[0.0], np.cumsum(steps)])
    total = float(at[-1])
    if spacing > 0:
        wanted = np.arange(count) * spacing
        if count and wanted[-1] > total + 1e-9:
            raise EntryFault(
                f"{many(count, 'unit')} {spacing:g} m apart need {wanted[-1]:.2f} m; the path has "
                f"{total:.2f} m.",
                do="Make it longer.",
            )
    elif closed:
        wanted = np.arange(count) * total / max(count, 1)
    else:
        wanted = np.linspace(0.0, total, count) if count > 1 else np.full(count, total / 2)
    which = np.clip(np.searchsorted(at, wanted, side="right") - 1, 0, len(steps) - 1)
    share = (wanted - at[which]) / steps[which]
    way = np.diff(path, axis=0)[which] / steps[which][:, None]
    return path[which] + way * (share * steps[which])[:, None], way


def circle(
    count: int, centre: Point, radius: float, start: float = 90.0, sweep: float = 360.0
) -> Array:
    """On a circle or arc, degrees anticlockwise from the right. A whole turn has no doubled end; an
    arc takes both ends.
    """
    _finite("circle", *centre, radius, start, sweep)
    if radius <= SMALLEST:
        raise EntryFault("That circle has no radius.", do="Write a radius in metres.")
    if count > 1 and abs(sweep) < LEAST_SWEEP:
        raise EntryFault(
            f"An arc over {sweep:g}° lays all units on one spot.",
            do="Write degrees: 180 for half a circle, 360 for a whole one.",
        )
    whole = abs(sweep) >= 360.0 - 1e-9
    if whole:
        angle = start + math.copysign(360.0, sweep) * np.arange(count) / max(count, 1)
    else:
        angle = start + (np.linspace(0.0, sweep, count) if count > 1 else np.zeros(count))
    a = np.radians(angle)
    return np.array(centre, np.float64) + radius * np.stack([np.cos(a), np.sin(a)], axis=1)


def grid(
    count: int,
    start: Point,
    across: float,
    down: float,
    columns: int,
    by_columns: bool = False,
    serpentine: bool = False,
) -> Array:
    """From `start` at one corner, `across` metres to the next column and `down` to the next row,
    filled row by row or column by column; serpentine turns back at each end. `columns` is how many
    stand in a row (in a column, by columns).
    """
    _finite("grid", *start, across, down)
    if columns < 1:
        raise EntryFault("A grid needs one in a row at least.")
    index = np.arange(count)
    major, minor = index // columns, index % columns
    if serpentine:
        minor = np.where(major % 2 == 1, columns - 1 - minor, minor)
    column, row = (major, minor) if by_columns else (minor, major)
    return np.array(start) + np.stack([column * across, -row * down], axis=1)


def grid_between(
    count: int,
    first: Point,
    last: Point,
    columns: int,
    by_columns: bool = False,
    serpentine: bool = False,
) -> Array:
    """A grid that fills the box between two corners; the first unit is at `first`."""
    rows = -(-count // max(columns, 1))
    steps = columns, rows
    wide, high = (steps[1], steps[0]) if by_columns else steps
    across = (last[0] - first[0]) / max(wide - 1, 1)
    down = -(last[1] - first[1]) / max(high - 1, 1)
    return grid(count, first, across, down, columns, by_columns, serpentine)


def smooth_path(points: Sequence[Point], tolerance: float) -> Array:
    """A hand-drawn path with the tremble taken out: points nearer than `tolerance` to the line
    between the others are left away (Ramer, Douglas and Peucker), shape (m, 2)."""
    path = np.asarray(points, np.float64).reshape(-1, 2)
    keep = np.zeros(len(path), bool)
    keep[[0, -1]] = True
    stack = [(0, len(path) - 1)]
    while stack:
        a, b = stack.pop()
        if b - a < 2:
            continue
        way = path[b] - path[a]
        length = float(np.hypot(*way))
        inner = path[a + 1 : b] - path[a]
        off = (
            np.abs(inner[:, 0] * way[1] - inner[:, 1] * way[0]) / length
            if length > SMALLEST
            else np.hypot(inner[:, 0], inner[:, 1])
        )
        worst = int(np.argmax(off))
        if off[worst] > tolerance:
            middle = a + 1 + worst
            keep[middle] = True
            stack += [(a, middle), (middle, b)]
    return path[keep]
