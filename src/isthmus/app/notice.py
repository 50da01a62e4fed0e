"""The one place where things are told: a line above the hand controls, put away by Escape, a click or time."""

from __future__ import annotations

from PySide6.QtCore import QRectF, QTimer
from PySide6.QtGui import QMouseEvent, QPainter, QPaintEvent
from PySide6.QtWidgets import QSizePolicy, QWidget

from isthmus.app import paint
from isthmus.app.theme import font, theme

STAYS = {"fault": 0, "attention": 20_000, "note": 5_000, "ok": 8_000}  # ms; 0 until put away


class Notice(QWidget):
    def __init__(self) -> None:
        super().__init__()
        self.severity, self.words = "", ""
        self.setObjectName("notice")
        self.setFixedHeight(30)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.timeout.connect(self.clear)
        theme.changed.connect(self.update)
        self.hide()

    def tell(self, severity: str, words: str) -> None:
        if self.isVisible() and self.severity == "fault" and severity == "note":
            return  # a passing note never covers a fault
        self.severity, self.words = severity, words
        self.setAccessibleName(words)
        self.setToolTip(words)
        self.show()
        self.update()
        self._timer.stop()
        if STAYS.get(severity):
            self._timer.start(STAYS[severity])

    def clear(self) -> None:
        self.hide()
        self.words = ""

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self.clear()

    def paintEvent(self, event: QPaintEvent) -> None:
        p = QPainter(self)
        p.fillRect(self.rect(), theme.color("shelf"))
        p.fillRect(QRectF(0, 0, self.width(), 1), theme.color("line_strong"))
        paint.severity(p, self.severity, 24, self.height() / 2, 6.4)
        paint.text(p, 40, 0, self.words, font("table", 500), "text", width=self.width() - 170, height=self.height())
        if self.severity == "fault":
            paint.text(p, 0, 0, "Esc puts this away", font("caption"), "text3", paint.RIGHT, self.width() - 16, self.height())
