"""Pictures that are made: each a function of place and time, how much of its colour is where.

Each maker takes columns u (w,) and rows v (h,), 0…1 from left and top, a time in seconds, and its
settings, and returns (h, w) 0…1, or (3, h, w) linear light where it has colours of its own.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.floating]  # float32 throughout
Settings = Mapping[str, float]
Make = Callable[[Array, Array, float, Settings], Array]
TAU = np.float32(2 * np.pi)


@dataclass(frozen=True)
class Setting:
    """A number a person can choose."""

    name: str
    least: float
    most: float
    usual: float


@dataclass(frozen=True)
class Generator:
    make: Make
    settings: tuple[Setting, ...] = ()
    moves: bool = True
    coloured: bool = False

    def usual(self) -> dict[str, float]:
        return {s.name: s.usual for s in self.settings}

    def held(self, settings: Settings) -> dict[str, float]:
        """All settings, within what they may be."""
        return {
            s.name: min(s.most, max(s.least, settings.get(s.name, s.usual))) for s in self.settings
        }


def plain(u: Array, v: Array, time: float, has: Settings) -> Array:
    return np.ones((len(v), len(u)), np.float32)


def ramp(u: Array, v: Array, time: float, has: Settings) -> Array:
    return np.broadcast_to(u, (len(v), len(u))).astype(np.float32)


def bars(u: Array, v: Array, time: float, has: Settings) -> Array:
    """Bars that move to the right, as wide as the gaps at a share of a half."""
    phase = (u * np.float32(has["count"]) - np.float32(time % 1e4)) % 1
    soft = np.float32(max(1e-3, has["soft"] / 2))
    wide = np.float32(has["share"])
    edge = np.minimum(phase, wide - phase)
    value = np.clip(0.5 + edge / soft / 2, 0, 1) if wide < 1 else np.ones_like(phase)
    if wide < 1:  # the next bar begins at 1
        value = np.maximum(value, np.clip(0.5 + (phase - 1) / soft / 2, 0, 1))
    return np.broadcast_to(value, (len(v), len(u))).astype(np.float32)


def wave(u: Array, v: Array, time: float, has: Settings) -> Array:
    """A sine to the right, bent along the height."""
    bend = np.float32(has["bend"]) * v[:, None]
    phase = u[None, :] * np.float32(has["count"]) + bend - np.float32(time % 1e4)
    return np.float32(0.5) + np.float32(0.5) * np.sin(TAU * phase)


def wipe(u: Array, v: Array, time: float, has: Settings) -> Array:
    """Covers from the left within `seconds`, then uncovers as long."""
    long = has["seconds"]
    soft = max(1e-3, has["soft"])
    share = (time / long) % 2
    front = share if share <= 1 else share - 1
    value = np.clip((front * (1 + soft) - u) / soft, 0, 1)
    value = value if share <= 1 else 1 - value
    return np.broadcast_to(value, (len(v), len(u))).astype(np.float32)


def noise(u: Array, v: Array, time: float, has: Settings) -> Array:
    """Clouds that change."""
    return _clouds(u, v, time, (has["size"], has["size"]), 0.0, np.float32(1 + 3 * has["hard"]))


def _clouds(
    u: Array, v: Array, time: float, size: tuple[float, float], rise: float, hard: np.float32
) -> Array:
    """Chance between the knots of a raster, smooth in place and time; it rises by so many heights
    a second.
    """
    across, along = (max(1e-3, s) for s in size)
    y = v / np.float32(along) + np.float32((time * rise / along) % 4096)
    x = u / np.float32(across)
    begin = int(np.floor(time))
    share = _smooth(np.float32(time - begin))
    both = [_knots(x, y, begin + i) for i in (0, 1)]
    value = both[0] + (both[1] - both[0]) * share
    return np.clip((value - np.float32(0.5)) * hard + np.float32(0.5), 0, 1)


def _smooth(share):
    return share * share * (3 - 2 * share)


def _knots(x: Array, y: Array, seed: int) -> Array:
    """Chance at whole numbers, and smooth between them; rows × columns as one product of matrices
    with the knots in the middle.
    """
    low_x, low_y = np.floor(x[0]), np.floor(y[0])
    wide, high = int(x[-1] - low_x) + 2, int(y[-1] - low_y) + 2
    columns = (np.arange(wide) + int(low_x)).astype(np.uint32)
    rows = (np.arange(high) + int(low_y)).astype(np.uint32)
    knots = chance(columns[None, :], rows[:, None], np.uint32(seed & 0xFFFFFFFF))
    return _between(y - low_y, high) @ knots @ _between(x - low_x, wide).T


def _between(at: Array, count: int) -> Array:
    """(n, count): how much of which knot is at a place."""
    low = np.minimum(at.astype(np.int64), count - 2)
    share = _smooth((at - low).astype(np.float32))
    made = np.zeros((len(at), count), np.float32)
    row = np.arange(len(at))
    made[row, low], made[row, low + 1] = 1 - share, share
    return made


def chance(x: NDArray, y: NDArray, seed: NDArray | np.uint32) -> Array:
    """The same number, 0…1, for the same three whole numbers (PCG-XSH-like mixing, 32 bits)."""
    with np.errstate(over="ignore"):
        mixed = x * np.uint32(0x9E3779B1) + y * np.uint32(0x85EBCA77) + seed * np.uint32(0xC2B2AE3D)
        mixed = (mixed ^ (mixed >> np.uint32(15))) * np.uint32(0x2C1B3C6D)
        mixed = (mixed ^ (mixed >> np.uint32(12))) * np.uint32(0x297A2D39)
        mixed = mixed ^ (mixed >> np.uint32(15))
    return (mixed >> np.uint32(8)).astype(np.float32) / np.float32(1 << 24)


def sparkle(u: Array, v: Array, time: float, has: Settings) -> Array:
    """Places flash, each at its own time; at most a share of them at once."""
    columns, rows = np.arange(len(u), dtype=np.uint32), np.arange(len(v), dtype=np.uint32)
    begins = chance(columns[None, :], rows[:, None], np.uint32(7))
    round_ = np.float32(time % 65536) + begins
    whole = np.floor(round_)
    turn = whole.astype(np.uint32)
    lit = chance(columns[None, :], rows[:, None], turn) < has["share"]
    return np.where(lit, np.square(1 - (round_ - whole)), np.float32(0))


def fire(u: Array, v: Array, time: float, has: Settings) -> Array:
    """Flames from below: dark red to white, the hotter the lower."""
    size = has["size"]
    heat = _clouds(u, v, 2 * time, (size / 2, size), 0.5, np.float32(1.6))
    heat = np.clip(heat + (v[:, None] - np.float32(1 - has["flames"])) * np.float32(1.2), 0, 1)
    heat = heat * np.clip(v[:, None] / np.float32(max(1e-3, 1 - has["flames"])), 0, 1)
    return np.stack([np.clip(3 * heat - i, 0, 1) ** 2 for i in range(3)])


def plasma(u: Array, v: Array, time: float, has: Settings) -> Array:
    """Waves of all hues through each other."""
    t, near = np.float32(time % 1e4), np.float32(1 / has["size"])
    x, y = (u * near)[None, :], (v * near)[:, None]
    phase = np.sin(TAU * x + t) + np.sin(TAU * (y + x / 2) - t / 2) + np.sin(TAU * y / 2 + t / 3)
    hue = phase / np.float32(3) + t / np.float32(10)
    thirds = (np.arange(3, dtype=np.float32) / np.float32(3))[:, None, None]
    wheel = np.float32(0.5) + np.float32(0.5) * np.cos(TAU * (hue - thirds))
    return wheel * wheel


_SIZE = Setting("size", 0.05, 4.0, 0.4)
_COUNT = Setting("count", 0.25, 32.0, 3.0)
_SOFT = Setting("soft", 0.0, 1.0, 0.2)
GENERATORS: dict[str, Generator] = {
    "plain": Generator(plain, moves=False),
    "ramp": Generator(ramp, moves=False),
    "bars": Generator(bars, (_COUNT, Setting("share", 0.02, 1.0, 0.5), _SOFT)),
    "wave": Generator(wave, (_COUNT, Setting("bend", -4.0, 4.0, 0.0))),
    "wipe": Generator(wipe, (Setting("seconds", 0.1, 120.0, 4.0), _SOFT)),
    "noise": Generator(noise, (_SIZE, Setting("hard", 0.0, 1.0, 0.3))),
    "sparkle": Generator(sparkle, (Setting("share", 0.01, 1.0, 0.2),)),
    "fire": Generator(fire, (_SIZE, Setting("flames", 0.05, 0.95, 0.6)), coloured=True),
    "plasma": Generator(plasma, (_SIZE,), coloured=True),
}
