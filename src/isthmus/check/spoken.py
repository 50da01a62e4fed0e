"""Levels as people say them for hand controls: in the unit of the function in force (degrees,
degrees a second, Hz), by the name of a range, in percent, or as a step from where a unit is.
"""

from __future__ import annotations

import re

from isthmus.errors import EntryFault
from isthmus.profiles.attributes import plain, unit_of
from isthmus.profiles.chart import ChartChannel
from isthmus.profiles.natural import (
    physical_at,
    range_in_force,
    ranges,
    read_level,
    value_at,
    write_level,
)
from isthmus.profiles.records import ChannelFunction

SUFFIXES = {"Angle": "°", "AngularSpeed": "°/s", "Frequency": " Hz"}
LEAST_SPAN = 1.5  # a function whose ends are nearer than this does not say its angles
NEAR = 0.05  # past an end by rounding
_FIGURE = re.compile(r"^([+\-−]?)( ?)(\d+(?:[.,]\d+)?) ?(°/s|°|hz|%)?$", re.IGNORECASE)


def say_level(item: ChartChannel, level: float) -> str:
    """`12°`, `−40°/s`, `2 Hz`, the name of the range it is in, or `60 %`."""
    value = round(level * item.top)
    function = _at(item, value)
    suffix = _suffix(function)
    if function is not None and suffix:
        figure = round(physical_at(function, value), 1) + 0.0  # no minus zero
        return f"{figure:.1f}".replace("-", "−").removesuffix(".0") + suffix
    name = range_in_force(item, level)
    return name if name and len(ranges(item)) > 1 else write_level(item, level)


def read_spoken(item: ChartChannel, text: str, now: float) -> float:
    """The level a text means for a channel that stands at `now`. A figure without a unit is in the
    one that is shown; `+5` is a step, and `-5` is one where no figure can be below zero. Raises
    EntryFault.
    """
    words = " ".join(text.split())
    match = _FIGURE.match(words)
    if match is None:
        return read_level(item, words)
    here = _at(item, round(now * item.top))
    sign, figure = match[1], float(match[3].replace(",", "."))
    unit = (match[4] or "").lower() or _suffix(here).strip().lower() or "%"
    signed = figure if sign in ("", "+") else -figure
    step = sign == "+" or (bool(sign) and (unit in ("%", "hz") or bool(match[2])))
    if unit == "%":
        return min(1.0, max(0.0, now + signed / 100)) if step else read_level(item, f"{figure}%")
    if step and here is not None and _suffix(here).strip().lower() == unit:
        return value_at(here, physical_at(here, now * item.top) + signed) / item.top
    return _reached(item, signed, unit, words)


def ends_in_degrees(item: ChartChannel) -> tuple[float, float] | None:
    """The lowest and highest angle of a channel that has one function and says its angles."""
    first = item.channel.first
    if first is None or len(item.functions) != 1 or _suffix(first) != "°":
        return None
    return min(first.physical_from, first.physical_to), max(first.physical_from, first.physical_to)


def _at(item: ChartChannel, value: int) -> ChannelFunction | None:
    """The function at a DMX value."""
    inside = (f for f in item.functions if f.dmx_from <= value <= f.dmx_to)
    return next(inside, item.channel.first)


def _suffix(function: ChannelFunction | None) -> str:
    """What a figure of a function is said in; "" where it is not said in a unit."""
    if function is None:
        return ""
    suffix = SUFFIXES.get(unit_of(function.attribute), "")
    told = abs(function.physical_to - function.physical_from) > LEAST_SPAN
    return suffix if told else ""


def _reached(item: ChartChannel, figure: float, unit: str, words: str) -> float:
    """The level of a figure in the function that has it."""
    some = [f for f in item.functions if _suffix(f).strip().lower() == unit]
    if not some:
        said = next(s.strip() for s in SUFFIXES.values() if s.strip().lower() == unit)
        raise EntryFault(f"{plain(item.attribute).capitalize()} is not said in {said}.")
    for function in some:
        low, high = sorted((function.physical_from, function.physical_to))
        if low - NEAR <= figure <= high + NEAR:
            return value_at(function, figure) / item.top
    ends = [end for f in some for end in (f.physical_from, f.physical_to)]
    suffix = _suffix(some[0])
    raise EntryFault(
        f"“{words}” is out of reach of {plain(item.attribute)}.",
        do=f"It goes from {min(ends):g}{suffix} to {max(ends):g}{suffix}.",
    )
