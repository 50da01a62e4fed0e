"""Start the engine process, feed it, watch it, and bring it back when it dies."""

from __future__ import annotations

import contextlib
import os
import signal
import socket
import subprocess
import sys
import time
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from isthmus.engine import shared as sh
from isthmus.engine.publisher import Publisher
from isthmus.errors import NetworkFault, os_reason
from isthmus.sockets import Outlets, send_message

HOLD_SECONDS = 30
RATE = 44.0
DMX_RATE = 40.0
_WAIT_BETWEEN_STARTS = 0.3


@dataclass(frozen=True)
class PortStats:
    """A DMX port of this computer: off, sending, gone, denied (not allowed), taken (by another
    program), unfit or stuck (it takes nothing).
    """

    device: str
    state: str
    packets: int


PORT_STATES = ("off", "sending", "gone", "denied", "taken", "unfit", "stuck")


@dataclass(frozen=True)
class EngineStats:
    """What the engine says of itself. `spread_ms` is the 99th percentile of |packet spacing −
    period|.
    """

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
    ports: tuple[PortStats, ...] = ()


_STATES = {sh.IDLE: "idle", sh.SENDING: "sending", sh.HOLDING: "holding", sh.DARK: "dark"}


class Engine:
    """Use `publish` for each new frame, `beat` at least once a second, `check` now and then, `stop`
    at the end.
    """

    def __init__(self, hold_seconds: float = HOLD_SECONDS, note: Path | None = None) -> None:
        """`note` is a file that remembers the process, so that one left over from a crash can be
        sent home.
        """
        self.frames = sh.SharedFrames()
        words = self.frames.words
        words[sh.W_RATE_ARTNET] = words[sh.W_RATE_SACN] = int(RATE * 1000)
        words[sh.W_RATE_DMX] = int(DMX_RATE * 1000)
        words[sh.W_HOLD_MS] = int(hold_seconds * 1000)
        self.outlets: Outlets | None = None
        self._own_outlets = False
        self._note = note
        self.keep: tuple[int, ...] = ()  # handles the process holds open for as long as it lives
        self._routes: Sequence[sh.Route] = ()
        self._publisher = Publisher(self.frames)
        self._process: subprocess.Popen[bytes] | None = None
        self._channel: socket.socket | None = None
        self._started = 0.0
        self._returned_at = ""
        self.restarts = 0

    def start(self) -> None:
        """Raises NetworkFault when no process can be started."""
        self.send_home()
        if self.outlets is None:
            self.outlets, self._own_outlets = Outlets.open(), True
        self.beat()
        mine, theirs = socket.socketpair(socket.AF_UNIX, socket.SOCK_SEQPACKET)
        fd = self.frames.fd
        command = [
            sys.executable,
            "-m",
            "isthmus.engine.process",
            "--fd",
            str(fd),
            "--channel",
            str(theirs.fileno()),
        ]
        try:
            self._process = subprocess.Popen(
                command, stdin=subprocess.DEVNULL, pass_fds=(fd, theirs.fileno(), *self.keep)
            )
        except OSError as error:
            mine.close()
            raise NetworkFault(
                f"the output engine could not be started. {os_reason(error)}",
                do="Output stays off.",
            ) from error
        finally:
            theirs.close()
        self._channel = mine
        self._hand_over()
        self._started = time.monotonic()
        if self._note:
            with contextlib.suppress(OSError):
                self._note.parent.mkdir(parents=True, exist_ok=True)
                self._note.write_text(f"{self._process.pid} {os.getpid()}")

    def use(self, outlets: Outlets) -> None:
        """Send from other sockets from now on; the engine goes on without a pause."""
        old, self.outlets = self.outlets, outlets
        self._hand_over()
        if old is not None and self._own_outlets:
            old.close()
        self._own_outlets = False

    def _hand_over(self) -> None:
        if self._channel and self.outlets:
            names = list(self.outlets.sockets)
            message = {"kind": "sockets", "names": names, "broadcast": self.outlets.broadcast}
            with contextlib.suppress(OSError):
                send_message(
                    self._channel, message, [self.outlets.sockets[name].fileno() for name in names]
                )

    def send_home(self) -> bool:
        """End an engine whose interface died: it holds the last frame, and two would send at once.
        True when there was one.
        """
        with contextlib.suppress(OSError, ValueError):
            pid, parent = map(int, self._note.read_text().split()) if self._note else (0, 0)
            orphan = pid and not Path(f"/proc/{parent}").exists()
            if orphan and b"isthmus.engine.process" in Path(f"/proc/{pid}/cmdline").read_bytes():
                os.kill(pid, signal.SIGTERM)
                end = time.monotonic() + 1.0
                while Path(f"/proc/{pid}").exists() and time.monotonic() < end:
                    time.sleep(0.02)
                return True
        return False

    def publish(
        self,
        frame: NDArray[np.uint8],
        routes: Sequence[sh.Route],
        identity: sh.Identity | None = None,
    ) -> None:
        """A flat frame of whole rows, and where each row goes."""
        self._routes = routes
        self._publisher.publish(frame, routes, identity)

    def know(self, routes: Sequence[sh.Route]) -> None:
        """Where another process that publishes sends to."""
        self._routes = routes

    def pace(
        self,
        artnet: float = RATE,
        sacn: float = RATE,
        changed_only: bool = False,
        artnet_sync: bool = False,
        dmx: float = DMX_RATE,
    ) -> None:
        """Rates in Hz and habits; they hold from the next tick on."""
        words = self.frames.words
        words[sh.W_RATE_ARTNET], words[sh.W_RATE_SACN] = int(artnet * 1000), int(sacn * 1000)
        words[sh.W_RATE_DMX] = int(dmx * 1000)
        words[sh.W_CHANGED_ONLY], words[sh.W_ARTNET_SYNC] = int(changed_only), int(artnet_sync)

    def enable(self, on: bool) -> None:
        self.frames.words[sh.W_ENABLED] = int(on)

    def beat(self) -> None:
        self.frames.words[sh.W_HEARTBEAT] = time.monotonic_ns()

    def check(self) -> bool:
        """Bring a dead engine back. True when it had to be."""
        if (
            self._process is None
            or self._process.poll() is None
            or time.monotonic() - self._started < _WAIT_BETWEEN_STARTS
        ):
            return False
        self._close_channel()
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
            self.outlets.source_port if self.outlets and alive else 0,
            self.restarts,
            self._process.pid if self._process else 0,
            self._returned_at,
            tuple(self._port_stats()) if alive else (),
        )

    def _port_stats(self) -> Iterator[PortStats]:
        words = self.frames.words
        devices = dict.fromkeys(r.host for r in self._routes if r.kind == sh.DMX)
        for at, device in enumerate(list(devices)[: sh.MAX_DEVICES]):
            state = PORT_STATES[int(words[sh.S_PORT_STATE + at]) % len(PORT_STATES)]
            yield PortStats(device, state, int(words[sh.S_PORT_PACKETS + at]))

    def stop(self) -> None:
        """End the streams, tell receivers, end."""
        if self._process is not None:
            if self._channel:
                with contextlib.suppress(OSError):
                    send_message(self._channel, {"kind": "end"})
            try:
                self._process.wait(2)
            except subprocess.TimeoutExpired:
                self._process.kill()
                self._process.wait()
            self._close_channel()
            self._process = None
            if self._note:
                with contextlib.suppress(OSError):
                    self._note.unlink()
        if self.outlets and self._own_outlets:
            self.outlets.close()
            self.outlets = None

    def _close_channel(self) -> None:
        if self._channel:
            self._channel.close()
            self._channel = None
