"""The stage page of a 1280x800 window, drawn by software: pictures a second, and how soon a click
is answered.
"""

from __future__ import annotations

import math
import time
from collections.abc import Iterator

import numpy as np
from PySide6.QtCore import QPoint, Qt, QTimer
from PySide6.QtTest import QTest

from benchmarks.busy import Busy
from benchmarks.plan import spread_show
from isthmus.app.pages.stage.page import StagePage
from isthmus.demo import as_hung
from isthmus.output import Live, RigView
from isthmus.render import scene_of
from isthmus.render.look import look_of
from isthmus.render.renderer import Renderer, standalone_context
from isthmus.show.records import Show
from isthmus.stage import VIEWS
from isthmus.stage.drawing import EVEN, FINE, QUICK, Drawing

SECONDS = 8.0


def measure(moving: bool, clicks: bool) -> tuple[float, list[float]]:
    busy = Busy(moving)
    view = busy.window.page(StagePage).view
    end = time.monotonic() + 30
    while view.pictures.count < 30 and time.monotonic() < end:
        busy.spin(0.1)
    always = QTimer()  # the unlit stage would rest: keep asking for the next picture
    always.timeout.connect(view.pictures.renew)
    if not moving:
        always.start(8)
    before, started, answers = view.pictures.count, time.monotonic(), []
    while time.monotonic() - started < SECONDS:
        busy.spin(0.05)
        if clicks:
            # real clicks on the stage and on the spine: from the event until everything it brings
            # about is painted
            busy.window.bench.selection.select([])
            asked = time.perf_counter()
            QTest.mouseClick(
                view,
                Qt.MouseButton.LeftButton,
                Qt.KeyboardModifier.NoModifier,
                QPoint(view.width() // 2, 20),
            )
            QTest.mouseClick(
                busy.window.spine,
                Qt.MouseButton.LeftButton,
                Qt.KeyboardModifier.NoModifier,
                busy.window.spine.places()["Stage"].center().toPoint(),
            )
            busy.app.processEvents()
            answers.append((time.perf_counter() - asked) * 1e3)
    rate = (view.pictures.count - before) / (time.monotonic() - started)
    busy.close()
    return rate, answers


def drawn(
    renderer: Renderer, show: Show, drawing: Drawing, size: tuple[int, int], light: bool
) -> float:
    """Milliseconds of a picture with everything moving, by this process's own renderer."""
    live = Live(show)
    if light:
        live.light_up([u.id for u in show.units])
    view = RigView(show, live.compiled)
    how, look = drawing.drawn(), look_of(drawing)
    renderer.set_scene(scene_of(show, view.rig, drawing.triangles))
    tint = np.full((len(view.rig.order), 3), 0.17)
    out = bytearray(size[0] * size[1] * 4)
    movers = [u.id for u in show.units if 100 < u.number < 230 or u.number > 1000][:60]
    took = []
    for turn in range(24):
        live.ask(
            {
                (u, 0, name): 0.5 + 0.1 * math.sin(turn * 0.2 + i)
                for i, u in enumerate(movers)
                for name in ("Pan", "Tilt")
            }
        )
        start = time.perf_counter()
        beams, bodies = view.pose(live.frame, how)
        renderer.render(size, VIEWS["Seats"], beams, bodies, tint, look)
        renderer.read_into(out)
        took.append((time.perf_counter() - start) * 1e3)
    return float(np.median(took[4:]))


def _pictures() -> Iterator[tuple[str, float, float, str, str]]:
    renderer = Renderer(standalone_context())
    demo, many = as_hung(), spread_show(300)
    for name, show, drawing, size, aim in (
        ("demo 1280x800, quick", demo, QUICK, (1280, 800), "40 ms or less"),
        ("demo 1280x800, even", demo, EVEN, (1280, 800), ""),
        ("demo 1280x800, fine", demo, FINE, (1280, 800), "67 ms or less"),
        ("300 units 900x600, quick", many, QUICK, (900, 600), "40 ms or less"),
    ):
        yield (
            f"picture, {name} / unlit",
            drawn(renderer, show, drawing, size, True),
            drawn(renderer, show, drawing, size, False),
            "ms",
            aim,
        )


def run() -> Iterator[tuple[str, float, float, str, str]]:
    yield from _pictures()
    still, _ = measure(moving=False, clicks=False)
    rate, _ = measure(moving=True, clicks=False)
    yield "stage, whole demo lit and moving / unlit", rate, still, "/s", "25 a second or more"
    _, answers = measure(moving=True, clicks=True)
    yield (
        "click answered while it moves, 95 % / median",
        float(np.percentile(answers, 95)),
        float(np.median(answers)),
        "ms",
        "within 50 ms",
    )
