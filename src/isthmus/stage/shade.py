"""What stands in the way of light: decks, hulls, walls, drapes and screens as boxes, set pieces as
the triangles of their meshes. Rays are tested many at once.

A box stops a ray by the slab method (Kay and Kajiya 1986), a triangle by the one of Möller and
Trumbore (1997).
Triangles lie in leaves of few, each with the box around it, so that most are never looked at.
Trusses, masts and rails let light through here: too thin to count, and full of holes.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from isthmus.recent import Recent
from isthmus.show.records import Show, Structure
from isthmus.stage.bodies import set_piece
from isthmus.stage.landing import FLAT, UPRIGHT
from isthmus.stage.meshes_in import Triangles, standing
from isthmus.stage.transforms import placements

Array = NDArray[np.float64]
BOXES = (*FLAT, *UPRIGHT)
NEAR = 0.02  # metres at either end of a ray in which nothing stops it: what it starts or ends on
THINNEST = 0.02  # metres a box is thick at least
_LEAF = 32  # triangles
_CHUNK = 400_000  # rays times boxes, or triangles, worked on at once


@dataclass(frozen=True)
class Shade:
    """`boxes` (b, 4, 4) bring the world into cubes from −1 to 1; `leaves` (l, 2, 3) are the lowest
    and highest corners of heaps of triangles, `heaps` (l, _LEAF, 3, 3) in metres, filled up with
    points.
    """

    boxes: Array
    leaves: Array
    heaps: Array

    @property
    def empty(self) -> bool:
        """Whether nothing stands in the way of anything."""
        return not len(self.boxes) and not len(self.leaves)

    def stops(self, points: Array, lights: Array) -> NDArray[np.bool_]:
        """Whether something stands between points (n, 3) and lights (n, 3), metres. A box a light
        is in, such as the drape it looks out of, does not count.
        """
        way = lights - points
        length = np.linalg.norm(way, axis=1)
        near = np.minimum(NEAR / np.maximum(length, 1e-9), 0.5)
        stopped = np.zeros(len(way), bool)
        for box in self.boxes:
            left = np.flatnonzero(~stopped)
            a = points[left] @ box[:3, :3].T + box[:3, 3]
            b = way[left] @ box[:3, :3].T
            met = _meets(-np.ones(3), np.ones(3), a, b, near[left])
            stopped[left] = met & (np.abs(a + b).max(axis=1) > 1)
        left = np.flatnonzero(~stopped)
        if len(left) and len(self.leaves):
            stopped[left] = self._hit(points[left], way[left], near[left])
        return stopped

    def _hit(self, starts: Array, way: Array, near: Array) -> NDArray[np.bool_]:
        hit = np.zeros(len(way), bool)
        step = max(1, _CHUNK // max(len(self.leaves), _LEAF))
        for first in range(0, len(way), step):
            part = slice(first, first + step)
            low, high = self.leaves[:, 0], self.leaves[:, 1]
            met = _meets(low, high, starts[part, None], way[part, None], near[part, None])
            rays, leaves = np.nonzero(met)
            for at in range(0, len(rays), _CHUNK // _LEAF):
                some = slice(at, at + _CHUNK // _LEAF)
                ray = rays[some] + first
                found = _pierced(self.heaps[leaves[some]], starts[ray], way[ray], near[ray])
                np.logical_or.at(hit, ray, found)
        return hit


def _meets(low: Array, high: Array, start: Array, way: Array, near: Array) -> NDArray[np.bool_]:
    """Whether start + s·way, s from `near` to 1 − `near`, passes through a box; the last axis is
    x, y, z.
    """
    slow = np.where(np.abs(way) < 1e-12, 1e-12, way)
    one, other = (low - start) / slow, (high - start) / slow
    enter = np.minimum(one, other).max(axis=-1)
    leave = np.maximum(one, other).min(axis=-1)
    return np.maximum(enter, near) < np.minimum(leave, 1.0 - near)


def _pierced(heaps: Array, starts: Array, way: Array, near: Array) -> NDArray[np.bool_]:
    """(n,) whether a ray passes through one of its heap's triangles: heaps (n, _LEAF, 3, 3)."""
    corner = heaps[:, :, 0]
    one, other = heaps[:, :, 1] - corner, heaps[:, :, 2] - corner
    across = np.cross(way[:, None], other)
    det = (one * across).sum(axis=2)
    with np.errstate(divide="ignore", invalid="ignore"):
        to = starts[:, None] - corner
        u = (to * across).sum(axis=2) / det
        over = np.cross(to, one)
        v = (way[:, None] * over).sum(axis=2) / det
        s = (other * over).sum(axis=2) / det
        inside = (u >= 0) & (v >= 0) & (u + v <= 1) & (np.abs(det) > 1e-15)
        return (inside & (s > near[:, None]) & (s < 1 - near[:, None])).any(axis=1)


def boxes_of(structures: Sequence[Structure]) -> Array:
    """(b, 4, 4): for each structure that is a box, the world brought into the cube from −1 to 1."""
    solid = [s for s in structures if s.kind in BOXES]
    if not solid:
        return np.zeros((0, 4, 4))
    place = placements([s.position for s in solid], [s.rotation for s in solid])
    half = np.array([[max(v, THINNEST) / 2 for v in s.size] for s in solid])
    place[:, :3, :3] *= half[:, None, :]
    return np.asarray(np.linalg.inv(place), np.float64)


def shade(structures: Sequence[Structure], pieces: Mapping[str, Triangles]) -> Shade:
    """What structures keep light from; `pieces` are the meshes of set pieces by file."""
    found = [
        _placed(standing(pieces[s.mesh], s.size), s)
        for s in structures
        if s.kind == "mesh" and s.mesh in pieces
    ]
    # a piece whose file is missing is drawn as a block, so it is one here
    blocks = [
        np.linalg.inv(_block(s)) for s in structures if s.kind == "mesh" and s.mesh not in pieces
    ]
    heaps = [heap for triangles in found for heap in _heaps(triangles)]
    boxes = np.concatenate([boxes_of(structures), np.array(blocks, np.float64).reshape(-1, 4, 4)])
    if not heaps:
        return Shade(boxes, np.zeros((0, 2, 3)), np.zeros((0, _LEAF, 3, 3)))
    full = np.stack([_filled(heap) for heap in heaps])
    flat = full.reshape(len(full), -1, 3)
    return Shade(boxes, np.stack([flat.min(axis=1), flat.max(axis=1)], axis=1), full)


def _placed(triangles: Array, structure: Structure) -> Array:
    place = placements([structure.position], [structure.rotation])[0]
    return triangles @ place[:3, :3].T + place[:3, 3]


def _block(structure: Structure) -> Array:
    place = placements([structure.position], [structure.rotation])[0]
    x, y, z = (max(v, THINNEST) / 2 for v in structure.size)
    cube = np.diag([x, y, z, 1.0])
    cube[2, 3] = z
    return place @ cube


def _heaps(triangles: Array) -> list[Array]:
    """Halved along its longest side again and again."""
    if len(triangles) <= _LEAF:
        return [triangles] if len(triangles) else []
    middle = triangles.mean(axis=1)
    order = np.argsort(middle[:, int(np.ptp(middle, axis=0).argmax())], kind="stable")
    half = len(order) // 2
    return _heaps(triangles[order[:half]]) + _heaps(triangles[order[half:]])


def _filled(heap: Array) -> Array:
    """A heap of exactly _LEAF triangles: the rest are points, which nothing pierces."""
    return np.concatenate([heap, np.repeat(heap[:1, :1].repeat(3, axis=1), _LEAF - len(heap), 0)])


_KEPT: Recent[Shade] = Recent(4)


def shade_of(show: Show) -> Shade:
    """The shade of a show's structures; kept while they and the kept files are the same."""

    def make(_: Shade | None) -> Shade:
        wanted = {s.mesh for s in show.structures if s.kind == "mesh"}
        read = ((f.name, set_piece(f.data, f.name)) for f in show.files if f.name in wanted)
        return shade(show.structures, {name: mesh for name, mesh in read if mesh is not None})

    return _KEPT.get((show.structures, show.files), make)
