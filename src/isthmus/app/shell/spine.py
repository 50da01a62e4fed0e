"""The spine: the pages as a plotted course from the Paper coast to the Rig coast."""

from __future__ import annotations

import itertools
from collections import Counter
from collections.abc import Callable, Sequence

from PySide6.QtCore import QEvent, QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPainterPath, QPaintEvent, QPen
from PySide6.QtWidgets import QWidget

from isthmus.app.kit import paint
from isthmus.app.kit.painted import Painted
from isthmus.app.kit.theme import LINE, SIZE, advance, font, pen, theme
from isthmus.app.kit.widgets import bind
from isthmus.app.model.workbench import Workbench
from isthmus.app.pages.base import Entry
from isthmus.snags import ORDER

COAST = 30


class Spine(Painted, QWidget):
    go = Signal(str)

    def __init__(
        self,
        bench: Workbench,
        entries: Sequence[Entry],
        foot: Callable[[], list[tuple[str, str, bool]]],
    ) -> None:
        super().__init__()
        self.bench, self._foot = bench, foot
        self.entries = {e.title: e for e in entries}
        self.titles = tuple(self.entries)
        self.course = [e.title for e in entries[1:] if e.course]
        self.current = self.titles[0]
        self._over = ""
        self._snags: dict[str, tuple[int, str]] = {}  # by page: how many, and the worst
        self.setFixedWidth(SIZE["spine"])
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setAccessibleName("Pages")
        self.setObjectName("spine")
        bind(bench.changed, self, self.update)
        bind(bench.known.concluded_changed, self, self.update)
        bind(bench.known.network_changed, self, self.update)
        theme.changed.connect(self.update)

    def set_current(self, name: str) -> None:
        self.current = name
        self.update()

    def places(self) -> dict[str, QRectF]:
        """Where each page's row is; rows close up when the window is low."""
        room = self.height() - 10 - 2 * COAST - 54
        high = max(40.0, min(float(SIZE["spine_item"]), room / len(self.titles)))
        found, y = {}, 10.0
        for i, name in enumerate(self.titles):
            if i in (1, 1 + len(self.course)):
                y += COAST
            found[name] = QRectF(0, y, self.width() - 1, high)
            y += high
        return found

    def fraction(self, name: str) -> float:
        crossing = self.bench.known.crossing
        if not crossing.total:
            return 0.0
        step = self.entries[name].step
        return (
            crossing.done[step] if step else sum(crossing.done.values()) / len(crossing.done)
        ) / crossing.total

    # ------------------------------------------------------------ hands

    def _at(self, point: QPointF) -> str:
        return next((name for name, r in self.places().items() if r.contains(point)), "")

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if name := self._at(event.position()):
            self.go.emit(name)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        self._over = self._at(event.position())
        self.setCursor(
            Qt.CursorShape.PointingHandCursor if self._over else Qt.CursorShape.ArrowCursor
        )
        self.update()

    def leaveEvent(self, event: QEvent) -> None:
        self._over = ""
        self.update()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        step = {Qt.Key.Key_Down: 1, Qt.Key.Key_Up: -1}.get(Qt.Key(event.key()))
        if step:
            self.go.emit(self.titles[(self.titles.index(self.current) + step) % len(self.titles)])
        else:
            super().keyPressEvent(event)

    # ------------------------------------------------------------ paint

    def draw(self, p: QPainter, event: QPaintEvent) -> None:
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.fillRect(self.rect(), theme.color("abyss"))
        p.fillRect(QRectF(self.width() - 1, 0, 1, self.height()), theme.color("line"))
        self._snags.clear()
        counts = Counter((snag.page, snag.severity) for snag in self.bench.known.snags)
        for (page, severity), count in counts.items():
            many, worst = self._snags.get(page, (0, severity))
            self._snags[page] = many + count, min(worst, severity, key=ORDER.__getitem__)
        places = self.places()
        first, last = places[self.course[0]], places[self.course[-1]]
        self._coast(p, first.top() - 15, "PAPER", 1)
        self._coast(p, last.bottom() + 16, "RIG", -1)
        x = 32.0
        for a, b in itertools.pairwise(self.course):
            done = self.fraction(a) >= 1
            p.setPen(pen("teal", 1.4) if done else pen("line_strong", 1.3, Qt.PenStyle.DotLine))
            p.drawLine(
                QPointF(x, places[a].center().y() + 17), QPointF(x, places[b].center().y() - 17)
            )
        p.setPen(pen("line_strong", 1.3, Qt.PenStyle.DotLine))
        p.drawLine(QPointF(x, first.top() - 12), QPointF(x, first.center().y() - 17))
        p.drawLine(QPointF(x, last.center().y() + 17), QPointF(x, last.bottom() + 14))
        for name, r in places.items():
            self._item(p, name, r, x)
        y = self.height() - 48
        for words, value, italic in self._foot():
            paint.text(p, 18, y, words, font("caption", italic=italic), "text3")
            paint.text(
                p,
                76,
                y,
                value,
                font("caption", mono=True, italic=italic),
                "text2",
                width=self.width() - 84,
            )
            y += 19
        if self.hasFocus():
            p.setBrush(Qt.BrushStyle.NoBrush)
            p.setPen(pen("focus", 1.5))
            p.drawRoundedRect(places[self.current].adjusted(5, 5, -3, -5), 3, 3)

    def _item(self, p: QPainter, name: str, r: QRectF, x: float) -> None:
        told = self.entries[name].told
        current, cy = name == self.current, r.center().y()
        fraction = self.fraction(name) if told is None else 0.0
        if current:
            p.fillRect(r.adjusted(0, 4, 0, -4), theme.color("shelf"))
            p.fillRect(
                QRectF(0, r.top() + 4, LINE["select_bar"], r.height() - 8), theme.color("coral")
            )
        elif name == self._over:
            p.fillRect(r.adjusted(0, 4, 0, -4), theme.color("hover_row"))
        paint.ring(p, x, cy, SIZE["ring"] / 2, fraction)
        if current:
            p.setPen(Qt.PenStyle.NoPen)
            p.setBrush(theme.color("coral"))
            p.drawEllipse(QPointF(x, cy), 11.6, 11.6)
        color: QColor = theme.color("on_coral" if current else "text" if fraction < 1 else "teal")
        paint.glyph(p, self.entries[name].glyph, x, cy, color, 0.92)
        paint.text(p, 58, cy - 19, name, font("body", 600 if current else 500), "text", height=20)
        words = f"{fraction * 100:.0f} %" if fraction else "not yet"
        if told is not None:
            words = told(self.bench.show)
        many, worst = self._snags.get(name, (0, ""))
        paint.text(
            p,
            58,
            cy,
            words,
            font("caption", mono=bool(fraction)),
            "text2" if fraction else "text3",
            width=46 if many else self.width() - 66,
            height=18,
        )
        if many:
            paint.severity(p, worst, 112, cy + 9, 5.2)
            paint.text(p, 121, cy, str(many), font("caption", 500, mono=True), "text", height=18)

    def _coast(self, p: QPainter, y: float, words: str, side: int) -> None:
        wide = self.width() - 1
        path = QPainterPath(QPointF(0, y))
        points = [
            (0, 0),
            (18, 2.5),
            (34, -1.5),
            (58, 1.8),
            (84, -2.2),
            (112, 1.6),
            (136, -1),
            (wide, 1),
        ]
        for a, b in itertools.pairwise(points):
            middle = (a[0] + b[0]) / 2
            path.cubicTo(middle, y + a[1], middle, y + b[1], b[0], y + b[1])
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.setPen(pen("land_edge", 1.2))
        p.drawPath(path)
        for offset, alpha in ((4, 0.55), (8, 0.28)):
            p.setPen(QPen(theme.color("land_edge", alpha), 1))
            p.drawPath(path.translated(0, offset * side))
        f = font(10, 600, track=1.6)
        k = advance(f, words)
        p.fillRect(QRectF(wide - k - 16, y - 8, k + 8, 18), theme.color("abyss"))
        paint.text(p, wide - k - 12, y - 8, words, f, "text2", height=17)
