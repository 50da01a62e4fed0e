"""How a unit is mounted, in words people use: hang direction, turn and lean, apart from where it
pans and tilts.

Any rotation is Rz(turn) · Rx(lean) · Rz(spin). Lean is how far the unit is tipped out of hanging
straight down: 0 hangs below, 90 sticks out sideways, 180 stands. At 0 and 180 turn and spin are
one; all of it is then called turn.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import lru_cache

from isthmus.show.records import Quat, Unit
from isthmus.stage.transforms import quat_about, quat_multiply, turn_of

HANGS = ("below", "above", "side", "floor")
LEANS = {"below": 0.0, "above": 180.0, "side": 90.0, "floor": 180.0}
_STRAIGHT = 1e-6


@dataclass(frozen=True)
class Mount:
    """Degrees: turn about the vertical, lean out of hanging straight down, spin about the unit's
    own axis.
    """

    turn: float = 0.0
    lean: float = 0.0
    spin: float = 0.0

    @property
    def rotation(self) -> Quat:
        """As a unit quaternion (w, x, y, z)."""
        z, x = (0.0, 0.0, 1.0), (1.0, 0.0, 0.0)
        return quat_multiply(
            quat_about(z, self.turn),
            quat_multiply(quat_about(x, self.lean), quat_about(z, self.spin)),
        )


@lru_cache(65536)
def mount_of(rotation: Quat) -> Mount:
    """The mount of a rotation; lean 0…180, turn and spin −180…180."""
    m = turn_of(rotation)
    lean = math.degrees(math.acos(max(-1.0, min(1.0, float(m[2, 2])))))
    if math.hypot(m[0, 2], m[1, 2]) < _STRAIGHT:
        return Mount(math.degrees(math.atan2(m[1, 0], m[0, 0])), 0.0 if m[2, 2] > 0 else 180.0, 0.0)
    turn = math.degrees(math.atan2(m[0, 2], -m[1, 2]))
    return Mount(turn, lean, math.degrees(math.atan2(m[2, 0], m[2, 1])))


def hang_of(unit: Unit) -> str:
    """below, above, side or floor: what a person would call the way it is mounted."""
    lean = mount_of(unit.rotation).lean
    if lean < 45:
        return "below"
    if lean <= 135:
        return "side"
    return "above" if unit.structure else "floor"


def hung(rotation: Quat, hang: str) -> Quat:
    """The rotation with another hang direction and the same turn."""
    now = mount_of(rotation)
    turn = now.turn + (now.spin if now.lean in (0.0, 180.0) else 0.0)
    return Mount(turn, LEANS[hang], 0.0).rotation


def turned(rotation: Quat, turn: float) -> Quat:
    """The rotation with another turn about the vertical."""
    now = mount_of(rotation)
    return Mount(turn, now.lean, now.spin).rotation


def leaned(rotation: Quat, lean: float) -> Quat:
    """The rotation with another lean."""
    now = mount_of(rotation)
    return Mount(now.turn, lean, now.spin).rotation
