"""Cells of a grid turned, exchanged and moved by hand."""

from __future__ import annotations

from collections.abc import Callable, Collection

import numpy as np
from msgspec.structs import replace

from isthmus.errors import EntryFault
from isthmus.pixels.grids import read_size
from isthmus.show.records import GridCell, PixelGrid

Move = Callable[[int, int, int, int], tuple[int, int]]  # x, y, width, height of what is moved
TURNS: dict[str, Move] = {
    "left": lambda x, y, w, h: (y, w - 1 - x),
    "right": lambda x, y, w, h: (h - 1 - y, x),
    "round": lambda x, y, w, h: (w - 1 - x, h - 1 - y),
    "sideways": lambda x, y, w, h: (w - 1 - x, y),
    "upside down": lambda x, y, w, h: (x, h - 1 - y),
}


def turn_units(grid: PixelGrid, units: Collection[str], how: str) -> PixelGrid:
    """Each of these units turned or mirrored in its own place: a panel cabled another way round.

    A quarter turn of one that is not square needs room beside it; where it would leave the grid it
    is moved inwards. Raises EntryFault where the grid is too small for it.
    """
    move = TURNS[how]
    moved: dict[int, GridCell] = {}
    for unit in units:
        mine = [i for i, c in enumerate(grid.cells) if c.unit == unit]
        if not mine:
            continue
        at = np.array([(grid.cells[i].x, grid.cells[i].y) for i in mine])
        low, size = at.min(axis=0), np.ptp(at, axis=0) + 1
        turned = np.array([move(*map(int, place - low), *map(int, size)) for place in at])
        room = np.array([grid.width, grid.height]) - (turned.max(axis=0) + 1)
        if (room < 0).any():
            raise EntryFault("A unit turned so does not fit the grid.", do="Make the grid larger.")
        low = np.minimum(low, room)
        for i, (x, y) in zip(mine, turned + low, strict=True):
            moved[i] = replace(grid.cells[i], x=int(x), y=int(y))
    return replace(grid, cells=tuple(moved.get(i, c) for i, c in enumerate(grid.cells)))


def swap_units(grid: PixelGrid, one: str, other: str) -> PixelGrid:
    """Two units exchanged: each takes the places of the other, cell by cell in their order. Raises
    EntryFault when they have not as many cells.
    """
    a, b = ([i for i, c in enumerate(grid.cells) if c.unit == u] for u in (one, other))
    if len(a) != len(b) or not a:
        raise EntryFault("Only units with as many cells can be exchanged.")
    cells = list(grid.cells)
    for i, j in zip(a, b, strict=True):
        cells[i], cells[j] = (
            replace(grid.cells[i], x=grid.cells[j].x, y=grid.cells[j].y),
            replace(grid.cells[j], x=grid.cells[i].x, y=grid.cells[i].y),
        )
    return replace(grid, cells=tuple(cells))


def move_cells(grid: PixelGrid, chosen: Collection[int], across: int, down: int) -> PixelGrid:
    """The cells of these rows moved by so many places, as far as the grid goes. Cells that are
    there already step back over the way they came, to the places that were left.
    """
    rows = [i for i in sorted(chosen) if 0 <= i < len(grid.cells)]
    mine = [(grid.cells[i].x, grid.cells[i].y) for i in rows]
    if not mine:
        return grid
    low, high = np.min(mine, axis=0), np.max(mine, axis=0)
    across = int(np.clip(across, -low[0], grid.width - 1 - high[0]))
    down = int(np.clip(down, -low[1], grid.height - 1 - high[1]))
    if not (across or down):
        return grid
    held = set(rows)
    gone = {(x + across, y + down) for x, y in mine}

    def put(i: int, cell: GridCell) -> GridCell:
        x, y = cell.x, cell.y
        if i in held:
            x, y = x + across, y + down
        elif (x, y) in gone and cell.at is None:
            while (x, y) in gone:  # a chosen cell came from one step back: its place ends this
                x, y = x - across, y - down
        at = cell.at and (cell.at[0] + x - cell.x, cell.at[1] + y - cell.y)
        return cell if (x, y) == (cell.x, cell.y) else replace(cell, x=x, y=y, at=at)

    return replace(grid, cells=tuple(put(i, c) for i, c in enumerate(grid.cells)))


def size_grid(grid: PixelGrid, text: str) -> PixelGrid:
    """With room for what is moved. Raises EntryFault for what cannot be a size."""
    width, height = read_size(text)
    return replace(grid, width=width, height=height)
