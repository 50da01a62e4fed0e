"""What changes from moment to moment on a sheet: light, choice, call, verdicts, previews. Painted
over the still layer.
"""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPolygonF

from isthmus.app.canvas import drawing
from isthmus.app.canvas.overlay import marks, tag
from isthmus.app.canvas.symbols import symbol
from isthmus.app.kit import paint
from isthmus.app.kit.theme import font, pen, theme
from isthmus.profiles.colour import encode_srgb

if TYPE_CHECKING:
    from isthmus.app.canvas.plan_canvas import PlanCanvas

SMALL = 24.0  # pixels a metre, below which units are too close for a mark each
NAMED = 60  # so many selected carry their place in the order and their number
VERDICTS = {"works": "ok", "wrong": "attention", "silent": "fault"}
_HALO = ((2.0, 0.10), (1.4, 0.16), (0.95, 0.22))


class Moment:
    """One painting of a canvas."""

    def __init__(self, canvas: PlanCanvas, p: QPainter) -> None:
        self.canvas, self.p, self.bench = canvas, p, canvas.bench
        self.laid, self.port = canvas.laid, canvas.port
        self.px = self.laid.px(self.port)
        self.held = [i for i in self.bench.selection.ids if i in self.laid.row]
        self._in_hand = set(self.held)
        self._moved = np.array(canvas.hands.dragged or (0.0, 0.0)) * [
            self.port.scale,
            -self.port.scale,
        ]

    def place(self, unit: str) -> QPointF:
        """Where a unit is shown now: previewed, dragged, or at rest."""
        if unit in self.canvas.preview:
            return self.port.to_px(*self.canvas.preview[unit])
        at = self.px[self.laid.row[unit]]
        return QPointF(*(at + self._moved if unit in self._in_hand else at))

    def units(self) -> None:
        p, canvas, rows = self.p, self.canvas, self.laid.row
        glow = self.bench.levels.live.glow()
        faded = {u for u in rows if u not in canvas.shown} if canvas.shown is not None else set()
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(theme.color("text3", 0.5))
        for unit in faded - self._in_hand:
            p.drawEllipse(QPointF(*self.px[rows[unit]]), 1.6, 1.6)
        if canvas.hands.dragged or canvas.preview:
            self._ghosts()
        for unit in (*glow, *(i for i in self.held if i not in glow)):
            if unit in rows and (unit not in faded or unit in self._in_hand):
                self._unit(unit, glow.get(unit))
        self._verdicts(
            {
                v.unit: v.result
                for v in self.bench.show.verdicts
                if v.unit in rows and v.unit not in faded
            }
        )
        called = self.bench.session.call.unit if self.bench.session.call else None
        if called in rows:
            p.setBrush(Qt.BrushStyle.NoBrush)
            p.setPen(pen("coral", 2))
            for radius in (17, 21):
                p.drawEllipse(QPointF(*self.px[rows[called]]), radius, radius)
        self._order()

    def _verdicts(self, results: dict[str, str]) -> None:
        """A mark beside each unit; where all is small those that answer shrink to a dot, and leave
        the numbers to be read.
        """
        p, small = self.p, self.port.scale < SMALL
        for unit, result in sorted(results.items(), key=lambda pair: pair[1] != "works"):
            if result in VERDICTS:
                x, y = map(float, self.px[self.laid.row[unit]])
                if small and result == "works":
                    p.setPen(Qt.PenStyle.NoPen)
                    p.setBrush(theme.color("teal"))
                    p.drawEllipse(QPointF(x + 6, y - 6), 2.2, 2.2)
                else:
                    paint.severity(p, VERDICTS[result], x + 9, y - 9, 4.6)

    def _unit(self, unit: str, lit: tuple[float, tuple[float, float, float]] | None) -> None:
        """One unit that is lit or selected: its light, its symbol, its level where that is
        written.
        """
        p, d, at = self.p, self.laid.drawn[self.laid.row[unit]], self.place(unit)
        if not (-60 < at.x() < self.port.wide + 60 and -60 < at.y() < self.port.high + 60):
            return
        long, wide = drawing.size_px(d, self.port.scale)
        fill = d.gel
        if lit is not None:
            level, rgb = lit
            color = QColor.fromRgbF(*(float(v) for v in encode_srgb(np.array(rgb))))
            fill = color.name()
            p.setPen(Qt.PenStyle.NoPen)
            reach = max(10.0, min(long, wide))
            for radius, alpha in _HALO if self.canvas.lux is None else ():
                color.setAlphaF(alpha * (0.35 + 0.65 * level))
                p.setBrush(color)
                p.drawEllipse(at, reach * radius, reach * radius)
        ratio = self.canvas.devicePixelRatioF()
        picture = symbol(d.kind, long, wide, d.turn, fill, unit in self._in_hand, ratio)
        half = picture.width() / ratio / 2
        p.drawPixmap(QPointF(at.x() - half, at.y() - half), picture)
        if lit is not None and "level" in self.laid.sheet.labels:
            words = f"{round(100 * lit[0])} %"
            paint.text(
                p,
                at.x() - 20,
                at.y() - min(long, wide) / 2 - 15,
                words,
                font("tick", 500, mono=True),
                "text",
                paint.CENTER,
                40,
                13,
            )

    def _order(self) -> None:
        """Place in the order and number beside what is selected."""
        nth = {u: i for i, u in enumerate(self.bench.selection.ids, 1)}
        found = [
            (self.place(u), nth[u], str(self.laid.drawn[self.laid.row[u]].unit.number))
            for u in self.held
        ]
        if len(found) > NAMED:
            self.p.setPen(pen("abyss", 1))
            self.p.setBrush(theme.color("coral"))
            for at, _, _ in found:
                self.p.drawEllipse(at, 3.0, 3.0)
            return
        words = {nth[u]: text for u, text in self.bench.plan.figures.items() if u in nth}
        marks(self.p, found, words, QRectF(self.canvas.rect()).adjusted(-10, -10, 10, 10))

    def _ghosts(self) -> None:
        """Where the units on the move were."""
        self.p.setPen(pen("line_strong", 1, Qt.PenStyle.DotLine))
        self.p.setBrush(Qt.BrushStyle.NoBrush)
        for unit in self.held:
            if not self.canvas.preview or unit in self.canvas.preview:
                self.p.drawEllipse(QPointF(*self.px[self.laid.row[unit]]), 7, 7)

    def structure_held(self) -> None:
        for one, paths in self.laid.outlines:
            if one.id == self.bench.selection.structure:
                self.p.setPen(pen("coral", 1.8))
                self.p.setBrush(Qt.BrushStyle.NoBrush)
                for path in paths[:2]:
                    shape = QPolygonF([self.port.to_px(x, y) for x, y in path.points])
                    (self.p.drawPolygon if path.closed else self.p.drawPolyline)(shape)

    def guides(self) -> None:
        """What a point came to lie in line with, and how far away."""
        for guide in self.canvas.snapping.guides:
            a, b = self.port.to_px(*guide.start), self.port.to_px(*guide.end)
            self.p.setPen(pen("ochre", 1, Qt.PenStyle.DashLine))
            self.p.drawLine(a, b)
            tag(self.p, (a + b) / 2 + QPointF(6, -9), guide.words, "text")
