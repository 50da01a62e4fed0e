"""A joystick on a phone: the point the focused unit is aimed at moves while it is held, and stops
as soon as nothing is heard of it.
"""

from __future__ import annotations

import math
import time

from PySide6.QtCore import QObject, QTimer

from isthmus.app.model.focus import Focus

FASTEST = 3.0  # metres a second, pushed all the way
BEAT_MS = 40
SILENT = 0.4  # seconds after which a phone that says nothing holds nothing


class Stick(QObject):
    def __init__(self, focus: Focus) -> None:
        super().__init__()
        self._focus = focus
        self._push = 0.0, 0.0
        self._heard = self._moved = 0.0
        self._timer = QTimer(self)
        self._timer.setInterval(BEAT_MS)
        self._timer.timeout.connect(self._move)

    def hold(self, across: object, upstage: object) -> None:
        """How far it is pushed, −1…1 each way; anything else is 0."""
        pushed = [
            min(1.0, max(-1.0, float(v)))
            if isinstance(v, (int, float)) and math.isfinite(v)
            else 0.0
            for v in (across, upstage)
        ]
        self._push, self._heard = (pushed[0], pushed[1]), time.monotonic()
        if not self._timer.isActive() and any(pushed):
            self._moved = self._heard
            self._timer.start()

    def _move(self) -> None:
        now = time.monotonic()
        x, y = self._push
        force = math.hypot(x, y)
        if now - self._heard > SILENT or force == 0:
            self._timer.stop()
            return
        far = FASTEST * min(force, 1.0) * (now - self._moved)  # slow near the middle: squared
        self._moved = now
        self._focus.shift(far * x, far * y)
