"""The parts of the hand controls: chips in order, the intensity slider, the pan and tilt pad, the
colour field.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QImage, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QWheelEvent
from PySide6.QtWidgets import QSizePolicy, QWidget

from isthmus.app.kit import paint
from isthmus.app.kit.painted import Painted
from isthmus.app.kit.theme import font, pen, theme
from isthmus.app.kit.widgets import bind
from isthmus.app.model.workbench import Workbench
from isthmus.profiles.colour import chromaticity, decode_srgb, encode_srgb, planck_xy

CHIP_W, CHIP_H = 62, 23


class Chips(Painted, QWidget):
    """The selected units, joined by the course line in the order they were taken; a click deselects
    one.
    """

    def __init__(self, bench: Workbench) -> None:
        super().__init__()
        self.bench = bench
        self.setMinimumHeight(CHIP_H + 2)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setToolTip("In the order taken; a click deselects one")
        bench.selection.changed.connect(self.update)
        bind(bench.changed, self, self.update)

    def sizeHint(self) -> QSize:
        return QSize(280, CHIP_H + 2)

    def room(self) -> int:
        return max(1, int((self.width() - 30) // (CHIP_W + 13)))

    def mousePressEvent(self, event: QMouseEvent) -> None:
        index = int(event.position().x() // (CHIP_W + 13))
        if index < min(self.room(), len(self.bench.selection.ids)):
            self.bench.selection.toggle(self.bench.selection.ids[index])

    def draw(self, p: QPainter, event: QPaintEvent) -> None:
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        units = self.bench.selection.units()
        x = 0.0
        for i, unit in enumerate(units[: self.room()]):
            r = QRectF(x + 0.5, 0.5, CHIP_W, CHIP_H)
            if i:
                p.setPen(pen("coral", 1.3))
                cy = r.center().y()
                p.drawLine(QPointF(x - 12, cy), QPointF(x, cy))
                p.drawPolyline(paint.polygon((x - 5, cy - 3), (x - 1.5, cy), (x - 5, cy + 3)))
            p.setPen(pen("coral", 1.2))
            p.setBrush(theme.color("select_row"))
            p.drawRoundedRect(r, 3, 3)
            paint.text(
                p,
                x + 7,
                0,
                str(i + 1),
                font("tick", 600, mono=True),
                "coral_text",
                height=CHIP_H + 1,
            )
            p.fillRect(QRectF(x + 20, 5, 1, CHIP_H - 9), theme.color("line"))
            paint.text(
                p,
                x + 26,
                0,
                str(unit.number),
                font("table", 500, mono=True),
                "text",
                width=CHIP_W - 28,
                height=CHIP_H + 1,
            )
            x += CHIP_W + 13
        if len(units) > self.room():
            paint.text(
                p,
                x - 6,
                0,
                f"+{len(units) - self.room()}",
                font("table", 500, mono=True),
                "text2",
                height=CHIP_H + 1,
            )
        if not units:
            paint.text(p, 0, 0, "Nothing selected.", font("table"), "text3", height=CHIP_H + 1)


class Dial(Painted, QWidget):
    """A control with a focus outline that steps by arrow keys; `moved` is called for every change
    by hand.
    """

    def __init__(self, name: str) -> None:
        super().__init__()
        self.setAccessibleName(name)
        self.setObjectName(name.lower())
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        theme.changed.connect(self.update)

    def outline(self, p: QPainter) -> None:
        if self.hasFocus():
            p.setBrush(Qt.BrushStyle.NoBrush)
            p.setPen(pen("focus", 1.5))
            p.drawRoundedRect(QRectF(self.rect()).adjusted(1, 1, -1, -1), 3, 3)


class Intensity(Dial):
    moved = Signal(float)

    def __init__(self) -> None:
        super().__init__("Intensity")
        self.value: float | None = 0.0  # None: the units differ
        self.sent: float | None = None  # where what goes out is another level
        self.limit: tuple[float, float] | None = None  # lowest and highest that goes out
        self.setFixedHeight(92)
        self.setMinimumWidth(150)

    def set(
        self,
        value: float | None,
        sent: float | None = None,
        limit: tuple[float, float] | None = None,
    ) -> None:
        if (value, sent, limit) != (self.value, self.sent, self.limit):
            self.value, self.sent, self.limit = value, sent, limit
            self.update()

    def _take(self, x: float) -> None:
        self.set(min(1.0, max(0.0, (x - 8) / (self.width() - 16))), None, self.limit)
        self.moved.emit(self.value)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self._take(event.position().x())

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if event.buttons() & Qt.MouseButton.LeftButton:
            self._take(event.position().x())

    def wheelEvent(self, event: QWheelEvent) -> None:
        self._step(0.05 if event.angleDelta().y() > 0 else -0.05)

    def _step(self, by: float) -> None:
        self.set(min(1.0, max(0.0, round((self.value or 0.0) + by, 3))), None, self.limit)
        self.moved.emit(self.value)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        keys = {
            Qt.Key.Key_Left: -0.01,
            Qt.Key.Key_Down: -0.01,
            Qt.Key.Key_Right: 0.01,
            Qt.Key.Key_Up: 0.01,
            Qt.Key.Key_PageUp: 0.1,
            Qt.Key.Key_PageDown: -0.1,
            Qt.Key.Key_Home: -1.0,
            Qt.Key.Key_End: 1.0,
        }
        step = keys.get(Qt.Key(event.key()))
        if step is None:
            super().keyPressEvent(event)
        else:
            self._step(step)

    def draw(self, p: QPainter, event: QPaintEvent) -> None:
        shown = "≠" if self.value is None else f"{self.value * 100:.0f}"
        a = paint.text(p, 8, 0, shown, font("readout", 500, mono=True), "text", height=34)
        paint.text(p, 14 + a, 6, "%", font("body", mono=True), "text3", height=26)
        if self.sent is not None:
            words = f"sent {self.sent * 100:.0f} %"
            paint.text(
                p,
                0,
                6,
                words,
                font("caption", 500, mono=True),
                "ochre",
                paint.RIGHT,
                self.width() - 8,
                26,
            )
        y, wide = 54.0, self.width() - 16
        for i in range(0, 101, 2):
            x = 8 + wide * i / 100
            p.fillRect(
                QRectF(round(x), y + 6, 1, 8 if i % 50 == 0 else 6 if i % 10 == 0 else 3),
                theme.color("line_strong" if i % 10 == 0 else "line"),
            )
        for i, align in ((0, paint.LEFT), (50, paint.CENTER), (100, paint.RIGHT)):
            x = 8 + wide * i / 100
            paint.text(
                p,
                x - (0 if i == 0 else 40 if i == 100 else 20),
                y + 15,
                str(i),
                font("tick", mono=True),
                "text3",
                align,
                40,
                14,
            )
        p.fillRect(QRectF(8, y, wide + 1, 4), theme.color("line"))
        for end, open_at in zip(self.limit or (), (0.0, 1.0), strict=False):
            if end != open_at:  # a post where the limit is, and what lies beyond it struck out
                p.fillRect(
                    QRectF(8 + wide * min(end, open_at), y + 1.5, wide * abs(open_at - end), 1),
                    theme.color("ochre"),
                )
                p.fillRect(QRectF(8 + wide * end - 1, y - 5, 2, 14), theme.color("ochre"))
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        x = 8 + wide * (self.value or 0.0)
        p.fillRect(QRectF(8, y, x - 8, 4), theme.color("text2"))
        p.setPen(pen("abyss", 1.5))
        p.setBrush(theme.color("coral") if self.isEnabled() else theme.color("text_off"))
        p.drawPolygon(
            paint.polygon(
                (x - 6, y - 9), (x + 6, y - 9), (x + 6, y + 1), (x, y + 9), (x - 6, y + 1)
            )
        )
        self.outline(p)


Spans = tuple[tuple[float, float], tuple[float, float]]


class PanTilt(Dial):
    """Pan across, tilt up and down; the first selected unit is the cross, the others are dots."""

    moved = Signal(float, float)

    def __init__(self) -> None:
        super().__init__("Pan and tilt")
        self.points: list[tuple[float, float]] = []  # degrees
        self.spans: Spans = ((-270.0, 270.0), (-135.0, 135.0))  # of pan and tilt, degrees
        self.limits: dict[
            str, tuple[float, float]
        ] = {}  # Pan and Tilt → lowest and highest degrees that go out
        self.setFixedSize(178, 94)

    def set(
        self,
        points: list[tuple[float, float]],
        spans: Spans,
        limits: dict[str, tuple[float, float]],
    ) -> None:
        if (points, spans, limits) != (self.points, self.spans, self.limits):
            self.points, self.spans, self.limits = points, spans, limits
            self.update()

    def _px(self, pan: float, tilt: float) -> QPointF:
        (left, right), (low, high) = self.spans
        return QPointF(
            4 + (pan - left) / max(right - left, 1e-6) * (self.width() - 8),
            4 + (high - tilt) / max(high - low, 1e-6) * (self.height() - 8),
        )

    def _take(self, at: QPointF) -> None:
        (left, right), (low, high) = self.spans
        pan = left + (at.x() - 4) / (self.width() - 8) * (right - left)
        tilt = high - (at.y() - 4) / (self.height() - 8) * (high - low)
        self._move(pan, tilt)

    def _move(self, pan: float, tilt: float) -> None:
        if self.points:
            self.moved.emit(
                max(self.spans[0][0], min(self.spans[0][1], pan)),
                max(self.spans[1][0], min(self.spans[1][1], tilt)),
            )

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self._take(event.position())

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if event.buttons() & Qt.MouseButton.LeftButton:
            self._take(event.position())

    def keyPressEvent(self, event: QKeyEvent) -> None:
        step = 10.0 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 1.0
        keys = {
            Qt.Key.Key_Left: (-step, 0.0),
            Qt.Key.Key_Right: (step, 0.0),
            Qt.Key.Key_Up: (0.0, step),
            Qt.Key.Key_Down: (0.0, -step),
        }
        move = keys.get(Qt.Key(event.key()))
        if move and self.points:
            self._move(self.points[0][0] + move[0], self.points[0][1] + move[1])
        elif not move:
            super().keyPressEvent(event)

    def draw(self, p: QPainter, event: QPaintEvent) -> None:
        r = QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5)
        p.setBrush(theme.color("water1"))
        p.setPen(pen("line_strong", 1))
        p.drawRect(r)
        p.setPen(pen("graticule", 1))
        for i in range(1, 8):
            x = r.x() + r.width() * i / 8
            p.drawLine(QPointF(x, r.y() + 1), QPointF(x, r.bottom() - 1))
        for i in range(1, 4):
            y = r.y() + r.height() * i / 4
            p.drawLine(QPointF(r.x() + 1, y), QPointF(r.right() - 1, y))
        p.setPen(pen("contour", 1))
        zero = self._px(0.0, 0.0)
        if r.contains(zero):
            p.drawLine(QPointF(zero.x(), r.y() + 1), QPointF(zero.x(), r.bottom() - 1))
            p.drawLine(QPointF(r.x() + 1, zero.y()), QPointF(r.right() - 1, zero.y()))
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        if self.limits:
            pan, tilt = (
                self.limits.get(name, s)
                for name, s in zip(("Pan", "Tilt"), self.spans, strict=True)
            )
            inside = QRectF(self._px(pan[0], tilt[1]), self._px(pan[1], tilt[0])).intersected(r)
            p.setBrush(Qt.BrushStyle.NoBrush)
            p.setPen(pen("ochre", 1.3, Qt.PenStyle.DashLine))
            p.drawRect(inside)
        for i, point in reversed(list(enumerate(self.points[:40]))):
            at = self._px(*point)
            if i:
                p.setPen(Qt.PenStyle.NoPen)
                p.setBrush(theme.color("coral"))
                p.drawEllipse(at, 2.4, 2.4)
            else:
                p.setBrush(Qt.BrushStyle.NoBrush)
                p.setPen(pen("coral", 1.4))
                p.drawEllipse(at, 6, 6)
                for dx, dy in ((1, 0), (-1, 0), (0, 1), (0, -1)):
                    p.drawLine(at + QPointF(3 * dx, 3 * dy), at + QPointF(10 * dx, 10 * dy))
        if not self.points:
            paint.text(
                p,
                0,
                0,
                "nothing here turns",
                font("caption"),
                "text3",
                paint.CENTER,
                self.width(),
                self.height(),
            )
        self.outline(p)


def hue_rgb(hue: float, saturation: float) -> NDArray[np.float64]:
    """Linear sRGB of a hue and saturation 0…1, its strongest part 1."""
    color = QColor.fromHsvF(hue % 1.0, min(1.0, max(0.0, saturation)), 1.0)
    code = np.array([color.redF(), color.greenF(), color.blueF()])
    return decode_srgb(code)


class Colour(Dial):
    """Hue across, paler downwards; beside it the colour that results and its chromaticity."""

    moved = Signal(object)

    def __init__(self) -> None:
        super().__init__("Colour")
        self.at: tuple[float, float] = (0.0, 0.0)
        self.result: np.ndarray | None = None
        self.can = False
        self._field: QImage | None = None
        self.setFixedSize(218, 94)

    def set(self, result: np.ndarray | None, can: bool) -> None:
        self.result, self.can = result, can
        self.update()

    def _take(self, at: QPointF) -> None:
        self._move(min(1.0, max(0.0, at.x() / 120)), min(1.0, max(0.0, 1 - at.y() / self.height())))

    def _move(self, hue: float, saturation: float) -> None:
        if self.can:
            self.at = (hue, saturation)
            self.moved.emit(hue_rgb(*self.at))

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.position().x() <= 124:
            self._take(event.position())

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if event.buttons() & Qt.MouseButton.LeftButton:
            self._take(event.position())

    def keyPressEvent(self, event: QKeyEvent) -> None:
        hue, saturation = self.at
        keys: dict[Qt.Key, Callable[[], tuple[float, float]]] = {
            Qt.Key.Key_Left: lambda: ((hue - 0.01) % 1, saturation),
            Qt.Key.Key_Right: lambda: ((hue + 0.01) % 1, saturation),
            Qt.Key.Key_Up: lambda: (hue, min(1.0, saturation + 0.04)),
            Qt.Key.Key_Down: lambda: (hue, max(0.0, saturation - 0.04)),
        }
        move = keys.get(Qt.Key(event.key()))
        if move:
            self._move(*move())
        else:
            super().keyPressEvent(event)

    def _picture(self) -> QImage:
        if self._field is None:
            self._field = QImage(60, 32, QImage.Format.Format_RGB32)
            for x in range(60):
                for y in range(32):
                    self._field.setPixelColor(x, y, QColor.fromHsvF(x / 60, 1 - y / 31, 0.92))
        return self._field

    def draw(self, p: QPainter, event: QPaintEvent) -> None:
        p.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        p.setOpacity(1.0 if self.can else 0.25)
        p.drawImage(QRectF(0, 0, 120, self.height()), self._picture())
        p.setOpacity(1.0)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.setPen(pen("line_strong", 1))
        p.drawRect(QRectF(0.5, 0.5, 119, self.height() - 1))
        if self.can:
            at = QPointF(self.at[0] * 120, (1 - self.at[1]) * self.height())
            p.setPen(pen("abyss", 3))
            p.drawEllipse(at, 4, 4)
            p.setPen(pen(QColor("white"), 1.4))
            p.drawEllipse(at, 4, 4)
        box = QRectF(132.5, 0.5, 40, 40)
        at = None if self.result is None else chromaticity(self.result)
        if self.result is not None and at is not None:
            shown = encode_srgb(self.result / self.result.max())
            paint.swatch(p, box, QColor.fromRgbF(*(float(v) for v in shown)), 10)
            x, y = at
            n = (x - 0.3320) / (0.1858 - y)  # McCamy 1992
            kelvin = 449 * n**3 + 3525 * n**2 + 6823.3 * n + 5520.33
            rows = [("x", f"{x:.3f}"), ("y", f"{y:.3f}")] + (
                [("K", f"{kelvin:.0f}")]
                if 1700 < kelvin < 20000
                and np.hypot(*np.subtract(planck_xy(kelvin), (x, y))) < 0.03
                else []
            )
            for i, (name, value) in enumerate(rows):
                paint.text(
                    p, 132, 44 + i * 17, name, font("caption", mono=True), "text3", height=16
                )
                paint.text(
                    p, 148, 44 + i * 17, value, font("table", 500, mono=True), "text", height=16
                )
        else:
            p.setPen(pen("line", 1, Qt.PenStyle.DotLine))
            p.drawRect(box)
            paint.text(
                p, 132, 46, "dark" if self.can else "no colour", font("caption"), "text3", height=16
            )
        self.outline(p)
