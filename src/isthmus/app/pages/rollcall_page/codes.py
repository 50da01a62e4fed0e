"""Several units hunted at once: every address spells its number in light, and on or off is noted for each unit."""

from __future__ import annotations

import time
from collections.abc import Sequence
from typing import Any

from PySide6.QtCore import QModelIndex, QPersistentModelIndex, Qt
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QHBoxLayout, QWidget

from isthmus.app.theme import font, theme
from isthmus.app.widgets import RowsModel, button, column_of, label, plain_table
from isthmus.app.workbench import Workbench
from isthmus.check.hunt import CODE_BITS, code_frames, common_value, read_code
from isthmus.check.prove import ProveSlots
from isthmus.errors import EntryFault
from isthmus.profiles import light_program, profiles_of
from isthmus.show.records import Unit

Index = QModelIndex | QPersistentModelIndex
FRAMES = 2 * CODE_BITS


class CodesModel(RowsModel):
    """Unit, whether it is lit now, what was noted so far, and the address it spells."""

    COLUMNS = ("Unit", "Name", "Lit now", "Noted", "Listens at")

    def __init__(self) -> None:
        super().__init__()
        self.seen: dict[str, list[bool]] = {}
        self.at = 0
        self.found: dict[str, list[int]] = {}

    def data(self, index: Index, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        unit: Unit = self.rows[index.row()]
        noted = self.seen[unit.id]
        if role == Qt.ItemDataRole.DisplayRole:
            spelt = "".join("●" if on else "○" for on in noted[: self.at])
            places = self.found.get(unit.id)
            where = "" if places is None else " or ".join(f"{a:03d}" for a in places[:3]) or "nothing fits"
            now = "" if self.at >= FRAMES else "● lit" if noted[self.at] else "○ dark"
            return (str(unit.number), unit.name, now, spelt, where)[index.column()]
        if role == Qt.ItemDataRole.FontRole:
            return font("table", 500 if index.column() == 0 else 400, mono=index.column() in (0, 3, 4))
        if role == Qt.ItemDataRole.ForegroundRole:
            if index.column() == 2:
                return theme.color("coral" if self.at < FRAMES and noted[self.at] else "text2")
            return theme.color("teal" if index.column() == 4 else "text" if index.column() < 2 else "text2")
        return None

    def note(self, row: int, on: bool) -> None:
        self.seen[self.rows[row].id][self.at] = on
        self.dataChanged.emit(self.index(row, 0), self.index(row, len(self.COLUMNS) - 1))


class Codes(QWidget):
    """Shown below the hunt while several units are hunted."""

    def __init__(self, bench: Workbench) -> None:
        super().__init__()
        self.bench = bench
        self.universe = self.value = 0
        column = column_of(self, 6)
        self.words = label("", size="body", weight=600, wrap=True)
        column.addWidget(self.words)
        self.model = CodesModel()
        self.table = plain_table(self.model, "light codes", "Which units are lit in this picture", (52, 150, 80, 210, 110), 1)
        self.table.clicked.connect(lambda index: self._flip(index.row()))
        column.addWidget(self.table, 1)
        row = QHBoxLayout()
        self.back = button("Picture before  ←", "quiet", lambda: self.turn(-1), 32, "code back")
        self.on = button("Next picture  →", run=lambda: self.turn(1), height=32, name="code next")
        row.addWidget(self.back)
        row.addWidget(self.on)
        row.addWidget(label("Space or a click notes a unit as lit or dark.", "quiet"))
        row.addStretch(1)
        column.addLayout(row)

    def begin(self, ids: Sequence[str]) -> None:
        """Raises EntryFault where units stand in several universes, or no safe byte lights them all."""
        show = self.bench.show
        units = [u for u in show.units if u.id in set(ids) and u.patch]
        universes = {u.patch[0].universe for u in units}
        if len(universes) != 1:
            raise EntryFault("Light codes are for units of one universe.", do="Hunt those of each universe by themselves.")
        self.universe = universes.pop()
        self.value = common_value(show, self.universe, [u.id for u in units])
        self.model.seen = {u.id: [False] * FRAMES for u in units}
        self.model.at, self.model.found = 0, {}
        self.model.take([])
        self.model.take(units)
        self.table.selectRow(0)
        self._show()

    def turn(self, by: int) -> None:
        self.model.at = max(0, min(FRAMES, self.model.at + by))
        self._show()

    def _flip(self, row: int) -> None:
        if self.model.at < FRAMES:
            self.model.note(row, not self.model.seen[self.model.rows[row].id][self.model.at])

    def keyPressEvent(self, event: QKeyEvent) -> None:
        row = self.table.currentIndex().row()
        if event.key() == Qt.Key.Key_Space and row >= 0:
            self._flip(row)
        elif event.key() in (Qt.Key.Key_Right, Qt.Key.Key_Left):
            self.turn(1 if event.key() == Qt.Key.Key_Right else -1)
        else:
            super().keyPressEvent(event)

    def _show(self) -> None:
        bench, at = self.bench, self.model.at
        if at < FRAMES:
            slots = code_frames(self.universe, self.value)[at]
            bench.begin_proof(lambda: ProveSlots(bench.show, bench.live, time.monotonic(), slots, f"Light code, picture {at + 1}"))
            self.words.setText(f"Picture {at + 1} of {FRAMES}: note every unit that is lit, then go on.")
        else:
            bench.end_proof()
            self._read()
        self.back.setEnabled(at > 0)
        self.on.setEnabled(at < FRAMES)
        self.model.dataChanged.emit(self.model.index(0, 0), self.model.index(max(0, len(self.model.rows) - 1), 4))

    def _read(self) -> None:
        profiles = profiles_of(self.bench.show)
        for unit in self.model.rows:
            found = profiles.mode_of(unit)
            seen = self.model.seen[unit.id]
            if found:
                program = light_program(*found)
                exact = read_code(program, self.universe, self.value, seen)
                self.model.found[unit.id] = exact or read_code(program, self.universe, self.value, seen, 1)
        self.words.setText(f"{FRAMES} pictures noted: where each unit listens stands in the table. A unit that never lit spells nothing.")
