"""What is wrong or missing, position by position, with a box to tick: for those who go there."""

from __future__ import annotations

import threading

from isthmus.papers.rig import NOWHERE, Only, units_of
from isthmus.papers.table import Column, Group, Paper
from isthmus.patch.cells import addresses
from isthmus.plural import many
from isthmus.show.records import Show
from isthmus.snags import SnagBook, find_snags

_kept = threading.local()  # the snags of the show before: a paper follows edits one by one

COLUMNS = (
    Column("Unit", 14, figures=True),
    Column("Name", 44),
    Column("Address", 24, figures=True),
    Column("What", 120),
    Column("Done", 14),
)


def snag_list(show: Show, only: Only = None) -> Paper:
    """One line for each unit of each snag; those of no unit at the end."""
    mine = {unit.id: unit for unit in units_of(show, only)}
    by_place: dict[str, list[tuple[str, ...]]] = {}
    rest: list[tuple[str, ...]] = []
    if not hasattr(_kept, "book"):
        _kept.book = SnagBook()
    for snag in find_snags(show, _kept.book):
        units = [mine[one] for one in snag.units if one in mine]
        for unit in units:
            row = (
                str(unit.number),
                unit.name,
                addresses(unit) if unit.patch else "",
                snag.text,
                "[  ]",
            )
            by_place.setdefault(unit.hangs_on or NOWHERE, []).append(row)
        if not snag.units and only is None:
            rest.append(("", "", "", snag.text, "[  ]"))
    names = sorted(by_place, key=lambda name: (name == NOWHERE, name.lower()))
    groups = [Group(name, sorted(by_place[name], key=lambda row: int(row[0]))) for name in names]
    groups += [Group("Of no unit", rest)] if rest else []
    count = sum(len(group.rows) for group in groups)
    told = f"{many(count, 'line')}." if count else "Nothing is wrong or missing."
    return Paper(f"{show.name}: snags by position", told, COLUMNS, groups, keys=4)
