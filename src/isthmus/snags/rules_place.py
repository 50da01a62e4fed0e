"""Rules about where units are: on what holds them, apart, and above the ground."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence

import numpy as np
from msgspec.structs import replace

from isthmus.layout import set_out
from isthmus.patch.edits import change_units, set_text
from isthmus.patch.numbers import write_numbers
from isthmus.show.records import Show, Unit
from isthmus.snags.context import Context
from isthmus.snags.records import ATTENTION, NOTE, Fix, Snag
from isthmus.stage.runs import along_of, spot
from isthmus.stage.touching import gaps, past_the_end, touching

ONE_SPOT = 0.01  # metres
UNDER = 0.05  # metres a unit may sink into the ground: nobody measures a stage to the millimetre


def place_snags(at: Context, ids: Iterable[str]) -> Iterator[tuple[str, list[Snag]]]:
    """What is wrong with the places of units, a unit at a time; nothing is with one that is gone.

    Whether they touch what they hang on is found for all of them at once: a hand moves
    thousands.
    """
    units = [(unit_id, at.index.by_id.get(unit_id)) for unit_id in ids]
    loose = _loose(at, [unit for _, unit in units if unit])
    for unit_id, unit in units:
        found: list[Snag] = []
        if unit is not None:
            rules = (no_place, hangs_elsewhere, below_ground)
            found += [snag for rule in rules if (snag := rule(at, unit))]
            if unit_id in loose:
                found.append(off_structure(at, unit, *loose[unit_id]))
        yield unit_id, found


def _loose(at: Context, units: Sequence[Unit]) -> dict[str, tuple[float, float]]:
    """Units that do not touch the structure they are said to hang on: how far off it they are, and
    how far past its end (0 for none), metres.
    """
    hung: dict[str, list[Unit]] = {}
    for unit in units:
        if unit.structure in at.structures and unit.position is not None:
            hung.setdefault(unit.structure, []).append(unit)
    found: dict[str, tuple[float, float]] = {}
    for structure, mine in hung.items():
        on, points = at.structures[structure], np.array([u.position for u in mine])
        rows = np.flatnonzero(~touching(on, points))
        if rows.size:
            off, past = gaps(on, points[rows]).tolist(), past_the_end(on, points[rows]).tolist()
            found.update((mine[r].id, (o, p)) for r, o, p in zip(rows, off, past, strict=True))
    return found


def no_place(at: Context, unit: Unit) -> Snag | None:
    if unit.position is not None:
        return None
    text = f"Unit {unit.number} {unit.name} is not placed on plan."
    fix = Fix("Place", lambda s: set_out(s, [unit.id]))
    return Snag("no-place", ATTENTION, text, "Plan", (unit.id,), "place", fix)


def off_structure(at: Context, unit: Unit, off: float, past: float) -> Snag:
    """It is said to hang on a structure, and stands in the air beside it, metres off it or past its
    end.
    """
    on = at.structures[unit.structure]
    where = f"{past:.2f} m past the end of" if past else f"{off:.2f} m off"
    where = f"{where} {on.name}"
    text = f"Unit {unit.number} is {where}, and does not move with it."
    fix = Fix(f"Hang it on {on.name}", lambda s: hung_back(s, unit.id))
    return Snag("off-structure", ATTENTION, text, "Plan", (unit.id,), "", fix)


def hung_back(show: Show, unit_id: str) -> Show:
    """The nearest place on the structure it is said to hang on, turned as it is."""
    unit = show.unit(unit_id)
    on = next((s for s in show.structures if unit and s.id == unit.structure), None)
    if unit is None or on is None or unit.position is None:
        return show
    position, _ = spot(on, along_of(on, unit.position))
    return change_units(show, [unit_id], lambda u: replace(u, position=position))


def hangs_elsewhere(at: Context, unit: Unit) -> Snag | None:
    """Its hang position names one structure, and it hangs on another."""
    on, named = at.structures.get(unit.structure), at.named.get(unit.hangs_on.strip().lower())
    if on is None or named is None or named.id == on.id:
        return None
    if named.name.lower() == on.name.lower():
        return None  # two structures of one name: either is meant
    text = f"Unit {unit.number} hangs on {on.name}; its hang position is {named.name}."
    fix = Fix(
        f"Write {on.name} as its hang position",
        lambda s: set_text(s, [unit.id], "hangs_on", on.name),
    )
    return Snag("hangs-elsewhere", ATTENTION, text, "Plan", (unit.id,), "", fix)


def below_ground(at: Context, unit: Unit) -> Snag | None:
    level = at.ground
    if unit.position is None or unit.position[2] >= level - UNDER:
        return None
    under = "the water" if level < 0 else "the floor"
    text = f"Unit {unit.number} is {level - unit.position[2]:.2f} m below {under}."
    fix = Fix("Lift it up to there", lambda s: _lifted(s, unit.id, level))
    return Snag("below-ground", ATTENTION, text, "Plan", (unit.id,), "", fix)


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
