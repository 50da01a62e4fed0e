"""What is asked in turns: step after step, round and round, as a function of the time alone.

So whoever asks at the same time gets the same answer: the window for its pictures, the player for
the wire.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from functools import cached_property

import numpy as np

from isthmus.output.compile import Key

Asked = Mapping[Key, float]
Slots = Mapping[tuple[int, int], int]  # (universe, address) → byte


@dataclass(frozen=True)
class Step:
    """What is asked for some seconds, and nothing else: levels, and bytes laid over what is sent.
    Levels of `to` go on meanwhile in a straight line to the value given there.
    """

    seconds: float
    asked: Asked
    over: Slots = field(default_factory=dict)
    to: Asked = field(default_factory=dict)


@dataclass(frozen=True)
class Clock:
    """When steps take turns: seconds of each, and the time the first began."""

    began: float
    seconds: tuple[float, ...]

    @cached_property
    def _ends(self) -> np.ndarray:
        return np.cumsum(self.seconds)

    def at(self, time: float) -> tuple[int, float]:
        """(the step of a time, how far along it is, 0…1)."""
        gone = max(0.0, time - self.began) % float(self._ends[-1])
        step = min(int(np.searchsorted(self._ends, gone, "right")), len(self.seconds) - 1)
        into = gone - (float(self._ends[step - 1]) if step else 0.0)
        return step, min(1.0, max(0.0, into / self.seconds[step]))

    def ends(self, time: float) -> float:
        """When the step of a time ends; never, when it is the only one."""
        if len(self.seconds) == 1:
            return math.inf
        step, share = self.at(time)
        return time + (1 - share) * self.seconds[step]


@dataclass(frozen=True, eq=False)
class Turns:
    """Steps that take turns from a time on. `beyond`: slots that may go past their limits."""

    began: float
    steps: Sequence[Step]
    beyond: frozenset[tuple[int, int]] = frozenset()

    @cached_property
    def clock(self) -> Clock:
        return Clock(self.began, tuple(step.seconds for step in self.steps))

    def at(self, time: float) -> tuple[dict[Key, float], Slots]:
        """(levels asked, bytes laid over) at a time."""
        at, share = self.clock.at(time)
        step = self.steps[at]
        asked = dict(step.asked)
        for key, end in step.to.items():
            asked[key] = asked[key] + (end - asked[key]) * share
        return asked, step.over
