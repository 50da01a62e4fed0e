"""What an MVR file is taken for besides a show: the paper beside the patch, or places of units."""

from __future__ import annotations

from pathlib import Path

from msgspec.structs import replace

from isthmus.errors import EntryFault
from isthmus.hanglist import read_hang_list
from isthmus.mvr.archive import SUFFIX
from isthmus.mvr.incoming import open_mvr
from isthmus.patch.models import Library
from isthmus.patch.paper import new_revision, row_of
from isthmus.profiles import profiles_of
from isthmus.show import open_show
from isthmus.show.container import SUFFIX as SHOWS
from isthmus.show.records import Paper, PaperRow, Show, Unit


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


def rows_of_file(path: Path, show: Show, library: Library) -> list[PaperRow]:
    """Lines of a list of the rig: a CSV, an MVR file, or a show. Raises FileFault."""
    ending = path.suffix.lower()
    if ending not in (SUFFIX, SHOWS):
        read = read_hang_list(path, library)
        return sorted((*read.paper.rows, *read.rejected), key=lambda row: row.line)
    other = open_show(path) if ending == SHOWS else open_mvr(path, library).show
    profiles = profiles_of(other)
    return [row_of(unit, profiles, line) for line, unit in enumerate(other.units, 1)]


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
