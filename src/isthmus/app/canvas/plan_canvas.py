"""A sheet in the window: looked at, chosen from, and, while rearranging, moved about on. Used on
Plan and Roll call.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from PySide6.QtCore import QEvent, QPointF, QRectF, Qt, Signal
from PySide6.QtGui import (
    QContextMenuEvent,
    QImage,
    QKeyEvent,
    QMouseEvent,
    QNativeGestureEvent,
    QPainter,
    QPaintEvent,
    QPolygonF,
    QResizeEvent,
    QShowEvent,
    QWheelEvent,
)
from PySide6.QtWidgets import QGestureEvent, QPinchGesture, QWidget

from isthmus.app.canvas import drawing
from isthmus.app.canvas.moment import Moment
from isthmus.app.canvas.overlay import draw_handles, sign, tag
from isthmus.app.canvas.plan_hands import PlanHands
from isthmus.app.canvas.sight import Sight
from isthmus.app.canvas.snapping import NUDGE, Snapping
from isthmus.app.canvas.still_layer import StillLayer
from isthmus.app.canvas.tools import Tool
from isthmus.app.canvas.under import Under
from isthmus.app.canvas.viewport import Viewport
from isthmus.app.kit import paint
from isthmus.app.kit.painted import Painted
from isthmus.app.kit.theme import font, pen, theme
from isthmus.app.kit.widgets import bind
from isthmus.app.model.workbench import Workbench
from isthmus.output import Live
from isthmus.plural import many
from isthmus.sheets.sheets import locked_among, newly_held, put_points, sheet
from isthmus.show.records import Sheet, Show
from isthmus.stage.landing import land, surfaces

FINE_NUDGE, WIDE_NUDGE = 0.01, 0.5  # metres


class PlanCanvas(Painted, QWidget):
    """`follow` the sheet of the workbench, or always show the plan.

    Where one looks is in `sight`, what lies under the pointer in `under`, what the pointer means in
    `snapping`, what the mouse does in `hands`, and what stands still is painted by `still`.
    """

    hovered = Signal(float, float)
    tool_changed = Signal()
    menu_wanted = Signal(object)  # where on the screen

    def __init__(self, bench: Workbench, follow: bool = False) -> None:
        super().__init__()
        self.bench, self.follow = bench, follow
        self.port = Viewport()
        self.names = True
        self.tool: Tool | None = None
        self.shown: set[str] | None = None  # a filter: only these
        self.preview: dict[str, tuple[float, float]] = {}
        self.live: Live | None = None  # shown in place of what is sent
        self.lux: drawing.Lux | None = None
        self.lux_colours = QImage()
        self.wrong = ""
        self._laid: drawing.Laid | None = None
        self.sight = Sight(self)
        self.under = Under(self)
        self.snapping = Snapping(self)
        self.hands = PlanHands(self)
        self.still = StillLayer(self)
        self.setObjectName("plan canvas")
        self.setAccessibleName("Plan")
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMinimumHeight(120)
        self.setAttribute(Qt.WidgetAttribute.WA_AcceptTouchEvents)
        self.grabGesture(Qt.GestureType.PinchGesture)
        bind(bench.changed, self, self._changed)
        for signal in (
            bench.selection.changed,
            bench.levels.changed,
            bench.selection.held_changed,
            bench.plan.state_changed,
            bench.plan.figures_changed,
            bench.plan.preview_changed,
            bench.plan.ghosts_changed,
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
            self._laid = drawing.Laid(show, one, self._laid)
        return self._laid

    def _changed(self) -> None:
        if self.isVisible() and not (self.hands.pressed or self.hands.panning):
            self.sight.follow()
        self.update()

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        if self.sight.fitted:
            self.sight.fit()  # what changed meanwhile

    def _other_sheet(self) -> None:
        self.preview = {}
        self.set_tool(None)
        self.sight.fit()

    def set_tool(self, tool: Tool | None) -> None:
        self.tool = tool
        self.preview = {}
        self.snapping.guides = ()
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

    def wheelEvent(self, event: QWheelEvent) -> None:
        if event.pixelDelta().isNull() or event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            self.sight.zoom(1.0015 ** event.angleDelta().y(), event.position())
        else:  # a touch pad pans with two fingers
            self.sight.pan(event.pixelDelta().x(), event.pixelDelta().y())

    def event(self, event: QEvent) -> bool:
        if (
            isinstance(event, QNativeGestureEvent)
            and event.gestureType() == Qt.NativeGestureType.ZoomNativeGesture
        ):
            self.sight.zoom(1.0 + event.value(), event.position())
            return True
        if isinstance(event, QGestureEvent) and isinstance(
            pinch := event.gesture(Qt.GestureType.PinchGesture), QPinchGesture
        ):
            self.sight.pinched(pinch)
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

    @property
    def rearranging(self) -> bool:
        return self.follow and self.bench.plan.rearranging

    def resizeEvent(self, event: QResizeEvent) -> None:
        self.sight.resized()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self.hands.press(event)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        self.hands.move(event)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        self.hands.release(event)

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        """By the mouse it comes on release, for a right drag moves the sheet."""
        if event.reason() != QContextMenuEvent.Reason.Mouse:
            self.menu_wanted.emit(event.globalPos())

    def move_selection(self, dx: float, dy: float, settle: bool = False) -> None:
        units, laid = self.bench.selection.units(), self.laid
        points = {u.id: laid.points[laid.row[u.id]] for u in units if u.id in laid.row}
        places = {i: (float(p[0]) + dx, float(p[1]) + dy) for i, p in points.items()}
        name = f"move {many(len(units), 'unit')}" if len(units) > 1 else f"move {units[0].number}"
        self.lay(name, places, settle)

    def lay(
        self,
        name: str,
        places: dict[str, tuple[float, float]],
        settle: bool = True,
        any_height: bool = False,
        then: Callable[[Show], Show] = lambda show: show,
    ) -> bool:
        """Put units at places of the sheet; those that are locked stay, and are named, and so are
        those that come to hang on a structure or leave one. `then` belongs to the same edit.
        """
        bench, before = self.bench, self.bench.show
        locked = locked_among(before, places) if self.sheet.kind != "free" else []
        done = bench.guard(
            lambda: bench.commit(
                name, then(put_points(before, self.sheet, places, settle, any_height))
            )
        )
        words = newly_held(before, bench.show, places) if done else []
        if done and locked:
            one = len(locked) == 1
            words.append(
                f"{', '.join(map(str, locked[:8]))} {'is' if one else 'are'} locked and stayed."
            )
        if words:
            bench.tell("attention" if locked else "note", " ".join(words))
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
            self.sight.pan(-dx * 40, dy * 40)
        elif event.key() == Qt.Key.Key_Home:
            self.sight.fit()
        elif event.key() == Qt.Key.Key_Escape:
            busy = self.hands.pressed is not None or self.tool is not None
            self.hands.end()
            if self.tool is not None:
                self.set_tool(None)
            elif not busy:
                self.bench.selection.hold("")
                self.bench.selection.select([])
        else:
            super().keyPressEvent(event)

    # ------------------------------------------------------------ handles of a structure

    # ------------------------------------------------------------ paint

    def draw(self, p: QPainter, event: QPaintEvent) -> None:
        self.still.paint(p)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        moment = Moment(self, p)
        if self.follow:
            moment.haunted()
        moment.units()
        moment.structure_held()
        for role, shape in (("coral", self.hands.box),):
            if shape is not None:
                p.setPen(pen(role, 1, Qt.PenStyle.DashLine))
                p.setBrush(theme.color(role, 0.10))
                p.drawRect(shape)
        if self.hands.lasso:
            p.setPen(pen("coral", 1, Qt.PenStyle.DashLine))
            p.setBrush(theme.color("coral", 0.10))
            p.drawPolygon(QPolygonF(self.hands.lasso))
        moment.guides()
        drawing.furniture(p, self.port, self.sheet.kind == "plan")
        if self.lux is not None and self.sheet.kind == "plan":
            drawing.lux_legend(p, self.port, self.lux, self.lux_colours)
        draw_handles(
            p,
            self.hands.handles(),
            self.hands.handle_px,
            self.hands.pulling.handle.name if self.hands.pulling.handle else self.hands.over,
        )
        self._words(p)
        p.setBrush(Qt.BrushStyle.NoBrush)
        if self.rearranging:
            p.setPen(pen("coral", 2))
            p.drawRect(QRectF(self.rect()).adjusted(1, 1, -1, -1))
        elif self.hasFocus():
            p.setPen(pen("focus", 1.5))
            p.drawRect(QRectF(self.rect()).adjusted(1, 1, -1, -1))

    def _words(self, p: QPainter) -> None:
        """What is being done, at the top left; a filter in force loudly at the top right."""
        words = self.bench.plan.preview_words or self.wrong
        if self.hands.dragged:
            dx, dy = self.hands.dragged
            up = "upstage" if self.sheet.kind == "plan" else "up"
            words = f"{dx:+.2f} m across, {dy:+.2f} m {up}"
        elif self.tool is not None and not words:
            words = self.tool.words
        if words:
            tag(p, QPointF(12, 10), words)
        elif self.follow and (ghosts := self.bench.plan.ghosts):
            tag(p, QPointF(12, 10), ghosts.words)
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
