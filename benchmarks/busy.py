"""The demo window with its whole rig lit and moving, for the measures that need a loaded
interface.
"""

from __future__ import annotations

import contextlib
import math
import os
import tempfile
import time
from collections.abc import Iterator

from PySide6.QtCore import QEventLoop, QTimer

from isthmus.app.shell.main import make_application
from isthmus.app.shell.memory import keep_still
from isthmus.app.shell.shots import light_the_stage
from isthmus.app.shell.window import Window
from isthmus.demo import lantern_tide
from isthmus.output import Live
from isthmus.show.records import Show
from isthmus.snags import find_snags


class Busy:
    """Every mover pans and tilts, 40 times a second, on the Stage page of a 1280x800 window."""

    def __init__(self, moving: bool = True) -> None:
        self._state = tempfile.TemporaryDirectory()
        os.environ["ISTHMUS_CONFIG"] = os.environ["ISTHMUS_STATE"] = self._state.name
        self.app = make_application(["bench"])
        show = lantern_tide()
        while mendable := next((s for s in find_snags(show) if s.fix), None):
            assert mendable.fix
            show = mendable.fix.edit(show)
        self.window = Window(show)
        self.window.resize(1280, 800)
        self.window.show()
        self.window.go("Stage")
        if moving:
            light_the_stage(self.window)
        self._timer = QTimer()
        self._timer.timeout.connect(self._move)
        if moving:
            self._timer.start(25)

    def _move(self) -> None:
        bench = self.window.bench
        t = time.monotonic()

        def change(live: Live) -> None:
            wanted = {}
            for i, unit in enumerate(u for u in bench.show.units if 100 < u.number < 230):
                wanted[unit.id, 0, "Pan"] = 0.5 + 0.12 * math.sin(t + i * 0.4)
                wanted[unit.id, 0, "Tilt"] = 0.5 + 0.12 * math.sin(1.3 * t + i * 0.7)
            live.ask(wanted)

        bench.levels.change(change)

    def spin(self, seconds: float) -> None:
        loop = QEventLoop()
        QTimer.singleShot(int(seconds * 1000), loop.quit)
        loop.exec()

    def close(self) -> None:
        self._timer.stop()
        self.window._closing = True
        self.window.close()
        self._state.cleanup()


@contextlib.contextmanager
def quiet_window(show: Show, page: str, ahead: bool = True) -> Iterator[Window]:
    """A 1280x800 window with a show on a page, nothing moving; `ahead`: others are made as well."""
    with tempfile.TemporaryDirectory() as state:
        os.environ["ISTHMUS_CONFIG"] = os.environ["ISTHMUS_STATE"] = state
        app = make_application(["bench"])
        window = Window(show, ahead=ahead)
        keep_still(window.bench)
        window.resize(1280, 800)
        window.show()
        window.go(page)
        app.processEvents()
        try:
            yield window
        finally:
            window._closing = True
            window.close()
