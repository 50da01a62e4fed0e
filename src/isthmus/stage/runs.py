"""The run of a structure: the line units hang along, in its own coordinates, and the faces they
hang on.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property, lru_cache

import numpy as np
from numpy.typing import NDArray

from isthmus.show.records import Quat, Structure, Vec3
from isthmus.stage.transforms import quat_about, quat_multiply, turn_of

Array = NDArray[np.float64]
KINDS = (
    "truss",
    "circle",
    "corner",
    "pipe",
    "rail",
    "mast",
    "boom",
    "tower",
    "deck",
    "hull",
    "wall",
    "drape",
    "screen",
    "mesh",
)
UPRIGHT_KINDS = ("mast", "boom", "tower")
LEVEL_KINDS = ("deck", "hull")  # units are on them
FLAT_KINDS = ("wall", "drape", "screen")
SIDES = ("below", "above", "front", "back")
CIRCLE_STEPS = 96
SHORTEST = 0.05  # metres a structure must be long


@dataclass(frozen=True)
class Run:
    """A polyline (m, 3) in the structure's own coordinates with the distance of each point from its
    start (m,).
    """

    points: Array
    at: Array
    closed: bool = False

    @property
    def length(self) -> float:
        """Along the run, metres."""
        return float(self.at[-1])

    def place(self, along: float) -> tuple[Array, Array]:
        """The point and the direction (both (3,)) so many metres from the start; beyond an end it
        goes straight on.
        """
        points, ways = self.places(np.array([along]))
        return points[0], ways[0]

    def places(self, along: Array) -> tuple[Array, Array]:
        """Points and directions (n, 3) so many metres (n,) from the start."""
        if self.closed and self.length > 0:
            along = along % self.length
        index = np.searchsorted(self.at, along, side="right") - 1
        index = np.clip(index, 0, len(self.at) - 2)
        way = self.points[index + 1] - self.points[index]
        way = way / np.maximum(np.linalg.norm(way, axis=1, keepdims=True), 1e-12)
        return self.points[index] + way * (along - self.at[index])[:, None], way

    def nearest(self, point: Array, beyond: bool = False) -> float:
        """Metres along the run to what lies nearest to a point in the structure's own
        coordinates; with `beyond` also before its start and past its end, where it goes straight
        on.
        """
        if len(self.points) == 2:  # most are straight, and every unit of a rig asks
            return self._nearest_straight(point, beyond)
        return float(self.nearest_each(point[None], beyond)[0])

    def nearest_each(self, points: Array, beyond: bool = False) -> Array:
        """The same for points (n, 3), metres (n,)."""
        start, way = self.points[:-1], np.diff(self.points, axis=0)
        square = np.maximum((way * way).sum(axis=1), 1e-12)
        free = ((points[:, None] - start) * way).sum(axis=2) / square  # (n, pieces of the run)
        share = np.clip(free, 0, 1)
        foot = start + way * share[..., None]
        best = np.argmin(np.linalg.norm(foot - points[:, None], axis=2), axis=1)
        who = np.arange(len(points))
        taken = share[who, best]
        if beyond and not self.closed:
            own = free[who, best]
            past = ((best == 0) & (own < 0)) | ((best == len(way) - 1) & (own > 1))
            taken = np.where(past, own, taken)
        return self.at[best] + taken * np.sqrt(square[best])

    def _nearest_straight(self, point: Array, beyond: bool) -> float:
        (ax, ay, az), (bx, by, bz) = self._ends
        x, y, z = bx - ax, by - ay, bz - az
        long = max(self.length, 1e-6)
        px, py, pz = point.tolist()
        along = ((px - ax) * x + (py - ay) * y + (pz - az) * z) / long
        return along if beyond else min(long, max(0.0, along))

    @cached_property
    def _ends(self) -> tuple[tuple[float, ...], tuple[float, ...]]:
        return tuple(self.points[0].tolist()), tuple(self.points[-1].tolist())


def _run(points: list, closed: bool = False) -> Run:
    path = np.array(points, np.float64)
    return Run(
        path,
        np.concatenate([[0.0], np.cumsum(np.linalg.norm(np.diff(path, axis=0), axis=1))]),
        closed,
    )


def run_of(structure: Structure) -> Run:
    """The run of a structure. Straight ones run along x through their middle, upright ones from the
    top down.
    """
    return _run_of(structure.kind, structure.size, structure.arc)


@lru_cache(4096)
def _run_of(kind: str, size: Vec3, arc: float) -> Run:
    length, _depth, height = size
    if kind in UPRIGHT_KINDS:
        return _run([(0, 0, height), (0, 0, 0)])
    if kind == "circle":
        whole, span = abs(arc) >= 360, np.radians(min(360.0, abs(arc)))
        angle = np.linspace(0, span, CIRCLE_STEPS + 1) - np.pi / 2 - (0 if whole else span / 2)
        ring = np.stack(
            [np.cos(angle) * length / 2, np.sin(angle) * length / 2, np.zeros_like(angle)], axis=1
        )
        return _run(list(ring), whole)
    if kind == "corner":
        return _run([(length, 0, 0), (0, 0, 0), (0, length, 0)])
    return _run([(-length / 2, 0, 0), (length / 2, 0, 0)])


def usual_side(structure: Structure) -> str:
    """Where units are usually put: on top of what one stands on, in front of what stands upright,
    else below.
    """
    if structure.kind in (*LEVEL_KINDS, "rail"):
        return "above"
    return "front" if structure.kind in (*UPRIGHT_KINDS, *FLAT_KINDS) else "below"


def spot(
    structure: Structure, along: float, side: str = "", offset: float = 0.0
) -> tuple[Vec3, Quat]:
    """Where a unit hangs and how it is turned: `along` metres from the start, on a side, `offset`
    metres further out.

    Front is the audience's side of a structure that is not turned.
    """
    side = side or usual_side(structure)
    point, way = run_of(structure).place(along)
    _, depth, height = structure.size
    upright = structure.kind in UPRIGHT_KINDS
    half = (depth / 2) if side in ("front", "back") or upright else height / 2
    if upright:
        out = {"front": (0, -1, 0), "back": (0, 1, 0), "below": (1, 0, 0), "above": (-1, 0, 0)}[
            side
        ]
        own = quat_about((1.0, 0.0, 0.0), 0.0)
    else:
        out = (
            {"below": (0, 0, -1), "above": (0, 0, 1)}[side]
            if side in ("below", "above")
            else np.cross(way, (0, 0, 1)) * (1 if side == "front" else -1)
        )
        own = quat_about((0.0, 0.0, 1.0), float(np.degrees(np.arctan2(way[1], way[0]))))
        if side == "above":
            own = quat_multiply(own, quat_about((1.0, 0.0, 0.0), 180.0))
    local = point + np.array(out, np.float64) * (half + offset)
    turn = turn_of(structure.rotation)
    x, y, z = (float(v) for v in turn @ local + np.array(structure.position))
    return (x, y, z), quat_multiply(structure.rotation, own)


def local_of(structure: Structure, position: Vec3) -> Array:
    """A world point in the structure's own coordinates (3,)."""
    return turn_of(structure.rotation).T @ (np.array(position) - np.array(structure.position))


def locals_of(structure: Structure, points: Array) -> Array:
    """World points (n, 3) in the structure's own coordinates."""
    return (points - np.array(structure.position)) @ turn_of(structure.rotation)


def along_of(structure: Structure, position: Vec3) -> float:
    """How many metres from the start of the run a unit hangs."""
    return run_of(structure).nearest(local_of(structure, position))


def world_run(structure: Structure) -> Array:
    """The run in the world, (m, 3)."""
    run = run_of(structure)
    return run.points @ turn_of(structure.rotation).T + np.array(structure.position)
