"""Where one cue list stands, and what it makes of its parameters at any time."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from isthmus.looks.compiled import Timing

Floats = NDArray[np.float32]


@dataclass(frozen=True, eq=False)
class Position:
    """Where a list stands. All arrays are (n,), over the parameters of its programme.

    `order` is when it was last asked for each: where several lists want one, the later counts.
    """

    cue: int
    start: float
    timing: Timing
    from_value: Floats
    to_value: Floats
    from_weight: Floats
    to_weight: Floats
    seconds: Floats  # how long each fades
    order: NDArray[np.float64]
    forth: bool = True
    paused: float = math.nan
    releasing: bool = False

    def at(self, time: float) -> tuple[Floats, Floats]:
        """(value, weight) of each parameter."""
        part = self.parts(time)
        value = self.from_value + (self.to_value - self.from_value) * part
        weight = self.from_weight + (self.to_weight - self.from_weight) * part
        return value.astype(np.float32, copy=False), weight.astype(np.float32, copy=False)

    def parts(self, time: float) -> Floats:
        """How far along its fade each parameter is, 0…1."""
        gone = self.gone(time)
        if gone >= self.timing.whole:
            return np.ones(len(self.seconds), np.float32)
        if gone < self.timing.delay:
            return np.zeros(len(self.seconds), np.float32)
        since = np.float32(gone - self.timing.delay)
        with np.errstate(divide="ignore", invalid="ignore"):
            part = np.minimum(since / self.seconds, np.float32(1))
        return np.where(self.seconds <= 0, np.float32(1), part).astype(np.float32)

    def gone(self, time: float) -> float:
        """Seconds since its Go, those it was paused left out."""
        return (time if math.isnan(self.paused) else min(time, self.paused)) - self.start

    def done(self, time: float) -> bool:
        """Whether nothing of it fades any more."""
        return self.gone(time) >= self.timing.whole or not math.isnan(self.paused)
