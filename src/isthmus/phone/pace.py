"""How fast a phone may mark: as fast as hands can, and what it kept while it was away at once; what
comes faster waits its turn in the network, so that nothing is lost and Isthmus stays awake.
"""

from __future__ import annotations

from collections.abc import Callable

AT_ONCE = 60
A_SECOND = 25.0


class Pace:
    """One for each phone. Times are seconds of one clock."""

    def __init__(self, clock: Callable[[], float]) -> None:
        self._clock = clock
        self._left, self._at = float(AT_ONCE), clock()

    def wait(self) -> float:
        """Take the next turn: how long until it comes."""
        now = self._clock()
        self._left = min(AT_ONCE, self._left + (now - self._at) * A_SECOND) - 1
        self._at = now
        return max(0.0, -self._left / A_SECOND)
