"""How a structure stands, in figures: turn about the vertical, tilt of its long side, lean of its
short one. Its rotation is Rz(turn) · Ry(−tilt) · Rx(lean).
"""

from __future__ import annotations

import math
from typing import NamedTuple

from msgspec.structs import replace

from isthmus.layout import structures
from isthmus.show.records import Quat, Show
from isthmus.stage.transforms import quat_about, quat_multiply, turn_of

_X, _Y, _Z = (1.0, 0.0, 0.0), (0.0, 1.0, 0.0), (0.0, 0.0, 1.0)


class Attitude(NamedTuple):
    """Degrees: turn anticlockwise seen from above; tilt lifts the far end, lean the back edge."""

    turn: float
    tilt: float
    lean: float

    @property
    def rotation(self) -> Quat:
        """As a unit quaternion (w, x, y, z)."""
        tipped = quat_multiply(quat_about(_Y, -self.tilt), quat_about(_X, self.lean))
        return quat_multiply(quat_about(_Z, self.turn), tipped)


def attitude_of(rotation: Quat) -> Attitude:
    """The figures of a rotation; tilt −90…90. Upright on its end, all turning is called turn."""
    m = turn_of(rotation)
    up = max(-1.0, min(1.0, float(m[2, 0])))
    if abs(up) > 1 - 1e-9:
        turn = math.degrees(math.atan2(-m[0, 1], m[1, 1]))
        return Attitude(turn, math.degrees(math.asin(up)), 0.0)
    return Attitude(
        math.degrees(math.atan2(m[1, 0], m[0, 0])),
        math.degrees(math.asin(up)),
        math.degrees(math.atan2(m[2, 1], m[2, 2])),
    )


def set_attitude(show: Show, structure_id: str, **figures: float) -> Show:
    """A structure with some of the figures changed about its origin, and what hangs on it along."""
    return structures.change(
        show,
        structure_id,
        lambda s: replace(s, rotation=attitude_of(s.rotation)._replace(**figures).rotation),
    )
