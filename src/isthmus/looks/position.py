"""Where one cue list stands, and what it makes of its parameters at any time."""

from __future__ import annotations

import math
from collections.abc import Collection, Iterable, Mapping
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from isthmus.looks.compiled import Timing

Floats = NDArray[np.float32]


@dataclass(frozen=True)
class Fading:
    """A layer set that a list shows since `began`: from `start` on its weight goes to another in so
    many seconds.
    """

    set: str
    began: float
    start: float
    seconds: float
    before: float
    after: float

    def weight(self, time: float) -> float:
        if time >= self.start + self.seconds:
            return self.after
        share = max(0.0, time - self.start) / self.seconds if self.seconds > 0 else 0.0
        return self.before + (self.after - self.before) * share


def turned_over(
    old: Iterable[Fading],
    wanted: Collection[str],
    covers: Mapping[str, str],
    at: float,
    timing: Timing,
) -> tuple[Fading, ...]:
    """What a cue that begins at a time makes of what is shown. What another picture comes over
    stays until that one is there, so that nothing below shines through.
    """
    start = at + timing.delay
    covered = {covers[name] for name in wanted if name in covers}
    found: list[Fading] = []
    held: dict[str, Fading] = {}
    for one in old:
        weight = one.weight(at)
        if one.set in wanted:
            held[one.set] = Fading(one.set, one.began, start, timing.up, weight, 1.0)
        elif weight > 0 and covers.get(one.set) in covered:
            found.append(Fading(one.set, one.began, start + timing.up, 0.0, weight, 0.0))
        elif weight > 0:
            found.append(Fading(one.set, one.began, start, timing.down, weight, 0.0))
    found += [held.get(name) or Fading(name, start, start, timing.up, 0.0, 1.0) for name in wanted]
    return tuple(found)


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
    pictures: tuple[Fading, ...] = ()  # from back to front

    def shown(self, time: float) -> list[tuple[str, float, float]]:
        """(layer set, since when, its weight) of what has any."""
        until = time if math.isnan(self.paused) else min(time, self.paused)
        found = [(one.set, one.began, one.weight(until)) for one in self.pictures]
        return [one for one in found if one[2] > 0]

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
