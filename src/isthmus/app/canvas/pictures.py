"""Pictures of the stage: asked of the drawing process, one at a time, no more than are wanted."""

from __future__ import annotations

import time
from collections.abc import Callable
from typing import TYPE_CHECKING

from PySide6.QtCore import QSocketNotifier, QTimer
from PySide6.QtGui import QImage

from isthmus.render import Picture, RenderClient

if TYPE_CHECKING:
    from isthmus.app.canvas.stage_view import StageView

IDLE_MS = 66  # the haze drifts even when nothing else moves
LIMIT = 1920 * 1200  # pixels of a picture; a larger widget gets it stretched


class Pictures:
    """Owns the process. A process that stopped is started again; one that cannot draw says why in
    `failure`.
    """

    def __init__(self, view: StageView) -> None:
        self.view = view
        self.client: RenderClient | None = None
        self.failure = ""
        self.image: QImage | None = None
        self.count = 0
        self.rate = 0.0  # pictures a second, lately
        self.scale = 0  # the coarseness of the last picture
        self.seen: Callable[[], object] | None = None  # told of each picture
        self.scene: object = None  # what the process has been told stands there
        self.asked_scene: object = None
        self._notifier: QSocketNotifier | None = None
        self._pixels: memoryview | None = None
        self._shown = 0.0
        self._stale = True
        self._timer = QTimer(view)
        self._timer.setInterval(IDLE_MS)
        self._timer.timeout.connect(self._idle)
        self._soon = QTimer(view)  # keeps to the frame cap
        self._soon.setSingleShot(True)
        self._soon.timeout.connect(self.ask)

    def show(self) -> None:
        if self.client is None and not self.failure:
            self.client = RenderClient()
            self._start()
        self._timer.start()
        self.renew()

    def hide(self) -> None:
        self._timer.stop()
        self._soon.stop()

    def _start(self) -> None:
        assert self.client is not None
        if self.client.fileno() < 0:
            self.client.start()
        self.scene = None
        if self.client.fileno() >= 0:
            self._notifier = QSocketNotifier(
                self.client.fileno(), QSocketNotifier.Type.Read, self.view
            )
            self._notifier.activated.connect(self._news)
        else:
            self._fail(self.client.failure)

    def _idle(self) -> None:
        """Only drifting haze, flashing and turning need new pictures without a change: a still
        scene costs nothing.
        """
        drawing = self.view.drawing
        view, frame = self.view.staged.source()
        states = view.states(frame)
        lit = any(state.rgb.any() for state in states)
        moving = any(
            state.strobe.any() or any(o is not None and o.spin.any() for o in state.optics)
            for state in states
        )
        if (
            (lit and drawing.haze > 0 and drawing.drift > 0 and drawing.uneven > 0)
            or (lit and moving)
            or self._stale
        ):
            self.ask()

    def renew(self) -> None:
        self._stale = True
        self.ask()

    def ask(self) -> None:
        if self.client is None or self.failure or not self.view.isVisible() or self.client.busy:
            return
        wait = 1000.0 / max(self.view.drawing.cap, 1) - (time.monotonic() - self._shown) * 1e3
        if wait > 1.5:
            if not self._soon.isActive():
                self._soon.start(int(wait))
            return
        ratio = self.view.devicePixelRatioF()
        size = max(1, int(self.view.width() * ratio)), max(1, int(self.view.height() * ratio))
        shrink = (LIMIT / (size[0] * size[1])) ** 0.5
        if shrink < 1:
            size = int(size[0] * shrink), int(size[1] * shrink)
        if self.client.ask(self.view.staged.request(size)):
            self._stale = False
            self.scene = self.asked_scene

    def _news(self) -> None:
        if self.client is None:
            return
        news = self.client.poll()
        if isinstance(news, Picture):
            self._pixels = self.client.pixels(news)
            self.image = QImage(
                self._pixels, news.width, news.height, news.width * 4, QImage.Format.Format_RGBX8888
            )
            self.count += 1
            now = time.monotonic()
            if self._shown and now - self._shown < 1.0:
                self.rate += 0.1 * (1.0 / max(now - self._shown, 1e-3) - self.rate)
            self._shown = now
            self.scale = news.scale
            if self.seen is not None:
                self.seen()
            self.view.update()
            if self._stale:
                self.ask()
        elif news == "ready":
            self.ask()
        elif news == "restarted":
            self._drop_notifier()
            self.view.bench.tell("attention", "The stage drawing had stopped and was restarted.")
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
        self.image = None
        self.view.update()

    def stop(self) -> None:
        self._timer.stop()
        self._soon.stop()
        self._drop_notifier()
        if self.client is not None:
            self.image = self._pixels = None
            self.client.stop()
            self.client = None
