"""Where the cells of units are, in space and seen from somewhere."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from isthmus.output import Live, RigView
from isthmus.show.records import Show
from isthmus.stage import Drawn

Array = NDArray[np.float64]
FLAT = 0.05  # of the larger extent: cells that lie within it of a line or plane are on it
UP, TO_AUDIENCE = np.array([0.0, 0.0, 1.0]), np.array([0.0, -1.0, 0.0])


@dataclass(frozen=True)
class Cells:
    """n cells: which unit (id) and cell (0 for a unit without cells), and where (n, 3), metres."""

    names: tuple[tuple[str, int], ...]
    at: Array


def cells_in_space(show: Show, units: Collection[str]) -> Cells:
    """The cells of these units that have a place and give light, with everything at home; unit by
    unit in the order given. A cell of several lenses is in their middle.
    """
    live = Live(show).blank()
    view = RigView(show, live.compiled)
    beams, _ = view.pose(live.frame, Drawn(hide_off=False, cells="each"))
    row_of = {unit: row for row, unit in enumerate(view.rig.order)}
    rows: dict[int, list[int]] = {}
    for row, unit in enumerate(beams.unit.tolist()):
        rows.setdefault(unit, []).append(row)
    names: list[tuple[str, int]] = []
    found: list[Array] = []
    for unit in dict.fromkeys(units):
        program = live.program(unit)
        mine = rows.get(row_of.get(unit, -1), [])
        if program is None:
            continue
        lenses: dict[int, list[Array]] = {}
        for row, beam in zip(mine, program.assembly.beams, strict=False):
            lenses.setdefault(beam.cell, []).append(beams.origin[row])
        for cell in sorted(lenses):
            names.append((unit, cell))
            found.append(np.mean(lenses[cell], axis=0))
    return Cells(tuple(names), np.array(found, np.float64).reshape(-1, 3))


@dataclass(frozen=True)
class Plane:
    """What cells are looked at on: unit vectors to the right and upwards as one sees it."""

    right: Array
    up: Array

    def on(self, at: Array) -> Array:
        """Places (n, 3) on the plane (n, 2): to the right and upwards, metres."""
        return at @ np.stack([self.right, self.up], axis=1)


FRONT = Plane(np.array([1.0, 0, 0]), UP)
ABOVE = Plane(np.array([1.0, 0, 0]), np.array([0.0, 1, 0]))


def best_plane(at: Array) -> Plane:
    """The plane that fits these places (n, 3) best, seen from the audience, or from above where it
    lies flat. Upright where they are all in one line, or at one spot.
    """
    if len(at) < 3:
        return FRONT
    _, sizes, ways = np.linalg.svd(at - at.mean(axis=0), full_matrices=False)
    if sizes[1] <= FLAT * sizes[0]:  # a line: the plane it shares with the upright
        along = ways[0]
        level = np.array([along[0], along[1], 0.0])
        if np.linalg.norm(level) < FLAT:
            return FRONT
        return _seen(np.cross(level, UP))
    return _seen(ways[2])


def _seen(normal: Array) -> Plane:
    """A plane by its normal, turned so that it looks to the audience, or else up."""
    normal = normal / np.linalg.norm(normal)
    if abs(normal[2]) > 0.95:  # lies flat: right stays right
        return ABOVE
    facing = normal @ TO_AUDIENCE
    if facing < 0 or (abs(facing) < 1e-6 and normal[0] < 0):
        normal = -normal
    right = np.cross(UP, normal)
    right /= np.linalg.norm(right)
    return Plane(right, np.cross(normal, right))
