"""What a hand does in a show of 5 000 units, in a real window with every page made, against the
same gesture among 50.
"""

from __future__ import annotations

import time
from collections.abc import Callable, Iterator

from msgspec.structs import replace
from PySide6.QtWidgets import QApplication

from benchmarks.busy import quiet_window
from isthmus.app.pages.plan.page import PlanPage
from isthmus.app.shell.window import Window
from isthmus.demo import as_hung
from isthmus.show.records import Paper, Show, Unit

PAGES = ("Patch", "Plan", "Stage", "Looks", "Routes", "Roll call", "Readiness")


def hung_show(count: int) -> Show:
    """The demo's rig over and over, beside itself, hanging on what it hangs on."""
    base = as_hung()

    def again(index: int) -> Unit:
        one, turn = base.units[index % len(base.units)], index // len(base.units)
        x, y, z = one.position or (0.0, 0.0, 0.0)
        return replace(
            one,
            id=f"x{index}",
            number=1000 + index,
            position=(x + 0.37 * (turn % 9), y + 0.41 * (turn // 9), z),
            patch=tuple(
                replace(p, universe=(p.universe + 4 * turn - 1) % 250 + 1) for p in one.patch
            ),
        )

    units = tuple(again(index) for index in range(count))
    return replace(base, units=units, verdicts=(), paper=Paper())


def _timed(run: Callable[[], object]) -> float:
    """Milliseconds until it is done and shown."""
    start = time.perf_counter()
    run()
    for _ in range(6):
        QApplication.processEvents()
    return 1e3 * (time.perf_counter() - start)


def _first(show: Show) -> float:
    """The slowest first opening of a page, where none is made ahead in the same moment."""
    with quiet_window(show, "Readiness", ahead=False) as window:
        return max(_timed(lambda page=page: window.go(page)) for page in PAGES)


def _gestures(window: Window) -> Iterator[tuple[str, float]]:
    bench, everybody = window.bench, [u.id for u in window.bench.show.units]
    window.complete()
    for page in PAGES:
        _timed(lambda page=page: window.go(page))
    yield "the slowest page shown again", max(_timed(lambda p=p: window.go(p)) for p in PAGES)
    window.go("Plan")
    canvas = window.page(PlanPage).canvas
    bench.selection.select(everybody[7:8])
    yield (
        "one unit dragged",
        min(_timed(lambda: canvas.move_selection(0.1, 0.1, settle=True)) for _ in range(3)),
    )
    yield "and taken back", min(_timed(bench.undo) for _ in range(3))
    yield "all selected", _timed(lambda: bench.selection.select(everybody))
    yield "all dragged", _timed(lambda: canvas.move_selection(0.1, 0.1, settle=True))
    yield "and taken back ", _timed(bench.undo)


AIMS = {
    "the slowest page opened for the first time": "under 1 s",
    "the slowest page shown again": "under 200 ms",
    "one unit dragged": "under 50 ms with its undo",
    "and taken back": "under 50 ms with the drag",
    "all selected": "under 150 ms",
    "all dragged": "under 500 ms",
    "and taken back ": "under 500 ms",
}


def run() -> Iterator[tuple[str, float, float, str, str]]:
    first = "the slowest page opened for the first time"
    _first(hung_show(50))  # imports are the start's
    few, many = {first: _first(hung_show(50))}, {first: _first(hung_show(5000))}
    with quiet_window(hung_show(50), "Readiness") as window:
        few |= dict(_gestures(window))
    with quiet_window(hung_show(5000), "Readiness") as window:
        many |= dict(_gestures(window))
    for name, figure in many.items():
        yield f"5 000 units: {name} / among 50", figure, few[name], "ms", AIMS[name]
