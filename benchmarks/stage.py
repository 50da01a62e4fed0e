"""The stage page of a 1280x800 window, drawn by software: pictures a second, and how soon a click is answered."""

from __future__ import annotations

import time
from collections.abc import Iterator

import numpy as np
from PySide6.QtCore import QPoint, Qt, QTimer
from PySide6.QtTest import QTest

from benchmarks.busy import Busy

SECONDS = 8.0


def measure(moving: bool, clicks: bool) -> tuple[float, list[float]]:
    busy = Busy(moving)
    view = busy.window.stage.view
    end = time.monotonic() + 30
    while view.pictures < 30 and time.monotonic() < end:
        busy.spin(0.1)
    always = QTimer()  # the unlit stage would rest: keep asking for the next picture
    always.timeout.connect(view.renew)
    if not moving:
        always.start(8)
    before, started, answers = view.pictures, time.monotonic(), []
    while time.monotonic() - started < SECONDS:
        busy.spin(0.05)
        if clicks:
            # real clicks on the stage and on the spine: from the event until everything it brings about is painted
            busy.window.bench.select([])
            asked = time.perf_counter()
            QTest.mouseClick(view, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, QPoint(view.width() // 2, 20))
            QTest.mouseClick(
                busy.window.spine,
                Qt.MouseButton.LeftButton,
                Qt.KeyboardModifier.NoModifier,
                busy.window.spine.places()["Stage"].center().toPoint(),
            )
            busy.app.processEvents()
            answers.append((time.perf_counter() - asked) * 1e3)
    rate = (view.pictures - before) / (time.monotonic() - started)
    busy.close()
    return rate, answers


def run() -> Iterator[tuple[str, float, float, str, str]]:
    still, _ = measure(moving=False, clicks=False)
    rate, _ = measure(moving=True, clicks=False)
    yield "stage, whole demo lit and moving / unlit", rate, still, "/s", "25 a second or more"
    _, answers = measure(moving=True, clicks=True)
    yield "click answered while it moves, 95 % / median", float(np.percentile(answers, 95)), float(np.median(answers)), "ms", "within 50 ms"
