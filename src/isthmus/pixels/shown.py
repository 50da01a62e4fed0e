"""Light on the cells of a grid, as what is asked of them."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from isthmus.output import Live
from isthmus.output.live import Asked
from isthmus.pixels.colours import CellTable, table_of
from isthmus.pixels.grids import places_of
from isthmus.pixels.wiring_pictures import Picture
from isthmus.show.records import PixelGrid


def ask_picture(live: Live, grid: PixelGrid, picture: Picture, level: float = 1.0) -> Asked:
    """Levels for a picture (height, width, 3), linear light."""
    x, y = places_of(grid)
    return ask_cells(live, grid, picture[y, x], level)


def ask_cells(live: Live, grid: PixelGrid, light: NDArray[np.float64], level: float = 1.0) -> Asked:
    """Levels for the light of each cell (n, 3), linear: units lit and open, each cell in its
    colour. A cell without colours of its own shows how bright it is there.
    """
    asked = live.wish_light(dict.fromkeys(cell.unit for cell in grid.cells))
    heaps: dict[CellTable, list[int]] = {}
    for at, cell in enumerate(grid.cells):
        program = live.program(cell.unit)
        table = table_of(program, cell.cell) if program else None
        if table is not None:
            heaps.setdefault(table, []).append(at)
    for table, rows in heaps.items():
        for at, levels in zip(rows, table.levels(level * light[rows].T).T, strict=True):
            cell = grid.cells[at]
            for name, value in zip(table.names, levels, strict=True):
                asked[cell.unit, cell.cell, name] = float(value)
    return asked
