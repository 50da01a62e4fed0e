"""Limits of what is sent to a unit, and how what is asked of it is handled: edits, and the list of all of them."""

from __future__ import annotations

import itertools
from collections.abc import Collection, Iterator
from dataclasses import dataclass
from typing import Any

from msgspec.structs import replace

from isthmus.errors import EntryFault
from isthmus.patch.edits import change_units
from isthmus.patch.index import index_of
from isthmus.profiles import Mode, Profile, ProfileSet, chart, profiles_of
from isthmus.profiles.attributes import plain
from isthmus.profiles.natural import channel_of, read_level, write_level
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
    for unit_id in ids:
        mode = index.profiles.mode_of(index.by_id[unit_id]) if unit_id in index.by_id else None
        for item in chart(*mode).channels if mode else ():
            if item.attribute and item.slots:
                found.setdefault(item.attribute)
    return list(found)


def set_limit(show: Show, ids: Collection[str], attribute: str, low: str, high: str) -> Show:
    """Limit an attribute between two levels as people write them; an empty text leaves that end open.

    Units without the attribute stay as they are. Raises EntryFault when none has it, or the text says nothing.
    """
    profiles = profiles_of(show)
    wanted: dict[str, Limit] = {}
    for unit in show.units:
        mode = profiles.mode_of(unit) if unit.id in ids else None
        item = channel_of(chart(*mode), attribute) if mode else None
        if item is not None:
            ends = (read_level(item, low) if low.strip() else 0.0, read_level(item, high, high=True) if high.strip() else 1.0)
            wanted[unit.id] = Limit(attribute=attribute, low=min(ends), high=max(ends))
    if not wanted:
        raise EntryFault(f"None of these units has {plain(attribute)}.")
    return set_levels(show, wanted)


def set_levels(show: Show, limits: dict[str, Limit]) -> Show:
    """Limits by unit id, as levels; one that leaves everything open is taken off."""

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
        raise EntryFault(f"“{changes['curve']}” is no curve.", do=f"Use {', '.join(CURVES)}.")
    for name in ("pan_offset", "tilt_offset"):
        if name in changes and not abs(changes[name]) <= 360:
            raise EntryFault("An offset lies between −360° and 360°.")
    if "points" in changes:
        points = changes["points"]
        rising = all(a[0] < b[0] for a, b in itertools.pairwise(points))
        if not 2 <= len(points) <= MAX_POINTS or not rising or not all(0 <= v <= 1 for p in points for v in p):
            raise EntryFault("Points of a curve rise from 0 to 1, two at the least.", do="Write 0 0, 50 20, 100 100.")

    def change(unit: Unit) -> Unit:
        made = replace(unit.handling, **changes)
        return replace(unit, handling=made) if made != unit.handling else unit

    return change_units(show, ids, change)


def read_points(text: str) -> tuple[tuple[float, float], ...]:
    """`0 0, 50 20, 100 100` in percent, asked and sent. Raises EntryFault."""
    found = []
    for part in filter(str.strip, text.replace(";", ",").split(",")):
        try:
            asked, sent = (float(value.strip("% ")) / 100 for value in part.replace(":", " ").split())
        except ValueError:
            raise EntryFault(f"“{part.strip()[:20]}” is no point.", do="Write what is asked and what is sent: 50 20.") from None
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
        *([f"dimmer curve {CURVES.get(handling.curve, handling.curve).lower()}"] if handling.curve != "linear" else []),
    ]
    return ", ".join(words).replace("-", "−")


def limit_words(limit: Limit, mode: tuple[Profile, Mode] | None) -> str:
    """`tilt from −90° to 45°`."""
    item = channel_of(chart(*mode), limit.attribute) if mode else None
    low = write_level(item, limit.low) if item else f"{100 * limit.low:g} %"
    high = write_level(item, limit.high) if item else f"{100 * limit.high:g} %"
    return f"{plain(limit.attribute)} from {low} to {high}"


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
    for unit in sorted((u for u in show.units if u.limits or u.handling != PLAIN_HANDLING), key=lambda u: u.number):
        mode = profiles.mode_of(unit)
        found.extend(Limited(unit.id, unit.number, limit.attribute, limit_words(limit, mode)) for limit in unit.limits)
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
