"""From a frame to what stands in space: the same for what is sent and for what a rig received."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from isthmus.output.compile import Compiled
from isthmus.output.glow import Glow, glow_of
from isthmus.output.slots import SlotTable
from isthmus.profiles.light import LightState
from isthmus.show.records import Show
from isthmus.stage.pose import pose
from isthmus.stage.rig import Beams, Bodies, Drawn, Rig, build_rig


class RigView:
    """A rig with, for each group, where in a flat frame its units find their slots."""

    def __init__(self, show: Show, compiled: Compiled) -> None:
        self.show = show
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

    def glow(self, frame: NDArray[np.uint8]) -> Glow:
        """What light each unit gives with a frame."""
        groups = [(group.program, group.units) for group in self.rig.groups]
        return glow_of(self.show, groups, self.states(frame))
