"""The rig in space: units grouped by mode, posed by what they receive. Batched over the units of a
mode.

Hung upright (no rotation) a unit's light goes down; pan turns about z, tilt about x (GDTF, geometry
axes).
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from isthmus.gels import colour_of
from isthmus.profiles import profiles_of
from isthmus.profiles.groups import group_by_mode
from isthmus.profiles.light import LightProgram
from isthmus.profiles.records import Model
from isthmus.show.records import Show, Structure, Unit
from isthmus.stage.transforms import Array, placements


class GoboKey(NamedTuple):
    """One gobo: the profile's key, the picture in its archive (empty when there is none), and its
    name.
    """

    profile: str
    media: str
    name: str


class MeshKey(NamedTuple):
    """One body: the profile's key, the file's name without folder and ending, and the measures it
    is fitted to; with no profile, the primitive it is made as."""

    profile: str
    file: str
    size: tuple[float, float, float]


@dataclass(frozen=True)
class Group:
    """Units of one mode that have a place. `first` is the index of the first in the rig's list of
    units.
    """

    program: LightProgram
    units: tuple[Unit, ...]
    base: Array  # (n, 4, 4)
    gel: Array  # (n, 3)
    first: int
    gobos: tuple[int, ...] = ()  # the mode's gobos in the rig's list
    off: NDArray[np.bool_] | None = None  # whose beam is not drawn


@dataclass(frozen=True)
class Rig:
    """What stands in space. `order` names the units in the order of every per-unit array; `meshes`
    and `gobos` are kept by key, as bytes still to be read: (profile, file) and (profile, wheel,
    slot).
    """

    groups: tuple[Group, ...]
    structures: tuple[Structure, ...]
    order: tuple[str, ...]
    numbers: tuple[int, ...]
    positions: Array  # (n, 3)
    gobos: tuple[GoboKey, ...] = ()
    meshes: tuple[MeshKey, ...] = ()


@dataclass(frozen=True)
class Beams:
    """k beams. Directions and `right` (across the beam, where gobos and blades are measured from)
    are unit vectors.

    rgb: linear sRGB times relative flux. tan, half: tangents of half the field and half the beam
    angle. iris: share of the field left open. gobo: index into the rig's gobos, −1 open; turn:
    radians. blades (k, 4, 2): see Optics. kind: 0 light and lens, 1 light only, 2 lens only.
    """

    origin: Array
    direction: Array
    right: Array
    rgb: Array
    tan: Array
    half: Array
    lens: Array
    iris: Array
    gobo: NDArray[np.int64]
    turn: Array
    blades: Array
    kind: NDArray[np.int64]
    unit: NDArray[np.int64]


@dataclass(frozen=True)
class Bodies:
    """m body parts: (m, 4, 4) transforms of a unit cube hanging from its top face, or of a mesh in
    metres; shape (0 box, 1 round, 2 + index of the rig's meshes), unit."""

    matrix: Array
    shape: NDArray[np.int64]
    unit: NDArray[np.int64]


@dataclass(frozen=True)
class Drawn:
    """How units are turned into beams: cells each, averaged or pattern; seconds for what spins and
    flashes; whether units whose beam is switched off keep only their lens; bodies by their meshes:
    all, those of our own shapes, as plain boxes, or none.
    """

    cells: str = "each"
    time: float = 0.0
    flash: bool = False
    hide_off: bool = True
    bodies: str = "shaped"  # "own", "boxes" or "none"

    def meshed(self, key: MeshKey) -> bool:
        """Whether a body is drawn by its mesh."""
        return self.bodies == "shaped" or (self.bodies == "own" and not key.profile)


NEARER_DAYLIGHT = 4200.0  # kelvin: 1e6/4200 lies between 3200 and 5600
FLUX_UNIT = 10_000.0  # lumens that count as 1
MADE = {"Yoke", "Base", "Base1_1"}  # bodies without a file that are more than a box or a drum
ROUND = {"Cylinder", "Sphere", "Head", "Conventional", "Conventional1_1", "Scanner", "Scanner1_1"}


def build_rig(show: Show) -> Rig:
    """All units with a place, grouped by mode."""
    profiles = profiles_of(show)
    groups, order, numbers, positions = [], [], [], []
    gobos: dict[GoboKey, int] = {}
    meshes: dict[MeshKey, int] = {}
    for program, units in group_by_mode(
        [unit for unit in show.units if unit.position is not None], profiles
    ):
        place = [unit.position or (0.0, 0.0, 0.0) for unit in units]
        keys = [GoboKey(units[0].profile, slot.media, slot.name) for _, _, slot in program.gobos]
        for part in program.assembly.parts:
            if part.model.file or part.model.primitive in MADE:
                meshes.setdefault(mesh_key(units[0].profile, part.model), len(meshes))
        off = np.array([unit.beam_off for unit in units])
        groups.append(
            Group(
                program,
                tuple(units),
                placements(place, [unit.rotation for unit in units]),
                np.array([gel_of(show, unit, program) for unit in units]),
                len(order),
                tuple(gobos.setdefault(key, len(gobos)) for key in keys),
                off if off.any() else None,
            )
        )
        order.extend(unit.id for unit in units)
        numbers.extend(unit.number for unit in units)
        positions.extend(place)
    at = np.array(positions, np.float64).reshape(-1, 3)
    return Rig(
        tuple(groups),
        show.structures,
        tuple(order),
        tuple(numbers),
        at,
        tuple(gobos),
        tuple(meshes),
    )


def mesh_key(profile: str, model: Model) -> MeshKey:
    """Bodies without a file are the same for all profiles: known by their primitive."""
    return MeshKey(
        profile if model.file else "",
        model.file or model.primitive,
        (model.length, model.width, model.height),
    )


def gel_of(show: Show, unit: Unit, program: LightProgram) -> Array:
    """The gel's colour over the lamp this unit has: tungsten or daylight, whichever is nearer."""
    beams = program.assembly.beams
    daylight = bool(beams) and beams[0].beam.color_temperature > NEARER_DAYLIGHT
    found = colour_of(show.gels, unit.gel, daylight) if unit.gel else None
    return np.ones(3) if found is None else found
