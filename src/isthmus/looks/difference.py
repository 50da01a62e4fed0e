"""How far two colours are apart for an eye: CIE L*a*b* and the colour difference CIEDE2000.

Formulas: CIE 15:2004 (L*a*b*), CIE 142-2001 with the corrections of Sharma, Wu and Dalal (2005).
The white is that of a 6500 K source.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import ArrayLike, NDArray

from isthmus.profiles.colour import RGB_TO_XYZ, xyz_of

Array = NDArray[np.float64]
WHITE: Array = RGB_TO_XYZ @ np.ones(3)
MIDDLE = 0.5  # the luminance, of white, at which chromaticities are compared
_LOW = (6 / 29) ** 3


def lab_of(xyz: ArrayLike) -> Array:
    """L*, a*, b* (…, 3) of XYZ (…, 3), white having Y = 1."""
    share = np.asarray(xyz, np.float64) / WHITE
    bent = np.where(share > _LOW, np.cbrt(share), share * (29 / 6) ** 2 / 3 + 4 / 29)
    x, y, z = np.moveaxis(bent, -1, 0)
    return np.stack([116 * y - 16, 500 * (x - y), 200 * (y - z)], axis=-1)


def delta_e(one: ArrayLike, other: ArrayLike) -> Array:
    """CIEDE2000 between L*a*b* colours (…, 3)."""
    l1, a1, b1 = np.moveaxis(np.asarray(one, np.float64), -1, 0)
    l2, a2, b2 = np.moveaxis(np.asarray(other, np.float64), -1, 0)
    middle_c = (np.hypot(a1, b1) + np.hypot(a2, b2)) / 2
    stretch = 1 + 0.5 * (1 - np.sqrt(middle_c**7 / (middle_c**7 + 25.0**7)))
    a1, a2 = a1 * stretch, a2 * stretch
    c1, c2 = np.hypot(a1, b1), np.hypot(a2, b2)
    h1, h2 = np.arctan2(b1, a1), np.arctan2(b2, a2)
    grey = c1 * c2 == 0
    turn = np.where(grey, 0.0, (h2 - h1 + np.pi) % (2 * np.pi) - np.pi)
    dl, dc = l2 - l1, c2 - c1
    dh = 2 * np.sqrt(c1 * c2) * np.sin(turn / 2)
    middle_l, middle_c = (l1 + l2) / 2, (c1 + c2) / 2
    hue = np.degrees(np.where(grey, h1 + h2, h1 + turn / 2))

    def wave(times: float, shift: float) -> Array:
        return np.cos(np.radians(times * hue + shift))

    tone = 1 - 0.17 * wave(1, -30) + 0.24 * wave(2, 0) + 0.32 * wave(3, 6) - 0.20 * wave(4, -63)
    sl = 1 + 0.015 * (middle_l - 50) ** 2 / np.sqrt(20 + (middle_l - 50) ** 2)
    sc, sh = 1 + 0.045 * middle_c, 1 + 0.015 * middle_c * tone
    blue = np.radians(30 * np.exp(-((((hue % 360) - 275) / 25) ** 2)))
    mixed = -np.sin(2 * blue) * 2 * np.sqrt(middle_c**7 / (middle_c**7 + 25.0**7))
    light, chroma, shade = dl / sl, dc / sc, dh / sh
    return np.sqrt(light**2 + chroma**2 + shade**2 + mixed * chroma * shade)


def apart(xyz: ArrayLike, x: float, y: float) -> Array:
    """How far lights XYZ (…, 3) are from a chromaticity in colour alone: CIEDE2000 with both at the
    same luminance; of no light at all, infinite.
    """
    light = np.asarray(xyz, np.float64)
    bright = light[..., 1:2]
    same = light * MIDDLE / np.maximum(bright, 1e-12)
    found = delta_e(lab_of(same), lab_of(xyz_of(x, y, MIDDLE)))
    return np.where(bright[..., 0] > 1e-9, found, np.inf)
