"""Arrangements of units apart from where they hang: one a group keeps, and a free sheet laid again
from the true places.
"""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence

import numpy as np
from msgspec.structs import replace

from isthmus.errors import EntryFault
from isthmus.patch.groups import members
from isthmus.plural import many
from isthmus.sheets.sheets import TRUE, keep, points_of
from isthmus.show.records import Group, Sheet, SheetSpot, Show

Place = tuple[float, float]


def keep_arrangement(show: Show, group_id: str, one: Sheet) -> Show:
    """The group keeps the places of its units on this sheet, about their middle. Raises EntryFault
    when none of them is on it.
    """
    group = next(g for g in show.groups if g.id == group_id)
    there = points_of(show, one)
    mine = [u for u in members(show, group) if u in there]
    if not mine:
        raise EntryFault(
            f"None of the units of group {group.name} is on {one.name}.", do="Put them there first."
        )
    points = np.array([there[u] for u in mine])
    points = points - (points.min(axis=0) + points.max(axis=0)) / 2
    spots = tuple(
        SheetSpot(unit=u, x=round(float(x), 4), y=round(float(y), 4))
        for u, (x, y) in zip(mine, points, strict=True)
    )
    groups = tuple(replace(g, spots=spots) if g.id == group_id else g for g in show.groups)
    return replace(show, groups=groups)


def arrangement_of(group: Group) -> dict[str, Place]:
    """Unit → where it lies in the group's own arrangement, metres about its middle; {} without
    one.
    """
    return {spot.unit: (spot.x, spot.y) for spot in group.spots}


def laid_again(show: Show, one: Sheet, ids: Collection[str]) -> Show:
    """Units of a free sheet laid as they are in plan, about the middle they have on the sheet now.
    Raises EntryFault when none of them has a place.
    """
    return _laid_by(show, one, ids, points_of(show, TRUE[0]), "has a place in plan")


def laid_by_group(show: Show, one: Sheet, group: Group) -> Show:
    """A group's units on a free sheet laid as the group keeps them, about their middle now."""
    return _laid_by(
        show, one, members(show, group), arrangement_of(group), "has an arrangement to keep to"
    )


def _laid_by(
    show: Show, one: Sheet, ids: Collection[str], places: Mapping[str, Place], what: str
) -> Show:
    wanted = set(ids)
    mine: Sequence[SheetSpot] = [s for s in one.spots if s.unit in wanted and s.unit in places]
    if one.kind != "free" or not mine:
        raise EntryFault(
            f"None of {many(len(wanted), 'unit')} on {one.name} {what}.",
            do="Choose units of a free sheet.",
        )
    now = np.array([(s.x, s.y) for s in mine])
    new = np.array([places[s.unit] for s in mine])
    new += (now.min(axis=0) + now.max(axis=0) - new.min(axis=0) - new.max(axis=0)) / 2
    moved = {s.unit: at for s, at in zip(mine, new, strict=True)}
    spots = tuple(
        replace(s, x=round(float(moved[s.unit][0]), 4), y=round(float(moved[s.unit][1]), 4))
        if s.unit in moved
        else s
        for s in one.spots
    )
    return keep(show, replace(one, spots=spots))
