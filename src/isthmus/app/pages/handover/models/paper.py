"""A paper as a table on the screen: its headings between its rows, what changed marked."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from PySide6.QtCore import QModelIndex, QPersistentModelIndex, Qt
from PySide6.QtGui import QColor, QFont

from isthmus.app.kit.theme import font, theme
from isthmus.app.kit.widgets import RowsModel
from isthmus.papers.since import GONE, NEW
from isthmus.papers.table import Group, Mark, Paper, Row

Index = QModelIndex | QPersistentModelIndex
Line = tuple[Group, int]  # −1: the heading


class PaperModel(RowsModel):
    def __init__(self) -> None:
        super().__init__()
        self.paper: Paper | None = None

    def show(self, paper: Paper) -> None:
        self.beginResetModel()
        self.paper = paper
        self.COLUMNS = tuple(column.words for column in paper.columns)
        self.MONO = tuple(at for at, column in enumerate(paper.columns) if column.figures)
        self.rows = [
            (group, at)
            for group in paper.groups
            for at in range(-1 if group.title or group.about else 0, len(group.rows))
        ]
        self.endResetModel()

    def cells(self, row: Line) -> Sequence[str]:
        group, at = row
        if at >= 0:
            found: Row = group.rows[at]
            return found
        told = "  ".join(words for words in (group.title, group.about) if words)
        return (told, *[""] * (len(self.COLUMNS) - 1))

    def heading(self, row: int) -> bool:
        return self.rows[row][1] < 0

    def tip(self, row: Line, column: int) -> str:
        return self.words(row, column)

    @staticmethod
    def _patch(colour: str, role: int) -> Any:
        """A colour, shown; its code when it is pointed at or copied."""
        if role == Qt.ItemDataRole.BackgroundRole:
            return QColor(colour) if colour else None
        return colour if role in (Qt.ItemDataRole.ToolTipRole, Qt.ItemDataRole.EditRole) else None

    def _mark(self, row: Line) -> Mark:
        return row[0].marks.get(row[1], Mark())

    def ink(self, row: Line, column: int) -> str:
        if row[1] < 0:
            return "text"
        return "text3" if self._mark(row).how == GONE else "text" if column < 2 else "text2"

    def data(self, index: Index, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        row, column = self.row_at(index.row()), index.column()
        mark = self._mark(row)
        if role == Qt.ItemDataRole.BackgroundRole:
            other = mark.how == NEW or column in mark.columns
            return theme.color("ochre", 0.22) if other else None
        if role == Qt.ItemDataRole.TextAlignmentRole and column in self.MONO and row[1] >= 0:
            return int(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        if self.paper is not None and self.paper.columns[column].patch and row[1] >= 0:
            return self._patch(self.cells(row)[column], role)
        found = super().data(index, role)
        if role == Qt.ItemDataRole.FontRole and row[1] < 0:
            return font("table", 600)
        if role == Qt.ItemDataRole.FontRole and mark.how == GONE:
            struck = QFont(found)
            struck.setStrikeOut(True)
            return struck
        return found
