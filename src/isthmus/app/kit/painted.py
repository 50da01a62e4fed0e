"""What is drawn by hand, so that a fault in it never brings the window down: the painter is ended
whatever happens, the place says that it cannot be drawn, and the crash path hears of it once.
"""

from __future__ import annotations

import contextlib
import sys
from collections.abc import Iterator
from typing import Any

from PySide6.QtCore import QModelIndex, QPersistentModelIndex, QRect, QRectF
from PySide6.QtGui import QColor, QPaintDevice, QPainter, QPaintEvent
from PySide6.QtWidgets import QStyledItemDelegate, QStyleOptionViewItem, QWidget

from isthmus.app.kit.theme import font, theme

Index = QModelIndex | QPersistentModelIndex
_told: set[tuple[str, str, int]] = set()  # of which class, and where; once in this process


def cannot_be_drawn(p: QPainter, room: QRect | QRectF, of: object, error: Exception) -> None:
    """Say so in its place, and tell the crash path the first time."""
    p.resetTransform()
    p.setClipping(False)
    p.setOpacity(1.0)
    p.fillRect(room, theme.color("deep"))
    p.setFont(font("caption", italic=True))
    p.setPen(QColor(theme.color("text2")))
    p.drawText(QRectF(room).adjusted(8, 4, -8, -4), "This cannot be drawn.")
    trace = error.__traceback__
    while trace is not None and trace.tb_next is not None:
        trace = trace.tb_next
    line = trace.tb_lineno if trace else 0
    where = (type(of).__name__, type(error).__name__, line)
    if where not in _told:
        _told.add(where)
        sys.excepthook(type(error), error, error.__traceback__)


@contextlib.contextmanager
def painter_on(device: QPaintDevice) -> Iterator[QPainter]:
    """A painter that is ended whatever happens: no picture may go while one is at work on it."""
    p = QPainter(device)
    try:
        yield p
    finally:
        p.end()


class Painted:
    """Stands before the Qt class of a widget that draws itself with `draw`, over what that class
    draws.
    """

    def draw(self, p: QPainter, event: QPaintEvent) -> None:
        raise NotImplementedError

    def paintEvent(self: Any, event: QPaintEvent) -> None:
        super().paintEvent(event)  # type: ignore[misc]
        on: QWidget = self.viewport() if hasattr(self, "viewport") else self
        with painter_on(on) as p:
            try:
                self.draw(p, event)
            except Exception as error:
                cannot_be_drawn(p, on.rect(), self, error)


class PaintedItems(QStyledItemDelegate):
    """Draws the cells of a table or list with `draw`."""

    def draw(self, p: QPainter, option: QStyleOptionViewItem, index: Index) -> None:
        raise NotImplementedError

    def usual(self, p: QPainter, option: QStyleOptionViewItem, index: Index) -> None:
        """As a plain table draws it."""
        super().paint(p, option, index)

    def paint(self, p: QPainter, option: QStyleOptionViewItem, index: Index) -> None:
        p.save()
        try:
            self.draw(p, option, index)
        except Exception as error:
            cannot_be_drawn(p, option.rect, self, error)  # type: ignore[attr-defined]
        finally:
            p.restore()
