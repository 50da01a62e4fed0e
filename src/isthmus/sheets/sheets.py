"""Sheets: the true plan and elevations, and free ones. Places of units on a sheet, read and
written.
"""

from __future__ import annotations

import itertools
import math
from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from msgspec.structs import replace
from numpy.typing import NDArray

from isthmus.errors import EntryFault
from isthmus.layout import lay
from isthmus.layout.place import LIMIT, put_units
from isthmus.patch.edits import change_units
from isthmus.patch.numbers import write_numbers
from isthmus.profiles import ProfileSet, light_program, profiles_of
from isthmus.profiles.keep import KeptByMode
from isthmus.profiles.records import Mode, Profile
from isthmus.show.records import (
    Quat,
    Sheet,
    SheetNote,
    SheetSpot,
    Show,
    Structure,
    Unit,
    Vec3,
    new_id,
)
from isthmus.stage.runs import along_of, spot, world_run
from isthmus.stage.transforms import turn_of

Array = NDArray[np.float64]
TRUE = (
    Sheet(id="plan", name="Plan", kind="plan"),
    Sheet(id="front", name="Front elevation", kind="front"),
    Sheet(id="side", name="Side elevation", kind="side"),
)
AXES = {"plan": (0, 1), "front": (0, 2), "side": (1, 2)}  # which of x, y, z go right and up
CATCH = 0.3  # metres around a structure in which a unit laid down is taken to hang on it
REACH = 1.0  # metres of height within which a unit laid on a structure is taken to hang on it
LET_GO = 0.9  # metres from its structure at which a unit no longer hangs on it
BLOCK_GAP = 2.0


def sheets_of(show: Show) -> list[Sheet]:
    """The true sheets, as the show keeps them, then its free ones in their order."""
    kept = {s.id: s for s in show.sheets}
    return [*(kept.get(s.id, s) for s in TRUE), *(s for s in show.sheets if s.kind == "free")]


def sheet(show: Show, wanted: str) -> Sheet:
    """By id or name. Raises EntryFault when there is none."""
    for one in sheets_of(show):
        if wanted == one.id or wanted.strip().lower() == one.name.lower():
            return one
    raise EntryFault(
        f"There is no sheet “{wanted[:40]}”.",
        do=f"There are {', '.join(s.name for s in sheets_of(show))}.",
    )


def keep(show: Show, changed: Sheet) -> Show:
    """Take a changed sheet into the show; a new one comes last."""
    kept = [changed if s.id == changed.id else s for s in show.sheets]
    return replace(
        show,
        sheets=tuple(kept if any(s.id == changed.id for s in show.sheets) else [*kept, changed]),
    )


def rename(show: Show, sheet_id: str, name: str) -> Show:
    """Raises EntryFault for an empty name, or one that another sheet has."""
    name = " ".join(name.split())
    if not name or len(name) > 60:
        raise EntryFault("A sheet needs a name of 1 to 60 letters.")
    if any(s.name.lower() == name.lower() and s.id != sheet_id for s in sheets_of(show)):
        raise EntryFault(f"There is a sheet “{name}” already.", do="Choose another name.")
    return keep(show, replace(sheet(show, sheet_id), name=name))


def remove(show: Show, sheet_id: str) -> Show:
    """Take a free sheet away. The true ones stay."""
    if sheet(show, sheet_id).kind != "free":
        raise EntryFault("The plan and the elevations are always there.")
    return replace(show, sheets=tuple(s for s in show.sheets if s.id != sheet_id))


def duplicate(show: Show, sheet_id: str, name: str) -> tuple[Show, str]:
    """A free copy of a sheet; of a true one, with the places units have now."""
    one = sheet(show, sheet_id)
    spots = one.spots
    if one.kind != "free":
        places = points_of(show, one)
        spots = tuple(
            SheetSpot(unit=u, x=round(x, 4), y=round(y, 4)) for u, (x, y) in places.items()
        )
    made = replace(one, id=new_id(), name="", kind="free", spots=spots)
    return rename(keep(show, made), made.id, name), made.id


def reorder(show: Show, sheet_id: str, by: int) -> Show:
    """Move a free sheet among the free ones."""
    free = [s for s in show.sheets if s.kind == "free"]
    at = next((i for i, s in enumerate(free) if s.id == sheet_id), None)
    if at is None:
        raise EntryFault("Only free sheets have an order of their own.")
    one = free.pop(at)
    free.insert(max(0, min(len(free), at + by)), one)
    return replace(show, sheets=(*(s for s in show.sheets if s.kind != "free"), *free))


def free_sheet(
    show: Show,
    name: str,
    blocks: Sequence[tuple[str, Sequence[str]]],
    how: str = "grid",
    kept: Mapping[str, Mapping[str, tuple[float, float]]] | None = None,
) -> tuple[Show, str]:
    """A free sheet with a block for each (title, units), side by side.

    grid: each block in rows. true: each as its units are in plan. Blocks of a title in `kept` are
    laid as it says. Units of a block without a place stand in rows below.
    """
    spots: list[SheetSpot] = []
    notes: list[SheetNote] = []
    seen: set[str] = set()
    left = 0.0
    for title, ids in blocks:
        mine = [i for i in ids if i not in seen]
        seen |= set(mine)
        if not mine:
            continue
        own = (kept or {}).get(title) or (points_of(show, TRUE[0]) if how == "true" else {})
        points = (
            _block(own, mine)
            if own
            else lay.grid(len(mine), (0.0, 0.0), 1.0, 1.0, math.ceil(math.sqrt(len(mine) * 1.6)))
        )
        low, high = points.min(axis=0), points.max(axis=0)
        points = points + np.array([left - low[0], -high[1]])
        spots += [
            SheetSpot(unit=u, x=round(float(x), 4), y=round(float(y), 4))
            for u, (x, y) in zip(mine, points, strict=True)
        ]
        if title:
            notes.append(SheetNote(text=title, x=round(left - 0.3, 4), y=0.8))
        left = float(points[:, 0].max()) + BLOCK_GAP
    made = Sheet(id=new_id(), name="", kind="free", spots=tuple(spots), notes=tuple(notes))
    return rename(keep(show, made), made.id, name), made.id


def _block(placed: Mapping[str, tuple[float, float]], ids: Sequence[str]) -> Array:
    points = np.array([placed.get(u, (math.nan, math.nan)) for u in ids], np.float64).reshape(-1, 2)
    lost = np.isnan(points[:, 0])
    if lost.any():
        known = points[~lost]
        start = (
            (float(known[:, 0].min()), float(known[:, 1].min()) - 1.5) if len(known) else (0.0, 0.0)
        )
        points[lost] = lay.grid(int(lost.sum()), start, 1.0, 1.0, 8)
    return points


def add_units(show: Show, sheet_id: str, ids: Iterable[str]) -> Show:
    """Put units that are not on a free sheet yet in a row below what is there."""
    one = sheet(show, sheet_id)
    there = {s.unit for s in one.spots}
    fresh = [i for i in ids if i not in there]
    low = min((s.y for s in one.spots), default=1.5)
    left = min((s.x for s in one.spots), default=0.0)
    more = tuple(SheetSpot(unit=u, x=left + i, y=low - 1.5) for i, u in enumerate(fresh))
    return keep(show, replace(one, spots=one.spots + more)) if more else show


def take_off(show: Show, sheet_id: str, ids: Iterable[str]) -> Show:
    """Take units off a sheet: off a free one; off a true one they are out of 3-D, and still
    patched.
    """
    one = sheet(show, sheet_id)
    gone = set(ids)
    if one.kind == "free":
        kept = tuple(s for s in one.spots if s.unit not in gone)
        return keep(show, replace(one, spots=kept)) if len(kept) != len(one.spots) else show
    return change_units(
        show,
        gone,
        lambda u: (
            replace(u, position=None, structure="")
            if u.position is not None and not u.pinned
            else u
        ),
    )


# ---------------------------------------------------------------- places on a sheet


def points_of(show: Show, one: Sheet) -> dict[str, tuple[float, float]]:
    """Where units are on a sheet, metres; units that are not on it are left out."""
    if one.kind == "free":
        known = {u.id for u in show.units}
        return {s.unit: (s.x, s.y) for s in one.spots if s.unit in known}
    right, up = AXES[one.kind]
    return {u.id: (u.position[right], u.position[up]) for u in show.units if u.position is not None}


def put_points(
    show: Show,
    one: Sheet,
    places: Mapping[str, tuple[float, float]],
    settle_them: bool = False,
    any_height: bool = False,
) -> Show:
    """Lay units at places of a sheet. On a true one the third coordinate stays as it is (0 for
    those without a place).

    Units whose place is locked stay. With `settle_them` those laid on a structure about as high
    hang on it, with `any_height` on whatever is above or below. Raises EntryFault when one would
    leave the world.
    """
    if one.kind == "free":
        return _put_freely(show, one, places)
    right, up = AXES[one.kind]
    wanted = {}
    for unit in show.units:
        if unit.id in places and not unit.pinned:
            at = list(unit.position or (0.0, 0.0, 0.0))
            at[right], at[up] = (float(v) for v in places[unit.id])
            wanted[unit.id] = (at[0], at[1], at[2])
    new = {u.id for u in show.units if u.id in wanted and u.position is None}
    show = put_units(show, wanted)
    if one.kind != "plan" or not (settle_them or any_height):
        return show
    return settle(show, wanted, new, any_height)


def _put_freely(show: Show, one: Sheet, places: Mapping[str, tuple[float, float]]) -> Show:
    for x, y in places.values():
        if not (math.isfinite(x) and math.isfinite(y) and abs(x) <= LIMIT and abs(y) <= LIMIT):
            raise EntryFault(
                f"A unit would lie more than {LIMIT:.0f} m away.", do="Write a place in metres."
            )
    there = {s.unit: s for s in one.spots}
    there.update({u: SheetSpot(unit=u, x=x, y=y) for u, (x, y) in places.items()})
    return keep(show, replace(sheet(show, one.id), spots=tuple(there.values())))


def newly_held(before: Show, after: Show, ids: Iterable[str]) -> list[str]:
    """In words: which of these units hang on a structure they did not hang on before, or on none
    any more.
    """
    names = {s.id: s.name for s in (*before.structures, *after.structures)}
    old = {u.id: u.structure for u in before.units}
    wanted = set(ids)
    moved: dict[tuple[str, str], list[int]] = {}
    for unit in after.units:
        was = old.get(unit.id, "")
        if unit.id in wanted and unit.structure != was:
            moved.setdefault((was, unit.structure), []).append(unit.number)
    words = []
    for (was, now), numbers in moved.items():
        one = len(numbers) == 1
        who = write_numbers(numbers)
        if now:
            words.append(f"{who} now hang{'s' * one} on {names.get(now, 'it')}.")
        else:
            words.append(f"{who} no longer hang{'s' * one} on {names.get(was, 'it')}.")
    return words


def locked_among(show: Show, ids: Iterable[str]) -> list[int]:
    """Numbers of those whose place is locked."""
    chosen = set(ids)
    return [u.number for u in show.units if u.id in chosen and u.pinned]


def under(show: Show, points: Array) -> list[list[Structure]]:
    """The structures units laid at points (n, 2) of the plan could hang on, the highest first."""
    found: list[list[tuple[float, Structure]]] = [[] for _ in points]
    for s in show.structures:
        if s.kind in ("hull", "deck", "mesh", "wall"):
            continue
        run = world_run(s)
        height = -float(run[:, 2].max())
        for row in np.flatnonzero(_away(points, run[:, :2]) <= CATCH + s.size[1] / 2):
            found[row].append((height, s))
    return [[s for _, s in sorted(there, key=lambda f: f[0])] for there in found]


def _away(points: Array, path: Array) -> Array:
    """Metres from each point (n, 2) to the nearest of a path (m, 2): (n,)."""
    nearest = np.full(len(points), np.inf)
    for start, end in itertools.pairwise(path):  # few: one for what is straight
        way = end - start
        square = max(float(way @ way), 1e-12)
        share = np.clip((points - start) @ way / square, 0, 1)
        off = points - start - share[:, None] * way
        nearest = np.minimum(nearest, np.hypot(off[:, 0], off[:, 1]))
    return nearest


def settle(
    show: Show, ids: Iterable[str], new: Collection[str] = (), any_height: bool = False
) -> Show:
    """Units that lie on a structure in plan, and about as high, hang on it; those drawn far off
    theirs hang on nothing any more.

    `new` are units that had no place before, so that their height says nothing: they hang on the
    structure they name. With `any_height`, because it was asked for, all hang on the highest there.
    """
    wanted = set(ids)
    by_id = {s.id: s for s in show.structures}
    made: dict[str, Unit] = {}
    laid = [u for u in show.units if u.id in wanted and u.position is not None]
    points = np.array([u.position[:2] for u in laid if u.position], np.float64).reshape(-1, 2)
    off = _off_their_own(laid, points, by_id)
    for unit, there, away in zip(laid, under(show, points), off, strict=True):
        on = by_id.get(unit.structure)
        if unit.position is None or any(s is on for s in there):
            continue
        catching = _catching(unit, there, unit.id in new, any_height)
        if catching is not None:
            below, position, rotation = catching
            made[unit.id] = replace(
                unit,
                structure=below.id,
                hangs_on=unit.hangs_on or below.name,
                position=position,
                rotation=rotation,
            )
        elif on is not None and away > LET_GO + max(on.size[1], 0.0) / 2:
            made[unit.id] = replace(unit, structure="")
    return change_units(show, made, lambda unit: made[unit.id])


def _off_their_own(
    units: Sequence[Unit], points: Array, structures: Mapping[str, Structure]
) -> Array:
    """How far in plan each unit is from the run of what it hangs on, metres; 0 for none."""
    rows: dict[str, list[int]] = {}
    for row, unit in enumerate(units):
        rows.setdefault(unit.structure, []).append(row)
    off = np.zeros(len(units))
    for name, mine in rows.items():
        if name in structures:
            off[mine] = _away(points[mine], world_run(structures[name])[:, :2])
    return off


def _catching(
    unit: Unit, there: Sequence[Structure], new: bool, any_height: bool
) -> tuple[Structure, Vec3, Quat] | None:
    """The structure a unit comes to hang on, with its place and turn there."""
    if unit.position is None:
        return None
    x, y, height = unit.position
    named = unit.hangs_on.strip().lower()
    for s in there:
        position, rotation = spot(s, along_of(s, (x, y, s.position[2])))
        near = s.name.lower() == named if new else abs(position[2] - height) <= REACH
        if any_height or near:
            return s, position, rotation
    return None


# ---------------------------------------------------------------- sizes


@dataclass(frozen=True)
class Measure:
    """A unit's body at home: length, width, height in metres."""

    length: float
    width: float
    height: float


_USUAL = Measure(0.3, 0.3, 0.4)


def measures(show: Show) -> dict[str, Measure]:
    """The body of each unit."""
    profiles = profiles_of(show)
    return {unit.id: measure_of(unit, profiles) for unit in show.units}


def measure_of(unit: Unit, profiles: ProfileSet) -> Measure:
    """The body of one unit; a usual one where its mode is unknown."""
    mode = profiles.mode_of(unit)
    return _MEASURES.get(*mode, _measured) if mode else _USUAL


def _measured(profile: Profile, mode: Mode) -> Measure:
    parts = [p.model for p in light_program(profile, mode).assembly.parts]
    length = max((m.length for m in parts), default=0.3)
    width = max((m.width for m in parts), default=0.3)
    height = sum(m.height for m in parts[:3])
    return Measure(
        min(max(length, 0.1), 6.0), min(max(width, 0.1), 6.0), min(max(height, 0.1), 6.0)
    )


_MEASURES: KeptByMode[Measure] = KeptByMode(512)


def half_sizes(show: Show, one: Sheet, ids: Sequence[str]) -> Array:
    """Half of what each unit takes on a sheet, right and up, (n, 2) metres, as it is turned."""
    sizes = measures(show)
    units = {u.id: u for u in show.units}
    right, up = AXES.get(one.kind, (0, 1))
    made = []
    for i in ids:
        m = sizes[i]
        box = np.array([m.length, m.width, m.height]) / 2
        if one.kind != "free":
            box = np.abs(turn_of(units[i].rotation)) @ box
        made.append((box[right], box[up]))
    return np.array(made, np.float64).reshape(-1, 2)
