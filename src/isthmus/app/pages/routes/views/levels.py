"""512 slots as a picture: 16 rows of 32, each with its level; what differs from ours is marked."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QEvent, QPointF, QRectF
from PySide6.QtGui import QHelpEvent, QPainter, QPaintEvent
from PySide6.QtWidgets import QToolTip, QWidget

from isthmus.app.kit import paint
from isthmus.app.kit.painted import Painted
from isthmus.app.kit.theme import font, theme

COLUMNS, ROWS, LEFT, TOP = 32, 16, 30, 16


class Levels(Painted, QWidget):
    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("levels")
        self.setAccessibleName("Levels of 512 slots")
        self.setMinimumSize(380, 180)
        self._levels: NDArray[np.uint8] = np.zeros(512, np.uint8)
        self._differ: NDArray[np.bool_] | None = None
        self._length = 0
        theme.changed.connect(self.update)

    def take(
        self, levels: NDArray[np.uint8], differ: NDArray[np.bool_] | None, length: int
    ) -> None:
        """`differ` marks slots that are not what we send; `length` is how many slots the sender
        sends.
        """
        same = np.array_equal(levels, self._levels) and length == self._length
        if same and (
            differ is self._differ
            or (
                differ is not None
                and self._differ is not None
                and np.array_equal(differ, self._differ)
            )
        ):
            return
        self._levels, self._differ, self._length = levels, differ, length
        self.update()

    def _cell(self, slot: int) -> QRectF:
        w, h = (self.width() - LEFT) / COLUMNS, (self.height() - TOP) / ROWS
        return QRectF(LEFT + slot % COLUMNS * w, TOP + slot // COLUMNS * h, w - 1, h - 1)

    def slot_at(self, at: QPointF) -> int | None:
        w, h = (self.width() - LEFT) / COLUMNS, (self.height() - TOP) / ROWS
        x, y = int((at.x() - LEFT) // w), int((at.y() - TOP) // h)
        return y * COLUMNS + x if 0 <= x < COLUMNS and 0 <= y < ROWS else None

    def event(self, event: QEvent) -> bool:
        if isinstance(event, QHelpEvent):
            slot = self.slot_at(QPointF(event.pos()))
            if slot is not None:
                level = int(self._levels[slot])
                QToolTip.showText(
                    event.globalPos(), f"Slot {slot + 1}: {level}, {level / 2.55:.0f} %", self
                )
                return True
        return super().event(event)

    def draw(self, p: QPainter, event: QPaintEvent) -> None:
        p.fillRect(self.rect(), theme.color("deep"))
        cell = self._cell(0)
        figures = cell.width() >= 17 and cell.height() >= 11
        for row in range(ROWS):
            first = self._cell(row * COLUMNS)
            paint.text(
                p,
                0,
                first.y(),
                str(row * COLUMNS + 1),
                font(10, mono=True),
                "text3",
                paint.RIGHT,
                LEFT - 6,
                first.height(),
            )
        for column in range(0, COLUMNS, 4):
            paint.text(
                p,
                self._cell(column).x(),
                0,
                f"+{column}",
                font(10, mono=True),
                "text3",
                height=TOP - 2,
            )
        ground, bar = theme.color("shoal"), theme.color("contour")
        for slot, level in enumerate(self._levels.tolist()):
            box = self._cell(slot)
            p.fillRect(box, ground if slot < self._length else theme.color("abyss"))
            if level:
                tall = box.height() * level / 255
                p.fillRect(QRectF(box.x(), box.bottom() - tall, box.width(), tall), bar)
                if figures:
                    where = (
                        box.x(),
                        box.y(),
                        str(level),
                        font(10, mono=True, italic=True),
                        "text",
                        paint.CENTER,
                        box.width(),
                        box.height(),
                    )
                    paint.text(p, *where)
            if self._differ is not None and self._differ[slot]:
                p.fillRect(QRectF(box.right() - 5, box.y(), 5, 3), theme.color("ochre"))
