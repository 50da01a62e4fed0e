"""What a search found: modes with their marks, then near misses with what differs."""

from __future__ import annotations

from typing import Any

from PySide6.QtCore import QPointF, QRect, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QPainter, QResizeEvent
from PySide6.QtWidgets import (
    QAbstractItemView,
    QFrame,
    QHeaderView,
    QStyleOptionViewItem,
    QTableView,
)

from isthmus.app.kit import paint
from isthmus.app.kit.painted import PaintedItems
from isthmus.app.kit.theme import font, pen, theme
from isthmus.app.kit.widgets import CopyKeys, Index, RowsModel, plain_tip
from isthmus.library import Answer, Entry
from isthmus.library.facts import BODY_WORDS
from isthmus.library.shelf import Shelf
from isthmus.library.sources import FIXED, MARKS

WIDTHS = (160, 96, 34, 42, 58)
ROW, NEAR, LINE = 38, 56, 22


def mark_of(source: str) -> str:
    """The letter of a source."""
    return MARKS.get(source, MARKS["folder"])


def source_name(source: str) -> str:
    return FIXED.get(source, source.removeprefix("folder:"))


def marks_in_words(entry: Entry) -> str:
    """Everything there is to know before choosing, in words."""
    parts = [
        source_name(entry.source)
        + (", not connected" if entry.away else ", not downloaded" if entry.offered else "")
    ]
    parts.append(BODY_WORDS[entry.body])
    if entry.borrowed:
        parts.append(f"derived from {entry.borrowed}")
    if entry.by_maker:
        parts.append("by the maker")
    if entry.proven_3d:
        parts.append("proven in 3-D")
    if entry.proven_unit:
        parts.append("proven on a unit")
    if entry.rating:
        parts.append(f"rated {entry.rating:.1f} of 5")
    return "; ".join(parts)


class Results(RowsModel):
    """Hits, then near misses; entries are made only for rows that are looked at."""

    COLUMNS = ("Profile", "Mode", "Ch", "Cells", "Marks")

    def __init__(self) -> None:
        super().__init__()
        self.shelf: Shelf | None = None
        self.answer = Answer((), 0)
        self._made: dict[int, Entry] = {}

    def take(self, shelf: Shelf, answer: Answer) -> None:
        self.beginResetModel()
        self.shelf, self.answer, self._made = shelf, answer, {}
        self.endResetModel()

    def count(self) -> int:
        return len(self.answer.hits) + len(self.answer.near)

    def entry(self, row: int) -> Entry:
        found = self._made.get(row)
        if found is None:
            assert self.shelf is not None
            hits = self.answer.hits
            found = self._made[row] = self.shelf.entry(
                hits[row] if row < len(hits) else self.answer.near[row - len(hits)]
            )
        return found

    def data(self, index: Index, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        entry = self.entry(index.row())
        if role == Qt.ItemDataRole.DisplayRole:
            return (
                entry.title,
                entry.mode,
                str(entry.footprint),
                str(entry.cells or ""),
                marks_in_words(entry),
            )[index.column()]
        if role in (Qt.ItemDataRole.ToolTipRole, Qt.ItemDataRole.AccessibleTextRole):
            words = f"{entry.title}, {entry.mode}\n{marks_in_words(entry)}" + (
                "\n" + "; ".join(entry.differs) if entry.differs else ""
            )
            return plain_tip(words) if role == Qt.ItemDataRole.ToolTipRole else words
        return None


class _Delegate(PaintedItems):
    def __init__(self, view: ResultsView) -> None:
        super().__init__(view)
        self.view = view

    def sizeHint(self, option: QStyleOptionViewItem, index: Index) -> QSize:
        return QSize(40, NEAR if index.row() >= len(self.view.results.answer.hits) else ROW)

    def draw(self, p: QPainter, option: QStyleOptionViewItem, index: Index) -> None:
        view, column = self.view, index.column()
        entry = view.results.entry(index.row())
        r = option.rect
        x, y, w = r.x(), r.y(), r.width()
        chosen = index.row() == view.currentIndex().row()
        p.save()
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.fillRect(r, theme.color("select_row" if chosen else "deep"))
        p.fillRect(QRect(x, r.bottom(), w, 1), theme.color("line_faint"))
        if chosen and column == 0:
            p.fillRect(QRect(x, y, 3, r.height()), theme.color("coral"))
        role = "text3" if entry.away else "text"
        if column == 0:
            self._mark(p, x + 8, y + 5, mark_of(entry.source), entry.away or entry.offered)
            paint.text(
                p, x + 30, y + 1, entry.model, font("table", 500), role, width=w - 32, height=LINE
            )
            paint.text(
                p, x + 30, y + 18, entry.maker, font("caption"), "text3", width=w - 32, height=18
            )
        elif column == 1:
            paint.text(
                p, x + 6, y + 1, entry.mode, font("table"), "text2", width=w - 8, height=LINE
            )
        elif column in (2, 3):
            words = str(entry.footprint) if column == 2 else str(entry.cells or "")
            paint.text(
                p, x, y + 1, words, font("table", 500, mono=True), role, paint.RIGHT, w - 8, LINE
            )
        else:
            self._trust(p, x + 6, y, entry)
        if entry.differs:  # runs under all columns: each paints its own part of the line
            p.setClipRect(r)
            left = view.columnViewportPosition(0)
            paint.text(
                p,
                left + 30,
                y + 35,
                "; ".join(entry.differs),
                font("caption"),
                "text2",
                width=view.viewport().width() - 40,
                height=18,
            )
            if index.row() == len(view.results.answer.hits):
                p.fillRect(QRect(x, y, w, 2), theme.color("ochre"))
        if view.hasFocus() and chosen and column == 0:
            p.setPen(pen("focus", 1.5))
            p.setBrush(Qt.BrushStyle.NoBrush)
            p.drawRoundedRect(QRectF(r).adjusted(4, 2, -2, -2), 2, 2)
        p.restore()

    def _mark(self, p: QPainter, x: float, y: float, letter: str, elsewhere: bool) -> None:
        p.setPen(pen("line_strong", 1, Qt.PenStyle.DotLine if elsewhere else Qt.PenStyle.SolidLine))
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.drawRect(QRectF(x, y, 15, 15))
        paint.text(
            p,
            x,
            y,
            letter,
            font("caption", 600, mono=True),
            "text2",
            Qt.AlignmentFlag.AlignCenter,
            15,
            15,
        )

    def _trust(self, p: QPainter, x: float, y: float, entry: Entry) -> None:
        """A cube for a body (open: stand-in), a tick for proven on a unit, the rating as a figure;
        words in the tooltip.
        """
        p.setPen(
            pen(
                "text2" if entry.body != "stand-in" else "line_strong",
                1.1,
                Qt.PenStyle.SolidLine if entry.body != "stand-in" else Qt.PenStyle.DotLine,
            )
        )
        p.setBrush(theme.color("text2") if entry.body == "mesh" else Qt.BrushStyle.NoBrush)
        p.drawPolygon(
            paint.polygon(
                (x + 6, y + 6),
                (x + 11, y + 9),
                (x + 11, y + 15),
                (x + 6, y + 18),
                (x + 1, y + 15),
                (x + 1, y + 9),
            )
        )
        if entry.proven_unit:
            p.setPen(pen("teal", 1.8))
            p.drawPolyline(
                [QPointF(x + 18, y + 12), QPointF(x + 21, y + 16), QPointF(x + 27, y + 7)]
            )
        if entry.borrowed:
            paint.text(
                p,
                x + 17,
                y,
                "borrowed",
                font("caption", italic=True),
                "ochre",
                width=60,
                height=LINE,
            )
        elif entry.rating:
            paint.text(
                p,
                x + 32,
                y,
                f"{entry.rating:.1f}",
                font("caption", mono=True),
                "text2",
                height=LINE,
            )


class ResultsView(QTableView):
    """`picked` tells the entry that is chosen."""

    picked = Signal(object)

    def __init__(self) -> None:
        super().__init__()
        self.setTabKeyNavigation(False)  # Tab leaves it
        self.results = Results()
        self.setModel(self.results)
        self.setItemDelegate(_Delegate(self))
        self.setFrameShape(QFrame.Shape.NoFrame)
        self.setShowGrid(False)
        self.setObjectName("results")
        self.setAccessibleName("Profiles found")
        self.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.setVerticalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        self.verticalHeader().hide()
        self.verticalHeader().setDefaultSectionSize(ROW)
        self.verticalHeader().setMinimumSectionSize(ROW)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        header = self.horizontalHeader()
        header.setHighlightSections(False)
        header.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
        header.setFixedHeight(26)
        for column, width in enumerate(WIDTHS):
            self.setColumnWidth(column, width)
        header.setSectionResizeMode(0, QHeaderView.ResizeMode.Stretch)
        CopyKeys(self)
        theme.changed.connect(self.viewport().update)

    def take(self, shelf: Shelf, answer: Answer) -> None:
        """Show an answer; the mode that was chosen stays chosen when it is still there."""
        chosen = self.current()
        self.results.take(shelf, answer)
        for row in range(len(answer.hits), self.results.rowCount()):
            self.setRowHeight(row, NEAR)
        row = -1
        if chosen is not None:
            row = next(
                (i for i, hit in enumerate(answer.hits + answer.near) if hit.row == chosen.row), -1
            )
        if row >= 0:
            self.setCurrentIndex(self.results.index(row, 0))
        self.viewport().update()

    def current(self) -> Entry | None:
        row = self.currentIndex().row()
        return self.results.entry(row) if 0 <= row < self.results.rowCount() else None

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        narrow = self.viewport().width() < 330
        self.setColumnHidden(3, narrow)
        self.setColumnWidth(1, 64 if narrow else WIDTHS[1])

    def currentChanged(self, current: Index, previous: Index) -> None:  # type: ignore[override]
        super().currentChanged(current, previous)
        self.viewport().update()
        if current.isValid():
            self.picked.emit(self.results.entry(current.row()))
