"""A stretch of one universe as a picture: spans by unit, those that move marked, the clash
hatched.
"""

from __future__ import annotations

from collections.abc import Iterable

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QPainter, QPaintEvent
from PySide6.QtWidgets import QSizePolicy, QWidget

from isthmus.app.kit import paint
from isthmus.app.kit.painted import Painted
from isthmus.app.kit.theme import font, pen, theme
from isthmus.patch.index import index_of
from isthmus.patch.spans import Span
from isthmus.show import write_address
from isthmus.show.records import SLOTS, Show

ROW = 44


class Strips(Painted, QWidget):
    """Stretches of universes, one under the other, before and after an edit."""

    def __init__(self) -> None:
        super().__init__()
        self.rows: list[tuple[str, int, int, int, list[Span], frozenset[str]]] = []
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        theme.changed.connect(self.update)

    def compare(
        self, before: Show, after: Show | None, moved: Iterable[str], most: int = 3
    ) -> None:
        """The universes in which these units are, before and after."""
        ids = frozenset(moved)
        shows = [("now", before)] + ([("then", after)] if after is not None else [])
        spans = {words: index_of(show) for words, show in shows}
        touched = sorted(
            {s.universe for index in spans.values() for u in ids for s in index.spans.get(u, ())}
        )
        self.rows = []
        for universe in touched[:most]:
            here = [
                s
                for index in spans.values()
                for u in ids
                for s in index.spans.get(u, ())
                if s.universe == universe
            ]
            first = max(1, min(s.start for s in here) - 12)
            last = min(SLOTS, max(s.end for s in here) + 12)
            for words, _ in shows:
                inside = [
                    s
                    for s in spans[words].universe(universe).spans
                    if s.end >= first and s.start <= last
                ]
                self.rows.append((words, universe, first, last, inside, ids))
        self.setFixedHeight(max(1, len(self.rows)) * ROW)
        self.update()

    def draw(self, p: QPainter, event: QPaintEvent) -> None:
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        left = 92
        for at, (words, universe, first, last, spans, ids) in enumerate(self.rows):
            y = at * ROW
            k = (self.width() - left) / max(1, last - first + 1)
            paint.text(p, 0, y + 14, words, font("caption", 500), "text2", height=20)
            paint.text(
                p,
                36,
                y + 14,
                write_address(universe, first),
                font("caption", mono=True),
                "text3",
                height=20,
            )
            p.fillRect(QRectF(left, y + 14, self.width() - left, 20), theme.color("water2"))
            p.fillRect(QRectF(left, y + 13, self.width() - left, 1), theme.color("line_strong"))
            for index, span in enumerate(spans):
                x = left + (max(span.start, first) - first) * k
                r = QRectF(x, y + 14, (min(span.end, last) - max(span.start, first) + 1) * k, 20)
                mine = span.unit in ids
                p.setBrush(
                    theme.color("select_row")
                    if mine
                    else theme.universe(universe, "fill_b" if index % 2 else "fill_a")
                )
                p.setPen(pen("coral" if mine else theme.universe(universe), 1.3 if mine else 1))
                p.drawRect(r.adjusted(0.5, 0.5, -0.5, -0.5))
                if r.width() > 20:
                    face = font("caption", 600 if mine else 500, mono=True)
                    paint.text(
                        p, r.x(), r.y(), str(span.number), face, "text", paint.CENTER, r.width(), 20
                    )
            for a, b in _claimed_twice(spans, first, last):
                r = QRectF(left + (a - first) * k, y + 14, max(3.0, (b - a + 1) * k), 20)
                p.save()
                p.setClipRect(r)
                p.setPen(pen("fault", 1.5))
                for x in range(int(r.x()) - 20, int(r.right()) + 20, 5):
                    p.drawLine(QPointF(x, r.bottom()), QPointF(x + 20, r.top()))
                p.restore()
                p.setBrush(Qt.BrushStyle.NoBrush)
                p.setPen(pen("fault", 1.3))
                p.drawRect(r.adjusted(0.5, 0.5, -0.5, -0.5))


def _claimed_twice(spans: list[Span], first: int, last: int) -> list[tuple[int, int]]:
    found = []
    for i, a in enumerate(spans):
        for b in spans[i + 1 :]:
            low, high = max(a.start, b.start, first), min(a.end, b.end, last)
            if low <= high:
                found.append((low, high))
    return found
