"""The rig in space: units grouped by mode, posed by what they receive. Batched over the units of a mode.

Hung upright (no rotation) a unit's light goes down; pan turns about z, tilt about x (GDTF, geometry axes).
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from isthmus.gels import colour_of
from isthmus.profiles import profiles_of
from isthmus.profiles.geometry import Link
from isthmus.profiles.groups import group_by_mode
from isthmus.profiles.light import LightProgram, LightState
from isthmus.show.records import Show, Structure, Unit
from isthmus.stage.transforms import Array, placements, turns_about


@dataclass(frozen=True)
class Group:
    """Units of one mode that have a place. `first` is the index of the first in the rig's list of units."""

    program: LightProgram
    units: tuple[Unit, ...]
    base: Array  # (n, 4, 4)
    gel: Array  # (n, 3)
    first: int


@dataclass(frozen=True)
class Rig:
    """What stands in space. `order` names the units in the order of every per-unit array."""

    groups: tuple[Group, ...]
    structures: tuple[Structure, ...]
    order: tuple[str, ...]
    numbers: tuple[int, ...]
    positions: Array  # (n, 3)


@dataclass(frozen=True)
class Beams:
    """k beams: lens centre, unit direction, linear sRGB times relative flux, tan of half the field, lens radius, unit."""

    origin: Array
    direction: Array
    rgb: Array
    tan: Array
    lens: Array
    unit: NDArray[np.int64]


@dataclass(frozen=True)
class Bodies:
    """m body parts: (m, 4, 4) transforms of a unit cube hanging from its top face, shape (0 box, 1 round), unit."""

    matrix: Array
    shape: NDArray[np.int64]
    unit: NDArray[np.int64]


NEARER_DAYLIGHT = 4200.0  # kelvin: 1e6/4200 lies between 3200 and 5600
FLUX_UNIT = 10_000.0  # lumens that count as 1
ROUND = {"Cylinder", "Sphere", "Head", "Conventional", "Conventional1_1", "Scanner", "Scanner1_1"}


def build_rig(show: Show) -> Rig:
    """All units with a place, grouped by mode."""
    profiles = profiles_of(show)
    groups, order, numbers, positions = [], [], [], []
    for program, units in group_by_mode([unit for unit in show.units if unit.position is not None], profiles):
        place = [unit.position or (0.0, 0.0, 0.0) for unit in units]
        groups.append(
            Group(
                program,
                tuple(units),
                placements(place, [unit.rotation for unit in units]),
                np.array([_gel(show, unit, program) for unit in units]),
                len(order),
            )
        )
        order.extend(unit.id for unit in units)
        numbers.extend(unit.number for unit in units)
        positions.extend(place)
    return Rig(tuple(groups), show.structures, tuple(order), tuple(numbers), np.array(positions, np.float64).reshape(-1, 3))


def _gel(show: Show, unit: Unit, program: LightProgram) -> Array:
    """The gel's colour over the lamp this unit has: tungsten or daylight, whichever is nearer."""
    beams = program.assembly.beams
    daylight = bool(beams) and beams[0].beam.color_temperature > NEARER_DAYLIGHT
    found = colour_of(show.gels, unit.gel, daylight) if unit.gel else None
    return np.ones(3) if found is None else found


def carry(chain: Sequence[Link], base: Array, state: LightState) -> Array:
    """(n, 4, 4) transforms at the end of a chain of links."""
    at = base
    for link in chain:
        at = at @ link.matrix
        if link.turns:
            at = at @ turns_about(2 if link.turns == "Pan" else 0, state.pan if link.turns == "Pan" else state.tilt)
    return at


def pose(rig: Rig, states: Sequence[LightState]) -> tuple[Beams, Bodies]:
    """Where every beam and body part of the rig is, given the state of each group."""
    origin, direction, rgb, tan, lens, owner = [], [], [], [], [], []
    matrix, shape, body_owner = [], [], []
    for group, state in zip(rig.groups, states, strict=True):
        n = len(group.units)
        units = np.arange(group.first, group.first + n)
        kept: dict[tuple[int, ...], Array] = {}

        def place(
            chain: tuple[Link, ...], base: Array = group.base, state: LightState = state, kept: dict[tuple[int, ...], Array] = kept
        ) -> Array:
            key = tuple(map(id, chain))
            if key not in kept:
                kept[key] = carry(chain, base, state)
            return kept[key]

        for index, beam in enumerate(group.program.assembly.beams):
            at = place(beam.chain)
            origin.append(at[:, :3, 3])
            direction.append(-at[:, :3, 2])
            rgb.append(state.rgb[:, index] * group.gel * (beam.beam.flux / FLUX_UNIT))
            tan.append(np.tan(np.radians(np.clip(state.field[:, index], 0.5, 160) / 2)))
            lens.append(np.full(n, beam.beam.radius))
            owner.append(units)
        for part in group.program.assembly.parts:
            model = part.model
            size = np.diag([max(model.length, 0.02), max(model.width, 0.02), max(model.height, 0.02), 1.0])
            matrix.append(place(part.chain) @ size)
            shape.append(np.full(n, int(model.primitive in ROUND)))
            body_owner.append(units)

    def join(parts: list, width: int) -> Array:
        return np.concatenate(parts) if parts else np.zeros((0, width)) if width else np.zeros(0)

    def whole(parts: list) -> NDArray[np.int64]:
        return np.concatenate(parts).astype(np.int64) if parts else np.zeros(0, np.int64)

    beams = Beams(join(origin, 3), join(direction, 3), join(rgb, 3), join(tan, 0), join(lens, 0), whole(owner))
    bodies = Bodies(np.concatenate(matrix) if matrix else np.zeros((0, 4, 4)), whole(shape), whole(body_owner))
    return beams, bodies
