"""The Roll call page: one unit after the other is lit, and what is seen is marked."""

from __future__ import annotations

from typing import Any

from PySide6.QtCore import QAbstractTableModel, QModelIndex, QPersistentModelIndex, QRectF, Qt
from PySide6.QtGui import QPainter, QPaintEvent
from PySide6.QtWidgets import (
    QAbstractItemView,
    QFrame,
    QHBoxLayout,
    QLineEdit,
    QSpinBox,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QTableView,
    QVBoxLayout,
    QWidget,
)

from isthmus.app import paint
from isthmus.app.actions import Action, Registry
from isthmus.app.pages.plan_canvas import PlanCanvas
from isthmus.app.theme import SIZE, font, theme
from isthmus.app.widgets import CopyKeys, Page, Panel, bind, button, label, set_property
from isthmus.app.workbench import Workbench
from isthmus.check import callable_units, holds
from isthmus.patch.cells import addresses
from isthmus.profiles import profiles_of
from isthmus.show.records import Unit, Verdict

GLYPH = {"answers": "ok", "wrong": "attention", "silent": "fault"}
COLUMNS = (("", 34), ("Unit", 52), ("Name", 126), ("Address", 64), ("Verdict", 100))
Index = QModelIndex | QPersistentModelIndex


class CallModel(QAbstractTableModel):
    def __init__(self, bench: Workbench) -> None:
        super().__init__()
        self.bench = bench
        self.rows: list[tuple[Unit, str]] = []
        self.verdicts: dict[str, Verdict] = {}

    def reload(self) -> None:
        self.beginResetModel()
        units = {u.id: u for u in self.bench.show.units}
        if self.bench.call:
            called = [(units[u], "") for u in self.bench.call.order if u in units]
            left = [(units[x.unit], x.why) for x in self.bench.call.left_out if x.unit in units]
        else:
            found, missing = callable_units(self.bench.show)
            called, left = [(u, "") for u in found], [(units[x.unit], x.why) for x in missing]
        self.rows = called + left
        self.verdicts = {v.unit: v for v in self.bench.show.verdicts}
        self.endResetModel()

    def rowCount(self, parent: Index = QModelIndex()) -> int:  # noqa: B008
        return 0 if parent.isValid() else len(self.rows)

    def columnCount(self, parent: Index = QModelIndex()) -> int:  # noqa: B008
        return 0 if parent.isValid() else len(COLUMNS)

    def data(self, index: Index, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        unit, why = self.rows[index.row()]
        verdict = self.verdicts.get(unit.id)
        if role == Qt.ItemDataRole.DisplayRole:
            words = (why and f"left out: {why}") or (verdict.result if verdict else "")
            return ("", str(unit.number), unit.name, addresses(unit), words)[index.column()]
        return None

    def headerData(self, section: int, orientation: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        return COLUMNS[section][0] if orientation == Qt.Orientation.Horizontal and role == Qt.ItemDataRole.DisplayRole else None


class Rows(QStyledItemDelegate):
    def __init__(self, page: RollCallPage) -> None:
        super().__init__(page)
        self.page = page

    def paint(self, p: QPainter, option: QStyleOptionViewItem, index: Index) -> None:
        model = self.page.model
        unit, why = model.rows[index.row()]
        verdict = model.verdicts.get(unit.id)
        call = self.page.bench.call
        current = call is not None and call.unit == unit.id
        r = QRectF(option.rect)
        x, y, w, h = r.x(), r.y(), r.width(), r.height()
        p.save()
        p.fillRect(r, theme.color("select_row" if current else "deep"))
        p.fillRect(QRectF(x, y + h - 1, w, 1), theme.color("line" if index.row() % 5 == 4 else "line_faint"))
        column = index.column()
        if column == 0:
            if current:
                p.fillRect(QRectF(x, y, 3, h - 1), theme.color("coral"))
            if verdict:
                paint.severity(p, GLYPH[verdict.result] if holds(self.page.bench.show, verdict) else "note", x + 18, y + h / 2 - 0.5, 5.6)
        elif column in (1, 3):
            paint.text(
                p, x + 6, y, index.data() or "none", font("table", 500, mono=True), "text3" if why else "text", width=w - 8, height=h - 1
            )
        elif column == 2:
            paint.text(
                p, x + 6, y, unit.name, font("table", 500 if current else 400), "text3" if why else "text", width=w - 8, height=h - 1
            )
        elif why:
            paint.text(p, x + 6, y, f"left out: {why}", font("table"), "text2", width=w - 8, height=h - 1)
        elif verdict:
            stale = "" if holds(self.page.bench.show, verdict) else "out of date; was "
            words = stale + verdict.result + (f": {verdict.note}" if verdict.note else "") + f"  {verdict.at[11:16]}"
            paint.text(p, x + 6, y, words, font("table", italic=True), "text" if not stale else "text2", width=w - 8, height=h - 1)
        p.restore()


class Progress(QWidget):
    """How many of the called units answer, are wrong, are silent, are left."""

    def __init__(self) -> None:
        super().__init__()
        self.parts: tuple[int, ...] = (0, 0, 0, 1)
        self.setFixedHeight(8)

    def paintEvent(self, event: QPaintEvent) -> None:
        p = QPainter(self)
        total, x = max(1, sum(self.parts)), 0.0
        for count, role in zip(self.parts, ("teal", "ochre", "fault", "line"), strict=True):
            wide = self.width() * count / total
            p.fillRect(QRectF(x, 0, wide, self.height()), theme.color(role))
            x += wide


class RollCallPage(Page):
    title = "Roll call"

    def __init__(self, bench: Workbench, actions: Registry) -> None:
        super().__init__()
        self.bench, self.acts = bench, actions
        self.begin_button = button("Begin", "primary", lambda: actions.trigger("call.begin"), 30, "begin call")
        self.end_button = button("End roll call", run=lambda: actions.trigger("call.end"), height=30)
        self.level = QSpinBox()
        self.level.setRange(5, 100)
        self.level.setValue(100)
        self.level.setSuffix(" %")
        self.level.setFont(font("table", 500, mono=True))
        self.level.setFixedSize(76, 30)
        self.level.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.level.setAccessibleName("Level of the unit called")
        for widget in (label("at", "quiet"), self.level, self.end_button, self.begin_button):
            self.head.add(widget)
        self.column.addWidget(self._card())
        self.progress = Progress()
        self.column.addSpacing(10)
        self.column.addWidget(self.progress)
        self.tally = label("", "quiet", "caption", italic=True)
        self.tally.setFixedHeight(24)
        self.column.addWidget(self.tally)
        row = QHBoxLayout()
        row.setSpacing(12)
        self.model = CallModel(bench)
        self.table = QTableView()
        self.table.setObjectName("call table")
        self.table.setAccessibleName("Units called")
        self.table.setModel(self.model)
        self.table.setItemDelegate(Rows(self))
        self.table.setShowGrid(False)
        self.table.setFrameShape(QFrame.Shape.NoFrame)
        self.table.setSelectionMode(QAbstractItemView.SelectionMode.NoSelection)
        self.table.setVerticalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        self.table.verticalHeader().hide()
        self.table.verticalHeader().setDefaultSectionSize(SIZE["table_row"])
        self.table.horizontalHeader().setFont(font("caption", 500))
        self.table.horizontalHeader().setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
        self.table.horizontalHeader().setStretchLastSection(True)
        self.table.setTabKeyNavigation(False)
        for i, (_, width) in enumerate(COLUMNS):
            self.table.setColumnWidth(i, width)
        self.table.doubleClicked.connect(self._jump)
        CopyKeys(self.table)
        self.plan = PlanCanvas(bench)
        self.plan.names = False
        row.addWidget(self.table, 11)
        row.addWidget(self.plan, 9)
        self.column.addLayout(row, 1)
        bind(bench.changed, self, self.refresh)
        bench.call_changed.connect(self.refresh)
        bench.sending_changed.connect(self.refresh)
        self.refresh()

    def _card(self) -> QWidget:
        card = Panel("shelf")
        column = QVBoxLayout(card)
        column.setContentsMargins(16, 12, 16, 12)
        column.setSpacing(4)
        top = QHBoxLayout()
        self.number = label("", size="readout", weight=600, mono=True)
        self.name = label("", size=17, weight=600)
        self.where = label("", "quiet", "body")
        self.where.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        top.addWidget(self.number)
        top.addSpacing(8)
        top.addWidget(self.name)
        top.addStretch(1)
        top.addWidget(self.where)
        column.addLayout(top)
        self.see = label("", size="body", wrap=True)
        self.see.setMinimumHeight(20)
        column.addWidget(self.see)
        column.addSpacing(6)
        keys = QHBoxLayout()
        keys.setSpacing(6)
        self.note = QLineEdit()
        self.note.setPlaceholderText("Note to the verdict")
        self.note.setFont(font("table"))
        self.note.setFixedHeight(30)
        self.note.setObjectName("note")
        self.marks = [
            button("Answers  A", run=lambda: self.acts.trigger("call.answers"), height=30, name="answers"),
            button("Wrong  W", run=lambda: self.acts.trigger("call.wrong"), height=30, name="wrong"),
            button("Silent  S", run=lambda: self.acts.trigger("call.silent"), height=30, name="silent"),
        ]
        self.steps = [
            button("Back  B", "quiet", lambda: self.acts.trigger("call.back"), 30, "back"),
            button("Next  N", "quiet", lambda: self.acts.trigger("call.next"), 30, "next"),
        ]
        for widget in self.marks:
            keys.addWidget(widget)
        keys.addWidget(self.note, 1)
        for widget in self.steps:
            keys.addWidget(widget)
        column.addLayout(keys)
        return card

    def entered(self) -> None:
        self.table.setFocus(Qt.FocusReason.OtherFocusReason)

    def refresh(self) -> None:
        call, show = self.bench.call, self.bench.show
        self.model.reload()
        unit = show.unit(call.unit) if call and call.unit else None
        for widget in (*self.marks, *self.steps, self.note):
            widget.setEnabled(unit is not None)
        self.begin_button.setVisible(call is None)
        self.end_button.setVisible(call is not None)
        called = [u for u, why in self.model.rows if not why]
        held = {v.unit: v.result for v in show.verdicts if holds(show, v)}
        count = [sum(held.get(u.id) == kind for u in called) for kind in ("answers", "wrong", "silent")]
        left = len(called) - sum(count)
        self.progress.parts = (*count, left)
        self.progress.update()
        out = len(self.model.rows) - len(called)
        self.tally.setText(
            f"{count[0]} answer, {count[1]} wrong, {count[2]} silent, {left} still to call"
            + (f"; {out} left out, see the end of the list" if out else "")
        )
        self.head.say(str(len(called)), "units to call", *([str(out), "left out"] if out else []))
        if unit:
            self._show_unit(unit)
            row = next((i for i, (u, _) in enumerate(self.model.rows) if u.id == unit.id), 0)
            self.table.scrollTo(self.model.index(row, 0), QAbstractItemView.ScrollHint.PositionAtCenter)
        else:
            self.number.setText("")
            self.name.setText("Nobody is called")
            self.where.setText("")
            self.see.setText(
                "Begin lights one unit after the other and keeps the rest dark. It starts at the first unit without a verdict; "
                "levels are given back at the end."
            )

    def _show_unit(self, unit: Unit) -> None:
        found = profiles_of(self.bench.show).mode_of(unit)
        self.number.setText(str(unit.number))
        self.name.setText(unit.name)
        self.where.setText(f"{unit.hangs_on or 'nowhere yet'}  ·  {addresses(unit)}  ·  {found[0].name if found else ''}, {unit.mode}")
        call = self.bench.call
        state = self.bench.live.state_of(unit.id)
        if state is None or state.rgb.shape[1] == 0:
            words = "This unit gives no light: watch for its own work, such as haze."
        else:
            cells = f" in all {state.rgb.shape[1]} cells" if state.rgb.shape[1] > 1 else ""
            words = (
                f"You should now see one unit lit{cells}, open and white, at {call.level * 100:.0f} %, pointing home; everything else dark."
                if call
                else ""
            )
        if not self.bench.sending:
            words = "Output is off: nothing leaves this machine, so no unit can answer. Switch it on in the top bar (Ctrl+Return)."
        set_property(self.see, "kind", "" if self.bench.sending else "attention")
        self.see.setText(words)

    def _jump(self, index: QModelIndex) -> None:
        unit, why = self.model.rows[index.row()]
        if self.bench.call and not why:
            self.bench.guard(lambda: self.bench.jump_call(unit.id))

    # ------------------------------------------------------------ acts

    def begin(self) -> None:
        self.bench.begin_call(self.level.value() / 100)

    def mark(self, result: str) -> None:
        note = self.note.text()
        self.note.clear()
        self.bench.mark(result, note)


def register(actions: Registry, page: RollCallPage) -> None:
    bench = page.bench
    actions.add(
        Action("call.begin", "Begin roll call", page.begin, "Ctrl+R", "no call", help="Light one unit after the other", group="Roll call"),
        Action(
            "call.hand",
            "Call only the units in hand",
            lambda: bench.begin_call(page.level.value() / 100, set(bench.selection)),
            "Ctrl+Shift+C",
            "selection",
            group="Roll call",
        ),
        Action("call.answers", "Mark: answers", lambda: page.mark("answers"), "A", "call", group="Roll call"),
        Action("call.wrong", "Mark: wrong", lambda: page.mark("wrong"), "W", "call", group="Roll call"),
        Action("call.silent", "Mark: silent", lambda: page.mark("silent"), "S", "call", group="Roll call"),
        Action("call.clear", "Take the verdict away", bench.unmark, "C", "call", group="Roll call"),
        Action("call.next", "Next unit", lambda: bench.step_call(1), "N", "call", group="Roll call"),
        Action("call.back", "Unit before", lambda: bench.step_call(-1), "B", "call", group="Roll call"),
        Action("call.end", "End roll call", bench.end_call, "Ctrl+E", "call", group="Roll call"),
    )
