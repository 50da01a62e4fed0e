"""How one picture is lit."""

from __future__ import annotations

from dataclasses import dataclass

from isthmus.stage.drawing import Drawing


@dataclass(frozen=True)
class Look:
    """What is set, and what of it is other in this moment: the beam buffer's coarseness (pixels
    that share one of it), the room light; seconds of drift; the box outside which there is no haze
    (low and high corner).
    """

    drawing: Drawing
    scale: int
    room: float
    time: float = 0.0
    space: tuple[tuple[float, float, float], tuple[float, float, float]] | None = None


def look_of(drawing: Drawing) -> Look:
    """A drawing setting as the picture takes it."""
    return Look(drawing, drawing.coarse, drawing.room)
