"""Illuminance by figures: what falls on a point, in lux. Vectorised over points and beams.

A beam's intensity falls with the angle θ from its axis as I₀·exp(−ln2·(tanθ/t)ᵖ): half of it is
left at the beam angle, a tenth at the field angle, which fixes t and p; the lumens of the profile
fix I₀ (∫ I dΩ = Φ, dΩ = 2π sinθ dθ). From the lens on, E = I·cosα/d² (inverse square and cosine
law). Surfaces that look away from a beam get nothing, nor what lies behind a structure (`Shade`).
"""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import ArrayLike, NDArray

from isthmus.profiles.colour import LUMINANCE
from isthmus.stage.landing import Surface
from isthmus.stage.rig import FLUX_UNIT, Beams
from isthmus.stage.shade import Shade

Array = NDArray[np.float64]
FALL = math.log(10) / math.log(2)
HARDEST = 400.0
NEAREST = (
    0.3  # metres; nearer to a lens than this the law of distance does not hold, and is not followed
)
_NODES, _WEIGHTS = np.polynomial.legendre.leggauss(96)
_LIFT = 1e-3  # metres over a surface
_CHUNK = 1_500_000  # beams times points worked on at once


def shape_of(half_beam: Array, half_field: Array) -> tuple[Array, Array]:
    """(t, p) of the intensity, for tangents of half the beam and half the field angle."""
    ratio = np.maximum(half_field / np.maximum(half_beam, 1e-6), 1.0 + 1e-6)
    p = np.clip(np.log(FALL) / np.log(ratio), 0.8, HARDEST)
    return half_field / FALL ** (1.0 / p), p


def axial_intensity(flux: Array, t: Array, p: Array) -> Array:
    """Candela on the axis of beams of so many lumens."""
    edge = np.arctan(t * (30.0 / math.log(2)) ** (1.0 / p))  # beyond it less than e⁻³⁰ is left
    edge = np.minimum(edge, math.radians(89.9))
    theta = edge[:, None] * (0.5 + 0.5 * _NODES)
    fall = np.exp(-math.log(2) * (np.tan(theta) / t[:, None]) ** p[:, None])
    whole = 2 * math.pi * (fall * np.sin(theta) * _WEIGHTS).sum(axis=1) * edge / 2
    return flux / np.maximum(whole, 1e-9)


def lumens(beams: Beams) -> Array:
    """What each beam gives now."""
    return np.maximum(beams.rgb @ LUMINANCE, 0.0) * FLUX_UNIT


def illuminance(
    beams: Beams,
    points: ArrayLike,
    normals: ArrayLike = (0.0, 0.0, 1.0),
    behind: Shade | None = None,
) -> Array:
    """Lux at points (n, 3) on surfaces with these normals ((3,) or (n, 3)), from all beams
    together: (n,). `behind` is what stands in the way.
    """
    return contributions(beams, points, normals, behind, together=True)[:, 0]


def contributions(
    beams: Beams,
    points: ArrayLike,
    normals: ArrayLike = (0.0, 0.0, 1.0),
    behind: Shade | None = None,
    together: bool = False,
) -> Array:
    """Lux at each point from each beam, (n, k); (n, 1) when taken together."""
    p = np.asarray(points, np.float64).reshape(-1, 3)
    normal = np.broadcast_to(np.asarray(normals, np.float64), p.shape)
    flux = lumens(beams)
    lit = flux > 1e-3
    out = np.zeros((len(p), 1 if together else len(flux)))
    if not lit.any() or not len(p):
        return out
    t, power = shape_of(beams.half[lit], beams.tan[lit])
    candela = axial_intensity(flux[lit], t, power)
    limit = beams.tan[lit] * 3.0  # far outside the field nothing is left to count
    step = max(1, _CHUNK // int(lit.sum()))
    for first in range(0, len(p), step):
        part = slice(first, first + step)
        value = _lux(p[part], normal[part], beams, lit, t, power, candela, limit)
        if behind is not None and not behind.empty:
            _shaded(value, behind, p[part], beams.origin[lit])
        if together:
            out[part, 0] = value.sum(axis=1)
        else:
            out[part, lit] = value
    return out


def _lux(
    p: Array,
    normal: Array,
    beams: Beams,
    lit: NDArray[np.bool_],
    t: Array,
    power: Array,
    candela: Array,
    limit: Array,
) -> Array:
    origin, axis = beams.origin[lit], beams.direction[lit]
    # |p − o|² and the component along the axis, as matrix products: no (n, k, 3) array
    along = p @ axis.T - (origin * axis).sum(axis=1)
    square = np.maximum(
        (p * p).sum(axis=1)[:, None] - 2 * (p @ origin.T) + (origin * origin).sum(axis=1),
        NEAREST**2,
    )
    facing = normal @ origin.T - (normal * p).sum(axis=1)[:, None]  # d·cosα
    seen = np.flatnonzero(
        (along > 1e-6) & (facing > 0) & (square < along * along * (1 + limit * limit))
    )
    value = np.zeros(along.shape)
    which = seen % along.shape[1]
    a, s = along.ravel()[seen], square.ravel()[seen]
    tangent = np.sqrt(np.maximum(s - a * a, 0.0)) / a
    fall = np.exp(-math.log(2) * (tangent / t[which]) ** power[which])
    fall *= _through(beams, lit, which, seen // along.shape[1], p, tangent, a)
    value.ravel()[seen] = candela[which] * fall * facing.ravel()[seen] / (s * np.sqrt(s))
    return value


def _shaded(value: Array, behind: Shade, points: Array, origins: Array) -> None:
    """Remove, in place, what does not arrive: (points, beams) in lux."""
    point, beam = np.nonzero(value > 1e-9)
    stopped = behind.stops(points[point], origins[beam])
    value[point[stopped], beam[stopped]] = 0.0


def _through(
    beams: Beams,
    lit: NDArray[np.bool_],
    which: NDArray,
    point: NDArray,
    p: Array,
    tangent: Array,
    along: Array,
) -> Array:
    """What iris and framing let through: 1 or 0 for each (point, beam) pair."""
    passed = np.ones(len(which))
    iris = beams.iris[lit]
    if (iris < 0.999).any():
        passed *= tangent <= iris[which] * beams.tan[lit][which]
    blades = beams.blades[lit]
    cut = np.flatnonzero(
        np.isfinite(blades[which, :, 0]).any(axis=1) & (blades[which, :, 0] < 1).any(axis=1)
    )
    if len(cut):
        w = which[cut]
        right, axis = beams.right[lit][w], beams.direction[lit][w]
        up = np.cross(right, axis)
        to = p[point[cut]] - beams.origin[lit][w]
        scale = along[cut] * beams.tan[lit][w]
        u, v = (to * right).sum(axis=1) / scale, (to * up).sum(axis=1) / scale
        for blade in range(blades.shape[1]):
            edge, angle = blades[w, blade, 0], np.nan_to_num(blades[w, blade, 1], posinf=0.0)
            passed[cut] *= u * np.cos(angle) + v * np.sin(angle) <= edge
    return passed


def over(
    beams: Beams, surface: Surface, across: int = 100, along: int = 100, behind: Shade | None = None
) -> Array:
    """Lux on a surface, (along, across): rows from its front or lower edge, columns from
    its left.
    """
    u, v = np.meshgrid(np.linspace(-1, 1, across), np.linspace(-1, 1, along))
    points = (
        surface.centre
        + u.reshape(-1, 1) * surface.along
        + v.reshape(-1, 1) * surface.across
        + _LIFT * surface.normal
    )
    return illuminance(beams, points, surface.normal, behind).reshape(along, across)
