"""A colour made with what a mode has: emitters, subtractive mixing, a wheel, or nothing at all."""

from __future__ import annotations

import itertools
from collections.abc import Mapping
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from isthmus.looks.beams import names_of
from isthmus.looks.difference import apart
from isthmus.profiles.colour import RGB_TO_XYZ, XYZ_TO_RGB, xyz_of
from isthmus.profiles.light import LightProgram

Array = NDArray[np.float64]
Levels = Mapping[tuple[int, str], float]  # (cell, attribute) → 0…1
_INSIDE = 1e-7  # of light that may be left over where a colour is met
_CORNERS = 10  # emitters up to which all corners are looked at
_ENDS = [np.array(list(itertools.product((0.0, 1.0), repeat=n))) for n in range(_CORNERS + 1)]
_STEPS, _ROUNDS = 25, 4  # shares of a light that are tried, and how often finer


@dataclass(frozen=True)
class Mixed:
    """What to ask for a colour, the light that gives (XYZ, of its brightest), and how far that is
    from what is wished (CIEDE2000 at equal luminance).
    """

    levels: Levels
    xyz: tuple[float, float, float]
    apart: float

    @property
    def makes(self) -> bool:
        """Whether the mode can do anything about its colour."""
        return bool(self.levels)


def emitter_levels(emitters: Array, x: float, y: float) -> Array:
    """Levels (k,) of emitters with these XYZ at full (k, 3): the brightest light of a chromaticity,
    or where it cannot be met, the light nearest to it for an eye.
    """
    if not len(emitters):
        return np.zeros(0)
    want = xyz_of(x, y)
    # X and Z in the wished proportion to Y: two equations, no light left over
    even = np.stack([emitters[:, i] - want[i] * emitters[:, 1] for i in (0, 2)])
    found = (_brightest if len(emitters) <= _CORNERS else _programmed)(even, emitters[:, 1])
    if found is not None and emitters[:, 1] @ found > _INSIDE * emitters[:, 1].sum():
        return found
    return _nearest(emitters, x, y)


def _brightest(even: Array, light: Array) -> Array | None:
    """The levels of most light (k,) among those that `even` (2, k) takes to nothing.

    A linear programme with two equations has its best in a corner: all levels are 0 or 1 but two,
    so all corners are looked at. (A solver takes thirty times as long, and half a second to load.)
    """
    count, scale = len(light), float(max(np.abs(even).max(), light.max()))
    best, found = -1.0, None
    for size in (2, 1, 0):
        for free in itertools.combinations(range(count), size):
            rest = [i for i in range(count) if i not in free]
            ends = _ENDS[len(rest)]
            left = -ends @ even[:, rest].T
            inner = _solved(even[:, list(free)], left, scale)
            if inner is None:
                continue
            off = np.abs(inner @ even[:, list(free)].T - left).max(axis=1)
            fits = (off < _INSIDE * scale) & (np.abs(inner - 0.5) <= 0.5 + 1e-9).all(axis=1)
            total = np.where(fits, ends @ light[rest] + inner @ light[list(free)], -1.0)
            at = int(np.argmax(total))
            if total[at] > best:
                best, found = float(total[at]), np.zeros(count)
                found[rest], found[list(free)] = ends[at], np.clip(inner[at], 0, 1)
    return found


def _solved(free: Array, left: Array, scale: float) -> Array | None:
    """Levels (m, f) of f ≤ 2 emitters that come nearest to what is left (m, 2); None where they are
    not told apart.
    """
    if free.shape[1] == 0:
        return np.zeros((len(left), 0))
    square = free.T @ free
    if np.linalg.det(square) <= (1e-9 * scale) ** (2 * free.shape[1]):
        return None
    return left @ free @ np.linalg.inv(square)


def _programmed(even: Array, light: Array) -> Array | None:
    """The same by a solver, for more emitters than have corners that can be counted."""
    from scipy.optimize import linprog  # half a second to load

    return linprog(-light, A_eq=even, b_eq=np.zeros(2), bounds=(0, 1), method="highs").x


def _nearest(emitters: Array, x: float, y: float) -> Array:
    """The mixture of three emitters, or fewer, that comes nearest: tried over all of them, and
    finer and finer about the best. (It need not be on the edge of what can be mixed: paler may be
    nearer for an eye than another hue.)
    """
    sizes = np.maximum(emitters.sum(axis=1), 1e-12)
    pure = emitters / sizes[:, None]
    best, weights = np.inf, np.zeros(len(emitters))
    some = range(len(emitters))
    for three in itertools.combinations_with_replacement(some, min(3, len(emitters))):
        if len(set(three)) < min(3, len(emitters)):
            continue
        mix, off = _finer(pure[list(three)], x, y)
        if off < best:
            best, weights = off, np.zeros(len(emitters))
            weights[list(three)] = mix
    levels = weights / sizes
    return levels / max(levels.max(), 1e-12)


def _finer(pure: Array, x: float, y: float) -> tuple[Array, float]:
    """Shares of up to three lights (k, 3) whose mixture is nearest, and how far it is."""
    grid = np.stack(np.meshgrid(*[np.linspace(0, 1, _STEPS)] * (len(pure) - 1)), -1)
    free = grid.reshape(-1, len(pure) - 1)  # all shares but the last
    middle, reach = np.full(len(pure) - 1, 0.5), 1.0
    found, off = np.zeros(len(pure)), np.inf
    for _ in range(_ROUNDS):
        first = np.clip(middle + (free - 0.5) * reach, 0.0, 1.0)
        first = first[first.sum(axis=1) <= 1.0 + 1e-12]
        shares = np.column_stack([first, 1.0 - first.sum(axis=1)])
        away = apart(shares @ pure, x, y)
        at = int(np.argmin(away))
        if away[at] < off:
            off, found = float(away[at]), np.maximum(shares[at], 0.0)
        middle, reach = found[:-1], reach * 4 / _STEPS
    return found, off


@lru_cache(8192)
def mixed(program: LightProgram, x: float, y: float, named: str = "") -> Mixed:
    """A chromaticity, or the slot of a wheel of this name where there is one."""
    levels = _by_name(program, named) if named else {}
    for way in (_emitters, _filters, _nearest_slot):
        levels = levels or way(program, x, y)
    xyz = light_of(program, levels)
    return Mixed(levels, (float(xyz[0]), float(xyz[1]), float(xyz[2])), float(apart(xyz, x, y)))


def light_of(program: LightProgram, levels: Levels) -> Array:
    """XYZ (3,) of the brightest beam with everything else open and full."""
    if not program.assembly.beams:
        return np.zeros(3)
    rgb = program.read(slots_of(program, {**full(program), **levels})).rgb[0]
    return RGB_TO_XYZ @ rgb[int(np.argmax(rgb.sum(axis=1)))]


def full(program: LightProgram) -> dict[tuple[int, str], float]:
    """Defaults with the profile's highlight values, colours aside."""
    return {
        (c.cell, c.attribute): c.channel.highlight / c.top
        for c in program.chart.channels
        if c.channel.highlight is not None
    }


def slots_of(program: LightProgram, levels: Levels) -> NDArray[np.uint8]:
    """One unit's bytes (1, width), what is not named at its default."""
    made = np.zeros((1, program.width), np.uint8)
    for item in program.chart.channels:
        level = levels.get((item.cell, item.attribute), item.default_level)
        value = round(min(1.0, max(0.0, level)) * item.top)
        for place, column in enumerate(reversed(program.columns_of(item))):
            made[0, column] = value >> (8 * place) & 255
    return made


def _by_name(program: LightProgram, name: str) -> Levels:
    wanted = name.casefold()
    for own, (item, level) in names_of(program, "Color").items():
        if own.casefold() == wanted:
            return {(item.cell, item.attribute): level}
    return {}


def _emitters(program: LightProgram, x: float, y: float) -> Levels:
    found: dict[tuple[int, str], float] = {}
    for cell in range(program.chart.cells + 1):
        emitters = program.emitters(cell)
        if emitters:
            light = np.array([rgb for _, rgb in emitters]) @ RGB_TO_XYZ.T
            for (name, _), level in zip(emitters, emitter_levels(light, x, y), strict=True):
                found[cell, name] = float(level)
    return found


def _filters(program: LightProgram, x: float, y: float) -> Levels:
    """Cyan, magenta and yellow take from the lamp's own white what is too much of it."""
    items = [c for c in program.chart.channels if c.attribute in FILTERS]
    if not items:
        return {}
    white = np.maximum(XYZ_TO_RGB @ light_of(program, {}), 1e-9)
    share = np.maximum(XYZ_TO_RGB @ xyz_of(x, y), 0.0) / white
    share = share / max(float(share.max()), 1e-12)
    return {(c.cell, c.attribute): 1.0 - float(share[FILTERS.index(c.attribute)]) for c in items}


FILTERS = ("ColorSub_C", "ColorSub_M", "ColorSub_Y")


def _nearest_slot(program: LightProgram, x: float, y: float) -> Levels:
    found: dict[tuple[int, str], float] = {}
    for item in program.chart.channels:
        if not item.attribute.startswith("Color"):
            continue
        key = item.cell, item.attribute
        values = {
            value / item.top for value, _, _ in program.wheel_slots(item.attribute, item.cell)
        }
        tried = [(float(apart(light_of(program, {key: v}), x, y)), v) for v in sorted(values)]
        if tried:
            found[key] = min(tried)[1]
    return found
