"""What plan and stage draw alike over their pictures: handles, guides, a sign, ordered marks."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QFontMetricsF, QPainter

from isthmus.app.kit import paint
from isthmus.app.kit.theme import font, pen, theme
from isthmus.layout.handles import Handle
from isthmus.sheets.labels import Wish, place_all

HOLD = 10.0  # px around a handle that count as it
WORDS = {"move": "moves", "turn": "turns", "height": "height", "start": "length", "end": "length"}


def handle_at(
    at: QPointF, handles: Sequence[Handle], to_px: Callable[[Handle], QPointF | None]
) -> Handle | None:
    """The handle under the pointer, the nearest one."""
    near = [
        (math.hypot((p - at).x(), (p - at).y()), i)
        for i, h in enumerate(handles)
        if (p := to_px(h)) is not None
    ]
    best = min(near, default=(math.inf, 0))
    return handles[best[1]] if best[0] <= HOLD else None


def draw_handles(
    p: QPainter,
    handles: Sequence[Handle],
    to_px: Callable[[Handle], QPointF | None],
    over: str = "",
) -> None:
    """Our own shapes: a square moves, a ring turns, a bar gives length, a triangle height."""
    places = {h.name: at for h in handles if (at := to_px(h)) is not None}
    middle = places.get("move")
    p.setBrush(Qt.BrushStyle.NoBrush)
    if middle is not None:
        p.setPen(pen("coral", 1, Qt.PenStyle.DotLine))
        for name in ("turn", "height"):
            if name in places:
                p.drawLine(middle, places[name])
    for name, at in places.items():
        p.setPen(pen("coral", 2 if name == over else 1.4))
        p.setBrush(theme.color("coral") if name == over else theme.color("abyss"))
        if name == "turn":
            p.drawEllipse(at, 5.5, 5.5)
        elif name == "height":
            p.drawPolygon(
                paint.polygon(
                    (at.x() - 6, at.y() + 4), (at.x() + 6, at.y() + 4), (at.x(), at.y() - 6)
                )
            )
        elif name == "move":
            p.drawRect(QRectF(at.x() - 5, at.y() - 5, 10, 10))
        else:
            p.drawRect(QRectF(at.x() - 3, at.y() - 7, 6, 14))
        if name == over:
            tag(p, at + QPointF(12, -20), WORDS[name])


def tag(p: QPainter, at: QPointF, words: str, role: str = "coral_text") -> None:
    """Words on a small ground of their own, beginning at a point."""
    small = font("tick", 500, mono=True)
    wide = QFontMetricsF(small).horizontalAdvance(words) + 12
    p.fillRect(QRectF(at.x(), at.y(), wide, 18), theme.color("select_row"))
    paint.text(p, at.x() + 6, at.y(), words, small, role, height=18)


def sign(p: QPainter, wide: float, high: float, *lines: str) -> None:
    """Something that must be read, in the middle: the first line large."""
    y = high / 2 - 13.0 * len(lines)
    box = QRectF(20, y - 14, wide - 40, 26.0 * len(lines) + 28)
    p.fillRect(box, theme.color("abyss", 0.82))
    for index, words in enumerate(lines):
        role = "text" if not index else "text2"
        paint.text(
            p,
            30,
            y,
            words,
            font(15 if not index else "body", 600 if not index else 400),
            role,
            paint.CENTER,
            wide - 60,
            22,
        )
        y += 26


def marks(
    p: QPainter, marked: Sequence[tuple[QPointF, int, str]], words: dict[int, str], rect: QRectF
) -> None:
    """Place in order, number and, where there is one, a figure, beside each selected unit; no two
    on top of each other.
    """
    small, tick = font("caption", 500, mono=True), font("tick", 600, mono=True)
    metrics = QFontMetricsF(small)
    texts = [
        f"{number}{' ' + words[order] if order in words else ''}" for _, order, number in marked
    ]
    sizes = [
        metrics.horizontalAdvance(t) + 10 + 9 * len(str(order))
        for t, (_, order, _) in zip(texts, marked, strict=True)
    ]
    wishes = [
        Wish(at.x(), at.y(), 16, wide, 17) for (at, _, _), wide in zip(marked, sizes, strict=True)
    ]
    p.setRenderHint(QPainter.RenderHint.Antialiasing)
    for (at, order, _), text, wish, place in zip(
        marked, texts, wishes, place_all(wishes), strict=True
    ):
        if place is None or not rect.contains(at):
            p.setPen(pen("abyss", 1))
            p.setBrush(theme.color("coral"))
            p.drawEllipse(at, 3.5, 3.5)
            continue
        box = QRectF(place[0], place[1], wish.wide, 17)
        p.setPen(pen("coral", 1.2))
        near = QPointF(
            min(max(at.x(), box.left()), box.right()), min(max(at.y(), box.top()), box.bottom())
        )
        p.drawLine(at, near)
        p.setBrush(theme.color("select_row"))
        p.drawRoundedRect(box, 3, 3)
        paint.text(p, box.x() + 4, box.y(), str(order), tick, "coral_text", height=17)
        paint.text(p, box.x(), box.y(), text, small, "text", paint.RIGHT, box.width() - 4, 17)


def ghost(p: QPainter, was: QPointF, now: QPointF | None) -> None:
    """Where something was, dotted, with a line to where it is now; crossed where it is gone. The
    stage is dark in both themes: a ground of its own sets it off.
    """
    p.setBrush(Qt.BrushStyle.NoBrush)
    for stroke in (pen("deep", 3.4), pen("ochre", 1.4, Qt.PenStyle.DotLine)):
        p.setPen(stroke)
        p.drawEllipse(was, 7, 7)
        if now is not None:
            p.drawLine(was, now)
            continue
        for side in (-5, 5):
            p.drawLine(was + QPointF(-5, side), was + QPointF(5, -side))
