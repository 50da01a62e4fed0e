"""A profile to a description's XML, by the same table that reads it; version 1.2, in the order of
the standard.
"""

from __future__ import annotations

from functools import cache
from typing import Any
from xml.etree import ElementTree as ET

from msgspec.structs import fields as struct_fields

from isthmus.profiles import records as r
from isthmus.profiles.gdtf import spec as s
from isthmus.profiles.gdtf.grafting import graft, later_version
from isthmus.profiles.gdtf.values import number_text

VERSION = "1.2"


def write_description(
    profile: r.Profile, original: ET.Element | None = None, known: ET.Element | None = None
) -> bytes:
    """The description.xml of a profile, UTF-8.

    `original` is the tree of the file it came from and `known` what we make of just that: what is
    only in the first is carried over.
    """
    root = description_tree(profile)
    if original is not None and known is not None:
        graft(original, known, root)
        root.set("DataVersion", later_version(original.get("DataVersion", ""), VERSION))
    ET.indent(root)
    return b'<?xml version="1.0" encoding="UTF-8"?>\n' + ET.tostring(root, encoding="utf-8") + b"\n"


def description_tree(profile: r.Profile) -> ET.Element:
    """The elements of a description, in the order of the standard."""
    root = ET.Element("GDTF", DataVersion=VERSION)
    kind = _element(profile, s.PROFILE)
    root.append(kind)
    geometries = _way(kind, "Geometries")
    for geometry in profile.geometries:
        geometries.append(_geometry(geometry))
    modes = _way(kind, "DMXModes")
    for mode in profile.modes:
        modes.append(_mode(mode))
    if profile.physical is not None:
        _way(kind, "PhysicalDescriptions").append(_physical(profile.physical))
    for parent, kept in (
        ("PhysicalDescriptions", profile.physical_other),
        ("Protocols", profile.protocols_other),
    ):
        for text in kept:
            _way(kind, parent).append(ET.fromstring(text))
    for required in (
        "AttributeDefinitions/FeatureGroups",
        "AttributeDefinitions/Attributes",
        "Geometries",
        "DMXModes",
    ):
        _way(kind, required)
    order = {tag: index for index, tag in enumerate(s.PROFILE_ORDER)}
    kind[:] = sorted(kind, key=lambda child: order.get(child.tag, len(order)))
    definitions = kind.find("AttributeDefinitions")
    assert definitions is not None
    inner = ("ActivationGroups", "FeatureGroups", "Attributes")
    definitions[:] = sorted(
        definitions, key=lambda child: inner.index(child.tag) if child.tag in inner else len(inner)
    )
    return root


def _way(parent: ET.Element, way: str) -> ET.Element:
    """The collecting element at the end of `way`, made where it is not there."""
    for step in way.split("/"):
        found = parent.find(step)
        parent = found if found is not None else ET.SubElement(parent, step)
    return parent


@cache
def _defaults(record: type[r.Part]) -> dict[str, Any]:
    """The usual value of each field; looking it up costs more than writing an element."""
    return {field.name: field.default for field in struct_fields(record)}


def _attributes(
    part: r.Part, spec: s.Spec, size: int, skip: frozenset[str] = frozenset()
) -> dict[str, str]:
    defaults = _defaults(spec.record)
    made = {}
    for attr in spec.attrs:
        value = getattr(part, attr.field)
        if value is None or attr.xml in skip or (not attr.need and value == defaults[attr.field]):
            continue
        made[attr.xml] = attr.codec.write(value, size)
    for name, text in part.more:
        made.setdefault(name, text)
    return made


def _element(part: Any, spec: s.Spec, size: int = 1) -> ET.Element:
    element = ET.Element(spec.tag, _attributes(part, spec, size))
    for kid in spec.kids:
        value = getattr(part, kid.field)
        if value is None:
            continue
        for item in (value,) if kid.one else value:
            parent = _way(element, kid.inside) if kid.inside else element
            parent.append(_element(item, kid.spec, size))
    for text in part.other:
        element.append(ET.fromstring(text))
    return element


def _geometry(geometry: r.Geometry) -> ET.Element:
    tag = "GeometryReference" if geometry.kind == "Reference" else geometry.kind
    made = {
        attr.xml: attr.codec.write(value, 1)
        for attr in s.GEOMETRY_ATTRS
        if (value := getattr(geometry, attr.field)) not in ("", None)
    }
    if geometry.kind == "Reference":
        made["Geometry"] = geometry.refers_to
    if geometry.beam is not None and tag == "Beam":
        made |= {
            a.xml: a.codec.write(getattr(geometry.beam, a.field), 1)
            for a in s.BEAM.attrs
            if getattr(geometry.beam, a.field) != ""
        }
    made |= {name: text for name, text in geometry.more if name not in made}
    element = ET.Element(tag, made)
    for item in geometry.breaks:
        ET.SubElement(element, "Break", DMXBreak=str(item.block), DMXOffset=str(item.offset))
    for child in geometry.children:
        element.append(_geometry(child))
    for text in geometry.other:
        element.append(ET.fromstring(text))
    return element


def _mode(mode: r.Mode) -> ET.Element:
    element = ET.Element(
        "DMXMode",
        {
            "Name": mode.name,
            "Description": mode.description,
            "Geometry": mode.geometry,
            **dict(mode.more),
        },
    )
    channels = ET.SubElement(element, "DMXChannels")
    for channel in mode.channels:
        channels.append(_channel(channel))
    relations = ET.SubElement(element, "Relations")
    for relation in mode.relations:
        relations.append(_element(relation, s.RELATION))
    macros = ET.SubElement(element, "FTMacros")
    for text in mode.macros:
        macros.append(ET.fromstring(text))
    for text in mode.other:
        element.append(ET.fromstring(text))
    return element


def _channel(channel: r.DmxChannel) -> ET.Element:
    size = channel.resolution
    made = {
        "DMXBreak": "Overwrite" if channel.block == 0 else str(channel.block),
        "Offset": ",".join(map(str, channel.offsets)) or "None",
        "Highlight": "None" if channel.highlight is None else f"{channel.highlight}/{size}",
        "Geometry": channel.geometry,
    }
    first = channel.first
    if first is not None and channel.initial:
        logical = next(part for part in channel.logical if first in part.functions)
        made["InitialFunction"] = f"{channel_name(channel)}.{logical.attribute}.{first.name}"
    made |= {name: text for name, text in channel.more if name not in made}
    element = ET.Element("DMXChannel", made)
    for logical in channel.logical:
        element.append(_element(logical, s.LOGICAL, size))
    for text in channel.other:
        element.append(ET.fromstring(text))
    return element


def channel_name(channel: r.DmxChannel) -> str:
    """How the standard names a channel: its geometry and the attribute of its first logical
    channel.
    """
    return f"{channel.geometry}_{channel.logical[0].attribute if channel.logical else 'NoFeature'}"


def _physical(physical: r.Physical) -> ET.Element:
    element = ET.Element("Properties")
    for tag, pairs in s.PROPERTIES.items():
        values = {
            name: number_text(value)
            for field, name in pairs
            if (value := getattr(physical, field)) is not None
        }
        if values:
            ET.SubElement(element, tag, values)
    for text in physical.other:
        element.append(ET.fromstring(text))
    return element
