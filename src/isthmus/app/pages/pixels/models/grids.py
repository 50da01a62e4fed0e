"""The table of grids."""

from __future__ import annotations

from collections.abc import Sequence

from isthmus.app.kit.edited import EditedRows
from isthmus.show.records import PixelGrid


class GridsModel(EditedRows):
    COLUMNS = ("No", "Grid", "Size", "Cells")
    MEDIUM = (1,)
    MONO = (0, 2, 3)
    EDITED = (0, 1, 2)

    def cells(self, row: PixelGrid) -> Sequence[str]:
        size = f"{row.width} × {row.height}"
        return str(row.number), row.name, size, str(len(row.cells))

    def ink(self, row: PixelGrid, column: int) -> str:
        return "text" if column == 1 else "text2"
