"""The geometry of a mode written out: every beam and every body with the chain of transforms that carries it."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from isthmus.profiles.records import Beam, Geometry, Mode, Model, Profile

Array = NDArray[np.float64]
STAND_IN_MODEL = Model(name="", length=0.25, width=0.25, height=0.3, primitive="Cube")
MAX_PARTS = 4096
MAX_DEPTH = 40


@dataclass(frozen=True)
class Link:
    """One step from the base outwards: a fixed matrix, then a turn by pan or tilt when this is such an axis."""

    matrix: Array
    turns: str = ""  # "", Pan, Tilt


@dataclass(frozen=True)
class BeamInstance:
    beam: Beam
    cell: int
    chain: tuple[Link, ...]


@dataclass(frozen=True)
class BodyPart:
    model: Model
    chain: tuple[Link, ...]


@dataclass(frozen=True)
class Assembly:
    beams: tuple[BeamInstance, ...]
    parts: tuple[BodyPart, ...]


def assemble(profile: Profile, mode: Mode) -> Assembly:
    """Walk the tree of a mode. A unit with no body at all gets a stand-in body, so that it is never invisible."""
    turns = {c.geometry: c.logical[0].attribute for c in mode.channels if c.logical and c.logical[0].attribute in ("Pan", "Tilt")}
    models = {model.name: model for model in profile.models}
    beams: list[BeamInstance] = []
    parts: list[BodyPart] = []
    cells = visits = 0

    def walk(geometry: Geometry, chain: tuple[Link, ...], cell: int, depth: int) -> None:
        nonlocal cells, visits
        visits += 1  # references may go round in a ring
        if depth > MAX_DEPTH or visits > MAX_PARTS:
            return
        chain = (*chain, Link(np.array(geometry.matrix), turns.get(geometry.name, "") if geometry.kind == "Axis" else ""))
        if geometry.model in models:
            parts.append(BodyPart(models[geometry.model], chain))
        if geometry.kind == "Reference":
            if not cell:  # a reference inside a cell belongs to that cell, as in the chart
                cells += 1
            target = profile.geometry(geometry.refers_to)
            if target is not None:
                walk(target, chain, cell or cells, depth + 1)
        if geometry.beam is not None:
            beams.append(BeamInstance(geometry.beam, cell, chain))
        for child in geometry.children:
            walk(child, chain, cell, depth + 1)

    root = profile.geometry(mode.geometry)
    if root is not None:
        walk(root, (), 0, 0)
    if not parts:
        parts.append(BodyPart(STAND_IN_MODEL, ()))
    return Assembly(tuple(beams), tuple(parts))
