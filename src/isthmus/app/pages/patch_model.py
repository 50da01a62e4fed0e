"""The patch as a table: rows are units, sorted and filtered; cells are read and edited as text."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from PySide6.QtCore import QAbstractTableModel, QModelIndex, QPersistentModelIndex, Qt

from isthmus.app.workbench import Workbench
from isthmus.errors import EntryFault
from isthmus.patch import edits, footprint
from isthmus.patch.numbers import read_numbers
from isthmus.profiles import ProfileSet, profiles_of
from isthmus.show import Show, read_address, write_address
from isthmus.show.records import Unit

Index = QModelIndex | QPersistentModelIndex


@dataclass(frozen=True)
class Column:
    """`write` takes (show, unit id, text) to a new show and may raise EntryFault; None is read-only."""

    name: str
    width: int
    read: Callable[[Unit, ProfileSet], str]
    write: Callable[[Show, str, str], Show] | None = None
    key: Callable[[Unit, ProfileSet], Any] | None = None
    right: bool = False


def _number(text: str) -> int:
    numbers = read_numbers(text)
    if len(numbers) != 1:
        raise EntryFault("One number, please.")
    return numbers[0]


def addresses(unit: Unit) -> str:
    return ", ".join(write_address(p.universe, p.address) for p in unit.patch)


def _text(name: str) -> Callable[[Show, str, str], Show]:
    return lambda show, unit, value: edits.set_text(show, [unit], name, value)


def _model(unit: Unit, profiles: ProfileSet) -> str:
    profile = profiles.profiles.get(unit.profile)
    return profile.label if profile else unit.profile


COLUMNS = (
    Column("Unit", 62, lambda u, p: str(u.number), lambda s, u, t: edits.set_number(s, u, _number(t)), lambda u, p: u.number, True),
    Column("Name", 132, lambda u, p: u.name, _text("name")),
    Column("Profile", 106, _model),
    Column("Mode", 66, lambda u, p: u.mode, lambda s, u, t: edits.set_mode(s, [u], t.strip())),
    Column(
        "Address",
        76,
        lambda u, p: addresses(u),
        lambda s, u, t: edits.set_address(s, [u], read_address(t)),
        lambda u, p: (u.patch[0].universe, u.patch[0].address) if u.patch else (1 << 30, 0),
    ),
    Column("Takes", 48, lambda u, p: str(footprint(u, p) or ""), None, footprint, True),
    Column("Hangs on", 142, lambda u, p: u.hangs_on, _text("hangs_on")),
    Column("Gel", 84, lambda u, p: u.gel, _text("gel")),
    Column("crossing", 100, lambda u, p: ""),
)
ADDRESS, CROSSING = 4, 8


class PatchModel(QAbstractTableModel):
    def __init__(self, bench: Workbench) -> None:
        super().__init__()
        self.bench = bench
        self.rows: list[Unit] = []
        self.needle = ""
        self.snags_only = False
        self.universe = 0
        self.order = (0, True)  # column, ascending
        self._place: dict[str, int] = {}
        self.reload()

    def reload(self) -> None:
        """Take the units anew; when the same units stand in the same order only their cells are painted again."""
        profiles = profiles_of(self.bench.show)
        rows = [u for u in self.bench.show.units if self._passes(u, profiles)]
        column, ascending = self.order
        key = COLUMNS[column].key or (lambda u, p: COLUMNS[column].read(u, p).lower())
        if column == CROSSING:
            states = self.bench.crossing.states
            key = lambda u, p: states.get(u.id, "")  # noqa: E731
        rows.sort(key=lambda u: (key(u, profiles), u.number), reverse=not ascending)
        same = [u.id for u in rows] == [u.id for u in self.rows]
        if not same:
            self.beginResetModel()
        self.rows = rows
        self._place = {u.id: i for i, u in enumerate(rows)}
        if same:
            self.dataChanged.emit(self.index(0, 0), self.index(len(rows) - 1, len(COLUMNS) - 1))
        else:
            self.endResetModel()

    def _passes(self, unit: Unit, profiles: ProfileSet) -> bool:
        if self.universe and not any(p.universe == self.universe for p in unit.patch):
            return False
        if self.snags_only and not any(letter in "fa" for letter in self.bench.crossing.states.get(unit.id, "")):
            return False
        if not self.needle:
            return True
        text = " ".join(c.read(unit, profiles) for c in COLUMNS).lower() + " " + unit.purpose.lower()
        return all(word in text for word in self.needle.lower().split())

    @property
    def filtered(self) -> bool:
        return bool(self.needle or self.snags_only or self.universe)

    def row_of(self, unit: str) -> int:
        return self._place.get(unit, -1)

    def rowCount(self, parent: Index = QModelIndex()) -> int:  # noqa: B008
        return 0 if parent.isValid() else len(self.rows)

    def columnCount(self, parent: Index = QModelIndex()) -> int:  # noqa: B008
        return 0 if parent.isValid() else len(COLUMNS)

    def data(self, index: Index, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        if role in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.EditRole):
            return COLUMNS[index.column()].read(self.rows[index.row()], profiles_of(self.bench.show))
        if role == Qt.ItemDataRole.AccessibleTextRole:
            return f"{COLUMNS[index.column()].name} of unit {self.rows[index.row()].number}"
        return None

    def flags(self, index: Index) -> Qt.ItemFlag:
        flags = Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable
        return flags | Qt.ItemFlag.ItemIsEditable if COLUMNS[index.column()].write else flags

    def setData(self, index: Index, value: Any, role: int = Qt.ItemDataRole.EditRole) -> bool:
        return self.write([(index.row(), index.column(), str(value))])

    def write(self, cells: list[tuple[int, int, str]]) -> bool:
        """Set cells as one edit; a value that cannot be taken is told and nothing is changed."""

        def run() -> None:
            show = self.bench.show
            for row, column, value in cells:
                write = COLUMNS[column].write
                if write is not None:
                    show = write(show, self.rows[row].id, value)
            unit = self.rows[cells[0][0]]
            what = COLUMNS[cells[0][1]].name.lower()
            self.bench.commit(f"{what} of {unit.number}" if len(cells) == 1 else f"paste {len(cells)} cells", show)

        return bool(cells) and self.bench.guard(run)

    def headerData(self, section: int, orientation: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        if orientation == Qt.Orientation.Horizontal and role == Qt.ItemDataRole.DisplayRole:
            return COLUMNS[section].name
        return None

    def sort(self, column: int, order: Qt.SortOrder = Qt.SortOrder.AscendingOrder) -> None:
        self.order = (column, order == Qt.SortOrder.AscendingOrder)
        self.reload()
