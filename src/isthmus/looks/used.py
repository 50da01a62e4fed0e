"""Where palettes, units and looks are used."""

from __future__ import annotations

from collections.abc import Collection

from isthmus.patch.groups import members
from isthmus.patch.numbers import write_numbers
from isthmus.show.records import Look, Show


def by_number(show: Show) -> list[Look]:
    return sorted(show.looks, key=lambda one: one.number)


def looks_with(
    show: Show, palettes: Collection[str] = (), units: Collection[str] = ()
) -> list[Look]:
    """Looks that name any of these palettes or units, by themselves or by a group."""
    groups = {g.id for g in show.groups if units and set(members(show, g)) & set(units)}
    return [
        one
        for one in by_number(show)
        if any(
            set(line.palettes) & set(palettes)
            or set(line.units) & set(units)
            or set(line.groups) & groups
            for line in one.lines
        )
    ]


def used_in(show: Show, units: Collection[str]) -> str:
    """The looks that any of these units are in, and the cues that play them, in words; "" for
    none.
    """
    found = looks_with(show, units=units)
    if not found:
        return ""
    numbers = write_numbers([one.number for one in found])
    told = [f"{'look' if len(found) == 1 else 'looks'} {numbers}"]
    held = {one.id for one in found}
    for cues in sorted(show.cue_lists, key=lambda one: one.number):
        playing = sorted(cue.number for cue in cues.cues if cue.look in held)
        if playing:
            said = ", ".join(f"{number:g}" for number in playing)
            of = f"{'cue' if len(playing) == 1 else 'cues'} {said}"
            told.append(f"{of} of {cues.name or f'list {cues.number}'}")
    return "In " + "; ".join(told) + "."


def cues_with(show: Show, look_id: str) -> list[tuple[str, float]]:
    """(list, cue number) of every cue that plays a look."""
    return [
        (cues.name or str(cues.number), cue.number)
        for cues in show.cue_lists
        for cue in cues.cues
        if cue.look == look_id
    ]
