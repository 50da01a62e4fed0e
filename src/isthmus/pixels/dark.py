"""Why cells stay dark though a picture is shown on them, and what lights them."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass

import numpy as np

from isthmus.output import Live, RigView
from isthmus.output.live import Asked
from isthmus.pixels.painting import Canvas
from isthmus.plural import many
from isthmus.show.records import PixelGrid


@dataclass(frozen=True)
class Dark:
    """Units (ids) that give no light whatever their cells are asked for, why, and what to ask for
    so that they do.
    """

    why: str  # "master", "shutter" or "" where nothing helps
    units: tuple[str, ...]
    asks: Mapping[tuple[str, int, str], float]

    def in_words(self) -> str:
        count = many(len(self.units), "unit")
        if self.why == "master":
            return f"{count} dark: the master is at zero."
        if self.why == "shutter":
            return f"{count} dark: the shutter is closed."
        return f"{count} dark: no light comes out, whatever is asked."


def dark_units(rig: RigView, live: Live, grid: PixelGrid, canvas: Canvas) -> list[Dark]:
    """What keeps units of a grid dark with the levels of now. `live` stays as it is."""
    units = [u for u in dict.fromkeys(c.unit for c in grid.cells) if live.program(u) is not None]
    white = np.ones((4, len(grid.cells)), np.float32)

    def lit(asked: Asked) -> set[str]:
        """Which of them light with a white picture, and these levels besides."""
        levels = live.levels.copy()
        for key, level in asked.items():
            levels[live.compiled.places.get(key)] = level
        canvas.paint(levels, white)
        frame = live.compiled.frame()
        live.rendering.write(live.rendering.shaped(levels), frame)
        found: set[str] = set()
        for group, state in zip(rig.rig.groups, rig.states(frame), strict=True):
            bright = state.rgb.reshape(len(group.units), -1).max(axis=1, initial=0.0) > 1e-4
            found |= {unit.id for unit, on in zip(group.units, bright, strict=True) if on}
        return found

    left = [u for u in units if u not in lit({})]
    found: list[Dark] = []
    for why, asks in (("master", _masters(live, left)), ("shutter", _open(live, left))):
        now = lit(asks) if left else set()
        helped = tuple(u for u in left if u in now)
        if helped:
            mine = {key: level for key, level in asks.items() if key[0] in helped}
            found.append(Dark(why, helped, mine))
        left = [u for u in left if u not in now]
    if left:
        found.append(Dark("", tuple(left), {}))
    return found


def _masters(live: Live, units: Iterable[str]) -> Asked:
    """Every dimmer full."""
    found: Asked = {}
    for unit in units:
        program = live.program(unit)
        for item in program.chart.channels if program else ():
            if item.attribute == "Dimmer":
                found[unit, item.cell, "Dimmer"] = 1.0
    return found


def _open(live: Live, units: Iterable[str]) -> Asked:
    """Lit and open, as for a test; colours are left to the picture."""
    wanted = live.wish_light(dict.fromkeys(units))
    return {key: level for key, level in wanted.items() if not key[2].startswith("Color")}
