"""Whether units touch the structure they are said to hang on."""

from __future__ import annotations

from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from isthmus.show.records import Quat, Structure, Vec3
from isthmus.stage.runs import UPRIGHT_KINDS, locals_of, run_of
from isthmus.stage.transforms import turn_of

TOUCH = 0.6  # metres: clamps, yokes and short brackets between a unit's mount and what holds it
ARM = 3.0  # metres of a drop bar or side arm, straight away from the run
STRAIGHT = 0.02  # metres an arm may lean
BENT = ("circle", "corner")

Array = NDArray[np.float64]


@lru_cache(4096)
def _frame(kind: str, position: Vec3, rotation: Quat, size: Vec3) -> tuple[Array, Array, Array]:
    """The middle of a structure (3,), its axes as columns (3, 3) and half its measures (3,)."""
    turn = turn_of(rotation)
    up = size[2] / 2 if kind in (*UPRIGHT_KINDS, "mesh") else 0.0  # these stand on their origin
    return turn @ (0.0, 0.0, up) + np.array(position), turn, np.array(size) / 2


def gaps(structure: Structure, points: Array) -> Array:
    """Metres of air between points (n, 3) and a structure, (n,); 0 inside it.

    What is bent is measured from its run, everything else as the box it fills.
    """
    if structure.kind in BENT:
        local, run = locals_of(structure, points), run_of(structure)
        feet, _ = run.places(run.nearest_each(local))
        return np.maximum(0.0, np.linalg.norm(local - feet, axis=1) - max(structure.size[1:]) / 2)
    middle, axes, half = _frame(
        structure.kind, structure.position, structure.rotation, structure.size
    )
    return np.linalg.norm(np.maximum(0.0, np.abs((points - middle) @ axes) - half), axis=1)


def gap(structure: Structure, position: Vec3) -> float:
    """Metres of air between a point and a structure; 0 inside it."""
    return float(gaps(structure, np.array([position]))[0])


def touching(structure: Structure, points: Array) -> NDArray[np.bool_]:
    """Which points (n, 3) are near enough to a structure to be held by it, and so to go where it
    goes: against it, or on an arm that stands straight away from its run, as one hung at a
    distance does.
    """
    air = gaps(structure, points)
    held = air <= TOUCH
    far = np.flatnonzero(~held & (air <= ARM))
    if far.size:
        held[far] = _on_an_arm(structure, points[far])
    return held


def past_the_end(structure: Structure, points: Array) -> Array:
    """Metres by which points (n, 3) lie before the start or past the end of a structure's run,
    (n,); 0 beside it.
    """
    run = run_of(structure)
    if run.closed:
        return np.zeros(len(points))
    along = run.nearest_each(locals_of(structure, points), beyond=True)
    return np.maximum(0.0, np.maximum(-along, along - run.length))


def touches(structure: Structure, position: Vec3) -> bool:
    """Whether one point is held."""
    return bool(touching(structure, np.array([position]))[0])


def _on_an_arm(structure: Structure, points: Array) -> NDArray[np.bool_]:
    run, local = run_of(structure), locals_of(structure, points)
    feet, ways = run.places(run.nearest_each(local))
    away = local - feet
    x, y, z = np.abs(away).T
    if structure.kind in UPRIGHT_KINDS:
        straight = np.minimum(x, y) <= STRAIGHT
    else:
        straight = (z <= STRAIGHT) | (np.hypot(x, y) <= STRAIGHT)
    if structure.kind in BENT:  # there the nearest place need not be the one an arm begins at
        return straight
    return straight & (np.abs((away * ways).sum(axis=1)) <= STRAIGHT)
