"""How high the ground is: water around a hull, else the floor."""

from __future__ import annotations

from collections.abc import Iterable

from isthmus.show.records import Structure

WATER_LEVEL = -0.9  # metres: a hull's deck is at 0


def ground_level(structures: Iterable[Structure]) -> float:
    """Metres; nothing stands lower."""
    return WATER_LEVEL if any(s.kind == "hull" for s in structures) else 0.0
