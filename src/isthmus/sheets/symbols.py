"""Our own symbols for units, by kind: strokes in a box of −0.5 … 0.5, light towards −y. Drawn to
the size of the body.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

from isthmus.profiles import chart
from isthmus.profiles.light import LightProgram
from isthmus.profiles.records import Mode, Profile

Point = tuple[float, float]


@dataclass(frozen=True)
class Stroke:
    """A line through points; a closed one is filled with the unit's ground or light."""

    points: tuple[Point, ...]
    closed: bool = False


NAMES = {
    "spot head": "moving head, spot",
    "wash head": "moving head, wash",
    "beam head": "moving head, narrow beam",
    "profile": "profile or spot lantern",
    "fresnel": "fresnel",
    "flood": "wash or flood",
    "strip": "strip of cells",
    "panel": "panel of cells",
    "effect": "without light",
    "unknown": "profile unknown",
}


def _ring(radius: float, x: float = 0.0, y: float = 0.0, steps: int = 20) -> Stroke:
    turns = [2 * math.pi * i / steps for i in range(steps)]
    return Stroke(tuple((x + radius * math.cos(a), y + radius * math.sin(a)) for a in turns), True)


def _box(x0: float, y0: float, x1: float, y1: float) -> Stroke:
    return Stroke(((x0, y0), (x1, y0), (x1, y1), (x0, y1)), True)


_FORK = (
    Stroke(((-0.5, -0.28), (-0.5, 0.28))),
    Stroke(((0.5, -0.28), (0.5, 0.28))),
    Stroke(((-0.5, 0), (-0.38, 0))),
    Stroke(((0.38, 0), (0.5, 0))),
)
_LANTERN = Stroke(((-0.28, 0.5), (0.28, 0.5), (0.4, -0.5), (-0.4, -0.5)), True)
SHAPES: dict[str, tuple[Stroke, ...]] = {
    "spot head": (_ring(0.38), *_FORK, _ring(0.14)),
    "wash head": (_ring(0.38), *_FORK, _ring(0.29)),
    "beam head": (
        _ring(0.38),
        *_FORK,
        Stroke(((-0.24, 0), (0.24, 0))),
        Stroke(((0, -0.24), (0, 0.24))),
    ),
    "profile": (_LANTERN, Stroke(((-0.34, 0.0), (0.34, 0.0)))),
    "fresnel": (_LANTERN, Stroke(((-0.38, -0.36), (-0.13, -0.22), (0.13, -0.36), (0.38, -0.22)))),
    "flood": (_LANTERN,),
    "strip": (
        _box(-0.5, -0.5, 0.5, 0.5),
        *(Stroke(((x, -0.5), (x, 0.5))) for x in (-0.25, 0.0, 0.25)),
    ),
    "panel": (_box(-0.5, -0.5, 0.5, 0.5), _ring(0.18, -0.22, 0.0, 12), _ring(0.18, 0.22, 0.0, 12)),
    "effect": (
        _box(-0.5, -0.5, 0.5, 0.5),
        Stroke(((-0.35, 0.1), (-0.18, -0.1), (0.0, 0.1), (0.18, -0.1), (0.35, 0.1))),
    ),
    "unknown": (_box(-0.5, -0.5, 0.5, 0.5), Stroke(((-0.5, -0.5), (0.5, 0.5)))),
}


def kind_of(found: tuple[Profile, Mode] | None, program: LightProgram | None = None) -> str:
    """What a unit is drawn as, by what its mode can do."""
    if found is None:
        return "unknown"
    profile, mode = found
    attributes = {c.logical[0].attribute for c in mode.channels if c.logical}
    beams = program.assembly.beams if program else ()
    if "Pan" in attributes or "Tilt" in attributes:
        if beams and beams[0].beam.field_angle < 7 and "Zoom" not in attributes:
            return "beam head"
        return "spot head" if "Gobo1" in attributes else "wash head"
    if program is not None and not beams:
        return "effect"
    cells = chart(profile, mode).cells
    if cells > 2 or len(beams) > 2:
        return "strip"
    if cells == 2 or len(beams) == 2:
        return "panel"
    kind = beams[0].beam.kind if beams else "Wash"
    return {"Spot": "profile", "Rectangle": "profile", "Fresnel": "fresnel", "PC": "fresnel"}.get(
        kind, "flood"
    )
