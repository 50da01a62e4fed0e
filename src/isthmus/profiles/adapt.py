"""An own copy of a profile and the edits on it: each takes a profile and gives a new one; slots
follow of themselves.

Inserting or removing slots shifts whatever stands behind them: the unit's channels, the places of
its cells, and the channels inside a cell. A mode whose cells move gets a geometry of its own when
it shared one.
"""

from __future__ import annotations

import uuid
from collections.abc import Callable, Iterable, Sequence
from dataclasses import (
    replace as put,
)  # for the plain dataclasses; `replace` is that of the records

from msgspec.structs import replace

from isthmus.errors import EntryFault
from isthmus.profiles import records as r
from isthmus.profiles.attributes import plain
from isthmus.profiles.channel_table import Band, bands_of, channel_table
from isthmus.profiles.chart import chart
from isthmus.profiles.compare import differences
from isthmus.profiles.judge import Finding, judge
from isthmus.profiles.make.channels import Channel, channel_of, with_definitions

UNIVERSE = 512


def own_copy(source: r.Profile, name: str, maker: str = "", date: str = "") -> r.Profile:
    """A profile of one's own made from another: a new id, a reference to where it came from."""
    if not name.strip():
        raise EntryFault("the copy has no name.", do="Type a model name.")
    note = r.Revision(text=f"Own copy of {source.title}", date=date)
    return replace(
        source,
        id=str(uuid.uuid4()).upper(),
        refers_to=source.id,
        name=name.strip(),
        maker=maker.strip() or source.maker,
        long_name=f"{maker.strip() or source.maker} {name.strip()}".strip(),
        revisions=(*source.revisions, note),
    )


def borrow(source: r.Profile, maker: str, name: str, date: str = "") -> r.Profile:
    """Another maker's profile of the same layout, under the name of the unit at hand and marked as
    borrowed.
    """
    copy = own_copy(source, name, maker, date)
    return replace(
        copy,
        revisions=(*source.revisions, r.Revision(text=f"{r.BORROWED}{source.title}", date=date)),
    )


def edits_listed(source: r.Profile, own: r.Profile) -> list[str]:
    """What differs from the source, in words, mode by mode."""
    told = []
    for mode in own.modes:
        before = source.mode(mode.name)
        if before is None:
            told.append(f"Mode {mode.name} is new.")
            continue
        if before is not mode:
            for text in differences(channel_table(source, before), channel_table(own, mode)):
                told.append(
                    f"{mode.name}: "
                    f"{text.replace('is extra', 'is new').replace('is absent', 'is taken out')}"
                )
            homes = {
                (_attribute(channel), channel.geometry): channel for channel in before.channels
            }
            for channel in mode.channels:
                old = homes.get((_attribute(channel), channel.geometry))
                if (
                    old
                    and old.highlight != channel.highlight
                    and old.resolution == channel.resolution
                ):
                    told.append(
                        f"{mode.name}: {plain(_attribute(channel))} is shown at "
                        f"{channel.highlight}, not {old.highlight}"
                    )
    told.extend(
        f"Mode {mode.name} is gone." for mode in source.modes if own.mode(mode.name) is None
    )
    wheels = {wheel.name: wheel for wheel in source.wheels}
    told.extend(
        f"Wheel {wheel.name} has other slots."
        for wheel in own.wheels
        if wheel.name in wheels and wheels[wheel.name] != wheel
    )
    return told


def check_mode(profile: r.Profile, name: str) -> list[Finding]:
    """What is wrong with a mode as it stands: gaps, overlaps, doubled attributes, shared slots,
    past 512.
    """
    mode = _mode(profile, name)
    found = [
        finding for finding in judge(channel_table(profile, mode)) if finding.kind != "says nothing"
    ]
    for block, size in chart(profile, mode).footprints:
        if size > UNIVERSE:
            found.append(
                Finding(
                    "past the end",
                    None,
                    f"Block {block} takes {size} channels; a universe has {UNIVERSE}.",
                )
            )
    return found


# ---------------------------------------------------------------- pieces


def _mode(profile: r.Profile, name: str) -> r.Mode:
    mode = profile.mode(name)
    if mode is None:
        raise EntryFault(f"there is no mode “{name}”.", where=profile.title)
    return mode


def _channel(mode: r.Mode, index: int) -> r.DmxChannel:
    if not 0 <= index < len(mode.channels):
        raise EntryFault(f"there is no channel {index + 1} in mode {mode.name}.")
    return mode.channels[index]


def _attribute(channel: r.DmxChannel) -> str:
    return channel.logical[0].attribute if channel.logical else ""


def _with_mode(profile: r.Profile, old: r.Mode, new: r.Mode) -> r.Profile:
    return with_definitions(
        replace(profile, modes=tuple(new if mode is old else mode for mode in profile.modes))
    )


def _with_channel(profile: r.Profile, mode: r.Mode, index: int, channel: r.DmxChannel) -> r.Profile:
    channels = list(mode.channels)
    channels[index] = channel
    return _with_mode(profile, mode, replace(mode, channels=tuple(channels)))


def _references(geometry: r.Geometry) -> Iterable[r.Geometry]:
    if geometry.kind == "Reference":
        yield geometry
    for child in geometry.children:
        yield from _references(child)


def _names(geometry: r.Geometry) -> set[str]:
    return {geometry.name}.union(*(_names(child) for child in geometry.children))


def _changed(geometry: r.Geometry, change: Callable[[r.Geometry], r.Geometry]) -> r.Geometry:
    return change(
        replace(geometry, children=tuple(_changed(child, change) for child in geometry.children))
    )


def own_tree(profile: r.Profile, name: str) -> r.Profile:
    """The profile with the mode's geometry used by no other mode, so that its cells can be moved
    alone.
    """
    mode = _mode(profile, name)
    root = profile.geometry(mode.geometry)
    if (
        root is None
        or sum(other.geometry == mode.geometry for other in profile.modes) < 2
        or not any(True for _ in _references(root))
    ):
        return profile
    renamed = {old: f"{old} ({mode.name})" for old in _names(root)}
    copy = _changed(root, lambda g: replace(g, name=renamed[g.name]))
    channels = tuple(
        replace(channel, geometry=renamed.get(channel.geometry, channel.geometry))
        for channel in mode.channels
    )
    made = replace(profile, geometries=(*profile.geometries, copy))
    return _with_mode(made, mode, replace(mode, geometry=copy.name, channels=channels))


def _shifted(
    profile: r.Profile,
    name: str,
    block: int,
    places: Callable[[int], int],
    cell: frozenset[str],
    inside: Callable[[int], int],
) -> r.Profile:
    """Every slot of a block through `places`; slots within the geometries of `cell` through
    `inside`.
    """
    mode = _mode(profile, name)
    root = profile.geometry(mode.geometry)
    references = list(_references(root)) if root else []
    templates = {
        part
        for ref in references
        if (top := profile.geometry(ref.refers_to))
        for part in _names(top)
    }
    moves = any(
        places(b.offset) != b.offset for ref in references for b in ref.breaks if b.block == block
    )
    if moves:
        profile = own_tree(profile, name)
        mode = _mode(profile, name)

        def place(geometry: r.Geometry) -> r.Geometry:
            return replace(
                geometry,
                breaks=tuple(
                    replace(b, offset=places(b.offset)) if b.block == block else b
                    for b in geometry.breaks
                ),
            )

        profile = replace(
            profile,
            geometries=tuple(
                _changed(g, place) if g.name == mode.geometry else g for g in profile.geometries
            ),
        )
    channels = []
    for channel in mode.channels:
        if channel.geometry in cell:
            channel = replace(channel, offsets=tuple(inside(offset) for offset in channel.offsets))
        elif channel.geometry not in templates and max(1, channel.block) == block:
            channel = replace(channel, offsets=tuple(places(offset) for offset in channel.offsets))
        channels.append(channel)
    return _with_mode(profile, mode, replace(mode, channels=tuple(channels)))


def _cell_of(
    profile: r.Profile, mode: r.Mode, geometry: str
) -> tuple[frozenset[str], list[int], int]:
    """For a geometry inside a cell: the names of that cell's tree, where its instances begin, and
    in which block.
    """
    root = profile.geometry(mode.geometry)
    for reference in _references(root) if root else ():
        top = profile.geometry(reference.refers_to)
        if top and geometry in _names(top):
            same = (
                [ref for ref in _references(root) if ref.refers_to == reference.refers_to]
                if root
                else []
            )
            starts = [ref.breaks[-1].offset for ref in same if ref.breaks]
            return (
                frozenset(_names(top)),
                starts,
                reference.breaks[-1].block if reference.breaks else 1,
            )
    return frozenset(), [], 1


def _opened(
    profile: r.Profile, name: str, geometry: str, block: int, at: int, count: int
) -> r.Profile:
    """Room for `count` slots before slot `at` (counted within the cell for a cell's geometry)."""
    mode = _mode(profile, name)
    cell, starts, cell_block = _cell_of(profile, mode, geometry)
    points = [start + at - 1 for start in starts] if cell else [at]
    if not cell:
        _not_inside_a_cell(profile, mode, block, at)
    return _shifted(
        profile,
        name,
        cell_block if cell else block,
        lambda x: (
            x
            + count
            * (sum(start < x for start in starts) if x in starts else sum(p <= x for p in points))
        ),
        cell,
        lambda x: x + count * (at <= x),
    )


def _not_inside_a_cell(profile: r.Profile, mode: r.Mode, block: int, at: int) -> None:
    spans: dict[tuple[int, str], list[int]] = {}
    for item in chart(profile, mode).channels:
        if item.cell:
            for slot_block, offset in item.slots:
                spans.setdefault((slot_block, item.instance), []).append(offset)
    for (slot_block, cell), slots in spans.items():
        if slot_block == block and min(slots) < at <= max(slots):
            raise EntryFault(
                f"channel {at} lies inside {cell}.",
                do="Choose a place before or behind it, or change the cell itself.",
            )


def _closed(
    profile: r.Profile, name: str, geometry: str, block: int, slots: Sequence[int]
) -> r.Profile:
    """The room of `slots` given back."""
    mode = _mode(profile, name)
    cell, starts, cell_block = _cell_of(profile, mode, geometry)
    points = [start + slot - 1 for start in starts for slot in slots] if cell else list(slots)
    return _shifted(
        profile,
        name,
        cell_block if cell else block,
        lambda x: x - sum(p < x for p in points),
        cell,
        lambda x: x - sum(p < x for p in slots),
    )


# ---------------------------------------------------------------- edits


def insert(
    profile: r.Profile, name: str, at: int, channel: Channel, beside: int | None = None
) -> r.Profile:
    """A new channel before slot `at`; `beside` is the index of a channel whose geometry and block
    it shares.
    """
    mode = _mode(profile, name)
    neighbour = _channel(mode, beside) if beside is not None else None
    geometry = (
        neighbour.geometry if neighbour else _usual_geometry(profile, mode, channel.attribute)
    )
    block = neighbour.block if neighbour else 1
    if at < 1 or at > UNIVERSE:
        raise EntryFault(f"a channel cannot stand on {at}.", do=f"Choose 1 to {UNIVERSE}.")
    profile = _opened(profile, name, geometry, max(1, block), at, channel.size)
    mode = _mode(profile, name)
    if neighbour is not None and beside is not None:
        geometry = mode.channels[beside].geometry
    made = channel_of(channel, tuple(range(at, at + channel.size)), geometry, block)
    place = next(
        (
            i
            for i, c in enumerate(mode.channels)
            if c.geometry == geometry and c.offsets and c.offsets[0] > at
        ),
        len(mode.channels),
    )
    return _with_mode(
        profile,
        mode,
        replace(mode, channels=(*mode.channels[:place], made, *mode.channels[place:])),
    )


def _usual_geometry(profile: r.Profile, mode: r.Mode, attribute: str) -> str:
    """Where a new channel belongs: with its like, else where the dimmer is, else at the root."""
    family = attribute.split("_")[0]
    for wanted in (lambda a: a.split("_")[0] == family, lambda a: a == "Dimmer"):
        found = next((c.geometry for c in mode.channels if wanted(_attribute(c)) and c.block), None)
        if found:
            return found
    return mode.geometry


def remove(profile: r.Profile, name: str, index: int) -> r.Profile:
    """Take a channel out; what stands behind it moves up."""
    mode = _mode(profile, name)
    channel = _channel(mode, index)
    left = _with_mode(
        profile, mode, replace(mode, channels=(*mode.channels[:index], *mode.channels[index + 1 :]))
    )
    return _closed(left, name, channel.geometry, max(1, channel.block), channel.offsets)


def move(profile: r.Profile, name: str, index: int, to: int) -> r.Profile:
    """A channel so that it begins at slot `to`, the others closing up and making room."""
    channel = _channel(_mode(profile, name), index)
    if to < 1 or to > UNIVERSE:
        raise EntryFault(f"a channel cannot stand on {to}.", do=f"Choose 1 to {UNIVERSE}.")
    profile = _opened(
        remove(profile, name, index),
        name,
        channel.geometry,
        max(1, channel.block),
        to,
        len(channel.offsets),
    )
    mode = _mode(profile, name)
    placed = replace(channel, offsets=tuple(range(to, to + len(channel.offsets))))
    channels = sorted((*mode.channels, placed), key=lambda c: (c.block or 1, c.offsets[:1] or (0,)))
    return _with_mode(profile, mode, replace(mode, channels=tuple(channels)))


def _scaled(
    channel: r.DmxChannel, change: Callable[[int], int], last: Callable[[int], int]
) -> r.DmxChannel:
    """Every value of a channel through `change`; ends of ranges through `last`."""
    logical = []
    for part in channel.logical:
        functions = [
            replace(
                f,
                dmx_from=change(f.dmx_from),
                dmx_to=last(f.dmx_to),
                default=change(f.default),
                sets=tuple(replace(s, dmx_from=change(s.dmx_from)) for s in f.sets),
            )
            for f in part.functions
        ]
        logical.append(replace(part, functions=tuple(functions)))
    return replace(
        channel,
        logical=tuple(logical),
        highlight=None if channel.highlight is None else last(channel.highlight),
    )


def split_to_fine(profile: r.Profile, name: str, index: int) -> r.Profile:
    """A further byte behind the last one of a channel; its values keep their meaning."""
    channel = _channel(_mode(profile, name), index)
    if not 1 <= len(channel.offsets) <= 3:
        raise EntryFault(
            f"{plain(_attribute(channel))} cannot be made finer.", do="A channel has 1 to 4 bytes."
        )
    at = channel.offsets[-1] + 1
    profile = _opened(profile, name, channel.geometry, max(1, channel.block), at, 1)
    mode = _mode(profile, name)
    old = mode.channels[index]
    made = replace(
        _scaled(old, lambda v: v << 8, lambda v: (v << 8) | 255), offsets=(*old.offsets, at)
    )
    return _with_channel(profile, mode, index, made)


def join_to_coarse(profile: r.Profile, name: str, index: int) -> r.Profile:
    """The finest byte of a channel removed."""
    mode = _mode(profile, name)
    channel = _channel(mode, index)
    if len(channel.offsets) < 2:
        raise EntryFault(f"{plain(_attribute(channel))} has one byte only.")
    made = replace(
        _scaled(channel, lambda v: v >> 8, lambda v: v >> 8), offsets=channel.offsets[:-1]
    )
    return _closed(
        _with_channel(profile, mode, index, made),
        name,
        channel.geometry,
        max(1, channel.block),
        channel.offsets[-1:],
    )


def as_wanted(channel: r.DmxChannel) -> Channel:
    """A channel in the terms it can be made again from."""
    functions = [f for part in channel.logical for f in part.functions]
    size = channel.resolution
    bands = bands_of(functions, 256**size - 1)
    whole = len(bands) == 1 and len(functions) == 1 and not functions[0].sets
    first = channel.first
    return Channel(
        _attribute(channel),
        size,
        () if whole else bands,
        first.default if first else 0,
        functions[0].physical_from if functions else None,
        functions[0].physical_to if functions else None,
        functions[0].name if whole else "",
        not channel.logical or channel.logical[0].master != "None",
        channel.highlight,
    )


def _remade(profile: r.Profile, name: str, index: int, wanted: Channel) -> r.Profile:
    mode = _mode(profile, name)
    old = _channel(mode, index)
    return _with_channel(
        profile, mode, index, channel_of(wanted, old.offsets, old.geometry, old.block)
    )


def set_bands(profile: r.Profile, name: str, index: int, bands: Sequence[Band]) -> r.Profile:
    """Other ranges for a channel, in its own resolution. Raises EntryFault for one that runs
    backwards or too far.
    """
    wanted = as_wanted(_channel(_mode(profile, name), index))
    for band in bands:
        if band.end < band.start or band.start < 0 or band.end > wanted.top:
            raise EntryFault(
                f"“{band.name}” from {band.start} to {band.end} is not a range.",
                do=f"Choose from 0 to {wanted.top}, the smaller first.",
            )
    return _remade(profile, name, index, put(wanted, bands=tuple(bands)))


def set_attribute(profile: r.Profile, name: str, index: int, attribute: str) -> r.Profile:
    """Another meaning for a channel; its ranges take it over where they had the old one."""
    wanted = as_wanted(_channel(_mode(profile, name), index))
    bands = tuple(
        put(band, attribute=attribute if band.attribute == wanted.attribute else band.attribute)
        for band in wanted.bands
    )
    return _remade(
        profile,
        name,
        index,
        put(wanted, attribute=attribute, bands=bands, low=None, high=None, name=""),
    )


def set_merge(profile: r.Profile, name: str, index: int, merge: str) -> r.Profile:
    """Whether the highest or the latest value of a channel counts: HTP or LTP. Raises EntryFault
    for anything else.

    GDTF says it by the logical channel's Master: what follows the grand master is HTP.
    """
    if merge.upper() not in ("HTP", "LTP"):
        raise EntryFault(f"“{merge[:20]}” is not a way to merge.", do="Write HTP or LTP.")
    mode = _mode(profile, name)
    channel = mode.channels[index]
    if not channel.logical:
        raise EntryFault("That channel has no attribute.", do="Give it one first.")
    first = replace(channel.logical[0], master="Grand" if merge.upper() == "HTP" else "None")
    return _with_channel(
        profile, mode, index, replace(channel, logical=(first, *channel.logical[1:]))
    )


def set_default(profile: r.Profile, name: str, index: int, value: int) -> r.Profile:
    """Where a channel stands when nothing is asked of it."""
    mode = _mode(profile, name)
    channel = _channel(mode, index)
    _within(channel, value)
    functions = [f for part in channel.logical for f in part.functions]
    holder = next(
        (f for f in functions if f.dmx_from <= value <= f.dmx_to),
        functions[0] if functions else None,
    )
    logical = tuple(
        replace(
            part,
            functions=tuple(
                replace(f, default=value) if f is holder else f for f in part.functions
            ),
        )
        for part in channel.logical
    )
    return _with_channel(
        profile,
        mode,
        index,
        replace(channel, logical=logical, initial=holder.name if holder else channel.initial),
    )


def set_home(profile: r.Profile, name: str, index: int, value: int | None) -> r.Profile:
    """The value at which the channel shows its unit when it is called (the standard's Highlight);
    None for none.
    """
    mode = _mode(profile, name)
    channel = _channel(mode, index)
    if value is not None:
        _within(channel, value)
    return _with_channel(profile, mode, index, replace(channel, highlight=value))


def _within(channel: r.DmxChannel, value: int) -> None:
    if not 0 <= value <= 256**channel.resolution - 1:
        raise EntryFault(
            f"{value} is not a value of {plain(_attribute(channel))}.",
            do=f"Choose 0 to {256**channel.resolution - 1}.",
        )


def set_limits(
    profile: r.Profile, name: str, index: int, attribute: str, low: int, high: int
) -> r.Profile:
    """The values between which one attribute of a channel works, as the dimmer of a dimmer with
    strobe; its neighbours give way.
    """
    channel = _channel(_mode(profile, name), index)
    _within(channel, low)
    _within(channel, high)
    wanted = as_wanted(channel)
    bands = list(wanted.bands) or [
        Band(0, wanted.top, plain(wanted.attribute).capitalize(), wanted.attribute)
    ]
    own = [band for band in bands if (band.attribute or wanted.attribute) == attribute]
    if not own or high < low:
        raise EntryFault(
            f"{plain(attribute)} has no range from {low} to {high} on this channel.",
            do="Choose one of the attributes in its ranges.",
        )
    first = min(own, key=lambda band: band.start)
    made = [put(first, start=low, end=high)]
    for band in bands:
        if band not in own:
            if band.start < low <= band.end:
                band = put(band, end=low - 1)
            elif low <= band.start <= high:
                band = put(band, start=high + 1)
            if band.start <= band.end:
                made.append(band)
    return _remade(
        profile, name, index, put(wanted, bands=tuple(sorted(made, key=lambda band: band.start)))
    )


def set_wheel(profile: r.Profile, wheel: str, slots: Sequence[r.WheelSlot]) -> r.Profile:
    """Other slots for a wheel."""
    if all(have.name != wheel for have in profile.wheels):
        raise EntryFault(f"there is no wheel “{wheel}”.", where=profile.title)
    return replace(
        profile,
        wheels=tuple(
            replace(have, slots=tuple(slots)) if have.name == wheel else have
            for have in profile.wheels
        ),
    )
