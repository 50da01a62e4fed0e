"""Discovery: what answers RDM against the patch; identified, and set from here with before and
after.
"""

from __future__ import annotations

import time
from collections.abc import Callable, Sequence
from typing import Any

from PySide6.QtCore import QTimer
from PySide6.QtWidgets import QHBoxLayout, QProgressBar, QWidget

from isthmus.app.kit.actions import Registry
from isthmus.app.kit.dialogs import Entry, Frame
from isthmus.app.kit.first import FirstSteps
from isthmus.app.kit.tasks import Step, Task
from isthmus.app.kit.widgets import (
    PageView,
    RowsModel,
    bind,
    button,
    column_of,
    label,
    plain_table,
    selected_rows,
)
from isthmus.app.model.checks import Checks
from isthmus.app.model.net_link import NetLink
from isthmus.app.model.workbench import Workbench
from isthmus.check.devices import Device, Discovered, ask, discover, identify
from isthmus.check.matched import IN_PLACE, MISSING, UNKNOWN, Match
from isthmus.check.setting import Change, Done, apply, changes_for, label_changes, reverse, wished
from isthmus.errors import EntryFault
from isthmus.net.talk import Talker
from isthmus.patch.cells import addresses
from isthmus.plural import many

SHOW_SECONDS = 0.7  # between two looks at what has answered so far
COLORS = {IN_PLACE: "teal", MISSING: "fault", UNKNOWN: "text2"}


class MatchModel(RowsModel):
    COLUMNS = (
        "",
        "Unit",
        "Address",
        "Set to",
        "Device mode",
        "Node port",
        "Device",
        "Make",
        "Label",
        "Lamp hours",
    )
    MEDIUM = (0, 1)
    MONO = (1, 2, 3, 6, 9)
    TOLD = (3, 4, 5, 6, 7, 8, 9)

    def cells(self, row: Match) -> Sequence[str]:
        unit, device = row.unit, row.device
        ways = (*row.ways, *(("identifying",) if device and device.identifying else ()))
        return (
            ", ".join(ways),
            str(unit.number) if unit else "",
            addresses(unit) if unit else "",
            *(_device_cells(device) if device else ("",) * 7),
        )

    def tip(self, row: Match, column: int) -> str:
        said = [row.words]
        if row.device:
            said.append("; ".join(f"{s.words}: {s.value}" for s in row.device.sensors))
            said += row.device.trouble
        return "\n".join(x for x in said if x)

    def ink(self, row: Match, column: int) -> str:
        if column == 0:
            return COLORS.get(row.ways[0], "ochre")
        return "text" if column in (1, 3) else "text2"


def _device_cells(device: Device) -> Sequence[str]:
    return (
        f"{device.address:03d}" if device.address else "",
        (device.mode or str(device.footprint)) if device.info else "",
        f"{device.node}, {device.port}",
        device.name,
        f"{device.maker} {device.model}".strip(),
        device.label,
        "" if device.lamp_hours is None else f"{device.lamp_hours} h",
    )


class SettingsDialog(Frame):
    """Before and after of everything that would be set; done when confirmed."""

    def __init__(
        self, parent: QWidget, changes: Sequence[Change], run: Callable[[], object]
    ) -> None:
        super().__init__(
            parent, "Set devices", f"Set {len(changes)} by RDM", lambda: run() is not False, 620
        )
        self.body.addWidget(
            label(
                "Each is set, then read back. What fails stays as it is and is told.",
                "quiet",
                wrap=True,
            )
        )
        model = ChangesModel()
        model.take(list(changes))
        table = plain_table(model, "changes", "What would be set", (170, 90, 150, 150), 0)
        table.setMinimumHeight(240)
        self.body.addWidget(table)


class ChangesModel(RowsModel):
    COLUMNS = ("Device", "What", "Before", "After")

    def cells(self, row: Change) -> Sequence[str]:
        named = f"{row.device.label} " if row.device.label else ""
        return f"{named}{row.device.name}", row.what, row.before, row.after

    def ink(self, row: Change, column: int) -> str:
        return ("text", "text2", "text2", "coral")[column]


class DiscoveryView(PageView):
    def __init__(
        self, bench: Workbench, actions: Registry, checks: Checks, net: NetLink, window: QWidget
    ) -> None:
        super().__init__()
        self.bench, self.checks, self.net, self.window_ = bench, checks, net, window
        self.task: Task | None = None
        self.talker: Talker | None = None
        self._hearing: Discovered | None = None  # fills while devices are asked
        self._shown_at = 0.0
        column = column_of(self, 6)
        row = QHBoxLayout()
        row.setSpacing(6)
        self.state = label("", "quiet", wrap=True)
        row.addWidget(self.state, 1)
        self.bar = QProgressBar()
        self.bar.setFixedSize(160, 8)
        self.bar.setTextVisible(False)
        self.bar.hide()
        row.addWidget(self.bar)
        self.stop_button = button("Stop", run=self.stop, height=30, name="stop discovery")
        self.go = button("Discover", "primary", self.discover, 30, "discover")
        row.addWidget(self.stop_button)
        row.addWidget(self.go)
        column.addLayout(row)
        self.model = MatchModel()
        self.table = plain_table(
            self.model,
            "devices",
            "Units and the devices that answer",
            (104, 46, 66, 56, 88, 80, 118, 138, 54, 84),
            7,
        )
        self.table.doubleClicked.connect(lambda index: self._select(index.row()))
        column.addWidget(self.table, 1)
        self.first = FirstSteps(
            self.table,
            "No devices asked yet",
            "Discovery needs nodes that pass RDM: switch their RDM on, then search for them here.",
            [
                actions.button("rdm.discover", "Discover", height=30),
                actions.button("nodes.look", "Look for nodes", height=30),
            ],
        )
        self.odd = label("", "attention", wrap=True)
        column.addWidget(self.odd)
        foot = QHBoxLayout()
        foot.setSpacing(6)
        self.buttons = [
            button("Identify", run=lambda: self.identify(True), name="identify"),
            button("End identify", "quiet", lambda: self.identify(False), name="end identify"),
            button("Set selected…", run=self.set_one, name="set one"),
            button("Set as patched…", run=lambda: self.set_as_patched(True), name="set chosen"),
            button(
                "Set all that differ…", run=lambda: self.set_as_patched(False), name="set differing"
            ),
            button("Set labels to numbers…", "quiet", self.set_labels, name="set labels"),
            button("Undo settings", "quiet", self.undo, name="undo settings"),
        ]
        for made in self.buttons:
            foot.addWidget(made)
        foot.addStretch(1)
        column.addLayout(foot)
        bind(checks.changed, self, self.refresh)
        self.refresh()

    # ------------------------------------------------------------ finding out

    def entered(self) -> None:
        self.bench.guard(lambda: self.net.look(True))
        self.refresh()

    def _talk(self) -> Talker:
        """Raises NetworkFault when the network cannot be had."""
        self.talker = Talker.of(self.net.start())
        return self.talker

    def discover(self) -> None:
        self.bench.guard(self._discover)

    def _discover(self) -> None:
        if self.task is not None:
            return
        self.net.look(True)
        talker, show, net = self._talk(), self.bench.show, self.net
        self._hearing = hearing = Discovered()

        def work(step: Step) -> Discovered:
            waited = 0
            while not net.view.looked and waited < 50:  # nodes get the time of one round to answer
                step(0.0, "Asking who is there")
                talker.ended.wait(0.1)
                waited += 1

            def progress(done: int, all_: int, words: str) -> None:
                step(done / max(1, all_), words)

            return discover(talker, net.view.nodes, show, progress, hearing)

        self._run(work, self._found)

    def _run(self, work: Callable[[Step], Any], done: Callable[[Any], object]) -> None:
        self.task = Task(work, self)
        self.task.progressed.connect(self._progress)
        self.task.done.connect(done)
        self.task.failed.connect(lambda error: self.bench.tell("fault", str(error)))
        self.task.ended.connect(self._ended)
        self.bar.setValue(0)
        self.task.start()
        self.refresh()

    def _progress(self, part: float, words: str) -> None:
        self.bar.setValue(round(100 * part))
        if (
            self._hearing
            and self._hearing.devices
            and time.monotonic() > self._shown_at + SHOW_SECONDS
        ):
            self._shown_at = time.monotonic()
            self._take_part(self._hearing)
        self.state.setText(words)

    def _take_part(self, part: Discovered) -> None:
        """What has answered so far; none is missing yet."""
        self.checks.take(Discovered(list(part.devices), list(part.odd), ended=True))

    def _found(self, found: Discovered) -> None:
        self._hearing = None
        self.checks.take(found)

    def _ended(self) -> None:
        self.task = None
        if self._hearing is not None:  # stopped, or broken off: what has answered is kept
            self._take_part(self._hearing)
            self._hearing = None
        self.refresh()

    def stop(self) -> None:
        if self.task is not None:
            self.task.cancel()
            if self.talker:
                self.talker.stop()

    def shut_down(self) -> None:
        """No thread goes on when the window closes."""
        if self.task is not None:
            self.stop()
            self.task.wait()

    # ------------------------------------------------------------ setting

    def chosen(self) -> list[Match]:
        return [self.model.rows[at] for at in selected_rows(self.table)]

    def identify_in_hand(self) -> None:
        """From the patch: the devices matched to the selected units show themselves."""
        hand = set(self.bench.selection.ids)
        self.identify(
            True,
            [m.device for m in self.checks.matches if m.device and m.unit and m.unit.id in hand],
        )

    def identify(self, on: bool, devices: Sequence[Device] | None = None) -> None:
        if devices is None:
            devices = [m.device for m in self.chosen() if m.device]

        def go() -> None:
            if not devices:
                raise EntryFault(
                    "No device is selected.", do="Discover, then select rows of the table or units."
                )
            talker = self._talk()

            def work(step: Step) -> list[Device]:
                for device in devices:
                    identify(talker, device, on)
                return [ask(talker, device) for device in devices]

            self._run(work, lambda fresh: self._identified(fresh, on))

        self.bench.guard(go)

    def _identified(self, fresh: list[Device], on: bool) -> None:
        what, count = "on" if on else "off", len(fresh)
        self._take_fresh(fresh)
        self.bench.tell("ok", f"Identify is {what} for {many(count, 'device')}.")

    def set_one(self) -> None:
        """Address, mode and label of one device, as typed."""
        devices = [m.device for m in self.chosen() if m.device and m.device.info]
        if len(devices) != 1:
            self.bench.tell("note", "Select one device that tells of itself.")
            return
        device = devices[0]
        modes = ", ".join(name for name, _ in device.personalities)
        fields = [
            ("Address", f"{device.address:03d}"),
            (f"Mode ({modes})" if modes else "Mode", device.mode),
            ("Label", device.label),
        ]

        def take(values: list[str]) -> None:
            changes = wished(device, *values)
            QTimer.singleShot(0, lambda: self.offer(changes))

        Entry(self.window_, f"Set {device.name}", "Review", fields, take).open()

    def set_as_patched(self, chosen: bool) -> None:
        self.offer(changes_for(self.bench.show, self.chosen() if chosen else self.checks.matches))

    def set_labels(self) -> None:
        self.offer(label_changes(self.chosen() or self.checks.matches))

    def undo(self) -> None:
        self.offer([reverse(change) for change in reversed(self.checks.done)], undoing=True)

    def offer(self, changes: Sequence[Change], undoing: bool = False) -> None:
        """Show before and after, then set."""
        if not changes:
            self.bench.tell("note", "Nothing differs that could be set from here.")
            return
        SettingsDialog(self.window_, changes, lambda: self.set(changes, undoing)).open()

    def set(self, changes: Sequence[Change], undoing: bool = False) -> None:
        talker = self._talk()

        def work(step: Step) -> tuple[list[Done], list[Any]]:
            out = []
            for at, change in enumerate(changes):
                step(at / len(changes), f"Setting {change.device.name}")
                out.append(apply(talker, change))
            uids = {c.device.uid for c in changes}
            fresh = [
                ask(talker, m.device)
                for m in self.checks.matches
                if m.device and m.device.uid in uids
            ]
            return out, fresh

        self._run(work, lambda result: self._set(result, undoing))

    def _set(self, result: tuple[list[Done], list[Any]], undoing: bool) -> None:
        done, fresh = result
        well = [d for d in done if d.well]
        self.checks.done = [] if undoing else [*self.checks.done, *(d.change for d in well)]
        failed = [d.words for d in done if not d.well]
        if failed:
            self.bench.tell("fault", f"{len(well)} of {len(done)} set and read back. {failed[0]}")
        else:
            self.bench.tell("ok", f"{len(well)} set and read back.")
        moved = {d.change.device.uid for d in well if d.change.what != "label"}
        self.checks.set_anew(
            {
                m.unit.id
                for m in self.checks.matches
                if m.unit and m.device and m.device.uid in moved
            }
        )
        self._take_fresh(fresh)

    def _take_fresh(self, fresh: Sequence[Device]) -> None:
        """Devices as they tell of themselves now."""
        if self.checks.found:
            by_uid = {d.uid: d for d in fresh}
            self.checks.found.devices = [by_uid.get(d.uid, d) for d in self.checks.found.devices]
            self.checks.take(self.checks.found)

    # ------------------------------------------------------------ what is shown

    def _select(self, row: int) -> None:
        unit = self.model.rows[row].unit
        if unit:
            self.bench.selection.select([unit.id])

    def refresh(self) -> None:
        busy = self.task is not None
        self.bar.setVisible(busy)
        self.stop_button.setVisible(busy)
        self.go.setVisible(not busy)
        found, matches = self.checks.found, self.checks.matches
        self.model.take(
            sorted(
                matches,
                key=lambda m: (IN_PLACE in m.ways, m.unit is None, m.unit.number if m.unit else 0),
            )
        )
        for made in self.buttons:
            made.setEnabled(not busy and bool(matches))
        self.buttons[-1].setEnabled(not busy and bool(self.checks.done))
        self.odd.setText("  ".join(found.odd[:4]) if found else "")
        self.odd.setVisible(bool(found and found.odd))
        self.first.show_if(not busy and found is None)
        if busy:
            return
        if found is None:
            off = [n.name for n in self.bench.show.nodes if not n.rdm]
            words = f" {', '.join(off)} is left alone." if off else ""
            self.state.setText(
                "Every node is asked which devices are behind it, then each device what it "
                f"is.{words}"
            )
        else:
            count = {
                way: sum(way in m.ways for m in matches)
                for way in (IN_PLACE, "other address", "other mode", "other port", MISSING, UNKNOWN)
            }
            said = ", ".join(f"{n} {way}" for way, n in count.items() if n)
            where = (
                f"behind {many(len(found.asked), 'port')}"
                if not found.ended
                else "so far; it was stopped before all were asked"
            )
            self.state.setText(f"{many(len(found.devices), 'device')} {where}: {said or 'none'}.")
