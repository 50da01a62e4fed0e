"""What the mouse does on a sheet: selects, drags, pulls handles, draws for a tool, pans."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QMouseEvent
from PySide6.QtWidgets import QToolTip

from isthmus.app.canvas.overlay import handle_at
from isthmus.app.canvas.pulling import Pulling
from isthmus.app.canvas.tools import inside
from isthmus.app.kit.widgets import plain_tip
from isthmus.layout.handles import Handle
from isthmus.sheets.sheets import AXES
from isthmus.show.records import Vec3

if TYPE_CHECKING:
    from isthmus.app.canvas.plan_canvas import PlanCanvas

CLICK = 5  # pixels a click may move


class PlanHands:
    """One thing at a time: a tool, a handle, a drag of units, a lasso, or a box."""

    def __init__(self, canvas: PlanCanvas) -> None:
        self.canvas = canvas
        self.pulling = Pulling(canvas.bench)
        self.pressed: QPointF | None = None
        self.box: QRectF | None = None
        self.lasso: list[QPointF] | None = None
        self.grabbed = ""  # the unit the drag began on
        self.over = ""  # the handle under the pointer
        self.panning = False
        self._last = QPointF()
        self._drag: tuple[float, float] | None = None
        self._right: QPointF | None = None
        self._let_go = ""
        self._narrow = ""  # one of several selected that was pressed: on release it alone stays

    @property
    def dragged(self) -> tuple[float, float] | None:
        """How far what is selected is dragged just now, metres; None when it rests."""
        return self._drag if self._drag != (0.0, 0.0) else None

    def press(self, event: QMouseEvent) -> None:
        at = event.position()
        self._last = at
        if event.button() in (Qt.MouseButton.MiddleButton, Qt.MouseButton.RightButton):
            self.panning = True
            self._right = at if event.button() == Qt.MouseButton.RightButton else None
            self.pressed = None
            self.canvas.port.remember()
            return
        self.pressed = at
        if self.canvas.tool is not None:
            self.canvas.tool.press(self.canvas.snapping.point(at, event.modifiers()))
            self.canvas.update()
            return
        handle = handle_at(at, self.handles(), self.handle_px)
        if handle is not None:
            self.pulling.take(handle, handle.point)
            return
        unit = self.canvas.under.unit(at)
        alt = event.modifiers() & Qt.KeyboardModifier.AltModifier
        if unit and not (alt and not self.canvas.rearranging):
            many = event.modifiers() & (
                Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier
            )
            if many and unit.id in self.canvas.bench.selection.ids:
                self._let_go = (
                    unit.id
                )  # on release, unless it was a drag: Shift also keeps a drag straight
            elif many:
                self.canvas.bench.selection.toggle(unit.id)
            elif unit.id not in self.canvas.bench.selection.ids:
                self.canvas.bench.selection.select([unit.id])
            else:
                self._narrow = unit.id
            if self.canvas.rearranging and unit.id in self.canvas.bench.selection.ids:
                self._drag = (0.0, 0.0)
                self.grabbed = unit.id
        elif alt:
            self.lasso = [at]
        else:
            self.box = QRectF(at, at)

    def move(self, event: QMouseEvent) -> None:
        at = event.position()
        self.canvas.hovered.emit(*self.canvas.port.to_metres(at))
        if self.panning:
            d = at - self._last
            self._last = at
            self.canvas.sight.pan(d.x(), d.y())
        elif self.canvas.tool is not None:
            point = self.canvas.snapping.point(at, event.modifiers())
            if self.pressed is not None:
                self.canvas.tool.drag(point)
            self.canvas.update()
        elif self.pressed is not None and self.pulling.handle is not None:
            free = bool(event.modifiers() & Qt.KeyboardModifier.AltModifier)
            self.pulling.pull(self._on_sheet(self.pulling.handle, at), free)
        elif self.pressed is not None and self._drag is not None:
            if not self.dragged and (at - self.pressed).manhattanLength() < CLICK:
                return  # a hand that clicks is not quite still
            self._drag = self.canvas.snapping.shift(at, event.modifiers())
            self.canvas.update()
        elif self.pressed is not None and self.lasso is not None:
            self.lasso.append(at)
            self.canvas.update()
        elif self.pressed is not None and self.box is not None:
            self.box = QRectF(self.pressed, at).normalized()
            self.canvas.update()
        else:
            self._hover(at, event)
        self._last = at

    def _hover(self, at: QPointF, event: QMouseEvent) -> None:
        found = handle_at(at, self.handles(), self.handle_px)
        over = found.name if found else ""
        if over != self.over:
            self.over = over
            self.canvas.update()
        unit = self.canvas.under.unit(at)
        if unit and unit.position:
            x, y, z = unit.position
            words = (
                f"{unit.number} {unit.name}\n{unit.hangs_on or 'nowhere yet'}; x {x:.2f}  y "
                f"{y:.2f}  z {z:.2f} m"
            )
            QToolTip.showText(event.globalPosition().toPoint(), plain_tip(words), self.canvas)
        moves = unit is not None and self.canvas.rearranging
        self.canvas.setCursor(
            Qt.CursorShape.PointingHandCursor
            if over
            else Qt.CursorShape.SizeAllCursor
            if moves
            else Qt.CursorShape.ArrowCursor
        )

    def release(self, event: QMouseEvent) -> None:
        at = event.position()
        if self._right is not None and (at - self._right).manhattanLength() < CLICK:
            self.canvas.menu_wanted.emit(event.globalPosition().toPoint())
        self._right = None
        if self.canvas.tool is not None and self.pressed is not None:
            self.canvas.tool.release(self.canvas.snapping.point(at, event.modifiers()))
        elif self.pulling.handle is not None:
            self.pulling.let_go()
        elif self.dragged:
            self.canvas.move_selection(*self.dragged, settle=True)
        elif self.lasso is not None and len(self.lasso) > 2:
            self._take(
                [i for i, p in self.canvas.under.units_px() if inside(self.lasso, p[0], p[1])],
                event.modifiers(),
            )
        elif self.box is not None and (self.box.width() > 4 or self.box.height() > 4):
            self._take(
                [i for i, p in self.canvas.under.units_px() if self.box.contains(QPointF(*p))],
                event.modifiers(),
            )
        elif self.box is not None:
            self._click_beside(at, bool(event.modifiers()))
        elif self._let_go:
            self.canvas.bench.selection.toggle(self._let_go)
        elif self._narrow:
            self.canvas.bench.selection.select([self._narrow])
        self.end()

    def _click_beside(self, at: QPointF, more: bool) -> None:
        """A click that meets no unit: a structure while rearranging, with `more` beside those that
        are selected; else nothing is selected.
        """
        found = self.canvas.under.structure(at) if self.canvas.rearranging else ""
        self.canvas.bench.selection.hold(found, more)
        if not found and not more:
            self.canvas.bench.selection.select([])

    def end(self) -> None:
        self.pressed = self._drag = self.box = self.lasso = None
        self._let_go = self._narrow = self.grabbed = ""
        if self.pulling.handle is not None:
            self.pulling.drop()
        self.canvas.snapping.guides = ()
        self.panning = False
        self.canvas.update()

    def _take(self, found: list[str], modifiers: Qt.KeyboardModifier) -> None:
        """In order from left to right. With Ctrl or Shift added; with both removed."""
        row, points = self.canvas.laid.row, self.canvas.laid.points
        found.sort(key=lambda i: (round(float(points[row[i]][0]), 3), float(points[row[i]][1])))
        ctrl = modifiers & Qt.KeyboardModifier.ControlModifier
        shift = modifiers & Qt.KeyboardModifier.ShiftModifier
        if ctrl and shift:
            gone = set(found)
            self.canvas.bench.selection.select(
                [u for u in self.canvas.bench.selection.ids if u not in gone]
            )
        else:
            self.canvas.bench.selection.select(
                [*(self.canvas.bench.selection.ids if ctrl or shift else []), *found]
            )

    def _on_sheet(self, handle: Handle, at: QPointF) -> Vec3:
        """Where a pull leads: on the sheet, with what the sheet does not show as it is."""
        to = list(handle.point)
        right, up = AXES[self.canvas.sheet.kind]
        to[right], to[up] = self.canvas.port.to_metres(at)
        return to[0], to[1], to[2]

    def handles(self) -> list[Handle]:
        kind = self.canvas.sheet.kind
        if not self.canvas.follow or kind == "free":
            return []
        return [
            h
            for h in self.pulling.handles(units=False)
            if not (h.up if kind == "plan" else h.name == "turn")
        ]

    def handle_px(self, handle: Handle) -> QPointF:
        right, up = AXES[self.canvas.sheet.kind]
        return self.canvas.port.to_px(handle.point[right], handle.point[up])
