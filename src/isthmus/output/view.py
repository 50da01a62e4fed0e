"""From a frame to what stands in space: the same for what is sent and for what a rig received."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from isthmus.output.compile import Compiled
from isthmus.output.glow import Glow, glow_of
from isthmus.output.slots import SlotTable
from isthmus.profiles.light import LightState
from isthmus.show.records import Show
from isthmus.stage.landing import Surface, land
from isthmus.stage.pose import pose
from isthmus.stage.rig import Beams, Bodies, Drawn, Rig, build_rig


class Landing(NamedTuple):
    """All beams, the point (3,) where one lands, and on which surface; −1 for none."""

    beams: Beams
    point: NDArray[np.float64]
    surface: int


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

    def landing(self, frame: NDArray[np.uint8], unit: str, on: Sequence[Surface]) -> Landing | None:
        """Where the middle beam of a unit lands; None for one without a beam."""
        if unit not in self.rig.order:
            return None
        beams, _ = self.pose(frame, Drawn(hide_off=False))
        rows = np.flatnonzero(beams.unit == self.rig.order.index(unit))
        if not len(rows):
            return None
        row = rows[len(rows) // 2]
        points, which = land(beams.origin[row : row + 1], beams.direction[row : row + 1], on)
        return Landing(beams, points[0], int(which[0]))

    def glow(self, frame: NDArray[np.uint8]) -> Glow:
        """What light each unit gives with a frame."""
        groups = [(group.program, group.units) for group in self.rig.groups]
        return glow_of(self.show, groups, self.states(frame))
