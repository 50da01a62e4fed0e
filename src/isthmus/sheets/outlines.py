"""What structures look like flat: from above, from the front, from the side. Lines in metres of the
sheet.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from isthmus.show.records import Structure
from isthmus.stage.runs import UPRIGHT_KINDS, run_of
from isthmus.stage.space import corners
from isthmus.stage.transforms import turn_of

Array = NDArray[np.float64]
_AXES = {"plan": (0, 1), "front": (0, 2), "side": (1, 2)}
_BAY = 0.5


@dataclass(frozen=True)
class Path:
    points: tuple[tuple[float, float], ...]
    closed: bool = True
    heavy: bool = True


def flat(structure: Structure, local: Array, view: str) -> tuple[tuple[float, float], ...]:
    """Points (n, 3) in a structure's own coordinates, seen flat."""
    world = local @ turn_of(structure.rotation).T + np.array(structure.position)
    right, up = _AXES[view]
    return tuple((float(p[right]), float(p[up])) for p in world)


def hull_of(points: Array) -> list[tuple[float, float]]:
    """The convex outline of points (n, 2), anticlockwise."""
    rest = sorted({(round(float(x), 6), round(float(y), 6)) for x, y in points})
    if len(rest) < 3:
        return rest
    halves = []
    for part in (rest, rest[::-1]):
        chain: list[tuple[float, float]] = []
        for p in part:
            while len(chain) > 1 and _left(chain[-2], chain[-1], p) <= 0:
                chain.pop()
            chain.append(p)
        halves.append(chain[:-1])
    return halves[0] + halves[1]


def _left(a: tuple[float, float], b: tuple[float, float], c: tuple[float, float]) -> float:
    return (b[0] - a[0]) * (c[1] - a[1]) - (b[1] - a[1]) * (c[0] - a[0])


def outline(structure: Structure, view: str) -> list[Path]:
    """The lines of a structure on a sheet of this kind; the first is its outline."""
    _, depth, height = structure.size
    run = run_of(structure)
    if structure.kind in ("circle", "corner"):
        inner, outer = _beside(run.points, depth / 2, run.closed)
        if view != "plan":
            ends = np.concatenate([inner, outer])
            both = np.concatenate([ends + np.array([0, 0, height / 2]), ends - [0, 0, height / 2]])
            return [Path(tuple(hull_of(np.array(flat(structure, both, view)))))]
        if run.closed:
            return [Path(flat(structure, outer, view)), Path(flat(structure, inner, view))]
        return [Path(flat(structure, np.concatenate([outer, inner[::-1]]), view))]
    right, up = _AXES[view]
    shape = hull_of(corners(structure)[:, [right, up]])
    found = [Path(tuple(shape))]
    if structure.kind in ("truss", "tower") and len(shape) > 2:
        found.append(_lacing(structure, view))
    if structure.kind == "drape" and view == "plan":
        x = np.linspace(
            -structure.size[0] / 2, structure.size[0] / 2, max(8, int(structure.size[0] * 8))
        )
        fold = np.stack([x, np.sin(x * 14) * depth / 2, np.zeros_like(x)], axis=1)
        found = [found[0], Path(flat(structure, fold, view), False)]
    if structure.kind == "deck" and structure.steps:
        for box in steps_of(structure):
            found.append(Path(flat(structure, box, view), True, False))
    return found


def _beside(points: Array, by: float, closed: bool) -> tuple[Array, Array]:
    """A path moved to its left and to its right in its own plane, (m, 3) each."""
    way = np.gradient(points, axis=0)
    if closed:
        way[0] = way[-1] = points[1] - points[-2]
    way /= np.maximum(np.linalg.norm(way, axis=1, keepdims=True), 1e-9)
    side = np.stack([-way[:, 1], way[:, 0], np.zeros(len(way))], axis=1) * by
    return points + side, points - side


def _lacing(structure: Structure, view: str) -> Path:
    """The zigzag between the chords of a straight truss."""
    run = run_of(structure)
    bays = max(2, round(run.length / _BAY))
    at = np.linspace(0, 1, bays + 1)[:, None]
    spine = run.points[0] + at * (run.points[-1] - run.points[0])
    upright = structure.kind in UPRIGHT_KINDS
    across = (
        np.array([structure.size[0] / 2, structure.size[1] / 2, 0])
        if upright
        else np.array([0, structure.size[1] / 2, structure.size[2] / 2])
    )
    zigzag = spine + np.where(np.arange(bays + 1)[:, None] % 2 == 0, 1.0, -1.0) * across
    return Path(flat(structure, zigzag, view), False, False)


def steps_of(deck: Structure) -> list[Array]:
    """The treads of a deck's steps at its front edge, from the top down, four corners each in its
    own coordinates (4, 3).
    """
    length, depth, height = deck.size
    wide, tread = min(1.2, length), 0.28
    rise = height / (deck.steps + 1)
    made = []
    for index in range(deck.steps):
        z = height / 2 - rise * (index + 1)
        y0, y1 = -depth / 2 - tread * (index + 1), -depth / 2 - tread * index
        made.append(
            np.array([(-wide / 2, y0, z), (wide / 2, y0, z), (wide / 2, y1, z), (-wide / 2, y1, z)])
        )
    return made
