"""Start the engine process, feed it, watch it, and bring it back when it dies."""

from __future__ import annotations

import contextlib
import os
import subprocess
import sys
import time
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from isthmus.engine import shared as sh
from isthmus.errors import NetworkFault, os_reason

HOLD_SECONDS = 30
RATE = 44.0
_WAIT_BETWEEN_STARTS = 1.0


@dataclass(frozen=True)
class EngineStats:
    """What the engine says of itself. `spread_ms` is the 99th percentile of |packet spacing − period|."""

    state: str  # idle, sending, holding, dark, gone
    rate: float
    spread_ms: float
    packets: int
    errors: int
    error: str
    routes: int
    source_port: int
    restarts: int
    pid: int
    returned_at: str


_STATES = {sh.IDLE: "idle", sh.SENDING: "sending", sh.HOLDING: "holding", sh.DARK: "dark"}


class Engine:
    """Use `publish` for each new frame, `beat` at least once a second, `check` now and then, `stop` at the end."""

    def __init__(self, address: str = "0.0.0.0", hold_seconds: float = HOLD_SECONDS) -> None:
        self.frames = sh.SharedFrames()
        words = self.frames.words
        words[sh.W_RATE_MHZ] = int(RATE * 1000)
        words[sh.W_HOLD_MS] = int(hold_seconds * 1000)
        self._address = address
        self._routes: list[sh.Route] | None = None
        self._process: subprocess.Popen[bytes] | None = None
        self._started = 0.0
        self._returned_at = ""
        self.restarts = 0

    def start(self) -> None:
        """Raises NetworkFault when no process can be started."""
        self.beat()
        command = [sys.executable, "-m", "isthmus.engine.process", "--fd", str(self.frames.fd), "--address", self._address]
        try:
            self._process = subprocess.Popen(command, stdin=subprocess.PIPE, pass_fds=(self.frames.fd,))
        except OSError as error:
            raise NetworkFault(f"the output engine could not be started. {os_reason(error)}", do="Output stays off.") from error
        self._started = time.monotonic()

    def publish(self, frame: NDArray[np.uint8], routes: list[sh.Route]) -> None:
        """A flat frame of whole rows, and where each row goes."""
        if len(frame) > sh.MAX_ROWS * sh.SLOTS or len(routes) > sh.MAX_ROUTES:
            raise NetworkFault(f"more than {sh.MAX_ROWS} universes or {sh.MAX_ROUTES} outputs cannot be sent.", do="Take some routes away.")
        if routes != self._routes:
            self._routes = list(routes)
            self.frames.write_routes(routes, frame)
        else:
            self.frames.write_frame(frame)

    def enable(self, on: bool) -> None:
        self.frames.words[sh.W_ENABLED] = int(on)

    def beat(self) -> None:
        self.frames.words[sh.W_HEARTBEAT] = time.monotonic_ns()

    def check(self) -> bool:
        """Bring a dead engine back. True when it had to be."""
        if self._process is None or self._process.poll() is None or time.monotonic() - self._started < _WAIT_BETWEEN_STARTS:
            return False
        self._close_pipe()
        self.restarts += 1
        self._returned_at = time.strftime("%H:%M:%S")
        self.start()
        return True

    def stats(self) -> EngineStats:
        words = self.frames.words
        alive = self._process is not None and self._process.poll() is None
        errno_ = int(words[sh.S_ERRNO])
        return EngineStats(
            _STATES.get(int(words[sh.S_STATE]), "idle") if alive else "gone",
            int(words[sh.S_RATE_MHZ]) / 1000,
            int(words[sh.S_SPREAD_US]) / 1000,
            int(words[sh.S_PACKETS]),
            int(words[sh.S_ERRORS]),
            os_reason(OSError(errno_, os.strerror(errno_))) if errno_ else "",
            int(words[sh.S_ROUTES]),
            int(words[sh.S_PORT]),
            self.restarts,
            self._process.pid if self._process else 0,
            self._returned_at,
        )

    def stop(self) -> None:
        """Go dark, send that, end."""
        if self._process is None:
            return
        self._close_pipe()
        try:
            self._process.wait(2)
        except subprocess.TimeoutExpired:
            self._process.kill()
            self._process.wait()
        self._process = None

    def _close_pipe(self) -> None:
        if self._process and self._process.stdin:
            with contextlib.suppress(OSError):
                self._process.stdin.close()
