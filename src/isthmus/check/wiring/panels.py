"""A grid as panels: its units in the order they are addressed, each with its cells in order."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from isthmus.show.records import PixelGrid, Show

Index = NDArray[np.int64]


@dataclass(frozen=True, eq=False)
class Panels:
    """n units (ids, in the order of their addresses) over the c cells of a grid. `cells[k]` are the
    cells of unit k in their own order; `at` (c, 2) column and row of each; `boxes` (n, 4) left,
    top, width and height of each unit.
    """

    grid: PixelGrid
    units: tuple[str, ...]
    numbers: tuple[int, ...]
    cells: tuple[Index, ...]
    at: Index
    boxes: Index
    universe: Index  # (n,) which universe each begins in

    @property
    def whose(self) -> Index:
        """(c,) which unit each cell is of."""
        found = np.zeros(len(self.at), np.int64)
        for unit, mine in enumerate(self.cells):
            found[mine] = unit
        return found


def panels_of(show: Show, grid: PixelGrid) -> Panels:
    """Cells of units that are gone stay as they are, as a unit of their own."""
    units = {unit.id: unit for unit in show.units}
    mine: dict[str, list[int]] = {}
    for at, cell in enumerate(grid.cells):
        mine.setdefault(cell.unit, []).append(at)

    def first(unit: str) -> tuple[int, int, int]:
        found = units.get(unit)
        patch = found.patch[0] if found and found.patch else None
        return (
            (patch.universe, patch.address, found.number)
            if patch and found
            else (1 << 30, 0, found.number if found else 0)
        )

    order = sorted(mine, key=first)
    at = np.array([(c.x, c.y) for c in grid.cells], np.int64).reshape(-1, 2)
    cells = tuple(
        np.array(sorted(mine[u], key=lambda i: grid.cells[i].cell), np.int64) for u in order
    )
    boxes = [(*at[c].min(axis=0), *(np.ptp(at[c], axis=0) + 1)) for c in cells]
    return Panels(
        grid,
        tuple(order),
        tuple(units[u].number if u in units else 0 for u in order),
        cells,
        at,
        np.array(boxes, np.int64).reshape(-1, 4),
        np.array([first(u)[0] for u in order], np.int64),
    )
