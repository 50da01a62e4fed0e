"""Calling: one stop after the other is lit, what is seen is marked, and what is left is in
sight.
"""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import QRectF, Qt, QTimer
from PySide6.QtGui import QKeyEvent, QPainter, QPaintEvent
from PySide6.QtWidgets import (
    QAbstractItemView,
    QCheckBox,
    QHBoxLayout,
    QSpinBox,
    QVBoxLayout,
    QWidget,
)

from isthmus.app.canvas.plan_canvas import PlanCanvas
from isthmus.app.kit.actions import Registry
from isthmus.app.kit.painted import Painted
from isthmus.app.kit.theme import SIZE, font, theme
from isthmus.app.kit.widgets import (
    PageView,
    Panel,
    bind,
    bind_seen,
    button,
    choice,
    column_of,
    field,
    label,
    plain_table,
    set_property,
    tick,
    units_field,
)
from isthmus.app.model.workbench import Workbench
from isthmus.app.pages.roll_call.models.call_table import CallModel, CallRow, CallRows
from isthmus.app.pages.roll_call.views.seen import Thumb, picture_of
from isthmus.app.pages.roll_call.views.ways import Ways
from isthmus.check.acts import BEAM, CELLS, COLOUR, LIGHT, MOVEMENT
from isthmus.check.calls import CALLED_BY, ORDERS
from isthmus.check.rollcall import RESTS, Manner, length, sentence
from isthmus.check.verdicts import tally, tally_words
from isthmus.check.ways import read_phrases
from isthmus.errors import EntryFault
from isthmus.patch.cells import addresses
from isthmus.patch.choose import complete, read_choice
from isthmus.plural import many
from isthmus.profiles import profiles_of
from isthmus.show.records import Unit


class Progress(Painted, QWidget):
    """How many of the called units work, are wrong, are silent, are left."""

    def __init__(self) -> None:
        super().__init__()
        self.parts: tuple[int, ...] = (0, 0, 0, 1)
        self.setFixedHeight(8)

    def draw(self, p: QPainter, event: QPaintEvent) -> None:
        total, x = max(1, sum(self.parts)), 0.0
        for count, role in zip(self.parts, ("teal", "ochre", "fault", "line"), strict=True):
            wide = self.width() * count / total
            p.fillRect(QRectF(x, 0, wide, self.height()), theme.color(role))
            x += wide


class CallView(PageView):
    def __init__(self, bench: Workbench, actions: Registry) -> None:
        super().__init__()
        self.bench, self.acts = bench, actions
        column = column_of(self, 6)
        column.addLayout(self._manner())
        self.loud = label("", "attention", "body", wrap=True)
        column.addWidget(self.loud)
        column.addWidget(self._card())
        self.progress = Progress()
        column.addWidget(self.progress)
        self.tally = label("", "quiet", "caption", italic=True)
        column.addWidget(self.tally)
        row = QHBoxLayout()
        row.setSpacing(12)
        self.model = CallModel(bench)
        self.table = plain_table(
            self.model, "call table", "Units called", (34, 52, 130, 64, 180), 4
        )
        self.table.setItemDelegate(CallRows(self.model))
        self.table.setSelectionMode(QAbstractItemView.SelectionMode.NoSelection)
        self.table.setTabKeyNavigation(False)
        self.table.verticalHeader().setDefaultSectionSize(SIZE["table_row"])
        self.table.activated.connect(self._jump)  # Enter, or a double click
        self.plan = PlanCanvas(bench)
        self.plan.names = False
        row.addWidget(self.table, 11)
        row.addWidget(self.plan, 9)
        column.addLayout(row, 1)
        self.timer = QTimer(self)
        self.timer.timeout.connect(self._beat)
        self._left_of_stop = 0.0
        self._here: tuple[tuple[str, ...], int] = ((), -1)  # units of the step shown, and its place
        bind_seen(bench.changed, self, self.refresh)
        bind(bench.session.changed, self, self.refresh)
        bind(bench.levels.sending_changed, self, self.refresh)
        self.refresh()

    # ------------------------------------------------------------ how it is called

    def _manner(self) -> QVBoxLayout:
        both = QVBoxLayout()
        both.setSpacing(6)
        row, second = QHBoxLayout(), QHBoxLayout()
        row.setSpacing(6)
        second.setSpacing(10)
        both.addLayout(row)
        both.addLayout(second)
        self.by = choice("call by", list(CALLED_BY.items()))
        self.order = choice("call order", list(ORDERS.items()))
        self.level = QSpinBox()
        self.level.setRange(5, 100)
        self.level.setValue(100)
        self.level.setSuffix(" %")
        self.level.setFont(font("table", 500, mono=True))
        self.level.setFixedSize(70, 30)
        self.level.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.level.setAccessibleName("Level of the units called")
        self.rest = choice("the rest", list(RESTS.items()))
        self.kinds: dict[str, QCheckBox] = {}
        self.only = units_field(
            "call only", "only: bow rail, 101-110…", lambda text: complete(self.bench.show, text)
        )
        self.only.setMinimumWidth(120)
        self.begin_button = self.acts.button("call.begin", "Start", "primary", 30, "begin call")
        self.end_button = self.acts.button("call.end", "End", height=30, name="end call")
        row.addWidget(self.by)
        row.addWidget(self.order)
        row.addWidget(self.level)
        row.addWidget(self.rest)
        second.addWidget(label("Also test", "quiet", "caption"))
        for kind in (COLOUR, MOVEMENT, BEAM, CELLS):
            self.kinds[kind] = QCheckBox(kind)
            self.kinds[kind].setObjectName(f"act {kind}")
            self.kinds[kind].setFont(font("table"))
            second.addWidget(self.kinds[kind])
        self.armed = tick(
            "Include lamp and reset ranges",
            "armed",
            "Address by address only: otherwise ranges that put a lamp out or reset a unit "
            "are never entered",
        )
        second.addWidget(self.armed)
        second.addStretch(1)
        row.addWidget(self.only, 1)
        row.addWidget(self.end_button)
        row.addWidget(self.begin_button)
        bind(self.by.currentIndexChanged, self, self._manner_shows)
        self._manner_shows()
        return both

    def _manner_shows(self) -> None:
        """What the way of calling asks for."""
        by = str(self.by.currentData())
        for check in self.kinds.values():
            check.setVisible(by in ("unit", "cell"))
        self.armed.setVisible(by == "address")

    @property
    def manner(self) -> Manner:
        kinds = (LIGHT, *(kind for kind, check in self.kinds.items() if check.isChecked()))
        by, order, rest = (str(c.currentData()) for c in (self.by, self.order, self.rest))
        armed = by == "address" and self.armed.isChecked()
        return Manner(by, order, self.level.value() / 100, kinds, rest, armed)

    def begin(self, only: Sequence[str] | None = None) -> None:
        """Raises EntryFault when nothing can be called, or the filter says nothing known."""
        words, text = "", self.only.text().strip()
        if only is not None:
            words = "the selected units"
        elif text:
            only = read_choice(self.bench.show, text).ids
            words = text
            if not only:
                raise EntryFault(
                    f"“{text[:40]}” names no unit.",
                    do="Write numbers, a name, a position, or leave it empty.",
                )
        self.bench.session.begin(self.manner, only, None, words)

    # ------------------------------------------------------------ the card

    def _card(self) -> QWidget:
        card = Panel("shelf")
        column = QVBoxLayout(card)
        column.setContentsMargins(16, 8, 16, 10)
        column.setSpacing(4)
        top = QHBoxLayout()
        self.number = label("", size="readout", weight=600, mono=True)
        self.name = label("", size=17, weight=600)
        self.where = label("", "quiet", "body")
        self.where.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        top.setSpacing(12)
        top.addWidget(self.number)
        top.addWidget(self.name)
        top.addStretch(1)
        self.picture = Thumb(self)
        top.addWidget(self.picture)
        top.addWidget(self.where)
        column.addLayout(top)
        self.see = label("", size="body", wrap=True)
        self.see.setMinimumHeight(20)
        column.addWidget(self.see)
        keys = QHBoxLayout()
        keys.setSpacing(6)
        self.note = field("note", hint="Note, or how: pans the other way, no red, cell 4")
        self.marks = [
            self.acts.button("call.works", "Works  A", height=30, name="works"),
            self.acts.button("call.wrong", "Wrong  W", height=30, name="wrong"),
            self.acts.button("call.silent", "Silent  S", height=30, name="silent"),
            self.acts.button("call.skip", "Skip  K", "quiet", 30, "skip"),
        ]
        self.steps = [
            self.acts.button("call.act", "Next test  D", "quiet", 30, "next act"),
            button("By timer", "quiet", self._time, 30, "by timer"),
            self.acts.button("call.again", "Repeat  G", "quiet", 30, "again"),
            self.acts.button("call.back", "Previous  B", "quiet", 30, "back"),
            self.acts.button("call.next", "Next  N", "quiet", 30, "next"),
        ]
        self.steps[1].setCheckable(True)
        self.seconds = QSpinBox()
        self.seconds.setRange(1, 60)
        self.seconds.setValue(4)
        self.seconds.setSuffix(" s")
        self.seconds.setFont(font("table", 500, mono=True))
        self.seconds.setFixedSize(58, 30)
        self.seconds.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.seconds.setAccessibleName("Seconds for each step, with the timer on")
        for widget in self.marks:
            keys.addWidget(widget)
        keys.addStretch(1)
        for widget in self.steps:
            keys.addWidget(widget)
            if widget is self.steps[1]:
                keys.addWidget(self.seconds)
        column.addLayout(keys)
        self.wrong_in = Ways(self._say_how)
        self.ways = self.wrong_in.keys
        self.note.textChanged.connect(
            lambda text: self.wrong_in.show_said(read_phrases(text)[0]) if text else None
        )
        self.others = field("lit instead", hint="which lit: 105 107")
        self.others.setMaximumWidth(150)
        said = QHBoxLayout()
        said.setSpacing(6)
        said.addWidget(self.note, 1)
        said.addWidget(self.others)
        column.addLayout(said)
        column.addWidget(self.wrong_in)
        return card

    def _say_how(self, words: str) -> None:
        """A few words at the end of the note."""
        self.note.setText(", ".join(filter(None, (self.note.text().strip(), words))))

    def mark(self, result: str, by: str = "") -> None:
        """Raises EntryFault for numbers no unit has."""
        wrong, note = result == "wrong", self.note.text()
        ways, how = read_phrases(note) if wrong else ([], [])
        what = list(dict.fromkeys((*self.wrong_in.chosen(), *ways))) if wrong else []
        lit = self.others.text().strip() if wrong else ""
        others = read_choice(self.bench.show, lit).ids if lit else ()
        if others and not {"other", "too", "moves"} & set(what):
            what.append("other")
        self._clear()
        self.bench.session.mark(result, note, what, others, by, how)

    def _clear(self, note: bool = True) -> None:
        if note:
            self.note.clear()
        self.others.clear()
        self.wrong_in.clear()

    # ------------------------------------------------------------ by timer

    def _time(self) -> None:
        on = self.steps[1].isChecked() and self.bench.session.call is not None
        if on:
            self._left_of_stop = float(self.seconds.value())
            self.timer.start(100)
        else:
            self.timer.stop()
            self.steps[1].setChecked(False)
        self.bench.session.run_through(on)

    def _beat(self) -> None:
        """When the stop has had its seconds and its acts, the next one comes."""
        call = self.bench.session.call
        if call is None:
            self._time()
            return
        self._left_of_stop -= 0.1
        last = call.act == length(call, self.bench.show) - 1
        if self._left_of_stop <= 0 and last:
            if call.at + 1 >= len(call.calls):
                self.steps[1].setChecked(False)
                self._time()
                return
            self._left_of_stop = float(self.seconds.value())
            self.bench.session.step(1)

    # ------------------------------------------------------------ what is shown

    def entered(self) -> None:
        self.table.setFocus(Qt.FocusReason.OtherFocusReason)
        self.refresh()

    def refresh(self) -> None:
        call, show = self.bench.session.call, self.bench.show
        self.model.reload()
        self._enable(call is not None)
        if call is None and self.timer.isActive():
            self._time()
        rows = self.model.rows
        ids = set(call.order) if call else {r.unit.id for r in rows if r.unit and not r.why}
        count = tally(show, ids)
        self.progress.parts = (count["works"], count["wrong"], count["silent"], count["left"])
        self.progress.update()
        self.tally.setText(self._tally_words(count, sum(bool(r.why) for r in rows)))
        outside = len(call.outside) if call else 0
        self.loud.setVisible(bool(outside))
        if call and outside:
            self.loud.setText(
                f"Only {call.only} is called: {len(call.order)} of "
                f"{many(len(show.units), 'unit')}. "
                f"{outside} are left out."
            )
        here = (call.stop.units, call.at) if call else ((), -1)
        if here != self._here:  # faults that were ticked are those of the unit before
            self._here = here
            self._clear(note=False)
            self.plan.sight.near(list(here[0]))
        if call is None:
            self._show_not_started()
            return
        self._show_stop()
        row = next((i for i, r in enumerate(rows) if r.at == call.at and not r.why), 0)
        self.table.scrollTo(self.model.index(row, 0), QAbstractItemView.ScrollHint.PositionAtCenter)

    def _enable(self, called: bool) -> None:
        """What marks is for a roll call that runs; what says how it goes is for one to begin."""
        marking = (
            *self.marks,
            *self.steps,
            self.note,
            self.others,
            *self.ways.values(),
            self.seconds,
        )
        manner = (
            self.by,
            self.order,
            self.level,
            self.rest,
            self.only,
            self.armed,
            *self.kinds.values(),
        )
        for widget in marking:
            widget.setEnabled(called)
        for widget in manner:
            widget.setEnabled(not called)
        self.begin_button.setVisible(not called)
        self.end_button.setVisible(called)

    def _show_not_started(self) -> None:
        self.number.hide()
        self.name.setText("Roll call not started")
        self.where.setText("")
        self.picture.take(None, "")
        words = (
            "Start lights one unit after another, from the first without a verdict; "
            "previous levels are restored at the end."
        )
        if not self.bench.levels.sending:
            words += " Output is off: switch it on in the top bar (Ctrl+Return)."
        self.see.setText(words)
        set_property(self.see, "kind", "")

    def _tally_words(self, count, out: int) -> str:
        words = f"{tally_words(count)}, {count['left']} still to call"
        words += f", {count['stale']} of them out of date" if count["stale"] else ""
        words += f", {count['skipped']} skipped" if count["skipped"] else ""
        return words + (f"; {out} left out, see the end of the list" if out else "")

    def _show_stop(self) -> None:
        call, show = self.bench.session.call, self.bench.show
        assert call
        unit = show.unit(call.unit) if call.unit else None
        self.picture.take(
            picture_of(show, unit.id) if unit else None, str(unit.number) if unit else ""
        )
        if unit and not call.stop.slot:
            found = profiles_of(show).mode_of(unit)
            self.number.show()
            self.number.setText(str(unit.number))
            cell = f", cell {call.stop.cell}" if call.stop.cell else ""
            self.name.setText(unit.name + cell)
            kind = f"{found[0].name}, {unit.mode}" if found else ""
            self.where.setText(f"{unit.hangs_on or 'nowhere yet'}  ·  {addresses(unit)}  ·  {kind}")
        else:
            self.number.hide()
            self.name.setText(call.stop.title)
            self.where.setText(f"step {call.at + 1} of {len(call.calls)}")
        words = sentence(call, show)
        words = (
            f"You should now see: {words[0].lower()}{words[1:]}"
            if words and not words.startswith("Now") and not call.stop.slot
            else words
        )
        if not self.bench.levels.sending:
            words = (
                "Output is off: nothing leaves this computer, so no unit can answer. Switch it on "
                "in the top bar (Ctrl+Return)."
            )
        set_property(self.see, "kind", "" if self.bench.levels.sending else "attention")
        self.see.setText(words)

    def find(self, unit: str) -> None:
        """Bring a unit's row into view and select the unit."""
        row = next((i for i, r in enumerate(self.model.rows) if r.unit and r.unit.id == unit), -1)
        if row >= 0:
            self.table.setCurrentIndex(self.model.index(row, 1))
            self.table.scrollTo(
                self.model.index(row, 1), QAbstractItemView.ScrollHint.PositionAtCenter
            )
            self.bench.selection.select([unit])

    def jump_to_hand(self) -> None:
        """Test the selected unit now, chosen on whatever page. Raises EntryFault when it is not
        among those called.
        """
        for unit in self.bench.selection.ids[:1]:
            self.bench.session.jump(unit)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and self.bench.session.call is None:
            self.acts.trigger("call.begin")
        else:
            super().keyPressEvent(event)

    def _jump(self, index) -> None:
        """Enter, or a double click: start the roll call, or call the unit of this row."""
        if self.bench.session.call is None:
            self.acts.trigger("call.begin")
            return
        row: CallRow = self.model.rows[index.row()]
        unit: Unit | None = row.unit
        if not row.why and unit:
            self.bench.guard(lambda: self.bench.session.jump(unit.id))
