"""Handles of structures and units: points in space that can be pulled, and what pulling them does.
For plan and stage alike.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from msgspec.structs import replace
from numpy.typing import NDArray

from isthmus.layout import structures
from isthmus.layout.attitude import attitude_of
from isthmus.layout.place import move_units
from isthmus.patch.edits import change_units
from isthmus.show.records import Show, Structure, Unit, Vec3
from isthmus.stage.runs import UPRIGHT_KINDS, run_of
from isthmus.stage.transforms import quat_about, quat_multiply, turn_of

Array = NDArray[np.float64]
STEP = 0.05  # metres handles move in
TURN_STEP = 5.0  # degrees they turn in
_Z = (0.0, 0.0, 1.0)


@dataclass(frozen=True)
class Handle:
    """`name` is move, start, end, height or turn; `up` is pulled along the vertical, all others on
    the level.
    """

    name: str
    point: Vec3
    up: bool = False


def _three(v: Array) -> Vec3:
    return float(v[0]), float(v[1]), float(v[2])


def handles_of(structure: Structure) -> list[Handle]:
    """Where a structure can be taken hold of."""
    turn, at = turn_of(structure.rotation), np.array(structure.position)
    upright = structure.kind in UPRIGHT_KINDS
    reach = max(0.8, structure.size[0] / 4 if not upright else 0.8)
    found = [
        Handle("move", structure.position),
        Handle("turn", _three(at + turn @ np.array([0.6 * reach, -0.8, 0.0]))),
    ]
    if upright:
        return [
            *found,
            Handle("end", _three(at + turn @ np.array([0, 0, structure.size[2]])), True),
        ]
    found.append(Handle("height", _three(at + np.array([0, 0, 0.9])), True))
    run = run_of(structure)
    if structure.kind == "circle":
        return [*found, Handle("end", _three(at + turn @ np.array([structure.size[0] / 2, 0, 0])))]
    if structure.kind == "corner":
        return [*found, Handle("end", _three(at + turn @ run.points[0]))]
    return [
        *found,
        Handle("start", _three(at + turn @ run.points[0])),
        Handle("end", _three(at + turn @ run.points[-1])),
    ]


def stepped(value: float, step: float, free: bool = False) -> float:
    """A figure in whole steps; as it is when free."""
    return value if free else round(value / step) * step


def pull(
    show: Show,
    structure_id: str,
    name: str,
    start: Vec3,
    to: Vec3,
    way: str = "spacing",
    free: bool = False,
) -> structures.Resized:
    """Pull a handle from where it was taken to a point. Lengths change at the end that is pulled;
    the other one stays.
    """
    one = structures.structure(show, structure_id)
    by = np.array(to) - np.array(start)
    if name == "move":
        by = np.array([stepped(float(v), STEP, free) for v in by])
        return structures.Resized(
            structures.change(
                show, structure_id, lambda s: replace(s, position=_three(np.array(s.position) + by))
            ),
            (),
        )
    if name == "height":
        z = stepped(one.position[2] + float(by[2]), STEP, free)
        return structures.Resized(
            structures.change(
                show, structure_id, lambda s: replace(s, position=(*s.position[:2], z))
            ),
            (),
        )
    if name == "turn":
        middle = np.array(one.position)
        before, after = (
            math.degrees(math.atan2(*(np.array(p) - middle)[1::-1])) for p in (start, to)
        )
        degrees = stepped(after - before, TURN_STEP, free)
        return structures.Resized(turned(show, structure_id, degrees), ())
    upright = one.kind in UPRIGHT_KINDS
    if upright:
        return structures.resize(
            show, structure_id, max(0.1, stepped(one.size[2] + float(by[2]), STEP, free)), way
        )
    if one.kind in ("circle", "corner"):
        away = float(np.linalg.norm((np.array(to) - np.array(one.position))[:2]))
        length = away * (2 if one.kind == "circle" else 1)
        return structures.resize(show, structure_id, max(0.1, stepped(length, STEP, free)), way)
    along = turn_of(one.rotation) @ np.array([1.0, 0.0, 0.0])
    sign = 1.0 if name == "end" else -1.0
    length = max(0.1, stepped(one.size[0] + sign * float(by @ along), STEP, free))
    return lengthened(show, structure_id, length, way, name)


def pull_together(
    show: Show,
    ids: Sequence[str],
    name: str,
    start: Vec3,
    to: Vec3,
    way: str = "spacing",
    free: bool = False,
) -> structures.Resized:
    """As `pull` of the last one; where it is moved, lifted or turned the others go along, each
    turned about its own origin. Those that are locked stay.
    """
    *others, last = ids
    before = structures.structure(show, last)
    made = pull(show, last, name, start, to, way, free)
    if name not in ("move", "height", "turn"):
        return made
    after = structures.structure(made.show, last)
    by = np.array(after.position) - np.array(before.position)
    turn = attitude_of(after.rotation).turn - attitude_of(before.rotation).turn
    show = made.show
    for other in others:
        if not structures.structure(show, other).pinned:
            show = structures.change(
                show, other, lambda s: replace(s, position=_three(np.array(s.position) + by))
            )
            show = turned(show, other, turn) if turn else show
    return structures.Resized(show, made.past)


def lengthened(
    show: Show, structure_id: str, length: float, way: str = "spacing", end: str = "middle"
) -> structures.Resized:
    """Another length with its `start` or `end` moving and the opposite one staying, or its `middle`
    staying.

    With one end staying, `spacing` leaves everybody where they hang.
    """
    one = structures.structure(show, structure_id)
    if end == "middle" or one.kind in (*UPRIGHT_KINDS, "circle", "corner"):
        return structures.resize(show, structure_id, length, way)
    shift = (length - one.size[0]) / 2 * (1 if end == "end" else -1)
    by = turn_of(one.rotation) @ np.array([shift, 0.0, 0.0])
    made = structures.resize(show, structure_id, length, way)
    if way == "spacing":  # the middle moves, the units do not
        shown = replace(
            made.show,
            structures=tuple(
                replace(s, position=_three(np.array(s.position) + by))
                if s.id == structure_id
                else s
                for s in made.show.structures
            ),
        )
        after = structures.structure(shown, structure_id)
        run = run_of(after)
        local = [  # of those it held before: one past its end is not held any more
            (u.number, structures.local_of(after, u.position or (0.0, 0.0, 0.0))[0])
            for u in structures.hanging(show, structure_id)
        ]
        return structures.Resized(
            shown, tuple(n for n, x in local if abs(x) > run.length / 2 + 1e-6)
        )
    return structures.Resized(
        structures.change(
            made.show,
            structure_id,
            lambda s: replace(s, position=_three(np.array(s.position) + by)),
        ),
        made.past,
    )


def turned(show: Show, structure_id: str, degrees: float) -> Show:
    """Turn a structure about the vertical through its origin, with what hangs on it."""
    return structures.change(
        show,
        structure_id,
        lambda s: replace(s, rotation=quat_multiply(quat_about(_Z, degrees), s.rotation)),
    )


# ---------------------------------------------------------------- units


def unit_handles(units: Sequence[Unit]) -> list[Handle]:
    """Handles of a selection: move and height at its middle, turn beside it."""
    placed = [np.array(u.position) for u in units if u.position is not None]
    if not placed:
        return []
    middle = np.mean(placed, axis=0)
    return [
        Handle("move", _three(middle)),
        Handle("height", _three(middle + np.array([0, 0, 0.8])), True),
        Handle("turn", _three(middle + np.array([0.7, -0.7, 0]))),
    ]


def pull_units(
    show: Show, ids: Sequence[str], name: str, start: Vec3, to: Vec3, free: bool = False
) -> Show:
    """Move, lift or turn a selection: turning turns each about its own vertical, places stay."""
    by = np.array(to) - np.array(start)
    if name == "turn":
        units = [u for u in show.units if u.id in set(ids)]
        middle = np.array(unit_handles(units)[0].point)
        before, after = (
            math.degrees(math.atan2(*(np.array(p) - middle)[1::-1])) for p in (start, to)
        )
        return turn_units(show, ids, stepped(after - before, TURN_STEP, free))
    if name == "height":
        return move_units(show, ids, (0.0, 0.0, stepped(float(by[2]), STEP, free)))
    return move_units(
        show, ids, (stepped(float(by[0]), STEP, free), stepped(float(by[1]), STEP, free), 0.0)
    )


def turn_units(show: Show, ids: Sequence[str], degrees: float) -> Show:
    """Turn each unit about the vertical through itself; locked ones stay."""
    by = quat_about(_Z, degrees)
    return change_units(
        show,
        set(ids),
        lambda u: (
            u if u.pinned or not degrees else replace(u, rotation=quat_multiply(by, u.rotation))
        ),
    )
