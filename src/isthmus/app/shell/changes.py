"""What differs between two shows as a table to tick: any of it can be taken, and left."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from PySide6.QtCore import QModelIndex, QPersistentModelIndex, Qt
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QVBoxLayout, QWidget

from isthmus.app.kit.widgets import KeysFirst, RowsModel, label, plain_table
from isthmus.compare import Changed, Difference, apply
from isthmus.compare.words import Told, told_changes
from isthmus.show import Show

Index = QModelIndex | QPersistentModelIndex
MOST = 20_000  # rows


class ChangesModel(RowsModel):
    """Rows are changes with their words; all ticked at first."""

    COLUMNS = ("Take", "What", "", "Before", "After")
    MEDIUM = (1,)

    def __init__(self, found: Difference) -> None:
        super().__init__()
        self.found = found
        self.rows: Sequence[tuple[Changed, Told]] = told_changes(found)[:MOST]
        self.left: set[int] = set()  # rows that are not taken

    def cells(self, row: Any) -> Sequence[str]:
        told: Told = row[1]
        return "", f"{told.kind} {told.thing}".strip(), told.member, told.old, told.new

    def tip(self, row: Any, column: int) -> str:
        return self.words(row, column)

    def ink(self, row: Any, column: int) -> str:
        return ("text", "text", "text2", "text2", "coral")[column]

    def data(self, index: Index, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        if role == Qt.ItemDataRole.CheckStateRole and index.column() == 0:
            return Qt.CheckState.Unchecked if index.row() in self.left else Qt.CheckState.Checked
        return super().data(index, role)

    def flags(self, index: Index) -> Qt.ItemFlag:
        plain = Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable
        return plain | Qt.ItemFlag.ItemIsUserCheckable if index.column() == 0 else plain

    def setData(self, index: Index, value: Any, role: int = Qt.ItemDataRole.EditRole) -> bool:
        if role != Qt.ItemDataRole.CheckStateRole:
            return False
        self.tick([index.row()], Qt.CheckState(value) == Qt.CheckState.Checked)
        return True

    def tick(self, rows: Sequence[int], on: bool) -> None:
        self.left = self.left - set(rows) if on else self.left | set(rows)
        ends = self.index(0, 0), self.index(len(self.rows) - 1, 0)
        self.dataChanged.emit(*ends, [Qt.ItemDataRole.CheckStateRole])

    def taken(self) -> list[Changed]:
        """All but those that are not ticked."""
        left = {self.rows[at][0].place for at in self.left}
        return [one for one in self.found.changes if one.place not in left]


class ChangesTable(QWidget):
    """Space ticks the selected rows, or clears them."""

    def __init__(self, found: Difference) -> None:
        super().__init__()
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        self.model = ChangesModel(found)
        self.table = plain_table(
            self.model, "changes", "What differs, each to take or leave", (44, 170, 90, 150, 150), 1
        )
        self.table.setMinimumHeight(180)
        column.addWidget(label("Take any of it: a click or Space ticks rows.", "quiet"))
        column.addWidget(self.table, 1)
        KeysFirst(self.table, self._key)

    def _key(self, event: QKeyEvent) -> bool:
        if event.key() != Qt.Key.Key_Space:
            return False
        rows = [index.row() for index in self.table.selectionModel().selectedRows()]
        if rows:
            self.model.tick(rows, rows[0] in self.model.left)
        return True

    @property
    def words(self) -> str:
        shown = len(self.model.rows)
        return f"recover {shown - len(self.model.left)} of {shown} changes"

    def applied(self) -> Show:
        """The older show with what is ticked."""
        return apply(self.model.taken(), self.model.found.old)

    @property
    def whole(self) -> bool:
        """Whether nothing is left out."""
        return not self.model.left
