"""Watch: what each device sends on the network, its levels, and whether what arrives is what we
send.
"""

from __future__ import annotations

import time
from collections.abc import Sequence
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QTimer
from PySide6.QtWidgets import QFileDialog, QHBoxLayout, QWidget

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
    take_row,
)
from isthmus.app.model.net_link import NetLink
from isthmus.app.model.workbench import Workbench
from isthmus.app.pages.routes.views.levels import Levels
from isthmus.errors import EntryFault
from isthmus.net import View
from isthmus.output import identity
from isthmus.output.captured import CaptureLimits, CaptureShare
from isthmus.output.claims import Claims, told_of
from isthmus.output.masters import row_of
from isthmus.patch.index import index_of
from isthmus.patch.numbers import read_numbers
from isthmus.routes import write_number
from isthmus.show.address import write_address
from isthmus.show.records import Output
from isthmus.snags.rules_network import is_own, source_name
from isthmus.watch import MAX_SOURCES, Playing, Source, read_capture

REFRESH_MS = 200
ARRIVES, SENT, DIFFERENCE = "arrives", "sent", "difference"


SourceRow = tuple[Source, str, bool, str]  # its name, whether it is ours, and how it differs


class SourcesModel(RowsModel):
    COLUMNS = (
        "Universe",
        "Sent by",
        "Address",
        "Priority",
        "Rate",
        "Lost",
        "Last heard",
        "Against ours",
    )
    MONO = (0, 2, 3, 4, 5)
    TOLD = (0, 1, 2, 3, 4, 5, 6, 7)

    def cells(self, row: SourceRow) -> Sequence[str]:
        source, name, own, against = row
        last = "ended" if source.ended else f"{source.age:.0f} s ago" if source.silent else "now"
        marks = [("preview", source.preview), ("by address", source.per_address)]
        priority = str(source.priority) if source.protocol == "sacn" else ""
        return (
            write_number(source.protocol, source.number),
            name + (" (this show)" if own else ""),
            source.ip,
            " ".join([priority, *(words for words, on in marks if on)]).strip(),
            f"{source.rate:.1f} Hz",
            str(source.lost),
            last,
            against,
        )

    def ink(self, row: SourceRow, column: int) -> str:
        source, _, _, against = row
        if column == 7 and against.startswith("second"):
            return "fault"
        if column == 7:
            return "ochre" if "differ" in against else "teal"
        if source.silent:
            return "text3"
        return "text" if column < 2 else "text2"


class SlotsModel(RowsModel):
    """The levels by unit."""

    COLUMNS = ("Unit", "Name", "Address", "Levels, slot by slot")
    MEDIUM = ()
    MONO = (0, 2, 3)
    TOLD = (3,)

    def cells(self, row: Sequence[str]) -> Sequence[str]:
        return row

    def ink(self, row: Sequence[str], column: int) -> str:
        return "text" if column in (0, 3) else "text2"


class WatchView(PageView):
    def __init__(self, bench: Workbench, net: NetLink, window: QWidget) -> None:
        super().__init__()
        self.bench, self.net, self.window_ = bench, net, window
        column = column_of(self)
        top = QHBoxLayout()
        top.setSpacing(6)
        self.more = field("listen to", "", "sACN universes: 1-8", mono=True)
        self.more.setFixedWidth(210)
        self.more.editingFinished.connect(lambda: self.bench.guard(self._listen))
        top.addWidget(self.more)
        self.where = choice("Listen on")
        self.where.setFixedWidth(170)
        self.where.activated.connect(
            lambda _: self.bench.guard(lambda: self.net.listen_on(str(self.where.currentData())))
        )
        top.addWidget(self.where)
        self.capture = button("Capture…", run=lambda: self.bench.guard(self._capture))
        top.addWidget(self.capture)
        self.play = button("Play back…", run=lambda: self.bench.guard(self._play))
        top.addWidget(self.play)
        self.forget = button(
            "Clear lost senders", run=lambda: self.net.hub and self.net.hub.watch.forget()
        )
        top.addWidget(self.forget)
        self.told = label("", "quiet", "caption", wrap=True)
        top.addWidget(self.told, 1)
        column.addLayout(top)
        self.model = SourcesModel()
        self.table = plain_table(
            self.model, "sources", "Senders by universe", (190, 200, 110, 100, 74, 60, 80, 180), 1
        )
        self.table.setMaximumHeight(170)
        column.addWidget(self.table)
        row = QHBoxLayout()
        row.setSpacing(6)
        self.title = Section("Levels")
        row.addWidget(self.title, 1)
        self.which = choice(
            "Show",
            [(ARRIVES, "what arrives"), (SENT, "what we send"), (DIFFERENCE, "the difference")],
        )
        row.addWidget(self.which)
        column.addLayout(row)
        lower = QHBoxLayout()
        lower.setSpacing(14)
        self.levels = Levels()
        lower.addWidget(self.levels, 3)
        self.slots = SlotsModel()
        lower.addWidget(
            plain_table(self.slots, "levels by unit", "Levels by unit", (50, 130, 70, 100), 3), 2
        )
        column.addLayout(lower, 1)
        self._playing: Playing | None = None
        self._timer = QTimer(self)
        self._timer.setInterval(REFRESH_MS)
        self._timer.timeout.connect(self.refresh)
        self._player = QTimer(self)
        self._player.setInterval(10)
        self._player.timeout.connect(self._play_on)

    def entered(self) -> None:
        self.bench.guard(self.net.start)
        self._timer.start()
        self.refresh()

    def left(self) -> None:
        self._timer.stop()

    # ------------------------------------------------------------ what is so

    def refresh(self) -> None:
        view = self.net.view
        sources = view.sources if self.net.hub is None else tuple(self.net.hub.watch.sources())
        cid = identity(self.bench.show).cid.hex()
        kept = self.chosen()
        rows = []
        for source in sources:
            own = is_own(source, view, cid)
            rows.append(
                (
                    source,
                    source_name(source, view) if not own else self.bench.show.name,
                    own,
                    self._against(source, own),
                )
            )
        self._fill(rows, kept)
        self._offer(view)
        self._tell(view)
        self._show_levels()

    def _offer(self, view: View) -> None:
        """Adapters to listen on."""
        items = [
            ("", "where we send"),
            ("all", "on every adapter"),
            *((a.ip, f"also on {a.name}") for a in view.adapters),
        ]
        if items != [
            (self.where.itemData(i), self.where.itemText(i)) for i in range(self.where.count())
        ]:
            kept = self.where.currentData()
            self.where.clear()
            for key, words in items:
                self.where.addItem(words, key)
            self.where.setCurrentIndex(max(0, self.where.findData(kept)))

    def _fill(self, rows: list[Any], kept: Source | None) -> None:
        same = [(s.kind, s.number, s.ip, s.cid) for s, *_ in rows] == [
            (s.kind, s.number, s.ip, s.cid) for s, *_ in self.model.rows
        ]
        if same:  # the figures change all the time: the choice stays
            self.model.rows = rows
            if rows:
                self.model.dataChanged.emit(
                    self.model.index(0, 0),
                    self.model.index(len(rows) - 1, len(SourcesModel.COLUMNS) - 1),
                )
            return
        self.model.take(rows)
        key = kept and (kept.kind, kept.number, kept.ip, kept.cid)
        at = next(
            (i for i, (s, *_) in enumerate(rows) if (s.kind, s.number, s.ip, s.cid) == key), 0
        )
        if rows:
            take_row(self.table, at)

    def chosen(self) -> Source | None:
        at = self.table.currentIndex().row()
        return self.model.rows[at][0] if 0 <= at < len(self.model.rows) else None

    def _ours(self, source: Source) -> NDArray[np.uint8] | None:
        """What this show sends under the same number; None when it does not."""
        output = self._output(source)
        compiled = self.bench.levels.live.compiled
        if output is None or output.universe not in compiled.universes:
            return None
        return row_of(self.bench.levels.live.frame, compiled.universes.index(output.universe))

    def _output(self, source: Source) -> Output | None:
        """Our output of the same number."""
        return next(
            (
                o
                for o in self.bench.show.outputs
                if o.enabled and (o.protocol, o.number) == (source.protocol, source.number)
            ),
            None,
        )

    def _against(self, source: Source, own: bool) -> str:
        ours = self._ours(source)
        if ours is None or not self.bench.levels.sending:
            return "not sent by us" if ours is None else "our output is off"
        if not own:
            return "second sender" if not source.silent else "second sender, silent"
        arrives = self._arrived(source)
        differ = int((arrives != ours).sum())
        return "arrives as sent" if not differ else f"{differ} slots differ"

    def _arrived(self, source: Source) -> NDArray[np.uint8]:
        return self.net.hub.watch.levels(source) if self.net.hub else np.zeros(512, np.uint8)

    def _tell(self, view: View) -> None:
        hub = self.net.hub
        if hub is None:
            self.told.setText("Nothing is listened to yet.")
            return
        counts = hub.watch.counts()
        words = f"{counts.packets} packets heard, {counts.bad} of them broken or foreign"
        if counts.full:
            words += f"; {counts.full} left out, of more than {MAX_SOURCES} sources"
        if self._captured:
            words += f"; {counts.captured} captured"
        if self._playing:
            words = f"Playing back, {self._playing.position:.0f} of {self._playing.seconds:.0f} s"
        self.told.setText(words + ".")
        if hub.captured is not None and hub.captured.error:
            self.bench.tell(
                "fault", f"{hub.captured.path} cannot be written. {hub.captured.error}."
            )
            self._captured, hub.captured = "", None
            self.capture.setText("Capture…")

    _captured = ""

    def _show_levels(self) -> None:
        source, which = self.chosen(), self.which.currentData()
        if source is None:
            self.levels.take(np.zeros(512, np.uint8), None, 0)
            self.slots.take([])
            self.title.words = (
                "Nothing is heard. Broadcast and multicast come automatically, unicast only what "
                "is sent to this computer."
            )
            self.title.update()
            return
        arrives, ours = self._arrived(source), self._ours(source)
        shown = arrives
        if ours is not None and which != ARRIVES:
            shown = ours if which == SENT else np.abs(arrives.astype(int) - ours).astype(np.uint8)
        self.levels.take(shown, arrives != ours if ours is not None else None, source.length)
        self.title.words = (
            f"{write_number(source.protocol, source.number)} from "
            f"{source_name(source, self.net.view)} at {source.ip}"
        )
        self.title.update()
        output = self._output(source)
        index, rows = index_of(self.bench.show), []
        for span in index.universe(output.universe).spans if output else ():
            unit = index.by_id[span.unit]
            levels = " ".join(map(str, shown[span.start - 1 : span.end].tolist()))
            rows.append(
                (str(unit.number), unit.name, write_address(span.universe, span.start), levels)
            )
        self.slots.take(rows)

    # ------------------------------------------------------------ acts

    def _listen(self) -> None:
        text = self.more.text().strip()
        self.net.watch_universes(
            tuple(n for n in read_numbers(text) if 1 <= n <= 63999)[:512] if text else ()
        )

    def _capture(self) -> None:
        hub = self.net.start()
        if self._captured:
            hub.watch.capture("")
            self.bench.tell(
                "ok", f"Captured {hub.watch.counts().captured} packets to {self._captured}."
            )
            self._captured = ""
            self.capture.setText("Capture…")
            return
        start = str(Path.home() / time.strftime("capture %Y-%m-%d %H%M.pcapng"))
        name, _ = QFileDialog.getSaveFileName(
            self.window_,
            "Capture to a file",
            start,
            "Captures (*.pcapng)",
            options=QFileDialog.Option.DontUseNativeDialog,
        )
        if name:
            self.begin_capture(name if name.endswith(".pcapng") else f"{name}.pcapng")

    def begin_capture(self, path: str) -> None:
        self.net.start().watch.capture(path)
        self._captured = path
        self.capture.setText("End the capture")

    def _play(self) -> None:
        if self._playing:
            self._played()
            return
        name, _ = QFileDialog.getOpenFileName(
            self.window_,
            "Play a capture back",
            str(Path.home()),
            "Captures (*.pcapng)",
            options=QFileDialog.Option.DontUseNativeDialog,
        )
        if name:
            self.begin_playback(Path(name))

    def begin_playback(self, path: Path) -> None:
        """Raises FileFault. Refused while the output is on: two senders would fight."""
        if self.bench.levels.sending:
            raise EntryFault(
                "The output is on: it and the playback would fight.",
                do="Switch the output off first.",
            )
        self._playing = Playing(read_capture(path))
        self._limits = CaptureLimits(self.bench.show)
        self._claims = Claims(self.bench.show.name)
        self._share = CaptureShare(self._claims, self._playing.packets)
        self.play.setText("End the playback")
        self._player.start()

    def _play_on(self) -> None:
        hub = self.net.hub
        if self._playing is None or hub is None:
            return
        before = set(self._share.left)
        for payload, (host, port) in self._playing.due():
            if self._share.may(payload, host):
                hub.send(self._limits.hold(payload), host, port)
        if self._share.left.keys() - before:
            self.bench.tell(*told_of(self._share.left))
        if self._playing.done:
            left = f" {told_of(self._share.left)[1]}" if self._share.left else ""
            self._played()
            held = f" Limits held {self._limits.held} packets back." if self._limits.held else ""
            words = f"The capture has been played back.{held}{left}"
            self.bench.tell("attention" if left else "ok", words)

    def _played(self) -> None:
        self._playing = None
        self._player.stop()
        self._claims.close()
        self.play.setText("Play back…")
