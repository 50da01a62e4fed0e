"""A table whose cells are typed into, each change an edit of the show."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any

from PySide6.QtCore import QModelIndex, QPersistentModelIndex, Qt
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QTableView

from isthmus.app.kit.widgets import KeysFirst, RowsModel, plain_table

Index = QModelIndex | QPersistentModelIndex
Write = Callable[[Any, int, str], bool]  # row, column, what was typed; whether it was taken


class EditedRows(RowsModel):
    EDITED: Sequence[int] = ()  # columns that are typed into

    def __init__(self, write: Write) -> None:
        super().__init__()
        self._write = write

    def flags(self, index: Index) -> Qt.ItemFlag:
        base = super().flags(index)  # type: ignore[arg-type]
        return base | Qt.ItemFlag.ItemIsEditable if index.column() in self.EDITED else base

    def setData(self, index: Index, value: Any, role: int = Qt.ItemDataRole.EditRole) -> bool:
        row, column, text = self.row_at(index.row()), index.column(), str(value).strip()
        return text != self.words(row, column) and self._write(row, column, text)


def edited_table(
    model: EditedRows, name: str, words: str, widths: Sequence[int], stretch: int
) -> QTableView:
    """A table of rows; F2 types into the cell that Left and Right have come to, or into the first
    that takes typing.
    """
    table = plain_table(model, name, words, widths, stretch)

    def take(event: QKeyEvent) -> bool:
        here = table.currentIndex()
        if event.key() != Qt.Key.Key_F2 or not here.isValid() or here.column() in model.EDITED:
            return False
        first = model.index(here.row(), min(model.EDITED))
        table.setCurrentIndex(first)
        table.edit(first)
        return True

    KeysFirst(table, take)
    return table
