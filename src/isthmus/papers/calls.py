"""What roll call found, position by position: the newest verdict of each unit."""

from __future__ import annotations

from isthmus.check.verdicts import holds, say, tally, tally_words
from isthmus.papers.rig import NOWHERE, Only, units_of
from isthmus.papers.table import Column, Group, Paper
from isthmus.patch.cells import addresses
from isthmus.show.records import Show, Unit, Verdict

COLUMNS = (
    Column("Unit", 14, figures=True),
    Column("Name", 44),
    Column("Address", 24, figures=True),
    Column("Seen", 90),
    Column("By", 30),
    Column("At", 34, figures=True),
    Column("Holds", 18),
)


def roll_call(show: Show, only: Only = None) -> Paper:
    """One line for each unit; those not called have an empty one."""
    held = {one.unit: one for one in show.verdicts}  # those out of date are told, and prove nothing
    by_place: dict[str, list[tuple[str, ...]]] = {}
    units = sorted(units_of(show, only), key=lambda unit: unit.number)
    for unit in units:
        row = _row(show, unit, held.get(unit.id))
        by_place.setdefault(unit.hangs_on or NOWHERE, []).append(row)
    places = sorted(by_place, key=lambda place: (place == NOWHERE, place.lower()))
    count = tally(show, {unit.id for unit in units})
    told = f"{tally_words(count)}, {count['left']} not proven."
    groups = [Group(place, by_place[place]) for place in places]
    return Paper(f"{show.name}: record of roll call", told, COLUMNS, groups)


def _row(show: Show, unit: Unit, verdict: Verdict | None) -> tuple[str, ...]:
    address = addresses(unit) if unit.patch else ""
    head = (str(unit.number), unit.name, address)
    if verdict is None:
        return (*head, "", "", "", "")
    at = verdict.at[:16].replace("T", " ")
    fresh = "yes" if holds(show, verdict) else "out of date"
    return (*head, say(show, verdict), verdict.by, at, fresh)
