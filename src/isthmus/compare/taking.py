"""Another's side of a list taken into the show, or the differences as a paper for them."""

from __future__ import annotations

from collections.abc import Collection, Sequence

from msgspec.structs import replace

from isthmus.compare.lists import FIELDS, Beside, Pair, said
from isthmus.errors import EntryFault
from isthmus.patch.addresses import blocks_at
from isthmus.patch.models import Library
from isthmus.patch.paper import take_paper
from isthmus.show.records import SLOTS, UNIVERSES, Paper, PaperRow, Patched, Show, Unit


def with_theirs(
    show: Show,
    found: Beside,
    library: Library,
    fields: Collection[str] = FIELDS,
    units: Collection[str] | None = None,
) -> Show:
    """Our units as their list has them, in these fields; only `units` (ids) where they are given. A
    type or mode we have no profile of stays. Units they do not have go along with what holds for
    all where all are taken. Raises EntryFault for numbers that would be doubled,
    and addresses there are not.
    """
    pairs = {pair.unit: pair for pair in found.pairs if units is None or pair.unit in units}
    alone = {unit for unit, _ in found.ours_only} if units is None else set()
    made = tuple(
        _taken(unit, pairs[unit.id], library, fields)
        if unit.id in pairs
        else _along(unit, found, fields)
        if unit.id in alone
        else unit
        for unit in show.units
    )
    used = {unit.profile for unit in made} - {stored.key for stored in show.profiles}
    numbers = [unit.number for unit in made]
    if "number" in fields and len(set(numbers)) < len(numbers):
        before = {unit.number for unit in show.units}
        double = next((n for n in numbers if numbers.count(n) > 1), 0)
        if len(before) == len(show.units):
            raise EntryFault(
                f"Number {double} would be there twice.", do="Take all numbers, or renumber first."
            )
    profiles = (*show.profiles, *(library.stored[key] for key in used if key in library.stored))
    return show if made == show.units else replace(show, units=made, profiles=profiles)


def _taken(unit: Unit, pair: Pair, library: Library, fields: Collection[str]) -> Unit:
    theirs = pair.theirs
    for field in pair.other:
        if field not in fields:
            continue
        if field == "number":
            unit = replace(unit, number=theirs.number)
        elif field == "name":
            unit = replace(unit, name=theirs.name)
        elif field == "position":
            unit = replace(unit, hangs_on=theirs.hangs_on)
        elif field == "address":
            unit = _moved(unit, theirs, library)
        else:
            unit = _typed(unit, theirs, library)
    return unit


def _moved(unit: Unit, theirs: PaperRow, library: Library) -> Unit:
    """The first block goes there, the others as far along."""
    if unit.locked:
        return unit
    if not unit.patch:
        profile = library.profiles.profiles.get(unit.profile)
        mode = profile.mode(unit.mode) if profile else None
        if profile is None or mode is None:
            there = (Patched(universe=theirs.universe, address=theirs.address),)
        else:
            there = blocks_at(profile, mode, theirs.universe, theirs.address)
        return replace(unit, patch=there)
    first = unit.patch[0]
    by = (theirs.universe - first.universe) * SLOTS + theirs.address - first.address
    made = []
    for entry in unit.patch:
        at = (entry.universe - 1) * SLOTS + entry.address - 1 + by
        if not 0 <= at < UNIVERSES * SLOTS:
            raise EntryFault(f"Unit {unit.number} would go to an address there is not.")
        made.append(replace(entry, universe=at // SLOTS + 1, address=at % SLOTS + 1))
    return replace(unit, patch=tuple(made))


def _along(unit: Unit, found: Beside, fields: Collection[str]) -> Unit:
    """One they do not have, by the shifts that hold for the others."""
    if "number" in fields and unit.number + found.numbers > 0:
        unit = replace(unit, number=unit.number + found.numbers)
    if "address" not in fields or unit.locked:
        return unit
    there = tuple(
        replace(
            p, universe=found.universes.get(p.universe, p.universe), address=p.address + found.slots
        )
        for p in unit.patch
    )
    inside = all(1 <= p.address <= SLOTS for p in there)
    return replace(unit, patch=there) if inside else unit


def _typed(unit: Unit, theirs: PaperRow, library: Library) -> Unit:
    """Their type and mode, where there is a profile with it."""
    match = library.match(theirs.type) if theirs.type else None
    key, profile = match or (unit.profile, library.profiles.profiles.get(unit.profile))
    mode = theirs.mode or unit.mode
    if profile is None or profile.mode(mode) is None:
        return unit
    return replace(unit, profile=key, mode=mode)


def with_new(show: Show, rows: Sequence[PaperRow], library: Library) -> Show:
    """What is only on their list, as units; the paper of the show stays as it is."""
    made = take_paper(show, Paper(rows=tuple(rows)), library)
    return replace(made, paper=show.paper, earlier_papers=show.earlier_papers)


def lines(found: Beside) -> list[tuple[str, str, str, str, str]]:
    """(unit id, number, field, ours, theirs) of what no shift explains; only with one side: the
    whole line.
    """
    made = [
        (p.unit, str(p.ours.number), field, said(p.ours, field), said(p.theirs, field))
        for p in found.pairs
        for field in p.other
        if not found.shifted(p, field)
    ]
    made += [(unit, str(row.number), "", _all(row), "") for unit, row in found.ours_only]
    made += [("", str(row.number), "", "", _all(row)) for row in found.theirs_only]
    return made


def _all(row: PaperRow) -> str:
    words = (row.name, row.type, row.mode, said(row, "address"), row.hangs_on)
    return ", ".join(filter(None, words))
