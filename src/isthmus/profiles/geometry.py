"""The geometry of a mode written out: every beam and every body with the chain of transforms that
carries it.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from msgspec.structs import replace
from numpy.typing import NDArray

from isthmus.profiles.chart import cells_of
from isthmus.profiles.records import Beam, Geometry, Mode, Model, Profile

Array = NDArray[np.float64]
# stand-in bodies by the kind of geometry, in metres: a base, what turns, and the lamp itself
_STAND_INS = {
    "base": Model(name="", length=0.30, width=0.24, height=0.12, primitive="Cube"),
    "yoke": Model(name="", length=0.32, width=0.12, height=0.26, primitive="Cube"),
    "head": Model(name="", length=0.24, width=0.24, height=0.32, primitive="Head"),
    "lamp": Model(name="", length=0.24, width=0.24, height=0.30, primitive="Cylinder"),
    "cell": Model(name="", length=0.10, width=0.10, height=0.06, primitive="Cube"),
    "case": Model(name="", length=0.25, width=0.25, height=0.30, primitive="Cube"),
}
MAX_PARTS = 4096
MAX_DEPTH = 40


@dataclass(frozen=True)
class Link:
    """One step from the base outwards: a fixed matrix, then a turn by pan or tilt when this is such
    an axis.
    """

    matrix: Array
    turns: str = ""  # "", Pan, Tilt
    cell: int = 0  # whose channel turns it: 0 the unit's own, else a cell's


@dataclass(frozen=True)
class BeamInstance:
    """One lens. `around` are the cells that hold it, from the innermost out to 0, the unit."""

    beam: Beam
    cell: int
    chain: tuple[Link, ...]
    around: tuple[int, ...] = (0,)

    @property
    def axes(self) -> tuple[tuple[str, int], ...]:
        """(attribute, cell) of the channels that turn it, from the base outwards, each once."""
        return tuple(dict.fromkeys((k.turns, k.cell) for k in self.chain if k.turns))


@dataclass(frozen=True)
class BodyPart:
    model: Model
    chain: tuple[Link, ...]


@dataclass(frozen=True)
class Assembly:
    beams: tuple[BeamInstance, ...]
    parts: tuple[BodyPart, ...]


def assemble(profile: Profile, mode: Mode) -> Assembly:
    """Walk the tree of a mode. A unit with no body of any size gets a stand-in one from its kind
    and the measures of its geometry, so that it is never invisible."""
    walk = _Walk(profile, mode)
    root = profile.geometry(mode.geometry)
    if root is not None:
        walk.down(root, (), (0,))
    return Assembly(tuple(walk.beams), tuple(walk.parts or _stand_in(walk.seen)))


class _Walk:
    """Down the tree of a mode, through what it refers to: every beam and body on the way."""

    def __init__(self, profile: Profile, mode: Mode) -> None:
        self._profile = profile
        self._turns = {
            c.geometry: c.logical[0].attribute
            for c in mode.channels
            if c.logical and c.logical[0].attribute in ("Pan", "Tilt")
        }
        self._models = {model.name: model for model in profile.models}
        self._cells = {
            tuple(map(id, chain)): number for number, chain in enumerate(cells_of(profile, mode), 1)
        }
        self.beams: list[BeamInstance] = []
        self.parts: list[BodyPart] = []
        self.seen: list[tuple[Geometry, tuple[Link, ...], int]] = []

    def down(
        self,
        geometry: Geometry,
        chain: tuple[Link, ...],
        around: tuple[int, ...],
        way: tuple[int, ...] = (),
    ) -> None:
        """`chain` leads here, `around` are the cells passed on the way, `way` the references."""
        # references may go round in a ring
        if len(chain) > MAX_DEPTH or len(self.seen) >= MAX_PARTS:
            return
        if geometry.kind != "Reference":
            around = _within(self._cells.get((id(geometry),)), around)
        turn = self._turns.get(geometry.name, "") if geometry.kind == "Axis" else ""
        chain = (*chain, Link(np.array(geometry.matrix), turn, around[0] if turn else 0))
        self.seen.append((geometry, chain, around[0]))
        model = self._models.get(geometry.model)
        if model is not None and (model.file or model.length * model.width * model.height > 0):
            self.parts.append(BodyPart(model, chain))
        if geometry.kind == "Reference":
            self._refer(geometry, chain, around, way)
        if geometry.beam is not None:
            self.beams.append(BeamInstance(geometry.beam, around[0], chain, around))
        for child in geometry.children:
            self.down(child, chain, around, way)

    def _refer(
        self,
        reference: Geometry,
        chain: tuple[Link, ...],
        around: tuple[int, ...],
        way: tuple[int, ...],
    ) -> None:
        target, inner = self._profile.geometry(reference.refers_to), (*way, id(reference))
        # a reference inside a cell that is none itself belongs to that cell
        if target is not None:
            self.down(target, chain, _within(self._cells.get(inner), around), inner)


def _within(cell: int | None, around: tuple[int, ...]) -> tuple[int, ...]:
    return around if cell is None else (cell, *around)


def _stand_in(seen: list[tuple[Geometry, tuple[Link, ...], int]]) -> list[BodyPart]:
    """Bodies for a tree that has none: a base where it hangs, yoke and head where it turns, a lamp
    where light comes out.

    The base reaches as far as the parts of the geometry do; lamps are as wide as their lenses ask.
    """
    if not seen:
        return [BodyPart(_STAND_INS["case"], ())]
    turning = any(geometry.kind == "Axis" for geometry, _, _ in seen)
    places = np.array([_place(chain) for _, chain, _ in seen[:MAX_PARTS]])
    reach = np.clip(np.nan_to_num(np.ptp(places, axis=0)), 0.0, 20.0)
    case = _STAND_INS["base" if turning else "case"]
    height = (
        case.height
        if turning
        else max(0.08, min(case.height, float(reach[2]) + 0.08))
        if len(seen) > 2
        else case.height
    )
    base = replace(
        case,
        length=max(case.length, float(reach[0]) + 0.1),
        width=max(case.width, float(reach[1]) + 0.1),
        height=height,
    )
    parts = [BodyPart(base, seen[0][1])]
    heads = 0
    for geometry, chain, cell in seen[:MAX_PARTS]:
        if geometry.kind == "Axis":
            heads += 1
            parts.append(BodyPart(_STAND_INS["yoke" if heads % 2 else "head"], chain))
        elif geometry.beam is not None and not turning:
            lamp = _STAND_INS["cell" if cell else "lamp"]
            wide = min(2.0, max(lamp.length, 2.2 * geometry.beam.radius))
            parts.append(BodyPart(replace(lamp, length=wide, width=wide), chain))
    return parts


def _place(chain: tuple[Link, ...]) -> Array:
    """Where a chain of links ends while nothing is turned, (3,) metres."""
    matrix = np.eye(4)
    for link in chain:
        matrix = matrix @ link.matrix
    return matrix[:3, 3]
