"""Units gathered by mode, so that what is done with them is done once for all of one mode."""

from __future__ import annotations

from collections.abc import Sequence

from isthmus.profiles.light import LightProgram, light_program
from isthmus.profiles.store import ProfileSet
from isthmus.show.records import Unit


def group_by_mode(
    units: Sequence[Unit], profiles: ProfileSet
) -> list[tuple[LightProgram, tuple[Unit, ...]]]:
    """Units whose mode is known, gathered by mode, in order of first appearance."""
    grouped: dict[int, tuple[LightProgram, list[Unit]]] = {}
    for unit in units:
        found = profiles.mode_of(unit)
        if found:
            program = light_program(*found)
            grouped.setdefault(id(program), (program, []))[1].append(unit)
    return [(program, tuple(members)) for program, members in grouped.values()]
