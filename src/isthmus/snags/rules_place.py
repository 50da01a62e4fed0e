"""Rules about where units are: on what holds them, apart, and above the ground."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
from msgspec.structs import replace

from isthmus.patch.edits import change_units, set_text
from isthmus.patch.numbers import write_numbers
from isthmus.show.records import Show, Unit
from isthmus.snags.context import Context
from isthmus.snags.records import ATTENTION, NOTE, Fix, Snag
from isthmus.stage.runs import along_of, local_of, run_of, spot
from isthmus.stage.touching import gap, touches

ONE_SPOT = 0.01  # metres
UNDER = 0.05  # metres a unit may sink into the ground: nobody measures a stage to the millimetre


def off_structure(at: Context, unit: Unit) -> Iterator[Snag]:
    """It is said to hang on a structure, and stands in the air beside it."""
    on = at.structures.get(unit.structure)
    if on is None or unit.position is None or touches(on, unit.position):
        return
    run, point = run_of(on), local_of(on, unit.position)
    along = run.nearest(point, beyond=True)
    past = max(-along, along - run.length)
    where = (
        f"{past:.2f} m past the end of {on.name}"
        if past > 0 and not run.closed
        else f"{gap(on, unit.position):.2f} m off {on.name}"
    )
    text = f"Unit {unit.number} is {where}, and does not move with it."
    fix = Fix(f"Hang it on {on.name}", lambda s: hung_back(s, unit.id))
    yield Snag("off-structure", ATTENTION, text, "Plan", (unit.id,), "", fix)


def hung_back(show: Show, unit_id: str) -> Show:
    """The nearest place on the structure it is said to hang on, turned as it is."""
    unit = show.unit(unit_id)
    on = next((s for s in show.structures if unit and s.id == unit.structure), None)
    if unit is None or on is None or unit.position is None:
        return show
    position, _ = spot(on, along_of(on, unit.position))
    return change_units(show, [unit_id], lambda u: replace(u, position=position))


def hangs_elsewhere(at: Context, unit: Unit) -> Iterator[Snag]:
    """Its hang position names one structure, and it hangs on another."""
    on, named = at.structures.get(unit.structure), at.named.get(unit.hangs_on.strip().lower())
    if on is None or named is None or named.id == on.id:
        return
    if named.name.lower() == on.name.lower():
        return  # two structures of one name: either is meant
    text = f"Unit {unit.number} hangs on {on.name}; its hang position is {named.name}."
    fix = Fix(
        f"Write {on.name} as its hang position",
        lambda s: set_text(s, [unit.id], "hangs_on", on.name),
    )
    yield Snag("hangs-elsewhere", ATTENTION, text, "Plan", (unit.id,), "", fix)


def below_ground(at: Context, unit: Unit) -> Iterator[Snag]:
    level = at.ground
    if unit.position is None or unit.position[2] >= level - UNDER:
        return
    under = "the water" if level < 0 else "the floor"
    text = f"Unit {unit.number} is {level - unit.position[2]:.2f} m below {under}."
    fix = Fix("Lift it up to there", lambda s: _lifted(s, unit.id, level))
    yield Snag("below-ground", ATTENTION, text, "Plan", (unit.id,), "", fix)


def _lifted(show: Show, unit_id: str, level: float) -> Show:
    def change(unit: Unit) -> Unit:
        x, y, _ = unit.position or (0.0, 0.0, 0.0)
        return replace(unit, position=(x, y, level))

    return change_units(show, [unit_id], change)


def on_one_spot(at: Context) -> Iterator[Snag]:
    """Units in one another, to the centimetre."""
    placed = [unit for unit in at.show.units if unit.position is not None]
    if len(placed) < 2:
        return
    points = np.rint(np.array([unit.position for unit in placed]) / ONE_SPOT)
    order = np.lexsort(points.T)
    same = (np.diff(points[order], axis=0) == 0).all(axis=1)
    for first, last in _stretches(same):
        units = sorted((placed[i] for i in order[first : last + 1]), key=lambda u: u.number)
        text = f"{write_numbers([u.number for u in units])} are placed on one spot."
        yield Snag("one-spot", NOTE, text, "Plan", tuple(u.id for u in units))


def _stretches(same: np.ndarray) -> Iterator[tuple[int, int]]:
    """First and last of each run of neighbours that are the same, (n − 1,) flags."""
    edges = np.flatnonzero(np.diff(np.concatenate([[0], same.astype(np.int8), [0]])))
    for first, last in edges.reshape(-1, 2):
        yield int(first), int(last)


PLACE_RULES = (off_structure, hangs_elsewhere, below_ground)
