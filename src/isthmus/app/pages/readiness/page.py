"""The Readiness page: how far the units have crossed, and the snags with their fixes, worst
first.
"""

from __future__ import annotations

from typing import Any

from PySide6.QtCore import QAbstractListModel, QModelIndex, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QFontMetricsF, QKeyEvent, QMouseEvent, QPainter, QPaintEvent
from PySide6.QtWidgets import QAbstractItemView, QFrame, QListView, QStyleOptionViewItem, QWidget

from isthmus.app.kit import paint
from isthmus.app.kit.first import FirstSteps
from isthmus.app.kit.painted import Painted, PaintedItems
from isthmus.app.kit.theme import advance, font, pen, theme
from isthmus.app.kit.widgets import Index, bind, bind_seen, plain_tip
from isthmus.app.model.house import House
from isthmus.app.model.workbench import Workbench
from isthmus.app.pages.base import Page
from isthmus.app.pages.readiness.chart import CrossingChart
from isthmus.plural import many
from isthmus.snags import ATTENTION, FAULT, NOTE, Snag

ROW = 33
FIX = 190
CHIPS = 118


class SnagModel(QAbstractListModel):
    def __init__(self) -> None:
        super().__init__()
        self.snags: list[Snag] = []

    def set(self, snags: list[Snag]) -> None:
        self.beginResetModel()
        self.snags = snags
        self.endResetModel()

    def rowCount(self, parent: Index = QModelIndex()) -> int:  # noqa: B008
        return 0 if parent.isValid() else len(self.snags)

    def data(self, index: Index, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        if role in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.AccessibleTextRole):
            return self.snags[index.row()].text
        if role == Qt.ItemDataRole.ToolTipRole:
            return plain_tip(self.snags[index.row()].text)
        return None


def way(snag: Snag) -> str:
    """The words of a snag's link: its fix, or where it is looked at."""
    return snag.fix.label if snag.fix else f"Open in {snag.page}"


class Lines(PaintedItems):
    def __init__(self, view: SnagList) -> None:
        super().__init__(view)
        self.view = view

    def sizeHint(self, option: QStyleOptionViewItem, index: Index) -> QSize:
        return QSize(200, ROW)

    def draw(self, p: QPainter, option: QStyleOptionViewItem, index: Index) -> None:
        snag = self.view.snags.snags[index.row()]
        r = QRectF(option.rect)
        x, y, w, h = r.x(), r.y(), r.width(), r.height()
        current = index.row() == self.view.currentIndex().row()
        p.save()
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.fillRect(r, theme.color("select_row" if current else "deep"))
        p.fillRect(QRectF(x, y + h - 1, w, 1), theme.color("line_faint"))
        if current:
            p.fillRect(QRectF(x, y, 3, h - 1), theme.color("coral"))
        paint.severity(p, snag.severity, x + 20, y + h / 2 - 0.5, 6.4)
        chips_at = x + w - FIX - CHIPS
        paint.sentence(p, x + 38, y, snag.text, "body", "text", chips_at - x - 46, h - 1)
        self._chips(p, snag, chips_at, y)
        link = self.view.link_rect(index)
        words = way(snag)
        if current and snag.fix:
            p.setPen(Qt.PenStyle.NoPen)
            p.setBrush(theme.color("coral"))
            p.drawRoundedRect(link.adjusted(-8, 4, 0, -5), 3, 3)
            paint.text(
                p,
                link.x() - 8,
                y,
                words,
                font("table", 600),
                "on_coral",
                paint.CENTER,
                link.width() + 8,
                h - 1,
            )
        else:
            f = font("table", 500)
            wide = paint.text(p, link.x(), y, words, f, "text", width=link.width(), height=h - 1)
            p.setPen(pen("line_strong", 1))
            p.drawLine(int(link.x()), int(y + h / 2 + 8), int(link.x() + wide), int(y + h / 2 + 8))
        if current and self.view.hasFocus():
            p.setBrush(Qt.BrushStyle.NoBrush)
            p.setPen(pen("focus", 1.5))
            p.drawRoundedRect(r.adjusted(4, 1.5, -2, -2.5), 2, 2)
        p.restore()

    def _chips(self, p: QPainter, snag: Snag, x: float, y: float) -> None:
        numbers = [self.view.numbers[u] for u in snag.units if u in self.view.numbers]
        words = [str(n) for n in numbers] if len(numbers) <= 3 else [many(len(numbers), "unit")]
        for chip in words:
            number, _, rest = chip.partition(" ")
            mono, sans = font("caption", 500, mono=True), font("caption")
            wide = advance(mono, number) + (advance(sans, rest) + 5 if rest else 0) + 10
            p.setPen(pen("line", 1))
            p.setBrush(theme.color("shelf"))
            p.drawRoundedRect(QRectF(x + 0.5, y + 7.5, wide, 17), 3, 3)
            k = paint.text(p, x + 5.5, y + 7, number, mono, "text", height=18)
            if rest:
                paint.text(p, x + 10.5 + k, y + 7, rest, sans, "text2", height=18)
            x += wide + 4


class SnagList(QListView):
    """Enter, or a click on the link, follows the current snag's way; a double click goes to its
    page.

    A click on the rest of a row selects the snag's units.
    """

    follow = Signal(object)
    visit = Signal(object)

    def __init__(self, bench: Workbench) -> None:
        super().__init__()
        self.bench = bench
        self.snags = SnagModel()
        self.numbers: dict[str, int] = {}
        self.setObjectName("snags")
        self.setAccessibleName("Snags")
        self.setModel(self.snags)
        self.setItemDelegate(Lines(self))
        self.setFrameShape(QFrame.Shape.NoFrame)
        self.setVerticalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setMouseTracking(True)
        theme.changed.connect(self.viewport().update)

    def set(self, snags: list[Snag]) -> None:
        keep = self.currentIndex().row()
        self.numbers = {u.id: u.number for u in self.bench.show.units}
        self.snags.set(snags)
        if snags:
            self.setCurrentIndex(self.snags.index(min(max(keep, 0), len(snags) - 1)))

    def link_rect(self, index: Index) -> QRectF:
        r = QRectF(self.visualRect(self.snags.index(index.row())))
        wide = min(
            QFontMetricsF(font("table", 600)).horizontalAdvance(way(self.snags.snags[index.row()]))
            + 6,
            FIX - 14,
        )
        return QRectF(r.right() - FIX + 10, r.y(), wide, r.height())

    def mousePressEvent(self, event: QMouseEvent) -> None:
        super().mousePressEvent(event)
        index = self.indexAt(event.position().toPoint())
        if index.isValid():
            snag = self.snags.snags[index.row()]
            if self.link_rect(index).contains(event.position()):
                self.follow.emit(snag)
            else:
                self.bench.selection.select(snag.units)

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        index = self.indexAt(event.position().toPoint())
        if index.isValid() and not self.link_rect(index).contains(event.position()):
            self.visit.emit(self.snags.snags[index.row()])

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        index = self.indexAt(event.position().toPoint())
        over = index.isValid() and self.link_rect(index).contains(event.position())
        self.setCursor(Qt.CursorShape.PointingHandCursor if over else Qt.CursorShape.ArrowCursor)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and self.currentIndex().isValid():
            self.follow.emit(self.snags.snags[self.currentIndex().row()])
        else:
            super().keyPressEvent(event)

    def current(self) -> Snag | None:
        row = self.currentIndex().row()
        return self.snags.snags[row] if 0 <= row < len(self.snags.snags) else None


class SnagHead(Painted, QWidget):
    def __init__(self, bench: Workbench) -> None:
        super().__init__()
        self.bench = bench
        self.setFixedHeight(40)

    def draw(self, p: QPainter, event: QPaintEvent) -> None:
        h = self.height()
        x = paint.text(p, 0, 6, "Snags", font(15, 600), "text", height=h - 8) + 18
        kinds = ((FAULT, "fault"), (ATTENTION, "warning"), (NOTE, "note"))
        for kind, words in kinds:
            count = sum(s.severity == kind for s in self.bench.known.snags)
            if count:
                paint.severity(p, kind, x + 6, h / 2 + 2, 6)
                x += 18
                x += (
                    paint.text(
                        p, x, 6, str(count), font("table", 600, mono=True), "text", height=h - 8
                    )
                    + 5
                )
                x += (
                    paint.text(
                        p,
                        x,
                        6,
                        many(count, words).partition(" ")[2],
                        font("table"),
                        "text2",
                        height=h - 8,
                    )
                    + 16
                )
        if not self.bench.known.snags and self.bench.show.units:
            paint.severity(p, "ok", x + 6, h / 2 + 2, 6)
            paint.text(p, x + 18, 6, "No snags", font("table"), "text2", height=h - 8)
        paint.text(p, 0, 6, "worst first", font("table"), "text3", paint.RIGHT, self.width(), h - 8)
        p.fillRect(QRectF(0, h - 1, self.width(), 1), theme.color("line_strong"))


class ReadinessPage(Page):
    title = "Readiness"

    def __init__(self, house: House) -> None:
        super().__init__(house)
        bench = self.bench
        self.list = SnagList(bench)
        self.list.follow.connect(self.follow)
        self.list.visit.connect(
            lambda snag: (bench.selection.select(snag.units), house.go(snag.page, snag))
        )
        self.snag_head = SnagHead(bench)
        self.column.addWidget(CrossingChart(bench))
        self.column.addWidget(self.snag_head)
        self.column.addWidget(self.list, 1)
        self.first = FirstSteps(
            self.list,
            "An empty show",
            "Read a hang list, add units, or open the demo to look around.",
            [
                self.acts.button("patch.hang_list", "Read a hang list…", "primary", 30),
                self.acts.button("patch.add", "Add units…", height=30),
                self.acts.button("show.demo", "Open the demo", height=30),
            ],
        )
        bind_seen(bench.changed, self, self.refresh)
        bind(bench.known.concluded_changed, self, self.refresh)
        bind(bench.known.network_changed, self, self.refresh)
        self.refresh()

    def entered(self) -> None:
        self.list.setFocus(Qt.FocusReason.OtherFocusReason)

    def refresh(self) -> None:
        crossing = self.bench.known.crossing
        self.list.set(self.bench.known.snags)
        self.snag_head.update()
        self.first.show_if(not self.bench.show.units)
        count = len(self.bench.known.snags)
        self.head.say(
            str(crossing.done["answered"]),
            "of",
            str(crossing.total),
            "units work",
            str(count),
            f"snag{'s' * (count != 1)} open",
        )

    def follow(self, snag: Snag) -> None:
        """Fix it where there is a fix, else go where it is seen."""
        self.bench.selection.select(snag.units)
        if snag.fix:
            edit, name = snag.fix.edit, snag.fix.label
            self.bench.guard(
                lambda: self.bench.commit(name[0].lower() + name[1:], edit(self.bench.show))
            )
        else:
            self.house.go(snag.page, snag)
