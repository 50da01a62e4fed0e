"""The 3-D picture: asks the render process, paints what it answers, and lets the mouse turn, move and choose."""

from __future__ import annotations

import time
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QPointF, QRectF, QSocketNotifier, Qt, QTimer
from PySide6.QtGui import QHideEvent, QImage, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QShowEvent, QWheelEvent
from PySide6.QtWidgets import QWidget

from isthmus.app import paint
from isthmus.app.theme import font, pen, theme
from isthmus.app.widgets import bind
from isthmus.app.workbench import Workbench
from isthmus.output import RigView
from isthmus.render import Look, Picture, RenderClient, Request
from isthmus.stage import VIEWS, Camera

IDLE_MS = 66  # the haze drifts even when nothing else moves
LIMIT = 1920 * 1200
BODY = np.array([0.17, 0.175, 0.19])
HELD = np.array([0.62, 0.34, 0.25])
PICK_RADIUS = 0.32
NAMED = 24  # so many in hand carry their number in the picture


class StageView(QWidget):
    """`source` gives (rig view, frame); it may change with every picture."""

    def __init__(self, bench: Workbench) -> None:
        super().__init__()
        self.bench = bench
        self.camera = VIEWS["Seats"]
        self.look = Look()
        self.rig_view: RigView | None = None  # None: what is sent
        self.rig_frame: NDArray[np.uint8] | None = None
        self.client: RenderClient | None = None
        self.failure = ""
        self.pictures = 0
        self._notifier: QSocketNotifier | None = None
        self._image: QImage | None = None
        self._pixels: memoryview | None = None
        self._structures: object = None
        self._press = QPointF()
        self._last = QPointF()
        self._born = time.monotonic()
        self._stale = True
        self.setObjectName("stage view")
        self.setAccessibleName("Stage in 3-D")
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAttribute(Qt.WidgetAttribute.WA_OpaquePaintEvent)
        self._timer = QTimer(self)
        self._timer.setInterval(IDLE_MS)
        self._timer.timeout.connect(self.ask)
        for signal in (bench.selection_changed, bench.levels_changed):
            signal.connect(self.renew)
        bind(bench.changed, self, self.renew)
        theme.changed.connect(self.update)

    # ------------------------------------------------------------ pictures

    def showEvent(self, event: QShowEvent) -> None:
        if self.client is None and not self.failure:
            self.client = RenderClient()
            self._start()
        self._timer.start()
        self.renew()

    def hideEvent(self, event: QHideEvent) -> None:
        self._timer.stop()

    def _start(self) -> None:
        assert self.client is not None
        if self.client.fileno() < 0:
            self.client.start()
        self._structures = None
        if self.client.fileno() >= 0:
            self._notifier = QSocketNotifier(self.client.fileno(), QSocketNotifier.Type.Read, self)
            self._notifier.activated.connect(self._news)
        else:
            self._fail(self.client.failure)

    def renew(self) -> None:
        self._stale = True
        self.ask()

    def source(self) -> tuple[RigView, NDArray[np.uint8]]:
        if self.rig_view is not None and self.rig_frame is not None:
            return self.rig_view, self.rig_frame
        return self.bench.view, self.bench.live.frame

    def request(self, size: tuple[int, int]) -> Request:
        view, frame = self.source()
        beams, bodies = view.pose(frame)
        tint = np.tile(BODY, (max(1, len(view.rig.order)), 1))
        for index in self.held(view):
            tint[index] = HELD
        structures = view.rig.structures
        fresh = structures if structures is not self._structures else None
        return Request(size, self.camera, beams, bodies, tint, replace(self.look, time=time.monotonic() - self._born), fresh)

    def held(self, view: RigView) -> list[int]:
        """Rows of the units in hand: by id, or by number where the rig's own truth is shown."""
        chosen = set(self.bench.selection)
        if view is self.bench.view:
            return [i for i, unit in enumerate(view.rig.order) if unit in chosen]
        numbers = {u.number for u in self.bench.show.units if u.id in chosen}
        return [i for i, number in enumerate(view.rig.numbers) if number in numbers]

    def ask(self) -> None:
        if self.client is None or self.client.busy or self.failure or not self.isVisible() or self.width() < 8 or self.height() < 8:
            return
        ratio = min(self.devicePixelRatioF(), (LIMIT / (self.width() * self.height())) ** 0.5)
        size = (max(1, int(self.width() * ratio)), max(1, int(self.height() * ratio)))
        request = self.request(size)
        if self.client.ask(request):
            self._structures = self.source()[0].rig.structures
            self._stale = False

    def _news(self) -> None:
        assert self.client is not None
        news = self.client.poll()
        if isinstance(news, Picture):
            self._pixels = self.client.pixels(news)
            self._image = QImage(self._pixels, news.width, news.height, news.width * 4, QImage.Format.Format_RGBX8888)
            self.pictures += 1
            self.update()
            if self._stale:
                self.ask()
        elif news == "ready":
            self.ask()
        elif news == "restarted":
            self._drop_notifier()
            self.bench.tell("attention", "The drawing process had ended; it was started again.")
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
        self._drop_notifier()
        if self.client is not None:
            self._image = self._pixels = None
            self.client.stop()
            self.client = None

    # ------------------------------------------------------------ hands

    def set_camera(self, camera: Camera) -> None:
        self.camera = camera
        self.renew()

    def fit(self) -> None:
        """All units in view, from the present side."""
        points = self.source()[0].rig.positions
        if len(points):
            low, high = points.min(axis=0), points.max(axis=0)
            x, y, z = (float(v) for v in (low + high) / 2)
            self.set_camera(replace(self.camera, target=(x, y, z), distance=max(4.0, float(np.linalg.norm(high - low)) * 1.15)))

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self._press = self._last = event.position()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        d = event.position() - self._last
        self._last = event.position()
        if event.buttons() & Qt.MouseButton.LeftButton:
            self.set_camera(self.camera.turned(-d.x() * 0.3, d.y() * 0.3))
        elif event.buttons() & (Qt.MouseButton.RightButton | Qt.MouseButton.MiddleButton):
            metres = self.camera.distance / max(self.height(), 1)
            self.set_camera(self.camera.moved(-d.x() * metres, d.y() * metres))

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        moved = event.position() - self._press
        if event.button() == Qt.MouseButton.LeftButton and abs(moved.x()) + abs(moved.y()) < 5:
            self._choose(
                event.position(), bool(event.modifiers() & (Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier))
            )

    def _choose(self, at: QPointF, more: bool) -> None:
        rig = self.source()[0].rig
        hit = self.camera.pick(rig.positions, PICK_RADIUS, at.x(), at.y(), self.width(), self.height())
        unit = next((u.id for u in self.bench.show.units if hit is not None and u.number == rig.numbers[hit]), None)
        if unit and more:
            self.bench.toggle(unit)
        elif not more:
            self.bench.select([unit] if unit else [])

    def wheelEvent(self, event: QWheelEvent) -> None:
        self.set_camera(self.camera.nearer(0.9985 ** event.angleDelta().y()))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        turns = {Qt.Key.Key_Left: (-5, 0), Qt.Key.Key_Right: (5, 0), Qt.Key.Key_Up: (0, 3), Qt.Key.Key_Down: (0, -3)}
        if event.key() in turns:
            self.set_camera(self.camera.turned(*turns[Qt.Key(event.key())]))
        elif event.key() in (Qt.Key.Key_Plus, Qt.Key.Key_Equal, Qt.Key.Key_Minus):
            self.set_camera(self.camera.nearer(1.12 if event.key() == Qt.Key.Key_Minus else 0.89))
        else:
            super().keyPressEvent(event)

    # ------------------------------------------------------------ paint

    def paintEvent(self, event: QPaintEvent) -> None:
        p = QPainter(self)
        if self.failure:
            p.fillRect(self.rect(), theme.color("water2"))
            self._sign(
                p,
                "The stage cannot be drawn here",
                f"OpenGL does not start: {self.failure}.",
                "Everything else works. Plan shows the same units from above; install Mesa (libegl1, libgl1-mesa-dri) to draw in 3-D.",
            )
        elif self._image is None:
            p.fillRect(self.rect(), theme.color("abyss"))
            paint.text(p, 0, 0, "Preparing the stage…", font("body"), "text2", paint.CENTER, self.width(), self.height())
        else:
            p.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
            p.drawImage(self.rect(), self._image)
            self._marks(p)
        if self.hasFocus():
            p.setPen(pen("focus", 1.5))
            p.setBrush(Qt.BrushStyle.NoBrush)
            p.drawRect(QRectF(self.rect()).adjusted(1, 1, -1, -1))

    def _sign(self, p: QPainter, *lines: str) -> None:
        y = self.height() / 2 - 34
        for i, words in enumerate(lines):
            paint.text(
                p,
                20,
                y,
                words,
                font("body" if i else 15, 400 if i else 600),
                "text" if not i else "text2",
                paint.CENTER,
                self.width() - 40,
                22,
            )
            y += 26

    def _marks(self, p: QPainter) -> None:
        """Number and place in order of the units in hand."""
        view = self.source()[0]
        held = self.held(view)
        if not held:
            return
        order = {u: i for i, u in enumerate(self.bench.selection, 1)}
        by_number = {u.number: order[u.id] for u in self.bench.show.units if u.id in order}
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        points, depth = self.camera.project(view.rig.positions[held], self.width(), self.height())
        taken: list[QRectF] = []
        named = len(held) <= NAMED
        for (x, y), away, index in zip(points, depth, held, strict=True):
            if away < 0.3 or not (-20 < x < self.width() + 20 and -20 < y < self.height() + 20):
                continue
            if not named:  # so many words would hide the rig
                p.setPen(pen("abyss", 1))
                p.setBrush(theme.color("coral"))
                p.drawEllipse(QPointF(x, y), 3.5, 3.5)
                continue
            number = view.rig.numbers[index]
            box = QRectF(x - 23, y - 34, 46, 17)
            while any(box.intersects(other) for other in taken) and len(taken) < 40:
                box.translate(0, -19)
            taken.append(box)
            p.setPen(pen("coral", 1.2))
            p.drawLine(QPointF(x, y - 4), QPointF(box.center().x(), box.bottom()))
            p.setBrush(theme.color("select_row"))
            p.drawRoundedRect(box, 3, 3)
            paint.text(p, box.x() + 5, box.y(), str(by_number.get(number, 0)), font("tick", 600, mono=True), "coral_text", height=17)
            paint.text(p, box.x(), box.y(), str(number), font("caption", 500, mono=True), "text", paint.RIGHT, 41, 17)
