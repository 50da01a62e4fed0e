"""A unit unfolded to its channels: slot, attribute, the range now in force, asked and sent, limits
that can be typed.
"""

from __future__ import annotations

from typing import Any

from PySide6.QtCore import QModelIndex, QPersistentModelIndex, Qt
from PySide6.QtWidgets import QVBoxLayout, QWidget

from isthmus.app.kit.theme import theme
from isthmus.app.kit.widgets import RowsModel, bind, label, plain_table
from isthmus.app.model.workbench import Workbench
from isthmus.patch.index import index_of
from isthmus.patch.limits import set_limit
from isthmus.plural import many
from isthmus.profiles import chart
from isthmus.profiles.attributes import plain
from isthmus.profiles.chart import ChartChannel
from isthmus.profiles.natural import range_in_force, ranges, write_level
from isthmus.show import write_address
from isthmus.show.records import Unit

HEAD = ("Slot", "Channel", "Asked", "Sent", "Range in force", "Lowest", "Highest")


class ChannelsModel(RowsModel):
    COLUMNS = HEAD

    def __init__(self, bench: Workbench) -> None:
        super().__init__()
        self.bench = bench
        self.unit: Unit | None = None
        self.items: list[ChartChannel] = []

    def count(self) -> int:
        return len(self.items)

    def show_unit(self, unit: Unit | None) -> None:
        mode = index_of(self.bench.show).profiles.mode_of(unit) if unit else None
        items = [c for c in chart(*mode).channels if c.slots] if mode else []
        same = (
            items == self.items
            and self.unit is not None
            and unit is not None
            and self.unit.id == unit.id
        )
        self.unit = unit
        if same:
            self.repaint()
            return
        self.beginResetModel()
        self.items = items
        self.endResetModel()

    def repaint(self) -> None:
        if self.items:
            self.dataChanged.emit(self.index(0, 0), self.index(len(self.items) - 1, len(HEAD) - 1))

    def _slots(self, item: ChartChannel) -> str:
        assert self.unit
        found = []
        for entry in self.unit.patch or ():
            if item.slots[0][0] == entry.block:
                first = entry.address + item.slots[0][1] - 1
                last = entry.address + item.slots[-1][1] - 1
                found.append(
                    write_address(entry.universe, first) + (f"+{last:03d}" if last != first else "")
                )
        if found:
            return ", ".join(found)
        return "+".join(str(offset) for _, offset in item.slots)

    def text(self, item: ChartChannel, column: int) -> str:
        assert self.unit
        if column == 0:
            return self._slots(item)
        if column == 1:
            cell = f"  {self.unit.number}.{item.cell}" if item.cell else ""
            return plain(item.attribute) + cell
        if column > 4:
            mine = [found for found in self.unit.limits if found.attribute == item.attribute]
            return write_level(item, mine[0].low if column == 5 else mine[0].high) if mine else ""
        live = self.bench.levels.live
        asked = live.level(self.unit.id, item.attribute, item.cell)
        sent = live.sent_level(self.unit.id, item.attribute, item.cell)
        if column == 2:
            return "" if asked is None else write_level(item, asked)
        if column == 3:
            return "not sent" if sent is None else write_level(item, sent)
        level = sent if sent is not None else asked
        return "" if level is None or len(ranges(item)) < 2 else range_in_force(item, level)

    def data(
        self, index: QModelIndex | QPersistentModelIndex, role: int = Qt.ItemDataRole.DisplayRole
    ) -> Any:
        if role in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.EditRole):
            return self.text(self.items[index.row()], index.column())
        if role == Qt.ItemDataRole.ForegroundRole and index.column() == 3:
            item = self.items[index.row()]
            if self.unit and self.text(item, 2) != self.text(item, 3) != "not sent":
                return theme.color("ochre")
        return None

    def flags(self, index: QModelIndex | QPersistentModelIndex) -> Qt.ItemFlag:
        flags = Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable
        return flags | Qt.ItemFlag.ItemIsEditable if index.column() > 4 else flags

    def setData(
        self,
        index: QModelIndex | QPersistentModelIndex,
        value: Any,
        role: int = Qt.ItemDataRole.EditRole,
    ) -> bool:
        item = self.items[index.row()]
        low, high = self.text(item, 5), self.text(item, 6)
        low, high = (str(value), high) if index.column() == 5 else (low, str(value))
        units = list(self.bench.selection.ids)

        def run() -> None:
            name = f"limit {plain(item.attribute)} of {many(len(units), 'unit')}"
            self.bench.commit(name, set_limit(self.bench.show, units, item.attribute, low, high))

        return self.bench.guard(run)


class Unfolded(QWidget):
    """The channels of the first selected unit; limits typed here hold for all that are selected."""

    def __init__(self, bench: Workbench) -> None:
        super().__init__()
        self.bench = bench
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        self.title = label("", size="section", weight=600)
        self.title.setFixedHeight(22)
        column.addWidget(self.title)
        self.model = ChannelsModel(bench)
        self.table = plain_table(
            self.model,
            "channels",
            "Channels of the selected unit",
            (124, 140, 84, 84, 150, 96, 96),
            4,
        )
        column.addWidget(self.table)
        bench.selection.changed.connect(self.refresh)
        bind(bench.changed, self, self.refresh)
        bench.levels.changed.connect(self._levels)
        self.refresh()

    def _levels(self) -> None:
        if self.isVisible():
            self.model.repaint()

    def refresh(self) -> None:
        units = self.bench.selection.units()
        self.model.show_unit(units[0] if units else None)
        if not units:
            self.title.setText("Channels: nothing selected")
            return
        more = (
            f", and {len(units) - 1} more selected; limits typed here hold for all of them"
            if len(units) > 1
            else ""
        )
        self.title.setText(f"Channels of {units[0].number} {units[0].name}{more}")
