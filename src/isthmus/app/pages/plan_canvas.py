"""The plan drawn to scale: structures, units by kind, their numbers, light and verdicts. Used on Plan and Roll call."""

from __future__ import annotations

import itertools
import math

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QFontMetricsF, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPolygonF, QResizeEvent, QWheelEvent
from PySide6.QtWidgets import QToolTip, QWidget

from isthmus.app import paint
from isthmus.app.theme import font, pen, theme
from isthmus.app.workbench import Workbench
from isthmus.gels import colour_of
from isthmus.profiles import Mode, Profile, chart, profiles_of
from isthmus.profiles.colour import encode_srgb
from isthmus.show.records import Structure, Unit
from isthmus.stage import move_units
from isthmus.stage.transforms import matrices

GRAB = 13  # px around a symbol that count as it
FLAT_KINDS = ("hull", "deck", "wall", "truss")


class PlanCanvas(QWidget):
    """Metres to pixels: x right, y (upstage) up. Dragging moves units only while `rearranging`."""

    def __init__(self, bench: Workbench) -> None:
        super().__init__()
        self.bench = bench
        self.rearranging = False
        self.labels = True
        self.scale = 40.0  # px a metre
        self.centre = (0.0, 0.0)
        self._fitted = True
        self._press: QPointF | None = None
        self._last = QPointF()
        self._box: QRectF | None = None
        self._drag: tuple[float, float] | None = None
        self._panning = False
        self._let_go = ""
        self.setObjectName("plan canvas")
        self.setAccessibleName("Plan")
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMinimumHeight(120)
        bench.changed.connect(self._changed)
        bench.selection_changed.connect(self.update)
        bench.levels_changed.connect(self.update)
        theme.changed.connect(self.update)

    def _changed(self, old: object, new: object) -> None:
        if self._fitted:
            self.fit()
        self.update()

    # ------------------------------------------------------------ metres and pixels

    def to_px(self, x: float, y: float) -> QPointF:
        return QPointF(self.width() / 2 + (x - self.centre[0]) * self.scale, self.height() / 2 - (y - self.centre[1]) * self.scale)

    def to_metres(self, at: QPointF) -> tuple[float, float]:
        return (at.x() - self.width() / 2) / self.scale + self.centre[0], (self.height() / 2 - at.y()) / self.scale + self.centre[1]

    def fit(self, ids: list[str] | None = None) -> None:
        """Fit everything, or the given units."""
        show = self.bench.show
        points = [u.position for u in show.units if u.position and (ids is None or u.id in ids)]
        corners = [corner for s in show.structures for corner in outline(s)] if ids is None else []
        xs, ys = [p[0] for p in points] + [c[0] for c in corners], [p[1] for p in points] + [c[1] for c in corners]
        if not xs:
            xs, ys = [-6.0, 6.0], [-4.0, 4.0]
        wide, high = max(max(xs) - min(xs), 2.0), max(max(ys) - min(ys), 2.0)
        self.centre = ((max(xs) + min(xs)) / 2, (max(ys) + min(ys)) / 2)
        self.scale = max(2.0, min((self.width() - 70) / wide, (self.height() - 76) / high, 400.0))
        self._fitted = ids is None
        self.update()

    def resizeEvent(self, event: QResizeEvent) -> None:
        if self._fitted:
            self.fit()

    def zoom(self, factor: float, at: QPointF | None = None) -> None:
        at = at or QPointF(self.width() / 2, self.height() / 2)
        before = self.to_metres(at)
        self.scale = max(2.0, min(600.0, self.scale * factor))
        after = self.to_metres(at)
        self.centre = (self.centre[0] + before[0] - after[0], self.centre[1] + before[1] - after[1])
        self._fitted = False
        self.update()

    # ------------------------------------------------------------ hands

    def unit_at(self, at: QPointF) -> Unit | None:
        """Of units one above another the one in hand comes first, then the highest."""
        near = []
        for unit in self.bench.show.units:
            if unit.position:
                d = self.to_px(unit.position[0], unit.position[1]) - at
                distance = math.hypot(d.x(), d.y())
                if distance <= GRAB:
                    near.append((unit.id not in self.bench.selection, round(distance / 5), -unit.position[2], unit.number, unit))
        return min(near, key=lambda n: n[:4])[4] if near else None

    def mousePressEvent(self, event: QMouseEvent) -> None:
        at = event.position()
        self._last = at
        if event.button() == Qt.MouseButton.MiddleButton or event.button() == Qt.MouseButton.RightButton:
            self._panning = True
            return
        self._press = at
        unit = self.unit_at(at)
        if unit:
            many = event.modifiers() & (Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier)
            if many and unit.id in self.bench.selection:
                self._let_go = unit.id  # on release, unless it was a drag: Shift also keeps a drag straight
            elif many:
                self.bench.toggle(unit.id)
            elif unit.id not in self.bench.selection:
                self.bench.select([unit.id])
            if self.rearranging and unit.id in self.bench.selection:
                self._drag = (0.0, 0.0)
        else:
            self._box = QRectF(at, at)
            if not event.modifiers():
                self.bench.select([])

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        at = event.position()
        if self._panning:
            d = at - self._last
            self.centre = (self.centre[0] - d.x() / self.scale, self.centre[1] + d.y() / self.scale)
            self._fitted = False
            self._last = at
            self.update()
        elif self._press is not None and self._drag is not None:
            d = at - self._press
            self._drag = self._measured(d.x() / self.scale, -d.y() / self.scale, event.modifiers())
            self.update()
        elif self._press is not None and self._box is not None:
            self._box = QRectF(self._press, at).normalized()
            self.update()
        else:
            unit = self.unit_at(at)
            if unit and unit.position:
                x, y, z = unit.position
                QToolTip.showText(
                    event.globalPosition().toPoint(),
                    f"{unit.number} {unit.name}\n{unit.hangs_on or 'nowhere yet'}; x {x:.2f}  y {y:.2f}  z {z:.2f} m",
                    self,
                )
            self.setCursor(Qt.CursorShape.SizeAllCursor if unit and self.rearranging else Qt.CursorShape.ArrowCursor)

    @staticmethod
    def _measured(dx: float, dy: float, modifiers: Qt.KeyboardModifier) -> tuple[float, float]:
        """Steps of 5 cm; Shift keeps to one direction; Alt is free."""
        if modifiers & Qt.KeyboardModifier.ShiftModifier:
            dx, dy = (dx, 0.0) if abs(dx) > abs(dy) else (0.0, dy)
        return (dx, dy) if modifiers & Qt.KeyboardModifier.AltModifier else (round(dx * 20) / 20, round(dy * 20) / 20)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self._drag and self._drag != (0.0, 0.0):
            dx, dy = self._drag
            self.move_selection(dx, dy)
        elif self._box is not None and (self._box.width() > 4 or self._box.height() > 4):
            found = [u for u in self.bench.show.units if u.position and self._box.contains(self.to_px(u.position[0], u.position[1]))]
            found.sort(key=lambda u: u.position or (0, 0, 0))
            before = self.bench.selection if event.modifiers() else []
            self.bench.select([*before, *(u.id for u in found)])
        elif self._let_go:
            self.bench.toggle(self._let_go)
        self._press = self._drag = self._box = None
        self._let_go = ""
        self._panning = False
        self.update()

    def move_selection(self, dx: float, dy: float) -> None:
        units = self.bench.selected()
        name = f"move {len(units)} units" if len(units) > 1 else f"move {units[0].number}"
        self.bench.guard(lambda: self.bench.commit(name, move_units(self.bench.show, self.bench.selection, (dx, dy, 0.0))))

    def wheelEvent(self, event: QWheelEvent) -> None:
        self.zoom(1.0015 ** event.angleDelta().y(), event.position())

    def keyPressEvent(self, event: QKeyEvent) -> None:
        step = 0.5 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 0.05
        moves = {Qt.Key.Key_Left: (-step, 0.0), Qt.Key.Key_Right: (step, 0.0), Qt.Key.Key_Up: (0.0, step), Qt.Key.Key_Down: (0.0, -step)}
        if event.key() in moves and self.bench.selection and self.rearranging:
            self.move_selection(*moves[Qt.Key(event.key())])
        elif event.key() in moves:
            dx, dy = moves[Qt.Key(event.key())]
            self.centre = (self.centre[0] + dx / step * 40 / self.scale, self.centre[1] + dy / step * 40 / self.scale)
            self._fitted = False
            self.update()
        elif event.key() == Qt.Key.Key_Escape:
            self._press = self._drag = self._box = None
            self.bench.select([])
        else:
            super().keyPressEvent(event)

    # ------------------------------------------------------------ paint

    def paintEvent(self, event: QPaintEvent) -> None:
        p = QPainter(self)
        p.fillRect(self.rect(), theme.color("water2"))
        self._grid(p)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        for structure in sorted(self.bench.show.structures, key=lambda s: (s.kind not in ("hull", "deck"), s.position[2])):
            self._structure(p, structure)
        self._units(p)
        if self._box is not None:
            p.setPen(pen("coral", 1, Qt.PenStyle.DashLine))
            p.setBrush(theme.color("coral", 0.10))
            p.drawRect(self._box)
        self._furniture(p)
        if self.hasFocus():
            p.setBrush(Qt.BrushStyle.NoBrush)
            p.setPen(pen("focus", 1.5))
            p.drawRect(QRectF(self.rect()).adjusted(1, 1, -1, -1))

    def _grid(self, p: QPainter) -> None:
        step = next(s for s in (0.5, 1, 2, 5, 10, 20, 50, 100, 500) if s * self.scale >= 24)
        x0, y1 = self.to_metres(QPointF(0, 0))
        x1, y0 = self.to_metres(QPointF(self.width(), self.height()))
        for i in range(math.floor(x0 / step), math.ceil(x1 / step) + 1):
            x = round(self.to_px(i * step, 0).x())
            p.fillRect(QRectF(x, 0, 1, self.height()), theme.color("line" if i == 0 else "graticule"))
        for i in range(math.floor(y0 / step), math.ceil(y1 / step) + 1):
            y = round(self.to_px(0, i * step).y())
            p.fillRect(QRectF(0, y, self.width(), 1), theme.color("line" if i == 0 else "graticule"))

    def _structure(self, p: QPainter, structure: Structure) -> None:
        shape = QPolygonF([self.to_px(x, y) for x, y in outline(structure)])
        if structure.kind == "hull":
            p.setPen(pen("land_edge", 1.4))
            p.setBrush(theme.color("land"))
        elif structure.kind in FLAT_KINDS:
            p.setPen(pen("line_strong", 1))
            p.setBrush(theme.color("foreshore"))
        else:
            p.setPen(pen("line_strong", 1.2))
            p.setBrush(theme.color("bank"))
        p.drawPolygon(shape)
        box = shape.boundingRect()
        if structure.kind in ("mast", "boom"):
            p.drawEllipse(box.center(), max(4.0, box.width() / 2), max(4.0, box.width() / 2))
        if structure.kind == "truss" and self.scale > 12:
            xs = [box.left() + i * box.width() / 24 for i in range(25)]
            p.setPen(pen("line", 1))
            for i, (a, b) in enumerate(itertools.pairwise(xs)):
                p.drawLine(QPointF(a, box.top() if i % 2 else box.bottom()), QPointF(b, box.bottom() if i % 2 else box.top()))
        if self.labels and self.scale > 18 and structure.kind in ("hull", "wall", "truss", "deck"):
            above = {"hull": box.height() - 18, "deck": 3.0}.get(structure.kind, -16.0)  # inside what one stands on, else over it
            paint.text(p, box.left() + 6, box.top() + above, structure.name, font("tick"), "text3", height=15)

    def _units(self, p: QPainter) -> None:
        bench = self.bench
        glow = bench.view.glow(bench.live.frame)
        ordinals = {u: i for i, u in enumerate(bench.selection, 1)}
        verdicts = {v.unit: v.result for v in bench.show.verdicts}
        called = bench.call.unit if bench.call else None
        profiles = profiles_of(bench.show)
        moved = self._drag or (0.0, 0.0)
        size = max(0.6, min(1.5, self.scale / 38))
        taken: list[QRectF] = []
        small = font("tick", 500, mono=True)
        fm = QFontMetricsF(small)
        units = [u for u in bench.show.units if u.position]
        if self._drag and self._drag != (0.0, 0.0):
            self._ghosts(p, units, ordinals)
        for unit in sorted(units, key=lambda u: (u.id in ordinals, (u.position or (0, 0, 0))[2])):
            x, y, _ = unit.position or (0, 0, 0)
            if unit.id in ordinals:
                x, y = x + moved[0], y + moved[1]
            at = self.to_px(x, y)
            if not self.rect().adjusted(-60, -60, 60, 60).contains(at.toPoint()):
                continue
            found = profiles.mode_of(unit)
            kind = symbol_kind(*found) if found else "lantern"
            level, rgb = glow.get(unit.id, (0.0, (1.0, 1.0, 1.0)))
            color = QColor.fromRgbF(*(float(v) for v in encode_srgb(np.array(rgb))))
            if level > 0:
                halo = QColor(color)
                for radius, alpha in ((26 * size, 0.10), (18 * size, 0.16), (12 * size, 0.22)):
                    halo.setAlphaF(alpha * (0.35 + 0.65 * level))
                    p.setPen(Qt.PenStyle.NoPen)
                    p.setBrush(halo)
                    p.drawEllipse(at, radius, radius)
            symbol(p, kind, at, unit, color if level > 0 else None, unit.id in ordinals, size)
            gel = colour_of(bench.show.gels, unit.gel) if unit.gel else None
            if gel is not None:
                p.setPen(pen("line_strong", 1))
                p.setBrush(QColor.fromRgbF(*(float(v) for v in encode_srgb(gel))))
                p.drawRect(QRectF(at.x() - 13 * size, at.y() + 4 * size, 6, 6))
            if unit.id == called:
                p.setBrush(Qt.BrushStyle.NoBrush)
                p.setPen(pen("coral", 2))
                p.drawEllipse(at, 17, 17)
                p.drawEllipse(at, 21, 21)
            if unit.id in verdicts:
                paint.severity(
                    p, {"answers": "ok", "wrong": "attention", "silent": "fault"}[verdicts[unit.id]], at.x() + 9, at.y() - 9, 4.6
                )
            if self.labels or unit.id in ordinals:
                self._label(p, unit, at, ordinals.get(unit.id), taken, small, fm)
        if self._drag:
            dx, dy = self._drag
            words = f"{dx:+.2f} m across, {dy:+.2f} m upstage"
            paint.text(p, self._last.x(), 8, "", small, "text")
            p.fillRect(QRectF(12, 10, fm.horizontalAdvance(words) + 16, 22), theme.color("select_row"))
            paint.text(p, 20, 10, words, small, "coral_text", height=22)

    def _ghosts(self, p: QPainter, units: list[Unit], ordinals: dict[str, int]) -> None:
        """Where the units in hand were."""
        p.setPen(pen("line_strong", 1, Qt.PenStyle.DotLine))
        p.setBrush(Qt.BrushStyle.NoBrush)
        for unit in units:
            if unit.id in ordinals and unit.position:
                p.drawEllipse(self.to_px(unit.position[0], unit.position[1]), 7, 7)

    def _label(self, p: QPainter, unit: Unit, at: QPointF, ordinal: int | None, taken: list[QRectF], of, fm: QFontMetricsF) -> None:
        words = str(unit.number)
        wide = fm.horizontalAdvance(words) + 2
        places = [
            QPointF(at.x() - wide / 2, at.y() + 10),
            QPointF(at.x() - wide / 2, at.y() - 23),
            QPointF(at.x() + 12, at.y() - 7),
            QPointF(at.x() - wide - 12, at.y() - 7),
        ]
        for place in places:
            box = QRectF(place.x(), place.y(), wide, 13)
            if ordinal or not any(box.intersects(other) for other in taken):
                taken.append(box)
                if ordinal:
                    p.setPen(Qt.PenStyle.NoPen)
                    p.setBrush(theme.color("select_row"))
                    p.drawRoundedRect(box.adjusted(-3, -1, 14, 1), 3, 3)
                    paint.text(p, box.right() + 1, box.y(), str(ordinal), font("tick", 600, mono=True), "coral_text", height=13)
                paint.text(p, box.x(), box.y(), words, of, "text" if ordinal else "text2", height=13)
                return

    def _furniture(self, p: QPainter) -> None:
        """Scale bar, and where the audience is."""
        length = next((s for s in (100, 50, 20, 10, 5, 2, 1, 0.5, 0.2) if s * self.scale <= 160), 0.1)
        x, y = 16.0, self.height() - 18.0
        p.setPen(Qt.PenStyle.NoPen)
        for i in range(4):
            p.setBrush(theme.color("text2" if i % 2 == 0 else "deep"))
            p.drawRect(QRectF(x + i * length * self.scale / 4, y, length * self.scale / 4, 4))
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.setPen(pen("text2", 1))
        p.drawRect(QRectF(x, y, length * self.scale, 4))
        paint.text(p, x, y - 17, f"{length:g} m", font("tick", mono=True), "text2", height=14)
        middle = self.width() / 2
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(theme.color("text3"))
        p.drawPolygon(paint.polygon((middle - 6, self.height() - 24), (middle + 6, self.height() - 24), (middle, self.height() - 17)))
        paint.text(p, middle - 60, self.height() - 16, "audience", font("tick"), "text3", paint.CENTER, 120, 14)


def outline(structure: Structure) -> list[tuple[float, float]]:
    """Corners of a structure seen from above, metres; a barge has a bow at both ends."""
    length, depth, _ = structure.size
    x, y = length / 2, max(depth / 2, 0.04)
    turn = matrices([structure.rotation])[0]
    local = [(-x, -y), (x, -y), (x, y), (-x, y)]
    return [
        (float(turn[0, 0] * a + turn[0, 1] * b + structure.position[0]), float(turn[1, 0] * a + turn[1, 1] * b + structure.position[1]))
        for a, b in local
    ]


def symbol_kind(profile: Profile, mode: Mode) -> str:
    """What a unit is drawn as: a mover turns, a bar has cells, all else is a lantern."""
    if any(channel.logical and channel.logical[0].attribute == "Pan" for channel in mode.channels):
        return "mover"
    return "cells" if chart(profile, mode).cells else "lantern"


def symbol(p: QPainter, kind: str, at: QPointF, unit: Unit, light: QColor | None, in_hand: bool, size: float = 1.0) -> None:
    """Our own symbols: a mover is a disc in a fork, a lantern a trapezium, a unit of cells a bar."""
    p.save()
    p.translate(at)
    p.scale(size, size)
    w, _, _, qz = unit.rotation
    p.rotate(-math.degrees(2 * math.atan2(qz, w)) if abs(w) > 1e-6 or abs(qz) > 1e-6 else 0)
    p.setPen(pen("coral" if in_hand else "text2", 2 if in_hand else 1.3))
    p.setBrush(light if light is not None else theme.color("shoal"))
    if kind == "mover":
        p.drawEllipse(QPointF(0, 0), 6, 6)
        p.drawLine(QPointF(-8.5, -5), QPointF(-8.5, 5))
        p.drawLine(QPointF(8.5, -5), QPointF(8.5, 5))
        p.drawLine(QPointF(-8.5, 0), QPointF(-6, 0))
        p.drawLine(QPointF(8.5, 0), QPointF(6, 0))
    elif kind == "cells":
        p.drawRect(QRectF(-11, -3.5, 22, 7))
        for x in (-6, 0, 6):
            p.drawLine(QPointF(x, -3.5), QPointF(x, 3.5))
    else:
        p.drawPolygon(paint.polygon((-5, -6.5), (5, -6.5), (7, 6.5), (-7, 6.5)))
        p.drawLine(QPointF(-7, 6.5), QPointF(7, 6.5))
    p.restore()
