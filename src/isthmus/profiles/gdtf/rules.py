"""Every deviation of a profile from the standard that reading alone does not show: what refers to nothing, what
stands twice, what lies outside its range. Each with its place.
"""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterable, Iterator

from isthmus.profiles import records as r
from isthmus.profiles.chart import chart
from isthmus.profiles.gdtf.archive import Gdtf
from isthmus.profiles.gdtf.reading import Notice
from isthmus.profiles.gdtf.spec import PRIMITIVES
from isthmus.profiles.gdtf.writing import channel_name

# printable characters a Name may hold (Annex C): the point separates the parts of a path
_NAME = re.compile(r"[^\x00-\x1f.$\\;]*")
_GUID = re.compile(r"[0-9A-Fa-f]{8}(-[0-9A-Fa-f]{4}){3}-[0-9A-Fa-f]{12}")
UNIVERSE = 512


def check_gdtf(read: Gdtf) -> list[Notice]:
    """What reading told, then what the rules tell, in the order of the file."""
    profile = read.profile
    return [*read.notices, *_head(profile), *_definitions(profile), *_files(read), *_geometry(profile), *_modes(profile)]


def _twice(names: Iterable[str], place: str) -> Iterator[Notice]:
    for name, count in Counter(names).items():
        if count > 1:
            yield Notice(place, f"“{name}” stands {count} times.")


def _head(profile: r.Profile) -> Iterator[Notice]:
    if not _GUID.fullmatch(profile.id):
        yield Notice("FixtureType", f"FixtureTypeID “{profile.id[:40]}” is not a GUID.")
    if profile.refers_to and not _GUID.fullmatch(profile.refers_to):
        yield Notice("FixtureType", f"RefFT “{profile.refers_to[:40]}” is not a GUID.")
    if not profile.maker:
        yield Notice("FixtureType", "Manufacturer is empty.")
    for kind, parts in (("Wheel", profile.wheels), ("Emitter", profile.emitters), ("Model", profile.models), ("DMXMode", profile.modes)):
        for part in parts:
            if not (_NAME.fullmatch(part.name) and part.name.strip()):
                yield Notice(f"{kind} “{part.name[:40]}”", "its name holds characters the standard does not allow, or none.")


def _definitions(profile: r.Profile) -> Iterator[Notice]:
    features = {f"{group.name}.{feature.name}" for group in profile.features for feature in group.features}
    activations = {group.name for group in profile.activations}
    yield from _twice((a.name for a in profile.attributes), "AttributeDefinitions")
    yield from _twice((w.name for w in profile.wheels), "Wheels")
    yield from _twice((e.name for e in profile.emitters), "PhysicalDescriptions / Emitters")
    yield from _twice((m.name for m in profile.models), "Models")
    names = {a.name for a in profile.attributes}
    for attribute in profile.attributes:
        place = f"Attribute “{attribute.name}”"
        if attribute.feature not in features:
            yield Notice(place, f"its feature “{attribute.feature}” is not defined.")
        if attribute.activation and attribute.activation not in activations:
            yield Notice(place, f"its activation group “{attribute.activation}” is not defined.")
        if attribute.main and attribute.main not in names:
            yield Notice(place, f"its main attribute “{attribute.main}” is not defined.")
    filters = {f.name for f in profile.filters}
    for wheel in profile.wheels:
        for slot in wheel.slots:
            if slot.filter and slot.filter not in filters:
                yield Notice(f"Wheel “{wheel.name}” / Slot “{slot.name}”", f"its filter “{slot.filter}” is not defined.")


def _files(read: Gdtf) -> Iterator[Notice]:
    if not read.members and not any(model.file for model in read.profile.models):
        return
    have = {name.rsplit(".", 1)[0] for name in read.members}
    for wheel in read.profile.wheels:
        for slot in wheel.slots:
            if slot.media and f"wheels/{slot.media}" not in have:
                yield Notice(f"Wheel “{wheel.name}” / Slot “{slot.name}”", f"its picture wheels/{slot.media}.png is not in the file.")
    for model in read.profile.models:
        if model.primitive not in PRIMITIVES:
            yield Notice(f"Model “{model.name}”", f"PrimitiveType “{model.primitive}” is not in the standard.")
        if model.file and not read.body_file(model):
            yield Notice(f"Model “{model.name}”", f"its body “{model.file}” lies in none of the folders models/gltf and models/3ds.")
    if read.profile.thumbnail and read.profile.thumbnail not in have:
        yield Notice("FixtureType", f"its thumbnail “{read.profile.thumbnail}” is not in the file.")


def _walk(geometries: Iterable[r.Geometry]) -> Iterator[r.Geometry]:
    for geometry in geometries:
        yield geometry
        yield from _walk(geometry.children)


def _geometry(profile: r.Profile) -> Iterator[Notice]:
    models = {model.name for model in profile.models}
    tops = {geometry.name: geometry for geometry in profile.geometries}
    everything = list(_walk(profile.geometries))
    yield from _twice((g.name for g in everything), "Geometries")
    for geometry in everything:
        place = f"{geometry.kind} “{geometry.name}”"
        if not geometry.name:
            yield Notice("Geometries", f"a {geometry.kind} has no name.")
        if geometry.model and geometry.model not in models:
            yield Notice(place, f"its model “{geometry.model}” is not defined.")
        if geometry.kind == "Reference" and geometry.refers_to not in tops:
            yield Notice(place, f"it refers to “{geometry.refers_to}”, which is no top-level geometry.")
    for name in tops:
        if _reaches(name, name, tops, set()):
            yield Notice(f"Geometry “{name}”", "it refers to itself in a ring.")


def _reaches(start: str, goal: str, tops: dict[str, r.Geometry], seen: set[str]) -> bool:
    for part in _walk([tops[start]]):
        if part.kind == "Reference" and part.refers_to in tops:
            if part.refers_to == goal:
                return True
            if part.refers_to not in seen:
                seen.add(part.refers_to)
                if _reaches(part.refers_to, goal, tops, seen):
                    return True
    return False


def _modes(profile: r.Profile) -> Iterator[Notice]:
    wheels = {wheel.name: wheel for wheel in profile.wheels}
    known = {
        "attribute": {a.name for a in profile.attributes},
        "wheel": set(wheels),
        "emitter": {e.name for e in profile.emitters},
        "filter": {f.name for f in profile.filters},
    }
    geometry = {g.name for g in _walk(profile.geometries)}
    for mode in profile.modes:
        place = f"DMXMode “{mode.name}”"
        lay = chart(profile, mode)
        for block, size in lay.footprints:
            if size > UNIVERSE:
                yield Notice(place, f"block {block} takes {size} slots; a universe has {UNIVERSE}.")
        owners = Counter(slot for item in lay.channels for slot in item.slots)
        for (block, offset), count in sorted(owners.items()):
            if count > 1:
                yield Notice(place, f"{count} channels use slot {offset}{f' of block {block}' if block > 1 else ''}.")
        names = Counter(channel_name(c) for c in mode.channels)
        functions = {f"{channel_name(c)}.{p.attribute}.{f.name}" for c in mode.channels for p in c.logical for f in p.functions}
        for channel in mode.channels:
            yield from _channel(
                channel, f"{place} / DMXChannel {','.join(map(str, channel.offsets)) or 'virtual'}", known, wheels, geometry
            )
        for relation in mode.relations:
            where = f"{place} / Relation “{relation.name}”"
            if relation.kind not in ("Multiply", "Override"):
                yield Notice(where, f"Type “{relation.kind}” is neither Multiply nor Override.")
            if relation.master not in names:
                yield Notice(where, f"its master “{relation.master}” is no channel of the mode.")
            if relation.follower not in functions:
                yield Notice(where, f"its follower “{relation.follower}” is no function of the mode.")


def _channel(
    channel: r.DmxChannel, place: str, known: dict[str, set[str]], wheels: dict[str, r.Wheel], geometry: set[str]
) -> Iterator[Notice]:
    top = 256**channel.resolution - 1
    if channel.geometry not in geometry:
        yield Notice(place, f"its geometry “{channel.geometry}” does not exist.")
    if not any(part.functions for part in channel.logical):
        yield Notice(place, "it has no function.")
    if len(set(channel.offsets)) != len(channel.offsets):
        yield Notice(place, "two of its bytes use one slot.")
    if channel.initial and not any(f.name == channel.initial for part in channel.logical for f in part.functions):
        yield Notice(place, f"its initial function “{channel.initial}” does not exist.")
    for part in channel.logical:
        for function in part.functions:
            where = f"{place} / ChannelFunction “{function.name}”"
            for field, defined in known.items():
                name = getattr(function, field)
                if name and name != "NoFeature" and name not in defined:
                    yield Notice(where, f"its {field} “{name}” is not defined.")
            if function.default > top:
                yield Notice(where, f"its default {function.default} is past {top}.")
            yield from _sets(function, where, wheels.get(function.wheel))


def _sets(function: r.ChannelFunction, where: str, wheel: r.Wheel | None) -> Iterator[Notice]:
    for item in function.sets:
        if not function.dmx_from <= item.dmx_from <= function.dmx_to:
            yield Notice(where, f"its set “{item.name}” begins at {item.dmx_from}, outside {function.dmx_from} to {function.dmx_to}.")
        if wheel is not None and item.wheel_slot > len(wheel.slots):
            yield Notice(where, f"its set “{item.name}” shows slot {item.wheel_slot} of a wheel with {len(wheel.slots)}.")
    for start, count in Counter(item.dmx_from for item in function.sets).items():
        if count > 1:
            yield Notice(where, f"{count} of its sets begin at {start}.")
