"""Levels in the units people use: degrees, percent, the names of ranges."""

from __future__ import annotations

import re

from isthmus.errors import EntryFault
from isthmus.profiles.attributes import plain
from isthmus.profiles.chart import Chart, ChartChannel
from isthmus.profiles.records import ChannelFunction

DEGREES = ("Pan", "Tilt", "Zoom", "XYZ_X", "XYZ_Y", "Iris")
_NUMBER = re.compile(
    r"^([+\-−]?\d+(?:[.,]\d+)?)\s*(°|deg|degrees|%|percent|dmx|m|hz)?$", re.IGNORECASE
)


def level_for(item: ChartChannel, physical: float) -> float:
    """The level of a physical value in a channel's initial function, clipped to its ends."""
    first = item.channel.first
    if first is None or first.physical_to == first.physical_from:
        return item.default_level
    return value_at(first, physical) / item.top


def physical_for(item: ChartChannel, level: float) -> float:
    """The reverse of `level_for`."""
    first = item.channel.first
    return level if first is None else physical_at(first, level * item.top)


def physical_at(function: ChannelFunction, value: float) -> float:
    """The physical value of a DMX value within a function, linear between its ends."""
    along = (value - function.dmx_from) / max(1, function.dmx_to - function.dmx_from)
    return function.physical_from + along * (function.physical_to - function.physical_from)


def value_at(function: ChannelFunction, physical: float) -> float:
    """The reverse of `physical_at`, clipped to the ends of the function."""
    span = function.physical_to - function.physical_from
    along = (physical - function.physical_from) / span if span else 0.0
    return function.dmx_from + min(1.0, max(0.0, along)) * (function.dmx_to - function.dmx_from)


STROBES = ("Shutter1Strobe", "Shutter1StrobePulse", "Shutter1StrobeRandom")


def strobe_of(item: ChartChannel, value: int | None = None) -> ChannelFunction | None:
    """The function of a channel that flashes, in Hz: at a DMX value, or any."""
    for function in item.functions:
        inside = value is None or function.dmx_from <= value <= function.dmx_to
        if function.attribute in STROBES and inside:
            return function
    return None


def in_degrees(item: ChartChannel) -> bool:
    """Whether people say this attribute in degrees."""
    first = item.channel.first
    span = abs(first.physical_to - first.physical_from) if first else 0.0
    return item.attribute in ("Pan", "Tilt", "Zoom") and span > 1.5


def runs_down(item: ChartChannel) -> bool:
    """Whether a channel said in degrees goes from plus to minus as its level rises."""
    first = item.channel.first
    return first is not None and in_degrees(item) and first.physical_from > first.physical_to


def in_angle(item: ChartChannel, text: str) -> bool:
    """Whether a typed level is meant in degrees."""
    match = _NUMBER.match(" ".join(text.split()))
    return match is not None and (
        (match[2] or "").lower() in ("°", "deg", "degrees") or (not match[2] and in_degrees(item))
    )


def ranges(item: ChartChannel) -> list[tuple[int, int, str]]:
    """(first, last, name) of every named range of a channel, in DMX values."""
    found = []
    for function in item.functions:
        sets = sorted(function.sets, key=lambda s: s.dmx_from)
        for index, inner in enumerate(sets):
            end = sets[index + 1].dmx_from - 1 if index + 1 < len(sets) else function.dmx_to
            if inner.name.strip():
                found.append((inner.dmx_from, max(inner.dmx_from, end), inner.name.strip()))
        if not any(s.name.strip() for s in sets):
            name = function.name.strip() or plain(function.attribute)
            found.append((function.dmx_from, function.dmx_to, name))
    return sorted(found)


def range_in_force(item: ChartChannel, level: float) -> str:
    """The name of the range a level lies in."""
    value = round(level * item.top)
    return next(
        (name for first, last, name in reversed(ranges(item)) if first <= value <= last), ""
    )


def write_level(item: ChartChannel, level: float) -> str:
    """A level as people say it: degrees where they do, else percent."""
    if in_degrees(item):
        degrees = round(physical_for(item, level), 1) + 0.0  # no minus zero
        return f"{degrees:.1f}°".replace("-", "−").replace(".0°", "°")
    return f"{100 * level:.1f} %".replace(".0 %", " %")


def read_level(item: ChartChannel, text: str, high: bool = False) -> float:
    """`45°`, `-30`, `50%`, `128 dmx`, or the name of a range (its start; with `high` its end).
    Raises EntryFault.
    """
    text = " ".join(text.split())
    if match := _NUMBER.match(text):
        value, unit = float(match[1].replace(",", ".").replace("−", "-")), (match[2] or "").lower()
        if unit in ("°", "deg", "degrees") or (not unit and in_degrees(item)):
            return _read_degrees(item, value, text)
        level = value / item.top if unit == "dmx" else value / 100
        if not 0 <= level <= 1:
            raise EntryFault(
                f"“{text}” is not between 0 and {item.top if unit == 'dmx' else '100 %'}."
            )
        return level
    low = text.lower()
    known = ranges(item)
    named = [r for r in known if r[2].lower() == low] or [
        r for r in known if low and r[2].lower().startswith(low)
    ]
    if not named:
        names = ", ".join(dict.fromkeys(name for _, _, name in known[:6]))
        ways = "percent, degrees" if in_degrees(item) else "percent"
        raise EntryFault(
            f"“{text[:30]}” is not a level of {plain(item.attribute)}.",
            do=f"Write {ways}, or {names}.",
        )
    return (named[0][1] if high else named[0][0]) / item.top


def _read_degrees(item: ChartChannel, value: float, text: str) -> float:
    first = item.channel.first
    low, high = sorted((first.physical_from, first.physical_to)) if first else (0.0, 0.0)
    # room for rounding: what write_level wrote is read again
    if in_degrees(item) and low - 1e-6 <= value <= high + 1e-6:
        return level_for(item, value)
    where = f"It goes from {low:g}° to {high:g}°." if in_degrees(item) else "Write percent."
    raise EntryFault(f"“{text}” is out of reach of {plain(item.attribute)}.", do=where)


def channel_of(chart: Chart, attribute: str, cell: int | None = None) -> ChartChannel | None:
    """The first channel of an attribute, of one cell where that is said."""
    return next(
        (
            c
            for c in chart.channels
            if c.attribute == attribute and (cell is None or c.cell == cell)
        ),
        None,
    )
