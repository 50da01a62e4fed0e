"""What an MVR file says (DIN SPEC 15801, versions 1.4 to 1.6), as frozen records.

Millimetres, right-handed, z up. The rows of a matrix are the three axes of a thing, and then its
place, in what it stands in. `more` keeps attributes and `other` child elements (as XML) that
nothing here is made of, so that they are written again.
"""

from __future__ import annotations

import msgspec

from isthmus.show.records import Vec3

Rows = tuple[Vec3, Vec3, Vec3, Vec3]
PLAIN: Rows = ((1.0, 0.0, 0.0), (0.0, 1.0, 0.0), (0.0, 0.0, 1.0), (0.0, 0.0, 0.0))


class Part(msgspec.Struct, frozen=True, kw_only=True):
    more: tuple[tuple[str, str], ...] = ()
    other: tuple[str, ...] = ()


class Named(Part, frozen=True, kw_only=True):
    """A Class or Position that things name by its UUID."""

    uuid: str
    name: str = ""


class Address(Part, frozen=True, kw_only=True):
    """Where a block listens: `absolute` counts from 1 over all universes. Blocks count from 0."""

    block: int = 0
    absolute: int = 0


class Piece(Part, frozen=True, kw_only=True):
    """A mesh by the name of its file (Geometry3D), or a symbol by its UUID (Symbol)."""

    kind: str = "Geometry3D"
    uuid: str = ""
    file: str = ""
    symbol: str = ""
    matrix: Rows | None = None


class Symbol(Part, frozen=True, kw_only=True):
    """Pieces that are used again and again (Symdef)."""

    uuid: str
    name: str = ""
    pieces: tuple[Piece, ...] = ()


class Thing(Part, frozen=True, kw_only=True):
    """Anything of the tree, by its `kind`: Layer, GroupObject, Fixture, Truss, Support,
    VideoScreen, Projector, SceneObject, FocusPoint. None, "" and () where the file says nothing.
    """

    kind: str
    uuid: str
    name: str = ""
    multipatch: str = ""
    matrix: Rows | None = None
    gdtf: str = ""
    mode: str = ""
    focus: str = ""
    invert_pan: bool | None = None
    invert_tilt: bool | None = None
    position: str = ""
    function: str = ""
    fixture_id: str = ""
    fixture_number: int | None = None
    unit_number: int | None = None
    color: tuple[float, float, float] | None = None
    addresses: tuple[Address, ...] = ()
    pieces: tuple[Piece, ...] = ()
    children: tuple[Thing, ...] = ()


class Scene(Part, frozen=True, kw_only=True):
    """The whole description. `aux_other` and `user` are elements of AUXData and UserData."""

    minor: int = 6
    provider: str = ""
    provider_version: str = ""
    user: tuple[str, ...] = ()
    positions: tuple[Named, ...] = ()
    symbols: tuple[Symbol, ...] = ()
    aux_other: tuple[str, ...] = ()
    layers: tuple[Thing, ...] = ()
