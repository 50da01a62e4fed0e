"""From a frame to what stands in space: the same for what is sent and for what a rig received."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from isthmus.output.compile import Compiled
from isthmus.profiles.light import LightState
from isthmus.show.records import SLOTS, Show
from isthmus.stage.rig import Beams, Bodies, Rig, build_rig, pose


class RigView:
    """A rig with, for each group, where in a flat frame its units find their slots."""

    def __init__(self, show: Show, compiled: Compiled) -> None:
        self.rig: Rig = build_rig(show)
        rows = {universe: row for row, universe in enumerate(compiled.universes)}
        self._columns: list[NDArray[np.int64]] = []
        for group in self.rig.groups:
            at = np.full((len(group.units), group.program.width), -1, np.int64)
            for index, unit in enumerate(group.units):
                for patched in unit.patch:
                    start, size = group.program.block_starts.get(patched.block), group.program.chart.span(patched.block)
                    if start is not None and patched.universe in rows:
                        size = min(size, SLOTS - patched.address + 1)
                        first = rows[patched.universe] * SLOTS + patched.address - 1
                        at[index, start : start + size] = np.arange(first, first + size)
            self._columns.append(at)

    def states(self, frame: NDArray[np.uint8]) -> list[LightState]:
        """What each group makes of a flat frame; slots outside it read 0."""
        padded = np.append(frame, np.uint8(0))  # −1 reads the zero at the end
        return [group.program.read(padded[at]) for group, at in zip(self.rig.groups, self._columns, strict=True)]

    def pose(self, frame: NDArray[np.uint8]) -> tuple[Beams, Bodies]:
        return pose(self.rig, self.states(frame))

    def glow(self, frame: NDArray[np.uint8]) -> dict[str, tuple[float, tuple[float, float, float]]]:
        """Unit → (intensity 0…1, linear sRGB of its brightest beam with the gel) of all that give light."""
        found: dict[str, tuple[float, tuple[float, float, float]]] = {}
        for group, state in zip(self.rig.groups, self.states(frame), strict=True):
            level = state.intensity()
            for index in np.flatnonzero(level > 0.002):
                rgb = state.rgb[index].max(axis=0) * group.gel[index]
                r, g, b = (float(v) for v in rgb / max(float(rgb.max()), 1e-9))
                found[group.units[index].id] = min(1.0, float(level[index])), (r, g, b)
        return found
