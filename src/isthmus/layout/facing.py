"""Turning units as they are laid: their front to the middle or away from it, their long side along
the path.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from msgspec.structs import replace
from numpy.typing import NDArray

from isthmus.layout import lay
from isthmus.layout.laying import Laying
from isthmus.patch.edits import change_units
from isthmus.show.records import Quat, Show, Unit
from isthmus.stage.mount import mount_of, turned
from isthmus.stage.transforms import turn_of

Array = NDArray[np.float64]
FACINGS = {"": "as they are", "centre": "to the centre", "outwards": "outwards", "along": "along"}
_LEVEL = 1e-3  # a direction whose level part is shorter than this points up or down


def ways(laying: Laying, count: int, facing: str) -> Array:
    """The direction (count, 2) each unit is to look in, or its long side to lie in; (0, 0) where
    there is none, as in the very middle.
    """
    places = np.asarray(laying.places(count), np.float64)
    if facing == "along":
        return _tangents(laying, places)
    middle = np.array(laying.start) if laying.kind == "circle" else places.mean(axis=0)
    to = middle - places if facing == "centre" else places - middle
    size = np.linalg.norm(to, axis=1, keepdims=True)
    return np.where(size > 1e-6, to / np.maximum(size, 1e-12), 0.0)


def _tangents(laying: Laying, places: Array) -> Array:
    if laying.kind == "circle":
        out = (places - np.array(laying.start)) / laying.radius
        sign = -1.0 if laying.sweep < 0 else 1.0
        return sign * np.stack([-out[:, 1], out[:, 0]], axis=1)
    if laying.kind == "line":
        way = np.array(laying.end) - np.array(laying.start)
        size = float(np.linalg.norm(way))
        return np.tile(way / size if size > 1e-9 else [1.0, 0.0], (len(places), 1))
    if laying.kind == "path":
        found = lay.along_path(laying.path, len(places), laying.spacing, laying.closed)
        return np.asarray(found[1], np.float64)
    return np.tile([1.0, 0.0], (len(places), 1))


def faced(show: Show, ids: Sequence[str], directions: Array, facing: str) -> Show:
    """Units turned about the vertical, so that their fronts (local −y; along: their local x) look
    in these directions (n, 2). How they hang and lean stays. Units whose place is locked stay.
    """
    wanted = dict(zip(ids, directions, strict=True))
    side = (1.0, 0.0, 0.0) if facing == "along" else (0.0, -1.0, 0.0)

    def turn(unit: Unit) -> Unit:
        rotation = _looking(unit.rotation, side, wanted[unit.id])
        return unit if unit.pinned else replace(unit, rotation=rotation)

    return change_units(show, set(wanted), turn)


def _looking(rotation: Quat, side: tuple[float, float, float], way: Array) -> Quat:
    now = turn_of(rotation) @ np.array(side)
    if np.hypot(now[0], now[1]) < _LEVEL:  # lies on its front: then its light
        now = turn_of(rotation) @ np.array((0.0, 0.0, -1.0))
    if np.hypot(now[0], now[1]) < _LEVEL or not way.any():
        return rotation
    by = np.degrees(np.arctan2(way[1], way[0]) - np.arctan2(now[1], now[0]))
    turn = mount_of(rotation).turn + float(by)
    return turned(rotation, (turn + 180.0) % 360.0 - 180.0)
