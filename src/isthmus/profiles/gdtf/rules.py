"""Every deviation of a profile from the standard that reading alone does not show: what refers to
nothing, what stands twice, what lies outside its range. Each with its place.
"""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterable, Iterator
from dataclasses import dataclass

from isthmus.plural import many
from isthmus.profiles import records as r
from isthmus.profiles.chart import chart
from isthmus.profiles.gdtf.archive import Gdtf, read_archive, read_members
from isthmus.profiles.gdtf.reading import Notice
from isthmus.profiles.gdtf.spec import PRIMITIVES
from isthmus.profiles.gdtf.writing import channel_name

# printable characters a Name may hold (Annex C): the point separates the parts of a path
_NAME = re.compile(r"[^\x00-\x1f.$\\;]*")
_GUID = re.compile(r"[0-9A-Fa-f]{8}(-[0-9A-Fa-f]{4}){3}-[0-9A-Fa-f]{12}")
UNIVERSE = 512
HUGE_MESH = 20 * 2**20


def check_gdtf(read: Gdtf) -> list[Notice]:
    """What reading told, then what the rules tell, in the order of the file."""
    profile = read.profile
    return [
        *read.notices,
        *_head(profile),
        *_definitions(profile),
        *_files(read),
        *_geometry(profile),
        *_modes(profile),
    ]


def check_file(data: bytes, where: str) -> list[Notice]:
    """The same for a file, each deviation at every place, and its bodies looked into. Raises
    FileFault.
    """
    read = read_archive(data, where, everywhere=True)
    members = read_members(data, where)
    return [
        *check_gdtf(read),
        *(
            notice
            for model in read.profile.models
            for notice in _mesh(model, read.body_file(model), members)
        ),
    ]


def _mesh(model: r.Model, member: str, members: dict[str, bytes]) -> Iterator[Notice]:
    data = members.get(member)
    if data is None:
        return
    place = f"Model “{model.name}”"
    if len(data) > HUGE_MESH:
        yield Notice(
            place, f"its body {member} has {len(data) // 2**20} MB; a few hundred kB are usual."
        )
    whole = (
        int.from_bytes(data[8:12], "little") == len(data)
        if data[:4] == b"glTF"
        else int.from_bytes(data[2:6], "little") == len(data)
    )
    if member.endswith(".glb") and (data[:4] != b"glTF" or not whole):
        yield Notice(place, f"its body {member} is not a whole glTF file.")
    elif member.endswith(".3ds") and (data[:2] != b"MM" or not whole):
        yield Notice(place, f"its body {member} is not a whole 3ds file.")


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
    for kind, parts in (
        ("Wheel", profile.wheels),
        ("Emitter", profile.emitters),
        ("Model", profile.models),
        ("DMXMode", profile.modes),
    ):
        for part in parts:
            if not (_NAME.fullmatch(part.name) and part.name.strip()):
                yield Notice(
                    f"{kind} “{part.name[:40]}”",
                    "its name holds characters the standard does not allow, or none.",
                )


def _definitions(profile: r.Profile) -> Iterator[Notice]:
    features = {
        f"{group.name}.{feature.name}" for group in profile.features for feature in group.features
    }
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
                yield Notice(
                    f"Wheel “{wheel.name}” / Slot “{slot.name}”",
                    f"its filter “{slot.filter}” is not defined.",
                )


def _files(read: Gdtf) -> Iterator[Notice]:
    if not read.members and not any(model.file for model in read.profile.models):
        return
    have = {name.rsplit(".", 1)[0] for name in read.members}
    for wheel in read.profile.wheels:
        for slot in wheel.slots:
            if slot.media and f"wheels/{slot.media}" not in have:
                yield Notice(
                    f"Wheel “{wheel.name}” / Slot “{slot.name}”",
                    f"its picture wheels/{slot.media}.png is not in the file.",
                )
    for model in read.profile.models:
        if model.primitive not in PRIMITIVES:
            yield Notice(
                f"Model “{model.name}”",
                f"PrimitiveType “{model.primitive}” is not in the standard.",
            )
        if model.file and not read.body_file(model):
            yield Notice(
                f"Model “{model.name}”",
                f"its body “{model.file}” lies in none of the folders models/gltf and models/3ds.",
            )
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
            yield Notice(
                place, f"it refers to “{geometry.refers_to}”, which is not a top-level geometry."
            )
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


@dataclass(frozen=True)
class _Defined:
    """The names a profile defines, that its modes may refer to."""

    names: dict[str, set[str]]  # by the member of a function that refers to them
    wheels: dict[str, r.Wheel]
    geometry: set[str]
    gamuts: set[str]

    @staticmethod
    def by(profile: r.Profile) -> _Defined:
        wheels = {wheel.name: wheel for wheel in profile.wheels}
        names = {
            "attribute": {a.name for a in profile.attributes},
            "wheel": set(wheels),
            "emitter": {e.name for e in profile.emitters},
            "filter": {f.name for f in profile.filters},
        }
        gamuts = {
            name
            for text in profile.physical_other
            for name in re.findall(r'<Gamut [^>]*Name="([^"]*)"', text)
        }
        return _Defined(names, wheels, {g.name for g in _walk(profile.geometries)}, gamuts)


def _modes(profile: r.Profile) -> Iterator[Notice]:
    defined = _Defined.by(profile)
    yield from _personalities(profile)
    for mode in profile.modes:
        place = f"DMXMode “{mode.name}”"
        yield from _slots(profile, mode, place)
        names = Counter(channel_name(c) for c in mode.channels)
        for name, count in names.items():
            if count > 1:
                yield Notice(place, f"{many(count, 'channel')} are called “{name}”.")
        functions = {
            f"{channel_name(c)}.{p.attribute}.{f.name}"
            for c in mode.channels
            for p in c.logical
            for f in p.functions
        }
        for channel in mode.channels:
            yield from _masters(channel, place, {*names, *functions})
            slots = ",".join(map(str, channel.offsets)) or "virtual"
            yield from _channel(channel, f"{place} / DMXChannel {slots}", defined)
        yield from _relations(mode, place, set(names), functions)


def _personalities(profile: r.Profile) -> Iterator[Notice]:
    modes = {mode.name for mode in profile.modes}
    for software in profile.rdm.software if profile.rdm is not None else ():
        for personality in software.personalities:
            if personality.mode not in modes:
                yield Notice(
                    f"FTRDM / DMXPersonality “{personality.value}”",
                    f"its mode “{personality.mode}” does not exist.",
                )


def _slots(profile: r.Profile, mode: r.Mode, place: str) -> Iterator[Notice]:
    """Blocks longer than a universe, and slots that several channels use."""
    lay = chart(profile, mode)
    for block, size in lay.footprints:
        if size > UNIVERSE:
            yield Notice(place, f"block {block} takes {size} slots; a universe has {UNIVERSE}.")
    owners = Counter(slot for item in lay.channels for slot in item.slots)
    for (block, offset), count in sorted(owners.items()):
        if count > 1:
            where = f"{offset}{f' of block {block}' if block > 1 else ''}"
            yield Notice(place, f"{many(count, 'channel')} use slot {where}.")


def _masters(channel: r.DmxChannel, place: str, links: set[str]) -> Iterator[Notice]:
    for part in channel.logical:
        for f in part.functions:
            if f.mode_master and f.mode_master not in links:
                yield Notice(
                    f"{place} / ChannelFunction “{f.name}”",
                    f"its mode master “{f.mode_master}” is not in the mode.",
                )


def _relations(mode: r.Mode, place: str, names: set[str], functions: set[str]) -> Iterator[Notice]:
    for relation in mode.relations:
        where = f"{place} / Relation “{relation.name}”"
        if relation.kind not in ("Multiply", "Override"):
            yield Notice(where, f"Type “{relation.kind}” is neither Multiply nor Override.")
        if relation.master not in names:
            yield Notice(where, f"its master “{relation.master}” is not a channel of the mode.")
        if relation.follower not in functions:
            yield Notice(
                where, f"its follower “{relation.follower}” is not a function of the mode."
            )


def _channel(channel: r.DmxChannel, place: str, defined: _Defined) -> Iterator[Notice]:
    functions = [f for part in channel.logical for f in part.functions]
    if channel.geometry not in defined.geometry:
        yield Notice(place, f"its geometry “{channel.geometry}” does not exist.")
    if not functions:
        yield Notice(place, "it has no function.")
    if len(set(channel.offsets)) != len(channel.offsets):
        yield Notice(place, "two of its bytes use one slot.")
    if channel.initial and all(f.name != channel.initial for f in functions):
        yield Notice(place, f"its initial function “{channel.initial}” does not exist.")
    top = 256**channel.resolution - 1
    for part in channel.logical:
        starts = Counter(f.dmx_from for f in part.functions if not f.mode_master)
        for start, count in starts.items():
            if count > 1:
                yield Notice(
                    place, f"{count} functions of {part.attribute} begin at {start}; they overlap."
                )
        for function in part.functions:
            where = f"{place} / ChannelFunction “{function.name}”"
            yield from _function(function, where, top, defined)
            yield from _sets(function, where, defined.wheels.get(function.wheel))


def _function(
    function: r.ChannelFunction, where: str, top: int, defined: _Defined
) -> Iterator[Notice]:
    """`top` is the highest value the bytes of the channel hold."""
    for field, names in defined.names.items():
        name = getattr(function, field)
        if name and name != "NoFeature" and name not in names:
            yield Notice(where, f"its {field} “{name}” is not defined.")
    if function.dmx_from > top:
        yield Notice(where, f"it begins at {function.dmx_from}, past {top}.")
    low, high = function.mode_from, function.mode_to
    if low and high and _dmx(low) > _dmx(high):
        yield Notice(where, f"ModeFrom {low} is above ModeTo {high}.")
    if function.gamut and function.gamut not in defined.gamuts:
        yield Notice(where, f"its gamut “{function.gamut}” is not defined.")
    if function.default > top:
        yield Notice(where, f"its default {function.default} is past {top}.")


def _sets(function: r.ChannelFunction, where: str, wheel: r.Wheel | None) -> Iterator[Notice]:
    for item in function.sets:
        if not function.dmx_from <= item.dmx_from <= function.dmx_to:
            yield Notice(
                where,
                f"its set “{item.name}” begins at {item.dmx_from}, outside "
                f"{function.dmx_from} to {function.dmx_to}.",
            )
        if wheel is not None and item.wheel_slot > len(wheel.slots):
            yield Notice(
                where,
                f"its set “{item.name}” shows slot {item.wheel_slot} of a wheel with "
                f"{len(wheel.slots)}.",
            )
    for start, count in Counter(item.dmx_from for item in function.sets).items():
        if count > 1:
            yield Notice(where, f"{count} of its sets begin at {start}.")


def _dmx(text: str) -> int:
    """A DMX value for comparing two of one channel; −1 for what is none."""
    try:
        return int(str(text).partition("/")[0])
    except ValueError:
        return -1
