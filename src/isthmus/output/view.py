"""From a frame to what stands in space: the same for what is sent and for what a rig received."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from isthmus.output.compile import Compiled
from isthmus.output.slots import SlotTable
from isthmus.profiles.light import LightState
from isthmus.show.records import Show
from isthmus.stage.pose import pose
from isthmus.stage.rig import Beams, Bodies, Drawn, Rig, build_rig


class RigView:
    """A rig with, for each group, where in a flat frame its units find their slots."""

    def __init__(self, show: Show, compiled: Compiled) -> None:
        self.rig: Rig = build_rig(show)
        self._table = SlotTable(
            [(group.program, group.units) for group in self.rig.groups], compiled
        )

    def states(self, frame: NDArray[np.uint8]) -> list[LightState]:
        """What each group makes of a flat frame."""
        return self._table.states(frame)

    def pose(self, frame: NDArray[np.uint8], how: Drawn = Drawn()) -> tuple[Beams, Bodies]:  # noqa: B008
        """Beams and bodies as a frame (slots,) has them."""
        return pose(self.rig, self.states(frame), how)

    def glow(self, frame: NDArray[np.uint8]) -> dict[str, tuple[float, tuple[float, float, float]]]:
        """Unit → (intensity 0…1, linear sRGB of its brightest beam with the gel) of all that give
        light.
        """
        found: dict[str, tuple[float, tuple[float, float, float]]] = {}
        for group, state in zip(self.rig.groups, self.states(frame), strict=True):
            level = state.intensity()
            for index in np.flatnonzero(level > 0.002):
                rgb = state.rgb[index].max(axis=0) * group.gel[index]
                r, g, b = (float(v) for v in rgb / max(float(rgb.max()), 1e-9))
                found[group.units[index].id] = min(1.0, float(level[index])), (r, g, b)
        return found
