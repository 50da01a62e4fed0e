"""Grids laid out by how cells follow each other, wherever units hang."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from isthmus.errors import EntryFault
from isthmus.output import Live
from isthmus.pixels.colours import table_of
from isthmus.pixels.grids import fits
from isthmus.plural import many
from isthmus.show.records import GridCell, PixelGrid

STARTS = ("top left", "top right", "bottom left", "bottom right")


@dataclass(frozen=True)
class Run:
    """From a corner, line by line: along rows or columns, the same way each time or back and
    forth.
    """

    start: str = "top left"
    columns: bool = False
    back_and_forth: bool = False

    def places(self, width: int, height: int) -> list[tuple[int, int]]:
        """All places of a rectangle in their order."""
        long, lines = (height, width) if self.columns else (width, height)
        found = []
        for line in range(lines):
            steps = range(long)
            for step in reversed(steps) if self.back_and_forth and line % 2 else steps:
                x, y = (line, step) if self.columns else (step, line)
                x = width - 1 - x if self.start.endswith("right") else x
                y = height - 1 - y if self.start.startswith("bottom") else y
                found.append((x, y))
        return found


def cells_of(live: Live, units: Sequence[str]) -> dict[str, list[int]]:
    """The cells of each of these units that show pictures; 0 is a unit as one."""
    found: dict[str, list[int]] = {}
    for unit in units:
        program = live.program(unit)
        if program is not None:
            several = range(1, program.chart.cells + 1) if program.chart.cells else (0,)
            found[unit] = [cell for cell in several if table_of(program, cell) is not None]
    return {unit: cells for unit, cells in found.items() if cells}


def lay_out(
    live: Live,
    units: Sequence[str],
    across: int,
    run: Run = Run(),
    panel: tuple[int, int] | None = None,
    inside: Run = Run(),
) -> PixelGrid:
    """Cells of units in the order given, `across` of them in each line of the run; or, with a
    panel of so many columns and rows, whole units, each wired `inside`. The grid has no number
    yet. Raises EntryFault for cells that do not fit.
    """
    cells = cells_of(live, units)
    count = sum(map(len, cells.values()))
    if not count or across < 1:
        raise EntryFault("None of these units has cells.", do="Select units that give light.")
    blocks = len(cells) if panel else count
    lines = -(-blocks // across)
    wide, high = (lines, across) if run.columns else (across, lines)
    fits(*((wide * panel[0], high * panel[1]) if panel else (wide, high)))
    places = run.places(wide, high)
    if panel is None:
        names = [(unit, cell) for unit, mine in cells.items() for cell in mine]
        made = [
            GridCell(unit=u, cell=c, x=x, y=y)
            for (u, c), (x, y) in zip(names, places, strict=False)
        ]
        return PixelGrid(id="", number=0, width=wide, height=high, cells=tuple(made))
    within = inside.places(*panel)
    found = []
    for (unit, mine), (column, row) in zip(cells.items(), places, strict=False):
        if len(mine) > len(within):
            raise EntryFault(
                f"Unit {live.number_of(unit)} has {many(len(mine), 'cell')}, a panel of "
                f"{panel[0]} × {panel[1]} has room for {len(within)}."
            )
        for cell, (x, y) in zip(mine, within, strict=False):
            x, y = column * panel[0] + x, row * panel[1] + y
            found.append(GridCell(unit=unit, cell=cell, x=x, y=y))
    size = wide * panel[0], high * panel[1]
    return PixelGrid(id="", number=0, width=size[0], height=size[1], cells=tuple(found))
