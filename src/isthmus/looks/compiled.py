"""A cue list as arrays: what each of its cues asks of which parameters, and how fast."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

Key = tuple[str, int, str]  # unit, cell, attribute
Floats = NDArray[np.float32]
Flags = NDArray[np.bool_]
Index = NDArray[np.int64]


@dataclass(frozen=True)
class Timing:
    """Seconds of one cue. `follow` is NaN where it waits for a Go."""

    up: float
    down: float
    move: float
    delay: float
    follow: float

    @property
    def whole(self) -> float:
        """From its Go until all of it is done."""
        return self.delay + max(self.up, self.down, self.move)


@dataclass(frozen=True, eq=False)
class Programme:
    """n parameters of a show over c cues. `index` (n,) says which, ascending; `targets` (c, n)
    are levels 0…1 and mean something where `owned` (c, n); `named` (c, n): the cue's own look says
    it.
    """

    id: str
    keys: tuple[Key, ...]  # whose parameters they are, (n,)
    index: Index
    intensity: Flags  # fades by up and down
    steps: Flags  # picks among ranges: changes at once
    highest: Flags  # the highest of several lists counts (HTP), else the latest (LTP)
    targets: Floats
    owned: Flags
    named: Flags
    cues: tuple[str, ...]
    times: tuple[Timing, ...]
    round: bool = False
    step: float = 1.0  # seconds
    direction: str = "forth"
    release: float = 3.0
    pictures: tuple[tuple[str, ...], ...] = ()  # layer sets of each cue, the later in front
    covers: Mapping[str, str] = field(default_factory=dict)  # layer set → the grid it covers whole

    def pictures_of(self, cue: int) -> tuple[str, ...]:
        """The layer sets that a cue shows."""
        return self.pictures[cue] if cue < len(self.pictures) else ()
