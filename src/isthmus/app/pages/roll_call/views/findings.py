"""Findings: what is behind the verdicts, the likeliest first, with evidence, the next best look,
and the fixes.
"""

from __future__ import annotations

import time
from collections.abc import Callable
from typing import Any

from PySide6.QtCore import QRectF, QSize, Qt, Signal
from PySide6.QtGui import QPainter, QPaintEvent
from PySide6.QtWidgets import (
    QFrame,
    QHBoxLayout,
    QLabel,
    QListWidget,
    QListWidgetItem,
    QScrollArea,
    QStyleOptionViewItem,
    QVBoxLayout,
    QWidget,
)

from isthmus.app.canvas.plan_canvas import PlanCanvas
from isthmus.app.kit import paint
from isthmus.app.kit.painted import Painted, PaintedItems
from isthmus.app.kit.theme import font, theme
from isthmus.app.kit.widgets import PageView, Panel, Section, bind, button, column_of, label
from isthmus.app.model.checks import Checks
from isthmus.app.model.net_link import NetLink
from isthmus.app.model.workbench import Workbench
from isthmus.app.pages.roll_call.views.seen import Thumb, picture_of
from isthmus.check.findings.chances import slots_of_look
from isthmus.check.findings.fixes import Fix
from isthmus.check.findings.line_causes import HangMode
from isthmus.check.findings.model import Model
from isthmus.check.findings.told import FindingTold, Rival, answer
from isthmus.check.findings.unit_causes import OtherMode
from isthmus.check.prove import ProveActs, ProveSlots
from isthmus.plural import many

MOST_PICTURES = 4
TOLD = Qt.ItemDataRole.UserRole


class Chance(Painted, QWidget):
    """How likely, as a bar and a figure."""

    def __init__(self, chance: float, role: str = "teal") -> None:
        super().__init__()
        self.chance, self.bar = chance, role
        self.setFixedSize(92, 16)
        self.setAccessibleName(f"{100 * chance:.0f} percent")

    def draw(self, p: QPainter, event: QPaintEvent) -> None:
        wide = 46
        p.fillRect(QRectF(0, 6, wide, 5), theme.color("line"))
        p.fillRect(QRectF(0, 6, wide * self.chance, 5), theme.color(self.bar))
        paint.text(
            p,
            wide + 6,
            0,
            f"{100 * self.chance:.0f} %",
            font("caption", 500, mono=True),
            "text2",
            height=16,
        )


class _Rows(PaintedItems):
    """Two lines: which units, and the likeliest cause."""

    def sizeHint(self, option: QStyleOptionViewItem, index) -> QSize:
        return QSize(200, 54)

    def draw(self, p: QPainter, option: QStyleOptionViewItem, index: Any) -> None:
        told: FindingTold = index.data(TOLD)
        r = QRectF(option.rect)  # type: ignore[attr-defined]
        chosen = index.row() == index.model().parent().currentRow()
        p.save()
        p.fillRect(r, theme.color("select_row" if chosen else "deep"))
        p.fillRect(QRectF(r.x(), r.bottom() - 1, r.width(), 1), theme.color("line_faint"))
        if chosen:
            p.fillRect(QRectF(r.x(), r.y(), 3, r.height() - 1), theme.color("coral"))
        sure = told.chance >= 0.9 and told.kind != "unknown"
        paint.severity(p, "fault" if sure else "attention", r.x() + 18, r.y() + 18, 5.6)
        paint.text(
            p,
            r.x() + 34,
            r.y() + 4,
            told.title,
            font("body", 600, mono=True),
            "text",
            width=r.width() - 90,
            height=24,
        )
        figure = "" if told.kind == "unknown" else f"{100 * told.chance:.0f} %"
        paint.text(
            p,
            r.right() - 46,
            r.y() + 4,
            figure,
            font("caption", 500, mono=True),
            "text2",
            width=44,
            height=24,
        )
        paint.text(
            p,
            r.x() + 34,
            r.y() + 27,
            told.words,
            font("table"),
            "text2",
            width=r.width() - 42,
            height=22,
        )
        p.restore()


class FindingsView(PageView):
    """`hunt_wanted` when only a hunt would tell, `discover_wanted` when devices would;
    `fix_devices` and `fix_port` for settings that go over the network."""

    hunt_wanted = Signal(str, bool)  # the unit, and whether its mode is in question
    fix_devices = Signal(object)
    fix_port = Signal(object)
    discover_wanted = Signal(str)

    def __init__(self, bench: Workbench, checks: Checks, net: NetLink) -> None:
        super().__init__()
        self.bench, self.checks, self.net = bench, checks, net
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(14)
        left = QWidget()
        column = column_of(left, 4)
        self.summary = label("", "quiet", "body", wrap=True)
        column.addWidget(self.summary)
        self.list = QListWidget()
        self.list.setObjectName("findings")
        self.list.setAccessibleName("Findings, the largest first")
        self.list.setFrameShape(QFrame.Shape.NoFrame)
        self.list.setItemDelegate(_Rows(self.list))
        self.list.currentRowChanged.connect(self._chosen)
        column.addWidget(self.list, 1)
        self.plan = PlanCanvas(bench)  # where to look
        self.plan.names = False
        column.addWidget(self.plan, 1)
        row.addWidget(left, 4)
        self.detail = QScrollArea()
        self.detail.setWidgetResizable(True)
        self.detail.setFrameShape(QFrame.Shape.NoFrame)
        self.detail.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        row.addWidget(self.detail, 6)
        self._shown: FindingTold | None = None
        bind(checks.changed, self, self.refresh)
        bind(bench.proving.changed, self, self._proof)
        self.refresh()

    def entered(self) -> None:
        self.bench.guard(
            lambda: self.net.look(True)
        )  # whether nodes answer is half of the evidence
        self.checks.now()
        self.refresh()
        self._take_in_hand()
        self.list.setFocus(Qt.FocusReason.OtherFocusReason)

    def refresh(self) -> None:
        findings = self.checks.findings
        kept = self._shown.units if self._shown else ()
        self.list.blockSignals(True)
        self.list.clear()
        for told in findings:
            item = QListWidgetItem(f"{told.title}: {told.words}")
            item.setData(TOLD, told)
            self.list.addItem(item)
        at = next((i for i, told in enumerate(findings) if told.units == kept), 0)
        self.list.setCurrentRow(at if findings else -1)
        self.list.blockSignals(False)
        units = {u for told in findings for u in told.units}
        if findings:
            words = (
                f"{many(len(findings), 'finding')} about {len(units)} "
                f"unit{'s' * (len(units) != 1)}."
            )
        elif self.bench.show.verdicts:
            words = "No findings: every verdict so far is as it should be."
        else:
            words = (
                "Findings are worked out from verdicts: start a roll call and mark what you see."
            )
        self.summary.setText(words)
        self.plan.setVisible(bool(findings))
        self._tell()
        if self._shown and self._shown.units != kept:
            self._take_in_hand()

    def choose(self, unit: str) -> None:
        """Show the finding that is about a unit."""
        at = next((i for i, told in enumerate(self.checks.findings) if unit in told.units), -1)
        if at >= 0:
            self.list.setCurrentRow(at)

    # ------------------------------------------------------------ one finding

    def _chosen(self, _: int) -> None:
        self._tell()
        self._take_in_hand()

    def _take_in_hand(self) -> None:
        """The units of the finding that is looked at: plan, stage, inspector and every other page
        show them.
        """
        if self._shown is not None and self.isVisible():
            self.bench.selection.select(self._shown.units)
            self.plan.sight.near(self._shown.units)

    def _tell(self) -> None:
        at = self.list.currentRow()
        told = self.checks.findings[at] if 0 <= at < len(self.checks.findings) else None
        self._shown = told
        card = Panel("shelf")
        column = QVBoxLayout(card)
        column.setContentsMargins(16, 12, 16, 12)
        column.setSpacing(6)
        if told is None:
            column.addWidget(label("", "quiet"))
        else:
            self._fill(column, told)
        column.addStretch(1)
        self.detail.setWidget(card)

    def _fill(self, column: QVBoxLayout, told: FindingTold) -> None:
        top = QHBoxLayout()
        top.addWidget(label(told.title, size=17, weight=600, mono=True), 1)
        if told.kind != "unknown":
            top.addWidget(Chance(told.chance))
        column.addLayout(top)
        column.addWidget(label(told.words, size="body", weight=600, wrap=True))
        column.addWidget(label(told.do, "quiet", wrap=True))
        if told.evidence:
            column.addWidget(Section("Evidence"))
            for line in told.evidence:
                column.addWidget(_point(line))
        self._fill_pictures(column, told)
        if told.rivals:
            column.addWidget(Section("It could also be"))
            for rival in told.rivals:
                column.addLayout(self._rival(rival))
        if told.look:
            column.addWidget(Section("The check that tells most"))
            column.addWidget(label(told.look.question, size="body", wrap=True))
            buttons = QHBoxLayout()
            buttons.addWidget(button("Show it", run=self.look, name="do the look"))
            buttons.addWidget(button("Yes", run=lambda: self.say("yes"), name="look yes"))
            buttons.addWidget(button("No", run=lambda: self.say("no"), name="look no"))
            buttons.addStretch(1)
            column.addLayout(buttons)
            self.seen = label("", "quiet", wrap=True)
            column.addWidget(self.seen)
        self._fill_fixes(column, told)

    def _fill_pictures(self, column: QVBoxLayout, told: FindingTold) -> None:
        pictures = QHBoxLayout()
        for unit in told.units:
            picture = picture_of(self.bench.show, unit)
            found = self.bench.show.unit(unit)
            if picture is not None and found and pictures.count() < MOST_PICTURES:
                thumb = Thumb(self, (120, 90))
                thumb.take(picture, str(found.number))
                pictures.addWidget(thumb)
        if pictures.count():
            pictures.addStretch(1)
            column.addLayout(pictures)

    def _fill_fixes(self, column: QVBoxLayout, told: FindingTold) -> None:
        ask = told.devices_tell and self.checks.found is None
        if not told.fixes and not told.hunt and not ask:
            return
        column.addWidget(Section("Fix"))
        fixes = QVBoxLayout()
        fixes.setSpacing(6)
        for fix in told.fixes:
            fixes.addLayout(
                _left(
                    button(
                        fix.label,
                        "primary" if fix is told.fixes[0] and not told.open else "",
                        lambda m=fix: self.fix(m),
                        name="fix",
                    )
                )
            )
        if told.hunt:
            fixes.addLayout(
                _left(
                    button(
                        "Hunt its address",
                        run=lambda: self.hunt_wanted.emit(told.hunt, _mode_in_question(told)),
                        name="hunt it",
                    )
                )
            )
        if ask:  # what devices say of themselves settles it, and what they say can be set from here
            of = next(iter(told.units), "")
            fixes.addLayout(
                _left(
                    button(
                        "Ask devices", run=lambda: self.discover_wanted.emit(of), name="ask devices"
                    )
                )
            )
        column.addLayout(fixes)

    def _rival(self, rival: Rival) -> QHBoxLayout:
        row = QHBoxLayout()
        row.addWidget(label(rival.words, wrap=True), 1)
        row.addWidget(Chance(rival.chance, "line"))
        return row

    # ------------------------------------------------------------ acts

    def look(self) -> None:
        """Put on the rig what the look asks for."""
        told = self._shown
        if told is None or told.look is None:
            return
        look, bench = told.look, self.bench
        slots = slots_of_look(Model(bench.show), look.name, look.unit)
        words = look.question

        def make() -> ProveSlots | ProveActs:
            if slots:
                shown = [(1.0, slots)]
                return ProveSlots(bench.show, bench.levels.live, time.monotonic(), shown, words)
            return ProveActs(bench.show, bench.levels.live, time.monotonic(), look.unit, words)

        bench.guard(lambda: bench.proving.begin(make))

    def say(self, said: str) -> None:
        told = self._shown
        if told is None or told.look is None:
            return
        look = told.look
        self.bench.proving.end()
        self.bench.guard(
            lambda: self.bench.commit(
                "keep the result of a check", answer(self.bench.show, look.name, look.unit, said)
            )
        )
        self.checks.soon()

    def fix(self, fix: Fix) -> None:
        bench = self.bench
        if fix.changes:
            self.fix_devices.emit(fix.changes)
        elif fix.port is not None:
            self.fix_port.emit(fix.port)
        elif fix.edit is not None:
            edit: Callable = fix.edit
            if bench.guard(lambda: bench.commit(fix.label, edit(bench.show))):
                bench.tell("ok", f"{fix.label}: done. Call these units again to prove it.")
        self.checks.soon()

    def _proof(self) -> None:
        if self._shown and self._shown.look:
            on = self.bench.proving.proof is not None
            off = (
                ""
                if self.bench.levels.sending
                else " Output is off: switch it on first (Ctrl+Return)."
            )
            self.seen.setText(f"It is shown now: look, then answer yes or no.{off}" if on else "")

    def left(self) -> None:
        if isinstance(self.bench.proving.proof, (ProveSlots, ProveActs)):
            self.bench.proving.end()


def _point(words: str) -> QLabel:
    return label(f"·  {words}", wrap=True)


def _mode_in_question(told: FindingTold) -> bool:
    kinds = {told.kind, *(rival.kind for rival in told.rivals)}
    return not kinds.isdisjoint((OtherMode.KIND, HangMode.KIND))


def _left(widget: QWidget) -> QHBoxLayout:
    row = QHBoxLayout()
    row.addWidget(widget)
    row.addStretch(1)
    return row
