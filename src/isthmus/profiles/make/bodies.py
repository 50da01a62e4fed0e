"""Bodies by kind and measures: the geometry tree, its models and its beams, when no unit has drawn
the unit.

Lengths in metres, angles in degrees. The unit hangs with its base at the origin and shines down
(−z).
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from isthmus.profiles.records import IDENTITY, Beam, Break, Geometry, Matrix, Model

Kind = Literal["mover", "mirror", "lantern", "can", "cells", "machine", "rack", "screen"]


_USUAL = Beam()


@dataclass(frozen=True)
class Body:
    """`size` is width, depth, height. Cells are in `columns` (rows follow from their number)."""

    kind: Kind = "lantern"
    size: tuple[float, float, float] = (0.28, 0.28, 0.42)
    beam: Beam = _USUAL
    columns: int = 0
    moving_cells: bool = False
    meshes: bool = False  # the archive holds models/gltf/<model>.glb for each model


def move(x: float = 0.0, y: float = 0.0, z: float = 0.0) -> Matrix:
    """A shift as a 4×4 matrix."""
    return ((1.0, 0.0, 0.0, x), (0.0, 1.0, 0.0, y), (0.0, 0.0, 1.0, z), (0.0, 0.0, 0.0, 1.0))


def _light(body: Body, z: float, name: str = "Lens") -> Geometry:
    return Geometry(name=name, kind="Beam", matrix=move(z=z), beam=body.beam)


def _model(body: Body, name: str, size: tuple[float, float, float], primitive: str) -> Model:
    width, depth, height = size
    return Model(
        name=name,
        length=width,
        width=depth,
        height=height,
        primitive=primitive,
        file=name if body.meshes else "",
    )


def _yoke(body: Body, base_height: float, top: float, prefix: str = "") -> Geometry:
    lens = _light(body, -0.55 * (top - base_height), f"{prefix}Lens")
    head = Geometry(
        name=f"{prefix}Head",
        kind="Axis",
        matrix=move(z=-0.55 * (top - base_height)),
        model="Head",
        children=(lens,),
    )
    return Geometry(
        name=f"{prefix}Yoke",
        kind="Axis",
        matrix=move(z=-base_height),
        model="Yoke",
        children=(head,),
    )


def _cells(body: Body, prefix: str, cells: int, first: int, stride: int) -> tuple[Geometry, ...]:
    """A reference for each cell, centred, in rows of `columns`; slots counted from `first`."""
    columns = min(cells, body.columns or cells) or 1
    rows = -(-cells // columns)
    width, depth, height = body.size
    made = []
    for index in range(cells):
        row, column = divmod(index, columns)
        x = (column - (columns - 1) / 2) * width / columns
        y = ((rows - 1) / 2 - row) * depth / rows
        made.append(
            Geometry(
                name=f"{prefix}Cell {index + 1}",
                kind="Reference",
                matrix=move(x, y, 0.0 if body.moving_cells else -height),
                refers_to="Cell",
                breaks=(Break(block=1, offset=first + index * stride),),
            )
        )
    return tuple(made)


def geometry_of(
    body: Body, layouts: dict[str, tuple[int, int, int]]
) -> tuple[tuple[Geometry, ...], tuple[Model, ...]]:
    """Top-level geometries and models. `layouts`: for each tree wanted (by name) its cells, first
    slot and stride.
    """
    width, depth, height = body.size
    tops: list[Geometry] = []
    celled = any(cells for cells, _, _ in layouts.values())
    for name, (cells, first, stride) in layouts.items():
        if cells:
            tops.append(
                Geometry(
                    name=name,
                    matrix=IDENTITY,
                    model="Base",
                    children=_cells(body, f"{name} " if tops else "", cells, first, stride),
                )
            )
        elif body.kind in ("mover", "mirror"):
            tops.append(
                Geometry(
                    name=name,
                    matrix=IDENTITY,
                    model="Base",
                    children=(_yoke(body, 0.24 * height, height),),
                )
            )
        elif body.kind in ("machine", "rack"):
            tops.append(Geometry(name=name, matrix=move(z=-height / 2), model="Base"))
        elif body.kind in ("cells", "screen"):
            tops.append(
                Geometry(
                    name=name,
                    matrix=move(z=-height / 2),
                    model="Base",
                    children=(_light(body, -height / 2),),
                )
            )
        else:
            head = Geometry(
                name="Body",
                matrix=move(z=-0.5 * height),
                model="Head",
                children=(_light(body, -0.5 * height),),
            )
            tops.append(Geometry(name=name, matrix=IDENTITY, model="Base", children=(head,)))
    if celled:
        if body.moving_cells:
            small = Body(
                "mover", (width / max(1, body.columns or 4) * 0.8, depth, height * 0.8), body.beam
            )
            tops.append(
                Geometry(
                    name="Cell",
                    matrix=IDENTITY,
                    children=(_yoke(small, 0.1 * height, height, "Cell "),),
                )
            )
        elif body.kind in ("machine", "rack"):
            tops.append(
                Geometry(name="Cell", matrix=IDENTITY)
            )  # a way of a dimmer, a nozzle: no light of its own
        else:
            tops.append(Geometry(name="Cell", kind="Beam", matrix=IDENTITY, beam=body.beam))
    return tuple(tops), _models(body, celled)


def _models(body: Body, celled: bool) -> tuple[Model, ...]:
    width, depth, height = body.size
    if body.kind == "mover" or (celled and body.moving_cells):
        each = width / max(1, body.columns or 4) * 0.8 if celled else width
        return (
            _model(body, "Base", (width, depth, (0.1 if celled else 0.24) * height), "Base"),
            _model(body, "Yoke", (each, depth * 0.55, 0.6 * height), "Yoke"),
            _model(body, "Head", (each * 0.72, depth * 0.9, 0.66 * height), "Head"),
        )
    if body.kind == "mirror":
        return (
            _model(body, "Base", (width, depth, height), "Cube"),
            _model(body, "Yoke", (width * 0.3, depth * 0.3, 0.1), "Cylinder"),
            _model(body, "Head", (width * 0.4, depth * 0.05, 0.12), "Cube"),
        )
    if body.kind in ("machine", "rack", "cells", "screen"):
        return (_model(body, "Base", body.size, "Cube"),)
    return (
        _model(body, "Base", (min(0.22, width), 0.05, min(0.14, height / 3)), "Cube"),
        _model(body, "Head", body.size, "Cylinder" if body.kind == "can" else "Conventional"),
    )
