"""Read a GDTF file (DIN SPEC 15800:2022): a zip with `description.xml`.

Nothing inside is trusted: sizes are bounded, entities are refused, paths that leave the archive are refused,
depth and counts are bounded. What the file says in a way we do not know is left out, never guessed.
"""

from __future__ import annotations

import io
import math
import zipfile
from collections.abc import Iterator
from typing import TYPE_CHECKING

from defusedxml import DefusedXmlException
from defusedxml.ElementTree import ParseError, fromstring

from isthmus.errors import FileFault
from isthmus.profiles import records as r
from isthmus.show.container import MAX_MEMBER, ZIP_ERRORS, read_member, safe_name

if TYPE_CHECKING:
    from xml.etree.ElementTree import Element

MAX_XML = 32 * 1024 * 1024
MAX_MEMBERS = 4096
MAX_RATIO = 400  # a description that shrinks further than this is a bomb, not a text
MAX_DEPTH = 32
MAX_OFFSET = 4096
_GEOMETRY_KINDS = {"Axis": "Axis", "Beam": "Beam", "GeometryReference": "Reference"}
_NOT_GEOMETRY = {"Break", "Pin", "Protocol", "Protocols"}


def read_gdtf(data: bytes, where: str) -> r.Profile:
    """Read a profile. Raises FileFault with the place in the file that does not fit."""
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            names = archive.namelist()
            if len(names) > MAX_MEMBERS:
                raise FileFault(f"it holds {len(names)} files.", where=where, do=f"At most {MAX_MEMBERS} are read.")
            bad = next((name for name in names if not safe_name(name)), None)
            if bad:
                raise FileFault(
                    f"it holds a path that leads outside itself (“{bad[:60]}”).",
                    where=where,
                    do="It was not read; ask its maker for a clean file.",
                )
            if "description.xml" not in names:
                raise FileFault("it has no description.xml, so it is not a GDTF profile.", where=where, do="Choose a file ending in .gdtf.")
            info = archive.getinfo("description.xml")
            if sum(member.file_size for member in archive.infolist()) > 16 * MAX_MEMBER or info.file_size > MAX_RATIO * max(
                info.compress_size, 64
            ):
                raise FileFault(
                    "it would unpack to far more than it holds.", where=where, do="It was not read; ask its maker for a clean file."
                )
            text = read_member(archive, info, MAX_XML, where)
    except (*ZIP_ERRORS, ValueError, OSError) as error:
        raise FileFault(
            "this is not a whole GDTF file; it is cut short, damaged or another kind of file.",
            where=where,
            do="Fetch it again from where it came.",
        ) from error
    return read_description(text, where)


def read_description(text: bytes, where: str) -> r.Profile:
    """Read the XML of a description. Raises FileFault."""
    try:
        root = fromstring(text, forbid_dtd=True)
        kind = root.find("FixtureType")
        if root.tag != "GDTF" or kind is None:
            raise FileFault("its description is not GDTF.", where=where, do="Choose a file ending in .gdtf.")
        return _Reader(where).profile(root, kind)
    except DefusedXmlException as error:
        raise FileFault(
            "its description declares entities, which a profile never needs.",
            where=where,
            do="It was not read; ask its maker for a clean file.",
        ) from error
    except (ParseError, UnicodeDecodeError, LookupError, RecursionError) as error:
        raise FileFault(f"its description does not read: {error}.", where=where, do="Fetch it again from where it came.") from error


def dmx_value(text: str, size: int) -> int:
    """`128/1` in a channel of `size` bytes (DIN SPEC 15800, DMXValue): bytes are repeated, or shifted with an `s`."""
    number, _, given = text.strip().partition("/")
    value = int(number)
    shift = given.endswith("s")
    count = int(given.rstrip("s") or size)
    if not (1 <= count <= 8) or value < 0:
        raise ValueError(text)
    value = min(value, 256**count - 1)
    if count >= size:
        return value >> (8 * (count - size))
    raw = value.to_bytes(count, "big")
    filled = raw + bytes(size - count) if shift else (raw * size)[:size]
    return int.from_bytes(filled, "big")


def _top(size: int) -> int:
    return 256**size - 1


class _Reader:
    """Walks one description; `where` names the file in every complaint."""

    def __init__(self, where: str) -> None:
        self.where = where

    def fault(self, element: Element, what: str) -> FileFault:
        name = element.get("Name")
        return FileFault(f"{element.tag}{f' “{name}”' if name else ''}: {what}", where=self.where, do="Ask its maker, or correct the file.")

    def number(self, element: Element, name: str, default: float) -> float:
        text = element.get(name)
        if text is None or not text.strip():
            return default
        try:
            value = float(text)
        except ValueError:
            raise self.fault(element, f"{name} “{text[:30]}” is no number.") from None
        if not math.isfinite(value):
            raise self.fault(element, f"{name} is not a finite number.")
        return value

    def whole(self, element: Element, name: str, default: int) -> int:
        return int(max(-(2**31), min(2**31, self.number(element, name, default))))

    def dmx(self, element: Element, name: str, size: int, default: int | None) -> int | None:
        text = element.get(name)
        if text is None or text in ("None", ""):
            return default
        try:
            return dmx_value(text, size)
        except ValueError:
            raise self.fault(element, f"{name} “{text[:30]}” is no DMX value.") from None

    def color(self, element: Element) -> r.XyY:
        text = element.get("Color")
        if not text:
            return r.WHITE
        try:
            x, y, luminance = (float(part) for part in text.split(","))
        except ValueError:
            raise self.fault(element, f"Color “{text[:40]}” is not x,y,Y.") from None
        if not all(map(math.isfinite, (x, y, luminance))):
            raise self.fault(element, "Color is not finite.")
        return (x, y, luminance)

    def profile(self, root: Element, kind: Element) -> r.Profile:
        revisions = [rev.get("Date", "") for rev in kind.iterfind("Revisions/Revision")]
        geometries = tuple(self.geometries(kind.find("Geometries"), 0))
        profile = r.Profile(
            id=kind.get("FixtureTypeID", ""),
            name=kind.get("Name", "") or "Unnamed",
            maker=kind.get("Manufacturer", ""),
            long_name=kind.get("LongName", ""),
            short_name=kind.get("ShortName", ""),
            description=kind.get("Description", ""),
            version=root.get("DataVersion", "1.2"),
            revision=max(revisions, default=""),
            attributes=tuple(
                r.Attribute(
                    name=a.get("Name", ""), pretty=a.get("Pretty", ""), feature=a.get("Feature", ""), unit=a.get("PhysicalUnit", "None")
                )
                for a in kind.iterfind("AttributeDefinitions/Attributes/Attribute")
            ),
            wheels=tuple(
                r.Wheel(
                    name=wheel.get("Name", ""),
                    slots=tuple(
                        r.WheelSlot(name=s.get("Name", ""), color=self.color(s), media=s.get("MediaFileName", ""))
                        for s in wheel.iterfind("Slot")
                    ),
                )
                for wheel in kind.iterfind("Wheels/Wheel")
            ),
            emitters=tuple(
                r.Emitter(name=e.get("Name", ""), color=self.color(e)) for e in kind.iterfind("PhysicalDescriptions/Emitters/Emitter")
            ),
            models=tuple(
                r.Model(
                    name=m.get("Name", ""),
                    length=self.number(m, "Length", 0),
                    width=self.number(m, "Width", 0),
                    height=self.number(m, "Height", 0),
                    primitive=m.get("PrimitiveType", "Undefined"),
                    file=m.get("File", ""),
                )
                for m in kind.iterfind("Models/Model")
            ),
            geometries=geometries,
            modes=tuple(self.mode(mode, geometries) for mode in kind.iterfind("DMXModes/DMXMode")),
        )
        if not profile.modes:
            raise self.fault(kind, "it has no DMX mode.")
        return profile

    def matrix(self, element: Element) -> r.Matrix:
        text = element.get("Position")
        if not text:
            return r.IDENTITY
        try:
            values = [float(part) for part in text.replace("{", " ").replace("}", " ").replace(",", " ").split()]
        except ValueError:
            values = []
        if len(values) != 16 or not all(map(math.isfinite, values)):
            raise self.fault(element, "Position is not a 4×4 matrix.")
        return tuple(tuple(values[row * 4 : row * 4 + 4]) for row in range(4))

    def geometries(self, parent: Element | None, depth: int) -> Iterator[r.Geometry]:
        if parent is None:
            return
        if depth > MAX_DEPTH:
            raise self.fault(parent, f"its geometry is nested deeper than {MAX_DEPTH}.")
        for element in parent:
            if element.tag in _NOT_GEOMETRY:
                continue
            kind = _GEOMETRY_KINDS.get(element.tag, "Geometry")
            beam = None
            if kind == "Beam":
                angle = self.number(element, "BeamAngle", 25)
                beam = r.Beam(
                    beam_angle=angle,
                    field_angle=self.number(element, "FieldAngle", angle),
                    radius=self.number(element, "BeamRadius", 0.05),
                    flux=self.number(element, "LuminousFlux", 10000),
                    color_temperature=self.number(element, "ColorTemperature", 6000),
                    kind=element.get("BeamType", "Wash"),
                )
            yield r.Geometry(
                name=element.get("Name", ""),
                kind=kind,
                matrix=self.matrix(element),
                model=element.get("Model", ""),
                beam=beam,
                refers_to=element.get("Geometry", "") if kind == "Reference" else "",
                breaks=tuple(
                    r.Break(block=self.whole(b, "DMXBreak", 1), offset=self.whole(b, "DMXOffset", 1)) for b in element.iterfind("Break")
                ),
                children=tuple(self.geometries(element, depth + 1)),
            )

    def mode(self, element: Element, geometries: tuple[r.Geometry, ...]) -> r.Mode:
        channels = tuple(self.channel(channel) for channel in element.iterfind("DMXChannels/DMXChannel"))
        geometry = element.get("Geometry", "")
        if not any(top.name == geometry for top in geometries):
            raise self.fault(element, f"its geometry “{geometry}” does not exist.")
        return r.Mode(name=element.get("Name", ""), geometry=geometry, channels=channels, description=element.get("Description", ""))

    def channel(self, element: Element) -> r.DmxChannel:
        text = element.get("Offset", "")
        try:
            offsets = () if text in ("", "None") else tuple(int(part) for part in text.split(","))
        except ValueError:
            raise self.fault(element, f"Offset “{text[:30]}” is not a list of channels.") from None
        if len(offsets) > 4 or any(not 1 <= offset <= MAX_OFFSET for offset in offsets):
            raise self.fault(element, f"Offset “{text[:30]}” is not 1 to 4 channels from 1 to {MAX_OFFSET}.")
        size = max(1, len(offsets))
        block = element.get("DMXBreak", "1")
        initial = element.get("InitialFunction", "").split(".")[-1]
        return r.DmxChannel(
            geometry=element.get("Geometry", ""),
            offsets=offsets,
            block=0 if block == "Overwrite" else self.whole(element, "DMXBreak", 1),
            highlight=self.dmx(element, "Highlight", size, None),
            initial=initial,
            logical=self.logical(element, size),
        )

    def logical(self, channel: Element, size: int) -> tuple[r.LogicalChannel, ...]:
        made = []
        for element in channel.iterfind("LogicalChannel"):
            attribute = element.get("Attribute", "")
            raw = [(self.dmx(f, "DMXFrom", size, 0) or 0, f) for f in element.iterfind("ChannelFunction")]
            raw.sort(key=lambda pair: pair[0])
            functions = []
            for index, (start, function) in enumerate(raw):
                # functions with a mode master share a range: each ends before the next *later* start
                end = next((later for later, _ in raw[index + 1 :] if later > start), _top(size) + 1) - 1
                functions.append(self.function(function, attribute, size, start, end, index))
            made.append(
                r.LogicalChannel(
                    attribute=attribute,
                    master=element.get("Master", "None"),
                    snap=element.get("Snap", "No") in ("Yes", "On"),
                    functions=tuple(functions),
                )
            )
        return tuple(made)

    def function(self, element: Element, attribute: str, size: int, start: int, end: int, index: int) -> r.ChannelFunction:
        own = element.get("Attribute") or attribute
        sets = []
        for item in element.iterfind("ChannelSet"):
            low, high = item.get("PhysicalFrom"), item.get("PhysicalTo")
            sets.append(
                r.ChannelSet(
                    name=item.get("Name", ""),
                    dmx_from=self.dmx(item, "DMXFrom", size, start) or 0,
                    physical_from=self.number(item, "PhysicalFrom", 0) if low else None,
                    physical_to=self.number(item, "PhysicalTo", 1) if high else None,
                    wheel_slot=self.whole(item, "WheelSlotIndex", 0),
                )
            )
        sets.sort(key=lambda item: item.dmx_from)
        return r.ChannelFunction(
            name=element.get("Name") or f"{own} {index + 1}",
            attribute=own,
            original=element.get("OriginalAttribute", ""),
            dmx_from=start,
            dmx_to=end,
            default=self.dmx(element, "Default", size, 0) or 0,
            physical_from=self.number(element, "PhysicalFrom", 0),
            physical_to=self.number(element, "PhysicalTo", 1),
            wheel=element.get("Wheel", ""),
            emitter=element.get("Emitter", ""),
            sets=tuple(sets),
            mode_master=element.get("ModeMaster", ""),
            mode_from=self.dmx(element, "ModeFrom", 1, 0) or 0,
            mode_to=self.dmx(element, "ModeTo", 1, 0) or 0,
        )
