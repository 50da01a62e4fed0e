"""Stations of other programs: who is there, what they offer, and our rig offered to them.

Off until a person goes on the network, by the adapter that is chosen. A file is fetched when it is
asked for, and shown beside ours; nothing of it is taken automatically.
"""

from __future__ import annotations

import socket
import uuid
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, Any

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QHBoxLayout, QLabel, QLineEdit, QWidget

from isthmus.app.kit import settings
from isthmus.app.kit.tasks import Step, Task
from isthmus.app.kit.widgets import (
    PageView,
    RowsModel,
    Section,
    button,
    choice,
    column_of,
    field,
    label,
    plain_table,
    selected_rows,
)
from isthmus.app.model.house import House
from isthmus.errors import EntryFault
from isthmus.net import read_adapters
from isthmus.plural import many

if TYPE_CHECKING:
    from isthmus.net.adapters import Adapter
    from isthmus.xchange import Commit, Exchange, Shown

OFF = (
    "Other programs can offer their rig here and fetch ours, as MVR 1.6 describes it. Nothing is "
    "sent until you go on the network."
)


class StationsModel(RowsModel):
    COLUMNS = ("Station", "Program", "Address", "State", "Offers")
    MONO = (2, 4)

    def cells(self, row: Shown) -> tuple[str, ...]:
        state = "joined" if row.joined else "found"
        return row.name, row.provider, row.address, state, str(len(row.commits))

    def tip(self, row: Shown, column: int) -> str:
        return self.words(row, column)

    def ink(self, row: Shown, column: int) -> str:
        return ("text", "text2", "text2", "teal" if row.joined else "ochre", "text2")[column]


class OffersModel(RowsModel):
    """A station and a file of its own, the last one first."""

    COLUMNS = ("From", "Comment", "File", "Size")
    MONO = (3,)

    def cells(self, row: tuple[Shown, Commit]) -> tuple[str, ...]:
        station, commit = row
        size = f"{commit.size / 1024:.0f} kB" if commit.size else "not told"
        return station.name, commit.comment or "no comment", commit.name, size

    def tip(self, row: tuple[Shown, Commit], column: int) -> str:
        return self.words(row, column)

    def ink(self, row: tuple[Shown, Commit], column: int) -> str:
        return ("text2", "text", "text2", "text2")[column]


class StationsView(PageView):
    _news = Signal()
    _said = Signal(str)

    def __init__(self, house: House, beside: Callable[[Path], None]) -> None:
        """`beside`: hold a file beside ours, unit by unit."""
        super().__init__()
        self.house, self.bench, self.beside = house, house.bench, beside
        self.exchange: Exchange | None = None
        self._task: Task | None = None
        column = column_of(self)
        self.state = label(OFF, "quiet", wrap=True)
        self.state.setObjectName("exchange state")
        column.addWidget(self.state)
        column.addLayout(self._joining())
        self.asked: QLabel = label("", "attention", wrap=True)
        self.go_there = button("Go there", run=self.follow, name="follow")
        column.addLayout(_line((self.asked, 1), (self.go_there, 0)))
        self.stations, self.offers = StationsModel(), OffersModel()
        column.addWidget(Section("In the group"))
        widths = (220, 200, 170, 90, 60)
        self.table = plain_table(self.stations, "stations", "Stations of the group", widths, 1)
        column.addWidget(self.table, 2)
        self.address = field("station address", "", "10.0.0.7:47100, or ws://… of a host")
        self.call = button("Join by address", run=self.join, name="join station")
        far = label("Not found automatically:", "quiet")
        column.addLayout(_line((far, 0), (self.address, 1), (self.call, 0)))
        column.addWidget(Section("Offered by them"))
        widths = (220, 360, 200, 80)
        self.offered = plain_table(self.offers, "offers", "Files that others offer", widths, 1)
        self.offered.selectionModel().selectionChanged.connect(lambda *_: self._able())
        column.addWidget(self.offered, 3)
        column.addLayout(self._fetching())
        column.addWidget(Section("Offered by us"))
        self.comment = field("offer comment", "", "what is new in it")
        self.give = button("Offer the rig as it is now", run=self.offer, name="offer rig")
        self.given = label("", "quiet")
        column.addLayout(_line((self.comment, 2), (self.give, 0), (self.given, 1)))
        self._news.connect(self.refresh)
        self._said.connect(lambda words: self.bench.tell("ok", words))
        self.refresh()

    def _joining(self) -> QHBoxLayout:
        known = self.house.settings
        self.adapter = choice("exchange adapter")
        self.group: QLineEdit = field("exchange group", known.station_group)
        self.group.setFixedWidth(130)
        usual = known.station_name or f"Isthmus on {socket.gethostname()}"
        self.name: QLineEdit = field("station name", usual)
        self.off = button("Leave the group", run=self.end, height=30, name="leave group")
        self.on = button(
            "Go on the network", "primary", lambda: self.bench.guard(self.begin), 30, "join group"
        )
        return _line(
            (label("By", "quiet"), 0),
            (self.adapter, 1),
            (label("group", "quiet"), 0),
            (self.group, 0),
            (label("called", "quiet"), 0),
            (self.name, 1),
            (self.off, 0),
            (self.on, 0),
        )

    def _fetching(self) -> QHBoxLayout:
        self.show_it = button("Fetch, show beside ours", run=self.show_beside, name="fetch beside")
        self.compare_it = button("Fetch, compare all of it", run=self.compare, name="fetch compare")
        self.told = label("", "quiet")
        self.told.setObjectName("how far the file is")
        self.stop = button("Cancel", run=self.cancel, name="cancel fetching")
        return _line((self.show_it, 0), (self.compare_it, 0), (self.told, 1), (self.stop, 0))

    # ------------------------------------------------------------ on and off

    def entered(self) -> None:
        if self.exchange is None:
            wanted = self.adapter.currentData() or self.house.settings.adapters.get("xchange")
            self.adapter.clear()
            for adapter in read_adapters():
                if adapter.up:
                    self.adapter.addItem(adapter.words, adapter)
            ips = [_ip(self.adapter.itemData(at)) for at in range(self.adapter.count())]
            last = len(ips) - 1  # this computer alone
            self.adapter.setCurrentIndex(ips.index(_ip(wanted)) if _ip(wanted) in ips else last)
        self.refresh()

    def begin(self) -> None:
        """Raises EntryFault where no adapter or no group is chosen."""
        from isthmus.xchange import Exchange, Me  # only who uses it waits for it

        adapter: Adapter | None = self.adapter.currentData()
        group, name = self.group.text().strip(), self.name.text().strip()
        if adapter is None or not group or not name:
            raise EntryFault("An adapter, a group and a name are needed.")
        known = self.house.settings
        known.station_uuid = known.station_uuid or str(uuid.uuid4())
        known.station_group, known.station_name = group, name
        known.adapters = {**known.adapters, "xchange": adapter.ip}
        settings.save(known)
        made = Exchange(
            Me(known.station_uuid, name), adapter, group, self._news.emit, self._said.emit
        )
        self._run(lambda step: made.start(), lambda _: self._began(made), "Looking for stations")

    def _began(self, made: Exchange) -> None:
        self.exchange = made
        self.refresh()

    def end(self) -> None:
        self.cancel()
        held, self.exchange = self.exchange, None
        if held is not None:
            self._run(lambda step: held.stop(), lambda _: None, "Leaving the group")
        self.refresh()

    def shut_down(self) -> None:
        self.cancel()
        if self.exchange is not None:
            self.exchange.stop()
            self.exchange = None

    # ------------------------------------------------------------ acts

    def join(self) -> None:
        held, text = self.exchange, self.address.text()
        if held is not None:
            self._run(lambda step: held.join(text), lambda _: self.address.clear(), "Calling it")

    def offer(self) -> None:
        held, show, comment = self.exchange, self.bench.show, self.comment.text().strip()
        if held is None:
            return

        def work(step: Step) -> list[str]:
            from isthmus.mvr import write_show  # meshes and all: not needed at the start

            step(0.0)
            return held.offer(write_show(show), f"{show.name}.mvr", comment)

        def done(missed: list[str]) -> None:
            self.comment.clear()
            if missed:
                words = f"Offered, but not told: {', '.join(missed)}."
                self.bench.tell("warning", words)
            self.refresh()

        self._run(work, done, "Writing the rig")

    def show_beside(self) -> None:
        self._fetch(self.beside)

    def compare(self) -> None:
        """On the page Versions, where each difference can be taken."""

        def done(path: Path) -> None:
            self.house.sides.asked = self.house.sides.open(path)
            self.house.go("Versions")

        self._fetch(done)

    def _fetch(self, done: Callable[[Path], None]) -> None:
        held, rows = self.exchange, selected_rows(self.offered)
        if held is None or not rows:
            return
        station, commit = self.offers.rows[rows[0]]

        def work(step: Step) -> Path:
            from isthmus.xchange import keep_received

            return keep_received(held.get(commit, step), commit, station.name)

        self._run(work, lambda path: self.bench.guard(lambda: done(path)), "Fetching")

    def ask_move(self, to: str) -> None:
        """Raises EntryFault while this station is in no group."""
        held = self.exchange
        if held is None:
            raise EntryFault("This station is in no group.", do="Go on the network first.")
        self._run(lambda step: held.move(to), lambda _: None, "Asking all")

    def follow(self) -> None:
        """Go to the group or the host that another has asked all to go to."""
        held = self.exchange
        asked = held.station.asked_to if held else None
        if held is None or asked is None:
            return
        held.station.asked_to = None
        if asked.url:
            self._run(lambda step: held.join(asked.url), lambda _: None, "Calling the host")
        elif asked.group:
            self.group.setText(asked.group)
            self.end()
            self.bench.tell("ok", f"Go on the network to be in the group {asked.group}.")
        self.refresh()

    # ------------------------------------------------------------ long work

    def _run(self, work: Callable[[Step], Any], done: Callable[[Any], object], words: str) -> None:
        self.cancel()
        task = self._task = Task(work, self)
        self.told.setText(f"{words}…")
        task.progressed.connect(
            lambda share, more: self.told.setText(f"{words}: {100 * share:.0f} %, {more}")
        )
        task.done.connect(done)
        task.failed.connect(lambda error: self.bench.tell("fault", str(error)))
        held = self.window().focusWidget()  # a button that is off for a while loses the keys
        task.ended.connect(lambda: self._over(held))
        task.start()
        self._able()

    def _over(self, held: QWidget | None) -> None:
        self._task = None
        self.told.setText("")
        self.refresh()
        if held is not None and self.isAncestorOf(held) and held.isVisible():
            held.setFocus(Qt.FocusReason.OtherFocusReason)

    def cancel(self) -> None:
        if self._task is not None:
            self._task.cancel()
            self._task.wait()

    # ------------------------------------------------------------ what is shown

    def _able(self) -> None:
        on, busy = self.exchange is not None, self._task is not None
        chosen = bool(selected_rows(self.offered))
        for one in (self.show_it, self.compare_it):
            one.setEnabled(on and chosen and not busy)
        for one in (self.give, self.call):
            one.setEnabled(on and not busy)
        self.stop.setVisible(busy)
        self.on.setEnabled(not busy)
        self.off.setEnabled(not busy)

    def refresh(self) -> None:
        held = self.exchange
        self.on.setVisible(held is None)
        self.off.setVisible(held is not None)
        for one in (self.adapter, self.group, self.name):
            one.setEnabled(held is None)
        others = held.others() if held else []
        self.stations.take(others)
        was = {self.offers.rows[at][1].file for at in selected_rows(self.offered)}
        rows = [(one, commit) for one in others for commit in reversed(one.commits)]
        self.offers.take(rows)
        for at, (_, commit) in enumerate(rows):
            if commit.file in was or len(rows) == 1:
                self.offered.selectRow(at)
                break
        ours = list(held.station.ours.values()) if held else []
        self.given.setText(f"{many(len(ours), 'file')} offered" if ours else "")
        asked = held.station.asked_to if held else None
        self.asked.setVisible(asked is not None)
        self.go_there.setVisible(asked is not None)
        if asked is not None:
            self.asked.setText(f"All are asked to go to {asked.url or asked.group}.")
        self.state.setText(self._words(held))
        self._able()

    def _words(self, held: Exchange | None) -> str:
        if held is None:
            return OFF
        where = f"In the group {held.group_name} by {held.adapter.words}; heard at {held.where}."
        if held.adapter.local:
            return f"{where} On this computer alone stations are joined by their address."
        rest = sorted(held.finder.groups - {held.group_name})
        return f"{where} Other groups there: {', '.join(rest)}." if rest else where


def _ip(adapter: object) -> str:
    return adapter if isinstance(adapter, str) else str(getattr(adapter, "ip", ""))


def _line(*parts: tuple[Any, int]) -> QHBoxLayout:
    made = QHBoxLayout()
    made.setSpacing(6)
    for part, stretch in parts:
        made.addWidget(part, stretch)
    return made
