"""Meshes of structures and bodies as NumPy arrays: (n, 9) float32 rows of position, normal, colour."""

from __future__ import annotations

import itertools
import math

import numpy as np
from numpy.typing import NDArray

from isthmus.show.records import Structure
from isthmus.stage.transforms import placements

Mesh = NDArray[np.float32]
Color = tuple[float, float, float]
STEEL: Color = (0.26, 0.27, 0.29)
WOOD: Color = (0.110, 0.098, 0.086)
HULL: Color = (0.050, 0.060, 0.068)
WALL: Color = (0.190, 0.168, 0.150)
WATER: Color = (0.022, 0.042, 0.050)
WATER_LEVEL = -0.9
WATER_REACH = 60.0


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
                point[axis], point[a], point[b] = (low, high)[side][axis], (low, high)[i][a], (low, high)[j][b]
                corners.append(point)
            if not side:
                corners.reverse()
            rows += [np.concatenate([corners[k], normal, color]) for k in (0, 1, 2, 0, 2, 3)]
    return np.array(rows, np.float32)


def tube(start: tuple[float, float, float], end: tuple[float, float, float], radius: float, color: Color, sides: int = 8) -> Mesh:
    """A round bar without end caps."""
    p, q = np.array(start, float), np.array(end, float)
    along = (q - p) / max(float(np.linalg.norm(q - p)), 1e-9)
    across = np.cross(along, [0, 0, 1] if abs(along[2]) < 0.9 else [1, 0, 0])
    across /= np.linalg.norm(across)
    other = np.cross(along, across)
    ring = [across * math.cos(t) + other * math.sin(t) for t in np.linspace(0, 2 * math.pi, sides + 1)]
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


def truss(length: float, depth: float, height: float) -> Mesh:
    """Four chords and their lacing, centred, along x."""
    y, z = depth / 2, height / 2
    corners = [(-y, -z), (-y, z), (y, -z), (y, z)]
    bays = max(1, round(length / 0.5))
    xs = np.linspace(-length / 2, length / 2, bays + 1)
    parts = [tube((xs[0], *c), (xs[-1], *c), 0.024, STEEL, 6) for c in corners]
    for i in range(bays):
        for a, b in ((0, 1), (2, 3), (0, 2), (1, 3)):
            first, second = (a, b) if i % 2 else (b, a)
            parts.append(tube((xs[i], *corners[first]), (xs[i + 1], *corners[second]), 0.012, STEEL, 4))
    return np.concatenate(parts)


def rail(length: float) -> Mesh:
    """A handrail on posts, down to one metre."""
    xs = np.linspace(-length / 2 + 0.1, length / 2 - 0.1, max(2, round(length / 1.5)))
    parts = [
        tube((-length / 2, 0, 0), (length / 2, 0, 0), 0.03, STEEL),
        tube((-length / 2, 0, -0.45), (length / 2, 0, -0.45), 0.015, STEEL, 5),
    ]
    return np.concatenate(parts + [tube((x, 0, -0.95), (x, 0, 0), 0.02, STEEL, 5) for x in xs])


def hull(length: float, depth: float, height: float) -> Mesh:
    """A barge: a deck with planks, pointed a little towards the bow (port and starboard alike), and its side."""
    x, y, z = length / 2, depth / 2, height / 2
    body = box((-x, -y, -z), (x, y, z - 0.02), HULL)
    planks = [
        box((-x, y0 + 0.008, z - 0.02), (x, y0 + depth / 24 - 0.008, z), tuple(c * (0.9 + 0.2 * ((i * 7) % 5) / 5) for c in WOOD))  # type: ignore[arg-type]
        for i, y0 in enumerate(np.linspace(-y, y, 25)[:-1])
    ]
    return np.concatenate([body, *planks])


def structure_mesh(structure: Structure) -> Mesh:
    """One structure where it stands."""
    length, depth, height = structure.size
    x, y, z = length / 2, depth / 2, height / 2
    if structure.kind == "truss":
        mesh = truss(length, depth, height)
    elif structure.kind == "rail":
        mesh = rail(length) if structure.position[2] > 0.5 else tube((-x, 0, 0), (x, 0, 0), 0.05, STEEL)
    elif structure.kind in ("mast", "boom"):
        mesh = tube((0, 0, 0), (0, 0, height), max(length, 0.05) / 2, STEEL, 10)
    elif structure.kind == "pipe":
        mesh = tube((-x, 0, 0), (x, 0, 0), max(depth, 0.04) / 2, STEEL)
    elif structure.kind == "hull":
        mesh = hull(length, depth, height)
    else:
        mesh = box((-x, -y, -z), (x, y, z), WALL if structure.kind == "wall" else WOOD)
    place = placements([structure.position], [structure.rotation])[0].astype(np.float32)
    mesh = mesh.copy()
    mesh[:, :3] = mesh[:, :3] @ place[:3, :3].T + place[:3, 3]
    mesh[:, 3:6] = mesh[:, 3:6] @ place[:3, :3].T
    return mesh


def water() -> Mesh:
    r, z = WATER_REACH, WATER_LEVEL
    corners = [(-r, -r), (r, -r), (r, r), (-r, r)]
    return np.array([[*corners[k], z, 0, 0, 1, *WATER] for k in (0, 1, 2, 0, 2, 3)], np.float32)


def unit_box() -> NDArray[np.float32]:
    """A cube of side 1 hanging from the middle of its top face, (36, 3)."""
    return box((-0.5, -0.5, -1.0), (0.5, 0.5, 0.0), (0, 0, 0))[:, :3].copy()


def unit_drum(sides: int = 9) -> NDArray[np.float32]:
    """A drum of diameter and height 1, hanging like the cube, slightly waisted at the ends, (n, 3)."""
    rings = [(0.34, 0.0), (0.5, -0.14), (0.46, -1.0)]
    angle = np.linspace(0, 2 * math.pi, sides + 1)
    rows = []
    for (r0, z0), (r1, z1) in itertools.pairwise(rings):
        for a, b in itertools.pairwise(angle):
            pa, pb = (math.cos(a), math.sin(a)), (math.cos(b), math.sin(b))
            q = [(r0 * pa[0], r0 * pa[1], z0), (r0 * pb[0], r0 * pb[1], z0), (r1 * pb[0], r1 * pb[1], z1), (r1 * pa[0], r1 * pa[1], z1)]
            rows += [q[0], q[3], q[2], q[0], q[2], q[1]]
    for (r, z), flip in ((rings[0], False), (rings[-1], True)):
        for a, b in itertools.pairwise(angle):
            tri = [(0.0, 0.0, z), (r * math.cos(a), r * math.sin(a), z), (r * math.cos(b), r * math.sin(b), z)]
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
