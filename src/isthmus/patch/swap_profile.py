"""Units given another profile: an own copy for its source, a newer revision for an older one, a
borrowed one.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Collection, Mapping
from dataclasses import dataclass
from itertools import count

from msgspec.structs import replace

from isthmus.errors import EntryFault
from isthmus.patch.follow import followed
from isthmus.profiles.channel_table import channel_table
from isthmus.profiles.compare import differences
from isthmus.profiles.records import Mode, Profile
from isthmus.profiles.store import profiles_of, read_stored
from isthmus.show.records import Show, StoredProfile, Unit


@dataclass(frozen=True)
class ModeChange:
    """What one mode of the old profile becomes, and what differs between their charts."""

    old: str
    new: str
    units: int
    differs: tuple[str, ...]


def using(show: Show, key: str) -> list[Unit]:
    """Units of a profile."""
    return [unit for unit in show.units if unit.profile == key]


def mode_for(profile: Profile, mode: Mode, fresh: Profile) -> Mode:
    """The mode of the new profile nearest to an old one: the same name, else the fewest
    differences.
    """
    same = fresh.mode(mode.name)
    return same or min(
        fresh.modes,
        key=lambda other: len(
            differences(channel_table(profile, mode), channel_table(fresh, other))
        ),
    )


def _target(old: Profile | None, name: str, fresh: Profile) -> Mode:
    """The mode units of a mode by name get; the first where the old one is unknown."""
    mode = old.mode(name) if old else None
    if old and mode:
        return mode_for(old, mode, fresh)
    return fresh.mode(name) or fresh.modes[0]


def preview_swap(show: Show, key: str, stored: StoredProfile) -> list[ModeChange]:
    """What would change for the units of profile `key`, by mode in use. Raises EntryFault when the
    new one cannot be read.
    """
    fresh, old = _both(show, key, stored)
    made = []
    for name, units in Counter(unit.mode for unit in using(show, key)).items():
        mode = old.mode(name) if old else None
        target = _target(old, name, fresh)
        told: tuple[str, ...] = ()
        if old and mode:
            told = tuple(differences(channel_table(old, mode), channel_table(fresh, target)))
        made.append(ModeChange(name, target.name, units, told))
    return made


def _both(show: Show, key: str, stored: StoredProfile) -> tuple[Profile, Profile | None]:
    fresh = read_stored(stored)
    if not isinstance(fresh, Profile):
        raise EntryFault(f"the profile {stored.key} cannot be read.", do=fresh.do)
    return fresh, profiles_of(show).profiles.get(key)


def swap_profile(
    show: Show, key: str, stored: StoredProfile, ids: Collection[str] | None = None
) -> Show:
    """Give units of profile `key` (all of them, or those of `ids`) the new profile; every address
    stays.

    `follow.grown` says who is then in the way.

    A new revision of the same maker and model takes the old one's place; for some units only, it is
    kept beside it under its revision.
    """
    fresh, old = _both(show, key, stored)
    users = using(show, key)
    chosen = {unit.id for unit in users if ids is None or unit.id in ids}
    gone = key if len(chosen) == len(users) else None
    others = {kept.key: kept for kept in show.profiles if kept.key != gone}
    name = _free_key(stored, others)
    kept = StoredProfile(
        key=name, file=stored.file if name == stored.key else f"{name}.gdtf", data=stored.data
    )
    others.pop(name, None)

    def change(unit: Unit) -> Unit:
        mode = old.mode(unit.mode) if old else None
        target = _target(old, unit.mode, fresh)
        patch = followed(unit.patch, (old, mode) if old and mode else None, fresh, target)
        return replace(unit, profile=name, mode=target.name, patch=patch)

    return replace(
        show,
        profiles=(*others.values(), kept),
        units=tuple(change(unit) if unit.id in chosen else unit for unit in show.units),
    )


def _free_key(stored: StoredProfile, others: Mapping[str, StoredProfile]) -> str:
    """Its own key, or that with a number where another profile has it already."""
    if stored.key not in others or others[stored.key].data == stored.data:
        return stored.key
    return next(text for n in count(2) if (text := f"{stored.key} ({n})") not in others)
