"""Ten minutes of sending, watching and asking: memory must stay flat. Not part of the plain run;
`./run bench soak`.
"""

from __future__ import annotations

import time
from collections.abc import Iterator

import numpy as np
import psutil

from benchmarks.network import ELSEWHERE, Listening
from isthmus.engine import SACN, Engine, Identity, Route
from isthmus.net import Hub

MINUTES = 10
UNIVERSES = 128


def run() -> Iterator[tuple[str, float, float, str, str]]:
    engine, listening, hub = Engine(), Listening(), Hub()
    engine.start()
    hub.want(expected=["127.0.0.2"])
    hub.start()
    hub.look(True)
    names = ("engine", "watch", "this process with the hub")
    processes = [
        psutil.Process(engine.stats().pid),
        psutil.Process(listening.watch.pid),
        psutil.Process(),
    ]
    routes = [Route(n, ELSEWHERE, n) for n in range(UNIVERSES)] + [
        Route(n, "127.0.0.10", n + 1, 5568, SACN) for n in range(UNIVERSES)
    ]
    start: list[int] = []
    try:
        engine.enable(True)
        began, turn = time.monotonic(), 0
        while time.monotonic() - began < MINUTES * 60:
            turn += 1
            some = routes[
                : len(routes) - turn % 3
            ]  # routes come and go, as they do in a day's work
            engine.publish(
                np.full(UNIVERSES * 512, turn % 256, np.uint8), some, Identity(bytes(16), "soak")
            )
            engine.beat()
            engine.check()
            time.sleep(0.05)
            if not start and time.monotonic() - began > 60:
                start = [p.memory_info().rss for p in processes]
        for name, process, before in zip(names, processes, start, strict=True):
            grown = (process.memory_info().rss - before) / 1024
            yield f"{MINUTES} min: {name} grew / has at all", grown, before / 1024, "kB", "flat"
        yield (
            f"{MINUTES} min: packets lost / engine started again",
            listening.lost(),
            engine.restarts,
            "",
            "none",
        )
    finally:
        engine.stop()
        listening.close()
        hub.stop()
