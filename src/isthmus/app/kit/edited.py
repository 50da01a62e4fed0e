"""A table whose cells are typed into, each change an edit of the show."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any

from PySide6.QtCore import QModelIndex, QPersistentModelIndex, Qt
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QTableView

from isthmus.app.kit.widgets import KeysFirst, RowsModel, plain_table, take_row

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

    def take(self, rows: Sequence[Any]) -> None:
        """As many rows as before leave the cell that is typed into open."""
        if len(rows) != len(self.rows) or not rows:
            super().take(rows)
        elif rows != self.rows:
            self.rows = rows
            last = self.index(len(rows) - 1, len(self.COLUMNS) - 1)
            self.dataChanged.emit(self.index(0, 0), last)


def row_here(table: QTableView, model: EditedRows) -> Any:
    """The current row; None without one."""
    at = table.currentIndex().row()
    return model.rows[at] if 0 <= at < len(model.rows) else None


def choose_row(table: QTableView, model: EditedRows, row_id: str) -> None:
    """Make the row of a thing current, where it is there."""
    at = next((i for i, row in enumerate(model.rows) if row.id == row_id), -1)
    if at >= 0:
        take_row(table, at)


def hold_row(table: QTableView) -> None:
    """Some row is current and selected, where there is any: what keys act on."""
    if table.model().rowCount() and not table.selectionModel().hasSelection():
        take_row(table, max(0, table.currentIndex().row()))


def show_rows(table: QTableView, model: EditedRows, rows: Sequence[Any]) -> None:
    """Other rows; what was current stays so, wherever it now stands."""
    here = row_here(table, model)
    model.take(rows)
    if here is not None:
        choose_row(table, model, here.id)


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
