"""Change profile or mode for units that are patched: what is kept, what moves, what does
not fit.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from dataclasses import replace as replace_made

from msgspec.structs import replace

from isthmus.errors import EntryFault
from isthmus.patch.add import with_profile
from isthmus.patch.edits import change_units
from isthmus.patch.follow import followed, places_of
from isthmus.patch.index import PatchIndex, Room, index_of
from isthmus.patch.limits import bound_channel
from isthmus.profiles import Mode, Profile, chart, profiles_of
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
    index = index_of(show)
    chosen = [index.by_id[i] for i in ids if i in index.by_id]
    placing = _Placing(index, chosen, profile, mode)
    for unit in chosen:  # those that can stay are given their places first
        placing.stay(unit)
    for unit in chosen:
        placing.move(unit)
    for unit in chosen:
        placing.tell_lost_breaks(unit)
    made = placing.made
    dropped: dict[str, str] = {}

    def change(unit: Unit) -> Unit:
        limits = tuple(
            limit for limit in unit.limits if bound_channel((profile, mode), limit.attribute)
        )
        gone = [plain(limit.attribute) for limit in unit.limits if limit not in limits]
        if gone:
            dropped[unit.id] = f"; its limit of {', '.join(gone)} goes"
        return replace(
            unit, profile=stored.key, mode=mode_name, patch=made[unit.id].patch, limits=limits
        )

    after = change_units(base, list(made), change)
    lines = ((m.number, m.what, m.words + dropped.get(unit, "")) for unit, m in made.items())
    return Replaced(after, tuple(sorted(lines)))


@dataclass(frozen=True)
class _Made:
    """What becomes of one unit."""

    patch: tuple[Patched, ...]
    number: int
    what: str
    words: str


class _Placing:
    """Places of units in their new mode, each found in the room that the others leave."""

    def __init__(
        self, index: PatchIndex, chosen: Sequence[Unit], profile: Profile, mode: Mode
    ) -> None:
        self.profiles, self.profile, self.mode = index.profiles, profile, mode
        self.lay = chart(profile, mode)
        self.room = Room(index.universes, [s for unit in chosen for s in index.spans[unit.id]])
        self.made: dict[str, _Made] = {}

    def stay(self, unit: Unit) -> None:
        """Where it is, when it fits there whole."""
        if not unit.patch or not self.lay.footprint:
            words = "it takes no slots" if unit.patch else "without an address"
            self.made[unit.id] = _Made((), unit.number, KEPT, words)
            return
        entries = self._followed(unit)
        if all(self.room.fits(p.universe, p.address, self.lay.span(p.block)) for p in entries):
            words = f"stays at {addresses_of(entries)}"
            self.made[unit.id] = _Made(entries, unit.number, KEPT, words)
            self._take(entries)

    def move(self, unit: Unit) -> None:
        """To the next free place, when it could not stay."""
        if unit.id in self.made:
            return
        entries = self._followed(unit)
        here = addresses_of(entries)
        moved = () if unit.locked else _moved(self.room, entries, self.lay)
        if moved:
            words = (
                f"moves from {here} to {addresses_of(moved)}: {self.lay.footprint} slots do not "
                "fit there"
            )
            self.made[unit.id] = _Made(moved, unit.number, MOVED, words)
            self._take(moved)
            return
        why = "its address is locked" if unit.locked else "no universe has the room"
        words = f"does not fit at {here}, and {why}"
        self.made[unit.id] = _Made((), unit.number, LOST, words)

    def tell_lost_breaks(self, unit: Unit) -> None:
        made = self.made[unit.id]
        lost = len(unit.patch) - len(made.patch)
        if made.patch and lost > 0 and len(self.lay.footprints) == 1:
            words = f"{made.words}; {lost} addresses of breaks it no longer has go"
            self.made[unit.id] = replace_made(made, words=words)

    def _followed(self, unit: Unit) -> tuple[Patched, ...]:
        return followed(unit.patch, self.profiles.mode_of(unit), self.profile, self.mode)

    def _take(self, entries: Sequence[Patched]) -> None:
        for p in entries:
            size = max(self.lay.span(p.block), min(p.room, SLOTS - p.address + 1))
            self.room.take(p.universe, p.address, size)


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
