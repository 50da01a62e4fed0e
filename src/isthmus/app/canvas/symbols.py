"""Symbols of units as small pictures, kept by what they look like: thousands are drawn by copying
them.
"""

from __future__ import annotations

import math

from PySide6.QtCore import QPointF, Qt
from PySide6.QtGui import QColor, QPainter, QPixmap

from isthmus.app.kit.painted import painter_on
from isthmus.app.kit.theme import pen, theme
from isthmus.sheets.symbols import SHAPES

MOST = 6000
TURN_STEP = 5  # degrees
_KEPT: dict[tuple, QPixmap] = {}


def symbol(
    kind: str,
    long: float,
    wide: float,
    turn: float,
    fill: str = "",
    held: bool = False,
    ratio: float = 1.0,
) -> QPixmap:
    """A symbol `long` by `wide` px turned by degrees; `fill` is a colour as #rrggbb. Its middle is
    the unit's place.
    """
    steps = round(turn / TURN_STEP) % (360 // TURN_STEP)
    key = (kind, round(long), round(wide), steps, fill, held, theme.name, ratio)
    kept = _KEPT.get(key)
    if kept is None:
        if len(_KEPT) > MOST:
            _KEPT.clear()
        kept = _KEPT[key] = _drawn(kind, long, wide, steps * TURN_STEP, fill, held, ratio)
    return kept


def _drawn(
    kind: str, long: float, wide: float, turn: float, fill: str, held: bool, ratio: float
) -> QPixmap:
    side = math.ceil(math.hypot(long, wide)) + 6
    made = QPixmap(round(side * ratio), round(side * ratio))
    made.setDevicePixelRatio(ratio)
    made.fill(Qt.GlobalColor.transparent)
    with painter_on(made) as p:
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.translate(side / 2, side / 2)
        p.rotate(-turn)
        p.setPen(pen("coral" if held else "text2", 2 if held else 1.2))
        ground = QColor(fill) if fill else theme.color("shoal")
        small = min(long, wide) < 8
        for index, stroke in enumerate(SHAPES[kind]):
            if small and index:  # too small for what is inside
                break
            points = [QPointF(x * long, -y * wide) for x, y in stroke.points]
            p.setBrush(ground if stroke.closed and not index else Qt.BrushStyle.NoBrush)
            (p.drawPolygon if stroke.closed else p.drawPolyline)(points)
    return made
