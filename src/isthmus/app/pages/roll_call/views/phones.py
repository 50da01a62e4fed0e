"""Phones: the page is served or not, the way to join, who has joined, and what was refused."""

from __future__ import annotations

import io
import time
from collections.abc import Sequence
from typing import TYPE_CHECKING

from PySide6.QtCore import Qt, QTimer, Signal
from PySide6.QtGui import QImage, QPixmap
from PySide6.QtWidgets import QHBoxLayout, QLabel, QVBoxLayout, QWidget

from isthmus.app.kit.widgets import (
    PageView,
    Panel,
    RowsModel,
    Section,
    bind,
    button,
    choice,
    column_of,
    label,
    plain_table,
    selected_rows,
)
from isthmus.app.model.focus import Focus
from isthmus.app.model.stick import Stick
from isthmus.app.model.workbench import Workbench
from isthmus.app.pages.roll_call.views.call import CallView
from isthmus.errors import IsthmusError
from isthmus.net import read_adapters
from isthmus.pixels.wiring_pictures import PICTURES

if TYPE_CHECKING:
    from isthmus.phone.server import Op, PhoneServer

NEWS_MS = 150


class PhonesModel(RowsModel):
    COLUMNS = ("Name", "From", "State", "Marks")
    MONO = (1, 3)

    def cells(self, row: tuple[str, str, bool, int]) -> Sequence[str]:
        name, ip, on, marks = row
        return name, ip, "connected" if on else "gone for now", str(marks)

    def ink(self, row: tuple[str, str, bool, int], column: int) -> str:
        return ("text", "text2", "teal" if row[2] else "ochre", "text2")[column]


class RefusedModel(RowsModel):
    COLUMNS = ("At", "From", "Why")
    MEDIUM = ()
    MONO = (0, 1)

    def cells(self, row: tuple[str, str, str]) -> Sequence[str]:
        return row

    def ink(self, row: tuple[str, str, str], column: int) -> str:
        return ("text2", "text2", "ochre")[column]


def pixels_of(bench: Workbench) -> dict[str, object] | None:
    """What phones show of grids; None while there is none."""
    from isthmus.phone.pixels import check_of, grids_of

    told, tests = grids_of(bench.show), bench.grid_tests
    if told is None:
        return None
    shown = tests.shown
    now = shown and {"grid": shown.grid.id, "picture": shown.picture, "words": shown.words}
    check = check_of(tests.check, tests.look, tests.marks, tests.step)
    return told | {"shown": now, "check": check}


def do_pixels(bench: Workbench, op: Op) -> None:
    """A test picture, or a step of the wiring check. Raises EntryFault."""
    tests, data = bench.grid_tests, op.data
    grid = next((g for g in bench.show.grids if g.id == data.get("grid")), None)
    asked = tests.check is not None and tests.look is not None
    if op.do == "picture_test":
        if data.get("end"):
            tests.end_picture()
        elif grid is not None and data.get("picture") in PICTURES:
            tests.show_picture(grid, str(data["picture"]))
    elif op.do == "wiring_begin":
        tests.begin(grid)
    elif op.do == "wiring_end":
        tests.stop()
    elif op.do == "wiring_fix":
        tests.fix()
    elif asked and data.get("asks") == tests.asks:  # not of a picture that has gone
        if op.do == "wiring_next":
            tests.go_on()
        elif op.do == "wiring_mark" and isinstance(data.get("units"), list):
            tests.mark([str(u) for u in data["units"]], str(data.get("words", "")))


FOCUS_STEPS = {"next": (1, True), "skip": (1, False), "back": (-1, False)}


def focus_of(focus: Focus) -> dict[str, object] | None:
    """What phones show of the unit that is focused; None while none is."""
    unit, palette = focus.unit, focus.palette
    if unit is None or palette is None:
        return None
    return {
        "unit": unit.id,
        "number": str(unit.number),
        "title": unit.name or str(unit.number),
        "where": f"{palette.name}, {focus.at + 1} of {len(focus.ids)}",
        "words": focus.words(),
    }


class PhonesView(PageView):
    _op = Signal(object)
    _news = Signal()

    def __init__(self, bench: Workbench, call: CallView, focus: Focus, window: QWidget) -> None:
        super().__init__()
        self.bench, self.call_view, self.window_ = bench, call, window
        self.focus, self.stick = focus, Stick(focus)
        self.server: PhoneServer | None = None
        column = column_of(self, 8)
        row = QHBoxLayout()
        row.setSpacing(6)
        self.state = label("", "quiet", wrap=True)
        row.addWidget(self.state, 1)
        self.adapter = choice("phones adapter")
        row.addWidget(self.adapter)
        self.off = button("End it", run=self.end, height=30, name="end phones")
        self.go = button(
            "Serve the page", "primary", lambda: bench.guard(self.begin), 30, "serve phones"
        )
        row.addWidget(self.off)
        row.addWidget(self.go)
        column.addLayout(row)
        both = QHBoxLayout()
        both.setSpacing(18)
        self.card = Panel("shelf")
        inner = QVBoxLayout(self.card)
        inner.setContentsMargins(20, 18, 20, 18)
        self.picture = QLabel()
        self.picture.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.picture.setAccessibleName("QR code to join")
        self.code = label("", size="readout", weight=600, mono=True)
        self.code.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.code.setObjectName("phone code")
        self.url = label("", "quiet", mono=True)
        self.url.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.url.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        for widget in (
            self.picture,
            self.code,
            self.url,
            label("Each code admits one phone, then it changes.", "quiet"),
        ):
            inner.addWidget(widget, 0, Qt.AlignmentFlag.AlignHCenter)
        self.card.setFixedWidth(330)
        both.addWidget(self.card, 0, Qt.AlignmentFlag.AlignTop)
        right = QVBoxLayout()
        self.phones, self.refused = PhonesModel(), RefusedModel()
        right.addWidget(Section("Joined"))
        self.table = plain_table(
            self.phones, "phones", "Phones that have joined", (150, 110, 110, 60), 0
        )
        right.addWidget(self.table, 3)
        out = QHBoxLayout()
        out.addWidget(button("Disconnect phone", "quiet", self.put_out, name="put phone out"))
        out.addStretch(1)
        right.addLayout(out)
        right.addWidget(Section("Refused"))
        right.addWidget(
            plain_table(self.refused, "refused", "Attempts that were refused", (70, 110, 200), 2), 2
        )
        both.addLayout(right, 1)
        column.addLayout(both, 1)
        self._op.connect(self._take)
        self._news.connect(self.refresh)
        self._later = QTimer(self)
        self._later.setSingleShot(True)
        self._later.timeout.connect(self._publish)
        for signal in (
            bench.changed,
            bench.session.changed,
            bench.levels.sending_changed,
            focus.changed,
            focus.turned,
            bench.grid_tests.changed,
        ):
            bind(signal, self, self._soon)
        self.refresh()

    # ------------------------------------------------------------ on and off

    def entered(self) -> None:
        if self.server is None:
            have = self.adapter.currentData()
            self.adapter.clear()
            for adapter in sorted(read_adapters(), key=lambda a: a.ip.startswith("127.")):
                if adapter.up:
                    self.adapter.addItem(f"{adapter.name}, {adapter.ip}", adapter.ip)
            self.adapter.setCurrentIndex(max(0, self.adapter.findData(have)))
        self.refresh()

    def begin(self) -> None:
        """Raises NetworkFault when the page cannot be served there."""
        from isthmus.phone.server import PhoneServer  # only who uses it waits for it

        server = PhoneServer(
            str(self.adapter.currentData() or "127.0.0.1"), self._op.emit, self._news.emit
        )
        server.start()
        self.server = server
        self._publish()
        self.refresh()

    def end(self) -> None:
        if self.server is not None:
            server, self.server = self.server, None
            server.stop()
            self.refresh()

    def shut_down(self) -> None:
        if self.server is not None:
            self.server.stop()
            self.server = None

    def put_out(self) -> None:
        rows = selected_rows(self.table)
        if self.server:
            phones = list(self.server.door.phones.values())
            for row in rows:
                self.server.put_out(phones[row].token)
        self.refresh()

    # ------------------------------------------------------------ what phones do

    def _soon(self) -> None:
        if self.server is not None and not self._later.isActive():
            self._later.start(NEWS_MS)

    def _publish(self) -> None:
        from isthmus.phone.shown import state_of

        if self.server is not None:
            state = state_of(self.bench.show, self.bench.session.call, self.bench.levels.sending)
            state |= {"focus": focus_of(self.focus), "pixels": pixels_of(self.bench)}
            self.server.publish(state)

    def _take(self, op: Op) -> None:
        if self.server is None:
            return
        if op.do == "push":  # many a second, each for its moment only
            self.stick.hold(op.data.get("x"), op.data.get("y"))
            return
        try:
            self._do(op)
        except IsthmusError as error:
            self.server.acknowledge(op, False, str(error))
        else:
            self.server.acknowledge(op, True)
        self._soon()
        self.refresh()

    def _do(self, op: Op) -> None:
        from isthmus.phone.server import PIXELS
        from isthmus.phone.shown import STALE_STEP, take_picture, unit_called

        bench, call = self.bench, self.bench.session.call
        if op.do == "mark":
            self._mark(op)
        elif op.do == "picture":
            bench.commit(f"{op.phone} adds a picture", take_picture(bench.show, op))
        elif op.ago >= STALE_STEP:
            return  # meant for a stop that has gone
        elif op.do == "begin" and call is None:
            self.call_view.begin()
        elif op.do in PIXELS:
            do_pixels(bench, op)
        elif op.do == "focus":
            self._step_focus(op)
        elif call and op.do == "step":
            bench.session.step(1 if op.data.get("by") == 1 else -1)
        elif call and op.do == "jump":
            bench.session.jump(unit_called(bench.show, op))
        elif call and op.do == "act":
            bench.session.step_act()

    def _step_focus(self, op: Op) -> None:
        """Only of the unit that is seen there: a second press of another phone is not the next."""
        unit, do = self.focus.unit, op.data.get("act")
        if unit is None or op.data.get("unit") != unit.id:
            return
        if do == "end":
            self.focus.end()
        elif do in FOCUS_STEPS:
            by, learn = FOCUS_STEPS[do]
            self.focus.step(by, learn, for_all=learn and op.data.get("all") is True)

    def _mark(self, op: Op) -> None:
        from isthmus.phone.shown import STALE_STEP, is_stop, take_mark

        bench, call = self.bench, self.bench.session.call
        marked = take_mark(bench.show, op, call.manner.kinds if call else ())
        if marked is not bench.show:  # an address that answers changes nothing
            bench.commit(f"{op.phone} marks {op.data.get('result', '')}", marked)
        if call and is_stop(call.stop, op) and op.ago < STALE_STEP:
            bench.session.step(1)

    # ------------------------------------------------------------ what is shown

    def refresh(self) -> None:
        on = self.server is not None
        self.card.setVisible(on)
        self.off.setVisible(on)
        self.go.setVisible(not on)
        self.adapter.setEnabled(not on)
        if self.server is None:
            self.state.setText(
                "Phones on the same network can step, mark, note and take pictures. Nothing "
                "is served until you say so."
            )
            self.phones.take([])
            return
        door = self.server.door
        self.state.setText(
            "Read the code with a phone, or type the address and the code. Everything that "
            "is marked there is kept here."
        )
        if self.code.text() != door.code:
            self.code.setText(door.code)
            self.picture.setPixmap(qr_of(self.server.join_url))
        self.url.setText(self.server.url)
        self.phones.take([(p.name, p.ip, p.on, p.marks) for p in door.phones.values()])
        told = [
            (time.strftime("%H:%M:%S", time.localtime(r.at)), r.ip, r.why)
            for r in reversed(door.refused)
        ]
        self.refused.take(told)


def qr_of(text: str) -> QPixmap:
    """Black on white, whatever the theme: cameras want it so."""
    import segno

    out = io.BytesIO()
    segno.make(text, error="m").save(out, kind="png", scale=7, border=3)
    return QPixmap.fromImage(QImage.fromData(out.getvalue()))
