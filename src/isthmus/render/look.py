"""How a picture is lit."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Look:
    """Haze 0…1 and its unevenness, room light, strength of beams; the beam buffer's coarseness; seconds of drift."""

    haze: float = 1.0
    uneven: float = 1.0
    room: float = 1.0
    strength: float = 1.0
    scale: int = 2
    time: float = 0.0
