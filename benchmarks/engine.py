"""Spacing of packets at 44 Hz, seen by a receiver with the kernel's own time stamps: loaded
interface against idle.
"""

from __future__ import annotations

import socket
import struct
import threading
import time
from collections.abc import Iterator

import numpy as np

from isthmus.engine import Engine, Route

PERIOD = 1000 / 44
SECONDS = 12
SO_TIMESTAMPNS = 35
ADDRESS = "127.0.0.9"


class Receiver:
    """Notes each packet, and when it arrived by the kernel's own time stamps."""

    def __init__(self, address: str = ADDRESS) -> None:
        self.sock = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)
        self.sock.setsockopt(socket.SOL_SOCKET, SO_TIMESTAMPNS, 1)
        self.sock.setsockopt(socket.SOL_SOCKET, socket.SO_RCVBUF, 1 << 22)
        self.sock.bind((address, 6454))
        self.sock.settimeout(0.2)
        self.times: list[float] = []
        self.got: list[tuple[float, bytes]] = []
        self._on = True
        self._thread = threading.Thread(target=self._run)
        self._thread.start()

    def _run(self) -> None:
        while self._on:
            try:
                data, extra, _, _ = self.sock.recvmsg(1024, 128)
            except TimeoutError:
                continue
            seconds, nanoseconds = struct.unpack("qq", extra[0][2][:16])
            self.times.append(seconds + nanoseconds / 1e9)
            self.got.append((self.times[-1], data))

    def between(self, begun: float, end: float) -> list[tuple[float, bytes]]:
        return [g for g in self.got if begun <= g[0] <= end]

    def off_by(self) -> tuple[float, float]:
        """(99th percentile, worst) of |spacing − 22.7 ms|, milliseconds, after one second of
        settling.
        """
        gaps = np.diff([t for t in self.times if t - self.times[0] > 1.0]) * 1e3
        return float(np.percentile(np.abs(gaps - PERIOD), 99)), float(np.abs(gaps - PERIOD).max())

    def close(self) -> None:
        self._on = False
        self._thread.join()
        self.sock.close()


def idle() -> tuple[float, float]:
    engine, receiver = Engine(), Receiver()
    engine.start()
    try:
        engine.publish(np.zeros(512, np.uint8), [Route(0, ADDRESS, 0)])
        engine.enable(True)
        end = time.monotonic() + SECONDS
        while time.monotonic() < end:
            engine.beat()
            time.sleep(0.2)
        return receiver.off_by()
    finally:
        engine.stop()
        receiver.close()


def loaded() -> tuple[float, float]:
    from msgspec.structs import replace

    from benchmarks.busy import Busy

    busy, receiver = Busy(), Receiver()
    try:
        bench = busy.window.bench
        outputs = tuple(
            replace(o, host=ADDRESS) if o.universe == 1 else replace(o, enabled=False)
            for o in bench.show.outputs
        )
        bench.commit("bench", replace(bench.show, outputs=outputs))
        busy.window.output.switch(True)
        busy.spin(SECONDS)
        return receiver.off_by()
    finally:
        busy.close()
        receiver.close()


def run() -> Iterator[tuple[str, float, float, str, str]]:
    calm, calm_worst = idle()
    stressed, stressed_worst = loaded()
    yield (
        "99 % of spacings off 22.7 ms by, loaded / idle",
        stressed,
        calm,
        "ms",
        "loaded under 2 ms",
    )
    yield "worst spacing off 22.7 ms by, loaded / idle", stressed_worst, calm_worst, "ms", ""
