"""The lines of a hang list as the dialog shows them: as they were read, to be typed over, and as
they came, with what became of each.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from typing import Any

from PySide6.QtCore import QModelIndex, QPersistentModelIndex, Qt

from isthmus.app.kit.widgets import Index, RowsModel
from isthmus.hanglist import KEPT_AS, PLAIN, Came, HangList
from isthmus.hanglist.grid import DITTO
from isthmus.patch.paper import paper_address
from isthmus.show.records import PaperRow

FIELDS = ("number", "type", "mode", "address", "position", "gel")
HEADINGS = ("Line", "Unit", "Type", "Mode", "Address", "Position", "Gel", "What is wrong")
# how a line of the list as it came is inked, by what became of it
INKS = {"good": "", "asked": "ochre", "faulty": "fault"}
BECAME = {"good": "read", "asked": "waits for an answer", "faulty": "cannot be read"}


class LinesModel(RowsModel):
    """The lines with what is wrong, those that need a hand first; their cells can be typed over."""

    COLUMNS = HEADINGS
    MEDIUM = (0, 1)
    MONO = (0, 1, 4)

    def __init__(self, edit: Callable[[int, str, str], object]) -> None:
        super().__init__()
        self.edit = edit
        self.rows: list[tuple[PaperRow, str]] = []
        self.texts: Mapping[tuple[int, str], str] = {}
        self.written: dict[int, dict[str, str]] = {}
        self.kinds: Mapping[int, str] = {}

    def show_list(self, found: HangList, texts: Mapping[tuple[int, str], str]) -> None:
        faults: dict[int, list[str]] = {}
        for fault in found.faults:
            faults.setdefault(fault.line, []).append(f"{fault.what} {fault.do}".strip())
        waits = {line.line: line.why for line in found.paper.unread}
        rows = [
            (row, " ".join(faults.get(row.line, ())) or waits.get(row.line, ""))
            for row in (*found.paper.rows, *found.rejected)
        ]
        rows.sort(key=lambda item: (not item[1], item[0].line))
        self.beginResetModel()
        self.rows, self.texts, self.kinds = rows, texts, found.kinds
        self.written = {line.line: line.cells for line in found.paper.unread}
        self.endResetModel()

    def text(self, row: PaperRow, column: int) -> str:
        if column == 0:
            return str(row.line)
        name = FIELDS[column - 1]
        if (row.line, name) in self.texts:
            return self.texts[row.line, name]
        kept = KEPT_AS.get(name, name)
        if kept in self.written.get(row.line, ()):  # what was not understood stands as written
            return self.written[row.line][kept].replace(DITTO, '"')
        if name == "address":
            return paper_address(row)
        if name == "number":
            return row.fixture_id or str(row.number or "?")
        return getattr(row, kept)

    def words(self, row: tuple[PaperRow, str], column: int) -> str:
        line, wrong = row
        if column == len(HEADINGS) - 1:
            return wrong[:1].upper() + wrong[1:]
        return self.text(line, column)

    def tip(self, row: tuple[PaperRow, str], column: int) -> str:
        """The cell in full: lines are longer than their columns."""
        return self.words(row, column)

    def ink(self, row: tuple[PaperRow, str], column: int) -> str:
        if not row[1] or column not in (0, len(HEADINGS) - 1):
            return ""
        return "ochre" if self.kinds.get(row[0].line) == "good" else "fault"

    def flags(self, index: QModelIndex | QPersistentModelIndex) -> Qt.ItemFlag:
        flags = Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable
        typed = 0 < index.column() < len(HEADINGS) - 1
        return flags | Qt.ItemFlag.ItemIsEditable if typed else flags

    def setData(
        self,
        index: QModelIndex | QPersistentModelIndex,
        value: Any,
        role: int = Qt.ItemDataRole.EditRole,
    ) -> bool:
        row, _ = self.rows[index.row()]
        if str(value) == self.text(row, index.column()):
            return False
        self.edit(row.line, FIELDS[index.column() - 1], str(value).strip())
        return True


class CameModel(RowsModel):
    """The list as it came, cell by cell; each line inked by what became of it."""

    MEDIUM = (0,)
    MONO = (0,)

    def __init__(self) -> None:
        super().__init__()
        self.rows: Sequence[Came] = ()
        self.heads: tuple[str, ...] = ()

    def show_list(self, found: HangList, came: Sequence[Came]) -> None:
        meant = {at: PLAIN.get(name, name) for name, at in found.at.items()}
        self.beginResetModel()
        self.rows = came
        self.heads = ("Line", "", *(meant.get(n, "–") for n in range(len(found.heads))))
        self.endResetModel()

    def columnCount(self, parent: Index | None = None) -> int:
        return len(self.heads)

    def words(self, row: Came, column: int) -> str:
        if column == 0:
            return str(row.line)
        if column == 1:
            return BECAME.get(row.kind, row.kind)
        return row.cells[column - 2].replace(DITTO, '"') if column - 2 < len(row.cells) else ""

    def tip(self, row: Came, column: int) -> str:
        return self.words(row, column)

    def ink(self, row: Came, column: int) -> str:
        return INKS.get(row.kind, "text3")

    def headerData(
        self, section: int, orientation: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole
    ) -> Any:
        if orientation == Qt.Orientation.Horizontal and role == Qt.ItemDataRole.DisplayRole:
            return self.heads[section] if section < len(self.heads) else ""
        return super().headerData(section, orientation, role)
