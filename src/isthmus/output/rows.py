"""Which rows a frame has behind those of its universes, and where each row goes."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from isthmus.engine import Route
from isthmus.output.bounds import Bounds
from isthmus.output.masters import DARK, HOLD, row_of


@dataclass(frozen=True)
class Extra:
    """A row behind the universes: one of them dark or held, or the priorities of its slots, which
    `data` are.
    """

    kind: str
    universe: int
    source: int  # the row of the universe itself
    data: bytes = b""


@dataclass(frozen=True)
class Plan:
    """Which rows a frame has behind those of its universes, and where each row goes."""

    extra: tuple[Extra, ...]
    routes: tuple[Route, ...]

    def fill(
        self,
        frame: NDArray[np.uint8],
        dark: Callable[[], NDArray[np.uint8]],
        bounds: Bounds,
        held: dict[int, NDArray[np.uint8]],
    ) -> NDArray[np.uint8]:
        """The whole flat frame. `held` keeps what a held universe went on with since it was held;
        what nothing holds any more is dropped from it.
        """
        rows: list[NDArray[np.uint8]] = []
        for one in self.extra:
            if one.kind == DARK:
                rows.append(row_of(dark(), one.source))
            elif one.kind == HOLD:
                kept = held.setdefault(one.universe, row_of(frame, one.source).copy())
                rows.append(bounds.hold_row(one.universe, kept))
            else:
                rows.append(np.frombuffer(one.data, np.uint8))
        for universe in held.keys() - {e.universe for e in self.extra if e.kind == HOLD}:
            del held[universe]
        return np.concatenate([frame, *rows]) if rows else frame
