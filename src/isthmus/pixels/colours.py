"""What the channels of a cell are to do for the colours of a picture, by a table for each type."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property, lru_cache
from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from isthmus.looks.mixing import emitter_levels
from isthmus.profiles.colour import LUMINANCE, RGB_TO_XYZ
from isthmus.profiles.light import LightProgram

Array = NDArray[np.float64]
Floats = NDArray[np.float32]
FLAT = 1e-6  # of a level: nodes that lie so near a plane are on it
STEPS = 32  # of the triangle of all mixtures of red, green and blue, each way
LIGHT = LUMINANCE.astype(np.float32)


class CellTable(Protocol):
    """Levels (k, n), 0…1, of the k channels `names` says, for linear sRGB (3, n)."""

    @property
    def names(self) -> tuple[str, ...]: ...

    def levels(self, rgb: NDArray) -> Floats: ...


@dataclass(frozen=True)
class FilterTable:
    """A white light with filters before it: cyan, magenta and yellow take red, green and blue
    away, and the dimmer does the rest.
    """

    names: tuple[str, ...]

    def levels(self, rgb: NDArray) -> Floats:
        light = np.clip(rgb, 0, 1).astype(np.float32)
        peak = light.max(axis=0)
        passed = light / np.maximum(peak, np.float32(1e-9))
        passed[:, peak <= 0] = 1  # dark is dark by the dimmer: filters rest
        of = {f"ColorSub_{letter}": 1 - passed[i] for i, letter in enumerate("CMY")}
        return np.stack([of.get(name, peak) for name in self.names])


@dataclass(frozen=True)
class WhiteTable:
    """A light without colours: as bright as the picture is there."""

    names: tuple[str, ...]

    def levels(self, rgb: NDArray) -> Floats:
        light = np.clip(LIGHT @ np.asarray(rgb, np.float32), 0, 1)
        return np.repeat(light[None], len(self.names), axis=0)


@dataclass(frozen=True, eq=False)
class ColourTable:
    """Levels (k, m) of k emitters for the mixtures of a triangle, where red, green and blue add up
    to 1; white at full is the brightest white there is.

    The light of levels is linear in them, and what is wished linear in the picture: so between
    three nodes the light is met exactly, where the emitters can make all three.
    """

    names: tuple[str, ...]
    nodes: Floats

    @cached_property
    def matrix(self) -> Floats | None:
        """(k, 3) from a picture to levels, where all nodes are on one plane: three emitters that
        hold every colour of a picture. None for others.
        """
        at = [(r, g, STEPS - r - g) for r in range(STEPS + 1) for g in range(STEPS + 1 - r)]
        rgb = np.array(at) / STEPS
        found = np.linalg.lstsq(rgb, self.nodes.T.astype(np.float64), rcond=None)[0]
        flat = np.abs(rgb @ found - self.nodes.T).max() < FLAT
        return found.T.astype(np.float32) if flat else None

    def levels(self, rgb: NDArray) -> Floats:
        """What is brighter than the emitters can be is as bright as they can, in its own hue."""
        rgb = np.asarray(rgb, np.float32)
        made = self._between(rgb) if self.matrix is None else self.matrix @ rgb
        np.maximum(made, 0, out=made)
        peak = made.max(axis=0, initial=0.0)
        if peak.max(initial=0.0) > 1:
            made /= np.maximum(peak, 1)
        return made

    def _between(self, rgb: Floats) -> Floats:
        """From the three nodes around each mixture."""
        red, green, blue = rgb
        total = red + green + blue
        scale = np.float32(STEPS) / np.maximum(total, np.float32(1e-9))
        u, v = red * scale, green * scale
        i = np.minimum(u.astype(np.int32), STEPS - 1)
        j = np.minimum(v.astype(np.int32), STEPS - 1 - i)
        u -= i
        v -= j
        over = (u + v > 1) & (i + j < STEPS - 1)
        low = _node(i, j)
        # of a square of four nodes: the three of the half it lies in
        right, up = low + (STEPS + 1 - i), low + 1
        near = np.where(over, right + 1, low)
        weight = np.where(over, u + v - 1, 1 - u - v) * total
        across, along = (np.where(over, 1 - v, u) * total, np.where(over, 1 - u, v) * total)
        made = np.empty((len(self.nodes), len(total)), np.float32)
        for node, out in zip(self.nodes, made, strict=True):
            np.multiply(node.take(near), weight, out=out)
            out += node.take(right) * across
            out += node.take(up) * along
        return made


def _node(red: NDArray, green: NDArray) -> NDArray:
    """The row of a node: green runs within red."""
    return red * (STEPS + 1) - red * (red - 1) // 2 + green


@lru_cache(256)
def table_of(program: LightProgram, cell: int) -> CellTable | None:
    """The table of a cell (0: the unit); None for one that gives no light of its own."""
    held = {c.attribute for c in program.chart.channels if c.cell == cell}
    emitters = program.emitters(cell)
    if emitters:
        light = np.array([rgb for _, rgb in emitters]).tobytes()
        return _mixed(tuple(name for name, _ in emitters), light)
    filters = [f"ColorSub_{letter}" for letter in "CMY"]
    if held.issuperset(filters):
        return FilterTable((*filters, *(["Dimmer"] if "Dimmer" in held else [])))
    return WhiteTable(("Dimmer",)) if "Dimmer" in held else None


@lru_cache(64)
def _mixed(names: tuple[str, ...], emitters: bytes) -> ColourTable:
    return ColourTable(names, _nodes(emitters))


def _nodes(emitters: bytes) -> Floats:
    """Of types with the same emitters it is worked out once."""
    light = np.frombuffer(emitters).reshape(-1, 3) @ RGB_TO_XYZ.T
    white = emitter_levels(light, *_place(np.ones(3))) @ light[:, 1]
    rows = []
    for red in range(STEPS + 1):
        for green in range(STEPS + 1 - red):
            rgb = np.array([red, green, STEPS - red - green]) / STEPS
            levels = emitter_levels(light, *_place(rgb))
            rows.append(levels * (LUMINANCE @ rgb) * white / max(levels @ light[:, 1], 1e-12))
    return np.ascontiguousarray(np.array(rows, np.float32).T)


def _place(rgb: Array) -> tuple[float, float]:
    xyz = RGB_TO_XYZ @ rgb
    return float(xyz[0] / xyz.sum()), float(xyz[1] / xyz.sum())
