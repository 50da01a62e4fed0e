"""Whether a unit touches the structure it is said to hang on."""

from __future__ import annotations

import math
from functools import lru_cache

from isthmus.show.records import Quat, Structure, Vec3
from isthmus.stage.runs import UPRIGHT_KINDS, local_of, run_of
from isthmus.stage.transforms import turn_of

TOUCH = 0.6  # metres: clamps, yokes and short brackets between a unit's mount and what holds it
ARM = 3.0  # metres of a drop bar or side arm, straight away from the run
STRAIGHT = 0.02  # metres an arm may lean

Row = tuple[float, float, float]


@lru_cache(4096)
def _frame(kind: str, position: Vec3, rotation: Quat, size: Vec3) -> tuple[Row, Row, Row, Row, Row]:
    """The middle of a structure, its three axes and half its measures: plain figures, for they are
    asked for every unit of a show.
    """
    turn = turn_of(rotation)
    length, depth, height = size
    up = height / 2 if kind in (*UPRIGHT_KINDS, "mesh") else 0.0  # these stand on their origin
    x, y, z = (float(v) for v in turn @ (0.0, 0.0, up))
    px, py, pz = position
    axes = [(float(a), float(b), float(c)) for a, b, c in turn.T]
    half = (length / 2, depth / 2, height / 2)
    return (px + x, py + y, pz + z), axes[0], axes[1], axes[2], half


def gap(structure: Structure, position: Vec3) -> float:
    """Metres of air between a point and a structure; 0 inside it.

    What is bent is measured from its run, everything else as the box it fills.
    """
    if structure.kind in ("circle", "corner"):
        point, run = local_of(structure, position), run_of(structure)
        foot, _ = run.place(run.nearest(point))
        return max(0.0, math.dist(point, foot) - max(structure.size[1:]) / 2)
    middle, *axes, half = _frame(
        structure.kind, structure.position, structure.rotation, structure.size
    )
    x, y, z = (p - m for p, m in zip(position, middle, strict=True))
    outside = [
        max(0.0, abs(x * axis[0] + y * axis[1] + z * axis[2]) - limit)
        for axis, limit in zip(axes, half, strict=True)
    ]
    return math.hypot(*outside)


def touches(structure: Structure, position: Vec3) -> bool:
    """Whether it is near enough to be held by it, and so to go where it goes: against it, or on an
    arm that stands straight away from its run, as one hung at a distance does.
    """
    return gap(structure, position) <= TOUCH or _on_an_arm(structure, position)


def _on_an_arm(structure: Structure, position: Vec3) -> bool:
    run, point = run_of(structure), local_of(structure, position)
    foot, way = run.place(run.nearest(point))
    away = point - foot
    x, y, z = (abs(float(v)) for v in away)
    # beside what is bent, the nearest place need not be the one an arm begins at
    past = structure.kind not in ("circle", "corner") and abs(float(away @ way)) > STRAIGHT
    if past or gap(structure, position) > ARM:
        return False
    if structure.kind in UPRIGHT_KINDS:
        return min(x, y) <= STRAIGHT
    return z <= STRAIGHT or math.hypot(x, y) <= STRAIGHT
