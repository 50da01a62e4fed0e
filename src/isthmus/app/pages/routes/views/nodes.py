"""Nodes: what answers against what is expected, and setting one from here."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any

from PySide6.QtCore import QModelIndex, QPersistentModelIndex, Qt, Signal
from PySide6.QtWidgets import QHBoxLayout, QListWidget, QListWidgetItem, QVBoxLayout, QWidget

from isthmus.app.kit.actions import Registry
from isthmus.app.kit.dialogs import Entry
from isthmus.app.kit.theme import font, theme
from isthmus.app.kit.widgets import (
    PageView,
    RowsModel,
    Section,
    bind,
    button,
    column_of,
    field,
    label,
    plain_table,
    take_row,
)
from isthmus.app.model.net_link import NetLink
from isthmus.app.model.workbench import Workbench
from isthmus.app.pages.routes.dialogs.set import SetDialog
from isthmus.app.pages.routes.views.routes import NODE_FIELDS, read_node, write_node
from isthmus.errors import EntryFault
from isthmus.net import Difference, FoundNode, FoundPort, View
from isthmus.net.found import IN, OUT, as_expected, compare, pair
from isthmus.net.setting import PortWish, Wish
from isthmus.plural import many
from isthmus.routes import edits as core
from isthmus.routes import read_host, read_port_address, write_number
from isthmus.show.records import Node

SEVERITIES = {"fault": "fault", "attention": "ochre", "ok": "teal"}


@dataclass(frozen=True)
class NodeRow:
    """An expected node, one that answers, or both."""

    node: Node | None
    real: FoundNode | None
    state: str
    severity: str

    @property
    def name(self) -> str:
        either = self.node or self.real
        return either.name if either else ""


def rows_of(bench: Workbench) -> list[NodeRow]:
    view = bench.known.network or View()
    pairs = pair(bench.show, view.nodes)
    wrong = {d.node for d in compare(bench.show, view.nodes)}
    rows = []
    for node in bench.show.nodes:
        real = pairs.get(node.id)
        if real is not None:
            state, severity = (
                ("differs", "attention") if node.id in wrong else ("as expected", "ok")
            )
        elif node.protocol == "sacn":
            state, severity = "cannot be asked", "note"
        else:
            state, severity = (
                ("does not answer", "fault") if view.looked else ("not asked yet", "note")
            )
        rows.append(NodeRow(node, real, state, severity))
    known = {real.ip for real in pairs.values()} | {node.ip for node in bench.show.nodes}
    return rows + [
        NodeRow(None, real, "silent" if real.silent else "not expected", "note")
        for real in view.nodes
        if real.ip not in known
    ]


class NodesModel(RowsModel):
    COLUMNS = ("", "Node", "Address", "Answers at", "Place", "Ports", "Firmware", "RDM")
    MEDIUM = (1,)
    MONO = (2, 3, 5, 6)
    TOLD = (0, 3, 6, 7)

    def cells(self, row: NodeRow) -> Sequence[str]:
        node, real = row.node, row.real
        ports = real.ports if real else node.ports if node else ()
        return (
            row.state,
            row.name,
            node.ip if node else "",
            real.ip if real else "",
            node.place if node else real.long_name if real else "",
            str(len(ports)),
            *((str(real.firmware), "yes" if real.rdm else "no") if real else ("", "")),
        )

    def slanted(self, row: NodeRow, column: int) -> bool:
        return column in self.TOLD or row.node is None

    def ink(self, row: NodeRow, column: int) -> str:
        if column == 0:
            return SEVERITIES.get(row.severity, "text2")
        return "text" if column == 1 else "text2"


def read_direction(text: str, port: FoundPort) -> dict[str, Any]:
    """in, out, or what an input is to be: on, off. Raises EntryFault."""
    words = set(text.replace(",", " ").split())
    if not words or words - {"in", "out", "on", "off"}:
        raise EntryFault(
            f"“{text[:20]}” is not a direction.",
            do="Write in, out, or for an input: in off, in on.",
        )
    way = IN if words & {"in", "on", "off"} else OUT
    disabled = "off" in words if words & {"on", "off"} else None
    return {
        "direction": None if way == port.direction else way,
        "disabled": None if disabled == port.disabled else disabled,
    }


def write_direction(port: FoundPort, wish: PortWish) -> str:
    off = port.disabled if wish.disabled is None else wish.disabled
    direction = wish.direction or port.direction
    return f"{direction} off" if off and direction == IN else direction


PortRow = tuple[int, str, FoundPort | None]  # number, what the show expects, what the node says


def _expected(node: Node, at: int) -> str:
    written = write_number(node.protocol, node.ports[at]) if at < len(node.ports) else ""
    return written + (" in" if at + 1 in node.inputs else "")


def _state_of(port: FoundPort) -> str:
    said = (
        (port.merging, "merges two senders"),
        (port.active, "live"),
        (port.disabled, "input off"),
    )
    return next((words for true, words in said if true), "nothing yet")


class PortsModel(RowsModel):
    """The ports of one node; what is typed here is only a wish until it is set."""

    COLUMNS = ("Port", "Expected", "Reported", "Set to", "Direction", "Merge", "State")
    MONO = (0, 1, 2, 3)
    TOLD = (2, 4, 5, 6)
    wished = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.wishes: dict[int, PortWish] = {}

    def show_node(self, row: NodeRow | None) -> None:
        node, real = (row.node, row.real) if row else (None, None)
        count = max(len(node.ports) if node else 0, len(real.ports) if real else 0)
        self.take(
            [
                (
                    at + 1,
                    _expected(node, at) if node else "",
                    real.ports[at] if real and at < len(real.ports) else None,
                )
                for at in range(count)
            ]
        )

    def wish(self, index: int) -> PortWish:
        return self.wishes.get(index, PortWish(index))

    def cells(self, row: PortRow) -> Sequence[str]:
        number, expected, port = row
        if port is None:
            return str(number), expected, "", "", "", "", ""
        wish = self.wish(number)
        return (
            str(number),
            expected,
            port.words,
            "" if wish.number is None else str(wish.number),
            write_direction(port, wish),
            (wish.merge or port.merge).upper(),
            _state_of(port),
        )

    def _changed(self, row: PortRow, column: int) -> bool:
        """Whether a cell shows what is wished and not what the node says."""
        wish = self.wish(row[0])
        return {4: bool(wish.direction) or wish.disabled is not None, 5: bool(wish.merge)}.get(
            column, False
        )

    def weight(self, row: PortRow, column: int) -> int:
        return 600 if self._changed(row, column) else 400

    def slanted(self, row: PortRow, column: int) -> bool:
        return column in self.TOLD and not self._changed(row, column)

    def ink(self, row: PortRow, column: int) -> str:
        number, expected, port = row
        if column == 2 and port is not None and expected and not expected.startswith(port.words):
            return "ochre"
        if column in (3, 4, 5) and number in self.wishes and self.words(row, column):
            return "coral"
        return "text" if column < 2 else "text2"

    def flags(self, index: QModelIndex | QPersistentModelIndex) -> Qt.ItemFlag:
        plain = Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable
        able = self.rows[index.row()][2] is not None and index.column() in (3, 4, 5)
        return plain | Qt.ItemFlag.ItemIsEditable if able else plain

    def setData(
        self,
        index: QModelIndex | QPersistentModelIndex,
        value: Any,
        role: int = Qt.ItemDataRole.EditRole,
    ) -> bool:
        number, _, port = self.rows[index.row()]
        text, wish = str(value).strip().casefold(), self.wish(number)
        try:
            if index.column() == 3:
                wish = replace(wish, number=read_port_address(text) if text else None)
            elif index.column() == 4:
                wish = replace(wish, **read_direction(text, port))
            else:
                wish = replace(
                    wish,
                    merge=None if text == port.merge else "ltp" if text.startswith("l") else "htp",
                )
        except EntryFault:
            return False
        self.wishes[number] = wish
        if wish == PortWish(number):
            del self.wishes[number]
        self.dataChanged.emit(index, index)
        self.wished.emit()
        return True


def _senders(view: View) -> list[str]:
    """Who sends; what tells nothing of itself is known by what it sends."""
    told = [f"{s.name} at {s.ip} sends sACN {_few(s.universes)}" for s in view.sacn]
    answering = {node.ip for node in view.nodes}
    heard: dict[str, list[int]] = {}
    for source in view.sources:
        if source.protocol == "artnet" and not source.silent and source.ip not in answering:
            heard.setdefault(source.ip, []).append(source.number)
    return told + [
        f"{ip} sends Art-Net {_few(tuple(numbers))} and does not answer polls"
        for ip, numbers in heard.items()
    ]


class NodesView(PageView):
    def __init__(self, bench: Workbench, net: NetLink, actions: Registry, window: QWidget) -> None:
        super().__init__()
        self.bench, self.net, self.window_ = bench, net, window
        column = column_of(self)
        top = QHBoxLayout()
        top.setSpacing(6)
        self.look = actions.button("nodes.look", "Look for nodes")
        self.look.setCheckable(True)
        top.addWidget(self.look)
        for words, action in (
            ("Search again", "nodes.forget"),
            ("Add all found", "nodes.expect"),
            ("Add a node…", "routes.node"),
            ("Change it…", "nodes.change"),
            ("Remove it", "nodes.remove"),
        ):
            top.addWidget(actions.button(action, words, name=f"nodes {words}"))
        self.told = label("", "quiet", "caption", wrap=True)
        top.addWidget(self.told, 1)
        column.addLayout(top)
        self.model = NodesModel()
        self.table = plain_table(
            self.model, "nodes", "Nodes", (130, 150, 110, 110, 200, 50, 70, 50), 4
        )
        self.table.setMaximumHeight(190)
        self.table.selectionModel().selectionChanged.connect(lambda *_: self._chosen())
        column.addWidget(self.table)
        lower = QHBoxLayout()
        lower.setSpacing(18)
        lower.addLayout(self._setting(), 3)
        lower.addLayout(self._differences(), 2)
        column.addLayout(lower, 1)
        self._row: NodeRow | None = None
        self._found: list[Difference] = []
        self._shown: object = None
        bind(bench.known.network_changed, self, self.refresh)

    def _setting(self) -> QVBoxLayout:
        made = QVBoxLayout()
        made.setSpacing(6)
        self.head = Section("Ports and settings of the chosen node")
        made.addWidget(self.head)
        self.ports = PortsModel()
        self.port_table = plain_table(
            self.ports, "node ports", "Ports of the node", (40, 150, 150, 54, 66, 50, 90), 6
        )
        made.addWidget(self.port_table, 1)
        row = QHBoxLayout()
        row.setSpacing(6)
        self.name = field("node name", "", "its name")
        self.ip = field("node address", "", "its address", mono=True)
        self.mask_ = field("node mask", "", "its mask", mono=True)
        for widget in (self.name, self.ip, self.mask_):
            row.addWidget(widget)
        self.set = button("Set at the node…", run=self._set)
        row.addWidget(self.set)
        made.addLayout(row)
        words = (
            "Type a port-address under “Set to”; in, out, in off or in on; HTP or LTP. You see "
            "what it changes before anything is sent."
        )
        made.addWidget(label(words, "quiet", "caption", wrap=True))
        self.ports.wished.connect(self._able)
        for line in (self.name, self.ip, self.mask_):
            line.textEdited.connect(lambda _: self._able())
        return made

    def _differences(self) -> QVBoxLayout:
        made = QVBoxLayout()
        made.setSpacing(6)
        made.addWidget(Section("Found against expected"))
        self.list = QListWidget()
        self.list.setObjectName("differences")
        self.list.setAccessibleName("Differences")
        self.list.setFont(font("table"))
        self.list.setWordWrap(True)
        self.list.currentRowChanged.connect(lambda _: self._able())
        made.addWidget(self.list, 1)
        self.take = button("Take it into the show", run=self._take)
        made.addWidget(self.take)
        self.senders = label("", "quiet", "caption", wrap=True)
        made.addWidget(self.senders)
        return made

    # ------------------------------------------------------------ what is so

    def entered(self) -> None:
        self.bench.guard(self.net.start)
        self.bench.known.see_network(self.net.view)
        self.refresh()

    def refresh(self) -> None:
        view = self.bench.known.network or View()
        self.look.setChecked(view.looking)
        state = (
            "Nodes are asked every 2.5 s."
            if view.looking
            else "No node is asked: press Look for nodes."
        )
        self.told.setText(f"{state} {len(view.nodes)} answer{'s' * (len(view.nodes) == 1)}.")
        kept = self.table.currentIndex().row()
        self.model.take(rows_of(self.bench))
        if self.model.rows:
            take_row(self.table, max(0, min(kept, len(self.model.rows) - 1)))
        self._show_differences(view)
        self.senders.setText(". ".join(_senders(view)))
        self._chosen()

    def _show_differences(self, view: View) -> None:
        self._found = compare(self.bench.show, view.nodes) if view.looked else []
        shown = (theme.name, view.looked, [d.text for d in self._found])
        if shown != self._shown:  # rows made anew would lose the one that is chosen
            self._shown = shown
            self.list.clear()
            for d in self._found:
                self._add_line(d.text, SEVERITIES.get(d.severity, "text2"))
        if not self.list.count() and view.looked:
            self._add_line("Everything answers as the show expects it.", "teal")
        elif not self.list.count():
            self._add_line("Not known before nodes have been asked.", "text2")

    def _add_line(self, text: str, color: str) -> None:
        item = QListWidgetItem(text)
        item.setForeground(theme.color(color))
        self.list.addItem(item)

    def _chosen(self) -> None:
        at = self.table.currentIndex().row()
        row: NodeRow | None = self.model.rows[at] if 0 <= at < len(self.model.rows) else None
        real = row.real if row else None
        self._row = row
        mine = row and (row.node and row.node.id, real and real.ip)
        if mine != self._key:
            self._key = mine
            self.ports.wishes.clear()
            typed = (real.name, real.ip, real.mask) if real else ("", "", "")
            for line, text in zip((self.name, self.ip, self.mask_), typed, strict=True):
                line.setText(text)
        if real and not self.mask_.text() and not self.mask_.hasFocus():
            self.mask_.setText(real.mask)  # asked apart, and told a moment later
        self.ports.show_node(row)
        says = f"; it says “{real.report}”" if real and real.report else ""
        name = row.name if row else ""
        self.head.words = f"Ports and settings of {name}{says}" if name else "Select a node"
        self.head.update()
        self._able()

    _key: object = None

    def wish(self) -> Wish:
        """What is typed and differs from what the node says. Raises EntryFault."""
        real = self._row.real if self._row else None
        if real is None:
            raise EntryFault("This node does not answer: nothing can be set from here.")
        ip = read_host(self.ip.text()) if self.ip.text().strip() else real.ip
        mask = self.mask_.text().strip()
        moved = ip != real.ip or (mask and mask != real.mask)
        name = self.name.text().strip()
        return Wish(
            name if name != real.name else "",
            "",
            tuple(self.ports.wishes.values()),
            ip if moved else "",
            mask if moved else "",
        )

    def _able(self) -> None:
        try:
            self.set.setEnabled(self.wish() != Wish())
        except EntryFault:
            self.set.setEnabled(bool(self._row and self._row.real))
        at = self.list.currentRow()
        self.take.setEnabled(0 <= at < len(self._found) and self._found[at].edit is not None)
        self.take.setText(
            self._found[at].label if self.take.isEnabled() else "Take it into the show"
        )

    # ------------------------------------------------------------ acts

    def _take(self) -> None:
        d = self._found[self.list.currentRow()]
        if edit := d.edit:
            self.bench.guard(lambda: self.bench.commit(d.label, edit(self.bench.show)))

    def _set(self) -> None:
        def run() -> None:
            wish, row = self.wish(), self._row
            if row and row.real:
                SetDialog(self.window_, self.bench, self.net, row.real, wish, self._done).open()

        self.bench.guard(run)

    def _done(self) -> None:
        self._key = None
        self.refresh()

    def _expected(self) -> Node:
        if self._row is None or self._row.node is None:
            raise EntryFault("No expected node is chosen.", do="Click one in the list first.")
        return self._row.node

    def change(self) -> None:
        """What the show expects of the chosen node; outputs that led to it go on leading there."""
        node = self._expected()
        fields = [
            (name, value) for (name, _), value in zip(NODE_FIELDS, write_node(node), strict=True)
        ]

        def take(values: list[str]) -> None:
            self.bench.commit(
                f"change node {node.name}",
                core.change_node(self.bench.show, node.id, **read_node(values)),
            )

        Entry(self.window_, f"Expect {node.name} otherwise", "Expect it so", fields, take).open()

    def remove(self) -> None:
        node = self._expected()
        self.bench.commit(
            f"take node {node.name} away", core.remove_nodes(self.bench.show, {node.id})
        )

    def toggle(self) -> None:
        looking = not (self.bench.known.network and self.bench.known.network.looking)
        self.net.settings.look_for_nodes = looking
        self.net.look(looking)

    def forget(self) -> None:
        self.net.start().forget()
        self.net.look(True)

    def expect_all(self) -> None:
        rows = [
            row.real
            for row in self.model.rows
            if row.node is None and row.real and not row.real.silent
        ]
        if not rows:
            raise EntryFault("Every node that answers is expected already.")
        show = self.bench.show
        for real in rows:
            node = as_expected(real)
            more = {"protocol": node.protocol, "inputs": node.inputs, "mask": node.mask}
            show = core.add_node(show, node.name, node.ip, node.place, node.ports, **more)
        self.bench.commit(f"expect {many(len(rows), 'node')}", show)


def _few(numbers: tuple[int, ...]) -> str:
    return ", ".join(map(str, numbers[:8])) + (" …" if len(numbers) > 8 else "")
