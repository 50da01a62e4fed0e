"""What is worked out once for each mode of each profile object: hashing a whole profile would cost
more than the work.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Generic, TypeVar

from isthmus.profiles.records import Mode, Profile

T = TypeVar("T")


class KeptByMode(Generic[T]):
    """Results by identity of profile and mode; the records are kept too, so that an identity is
    never used again.
    """

    def __init__(self, most: int) -> None:
        self._most = most
        self._kept: dict[tuple[int, int], tuple[Profile, Mode, T]] = {}

    def get(self, profile: Profile, mode: Mode, make: Callable[[Profile, Mode], T]) -> T:
        key = (id(profile), id(mode))
        kept = self._kept.get(key)
        if kept is None or kept[0] is not profile or kept[1] is not mode:
            if len(self._kept) > self._most:
                self._kept.clear()
            kept = self._kept[key] = (profile, mode, make(profile, mode))
        return kept[2]
