"""Profiles in the terms of the open GDTF standard (DIN SPEC 15800): modes, channels, functions, geometry.

DMX values are whole numbers in the channel's own resolution (`0 … 256**bytes - 1`). Angles are degrees,
lengths metres, chromaticities CIE xyY. A matrix is 4×4, row-major, for column vectors.
"""

from __future__ import annotations

import msgspec

Matrix = tuple[tuple[float, ...], ...]
IDENTITY: Matrix = ((1.0, 0.0, 0.0, 0.0), (0.0, 1.0, 0.0, 0.0), (0.0, 0.0, 1.0, 0.0), (0.0, 0.0, 0.0, 1.0))
XyY = tuple[float, float, float]
WHITE: XyY = (0.3127, 0.3290, 100.0)


class _Part(msgspec.Struct, frozen=True, kw_only=True, omit_defaults=True):
    pass


class Attribute(_Part, frozen=True, kw_only=True):
    name: str
    pretty: str = ""
    feature: str = ""
    unit: str = "None"


class WheelSlot(_Part, frozen=True, kw_only=True):
    name: str
    color: XyY = WHITE
    media: str = ""


class Wheel(_Part, frozen=True, kw_only=True):
    name: str
    slots: tuple[WheelSlot, ...] = ()


class Emitter(_Part, frozen=True, kw_only=True):
    name: str
    color: XyY = WHITE


class Model(_Part, frozen=True, kw_only=True):
    name: str
    length: float = 0.0
    width: float = 0.0
    height: float = 0.0
    primitive: str = "Undefined"
    file: str = ""


class Beam(_Part, frozen=True, kw_only=True):
    """The light of a beam geometry: full angles in degrees, flux in lumens, lens radius in metres."""

    beam_angle: float = 25.0
    field_angle: float = 25.0
    radius: float = 0.05
    flux: float = 10000.0
    color_temperature: float = 6000.0
    kind: str = "Wash"


class Break(_Part, frozen=True, kw_only=True):
    block: int
    offset: int


class Geometry(_Part, frozen=True, kw_only=True):
    """A node of the geometry tree. `refers_to` names a top-level geometry drawn here again (a cell)."""

    name: str
    kind: str = "Geometry"  # Geometry, Axis, Beam, Reference
    matrix: Matrix = IDENTITY
    model: str = ""
    beam: Beam | None = None
    refers_to: str = ""
    breaks: tuple[Break, ...] = ()
    children: tuple[Geometry, ...] = ()


class ChannelSet(_Part, frozen=True, kw_only=True):
    """A named range of a function; it ends where the next begins."""

    name: str
    dmx_from: int
    physical_from: float | None = None
    physical_to: float | None = None
    wheel_slot: int = 0


class ChannelFunction(_Part, frozen=True, kw_only=True):
    """A DMX range of a channel with one meaning. `dmx_to` is inclusive."""

    name: str
    attribute: str
    dmx_from: int
    dmx_to: int
    default: int = 0
    physical_from: float = 0.0
    physical_to: float = 1.0
    wheel: str = ""
    emitter: str = ""
    sets: tuple[ChannelSet, ...] = ()
    original: str = ""
    mode_master: str = ""
    mode_from: int = 0
    mode_to: int = 0


class LogicalChannel(_Part, frozen=True, kw_only=True):
    attribute: str
    master: str = "None"  # None, Grand, Group
    snap: bool = False
    functions: tuple[ChannelFunction, ...] = ()


class DmxChannel(_Part, frozen=True, kw_only=True):
    """One channel of 1–4 bytes (none for a virtual one). `block` 0 means the geometry reference decides."""

    geometry: str
    offsets: tuple[int, ...] = ()
    block: int = 1
    highlight: int | None = None
    initial: str = ""
    logical: tuple[LogicalChannel, ...] = ()

    @property
    def resolution(self) -> int:
        return max(1, len(self.offsets))

    @property
    def first(self) -> ChannelFunction | None:
        """The initial function: the named one, else the first there is."""
        functions = [function for logical in self.logical for function in logical.functions]
        return next((f for f in functions if f.name == self.initial), functions[0] if functions else None)


class Mode(_Part, frozen=True, kw_only=True):
    name: str
    geometry: str
    channels: tuple[DmxChannel, ...] = ()
    description: str = ""


class Profile(_Part, frozen=True, kw_only=True):
    id: str
    name: str
    maker: str = ""
    long_name: str = ""
    short_name: str = ""
    description: str = ""
    attributes: tuple[Attribute, ...] = ()
    wheels: tuple[Wheel, ...] = ()
    emitters: tuple[Emitter, ...] = ()
    models: tuple[Model, ...] = ()
    geometries: tuple[Geometry, ...] = ()
    modes: tuple[Mode, ...] = ()
    revision: str = ""
    version: str = "1.2"

    def mode(self, name: str) -> Mode | None:
        return next((mode for mode in self.modes if mode.name == name), None)

    def geometry(self, name: str) -> Geometry | None:
        return next((geometry for geometry in self.geometries if geometry.name == name), None)
