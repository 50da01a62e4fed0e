"""What an MVR file is taken for besides a show: the paper beside the patch, or places of units."""

from __future__ import annotations

from msgspec.structs import replace

from isthmus.errors import EntryFault
from isthmus.patch.paper import new_revision, row_of
from isthmus.profiles import profiles_of
from isthmus.show.records import Paper, Show, Unit


def with_paper(show: Show, other: Show, title: str) -> Show:
    """The other show's units as the hang list of ours; the one before stays among the earlier.
    Raises EntryFault where there are none.
    """
    if not other.units:
        raise EntryFault("There are no units in it.", do="Choose another file.")
    profiles = profiles_of(other)
    units = sorted(other.units, key=lambda unit: unit.number)
    rows = tuple(row_of(unit, profiles, line) for line, unit in enumerate(units, 1))
    return new_revision(show, Paper(title=title, rows=rows))


def with_places(show: Show, other: Show) -> tuple[Show, list[int], list[int]]:
    """Our units where theirs are, the same by id, else by number; the numbers of those that were
    moved, and of those that are pinned and stayed.
    """
    by_id = {unit.id: unit for unit in other.units}
    by_number = {unit.number: unit for unit in other.units}
    structures = {one.id for one in show.structures}
    moved: list[int] = []
    stayed: list[int] = []

    def put(unit: Unit) -> Unit:
        theirs = by_id.get(unit.id) or by_number.get(unit.number)
        if theirs is None or theirs.position is None:
            return unit
        made = replace(unit, position=theirs.position, rotation=theirs.rotation)
        if theirs.structure in structures:
            made = replace(made, structure=theirs.structure)
        if made == unit:
            return unit
        if unit.pinned:
            stayed.append(unit.number)
            return unit
        moved.append(unit.number)
        return made

    units = tuple(put(unit) for unit in show.units)
    return (replace(show, units=units) if moved else show), moved, stayed
