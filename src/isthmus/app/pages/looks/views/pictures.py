"""What a palette looks like, small: a colour, how bright, a place on the plan, a beam."""

from __future__ import annotations

import math

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPolygonF

from isthmus.app.kit import paint
from isthmus.app.kit.theme import font, pen, theme
from isthmus.looks.beams import OPEN
from isthmus.profiles.colour import encode_srgb, rgb_of
from isthmus.sheets.outlines import outline
from isthmus.show.records import Palette, Show, Wish

Line = list[tuple[float, float]]
NARROW, WIDE = 3.0, 60.0  # degrees drawn as the smallest and the widest beam


class StageOutline:
    """The structures of a show in plan, ready to be drawn small; made once for each."""

    def __init__(self, show: Show) -> None:
        self.structures = show.structures
        self.lines: list[Line] = [
            list(path.points) for s in show.structures for path in outline(s, "plan") if path.closed
        ]
        rims = [np.array(line) for line in self.lines] or [np.array([(-6.0, -4.0), (6.0, 4.0)])]
        every = np.concatenate(rims)
        self.low, self.high = every.min(axis=0), every.max(axis=0)

    def place(self, box: QRectF, x: float, y: float) -> QPointF:
        wide, high = np.maximum(self.high - self.low, 1.0)
        scale = min(box.width() / wide, box.height() / high) * 0.94
        middle = (self.low + self.high) / 2
        return QPointF(
            box.center().x() + (x - middle[0]) * scale, box.center().y() - (y - middle[1]) * scale
        )


def paint_palette(p: QPainter, box: QRectF, palette: Palette, stage: StageOutline) -> None:
    """The picture of a palette in a box; of one without a wish for all, that of its first."""
    wishes = [palette.wish, *palette.types.values(), *palette.units.values()]
    wish = next((w for w in wishes if w != Wish()), palette.wish)
    p.save()
    p.setClipRect(box)
    if palette.kind == "colour":
        _colour(p, box, wish)
    elif palette.kind == "intensity":
        _intensity(p, box, wish)
    elif palette.kind == "position":
        _position(p, box, palette, stage)
    else:
        _beam(p, box, wish)
    p.restore()


def screen_colour(wish: Wish) -> QColor | None:
    """A chromaticity as a screen shows it at its brightest."""
    if wish.colour is None:
        return None
    rgb = rgb_of(*wish.colour)
    return QColor.fromRgbF(*(float(v) for v in encode_srgb(rgb / max(float(rgb.max()), 1e-9))))


def _colour(p: QPainter, box: QRectF, wish: Wish) -> None:
    shown = screen_colour(wish)
    if shown is None:
        p.fillRect(box, theme.color("bank"))
        paint.text(
            p, box.x(), box.y(), wish.named, font("caption"), "text2", paint.CENTER,
            box.width(), box.height(),
        )  # fmt: skip
        return
    p.fillRect(box, shown)


def _intensity(p: QPainter, box: QRectF, wish: Wish) -> None:
    level = wish.intensity or 0.0
    p.fillRect(box, theme.color("picture_dark"))
    high = box.height() * level
    p.fillRect(
        QRectF(box.x(), box.bottom() - high, box.width(), high), theme.color("picture_light")
    )


def _position(p: QPainter, box: QRectF, palette: Palette, stage: StageOutline) -> None:
    p.fillRect(box, theme.color("abyss"))
    p.setRenderHint(QPainter.RenderHint.Antialiasing)
    p.setPen(pen("line_strong", 0.8))
    p.setBrush(Qt.BrushStyle.NoBrush)
    for line in stage.lines:
        p.drawPolygon(QPolygonF([stage.place(box, x, y) for x, y in line]))
    wishes = [palette.wish, *palette.units.values()]
    points = [w.point for w in wishes if w.point is not None]
    p.setPen(Qt.PenStyle.NoPen)
    p.setBrush(theme.color("coral"))
    for x, y, _ in points:
        at = stage.place(box, x, y)
        at = QPointF(
            min(max(at.x(), box.left() + 4), box.right() - 4),
            min(max(at.y(), box.top() + 4), box.bottom() - 4),
        )
        p.drawEllipse(at, 3.2, 3.2)
    if not points:
        paint.text(
            p, box.x(), box.y(), "degrees", font("caption"), "text2", paint.CENTER,
            box.width(), box.height(),
        )  # fmt: skip


def _beam(p: QPainter, box: QRectF, wish: Wish) -> None:
    """The light on a wall: as wide as the beam, with what stands in it."""
    p.fillRect(box, theme.color("picture_dark"))
    p.setRenderHint(QPainter.RenderHint.Antialiasing)
    share = math.log(min(max(wish.angle or 16.0, NARROW), WIDE) / NARROW) / math.log(WIDE / NARROW)
    radius = (0.16 + 0.34 * share) * box.height() * (wish.iris if wish.iris is not None else 1.0)
    middle = box.center()
    p.setPen(Qt.PenStyle.NoPen)
    p.setBrush(theme.color("picture_light"))
    copies = 3 if wish.prism and wish.prism.casefold() != OPEN else 1
    for index in range(copies):
        turn = 2 * math.pi * index / copies - math.pi / 2
        off = radius * 0.75 if copies > 1 else 0.0
        at = middle + QPointF(off * math.cos(turn), off * math.sin(turn))
        p.setOpacity(0.65 if copies > 1 else 1.0)
        p.drawEllipse(at, radius, radius)
    p.setOpacity(1.0)
    if wish.gobo and wish.gobo.casefold() != OPEN:
        p.setPen(pen("picture_dark", 1.6))
        for step in (-0.5, 0.0, 0.5):
            half = radius * math.sqrt(1 - step * step)
            y, x = middle.y() + step * radius, middle.x() + step * radius
            p.drawLine(QPointF(middle.x() - half, y), QPointF(middle.x() + half, y))
            p.drawLine(QPointF(x, middle.y() - half), QPointF(x, middle.y() + half))
    if wish.strobe:
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(theme.color("picture_dark"))
        count = 3 if wish.strobe < 5 else 6
        wide = 2 * radius / (2 * count)
        for index in range(count):
            x = middle.x() - radius + (2 * index + 0.5) * wide
            p.drawRect(QRectF(x, middle.y() - radius, wide, 2 * radius))
