"""What a layer shows, as rasters over time: made, written, or brought in.

A source is plain data and travels to the player.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import cached_property
from pathlib import Path
from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from isthmus.pixels.generators import GENERATORS
from isthmus.profiles.colour import decode_srgb

Array = NDArray[np.floating]  # float32 throughout
LINEAR = decode_srgb(np.arange(256) / 255).astype(np.float32)  # of a byte
FRAME_RATE = 44.0  # a source that moves smoothly is another at each frame


class Source(Protocol):
    """`size` is (width, height) in pixels, `long` its own length in seconds (inf: endless)."""

    @property
    def size(self) -> tuple[int, int]: ...

    @property
    def long(self) -> float: ...

    @property
    def rate(self) -> float:
        """How many pictures a second differ; 0 for a still."""
        ...

    def at(self, time: float) -> Array:
        """(1, pixels): how much of the layer's colour; (3, pixels): linear light; (4, pixels):
        linear light times how much of it there is, and how much.
        """
        ...


@dataclass(frozen=True)
class Made:
    """By a generator."""

    kind: str
    settings: tuple[tuple[str, float], ...]
    size: tuple[int, int]
    long: float = math.inf

    @property
    def rate(self) -> float:
        return FRAME_RATE if GENERATORS[self.kind].moves else 0.0

    @cached_property
    def _ways(self) -> tuple[Array, Array]:
        return tuple(((np.arange(n) + 0.5) / n).astype(np.float32) for n in self.size)  # type: ignore[return-value]

    def at(self, time: float) -> Array:
        one = GENERATORS[self.kind]
        made = one.make(*self._ways, time, dict(self.settings))
        return made.reshape(-1, self.size[0] * self.size[1])


@dataclass(frozen=True, eq=False)
class Strip:
    """Written words as a strip (h, l), 0…1, seen through a window as wide as `size`: still, or
    running through it from right to left once in `long` seconds.
    """

    strip: Array
    size: tuple[int, int]
    long: float = math.inf

    @property
    def rate(self) -> float:
        return FRAME_RATE if math.isfinite(self.long) else 0.0

    def at(self, time: float) -> Array:
        wide, length = self.size[0], self.strip.shape[1]
        if not math.isfinite(self.long):
            return self.strip[:, :wide].reshape(1, -1)
        offset = time / self.long % 1 * length
        first = int(offset)
        seen = self.strip.take(np.arange(first, first + wide + 1), axis=1, mode="wrap")
        share = np.float32(offset - first)
        return (seen[:, :-1] * (1 - share) + seen[:, 1:] * share).reshape(1, -1)


@dataclass(frozen=True)
class Kept:
    """Frames (n, h, w, 3 or 4), bytes as a screen shows them, in a file that is looked into where
    it lies.
    """

    path: str
    size: tuple[int, int]
    frames: int
    per_second: float

    @property
    def long(self) -> float:
        return self.frames / self.per_second if self.frames > 1 else math.inf

    @property
    def rate(self) -> float:
        return self.per_second if self.frames > 1 else 0.0

    @cached_property
    def _pictures(self) -> NDArray[np.uint8]:
        return np.load(Path(self.path), mmap_mode="r")

    def at(self, time: float) -> Array:
        if self.frames == 1:
            return self._still
        at = min(self.frames - 1, max(0, int(time * self.per_second + 1e-6)))
        return self._linear(at)

    @cached_property
    def _still(self) -> Array:
        return self._linear(0)

    def _linear(self, at: int) -> Array:
        codes = self._pictures[at].reshape(self.size[0] * self.size[1], -1)
        made = LINEAR[codes[:, :3].T]
        if codes.shape[1] == 3:
            return made
        there = codes[:, 3:].T.astype(np.float32) / np.float32(255)
        return np.concatenate([made * there, there])
