"""The chart of the crossing: the neck of land between Paper and Rig is as wide as what has crossed
each step.
"""

from __future__ import annotations

import itertools
import math

from PySide6.QtCore import QPointF, QRect, QRectF, QSize, Qt
from PySide6.QtGui import (
    QMouseEvent,
    QPainter,
    QPainterPath,
    QPainterPathStroker,
    QPaintEvent,
    QPen,
    QPixmap,
)
from PySide6.QtWidgets import QSizePolicy, QWidget

from isthmus.app.kit import paint
from isthmus.app.kit.painted import Painted, painter_on
from isthmus.app.kit.theme import font, pen, theme
from isthmus.app.kit.widgets import bind
from isthmus.app.model.workbench import Workbench
from isthmus.app.pages.readiness.naming import Naming
from isthmus.plural import many
from isthmus.snags import ORDER, STEPS

NAMES = {
    "profile": "Profile",
    "address": "Address",
    "route": "Route",
    "place": "Place",
    "answered": "Proven",
}
HALF = 56  # half the full width of the neck, px
HEIGHT = 268
THREAD = 3.0  # a step no unit has crossed still shows as a thread of land
Points = list[tuple[float, float]]


def _spline(path: QPainterPath, q: Points) -> None:
    """A Catmull-Rom curve through the points."""
    for i in range(len(q) - 1):
        a, b, c, d = q[max(i - 1, 0)], q[i], q[i + 1], q[min(i + 2, len(q) - 1)]
        path.cubicTo(
            b[0] + (c[0] - a[0]) / 6,
            b[1] + (c[1] - a[1]) / 6,
            c[0] - (d[0] - b[0]) / 6,
            c[1] - (d[1] - b[1]) / 6,
            c[0],
            c[1],
        )


def _gates(path: QPainterPath, points: Points) -> None:
    """Level at every gate, so that the width there is exactly to scale."""
    for a, b in itertools.pairwise(points):
        middle = (a[0] + b[0]) / 2
        path.cubicTo(middle, a[1], middle, b[1], b[0], b[1])


class CrossingChart(Painted, QWidget):
    def __init__(self, bench: Workbench) -> None:
        super().__init__()
        self.bench = bench
        self.setFixedHeight(HEIGHT)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName("How many units have crossed each step")
        self._picture: tuple[tuple, QPixmap] | None = None
        bind(bench.changed, self, self.update)
        theme.changed.connect(self.update)
        self._title = QRect(0, 8, 300, 32)  # where title and venue are drawn
        self.setToolTip("Click the title to change title and venue")

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if self._title.contains(event.position().toPoint()):
            Naming(self.bench, self.window()).open_at(self.mapToGlobal(self._title.bottomLeft()))

    def draw(self, p: QPainter, event: QPaintEvent) -> None:
        crossing, ratio = self.bench.known.crossing, self.devicePixelRatioF()
        key = (id(self.bench.show), theme.name, self.width(), ratio)
        if self._picture is None or self._picture[0] != key:
            pixmap = QPixmap(self.size() * ratio)
            pixmap.setDevicePixelRatio(ratio)
            with painter_on(pixmap) as inner:
                self._paint(inner, [crossing.done[s] for s in STEPS], crossing.total)
            self._picture = (key, pixmap)
        p.drawPixmap(0, 0, self._picture[1])

    def _land(
        self, xs: list[float], half: list[float], left: float, right: float, cy: float
    ) -> QPainterPath:
        path = QPainterPath(QPointF(-20, -20))
        path.lineTo(left - 44, -20)
        _spline(
            path,
            [
                (left - 44, -20),
                (left - 30, 26),
                (left - 12, cy - HALF - 36),
                (left + 18, cy - HALF),
                (xs[0], cy - half[0]),
            ],
        )
        _gates(path, [(x, cy - h) for x, h in zip(xs, half, strict=True)])
        _spline(
            path,
            [
                (xs[-1], cy - half[-1]),
                (right - 18, cy - half[-1] - 1),
                (right + 8, cy - HALF - 34),
                (right + 34, 30),
                (right + 30, -20),
            ],
        )
        path.lineTo(self.width() + 20, -20)
        path.lineTo(self.width() + 20, HEIGHT + 20)
        path.lineTo(right + 46, HEIGHT + 20)
        _spline(
            path,
            [(right + 46, HEIGHT + 20), (right + 26, HEIGHT - 28), (right + 8, cy + HALF + 34)],
        )
        path.cubicTo(
            right + 2, cy + half[-1] + 2, xs[-1] + 46, cy + half[-1], xs[-1], cy + half[-1]
        )
        _gates(path, [(x, cy + h) for x, h in zip(xs, half, strict=True)][::-1])
        _spline(
            path,
            [
                (xs[0], cy + half[0]),
                (left + 20, cy + HALF),
                (left - 10, cy + HALF + 28),
                (left - 44, HEIGHT - 36),
                (left - 30, HEIGHT + 20),
            ],
        )
        path.lineTo(-20, HEIGHT + 20)
        path.closeSubpath()
        return path

    def _paint(self, p: QPainter, done: list[int], total: int) -> None:
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        wide = self.width()
        inner = QRectF(7, 7, wide - 14, HEIGHT - 14)
        p.fillRect(QRect(0, 0, wide, HEIGHT), theme.color("abyss"))
        cy, left, right = HEIGHT / 2 + 2, 168.0, wide - 168.0
        xs = [left + 54 + i * (right - left - 108) / (len(STEPS) - 1) for i in range(len(STEPS))]
        half = [max(THREAD, HALF * n / total) if total else THREAD for n in done]
        land, full = (
            self._land(xs, half, left, right, cy),
            self._land(xs, [HALF] * len(STEPS), left, right, cy),
        )
        p.save()
        p.setClipRect(inner)
        p.fillRect(inner, theme.color("water2"))
        for width, fill in ((150, "water1"), (74, "water0"), (28, "")):
            stroker = QPainterPathStroker()
            stroker.setWidth(width)
            stroker.setJoinStyle(Qt.PenJoinStyle.RoundJoin)
            p.setPen(pen("contour", 1))
            p.setBrush(theme.color(fill) if fill else Qt.BrushStyle.NoBrush)
            p.drawPath(stroker.createStroke(full).united(full).simplified())
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(theme.color("foreshore"))
        p.drawPath(full)
        self._stipple(p, full.subtracted(land), left, right)
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.setPen(pen("land_edge", 1.1, Qt.PenStyle.DashLine))
        p.drawPath(full)
        p.setBrush(theme.color("land"))
        p.setPen(pen("land_edge", 1.3))
        p.drawPath(land)
        self._paint_gates(p, xs, half, done, total, cy)
        self._rose(p, wide / 2, HEIGHT - 25, 15)
        show = self.bench.show
        a = paint.text(p, left + 10, 14, show.name, font("body", 600), "text", height=20)
        b = paint.text(p, left + 22 + a, 14, show.venue, font("table"), "text2", height=20)
        self._title = QRect(int(left), 8, int(a + b) + 34, 32)
        self._shores(p, right)
        p.restore()
        paint.neat_line(p, QRect(0, 0, wide, 5))
        paint.neat_line(p, QRect(0, HEIGHT - 5, wide, 5))
        paint.neat_line(p, QRect(0, 0, 5, HEIGHT), horizontal=False)
        paint.neat_line(p, QRect(wide - 5, 0, 5, HEIGHT), horizontal=False)
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.setPen(pen("line_strong", 1))
        p.drawRect(QRectF(7.5, 7.5, wide - 15, HEIGHT - 15))

    def _stipple(self, p: QPainter, shape: QPainterPath, left: float, right: float) -> None:
        p.save()
        p.setClipPath(shape)
        ratio = self.devicePixelRatioF()
        tile = QPixmap(QSize(8, 10) * ratio)  # two staggered dots, repeated
        tile.setDevicePixelRatio(ratio)
        tile.fill(Qt.GlobalColor.transparent)
        with painter_on(tile) as dots:
            dots.setRenderHint(QPainter.RenderHint.Antialiasing)
            dots.setPen(Qt.PenStyle.NoPen)
            dots.setBrush(theme.color("land_edge", 0.75))
            dots.drawEllipse(QPointF(2, 2.5), 0.75, 0.75)
            dots.drawEllipse(QPointF(6, 7.5), 0.75, 0.75)
        p.drawTiledPixmap(QRectF(left - 20, 0, right - left + 50, HEIGHT), tile)
        p.restore()

    def _paint_gates(
        self,
        p: QPainter,
        xs: list[float],
        half: list[float],
        done: list[int],
        total: int,
        cy: float,
    ) -> None:
        for i, (x, h, step, n) in enumerate(zip(xs, half, STEPS, done, strict=True)):
            rig = step == "answered"
            p.setPen(pen("land_edge", 1, Qt.PenStyle.DotLine))
            if h > 24:
                p.drawLine(QPointF(x, cy - h), QPointF(x, cy - 20))
                p.drawLine(QPointF(x, cy + 24), QPointF(x, cy + h))
            p.setPen(pen("land_edge", 1))
            p.drawLine(QPointF(x, cy - HALF - 8), QPointF(x, cy - HALF - 16))
            paint.text(
                p,
                x - 60,
                cy - HALF - 37,
                NAMES[step],
                font("body", 600, italic=rig),
                "text",
                paint.CENTER,
                120,
                20,
            )
            paint.text(
                p,
                x - 40,
                cy - 17,
                str(n),
                font("count", 500, mono=True, italic=rig),
                "text",
                paint.CENTER,
                80,
                24,
            )
            paint.text(
                p,
                x - 40,
                cy + 5,
                f"of {total}",
                font("caption", mono=True),
                "text2",
                paint.CENTER,
                80,
                16,
            )
            snags = [s for s in self.bench.known.snags if s.step == step]
            if snags:
                worst = min(snags, key=lambda s: ORDER[s.severity]).severity
                units = len({u for s in snags for u in s.units})
                paint.severity(p, worst, x - 30, cy + HALF + 22, 6.4)
                k = paint.text(
                    p,
                    x - 18,
                    cy + HALF + 12,
                    str(len(snags)),
                    font("table", 600, mono=True),
                    "text",
                    height=20,
                )
                paint.text(
                    p,
                    x - 12 + k,
                    cy + HALF + 12,
                    many(units, "unit"),
                    font("caption"),
                    "text2",
                    height=20,
                )
            elif n == total and total:
                paint.severity(p, "ok", x, cy + HALF + 22, 7)
            if i:
                solid = done[i] == total and total
                p.setPen(pen("teal", 1.5) if solid else pen("land_edge", 1.4, Qt.PenStyle.DashLine))
                p.drawLine(QPointF(xs[i - 1] + 30, cy - 4), QPointF(x - 30, cy - 4))

    def _shores(self, p: QPainter, right: float) -> None:
        show = self.bench.show
        held = list(show.verdicts)
        count = {kind: sum(v.result == kind for v in held) for kind in ("works", "wrong", "silent")}
        left_over = len(show.units) - len(held)
        revision = f", rev {show.paper.revision}" if show.paper.revision else ""
        title = (show.paper.title or "Hang list") + revision
        paper = [
            (title, str(len(show.paper.rows)) if show.paper.rows else "none"),
            ("Units patched", str(len(show.units))),
            ("Nodes expected", str(len(show.nodes))),
            ("Profiles", str(len(show.profiles))),
        ]
        rig = [
            ("Works", str(count["works"])),
            ("Wrong", str(count["wrong"])),
            ("Silent", str(count["silent"])),
            ("Not called yet", str(left_over)),
        ]
        for x, heading, rows, italic in (
            (24, "PAPER", paper, False),
            (right + 44, "RIG", rig, True),
        ):
            paint.text(p, x, 24, heading, font("section", 600, track=2.4), "text", height=20)
            for i, (words, value) in enumerate(rows):
                paint.text(
                    p,
                    x,
                    56 + i * 48,
                    words,
                    font("caption", italic=italic),
                    "text2",
                    width=112,
                    height=16,
                )
                paint.text(
                    p,
                    x,
                    71 + i * 48,
                    value,
                    font(16, 500, mono=True, italic=italic),
                    "text",
                    height=22,
                )

    def _rose(self, p: QPainter, cx: float, cy: float, r: float) -> None:
        p.save()
        c = theme.color("line_strong", 0.7)
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.setPen(QPen(c, 1))
        p.drawEllipse(QPointF(cx, cy), r, r)
        p.drawEllipse(QPointF(cx, cy), r - 4, r - 4)
        for i in range(36):
            a, k = math.radians(i * 10), r - (6 if i % 9 == 0 else 4)
            p.drawLine(
                QPointF(cx + k * math.cos(a), cy + k * math.sin(a)),
                QPointF(cx + r * math.cos(a), cy + r * math.sin(a)),
            )
        for i in range(4):
            a = math.radians(i * 90 - 90)
            tip = (cx + (r - 7) * math.cos(a), cy + (r - 7) * math.sin(a))
            for turn, brush in ((45, Qt.BrushStyle.NoBrush), (-45, c)):
                b = a + math.radians(turn)
                p.setBrush(brush)
                p.drawPolygon(
                    paint.polygon((cx, cy), tip, (cx + 4.5 * math.cos(b), cy + 4.5 * math.sin(b)))
                )
        p.restore()
