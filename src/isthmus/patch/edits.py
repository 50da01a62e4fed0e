"""Edits of the patch: pure functions from a show to a new one."""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterable
from dataclasses import dataclass, field

from msgspec.structs import replace

from isthmus.errors import EntryFault
from isthmus.patch.numbers import MAX_COUNT, MAX_NUMBER
from isthmus.patch.spans import Clash, Span, all_spans, clashes, next_free
from isthmus.profiles import Mode, Profile, chart, profiles_of
from isthmus.show.records import SLOTS, UNIVERSES, Patched, Show, StoredProfile, Unit, new_id

TEXT_FIELDS = ("name", "hangs_on", "purpose", "gel", "note")


@dataclass(frozen=True)
class Add:
    """A wish: `count` units of one mode, numbered and addressed from a start. No start leaves them unpatched."""

    stored: StoredProfile
    mode: str
    count: int = 1
    first_number: int | None = None
    start: tuple[int, int] | None = None
    spacing: int = 0  # 0: the footprint
    name: str = ""
    hangs_on: str = ""
    purpose: str = ""
    gel: str = ""


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
    """`#` in a pattern becomes the counter from 1, `@` the unit number."""
    return pattern.replace("#", str(index + 1)).replace("@", str(number))


def patched_blocks(profile: Profile, mode: Mode, universe: int, address: int) -> tuple[Patched, ...]:
    """One entry for each block of a mode, the blocks one after the other."""
    made, at = [], address
    for block, length in chart(profile, mode).footprints:
        made.append(Patched(universe=universe, address=at, block=block))
        at += length
    return tuple(made)


def preview_add(show: Show, add: Add) -> AddPreview:
    """Lay the units out. Raises EntryFault when the wish cannot be met at all."""
    with_it = with_profile(show, add.stored)
    profile = profiles_of(with_it).profiles.get(add.stored.key)
    if profile is None:
        raise profiles_of(with_it).faults[add.stored.key]
    mode = profile.mode(add.mode)
    if mode is None:
        raise EntryFault(f"{profile.name} has no mode “{add.mode}”.", do=f"It has {', '.join(m.name for m in profile.modes)}.")
    if not 1 <= add.count <= MAX_COUNT:
        raise EntryFault(f"{add.count} units cannot be added at once.", do=f"Add 1 to {MAX_COUNT}.")
    length = chart(profile, mode).footprint
    spacing = add.spacing or length
    if spacing < length:
        raise EntryFault(f"A spacing of {spacing} is less than the {length} slots each unit takes.", do=f"Use {length} or more.")
    if length > SLOTS and add.start is not None:
        raise EntryFault(f"This mode takes {length} slots, more than a universe has.", do="Patch its blocks one by one.")
    number = add.first_number if add.first_number is not None else next_number(show)
    if not 1 <= number <= number + add.count - 1 <= MAX_NUMBER:
        raise EntryFault(f"Unit numbers go from 1 to {MAX_NUMBER}.")
    taken = {unit.number for unit in show.units} & set(range(number, number + add.count))
    if taken:
        raise EntryFault(f"Unit {min(taken)} exists already.", do="Choose another first number.")
    units, notes = [], []
    at = add.start
    pattern = add.name or f"{profile.name} #"
    for index in range(add.count):
        patch: tuple[Patched, ...] = ()
        if at is not None and length:
            if at[1] + length - 1 > SLOTS:
                notes.append(f"{number + index} would run past {at[0]}.{SLOTS}, so it goes to universe {at[0] + 1}.")
                at = (at[0] + 1, 1)
            if at[0] > UNIVERSES:
                raise EntryFault(f"There is no universe after {UNIVERSES}.")
            patch = patched_blocks(profile, mode, *at)
            at = (at[0], at[1] + spacing)
        units.append(
            Unit(
                id=new_id(),
                number=number + index,
                name=name_for(pattern, index, number + index),
                profile=add.stored.key,
                mode=mode.name,
                patch=patch,
                hangs_on=add.hangs_on,
                purpose=add.purpose,
                gel=add.gel,
            )
        )
    made = replace(with_it, units=(*show.units, *units))
    spans = all_spans(made)
    fresh = {unit.id for unit in units}
    return AddPreview(
        made,
        tuple(units),
        tuple(span for span in spans if span.unit in fresh),
        tuple(clash for clash in clashes(spans) if clash.a.unit in fresh or clash.b.unit in fresh),
        tuple(notes),
    )


def change_units(show: Show, ids: Collection[str], change: Callable[[Unit], Unit]) -> Show:
    """Apply `change` to the named units; the same show object when nothing changed."""
    wanted = set(ids)
    units = tuple(change(unit) if unit.id in wanted else unit for unit in show.units)
    return show if all(a is b for a, b in zip(units, show.units, strict=True)) else replace(show, units=units)


def set_text(show: Show, ids: Collection[str], name: str, value: str) -> Show:
    """Set one of TEXT_FIELDS."""
    if name not in TEXT_FIELDS:
        raise ValueError(name)
    if len(value) > 200:
        raise EntryFault("That text is longer than 200 characters.")
    value = " ".join(value.split())
    return change_units(show, ids, lambda unit: replace(unit, **{name: value}) if getattr(unit, name) != value else unit)


def set_number(show: Show, unit_id: str, number: int) -> Show:
    """A doubled number is allowed; it becomes a snag."""
    if not 1 <= number <= MAX_NUMBER:
        raise EntryFault(f"{number} is not a unit number.", do=f"Unit numbers go from 1 to {MAX_NUMBER}.")
    return change_units(show, [unit_id], lambda unit: replace(unit, number=number) if unit.number != number else unit)


def set_address(show: Show, ids: Iterable[str], start: tuple[int, int] | None) -> Show:
    """Address units one after the other from `start`, each whole within a universe; None takes the addresses away.

    A clash is allowed; it becomes a snag. Raises EntryFault when a unit does not fit in the universe asked for.
    """
    profiles = profiles_of(show)
    made: dict[str, tuple[Patched, ...]] = {}
    at = start
    units = {unit.id: unit for unit in show.units}
    for index, unit_id in enumerate(ids):
        unit = units[unit_id]
        if at is None:
            made[unit_id] = ()
            continue
        found = profiles.mode_of(unit)
        length = chart(*found).footprint if found else 1
        if at[1] + length - 1 > SLOTS:
            if index == 0:
                raise EntryFault(
                    f"Unit {unit.number} takes {length} slots; from {at[0]}.{at[1]:03d} it would run past {SLOTS}.",
                    do=f"The last address it fits at is {at[0]}.{SLOTS - length + 1:03d}.",
                )
            at = (at[0] + 1, 1)
        if at[0] > UNIVERSES:
            raise EntryFault(f"There is no universe after {UNIVERSES}.")
        made[unit_id] = patched_blocks(*found, *at) if found else (Patched(universe=at[0], address=at[1]),)
        at = (at[0], at[1] + length)
    return change_units(show, made, lambda unit: replace(unit, patch=made[unit.id]) if unit.patch != made[unit.id] else unit)


def set_mode(show: Show, ids: Collection[str], mode: str) -> Show:
    """Change the mode; the start address stays, the blocks follow the new footprint."""
    profiles = profiles_of(show)

    def change(unit: Unit) -> Unit:
        profile = profiles.profiles.get(unit.profile)
        wanted = profile.mode(mode) if profile else None
        if profile is None or wanted is None:
            raise EntryFault(
                f"Unit {unit.number} has no mode “{mode}”.",
                do=f"It has {', '.join(m.name for m in profile.modes)}." if profile else "Its profile does not read.",
            )
        patch = patched_blocks(profile, wanted, unit.patch[0].universe, unit.patch[0].address) if unit.patch else ()
        return replace(unit, mode=mode, patch=patch) if unit.mode != mode else unit

    return change_units(show, ids, change)


def address_next_free(show: Show, ids: Iterable[str]) -> Show:
    """Give each unit the first free address that fits, in order, from the universe it was last in."""
    for unit_id in ids:
        unit = show.unit(unit_id)
        if unit is None:
            continue
        found = profiles_of(show).mode_of(unit)
        length = chart(*found).footprint if found else 1
        from_universe = unit.patch[0].universe if unit.patch else min((p.universe for u in show.units for p in u.patch), default=1)
        spot = next_free([span for span in all_spans(show) if span.unit != unit_id], max(1, length), from_universe)
        if spot is None:
            raise EntryFault(f"No universe has {length} free slots for unit {unit.number}.")
        show = set_address(show, [unit_id], spot)
    return show


def remove_units(show: Show, ids: Collection[str]) -> Show:
    gone = set(ids)
    return replace(
        show,
        units=tuple(unit for unit in show.units if unit.id not in gone),
        verdicts=tuple(verdict for verdict in show.verdicts if verdict.unit not in gone),
    )
