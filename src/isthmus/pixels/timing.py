"""Which moment of a moving picture is shown at a time."""

from __future__ import annotations

import math
from dataclasses import dataclass

WAYS = ("forth", "back", "to and fro", "once")


@dataclass(frozen=True)
class Clock:
    """A picture from `begin` to `end` seconds of its own (endless: inf), at `speed` times its own
    pace.
    """

    speed: float = 1.0
    way: str = "forth"
    begin: float = 0.0
    end: float = math.inf

    def at(self, seconds: float) -> float:
        """The moment of it, so many seconds after it began."""
        gone, long = max(0.0, seconds) * self.speed, self.end - self.begin
        if not math.isfinite(long):
            return self.begin + (-gone if self.way == "back" else gone)
        if long <= 0:
            return self.begin
        if self.way == "once":
            return self.begin + min(gone, long)
        if self.way == "to and fro":
            round_ = gone % (2 * long)
            return self.begin + (round_ if round_ <= long else 2 * long - round_)
        into = gone % long
        return self.begin + (long - into if self.way == "back" else into)
