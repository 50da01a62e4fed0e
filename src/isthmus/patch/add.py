"""Units added to the patch: a wish, and what it would do before it is done."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field

from msgspec.structs import replace

from isthmus.errors import EntryFault
from isthmus.patch.addresses import Spot, blocks_at
from isthmus.patch.edits import check_free_numbers
from isthmus.patch.index import PatchIndex, Room, index_of
from isthmus.patch.numbers import MAX_COUNT
from isthmus.patch.spans import Clash, Span
from isthmus.profiles import Mode, Profile, chart, profiles_of
from isthmus.show.records import SLOTS, UNIVERSES, Patched, Show, StoredProfile, Unit, new_id

AT, STRETCH, GAPS, AFTER, NOWHERE = "at", "stretch", "gaps", "after", "none"
PLACES = (AT, STRETCH, GAPS, AFTER, NOWHERE)
ROUND = (5, 10, 16, 20, 25, 32, 40, 50, 64, 100, 128)


@dataclass(frozen=True)
class Add:
    """A wish: units of one mode, by count from a first number or by their numbers, and where they
    go.

    `place`: "at" the start, whoever is there; one free "stretch" from the start that takes them
    all; the "gaps" from the start on, each unit for itself; "after" the last; or "none". `keep`
    keeps the spacing as room of each unit.
    """

    stored: StoredProfile
    mode: str
    count: int = 1
    first_number: int | None = None
    start: Spot | None = None
    spacing: int = 0  # 0: the footprint
    name: str = ""
    hangs_on: str = ""
    purpose: str = ""
    gel: str = ""
    numbers: tuple[int, ...] = ()
    place: str = AT
    keep: bool = False


@dataclass(frozen=True)
class AddPreview:
    """What an Add would do, before it is done."""

    show: Show
    units: tuple[Unit, ...]
    spans: tuple[Span, ...]
    clashes: tuple[Clash, ...] = ()
    notes: tuple[str, ...] = field(default=())


def with_profile(show: Show, stored: StoredProfile) -> Show:
    if any(kept.key == stored.key for kept in show.profiles):
        return show
    return replace(show, profiles=(*show.profiles, stored))


def next_number(show: Show) -> int:
    return max((unit.number for unit in show.units), default=0) + 1


def name_for(pattern: str, index: int, number: int) -> str:
    """`#` in a pattern becomes the counter from 1 (`##` with a leading zero), `@` the unit
    number.
    """
    return (
        pattern.replace("##", f"{index + 1:02}")
        .replace("#", str(index + 1))
        .replace("@", str(number))
    )


def spacings(length: int) -> list[int]:
    """The footprint, and the next round numbers above it."""
    return [length, *[n for n in ROUND if n > length][:6]] if length else []


def preview_add(show: Show, add: Add) -> AddPreview:
    """Lay the units out. Raises EntryFault when the wish cannot be met at all."""
    with_it = with_profile(show, add.stored)
    profile = profiles_of(with_it).profiles.get(add.stored.key)
    if profile is None:
        raise profiles_of(with_it).faults[add.stored.key]
    mode = profile.mode(add.mode)
    if mode is None:
        raise EntryFault(
            f"{profile.name} has no mode “{add.mode}”.",
            do=f"It has {', '.join(m.name for m in profile.modes)}.",
        )
    numbers = _numbers(show, add)
    length = chart(profile, mode).footprint
    spacing = add.spacing or length
    if spacing < length:
        raise EntryFault(
            f"A spacing of {spacing} is less than the {length} slots each unit takes.",
            do=f"Use {length} or more.",
        )
    notes: list[str] = []
    kept = spacing if add.keep and spacing > length else 0
    places = list(_places(show, add, profile, mode, numbers, kept, notes))
    units = tuple(
        Unit(
            id=new_id(),
            number=number,
            name=name_for(add.name or f"{profile.name} #", index, number),
            profile=add.stored.key,
            mode=mode.name,
            patch=patch,
            hangs_on=add.hangs_on,
            purpose=add.purpose,
            gel=add.gel,
        )
        for index, (number, patch) in enumerate(zip(numbers, places, strict=True))
    )
    made = replace(with_it, units=(*show.units, *units))
    found = index_of(made)
    fresh = {unit.id for unit in units}
    spans = tuple(span for unit in units for span in found.spans[unit.id])
    clashes = [
        c
        for n in sorted({s.universe for s in spans})
        for c in found.universe(n).clashes
        if c.a.unit in fresh or c.b.unit in fresh
    ]
    return AddPreview(made, units, spans, tuple(clashes), tuple(notes))


def _numbers(show: Show, add: Add) -> tuple[int, ...]:
    first = add.first_number if add.first_number is not None else next_number(show)
    if add.numbers:
        numbers = add.numbers
    elif not 1 <= add.count <= MAX_COUNT:
        raise EntryFault(f"{add.count} units cannot be added at once.", do=f"Add 1 to {MAX_COUNT}.")
    else:
        numbers = tuple(range(first, first + add.count))
    check_free_numbers(show, numbers)
    return numbers


def _places(
    show: Show,
    add: Add,
    profile: Profile,
    mode: Mode,
    numbers: tuple[int, ...],
    kept: int,
    notes: list[str],
) -> Iterator[tuple[Patched, ...]]:
    """The patch of each unit in turn; never past the end of a universe."""
    index, sizes = index_of(show), chart(profile, mode).footprints
    length = sum(size for _, size in sizes)
    if add.place == NOWHERE or not length or (add.place == AT and add.start is None):
        yield from ((),) * len(numbers)
        return
    if max(size for _, size in sizes) > SLOTS:
        raise EntryFault(f"This mode takes {length} slots in one block, more than a universe has.")
    room, spacing = Room(index.universes), add.spacing or length
    at = _first_place(index, room, add, spacing * (len(numbers) - 1) + length, length, notes)
    if length > SLOTS:
        yield from (_apart(room, sizes, at) for _ in numbers)
        return
    for number in numbers:
        if add.place == GAPS:
            at = _gap(room, length, kept, at)
        elif at[1] + length - 1 > SLOTS:
            # a unit that ends just at the end of a universe leaves nothing to tell of
            if at[1] <= SLOTS or number != numbers[0]:
                notes.append(
                    f"{number} would run past {at[0]}.{SLOTS}, so it goes to universe {at[0] + 1}."
                )
            at = (at[0] + 1, 1)
        if at[0] > UNIVERSES:
            raise NoUniverse()
        yield blocks_at(profile, mode, *at, min(kept, SLOTS - at[1] + 1))
        if add.place != GAPS:
            at = (at[0], at[1] + spacing)


class NoUniverse(EntryFault):
    def __init__(self) -> None:
        super().__init__(f"There is no universe after {UNIVERSES}.")


def _first_place(
    index: PatchIndex, room: Room, add: Add, whole: int, length: int, notes: list[str]
) -> Spot:
    """Where the first unit is tried. `whole` is what all of them take, `length` what one takes."""
    at = add.start or (min(index.universes, default=1), 1)
    if add.place == AFTER:
        universe, last = index.last_used()
        return universe, last + 1
    if add.place == STRETCH and length <= SLOTS:
        if whole > SLOTS:
            notes.append(
                f"They take {whole} slots, more than one universe has, so they begin in an "
                "empty one."
            )
        return room.find(min(whole, SLOTS), *at) or at
    return at


def _apart(room: Room, sizes: Sequence[tuple[int, int]], at: Spot) -> tuple[Patched, ...]:
    """A unit longer than a universe: each block whole, in the next universe that takes it."""
    entries = []
    for block, size in sizes:
        spot = room.find(size, *at)
        if spot is None:
            raise NoUniverse()
        entries.append(Patched(universe=spot[0], address=spot[1], block=block))
        room.take(*spot, size)
    return tuple(entries)


def _gap(room: Room, length: int, kept: int, at: Spot) -> Spot:
    """The next gap for one unit: with the room it keeps where there is such a gap."""
    spot = room.find(max(length, kept), *at) or room.find(length, *at)
    if spot is None:
        raise NoUniverse()
    room.take(*spot, max(length, min(kept, SLOTS - spot[1] + 1)))
    return spot
