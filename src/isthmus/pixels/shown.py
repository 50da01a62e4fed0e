"""A picture on a grid, as what is asked of its cells."""

from __future__ import annotations

from isthmus.output import Live
from isthmus.output.live import Asked
from isthmus.pixels.colours import table_of
from isthmus.pixels.wiring_pictures import Picture
from isthmus.show.records import PixelGrid


def ask_picture(live: Live, grid: PixelGrid, picture: Picture, level: float = 1.0) -> Asked:
    """Levels for a picture (height, width, 3), linear light: units lit and open, each cell in its
    colour. A cell without colours of its own shows how bright the picture is there.
    """
    units = dict.fromkeys(cell.unit for cell in grid.cells)
    asked = live.wish_light(units)
    heaps: dict[tuple[object, int], list[int]] = {}
    for at, cell in enumerate(grid.cells):
        program = live.program(cell.unit)
        if program is not None:
            heaps.setdefault((program, cell.cell), []).append(at)
    for (_, number), rows in heaps.items():
        cells = [grid.cells[row] for row in rows]
        program = live.program(cells[0].unit)
        assert program is not None
        table = table_of(program, number)
        if table is None:
            continue
        rgb = level * picture[[c.y for c in cells], [c.x for c in cells]]
        for cell, row in zip(cells, table.levels(rgb), strict=True):
            for name, value in zip(table.names, row, strict=True):
                asked[cell.unit, number, name] = float(value)
    return asked
