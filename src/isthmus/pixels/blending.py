"""Layers laid over each other in linear light (W3C Compositing and Blending Level 1).

All colours are (4, n): red, green and blue times how much of them there is, and how much, 0…1.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from isthmus.profiles.colour import LUMINANCE

Array = NDArray[np.floating]  # float32 throughout
Blend = Callable[[Array, Array], Array]

BLENDS: dict[str, Blend | None] = {  # of what is below and what is above, both (3, n) and whole
    "over": None,
    "add": lambda below, above: np.minimum(below + above, 1),
    "lighten": np.maximum,
    "multiply": np.multiply,
    "subtract": lambda below, above: np.maximum(below - above, 0),
    "mask": None,  # only so much of what is below stays as this is bright
}
LIGHT = LUMINANCE.astype(np.float32)


def lay(below: Array, above: Array, blend: str = "over") -> Array:
    """What a layer makes of the layers below it."""
    if blend == "mask":
        return below * (LIGHT @ above[:3])
    there, here = below[3], above[3]
    function = BLENDS[blend]
    if function is None:
        return above + below * (1 - here)
    made = np.empty_like(below)
    mixed = function(_whole(below), _whole(above))
    made[:3] = above[:3] * (1 - there) + below[:3] * (1 - here) + mixed * (there * here)
    made[3] = here + there * (1 - here)
    return made


def _whole(colours: Array) -> Array:
    """The colour itself, however much of it there is."""
    return colours[:3] / np.maximum(colours[3], np.float32(1e-6))
