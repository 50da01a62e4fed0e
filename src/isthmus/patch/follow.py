"""The addresses of a unit that gets another mode or profile: every one it has stays, and so does
the room kept for it.
"""

from __future__ import annotations

import itertools
from collections.abc import Collection
from dataclasses import dataclass

from isthmus.patch.addresses import Placing, blocks_at, look_at
from isthmus.patch.index import index_of
from isthmus.profiles import Mode, Profile, chart
from isthmus.show.records import SLOTS, Patched, Show


@dataclass(frozen=True)
class Place:
    """One place a unit listens at: the entries of its breaks, and whether they have addresses of
    their own.
    """

    entries: tuple[Patched, ...]
    apart: bool


def places_of(patch: tuple[Patched, ...], sizes: dict[int, int]) -> list[Place]:
    """The places of a unit; `sizes` are the lengths of its present breaks, as far as they are
    known.
    """
    groups: list[list[Patched]] = []
    for entry in patch:
        if not groups or entry.block in {e.block for e in groups[-1]}:
            groups.append([])
        groups[-1].append(entry)
    found = []
    for group in groups:
        apart = any(
            b.universe != a.universe
            or b.address != a.address + sizes.get(a.block, b.address - a.address)
            for a, b in itertools.pairwise(group)
        )
        found.append(Place(tuple(group), apart))
    return found


def followed(
    patch: tuple[Patched, ...], old: tuple[Profile, Mode] | None, profile: Profile, mode: Mode
) -> tuple[Patched, ...]:
    """The same places with another mode in them: starts stay, breaks with addresses of their own
    keep them.

    Breaks that are new follow the last one. Room stays where it is wider than what the mode takes.
    """
    lay = chart(profile, mode)
    sizes = dict(chart(*old).footprints) if old else {}
    made: list[Patched] = []
    for place in places_of(patch, sizes):
        first = place.entries[0]
        if not place.apart:
            room = first.room if first.room > lay.footprint else 0
            made += blocks_at(profile, mode, first.universe, first.address, room)
            continue
        universe, at = first.universe, first.address
        for number, (block, length) in enumerate(lay.footprints):
            room = 0
            if number < len(place.entries):
                entry = place.entries[number]
                universe, at = entry.universe, entry.address
                room = entry.room if entry.room > length else 0
            made.append(Patched(universe=universe, address=at, block=block, room=room))
            at += length
    return tuple(made)


def past_the_end(patch: tuple[Patched, ...], profile: Profile, mode: Mode) -> Patched | None:
    """The first entry that would run past its universe."""
    lay = chart(profile, mode)
    return next((p for p in patch if p.address + lay.span(p.block) - 1 > SLOTS), None)


def grown(before: Show, after: Show, ids: Collection[str]) -> Placing:
    """After a change of mode or profile: who is in the way of units that now take other slots than
    before.
    """
    old, new = index_of(before), index_of(after)
    changed = {
        i: new.by_id[i].patch for i in ids if i in new.by_id and old.spans.get(i) != new.spans[i]
    }
    return look_at(after, changed)
