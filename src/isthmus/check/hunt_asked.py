"""What a look of a hunt sends and asks, and what may be answered."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from isthmus.check.hunt_flashes import RHYTHM, STEADY, Counts, runs_of
from isthmus.check.hunt_looks import QUESTIONS, Question
from isthmus.show.records import SLOTS

Slots = Mapping[tuple[int, int], int]
YES, NO, UNSURE = "yes", "no", "not sure"
FLASHING = ("dark", "once", "twice", "three times", "steady")  # what a unit may do, in order
BITS = {NO: 1, YES: 1 << STEADY} | {answer: 1 << at for at, answer in enumerate(FLASHING)}
HOW_OFTEN = Question("How often does unit {} flash?", QUESTIONS[0].low, QUESTIONS[0].high)


@dataclass(frozen=True)
class Place:
    """Where a unit could listen."""

    universe: int
    address: int
    mode: str

    @property
    def words(self) -> str:
        return f"{self.universe}.{self.address:03d}"


NOWHERE = Place(0, 0, "")  # it lights at none: dead, unplugged, or on another line


@dataclass(frozen=True)
class HuntLook:
    """What to send, and the question. `counts` says how often each slot flashes (0 dark, 4
    steady), `may` of each place which answers may come (bits, as in `BITS`), `light` the most a
    unit there would give; `count` how many places are left.
    """

    frames: tuple[Slots, ...]
    shown: str
    asked: str
    count: int
    counts: Counts = field(compare=False)
    may: NDArray[np.uint8] = field(compare=False)
    light: NDArray[np.float64] = field(compare=False)
    question: Question = field(compare=False, default=QUESTIONS[0])

    @property
    def words(self) -> str:
        return f"{self.shown} {self.asked}"

    @property
    def slots(self) -> Slots:
        """What is sent, while it is brightest."""
        return self.frames[0]

    @property
    def flashes(self) -> bool:
        return len(self.frames) > 1

    @property
    def answers(self) -> tuple[str, ...]:
        """What may be answered, apart from not sure."""
        return FLASHING if self.flashes else (YES, NO)

    @property
    def steps(self) -> list[tuple[float, Slots]]:
        """What is sent, over and over: seconds and slots."""
        if not self.flashes:
            return [(1.0, self.slots)]
        return [(seconds, self.frames[at]) for seconds, at in RHYTHM]

    def runs(self, row: int) -> list[tuple[int, int, int]]:
        """Which slots of a universe are lit, as `runs_of` has them."""
        return runs_of(self.counts[row * SLOTS : (row + 1) * SLOTS])

    def read(self, levels: Sequence[float], least: float) -> str:
        """What a meter answers that measures these levels in the frames."""
        lit = [level >= least for level in levels]
        return FLASHING[STEADY if lit[-1] else sum(lit)] if self.flashes else YES if lit[0] else NO
