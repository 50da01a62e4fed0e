"""The facts of a GDTF file read straight from its XML, for building the index several times faster.

It takes only files that keep to the standard's spelling; anything odd is left to the whole reader,
whose facts are the same (the tests hold the two against each other).
"""

from __future__ import annotations

import io
import re
import zipfile
from pathlib import Path
from typing import TYPE_CHECKING

import msgspec
from defusedxml import DefusedXmlException
from defusedxml.ElementTree import ParseError

from isthmus.errors import FileFault
from isthmus.library.facts import (
    MAX_LINES,
    MOST,
    Facts,
    ModeFacts,
    body_mark_of,
    described,
    facts_of,
    functions_of,
)
from isthmus.profiles import records as r
from isthmus.profiles.chart import lay_flat
from isthmus.profiles.gdtf import read_archive, spec
from isthmus.profiles.gdtf.archive import open_description
from isthmus.profiles.gdtf.reading import ALL_TAGS, Reader
from isthmus.profiles.gdtf.values import dmx_value
from isthmus.show.container import MAX_MEMBER, ZIP_ERRORS
from isthmus.show.files import read_file

if TYPE_CHECKING:
    from xml.etree.ElementTree import Element

QUICK_ERRORS = (
    *ZIP_ERRORS,
    ParseError,
    DefusedXmlException,
    ValueError,
    LookupError,
    RecursionError,
)
Pairs = list[tuple[int, int]]


_STRAY = re.compile(r"^\s|\s$")


def _plainly(element: Element) -> bool:
    """Whether the attributes of an element are spelt as the standard does, without stray blanks
    around values.
    """
    return all(
        name[:1].isupper() and not _STRAY.search(value) for name, value in element.attrib.items()
    )


class Odd(Exception):
    """The file says something in a way only the whole reader understands."""


def quick_facts(data: bytes, where: str) -> Facts:
    """The facts of a file. Raises Odd to have it read by the whole reader, FileFault when it cannot
    be read at all.
    """
    with zipfile.ZipFile(io.BytesIO(data)) as archive:
        root, members = open_description(archive, where)
    if not all(element.tag in ALL_TAGS and _plainly(element) for element in root.iter()):
        raise Odd
    kind = root.find("FixtureType")
    if (
        root.tag != "GDTF"
        or kind is None
        or root.get("DataVersion") not in ("1.0", "1.1", "1.2")
        or not (kind.get("Name") or "").strip()
    ):
        raise Odd
    reader = Reader(where)
    geometries = reader.geometries(kind.find("Geometries"), 0)
    modes = kind.findall("DMXModes/DMXMode")
    names = [mode.get("Name") for mode in modes]
    tops = {geometry.name for geometry in geometries}
    if (
        reader.notices
        or not modes
        or not all(names)
        or len(set(names)) != len(names)
        or not all(mode.get("Geometry") in tops for mode in modes)
    ):
        raise Odd
    models = tuple(reader.read(model, spec.MODEL) for model in kind.iterfind("Models/Model"))
    revisions = tuple(
        r.Revision(text=item.get("Text", ""), date=item.get("Date", ""))
        for item in kind.iterfind("Revisions/Revision")
    )
    shell = r.Profile(
        id=kind.get("FixtureTypeID", ""),
        name=kind.get("Name", ""),
        maker=kind.get("Manufacturer", ""),
        geometries=geometries,
        revisions=revisions,
    )
    return Facts(
        shell.id,
        shell.maker,
        shell.name,
        kind.get("LongName", ""),
        kind.get("Description", "")[:400],
        shell.revision,
        body_mark_of(models, frozenset(members)),
        shell.borrowed,
        kind.get("RefFT", ""),
        [_mode(shell, mode) for mode in modes[:256]],
    )


def _mode(shell: r.Profile, element: Element) -> ModeFacts:
    pairs: dict[int, Pairs] = {}
    does: dict[int, tuple[list[str], list[str]]] = {}
    channels = []
    for child in element.iterfind("DMXChannels/DMXChannel"):
        channel, own = _channel(child)
        channels.append(channel)
        pairs[id(channel)] = own
        does[id(channel)] = _does(child)
    name = element.get("Name", "")
    lay = lay_flat(
        shell, r.Mode(name=name, geometry=element.get("Geometry", ""), channels=tuple(channels))
    )
    lines = []
    attributes: set[str] = set()
    blocks: set[int] = set()
    for item in lay.channels:
        block = item.slots[0][0] if item.slots else max(1, item.channel.block)
        attributes.add(item.attribute)
        blocks.add(block)
        if len(lines) < MAX_LINES:
            slots = [min(offset, MOST) for _, offset in item.slots]
            lines.append(
                (
                    item.attribute,
                    slots,
                    min(item.cell, MOST),
                    pairs[id(item.channel)],
                    min(block, MOST),
                )
            )
    return ModeFacts(
        name,
        min(lay.footprint, MOST),
        len(blocks),
        min(max((item.cell for item in lay.channels), default=0), MOST),
        any(a.startswith("Color") and a[5:].isdigit() for a in attributes),
        any(line[3] for line in lines),
        lines,
        functions_of(
            (
                item.attribute,
                min(item.slots[0][1], MOST) if item.slots and item.slots[0][0] == 1 else 0,
                *does[id(item.channel)],
            )
            for item in lay.channels[:MAX_LINES]
        ),
    )


def _does(element: Element) -> tuple[list[str], list[str]]:
    """The attributes of a channel's functions, and the names of its sets."""
    functions, names = [], []
    for part in element:
        if part.tag == "LogicalChannel":
            for function in sorted(
                (f for f in part if f.tag == "ChannelFunction"), key=lambda f: _start(f, element)
            ):
                functions.append(function.get("Attribute") or part.get("Attribute", ""))
                sets = sorted(
                    (s for s in function if s.tag == "ChannelSet"), key=lambda s: _start(s, element)
                )
                names += [s.get("Name", "") for s in sets]
    return functions, names


def _start(part: Element, channel: Element) -> int:
    size = max(1, len(channel.get("Offset", "").split(",")))
    try:
        return dmx_value(part.get("DMXFrom") or "0/1", size)
    except ValueError:
        raise Odd from None


def _channel(element: Element) -> tuple[r.DmxChannel, Pairs]:
    text = element.get("Offset", "").strip()
    try:
        offsets = () if text in ("", "None") else tuple(map(int, text.split(",")))
        block = element.get("DMXBreak", "1")
        number = 0 if block == "Overwrite" else int(block)
        if (
            len(offsets) > 4
            or not all(1 <= offset <= 4096 for offset in offsets)
            or not 0 <= number <= 512
        ):
            raise Odd
        logical = [child for child in element if child.tag == "LogicalChannel"]
        # where functions end is then not said by what follows them alone
        if len(logical) > 1 or any(f.get("ModeMaster") for part in logical for f in part):
            raise Odd
        pairs = sorted(_ranges(logical, max(1, len(offsets))))
    except ValueError:
        raise Odd from None
    attribute = logical[0].get("Attribute", "") if logical else ""
    channel = r.DmxChannel(
        geometry=element.get("Geometry", ""),
        offsets=offsets,
        block=number,
        logical=(r.LogicalChannel(attribute=attribute),) if logical else (),
    )
    return channel, pairs[:64] if described(pairs) else []


def _ranges(logical: list[Element], size: int) -> Pairs:
    """The ranges of a channel as coarse values, by the same rules as `sheet.bands_of`."""
    shift, top = 8 * (size - 1), 256**size - 1
    made: Pairs = []
    for part in logical:
        functions = sorted(_starts(part, "ChannelFunction", size), key=lambda pair: pair[0])
        for index, (start, function) in enumerate(functions):
            end = next((later for later, _ in functions[index + 1 :] if later > start), top + 1) - 1
            sets = sorted(
                (at, s.get("Name", "")) for at, s in _starts(function, "ChannelSet", size)
            )
            made += _of_function(start, end, [(at, n) for at, n in sets if start <= at <= end])
    return [(low >> shift, min(high, top) >> shift) for low, high in sorted(made)]


def _starts(parent: Element, tag: str, size: int) -> list[tuple[int, Element]]:
    return [(dmx_value(e.get("DMXFrom") or "0/1", size), e) for e in parent if e.tag == tag]


def _of_function(start: int, end: int, sets: list[tuple[int, str]]) -> Pairs:
    """Ranges of one function: what lies before its first set, and the sets that have a name."""
    if not sets:
        return [(start, end)]
    made: Pairs = [(start, sets[0][0] - 1)] if sets[0][0] > start else []
    stops = [*(at - 1 for at, _ in sets[1:]), end]
    made += (
        (at, max(stop, at))
        for (at, name), stop in zip(sets, stops, strict=True)
        if name.strip() or len(sets) == 1
    )
    return made


def facts_of_bytes(data: bytes, where: str) -> Facts:
    """Facts by the quick way, or by the whole reader where that does not do. Raises FileFault."""
    try:
        return quick_facts(data, where)
    except (Odd, FileFault, *QUICK_ERRORS):
        return facts_of(read_archive(data, where))


def facts_of_file(path: str) -> bytes:
    """Facts of a GDTF file, packed. Raises FileFault. Runs in the workers that build the index."""
    name = Path(path)
    return msgspec.msgpack.encode(facts_of_bytes(read_file(name, MAX_MEMBER), name.name))
