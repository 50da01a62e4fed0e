"""The simulator, marked as simulation: see what it does, and break things while one watches."""

from __future__ import annotations

import json
from collections.abc import Callable, Sequence
from functools import partial
from typing import Any

from PySide6.QtCore import QTimer
from PySide6.QtGui import QPainter, QPaintEvent
from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from isthmus.app.kit import paint
from isthmus.app.kit.painted import Painted
from isthmus.app.kit.theme import font, theme
from isthmus.app.kit.widgets import (
    PageView,
    RowsModel,
    Section,
    button,
    column_of,
    field,
    label,
    plain_table,
    take_row,
)
from isthmus.app.model.workbench import Workbench
from isthmus.errors import EntryFault, IsthmusError
from isthmus.plural import many
from isthmus.standin import RigClient
from isthmus.standin.scenario import CELLS, FAULTS

REFRESH_MS = 400


class _Sign(Painted, QWidget):
    """Says loudly that none of this hangs anywhere."""

    def __init__(self) -> None:
        super().__init__()
        self.setFixedHeight(26)

    def draw(self, p: QPainter, event: QPaintEvent) -> None:
        p.fillRect(self.rect(), theme.color("select_row"))
        p.fillRect(0, 0, 3, self.height(), theme.color("ochre"))
        words = "A simulator on this computer, not the real rig. Nothing here is part of the show."
        paint.text(p, 14, 0, words, font("table", 500), "text", height=self.height())


class NodesModel(RowsModel):
    COLUMNS = (
        "Node",
        "Address",
        "Port",
        "Listens to",
        "Delivery",
        "Packets",
        "Senders",
        "Highest",
        "Power",
    )
    MONO = (1, 2, 3, 4, 5, 6, 7, 8)
    TOLD = (0, 1, 2, 3, 4, 5, 6, 7, 8)
    KEYS = ("node", "ip", "port", "port_address", "direction", "packets", "senders", "highest")

    def cells(self, row: dict[str, Any]) -> Sequence[str]:
        return *(str(row[key]) for key in self.KEYS), "on" if row["on"] else "off"

    def ink(self, row: dict[str, Any], column: int) -> str:
        if not row["on"]:
            return "fault"
        return "text" if column == 0 else "text2"


class UnitsModel(RowsModel):
    COLUMNS = ("Unit", "Serial", "Address", "Mode", "Level", "Faults")
    MONO = (0, 1, 2, 4)
    TOLD = (0, 1, 2, 3, 4, 5)

    def cells(self, row: dict[str, Any]) -> Sequence[str]:
        return (
            row["label"],
            row["serial"],
            str(row["address"]),
            row["mode"],
            f"{row['level'] * 100:.0f} %" if row["level"] else "",
            ", ".join(row["faults"]),
        )

    def ink(self, row: dict[str, Any], column: int) -> str:
        return {0: "text", 4: "text", 5: "fault"}.get(column, "text2")


def _said(fault: str) -> str:
    return fault[:1].upper() + fault[1:].replace("rdm", "RDM")


class RigView(PageView):
    """`address` is the stand-in's local socket; None where none runs."""

    def __init__(self, bench: Workbench, address: tuple[str, int] | None) -> None:
        super().__init__()
        self.bench, self.address = bench, address
        self._client: RigClient | None = None
        column = column_of(self)
        column.addWidget(_Sign())
        both = QHBoxLayout()
        both.setSpacing(18)
        left, right = QVBoxLayout(), QVBoxLayout()
        for side in (left, right):
            side.setSpacing(6)
        left.addWidget(Section("Nodes and their ports"))
        self.nodes = NodesModel()
        self.node_table = plain_table(
            self.nodes, "rig nodes", "Stand-in nodes", (70, 84, 36, 66, 36, 62, 56, 56, 46), 0
        )
        left.addWidget(self.node_table, 1)
        power = (
            ("Power off", {"on": False}),
            ("Power on", {"on": True}),
            ("Restart", {"restart": 2.0}),
            ("Twin", {"twin": True}),
        )
        left.addLayout(
            self._row(
                *((words, f"rig {words}", partial(self._node, **order)) for words, order in power)
            )
        )
        self.change = field("rig node change", "", "drop=0.2, merge=ltp, ports=[0,5]")
        left.addLayout(
            self._row(("Change it", "rig change node", self._change_node), first=self.change)
        )
        second = ("A second sender to that port", "rig second sender", self._second)
        left.addLayout(self._row(second, ("Silence it", "rig quiet", partial(self._do, "quiet"))))
        right.addWidget(Section("Units as they hang"))
        self.units = UnitsModel()
        self.unit_table = plain_table(
            self.units, "rig units", "Stand-in units", (50, 70, 64, 90, 56, 120), 5
        )
        right.addWidget(self.unit_table, 1)
        faults = [
            (
                fault[:1].upper() + fault[1:].replace("rdm", "RDM"),
                f"rig fault {fault}",
                partial(self._fault, fault),
            )
            for fault in FAULTS
        ]
        plain = len(faults) - len(CELLS)
        faults.insert(plain, ("Whole again", "rig whole", partial(self._unit, faults=[])))
        for some in (faults[:4], faults[4 : plain + 1], faults[plain + 1 : -3], faults[-3:]):
            right.addLayout(self._row(*some))
        self.truth = field("rig unit change", "", "address=40, mode=Short")
        right.addLayout(
            self._row(("Change it", "rig change unit", self._change_unit), first=self.truth)
        )
        both.addLayout(left, 1)
        both.addLayout(right, 1)
        column.addLayout(both, 1)
        self.told = label("", "quiet")
        column.addWidget(self.told)
        self._timer = QTimer(self)
        self._timer.setInterval(REFRESH_MS)
        self._timer.timeout.connect(self.refresh)

    def _row(
        self, *buttons: tuple[str, str, Callable[[], object]], first: QWidget | None = None
    ) -> QHBoxLayout:
        """Buttons (words, name, what they do) beside each other, behind a field if there is one."""
        row = QHBoxLayout()
        row.setSpacing(6)
        if first is not None:
            row.addWidget(first, 1)
        for words, name, run in buttons:
            row.addWidget(button(words, run=partial(self.bench.guard, run), name=name))
        if first is None:
            row.addStretch(1)
        return row

    def entered(self) -> None:
        self._timer.start()
        self.refresh()

    def left(self) -> None:
        self._timer.stop()
        if self._client:
            self._client.close()
            self._client = None

    def refresh(self) -> None:
        if self.address is None:
            self.told.setText(
                "No simulator runs beside this window. Start one with ./run demo, or: "
                "isthmus rig --scenario FILE"
            )
            return
        try:
            self._client = self._client or RigClient(self.address, 1.0)
            state = self._client.ask("state")
        except IsthmusError as error:
            self._client = None
            self.told.setText(str(error))
            return
        power = {node["name"]: node["on"] for node in state["nodes"]}
        self._fill(
            self.node_table,
            self.nodes,
            [{**port, "on": power[port["node"]]} for port in state["ports"]],
        )
        self._fill(self.unit_table, self.units, state["units"])
        others = len(state["others"])
        lit = sum(1 for unit in state["units"] if unit["level"])
        self.told.setText(
            f"{lit} of {many(len(state['units']), 'unit')} give light. {others or 'No'} second "
            f"sender{'s' * (others != 1)}."
        )

    @staticmethod
    def _fill(table: Any, model: RowsModel, rows: list[dict[str, Any]]) -> None:
        if len(rows) == len(model.rows):
            model.rows = rows
            if rows:
                model.dataChanged.emit(
                    model.index(0, 0), model.index(len(rows) - 1, len(model.COLUMNS) - 1)
                )
        else:
            model.take(rows)
            take_row(table, 0)

    # ------------------------------------------------------------ breaking things

    def _do(self, what: str, **order: Any) -> None:
        if self._client is None:
            raise EntryFault("The simulator does not answer.")
        self._client.do(what, **order)
        self.refresh()

    def _port(self) -> dict[str, Any]:
        at = self.node_table.currentIndex().row()
        if not 0 <= at < len(self.nodes.rows):
            raise EntryFault("No port is chosen.", do="Click one first.")
        return self.nodes.rows[at]

    def _node(self, **order: Any) -> None:
        self._do("node", name=self._port()["node"], **order)

    def _second(self) -> None:
        port = self._port()
        self._do(
            "send", protocol=port["protocol"], number=port["port_address"], to=port["ip"], level=90
        )

    def _chosen_units(self) -> list[dict[str, Any]]:
        rows = sorted({index.row() for index in self.unit_table.selectionModel().selectedRows()})
        if not rows:
            raise EntryFault("No unit is chosen.", do="Click one first.")
        return [self.units.rows[row] for row in rows]

    def _fault(self, fault: str) -> None:
        for unit in self._chosen_units():
            have = set(unit["faults"])
            self._do(
                "unit",
                label=unit["label"],
                faults=sorted(have - {fault} if fault in have else have | {fault}),
            )

    def _unit(self, **order: Any) -> None:
        for unit in self._chosen_units():
            self._do("unit", label=unit["label"], **order)

    def _change_node(self) -> None:
        self._node(**read_changes(self.change.text()))

    def _change_unit(self) -> None:
        self._unit(**read_changes(self.truth.text()))


def read_changes(text: str) -> dict[str, Any]:
    """`drop=0.2, ports=[0,5]` as a record; what is not a JSON is a word. Raises EntryFault."""
    found: dict[str, Any] = {}
    depth, part = 0, ""
    for c in text + ",":
        depth += (c in "[{") - (c in "]}")
        if c == "," and depth == 0:
            if part.strip():
                key, equals, value = part.partition("=")
                if not equals:
                    raise EntryFault(f"“{part.strip()[:40]}” says nothing.", do="Write name=value.")
                try:
                    found[key.strip()] = json.loads(value)
                except ValueError:
                    found[key.strip()] = value.strip()
            part = ""
        else:
            part += c
    return found
