"""What changes from moment to moment on a sheet: light, choice, call, verdicts, previews. Painted
over the still layer.
"""

from __future__ import annotations

import math
from functools import lru_cache
from typing import TYPE_CHECKING

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPixmap, QPolygonF

from isthmus.app.canvas import drawing
from isthmus.app.canvas.overlay import ghost, marks, tag
from isthmus.app.canvas.symbols import symbol
from isthmus.app.kit import paint
from isthmus.app.kit.painted import painter_on
from isthmus.app.kit.theme import font, pen, theme
from isthmus.profiles.colour import encode_srgb

if TYPE_CHECKING:
    from isthmus.app.canvas.plan_canvas import PlanCanvas

SMALL = 24.0  # pixels a metre, below which units are too close for a mark each
MARKED = 800  # so many selected are drawn again, as selected
NAMED = 60  # so many selected carry their place in the order and their number
VERDICTS = {"works": "ok", "wrong": "attention", "silent": "fault"}
_HALO = ((2.0, 0.10), (1.4, 0.16), (0.95, 0.22))


@lru_cache(maxsize=512)
def halo(colour: str, level: float, reach: int, ratio: float) -> QPixmap:
    """The light around a unit at a level 0 … 1, `reach` pixels its symbol's half; kept, for it is
    made of wide soft discs.
    """
    side = 2 * math.ceil(reach * max(radius for radius, _ in _HALO)) + 2
    made = QPixmap(round(side * ratio), round(side * ratio))
    made.setDevicePixelRatio(ratio)
    made.fill(Qt.GlobalColor.transparent)
    with painter_on(made) as p:
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.setPen(Qt.PenStyle.NoPen)
        for radius, alpha in _HALO:
            shade = QColor(colour)
            shade.setAlphaF(alpha * (0.35 + 0.65 * level))
            p.setBrush(shade)
            p.drawEllipse(QPointF(side / 2, side / 2), reach * radius, reach * radius)
    return made


@lru_cache(maxsize=8)
def _point(_theme: str, ratio: float) -> QPixmap:
    """The mark of a selected unit among thousands, 8 pixels wide."""
    made = QPixmap(round(8 * ratio), round(8 * ratio))
    made.setDevicePixelRatio(ratio)
    made.fill(Qt.GlobalColor.transparent)
    with painter_on(made) as p:
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.setPen(pen("abyss", 1))
        p.setBrush(theme.color("coral"))
        p.drawEllipse(QPointF(4, 4), 3.0, 3.0)
    return made


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
        glow = (canvas.live or self.bench.levels.live).glow()
        faded = {u for u in rows if u not in canvas.shown} if canvas.shown is not None else set()
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(theme.color("text3", 0.5))
        for unit in faded - self._in_hand:
            p.drawEllipse(QPointF(*self.px[rows[unit]]), 1.6, 1.6)
        if canvas.hands.dragged or canvas.preview:
            self._ghosts()
        # thousands of selected units are told by their marks alone
        held = self.held if len(self.held) <= MARKED else []
        for unit in (*glow, *(i for i in held if i not in glow)):
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
            if self.canvas.lux is None:
                reach = round(max(10.0, min(long, wide)))
                around = halo(fill, round(level, 2), reach, self.canvas.devicePixelRatioF())
                half = around.width() / around.devicePixelRatio() / 2
                p.drawPixmap(QPointF(at.x() - half, at.y() - half), around)
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
        if len(self.held) > MARKED:
            self._points()
            return
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

    def _points(self) -> None:
        """A point at each selected unit, all at once."""
        rows = [self.laid.row[u] for u in self.held if u not in self.canvas.preview]
        at = self.px[rows] + self._moved
        shown = [self.port.to_px(*spot) for spot in self.canvas.preview.values()]
        at = np.concatenate([at, np.array([(s.x(), s.y()) for s in shown]).reshape(-1, 2)])
        # thousands lie on each other: one point for each pixel is enough
        spots = np.unique(np.round(at), axis=0)
        inside = ((spots > -4) & (spots < (self.port.wide + 4, self.port.high + 4))).all(axis=1)
        mark = _point(theme.name, self.canvas.devicePixelRatioF())
        put, half = self.p.drawPixmap, 4.0
        for x, y in spots[inside].tolist():
            put(QPointF(x - half, y - half), mark)

    def _ghosts(self) -> None:
        """Where the units on the move were."""
        self.p.setPen(pen("line_strong", 1, Qt.PenStyle.DotLine))
        self.p.setBrush(Qt.BrushStyle.NoBrush)
        for unit in self.held:
            if not self.canvas.preview or unit in self.canvas.preview:
                self.p.drawEllipse(QPointF(*self.px[self.laid.row[unit]]), 7, 7)

    def haunted(self) -> None:
        """Where units were in another show, with a line to where they are now."""
        ghosts = self.bench.plan.ghosts
        if ghosts is None:
            return
        self.p.setBrush(Qt.BrushStyle.NoBrush)
        for unit, spot in ghosts.points(self.canvas.sheet).items():
            was = self.port.to_px(*spot)
            there = unit in self.laid.row
            ghost(self.p, was, QPointF(*self.px[self.laid.row[unit]]) if there else None)

    def structure_held(self) -> None:
        for one, paths in self.laid.outlines:
            if one.id in self.bench.selection.structures:
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
