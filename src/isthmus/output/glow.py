"""How units of a rig glow on a plan: what light each gives, without where it stands."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

import numpy as np

from isthmus.profiles.light import LightProgram, LightState
from isthmus.show.records import Show, Unit
from isthmus.stage.rig import gel_of

Glow = dict[str, tuple[float, tuple[float, float, float]]]
LEAST = 0.002  # of full: less is not seen


def glow_of(
    show: Show, groups: Iterable[tuple[LightProgram, Sequence[Unit]]], states: Iterable[LightState]
) -> Glow:
    """Unit → (intensity 0…1, linear sRGB of its brightest beam with the gel) of all that give
    light.
    """
    found: Glow = {}
    for (program, units), state in zip(groups, states, strict=True):
        level = state.intensity()
        for index in np.flatnonzero(level > LEAST):
            unit = units[int(index)]
            rgb = state.rgb[index].max(axis=0) * gel_of(show, unit, program)
            r, g, b = (float(v) for v in rgb / max(float(rgb.max()), 1e-9))
            found[unit.id] = min(1.0, float(level[index])), (r, g, b)
    return found
