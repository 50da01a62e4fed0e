"""Placing units: on the structure their position names, in a row, by moving. Pure edits."""

from __future__ import annotations

import math
from collections.abc import Collection, Iterable, Mapping

import numpy as np
from msgspec.structs import replace

from isthmus.errors import EntryFault
from isthmus.patch.edits import change_units
from isthmus.show.records import UPRIGHT, Quat, Show, Structure, Unit, Vec3
from isthmus.stage.transforms import quat_about, quat_multiply, turn_of

STANDING: Quat = quat_about((1.0, 0.0, 0.0), 180.0)  # light goes up
LIMIT = 500.0  # metres; further away is a slip
_UPRIGHT_KINDS = ("mast", "boom", "tower")
_STANDING_KINDS = ("rail", "deck", "hull")
_EDGE = 0.4
IN_A_ROW, STANDING_APART = 24, 0.8  # units place on the floor, metres from one to the next


def spots(structure: Structure, count: int) -> list[tuple[Vec3, Quat]]:
    """`count` places spread evenly along a structure, and how a unit hangs or stands there."""
    length, depth, height = structure.size
    vertical = structure.kind in _UPRIGHT_KINDS
    run = height if vertical else length
    margin = min(_EDGE, run / 4)
    turn = turn_of(structure.rotation)
    made = []
    for index in range(count):
        along = margin + (run - 2 * margin) * (
            (index + 0.5) / count if count == 1 else index / (count - 1)
        )
        if structure.kind in ("mast", "tower"):  # from the top down, on the audience's side
            local, own = (0.0, -depth / 2 - 0.25, height - along), UPRIGHT
        elif vertical:  # a boom: side light, leaning towards the middle
            side = 1.0 if structure.position[0] >= 0 else -1.0
            local, own = (
                (-side * (depth / 2 + 0.2), 0.0, height - along),
                quat_about((0.0, 1.0, 0.0), 62.0 * side),
            )
        elif structure.kind in (
            "wall",
            "drape",
            "screen",
        ):  # along its top, leaning down towards the audience
            local, own = (
                (along - length / 2, -depth / 2 - 0.25, height / 2 - 0.1),
                quat_about((1.0, 0.0, 0.0), -38.0),
            )
        elif structure.kind in _STANDING_KINDS:
            local, own = (along - length / 2, 0.0, height / 2), STANDING
        else:
            local, own = (along - length / 2, 0.0, -height / 2), UPRIGHT
        x, y, z = (float(v) for v in turn @ np.array(local) + np.array(structure.position))
        made.append(((x, y, z), quat_multiply(structure.rotation, own)))
    return made


def structure_named(show: Show, name: str) -> Structure | None:
    wanted = name.strip().lower()
    return next((s for s in show.structures if s.name.lower() == wanted), None) if wanted else None


def hang_by_name(show: Show, ids: Collection[str]) -> Show:
    """Spread units along the structures their positions name, together with those that hang
    there already.

    Units whose position names no structure stay as they are.
    """
    wanted = set(ids)
    by_structure: dict[str, list[Unit]] = {}
    for unit in show.units:
        structure = structure_named(show, unit.hangs_on)
        if structure and (unit.id in wanted or unit.structure == structure.id):
            by_structure.setdefault(structure.id, []).append(unit)
    made: dict[str, tuple[str, Vec3, Quat]] = {}
    for structure in show.structures:
        units = by_structure.get(structure.id, [])
        fresh = [unit for unit in units if unit.id in wanted]
        if not fresh:
            continue
        hanging = [unit for unit in units if unit.id not in wanted and unit.position is not None]
        places = (
            _between(structure, hanging, len(fresh)) if hanging else spots(structure, len(fresh))
        )
        for unit, (position, rotation) in zip(fresh, places, strict=True):
            made[unit.id] = structure.id, position, rotation
    return change_units(
        show,
        made,
        lambda unit: replace(
            unit, structure=made[unit.id][0], position=made[unit.id][1], rotation=made[unit.id][2]
        ),
    )


def _between(structure: Structure, hanging: list[Unit], count: int) -> list[tuple[Vec3, Quat]]:
    """Of twice as many spots as units, those furthest from what hangs there: no unit that hangs
    there is moved.
    """
    taken = [np.array(unit.position) for unit in hanging]
    chosen = []
    candidates = spots(structure, 2 * (count + len(hanging)) + 1)
    for _ in range(count):
        best = max(
            candidates,
            key=lambda spot: min(
                float(np.linalg.norm(np.array(spot[0]) - other)) for other in taken
            ),
        )
        candidates.remove(best)
        taken.append(np.array(best[0]))
        chosen.append(best)
    return sorted(chosen, key=lambda spot: spot[0])


def set_out(show: Show, ids: Collection[str]) -> Show:
    """Place units: on the structure they name, else in rows on the floor in front of everything."""
    show = hang_by_name(show, ids)
    loose = [unit for unit in show.units if unit.id in set(ids) and unit.position is None]
    if not loose:
        return show
    front = min(
        [s.position[1] - max(s.size[0], s.size[1]) / 2 for s in show.structures]
        + [u.position[1] for u in show.units if u.position]
        + [0.0]
    )
    places = {}
    for index, unit in enumerate(loose):
        row, at = divmod(index, IN_A_ROW)
        wide = min(IN_A_ROW, len(loose) - row * IN_A_ROW)
        places[unit.id] = (
            (at - (wide - 1) / 2) * STANDING_APART,
            max(front, -12.0) - 1.0 - row * STANDING_APART,
            0.0,
        )
    return change_units(
        show, places, lambda unit: replace(unit, position=places[unit.id], rotation=STANDING)
    )


def move_units(show: Show, ids: Iterable[str], by: Vec3) -> Show:
    """Move placed units by metres; locked ones stay. Raises EntryFault when one would leave the
    world.
    """
    if not all(map(math.isfinite, by)):
        raise EntryFault("That is not a distance.")

    def change(unit: Unit) -> Unit:
        if unit.position is None or unit.pinned or by == (0.0, 0.0, 0.0):
            return unit
        x, y, z = unit.position
        return replace(unit, position=_inside(unit, (x + by[0], y + by[1], z + by[2])))

    return change_units(show, set(ids), change)


def put_unit(show: Show, unit_id: str, position: Vec3) -> Show:
    """Place one unit at a point, keeping its turn."""
    return put_units(show, {unit_id: position})


def put_units(show: Show, places: Mapping[str, Vec3]) -> Show:
    """Place units at points, keeping their turn. Raises EntryFault when one would leave the
    world.
    """
    return change_units(
        show,
        places,
        lambda unit: (
            replace(unit, position=_inside(unit, places[unit.id]))
            if unit.position != places[unit.id]
            else unit
        ),
    )


def _inside(unit: Unit, position: Vec3) -> Vec3:
    if not all(math.isfinite(v) and abs(v) <= LIMIT for v in position):
        raise EntryFault(
            f"Unit {unit.number} would stand more than {LIMIT:.0f} m away.",
            do="Type a place in metres.",
        )
    return position
