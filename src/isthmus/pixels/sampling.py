"""How much of which pixel of a picture each cell of a grid sees: area sampling as a sparse matrix.

A cell is a square of one place; it sees the mean of the picture over its square, where beside the
picture there is nothing.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

if TYPE_CHECKING:
    from scipy.sparse import csr_array

Array = NDArray[np.float64]
FITS = ("fill", "whole", "stretch")
FEW, MANY = 6, 16  # points each way that a turned cell is looked at with


@dataclass(frozen=True)
class Frame:
    """Where a picture lies on a grid of `grid` (width, height) places: its middle and size as
    shares of the grid, turned by degrees clockwise; `crop` are shares removed at left, top, right
    and bottom, and `fit` says what happens when it has another shape.
    """

    grid: tuple[int, int]
    x: float = 0.5
    y: float = 0.5
    width: float = 1.0
    height: float = 1.0
    turn: float = 0.0
    fit: str = "stretch"
    crop: tuple[float, float, float, float] = (0.0, 0.0, 0.0, 0.0)

    @property
    def places(self) -> tuple[float, float]:
        """Its size in places of the grid."""
        return max(self.width * self.grid[0], 1e-6), max(self.height * self.grid[1], 1e-6)

    def shares(self, middles: Array) -> Array:
        """Places of the grid (n, 2) as shares of its box from its left and top, 0…1 inside."""
        turn = np.radians(self.turn)
        away = middles - np.array([self.x * self.grid[0], self.y * self.grid[1]])
        ways = np.array([[np.cos(turn), -np.sin(turn)], [np.sin(turn), np.cos(turn)]])
        return away @ ways / self.places + 0.5

    def window(self, size: tuple[int, int]) -> tuple[float, float, float, float]:
        """The pixels of a picture of a size (width, height) that its box shows, as left, top,
        right, bottom: beyond the picture where it is shown whole in a box of another shape.
        """
        left, top = self.crop[0] * size[0], self.crop[1] * size[1]
        right, bottom = size[0] * (1 - self.crop[2]), size[1] * (1 - self.crop[3])
        wide, high = max(right - left, 1e-6), max(bottom - top, 1e-6)
        if self.fit != "stretch":
            box = self.places
            by = (min if self.fit == "fill" else max)(wide / box[0], high / box[1])
            middle = (left + right) / 2, (top + bottom) / 2
            wide, high = box[0] * by, box[1] * by
            left, top = middle[0] - wide / 2, middle[1] - high / 2
        return left, top, left + wide, top + high


def sampling(middles: Array, frame: Frame, size: tuple[int, int]) -> csr_array:
    """The matrix (n, pixels) of cells with these middles (n, 2), in places from the top left corner
    of the grid, for a picture of a size (width, height), rows from its top.
    """
    left, top, right, bottom = frame.window(size)
    whole = np.array([right - left, bottom - top])
    scale = whole / frame.places  # pixels that a place is wide and high
    at = frame.shares(middles) * whole + np.array([left, top])
    clip = _Clip(
        max(left, frame.crop[0] * size[0]),
        max(top, frame.crop[1] * size[1]),
        min(right, size[0] * (1 - frame.crop[2])),
        min(bottom, size[1] * (1 - frame.crop[3])),
    )
    if abs(frame.turn / 90 - round(frame.turn / 90)) < 1e-9:  # by quarters, if at all
        return _straight(at, scale, clip, size)
    turn = np.radians(frame.turn)
    ways = np.array([[np.cos(turn), -np.sin(turn)], [np.sin(turn), np.cos(turn)]])
    return _turned(at, ways * scale, clip, size)


@dataclass(frozen=True)
class _Clip:
    """The part of the picture there is anything of, in pixels."""

    left: float
    top: float
    right: float
    bottom: float


def _straight(at: Array, scale: Array, clip: _Clip, size: tuple[int, int]) -> csr_array:
    """Boxes over pixels: exact."""
    rows, x, wide = _overlaps(at[:, 0], scale[0], clip.left, clip.right, size[0])
    _, y, high = _overlaps(at[:, 1], scale[1], clip.top, clip.bottom, size[1])
    seen = np.flatnonzero(wide.any(axis=1) & high.any(axis=1))
    rows, x, wide, y, high = rows[seen], x[seen], wide[seen], y[seen], high[seen]
    weights = high[:, :, None] * wide[:, None, :]
    pixels = y[:, :, None] * size[0] + x[:, None, :]
    whose = np.broadcast_to(rows[:, None, None], weights.shape)
    return _matrix(whose, pixels, weights, len(at), size)


def _overlaps(
    at: Array, scale: float, low: float, high: float, count: int
) -> tuple[NDArray[np.int64], NDArray[np.int64], Array]:
    """(cells, pixels (n, k), share of each cell (n, k)) along one way."""
    begin = np.clip(at - scale / 2, low, high)
    end = np.clip(at + scale / 2, low, high)
    first = np.floor(begin).astype(np.int64)
    most = int(np.ceil((np.ceil(end) - first).max(initial=1)))
    pixels = first[:, None] + np.arange(max(1, most))
    share = np.minimum(pixels + 1, end[:, None]) - np.maximum(pixels, begin[:, None])
    share = np.maximum(share, 0) / scale
    return np.arange(len(at)), np.clip(pixels, 0, count - 1), share


def _turned(at: Array, ways: Array, clip: _Clip, size: tuple[int, int]) -> csr_array:
    """Points over pixels; the finer, the more pixels a cell sees."""
    side = int(np.clip(np.ceil(2 * np.linalg.norm(ways, axis=1).max()), FEW, MANY))
    step = (np.arange(side) + 0.5) / side - 0.5
    spread = np.stack(np.meshgrid(step, step), axis=-1).reshape(-1, 2) @ ways
    reach = np.abs(spread).max(axis=0)
    near = (
        (at[:, 0] + reach[0] > clip.left)
        & (at[:, 0] - reach[0] < clip.right)
        & (at[:, 1] + reach[1] > clip.top)
        & (at[:, 1] - reach[1] < clip.bottom)
    ).nonzero()[0]
    points = at[near][:, None, :] + spread
    inside = (
        (points[..., 0] >= clip.left)
        & (points[..., 0] < clip.right)
        & (points[..., 1] >= clip.top)
        & (points[..., 1] < clip.bottom)
    )
    x, y = (np.floor(points[..., i]).astype(np.int64) for i in (0, 1))
    pixels = np.clip(y, 0, size[1] - 1) * size[0] + np.clip(x, 0, size[0] - 1)
    whose = np.broadcast_to(near[:, None], pixels.shape)
    return _matrix(whose, pixels, inside / side**2, len(at), size)


def _matrix(whose, pixels, weights, count: int, size: tuple[int, int]) -> csr_array:
    from scipy.sparse import csr_array

    on = weights > 0
    found = csr_array(
        (weights[on].astype(np.float32), (whose[on], pixels[on])), (count, size[0] * size[1])
    )
    found.sum_duplicates()
    return found
