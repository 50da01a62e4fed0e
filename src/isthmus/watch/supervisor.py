"""Start the watch, hand it sockets, read what it heard, and bring it back when it dies."""

from __future__ import annotations

import base64
import contextlib
import select
import socket
import struct
import subprocess
import sys
import time
from collections.abc import Iterator, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from isthmus.errors import NetworkFault, os_reason
from isthmus.sockets import receive_message, send_message
from isthmus.watch.shared import (
    ARTNET,
    SACN,
    T_ALIVE,
    T_BAD,
    T_CAPTURED,
    T_FULL,
    T_OTHER,
    T_PACKETS,
    SharedTable,
)
from isthmus.wire import sacn

MESSAGES = 500  # at once: whoever asks has other things to do as well
GONE = 2.5  # seconds after which a source counts as silent (E1.31, E131_NETWORK_DATA_LOSS_TIMEOUT)


@dataclass(frozen=True)
class Source:
    """One sender on one universe. `age` is how long ago it was last heard, seconds."""

    kind: int
    number: int
    ip: str
    port: int
    name: str
    cid: str
    priority: int
    rate: float
    packets: int
    lost: int
    age: float
    since: float
    length: int
    sync: int
    preview: bool
    ended: bool
    per_address: bool
    row: int

    @property
    def protocol(self) -> str:
        return "sacn" if self.kind == SACN else "artnet"

    @property
    def silent(self) -> bool:
        return self.ended or self.age > GONE


@dataclass(frozen=True)
class Heard:
    """Something that is not levels, as it came."""

    ip: str
    port: int
    data: bytes


@dataclass(frozen=True)
class Captured:
    """A capture that has begun or ended; `error` says why it could not."""

    path: str
    count: int
    error: str


@dataclass(frozen=True)
class Counts:
    packets: int
    bad: int  # neither Art-Net nor sACN, or not what it promises: dropped
    other: int  # not levels
    full: int  # sources that found no room in the table
    captured: int
    alive: bool


class Watch:
    """Use `use` for the sockets to read, `messages` now and then, `sources` and `levels` whenever;
    `stop` at the end.
    """

    def __init__(self) -> None:
        self.table = SharedTable()
        self._process: subprocess.Popen[bytes] | None = None
        self._channel: socket.socket | None = None
        self._sockets: list[socket.socket] = []
        self._capture = ""
        self.restarts = 0

    @property
    def pid(self) -> int:
        return self._process.pid if self._process else 0

    def start(self) -> None:
        """Raises NetworkFault when no process can be started."""
        mine, theirs = socket.socketpair(socket.AF_UNIX, socket.SOCK_SEQPACKET)
        mine.setsockopt(socket.SOL_SOCKET, socket.SO_RCVBUF, 1 << 20)
        theirs.setsockopt(socket.SOL_SOCKET, socket.SO_SNDBUF, 1 << 20)
        command = [
            sys.executable,
            "-m",
            "isthmus.watch.process",
            "--fd",
            str(self.table.fd),
            "--channel",
            str(theirs.fileno()),
        ]
        try:
            self._process = subprocess.Popen(
                command, stdin=subprocess.DEVNULL, pass_fds=(self.table.fd, theirs.fileno())
            )
        except OSError as error:
            mine.close()
            raise NetworkFault(f"the watch could not be started. {os_reason(error)}") from error
        finally:
            theirs.close()
        self._channel = mine
        self.use(self._sockets)
        if self._capture:
            self.capture(self._capture)

    def check(self) -> bool:
        """Bring a dead watch back. True when it had to be."""
        if self._process is None or self._process.poll() is None:
            return False
        self._close_channel()
        self.restarts += 1
        self.start()
        return True

    def use(self, sockets: Sequence[socket.socket]) -> None:
        """Read these from now on."""
        self._sockets = list(sockets)
        self._say(
            {"kind": "sockets", "addresses": [s.getsockname() for s in self._sockets]},
            [s.fileno() for s in self._sockets],
        )

    def forget(self) -> None:
        """Leave out what is no longer there."""
        self._say({"kind": "forget"})

    def capture(self, path: str) -> None:
        """Write what comes in to a pcapng file; "" ends it. `messages` tells when it has begun or
        ended.
        """
        self._capture = path
        self._say({"kind": "capture", "path": path})

    def _say(self, message: dict[str, object], sockets: list[int] | None = None) -> None:
        if self._channel:
            with contextlib.suppress(OSError):
                send_message(self._channel, message, sockets)

    def messages(self, wait: float = 0.0) -> Iterator[Heard | Captured]:
        """What was handed on since the last time, at most MESSAGES of it; waits up to `wait`
        seconds for the first.
        """
        left = MESSAGES
        while (
            self._channel
            and (left := left - 1) >= 0
            and select.select([self._channel], [], [], wait)[0]
        ):
            received = receive_message(self._channel)
            if received is None:
                return
            message, wait = received[0], 0.0
            if message["kind"] == "packet":
                yield Heard(
                    socket.inet_ntoa(struct.pack(">I", message["ip"])),
                    message["port"],
                    base64.b64decode(message["data"]),
                )
            elif message["kind"] == "captured":
                yield Captured(message["path"], message["count"], message["error"])

    def counts(self) -> Counts:
        words = self.table.words
        alive = time.monotonic() - int(words[T_ALIVE]) / 1e9 < 2.0
        packets, bad, other, full, captured = (
            int(words[at]) for at in (T_PACKETS, T_BAD, T_OTHER, T_FULL, T_CAPTURED)
        )
        return Counts(packets, bad, other, full, captured, alive)

    def sources(self) -> list[Source]:
        """Every sender by universe, in order."""
        rows = self.table.rows
        now = time.monotonic()
        found = []
        for at in np.flatnonzero(rows["kind"]).tolist():
            r = rows[at]
            found.append(
                Source(
                    int(r["kind"]),
                    int(r["number"]),
                    socket.inet_ntoa(struct.pack(">I", int(r["ip"]))),
                    int(r["port"]),
                    r["name"].decode(errors="replace"),
                    r["cid"].decode(),
                    int(r["priority"]),
                    float(r["rate"]),
                    int(r["packets"]),
                    int(r["lost"]),
                    max(0.0, now - float(r["last"])),
                    max(0.0, now - float(r["first"])),
                    int(r["length"]),
                    int(r["sync"]),
                    bool(r["options"] & sacn.PREVIEW),
                    bool(r["ended"]),
                    bool(r["start_codes"] & 1),
                    at,
                )
            )
        return sorted(found, key=lambda s: (s.kind, s.number, s.ip, s.cid))

    def levels(self, source: Source) -> NDArray[np.uint8]:
        """The slots it sent last, (512,)."""
        return self.table.levels[source.row].copy()

    def stop(self) -> None:
        self._close_channel()
        if self._process is not None:
            try:
                self._process.wait(3)
            except subprocess.TimeoutExpired:
                self._process.kill()
                self._process.wait()
            self._process = None

    def _close_channel(self) -> None:
        if self._channel:
            self._channel.close()
            self._channel = None


__all__ = ["ARTNET", "SACN", "Captured", "Counts", "Heard", "Source", "Watch"]
