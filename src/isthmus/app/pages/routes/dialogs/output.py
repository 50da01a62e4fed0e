"""Everything about an output, for one to add or for many to change."""

from __future__ import annotations

from collections.abc import Sequence

from msgspec.structs import replace
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QCheckBox, QGridLayout, QLineEdit, QWidget

from isthmus.app.kit.dialogs import Frame
from isthmus.app.kit.theme import font
from isthmus.app.kit.widgets import choice, field, label
from isthmus.app.model.workbench import Workbench
from isthmus.errors import EntryFault, IsthmusError
from isthmus.net.serial_ports import serial_ports
from isthmus.patch.numbers import read_numbers
from isthmus.plural import many
from isthmus.routes import WORDS, notations, read_hosts, read_number, read_universe, write_number
from isthmus.routes import edits as core
from isthmus.show.records import Output, new_id

ROLE_TIP = Qt.ItemDataRole.ToolTipRole
DELIVERIES = (
    ("unicast", "Unicast to these addresses"),
    ("asked", "Unicast to subscribed nodes"),
    ("broadcast", "Broadcast"),
    ("multicast", "Multicast"),
    ("serial", "By a serial port of this computer"),
)


class OutputDialog(Frame):
    """With `outputs` it changes them all; without, it adds one for each universe typed, their
    numbers counting on.
    """

    def __init__(
        self, parent: QWidget, bench: Workbench, start: Output, outputs: Sequence[Output] = ()
    ) -> None:
        title = (
            "Add an output"
            if not outputs
            else "Change the output"
            if len(outputs) == 1
            else f"Change {many(len(outputs), 'output')}"
        )
        super().__init__(parent, title, "Add it" if not outputs else "Change", self._act_now, 560)
        self.bench, self.outputs = bench, list(outputs)
        grid = QGridLayout()
        grid.setHorizontalSpacing(12)
        grid.setVerticalSpacing(6)
        self._grid, self._row = grid, 0
        self.universe = self._line(
            "Universe",
            ", ".join(str(o.universe) for o in outputs) or str(start.universe),
            "1, or 1-4 for several",
        )
        self.protocol = choice("Protocol", [*WORDS.items()])
        self._put("Protocol", self.protocol)
        self.way = choice("Delivery")
        self._put("Delivery", self.way)
        self.device = choice("DMX port")
        self.device.setEditable(True)
        for port in serial_ports():
            self.device.addItem(port.device)
            self.device.setItemData(self.device.count() - 1, port.words, ROLE_TIP)
        self.device.setCurrentText(start.device or self.device.itemText(0))
        self._put("DMX port", self.device)
        self.hosts = self._line("Host", ", ".join(start.hosts), "2.0.0.10; several with commas")
        self.number = self._line("Port-address", str(start.number), "")
        self.step = self._line("Step", "1", "2 leaves every other one free")
        self.priority = self._line("Priority", str(start.priority), "0 to 200, 100 is usual")
        self.sync = self._line("Synchronised by universe", str(start.sync or ""), "none")
        self.label_ = self._line("Label", start.label, "")
        self.merge = self._line(
            "Merge note", start.merge, "why two senders meet here, if they are meant to"
        )
        self.preview = QCheckBox("Preview: not for the rig, for visual displays only")
        self.per_address = QCheckBox("Priority by address: slots without a unit are left to others")
        for at, box in ((start.preview, self.preview), (start.per_address, self.per_address)):
            box.setChecked(at)
            box.setFont(font("table"))
            grid.addWidget(box, self._row, 1)
            self._row += 1
        self.told = label("", "quiet", "caption", wrap=True)
        self.body.addLayout(grid)
        self.body.addWidget(self.told)
        self.protocol.setCurrentIndex(self.protocol.findData(start.protocol))
        self.protocol.currentIndexChanged.connect(lambda _: self._protocol())
        self.way.currentIndexChanged.connect(lambda _: self._look())
        self.device.currentTextChanged.connect(lambda _: self._look())
        for line in (self.universe, self.hosts, self.number, self.step, self.priority, self.sync):
            line.textEdited.connect(lambda _: self._look())
        self._protocol(start.delivery)

    def _put(self, words: str, widget: QWidget) -> None:
        self._grid.addWidget(label(words, "quiet"), self._row, 0)
        self._grid.addWidget(widget, self._row, 1)
        self._row += 1

    def _line(self, words: str, value: str, hint: str) -> QLineEdit:
        made = field(words, value, hint, mono=True)
        self._put(words, made)
        return made

    def _protocol(self, way: str = "") -> None:
        """What belongs to the other protocol is out of reach."""
        sacn = self.protocol.currentData() == "sacn"
        self.way.blockSignals(True)
        self.way.clear()
        for key, words in DELIVERIES:
            if key in core.DELIVERIES[str(self.protocol.currentData())]:
                self.way.addItem(words, key)
        at = (
            self.way.findData(way)
            if way
            else self.way.findData("unicast" if self.hosts.text().strip() else self.way.itemData(0))
        )
        self.way.setCurrentIndex(max(0, at))
        self.way.blockSignals(False)
        for widget in (self.priority, self.sync, self.preview, self.per_address):
            widget.setEnabled(sacn)
        dmx = self.protocol.currentData() == "dmx"
        self.device.setEnabled(dmx)
        for widget in (self.number, self.step, self.merge):
            widget.setEnabled(not dmx)
        self._look()

    def _look(self) -> None:
        """Say what it comes to while it is typed."""
        self.say_trouble("")
        self.hosts.setEnabled(self.way.currentData() == "unicast")
        try:
            made = self._outputs()
        except IsthmusError as error:
            self.told.setText(str(error))
            return
        one, last = made[0], made[-1]
        if one.protocol == "dmx":
            port = next((p for p in serial_ports() if p.device == one.device), None)
            about = f": {port.trouble or port.words}" if port else ", which is not there now"
            self.told.setText(f"Universe {one.universe} goes out by {one.device}{about}.")
            return
        alike = " = ".join(f"{name} {number}" for name, number in notations(one.universe))
        words = (
            f"Universe {one.universe} goes out as {write_number(one.protocol, one.number)}. Kept "
            f"alike it would be: {alike}."
        )
        if len(made) > 1:
            words += (
                f" The last one, {last.universe}, goes out as "
                f"{write_number(last.protocol, last.number)}."
            )
        self.told.setText(words)

    def _outputs(self) -> list[Output]:
        """The outputs as they would be. Raises EntryFault."""
        protocol, way = str(self.protocol.currentData()), str(self.way.currentData())
        universes = [o.universe for o in self.outputs] or read_numbers(self.universe.text())
        if not universes:
            raise EntryFault("No universe is named.", do="Write a number, or 1-4.")
        hosts = read_hosts(self.hosts.text()) if way == "unicast" else ()
        dmx = protocol == "dmx"
        if dmx and len(universes) > 1:
            raise EntryFault("A DMX port sends one universe.", do="Name one universe.")
        first = 0 if dmx else read_number(protocol, self.number.text())
        step = read_universe(self.step.text())
        common = {
            "protocol": protocol,
            "delivery": way,
            "device": self.device.currentText().strip() if dmx else "",
            "host": hosts[0] if hosts else "",
            "more_hosts": hosts[1:],
            "priority": int(self.priority.text())
            if self.priority.text().strip().isdigit()
            else 100,
            "sync": read_universe(self.sync.text())
            if self.sync.text().strip() not in ("", "0")
            else 0,
            "preview": self.preview.isChecked(),
            "per_address": self.per_address.isChecked(),
            "label": " ".join(self.label_.text().split())[:80],
            "merge": " ".join(self.merge.text().split())[:120],
        }
        made = []
        for at, universe in enumerate(universes):
            number = first + at * step
            numbers = {
                "port_address": number if protocol == "artnet" else 0,
                "sacn": number if protocol == "sacn" else 0,
            }
            old = self.outputs[at] if self.outputs else Output(id=new_id(), universe=universe)
            made.append(
                Output(
                    **{**{f: getattr(old, f) for f in old.__struct_fields__}, **common, **numbers}
                )
            )
        return made

    def _act_now(self) -> bool:
        try:
            made = self._outputs()
            show = self.bench.show
            if self.outputs:
                ids = {o.id for o in made}
                show = core.add(core.remove_outputs(show, ids), *made)
                order = {o.id: at for at, o in enumerate(self.bench.show.outputs)}
                show = replace(show, outputs=tuple(sorted(show.outputs, key=lambda o: order[o.id])))
                self.bench.commit(f"change {many(len(made), 'output')}", show)
            else:
                names = (
                    f"{made[0].universe}"
                    if len(made) == 1
                    else f"{made[0].universe} to {made[-1].universe}"
                )
                self.bench.commit(f"route universe {names}", core.add(show, *made))
        except IsthmusError as error:
            self.say_trouble(str(error))
            return False
        return True
