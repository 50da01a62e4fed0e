"""Layers of a set as strips, the frontmost on top, each with its picture as it moves now."""

from __future__ import annotations

import time
from collections.abc import Callable

import numpy as np
from PySide6.QtCore import QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QDropEvent, QImage, QKeyEvent, QPainter
from PySide6.QtWidgets import QAbstractItemView, QListWidget, QListWidgetItem, QStyleOptionViewItem

from isthmus.app.kit import paint
from isthmus.app.kit.painted import PaintedItems
from isthmus.app.kit.theme import font, pen, theme
from isthmus.app.kit.widgets import bind, while_seen
from isthmus.pixels.fields import said
from isthmus.pixels.plans import LayerPlan
from isthmus.profiles.colour import encode_srgb
from isthmus.show.records import LayerSet, PictureLayer

HEIGHT, WIDE = 54, 84  # pixels of a strip, and of its picture
TICK_MS = 100  # between two looks at what moves


def picture_of(plan: LayerPlan, seconds: float) -> QImage:
    """What a layer shows now, its own picture whole, over nothing."""
    raster = plan.source.at(plan.clock.at(seconds))
    if len(raster) == 1:
        rgb = raster.T * plan.colour[:3] + (1 - raster.T) * plan.behind[:3]
    else:
        rgb = np.maximum(raster[:3].T @ plan.turn, 0)
    wide, high = plan.source.size
    codes = np.zeros((high * wide, 4), np.uint8)
    codes[:, :3] = 255 * encode_srgb(np.asarray(rgb, np.float64)) + 0.5
    codes[:, 3] = 255
    data = np.ascontiguousarray(codes).tobytes()
    return QImage(data, wide, high, 4 * wide, QImage.Format.Format_RGBA8888).copy()


class Strips(QListWidget):
    """`plan_of` gives a layer made ready, None when it cannot be shown. The list is drawn from
    front to back; `moved` says a layer and its new place from back to front.
    """

    moved = Signal(str, int)
    flipped = Signal(str)  # shown or hidden

    def __init__(self, plan_of: Callable[[PictureLayer], LayerPlan | None]) -> None:
        super().__init__()
        self.plan_of = plan_of
        self.layers: dict[str, PictureLayer] = {}
        self.setObjectName("layers")
        self.setAccessibleName("Layers, the frontmost on top; Alt and the arrows move one")
        self.setDragDropMode(QAbstractItemView.DragDropMode.InternalMove)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setItemDelegate(_Painter(self))
        while_seen(self, TICK_MS, self.viewport().update)
        bind(theme.changed, self, self.viewport().update)

    def take(self, one: LayerSet | None) -> None:
        """Another set, or the same one changed; the current layer stays so."""
        layers = list(reversed(one.layers)) if one else []
        self.layers = {layer.id: layer for layer in layers}
        ids = [layer.id for layer in layers]
        if ids != self.ids():
            here, row = self.layer_here(), self.currentRow()
            self.blockSignals(True)
            self.clear()
            for layer in layers:
                item = QListWidgetItem(said(layer))
                item.setData(Qt.ItemDataRole.UserRole, layer.id)
                self.addItem(item)
            at = ids.index(here) if here in ids else min(max(0, row), len(ids) - 1)
            self.setCurrentRow(at)
            self.blockSignals(False)
            self.currentItemChanged.emit(self.currentItem(), None)
        for row, layer in enumerate(layers):
            self.item(row).setText(said(layer))
        self.viewport().update()

    def ids(self) -> list[str]:
        """From front to back."""
        return [self.item(i).data(Qt.ItemDataRole.UserRole) for i in range(self.count())]

    def layer_here(self) -> str:
        item = self.currentItem()
        return item.data(Qt.ItemDataRole.UserRole) if item else ""

    def choose(self, layer_id: str) -> None:
        if layer_id in self.ids():
            self.setCurrentRow(self.ids().index(layer_id))

    def dropEvent(self, event: QDropEvent) -> None:
        """A strip dragged to another place."""
        layer = self.layer_here()
        super().dropEvent(event)
        if layer in self.ids():
            self.moved.emit(layer, self.count() - 1 - self.ids().index(layer))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        step = {Qt.Key.Key_Up: 1, Qt.Key.Key_Down: -1}.get(Qt.Key(event.key()))
        if step and event.modifiers() & Qt.KeyboardModifier.AltModifier and self.layer_here():
            at = self.count() - 1 - self.currentRow()
            self.moved.emit(self.layer_here(), max(0, min(self.count() - 1, at + step)))
        elif event.key() == Qt.Key.Key_Space and self.layer_here():
            self.flipped.emit(self.layer_here())
        else:
            super().keyPressEvent(event)


class _Painter(PaintedItems):
    def __init__(self, strips: Strips) -> None:
        super().__init__(strips)
        self.strips = strips

    def sizeHint(self, option, index) -> QSize:
        return QSize(100, HEIGHT)

    def draw(self, p: QPainter, option: QStyleOptionViewItem, index) -> None:
        layer = self.strips.layers.get(index.data(Qt.ItemDataRole.UserRole))
        if layer is None:
            return
        box = QRectF(option.rect)  # type: ignore[attr-defined]
        here = self.strips.layer_here() == layer.id
        p.save()
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.fillRect(box.adjusted(0, 0, 0, -2), theme.color("shelf" if here else "abyss"))
        if here:
            p.fillRect(QRectF(box.left(), box.top(), 3, box.height() - 2), theme.color("coral"))
        shown = QRectF(box.left() + 8, box.top() + 6, WIDE, HEIGHT - 14)
        self._picture(p, shown, layer)
        left, wide = shown.right() + 8, box.right() - shown.right() - 12
        ink = "text" if layer.on else "text2"
        paint.text(
            p, left, box.top() + 6, said(layer), font("table", 600), ink, width=wide, height=20
        )
        told = f"{100 * layer.level:.0f} %  {layer.blend}" if layer.on else "hidden"
        paint.text(p, left, box.top() + 26, told, font("caption"), "text2", width=wide, height=18)
        p.restore()

    def _picture(self, p: QPainter, box: QRectF, layer: PictureLayer) -> None:
        p.fillRect(box, QColor(0, 0, 0))
        plan = self.strips.plan_of(layer)
        if plan is None:
            paint.text(
                p, box.left(), box.top(), "missing", font("caption"), "ochre",
                width=box.width(), height=box.height(), align=Qt.AlignmentFlag.AlignCenter,
            )  # fmt: skip
        else:
            p.setOpacity(1.0 if layer.on else 0.35)
            p.drawImage(box, picture_of(plan, time.monotonic() % 3600))
            p.setOpacity(1.0)
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.setPen(pen("line_strong"))
        p.drawRect(box)
