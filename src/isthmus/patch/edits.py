"""Edits of the patch: pure functions from a show to a new one."""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterable, Mapping, Sequence

from msgspec.structs import replace

from isthmus.errors import EntryFault
from isthmus.patch.addresses import Spot, blocks_at, put
from isthmus.patch.follow import followed, past_the_end
from isthmus.patch.index import Room, index_of
from isthmus.patch.numbers import MAX_NUMBER
from isthmus.plural import many
from isthmus.profiles import chart, profiles_of
from isthmus.show.address import write_address
from isthmus.show.records import SLOTS, UNIVERSES, Patched, Show, Unit, new_id

TEXT_FIELDS = ("fixture_id", "name", "hangs_on", "purpose", "gel", "note")


def change_units(show: Show, ids: Collection[str], change: Callable[[Unit], Unit]) -> Show:
    """Apply `change` to the named units; the same show object when nothing changed."""
    wanted = set(ids)
    units = tuple(change(unit) if unit.id in wanted else unit for unit in show.units)
    return (
        show
        if all(a is b for a, b in zip(units, show.units, strict=True))
        else replace(show, units=units)
    )


def set_text(show: Show, ids: Collection[str], name: str, value: str) -> Show:
    """Set one of TEXT_FIELDS."""
    if name not in TEXT_FIELDS:
        raise ValueError(name)
    if len(value) > 200:
        raise EntryFault("That text is longer than 200 characters.")
    value = " ".join(value.split())
    return change_units(
        show,
        ids,
        lambda unit: replace(unit, **{name: value}) if getattr(unit, name) != value else unit,
    )


def set_number(show: Show, unit_id: str, number: int) -> Show:
    """A doubled number is allowed; it becomes a snag."""
    return renumber(show, {unit_id: number})


def renumber(show: Show, numbers: Mapping[str, int]) -> Show:
    """Numbers for units by id. Raises EntryFault for what is not a unit number."""
    for number in numbers.values():
        if not 1 <= number <= MAX_NUMBER:
            raise EntryFault(
                f"{number} is not a unit number.", do=f"Unit numbers go from 1 to {MAX_NUMBER}."
            )
    return change_units(
        show,
        numbers,
        lambda u: replace(u, number=numbers[u.id]) if u.number != numbers[u.id] else u,
    )


def renumber_from(show: Show, ids: Sequence[str], first: int, keep_gaps: bool = False) -> Show:
    """Numbers from `first` on for units in the order of their numbers, gaps between them closed or
    kept.

    Raises EntryFault when another unit has one of the new numbers.
    """
    index = index_of(show)
    units = sorted((index.by_id[i] for i in ids if i in index.by_id), key=lambda u: u.number)
    if not units:
        raise EntryFault("Nothing is selected.", do="Select the units to renumber.")
    numbers = {
        u.id: first + (u.number - units[0].number if keep_gaps else at)
        for at, u in enumerate(units)
    }
    others = {n: ids for n, ids in index.numbers.items() if any(i not in numbers for i in ids)}
    taken = sorted(set(numbers.values()) & others.keys())
    if taken:
        more = f", and {len(taken) - 1} more of these" if len(taken) > 1 else ""
        raise EntryFault(
            f"Unit {taken[0]} exists already{more}.", do="Choose another first number."
        )
    return renumber(show, numbers)


def check_free_numbers(show: Show, numbers: Sequence[int]) -> None:
    """Raises EntryFault unless all may be given to new units."""
    if not numbers or not 1 <= min(numbers) <= max(numbers) <= MAX_NUMBER:
        raise EntryFault(f"Unit numbers go from 1 to {MAX_NUMBER}.")
    taken = set(numbers) & index_of(show).numbers.keys()
    if taken:
        more = f", and {len(taken) - 1} more of these" if len(taken) > 1 else ""
        raise EntryFault(f"Unit {min(taken)} exists already{more}.", do="Choose other numbers.")


def set_locked(show: Show, ids: Collection[str], locked: bool) -> Show:
    """Keep the addresses of units where they are, or let them go."""
    return change_units(
        show, ids, lambda unit: replace(unit, locked=locked) if unit.locked != locked else unit
    )


def set_address(show: Show, ids: Iterable[str], start: Spot | None, spacing: int = 0) -> Show:
    """Address units one by one from `start`, each whole within a universe; None takes the
    addresses away.

    A clash is allowed; it becomes a snag. Raises EntryFault when a unit does not fit in the
    universe asked for, and for units whose address is locked.
    """
    profiles = profiles_of(show)
    made: dict[str, tuple[Patched, ...]] = {}
    at = start
    units = index_of(show).by_id
    for index, unit_id in enumerate(ids):
        unit = units[unit_id]
        if unit.locked:
            raise EntryFault(f"The address of {unit.number} is locked.", do="Unlock it first.")
        if at is None:
            made[unit_id] = ()
            continue
        found = profiles.mode_of(unit)
        length = chart(*found).footprint if found else 1
        if at[1] + length - 1 > SLOTS:
            if index == 0:
                raise EntryFault(
                    f"Unit {unit.number} takes {length} slots; from {write_address(*at)} it "
                    f"would run past {SLOTS}.",
                    do=(
                        "The last address it fits at is "
                        f"{write_address(at[0], SLOTS - length + 1)}."
                    ),
                )
            at = (at[0] + 1, 1)
        if at[0] > UNIVERSES:
            raise EntryFault(f"There is no universe after {UNIVERSES}.")
        made[unit_id] = (
            blocks_at(*found, *at) if found else (Patched(universe=at[0], address=at[1]),)
        )
        at = (at[0], at[1] + max(length, spacing))
    return put(show, made)


def set_mode(show: Show, ids: Collection[str], mode: str) -> Show:
    """Change the mode; every address stays. Raises EntryFault where the new mode would run past its
    universe.
    """
    profiles = profiles_of(show)

    def change(unit: Unit) -> Unit:
        profile = profiles.profiles.get(unit.profile)
        wanted = profile.mode(mode) if profile else None
        if profile is None or wanted is None:
            raise EntryFault(
                f"Unit {unit.number} has no mode “{mode}”.",
                do=f"It has {', '.join(m.name for m in profile.modes)}."
                if profile
                else "Its profile cannot be read.",
            )
        if unit.mode == mode:
            return unit
        patch = followed(unit.patch, profiles.mode_of(unit), profile, wanted)
        past = past_the_end(patch, profile, wanted)
        if past is not None:
            raise EntryFault(
                f"Unit {unit.number} takes {chart(profile, wanted).footprint} channels in {mode}; "
                f"from {write_address(past.universe, past.address)} it would run past {SLOTS}.",
                do="Move it first, or use Change profile or mode…, which finds it another place.",
            )
        return replace(unit, mode=mode, patch=patch)

    return change_units(show, ids, change)


def address_next_free(show: Show, ids: Iterable[str]) -> Show:
    """Give each unit the first free address that fits, in order, from the universe it was
    last in.
    """
    wanted = list(ids)
    index = index_of(show)
    gone = {u for u in wanted if u in index.by_id and not index.by_id[u].locked}
    room = Room(index.universes, [span for unit in gone for span in index.spans[unit]])
    lowest = min(index.universes, default=1)
    made: dict[str, tuple[Patched, ...]] = {}
    for unit_id in wanted:
        if unit_id not in gone:
            continue
        unit = index.by_id[unit_id]
        found = index.profiles.mode_of(unit)
        length = max(1, chart(*found).footprint if found else 1)
        kept = unit.patch[0].room if unit.patch else 0
        begin = unit.patch[0].universe if unit.patch else lowest
        if found and length > SLOTS:  # each break whole, in the next universe that takes it
            made[unit_id] = _apart(room, chart(*found).footprints, begin, unit.number)
            continue
        spot = (room.find(kept, begin) if length < kept <= SLOTS else None) or room.find(
            length, begin
        )
        if spot is None:
            raise EntryFault(f"No universe has {length} free slots for unit {unit.number}.")
        room.take(*spot, max(length, min(kept, SLOTS - spot[1] + 1)))
        made[unit_id] = (
            blocks_at(*found, *spot, kept if kept > length else 0)
            if found
            else (Patched(universe=spot[0], address=spot[1]),)
        )
    return put(show, made)


def _apart(
    room: Room, sizes: Sequence[tuple[int, int]], universe: int, number: int
) -> tuple[Patched, ...]:
    """Breaks of a mode that is longer than a universe, each at the next free place."""
    entries = []
    for block, size in sizes:
        spot = room.find(size, universe)
        if spot is None:
            raise EntryFault(f"No universe has {size} free slots for unit {number}.")
        room.take(*spot, size)
        entries.append(Patched(universe=spot[0], address=spot[1], block=block))
    return tuple(entries)


def copy_units(
    show: Show, ids: Sequence[str], numbers: Sequence[int] = ()
) -> tuple[Show, list[str]]:
    """Copies with numbers of their own (the next ones without), no address and no place. Returns
    the copies' ids too.
    """
    have = index_of(show).by_id
    taken = index_of(show).numbers
    first = max(taken, default=0) + 1
    wanted = list(numbers) or list(range(first, first + len(ids)))
    if len(wanted) != len(ids):
        raise EntryFault(
            f"{len(wanted)} numbers for {many(len(ids), 'unit')}.",
            do="Give as many as there are units, or none.",
        )
    check_free_numbers(show, wanted)
    copies = [
        replace(have[i], id=new_id(), number=n, patch=(), position=None, structure="", locked=False)
        for i, n in zip(ids, wanted, strict=True)
    ]
    return replace(show, units=(*show.units, *copies)), [copy.id for copy in copies]


def remove_units(show: Show, ids: Collection[str]) -> Show:
    gone = set(ids)
    return replace(
        show,
        units=tuple(unit for unit in show.units if unit.id not in gone),
        verdicts=tuple(verdict for verdict in show.verdicts if verdict.unit not in gone),
        groups=tuple(
            replace(group, units=tuple(u for u in group.units if u not in gone))
            if gone.intersection(group.units)
            else group
            for group in show.groups
        ),
    )
