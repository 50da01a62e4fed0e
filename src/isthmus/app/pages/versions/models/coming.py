"""What comes from another show, what of it we have already, and who stands for its units."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any

from PySide6.QtCore import QModelIndex, QPersistentModelIndex, Qt

from isthmus.app.kit.edited import EditedRows
from isthmus.app.kit.widgets import RowsModel
from isthmus.bringing import Coming
from isthmus.bringing.needs import CHOSEN
from isthmus.bringing.stand_in import StandIn
from isthmus.bringing.wanted import HOWS
from isthmus.bringing.words import Told, told
from isthmus.compare.words import name_of

Index = QModelIndex | QPersistentModelIndex
Row = tuple[Coming, Told]


def rows_of(coming: Sequence[Coming]) -> list[Row]:
    return [(one, told(one)) for one in coming]


class ComingModel(RowsModel):
    """What was chosen can be unticked; what it needs comes with it."""

    COLUMNS = ("", "What", "With us", "Why")
    MEDIUM = (1,)

    def __init__(self, untick: Callable[[Sequence[Coming]], object]) -> None:
        super().__init__()
        self.untick = untick

    def cells(self, row: Row) -> Sequence[str]:
        words = row[1]
        return "", words.thing, words.becomes, words.why

    def tip(self, row: Row, column: int) -> str:
        return self.words(row, column)

    def ink(self, row: Row, column: int) -> str:
        if column == 2:
            return {"alike": "text3", "mine": "text3", "new": "text"}.get(row[0].how, "ochre")
        return "text" if column == 1 else "text2"

    def data(self, index: Index, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        chosen = self.row_at(index.row())[0].why == CHOSEN
        if role == Qt.ItemDataRole.CheckStateRole and index.column() == 0 and chosen:
            return Qt.CheckState.Checked
        return super().data(index, role)

    def flags(self, index: Index) -> Qt.ItemFlag:
        plain = Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable
        chosen = index.column() == 0 and self.row_at(index.row())[0].why == CHOSEN
        return plain | Qt.ItemFlag.ItemIsUserCheckable if chosen else plain

    def setData(self, index: Index, value: Any, role: int = Qt.ItemDataRole.EditRole) -> bool:
        if role != Qt.ItemDataRole.CheckStateRole:
            return False
        self.untick([self.row_at(index.row())[0]])
        return True


class ClashModel(RowsModel):
    """What we have already, both sides of it, and how they meet."""

    COLUMNS = ("Theirs", "Ours", "Meets")

    def cells(self, row: Row) -> Sequence[str]:
        one, words = row
        return words.thing, words.mine, HOWS[one.how]

    def tip(self, row: Row, column: int) -> str:
        return self.words(row, column)

    def ink(self, row: Row, column: int) -> str:
        return "text" if column == 0 else "coral" if column == 2 else "text2"


class StandInModel(EditedRows):
    """Who of ours stands for a unit of theirs: its number is typed, nothing for no unit."""

    COLUMNS = ("Unit of theirs", "Stands for it", "By")
    EDITED = (1,)
    MONO = (1,)

    def __init__(self, write: Callable[[StandIn, str], bool]) -> None:
        super().__init__(lambda row, column, text: write(row, text))
        self.theirs: dict[str, Any] = {}
        self.ours: dict[str, Any] = {}

    def show(self, rows: Sequence[StandIn], theirs: dict[str, Any], ours: dict[str, Any]) -> None:
        self.theirs, self.ours = theirs, ours
        self.beginResetModel()
        self.rows = rows
        self.endResetModel()

    def cells(self, row: StandIn) -> Sequence[str]:
        mine = self.ours.get(row.ours)
        return (
            name_of(self.theirs[row.theirs]),
            str(mine.number) if mine else "",
            row.by or "no unit",
        )
