"""Change profile or mode for units that are patched: what is kept, what moves, what does
not fit.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from msgspec.structs import replace

from isthmus.errors import EntryFault
from isthmus.patch.add import with_profile
from isthmus.patch.edits import change_units
from isthmus.patch.follow import followed, places_of
from isthmus.patch.index import Room, index_of
from isthmus.patch.limits import bound_channel
from isthmus.profiles import chart, profiles_of
from isthmus.profiles.attributes import plain
from isthmus.profiles.chart import Chart
from isthmus.show.address import write_address
from isthmus.show.records import SLOTS, Patched, Show, StoredProfile, Unit

KEPT, MOVED, LOST = "kept", "moved", "lost"


@dataclass(frozen=True)
class Replaced:
    """The show it leads to, and for each unit what becomes of it: (number, kept or moved or lost,
    words).
    """

    show: Show
    lines: tuple[tuple[int, str, str], ...]


def replace_type(show: Show, ids: Sequence[str], stored: StoredProfile, mode_name: str) -> Replaced:
    """Give units a profile and mode. Each stays at its start where it fits whole and free; else it
    moves to the next free place, or loses its address when it is locked. Limits of attributes it no
    longer has are removed.

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
            if not unit.patch or not lay.footprint:
                made[unit.id] = (
                    (),
                    (
                        unit.number,
                        KEPT,
                        "it takes no slots" if unit.patch else "without an address",
                    ),
                )
                continue
            entries = followed(unit.patch, index.profiles.mode_of(unit), profile, mode)
            fits = all(room.fits(p.universe, p.address, lay.span(p.block)) for p in entries)
            if not fits and stays:
                continue
            here = addresses_of(entries)
            if fits:
                made[unit.id] = entries, (unit.number, KEPT, f"stays at {here}")
            elif unit.locked:
                made[unit.id] = (
                    (),
                    (unit.number, LOST, f"does not fit at {here}, and its address is locked"),
                )
                continue
            else:
                entries = _moved(room, entries, lay)
                if not entries:
                    made[unit.id] = (
                        (),
                        (
                            unit.number,
                            LOST,
                            f"does not fit at {here}, and no universe has the room",
                        ),
                    )
                    continue
                words = (
                    f"moves from {here} to {addresses_of(entries)}: {lay.footprint} slots do not "
                    "fit there"
                )
                made[unit.id] = entries, (unit.number, MOVED, words)
            for p in entries:
                room.take(
                    p.universe,
                    p.address,
                    max(lay.span(p.block), min(p.room, SLOTS - p.address + 1)),
                )
    for unit in chosen:
        what = made[unit.id]
        if unit.patch and what[0] and len(what[0]) < len(unit.patch) and len(lay.footprints) == 1:
            lost = f"; {len(unit.patch) - len(what[0])} addresses of breaks it no longer has go"
            made[unit.id] = what[0], (what[1][0], what[1][1], what[1][2] + lost)
    dropped: dict[str, str] = {}

    def change(unit: Unit) -> Unit:
        limits = tuple(
            limit for limit in unit.limits if bound_channel((profile, mode), limit.attribute)
        )
        gone = [plain(limit.attribute) for limit in unit.limits if limit not in limits]
        if gone:
            dropped[unit.id] = f"; its limit of {', '.join(gone)} goes"
        return replace(
            unit, profile=stored.key, mode=mode_name, patch=made[unit.id][0], limits=limits
        )

    after = change_units(base, list(made), change)
    lines = tuple(
        (n, what, words + dropped.get(unit, "")) for unit, (_, (n, what, words)) in made.items()
    )
    return Replaced(after, tuple(sorted(lines)))


def addresses_of(entries: Sequence[Patched]) -> str:
    """Where each place begins: `2.101`, `2.101, 3.001`."""
    return ", ".join(
        dict.fromkeys(
            write_address(p.universe, p.address) for p in entries if p.block == entries[0].block
        )
    )


def _moved(room: Room, entries: Sequence[Patched], lay: Chart) -> tuple[Patched, ...]:
    """Each place that does not fit where it is goes to the next free one; empty when there
    is none.
    """
    made: list[Patched] = []
    trial = room.copy()
    for place in places_of(tuple(entries), dict(lay.footprints)):
        fits = all(trial.fits(p.universe, p.address, lay.span(p.block)) for p in place.entries)
        groups = (
            [[p] for p in place.entries]
            if place.apart or lay.footprint > SLOTS
            else [list(place.entries)]
        )
        for group in groups:
            length = sum(lay.span(p.block) for p in group)
            first = group[0]
            spot = (first.universe, first.address)
            if not (
                fits or all(trial.fits(p.universe, p.address, lay.span(p.block)) for p in group)
            ):
                wide = max(length, first.room)
                found = (
                    trial.find(wide, first.universe, 1) if wide <= SLOTS else None
                ) or trial.find(length, first.universe, 1)
                if found is None:
                    return ()
                spot = found
            at = spot[1]
            for p in group:
                made.append(Patched(universe=spot[0], address=at, block=p.block, room=p.room))
                trial.take(spot[0], at, lay.span(p.block))
                at += lay.span(p.block)
    return tuple(made)
