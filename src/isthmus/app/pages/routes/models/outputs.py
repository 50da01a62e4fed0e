"""The outputs as a table that is typed in, copied from and pasted into as a spreadsheet."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any

from PySide6.QtCore import QEvent, QModelIndex, QObject, QPersistentModelIndex, Qt
from PySide6.QtGui import QGuiApplication, QKeyEvent, QKeySequence
from PySide6.QtWidgets import QAbstractItemView, QTableView

from isthmus.app.kit.theme import font
from isthmus.app.kit.widgets import Index, RowsModel, plain_table
from isthmus.app.model.workbench import Workbench
from isthmus.errors import EntryFault
from isthmus.patch.numbers import read_numbers
from isthmus.routes import (
    WORDS,
    Reach,
    read_hosts,
    read_number,
    read_universe,
    universes_in_use,
    write_number,
)
from isthmus.routes import edits as core
from isthmus.show import Show
from isthmus.show.records import Output

COLUMNS = (
    "Universe",
    "Units",
    "To",
    "Protocol",
    "Delivery",
    "Host",
    "Number",
    "Net.Sub.Uni",
    "Priority",
    "On",
    "State",
    "Label",
    "Merge note",
)
UNIVERSE, UNITS, TO, PROTOCOL, WAY, HOST, NUMBER, WRITTEN, PRIORITY, ON, STATE, LABEL, MERGE = (
    range(len(COLUMNS))
)
WIDTHS = (66, 44, 166, 66, 78, 116, 62, 118, 56, 34, 62, 120, 110)
_TOLD = (UNITS, TO, WRITTEN, STATE)


def read_cell(show: Show, output: Output, column: int, text: str) -> Show:
    """A typed cell as an edit. Raises EntryFault."""
    text = " ".join(text.split())
    if column == PROTOCOL:
        key = text.casefold().replace("-", "").replace(" ", "")
        if key not in WORDS:
            raise EntryFault(f"“{text[:30]}” is not a protocol.", do="Write Art-Net or sACN.")
        return core.change_protocol(show, {output.id}, key)
    changes: dict[str, object]
    if column == UNIVERSE:
        changes = {"universe": read_numbers(text)[0]}
    elif column == WAY:
        changes = {"delivery": text.casefold()}
    elif column == HOST:
        changes = {"device": text} if output.protocol == "dmx" else _to_hosts(output, text)
    elif column == NUMBER:
        changes = _to_number(output, text)
    elif column == PRIORITY:
        changes = {"priority": read_universe(text) if text != "0" else 0}
    elif column == ON:
        changes = {"enabled": text.casefold() in ("1", "on", "yes", "x", "true")}
    else:
        changes = {"label" if column == LABEL else "merge": text[:80]}
    return core.change_output(show, output.id, **changes)


def _to_hosts(output: Output, text: str) -> dict[str, object]:
    hosts = read_hosts(text)
    return {
        "host": hosts[0] if hosts else "",
        "more_hosts": hosts[1:],
        "delivery": "unicast" if hosts else output.delivery,
    }


def _to_number(output: Output, text: str) -> dict[str, object]:
    if output.protocol == "dmx":
        raise EntryFault("A DMX port has no number.", do="Change its universe, or its port.")
    key = "port_address" if output.protocol == "artnet" else "sacn"
    return {key: read_number(output.protocol, text)}


class OutputsModel(RowsModel):
    COLUMNS = COLUMNS
    MEDIUM = (UNIVERSE, NUMBER)
    MONO = (UNIVERSE, UNITS, HOST, NUMBER, WRITTEN, PRIORITY)

    def __init__(self, bench: Workbench) -> None:
        super().__init__()
        self.bench = bench
        self._reach = Reach(bench.show)
        self._use: dict[int, int] = {}

    def refresh(self) -> None:
        show = self.bench.show
        self._reach, self._use = Reach(show), universes_in_use(show)
        outputs = tuple(show.outputs)
        if len(outputs) == len(self.rows):  # cells may have changed: the place and the choice stay
            self.rows = outputs
            if outputs:
                self.dataChanged.emit(
                    self.index(0, 0), self.index(len(outputs) - 1, len(COLUMNS) - 1)
                )
        else:
            self.take(outputs)

    def words(self, row: Output, column: int) -> str:
        output = row
        if output.protocol == "dmx" and column in (TO, NUMBER, WRITTEN):
            return "this computer" if column == TO else ""
        if column == TO:
            ports = self._reach.of_output.get(output.id, [])
            more = f" +{len(ports) - 1}" if len(ports) > 1 else ""
            return (
                ports[0].label + more
                if ports
                else "anybody"
                if output.delivery == "multicast"
                else "no expected node"
            )
        if column == WRITTEN:
            return write_number(output.protocol, output.number).split(" ", 1)[1]
        if column == STATE:
            return " ".join(
                part for part in (output.role, self.bench.levels.masters.of(output)) if part
            )
        plain = {
            UNIVERSE: str(output.universe),
            UNITS: str(self._use.get(output.universe, 0)),
            PROTOCOL: WORDS[output.protocol],
            WAY: output.delivery,
            HOST: output.device or ", ".join(output.hosts),
            NUMBER: str(output.number),
            PRIORITY: str(output.priority) if output.protocol == "sacn" else "",
            LABEL: output.label,
            MERGE: output.merge,
        }
        return plain.get(column, "")

    def ink(self, row: Output, column: int) -> str:
        if column == STATE:
            return "ochre"
        return "text" if column in (UNIVERSE, NUMBER, LABEL) and row.enabled else "text2"

    def data(self, index: Index, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        output: Output = self.rows[index.row()]
        if role == Qt.ItemDataRole.CheckStateRole and index.column() == ON:
            return Qt.CheckState.Checked if output.enabled else Qt.CheckState.Unchecked
        if role == Qt.ItemDataRole.UserRole:
            return output.id
        return super().data(index, role)

    def flags(self, index: QModelIndex | QPersistentModelIndex) -> Qt.ItemFlag:
        plain = Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable
        if index.column() == ON:
            return plain | Qt.ItemFlag.ItemIsUserCheckable
        return plain if index.column() in _TOLD else plain | Qt.ItemFlag.ItemIsEditable

    def setData(
        self,
        index: QModelIndex | QPersistentModelIndex,
        value: Any,
        role: int = Qt.ItemDataRole.EditRole,
    ) -> bool:
        output, column = self.rows[index.row()], index.column()
        if role == Qt.ItemDataRole.CheckStateRole:
            value = "on" if Qt.CheckState(value) == Qt.CheckState.Checked else "off"
        elif role != Qt.ItemDataRole.EditRole or str(value) == self.words(output, column):
            return False
        name = f"change output, {COLUMNS[column].lower()}"
        return self.bench.guard(
            lambda: self.bench.commit(name, read_cell(self.bench.show, output, column, str(value)))
        )

    def paste(self, row: int, column: int, lines: Sequence[Sequence[str]]) -> None:
        """A block of cells from a spreadsheet, as one edit; columns that are only told are passed
        over. Raises EntryFault.
        """
        show = self.bench.show
        for y, cells in enumerate(lines):
            if row + y < len(self.rows):
                for x, text in enumerate(cells):
                    if (
                        column + x < len(COLUMNS)
                        and column + x not in _TOLD
                        and not (column + x == PRIORITY and not text.strip())
                    ):
                        current = next(o for o in show.outputs if o.id == self.rows[row + y].id)
                        show = read_cell(show, current, column + x, text)
        self.bench.commit("paste outputs", show)


class _Paste(QObject):
    def __init__(self, table: QTableView, bench: Workbench, model: OutputsModel) -> None:
        super().__init__(table)
        self._table, self._bench, self._model = table, bench, model
        table.installEventFilter(self)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if (
            isinstance(event, QKeyEvent)
            and event.type() == QEvent.Type.KeyPress
            and event.matches(QKeySequence.StandardKey.Paste)
        ):
            at = self._table.currentIndex()
            lines = [
                line.split("\t")
                for line in QGuiApplication.clipboard().text().rstrip("\r\n").splitlines()
            ]
            if at.isValid() and lines:
                self._bench.guard(lambda: self._model.paste(at.row(), at.column(), lines))
            return True
        return super().eventFilter(watched, event)


def outputs_table(bench: Workbench, model: OutputsModel, picked: Callable[[], None]) -> QTableView:
    made = plain_table(model, "outputs", "Outputs", WIDTHS, LABEL)
    made.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
    made.horizontalHeader().setFont(font("caption", 500))
    made.setTabKeyNavigation(False)
    made.selectionModel().selectionChanged.connect(lambda *_: picked())
    _Paste(made, bench, model)
    return made
