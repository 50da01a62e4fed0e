"""What the emitters of a cell are to do for the colours of a picture, by a table for each type."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from isthmus.looks.mixing import emitter_levels
from isthmus.profiles.colour import RGB_TO_XYZ
from isthmus.profiles.light import LightProgram

Array = NDArray[np.float64]
STEPS = 32  # of the triangle of all mixtures of red, green and blue, each way


@dataclass(frozen=True, eq=False)
class ColourTable:
    """Levels (m, k) of k emitters for the mixtures of a triangle, where red, green and blue add up
    to 1; white at full is the brightest white there is.

    The light of levels is linear in them, and what is wished linear in the picture: so between
    three nodes the light is met exactly, where the emitters can make all three.
    """

    names: tuple[str, ...]
    nodes: Array

    def levels(self, rgb: Array) -> Array:
        """Levels (n, k), 0…1, for linear sRGB (n, 3), 0…1. What is brighter than the emitters can
        be is as bright as they can, in its own hue.
        """
        total = rgb.sum(axis=1)
        share = rgb[:, :2] / np.maximum(total, 1e-12)[:, None] * STEPS
        low = np.minimum(share.astype(np.int64), STEPS - 1)
        low[:, 1] = np.minimum(low[:, 1], STEPS - 1 - low[:, 0])
        i, j = low.T
        u, v = (share - low).T
        over = (u + v > 1) & (i + j < STEPS - 1)
        near = np.where(over, _node(i + 1, j + 1), _node(i, j))
        weight = np.where(over, u + v - 1, 1 - u - v)
        across, up = np.where(over, 1 - v, u), np.where(over, 1 - u, v)
        made = (
            self.nodes[near] * weight[:, None]
            + self.nodes[_node(i + 1, j)] * across[:, None]
            + self.nodes[_node(i, j + 1)] * up[:, None]
        ) * total[:, None]
        made = np.maximum(made, 0.0)
        return made / np.maximum(made.max(axis=1, initial=0.0), 1.0)[:, None]


def _node(red: NDArray[np.int64], green: NDArray[np.int64]) -> NDArray[np.int64]:
    """The row of a node: green runs within red."""
    return red * (STEPS + 1) - red * (red - 1) // 2 + green


@lru_cache(256)
def table_of(program: LightProgram, cell: int) -> ColourTable | None:
    """The table of a cell's own emitters (0: the unit's); None for a cell without any."""
    emitters = program.emitters(cell)
    if not emitters:
        return None
    names = tuple(name for name, _ in emitters)
    return ColourTable(names, _nodes(np.array([rgb for _, rgb in emitters]).tobytes()))


@lru_cache(64)
def _nodes(emitters: bytes) -> Array:
    """Of types with the same emitters it is worked out once."""
    light = np.frombuffer(emitters).reshape(-1, 3) @ RGB_TO_XYZ.T
    white = emitter_levels(light, *_place(np.ones(3))) @ light[:, 1]
    rows = []
    for red in range(STEPS + 1):
        for green in range(STEPS + 1 - red):
            rgb = np.array([red, green, STEPS - red - green]) / STEPS
            levels = emitter_levels(light, *_place(rgb))
            rows.append(levels * (RGB_TO_XYZ[1] @ rgb) * white / max(levels @ light[:, 1], 1e-12))
    return np.array(rows)


def _place(rgb: Array) -> tuple[float, float]:
    xyz = RGB_TO_XYZ @ rgb
    return float(xyz[0] / xyz.sum()), float(xyz[1] / xyz.sum())
