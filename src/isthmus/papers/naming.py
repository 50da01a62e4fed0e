"""What papers call the type of a unit."""

from __future__ import annotations

from isthmus.profiles import profiles_of
from isthmus.show.records import Show, Unit


def type_of(show: Show, unit: Unit) -> str:
    """Its profile's label; the key of one that is not there."""
    profile = profiles_of(show).profiles.get(unit.profile)
    return profile.label if profile else unit.profile
