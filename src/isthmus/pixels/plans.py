"""Layers made ready to be shown: which pixels each cell sees, when, in which colours.

All of it is arrays and plain data, so that the player can show what the window has made ready.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from isthmus.pixels.blending import lay
from isthmus.pixels.sources import Source
from isthmus.pixels.timing import Clock

if TYPE_CHECKING:
    from scipy.sparse import csr_array

Array = NDArray[np.floating]  # float32 throughout


@dataclass(frozen=True, eq=False)
class LayerPlan:
    """`seen` (n, pixels) is how much of which pixel a cell sees, `cover` (n,) how much of a cell it
    may touch at all. `colour` and `behind` (4,) are linear light times how much there is of it;
    `turn` (3, 3) takes colours, from the left, of a source that has its own to those shown.
    """

    source: Source
    clock: Clock
    seen: csr_array
    cover: Array
    colour: Array
    behind: Array
    turn: Array
    blend: str = "over"
    level: float = 1.0

    @cached_property
    def within(self) -> Array:
        """How much of each cell is in the picture at all, (n,)."""
        return np.asarray(self.seen.sum(axis=1), np.float32).ravel()

    def colours(self, seconds: float) -> Array:
        """What it shows to each cell, (4, n), so many seconds after it began."""
        raster = self.source.at(self.clock.at(seconds))
        found = [self.seen @ channel for channel in raster]
        made = np.empty((4, len(self.cover)), np.float32)
        if len(found) == 1:
            np.multiply(self.colour[:, None], found[0], out=made)
            if self.behind[3]:
                made += self.behind[:, None] * (self.within - found[0])
        else:
            np.matmul(self.turn.T, np.stack(found[:3]), out=made[:3])
            np.maximum(made[:3], 0, out=made[:3])
            made[3] = self.within if len(found) == 3 else found[3]
        made *= self.cover * np.float32(self.level)
        return made

    @property
    def rate(self) -> float:
        """How many pictures a second differ."""
        return self.source.rate * abs(self.clock.speed)


@dataclass(frozen=True, eq=False)
class SetPlan:
    """Layers of one set, from back to front, over the n cells of its grid."""

    id: str
    grid: str
    layers: tuple[LayerPlan, ...]
    count: int
    dark: bool = True

    def colours(self, seconds: float) -> Array:
        """What all of them show to each cell, (4, n)."""
        found = np.zeros((4, self.count), np.float32)
        if self.dark:
            found[3] = 1
        for layer in self.layers:
            found = lay(found, layer.colours(seconds), layer.blend)
        if self.dark:  # a mask takes light away, not the say
            found[3] = 1
        return found

    @property
    def rate(self) -> float:
        return max((layer.rate for layer in self.layers), default=0.0)
