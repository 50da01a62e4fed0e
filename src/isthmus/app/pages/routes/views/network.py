"""Own network: adapters, which protocol goes out by which, what is wrong and the nearest fix."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import Any

from PySide6.QtCore import Qt
from PySide6.QtGui import QGuiApplication
from PySide6.QtWidgets import (
    QCheckBox,
    QGridLayout,
    QHBoxLayout,
    QListWidget,
    QListWidgetItem,
    QVBoxLayout,
    QWidget,
)

from isthmus.app.kit.theme import font, theme
from isthmus.app.kit.widgets import (
    PageView,
    RowsModel,
    Section,
    bind,
    button,
    choice,
    column_of,
    field,
    label,
    plain_table,
)
from isthmus.app.model.net_link import NetLink
from isthmus.app.model.workbench import Workbench
from isthmus.app.pages.routes.dialogs.plan import PlanDialog
from isthmus.errors import EntryFault
from isthmus.net import Adapter, Trouble, View, check, ipv4
from isthmus.net.adapters import adapter_for
from isthmus.net.check import Device, devices
from isthmus.net.serial_ports import said, serial_ports, trouble_of
from isthmus.output import identity
from isthmus.routes.edits import change_sending

_WORDS = {"artnet": "Art-Net", "sacn": "sACN"}


class AdaptersModel(RowsModel):
    COLUMNS = ("Adapter", "Address", "Mask", "Link", "Speed", "Used for")
    MONO = (1, 2, 4)

    def cells(self, row: tuple[Adapter, str]) -> Sequence[str]:
        adapter, used = row
        speed = f"{adapter.speed} Mbit/s" if adapter.speed else ""
        link = "up" if adapter.up else "no link"
        return adapter.name, adapter.ip, adapter.mask, link, speed, used

    def ink(self, row: tuple[Adapter, str], column: int) -> str:
        link = "text2" if row[0].up else "fault"
        return ("text", "text", "text2", link, "text2", "teal")[column]


class DevicesModel(RowsModel):
    COLUMNS = ("Destination", "Address", "Reached by", "Universes")
    MONO = (1, 3)

    def cells(self, row: tuple[Device, str]) -> Sequence[str]:
        device, by = row
        more = " …" if len(device.universes) > 8 else ""
        universes = ", ".join(map(str, device.universes[:8])) + more
        return device.name, device.ip, by or "no adapter", universes

    def ink(self, row: tuple[Device, str], column: int) -> str:
        return ("text", "text2", "text2" if row[1] else "fault", "text2")[column]


class PortsModel(RowsModel):
    COLUMNS = ("DMX port", "What it is", "Universe", "State")
    MONO = (0, 2)

    def cells(self, row: tuple[str, str, str, str]) -> Sequence[str]:
        return row

    def ink(self, row: tuple[str, str, str, str], column: int) -> str:
        fine = row[3] in ("ready", "sending")
        return ("text", "text2", "text", "text2" if fine else "fault")[column]


class NetworkView(PageView):
    def __init__(self, bench: Workbench, net: NetLink, window: QWidget) -> None:
        super().__init__()
        self.bench, self.net, self.window_ = bench, net, window
        column = column_of(self)
        column.addWidget(Section("Adapters of this computer"))
        self.adapters = AdaptersModel()
        table = plain_table(self.adapters, "adapters", "Adapters", (120, 130, 130, 70, 110, 200), 5)
        table.setFixedHeight(84)
        column.addWidget(table)
        self.ports = PortsModel()
        self.port_table = plain_table(
            self.ports, "DMX ports", "DMX ports of this computer", (260, 240, 80, 200), 3
        )
        self.port_table.setFixedHeight(84)
        self.port_head = Section("DMX ports of this computer")
        column.addWidget(self.port_head)
        column.addWidget(self.port_table)
        column.addLayout(self._choices())
        lower = QHBoxLayout()
        lower.setSpacing(18)
        left = QVBoxLayout()
        left.setSpacing(6)
        left.addWidget(Section("What is sent to, and whether it gets there"))
        self.devices = DevicesModel()
        self.device_table = plain_table(
            self.devices, "destinations", "Destinations", (150, 110, 130, 80), 3
        )
        self.device_table.selectionModel().selectionChanged.connect(lambda *_: self._explain())
        left.addWidget(self.device_table, 1)
        self.calculated = label("", "quiet", wrap=True)
        left.addWidget(self.calculated)
        lower.addLayout(left, 1)
        right = QVBoxLayout()
        right.setSpacing(6)
        right.addWidget(Section("What is wrong, and the nearest fix"))
        self.list = QListWidget()
        self.list.setObjectName("network troubles")
        self.list.setAccessibleName("What is wrong with the network")
        self.list.setFont(font("table", 500))
        self.list.setWordWrap(True)
        self.list.currentRowChanged.connect(lambda _: self._show_trouble())
        right.addWidget(self.list, 1)
        self.why = label("", wrap=True)
        right.addWidget(self.why)
        self.ways = label("", "quiet", wrap=True)
        self.ways.setTextInteractionFlags(
            Qt.TextInteractionFlag.TextSelectableByMouse
            | Qt.TextInteractionFlag.TextSelectableByKeyboard
        )
        right.addWidget(self.ways)
        row = QHBoxLayout()
        row.setSpacing(6)
        self.copy = button("Copy command", run=self._copy)
        row.addWidget(self.copy)
        row.addWidget(button("Address plan…", run=self.plan))
        row.addStretch(1)
        right.addLayout(row)
        lower.addLayout(right, 1)
        column.addLayout(lower, 1)
        self._troubles: list[Trouble] = []
        self._shown: object = None
        bind(bench.known.network_changed, self, self.refresh)

    def _choices(self) -> QGridLayout:
        grid = QGridLayout()
        grid.setHorizontalSpacing(10)
        grid.setVerticalSpacing(4)
        self.by = {protocol: choice(f"{words} goes out by") for protocol, words in _WORDS.items()}
        self.why_by = {protocol: label("", "quiet", "caption", wrap=True) for protocol in _WORDS}
        self.rate = {
            protocol: field(f"{words} rate", "", mono=True) for protocol, words in _WORDS.items()
        }
        for y, (protocol, words) in enumerate(_WORDS.items()):
            grid.addWidget(label(f"{words} goes out by", "quiet"), y, 0)
            grid.addWidget(self.by[protocol], y, 1)
            grid.addWidget(label("at", "quiet"), y, 2)
            self.rate[protocol].setFixedWidth(52)
            grid.addWidget(self.rate[protocol], y, 3)
            grid.addWidget(label("Hz", "quiet"), y, 4)
            grid.addWidget(self.why_by[protocol], y, 5)
            self.by[protocol].setFixedWidth(220)
            self.by[protocol].activated.connect(lambda _, p=protocol: self._choose(p))
            self.rate[protocol].editingFinished.connect(lambda p=protocol: self._rate(p))
        self.source = field("source name", "", "the show's name")
        self.changed_only = QCheckBox("Send changes, the rest once a second")
        self.sync = QCheckBox("Art-Net all at once (ArtSync)")
        for box, key in ((self.changed_only, "changed_only"), (self.sync, "artnet_sync")):
            box.setFont(font("table"))
            box.clicked.connect(lambda on, k=key: self._sending(**{k: on}))
        self.source.editingFinished.connect(
            lambda: self._sending(source=" ".join(self.source.text().split())[:60])
        )
        self.cid = label("", "quiet", "caption", mono=True)
        row = QHBoxLayout()
        row.setSpacing(10)
        for widget in (self.source, self.cid, self.changed_only, self.sync):
            row.addWidget(widget)
        row.addStretch(1)
        self.dmx_rate = field("DMX rate", "", mono=True)
        self.dmx_rate.setFixedWidth(52)
        self.dmx_rate.setToolTip("Packets a second by the DMX ports of this computer, 1 to 44")
        self.dmx_rate.editingFinished.connect(lambda: self._rate("dmx"))
        self.dmx_row = [label("DMX ports send", "quiet"), label("at", "quiet"), self.dmx_rate]
        self.dmx_row.append(label("Hz", "quiet"))
        for widget, x in zip(self.dmx_row, (0, 2, 3, 4), strict=True):
            grid.addWidget(widget, 3, x)
        self.rate["dmx"] = self.dmx_rate
        grid.addWidget(label("Source name", "quiet"), 2, 0)
        self.source.setFixedWidth(140)
        grid.addLayout(row, 2, 1, 1, 5)
        grid.setColumnStretch(5, 1)
        return grid

    # ------------------------------------------------------------ what is so

    def entered(self) -> None:
        self.bench.guard(self.net.start)
        self.bench.known.see_network(self.net.view)
        self.refresh()

    def refresh(self) -> None:
        view, show = self.bench.known.network or View(), self.bench.show
        used: dict[str, list[str]] = {}
        for protocol, choice_ in view.choices.items():
            if choice_.adapter:
                used.setdefault(choice_.adapter.ip, []).append(_WORDS[protocol])
            self.why_by[protocol].setText(
                f"{choice_.adapter.words}: {choice_.why}" if choice_.adapter else choice_.why
            )
        self.adapters.take([(a, " and ".join(used.get(a.ip, []))) for a in view.adapters])
        for protocol, box in self.by.items():
            self._offer(protocol, box, view.adapters)
        for protocol, line in self.rate.items():
            if not line.hasFocus():
                line.setText(f"{getattr(show.sending, f'{protocol}_rate'):g}")
        if not self.source.hasFocus():
            self.source.setText(identity(show).source)
        self.cid.setText(f"CID {identity(show).cid.hex()[:8]}…")
        self.cid.setToolTip(
            f"Component identifier of this show in sACN: {identity(show).cid.hex()}"
        )
        self.changed_only.setChecked(show.sending.changed_only)
        self.sync.setChecked(show.sending.artnet_sync)
        self._show_ports()
        self.devices.take([(d, self._by(view, d)) for d in devices(show, view.nodes)])
        troubles = check(show, view.adapters, view.choices, view.nodes) if view.adapters else []
        if (theme.name, troubles) != self._shown:
            self._shown = theme.name, troubles
            self._troubles = troubles
            kept = max(0, self.list.currentRow())
            self.list.clear()
            for t in troubles:
                item = QListWidgetItem(t.text)
                item.setForeground(theme.color("fault" if t.severity == "fault" else "ochre"))
                self.list.addItem(item)
            if not troubles:
                item = QListWidgetItem(
                    "Every destination lies in a network of this computer."
                    if view.adapters
                    else "Not looked at yet."
                )
                item.setForeground(theme.color("teal" if view.adapters else "text2"))
                self.list.addItem(item)
            self.list.setCurrentRow(min(kept, self.list.count() - 1))
        self._show_trouble()
        self._explain()

    def _show_ports(self) -> None:
        """Those that are there, and those that outputs name; nothing where there is neither."""
        routed = {o.device: o for o in self.bench.show.outputs if o.device}
        there = {port.device: port for port in serial_ports()}
        rows = []
        for device in sorted({*routed, *there}):
            port, output = there.get(device), routed.get(device)
            state = self.bench.known.ports.get(device, "")
            plain = (port.trouble if port else trouble_of(device)) or "ready"
            if not state and port is None and not Path(device).exists():
                state = "gone"
            words = said(state, device) if state else plain
            universe = f"{output.universe}{'' if output.enabled else ' (off)'}" if output else ""
            rows.append((device, port.words if port else "", universe, words))
        self.ports.take(rows)
        for part in (self.port_head, self.port_table, *self.dmx_row):
            part.setVisible(bool(rows))

    @staticmethod
    def _by(view: View, device: Device) -> str:
        found = adapter_for(view.adapters, device.ip)
        return found.name if found else ""

    def _offer(self, protocol: str, box: Any, adapters: tuple[Adapter, ...]) -> None:
        wanted = self.net.settings.adapters.get(protocol, "")
        items = [("", "chosen automatically"), *((a.ip, a.words) for a in adapters)]
        if wanted and wanted not in {key for key, _ in items}:
            items.append((wanted, f"{wanted} (not there)"))
        if items != [(box.itemData(i), box.itemText(i)) for i in range(box.count())]:
            box.clear()
            for key, words in items:
                box.addItem(words, key)
        box.setCurrentIndex(max(0, box.findData(wanted)))

    def _explain(self) -> None:
        rows = self.device_table.selectionModel().selectedRows()
        view = self.bench.known.network or View()
        if not rows or rows[0].row() >= len(self.devices.rows):
            self.calculated.setText(
                "Select one to see how it is calculated."
                if self.devices.rows
                else "Nothing is sent anywhere yet."
            )
            return
        device = self.devices.rows[rows[0].row()][0]
        near = adapter_for(view.adapters, device.ip)
        near = near or max(
            (a for a in view.adapters if not a.local),
            key=lambda a: ipv4.common_bits(a.ip, device.ip),
            default=None,
        )
        words = (
            ipv4.explain(near.name, near.ip, near.mask, device.name, device.ip)
            if near
            else "This computer has no network."
        )
        self.calculated.setText(words)

    def _show_trouble(self) -> None:
        at = self.list.currentRow()
        trouble = self._troubles[at] if 0 <= at < len(self._troubles) else None
        self.why.setText(trouble.why if trouble else "")
        lines = []
        for number, way in enumerate(trouble.ways if trouble else (), 1):
            lines.append(
                f"{number}. {way.words}" + "".join(f"\n     {command}" for command in way.commands)
            )
        self.ways.setText("\n".join(lines))
        self.copy.setEnabled(bool(trouble and any(way.commands for way in trouble.ways)))

    # ------------------------------------------------------------ acts

    def _choose(self, protocol: str) -> None:
        self.bench.guard(lambda: self.net.choose(protocol, str(self.by[protocol].currentData())))
        self.refresh()

    def _sending(self, **changes: object) -> None:
        if changes.get("source") == identity(self.bench.show).source:
            return
        self.bench.guard(
            lambda: self.bench.commit(
                "change how it is sent", change_sending(self.bench.show, **changes)
            )
        )

    def _rate(self, protocol: str) -> None:
        def run() -> None:
            try:
                rate = float(self.rate[protocol].text().replace(",", "."))
            except ValueError:
                raise EntryFault(
                    f"“{self.rate[protocol].text()[:20]}” is not a rate.", do="Write 1 to 44."
                ) from None
            self.bench.commit(
                "change a rate", change_sending(self.bench.show, **{f"{protocol}_rate": rate})
            )

        if not self.bench.guard(run):
            self.rate[protocol].setText(f"{getattr(self.bench.show.sending, f'{protocol}_rate'):g}")

    def _copy(self) -> None:
        trouble = self._troubles[self.list.currentRow()]
        commands = [command for way in trouble.ways for command in way.commands]
        QGuiApplication.clipboard().setText("\n".join(commands[:1]))
        self.bench.tell(
            "ok",
            "The command is on the clipboard. Isthmus itself never changes the settings of "
            "this computer.",
        )

    def plan(self) -> None:
        PlanDialog(self.window_, self.bench, self.bench.known.network or View()).open()
