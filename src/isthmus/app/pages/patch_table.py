"""The patch table's view: painted rows, ordinals of the selection, spreadsheet copy and paste."""

from __future__ import annotations

from PySide6.QtCore import QItemSelection, QItemSelectionModel, QModelIndex, QPersistentModelIndex, QPointF, QRect, QRectF, Qt
from PySide6.QtGui import QColor, QGuiApplication, QKeyEvent, QKeySequence, QPainter, QShowEvent
from PySide6.QtWidgets import QAbstractItemView, QFrame, QHeaderView, QStyledItemDelegate, QStyleOptionViewItem, QTableView, QWidget

from isthmus.app import paint
from isthmus.app.pages.patch_model import ADDRESS, COLUMNS, CROSSING, PatchModel
from isthmus.app.theme import SIZE, font, pen, theme
from isthmus.app.widgets import bind
from isthmus.app.workbench import Workbench
from isthmus.profiles.colour import encode_srgb

CORNER = 5


class Rows(QStyledItemDelegate):
    """Paints cells straight from the unit; `ordinals` and `lit` are set by the view."""

    def __init__(self, table: PatchTable) -> None:
        super().__init__(table)
        self.table = table

    def paint(self, p: QPainter, option: QStyleOptionViewItem, index: QModelIndex | QPersistentModelIndex) -> None:
        table, column = self.table, index.column()
        unit = table.patch.rows[index.row()]
        x, y, w, h = option.rect.x(), option.rect.y(), option.rect.width(), option.rect.height()
        ordinal = table.ordinals.get(unit.id)
        p.save()
        p.fillRect(option.rect, theme.color("select_row" if ordinal else "deep"))
        p.fillRect(QRect(x, y + h - 1, w, 1), theme.color("line" if index.row() % 5 == 4 else "line_faint"))
        words = COLUMNS[column].read(unit, table.profiles)
        if column == 0:
            if ordinal:
                p.fillRect(QRect(x, y, 3, h - 1), theme.color("coral"))
                paint.text(p, x + 8, y, str(ordinal), font("caption", 600, mono=True), "coral_text", height=h - 1)
            elif unit.id in table.lit:
                p.setRenderHint(QPainter.RenderHint.Antialiasing)
                p.setPen(Qt.PenStyle.NoPen)
                p.setBrush(theme.color("ochre"))
                p.drawEllipse(QPointF(x + 12, y + h / 2 - 0.5), 3.2, 3.2)
            paint.text(p, x, y, words, font("table", 500, mono=True), "text", paint.RIGHT, w - 10, h - 1)
        elif column == ADDRESS:
            if unit.patch:
                p.fillRect(QRectF(x + 8, y + 6, 3, h - 13), theme.universe(unit.patch[0].universe))
                paint.text(p, x + 17, y, words, font("table", 500, mono=True), "text", width=w - 19, height=h - 1)
            else:
                paint.text(p, x + 8, y, "none", font("table"), "text3", height=h - 1)
        elif column == CROSSING:
            paint.crossing(p, QRectF(x + 4, y, w - 10, h - 1), table.bench.crossing.states.get(unit.id, "wwwww"))
        elif COLUMNS[column].name == "Gel":
            if words:
                color = table.gels.get(words)
                if color is not None:
                    paint.swatch(p, QRectF(x + 8, y + 5, 13, 13), color, CORNER)
                name, _, code = words.rpartition(" ")
                at = x + 27 + paint.text(p, x + 27, y, name + " " if name else "", font("table"), "text2", height=h - 1)
                paint.text(p, at, y, code, font("table", mono=True), "text2", width=w - (at - x), height=h - 1)
        elif COLUMNS[column].right:
            paint.text(p, x, y, words, font("table", mono=True), "text2", paint.RIGHT, w - 10, h - 1)
        else:
            empty = not words and COLUMNS[column].name == "Hangs on"
            role = "text" if column == 1 else "text3" if empty else "text2"
            paint.text(
                p, x + 8, y, "nowhere yet" if empty else words, font("table", 500 if column == 1 else 400), role, width=w - 12, height=h - 1
            )
        if index == table.currentIndex() and table.hasFocus():
            p.setRenderHint(QPainter.RenderHint.Antialiasing)
            p.setBrush(Qt.BrushStyle.NoBrush)
            p.setPen(pen("focus", 1.5))
            p.drawRoundedRect(QRectF(option.rect).adjusted(2, 1.5, -2, -2.5), 2, 2)
        p.restore()

    def createEditor(self, parent: QWidget, option: QStyleOptionViewItem, index: QModelIndex | QPersistentModelIndex) -> QWidget:
        editor = super().createEditor(parent, option, index)
        editor.setFont(font("table", 500, mono=index.column() in (0, ADDRESS)))
        return editor


class Header(QHeaderView):
    def __init__(self, parent: QWidget) -> None:
        super().__init__(Qt.Orientation.Horizontal, parent)
        self.setFixedHeight(SIZE["table_header"])
        self.setSectionsClickable(True)
        self.setSortIndicatorShown(True)

    def paintSection(self, p: QPainter, rect: QRect, index: int) -> None:
        p.save()
        p.fillRect(rect, theme.color("shelf"))
        p.fillRect(QRect(rect.x(), rect.bottom(), rect.width(), 1), theme.color("line_strong"))
        x, y, w, h = rect.x(), rect.y(), rect.width(), rect.height()
        if index == CROSSING:
            small = font(10, 600, track=1.0)
            paint.text(p, x + 4, y, "PAPER", small, "text2", height=h)
            paint.text(p, x, y, "RIG", small, "text2", paint.RIGHT, w - 6, h)
        elif COLUMNS[index].right:
            paint.text(p, x, y, COLUMNS[index].name, font("caption", 500), "text2", paint.RIGHT, w - 10, h)
        else:
            paint.text(p, x + 8, y, COLUMNS[index].name, font("caption", 500), "text2", height=h)
        if index == self.sortIndicatorSection():
            up = self.sortIndicatorOrder() == Qt.SortOrder.AscendingOrder
            cx, cy, d = (x + 12 if COLUMNS[index].right else x + w - 10), rect.center().y(), 1 if up else -1
            p.setRenderHint(QPainter.RenderHint.Antialiasing)
            p.setPen(Qt.PenStyle.NoPen)
            p.setBrush(theme.color("text2"))
            p.drawPolygon(paint.polygon((cx - 4, cy - 1.5 * d), (cx + 4, cy - 1.5 * d), (cx, cy + 3.5 * d)))
        p.restore()


class PatchTable(QTableView):
    def __init__(self, bench: Workbench, model: PatchModel) -> None:
        super().__init__()
        self.bench, self.patch = bench, model
        self.ordinals: dict[str, int] = {}
        self.lit: set[str] = set()
        self.gels: dict[str, QColor] = {}
        self._following = False
        self.setObjectName("patch table")
        self.setAccessibleName("Patch")
        self.setModel(model)
        self.setItemDelegate(Rows(self))
        self.setHorizontalHeader(Header(self))
        self.verticalHeader().hide()
        self.verticalHeader().setMinimumSectionSize(SIZE["table_row"])
        self.verticalHeader().setDefaultSectionSize(SIZE["table_row"])
        self.setShowGrid(False)
        self.setFrameShape(QFrame.Shape.NoFrame)
        self.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        self.setEditTriggers(
            QAbstractItemView.EditTrigger.DoubleClicked
            | QAbstractItemView.EditTrigger.EditKeyPressed
            | QAbstractItemView.EditTrigger.AnyKeyPressed
        )
        self.setVerticalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAsNeeded)
        for i, column in enumerate(COLUMNS):
            self.setColumnWidth(i, column.width)
        self.horizontalHeader().setStretchLastSection(False)
        self.horizontalHeader().setSectionResizeMode(1, QHeaderView.ResizeMode.Stretch)
        self.sortByColumn(0, Qt.SortOrder.AscendingOrder)
        self.setSortingEnabled(True)
        self.setTabKeyNavigation(False)
        model.modelReset.connect(self.follow)
        bench.selection_changed.connect(self.follow)
        bind(bench.changed, self, self.refresh)
        bench.levels_changed.connect(self.relight)
        theme.changed.connect(self.viewport().update)
        self.refresh()

    def refresh(self) -> None:
        from isthmus.profiles import profiles_of

        self.profiles = profiles_of(self.bench.show)
        self.gels = {g.code: QColor.fromRgbF(*(float(v) for v in encode_srgb_tuple(g.rgb))) for g in self.bench.show.gels}
        self.patch.reload()
        self.follow()

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        self.relight()

    def relight(self) -> None:
        if not self.isVisible():
            return
        lit = set(self.bench.live.lit())
        if lit != self.lit:
            self.lit = lit
            self.viewport().update()

    def follow(self) -> None:
        """Show the workbench's selection."""
        self.ordinals = {unit: i for i, unit in enumerate(self.bench.selection, 1)}
        wanted = QItemSelection()
        rows = []
        for unit in self.bench.selection:
            row = self.patch.row_of(unit)
            if row >= 0:
                wanted.select(self.patch.index(row, 0), self.patch.index(row, len(COLUMNS) - 1))
                rows.append(row)
        self._following = True
        self.selectionModel().select(wanted, QItemSelectionModel.SelectionFlag.ClearAndSelect)
        if rows and not self.hasFocus():
            last = rows[-1]
            self.selectionModel().setCurrentIndex(
                self.patch.index(last, max(0, self.currentIndex().column())), QItemSelectionModel.SelectionFlag.NoUpdate
            )
            self.scrollTo(self.patch.index(max(rows), 0))
            self.scrollTo(self.patch.index(min(rows), 0))
        self._following = False
        self.viewport().update()

    def selectionChanged(self, selected: QItemSelection, deselected: QItemSelection) -> None:
        super().selectionChanged(selected, deselected)
        if self._following or self.selectionModel() is None:
            return
        rows = {self.patch.rows[i.row()].id for i in self.selectionModel().selectedRows()}
        kept = [u for u in self.bench.selection if u in rows]
        fresh = [self.patch.rows[i.row()].id for i in sorted(self.selectionModel().selectedRows(), key=lambda i: i.row())]
        hidden = (
            [u for u in self.bench.selection if self.patch.row_of(u) < 0]
            if QGuiApplication.keyboardModifiers() & Qt.KeyboardModifier.ControlModifier
            else []
        )
        self.bench.select([*hidden, *kept, *(u for u in fresh if u not in kept)])

    # ------------------------------------------------------------ spreadsheet habits

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.matches(QKeySequence.StandardKey.Copy):
            QGuiApplication.clipboard().setText(self.as_text())
        elif event.matches(QKeySequence.StandardKey.Paste):
            self.paste(QGuiApplication.clipboard().text())
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and self.state() != QAbstractItemView.State.EditingState:
            self.edit(self.currentIndex())
        else:
            super().keyPressEvent(event)

    def as_text(self) -> str:
        """The rows in hand as tab-separated text with a heading."""
        last = len(COLUMNS) - 1
        rows = sorted(i.row() for i in self.selectionModel().selectedRows())
        lines = ["\t".join(c.name for c in COLUMNS[:last])]
        lines += ["\t".join(c.read(self.patch.rows[row], self.profiles) for c in COLUMNS[:last]) for row in rows]
        return "\n".join(lines) + "\n"

    def paste(self, text: str) -> None:
        """Cells from a spreadsheet, from the current cell down and right; one value goes into the whole selection."""
        block = [line.split("\t") for line in text.rstrip("\n").split("\n")]
        at = self.currentIndex()
        if not at.isValid() or not text.strip():
            return
        rows = sorted(i.row() for i in self.selectionModel().selectedRows())
        if len(block) == 1 and len(block[0]) == 1:
            cells = [(row, at.column(), block[0][0]) for row in rows or [at.row()]]
        else:
            if block[0][: len(COLUMNS) - 1] == [c.name for c in COLUMNS[:-1]]:
                block = block[1:]
            cells = [
                (at.row() + i, at.column() + j, value)
                for i, line in enumerate(block)
                for j, value in enumerate(line)
                if at.row() + i < len(self.patch.rows) and at.column() + j < len(COLUMNS)
            ]
        self.patch.write(cells)


def encode_srgb_tuple(rgb: tuple[float, float, float]) -> list[float]:
    import numpy as np

    return list(encode_srgb(np.array(rgb)))
