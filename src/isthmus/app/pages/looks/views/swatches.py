"""Palettes of one kind as swatches, by number: what each looks like, and how many of the selected
units cannot do it.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from typing import Any

from PySide6.QtCore import (
    QAbstractListModel,
    QModelIndex,
    QPersistentModelIndex,
    QRectF,
    QSize,
    Qt,
    Signal,
)
from PySide6.QtGui import QKeyEvent, QPainter, QResizeEvent
from PySide6.QtWidgets import QListView, QStyle, QStyleOptionViewItem

from isthmus.app.kit import paint
from isthmus.app.kit.painted import PaintedItems
from isthmus.app.kit.theme import advance, font, pen, theme
from isthmus.app.kit.widgets import plain_tip
from isthmus.app.pages.looks.views.pictures import StageOutline, paint_palette
from isthmus.looks.words import say_palette
from isthmus.plural import many
from isthmus.show.records import Palette, Show

LEAST, HIGH, PICTURE = 94, 66, 38  # a swatch is as wide as the list shares out, and no narrower
Index = QModelIndex | QPersistentModelIndex


class Swatches(QAbstractListModel):
    """`missing` are how many of the selected units come short of a palette, by its id."""

    def __init__(self, show: Callable[[], Show]) -> None:
        super().__init__()
        self._show = show
        self.palettes: list[Palette] = []
        self.missing: dict[str, int] = {}

    def rowCount(self, parent: Index | None = None) -> int:
        return 0 if parent and parent.isValid() else len(self.palettes)

    def data(self, index: Index, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        if not 0 <= index.row() < len(self.palettes):
            return None
        one = self.palettes[index.row()]
        if role in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.AccessibleTextRole):
            return f"{one.number} {one.name}"
        if role == Qt.ItemDataRole.ToolTipRole:
            short = self.missing.get(one.id, 0)
            miss = f"\n{many(short, 'selected unit')} cannot, or only nearly" if short else ""
            name = f"{one.kind.capitalize()} {one.number} {one.name}"
            return plain_tip(f"{name}: {say_palette(self._show(), one)}{miss}")
        if role == Qt.ItemDataRole.UserRole:
            return one
        return None

    def take(self, palettes: Sequence[Palette]) -> None:
        if list(palettes) != self.palettes:
            self.beginResetModel()
            self.palettes = list(palettes)
            self.endResetModel()

    def take_missing(self, missing: Mapping[str, int]) -> None:
        mine = {p.id for p in self.palettes}
        now = {i: count for i, count in missing.items() if i in mine}
        if now != self.missing:
            self.missing = now
            self.dataChanged.emit(self.index(0, 0), self.index(max(0, len(mine) - 1), 0))

    def row_of(self, palette_id: str) -> int:
        return next((i for i, p in enumerate(self.palettes) if p.id == palette_id), -1)


class _Painter(PaintedItems):
    def __init__(self, stage: Callable[[], StageOutline]) -> None:
        super().__init__()
        self._stage = stage

    def sizeHint(self, option: QStyleOptionViewItem, index: Index) -> QSize:
        view: Any = option.widget
        return QSize(view.wide if view is not None else LEAST, HIGH)

    def draw(self, p: QPainter, option: QStyleOptionViewItem, index: Index) -> None:
        given: Any = option
        one = index.data(Qt.ItemDataRole.UserRole)
        box = QRectF(given.rect).adjusted(2, 2, -2, -2)
        chosen = bool(given.state & QStyle.StateFlag.State_Selected)
        p.save()
        p.fillRect(box, theme.color("select_row" if chosen else "shelf"))
        picture = QRectF(box.x() + 1, box.y() + 1, box.width() - 2, PICTURE)
        paint_palette(p, picture, one, self._stage())
        p.fillRect(QRectF(picture.x(), picture.bottom(), picture.width(), 1), theme.color("line"))
        y = box.y() + PICTURE + 3
        mono = font("caption", 500, mono=True)
        number = QRectF(picture.x(), picture.y(), advance(mono, str(one.number)) + 7, 16)
        p.fillRect(number, theme.color("abyss", 0.8))
        paint.text(p, number.x() + 3, number.y() - 1, str(one.number), mono, "text", height=17)
        short = getattr(index.model(), "missing", {}).get(one.id, 0)
        tag = advance(mono, str(short)) + 5 if short else 0.0
        paint.text(
            p,
            box.x() + 5,
            y,
            one.name,
            font("caption", 600 if chosen else 500),
            "text",
            width=box.width() - 8 - tag,
            height=18,
        )
        if short:  # how many of the selected units cannot
            paint.text(p, box.right() - tag, y, str(short), mono, "ochre", height=18)
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.setPen(pen("coral" if chosen else "line", 1.4 if chosen else 1))
        p.drawRect(box)
        p.restore()


class SwatchList(QListView):
    """Enter or a double click uses one."""

    used = Signal()
    named = Signal()

    def __init__(self, kind: str, show: Callable[[], Show], stage: Callable[[], StageOutline]):
        super().__init__()
        self.kind, self.wide = kind, LEAST
        self.swatches = Swatches(show)
        self.setModel(self.swatches)
        self._painter = _Painter(stage)
        self.setItemDelegate(self._painter)
        self.setObjectName(f"{kind} palettes")
        self.setAccessibleName(f"{kind.capitalize()} palettes")
        self.setViewMode(QListView.ViewMode.IconMode)
        self.setMovement(QListView.Movement.Static)
        self.setResizeMode(QListView.ResizeMode.Adjust)
        self.setUniformItemSizes(True)
        self.setTabKeyNavigation(False)
        self.setVerticalScrollMode(QListView.ScrollMode.ScrollPerPixel)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setMinimumHeight(HIGH + 6)
        self.activated.connect(lambda _: self.used.emit())

    def resizeEvent(self, event: QResizeEvent) -> None:
        room = self.width() - self.verticalScrollBar().sizeHint().width() - 2
        self.wide = room // max(1, room // LEAST)
        self.scheduleDelayedItemsLayout()
        super().resizeEvent(event)

    def palette_here(self) -> Palette | None:
        row = self.currentIndex().row()
        return self.swatches.palettes[row] if 0 <= row < len(self.swatches.palettes) else None

    def choose(self, palette_id: str) -> bool:
        row = self.swatches.row_of(palette_id)
        if row >= 0:
            self.setCurrentIndex(self.swatches.index(row, 0))
        return row >= 0

    def let_go(self) -> None:
        self.selectionModel().clear()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_F2:
            self.named.emit()
        else:
            super().keyPressEvent(event)
