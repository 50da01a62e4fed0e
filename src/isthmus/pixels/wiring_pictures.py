"""Test pictures: what is sent to a grid so that a person sees how it is wired.

Each is rows from the top, linear light 0…1, (height, width, 3).
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

Picture = NDArray[np.float64]
STEP = 0.5  # seconds that a row, a column or a cell is lit
BLUE, GREEN, RED = (0.0, 0.0, 1.0), (0.0, 1.0, 0.0), (1.0, 0.0, 0.0)
WHITE = (1.0, 1.0, 1.0)
BARS = (WHITE, (1, 1, 0), (0, 1, 1), GREEN, (1, 0, 1), RED, BLUE, (0, 0, 0))
# strokes of an F in a field of 1 by 1, from the left and the top: (left, top, right, bottom)
F = ((0.15, 0.1, 0.38, 0.9), (0.15, 0.1, 0.85, 0.27), (0.15, 0.42, 0.66, 0.58))


def strokes(boxes: tuple[tuple[float, ...], ...], width: int, height: int) -> NDArray[np.float64]:
    """How much of each place of a grid boxes cover, 0…1, (height, width); they may overlap."""
    fine = 8  # each place looked at in so many parts each way
    x = (np.arange(width * fine) + 0.5) / (width * fine)
    y = (np.arange(height * fine) + 0.5) / (height * fine)
    on = np.zeros((height * fine, width * fine), bool)
    for left, top, right, bottom in boxes:
        on |= ((y >= top) & (y < bottom))[:, None] & ((x >= left) & (x < right))[None, :]
    return on.reshape(height, fine, width, fine).mean(axis=(1, 3))


def _of(shape: NDArray[np.float64], colour: tuple[float, ...] = WHITE) -> Picture:
    return shape[:, :, None] * np.array(colour, np.float64)


def letter(width: int, height: int, time: float) -> Picture:
    """An F: it shows what is turned, mirrored or upside down at a glance."""
    return _of(strokes(F, width, height))


def corners(width: int, height: int, time: float) -> Picture:
    """Red top left, green top right, blue bottom left, white bottom right."""
    made = np.zeros((height, width, 3))
    made[-1, -1], made[-1, 0], made[0, -1], made[0, 0] = WHITE, BLUE, GREEN, RED
    return made


def rows(width: int, height: int, time: float) -> Picture:
    """One row after another, from the top."""
    return _of(np.eye(height)[int(time / STEP) % height][:, None] * np.ones(width))


def columns(width: int, height: int, time: float) -> Picture:
    """One column after another, from the left."""
    return _of(np.ones(height)[:, None] * np.eye(width)[int(time / STEP) % width])


def one_by_one(width: int, height: int, time: float) -> Picture:
    """One place after another, as one reads."""
    made = np.zeros(width * height)
    made[int(time / STEP) % len(made)] = 1
    return _of(made.reshape(height, width))


def checker(width: int, height: int, time: float) -> Picture:
    """Every other place; the others in the next moment."""
    y, x = np.indices((height, width))
    return _of(((x + y + int(time / STEP)) % 2 == 0).astype(float))


def cross(width: int, height: int, time: float) -> Picture:
    """Through the middle."""
    y, x = np.indices((height, width))
    middle = (np.abs(2 * x - width + 1) < 2) | (np.abs(2 * y - height + 1) < 2)
    return _of(middle.astype(float))


def bars(width: int, height: int, time: float) -> Picture:
    """White, yellow, cyan, green, magenta, red, blue and black, from the left."""
    line = np.array(BARS, np.float64)[np.arange(width) * len(BARS) // width]
    return np.repeat(line[None], height, axis=0)


def ramp(width: int, height: int, time: float) -> Picture:
    """Dark to full, from the left."""
    return _of(np.ones(height)[:, None] * np.linspace(0, 1, width))


PICTURES: dict[str, Callable[[int, int, float], Picture]] = {
    "letter": letter,
    "corners": corners,
    "rows": rows,
    "columns": columns,
    "one by one": one_by_one,
    "checker": checker,
    "cross": cross,
    "bars": bars,
    "ramp": ramp,
}
