"""The times of a cue as a picture: what rises, what falls, what moves, and when the next goes."""

from __future__ import annotations

import math
from collections.abc import Callable

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QWidget

from isthmus.app.kit import paint
from isthmus.app.kit.painted import Painted
from isthmus.app.kit.theme import font, pen, theme
from isthmus.looks.cue_edits import say_seconds
from isthmus.looks.programme import Timing

HEAD, FOOT, SIDE = 24, 20, 10
LINES = {
    "Up": ("text", 2, Qt.PenStyle.SolidLine),
    "Down": ("text2", 2, Qt.PenStyle.SolidLine),
    "Move": ("text2", 1, Qt.PenStyle.DashLine),
    "Follow": ("text", 2, Qt.PenStyle.DotLine),
}


class FadePicture(Painted, QWidget):
    def __init__(self) -> None:
        super().__init__()
        self.timing: Timing | None = None
        self.gone = math.nan  # seconds since its Go, while it runs
        self.setObjectName("fade picture")
        self.setAccessibleName("Times of the cue")
        self.setMinimumHeight(96)
        theme.changed.connect(self.update)

    def take(self, timing: Timing | None, gone: float = math.nan) -> None:
        if (timing, gone) != (self.timing, self.gone):
            self.timing, self.gone = timing, gone
            self.update()

    def draw(self, p: QPainter, event: QPaintEvent) -> None:
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        timing = self.timing
        if timing is None:
            paint.text(p, SIDE, 6, "No cue selected", font("caption"), "text2")
            return
        follow = 0.0 if math.isnan(timing.follow) else timing.follow
        whole = max(1.0, timing.whole + follow)
        box = QRectF(self.rect()).adjusted(SIDE, HEAD, -SIDE, -FOOT)

        def x(seconds: float) -> float:
            return box.left() + box.width() * min(1.0, seconds / whole)

        p.setPen(pen("line"))
        p.drawLine(box.bottomLeft(), box.bottomRight())
        self._marks(p, box, whole, x)
        for name, rises in (("Move", True), ("Down", False), ("Up", True)):
            seconds = getattr(timing, name.lower())
            p.setPen(_line(name))
            low, high = (box.bottom(), box.top()) if rises else (box.top(), box.bottom())
            begin, end = x(timing.delay), x(timing.delay + seconds)
            p.drawPolyline(
                [
                    QPointF(box.left(), low),
                    QPointF(begin, low),
                    QPointF(end, high),
                    QPointF(box.right(), high),
                ]
            )
        if not math.isnan(timing.follow):
            p.setPen(_line("Follow"))
            p.drawLine(QPointF(x(whole), box.top() - 4), QPointF(x(whole), box.bottom()))
        if not math.isnan(self.gone) and self.gone < whole:
            p.setPen(QPen(theme.color("coral"), 1))
            p.drawLine(QPointF(x(self.gone), box.top() - 4), QPointF(x(self.gone), box.bottom()))
        self._key(p)

    def _marks(self, p: QPainter, box: QRectF, whole: float, x: Callable[[float], float]) -> None:
        """Seconds below, not closer than words need."""
        step = next((s for s in (0.5, 1, 2, 5, 10, 30, 60, 300, 900) if whole / s <= 8), 1800)
        before = -math.inf
        for n in range(int(whole / step) + 1):
            at = x(n * step)
            p.setPen(pen("line"))
            p.drawLine(QPointF(at, box.bottom()), QPointF(at, box.bottom() + 3))
            words = f"{say_seconds(n * step) or '0'} s"
            left = min(at, box.right() - 24)
            if left < before + 34:
                break  # it would run into the words before it
            before = left
            paint.text(p, left, box.bottom() + 1, words, font("caption"), "text2")

    def _key(self, p: QPainter) -> None:
        at = float(SIDE)
        for words in LINES:
            if words == "Follow" and self.timing and math.isnan(self.timing.follow):
                continue
            p.setPen(_line(words))
            p.drawLine(QPointF(at, 8), QPointF(at + 14, 8))
            at += 26 + paint.text(p, at + 18, -2, words, font("caption"), "text2")


def _line(name: str) -> QPen:
    colour, width, style = LINES[name]
    line = QPen(theme.color(colour), width)
    line.setStyle(style)
    return line
