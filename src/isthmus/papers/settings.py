"""What is to be set at the units themselves: where address or mode is another than at the last
handover.
"""

from __future__ import annotations

from isthmus.papers.naming import type_of
from isthmus.papers.rig import UNIT, Only, hung
from isthmus.papers.table import Column, Group, Paper
from isthmus.patch.cells import addresses
from isthmus.plural import many
from isthmus.profiles import profiles_of
from isthmus.profiles.records import Profile
from isthmus.show.handovers import handovers, told
from isthmus.show.records import Show, Unit
from isthmus.show.versions import shown

COLUMNS = (
    *UNIT,
    Column("Type", 40),
    Column("Set address", 26, figures=True),
    Column("Was address", 26, figures=True),
    Column("Set mode", 40),
    Column("Was mode", 34),
    Column("Done", 12),
)


def menu_words(profile: Profile | None, mode: str) -> str:
    """A mode in the words of the unit's own menu, as far as its profile knows them: the number of
    its personality, and its name.
    """
    software = profile.rdm.software if profile and profile.rdm else ()
    for version in reversed(software):  # the newest is the last
        for personality in version.personalities:
            if personality.mode == mode and (number := _number(personality.value)):
                return f"{number}: {mode}"
    return mode


def _number(text: str) -> int:
    """GDTF writes it as 0x3, or 3."""
    try:
        return int(text, 0)
    except ValueError:
        return 0


def settings(show: Show, only: Only = None) -> Paper:
    """By position; without a handover, all of them."""
    made = handovers(show)
    was = {unit.id: unit for unit in shown(show, made[-1]).units} if made else {}
    profiles = profiles_of(show).profiles
    groups = []
    for name, units in hung(show, only):
        rows = []
        for unit, _ in units:
            before = was.get(unit.id)
            if before is not None and _set(before) == _set(unit):
                continue
            same_mode = before is not None and before.mode == unit.mode
            rows.append(
                (
                    str(unit.number),
                    unit.name,
                    type_of(show, unit),
                    addresses(unit) if unit.patch else "none",
                    addresses(before) if before is not None and before.patch else "",
                    "" if same_mode else menu_words(profiles.get(unit.profile), unit.mode),
                    "" if same_mode or before is None else before.mode,
                    "[  ]",
                )
            )
        if rows:
            groups.append(Group(name, rows))
    count = sum(len(group.rows) for group in groups)
    since = f"is another than in {told(made[-1])}" if made else "is to be set"
    about = f"{many(count, 'unit')} whose address or mode {since}."
    return Paper(f"{show.name}: what to set at the units", about, COLUMNS, groups)


def _set(unit: Unit) -> tuple[object, ...]:
    patch = tuple((p.universe, p.address, p.block) for p in unit.patch)
    return patch, unit.profile, unit.mode
