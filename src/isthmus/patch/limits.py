"""Limits of what is sent to a unit, and how what is asked of it is handled: edits, and the list of
all of them.
"""

from __future__ import annotations

import itertools
from collections import Counter
from collections.abc import Collection, Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from msgspec.structs import replace

from isthmus.errors import EntryFault
from isthmus.patch.edits import change_units
from isthmus.patch.index import index_of
from isthmus.profiles import Mode, Profile, ProfileSet, chart, profiles_of
from isthmus.profiles.attributes import plain
from isthmus.profiles.chart import ChartChannel
from isthmus.profiles.natural import (
    channel_of,
    in_angle,
    in_degrees,
    physical_for,
    read_level,
    runs_down,
    write_level,
)
from isthmus.show.records import PLAIN_HANDLING, Handling, Limit, Show, Unit

CURVES = {"linear": "Linear", "square": "Square", "s": "S", "points": "Own points"}
MAX_POINTS = 64


@dataclass(frozen=True)
class Limited:
    """One line of the list: a limit or a handling of one unit, in words."""

    unit: str
    number: int
    attribute: str  # empty for a handling
    words: str


def attributes_of(show: Show, ids: Collection[str]) -> list[str]:
    """Attributes any of these units has, in the order of their charts."""
    index = index_of(show)
    found: dict[str, None] = {}
    units = (index.by_id[unit_id] for unit_id in ids if unit_id in index.by_id)
    for unit in {(u.profile, u.mode): u for u in units}.values():
        mode = index.profiles.mode_of(unit)
        for item in chart(*mode).channels if mode else ():
            if item.attribute and item.slots:
                found.setdefault(item.attribute)
    if "Dimmer" not in found and any(name.startswith("ColorAdd_") for name in found):
        return ["Dimmer", *found]  # a unit without a dimmer has an intensity anyway
    return list(found)


def bound_channel(mode: tuple[Profile, Mode], attribute: str) -> ChartChannel | None:
    """The channel a limit is written for: the attribute's first, or a colour for the intensity of a
    unit without a dimmer.
    """
    channels = chart(*mode)
    item = channel_of(channels, attribute)
    if item is None and attribute == "Dimmer":
        item = next((c for c in channels.channels if c.attribute.startswith("ColorAdd_")), None)
    return item


def attribute_named(show: Show, ids: Collection[str], text: str) -> str:
    """The attribute of these units that people call so: its own name, plain words, or a part of
    them. Raises EntryFault.
    """
    low = " ".join(text.lower().split())
    names = attributes_of(show, ids)
    for match in (
        lambda name: low in (name.lower(), plain(name).lower()),
        lambda name: (
            low in (name.lower().rstrip("0123456789"), plain(name).lower().rstrip(" 0123456789"))
        ),
        lambda name: plain(name).lower().startswith(low),
        lambda name: low in plain(name).lower(),
    ):
        found = [name for name in names if match(name)]
        if found:
            return found[0]
    has = ", ".join(plain(name) for name in names[:12])
    raise EntryFault(
        f"None of these units has “{text[:30]}”.",
        do=f"They have {has}." if has else "Choose units with a profile.",
    )


def set_limit(show: Show, ids: Collection[str], attribute: str, low: str, high: str) -> Show:
    """Limit an attribute between two levels as people write them; an empty text leaves that end
    open.

    Units without the attribute stay as they are. Raises EntryFault when none has it, or the text
    says nothing.
    """
    profiles = profiles_of(show)
    wanted: dict[str, Limit] = {}
    for unit in show.units:
        mode = profiles.mode_of(unit) if unit.id in ids else None
        item = bound_channel(mode, attribute) if mode else None
        if item is not None:
            ends = _ends(item, low, high)
            wanted[unit.id] = Limit(attribute=attribute, low=ends[0], high=ends[1])
    if not wanted:
        raise EntryFault(f"None of these units has {plain(attribute)}.")
    return set_levels(show, wanted)


def _ends(item: ChartChannel, low: str, high: str) -> tuple[float, float]:
    """Typed ends as lowest and highest level. The lowest degrees are the highest level where a
    channel runs from plus to minus.
    """
    lowest, highest = 0.0, 1.0
    for text, is_high in ((low, False), (high, True)):
        if text.strip():
            level = read_level(item, text, high=is_high)
            if is_high != (runs_down(item) and in_angle(item, text)):
                highest = level
            else:
                lowest = level
    return min(lowest, highest), max(lowest, highest)


def from_now(
    show: Show,
    levels: Mapping[str, Sequence[float]],
    attribute: str,
    high: bool,
    together: bool = False,
) -> Show:
    """What is sent now becomes the highest, or the lowest, of each unit; with `together` one limit
    for all of them.

    `levels` are those that are sent, by unit id, one for each cell. Highest and lowest are meant in
    the attribute's own degrees where it has them.
    """
    index = index_of(show)
    up: dict[str, bool] = {}
    whole: dict[str, Sequence[float]] = {}
    for unit_id in levels:
        mode = index.profiles.mode_of(index.by_id[unit_id])
        item = bound_channel(mode, attribute) if mode else None
        up[unit_id] = high != (item is not None and runs_down(item))
        top = item.top if item else 255
        whole[unit_id] = [
            round(level * top) / top for level in levels[unit_id]
        ]  # just what goes out, so that nothing moves
    if together and levels:
        highs = [level for unit, of in whole.items() if up[unit] for level in of]
        low = [level for unit, of in whole.items() if not up[unit] for level in of]
        whole = {unit: [max(highs)] if up[unit] else [min(low)] for unit in whole}
    wanted: dict[str, Limit] = {}
    for unit_id, of in whole.items():
        old = next(
            (kept for kept in index.by_id[unit_id].limits if kept.attribute == attribute),
            Limit(attribute=attribute),
        )
        ends = (
            (min(old.low, max(of)), max(of)) if up[unit_id] else (min(of), max(old.high, min(of)))
        )
        wanted[unit_id] = Limit(attribute=attribute, low=ends[0], high=ends[1])
    return set_levels(show, wanted)


def set_levels(show: Show, limits: dict[str, Limit]) -> Show:
    """Limits by unit id, as levels; one that leaves everything open is removed."""

    def change(unit: Unit) -> Unit:
        limit = limits[unit.id]
        others = tuple(kept for kept in unit.limits if kept.attribute != limit.attribute)
        made = others if limit.low <= 0 and limit.high >= 1 else (*others, limit)
        return replace(unit, limits=made) if made != unit.limits else unit

    return change_units(show, limits, change)


def take_off(show: Show, ids: Collection[str], attribute: str = "") -> Show:
    """Take limits off: of one attribute, or all of them."""

    def change(unit: Unit) -> Unit:
        left = tuple(kept for kept in unit.limits if attribute and kept.attribute != attribute)
        return replace(unit, limits=left) if left != unit.limits else unit

    return change_units(show, ids, change)


def set_handling(show: Show, ids: Collection[str], **changes: Any) -> Show:
    """Change members of `Handling`. Raises EntryFault for a curve or an offset that cannot be."""
    if "curve" in changes and changes["curve"] not in CURVES:
        raise EntryFault(f"“{changes['curve']}” is not a curve.", do=f"Use {', '.join(CURVES)}.")
    for name in ("pan_offset", "tilt_offset"):
        if name in changes and not abs(changes[name]) <= 360:
            raise EntryFault("An offset lies between −360° and 360°.")
    if "points" in changes:
        points = changes["points"]
        rising = all(a[0] < b[0] for a, b in itertools.pairwise(points))
        if (
            not 2 <= len(points) <= MAX_POINTS
            or not rising
            or not all(0 <= v <= 1 for p in points for v in p)
        ):
            raise EntryFault(
                "Points of a curve rise from 0 to 1, two at the least.",
                do="Write 0 0, 50 20, 100 100.",
            )

    def change(unit: Unit) -> Unit:
        made = replace(unit.handling, **changes)
        return replace(unit, handling=made) if made != unit.handling else unit

    return change_units(show, ids, change)


def read_points(text: str) -> tuple[tuple[float, float], ...]:
    """`0 0, 50 20, 100 100` in percent, asked and sent. Raises EntryFault."""
    found = []
    for part in filter(str.strip, text.replace(";", ",").split(",")):
        try:
            asked, sent = (
                float(value.strip("% ")) / 100 for value in part.replace(":", " ").split()
            )
        except ValueError:
            raise EntryFault(
                f"“{part.strip()[:20]}” is not a point.",
                do="Write what is asked and what is sent: 50 20.",
            ) from None
        found.append((asked, sent))
    return tuple(found)


def handling_words(handling: Handling) -> str:
    """What differs from plain, in words."""
    words = [
        *(["pan inverted"] if handling.invert_pan else []),
        *(["tilt inverted"] if handling.invert_tilt else []),
        *(["pan and tilt swapped"] if handling.swap else []),
        *([f"pan {handling.pan_offset:+g}°"] if handling.pan_offset else []),
        *([f"tilt {handling.tilt_offset:+g}°"] if handling.tilt_offset else []),
        *(
            [f"dimmer curve {CURVES.get(handling.curve, handling.curve).lower()}"]
            if handling.curve != "linear"
            else []
        ),
    ]
    return ", ".join(words).replace("-", "−")


def limit_words(limit: Limit, mode: tuple[Profile, Mode] | None) -> str:
    """`tilt from −90° to 45°`."""
    item = bound_channel(mode, limit.attribute) if mode else None
    ends = (limit.high, limit.low) if item and runs_down(item) else (limit.low, limit.high)
    low, high = (write_level(item, end) if item else f"{100 * end:g} %" for end in ends)
    return f"{plain(limit.attribute)} from {low} to {high}"


def bounds_of(show: Show, unit_id: str) -> dict[str, tuple[float, float]]:
    """Of one unit by attribute: lowest and highest that goes out, in degrees where it has them,
    else as levels.
    """
    unit = index_of(show).by_id.get(unit_id)
    mode = index_of(show).profiles.mode_of(unit) if unit and unit.limits else None
    found = {}
    for limit in unit.limits if unit and mode else ():
        item = bound_channel(mode, limit.attribute) if mode else None
        if item is not None:
            ends = [
                physical_for(item, end) if in_degrees(item) else end
                for end in (limit.low, limit.high)
            ]
            found[limit.attribute] = min(ends), max(ends)
    return found


def limits_of_many(show: Show, units: Collection[Unit]) -> list[str]:
    """Every limited attribute of some units, with its bounds, and how many units it binds where it
    does not bind all.
    """
    counted: Counter[str] = Counter()
    profiles = index_of(show).profiles
    for unit in (u for u in units if u.limits):
        counted.update(limit_words(limit, profiles.mode_of(unit)) for limit in unit.limits)
    return [
        words if count == len(units) else f"{words} ({count} of {len(units)})"
        for words, count in sorted(counted.items())
    ]


def limits_in_words(unit: Unit, profiles: ProfileSet) -> str:
    """Everything that comes between what is asked of a unit and what is sent to it."""
    if not unit.limits and unit.handling == PLAIN_HANDLING:
        return ""
    mode = profiles.mode_of(unit)
    handling = [handling_words(unit.handling)] if unit.handling != PLAIN_HANDLING else []
    return "; ".join([*(limit_words(limit, mode) for limit in unit.limits), *handling])


def listed(show: Show) -> list[Limited]:
    """Every limit and handling there is, by number."""
    profiles = profiles_of(show)
    found = []
    for unit in sorted(
        (u for u in show.units if u.limits or u.handling != PLAIN_HANDLING), key=lambda u: u.number
    ):
        mode = profiles.mode_of(unit)
        found.extend(
            Limited(unit.id, unit.number, limit.attribute, limit_words(limit, mode))
            for limit in unit.limits
        )
        if unit.handling != PLAIN_HANDLING:
            found.append(Limited(unit.id, unit.number, "", handling_words(unit.handling)))
    return found


def take_off_line(show: Show, line: Limited) -> Show:
    """Take one line of the list off."""
    if line.attribute:
        return take_off(show, [line.unit], line.attribute)
    return change_units(show, [line.unit], lambda unit: replace(unit, handling=PLAIN_HANDLING))


def excluding_home(unit: Unit, mode: tuple[Profile, Mode] | None) -> Iterator[tuple[Limit, str]]:
    """Limits that leave out the level the attribute rests at, in words."""
    for limit in unit.limits:
        item = channel_of(chart(*mode), limit.attribute) if mode else None
        step = 0.5 / item.top if item else 0.0
        if item is not None and not limit.low - step <= item.default_level <= limit.high + step:
            yield limit, limit_words(limit, mode)
