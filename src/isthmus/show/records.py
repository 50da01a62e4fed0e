"""The records of a show. A show is a value: every record is frozen, an edit returns a new show.

Units: metres and degrees; x to the audience's right, y upstage, z up; rotations are unit
quaternions (w, x, y, z). Universes and addresses count from 1.
"""

from __future__ import annotations

import uuid
from typing import Annotated, Any

import msgspec
from msgspec import Meta

from isthmus.show.ranges import (
    FAR,
    Blend,
    Cell,
    Colour,
    ColourOrNone,
    Count,
    Curve,
    Degrees,
    Delivery,
    Device,
    Direction,
    Figure,
    Fit,
    Identity,
    Ip,
    Kept,
    Length,
    Light,
    Load,
    Metres,
    Name,
    Number,
    OnPaper,
    Pixels,
    PortAddress,
    Priority,
    Protocol,
    Rate,
    Result,
    Role,
    Room,
    Seconds,
    Share,
    Slot,
    StructureKind,
    Text,
    Turned,
    Universe,
    UniverseOrNone,
    Way,
    Words,
)
from isthmus.show.ranges import SLOTS as SLOTS  # told on: everyone has them from here
from isthmus.show.ranges import UNIVERSES as UNIVERSES

Vec3 = tuple[Metres, Metres, Metres]
Quat = tuple[Turned, Turned, Turned, Turned]
UPRIGHT: Quat = (1.0, 0.0, 0.0, 0.0)

FORMAT = 3
UNITS = 20_000  # of a show


def new_id() -> str:
    return uuid.uuid4().hex[:12]


class Record(msgspec.Struct, frozen=True, kw_only=True, omit_defaults=True):
    """Base of all records. `extra` carries members a newer program wrote, so that a save keeps
    them.
    """

    extra: dict[str, Any] = {}


class Patched(Record, frozen=True, kw_only=True):
    """One stretch of slots a unit listens to: block `block` of its mode starts at universe.address.

    `room` is how many slots from there on are kept for it; 0 keeps just those it takes.
    """

    universe: Universe
    address: Slot
    block: Annotated[int, Meta(ge=0, le=4096)] = 1
    room: Room = 0


class Limit(Record, frozen=True, kw_only=True):
    """The lowest and highest level (0…1 of its DMX range) anything sends to an attribute of
    a unit.
    """

    attribute: Name
    low: Share = 0.0
    high: Share = 1.0


class Handling(Record, frozen=True, kw_only=True):
    """How what is asked of a unit becomes what is sent to it.

    Offsets are degrees, added after swapping and inverting; `curve` is linear, square, s or points,
    and bends the dimmer; `points` are (asked, sent), both 0…1, rising in the first.
    """

    invert_pan: bool = False
    invert_tilt: bool = False
    swap: bool = False
    pan_offset: Degrees = 0.0
    tilt_offset: Degrees = 0.0
    curve: Curve = "linear"
    points: Annotated[tuple[tuple[Share, Share], ...], Meta(max_length=256)] = ()


PLAIN_HANDLING = Handling()


class Unit(Record, frozen=True, kw_only=True):
    """One physical thing with a number. It may be unpatched, and it may not be placed yet.

    `fixture_id` is what the paper calls it beside its number (`LX1-7`). `uuid` is what others know
    it by who exchange MVR; empty, one made of its id. `weight` (kilograms) and `power` (watts) were
    typed for it; None: as its profile has it.
    """

    id: Name
    number: Number
    fixture_id: Words = ""
    name: Words = ""
    profile: Words = ""
    mode: Words = ""
    patch: tuple[Patched, ...] = ()
    hangs_on: Words = ""
    purpose: Words = ""
    gel: Words = ""
    note: Text = ""
    position: Vec3 | None = None
    rotation: Quat = UPRIGHT
    structure: Name = ""
    locked: bool = False  # its address stays where it is
    pinned: bool = False  # its place stays where it is
    beam_off: bool = False  # no beam is drawn for it
    limits: tuple[Limit, ...] = ()
    handling: Handling = PLAIN_HANDLING
    uuid: Name = ""
    weight: Load | None = None
    power: Load | None = None


class Group(Record, frozen=True, kw_only=True):
    """Units under a name, in order. With a `rule` it is kept in step with the patch; without one it
    is frozen.

    A rule is "type", "position" or "purpose", a colon, and what units must have there; `parent` is
    the id of the group it stands in. `spots` are its own arrangement, metres about its middle,
    which new sheets take over; none: laid in rows.
    """

    id: Name
    name: Words
    units: tuple[Name, ...] = ()
    rule: Words = ""
    parent: Name = ""
    spots: tuple[SheetSpot, ...] = ()


class StoredProfile(Record, frozen=True, kw_only=True):
    """A profile's own file, kept whole in the show. `data` travels as a member of the container.
    `weight` (kilograms) and `power` (watts) were typed for all units of it; None: as it states.
    """

    key: Words
    file: Words
    data: bytes = b""
    weight: Load | None = None
    power: Load | None = None


class Structure(Record, frozen=True, kw_only=True):
    """Anything units hang on or stand on. `size` is length (x), depth (y), height (z) before
    rotation.

    Kinds: truss, circle, corner, pipe, rail, mast, boom, tower, deck, hull, wall, drape, screen,
    mesh. A circle's length is its diameter and `arc` how many degrees of it stand; a corner has two
    arms of its length. `marks` are metres from its start where units may hang; `mesh` names a kept
    file; `uuid` is as that of a unit.
    """

    id: Name
    kind: StructureKind
    name: Words = ""
    position: Vec3 = (0.0, 0.0, 0.0)
    rotation: Quat = UPRIGHT
    size: tuple[Length, Length, Length] = (1.0, 0.3, 0.3)
    chords: Annotated[int, Meta(ge=0, le=8)] = 4
    steps: Annotated[int, Meta(ge=0, le=1000)] = 0
    arc: Annotated[float, Meta(ge=0, le=360)] = 360.0
    marks: tuple[Metres, ...] = ()
    mesh: Words = ""
    pinned: bool = False
    uuid: Name = ""


class StoredFile(Record, frozen=True, kw_only=True):
    """A picture or a mesh, kept whole in the show. `data` travels as a member of the container."""

    name: Words
    data: bytes = b""


class Underlay(Record, frozen=True, kw_only=True):
    """A background drawing of a sheet: a kept file, its middle, width and turn in metres and
    degrees of the sheet.

    `light` is how strongly it shows, 0…1; `crop` the shares removed at left, top, right and
    bottom.
    """

    file: Words
    middle: tuple[Metres, Metres] = (0.0, 0.0)
    width: Annotated[float, Meta(gt=0, le=FAR)] = 10.0
    aspect: Annotated[float, Meta(gt=1e-5, le=1e5)] = 1.0  # height over width of the whole picture
    turn: Degrees = 0.0
    light: Share = 0.5
    crop: tuple[Share, Share, Share, Share] = (0.0, 0.0, 0.0, 0.0)
    pinned: bool = False


class SheetSpot(Record, frozen=True, kw_only=True):
    """Where a unit is on a free sheet, metres of the sheet."""

    unit: Name
    x: Metres
    y: Metres


class SheetNote(Record, frozen=True, kw_only=True):
    """Words on a sheet: where they begin, metres of the sheet."""

    text: Text
    x: Metres
    y: Metres


class Sheet(Record, frozen=True, kw_only=True):
    """One drawing: plan, front or side of the stage as it is, or free, with places of its own.

    `labels` says what is written at a unit: number, address, gel, name, purpose, height, level.
    """

    id: Name
    name: Words
    kind: Name = "free"
    spots: tuple[SheetSpot, ...] = ()
    notes: tuple[SheetNote, ...] = ()
    underlay: Underlay | None = None
    labels: Annotated[tuple[Name, ...], Meta(max_length=64)] = ("number",)


class SavedView(Record, frozen=True, kw_only=True):
    """A camera kept by name: what it looks at, from how far, bearing and height in degrees."""

    name: Words
    target: Vec3
    distance: Annotated[float, Meta(gt=0, le=FAR)]
    bearing: Degrees
    height: Degrees
    fov: Annotated[float, Meta(ge=1, le=170)] = 42.0


class Node(Record, frozen=True, kw_only=True):
    """A network node the rig should have: its address, and what each of its ports is set to.

    `ports` are Art-Net port-addresses, or sACN universes when `protocol` is sacn. `inputs` are the
    ports (from 1) that take DMX in; `cap` is how many universes it takes at once, 0 when no one
    said; a `spare` node is kept in reserve.
    """

    id: Name
    name: Words
    ip: Ip
    place: Words = ""
    ports: Annotated[tuple[UniverseOrNone, ...], Meta(max_length=1024)] = ()
    protocol: Protocol = "artnet"
    inputs: Annotated[tuple[Count, ...], Meta(max_length=1024)] = ()
    mask: Ip = ""
    cap: Count = 0
    spare: bool = False
    rdm: bool = True  # whether its ports may be asked who is there


class Output(Record, frozen=True, kw_only=True):
    """One universe on its way.

    Art-Net (`port_address`): `delivery` unicast to `host`, asked (to whichever nodes say that they
    want it) or broadcast. sACN (`sacn`, the universe there; 0 is the same number): unicast to
    `host` and `more_hosts`, or multicast. `per_address` sends a priority for each slot: that of the
    output where a unit listens, none elsewhere. DMX (`dmx`, `delivery` serial): a serial port of
    this computer, `device`. `role` is empty, mirror (sent as well) or spare
    (stands by for another output).
    """

    id: Name
    universe: Universe
    host: Ip = ""
    port_address: PortAddress = 0
    enabled: bool = True
    label: Words = ""
    protocol: Protocol = "artnet"
    delivery: Delivery = "unicast"
    more_hosts: Annotated[tuple[Ip, ...], Meta(max_length=1024)] = ()
    sacn: UniverseOrNone = 0
    priority: Priority = 100
    sync: UniverseOrNone = 0
    preview: bool = False
    per_address: bool = False
    merge: Name = ""
    role: Role = ""
    device: Device = ""

    @property
    def number(self) -> int:
        """The number it has on the wire: a port-address, or an sACN universe."""
        return self.port_address if self.protocol == "artnet" else self.sacn or self.universe

    @property
    def hosts(self) -> tuple[str, ...]:
        return (
            tuple(dict.fromkeys(h for h in (self.host, *self.more_hosts) if h))
            if self.delivery == "unicast"
            else ()
        )


class Sending(Record, frozen=True, kw_only=True):
    """How this show sends. `cid` (32 hexadecimal digits) and `source` name it to receivers; an
    empty name is the show's.

    With `changed_only` a universe that stays as it is goes out about once a second.
    """

    cid: Identity = ""
    source: Words = ""
    artnet_rate: Rate = 44.0
    sacn_rate: Rate = 44.0
    dmx_rate: Rate = 40.0
    changed_only: bool = False
    artnet_sync: bool = False


class PaperRow(Record, frozen=True, kw_only=True):
    """One line of the hang list, as the paper has it. `fixture_id` is what it calls the unit where
    that is not a number.
    """

    line: OnPaper
    number: OnPaper
    fixture_id: Words = ""
    name: Words = ""
    type: Words = ""
    mode: Words = ""
    universe: OnPaper = 0
    address: OnPaper = 0
    hangs_on: Words = ""
    purpose: Words = ""
    gel: Words = ""


class UnreadLine(Record, frozen=True, kw_only=True):
    """A line of the list that could not be taken: its cells by field as they were written,
    and why.
    """

    line: OnPaper
    cells: dict[str, Text] = {}
    why: Text = ""


class Paper(Record, frozen=True, kw_only=True):
    """The hang list as it was read; `unread` lines wait to be corrected."""

    title: Words = ""
    revision: Words = ""
    rows: tuple[PaperRow, ...] = ()
    unread: tuple[UnreadLine, ...] = ()


class Gel(Record, frozen=True, kw_only=True):
    """A gel of a swatch book, with its colour as linear sRGB relative to the open lamp, over 3200 K
    and 5600 K.

    `curve` is its transmission 0…1 from 400 to 700 nm every 10 nm, where the book gives it.
    """

    book: Words
    code: Words
    name: Words
    rgb: tuple[Light, Light, Light]
    daylight: tuple[Light, Light, Light] | None = None
    curve: Annotated[tuple[Light, ...], Meta(max_length=64)] = ()


class Verdict(Record, frozen=True, kw_only=True):
    """What roll call found out about one unit. `proven` tells what it was proven with, so that it
    can go stale.

    `what` says in which ways it is wrong and `how` more of some of them (see `check.ways`),
    `others` are the units that lit instead of it or with it, `acts` what it was made to do besides
    lighting, `by` is who saw it, `picture` the name of a stored file.
    """

    unit: Name
    result: Result  # works, wrong, silent, skipped
    note: Text = ""
    at: Name = ""
    proven: Words = ""
    what: Annotated[tuple[Name, ...], Meta(max_length=64)] = ()
    how: Annotated[tuple[Name, ...], Meta(max_length=64)] = ()
    others: tuple[Name, ...] = ()
    acts: tuple[Name, ...] = ()
    by: Words = ""
    picture: Words = ""


class CallRound(Record, frozen=True, kw_only=True):
    """An earlier round of roll call, as it stood when the next one began."""

    name: Words
    at: Name = ""
    verdicts: tuple[Verdict, ...] = ()


class Answer(Record, frozen=True, kw_only=True):
    """What a person saw when findings asked for a look: `look` names it, `answer` is yes or no."""

    look: Words
    unit: Name
    answer: Name
    at: Name = ""


class Wish(Record, frozen=True, kw_only=True):
    """What is wished of the light of a unit, in terms that hold for any profile. None and "" say
    nothing.

    `intensity` is 0…1. `colour` is a CIE 1931 chromaticity (x, y); `named` a gel or the slot of a
    wheel, which goes before it where a unit has it. `point` is a place on stage, metres; `pan` and
    `tilt` are degrees of the unit itself. `angle` is the full field angle in degrees, `iris` and
    `frost` are 0…1 (open; frosted), `edge` is 0…1 of the range of the focus, `gobo` and `prism` are
    names (“open” for none), `strobe` is in Hz (0 for none).
    """

    intensity: Share | None = None
    colour: tuple[Share, Share] | None = None
    named: Words = ""
    point: Vec3 | None = None
    pan: Degrees | None = None
    tilt: Degrees | None = None
    angle: Annotated[float, Meta(ge=0, le=360)] | None = None
    iris: Share | None = None
    frost: Share | None = None
    edge: Share | None = None
    gobo: Words = ""
    prism: Words = ""
    strobe: Annotated[float, Meta(ge=0, le=1e4)] | None = None


class Palette(Record, frozen=True, kw_only=True):
    """Wishes of one kind (intensity, colour, position, beam) under a number and a name: for all
    units, for those of a profile (by its key), for single ones (by id); the narrower goes first.

    `made` says which of the starter set it is; "" for what a person made or changed.
    """

    id: Name
    number: Number
    kind: Name
    name: Words = ""
    wish: Wish = Wish()
    types: dict[str, Wish] = {}
    units: dict[str, Wish] = {}
    made: Words = ""


class LookLine(Record, frozen=True, kw_only=True):
    """One line of a look: who (units and groups by id) gets what: palettes by id, the later in
    front, and before them a wish of its own.

    `levels` are for what no wish has words for: attribute, or `attribute/cell`, → 0…1 of its DMX
    range.
    """

    units: tuple[Name, ...] = ()
    groups: tuple[Name, ...] = ()
    palettes: tuple[Name, ...] = ()
    wish: Wish = Wish()
    levels: dict[str, Share] = {}


class Look(Record, frozen=True, kw_only=True):
    """A state of light under a number and a name. Where two lines say something of the same of a
    unit, the lower one counts.
    """

    id: Name
    number: Number
    name: Words = ""
    lines: tuple[LookLine, ...] = ()
    pictures: tuple[Name, ...] = ()  # layer sets by id, the later in front


class Cue(Record, frozen=True, kw_only=True):
    """A look with its times, seconds. `up` and `down` are for intensities that rise and fall,
    `move` for all else (None: as `up`); `follow` is how long after its fade the next cue goes by
    itself (None: it does not).
    """

    id: Name
    number: Annotated[float, Meta(ge=0, le=1e6)]
    look: Name = ""
    name: Words = ""
    up: Seconds = 3.0
    down: Seconds = 3.0
    move: Seconds | None = None
    delay: Seconds = 0.0
    follow: Seconds | None = None
    note: Text = ""


class CueList(Record, frozen=True, kw_only=True):
    """Cues in order of their numbers.

    One that is `round` runs automatically as a chase: `rate` steps a minute, forth, back, or to and
    fro; `crossfade` is the share of a step that is spent fading. `release` is how long it takes to
    give up what it holds.
    """

    id: Name
    number: Number
    name: Words = ""
    cues: tuple[Cue, ...] = ()
    round: bool = False
    rate: Rate = 60.0
    direction: Direction = "forth"
    crossfade: Share = 0.0
    release: Seconds = 3.0


class GridCell(Record, frozen=True, kw_only=True):
    """A cell of a unit (0 for a unit without cells) at a place of a grid, from the left and from
    the top. `at`: where its middle truly is, in places from the top left corner, when it is on no
    lattice.
    """

    unit: Name
    cell: Count = 0
    x: Cell = 0
    y: Cell = 0
    at: tuple[Metres, Metres] | None = None


class PixelGrid(Record, frozen=True, kw_only=True):
    """Cells that make a picture together, under a number and a name.

    Pictures are shown on it with linear light to the power of `gamma`, with a white of so many
    kelvin (0: the white of the picture), and no brighter than `limit`, 0…1.
    """

    id: Name
    number: Number
    name: Words = ""
    width: Pixels = 1
    height: Pixels = 1
    cells: Annotated[tuple[GridCell, ...], Meta(max_length=200_000)] = ()
    gamma: Annotated[float, Meta(ge=0.01, le=100)] = 1.0
    white: Annotated[float, Meta(ge=0, le=1e6)] = 0.0
    limit: Share = 1.0


class Media(Record, frozen=True, kw_only=True):
    """A picture or a moving picture, fitted to what grids need and kept in the show as `file`.

    `source` is the SHA-256 of the file it came from, `path` where that was, `whole` its size in
    pixels; `size`, `frames` and `rate` (a second) are of what is kept.
    """

    id: Name
    name: Words
    file: Words
    source: Name = ""
    path: Words = ""
    whole: tuple[Pixels, Pixels] = (1, 1)
    size: tuple[Pixels, Pixels] = (1, 1)
    frames: Annotated[int, Meta(ge=1, le=10**7)] = 1
    rate: Rate = 25.0


class PictureLayer(Record, frozen=True, kw_only=True):
    """One picture among those that lie over each other on a grid.

    `x`, `y` is its middle and `width`, `height` its size as shares of the grid, `turn` degrees
    clockwise; `crop` the shares of the picture removed at left, top, right and bottom. Colours are
    `#rrggbb`; `behind` is for what a picture of one colour leaves free ("": nothing). `begin` and
    `end` (0: its own) are seconds of a moving picture. `units`: only cells of these.
    """

    id: Name
    source: Name = "plain"
    name: Words = ""
    settings: dict[str, Figure] = msgspec.field(default_factory=dict)
    text: Words = ""
    media: Name = ""
    colour: Colour = "#ffffff"
    behind: ColourOrNone = ""
    hue: Degrees = 0.0
    x: Metres = 0.5
    y: Metres = 0.5
    width: Annotated[float, Meta(gt=0, le=FAR)] = 1.0
    height: Annotated[float, Meta(gt=0, le=FAR)] = 1.0
    turn: Degrees = 0.0
    fit: Fit = "fill"
    crop: tuple[Share, Share, Share, Share] = (0.0, 0.0, 0.0, 0.0)
    speed: Annotated[float, Meta(ge=-1e4, le=1e4)] = 1.0
    way: Way = "forth"
    begin: Seconds = 0.0
    end: Seconds = 0.0
    blend: Blend = "over"
    level: Share = 1.0
    mask: Name = ""
    units: tuple[Name, ...] = ()
    on: bool = True


class LayerSet(Record, frozen=True, kw_only=True):
    """Layers on a grid, the later in front, under a number and a name. `dark`: where none of them
    is, the grid is dark; else what is below stays.
    """

    id: Name
    number: Number
    name: Words = ""
    grid: Name = ""
    layers: Annotated[tuple[PictureLayer, ...], Meta(max_length=256)] = ()
    dark: bool = True


class Beside(Record, frozen=True, kw_only=True):
    """What an MVR file says that no record here has a member for, as elements of XML, kept for the
    next file that is written.

    `where` is thing (`of` is its UUID), layer (its name) or aux (of the whole scene; `of` is "").
    `files` are names of kept files it uses.
    """

    where: Kept = "thing"
    of: Words = ""
    xml: Annotated[tuple[str, ...], Meta(max_length=4096)] = ()
    files: tuple[Words, ...] = ()


class Version(Record, frozen=True, kw_only=True):
    """The show as it once was. `root` names the part that lists all of it (`show/parts`). One that
    was handed over has a revision letter, and `to` whom.
    """

    number: Count
    at: Name = ""  # UTC, ISO 8601
    note: Text = ""  # by a person; such a version stays for ever
    why: Text = ""  # by the program: before what it was made
    who: Words = ""
    root: Name = ""
    letter: Name = ""
    to: Words = ""


class Show(Record, frozen=True, kw_only=True):
    format: int = FORMAT
    name: Words = "Untitled show"
    venue: Words = ""
    named_by_file: bool = False  # its name is that of its file, for no one gave it one
    units: Annotated[tuple[Unit, ...], Meta(max_length=UNITS)] = ()
    profiles: tuple[StoredProfile, ...] = ()
    structures: tuple[Structure, ...] = ()
    sheets: tuple[Sheet, ...] = ()
    views: tuple[SavedView, ...] = ()
    files: tuple[StoredFile, ...] = ()
    nodes: tuple[Node, ...] = ()
    outputs: tuple[Output, ...] = ()
    sending: Sending = Sending()
    paper: Paper = Paper()
    earlier_papers: tuple[Paper, ...] = ()  # older revisions, oldest first
    groups: tuple[Group, ...] = ()
    gels: tuple[Gel, ...] = ()
    verdicts: tuple[Verdict, ...] = ()
    rounds: tuple[CallRound, ...] = ()  # earlier ones, oldest first
    answers: tuple[Answer, ...] = ()
    palettes: tuple[Palette, ...] = ()
    looks: tuple[Look, ...] = ()
    cue_lists: tuple[CueList, ...] = ()
    grids: tuple[PixelGrid, ...] = ()
    media: tuple[Media, ...] = ()
    layer_sets: tuple[LayerSet, ...] = ()
    beside: tuple[Beside, ...] = ()
    versions: tuple[Version, ...] = ()  # oldest first
    kept: dict[str, bytes] = {}  # what versions consist of, by name; travels in the container

    def unit(self, unit_id: str) -> Unit | None:
        return next((unit for unit in self.units if unit.id == unit_id), None)
