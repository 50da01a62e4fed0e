"""How one picture is lit."""

from __future__ import annotations

from dataclasses import dataclass

from isthmus.stage.drawing import LIGHT, Drawing


@dataclass(frozen=True)
class Look:
    """One picture. Haze 0…2, its unevenness 0…1, grain (size of its clouds), depth (how far they
    reach into the picture) and drift (speed); room light, strength of beams, exposure of all;
    whether structures shade and bodies are lit, whether bodies are lines; the beam buffer's
    coarseness; seconds of drift; smoothing samples of still things; how light falls off; the box
    outside which there is no haze (low and high corner).
    """

    haze: float = 1.0
    uneven: float = 1.0
    grain: float = 1.0
    depth: float = 1.0
    drift: float = 1.0
    room: float = 1.0
    strength: float = 1.0
    exposure: float = 1.0
    shade: bool = True
    lines: bool = False
    scale: int = 2
    time: float = 0.0
    samples: int = 4
    fall: str = "true"
    space: tuple[tuple[float, float, float], tuple[float, float, float]] | None = None


def look_of(drawing: Drawing) -> Look:
    """A drawing setting as the picture takes it."""
    light = {name: getattr(drawing, name) for name in LIGHT}
    return Look(
        **light,
        scale=drawing.coarse,
        samples=drawing.samples,
        fall=drawing.fall,
        shade=drawing.shade,
        lines=drawing.bodies == "outlines",
    )
