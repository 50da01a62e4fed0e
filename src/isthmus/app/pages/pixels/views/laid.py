"""A grid with a layer set on it, and the frame of one layer with handles: drag it to move, a corner
to size it, the dot beside it to turn it.
"""

from __future__ import annotations

import math
import time
from collections.abc import Callable, Mapping

from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPolygonF

from isthmus.app.kit.theme import pen, theme
from isthmus.app.kit.widgets import while_seen
from isthmus.app.model.workbench import Workbench
from isthmus.app.pages.pixels.views.grid_picture import Codes, GridPicture, screen_codes
from isthmus.pixels.plans import SetPlan
from isthmus.show.records import PictureLayer

GRIP, FAR = 5.0, 22.0  # pixels: half a handle, and how far the dot that turns is beside
SNAP = 6.0  # pixels within which edges go to those of the grid and its middle
TICK_MS = 66
Frame = tuple[float, float, float, float, float]  # x, y, width, height, turn


class LaidPicture(GridPicture):
    """`plan` is the set made ready, to be looked at blind, with what is dragged of its layer;
    None shows what is sent.
    """

    pad = 34  # the dot that turns is beside the grid
    framed = Signal(dict)  # what of the current layer is another now

    def __init__(
        self, bench: Workbench, plan: Callable[[Mapping[str, float]], SetPlan | None]
    ) -> None:
        super().__init__(bench)
        self.plan, self.layer = plan, None
        self.began = time.monotonic()
        self._held = ""  # the handle that is dragged
        self._from = QPointF()
        self._frame: Frame = (0.5, 0.5, 1.0, 1.0, 0.0)
        self.setObjectName("layers on the grid")
        self.setAccessibleName("The layer on the grid; arrows move it, with Ctrl they size it")
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.order = False
        while_seen(self, TICK_MS, self.update)

    def show_layer(self, layer: PictureLayer | None) -> None:
        self.layer = layer
        if layer is not None and not self._held:
            self._frame = layer.x, layer.y, layer.width, layer.height, layer.turn
        self.update()

    def colours(self) -> Codes:
        plan = self.plan(self._changes(self._frame) if self._held else {})
        if plan is None or self.grid is None or plan.count != len(self.grid.cells):
            return super().colours()
        return screen_codes(plan.colours(time.monotonic() - self.began)[:3].T)

    # ------------------------------------------------------------ the frame

    def _points(self, frame: Frame) -> dict[str, QPointF]:
        """Corners, sides and the dot that turns, in pixels."""
        whole = self.whole()
        x, y, width, height, turn = frame
        middle = QPointF(whole.left() + x * whole.width(), whole.top() + y * whole.height())
        half = width * whole.width() / 2, height * whole.height() / 2
        angle = math.radians(turn)

        def at(dx: float, dy: float) -> QPointF:
            return QPointF(
                middle.x() + dx * math.cos(angle) - dy * math.sin(angle),
                middle.y() + dx * math.sin(angle) + dy * math.cos(angle),
            )

        corners = {"-1-1": (-1, -1), "1-1": (1, -1), "11": (1, 1), "-11": (-1, 1)}
        found = {name: at(i * half[0], j * half[1]) for name, (i, j) in corners.items()}
        found["turn"] = at(half[0] + FAR, 0)
        found["middle"] = middle
        return found

    def draw(self, p: QPainter, event: QPaintEvent) -> None:
        p.save()
        super().draw(p, event)
        p.restore()
        if self.grid is None or self.layer is None:
            return
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        points = self._points(self._frame)
        outline = QPolygonF([points[n] for n in ("-1-1", "1-1", "11", "-11")])
        p.setPen(pen("abyss", 4))
        p.drawPolygon(outline)
        p.setPen(pen("coral", 1.6))
        p.drawPolygon(outline)
        side = (points["1-1"] + points["11"]) / 2
        p.drawLine(side, points["turn"])
        p.setBrush(theme.color("coral"))
        p.setPen(pen("abyss", 1))
        for name, point in points.items():
            if name == "turn":
                p.drawEllipse(point, GRIP, GRIP)
            elif name != "middle":
                p.drawRect(QRectF(point.x() - GRIP, point.y() - GRIP, 2 * GRIP, 2 * GRIP))

    # ------------------------------------------------------------ by mouse and keys

    def _at(self, point: QPointF) -> str:
        """The handle at a point; "middle" within the frame, "" beside it."""
        points = self._points(self._frame)
        for name, one in points.items():
            if name != "middle" and (one - point).manhattanLength() <= 3 * GRIP:
                return name
        outline = QPolygonF([points[n] for n in ("-1-1", "1-1", "11", "-11")])
        return "middle" if outline.containsPoint(point, Qt.FillRule.OddEvenFill) else ""

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if self.grid is None or self.layer is None:
            return
        self._held, self._from = self._at(event.position()), event.position()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        layer = self.layer
        if not self._held or layer is None:
            return
        whole, at = self.whole(), event.position()
        free = bool(event.modifiers() & Qt.KeyboardModifier.AltModifier)
        x, y, width, height, turn = layer.x, layer.y, layer.width, layer.height, layer.turn
        middle = self._points((x, y, width, height, turn))["middle"]
        if self._held == "middle":
            gone = at - self._from
            x, y = x + gone.x() / whole.width(), y + gone.y() / whole.height()
            if not free:
                x = _snapped(x, width, SNAP / whole.width())
                y = _snapped(y, height, SNAP / whole.height())
        elif self._held == "turn":
            angle = math.degrees(math.atan2(at.y() - middle.y(), at.x() - middle.x()))
            turn = round(angle) if free else 15 * round(angle / 15)
        else:
            x, y, width, height = self._sized(layer, at, middle, free)
        self._frame = x, y, width, height, float(turn)
        self.update()

    def _sized(
        self, layer: PictureLayer, at: QPointF, middle: QPointF, free: bool
    ) -> tuple[float, float, float, float]:
        """A corner dragged: the one across from it stays."""
        whole, angle = self.whole(), math.radians(layer.turn)
        opposite = {"-1-1": "11", "11": "-1-1", "1-1": "-11", "-11": "1-1"}[self._held]
        frame = layer.x, layer.y, layer.width, layer.height, layer.turn
        fixed = self._points(frame)[opposite]
        if not free and layer.turn % 360 == 0:
            at = QPointF(
                _snapped_edge(at.x(), whole.left(), whole.right()),
                _snapped_edge(at.y(), whole.top(), whole.bottom()),
            )
        apart, new = at - fixed, (at + fixed) / 2
        wide = abs(apart.x() * math.cos(angle) + apart.y() * math.sin(angle))
        high = abs(-apart.x() * math.sin(angle) + apart.y() * math.cos(angle))
        return (
            (new.x() - whole.left()) / whole.width(),
            (new.y() - whole.top()) / whole.height(),
            max(0.01, wide / whole.width()),
            max(0.01, high / whole.height()),
        )

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        held, self._held = self._held, ""
        if held and self.layer is not None:
            self._tell(self._frame)

    def _changes(self, frame: Frame) -> dict[str, float]:
        """What of the layer is another with this frame."""
        layer = self.layer
        names = ("x", "y", "width", "height", "turn")
        return {
            name: round(value, 4)
            for name, value in zip(names, frame, strict=True)
            if layer is not None and abs(getattr(layer, name) - value) > 1e-6
        }

    def _tell(self, frame: Frame) -> None:
        if changes := self._changes(frame):
            self.framed.emit(changes)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Arrows move by a place of the grid, with Ctrl they size it."""
        ways = {
            Qt.Key.Key_Left: (-1, 0),
            Qt.Key.Key_Right: (1, 0),
            Qt.Key.Key_Up: (0, -1),
            Qt.Key.Key_Down: (0, 1),
        }
        way = ways.get(Qt.Key(event.key()))
        if way is None or self.layer is None or self.grid is None:
            super().keyPressEvent(event)
            return
        x, y, width, height, turn = self._frame
        dx, dy = way[0] / self.grid.width, way[1] / self.grid.height
        if event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            self._tell((x, y, max(0.01, width + dx), max(0.01, height + dy), turn))
        else:
            self._tell((x + dx, y + dy, width, height, turn))


def _snapped(middle: float, size: float, near: float) -> float:
    """Edges to those of the grid, the middle to its middle."""
    for wanted in (0.5, size / 2, 1 - size / 2):
        if abs(middle - wanted) <= near:
            return wanted
    return middle


def _snapped_edge(at: float, low: float, high: float) -> float:
    for wanted in (low, high, (low + high) / 2):
        if abs(at - wanted) <= SNAP:
            return wanted
    return at
