"""Meshes of structures and bodies as NumPy arrays: (n, 9) float32 rows of position, normal,
colour.
"""

from __future__ import annotations

import itertools
import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from isthmus.sheets.outlines import steps_of
from isthmus.show.records import Structure
from isthmus.stage.ground import ground_level
from isthmus.stage.meshes_in import standing
from isthmus.stage.runs import run_of
from isthmus.stage.transforms import placements

Mesh = NDArray[np.float32]
Color = tuple[float, float, float]
STEEL: Color = (0.26, 0.27, 0.29)
WOOD: Color = (0.110, 0.098, 0.086)
HULL: Color = (0.050, 0.060, 0.068)
WALL: Color = (0.190, 0.168, 0.150)
WATER: Color = (0.022, 0.042, 0.050)
GROUND_REACH = 60.0
FLOOR: Color = (0.05, 0.052, 0.056)
CLOTH: Color = (0.07, 0.068, 0.078)
SCREEN: Color = (0.34, 0.35, 0.36)
STONE: Color = (0.13, 0.13, 0.135)


def box(low: tuple[float, float, float], high: tuple[float, float, float], color: Color) -> Mesh:
    rows = []
    for axis in range(3):
        for side in (0, 1):
            a, b = (axis + 1) % 3, (axis + 2) % 3
            normal = np.zeros(3)
            normal[axis] = 1 if side else -1
            corners = []
            for i, j in ((0, 0), (1, 0), (1, 1), (0, 1)):
                point = np.zeros(3)
                point[axis], point[a], point[b] = (
                    (low, high)[side][axis],
                    (low, high)[i][a],
                    (low, high)[j][b],
                )
                corners.append(point)
            if not side:
                corners.reverse()
            rows += [np.concatenate([corners[k], normal, color]) for k in (0, 1, 2, 0, 2, 3)]
    return np.array(rows, np.float32)


def tube(
    start: tuple[float, float, float],
    end: tuple[float, float, float],
    radius: float,
    color: Color,
    sides: int = 8,
) -> Mesh:
    """A round bar without end caps."""
    p, q = np.array(start, float), np.array(end, float)
    along = (q - p) / max(float(np.linalg.norm(q - p)), 1e-9)
    across = np.cross(along, [0, 0, 1] if abs(along[2]) < 0.9 else [1, 0, 0])
    across /= np.linalg.norm(across)
    other = np.cross(along, across)
    ring = [
        across * math.cos(t) + other * math.sin(t) for t in np.linspace(0, 2 * math.pi, sides + 1)
    ]
    rows = []
    for n0, n1 in itertools.pairwise(ring):
        for point, normal in (
            (p + n0 * radius, n0),
            (q + n1 * radius, n1),
            (p + n1 * radius, n1),
            (p + n0 * radius, n0),
            (q + n0 * radius, n0),
            (q + n1 * radius, n1),
        ):
            rows.append(np.concatenate([point, normal, color]))
    return np.array(rows, np.float32)


def truss(length: float, depth: float, height: float, chords: int = 4) -> Mesh:
    """Its chords and their lacing, centred, along x; with three chords the point is below."""
    return bent_truss(
        np.array([(-length / 2, 0, 0), (length / 2, 0, 0)], float), depth, height, chords
    )


def bent_truss(
    path: NDArray[np.float64],
    depth: float,
    height: float,
    chords: int = 4,
    lift: NDArray[np.float64] | None = None,
) -> Mesh:
    """A truss along a path (m, 3); `lift` is which way its height goes, up unless it stands."""
    up = np.array([0.0, 0.0, 1.0]) if lift is None else lift
    steps = np.linalg.norm(np.diff(path, axis=0), axis=1)
    at = np.concatenate([[0], np.cumsum(steps)])
    bays = max(1, round(float(at[-1]) / 0.5))
    wanted = np.linspace(0, at[-1], bays + 1)
    spine = np.stack([np.interp(wanted, at, path[:, i]) for i in range(3)], axis=1)
    way = np.gradient(spine, axis=0) if len(spine) > 1 else np.zeros_like(spine)
    way /= np.maximum(np.linalg.norm(way, axis=1, keepdims=True), 1e-9)
    side = np.cross(way, up)
    side /= np.maximum(np.linalg.norm(side, axis=1, keepdims=True), 1e-9)
    y, z = depth / 2, height / 2
    places = [(-y, -z), (-y, z), (y, -z), (y, z)] if chords == 4 else [(-y, z), (y, z), (0.0, -z)]
    lacing = ((0, 1), (2, 3), (0, 2), (1, 3)) if chords == 4 else ((0, 1), (1, 2), (2, 0))
    rails = [spine + side * a + up * b for a, b in places]
    straight = len(path) == 2
    parts = []
    for rail_ in rails:
        ends = [(rail_[0], rail_[-1])] if straight else list(itertools.pairwise(rail_))
        parts += [tube(tuple(p), tuple(q), 0.024, STEEL, 6) for p, q in ends]
    for i in range(bays):
        for a, b in lacing:
            first, second = (a, b) if i % 2 else (b, a)
            parts.append(tube(tuple(rails[first][i]), tuple(rails[second][i + 1]), 0.012, STEEL, 4))
    return np.concatenate(parts)


def drape(length: float, depth: float, height: float) -> Mesh:
    """Cloth in folds, centred, seen from both sides."""
    folds = max(4, round(length * 3))
    x = np.linspace(-length / 2, length / 2, folds * 2 + 1)
    y = np.where(np.arange(len(x)) % 2 == 0, depth / 2, -depth / 2)
    rows = []
    for i in range(len(x) - 1):
        a, b = (x[i], y[i]), (x[i + 1], y[i + 1])
        normal = np.array([b[1] - a[1], a[0] - b[0], 0.0])
        normal /= max(float(np.linalg.norm(normal)), 1e-9)
        z = height / 2
        for px, py, pz in ((*a, -z), (*b, -z), (*b, z), (*a, -z), (*b, z), (*a, z)):
            rows.append(np.concatenate([(px, py, pz), normal, CLOTH]))
    return np.array(rows, np.float32)


def deck(structure: Structure) -> Mesh:
    """A platform on legs with its steps."""
    length, depth, height = structure.size
    x, y, z = length / 2, depth / 2, height / 2
    plate = min(0.12, height)
    parts = [box((-x, -y, z - plate), (x, y, z), WOOD)]
    if height > plate + 0.05:
        parts += [
            tube(
                (sx * (x - 0.06), sy * (y - 0.06), -z),
                (sx * (x - 0.06), sy * (y - 0.06), z - plate),
                0.024,
                STEEL,
                6,
            )
            for sx in (-1, 1)
            for sy in (-1, 1)
        ]
        parts.append(
            box((-x + 0.02, -y + 0.04, -z), (x - 0.02, y - 0.04, z - plate), (0.03, 0.034, 0.038))
        )
    for tread in steps_of(structure):
        low, high = tread.min(axis=0), tread.max(axis=0)
        parts.append(box((low[0], low[1], -z), (high[0], high[1], high[2]), WOOD))
    return np.concatenate(parts)


def piece(triangles: NDArray[np.float32], size: tuple[float, float, float]) -> Mesh:
    """A set piece of one's own, standing on its origin, brought to its size."""
    corners = standing(triangles, size)
    normal = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    normal /= np.maximum(np.linalg.norm(normal, axis=1, keepdims=True), 1e-12)
    rows = np.concatenate(
        [corners, np.repeat(normal[:, None], 3, axis=1), np.broadcast_to(STONE, corners.shape)],
        axis=2,
    )
    return rows.reshape(-1, 9).astype(np.float32)


def rail(length: float) -> Mesh:
    """A handrail on posts, down to one metre."""
    xs = np.linspace(-length / 2 + 0.1, length / 2 - 0.1, max(2, round(length / 1.5)))
    parts = [
        tube((-length / 2, 0, 0), (length / 2, 0, 0), 0.03, STEEL),
        tube((-length / 2, 0, -0.45), (length / 2, 0, -0.45), 0.015, STEEL, 5),
    ]
    return np.concatenate(parts + [tube((x, 0, -0.95), (x, 0, 0), 0.02, STEEL, 5) for x in xs])


def hull(length: float, depth: float, height: float) -> Mesh:
    """A barge: a deck with planks, pointed a little towards the bow (port and starboard alike), and
    its side.
    """
    x, y, z = length / 2, depth / 2, height / 2
    body = box((-x, -y, -z), (x, y, z - 0.02), HULL)
    planks = [
        box(
            (-x, y0 + 0.008, z - 0.02),
            (x, y0 + depth / 24 - 0.008, z),
            tuple(c * (0.9 + 0.2 * ((i * 7) % 5) / 5) for c in WOOD),  # type: ignore[arg-type]
        )
        for i, y0 in enumerate(np.linspace(-y, y, 25)[:-1])
    ]
    return np.concatenate([body, *planks])


def structure_mesh(structure: Structure, own: NDArray[np.float32] | None = None) -> Mesh:
    """One structure where it stands; `own` is its mesh when it is a piece of one's own."""
    if structure.kind == "mesh" and own is not None:
        mesh = piece(own, structure.size)
    else:
        mesh = SHAPES.get(structure.kind, _wall)(structure)
    place = placements([structure.position], [structure.rotation])[0].astype(np.float32)
    mesh = mesh.copy()
    mesh[:, :3] = mesh[:, :3] @ place[:3, :3].T + place[:3, 3]
    mesh[:, 3:6] = mesh[:, 3:6] @ place[:3, :3].T
    return mesh


def _bent(s: Structure) -> Mesh:
    return bent_truss(run_of(s).points, s.size[1], s.size[2], s.chords)


def _tower(s: Structure) -> Mesh:
    upwards = np.array([(0, 0, 0), (0, 0, s.size[2])], float)
    return bent_truss(upwards, s.size[0], s.size[1], s.chords, np.array([0.0, 1.0, 0.0]))


def _lying_tube(s: Structure, across: float) -> Mesh:
    x = s.size[0] / 2
    return tube((-x, 0, 0), (x, 0, 0), across, STEEL)


def _rail(s: Structure) -> Mesh:
    """A railing with its posts; on the floor there is no room for them."""
    return rail(s.size[0]) if s.position[2] > 0.5 else _lying_tube(s, 0.05)


def _mast(s: Structure) -> Mesh:
    return tube((0, 0, 0), (0, 0, s.size[2]), max(s.size[0], 0.05) / 2, STEEL, 10)


def _wall(s: Structure) -> Mesh:
    x, y, z = (side / 2 for side in s.size)
    return box((-x, -y, -z), (x, y, z), SCREEN if s.kind == "screen" else WALL)


def _block(s: Structure) -> Mesh:
    x, y = s.size[0] / 2, s.size[1] / 2
    return box((-x, -y, 0.0), (x, y, s.size[2]), STONE)


SHAPES: dict[str, Callable[[Structure], Mesh]] = {
    "truss": lambda s: truss(*s.size, s.chords),
    "circle": _bent,
    "corner": _bent,
    "tower": _tower,
    "rail": _rail,
    "mast": _mast,
    "boom": _mast,
    "pipe": lambda s: _lying_tube(s, max(s.size[1], 0.04) / 2),
    "hull": lambda s: hull(*s.size),
    "drape": lambda s: drape(*s.size),
    "deck": deck,
    "mesh": _block,
}


@dataclass(frozen=True)
class Ground:
    """What lies below everything: water round a barge, else a floor."""

    level: float
    color: Color
    albedo: Color


def ground_of(structures: Sequence[Structure]) -> Ground:
    level = ground_level(structures)
    if level < 0:
        return Ground(level, WATER, (0.16, 0.22, 0.25))
    return Ground(level, FLOOR, (0.55, 0.55, 0.55))


def ground_mesh(ground: Ground) -> Mesh:
    r, z = GROUND_REACH, ground.level
    corners = [(-r, -r), (r, -r), (r, r), (-r, r)]
    return np.array(
        [[*corners[k], z, 0, 0, 1, *ground.color] for k in (0, 1, 2, 0, 2, 3)], np.float32
    )


def unit_box() -> NDArray[np.float32]:
    """A cube of side 1 hanging from the middle of its top face, (36, 3)."""
    return box((-0.5, -0.5, -1.0), (0.5, 0.5, 0.0), (0, 0, 0))[:, :3].copy()


def unit_edges() -> NDArray[np.float32]:
    """The twelve edges of the same cube, (24, 3)."""
    corners = [np.array(c) for c in itertools.product((-0.5, 0.5), (-0.5, 0.5), (-1.0, 0.0))]
    pairs = itertools.combinations(corners, 2)
    return np.array([p for pair in pairs if ((pair[0] != pair[1]).sum() == 1) for p in pair])


def unit_drum(sides: int = 9) -> NDArray[np.float32]:
    """A drum of diameter and height 1, hanging like the cube, slightly waisted at the ends,
    (n, 3).
    """
    rings = [(0.34, 0.0), (0.5, -0.14), (0.46, -1.0)]
    angle = np.linspace(0, 2 * math.pi, sides + 1)
    rows = []
    for (r0, z0), (r1, z1) in itertools.pairwise(rings):
        for a, b in itertools.pairwise(angle):
            pa, pb = (math.cos(a), math.sin(a)), (math.cos(b), math.sin(b))
            q = [
                (r0 * pa[0], r0 * pa[1], z0),
                (r0 * pb[0], r0 * pb[1], z0),
                (r1 * pb[0], r1 * pb[1], z1),
                (r1 * pa[0], r1 * pa[1], z1),
            ]
            rows += [q[0], q[3], q[2], q[0], q[2], q[1]]
    for (r, z), flip in ((rings[0], False), (rings[-1], True)):
        for a, b in itertools.pairwise(angle):
            tri = [
                (0.0, 0.0, z),
                (r * math.cos(a), r * math.sin(a), z),
                (r * math.cos(b), r * math.sin(b), z),
            ]
            rows += tri[::-1] if flip else tri
    return np.array(rows, np.float32)


def noise(size: int = 128, seed: int = 1) -> NDArray[np.uint8]:
    """Tileable soft noise, spectrum 1/f^1.75, (size, size)."""
    rng = np.random.default_rng(seed)
    f = np.hypot(np.fft.fftfreq(size)[:, None], np.fft.fftfreq(size)[None])
    f[0, 0] = 1
    spectrum = np.fft.fft2(rng.standard_normal((size, size))) * f**-1.75 * np.exp(-((f * 9) ** 2))
    spectrum[0, 0] = 0
    field = np.fft.ifft2(spectrum).real
    field = (field - field.mean()) / field.std()
    return (255 * (0.5 + 0.5 * np.tanh(field * 0.75))).astype(np.uint8)
