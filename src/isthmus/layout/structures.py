"""Structures as edits: put up, remove, move, turn, lengthen. What hangs on them goes along."""

from __future__ import annotations

import math
import re
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from msgspec.structs import replace

from isthmus.errors import EntryFault
from isthmus.layout.place import LIMIT
from isthmus.patch.edits import change_units
from isthmus.patch.numbers import write_numbers
from isthmus.plural import many
from isthmus.show.records import UPRIGHT, Quat, Show, Structure, Unit, Vec3, new_id
from isthmus.stage.runs import KINDS, SHORTEST, UPRIGHT_KINDS, local_of, run_of, spot
from isthmus.stage.touching import touches
from isthmus.stage.transforms import quat_about, quat_multiply, turn_of

SIZES: dict[str, Vec3] = {  # what a new one measures
    "truss": (6.0, 0.3, 0.3),
    "circle": (4.0, 0.3, 0.3),
    "corner": (1.0, 0.3, 0.3),
    "pipe": (6.0, 0.05, 0.05),
    "rail": (4.0, 0.06, 0.06),
    "mast": (0.2, 0.2, 6.0),
    "boom": (0.06, 0.06, 3.0),
    "tower": (0.3, 0.3, 5.0),
    "deck": (2.0, 1.0, 0.4),
    "hull": (18.0, 9.0, 1.2),
    "wall": (6.0, 0.15, 4.0),
    "drape": (6.0, 0.2, 5.0),
    "screen": (4.0, 0.05, 2.25),
    "mesh": (1.0, 1.0, 1.0),
}
OVERHEAD = ("truss", "circle", "corner", "pipe")
LENGTH_WAYS = ("spacing", "ends", "refit")


def structure(show: Show, structure_id: str) -> Structure:
    """Raises EntryFault when there is none."""
    found = next((s for s in show.structures if s.id == structure_id), None)
    if found is None:
        raise EntryFault("There is no such structure any more.")
    return found


def hanging(show: Show, structure_id: str) -> list[Unit]:
    """Units that a structure holds, in order along it: said to hang on it, and touching it."""
    at = next((s for s in show.structures if s.id == structure_id), None)
    if at is None:
        return []
    units = [u for u in show.units if u.structure == structure_id and held_by(at, u)]
    run = run_of(at)
    return sorted(units, key=lambda u: run.nearest(local_of(at, u.position or at.position)))


def held_by(on: Structure, unit: Unit) -> bool:
    """Whether a unit goes where its structure goes: one that was drawn off it stays."""
    return unit.position is not None and touches(on, unit.position)


def add(
    show: Show,
    kind: str,
    position: Vec3 | None = None,
    size: Vec3 | None = None,
    name: str = "",
    **more: Any,
) -> tuple[Show, str]:
    """Put up a structure; returns the show and its id. Raises EntryFault for figures that make
    none.
    """
    if kind not in KINDS:
        raise EntryFault(f"There is no structure “{kind}”.", do=f"Choose {', '.join(KINDS)}.")
    measure = size or SIZES[kind]
    if position is None:
        x = 0.0
        position = (
            x,
            0.0,
            5.0
            if kind in OVERHEAD
            else 0.0
            if kind in (*UPRIGHT_KINDS, "mesh")
            else measure[2] / 2,
        )
    made = Structure(
        id=new_id(),
        kind=kind,
        name=name or free_name(show, kind),
        position=position,
        size=measure,
        **more,
    )
    _check(made)
    return replace(show, structures=(*show.structures, made)), made.id


def free_name(show: Show, kind: str) -> str:
    """`Truss 2`: the kind and the first number no structure has."""
    taken = {s.name.lower() for s in show.structures}
    return next(
        name
        for n in range(1, len(taken) + 2)
        if (name := f"{kind.capitalize()} {n}").lower() not in taken
    )


def duplicate(show: Show, structure_id: str) -> tuple[Show, str]:
    """Another one like it, a metre upstage of it, with nothing on it; returns the show and its
    id.
    """
    one = structure(show, structure_id)
    taken = {s.name.lower() for s in show.structures}
    stem = re.sub(r"\s+\d+$", "", one.name)
    number = next(n for n in range(2, len(taken) + 3) if f"{stem} {n}".lower() not in taken)
    x, y, z = one.position
    made = replace(
        one, id=new_id(), name=f"{stem} {number}", position=(x, y + 1.0, z), pinned=False
    )
    return replace(show, structures=(*show.structures, made)), made.id


def remove(show: Show, structure_id: str) -> Show:
    """Take a structure away; what hung on it stays where it was, on nothing."""
    structure(show, structure_id)
    show = replace(show, structures=tuple(s for s in show.structures if s.id != structure_id))
    ids = {u.id for u in show.units if u.structure == structure_id}
    return change_units(show, ids, lambda unit: replace(unit, structure=""))


def _check(made: Structure) -> None:
    figures = (*made.position, *made.rotation, *made.size, made.arc, *made.marks)
    if not all(math.isfinite(v) for v in figures):
        raise EntryFault(f"That is not a figure for {made.name}.", do="Write metres or degrees.")
    if any(abs(v) > LIMIT for v in made.position):
        raise EntryFault(f"{made.name} would stand more than {LIMIT:.0f} m away.")
    length = made.size[2] if made.kind in UPRIGHT_KINDS else made.size[0]
    if length < SHORTEST or min(made.size) <= 0 or max(made.size) > LIMIT:
        raise EntryFault(f"{made.name} would have no length.", do=f"Write at least {SHORTEST:g} m.")
    if not 0 < made.arc <= 360:
        raise EntryFault(f"{made.name} cannot span {made.arc:g} degrees.", do="Write 1 to 360.")
    if not 3 <= made.chords <= 4 and made.kind in ("truss", "circle", "corner", "tower"):
        raise EntryFault("A truss has three or four chords.")


def change(show: Show, structure_id: str, edit: Callable[[Structure], Structure]) -> Show:
    """Change a structure rigidly or in its looks: what hangs on it moves and turns along. Raises
    EntryFault.
    """
    old = structure(show, structure_id)
    new = edit(old)
    if new == old:
        return show
    if old.pinned and new.pinned:
        raise EntryFault(f"{old.name} is locked.", do="Unlock it first.")
    _check(new)
    show = replace(
        show, structures=tuple(new if s.id == structure_id else s for s in show.structures)
    )
    if new.position == old.position and new.rotation == old.rotation:
        return show
    swing = turn_of(new.rotation) @ turn_of(old.rotation).T
    by = _difference(new.rotation, old.rotation)
    ids = {u.id for u in show.units if u.structure == structure_id and held_by(old, u)}

    def carried(unit: Unit) -> Unit:
        x, y, z = (
            float(v)
            for v in swing @ (np.array(unit.position) - np.array(old.position))
            + np.array(new.position)
        )
        return replace(
            unit,
            position=(x, y, z),
            rotation=quat_multiply(by, unit.rotation)
            if new.rotation != old.rotation
            else unit.rotation,
        )

    return change_units(show, ids, carried)


def _difference(new: Quat, old: Quat) -> Quat:
    w, x, y, z = old
    return quat_multiply(new, (w, -x, -y, -z))


@dataclass(frozen=True)
class Resized:
    """A show with a structure of another length, and who would now hang past its end."""

    show: Show
    past: tuple[int, ...]

    @property
    def words(self) -> str:
        return f"{write_numbers(list(self.past))} would hang past its end." if self.past else ""


def resize(show: Show, structure_id: str, length: float, way: str = "spacing") -> Resized:
    """Give a structure another length (height, for what stands upright; diameter, for a circle).

    spacing: units stay as far from its middle as they are (from its foot, when it is upright).
    ends: the outermost keep their distance to the ends, those between are spread as they were.
    refit: all keep their share of the length. Raises EntryFault for no length.
    """
    if way not in LENGTH_WAYS:
        raise EntryFault(f"There is no way “{way}”.", do=f"Choose {', '.join(LENGTH_WAYS)}.")
    old = structure(show, structure_id)
    upright = old.kind in UPRIGHT_KINDS
    size = (old.size[0], old.size[1], length) if upright else (length, old.size[1], old.size[2])
    new = replace(old, size=size)
    if old.pinned:
        raise EntryFault(f"{old.name} is locked.", do="Unlock it first.")
    _check(new)
    before, after = run_of(old), run_of(new)
    units = hanging(show, structure_id)
    grown = after.length - before.length
    places = [before.nearest(local_of(old, u.position or old.position), beyond=True) for u in units]
    if way == "refit" or old.kind == "circle":
        wanted = [a * after.length / before.length for a in places]
    elif way == "ends" and len(places) > 1 and places[-1] - places[0] > 1e-9:
        span = places[-1] - places[0]
        wanted = [places[0] + (a - places[0]) / span * (span + grown) for a in places]
    else:
        wanted = [a + (grown if upright else grown / 2) for a in places]
    turn = turn_of(old.rotation)
    moved: dict[str, Vec3] = {}
    past = []
    for unit, was, now in zip(units, places, wanted, strict=True):
        from_point, _ = before.place(was)
        to_point, _ = after.place(now)
        x, y, z = (float(v) for v in np.array(unit.position) + turn @ (to_point - from_point))
        moved[unit.id] = (x, y, z)
        if not after.closed and not -1e-6 <= now <= after.length + 1e-6:
            past.append(unit.number)
    show = replace(
        show, structures=tuple(new if s.id == structure_id else s for s in show.structures)
    )
    return Resized(
        change_units(show, moved, lambda unit: replace(unit, position=moved[unit.id])), tuple(past)
    )


def hang(
    show: Show,
    ids: Sequence[str],
    structure_id: str,
    how: str = "evenly",
    side: str = "",
    spacing: float = 0.0,
    offset: float = 0.0,
) -> Show:
    """Hang a selection on a structure in its order: `evenly`, at a `spacing` about its middle, or
    at its `marks`.

    Raises EntryFault when they do not fit.
    """
    on = structure(show, structure_id)
    run = run_of(on)
    count = len(ids)
    if how == "marks":
        if len(on.marks) < count:
            raise EntryFault(
                f"{on.name} has {len(on.marks)} marked points for {many(count, 'unit')}.",
                do="Mark more, or choose fewer units.",
            )
        wanted = sorted(on.marks)[:count]
    elif how == "spacing":
        if not (math.isfinite(spacing) and spacing > 0):
            raise EntryFault("That is not a spacing.", do="Write metres, such as 0.8.")
        need = spacing * (count - 1)
        if need > run.length + 1e-9:
            raise EntryFault(
                f"{many(count, 'unit')} {spacing:g} m apart need {need:.2f} m; {on.name} has "
                f"{run.length:.2f} m."
            )
        wanted = [(run.length - need) / 2 + i * spacing for i in range(count)]
    elif run.closed:
        wanted = [i * run.length / max(count, 1) for i in range(count)]
    else:
        margin = min(0.4, run.length / 4)
        wanted = (
            [run.length / 2]
            if count == 1
            else [margin + (run.length - 2 * margin) * i / (count - 1) for i in range(count)]
        )
    made = {unit: spot(on, along, side, offset) for unit, along in zip(ids, wanted, strict=True)}
    return change_units(
        show,
        [u for u in ids if not _pinned(show, u)],
        lambda unit: replace(
            unit,
            structure=on.id,
            hangs_on=unit.hangs_on or on.name,
            position=made[unit.id][0],
            rotation=made[unit.id][1],
        ),
    )


def _pinned(show: Show, unit_id: str) -> bool:
    unit = show.unit(unit_id)
    return unit is not None and unit.pinned


def slide(show: Show, unit_id: str, along: float) -> Show:
    """Move a unit along what it hangs on, on the side and at the distance it hangs now. Raises
    EntryFault past the end.
    """
    unit = show.unit(unit_id)
    if unit is None or not unit.structure or unit.position is None:
        raise EntryFault(
            f"{unit.number if unit else 'It'} hangs on no structure.", do="Hang it first."
        )
    on = structure(show, unit.structure)
    run = run_of(on)
    _within(on, along)
    here, way = run.place(run.nearest(local_of(on, unit.position)))
    there, onward = run.place(along)
    bend = math.degrees(math.atan2(onward[1], onward[0]) - math.atan2(way[1], way[0]))
    own = quat_about((0.0, 0.0, 1.0), bend)  # a circle or a corner turns it along
    local = there + turn_of(own) @ (local_of(on, unit.position) - here)
    x, y, z = (float(v) for v in turn_of(on.rotation) @ local + np.array(on.position))
    swing = quat_multiply(on.rotation, quat_multiply(own, _difference(UPRIGHT, on.rotation)))
    rotation = quat_multiply(swing, unit.rotation) if bend else unit.rotation
    return change_units(
        show, [unit_id], lambda u: replace(u, position=(x, y, z), rotation=rotation)
    )


def _within(on: Structure, along: float) -> None:
    if not math.isfinite(along) or not -1e-6 <= along <= run_of(on).length + 1e-6:
        raise EntryFault(
            f"{on.name} is {run_of(on).length:.2f} m long.", do="Write metres from its start."
        )
