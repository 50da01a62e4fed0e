"""What differs between two shows as a table to tick: any of it can be taken, and left."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any

from PySide6.QtCore import QModelIndex, QPersistentModelIndex, Qt
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QVBoxLayout, QWidget

from isthmus.app.kit.widgets import KeysFirst, RowsModel, label, plain_table, selected_rows
from isthmus.compare import Changed, Difference, apply
from isthmus.compare.words import Told, told_changes
from isthmus.show import Show

Index = QModelIndex | QPersistentModelIndex
MOST = 20_000  # rows
Place = tuple[str, str, str]
Row = tuple[Changed, Told]


class ChangesModel(RowsModel):
    """Rows are changes with their words; all are ticked at first, or none."""

    COLUMNS = ("Take", "What", "", "Before", "After")
    MEDIUM = (1,)

    def __init__(self, found: Difference, ticked: bool = True) -> None:
        super().__init__()
        self.show(found, ticked)

    def show(self, found: Difference, ticked: bool) -> None:
        """Another difference."""
        self.beginResetModel()
        self.found = found
        self.all: Sequence[Row] = told_changes(found)[:MOST]
        self.rows = self.all
        self.left: set[Place] = set() if ticked else {one.place for one in found.changes}
        self.endResetModel()

    def only(self, wanted: Callable[[Row], bool]) -> None:
        """Show these rows; what is ticked stays so."""
        self.beginResetModel()
        self.rows = [row for row in self.all if wanted(row)]
        self.endResetModel()

    def cells(self, row: Row) -> Sequence[str]:
        told = row[1]
        return "", f"{told.kind} {told.thing}".strip(), told.member, told.old, told.new

    def tip(self, row: Row, column: int) -> str:
        return self.words(row, column)

    def ink(self, row: Row, column: int) -> str:
        return ("text", "text", "text2", "text2", "coral")[column]

    def data(self, index: Index, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        if role == Qt.ItemDataRole.CheckStateRole and index.column() == 0:
            on = self.ticked(index.row())
            return Qt.CheckState.Checked if on else Qt.CheckState.Unchecked
        return super().data(index, role)

    def flags(self, index: Index) -> Qt.ItemFlag:
        plain = Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable
        return plain | Qt.ItemFlag.ItemIsUserCheckable if index.column() == 0 else plain

    def setData(self, index: Index, value: Any, role: int = Qt.ItemDataRole.EditRole) -> bool:
        if role != Qt.ItemDataRole.CheckStateRole:
            return False
        self.tick([index.row()], Qt.CheckState(value) == Qt.CheckState.Checked)
        return True

    def ticked(self, row: int) -> bool:
        return self.rows[row][0].place not in self.left

    def tick(self, rows: Sequence[int], on: bool) -> None:
        places = {self.rows[at][0].place for at in rows}
        self.left = self.left - places if on else self.left | places
        if self.rows:
            ends = self.index(0, 0), self.index(len(self.rows) - 1, 0)
            self.dataChanged.emit(*ends, [Qt.ItemDataRole.CheckStateRole])

    @property
    def count_ticked(self) -> int:
        return sum(one.place not in self.left for one, _ in self.all)

    def taken(self) -> list[Changed]:
        """All but those that are not ticked."""
        return [one for one in self.found.changes if one.place not in self.left]


class ChangesTable(QWidget):
    """Space ticks the selected rows, or clears them."""

    def __init__(self, found: Difference, ticked: bool = True) -> None:
        super().__init__()
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        self.model = ChangesModel(found, ticked)
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
        rows = selected_rows(self.table)
        if rows:
            self.model.tick(rows, not self.model.ticked(rows[0]))
        return True

    @property
    def words(self) -> str:
        return f"recover {self.model.count_ticked} of {len(self.model.all)} changes"

    def applied(self) -> Show:
        """The older show with what is ticked."""
        return apply(self.model.taken(), self.model.found.old)

    @property
    def whole(self) -> bool:
        """Whether nothing is left out."""
        return not self.model.left
