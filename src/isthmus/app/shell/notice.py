"""The one place where things are told: a line above the hand controls, put away by Escape, a click
or time.
"""

from __future__ import annotations

from PySide6.QtCore import QRectF, Qt, QTimer
from PySide6.QtGui import QFontMetricsF, QMouseEvent, QPainter, QPaintEvent, QResizeEvent
from PySide6.QtWidgets import QSizePolicy, QWidget

from isthmus.app.kit import paint
from isthmus.app.kit.painted import Painted
from isthmus.app.kit.theme import font, theme
from isthmus.app.kit.widgets import plain_tip

STAYS = {"fault": 0, "attention": 20_000, "note": 5_000, "ok": 8_000}  # ms; 0 until put away

WRAP = int(Qt.AlignmentFlag.AlignVCenter | Qt.TextFlag.TextWordWrap)


class Notice(Painted, QWidget):
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
        self.setToolTip(plain_tip(words))
        self.show()
        self._fit()
        self.update()
        self._timer.stop()
        if STAYS.get(severity):
            self._timer.start(STAYS[severity])

    def _words_box(self) -> QRectF:
        return QRectF(40, 0, self.width() - 170, self.height())

    def _fit(self) -> None:
        """High enough for a long sentence."""
        room = QRectF(0, 0, max(200, self.width() - 170), 400)
        self.setFixedHeight(
            max(
                30,
                int(QFontMetricsF(font("table", 500)).boundingRect(room, WRAP, self.words).height())
                + 12,
            )
        )

    def resizeEvent(self, event: QResizeEvent) -> None:
        if self.words and event.oldSize().width() != self.width():
            self._fit()

    def clear(self) -> None:
        self.hide()
        self.words = ""

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self.clear()

    def draw(self, p: QPainter, event: QPaintEvent) -> None:
        p.fillRect(self.rect(), theme.color("shelf"))
        p.fillRect(QRectF(0, 0, self.width(), 1), theme.color("line_strong"))
        paint.severity(p, self.severity, 24, self.height() / 2, 6.4)
        p.setFont(font("table", 500))
        p.setPen(theme.color("text"))
        p.drawText(self._words_box(), WRAP, self.words)
        if self.severity == "fault":
            paint.text(
                p,
                0,
                0,
                "Esc closes this",
                font("caption"),
                "text3",
                paint.RIGHT,
                self.width() - 16,
                self.height(),
            )
