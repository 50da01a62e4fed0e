"""Profiles in the terms of the open GDTF standard (DIN SPEC 15800): modes, channels, functions,
geometry.

DMX values are whole numbers in the channel's own resolution (`0 … 256**bytes - 1`). Angles are
degrees, lengths metres, chromaticities CIE xyY. A matrix is 4×4, row-major, for column vectors.
"""

from __future__ import annotations

import msgspec

Matrix = tuple[tuple[float, ...], ...]
IDENTITY: Matrix = (
    (1.0, 0.0, 0.0, 0.0),
    (0.0, 1.0, 0.0, 0.0),
    (0.0, 0.0, 1.0, 0.0),
    (0.0, 0.0, 0.0, 1.0),
)
XyY = tuple[float, float, float]
BORROWED = (
    "Borrowed from "  # begins the revision that marks a profile taken from another maker's unit
)
WHITE: XyY = (0.3127, 0.3290, 100.0)


class Part(msgspec.Struct, frozen=True, kw_only=True, omit_defaults=True):
    """One element. What the file says beyond our fields is kept: attributes in `more`, elements as
    XML in `other`.
    """

    more: tuple[tuple[str, str], ...] = ()
    other: tuple[str, ...] = ()


class SubUnit(Part, frozen=True, kw_only=True):
    kind: str = ""
    unit: str = "None"
    low: float = 0.0
    high: float = 1.0


class Attribute(Part, frozen=True, kw_only=True):
    name: str
    pretty: str = ""
    feature: str = ""
    unit: str = "None"
    activation: str = ""
    main: str = ""
    color: XyY | None = None
    sub_units: tuple[SubUnit, ...] = ()


class Feature(Part, frozen=True, kw_only=True):
    name: str


class FeatureGroup(Part, frozen=True, kw_only=True):
    name: str
    pretty: str = ""
    features: tuple[Feature, ...] = ()


class ActivationGroup(Part, frozen=True, kw_only=True):
    name: str


class Facet(Part, frozen=True, kw_only=True):
    color: XyY = WHITE
    rotation: str = ""


class WheelSlot(Part, frozen=True, kw_only=True):
    """`media` names a picture `wheels/<media>.png` in the archive."""

    name: str
    color: XyY = WHITE
    filter: str = ""
    media: str = ""
    facets: tuple[Facet, ...] = ()


class Wheel(Part, frozen=True, kw_only=True):
    name: str
    slots: tuple[WheelSlot, ...] = ()


class SpectrumPoint(Part, frozen=True, kw_only=True):
    wavelength: float = 550.0
    energy: float = 1.0


class Measurement(Part, frozen=True, kw_only=True):
    """A spectrum at one physical level in percent; energies over wavelengths in nm."""

    physical: float = 100.0
    intensity: float | None = None
    transmission: float | None = None
    interpolation: str = "Linear"
    points: tuple[SpectrumPoint, ...] = ()


class Emitter(Part, frozen=True, kw_only=True):
    name: str
    color: XyY = WHITE
    wavelength: float | None = None  # dominant, nm
    diode: str = ""
    measurements: tuple[Measurement, ...] = ()


class Filter(Part, frozen=True, kw_only=True):
    name: str
    color: XyY = WHITE
    measurements: tuple[Measurement, ...] = ()


class ColorSpace(Part, frozen=True, kw_only=True):
    name: str = ""
    mode: str = "sRGB"
    red: XyY | None = None
    green: XyY | None = None
    blue: XyY | None = None
    white: XyY | None = None


class Connector(Part, frozen=True, kw_only=True):
    name: str = ""
    kind: str = ""
    block: int = 0
    gender: float = 0.0
    length: float = 0.0


class Physical(Part, frozen=True, kw_only=True):
    """Degrees Celsius, kilograms, metres."""

    temperature_low: float | None = None
    temperature_high: float | None = None
    weight: float | None = None
    leg_height: float | None = None


class Model(Part, frozen=True, kw_only=True):
    name: str
    length: float = 0.0
    width: float = 0.0
    height: float = 0.0
    primitive: str = "Undefined"
    file: str = ""  # without folder and ending; the same body may lie in several formats


class Beam(Part, frozen=True, kw_only=True):
    """The light of a beam geometry: full angles in degrees, flux in lumens, lens radius in
    metres.
    """

    beam_angle: float = 25.0
    field_angle: float = 25.0
    radius: float = 0.05
    flux: float = 10000.0
    color_temperature: float = 6000.0
    kind: str = "Wash"
    lamp: str = "Discharge"
    power: float = 1000.0  # watts
    throw_ratio: float = 1.0
    rectangle_ratio: float = 1.7777
    color_rendering: float = 100.0
    emitter: str = ""


class Break(Part, frozen=True, kw_only=True):
    block: int
    offset: int


class Geometry(Part, frozen=True, kw_only=True):
    """A node of the geometry tree. `refers_to` names a top-level geometry drawn here again (a
    cell).
    """

    name: str
    kind: str = "Geometry"  # the element of the standard; Reference for a GeometryReference
    matrix: Matrix = IDENTITY
    model: str = ""
    beam: Beam | None = None
    refers_to: str = ""
    breaks: tuple[Break, ...] = ()
    children: tuple[Geometry, ...] = ()


class SubChannelSet(Part, frozen=True, kw_only=True):
    name: str = ""
    physical_from: float = 0.0
    physical_to: float = 1.0
    sub_unit: str = ""
    dmx_profile: str = ""


class ChannelSet(Part, frozen=True, kw_only=True):
    """A named range of a function; it ends where the next begins."""

    name: str
    dmx_from: int
    physical_from: float | None = None
    physical_to: float | None = None
    wheel_slot: int = 0


class ChannelFunction(Part, frozen=True, kw_only=True):
    """A DMX range of a channel with one meaning. `dmx_to` is inclusive."""

    name: str
    attribute: str
    dmx_from: int = 0
    dmx_to: int = 0
    default: int = 0
    physical_from: float = 0.0
    physical_to: float = 1.0
    real_fade: float = 0.0  # seconds
    real_acceleration: float = 0.0
    wheel: str = ""
    emitter: str = ""
    filter: str = ""
    color_space: str = ""
    gamut: str = ""
    dmx_profile: str = ""
    low: float | None = None
    high: float | None = None
    custom_name: str = ""
    sets: tuple[ChannelSet, ...] = ()
    sub_sets: tuple[SubChannelSet, ...] = ()
    original: str = ""
    mode_master: str = (
        ""  # a channel or function; this one is in force while that stands in mode_from … mode_to
    )
    mode_from: str = ""  # a DMX value in the master's own resolution, as written
    mode_to: str = ""


class LogicalChannel(Part, frozen=True, kw_only=True):
    attribute: str
    master: str = "None"  # None, Grand, Group
    snap: str = "No"
    fade: float = 0.0
    change_limit: float = 0.0
    functions: tuple[ChannelFunction, ...] = ()


class DmxChannel(Part, frozen=True, kw_only=True):
    """One channel of 1–4 bytes (none for a virtual one). `block` 0 means the geometry reference
    decides.
    """

    geometry: str
    offsets: tuple[int, ...] = ()
    block: int = 1
    highlight: int | None = None
    default: int | None = None  # only in version 1.0; later each function has its own
    initial: str = ""
    logical: tuple[LogicalChannel, ...] = ()

    @property
    def resolution(self) -> int:
        return max(1, len(self.offsets))

    @property
    def first(self) -> ChannelFunction | None:
        """The initial function: the named one, else the first there is."""
        functions = [function for logical in self.logical for function in logical.functions]
        return next(
            (f for f in functions if f.name == self.initial), functions[0] if functions else None
        )


class Relation(Part, frozen=True, kw_only=True):
    """The master multiplies or overrides the follower; both are paths of
    channel.logical.function.
    """

    name: str = ""
    master: str = ""
    follower: str = ""
    kind: str = "Multiply"


class Mode(Part, frozen=True, kw_only=True):
    name: str
    geometry: str
    channels: tuple[DmxChannel, ...] = ()
    description: str = ""
    relations: tuple[Relation, ...] = ()
    macros: tuple[str, ...] = ()  # each as XML; not used


class Revision(Part, frozen=True, kw_only=True):
    text: str = ""
    date: str = ""
    user: int = 0
    by: str = ""


class Personality(Part, frozen=True, kw_only=True):
    value: str = ""
    mode: str = ""


class Software(Part, frozen=True, kw_only=True):
    value: str = ""
    personalities: tuple[Personality, ...] = ()


class Rdm(Part, frozen=True, kw_only=True):
    """How the unit tells its kind by RDM: hexadecimal numbers, and its personalities by software
    version.
    """

    maker: str = ""
    model: str = ""
    software: tuple[Software, ...] = ()


class Profile(Part, frozen=True, kw_only=True):
    id: str
    name: str
    maker: str = ""
    long_name: str = ""
    short_name: str = ""
    description: str = ""
    thumbnail: str = ""
    refers_to: str = ""  # the id of the profile this one was made from
    can_have_children: str = ""
    activations: tuple[ActivationGroup, ...] = ()
    features: tuple[FeatureGroup, ...] = ()
    attributes: tuple[Attribute, ...] = ()
    wheels: tuple[Wheel, ...] = ()
    emitters: tuple[Emitter, ...] = ()
    filters: tuple[Filter, ...] = ()
    color_space: ColorSpace | None = None
    connectors: tuple[Connector, ...] = ()
    physical: Physical | None = None
    physical_other: tuple[str, ...] = ()  # gamuts, curves, rendering indices: kept as XML
    models: tuple[Model, ...] = ()
    geometries: tuple[Geometry, ...] = ()
    modes: tuple[Mode, ...] = ()
    revisions: tuple[Revision, ...] = ()
    rdm: Rdm | None = None
    protocols_other: tuple[str, ...] = ()
    version: str = "1.2"

    @property
    def revision(self) -> str:
        """The date of the newest revision."""
        return max((revision.date for revision in self.revisions), default="")

    @property
    def borrowed(self) -> str:
        """The profile this one was derived from; empty for one that describes its own unit."""
        return next(
            (
                revision.text[len(BORROWED) :]
                for revision in reversed(self.revisions)
                if revision.text.startswith(BORROWED)
            ),
            "",
        )

    @property
    def label(self) -> str:
        """The model as it is shown in a table, borrowed ones marked."""
        return f"{self.name} (borrowed)" if self.borrowed else self.name

    @property
    def in_full(self) -> str:
        """The long name, and whose profile it is when it is borrowed."""
        return (
            f"{self.long_name or self.title}, derived from {self.borrowed}"
            if self.borrowed
            else self.long_name
        )

    @property
    def title(self) -> str:
        """Maker and model, as a person says them."""
        return f"{self.maker} {self.name}".strip()

    def mode(self, name: str) -> Mode | None:
        return next((mode for mode in self.modes if mode.name == name), None)

    def geometry(self, name: str) -> Geometry | None:
        return next((geometry for geometry in self.geometries if geometry.name == name), None)
