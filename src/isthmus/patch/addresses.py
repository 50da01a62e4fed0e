"""Addresses given to units as a whole, and the ways out when address in use.

A wish says where units shall start. Who stands in the way is found at once for all of them; each
way out is a show of its own, with the list of what it moves, so that it can be looked at before it
is chosen.
"""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from msgspec.structs import replace

from isthmus.errors import EntryFault
from isthmus.patch.index import PatchIndex, Room, index_of
from isthmus.patch.spans import Span, unit_spans
from isthmus.profiles import Mode, Profile, chart
from isthmus.show.address import read_address, write_address
from isthmus.show.records import SLOTS, UNIVERSES, Patched, Show, Unit

Spot = tuple[int, int]
Wish = Mapping[str, Sequence[Spot]]  # unit id → start addresses; none takes its address away
ROOM, SWAP, TAKE, ALLOW = "room", "swap", "take", "allow"


@dataclass(frozen=True)
class Move:
    """One unit that would stand elsewhere; empty patches are without an address."""

    unit: str
    number: int
    before: tuple[Patched, ...]
    after: tuple[Patched, ...]


@dataclass(frozen=True)
class Way:
    """A way out: what it is called, the show it leads to, and what it does to others. `why_not`: it
    cannot be taken.
    """

    key: str
    label: str
    show: Show | None
    moves: tuple[Move, ...] = ()
    why_not: str = ""


@dataclass(frozen=True)
class Placing:
    """A wish looked at as a whole: the show it leads to if no one gives way, who is in the way, and
    the ways out.
    """

    show: Show
    in_the_way: tuple[Unit, ...]
    ways: tuple[Way, ...]


def read_addresses(text: str) -> list[Spot]:
    """`2.101` or several of them with commas; an empty text or “none” is not an address. Raises
    EntryFault.
    """
    found = [read_address(part) for part in re.split(r"[,;\n]", text) if part.strip()]
    return [spot for spot in found if spot]


def blocks_at(
    profile: Profile, mode: Mode, universe: int, address: int, room: int = 0
) -> tuple[Patched, ...]:
    """One entry for each block of a mode, the blocks one by one; `room` is kept from the
    first on.
    """
    made, at = [], address
    for block, length in chart(profile, mode).footprints:
        made.append(
            Patched(universe=universe, address=at, block=block, room=room if not made else 0)
        )
        at += length
    return tuple(made)


def patches_for(
    unit: Unit, found: tuple[Profile, Mode] | None, spots: Sequence[Spot]
) -> tuple[Patched, ...]:
    """The patch of a unit at these start addresses.

    One address takes all blocks of the mode in a row; as many as there are blocks give each its
    own; several for a mode of one block are several places one number listens at. Raises EntryFault
    for other numbers of addresses and where a block would run past its universe.
    """
    if not spots:
        return ()
    room = unit.patch[0].room if unit.patch else 0
    if found is None:
        return tuple(Patched(universe=u, address=a) for u, a in spots)
    sizes = chart(*found).footprints
    if len(sizes) == 1 or len(spots) == 1:
        made = [
            entry
            for u, a in spots
            for entry in blocks_at(*found, u, a, room if len(spots) == 1 else 0)
        ]
        groups = [(spot, sum(size for _, size in sizes)) for spot in spots]
    elif len(spots) % len(sizes) == 0:
        pairs = [(spot, *sizes[i % len(sizes)]) for i, spot in enumerate(spots)]
        made = [Patched(universe=u, address=a, block=block) for (u, a), block, _ in pairs]
        groups = [(spot, size) for spot, _, size in pairs]
    else:
        raise EntryFault(
            f"Unit {unit.number} has {len(sizes)} blocks; {len(spots)} addresses are given.",
            do=f"Give one address, or {len(sizes)}.",
        )
    for (universe, address), size in groups:
        if address + size - 1 > SLOTS:
            fits = f"The last address it fits at is {write_address(universe, SLOTS - size + 1)}."
            raise EntryFault(
                f"Unit {unit.number} takes {size} slots; from "
                f"{write_address(universe, address)} it would run past {SLOTS}.",
                do=fits if size <= SLOTS else "Patch its blocks apart.",
            )
    return tuple(made)


def place(show: Show, wish: Wish) -> Placing:
    """Look at a wish as a whole. Raises EntryFault when it cannot be met by anyone giving way."""
    index = index_of(show)
    made: dict[str, tuple[Patched, ...]] = {}
    for unit_id, spots in wish.items():
        unit = index.by_id.get(unit_id)
        if unit is None:
            continue
        if unit.locked and [(p.universe, p.address) for p in unit.patch] != list(spots):
            raise EntryFault(f"The address of {unit.number} is locked.", do="Unlock it first.")
        made[unit_id] = patches_for(unit, index.profiles.mode_of(unit), spots)
    return look_at(show, made)


def look_at(show: Show, made: Mapping[str, tuple[Patched, ...]]) -> Placing:
    """Look at patches for any units as a whole. Of those that want the same slots the first in
    order gets them.
    """
    plain = put(show, made)
    index, after = index_of(show), index_of(plain)
    late = _late(after, made)
    first = {unit_id: patch for unit_id, patch in made.items() if unit_id not in late}
    wanted = [span for unit_id in first for span in after.spans[unit_id]]
    blocked: dict[str, Unit] = {}
    for span in wanted:
        for other in index.universe(span.universe).spans:
            if other.unit not in made and other.start <= span.end and span.start <= other.end:
                blocked[other.unit] = index.by_id[other.unit]
    movers = (
        *sorted(blocked.values(), key=lambda u: u.number),
        *(after.by_id[unit_id] for unit_id in late),
    )
    if not movers:
        return Placing(plain, (), ())
    return Placing(plain, movers, _ways(show, index, first, plain, wanted, movers, bool(late)))


def _late(after: PatchIndex, made: Mapping[str, tuple[Patched, ...]]) -> list[str]:
    """Units of a wish that want slots another unit before them in it takes."""
    taken: dict[int, list[Span]] = {}
    late = []
    for unit_id in made:
        spans = after.spans.get(unit_id, ())
        if any(
            other.start <= span.end and span.start <= other.end
            for span in spans
            for other in taken.get(span.universe, ())
        ):
            late.append(unit_id)
            continue
        for span in spans:
            taken.setdefault(span.universe, []).append(span)
    return late


def put(show: Show, patches: Mapping[str, tuple[Patched, ...]]) -> Show:
    """Units given these very patches; the same show when nothing changes."""
    units = tuple(
        replace(u, patch=patches[u.id]) if u.id in patches and u.patch != patches[u.id] else u
        for u in show.units
    )
    return (
        show
        if all(a is b for a, b in zip(units, show.units, strict=True))
        else replace(show, units=units)
    )


def moves_between(
    before: Show, after: Show, but: Mapping[str, object] | None = None
) -> tuple[Move, ...]:
    """Units of both whose patch differs, by number."""
    old = index_of(before).by_id
    found = [
        Move(u.id, u.number, old[u.id].patch, u.patch)
        for u in after.units
        if u.id in old
        and old[u.id] is not u
        and old[u.id].patch != u.patch
        and u.id not in (but or {})
    ]
    return tuple(sorted(found, key=lambda move: move.number))


def _ways(
    show: Show,
    index: PatchIndex,
    made: dict[str, tuple[Patched, ...]],
    plain: Show,
    wanted: list[Span],
    blocked: tuple[Unit, ...],
    crowded: bool,
) -> tuple[Way, ...]:
    names = ", ".join(str(u.number) for u in blocked[:4]) + (" …" if len(blocked) > 4 else "")
    locked = [u.number for u in blocked if u.locked]
    held = (
        f"{', '.join(map(str, locked))} {'is' if len(locked) == 1 else 'are'} locked"
        if locked
        else ""
    )

    crowd = "several units want the same slots" if crowded else ""

    def way(key: str, label: str, patches: dict[str, tuple[Patched, ...]] | str) -> Way:
        if isinstance(patches, str):
            return Way(key, label, None, (), patches)
        after = put(plain, patches)
        return Way(key, label, after, moves_between(show, after, made))

    return (
        way(
            ROOM,
            f"Make room: move {names} to the next free addresses",
            held or _make_room(index, made, wanted, blocked),
        ),
        way(
            SWAP, f"Swap places with {names}", held or crowd or _swap(index, made, wanted, blocked)
        ),
        way(
            TAKE, f"Take the place, {names} without an address", held or {u.id: () for u in blocked}
        ),
        way(ALLOW, "Allow both to claim it", {}),
    )


def _make_room(
    index: PatchIndex,
    made: dict[str, tuple[Patched, ...]],
    wanted: list[Span],
    blocked: tuple[Unit, ...],
) -> dict[str, tuple[Patched, ...]] | str:
    """Only those in the way move, each to the first place that takes it whole, from where it stood
    on.
    """
    away = [
        span
        for unit_id in (*made, *(u.id for u in blocked))
        for span in index.spans.get(unit_id, ())
    ]
    room = Room(index.universes, away)
    for span in wanted:
        room.take(span.universe, span.start, span.length)
    found: dict[str, tuple[Patched, ...]] = {}
    for unit in sorted(blocked, key=lambda u: (u.patch[0].universe, u.patch[0].address)):
        entries: list[Patched] = []
        for group in _together(unit, index):
            length = sum(span.length for span in group)
            first = group[0]
            if all(room.fits(s.universe, s.start, s.length) for s in group):
                spot: Spot | None = (
                    first.universe,
                    first.start,
                )  # only another block of it is in the way
            else:
                spot = room.find(length, first.universe, min(first.start, SLOTS))
            if spot is None or spot[0] > UNIVERSES:
                return f"no universe has {length} free slots for {unit.number}"
            room.take(*spot, length)
            at = spot[1]
            for span in group:
                entries.append(
                    Patched(universe=spot[0], address=at, block=span.block, room=span.room)
                )
                at += span.length
        found[unit.id] = tuple(entries)
    return found


def _together(unit: Unit, index: PatchIndex) -> list[list[Span]]:
    """Spans of a unit, those that follow one another directly kept together."""
    groups: list[list[Span]] = []
    for span in unit_spans(unit, index.profiles):
        last = groups[-1][-1] if groups else None
        if (
            last
            and (span.universe, span.start) == (last.universe, last.end + 1)
            and span.block > last.block
        ):
            groups[-1].append(span)
        else:
            groups.append([span])
    return groups


def _swap(
    index: PatchIndex,
    made: dict[str, tuple[Patched, ...]],
    wanted: list[Span],
    blocked: tuple[Unit, ...],
) -> dict[str, tuple[Patched, ...]] | str:
    """Those in the way go as far back as the unit that takes their place has come."""
    if len(made) != 1:
        return "several units move at once"
    (mover,) = made
    old, new = index.by_id[mover].patch, made[mover]
    if not old:
        return f"{index.by_id[mover].number} has no place to give"
    start = new[0]
    away = [
        span
        for unit_id in (mover, *(u.id for u in blocked))
        for span in index.spans.get(unit_id, ())
    ]
    room = Room(index.universes, away)
    for span in wanted:
        room.take(span.universe, span.start, span.length)
    found: dict[str, tuple[Patched, ...]] = {}
    for unit in blocked:
        entries = []
        for span in unit_spans(unit, index.profiles):
            at = old[0].address + span.start - start.address
            if (
                span.universe != start.universe
                or at < 1
                or not room.fits(old[0].universe, at, span.length)
            ):
                return f"{unit.number} does not fit where {index.by_id[mover].number} was"
            room.take(old[0].universe, at, span.length)
            entries.append(
                Patched(universe=old[0].universe, address=at, block=span.block, room=span.room)
            )
        found[unit.id] = tuple(entries)
    return found
