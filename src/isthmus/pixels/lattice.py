"""The lattice that places lie on, found from the places alone: its pitch both ways, how it is
turned, and which places are missing.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]
Index = NDArray[np.int64]

NEIGHBOURS, ENOUGH = 10, 2000
SAME = 0.2  # of a pitch: a place that far from its line is on it
GAP = 0.45  # of a pitch: what stands further apart is another line
TWISTED = math.radians(10.0)  # steps of few places may seem that far from square
SHARE = 0.25  # of all places: a step that fewer have is no step of the lattice


@dataclass(frozen=True)
class Lattice:
    """n places on a lattice of `width` times `height`: column from the left and row from the top
    (n, 2), whether each lies on it (n,), the pitch both ways (metres) and the turn (radians, from
    the right upwards).
    """

    places: Index
    fits: NDArray[np.bool_]
    width: int
    height: int
    pitch: tuple[float, float]
    turn: float

    @property
    def doubled(self) -> int:
        """Places that another one has already."""
        return len(self.places) - len(np.unique(self.places, axis=0))

    @property
    def missing(self) -> int:
        """Places of the rectangle that nothing is at."""
        return self.width * self.height - len(np.unique(self.places, axis=0))


def find_lattice(points: Array) -> Lattice:
    """The lattice of points (n, 2), metres. Seams between panels, missing places and noise up to a
    fifth of a pitch do no harm. Points on no lattice get one line each.
    """
    if not len(points):
        return Lattice(np.zeros((0, 2), np.int64), np.zeros(0, bool), 0, 0, (0.0, 0.0), 0.0)
    across, along = _steps(points)
    turn = math.atan2(across[1], across[0])
    pitch = float(np.linalg.norm(across)), float(np.linalg.norm(along))
    middle = points - points.mean(axis=0)
    for last in (False, True):  # the turn again, from whole lines
        ways = np.array([[math.cos(turn), -math.sin(turn)], [math.sin(turn), math.cos(turn)]])
        x, y = (middle @ ways).T
        columns, off_x = _lines(x, pitch[0])
        rows, off_y = _lines(y, pitch[1])
        if not last:
            turn += _slope(x, y, columns, rows)
    fits = (off_x <= SAME * pitch[0]) & (off_y <= SAME * pitch[1])
    height = int(rows.max()) + 1
    places = np.stack([columns, height - 1 - rows], axis=1)
    return Lattice(places, fits, int(columns.max()) + 1, height, pitch, turn)


def _slope(x: Array, y: Array, columns: Index, rows: Index) -> float:
    """How far the lines of points, both ways, are still turned upwards from the right, radians."""
    rise = long = 0.0
    for along, beside, line, sign in ((x, y, rows, 1), (y, x, columns, -1)):
        count = np.maximum(np.bincount(line), 1)
        far = along - (np.bincount(line, along) / count)[line]
        off = beside - (np.bincount(line, beside) / count)[line]
        rise, long = rise + sign * float(far @ off), long + float(far @ far)
    return math.atan(rise / long) if long > 0 else 0.0


def _steps(points: Array) -> tuple[Array, Array]:
    """The step to the right and the step upwards, from what neighbours are apart."""
    from scipy.spatial import KDTree

    count = min(NEIGHBOURS, len(points) - 1)
    if count < 1:
        return np.array([1.0, 0.0]), np.array([0.0, 1.0])
    asked = points
    if len(points) > ENOUGH:  # some of them tell the steps as well as all
        asked = points[np.random.default_rng(0).choice(len(points), ENOUGH, replace=False)]
    distances, indices = KDTree(points).query(asked, count + 1)
    far, near = np.asarray(distances, np.float64), np.asarray(indices, np.int64)
    apart = (points[near[:, 1:]] - asked[:, None, :]).reshape(-1, 2)
    length = far[:, 1:].ravel()
    own = length > 1e-6  # two at one spot tell nothing
    if not own.any():
        return np.array([1.0, 0.0]), np.array([0.0, 1.0])
    apart, length = apart[own], length[own]
    steps = _common(apart, length, len(asked))
    first = steps[0]
    square = [s for s in steps[1:] if abs(_sine(first, s)) > math.cos(TWISTED)]
    second = square[0] if square else _rest(points, first)
    flat, upright = sorted((first, second), key=lambda s: abs(s[1]) / np.linalg.norm(s))
    flat = flat if flat[0] > 0 else -flat
    size = np.linalg.norm(upright)
    return flat, np.array([-flat[1], flat[0]]) / np.linalg.norm(flat) * size


def _sine(a: Array, b: Array) -> float:
    return float((a[0] * b[1] - a[1] * b[0]) / (np.linalg.norm(a) * np.linalg.norm(b)))


def _common(apart: Array, length: Array, count: int) -> list[Array]:
    """Steps that many points have to a neighbour, the shortest first; the commonest, when none is
    common. Forth and back count as one.
    """
    half = np.where((apart[:, 0] < 0) | ((np.abs(apart[:, 0]) < 1e-9) & (apart[:, 1] < 0)), -1, 1)
    apart = apart * half[:, None]
    near = float(np.median(np.sort(length)[: max(1, count)]))
    grain = 2 * SAME * near
    found: list[tuple[float, Array]] = []
    left = np.ones(len(apart), bool)
    for _ in range(2 * NEIGHBOURS):
        if not left.any():
            break
        # a cell of the raster as one number: sorting pairs takes ten times as long
        cells = np.round(apart[left] / grain).astype(np.int64) @ np.array([1 << 32, 1])
        _, back, counts = np.unique(cells, return_inverse=True, return_counts=True)
        best = np.flatnonzero(left)[back.ravel() == int(np.argmax(counts))]
        middle = np.median(apart[best], axis=0)
        heap = left
        for _ in range(3):  # its whole heap, wherever the edges of the raster lie
            heap = left & (np.linalg.norm(apart - middle, axis=1) < grain)
            heap |= left & (np.linalg.norm(apart + middle, axis=1) < grain)
            signs = np.sign(apart[heap] @ middle)[:, None]
            middle = np.median(apart[heap] * np.where(signs == 0, 1, signs), axis=0)
        if heap.sum() >= SHARE * count or not found:
            found.append((float(np.linalg.norm(middle)), middle))
        left &= ~heap
    return [step for _, step in sorted(found, key=lambda pair: pair[0])]


def _rest(points: Array, step: Array) -> Array:
    """Square to a step: how far lines along it are apart, or as far as it goes where there is but
    one.
    """
    way = np.array([-step[1], step[0]]) / np.linalg.norm(step)
    beside = np.sort(points @ way)
    gaps = np.diff(beside)
    gaps = gaps[gaps > GAP * np.linalg.norm(step)]
    return way * (float(np.median(gaps)) if len(gaps) else float(np.linalg.norm(step)))


def _lines(values: Array, pitch: float) -> tuple[Index, Array]:
    """Which line each value (n,) is on, from 0, and how far beside the middle of it: lines are told
    apart by the gaps between them, and a wide gap leaves lines out.
    """
    order = np.argsort(values, kind="stable")
    ranked = values[order]
    new = np.diff(ranked) > GAP * pitch
    heap = np.concatenate([[0], np.cumsum(new)])
    sizes = np.bincount(heap)
    middle = np.bincount(heap, ranked) / sizes
    steps = np.maximum(1, np.round(np.diff(middle) / pitch)).astype(np.int64)
    line = np.concatenate([[0], np.cumsum(steps)])
    lines, off = np.empty(len(values), np.int64), np.empty(len(values))
    lines[order] = line[heap]
    off[order] = np.abs(ranked - middle[heap])
    return lines, off
