"""The table of layer sets."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from isthmus.app.kit.edited import EditedRows, Write
from isthmus.show import Show
from isthmus.show.records import LayerSet


class SetsModel(EditedRows):
    COLUMNS = ("No", "Set", "Grid")
    MEDIUM = (1,)
    MONO = (0,)
    EDITED = (0, 1, 2)

    def __init__(self, show: Callable[[], Show], write: Write) -> None:
        super().__init__(write)
        self._show = show

    def cells(self, row: LayerSet) -> Sequence[str]:
        grids = {grid.id: grid.name or str(grid.number) for grid in self._show().grids}
        return str(row.number), row.name, grids.get(row.grid, "gone")

    def ink(self, row: LayerSet, column: int) -> str:
        return "text" if column == 1 else "text2"
