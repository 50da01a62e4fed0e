"""The patch as a table: rows are units, filtered, sorted and grouped; cells are read and written as
text.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from PySide6.QtCore import QAbstractTableModel, QModelIndex, Qt

from isthmus.app.kit.widgets import Index
from isthmus.app.model.workbench import Workbench
from isthmus.check import holds
from isthmus.errors import EntryFault
from isthmus.gels import books_at_hand, set_gel
from isthmus.patch import cells as core
from isthmus.patch.cells import BY_KEY, Column
from isthmus.patch.choose import read_choice
from isthmus.patch.index import index_of
from isthmus.plural import many
from isthmus.profiles import ProfileSet, profiles_of
from isthmus.show.records import Show, Unit, Verdict

ROOM = {
    "number": 62,
    "fixture_id": 76,
    "name": 150,
    "profile": 106,
    "mode": 66,
    "address": 76,
    "takes": 66,
    "room": 48,
    "hangs_on": 142,
}
ROOM |= {
    "limits": 170,
    "purpose": 110,
    "gel": 96,
    "locked": 56,
    "note": 140,
    "verdict": 76,
    "crossing": 100,
}
RIGHT = ("number", "takes", "room")
MOST_IN_PLACE = 500
USUAL = ("number", "name", "profile", "mode", "address", "takes", "hangs_on", "gel", "crossing")
# where units are named on paper: what the ruler shows too makes room for it
NAMED = tuple("fixture_id" if key == "takes" else key for key in USUAL)
EVERY = (*(c.key for c in core.COLUMNS), "verdict", "crossing")
NAMES = {c.key: c.name for c in core.COLUMNS} | {"verdict": "Verdict", "crossing": "crossing"}
GROUPINGS = {
    "": "No headings",
    "universe": "By universe",
    "hangs_on": "By position",
    "profile": "By profile",
    "gel": "By gel",
    "verdict": "By verdict",
    "purpose": "By purpose",
}


def universes_of(unit: Unit) -> str:
    return f"Universe {unit.patch[0].universe}" if unit.patch else "No address"


class PatchModel(QAbstractTableModel):
    def __init__(self, bench: Workbench) -> None:
        super().__init__()
        self.bench = bench
        self.rows: list[Unit] = []
        self.columns: list[str] = list(USUAL)
        self.needle = ""
        self.chosen: frozenset[str] | None = None  # ids the filter's range names, None without one
        self.snags_only = False
        self.universe = 0
        self.grouping = ""
        self.order = ("number", True)  # column, ascending
        self._place: dict[str, int] = {}
        self._shown: tuple[Any, ...] | None = (
            None  # units, profiles, order, grouping, filtered of what stands in `rows`
        )
        self._kept: dict[str, tuple[Unit, ProfileSet, Any]] = {}
        self._kept_for = ""
        self._verdicts: tuple[Any, dict[str, Verdict]] = (None, {})
        self.reload()

    # ------------------------------------------------------------ rows

    def column(self, at: int) -> Column | None:
        return BY_KEY.get(self.columns[at])

    def reload(self) -> None:
        """Take the units again; when the same units are in the same order only their cells are
        painted again.
        """
        profiles = profiles_of(self.bench.show)
        if self._in_place(profiles):
            return
        rows = list(self.bench.show.units)
        if self.filtered:
            rows = [u for u in rows if self._passes(u, profiles)]
        keys = self._sort_keys(profiles)
        rows.sort(key=lambda u: keys[u.id], reverse=not self.order[1])
        if self.grouping:
            rows.sort(key=lambda u: self._heading_key(u))
        same = len(rows) == len(self.rows) and all(
            a.id == b.id for a, b in zip(rows, self.rows, strict=True)
        )
        if not same:
            self.beginResetModel()
        self.rows = rows
        if same:
            if rows:
                self.dataChanged.emit(
                    self.index(0, 0), self.index(len(rows) - 1, len(self.columns) - 1)
                )
        else:
            self._place = {u.id: i for i, u in enumerate(rows)}
            self.endResetModel()
        self._shown = (self.bench.show.units, profiles, self.order, self.grouping, self.filtered)

    def _in_place(self, profiles: ProfileSet) -> bool:
        """An edit that leaves every row where it is: only the rows of changed units are
        replaced.
        """
        units = self.bench.show.units
        if (
            self._shown is None
            or self.filtered
            or self._shown[1:] != (profiles, self.order, self.grouping, False)
            or self.grouping
        ):
            return False
        if self.order[0] in ("crossing", "verdict") or len(units) != len(self._shown[0]):
            return False
        pairs = [(a, b) for a, b in zip(self._shown[0], units, strict=True) if a is not b]
        fresh = [b for _, b in pairs]
        if len(pairs) > MOST_IN_PLACE or any(
            a.id != b.id or b.id not in self._place for a, b in pairs
        ):
            return False
        column = BY_KEY[self.order[0]]

        def key(unit: Unit) -> Any:
            return (
                column.sort(unit, profiles) if column.sort else column.read(unit, profiles).lower()
            )

        if any(key(unit) != key(self.rows[self._place[unit.id]]) for unit in fresh):
            return False
        for unit in fresh:
            row = self._place[unit.id]
            self.rows[row] = unit
        if self.rows:  # what the crossing or a gel shows may have changed anywhere
            self.dataChanged.emit(
                self.index(0, 0), self.index(len(self.rows) - 1, len(self.columns) - 1)
            )
        self._shown = (units, *self._shown[1:])
        return True

    def _sort_keys(self, profiles: ProfileSet) -> dict[str, Any]:
        """What rows are ordered by; kept for units that did not change."""
        name = self.order[0]
        if name in ("crossing", "verdict"):
            states = self.bench.known.crossing.states
            return {
                u.id: (self.verdict(u) if name == "verdict" else states.get(u.id, ""), u.number)
                for u in self.bench.show.units
            }
        if self._kept_for != name:
            self._kept, self._kept_for = {}, name
        column, kept = BY_KEY[name], self._kept
        made: dict[str, Any] = {}
        for unit in self.bench.show.units:
            have = kept.get(unit.id)
            if have is None or have[0] is not unit or have[1] is not profiles:
                key = (
                    column.sort(unit, profiles)
                    if column.sort
                    else column.read(unit, profiles).lower()
                )
                have = kept[unit.id] = (unit, profiles, (key, unit.number))
            made[unit.id] = have[2]
        return made

    def heading(self, unit: Unit) -> str:
        """The heading a row stands under."""
        if self.grouping == "universe":
            return universes_of(unit)
        if self.grouping == "verdict":
            return self.verdict(unit) or "no verdict"
        column = BY_KEY.get(self.grouping)
        return (
            column.read(unit, profiles_of(self.bench.show)) if column else ""
        ) or f"no {NAMES.get(self.grouping, '').lower()}"

    def _heading_key(self, unit: Unit) -> Any:
        if self.grouping == "universe":
            return unit.patch[0].universe if unit.patch else 1 << 30
        text = self.heading(unit)
        return (text.startswith("no "), text.lower())

    def verdict(self, unit: Unit) -> str:
        if self._verdicts[0] is not self.bench.show.verdicts:
            self._verdicts = (
                self.bench.show.verdicts,
                {v.unit: v for v in self.bench.show.verdicts},
            )
        found = self._verdicts[1].get(unit.id)
        return (
            ""
            if found is None
            else found.result
            if holds(self.bench.show, found)
            else f"{found.result}, before a change"
        )

    def _passes(self, unit: Unit, profiles: ProfileSet) -> bool:
        if self.universe and not any(p.universe == self.universe for p in unit.patch):
            return False
        if self.snags_only and not any(
            letter in "fa" for letter in self.bench.known.crossing.states.get(unit.id, "")
        ):
            return False
        if self.chosen is not None:
            return unit.id in self.chosen
        if not self.needle:
            return True
        text = " ".join(c.read(unit, profiles) for c in core.COLUMNS).lower()
        return all(word in text for word in self.needle.lower().split())

    def set_needle(self, text: str) -> str:
        """Rows that mention the words; numbers, ranges and `all but …` choose units. Returns how it
        was understood.
        """
        self.needle, self.chosen = text.strip(), None
        if self.needle[:1].isdigit() or self.needle.lower().startswith(("all", "but")):
            try:
                found = read_choice(self.bench.show, self.needle)
            except EntryFault:
                return ""
            self.chosen = frozenset(found.ids)
            return found.words
        return ""

    @property
    def filtered(self) -> bool:
        return bool(self.needle or self.snags_only or self.universe)

    def row_of(self, unit: str) -> int:
        return self._place.get(unit, -1)

    # ------------------------------------------------------------ what Qt asks

    def rowCount(self, parent: Index = QModelIndex()) -> int:  # noqa: B008
        return 0 if parent.isValid() else len(self.rows)

    def columnCount(self, parent: Index = QModelIndex()) -> int:  # noqa: B008
        return 0 if parent.isValid() else len(self.columns)

    def text(self, row: int, column: int) -> str:
        found = self.column(column)
        unit = self.rows[row]
        return (
            found.read(unit, profiles_of(self.bench.show))
            if found
            else self.verdict(unit)
            if self.columns[column] == "verdict"
            else ""
        )

    def data(self, index: Index, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        if role in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.EditRole):
            return self.text(index.row(), index.column())
        if role == Qt.ItemDataRole.AccessibleTextRole:
            return (
                f"{NAMES[self.columns[index.column()]]} of unit {self.rows[index.row()].number}: "
                f"{self.text(index.row(), index.column())}"
            )
        return None

    def flags(self, index: Index) -> Qt.ItemFlag:
        flags = Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable
        column = self.column(index.column())
        return flags | Qt.ItemFlag.ItemIsEditable if column and column.writable else flags

    def setData(self, index: Index, value: Any, role: int = Qt.ItemDataRole.EditRole) -> bool:
        return self.write([(index.row(), index.column(), str(value))])

    def headerData(
        self, section: int, orientation: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole
    ) -> Any:
        if orientation == Qt.Orientation.Horizontal and role == Qt.ItemDataRole.DisplayRole:
            return NAMES[self.columns[section]]
        return None

    def sort(self, column: int, order: Qt.SortOrder = Qt.SortOrder.AscendingOrder) -> None:
        self.order = (self.columns[column], order == Qt.SortOrder.AscendingOrder)
        self.reload()

    def set_columns(self, keys: Sequence[str]) -> None:
        """Which columns are shown, in the usual order; the unit's number always is."""
        wanted = {"number", *keys}
        self.beginResetModel()
        self.columns = [key for key in EVERY if key in wanted]
        self.endResetModel()

    # ------------------------------------------------------------ writing

    def write(self, cells: Sequence[tuple[int, int, str]], what: str = "") -> bool:
        """Set cells as one edit; a value that cannot be taken is told and nothing is changed.

        When an address among them is another unit's, the ways out are shown first.
        """
        wanted = [
            (self.rows[row].id, self.columns[column], text)
            for row, column, text in cells
            if self.column(column)
        ]
        if not wanted:
            return False
        unit = index_of(self.bench.show).by_id[wanted[0][0]]
        name = what or (
            f"{NAMES[wanted[0][1]].lower()} of {unit.number}"
            if len(wanted) == 1
            else f"write {many(len(wanted), 'cell')}"
        )
        return self.write_units(wanted, name)

    def write_units(self, wanted: Sequence[core.Cell], name: str) -> bool:
        def run() -> None:
            made = core.write_cells(self.bench.show, wanted, write_gel)
            if made.placing is not None:
                self.bench.place(name, made.placing)
            else:
                self.bench.commit(name, made.show)

        return bool(wanted) and self.bench.guard(run)


def write_gel(show: Show, ids: Sequence[str], text: str) -> Show:
    """A gel typed anywhere is looked for in the books at hand."""
    return set_gel(show, ids, text, books_at_hand())
