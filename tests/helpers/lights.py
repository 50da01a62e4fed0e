"""Beams as figures, without a rig, and looks by single settings."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from isthmus.render import Look, look_of
from isthmus.stage.drawing import Drawing
from isthmus.stage.rig import FLUX_UNIT, Beams


def drawn_as(space: tuple | None = None, **settings: object) -> Look:
    """A look with some settings of its own, with haze in a box alone."""
    return replace(look_of(Drawing(name="of a test", **settings)), space=space)


def beams(*rows: dict) -> Beams:
    """Beams hung at (x, y, z) giving so many lumens of white straight down, unless said otherwise."""
    n = len(rows)
    get = lambda name, otherwise: np.array([r.get(name, otherwise) for r in rows], float)  # noqa: E731
    lumens = get("lumens", 1000.0)
    half = np.tan(np.radians(get("beam", 10.0) / 2))
    field = np.tan(np.radians(get("field", 20.0) / 2))
    blades = np.full((n, 4, 2), np.inf)
    for i, r in enumerate(rows):
        for j, blade in enumerate(r.get("blades", ())):
            blades[i, j] = blade
    return Beams(
        origin=get("at", (0.0, 0.0, 0.0)).reshape(n, 3),
        direction=get("way", (0.0, 0.0, -1.0)).reshape(n, 3),
        right=get("right", (1.0, 0.0, 0.0)).reshape(n, 3),
        rgb=np.repeat(lumens[:, None] / FLUX_UNIT, 3, axis=1),
        tan=field,
        half=half,
        lens=np.full(n, 0.05),
        iris=get("iris", 1.0),
        gobo=np.full(n, -1),
        turn=np.zeros(n),
        blades=blades,
        kind=np.zeros(n, np.int64),
        unit=np.arange(n),
    )
