"""A table whose cells are typed into, each change an edit of the show."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any

from PySide6.QtCore import QModelIndex, QPersistentModelIndex, Qt

from isthmus.app.kit.widgets import RowsModel

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
