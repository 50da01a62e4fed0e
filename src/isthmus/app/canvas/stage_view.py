"""The 3-D picture: asks the render process, paints what it answers, and gives the mouse to
whichever tool is in use.
"""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import replace
from typing import Protocol

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QEvent, QPointF, QRectF, QSocketNotifier, Qt, QTimer, Signal
from PySide6.QtGui import (
    QContextMenuEvent,
    QHideEvent,
    QImage,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QShowEvent,
    QWheelEvent,
)
from PySide6.QtWidgets import QWidget

from isthmus.app.canvas.overlay import draw_handles, handle_at, marks, sign, tag
from isthmus.app.canvas.pulling import Pulling
from isthmus.app.kit import paint
from isthmus.app.kit.theme import font, pen, theme
from isthmus.app.kit.widgets import bind
from isthmus.app.model.workbench import Workbench
from isthmus.layout.handles import Handle
from isthmus.output import RigView
from isthmus.render import Look, Picture, RenderClient, Request, scene_of
from isthmus.show.records import Show, Vec3
from isthmus.stage import VIEWS, Camera, Drawn
from isthmus.stage.camera import seen_from
from isthmus.stage.drawing import EVEN, Drawing
from isthmus.stage.landing import land, surfaces
from isthmus.stage.runs import world_run
from isthmus.stage.space import Space, corners, space_of

IDLE_MS = 66  # the haze drifts even when nothing else moves
LIMIT = 1920 * 1200
BODY = np.array([0.17, 0.175, 0.19])
HELD = np.array([0.62, 0.34, 0.25])
PICK_RADIUS = 0.32
NAMED = 60  # so many selected carry their number in the picture
WALK = 0.6  # metres a step
EYES = 1.2  # metres above a seat


class Tool(Protocol):
    """Something a click on the stage is for, besides choosing: told the point it meets, and when it
    is dragged.
    """

    @property
    def words(self) -> str: ...

    def point(self, at: Vec3, last: bool) -> None: ...


WORKING_LIGHT = 4.0  # of the usual room light: forms can be told, and a lit unit still stands out


class StageView(QWidget):
    """`source` gives (rig view, frame); it may change with every picture."""

    tool_changed = Signal()
    menu_wanted = Signal(object)  # where on the screen

    def __init__(self, bench: Workbench) -> None:
        super().__init__()
        self.bench = bench
        self.camera = VIEWS["Seats"]
        self.look = Look()
        self.room_set = False  # the room light was set by hand
        self.drawing: Drawing = EVEN
        self.tool: Tool | None = None
        self.wrong: dict[
            str, tuple[str, str]
        ] = {}  # units that do something else than asked: words and severity
        self.rig_view: RigView | None = None  # None: what is sent
        self.rig_frame: NDArray[np.uint8] | None = None
        self.rig_show: Show | None = None
        self.client: RenderClient | None = None
        self.failure = ""
        self.pictures = 0
        self.rate = 0.0  # pictures a second, lately
        self.drawn_scale = 0  # the coarseness of the last picture
        self.seen: Callable[[], object] | None = None  # told of each picture
        self._notifier: QSocketNotifier | None = None
        self._image: QImage | None = None
        self._pixels: memoryview | None = None
        self._scene: object = None  # what the process has been told stands there
        self._asked_scene: object = None
        self._kept_structures: object = None
        self._preview: tuple[Show, RigView] | None = None
        self._press = QPointF()
        self._last = QPointF()
        self.pulling = Pulling(bench)
        self._over = ""
        self._born = time.monotonic()
        self._shown = 0.0
        self._stale = True
        self.setObjectName("stage view")
        self.setAccessibleName("Stage in 3-D")
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.setAttribute(Qt.WidgetAttribute.WA_OpaquePaintEvent)
        self._timer = QTimer(self)
        self._timer.setInterval(IDLE_MS)
        self._timer.timeout.connect(self._idle)
        self._soon = QTimer(self)  # keeps to the frame cap
        self._soon.setSingleShot(True)
        self._soon.timeout.connect(self.ask)
        for signal in (
            bench.selection.changed,
            bench.levels.changed,
            bench.selection.held_changed,
            bench.plan.state_changed,
            bench.plan.preview_changed,
        ):
            bind(signal, self, self.renew)
        bind(bench.changed, self, self.renew)
        for signal in (theme.changed, bench.plan.figures_changed):
            bind(signal, self, self.update)

    # ------------------------------------------------------------ pictures

    def showEvent(self, event: QShowEvent) -> None:
        if self.client is None and not self.failure:
            self.client = RenderClient()
            self._start()
        self._timer.start()
        self.renew()

    def hideEvent(self, event: QHideEvent) -> None:
        self._timer.stop()
        self._soon.stop()

    def _start(self) -> None:
        assert self.client is not None
        if self.client.fileno() < 0:
            self.client.start()
        self._scene = None
        if self.client.fileno() >= 0:
            self._notifier = QSocketNotifier(self.client.fileno(), QSocketNotifier.Type.Read, self)
            self._notifier.activated.connect(self._news)
        else:
            self._fail(self.client.failure)

    def _idle(self) -> None:
        """Only drifting haze, flashing and turning need new pictures without a change: a still
        scene costs nothing.
        """
        view, frame = self.source()
        states = view.states(frame)
        lit = any(state.rgb.any() for state in states)
        moving = any(
            state.strobe.any() or (state.optics is not None and state.optics.spin.any())
            for state in states
        )
        if (
            (lit and self.look.haze > 0 and self.look.drift > 0 and self.drawing.uneven)
            or (lit and moving)
            or self._stale
        ):
            self.ask()

    def renew(self) -> None:
        self._stale = True
        self.ask()

    def source(self) -> tuple[RigView, NDArray[np.uint8]]:
        if self.rig_view is not None and self.rig_frame is not None:
            return self.rig_view, self.rig_frame
        if self.bench.plan.preview is not None:
            return self._preview_view(), self.bench.levels.live.frame
        return self.bench.levels.view, self.bench.levels.live.frame

    def _preview_view(self) -> RigView:
        """The show as it would be when the handle were released now."""
        shown = self.bench.plan.shown
        if self._preview is None or self._preview[0] is not shown:
            self._preview = (shown, RigView(shown, self.bench.levels.live.compiled))
        return self._preview[1]

    def shown_show(self) -> Show:
        """The show whose bodies are drawn: the rig's own, one being pulled about, or the one
        selected.
        """
        if self.rig_view is not None and self.rig_show is not None:
            return self.rig_show
        return self.bench.plan.shown

    def space(self) -> Space:
        rig = self.source()[0].rig
        return space_of(rig.positions, rig.structures)

    def request(self, size: tuple[int, int]) -> Request:
        view, frame = self.source()
        drawing, seconds = self.drawing, time.monotonic() - self._born
        beams, bodies = view.pose(
            frame, Drawn(drawing.cells, seconds, True, True, drawing.bodies == "boxes")
        )
        tint = np.tile(BODY, (max(1, len(view.rig.order)), 1))
        for index in self.held(view):
            tint[index] = HELD
        space = space_of(view.rig.positions, view.rig.structures)
        look = replace(
            self.look,
            room=self.room_light(),
            time=seconds,
            scale=drawing.coarse,
            samples=drawing.samples,
            fall=drawing.fall,
            uneven=self.look.uneven if drawing.uneven else 0.0,
            space=(space.low, space.high),
        )
        key = (id(view.rig.structures), view.rig.meshes, view.rig.gobos)
        scene = scene_of(self.shown_show(), view.rig) if key != self._scene else None
        self._kept_structures = view.rig.structures  # so that its identity is not used again
        self._asked_scene = key
        return Request(size, self.camera, beams, bodies, tint, look, scene, drawing.hold)

    def room_light(self) -> float:
        """The room as it is set; while nothing is lit and it was not set, a working light."""
        view, frame = self.source()
        lit = any(state.rgb.any() for state in view.states(frame))
        return self.look.room if lit or self.room_set else WORKING_LIGHT

    def held(self, view: RigView) -> list[int]:
        """Rows of the selected units: by id, or by number where the rig's own truth is shown."""
        chosen = set(self.bench.selection.ids)
        if self.rig_view is None:
            return [i for i, unit in enumerate(view.rig.order) if unit in chosen]
        numbers = {u.number for u in self.bench.show.units if u.id in chosen}
        return [i for i, number in enumerate(view.rig.numbers) if number in numbers]

    def ask(self) -> None:
        if self.client is None or self.failure or not self.isVisible() or self.client.busy:
            return
        wait = 1000.0 / max(self.drawing.cap, 1) - (time.monotonic() - self._shown) * 1e3
        if wait > 1.5:
            if not self._soon.isActive():
                self._soon.start(int(wait))
            return
        ratio = self.devicePixelRatioF()
        size = max(1, int(self.width() * ratio)), max(1, int(self.height() * ratio))
        shrink = (LIMIT / (size[0] * size[1])) ** 0.5
        if shrink < 1:
            size = int(size[0] * shrink), int(size[1] * shrink)
        if self.client.ask(self.request(size)):
            self._stale = False
            self._scene = self._asked_scene

    def _news(self) -> None:
        if self.client is None:
            return
        news = self.client.poll()
        if isinstance(news, Picture):
            self._pixels = self.client.pixels(news)
            self._image = QImage(
                self._pixels, news.width, news.height, news.width * 4, QImage.Format.Format_RGBX8888
            )
            self.pictures += 1
            now = time.monotonic()
            if self._shown and now - self._shown < 1.0:
                self.rate += 0.1 * (1.0 / max(now - self._shown, 1e-3) - self.rate)
            self._shown = now
            self.drawn_scale = news.scale
            if self.seen is not None:
                self.seen()
            self.update()
            if self._stale:
                self.ask()
        elif news == "ready":
            self.ask()
        elif news == "restarted":
            self._drop_notifier()
            self.bench.tell("attention", "The stage drawing had stopped and was restarted.")
            self._start()
        elif news == "failed":
            self._drop_notifier()
            self._fail(self.client.failure)

    def _drop_notifier(self) -> None:
        if self._notifier is not None:
            self._notifier.setEnabled(False)
            self._notifier.deleteLater()
            self._notifier = None

    def _fail(self, why: str) -> None:
        self.failure = why or "no reason was given"
        self._image = None
        self.update()

    def stop(self) -> None:
        self._timer.stop()
        self._soon.stop()
        self._drop_notifier()
        if self.client is not None:
            self._image = self._pixels = None
            self.client.stop()
            self.client = None

    # ------------------------------------------------------------ the camera

    def set_camera(self, camera: Camera) -> None:
        self.camera = camera
        self.renew()

    def fit(self) -> None:
        """The whole rig in view, from the present side; far strays are left out."""
        space = self.space()
        self.set_camera(
            self.camera.fitted(space.low, space.high, self.width() / max(self.height(), 1))
        )

    def fit_hand(self) -> None:
        view = self.source()[0]
        held = self.held(view)
        if held:
            points = view.rig.positions[held]
            self.set_camera(
                self.camera.fitted(
                    points.min(axis=0) - 0.8,
                    points.max(axis=0) + 0.8,
                    self.width() / max(self.height(), 1),
                )
            )

    def sit(self, at: Vec3) -> None:
        """See from a seat: the eyes of a person who sits there, looking at the middle of
        the stage.
        """
        space = self.space()
        x, y, _ = space.middle
        self.set_camera(
            seen_from((at[0], at[1], at[2] + EYES), (x, y, max(1.0, space.high[2] * 0.4)))
        )

    def out_of_view(self) -> bool:
        """Whether nothing of the rig is in the picture."""
        rig = self.source()[0].rig
        points = np.concatenate([rig.positions, *(corners(s) for s in rig.structures)])
        return bool(len(points)) and not self.camera.shows(points, self.width(), self.height())

    def set_tool(self, tool: Tool | None) -> None:
        """What clicks are for; None: choosing."""
        self.tool = tool
        self.tool_changed.emit()
        self.update()

    def ray(self, at: QPointF) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
        """Eye and direction through a pixel."""
        return np.array(self.camera.eye), self.camera.ray(
            at.x(), at.y(), self.width(), self.height()
        )

    def point_at(self, at: QPointF) -> Vec3 | None:
        """The point of the nearest surface under a pixel."""
        eye, way = self.ray(at)
        points, which = land(eye[None], way[None], surfaces(self.bench.show.structures))
        if which[0] < 0:
            return None
        x, y, z = (float(v) for v in points[0])
        return x, y, z

    # ------------------------------------------------------------ handles

    def handles(self) -> list[Handle]:
        return self.pulling.handles(units=True) if self.rig_view is None else []

    def handle_px(self, handle: Handle) -> QPointF | None:
        (at,), (depth,) = self.camera.project(np.array([handle.point]), self.width(), self.height())
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

    # ------------------------------------------------------------ hands

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self._press = self._last = event.position()
        if event.button() != Qt.MouseButton.LeftButton:
            return
        if self.tool is not None:
            point = self.point_at(event.position())
            if point is not None:
                self.tool.point(point, False)
            return
        handle = handle_at(event.position(), self.handles(), self.handle_px)
        if handle is not None:
            start = self._on_plane(handle, event.position())
            if start is not None:
                self.pulling.take(handle, start)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        d = event.position() - self._last
        self._last = event.position()
        if not event.buttons():
            found = handle_at(event.position(), self.handles(), self.handle_px)
            over = found.name if found else ""
            if over != self._over:
                self._over = over
                self.setCursor(
                    Qt.CursorShape.PointingHandCursor if over else Qt.CursorShape.ArrowCursor
                )
                self.update()
            return
        if self.pulling.handle is not None:
            to = self._on_plane(self.pulling.handle, event.position())
            if to is not None:
                self.pulling.pull(to, bool(event.modifiers() & Qt.KeyboardModifier.AltModifier))
        elif self.tool is not None and event.buttons() & Qt.MouseButton.LeftButton:
            point = self.point_at(event.position())
            if point is not None:
                self.tool.point(point, False)
        elif event.buttons() & Qt.MouseButton.LeftButton:
            self.set_camera(self.camera.turned(-d.x() * 0.3, d.y() * 0.3))
        elif event.buttons() & (Qt.MouseButton.RightButton | Qt.MouseButton.MiddleButton):
            metres = self.camera.distance / max(self.height(), 1)
            self.set_camera(self.camera.moved(-d.x() * metres, d.y() * metres))

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        """By the mouse it comes on release, for a right drag moves the camera."""
        if event.reason() != QContextMenuEvent.Reason.Mouse:
            self.menu_wanted.emit(event.globalPos())

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if event.button() != Qt.MouseButton.LeftButton:
            still = (event.position() - self._press).manhattanLength() < 5
            if event.button() == Qt.MouseButton.RightButton and still:
                self.menu_wanted.emit(event.globalPosition().toPoint())
            return
        if self.pulling.handle is not None:
            self.pulling.let_go()
            return
        if self.tool is not None:
            point = self.point_at(event.position())
            if point is not None:
                self.tool.point(point, True)
            return
        moved = event.position() - self._press
        if abs(moved.x()) + abs(moved.y()) < 5:
            more = bool(
                event.modifiers()
                & (Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier)
            )
            self._choose(event.position(), more)

    def _choose(self, at: QPointF, more: bool) -> None:
        rig = self.source()[0].rig
        hit = self.camera.pick(
            rig.positions, PICK_RADIUS, at.x(), at.y(), self.width(), self.height()
        )
        unit = next(
            (
                u.id
                for u in self.bench.show.units
                if hit is not None and u.number == rig.numbers[hit]
            ),
            None,
        )
        if unit and more:
            self.bench.selection.toggle(unit)
        elif unit:
            self.bench.selection.select([unit])
        elif not more and self.bench.plan.rearranging and (structure := self.structure_at(at)):
            self.bench.selection.hold(structure)
        elif not more:
            self.bench.selection.hold("")
            self.bench.selection.select([])

    def structure_at(self, at: QPointF) -> str:
        """The structure whose run lies under the pointer; empty when there is none."""
        best, found = 12.0, ""
        for s in self.bench.show.structures:
            path, depth = self.camera.project(world_run(s), self.width(), self.height())
            if (depth < 0.3).any():
                continue
            a, way = path[:-1], np.diff(path, axis=0)
            square = np.maximum((way * way).sum(axis=1), 1e-9)
            share = np.clip(((np.array([at.x(), at.y()]) - a) * way).sum(axis=1) / square, 0, 1)
            away = float(np.hypot(*(a + way * share[:, None] - (at.x(), at.y())).T).min())
            if away < best:
                best, found = away, s.id
        return found

    def wheelEvent(self, event: QWheelEvent) -> None:
        self.set_camera(self.camera.nearer(0.9985 ** event.angleDelta().y()))

    def event(self, event: QEvent) -> bool:
        keys = (Qt.Key.Key_Home, Qt.Key.Key_Escape)
        if (
            event.type() == QEvent.Type.ShortcutOverride
            and isinstance(event, QKeyEvent)
            and event.key() in keys
            and not event.modifiers()
        ):
            event.accept()
            return True
        return super().event(event)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        key, shift = Qt.Key(event.key()), event.modifiers() & Qt.KeyboardModifier.ShiftModifier
        arrows = {
            Qt.Key.Key_Left: (-1, 0),
            Qt.Key.Key_Right: (1, 0),
            Qt.Key.Key_Up: (0, 1),
            Qt.Key.Key_Down: (0, -1),
        }
        if key in arrows and shift:
            right, forward = arrows[key]
            self.set_camera(self.camera.walked(forward * WALK, right * WALK, 0.0))
        elif key in arrows:
            right, up = arrows[key]
            self.set_camera(self.camera.turned(5 * right, 3 * up))
        elif key in (Qt.Key.Key_PageUp, Qt.Key.Key_PageDown):
            self.set_camera(
                self.camera.walked(0.0, 0.0, WALK if key == Qt.Key.Key_PageUp else -WALK)
            )
        elif key in (Qt.Key.Key_Plus, Qt.Key.Key_Equal, Qt.Key.Key_Minus):
            self.set_camera(self.camera.nearer(1.12 if key == Qt.Key.Key_Minus else 0.89))
        elif key == Qt.Key.Key_Home:
            self.fit()
        elif key == Qt.Key.Key_Escape and (
            self.pulling.handle is not None or self.tool is not None
        ):
            self.pulling.drop()
            self.set_tool(None)
            self.renew()
            self.update()
        else:
            super().keyPressEvent(event)

    # ------------------------------------------------------------ paint

    def paintEvent(self, event: QPaintEvent) -> None:
        p = QPainter(self)
        if self.failure:
            p.fillRect(self.rect(), theme.color("water2"))
            words = (
                "Everything else works. Plan shows the same units from above; install Mesa "
                "(libegl1, libgl1-mesa-dri) to draw in 3-D."
            )
            sign(
                p,
                self.width(),
                self.height(),
                "The stage cannot be drawn here",
                f"OpenGL does not start: {self.failure}.",
                words,
            )
        elif self._image is None:
            p.fillRect(self.rect(), theme.color("abyss"))
            paint.text(
                p,
                0,
                0,
                "Preparing the stage…",
                font("body"),
                "text2",
                paint.CENTER,
                self.width(),
                self.height(),
            )
        else:
            p.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
            p.drawImage(self.rect(), self._image)
            self._overlay(p)
        if self.bench.plan.rearranging and not self.failure:
            p.setPen(pen("coral", 2))
            p.setBrush(Qt.BrushStyle.NoBrush)
            p.drawRect(QRectF(self.rect()).adjusted(1, 1, -1, -1))
        elif self.hasFocus():
            p.setPen(pen("focus", 1.5))
            p.setBrush(Qt.BrushStyle.NoBrush)
            p.drawRect(QRectF(self.rect()).adjusted(1, 1, -1, -1))

    def _overlay(self, p: QPainter) -> None:
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        self._structure_lines(p)
        self._marks(p)
        self._wrong(p)
        draw_handles(
            p,
            self.handles(),
            self.handle_px,
            self.pulling.handle.name if self.pulling.handle else self._over,
        )
        if self.bench.plan.preview_words:
            tag(p, QPointF(12, 10), self.bench.plan.preview_words)
        elif self.tool is not None:
            tag(p, QPointF(12, 10), self.tool.words)
        if self.out_of_view():
            sign(
                p,
                self.width(),
                self.height(),
                "The rig is out of view",
                "Press Home to see all of it again.",
            )
        strays = self.space().strays
        if strays:
            numbers = ", ".join(str(self.source()[0].rig.numbers[i]) for i in strays[:6])
            tag(
                p,
                QPointF(12, self.height() - 28),
                f"Far off, and left out of the haze: {numbers}{' …' if len(strays) > 6 else ''}",
                "text",
            )

    def _wrong(self, p: QPainter) -> None:
        view = self.source()[0]
        rows = {unit: i for i, unit in enumerate(view.rig.order)}
        for unit, (words, severity) in self.wrong.items():
            if unit in rows:
                (at,), (depth,) = self.camera.project(
                    view.rig.positions[rows[unit]][None], self.width(), self.height()
                )
                if depth > 0.3:
                    paint.severity(p, severity, float(at[0]), float(at[1]), 7)
                    tag(
                        p,
                        QPointF(float(at[0]) + 10, float(at[1]) - 9),
                        f"{view.rig.numbers[rows[unit]]} {words}",
                        "text",
                    )

    def _structure_lines(self, p: QPainter) -> None:
        held = next(
            (s for s in self.shown_show().structures if s.id == self.bench.selection.structure),
            None,
        )
        if held is None or self.rig_view is not None:
            return
        at, depth = self.camera.project(corners(held), self.width(), self.height())
        if (depth < 0.3).any():
            return
        p.setPen(pen("coral", 1.2))
        for i, j in (
            (0, 1),
            (2, 3),
            (4, 5),
            (6, 7),
            (0, 2),
            (1, 3),
            (4, 6),
            (5, 7),
            (0, 4),
            (1, 5),
            (2, 6),
            (3, 7),
        ):
            p.drawLine(QPointF(*at[i]), QPointF(*at[j]))

    def _marks(self, p: QPainter) -> None:
        """Number and place in order of the selected units, with the figures of a fan or an aim."""
        view = self.source()[0]
        held = self.held(view)
        if not held:
            return
        order = {u: i for i, u in enumerate(self.bench.selection.ids, 1)}
        by_number = {
            u.number: (order[u.id], self.bench.plan.figures.get(u.id, ""))
            for u in self.bench.show.units
            if u.id in order
        }
        points, depth = self.camera.project(view.rig.positions[held], self.width(), self.height())
        marked, words = [], {}
        for (x, y), away, index in zip(points, depth, held, strict=True):
            nth, figure = by_number.get(view.rig.numbers[index], (0, ""))
            if away > 0.3 and -20 < x < self.width() + 20 and -20 < y < self.height() + 20:
                marked.append((QPointF(float(x), float(y)), nth, str(view.rig.numbers[index])))
                if figure:
                    words[nth] = figure
        if len(marked) > NAMED:  # so many words would hide the rig
            p.setPen(pen("abyss", 1))
            p.setBrush(theme.color("coral"))
            for at, _, _ in marked:
                p.drawEllipse(at, 3.5, 3.5)
            return
        marks(p, sorted(marked, key=lambda m: m[1]), words, QRectF(self.rect()))
