"""Where in a flat frame each unit finds its slots, for many units of one mode at once."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from isthmus.output.compile import Compiled
from isthmus.profiles.light import LightProgram, LightState
from isthmus.show.records import SLOTS, Unit


class SlotTable:
    """For each group an (n, width) table of places in the frame; −1 where there is none, which
    reads 0.
    """

    def __init__(
        self, groups: Sequence[tuple[LightProgram, Sequence[Unit]]], compiled: Compiled
    ) -> None:
        rows = {universe: row for row, universe in enumerate(compiled.universes)}
        self.programs = [program for program, _ in groups]
        self.columns: list[NDArray[np.int64]] = []
        for program, units in groups:
            at = np.full((len(units), program.width), -1, np.int64)
            for index, unit in enumerate(units):
                for patched in unit.patch:
                    start, size = (
                        program.block_starts.get(patched.block),
                        program.chart.span(patched.block),
                    )
                    if (
                        start is not None
                        and patched.universe in rows
                        and 1 <= patched.address <= SLOTS
                    ):
                        size = min(size, SLOTS - patched.address + 1)
                        first = rows[patched.universe] * SLOTS + patched.address - 1
                        at[index, start : start + size] = np.arange(first, first + size)
            self.columns.append(at)
        self._last: list[tuple[NDArray[np.uint8], LightState] | None] = [None] * len(self.columns)

    def slots(self, frame: NDArray[np.uint8]) -> list[NDArray[np.uint8]]:
        """For each mode, the bytes of its units, (k, slots of the mode)."""
        padded = np.append(frame, np.uint8(0))
        return [padded[at] for at in self.columns]

    def states(self, frame: NDArray[np.uint8]) -> list[LightState]:
        """What the units of each group make of a flat frame; a group whose slots are as they were
        is not read again.
        """
        found = []
        for index, (program, slots) in enumerate(
            zip(self.programs, self.slots(frame), strict=True)
        ):
            last = self._last[index]
            if last is None or not np.array_equal(last[0], slots):
                last = self._last[index] = (slots, program.read(slots))
            found.append(last[1])
        return found
