"""What a unit weighs and takes from the mains: as typed for it, for its type, or as its profile has
it; and where along a structure those weights hang.
"""

from __future__ import annotations

from collections.abc import Collection

from msgspec.structs import replace

from isthmus.errors import EntryFault
from isthmus.papers.naming import type_of
from isthmus.papers.table import Column, Group, Paper
from isthmus.patch.edits import change_units
from isthmus.pixels.power import USUAL
from isthmus.plural import many
from isthmus.profiles import profiles_of
from isthmus.profiles.geometry import assemble
from isthmus.show.records import Show, StoredProfile, Unit
from isthmus.stage.runs import along_of, run_of

HEAVIEST, STRONGEST = 5_000.0, 100_000.0  # kilograms and watts of one unit
COLUMNS = (
    Column("Metres", 18, figures=True),
    Column("kg", 18, figures=True),
    Column("Unit", 16, figures=True),
    Column("Name", 60),
    Column("Type", 60),
)


def _stored(show: Show, unit: Unit) -> StoredProfile | None:
    return next((one for one in show.profiles if one.key == unit.profile), None)


def weight_of(show: Show, unit: Unit) -> float | None:
    """Kilograms; None where no one states any."""
    if unit.weight is not None:
        return unit.weight
    stored = _stored(show, unit)
    if stored is not None and stored.weight is not None:
        return stored.weight
    profile = profiles_of(show).profiles.get(unit.profile)
    weight = profile.physical.weight if profile and profile.physical else None
    return weight or None


def power_of(show: Show, unit: Unit) -> float | None:
    """Watts of all its sources; None where one of them states none."""
    if unit.power is not None:
        return unit.power
    stored = _stored(show, unit)
    if stored is not None and stored.power is not None:
        return stored.power
    found = profiles_of(show).mode_of(unit)
    if found is None:
        return None
    beams = [instance.beam for instance in assemble(*found).beams]
    stated = [beam.power for beam in beams if (beam.power, beam.lamp) != USUAL]
    return sum(stated) if stated and len(stated) == len(beams) else None


# ------------------------------------------------------------ typed


def read_load(text: str, most: float, what: str) -> float | None:
    """`9.5`; nothing typed is None. Raises EntryFault."""
    plain = text.strip().replace(",", ".")
    if not plain:
        return None
    try:
        value = float(plain)
    except ValueError:
        value = -1.0
    if not 0 <= value <= most:
        raise EntryFault(
            f"“{text.strip()[:20]}” is not a number of {what}.", do=f"Write 0 to {most:g}."
        )
    return value


def with_loads(
    show: Show, units: Collection[str], weight: float | None, power: float | None
) -> Show:
    """Typed for these units (ids); None: again as their type has it."""
    return change_units(
        show,
        units,
        lambda unit: (
            unit
            if (unit.weight, unit.power) == (weight, power)
            else replace(unit, weight=weight, power=power)
        ),
    )


def with_type_loads(
    show: Show, keys: Collection[str], weight: float | None, power: float | None
) -> Show:
    """Typed for all units of these profiles (keys); None: again as the profile states."""
    profiles = tuple(
        replace(one, weight=weight, power=power) if one.key in keys else one
        for one in show.profiles
    )
    return show if profiles == show.profiles else replace(show, profiles=profiles)


# ------------------------------------------------------------ along a structure


def point_loads(show: Show, only: Collection[str] | None = None) -> Paper:
    """Each unit as a load at its metres from the left end of what it hangs on, with the sum and the
    centre of those whose weight is known: Σ m x / Σ m. Nothing about what a structure can bear.
    """
    groups = []
    for structure in sorted(show.structures, key=lambda one: one.name.lower()):
        found = [
            (along_of(structure, unit.position), unit)
            for unit in show.units
            if unit.structure == structure.id
            and unit.position is not None
            and (only is None or unit.id in only)
        ]
        if not found:
            continue
        found.sort(key=lambda pair: (pair[0], pair[1].number))
        known: list[tuple[float, float]] = []
        rows = []
        for at, unit in found:
            weight = weight_of(show, unit)
            if weight is not None:
                known.append((at, weight))
            rows.append(
                (
                    f"{at:.2f}",
                    "unknown" if weight is None else f"{weight:.1f}",
                    str(unit.number),
                    unit.name,
                    type_of(show, unit),
                )
            )
        length = run_of(structure).length
        groups.append(Group(structure.name or structure.kind, rows, _sum(known, len(rows), length)))
    about = "Units only: without cables, rigging and the structure itself."
    return Paper(f"{show.name}: point loads", about, COLUMNS, groups, keys=3)


def _sum(known: list[tuple[float, float]], count: int, length: float) -> str:
    total = sum(weight for _, weight in known)
    unknown = count - len(known)
    told = [f"{length:.2f} m long"]
    if total:
        centre = sum(at * weight for at, weight in known) / total
        told.append(f"{total:.1f} kg with their centre at {centre:.2f} m")
    if unknown:
        told.append(f"{many(unknown, 'unit')} of unknown weight")
    return ", ".join(told) + "."
