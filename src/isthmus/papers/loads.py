"""What a unit weighs and takes from the mains, as far as its profile states it."""

from __future__ import annotations

from isthmus.pixels.power import USUAL
from isthmus.profiles import profiles_of
from isthmus.profiles.geometry import assemble
from isthmus.show.records import Show, Unit


def weight_of(show: Show, unit: Unit) -> float | None:
    """Kilograms; None where the profile states none."""
    profile = profiles_of(show).profiles.get(unit.profile)
    weight = profile.physical.weight if profile and profile.physical else None
    return weight or None


def power_of(show: Show, unit: Unit) -> float | None:
    """Watts of all its sources; None where one of them states none."""
    found = profiles_of(show).mode_of(unit)
    if found is None:
        return None
    beams = [instance.beam for instance in assemble(*found).beams]
    stated = [beam.power for beam in beams if (beam.power, beam.lamp) != USUAL]
    return sum(stated) if stated and len(stated) == len(beams) else None
