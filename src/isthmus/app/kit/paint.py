"""Drawing text and the glyphs of the look: severity, crossing, pages, rings, the chart's
neat-line.
"""

from __future__ import annotations

import math
import re
from collections.abc import Callable

from PySide6.QtCore import QLineF, QPointF, QRect, QRectF, Qt
from PySide6.QtGui import QColor, QFont, QFontMetricsF, QPainter, QPainterPath, QPen, QPolygonF

from isthmus.app.kit.theme import LINE, advance, font, pen, theme

LEFT = Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter
RIGHT = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
CENTER = Qt.AlignmentFlag.AlignCenter
_NUMBERS = re.compile(r"(\d[\d.]*\d|\b\d\b)")


def text(
    p: QPainter,
    x: float,
    y: float,
    words: str,
    of: QFont,
    role: str | QColor,
    align: Qt.AlignmentFlag = LEFT,
    width: float | None = None,
    height: float = 20,
) -> float:
    """Draw in the box x, y, width, height; too long is elided. Returns the advance."""
    p.setFont(of)
    p.setPen(theme.color(role) if isinstance(role, str) else role)
    wide = advance(of, words)
    if width is None:
        width = wide + 4
    elif wide > width:
        words = QFontMetricsF(of).elidedText(words, Qt.TextElideMode.ElideRight, width)
    p.drawText(QRectF(x, y, width, height), align | Qt.TextFlag.TextSingleLine, words)
    return min(wide, width) if width else wide


def sentence(
    p: QPainter, x: float, y: float, words: str, size: str, role: str, width: float, height: float
) -> float:
    """A sentence with its numbers in the mono face; what does not fit is elided."""
    at = x
    for part in _NUMBERS.split(words):
        if part:
            left = x + width - at
            if left < 12:
                break
            number = part[0].isdigit()
            at += text(
                p,
                at,
                y,
                part,
                font(size, 500 if number else 400, mono=number),
                role,
                LEFT,
                left,
                height,
            )
    return at - x


def polygon(*points: tuple[float, float]) -> QPolygonF:
    return QPolygonF([QPointF(*point) for point in points])


def severity(p: QPainter, kind: str, cx: float, cy: float, r: float = 6.0) -> None:
    p.save()
    p.setRenderHint(QPainter.RenderHint.Antialiasing)
    p.setPen(Qt.PenStyle.NoPen)
    if kind == "fault":
        p.setBrush(theme.color("fault"))
        p.drawPolygon(polygon((cx, cy - r), (cx + r, cy), (cx, cy + r), (cx - r, cy)))
        p.setPen(pen("on_fault", max(1.5, r * 0.28)))
        p.drawLine(QPointF(cx - r * 0.46, cy), QPointF(cx + r * 0.46, cy))
    elif kind == "attention":
        p.setBrush(theme.color("ochre"))
        p.drawPolygon(polygon((cx, cy - r * 0.95), (cx + r, cy + r * 0.8), (cx - r, cy + r * 0.8)))
        p.setPen(pen("on_ochre", max(1.2, r * 0.24)))
        p.drawLine(QPointF(cx, cy - r * 0.28), QPointF(cx, cy + r * 0.24))
        p.drawPoint(QPointF(cx, cy + r * 0.55))
    elif kind == "note":
        p.setPen(pen("text2", 1.3))
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.drawEllipse(QPointF(cx, cy), r * 0.8, r * 0.8)
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(theme.color("text2"))
        p.drawEllipse(QPointF(cx, cy), 1.4, 1.4)
    elif kind == "ok":
        p.setBrush(theme.color("teal"))
        p.drawEllipse(QPointF(cx, cy), r * 0.9, r * 0.9)
        p.setPen(pen("on_teal", max(1.2, r * 0.24), cap=Qt.PenCapStyle.RoundCap))
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.drawPolyline(
            polygon(
                (cx - r * 0.4, cy + r * 0.02),
                (cx - r * 0.08, cy + r * 0.34),
                (cx + r * 0.42, cy - r * 0.3),
            )
        )
    p.restore()


def crossing(p: QPainter, rect: QRectF, states: str) -> None:
    """The five steps of a unit: d done, w waiting, a look at it, f fault."""
    p.save()
    p.setRenderHint(QPainter.RenderHint.Antialiasing)
    cy = rect.center().y() + 0.5
    step = (rect.width() - 12) / (len(states) - 1)
    xs = [rect.left() + 6 + i * step for i in range(len(states))]
    for i in range(len(states) - 1):
        done = states[i] == states[i + 1] == "d"
        p.setPen(pen("teal", 1.4) if done else pen("line_strong", 1.2, Qt.PenStyle.DotLine))
        p.drawLine(QPointF(xs[i] + 6, cy), QPointF(xs[i + 1] - 6, cy))
    for x, state in zip(xs, states, strict=True):
        if state == "d":
            p.setPen(Qt.PenStyle.NoPen)
            p.setBrush(theme.color("teal"))
            p.drawEllipse(QPointF(x, cy), 3.4, 3.4)
        elif state == "w":
            p.setPen(pen("line_strong", 1.3))
            p.setBrush(Qt.BrushStyle.NoBrush)
            p.drawEllipse(QPointF(x, cy), 3.2, 3.2)
        else:
            severity(p, "fault" if state == "f" else "attention", x, cy, 5.4)
    p.restore()


def glyph(
    p: QPainter,
    draw: Callable[[QPainter, QColor], None],
    cx: float,
    cy: float,
    color: QColor,
    scale: float = 1.0,
) -> None:
    """A page's glyph, drawn about 0, 0 in a box of 15 by `draw`."""
    p.save()
    p.setRenderHint(QPainter.RenderHint.Antialiasing)
    p.translate(cx, cy)
    p.scale(scale, scale)
    q = QPen(color, LINE["glyph"])
    q.setCapStyle(Qt.PenCapStyle.RoundCap)
    q.setJoinStyle(Qt.PenJoinStyle.RoundJoin)
    p.setPen(q)
    p.setBrush(Qt.BrushStyle.NoBrush)
    draw(p, color)
    p.restore()


def cells(p: QPainter, color: QColor) -> None:
    """Nine cells of a wall, five of them lit."""
    for at in range(9):
        box = QRectF(-7 + at % 3 * 5, -7 + at // 3 * 5, 4, 4)
        if at % 2 == 0:
            p.fillRect(box, color)
        else:
            p.drawRect(box.adjusted(0.5, 0.5, -0.5, -0.5))


def star(p: QPainter, color: QColor) -> None:
    points = [
        ((7.4 if i % 2 == 0 else 2.2) * math.cos(a), (7.4 if i % 2 == 0 else 2.2) * math.sin(a))
        for i in range(8)
        for a in [math.radians(i * 45 - 90)]
    ]
    p.setPen(Qt.PenStyle.NoPen)
    p.setBrush(color)
    p.drawPolygon(polygon(*points))


def ruler(p: QPainter, color: QColor) -> None:
    p.drawRect(QRectF(-7, -3.6, 14, 7.2))
    for i, x in enumerate((-4.2, -1.4, 1.4, 4.2)):
        p.drawLine(QLineF(x, -3.4, x, 0.8 if i % 2 else -0.8))


def branches(p: QPainter, color: QColor) -> None:
    p.drawPolyline(polygon((-7, 0), (6, 0)))
    path = QPainterPath(QPointF(-4, 0))
    for side in (-5, 5):
        path.moveTo(-4, 0)
        path.cubicTo(0, 0, -1, side, 3, side)
        path.lineTo(6, side)
    p.drawPath(path)
    p.setBrush(color)
    for y in (-5, 0, 5):
        p.drawEllipse(QPointF(6, y), 0.9, 0.9)


def barge(p: QPainter, color: QColor) -> None:
    path = QPainterPath(QPointF(-7, -4))
    path.lineTo(3, -4)
    path.quadTo(6, -3, 7.4, 0)
    path.quadTo(6, 3, 3, 4)
    path.lineTo(-7, 4)
    path.closeSubpath()
    p.drawPath(path)
    p.setBrush(color)
    p.drawEllipse(QPointF(-3, 0), 0.8, 0.8)
    p.drawEllipse(QPointF(1.6, 0), 0.8, 0.8)


def box(p: QPainter, color: QColor) -> None:
    p.drawPolygon(polygon((0, -7), (6.4, -3.5), (6.4, 3.5), (0, 7), (-6.4, 3.5), (-6.4, -3.5)))
    p.drawPolyline(polygon((-6.4, -3.5), (0, 0), (6.4, -3.5)))
    p.drawLine(QLineF(0, 0, 0, 7))


def calls(p: QPainter, color: QColor) -> None:
    p.setBrush(color)
    p.drawEllipse(QPointF(-4.6, 0), 1.7, 1.7)
    p.setBrush(Qt.BrushStyle.NoBrush)
    for r in (6, 10.5):
        p.drawArc(QRectF(-4.6 - r, -r, 2 * r, 2 * r), -42 * 16, 84 * 16)


def two_lights(p: QPainter, color: QColor) -> None:
    """Two pools of light that overlap."""
    for x in (-2.6, 2.6):
        p.drawEllipse(QPointF(x, 0), 4.6, 4.6)


def sheet(p: QPainter, color: QColor) -> None:
    """A chart: a leaf with bars of unequal length."""
    p.drawRect(QRectF(-5.6, -7, 11.2, 14))
    for y, length in ((-3.6, 6.4), (-0.2, 3.6), (3.2, 5.2)):
        p.drawLine(QLineF(-3.2, y, -3.2 + length, y))


def sheets(p: QPainter, color: QColor) -> None:
    """Leaves behind each other: what was, behind what is."""
    p.drawPolyline([QPointF(-2.4, -6.8), QPointF(6.8, -6.8), QPointF(6.8, 3.4)])
    p.drawPolyline([QPointF(-4.6, -4.4), QPointF(4.4, -4.4), QPointF(4.4, 5.6)])
    p.drawRect(QRectF(-6.8, -2, 8.8, 9))


def handed(p: QPainter, color: QColor) -> None:
    """A leaf that goes out."""
    p.drawPolyline([QPointF(1.4, 6.6), QPointF(-6.6, 6.6), QPointF(-6.6, -6.6), QPointF(1.4, -6.6)])
    p.drawLine(QPointF(-2.4, 0), QPointF(6.8, 0))
    p.drawPolyline([QPointF(3.4, -3.4), QPointF(6.8, 0), QPointF(3.4, 3.4)])


def ring(p: QPainter, cx: float, cy: float, r: float, fraction: float) -> None:
    p.save()
    p.setRenderHint(QPainter.RenderHint.Antialiasing)
    p.setBrush(theme.color("abyss"))
    p.setPen(pen("line", LINE["ring"]))
    p.drawEllipse(QPointF(cx, cy), r, r)
    if fraction > 0:
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.setPen(pen("teal" if fraction >= 1 else "text2", LINE["ring"]))
        p.drawArc(QRectF(cx - r, cy - r, 2 * r, 2 * r), 90 * 16, int(-fraction * 360 * 16))
    p.restore()


def neat_line(p: QPainter, rect: QRect, segment: int = 32, horizontal: bool = True) -> None:
    """The chart's frame: two thin lines with every other segment filled."""
    p.save()
    p.setRenderHint(QPainter.RenderHint.Antialiasing, False)
    p.fillRect(rect, theme.color("abyss"))
    c = theme.color("line")
    if horizontal:
        p.fillRect(QRect(rect.left(), rect.top(), rect.width(), 1), c)
        p.fillRect(QRect(rect.left(), rect.bottom(), rect.width(), 1), c)
        for x in range(rect.left(), rect.right(), 2 * segment):
            p.fillRect(QRect(x, rect.top(), min(segment, rect.right() - x), rect.height()), c)
    else:
        p.fillRect(QRect(rect.left(), rect.top(), 1, rect.height()), c)
        p.fillRect(QRect(rect.right(), rect.top(), 1, rect.height()), c)
        for y in range(rect.top(), rect.bottom(), 2 * segment):
            p.fillRect(QRect(rect.left(), y, rect.width(), min(segment, rect.bottom() - y)), c)
    p.restore()


def swatch(p: QPainter, rect: QRectF, color: QColor, corner: float) -> None:
    """A clipped-corner swatch."""
    p.save()
    p.setRenderHint(QPainter.RenderHint.Antialiasing)
    p.setPen(pen("line_strong", 1))
    p.setBrush(color)
    r = rect
    p.drawPolygon(
        polygon(
            (r.left(), r.top()),
            (r.right() - corner, r.top()),
            (r.right(), r.top() + corner),
            (r.right(), r.bottom()),
            (r.left(), r.bottom()),
        )
    )
    p.restore()


def chevron(p: QPainter, x: float, y: float, down: bool) -> None:
    d = 1 if down else -1
    p.setPen(pen("text2", 1.4, cap=Qt.PenCapStyle.RoundCap))
    p.drawPolyline(polygon((x - 3.5, y - 2 * d), (x, y + 1.5 * d), (x + 3.5, y - 2 * d)))
