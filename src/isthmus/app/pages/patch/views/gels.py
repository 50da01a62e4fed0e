"""Gels: swatch books over two lamps, given to what is selected, stacked; and books of one's own
from CSV.
"""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import Any

import numpy as np
from PySide6.QtCore import QModelIndex, QPersistentModelIndex, QRectF, Qt
from PySide6.QtGui import QPainter
from PySide6.QtWidgets import QFileDialog, QHBoxLayout, QStyleOptionViewItem, QVBoxLayout, QWidget

from isthmus.app.kit import paint
from isthmus.app.kit.painted import PaintedItems
from isthmus.app.kit.theme import SIZE, theme
from isthmus.app.kit.widgets import (
    Index,
    PageView,
    RowsModel,
    bind_seen,
    button,
    choice,
    field,
    label,
    plain_table,
)
from isthmus.app.model.workbench import Workbench
from isthmus.app.pages.patch.models.units import write_gel
from isthmus.app.pages.patch.views.table import swatch_color
from isthmus.gels import books_at_hand, keep_book
from isthmus.gels.books import MAX_BYTES
from isthmus.gels.resolve import find_gels
from isthmus.plural import many
from isthmus.profiles.colour import LUMINANCE
from isthmus.show.files import read_file
from isthmus.show.records import Gel


class GelsModel(RowsModel):
    COLUMNS = ("Code", "Name", "Over 3200 K", "Over 5600 K", "Transmission", "Book", "Units")
    MONO = (0, 4)

    def __init__(self, bench: Workbench) -> None:
        super().__init__()
        self.bench = bench
        self.used: dict[str, int] = {}

    def show_gels(self, rows: list[Gel], used: dict[str, int]) -> None:
        self.beginResetModel()
        self.rows, self.used = rows, used
        self.endResetModel()

    def cells(self, row: Gel) -> Sequence[str]:
        luminance = float(LUMINANCE @ np.asarray(row.rgb))
        used = self.used.get(row.code, 0)
        return row.code, row.name, "", "", f"{100 * luminance:.0f} %", row.book, str(used or "")

    def data(self, index: Index, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        if role == Qt.ItemDataRole.AccessibleTextRole:
            gel: Gel = self.rows[index.row()]
            return f"{gel.book} {gel.code} {gel.name}"
        return super().data(index, role)


class Swatches(PaintedItems):
    def draw(
        self, p: QPainter, option: QStyleOptionViewItem, index: QModelIndex | QPersistentModelIndex
    ) -> None:
        self.usual(p, option, index)
        gel = index.model().rows[index.row()]  # type: ignore[attr-defined]
        rgb = gel.rgb if index.column() == 2 else gel.daylight or gel.rgb
        box = QRectF(option.rect).adjusted(8, 4, -10, -4)
        p.save()
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        paint.swatch(p, box, swatch_color(rgb), 6)
        p.restore()


class GelsView(PageView):
    def __init__(self, bench: Workbench, window: QWidget) -> None:
        super().__init__()
        self.bench, self.window_ = bench, window
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        top = QHBoxLayout()
        top.setSpacing(6)
        self.needle = field("find a gel", "", "Code or name")
        self.needle.setFixedWidth(220)
        self.book = choice("swatch book")
        self.book.setFixedWidth(200)
        top.addWidget(self.needle)
        top.addWidget(self.book)
        top.addStretch(1)
        top.addWidget(button("Read a swatch book…", run=self._read))
        column.addLayout(top)
        self.model = GelsModel(bench)
        self.table = plain_table(self.model, "gels", "Gels", (84, 180, 150, 150, 90, 130, 60), 1)
        swatches = Swatches(self.table)
        self.table.setItemDelegateForColumn(2, swatches)
        self.table.setItemDelegateForColumn(3, swatches)
        column.addWidget(self.table, 1)
        foot = QHBoxLayout()
        foot.setSpacing(6)
        self.what = label("", "quiet", wrap=True)
        self.what.setMinimumHeight(SIZE["control"])
        foot.addWidget(self.what, 1)
        self.stack = button("Add as second gel", run=lambda: self.give(True))
        self.clear = button("No gel", run=lambda: self._set(""))
        self.give_it = button("Apply to selected units", "primary", lambda: self.give(False), 30)
        for made in (self.clear, self.stack, self.give_it):
            foot.addWidget(made)
        column.addLayout(foot)
        self.needle.textChanged.connect(lambda _: self.refresh())
        self.book.currentIndexChanged.connect(lambda _: self.refresh())
        self.table.selectionModel().selectionChanged.connect(lambda *_: self._told())
        self.table.doubleClicked.connect(lambda _: self.give(False))
        bench.selection.changed.connect(self._told)
        bind_seen(bench.changed, self, self.refresh)
        theme.changed.connect(self.update)
        self._books()
        self.refresh()

    def _books(self) -> None:
        self.books = books_at_hand()
        chosen = self.book.currentData()
        self.book.blockSignals(True)
        self.book.clear()
        self.book.addItem("Every book", "")
        for book in self.books:
            self.book.addItem(f"{book.name} ({len(book.gels)})", book.name)
        self.book.addItem("Gels of this show", "show")
        self.book.setCurrentIndex(max(0, self.book.findData(chosen)))
        self.book.blockSignals(False)

    def refresh(self) -> None:
        show, wanted = self.bench.show, self.book.currentData()
        own = [
            gel for gel in show.gels if not any(book.gel(gel.code) == gel for book in self.books)
        ]
        every = (
            list(show.gels)
            if wanted == "show"
            else [*own, *(g for b in self.books if not wanted or b.name == wanted for g in b.gels)]
        )
        if wanted and wanted != "show":
            every = [g for g in every if g.book == wanted]
        words = self.needle.text().lower().split()
        rows = [g for g in every if all(w in f"{g.book} {g.code} {g.name}".lower() for w in words)]
        used: dict[str, int] = {}
        for unit in show.units:
            for part in unit.gel.split("+") if unit.gel else ():
                used[part.strip()] = used.get(part.strip(), 0) + 1
        chosen = self.chosen()
        self.model.show_gels(rows, used)
        if chosen in rows:
            self.table.selectRow(rows.index(chosen))
        self._told()

    def chosen(self) -> Gel | None:
        rows = self.table.selectionModel().selectedRows()
        return (
            self.model.rows[rows[0].row()]
            if rows and rows[0].row() < len(self.model.rows)
            else None
        )

    def _told(self) -> None:
        gel, count = self.chosen(), len(self.bench.selection.ids)
        for made in (self.give_it, self.stack):
            made.setEnabled(bool(gel and count))
        self.clear.setEnabled(bool(count))
        hand = f"{many(count, 'unit')} selected" if count else "nothing selected"
        self.what.setText(
            f"{gel.code} {gel.name}; {hand}"
            if gel
            else f"{many(len(self.model.rows), 'gel')}; {hand}"
        )

    def give(self, stack: bool) -> None:
        gel = self.chosen()
        if gel is None:
            return
        alone = (
            len(
                {(g.book, g.code) for book in self.books for g in find_gels(book.gels, gel.code)}
                | {(gel.book, gel.code)}
            )
            == 1
        )
        name = gel.code if alone else f"{gel.book} {gel.code}"
        before = self.bench.selection.units()[0].gel if stack and self.bench.selection.ids else ""
        self._set(f"{before} + {name}" if before else name)

    def _set(self, text: str) -> None:
        ids = list(self.bench.selection.ids)
        self.bench.guard(
            lambda: self.bench.commit(
                f"gel of {many(len(ids), 'unit')}", write_gel(self.bench.show, ids, text)
            )
        )

    def _read(self) -> None:
        name, _ = QFileDialog.getOpenFileName(
            self.window_,
            "Read a swatch book",
            "",
            "Tables (*.csv *.tsv *.txt)",
            options=QFileDialog.Option.DontUseNativeDialog,
        )
        if name:
            self.bench.guard(lambda: self.read_book(Path(name)))

    def read_book(self, path: Path) -> None:
        """Raises FileFault when it is not a swatch book."""
        book = keep_book(read_file(path, MAX_BYTES), path.stem, path.name)
        self._books()
        self.book.setCurrentIndex(self.book.findData(path.stem))
        self.refresh()
        faults = (
            f" Left out, {many(len(book.faults), 'line')}: {book.faults[0]}" if book.faults else ""
        )
        self.bench.tell(
            "attention" if book.faults else "ok",
            f"{many(len(book.gels), 'gel')} of “{book.name}”.{faults}",
        )
