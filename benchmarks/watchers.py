"""People who watch a rig, and the light of a few kinds of units, written by hand: nothing of the
program is used.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np

Slots = Sequence[int]
Physics = Callable[[Slots], float]
RED, GREEN, BLUE = 0.22, 0.70, 0.08  # of the light of white; as an eye weighs three emitters


def of_three(slots: Slots) -> float:
    """Red, green and blue, without a dimmer."""
    return (RED * slots[0] + GREEN * slots[1] + BLUE * slots[2]) / 255


def curved(slots: Slots) -> float:
    """A dimmer of two bytes and three colours, each of a curve that keeps the lower half dark."""
    level = (slots[0] * 256 + slots[1]) / 65535
    parts = zip((RED, GREEN, BLUE), slots[2:5], strict=True)
    return level**2.2 * sum(part * (slot / 255) ** 2 for part, slot in parts)


def dimmed_twice(slots: Slots) -> float:
    """A dimmer of two bytes, then the three colours: the fine byte alone is a four-hundredth."""
    return (slots[0] * 256 + slots[1]) / 65535 * of_three(slots[2:5])


def colours_first(slots: Slots) -> float:
    """The three colours, a strobe that is open below ten and above two hundred, the dimmer last."""
    shutter = slots[3] < 10 or slots[3] > 200
    return of_three(slots[:3]) * slots[4] / 255 * shutter


def plain(slots: Slots) -> float:
    return slots[0] / 255


@dataclass
class Watcher:
    """Calls it light from a share of its own on, of what the unit gave when everything was lit.
    Steps are felt as ratios. One answer in `slips` is the wrong one. One who is `literal` has the
    same eye whatever is asked, and takes "as bright" for anything from a fifth on.
    """

    chance: np.random.Generator
    slips: int = 0
    literal: bool = False
    brightest: float = 0.0

    def __post_init__(self) -> None:
        self.least = math.exp(self.chance.uniform(math.log(0.003), math.log(0.6)))

    def counts(self, light: Sequence[float]) -> str:
        """How often a unit flashes whose light was this, moment by moment, round and round: a
        flash ends when the light falls well below what it was, and each eye has its own well.
        """
        self.brightest = max(self.brightest, *light)
        top = max(light)
        drop = math.exp(self.chance.uniform(math.log(0.3), math.log(0.9)))
        lit = [now >= drop * top for now in light]
        rises = sum(now and not before for before, now in zip([lit[-1], *lit], lit, strict=False))
        if not self.brightest or top < self.least * self.brightest:
            rises = 0
        elif all(lit):
            rises = 4
        if self.slips and self.chance.random() < 1 / self.slips:
            near = [one for one in (rises - 1, rises + 1) if 0 <= one <= 4]
            other = [one for one in range(5) if one != rises]
            rises = int(self.chance.choice(near if self.chance.random() < 0.5 else other))
        return ("dark", "once", "twice", "three times", "steady")[min(rises, 4)]

    def says(self, light: float, question: str) -> bool:
        """Whether the answer is yes."""
        self.brightest = max(self.brightest, light)
        share = light / self.brightest if self.brightest else 0.0
        least = self.least
        if self.literal:
            if "as bright" in question:
                least = math.exp(self.chance.uniform(math.log(0.2), math.log(0.95)))
        elif "faintly" in question:  # who is asked for a glimmer looks for one
            least = math.exp(self.chance.uniform(math.log(0.002), math.log(0.1)))
        elif "as bright" in question:
            least = math.exp(self.chance.uniform(math.log(0.4), math.log(0.85)))
        slips = bool(self.slips) and self.chance.random() < 1 / self.slips
        return (share >= least) != slips
