"""What a thousand changes of size and two hundred visits of Stage leave behind: memory of the
window and of the process that draws, and descriptors. `ISTHMUS_SIZES` and `ISTHMUS_VISITS` say how
many.
"""

from __future__ import annotations

import os
import random
import time
from collections.abc import Iterator

import psutil

from benchmarks.busy import Busy
from isthmus.app.pages.stage.page import StagePage

SIZES, VISITS = 1000, 200
WARM = 60  # changes after which everything is there that stays


def _held(busy: Busy) -> tuple[float, float, int]:
    """MB of the process that draws and of the window, and open descriptors of both."""
    own = psutil.Process()
    drawing = [p for p in own.children(True) if "isthmus.render.process" in p.cmdline()]
    here = (own.memory_info().rss / 2**20, own.num_fds())
    there = [(p.memory_info().rss / 2**20, p.num_fds()) for p in drawing]
    return sum(m for m, _ in there), here[0], here[1] + sum(n for _, n in there)


def run() -> Iterator[tuple[str, float, float, str, str]]:
    sizes = int(os.environ.get("ISTHMUS_SIZES", SIZES))
    visits = int(os.environ.get("ISTHMUS_VISITS", VISITS))
    busy, rng = Busy(False), random.Random(1)
    window = busy.window
    view = window.page(StagePage).view
    late: list[bool] = []  # of each change of size or page, whether no picture came

    def resized() -> None:
        window.resize(rng.randint(1000, 1280), rng.randint(640, 800))
        end = time.monotonic() + 5.0
        while time.monotonic() < end and not drawn():
            busy.spin(0.01)
        late.append(not drawn())

    def drawn() -> bool:
        image = view.pictures.image
        return image is not None and (image.width(), image.height()) == (
            view.width(),
            view.height(),
        )

    def visited() -> None:
        window.go("Patch")
        busy.spin(0.05)
        before, end = view.pictures.count, time.monotonic() + 5.0
        window.go("Stage")
        while view.pictures.count == before and time.monotonic() < end:
            busy.spin(0.01)
        late.append(view.pictures.count == before)

    for what, count, act in (("resizes", sizes, resized), ("visits of Stage", visits, visited)):
        for _ in range(min(WARM, count)):
            act()
        before = _held(busy)
        for _ in range(count):
            act()
        after = _held(busy)
        for name, at in (("process that draws", 0), ("window", 1)):
            yield (
                f"{count} {what}: the {name} grew / has",
                after[at] - before[at],
                before[at],
                "MB",
                "within 20 MB",
            )
        yield f"{count} {what}: descriptors more / open", after[2] - before[2], before[2], "", "0"
    yield f"{len(late)} changes of size or page without a picture", float(sum(late)), 0.0, "", "0"
    busy.close()
