"""Which DMX values are safe to send to a channel: ranges that put a lamp out, reset or service a
unit are kept from it.
"""

from __future__ import annotations

import re

import numpy as np
from numpy.typing import NDArray

from isthmus.profiles.chart import ChartChannel
from isthmus.profiles.keep import KeptByMode
from isthmus.profiles.light import LightProgram, light_program
from isthmus.profiles.masters import waits_for
from isthmus.profiles.records import ChannelFunction, Mode, Profile

_WORDS = re.compile(
    r"reset|lamp|shut.?down|power|reboot|restart|factory|calibrat|service|stand.?by|sleep|firmware|boot|mainten|ignit|douse|self.?test",
    re.I,
)
_ATTRIBUTES = re.compile(
    r"^(Control\d*|.*Reset|Lamp\w*|.*Calibration\w*|Fans?\w*|.*Global\w*|Function|NoFeature|Dummy)$"
)


Danger = tuple[int, int, str]  # first, last, name; DMX values in the channel's own resolution
_Key = tuple[str, int, tuple[tuple[int, int], ...]]


def dangers(program: LightProgram, item: ChartChannel) -> list[Danger]:
    """The DMX ranges of a channel that no call may touch.

    A channel for control is dangerous but for the range it rests in; any other where the name of a
    range says so. A function that waits for another channel (its mode master) does no harm while
    that one rests elsewhere: the master's range is then the danger.
    """
    found = _DANGERS.get(program.profile, program.mode, _all_dangers)
    return found.get(_key(item), [])


def _key(item: ChartChannel) -> _Key:
    return item.attribute, item.cell, item.slots


def _all_dangers(profile: Profile, mode: Mode) -> dict[_Key, list[Danger]]:
    chart = light_program(profile, mode).chart
    found: dict[_Key, list[Danger]] = {}
    for item in chart.channels:
        for logical in item.channel.logical:
            for function in logical.functions:
                control = bool(_ATTRIBUTES.match(function.attribute or logical.attribute))
                waits = waits_for(chart, function, item.cell)
                for first, last, name in _named_parts(function):
                    words = bool(_WORDS.search(name) or _WORDS.search(function.custom_name))
                    rests = first <= item.default <= last
                    if waits is not None and not waits.at_home:
                        if words or (control and not rests):
                            danger = waits.low, waits.high, name.strip() or "control"
                            found.setdefault(_key(waits.master), []).append(danger)
                    elif not rests and (control or words):
                        danger = first, last, name.strip() or "control"
                        found.setdefault(_key(item), []).append(danger)
    return found


def _named_parts(function: ChannelFunction) -> list[Danger]:
    """The ranges of a function from its start to its end, by their own names or its."""
    sets = sorted(function.sets, key=lambda s: s.dmx_from)
    parts = [
        (
            s.dmx_from,
            sets[i + 1].dmx_from - 1 if i + 1 < len(sets) else function.dmx_to,
            s.name or function.name,
        )
        for i, s in enumerate(sets)
    ]
    if not parts or parts[0][0] > function.dmx_from:
        before = parts[0][0] - 1 if parts else function.dmx_to
        parts.insert(0, (function.dmx_from, before, function.name))
    return parts


def safe_bytes(program: LightProgram, item: ChartChannel) -> NDArray[np.bool_]:
    """(256,) whether the channel may stand at each coarse byte, whatever its finer bytes are."""
    out = np.ones(256, bool)
    scale = 256 ** (item.channel.resolution - 1)
    for first, last, _ in dangers(program, item):
        out[first // scale : last // scale + 1] = False
    out[item.default // scale] = True
    return out


def safe_level(program: LightProgram, item: ChartChannel, level: float) -> float | None:
    """The safe level nearest to a wish; None where the channel is left alone altogether."""
    allowed = np.flatnonzero(safe_bytes(program, item))
    wish = round(level * 255)
    best = int(allowed[np.argmin(np.abs(allowed - wish))])
    if best == wish:
        return level
    scale = 256 ** (item.channel.resolution - 1)
    return None if best == item.default // scale else best * scale / item.top


def guarded(program: LightProgram) -> list[tuple[ChartChannel, list[Danger]]]:
    """The channels of a mode with dangerous ranges."""
    return [
        (item, found)
        for item in program.chart.channels
        if item.slots and (found := dangers(program, item))
    ]


def column_bytes(program: LightProgram) -> NDArray[np.bool_]:
    """(width, 256): the bytes each slot of a mode may take. Fine bytes may take all."""
    return _KEPT.get(program.profile, program.mode, _columns)


def _columns(profile: Profile, mode: Mode) -> NDArray[np.bool_]:
    program = light_program(profile, mode)
    out = np.ones((program.width, 256), bool)
    for item in program.chart.channels:
        if item.slots:
            out[program.columns_of(item)[0]] &= safe_bytes(program, item)
    return out


_DANGERS: KeptByMode[dict[_Key, list[Danger]]] = KeptByMode(256)
_KEPT: KeptByMode[NDArray[np.bool_]] = KeptByMode(256)
