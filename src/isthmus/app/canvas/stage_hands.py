"""What the mouse does on the stage: selects, pulls handles, points for a tool, turns the camera."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QPointF, Qt
from PySide6.QtGui import QMouseEvent

from isthmus.app.canvas.overlay import handle_at
from isthmus.app.canvas.pulling import Pulling
from isthmus.app.canvas.under import distance
from isthmus.layout.handles import Handle
from isthmus.show.records import Vec3
from isthmus.stage.landing import land, surfaces
from isthmus.stage.runs import world_run

if TYPE_CHECKING:
    from isthmus.app.canvas.stage_view import StageView

PICK_RADIUS = 0.32  # metres around the middle of a unit


class StageHands:
    """The left button acts; the others move the camera, and open the menu where they rest."""

    def __init__(self, view: StageView) -> None:
        self.view = view
        self.pulling = Pulling(view.bench)
        self.over = ""  # the handle under the pointer
        self._press = QPointF()
        self._last = QPointF()

    def ray(self, at: QPointF) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
        """Eye and direction through a pixel."""
        return np.array(self.view.camera.eye), self.view.camera.ray(
            at.x(), at.y(), self.view.width(), self.view.height()
        )

    def point_at(self, at: QPointF) -> Vec3 | None:
        """The point of the nearest surface under a pixel."""
        eye, way = self.ray(at)
        points, which = land(eye[None], way[None], surfaces(self.view.bench.show.structures))
        if which[0] < 0:
            return None
        x, y, z = (float(v) for v in points[0])
        return x, y, z

    def handles(self) -> list[Handle]:
        return self.pulling.handles(units=True) if self.view.rig_view is None else []

    def handle_px(self, handle: Handle) -> QPointF | None:
        (at,), (depth,) = self.view.project(np.array([handle.point]))
        return QPointF(float(at[0]), float(at[1])) if depth > 0.3 else None

    def _on_plane(self, handle: Handle, at: QPointF) -> Vec3 | None:
        """Where a pull leads: on the level of the handle, or along its vertical."""
        eye, way = self.ray(at)
        x, y, z = handle.point
        if handle.up:
            normal = np.array([way[0], way[1], 0.0])
            size = float(np.linalg.norm(normal))
            if size < 1e-3:
                return None
            t = float((np.array([x, y, z]) - eye) @ normal) / float(way @ normal)
            return (x, y, float(eye[2] + t * way[2])) if t > 0 else None
        if abs(way[2]) < 1e-3:
            return None
        t = (z - eye[2]) / way[2]
        point = eye + t * way
        return (float(point[0]), float(point[1]), z) if 0 < t < 400 else None

    def press(self, event: QMouseEvent) -> None:
        self._press = self._last = event.position()
        if event.button() != Qt.MouseButton.LeftButton:
            return
        if self.view.tool is not None:
            point = self.point_at(event.position())
            if point is not None:
                self.view.tool.point(point, False)
            return
        handle = handle_at(event.position(), self.handles(), self.handle_px)
        if handle is not None:
            start = self._on_plane(handle, event.position())
            if start is not None:
                self.pulling.take(handle, start)

    def move(self, event: QMouseEvent) -> None:
        d = event.position() - self._last
        self._last = event.position()
        if not event.buttons():
            found = handle_at(event.position(), self.handles(), self.handle_px)
            over = found.name if found else ""
            if over != self.over:
                self.over = over
                self.view.setCursor(
                    Qt.CursorShape.PointingHandCursor if over else Qt.CursorShape.ArrowCursor
                )
                self.view.update()
            return
        if self.pulling.handle is not None:
            to = self._on_plane(self.pulling.handle, event.position())
            if to is not None:
                self.pulling.pull(to, bool(event.modifiers() & Qt.KeyboardModifier.AltModifier))
        elif self.view.tool is not None and event.buttons() & Qt.MouseButton.LeftButton:
            point = self.point_at(event.position())
            if point is not None:
                self.view.tool.point(point, False)
        elif event.buttons() & Qt.MouseButton.LeftButton:
            self.view.set_camera(self.view.camera.turned(-d.x() * 0.3, d.y() * 0.3))
        elif event.buttons() & (Qt.MouseButton.RightButton | Qt.MouseButton.MiddleButton):
            metres = self.view.camera.distance / max(self.view.height(), 1)
            self.view.set_camera(self.view.camera.moved(-d.x() * metres, d.y() * metres))

    def release(self, event: QMouseEvent) -> None:
        if event.button() != Qt.MouseButton.LeftButton:
            still = (event.position() - self._press).manhattanLength() < 5
            if event.button() == Qt.MouseButton.RightButton and still:
                self.view.menu_wanted.emit(event.globalPosition().toPoint())
            return
        if self.pulling.handle is not None:
            self.pulling.let_go()
            return
        if self.view.tool is not None:
            point = self.point_at(event.position())
            if point is not None:
                self.view.tool.point(point, True)
            return
        moved = event.position() - self._press
        if abs(moved.x()) + abs(moved.y()) < 5:
            more = bool(
                event.modifiers()
                & (Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier)
            )
            self._choose(event.position(), more)

    def _choose(self, at: QPointF, more: bool) -> None:
        rig = self.view.staged.source()[0].rig
        hit = self.view.camera.pick(
            rig.positions, PICK_RADIUS, at.x(), at.y(), self.view.width(), self.view.height()
        )
        unit = next(
            (
                u.id
                for u in self.view.bench.show.units
                if hit is not None and u.number == rig.numbers[hit]
            ),
            None,
        )
        if unit and more:
            self.view.bench.selection.toggle(unit)
        elif unit:
            self.view.bench.selection.select([unit])
        elif self.view.bench.plan.rearranging and (structure := self.structure_at(at)):
            self.view.bench.selection.hold(structure, more)
        elif not more:
            self.view.bench.selection.hold("")
            self.view.bench.selection.select([])

    def structure_at(self, at: QPointF) -> str:
        """The structure whose run lies under the pointer; empty when there is none."""
        best, found = 12.0, ""
        for s in self.view.bench.show.structures:
            path, depth = self.view.project(world_run(s))
            if (depth < 0.3).any():
                continue
            away = distance(path, at)
            if away < best:
                best, found = away, s.id
        return found
