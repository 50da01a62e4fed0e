"""The last few values made from something that never changes, for any number of threads."""

from __future__ import annotations

import threading
from collections.abc import Callable
from typing import Generic, TypeVar

V = TypeVar("V")


class Recent(Generic[V]):
    """Values by the identity of what they were made from, those asked for last first.

    Only for values that are never changed after they are made: they are handed to every thread
    that asks. Two threads that ask at once may both make one; each gets a whole one.
    """

    def __init__(self, size: int = 4) -> None:
        self._size = size
        self._lock = threading.Lock()
        self._kept: list[tuple[tuple[object, ...], V]] = []

    def get(self, ground: tuple[object, ...], make: Callable[[V | None], V]) -> V:
        """The value made from `ground`; `make` is given the last one asked for to go on from."""
        with self._lock:
            newest = self._kept[0][1] if self._kept else None
            for at, (known, value) in enumerate(self._kept):
                if all(a is b for a, b in zip(known, ground, strict=True)):
                    if at:  # after an undo one goes on from here, not from what was taken back
                        self._kept.insert(0, self._kept.pop(at))
                    return value
        made = make(newest)
        with self._lock:
            self._kept.insert(0, (ground, made))
            del self._kept[self._size :]
        return made
