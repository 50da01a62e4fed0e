"""Plan and Stage by figures: repaint of 5 000 units, aiming, light, picking; each against a
baseline of the same run.
"""

from __future__ import annotations

import time
from collections.abc import Callable, Iterator

import numpy as np
from msgspec.structs import replace
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QPainter, QPixmap
from PySide6.QtTest import QTest

from benchmarks.busy import quiet_window
from isthmus.app.pages.plan.page import PlanPage
from isthmus.demo import as_hung
from isthmus.output import Live, RigView
from isthmus.output.aiming import aim_units
from isthmus.show.records import Show
from isthmus.stage import Camera, Drawn, aim
from isthmus.stage.landing import surfaces
from isthmus.stage.photometry import contributions, over


def spread_show(count: int) -> Show:
    """The demo's units over and over, in a grid of places, each with an address."""
    base = as_hung()
    units = []
    for index in range(count):
        one = base.units[index % len(base.units)]
        place = (index % 100 * 0.8 - 40.0, index // 100 * 0.8 - 20.0, 6.0)
        patched = tuple(
            replace(p, universe=1 + index // 12, address=1 + index % 12 * 40) for p in one.patch[:1]
        )
        units.append(
            replace(
                one, id=f"x{index}", number=index + 1, position=place, structure="", patch=patched
            )
        )
    return replace(base, units=tuple(units), verdicts=())


def best(run: Callable[[], object], times: int = 7) -> float:
    """Milliseconds of the fastest of some runs."""
    found = []
    for _ in range(times):
        start = time.perf_counter()
        run()
        found.append((time.perf_counter() - start) * 1e3)
    return min(found)


def _repaints() -> Iterator[tuple[str, float, float, str, str]]:
    with quiet_window(spread_show(5000), "Plan") as window:
        canvas = window.page(PlanPage).canvas
        picture = QPixmap(canvas.size())

        def bare() -> None:
            painter = QPainter(picture)
            painter.fillRect(canvas.rect(), Qt.GlobalColor.black)
            painter.end()

        base = best(bare)
        frames = []
        for step in range(40):  # as a hand moves the sheet and turns the wheel
            canvas.port.pan(6, 3) if step % 2 else canvas.port.zoom(1.02, QPointF(300, 200))
            canvas.sight._rest.start()
            frames.append(best(lambda: canvas.render(picture), 1))
        yield (
            "5 000 units panned and zoomed, a frame, 95 % / a bare fill",
            float(np.percentile(frames, 95)),
            base,
            "ms",
            "under 16 ms",
        )

        def again() -> None:
            canvas.sight._rest.stop()
            canvas.still._layer = None
            canvas.render(picture)

        yield (
            "5 000 units drawn again at rest / a bare fill",
            best(again),
            base,
            "ms",
            "not of every frame",
        )
        yield (
            "5 000 units drawn again, nothing moved / a bare fill",
            best(lambda: canvas.render(picture)),
            base,
            "ms",
            "under 16 ms",
        )
        QTest.mouseClick(canvas, Qt.MouseButton.LeftButton, pos=QPoint(200, 200))
        yield (
            "unit under the pointer among 5 000 / a bare fill",
            best(lambda: canvas.under.unit(QPointF(333, 222))),
            base,
            "ms",
            "under 5 ms",
        )


def _aiming() -> Iterator[tuple[str, float, float, str, str]]:
    rng = np.random.default_rng(4)
    move = lambda z: np.block(  # noqa: E731
        [[np.eye(3), np.array([[0.0], [0.0], [z]])], [np.zeros((1, 3)), np.ones((1, 1))]]
    )
    chain = aim.Chain(move(-0.12), move(-0.34), move(-0.2), True, True)
    n = 1000
    base = np.tile(np.eye(4), (n, 1, 1))
    base[:, :3, 3] = rng.uniform(-8, 8, (n, 3)) + [0, 0, 12]
    reach = aim.Reach(*(np.full(n, v) for v in (-270.0, 270.0, -135.0, 135.0)))
    now = np.zeros(n), np.zeros(n)
    target = np.array([1.0, 2.0, 0.0])
    whole = best(lambda: aim.aim(chain, base, target, reach, now))

    def scalar() -> None:
        for i in range(40):
            part = slice(i, i + 1)
            one = aim.Reach(
                reach.pan_low[part],
                reach.pan_high[part],
                reach.tilt_low[part],
                reach.tilt_high[part],
            )
            aim.aim(chain, base[part], target, one, (now[0][part], now[1][part]))

    yield (
        "1 000 units aimed / one after another",
        whole,
        best(scalar, 3) * n / 40,
        "ms",
        "under 5 ms, 1/50",
    )
    show = spread_show(1000)
    live = Live(show)
    ids = [u.id for u in show.units]
    yield (
        "1 000 units aimed with limits, handling and levels / aimed bare",
        best(lambda: aim_units(live, ids, target), 3),
        whole,
        "ms",
        "",
    )


def _light() -> Iterator[tuple[str, float, float, str, str]]:
    show = spread_show(300)
    live = Live(show)
    live.light_up([u.id for u in show.units])
    view = RigView(show, live.compiled)
    beams, _ = view.pose(live.frame)
    barge = surfaces(show.structures)[0]
    points = np.random.default_rng(1).uniform(-8, 8, (40, 3)) * [1, 1, 0]
    slow = best(lambda: [contributions(beams, [p]) for p in points], 3) * 10_000 / 40
    yield (
        "lux of 100x100 points, 300 units / point by point",
        best(lambda: over(beams, barge), 3),
        slow,
        "ms",
        "under 500 ms",
    )
    many = spread_show(1000)
    live = Live(many)
    view = RigView(many, live.compiled)
    frames = [live.frame.copy() for _ in range(2)]
    frames[1][::7] ^= 85
    turn = iter(range(1000))
    read = best(lambda: view.states(frames[next(turn) % 2]))
    yield (
        "Python side of a frame, 1 000 moving units / reading their slots",
        best(lambda: view.pose(frames[next(turn) % 2], Drawn())),
        read,
        "ms",
        "under 4 ms",
    )
    camera = Camera()
    yield (
        "pick among 1 000 on stage / a dot product",
        best(lambda: camera.pick(view.rig.positions, 0.3, 400, 300, 800, 600)),
        best(lambda: view.rig.positions @ np.ones(3)),
        "ms",
        "under 5 ms",
    )


def run() -> Iterator[tuple[str, float, float, str, str]]:
    yield from _aiming()
    yield from _light()
    yield from _repaints()
