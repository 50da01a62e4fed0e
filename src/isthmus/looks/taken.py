"""Wishes taken from what units do now: colour as it is seen, position as the point where a beam
lands, beam by angles and names.
"""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np

from isthmus.looks.beams import OPEN, names_of
from isthmus.looks.mixing import light_of
from isthmus.output import Live, RigView
from isthmus.profiles.attributes import plain
from isthmus.profiles.colour import XYZ_TO_RGB, chromaticity
from isthmus.profiles.light import LightProgram
from isthmus.profiles.natural import physical_at, range_in_force, strobe_of
from isthmus.show.records import Vec3, Wish
from isthmus.stage import Drawn
from isthmus.stage.landing import backs, land, surfaces

OF_KIND = {
    "intensity": ("Dimmer", "ColorAdd_"),
    "colour": ("Color",),
    "position": ("Pan", "Tilt"),
    "beam": ("Zoom", "Iris", "Frost", "Focus", "Gobo", "Prism", "Shutter"),
}


def taken(live: Live, ids: Iterable[str], kind: str, touched: bool = False) -> dict[str, Wish]:
    """What units do now, as wishes by unit. `touched`: only of those something of this kind is
    asked of. Units that have nothing of the kind are left out.
    """
    asked = live.snapshot()
    starts = OF_KIND[kind]
    handled = {unit for unit, _, name in asked if name.startswith(starts)}
    wanted = [u for u in dict.fromkeys(ids) if not touched or u in handled]
    if kind == "position":
        return _positions(live, wanted)
    make = {"intensity": _intensity, "colour": _colour, "beam": _beam}[kind]
    found: dict[str, Wish] = {}
    for unit in wanted:
        program = live.program(unit)
        wish = make(live, unit, program) if program is not None else None
        if wish is not None:
            found[unit] = wish
    return found


def _intensity(live: Live, unit: str, program: LightProgram) -> Wish | None:
    channels = program.chart.channels
    own = [c for c in channels if c.attribute == "Dimmer"] or [
        c for c in channels if c.attribute.startswith("ColorAdd_")
    ]
    levels = [live.level(unit, c.attribute, c.cell) or 0.0 for c in own]
    return Wish(intensity=round(max(levels), 4)) if levels else None


def _colour(live: Live, unit: str, program: LightProgram) -> Wish | None:
    items = [c for c in program.chart.channels if c.attribute.startswith("Color")]
    if not items:
        return None
    levels = {(c.cell, c.attribute): live.level(unit, c.attribute, c.cell) or 0.0 for c in items}
    at = chromaticity(XYZ_TO_RGB @ light_of(program, levels))
    if at is None:
        return None
    names = (
        range_in_force(c, levels[c.cell, c.attribute])
        for c in items
        if program.wheel_slots(c.attribute, c.cell)
    )
    name = next((n for n in names if n and n.casefold() != OPEN), "")
    return Wish(colour=(round(at[0], 4), round(at[1], 4)), named=name)


def _positions(live: Live, ids: list[str]) -> dict[str, Wish]:
    """Where the middle beam of each unit lands; its own degrees where it lands on nothing."""
    view = RigView(live.show, live.compiled)
    beams, _ = view.pose(live.frame, Drawn(hide_off=False))
    on = [*surfaces(live.show.structures), *backs(live.show.structures)]
    points, which = land(beams.origin, beams.direction, on)
    place = {unit: index for index, unit in enumerate(view.rig.order)}
    found: dict[str, Wish] = {}
    for unit in ids:
        pan, tilt = live.axis(unit, "Pan"), live.axis(unit, "Tilt")
        if pan is None and tilt is None:
            continue
        rows = np.flatnonzero(beams.unit == place.get(unit, -1))
        row = int(rows[len(rows) // 2]) if len(rows) else -1
        if row >= 0 and which[row] >= 0:
            found[unit] = Wish(point=_rounded(points[row]))
        else:
            found[unit] = Wish(
                pan=None if pan is None else round(pan, 2),
                tilt=None if tilt is None else round(tilt, 2),
            )
    return found


def _rounded(point: np.ndarray) -> Vec3:
    x, y, z = (round(float(v), 3) for v in point)
    return x, y, z


def _beam(live: Live, unit: str, program: LightProgram) -> Wish | None:
    channels = {c.attribute: c for c in reversed(program.chart.channels)}

    def level(name: str) -> float | None:
        item = channels.get(name)
        return None if item is None else live.level(unit, name, item.cell)

    angle, iris, frost, prism = live.axis(unit, "Zoom"), *map(level, ("Iris", "Frost1", "Prism1"))
    rest = channels["Iris"].default_level if "Iris" in channels else 0.0
    strobe = None
    for item in program.chart.channels:
        if strobe_of(item) is not None:
            value = round((live.level(unit, item.attribute, item.cell) or 0.0) * item.top)
            flashing = strobe_of(item, value)
            strobe = round(physical_at(flashing, value), 2) if flashing else strobe or 0.0
    gobo = ""
    if names_of(program, "Gobo"):
        shown = [
            range_in_force(c, live.level(unit, c.attribute, c.cell) or 0.0)
            for c in program.chart.channels
            if c.attribute in ("Gobo1", "Gobo2")
        ]
        gobo = next((name for name in shown if name and name.casefold() != OPEN), OPEN)
    wish = Wish(
        angle=None if angle is None else round(angle, 2),
        iris=None if iris is None else round(1.0 - abs(iris - rest), 4),
        frost=None if frost is None else round(frost, 4),
        edge=None if (edge := level("Focus1")) is None else round(edge, 4),
        gobo=gobo,
        prism="" if prism is None else _prism_name(live, unit, program, prism),
        strobe=strobe,
    )
    return None if wish == Wish() else wish


def _prism_name(live: Live, unit: str, program: LightProgram, level: float) -> str:
    item = next(c for c in program.chart.channels if c.attribute == "Prism1")
    if abs(level - item.default_level) < 1e-3:
        return OPEN
    name = range_in_force(item, level)
    return name if name and name != plain(item.attribute) else "in"
