"""The colour of light through a filter: CIE 1931 observer, black bodies, transmission curves.

Wavelengths run from 400 to 700 nm in steps of 10 nm. Colour matching functions: CIE 1931 2°
standard observer, as tabulated in CIE 015. Radiators: Planck's law.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from isthmus.profiles.colour import XYZ_TO_RGB

Array = NDArray[np.float64]
NM: Array = np.arange(400, 701, 10, dtype=np.float64)
SAMPLES = len(NM)
TUNGSTEN, DAYLIGHT = 3200.0, 5600.0  # kelvin

_X = (
    0.01431, 0.04351, 0.13438, 0.28390, 0.34828, 0.33620, 0.29080, 0.19536, 0.09564, 0.03201, 0.00490, 0.00930, 0.06327, 0.16550, 0.29040,
    0.43345, 0.59450, 0.76210, 0.91630, 1.02630, 1.06220, 1.00260, 0.85445, 0.64240, 0.44790, 0.28350, 0.16490, 0.08740, 0.04677, 0.02270,
    0.01136,
)  # fmt: skip
_Y = (
    0.00040, 0.00121, 0.00400, 0.01160, 0.02300, 0.03800, 0.06000, 0.09098, 0.13902, 0.20802, 0.32300, 0.50300, 0.71000, 0.86200, 0.95400,
    0.99495, 0.99500, 0.95200, 0.87000, 0.75700, 0.63100, 0.50300, 0.38100, 0.26500, 0.17500, 0.10700, 0.06100, 0.03200, 0.01700, 0.00821,
    0.00410,
)  # fmt: skip
_Z = (
    0.06785, 0.20740, 0.64560, 1.38560, 1.74706, 1.77211, 1.66920, 1.28764, 0.81295, 0.46518, 0.27200, 0.15820, 0.07825, 0.04216, 0.02030,
    0.00875, 0.00390, 0.00210, 0.00165, 0.00110, 0.00080, 0.00034, 0.00019, 0.00005, 0.00002, 0.00000, 0.00000, 0.00000, 0.00000, 0.00000,
    0.00000,
)  # fmt: skip
OBSERVER: Array = np.array([_X, _Y, _Z])


def planck(kelvin: float, nm: Array = NM) -> Array:
    """Spectral radiance of a black body, relative to 560 nm."""
    second = 1.438776877e7  # nm K
    power = nm**-5.0 / np.expm1(second / (nm * kelvin))
    return power / (560.0**-5.0 / np.expm1(second / (560.0 * kelvin)))


def xyz_through(curve: Array, kelvin: float) -> Array:
    """XYZ of a black body through a transmission curve; the open lamp has Y = 1."""
    lamp = planck(kelvin)
    return OBSERVER @ (lamp * curve) / float(OBSERVER[1] @ lamp)


def rgb_through(curve: Array, kelvin: float) -> Array:
    """Linear sRGB of the filter relative to the open lamp, which is (1, 1, 1).

    The lamp's own white is adapted away by scaling in linear sRGB; what lies outside the gamut is
    brought to its edge towards the white of the same luminance.
    """
    seen, open_lamp = (
        XYZ_TO_RGB @ xyz_through(curve, kelvin),
        XYZ_TO_RGB @ xyz_through(np.ones(SAMPLES), kelvin),
    )
    rgb = seen / np.maximum(open_lamp, 1e-6)
    luminance = float(xyz_through(curve, kelvin)[1])
    if rgb.min() < 0:
        share = luminance / (luminance - float(rgb.min()))
        rgb = luminance + (rgb - luminance) * share
    return np.clip(rgb, 0.0, None)


def curve_from_rgb(rgb: Array) -> Array:
    """A smooth transmission curve of about this colour over tungsten, for gels whose book gives no
    curve.
    """
    blue, red = 1 / (1 + np.exp((NM - 490) / 14)), 1 / (1 + np.exp((590 - NM) / 14))
    parts = np.array([red, np.maximum(1 - red - blue, 0), blue])
    return np.clip(np.asarray(rgb, np.float64) @ parts, 0.0, 1.0)
