"""Colour for profiles: chromaticities to linear sRGB and back to the levels of a unit's own colour
channels.

Working space is linear sRGB (IEC 61966-2-1 matrices) in which a 6500 K source is (1, 1, 1);
luminance is relative.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]

XYZ_TO_RGB: Array = np.array(
    [
        [3.2404542, -1.5371385, -0.4985314],
        [-0.9692660, 1.8760108, 0.0415560],
        [0.0556434, -0.2040259, 1.0572252],
    ]
)
RGB_TO_XYZ: Array = np.linalg.inv(XYZ_TO_RGB).astype(np.float64)
LUMINANCE: Array = RGB_TO_XYZ[1]  # of linear sRGB (ITU-R BT.709)

# Chromaticities taken for emitters whose profile gives none: typical dies, named as GDTF names
# attributes.
TYPICAL_EMITTERS: dict[str, tuple[float, float, float]] = {
    "R": (0.690, 0.309, 20.0),
    "G": (0.180, 0.720, 55.0),
    "B": (0.140, 0.050, 8.0),
    "W": (0.320, 0.335, 70.0),
    "WW": (0.440, 0.405, 60.0),
    "CW": (0.310, 0.325, 70.0),
    "A": (0.570, 0.425, 35.0),
    "RY": (0.570, 0.425, 35.0),
    "GY": (0.405, 0.550, 60.0),
    "GC": (0.110, 0.500, 40.0),
    "C": (0.080, 0.340, 30.0),
    "BM": (0.190, 0.070, 10.0),
    "M": (0.320, 0.150, 20.0),
    "UV": (0.170, 0.010, 1.0),
}


def xyz_of(x: float, y: float, luminance: float = 1.0) -> Array:
    """XYZ of a chromaticity with the given luminance; black when y is not positive."""
    if y <= 1e-6:
        return np.zeros(3)
    return np.array([x / y, 1.0, (1.0 - x - y) / y]) * luminance


def rgb_of(x: float, y: float, luminance: float = 1.0) -> Array:
    """Linear sRGB of a chromaticity; colours outside the gamut are clipped at zero and keep their
    luminance.
    """
    rgb = np.maximum(XYZ_TO_RGB @ xyz_of(x, y, luminance), 0.0)
    seen = float(LUMINANCE @ rgb)
    return rgb * (luminance / seen) if seen > 1e-9 else rgb


def chromaticity(rgb: Array) -> tuple[float, float] | None:
    """CIE 1931 x and y of linear sRGB (3,); None of darkness."""
    xyz = RGB_TO_XYZ @ rgb
    total = float(xyz.sum())
    return (float(xyz[0] / total), float(xyz[1] / total)) if total > 1e-9 else None


def planck_xy(kelvin: float) -> tuple[float, float]:
    """Chromaticity of a black body, 1667–25000 K (cubic fit of Kim et al., US patent 7024034,
    2006).
    """
    t = min(max(kelvin, 1667.0), 25000.0)
    if t < 4000:
        x = -0.2661239e9 / t**3 - 0.2343589e6 / t**2 + 0.8776956e3 / t + 0.179910
    else:
        x = -3.0258469e9 / t**3 + 2.1070379e6 / t**2 + 0.2226347e3 / t + 0.240390
    if t < 2222:
        y = -1.1063814 * x**3 - 1.34811020 * x**2 + 2.18555832 * x - 0.20219683
    elif t < 4000:
        y = -0.9549476 * x**3 - 1.37418593 * x**2 + 2.09137015 * x - 0.16748867
    else:
        y = 3.0817580 * x**3 - 5.87338670 * x**2 + 3.75112997 * x - 0.37001483
    return x, y


def white_rgb(kelvin: float) -> Array:
    """Linear sRGB of a black body at luminance 1."""
    return rgb_of(*planck_xy(kelvin))


def mix_additive(emitters: Array, wanted: Array) -> Array:
    """Emitter levels 0…1 for the brightest light of a wanted colour.

    emitters: (k, 3) linear sRGB of each emitter at full, unclipped; wanted: (3,) linear sRGB.
    Solves emittersᵀ·levels = wanted in the least-squares sense with levels ≥ 0, then raises all of
    them together until one is full. Zeros when nothing is wanted.
    """
    from scipy.optimize import (
        nnls,
    )  # half of the start-up time when imported with the module; see `warm`

    if not len(emitters) or not wanted.max(initial=0.0) > 0:
        return np.zeros(len(emitters))
    # a little weight on small levels, so that of equal solutions the one that shares the load is
    # taken
    ridge = 1e-3 * np.eye(len(emitters)) * np.abs(emitters).max()
    levels, _ = nnls(
        np.vstack([emitters.T, ridge]),
        np.concatenate([wanted / wanted.max() * np.abs(emitters).max(), np.zeros(len(emitters))]),
    )
    return levels / levels.max() if levels.max() > 0 else levels


def warm() -> None:
    """Import what colour mixing needs, so that the first colour does not wait for it; for a thread
    after the start.
    """
    mix_additive(np.eye(3), np.ones(3))


def encode_srgb(linear: Array) -> Array:
    """Linear sRGB to the 0…1 code values a screen shows (IEC 61966-2-1)."""
    clipped = np.clip(linear, 0.0, 1.0)
    return np.where(clipped <= 0.0031308, 12.92 * clipped, 1.055 * clipped ** (1 / 2.4) - 0.055)


def code_of(linear: Sequence[float]) -> str:
    """Linear sRGB as a screen's code: `#rrggbb`."""
    red, green, blue = (round(255 * x) for x in encode_srgb(np.array(linear, float)).tolist())
    return f"#{red:02x}{green:02x}{blue:02x}"


def decode_srgb(code: Array) -> Array:
    """The reverse of `encode_srgb`."""
    return np.where(code <= 0.04045, code / 12.92, ((code + 0.055) / 1.055) ** 2.4)
