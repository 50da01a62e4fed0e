"""A DMX port on a pseudo-terminal, which has no line speed: how evenly packets come, against a bare
loop that writes and sleeps.
"""

from __future__ import annotations

import os
import pty
import select
import threading
import time
from collections.abc import Callable, Iterator

import numpy as np

from isthmus.engine import DMX, Engine, Route

SECONDS, RATE, PACKET = 8.0, 30.0, 513


def _spacings(far: int, seconds: float) -> np.ndarray:
    """Milliseconds between the first bytes of packets that come in."""
    starts: list[float] = []
    have, end = PACKET, time.monotonic() + seconds
    while (left := end - time.monotonic()) > 0:
        if select.select([far], [], [], left)[0]:
            now = time.monotonic()
            if have >= PACKET:
                starts.append(now)
                have = 0
            have += len(os.read(far, PACKET - have))
    return np.diff(starts) * 1e3


def _bare(near: int, ended: Callable[[], bool]) -> None:
    while not ended():
        began = time.monotonic()
        os.write(near, bytes(PACKET))
        time.sleep(max(0.0, 1 / RATE - (time.monotonic() - began)))


def run() -> Iterator[tuple[str, float, float, str, str]]:
    far, near = pty.openpty()
    engine = Engine()
    engine.start()
    try:
        engine.pace(dmx=RATE)
        frame = np.zeros(512, np.uint8)
        engine.publish(frame, [Route(0, os.ttyname(near), 1, 0, DMX)])
        engine.enable(True)
        done = threading.Event()

        def beat() -> None:
            while not done.wait(0.3):
                engine.beat()

        beating = threading.Thread(target=beat)
        beating.start()
        _spacings(far, 1.0)  # what waited, and the line being opened
        ours = _spacings(far, SECONDS)
        done.set()
        beating.join()
    finally:
        engine.stop()
        os.close(near)
        os.close(far)
    far, near = pty.openpty()
    os.set_blocking(near, True)
    over = threading.Event()
    bare = threading.Thread(target=_bare, args=(near, over.is_set))
    bare.start()
    beats = _spacings(far, SECONDS)
    over.set()
    _spacings(far, 0.2)
    bare.join()
    os.close(near)
    os.close(far)
    for what, share in (("half of the", 50), ("99 % of the", 99)):
        yield (
            f"DMX port at {RATE:g} a second: {what} spacings within / a bare loop",
            float(np.percentile(ours, share)),
            float(np.percentile(beats, share)),
            "ms",
            f"{1e3 / RATE:.1f} ms, alike",
        )
