"""The patch table's view: a spreadsheet over units. Whatever rows a block touches are the selected
units.
"""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import (
    QEvent,
    QItemSelection,
    QItemSelectionModel,
    QItemSelectionRange,
    QModelIndex,
    QObject,
    QPersistentModelIndex,
    QPointF,
    QRect,
    QRectF,
    Qt,
)
from PySide6.QtGui import (
    QColor,
    QGuiApplication,
    QKeyEvent,
    QKeySequence,
    QPainter,
    QPaintEvent,
    QShowEvent,
)
from PySide6.QtWidgets import (
    QAbstractItemView,
    QFrame,
    QHeaderView,
    QLineEdit,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QWidget,
)

from isthmus.app.kit import paint
from isthmus.app.kit.painted import PaintedItems, painter_on
from isthmus.app.kit.theme import SIZE, font, pen, theme
from isthmus.app.kit.widgets import TextTable, bind
from isthmus.app.model.workbench import Workbench
from isthmus.app.pages.patch.models.units import NAMES, RIGHT, ROOM, PatchModel
from isthmus.errors import EntryFault
from isthmus.gels import colour_of, split_gels
from isthmus.patch.cells import BY_KEY, addresses_continued, continued
from isthmus.plural import many
from isthmus.profiles.colour import encode_srgb
from isthmus.show import read_address
from isthmus.show.records import Unit

CORNER = 5
ENTER = (Qt.Key.Key_Return, Qt.Key.Key_Enter)  # on to the cell below, with Shift above
HEADING = 22
MONO = ("number", "address", "takes", "room")


def swatch_color(rgb: np.ndarray) -> QColor:
    r, g, b = (float(v) for v in encode_srgb(np.asarray(rgb)))
    return QColor.fromRgbF(r, g, b)


class PatchRows(PaintedItems):
    """Paints cells straight from the unit."""

    def __init__(self, table: PatchTable) -> None:
        super().__init__(table)
        self.table = table

    def draw(
        self, p: QPainter, option: QStyleOptionViewItem, index: QModelIndex | QPersistentModelIndex
    ) -> None:
        table, row = self.table, index.row()
        key, unit = table.patch.columns[index.column()], table.patch.rows[row]
        box = QRect(option.rect)
        p.save()
        if row in table.headed:
            self._heading(p, QRect(box.x(), box.y(), box.width(), HEADING), unit)
            box.setTop(box.top() + HEADING)
        x, y, w, h = box.x(), box.y(), box.width(), box.height()
        ordinal = table.ordinals.get(unit.id)
        chosen = table.blocked and table.selectionModel().isSelected(index)
        if chosen or ordinal or row in table.headed:
            p.fillRect(box, theme.color("block" if chosen else "select_row" if ordinal else "deep"))
        p.fillRect(QRect(x, y + h - 1, w, 1), theme.color("line" if row % 5 == 4 else "line_faint"))
        if key == "number":
            self._number(p, box, unit, ordinal)
        elif key == "address":
            self._address(p, box, unit, index)
        elif key == "crossing":
            paint.crossing(
                p,
                QRectF(x + 4, y, w - 10, h - 1),
                table.bench.known.crossing.states.get(unit.id, "wwwww"),
            )
        elif key == "gel":
            self._gel(p, box, unit.gel)
        else:
            words = index.data() or ""
            if key in RIGHT:
                paint.text(
                    p, x, y, words, font("table", mono=True), "text2", paint.RIGHT, w - 10, h - 1
                )
            else:
                empty = not words and key == "hangs_on"
                role = "text" if key == "name" else "text3" if empty else "text2"
                face = font("table", 500 if key == "name" else 400)
                paint.text(
                    p,
                    x + 8,
                    y,
                    "nowhere yet" if empty else words,
                    face,
                    role,
                    width=w - 12,
                    height=h - 1,
                )
        self._outline(p, box, index)
        p.restore()

    def _heading(self, p: QPainter, box: QRect, unit: Unit) -> None:
        """Each cell paints its part of the one line that runs across them."""
        p.fillRect(box, theme.color("shelf"))
        p.fillRect(QRect(box.x(), box.bottom(), box.width(), 1), theme.color("line_strong"))
        p.save()
        p.setClipRect(box)
        left = self.table.columnViewportPosition(0) + 8
        paint.text(
            p,
            left,
            box.y(),
            self.table.patch.heading(unit),
            font("caption", 600),
            "text",
            width=600,
            height=HEADING,
        )
        p.restore()

    def _number(self, p: QPainter, box: QRect, unit: Unit, ordinal: int | None) -> None:
        x, y, w, h = box.x(), box.y(), box.width(), box.height()
        if ordinal:
            p.fillRect(QRect(x, y, 3, h - 1), theme.color("coral"))
            paint.text(
                p,
                x + 8,
                y,
                str(ordinal),
                font("caption", 600, mono=True),
                "coral_text",
                height=h - 1,
            )
        elif unit.id in self.table.lit:
            p.setRenderHint(QPainter.RenderHint.Antialiasing)
            p.setPen(Qt.PenStyle.NoPen)
            p.setBrush(theme.color("ochre"))
            p.drawEllipse(QPointF(x + 12, y + h / 2 - 0.5), 3.2, 3.2)
        paint.text(
            p,
            x,
            y,
            str(unit.number),
            font("table", 500, mono=True),
            "text",
            paint.RIGHT,
            w - 10,
            h - 1,
        )

    def _address(
        self, p: QPainter, box: QRect, unit: Unit, index: QModelIndex | QPersistentModelIndex
    ) -> None:
        x, y, w, h = box.x(), box.y(), box.width(), box.height()
        if not unit.patch:
            paint.text(p, x + 8, y, "none", font("table"), "text3", height=h - 1)
            return
        p.fillRect(QRectF(x + 8, y + 6, 3, h - 13), theme.universe(unit.patch[0].universe))
        paint.text(
            p,
            x + 17,
            y,
            index.data(),
            font("table", 500, mono=True),
            "text",
            width=w - 19 - 12 * unit.locked,
            height=h - 1,
        )
        if unit.locked:
            p.setPen(pen("text2", 1.2))
            p.setBrush(Qt.BrushStyle.NoBrush)
            p.drawRect(QRectF(x + w - 12, y + h / 2 - 2, 7, 6))
            p.drawArc(QRectF(x + w - 10.5, y + h / 2 - 6, 4, 7), 0, 180 * 16)

    def _gel(self, p: QPainter, box: QRect, words: str) -> None:
        x, y, w, h = box.x(), box.y(), box.width(), box.height()
        if not words:
            return
        color = self.table.gel_color(words)
        if color is not None:
            paint.swatch(p, QRectF(x + 8, y + 5, 13, 13), color, CORNER)
        elif split_gels(words):
            p.setPen(pen("line_strong", 1, Qt.PenStyle.DotLine))
            p.setBrush(Qt.BrushStyle.NoBrush)
            p.drawRect(QRectF(x + 8.5, y + 5.5, 12, 12))
        paint.text(p, x + 27, y, words, font("table"), "text2", width=w - 30, height=h - 1)

    def _outline(self, p: QPainter, box: QRect, index: QModelIndex | QPersistentModelIndex) -> None:
        table = self.table
        if index == table.currentIndex() and table.hasFocus():
            p.setRenderHint(QPainter.RenderHint.Antialiasing)
            p.setBrush(Qt.BrushStyle.NoBrush)
            p.setPen(pen("focus", 1.5))
            p.drawRoundedRect(QRectF(box).adjusted(2, 1.5, -2, -2.5), 2, 2)

    def createEditor(
        self,
        parent: QWidget,
        option: QStyleOptionViewItem,
        index: QModelIndex | QPersistentModelIndex,
    ) -> QWidget:
        editor = super().createEditor(parent, option, index)
        editor.setFont(font("table", 500, mono=self.table.patch.columns[index.column()] in MONO))
        return editor

    def updateEditorGeometry(
        self,
        editor: QWidget,
        option: QStyleOptionViewItem,
        index: QModelIndex | QPersistentModelIndex,
    ) -> None:
        box = QRect(option.rect)
        if index.row() in self.table.headed:
            box.setTop(box.top() + HEADING)
        editor.setGeometry(box)

    def eventFilter(self, editor: QObject, event: QEvent) -> bool:
        """Ctrl+Return types over the whole block, as spreadsheets do; elsewhere the same keys
        switch the output.
        """
        if (
            isinstance(event, QKeyEvent)
            and event.key() in ENTER
            and event.modifiers() & Qt.KeyboardModifier.ControlModifier
            and isinstance(editor, QLineEdit)
        ):
            if event.type() == QEvent.Type.ShortcutOverride:
                event.accept()
                return True
            if event.type() == QEvent.Type.KeyPress:
                text = editor.text()
                self.closeEditor.emit(editor, QStyledItemDelegate.EndEditHint.NoHint)
                self.table.write_block(text)
                return True
        return super().eventFilter(editor, event)


class Header(QHeaderView):
    def __init__(self, table: PatchTable) -> None:
        super().__init__(Qt.Orientation.Horizontal, table)
        self.table = table
        self.setFixedHeight(SIZE["table_header"])
        self.setSectionsClickable(True)
        self.setSortIndicatorShown(True)

    def paintSection(self, p: QPainter, rect: QRect, index: int) -> None:
        key = self.table.patch.columns[index]
        p.save()
        p.fillRect(rect, theme.color("shelf"))
        p.fillRect(QRect(rect.x(), rect.bottom(), rect.width(), 1), theme.color("line_strong"))
        x, y, w, h = rect.x(), rect.y(), rect.width(), rect.height()
        if key == "crossing":
            small = font(10, 600, track=1.0)
            paint.text(p, x + 4, y, "PAPER", small, "text2", height=h)
            paint.text(p, x, y, "RIG", small, "text2", paint.RIGHT, w - 6, h)
        elif key in RIGHT:
            paint.text(p, x, y, NAMES[key], font("caption", 500), "text2", paint.RIGHT, w - 10, h)
        else:
            paint.text(p, x + 8, y, NAMES[key], font("caption", 500), "text2", height=h)
        if index == self.sortIndicatorSection():
            up = self.sortIndicatorOrder() == Qt.SortOrder.AscendingOrder
            cx, cy, d = (x + 12 if key in RIGHT else x + w - 10), rect.center().y(), 1 if up else -1
            p.setRenderHint(QPainter.RenderHint.Antialiasing)
            p.setPen(Qt.PenStyle.NoPen)
            p.setBrush(theme.color("text2"))
            p.drawPolygon(
                paint.polygon((cx - 4, cy - 1.5 * d), (cx + 4, cy - 1.5 * d), (cx, cy + 3.5 * d))
            )
        p.restore()


class PatchTable(TextTable):
    def __init__(self, bench: Workbench, model: PatchModel) -> None:
        super().__init__()
        self.bench, self.patch = bench, model
        self.ordinals: dict[str, int] = {}
        self.lit: set[str] = set()
        self.headed: set[int] = set()
        self.blocked = False  # several cells are chosen
        self._gels: dict[str, QColor | None] = {}
        self._following = True  # until it is made: an empty table selects no unit
        self._taking = self._behind = False  # a cell is being taken; the show went on meanwhile
        self.setObjectName("patch table")
        self.setAccessibleName("Patch")
        self.setModel(model)
        self.setItemDelegate(PatchRows(self))
        self.setHorizontalHeader(Header(self))
        self.verticalHeader().hide()
        self.verticalHeader().setMinimumSectionSize(SIZE["table_row"])
        self.verticalHeader().setDefaultSectionSize(SIZE["table_row"])
        self.verticalHeader().setSectionResizeMode(QHeaderView.ResizeMode.Fixed)
        self.setShowGrid(False)
        self.setFrameShape(QFrame.Shape.NoFrame)
        self.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectItems)
        self.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        self.setEditTriggers(
            QAbstractItemView.EditTrigger.DoubleClicked
            | QAbstractItemView.EditTrigger.EditKeyPressed
            | QAbstractItemView.EditTrigger.AnyKeyPressed
        )
        self.setVerticalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAsNeeded)
        self.horizontalHeader().setStretchLastSection(False)
        self.setSortingEnabled(True)
        self.sortByColumn(0, Qt.SortOrder.AscendingOrder)
        self.setTabKeyNavigation(False)
        self.viewport().setAttribute(
            Qt.WidgetAttribute.WA_OpaquePaintEvent
        )  # so that scrolling moves what is painted
        model.modelReset.connect(self._rows_changed)
        bench.selection.changed.connect(self.follow)
        bind(bench.changed, self, self.refresh)
        bench.levels.changed.connect(self.relight)
        theme.changed.connect(self.viewport().update)
        self._following = False
        self.lay_out()
        self.refresh()

    def lay_out(self) -> None:
        """Give the columns their widths; the name gives way."""
        header = self.horizontalHeader()
        for at, key in enumerate(self.patch.columns):
            header.setSectionResizeMode(
                at,
                QHeaderView.ResizeMode.Stretch
                if key == "name"
                else QHeaderView.ResizeMode.Interactive,
            )
            self.setColumnWidth(at, ROOM[key])
        order = self.patch.order
        if order[0] in self.patch.columns:
            up = Qt.SortOrder.AscendingOrder if order[1] else Qt.SortOrder.DescendingOrder
            header.setSortIndicator(self.patch.columns.index(order[0]), up)

    def refresh(self) -> None:
        typing = self.state() == QAbstractItemView.State.EditingState
        self._behind = typing and not self._taking
        if self._behind:  # rows in another order would close the cell and lose what is typed
            return
        self._gels.clear()
        self.patch.reload()
        self._find_headings()
        self.follow()

    def _rows_changed(self) -> None:
        self._find_headings()
        self.follow()

    def _find_headings(self) -> None:
        """Rows that begin a group stand a little lower, with the heading above them."""
        rows, headed = self.patch.rows, set()
        if self.patch.grouping:
            last = None
            for row, unit in enumerate(rows):
                words = self.patch.heading(unit)
                if words != last:
                    headed.add(row)
                    last = words
        for row in self.headed - headed:
            if row < len(rows):
                self.setRowHeight(row, SIZE["table_row"])
        for row in headed:
            self.setRowHeight(row, SIZE["table_row"] + HEADING)
        self.headed = headed

    def gel_color(self, words: str) -> QColor | None:
        if words not in self._gels:
            rgb = colour_of(self.bench.show.gels, words)
            self._gels[words] = None if rgb is None else swatch_color(rgb)
        return self._gels[words]

    def paintEvent(self, event: QPaintEvent) -> None:
        with painter_on(self.viewport()) as p:
            p.fillRect(event.rect(), theme.color("deep"))
        super().paintEvent(event)

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        self.relight()

    def relight(self) -> None:
        if not self.isVisible():
            return
        lit = set(self.bench.levels.live.lit())
        if lit != self.lit:
            self.lit = lit
            self.viewport().update()

    # ------------------------------------------------------------ selected units

    def follow(self) -> None:
        """Show the workbench's selection; a block that touches just those rows stays as it is."""
        self.ordinals = {unit: i for i, unit in enumerate(self.bench.selection.ids, 1)}
        rows = [row for unit in self.bench.selection.ids if (row := self.patch.row_of(unit)) >= 0]
        if set(rows) != self._rows_chosen():
            column = max(0, self.currentIndex().column())
            wanted = QItemSelection()
            for first, last in _runs(sorted(rows)):
                wanted.select(self.patch.index(first, column), self.patch.index(last, column))
            self._following = True
            self.selectionModel().select(wanted, QItemSelectionModel.SelectionFlag.ClearAndSelect)
            typing = self.state() == QAbstractItemView.State.EditingState
            if rows and not typing and not self.hasFocus():  # another cell would take what is typed
                self.selectionModel().setCurrentIndex(
                    self.patch.index(rows[-1], column), QItemSelectionModel.SelectionFlag.NoUpdate
                )
            if rows:
                self.scrollTo(self.patch.index(max(rows), 0))
                self.scrollTo(self.patch.index(min(rows), 0))
            self._following = False
        self.viewport().update()

    def _parts(self) -> list[QItemSelectionRange]:
        chosen = self.selectionModel().selection()
        return [chosen.at(i) for i in range(chosen.count())]

    def _rows_chosen(self) -> set[int]:
        return {row for part in self._parts() for row in range(part.top(), part.bottom() + 1)}

    def selectionChanged(self, selected: QItemSelection, deselected: QItemSelection) -> None:
        super().selectionChanged(selected, deselected)
        if self.selectionModel() is None:
            return
        parts = self._parts()
        self.blocked = len(parts) > 1 or any(part.width() * part.height() > 1 for part in parts)
        if self._following:
            return
        chosen = self._rows_chosen()
        rows = {self.patch.rows[row].id for row in chosen if row < len(self.patch.rows)}
        kept = [u for u in self.bench.selection.ids if u in rows]
        known = set(kept)
        fresh = [
            u
            for row in sorted(chosen)
            if row < len(self.patch.rows) and (u := self.patch.rows[row].id) not in known
        ]
        control = QGuiApplication.keyboardModifiers() & Qt.KeyboardModifier.ControlModifier
        hidden = (
            [u for u in self.bench.selection.ids if self.patch.row_of(u) < 0] if control else []
        )
        self.bench.selection.select([*hidden, *kept, *fresh])

    # ------------------------------------------------------------ spreadsheet habits

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.matches(QKeySequence.StandardKey.Copy):
            QGuiApplication.clipboard().setText(self.as_text())
        elif event.matches(QKeySequence.StandardKey.Paste):
            self.paste(QGuiApplication.clipboard().text())
        elif event.key() == Qt.Key.Key_Delete and not event.modifiers():
            self.write_block("")
        elif self.state() == QAbstractItemView.State.EditingState and event.key() in ENTER:
            event.accept()  # the editor's own Enter comes by here too
        elif event.key() in ENTER:
            self._step(-1 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 1, 0)
        else:
            super().keyPressEvent(event)

    def _step(self, down: int, right: int) -> bool:
        """On to the next cell, as in a spreadsheet; False at the edge of the table, where Tab
        leaves it.
        """
        at = self.currentIndex()
        to = self.patch.index(at.row() + down, at.column() + right)
        if not at.isValid() or not to.isValid():
            return bool(down)
        self.setCurrentIndex(to)
        return True

    def focusNextPrevChild(self, forward: bool) -> bool:
        """Tab and Shift+Tab, which Qt takes for the focus before any key is seen."""
        return self._step(0, 1 if forward else -1) or super().focusNextPrevChild(forward)

    def commitData(self, editor: QWidget) -> None:
        """What is typed may put rows in another order: the row below is remembered by its unit."""
        at, rows = self.currentIndex(), self.patch.rows
        here, below = (rows[r].id if 0 <= r < len(rows) else "" for r in (at.row(), at.row() + 1))
        self._typed = here, below, at.column()
        self._taking = True
        try:
            super().commitData(editor)
        finally:
            self._taking = False

    def closeEditor(self, editor: QWidget, hint: QStyledItemDelegate.EndEditHint) -> None:
        """Enter goes down, Tab to the right, without opening the next cell."""
        end = QStyledItemDelegate.EndEditHint
        sideways = {end.EditNextItem: 1, end.EditPreviousItem: -1}.get(hint, 0)
        super().closeEditor(editor, end.NoHint if sideways else hint)
        if self._behind:
            self.refresh()
        here, below, column = self._typed
        self._typed = "", "", 0
        if hint == end.SubmitModelCache or sideways:
            row, column = self.patch.row_of(here if sideways else below or here), column + sideways
            if row >= 0 and 0 <= column < len(self.patch.columns):
                self.setCurrentIndex(self.patch.index(row, column))

    _typed = (
        "",
        "",
        0,
    )  # the unit of the cell that was typed in last, the one below it, and the column

    def block(self) -> list[tuple[int, list[int]]]:
        """The chosen cells as (column, rows from top to bottom), by column."""
        found: dict[int, set[int]] = {}
        for part in self._parts():
            for column in range(part.left(), part.right() + 1):
                found.setdefault(column, set()).update(range(part.top(), part.bottom() + 1))
        return [(column, sorted(rows)) for column, rows in sorted(found.items())]

    def as_text(self, whole: bool = False) -> str:
        """The block as tab-separated text; `whole` rows come with headings, all of them when none
        is selected.
        """
        last = range(len(self.patch.columns))
        columns = (
            [c for c in last if self.patch.columns[c] != "crossing"]
            if whole
            else [c for c, _ in self.block()]
        )
        rows = sorted({row for _, rows in self.block() for row in rows}) or (
            list(range(len(self.patch.rows))) if whole else []
        )
        lines = ["\t".join(NAMES[self.patch.columns[c]] for c in columns)] if whole else []
        lines += ["\t".join(self.patch.text(row, c) for c in columns) for row in rows]
        return "".join(line + "\n" for line in lines)

    def paste(self, text: str) -> None:
        """Cells from a spreadsheet, from the top left of the block on; a single value goes into the
        whole block.
        """
        block = [line.split("\t") for line in text.rstrip("\r\n").splitlines()]
        at = self.currentIndex()
        if not at.isValid() or not text.strip():
            return
        if len(block) == 1 and len(block[0]) == 1:
            self.write_block(block[0][0])
            return
        here = next((part for part in self._parts() if part.contains(at)), None)
        top, left = (here.top(), here.left()) if here else (at.row(), at.column())
        columns = self._named_columns(block[0]) if len(block) > 1 else None
        if columns is None:
            columns = list(range(left, left + max(map(len, block))))
        else:
            block = block[1:]
        room = len(self.patch.rows) - top
        writable = {c for c in columns if c >= 0 and (k := self.patch.column(c)) and k.writable}
        cells = [
            (top + i, column, value)
            for i, line in enumerate(block[:room])
            for column, value in zip(columns, line, strict=False)
            if column in writable
        ]
        if len(block) > room:
            self.bench.tell(
                "attention",
                f"{many(len(block), 'line')} were pasted and {room} rows are there; the rest was "
                "left out.",
            )
        self.patch.write(cells, f"paste {many(len(cells), 'cell')}")

    def _named_columns(self, heads: list[str]) -> list[int] | None:
        """Where each column of a block goes when its first line is headings, -1 for nowhere; None
        when it is not.
        """
        keys = {name: key for key, name in NAMES.items()}
        if not all(head in keys for head in heads):
            return None
        shown = self.patch.columns
        return [shown.index(keys[head]) if keys[head] in shown else -1 for head in heads]

    def write_block(self, text: str) -> None:
        """One value into every chosen cell that can be typed in."""
        cells = [
            (row, column, text)
            for column, rows in self.block()
            if (c := self.patch.column(column)) and c.writable
            for row in rows
        ]
        if text == "":
            cells = [
                cell for cell in cells if self.patch.columns[cell[1]] not in ("number", "mode")
            ]
        self.patch.write(cells, f"write {many(len(cells), 'cell')}" if len(cells) > 1 else "")

    def fill_down(self) -> None:
        """The top cell of each column of the block into those below it."""
        self._fill(lambda texts, column, rows: [texts[0]] * (len(texts) - 1), 1)

    def fill_series(self) -> None:
        """Each column of the block goes on from its first cell, or from its first two when they
        rise.
        """

        def series(texts: list[str], column: int, rows: list[int]) -> list[str]:
            seed = (
                texts[:2]
                if len(texts) > 2 and texts[1] and _rises(texts[:2], self.patch.columns[column])
                else texts[:1]
            )
            if self.patch.columns[column] == "address":
                return addresses_continued(
                    self.bench.show, [self.patch.rows[r].id for r in rows], seed
                )
            return continued(seed, len(rows) - len(seed))

        self._fill(series, 0)

    def _fill(self, make, least: int) -> None:
        cells = []
        for column, rows in self.block():
            found = self.patch.column(column)
            if found is None or not found.writable or len(rows) < 2:
                continue
            texts = [self.patch.text(row, column) for row in rows]
            made = make(texts, column, rows)
            cells += [
                (row, column, text)
                for row, text in zip(rows[len(rows) - len(made) :], made, strict=True)
            ]
        if not cells:
            raise EntryFault(
                "Select several rows of a column first: the first cell is what is filled down."
            )
        self.patch.write(cells, f"fill {many(len(cells), 'cell')}")


def _rises(texts: list[str], key: str) -> bool:
    """Whether two cells are the beginning of a series with a step of its own."""
    if key == "address":
        try:
            first, second = (read_address(text.split(",")[0]) for text in texts)
        except EntryFault:
            return False
        return bool(first and second and first[0] == second[0] and second[1] > first[1])
    return key in BY_KEY and continued(texts, 1) != [texts[0]] and texts[0] != texts[1]


def _runs(rows: list[int]) -> list[tuple[int, int]]:
    """Rows as runs, so that a large selection is few ranges."""
    found: list[list[int]] = []
    for row in rows:
        if found and row == found[-1][1] + 1:
            found[-1][1] = row
        else:
            found.append([row, row])
    return [(a, b) for a, b in found]
