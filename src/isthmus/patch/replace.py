"""Another profile or mode for units that are patched: what is kept, what moves, what does not fit."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from msgspec.structs import replace

from isthmus.errors import EntryFault
from isthmus.patch.add import with_profile
from isthmus.patch.addresses import blocks_at
from isthmus.patch.edits import change_units
from isthmus.patch.index import Room, index_of
from isthmus.profiles import chart, profiles_of
from isthmus.profiles.attributes import plain
from isthmus.profiles.natural import channel_of
from isthmus.show.address import write_address
from isthmus.show.records import Patched, Show, StoredProfile, Unit

KEPT, MOVED, LOST = "kept", "moved", "lost"


@dataclass(frozen=True)
class Replaced:
    """The show it leads to, and for each unit what becomes of it: (number, kept or moved or lost, words)."""

    show: Show
    lines: tuple[tuple[int, str, str], ...]


def replace_type(show: Show, ids: Sequence[str], stored: StoredProfile, mode_name: str) -> Replaced:
    """Give units a profile and mode. Each stays at its start where it fits whole and free; else it moves to the next
    free place, or loses its address when it is locked. Limits of attributes it no longer has are taken off.

    Raises EntryFault when the mode is not there.
    """
    base = with_profile(show, stored)
    profile = profiles_of(base).profiles.get(stored.key)
    mode = profile.mode(mode_name) if profile else None
    if profile is None or mode is None:
        has = f"It has {', '.join(m.name for m in profile.modes)}." if profile else ""
        raise EntryFault(f"{stored.key} has no mode “{mode_name}”.", do=has)
    lay = chart(profile, mode)
    index = index_of(show)
    chosen = [index.by_id[i] for i in ids if i in index.by_id]
    room = Room(index.universes, [span for unit in chosen for span in index.spans[unit.id]])
    made: dict[str, tuple[tuple[Patched, ...], tuple[int, str, str]]] = {}
    for stays in (True, False):  # those that can stay are given their places first
        for unit in chosen:
            if unit.id in made:
                continue
            spot = (unit.patch[0].universe, unit.patch[0].address) if unit.patch else None
            if spot is None or not lay.footprint:
                made[unit.id] = (), (unit.number, KEPT, "without an address" if spot is None else "it takes no slots")
            elif room.fits(*spot, lay.footprint):
                room.take(*spot, lay.footprint)
                made[unit.id] = blocks_at(profile, mode, *spot), (unit.number, KEPT, f"stays at {write_address(*spot)}")
            elif not stays:
                to = None if unit.locked else room.find(lay.footprint, spot[0], 1)
                if to is None:
                    why = "its address is locked" if unit.locked else "no universe has the room"
                    made[unit.id] = (), (unit.number, LOST, f"does not fit at {write_address(*spot)}, and {why}")
                else:
                    room.take(*to, lay.footprint)
                    words = f"moves from {write_address(*spot)} to {write_address(*to)}: {lay.footprint} slots do not fit there"
                    made[unit.id] = blocks_at(profile, mode, *to), (unit.number, MOVED, words)
    dropped: dict[str, str] = {}

    def change(unit: Unit) -> Unit:
        limits = tuple(limit for limit in unit.limits if channel_of(lay, limit.attribute))
        gone = [plain(limit.attribute) for limit in unit.limits if limit not in limits]
        if gone:
            dropped[unit.id] = f"; its limit of {', '.join(gone)} goes"
        return replace(unit, profile=stored.key, mode=mode_name, patch=made[unit.id][0], limits=limits)

    after = change_units(base, list(made), change)
    lines = tuple((n, what, words + dropped.get(unit, "")) for unit, (_, (n, what, words)) in made.items())
    return Replaced(after, tuple(sorted(lines)))
