"""A scene to the XML of an MVR file, by the table that reads it, in the order of the standard."""

from __future__ import annotations

from collections.abc import Iterable
from xml.etree import ElementTree as ET

from defusedxml import DefusedXmlException

from isthmus.mvr import records as r
from isthmus.mvr import spec as s
from isthmus.profiles.gdtf.guarding import parse


def write_scene(scene: r.Scene) -> bytes:
    """UTF-8. What a version before `scene.minor` does not know is left out."""
    root = ET.Element(
        "GeneralSceneDescription",
        {
            "verMajor": "1",
            "verMinor": str(scene.minor),
            "provider": scene.provider,
            "providerVersion": scene.provider_version,
            **dict(scene.more),
        },
    )
    user = ET.SubElement(root, "UserData")
    user.extend(elements(scene.user))
    body = ET.SubElement(root, "Scene")
    aux = ET.SubElement(body, "AUXData")
    for symbol in scene.symbols:
        made = ET.SubElement(aux, "Symdef", uuid=symbol.uuid, name=symbol.name)
        _pieces(ET.SubElement(made, "ChildList"), symbol.pieces)
    for position in scene.positions:
        ET.SubElement(aux, "Position", uuid=position.uuid, name=position.name)
    aux.extend(elements(scene.aux_other))
    layers = ET.SubElement(body, "Layers")
    layers.extend(thing_element(layer, scene.minor) for layer in scene.layers)
    root.extend(elements(scene.other))
    ET.indent(root)
    return b'<?xml version="1.0" encoding="UTF-8"?>\n' + ET.tostring(root, encoding="utf-8") + b"\n"


def thing_element(thing: r.Thing, minor: int = 6) -> ET.Element:
    """One thing with all that stands in it."""
    names = {"uuid": thing.uuid, "name": thing.name}
    if thing.multipatch:
        names["multipatch"] = thing.multipatch
    element = ET.Element(thing.kind, {**names, **dict(thing.more)})
    order = s.ORDER[thing.kind]
    made = _values(thing, minor)
    unknown: list[ET.Element] = []
    for kept in elements(thing.other):
        if kept.tag == "Addresses" and kept.tag in made:
            made[kept.tag].extend(kept)  # network addresses beside those of DMX
        elif kept.tag not in order:
            unknown.append(kept)
        elif s.NEWER.get(kept.tag, 4) <= minor:
            made.setdefault(kept.tag, kept)
    if thing.children or thing.kind in ("Layer", "GroupObject"):
        made["ChildList"] = ET.Element("ChildList")
        made["ChildList"].extend(thing_element(child, minor) for child in thing.children)
    element.extend(made[tag] for tag in order if tag in made)
    element.extend(unknown)
    return element


def _values(thing: r.Thing, minor: int) -> dict[str, ET.Element]:
    """What the record holds, as child elements by their tags."""
    made: dict[str, ET.Element] = {}
    for text in s.TEXTS:
        value = getattr(thing, text.field)
        if value not in (None, "") and text.since <= minor and text.tag in s.ORDER[thing.kind]:
            made[text.tag] = ET.Element(text.tag)
            made[text.tag].text = text.codec.write(value, 1)
    if thing.addresses:
        made["Addresses"] = ET.Element("Addresses")
        for address in thing.addresses:
            one = ET.SubElement(made["Addresses"], "Address", {"break": str(address.block)})
            one.text = str(address.absolute)
    if thing.pieces:
        made["Geometries"] = ET.Element("Geometries")
        _pieces(made["Geometries"], thing.pieces)
    return made


def _pieces(parent: ET.Element, pieces: Iterable[r.Piece]) -> None:
    for piece in pieces:
        names = (
            {"uuid": piece.uuid, "symdef": piece.symbol}
            if piece.kind == "Symbol"
            else {"fileName": piece.file}
        )
        made = ET.SubElement(parent, piece.kind, names)
        if piece.matrix is not None:
            ET.SubElement(made, "Matrix").text = s.ROWS.write(piece.matrix, 1)


def elements(xml: Iterable[str]) -> list[ET.Element]:
    """What was kept as XML; a text that is none any more is left out."""
    found = []
    for text in xml:
        try:
            found.append(parse(text.encode()))
        except (ET.ParseError, DefusedXmlException, ValueError):
            continue
    return found


def texts(found: Iterable[ET.Element]) -> tuple[str, ...]:
    """The other way."""
    return tuple(ET.tostring(one, encoding="unicode") for one in found)
