"""A sheet in the window: looked at, chosen from, and, while rearranging, moved about on. Used on
Plan and Roll call.
"""

from __future__ import annotations

import itertools
from collections.abc import Sequence

import numpy as np
from PySide6.QtCore import QEvent, QPointF, QRectF, Qt, QTimer, Signal
from PySide6.QtGui import (
    QContextMenuEvent,
    QImage,
    QKeyEvent,
    QMouseEvent,
    QNativeGestureEvent,
    QPainter,
    QPaintEvent,
    QPixmap,
    QPolygonF,
    QResizeEvent,
    QShowEvent,
    QWheelEvent,
)
from PySide6.QtWidgets import QGestureEvent, QPinchGesture, QToolTip, QWidget

from isthmus.app.canvas import drawing
from isthmus.app.canvas.moment import Moment
from isthmus.app.canvas.overlay import draw_handles, handle_at, sign, tag
from isthmus.app.canvas.port import Port
from isthmus.app.canvas.pulling import Pulling
from isthmus.app.canvas.tools import Tool, inside
from isthmus.app.kit import paint
from isthmus.app.kit.theme import font, pen, theme
from isthmus.app.kit.widgets import bind, plain_tip
from isthmus.app.model.workbench import Workbench
from isthmus.layout.handles import Handle
from isthmus.layout.snap import Guide, snap
from isthmus.plural import many
from isthmus.sheets.sheets import AXES, locked_among, put_points, sheet
from isthmus.show.records import Sheet, Unit, Vec3
from isthmus.stage.landing import land, surfaces
from isthmus.stage.runs import world_run

GRAB = 13  # px around a symbol that count as it
REACH = 7.0  # px within which things snap
SETTLE_MS = 70  # of rest after which the still layer is drawn again
NUDGE, FINE_NUDGE, WIDE_NUDGE = 0.05, 0.01, 0.5  # metres


CLICK = 5  # pixels a click may move
NEAR, NEAR_EDGE = 9.0, 40.0  # metres around units that are come near to; pixels they keep clear


class PlanCanvas(QWidget):
    """`follow` the sheet of the workbench, or always show the plan."""

    hovered = Signal(float, float)
    tool_changed = Signal()
    menu_wanted = Signal(object)  # where on the screen

    def __init__(self, bench: Workbench, follow: bool = False) -> None:
        super().__init__()
        self.bench, self.follow = bench, follow
        self.port = Port()
        self.names = True
        self.tool: Tool | None = None
        self.shown: set[str] | None = None  # a filter: only these
        self.preview: dict[str, tuple[float, float]] = {}
        self.lux: drawing.Lux | None = None
        self.lux_colours = QImage()
        self.wrong = ""
        self._fitted = True
        self._laid: drawing.Laid | None = None
        self._layer: QPixmap | None = None
        self._layer_key: object = None
        self._layer_port = Port()
        self._underlay: tuple[object, QImage | None] = (None, None)
        self._press: QPointF | None = None
        self._last = QPointF()
        self._box: QRectF | None = None
        self._lasso: list[QPointF] | None = None
        self._drag: tuple[float, float] | None = None
        self._grabbed = ""
        self.guides: tuple[Guide, ...] = ()
        self.pulling = Pulling(bench)
        self._over = ""
        self._panning = False
        self._near: list[str] = []
        self._right: QPointF | None = None
        self._let_go = ""
        self.setObjectName("plan canvas")
        self.setAccessibleName("Plan")
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMinimumHeight(120)
        self.setAttribute(Qt.WidgetAttribute.WA_AcceptTouchEvents)
        self.grabGesture(Qt.GestureType.PinchGesture)
        self._rest = QTimer(self)
        self._rest.setSingleShot(True)
        self._rest.setInterval(SETTLE_MS)
        self._rest.timeout.connect(self._settled)
        bind(bench.changed, self, self._changed)
        for signal in (
            bench.selection.changed,
            bench.levels.changed,
            bench.selection.held_changed,
            bench.plan.state_changed,
            bench.plan.figures_changed,
            bench.plan.preview_changed,
            theme.changed,
        ):
            bind(signal, self, self.update)
        if follow:
            bind(bench.plan.sheet_changed, self, self._other_sheet)

    # ------------------------------------------------------------ what is shown

    @property
    def sheet(self) -> Sheet:
        return self.bench.plan.sheet if self.follow else sheet(self.bench.show, "plan")

    @property
    def laid(self) -> drawing.Laid:
        show, one = self.bench.plan.shown, self.sheet
        if self._laid is None or not self._laid.holds(show, one):
            self._laid = drawing.Laid(show, one)
        return self._laid

    def _changed(self) -> None:
        if self._fitted and self.isVisible() and not (self._press or self._panning):
            self.fit()
        self.update()

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        if self._fitted:
            self.fit()  # what changed meanwhile

    def _other_sheet(self) -> None:
        self.preview = {}
        self.set_tool(None)
        self.fit()

    def set_tool(self, tool: Tool | None) -> None:
        self.tool = tool
        self.preview = {}
        self.guides = ()
        self.setCursor(tool.cursor if tool else Qt.CursorShape.ArrowCursor)
        self.tool_changed.emit()
        self.update()

    def to_px(self, x: float, y: float) -> QPointF:
        return self.port.to_px(x, y)

    def to_metres(self, at: QPointF) -> tuple[float, float]:
        return self.port.to_metres(at)

    def level_at(self, at: tuple[float, float]) -> float:
        """How high the topmost level surface lies under a point of the plan."""
        on = [s for s in surfaces(self.bench.show.structures) if s.normal[2] > 0.9]
        points, _ = land(np.array([[at[0], at[1], 400.0]]), np.array([[0.0, 0.0, -1.0]]), on)
        return float(points[0, 2]) if np.isfinite(points[0, 2]) else 0.0

    # ------------------------------------------------------------ zoom and pan

    def fit(self, ids: list[str] | None = None) -> None:
        """Fit everything, or the given units."""
        if ids is not None:
            self.port.remember()
        self.port.fit(*self.laid.extent(ids))
        self._fitted = ids is None
        self.update()

    def near(self, ids: Sequence[str]) -> None:
        """Come near to some units and what is around them; everything, when none of them is on this
        sheet. Where they are well inside already nothing moves.
        """
        here = [unit for unit in ids if unit in self.laid.row]
        self._near = here
        if not here:
            self.fit()
            return
        low, high = self.laid.extent(here)
        inside = QRectF(self.rect()).adjusted(*(NEAR_EDGE * s for s in (1, 1, -1, -1)))
        corners = (self.to_px(*low), self.to_px(*high))
        if not self._fitted and all(inside.contains(at) for at in corners):
            return
        middle = [(a + b) / 2 for a, b in zip(low, high, strict=True)]
        half = [max((b - a) / 2, NEAR / 2) for a, b in zip(low, high, strict=True)]
        self.port.fit(
            (middle[0] - half[0], middle[1] - half[1]), (middle[0] + half[0], middle[1] + half[1])
        )
        self._fitted = False
        self.update()

    def back(self) -> None:
        if self.port.back():
            self._fitted = False
            self.update()

    def resizeEvent(self, event: QResizeEvent) -> None:
        self.port.wide, self.port.high = max(1, self.width()), max(1, self.height())
        if self._fitted:
            self.fit()
        elif self._near:
            self._fitted = True  # as it is now it was for another size
            self.near(self._near)

    def zoom(self, factor: float, at: QPointF | None = None) -> None:
        self.port.zoom(factor, at or QPointF(self.width() / 2, self.height() / 2))
        self._fitted, self._near = False, []
        self._rest.start()
        self.update()

    def _pinched(self, pinch: QPinchGesture) -> None:
        """Two fingers on a touch screen: apart and together zooms about them, both moved pans."""
        at = QPointF(self.mapFromGlobal(pinch.centerPoint().toPoint()))
        self._end()
        self.zoom(max(0.2, min(5.0, pinch.scaleFactor())), at)
        d = pinch.centerPoint() - pinch.lastCenterPoint()
        self._pan(d.x(), d.y())

    def _pan(self, dx: float, dy: float) -> None:
        self.port.pan(dx, dy)
        self._fitted = False
        self._rest.start()
        self.update()

    def _settled(self) -> None:
        self.update()

    def wheelEvent(self, event: QWheelEvent) -> None:
        if event.pixelDelta().isNull() or event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            self.zoom(1.0015 ** event.angleDelta().y(), event.position())
        else:  # a touch pad pans with two fingers
            self._pan(event.pixelDelta().x(), event.pixelDelta().y())

    def event(self, event: QEvent) -> bool:
        if (
            isinstance(event, QNativeGestureEvent)
            and event.gestureType() == Qt.NativeGestureType.ZoomNativeGesture
        ):
            self.zoom(1.0 + event.value(), event.position())
            return True
        if isinstance(event, QGestureEvent) and isinstance(
            pinch := event.gesture(Qt.GestureType.PinchGesture), QPinchGesture
        ):
            self._pinched(pinch)
            return True
        keys = (Qt.Key.Key_Escape, Qt.Key.Key_Home)
        if (
            event.type() == QEvent.Type.ShortcutOverride
            and isinstance(event, QKeyEvent)
            and event.key() in keys
            and not event.modifiers()
        ):
            event.accept()
            return True
        return super().event(event)

    # ------------------------------------------------------------ hands

    def unit_at(self, at: QPointF) -> Unit | None:
        """Of units one above another the one selected comes first, then the highest."""
        laid = self.laid
        if not len(laid.points):
            return None
        px = laid.px(self.port)
        away = np.hypot(px[:, 0] - at.x(), px[:, 1] - at.y())
        near = np.flatnonzero(away <= GRAB)
        if not len(near):
            return None
        held = set(self.bench.selection.ids)
        units = [
            laid.drawn[i].unit
            for i in near
            if self.shown is None or laid.drawn[i].unit.id in self.shown
        ]
        distance = {laid.drawn[i].unit.id: round(float(away[i]) / 5) for i in near}
        return min(
            units,
            key=lambda u: (
                u.id not in held,
                distance[u.id],
                -(u.position or (0, 0, 0))[2],
                u.number,
            ),
            default=None,
        )

    @property
    def dragged(self) -> tuple[float, float] | None:
        """How far what is selected is dragged just now, metres; None when it rests."""
        return self._drag if self._drag != (0.0, 0.0) else None

    @property
    def rearranging(self) -> bool:
        return self.follow and self.bench.plan.rearranging

    def mousePressEvent(self, event: QMouseEvent) -> None:
        at = event.position()
        self._last = at
        if event.button() in (Qt.MouseButton.MiddleButton, Qt.MouseButton.RightButton):
            self._panning = True
            self._right = at if event.button() == Qt.MouseButton.RightButton else None
            self._press = None
            self.port.remember()
            return
        self._press = at
        if self.tool is not None:
            self.tool.press(self._snapped(at, event.modifiers()))
            self.update()
            return
        handle = handle_at(at, self.handles(), self.handle_px)
        if handle is not None:
            self.pulling.take(handle, handle.point)
            return
        unit = self.unit_at(at)
        alt = event.modifiers() & Qt.KeyboardModifier.AltModifier
        if unit and not (alt and not self.rearranging):
            many = event.modifiers() & (
                Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier
            )
            if many and unit.id in self.bench.selection.ids:
                self._let_go = (
                    unit.id
                )  # on release, unless it was a drag: Shift also keeps a drag straight
            elif many:
                self.bench.selection.toggle(unit.id)
            elif unit.id not in self.bench.selection.ids:
                self.bench.selection.select([unit.id])
            if self.rearranging and unit.id in self.bench.selection.ids:
                self._drag = (0.0, 0.0)
                self._grabbed = unit.id
        elif alt:
            self._lasso = [at]
        else:
            self._box = QRectF(at, at)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        at = event.position()
        self.hovered.emit(*self.port.to_metres(at))
        if self._panning:
            d = at - self._last
            self._last = at
            self._pan(d.x(), d.y())
        elif self.tool is not None:
            point = self._snapped(at, event.modifiers())
            if self._press is not None:
                self.tool.drag(point)
            self.update()
        elif self._press is not None and self.pulling.handle is not None:
            free = bool(event.modifiers() & Qt.KeyboardModifier.AltModifier)
            self.pulling.pull(self._on_sheet(self.pulling.handle, at), free)
        elif self._press is not None and self._drag is not None:
            self._drag = self._measured(at, event.modifiers())
            self.update()
        elif self._press is not None and self._lasso is not None:
            self._lasso.append(at)
            self.update()
        elif self._press is not None and self._box is not None:
            self._box = QRectF(self._press, at).normalized()
            self.update()
        else:
            self._hover(at, event)
        self._last = at

    def _hover(self, at: QPointF, event: QMouseEvent) -> None:
        found = handle_at(at, self.handles(), self.handle_px)
        over = found.name if found else ""
        if over != self._over:
            self._over = over
            self.update()
        unit = self.unit_at(at)
        if unit and unit.position:
            x, y, z = unit.position
            words = (
                f"{unit.number} {unit.name}\n{unit.hangs_on or 'nowhere yet'}; x {x:.2f}  y "
                f"{y:.2f}  z {z:.2f} m"
            )
            QToolTip.showText(event.globalPosition().toPoint(), plain_tip(words), self)
        moves = unit is not None and self.rearranging
        self.setCursor(
            Qt.CursorShape.PointingHandCursor
            if over
            else Qt.CursorShape.SizeAllCursor
            if moves
            else Qt.CursorShape.ArrowCursor
        )

    def _others(self) -> np.ndarray:
        held = set(self.bench.selection.ids)
        return np.array(
            [
                p
                for d, p in zip(self.laid.drawn, self.laid.points, strict=True)
                if d.unit.id not in held
            ]
        ).reshape(-1, 2)

    def _segments(self) -> np.ndarray:
        """Runs of structures on this sheet, (m, 2, 2) metres."""
        one = self.sheet
        if one.kind == "free":
            return np.zeros((0, 2, 2))
        axes = list(AXES[one.kind])
        found = []
        for s in self.bench.show.structures:
            if s.kind not in ("hull", "deck", "mesh", "wall"):
                path = world_run(s)[:, axes]
                found += [
                    np.stack([a, b])
                    for a, b in itertools.pairwise(path)
                    if np.hypot(*(b - a)) > 0.05
                ]
        return np.array(found).reshape(-1, 2, 2)

    def _snapped(self, at: QPointF, modifiers: Qt.KeyboardModifier) -> tuple[float, float]:
        """The point meant: drawn to what is near, unless Alt is held or the tool does not
        want it.
        """
        x, y = self.port.to_metres(at)
        self.guides = ()
        if modifiers & Qt.KeyboardModifier.AltModifier or (
            self.tool is not None and not self.tool.snaps
        ):
            return x, y
        made = snap((x, y), REACH / self.port.scale, self._others(), self._segments(), NUDGE)
        self.guides = made.guides
        if made.guides:
            return made.point
        return round(x / NUDGE) * NUDGE, round(y / NUDGE) * NUDGE

    def _measured(self, at: QPointF, modifiers: Qt.KeyboardModifier) -> tuple[float, float]:
        """How far the drag leads: in steps, drawn to others in line; Shift keeps to one direction;
        Alt is free.
        """
        assert self._press is not None
        d = at - self._press
        dx, dy = d.x() / self.port.scale, -d.y() / self.port.scale
        self.guides = ()
        straight = modifiers & Qt.KeyboardModifier.ShiftModifier
        if straight:
            dx, dy = (dx, 0.0) if abs(dx) > abs(dy) else (0.0, dy)
        if modifiers & Qt.KeyboardModifier.AltModifier:
            return dx, dy
        dx, dy = round(dx / NUDGE) * NUDGE, round(dy / NUDGE) * NUDGE
        if straight or self._grabbed not in self.laid.row:
            return dx, dy
        x, y = (float(v) for v in self.laid.points[self.laid.row[self._grabbed]])
        made = snap((x + dx, y + dy), REACH / self.port.scale, self._others(), self._segments())
        self.guides = made.guides
        return (made.point[0] - x, made.point[1] - y) if made.guides else (dx, dy)

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        """By the mouse it comes on release, for a right drag moves the sheet."""
        if event.reason() != QContextMenuEvent.Reason.Mouse:
            self.menu_wanted.emit(event.globalPos())

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        at = event.position()
        if self._right is not None and (at - self._right).manhattanLength() < CLICK:
            self.menu_wanted.emit(event.globalPosition().toPoint())
        self._right = None
        if self.tool is not None and self._press is not None:
            self.tool.release(self._snapped(at, event.modifiers()))
        elif self.pulling.handle is not None:
            self.pulling.let_go()
        elif self.dragged:
            self.move_selection(*self.dragged, settle=True)
        elif self._lasso is not None and len(self._lasso) > 2:
            self._take(
                [i for i, p in self._in_view() if inside(self._lasso, p[0], p[1])],
                event.modifiers(),
            )
        elif self._box is not None and (self._box.width() > 4 or self._box.height() > 4):
            self._take(
                [i for i, p in self._in_view() if self._box.contains(QPointF(*p))],
                event.modifiers(),
            )
        elif self._box is not None and not event.modifiers():
            self._click_beside(at)
        elif self._let_go:
            self.bench.selection.toggle(self._let_go)
        self._end()

    def _click_beside(self, at: QPointF) -> None:
        """A click that meets no unit: a structure while rearranging, else nothing is selected."""
        found = self.structure_at(at) if self.rearranging else ""
        self.bench.selection.hold(found)
        if not found:
            self.bench.selection.select([])

    def _end(self) -> None:
        self._press = self._drag = self._box = self._lasso = None
        self._let_go = self._grabbed = ""
        if self.pulling.handle is not None:
            self.pulling.drop()
        self.guides = ()
        self._panning = False
        self.update()

    def _in_view(self) -> list[tuple[str, tuple[float, float]]]:
        px = self.laid.px(self.port)
        return [
            (d.unit.id, (float(p[0]), float(p[1])))
            for d, p in zip(self.laid.drawn, px, strict=True)
            if self.shown is None or d.unit.id in self.shown
        ]

    def _take(self, found: list[str], modifiers: Qt.KeyboardModifier) -> None:
        """In order from left to right. With Ctrl or Shift added; with both removed."""
        row, points = self.laid.row, self.laid.points
        found.sort(key=lambda i: (round(float(points[row[i]][0]), 3), float(points[row[i]][1])))
        ctrl = modifiers & Qt.KeyboardModifier.ControlModifier
        shift = modifiers & Qt.KeyboardModifier.ShiftModifier
        if ctrl and shift:
            gone = set(found)
            self.bench.selection.select([u for u in self.bench.selection.ids if u not in gone])
        else:
            self.bench.selection.select(
                [*(self.bench.selection.ids if ctrl or shift else []), *found]
            )

    def move_selection(self, dx: float, dy: float, settle: bool = False) -> None:
        units = self.bench.selection.units()
        points = {
            u.id: self.laid.points[self.laid.row[u.id]] for u in units if u.id in self.laid.row
        }
        places = {i: (float(p[0]) + dx, float(p[1]) + dy) for i, p in points.items()}
        name = f"move {many(len(units), 'unit')}" if len(units) > 1 else f"move {units[0].number}"
        self.lay(name, places, settle)

    def lay(self, name: str, places: dict[str, tuple[float, float]], settle: bool = True) -> bool:
        """Put units at places of the sheet; those that are locked stay, and are named."""
        bench = self.bench
        locked = locked_among(bench.show, places) if self.sheet.kind != "free" else []
        done = bench.guard(
            lambda: bench.commit(name, put_points(bench.show, self.sheet, places, settle))
        )
        if done and locked:
            bench.tell(
                "attention",
                f"{', '.join(map(str, locked[:8]))} {'is' if len(locked) == 1 else 'are'} "
                "locked and stayed.",
            )
        return done

    def keyPressEvent(self, event: QKeyEvent) -> None:
        shift, alt = (
            event.modifiers() & m
            for m in (Qt.KeyboardModifier.ShiftModifier, Qt.KeyboardModifier.AltModifier)
        )
        step = WIDE_NUDGE if shift else FINE_NUDGE if alt else NUDGE
        moves = {
            Qt.Key.Key_Left: (-1, 0),
            Qt.Key.Key_Right: (1, 0),
            Qt.Key.Key_Up: (0, 1),
            Qt.Key.Key_Down: (0, -1),
        }
        if event.key() in moves and self.bench.selection.ids and self.rearranging:
            dx, dy = moves[Qt.Key(event.key())]
            self.move_selection(dx * step, dy * step)
        elif event.key() in moves:
            dx, dy = moves[Qt.Key(event.key())]
            self._pan(-dx * 40, dy * 40)
        elif event.key() == Qt.Key.Key_Home:
            self.fit()
        elif event.key() == Qt.Key.Key_Escape:
            busy = self._press is not None or self.tool is not None
            self._end()
            if self.tool is not None:
                self.set_tool(None)
            elif not busy:
                self.bench.selection.hold("")
                self.bench.selection.select([])
        else:
            super().keyPressEvent(event)

    # ------------------------------------------------------------ handles of a structure

    def handles(self) -> list[Handle]:
        kind = self.sheet.kind
        if not self.follow or kind == "free":
            return []
        return [
            h
            for h in self.pulling.handles(units=False)
            if not (h.up if kind == "plan" else h.name == "turn")
        ]

    def handle_px(self, handle: Handle) -> QPointF:
        right, up = AXES[self.sheet.kind]
        return self.port.to_px(handle.point[right], handle.point[up])

    def _on_sheet(self, handle: Handle, at: QPointF) -> Vec3:
        """Where a pull leads: on the sheet, with what the sheet does not show as it is."""
        to = list(handle.point)
        right, up = AXES[self.sheet.kind]
        to[right], to[up] = self.port.to_metres(at)
        return to[0], to[1], to[2]

    def structure_at(self, at: QPointF) -> str:
        """The structure whose line is under the pointer, thin ones before those that cover
        ground.
        """
        best, found = 9.0, ""
        for one, paths in self.laid.outlines:
            for path in paths[:1]:
                px = np.array(
                    [(p.x(), p.y()) for p in (self.port.to_px(x, y) for x, y in path.points)]
                )
                a, b = px, np.roll(px, -1, axis=0)
                way = b - a
                square = np.maximum((way * way).sum(axis=1), 1e-9)
                share = np.clip(((np.array([at.x(), at.y()]) - a) * way).sum(axis=1) / square, 0, 1)
                away = float(np.hypot(*(a + way * share[:, None] - (at.x(), at.y())).T).min())
                thin = one.kind not in ("hull", "deck")
                inner = thin and inside([QPointF(*p) for p in px], at.x(), at.y())
                away = min(away, 1.0) if inner else away + (0 if thin else 3)
                if away < best:
                    best, found = away, one.id
        return found

    # ------------------------------------------------------------ paint

    def paintEvent(self, event: QPaintEvent) -> None:
        p = QPainter(self)
        self._still(p)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        moment = Moment(self, p)
        moment.units()
        moment.structure_held()
        for role, shape in (("coral", self._box),):
            if shape is not None:
                p.setPen(pen(role, 1, Qt.PenStyle.DashLine))
                p.setBrush(theme.color(role, 0.10))
                p.drawRect(shape)
        if self._lasso:
            p.setPen(pen("coral", 1, Qt.PenStyle.DashLine))
            p.setBrush(theme.color("coral", 0.10))
            p.drawPolygon(QPolygonF(self._lasso))
        moment.guides()
        drawing.furniture(p, self.port, self.sheet.kind == "plan")
        if self.lux is not None and self.sheet.kind == "plan":
            drawing.lux_legend(p, self.port, self.lux, self.lux_colours)
        draw_handles(
            p,
            self.handles(),
            self.handle_px,
            self.pulling.handle.name if self.pulling.handle else self._over,
        )
        self._words(p)
        p.setBrush(Qt.BrushStyle.NoBrush)
        if self.rearranging:
            p.setPen(pen("coral", 2))
            p.drawRect(QRectF(self.rect()).adjusted(1, 1, -1, -1))
        elif self.hasFocus():
            p.setPen(pen("focus", 1.5))
            p.drawRect(QRectF(self.rect()).adjusted(1, 1, -1, -1))

    def _faded(self) -> set[str]:
        """Who is not in the still layer: filtered out, or on the move."""
        moving = set(self.preview) | (set(self.bench.selection.ids) if self.dragged else set())
        if self.shown is None:
            return moving
        return moving | {d.unit.id for d in self.laid.drawn if d.unit.id not in self.shown}

    def _still(self, p: QPainter) -> None:
        """The layer of what stands still: drawn again when one has come to rest, until then moved
        and stretched.
        """
        port, laid, ratio = self.port, self.laid, self.devicePixelRatioF()
        lux = self.lux if self.sheet.kind == "plan" else None
        what = (
            laid,
            frozenset(self._faded()),
            theme.name,
            self.names,
            port.wide,
            port.high,
            ratio,
            id(lux),
        )
        where = (port.scale, port.centre)
        if (
            self._layer is not None
            and self._rest.isActive()
            and self._layer_key is not None
            and self._layer_key[0] == what  # type: ignore[index]
        ):
            old = self._layer_port
            p.fillRect(self.rect(), theme.color("water2"))
            stretch = port.scale / old.scale
            corner = port.to_px(*old.to_metres(QPointF(0, 0)))
            p.drawPixmap(
                QRectF(corner.x(), corner.y(), old.wide * stretch, old.high * stretch),
                self._layer,
                QRectF(self._layer.rect()),
            )
            return
        if self._layer is None or self._layer_key != (what, where):
            under = self.sheet.underlay
            if self._underlay[0] is not under:
                self._underlay = (under, drawing.underlay_image(self.bench.show, self.sheet))
            self._layer = drawing.still(
                laid, port, ratio, what[1], self.names, self._underlay[1], lux
            )
            self._layer_key = (what, where)
            self._layer_port = Port(port.wide, port.high, port.scale, port.centre)
        p.drawPixmap(0, 0, self._layer)

    def _words(self, p: QPainter) -> None:
        """What is being done, at the top left; a filter in force loudly at the top right."""
        words = self.bench.plan.preview_words or self.wrong
        if self.dragged:
            dx, dy = self.dragged
            up = "upstage" if self.sheet.kind == "plan" else "up"
            words = f"{dx:+.2f} m across, {dy:+.2f} m {up}"
        elif self.tool is not None and not words:
            words = self.tool.words
        if words:
            tag(p, QPointF(12, 10), words)
        if self.shown is not None:
            count = sum(d.unit.id in self.shown for d in self.laid.drawn)
            text = f"Filter: {count} of {len(self.laid.drawn)} shown"
            small = font("table", 600)
            wide = 190
            box = QRectF(self.width() - wide - 10, 8, wide, 24)
            p.fillRect(box, theme.color("ochre"))
            paint.text(p, box.x(), box.y(), text, small, "on_ochre", paint.CENTER, wide, 24)
        if not self.laid.drawn and self.follow:
            sign(
                p,
                self.width(),
                self.height(),
                "No units on this sheet",
                "Select units in a table, then place them along a line, a path, a circle or "
                "in a grid.",
            )
