"""What a fault inside a unit makes of the slots it gets, and of what is seen of it."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from isthmus.check.sights import Sights
from isthmus.profiles.chart import ChartChannel
from isthmus.profiles.light import LightProgram

DEAD, LAMP, HELD = "dead", "lamp", "held"
SWAPPED, PAN, TILT = "swapped", "pan", "tilt"
PAN_INVERTED, TILT_INVERTED = "pan inverted", "tilt inverted"
EMITTER, CELL, WHEEL, BEAM = "emitter ", "cell ", "wheel", "beam"  # with what follows them
HELD_TO = 0.3  # of its light: any figure that is plainly too little
_AXES = {SWAPPED, PAN, TILT, PAN_INVERTED, TILT_INVERTED}
_SHAPES = ("Zoom", "Iris", "Gobo1", "Shutter1")
Bytes = NDArray[np.uint8]


def broken_slots(program: LightProgram, fault: str, slots: Bytes) -> Bytes:
    """(k, width): two axes exchanged, one reversed, one that stays; an emitter that does not light;
    a wheel or a beam that stays.
    """
    if fault in _AXES:
        return _axes(program, fault, slots)
    still: list[ChartChannel] = []
    if fault.startswith(EMITTER):
        name = fault.removeprefix(EMITTER)
        still = [c for c in program.chart.channels if c.attribute == name]
    elif fault == WHEEL:
        still = [c for c in program.chart.channels if c.attribute.startswith("Color")]
        still = [c for c in still if not c.attribute.startswith(("ColorAdd", "ColorSub"))]
    elif fault == BEAM:
        still = [c for c in program.chart.channels if c.attribute in _SHAPES]
    if not still:
        return slots
    out = slots.copy()
    for item in still:
        for column, byte in _at_rest(program, item, dark=fault.startswith(EMITTER)):
            out[:, column] = byte
    return out


def _at_rest(program: LightProgram, item: ChartChannel, dark: bool) -> Iterator[tuple[int, int]]:
    """The columns of a channel and the bytes of its default, or of 0."""
    columns = list(program.columns_of(item))
    value = 0 if dark else round(item.default_level * item.top)
    for i, column in enumerate(columns):
        yield column, (value >> (8 * (len(columns) - 1 - i))) & 255


def _axes(program: LightProgram, fault: str, slots: Bytes) -> Bytes:
    columns = {
        c.attribute: program.columns_of(c)
        for c in program.chart.channels
        if c.attribute in ("Pan", "Tilt")
    }
    out = slots.copy()
    if fault == SWAPPED:
        for a, b in zip(columns.get("Pan", ()), columns.get("Tilt", ()), strict=False):
            out[:, a], out[:, b] = slots[:, b], slots[:, a]
        return out
    for at in columns.get("Pan" if fault.startswith(PAN) else "Tilt", ()):
        out[:, at] = 255 - slots[:, at] if "inverted" in fault else 0
    return out


def broken_sights(fault: str, sights: Sights, nothing_comes: bool) -> Sights:
    """What is left to see: no light, no movement, some of the light, a cell or all after it out."""
    if fault in (DEAD, LAMP) or nothing_comes:
        dark = np.zeros_like(sights.cells)
        if fault == LAMP and not nothing_comes:
            return replace(sights, cells=dark)
        still = np.zeros_like(sights.pan), np.zeros_like(sights.tilt)
        return replace(sights, cells=dark, pan=still[0], tilt=still[1])
    if fault == HELD:
        return replace(sights, cells=sights.cells * HELD_TO)
    if fault.startswith(CELL):
        first, after = which_cell(fault)
        cells = sights.cells.copy()
        cells[:, first - 1 + after : None if after else first] = 0.0
        return replace(sights, cells=cells)
    return sights


def which_cell(fault: str) -> tuple[int, bool]:
    """The cell of a fault, from 1, and whether it is all after it."""
    *_, figure = fault.split()
    return int(figure), " after " in fault
