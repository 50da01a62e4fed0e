"""Where a beam lands: the nearest surface it meets, and the outline of its field there."""

from __future__ import annotations

import itertools
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from isthmus.show.records import Structure
from isthmus.stage.transforms import turn_of

Array = NDArray[np.float64]
FLOOR = "floor"
FLAT, UPRIGHT = ("deck", "hull"), ("wall", "drape", "screen")  # lit from above, and from the front


@dataclass(frozen=True)
class Surface:
    """A rectangle that catches light: centre, half axes along and across, and the side it
    looks to.
    """

    name: str
    centre: Array
    along: Array
    across: Array
    normal: Array
    structure: str = ""


def surfaces(structures: Sequence[Structure], floor: float = 0.0) -> list[Surface]:
    """Tops of decks and hulls, fronts of walls, drapes and screens, and an endless floor."""
    found = []
    for s in structures:
        turn = turn_of(s.rotation)
        length, depth, height = (v / 2 for v in s.size)
        if s.kind in FLAT:
            local, along, across, normal = (0, 0, height), (length, 0, 0), (0, depth, 0), (0, 0, 1)
        elif s.kind in UPRIGHT:
            local, along, across, normal = (
                (0, -depth, 0),
                (length, 0, 0),
                (0, 0, height),
                (0, -1, 0),
            )
        else:
            continue
        centre = turn @ np.array(local, float) + np.array(s.position)
        u, v, n = (turn @ np.array(a, float) for a in (along, across, normal))
        found.append(Surface(s.name, centre, u, v, n, s.id))
    far = 500.0
    level = np.array([0.0, 0.0, floor])
    return [
        *found,
        Surface(FLOOR, level, np.array([far, 0, 0]), np.array([0, far, 0]), np.array([0.0, 0, 1])),
    ]


def backs(structures: Sequence[Structure]) -> list[Surface]:
    """The other sides of what `surfaces` has the lit side of: they end a beam as well."""
    found = []
    for s in structures:
        if s.kind not in (*FLAT, *UPRIGHT):
            continue
        turn, half = turn_of(s.rotation), np.array(s.size) / 2
        lit = (2, 1.0) if s.kind in FLAT else (1, -1.0)
        for axis, sign in itertools.product(range(3), (-1.0, 1.0)):
            if (axis, sign) == lit:
                continue
            normal, along, across = np.zeros(3), np.zeros(3), np.zeros(3)
            normal[axis] = sign
            one, other = (i for i in range(3) if i != axis)
            along[one], across[other] = half[one], half[other]
            centre = turn @ (normal * half[axis]) + np.array(s.position)
            found.append(Surface(s.name, centre, turn @ along, turn @ across, turn @ normal, s.id))
    return found


def land(origin: Array, direction: Array, on: Sequence[Surface]) -> tuple[Array, NDArray[np.int64]]:
    """Where rays (n, 3) land first, (n, 3) with NaN for those that meet nothing, and on which
    surface (−1: none).
    """
    best = np.full(len(origin), np.inf)
    which = np.full(len(origin), -1)
    for index, s in enumerate(on):
        facing = direction @ s.normal
        with np.errstate(divide="ignore", invalid="ignore"):
            t = ((s.centre - origin) @ s.normal) / facing
        at = origin + np.where(np.isfinite(t), t, 0.0)[:, None] * direction - s.centre
        inside = (np.abs(at @ s.along) <= s.along @ s.along + 1e-9) & (
            np.abs(at @ s.across) <= s.across @ s.across + 1e-9
        )
        hit = (facing < -1e-9) & np.isfinite(t) & (t > 1e-6) & inside & (t < best)
        best, which = np.where(hit, t, best), np.where(hit, index, which)
    points = origin + np.where(np.isfinite(best), best, 0.0)[:, None] * direction
    points[which < 0] = np.nan
    return points, which


def rim(direction: Array, right: Array, tan: Array, steps: int = 24) -> Array:
    """Directions around the field's edge of beams, (n, steps, 3)."""
    angle = np.linspace(0, 2 * np.pi, steps, endpoint=False)
    up = np.cross(right, direction)
    out = np.cos(angle)[None, :, None] * right[:, None] + np.sin(angle)[None, :, None] * up[:, None]
    way = direction[:, None] + tan[:, None, None] * out
    return way / np.linalg.norm(way, axis=2, keepdims=True)
