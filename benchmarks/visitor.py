"""Ten minutes of somebody at work on every page with the output on: memory and descriptors of all
processes must stay flat. Asked for by name: `./run bench visitor`; `ISTHMUS_MINUTES` says how long.
"""

from __future__ import annotations

import os
import random
import time
from collections.abc import Iterator

import psutil

from benchmarks.busy import Busy
from isthmus.patch import edits

MINUTES = 10.0
WARM = 0.3  # of the time, until everything is there that stays


def _held() -> tuple[float, int]:
    """MB of this process and its children, and their open descriptors."""
    mine = psutil.Process()
    together = [mine, *mine.children(True)]
    return (sum(p.memory_info().rss for p in together) / 2**20, sum(p.num_fds() for p in together))


def run() -> Iterator[tuple[str, float, float, str, str]]:
    minutes = float(os.environ.get("ISTHMUS_MINUTES", MINUTES))
    busy, rng = Busy(True), random.Random(2)
    window, bench = busy.window, busy.window.bench
    window.output.switch(True)
    pages = [entry.title for entry in window.entries]
    begun, turns, before = time.monotonic(), 0, (0.0, 0)
    while (now := time.monotonic() - begun) < minutes * 60:
        if not before[1] and now > WARM * minutes * 60:
            before = _held()
        window.go(pages[turns % len(pages)])
        busy.spin(0.2)
        units = rng.sample(bench.show.units, 6)
        bench.selection.select([unit.id for unit in units])
        bench.levels.change(lambda live, units=units: live.light_up([u.id for u in units]))
        some = {unit.id for unit in units}
        bench.commit("rename", edits.set_text(bench.show, some, "name", f"Bow wash {turns}"))
        busy.spin(0.2)
        bench.undo()
        bench.levels.change(lambda live, units=units: live.let_go([u.id for u in units]))
        turns += 1
    after, sent = _held(), window.output.stats
    window.output.switch(False)
    grown = 100 * (after[0] - before[0]) / before[0]
    yield f"{minutes:g} min, {turns} visits: memory grew / MB in all", grown, before[0], "%", "5 %"
    yield "    descriptors more / open", after[1] - before[1], before[1], "", "0"
    yield "    packets sent / errors", sent.packets, sent.errors, "", "0 errors"
    busy.close()
