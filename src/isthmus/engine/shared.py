"""The memory the interface and the engine share: a nameless file (memfd) that vanishes with the
last of the two.

Three frame buffers go round: the writer fills one that is not being read and then names it. Every
buffer carries the generation of the route table it was laid out for, so that a frame never meets
the wrong routes.

Processors differ in the order in which another core sees what one core has written. Nothing here
rests on it: a frame and a route table each carry a sum over all they consist of, and what does not
agree with its sum was read too early and counts as not read.
"""

from __future__ import annotations

import mmap
import os
import socket
import struct
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

MAGIC = 0x1571_0002
MAX_ROWS = 4096
MAX_ROUTES = 8192
SLOTS = 512
BUFFERS = 3
WRITING = -1  # instead of the generation of a buffer that is being filled

# words of the head, all int64
(
    W_MAGIC,
    W_CURRENT,
    W_HEARTBEAT,
    W_HOLD_MS,
    W_ENABLED,
    W_ROUTE_SEQ,
    W_ROUTE_COUNT,
    W_ROUTE_GENERATION,
    W_RATE_ARTNET,  # millihertz
    W_RATE_SACN,
    W_CHANGED_ONLY,
    W_ARTNET_SYNC,
    W_GENERATION,  # one for each buffer
    _W1,
    _W2,
    W_ROWS,  # one for each buffer: how many rows the frame has
    _R1,
    _R2,
    W_SUM,  # one for each buffer
    _S1,
    _S2,
    W_ROUTE_SUM,
    W_RATE_DMX,  # millihertz
) = range(23)
# words the engine writes
(
    S_TICKS,
    S_PACKETS,
    S_ERRORS,
    S_ERRNO,
    S_SPREAD_US,
    S_RATE_MHZ,
    S_STATE,
    S_ROUTES,
    S_ALIVE,
    S_PRIORITY,
    S_LATE,
    S_COUNTS_OF,  # the generation of routes whose sequence numbers are kept
) = range(32, 44)
MAX_DEVICES = 8  # DMX ports of this computer
S_PORT_STATE, S_PORT_PACKETS = 44, 52  # one for each of them
S_DUE = 60  # when Art-Net, and after it sACN, takes a frame next, in ns of the monotonic clock
P_ALIVE, P_FRAMES = 62, 63  # the player writes these, where there is one
IDLE, SENDING, HOLDING, DARK = range(4)
ARTNET, SACN, SACN_PRIORITY, DMX = range(4)

_HEAD = 64
_IDENTITY = 96  # bytes: CID and source name
_ROUTE_WORDS = 8
_DEVICE = 128  # bytes of a device's name
_ROUTES_AT = _HEAD * 8 + _IDENTITY + MAX_DEVICES * _DEVICE
_FRAMES_AT = _ROUTES_AT + MAX_ROUTES * _ROUTE_WORDS * 8
_COUNTS_AT = _FRAMES_AT + BUFFERS * MAX_ROWS * SLOTS
_BYTES = _COUNTS_AT + 3 * MAX_ROUTES


_WEIGHTS = np.random.default_rng(0x15714).integers(
    1, 2**63, MAX_ROWS * SLOTS // 8, np.uint64
) | np.uint64(1)


def checksum(data: NDArray[np.uint8], seed: int) -> int:
    """A sum that tells a mixture of two frames from either of them: each eight bytes times an odd
    weight of their place, modulo 2⁶⁴ (a multiply-shift hash). data: whole multiples of 8 bytes.

    Stale and fresh parts whose plain sums agree (two channels that cross over) differ in it.
    """
    words = data.view(np.uint64)
    total = int(np.dot(words, _WEIGHTS[: len(words)])) + (seed + 1) * 0x9E3779B97F4A7C15
    return (total & 0xFFFF_FFFF_FFFF_FFFF) - 2**63


def _dotted(ip: int) -> str:
    return socket.inet_ntoa(struct.pack(">I", ip))


@dataclass(frozen=True)
class Route:
    """One row of a frame on its way: to an Art-Net port-address or an sACN universe (`number`) at
    one host or group.

    A row of kind SACN_PRIORITY holds priorities, sent with start code 0xDD. One of kind DMX goes to
    a serial port of this computer: `host` is its device.
    """

    row: int
    host: str
    number: int
    port: int = 6454
    kind: int = ARTNET
    priority: int = 100
    sync: int = 0
    options: int = 0


@dataclass(frozen=True)
class Identity:
    """Which device sends, as sACN tells it."""

    cid: bytes = bytes(16)
    source: str = "Isthmus"


class SharedFrames:
    """Views on the shared memory. Exactly one process writes frames, exactly one reads them."""

    def __init__(self, fd: int | None = None) -> None:
        if fd is None:
            fd = os.memfd_create("isthmus-frames")
            os.ftruncate(fd, _BYTES)
        self.fd = fd
        self.map = mmap.mmap(fd, _BYTES)
        self.words: NDArray[np.int64] = np.frombuffer(self.map, np.int64, _HEAD)
        self.who: NDArray[np.uint8] = np.frombuffer(
            self.map, np.uint8, _ROUTES_AT - _HEAD * 8, _HEAD * 8
        )  # identity and devices
        self.identity = self.who[:_IDENTITY]
        self.devices = self.who[_IDENTITY:].reshape(MAX_DEVICES, _DEVICE)
        self.routes: NDArray[np.int64] = np.frombuffer(
            self.map, np.int64, MAX_ROUTES * _ROUTE_WORDS, _ROUTES_AT
        ).reshape(MAX_ROUTES, _ROUTE_WORDS)
        self.frames: NDArray[np.uint8] = np.frombuffer(
            self.map, np.uint8, BUFFERS * MAX_ROWS * SLOTS, _FRAMES_AT
        ).reshape(BUFFERS, MAX_ROWS * SLOTS)
        # sequence numbers of Art-Net, sACN, and sACN's synchronization; the engine writes them, so
        # that one that is started again goes on with them
        self.counts: NDArray[np.uint8] = np.frombuffer(
            self.map, np.uint8, 3 * MAX_ROUTES, _COUNTS_AT
        ).reshape(3, MAX_ROUTES)
        self.words[W_MAGIC] = MAGIC

    def write_frame(self, frame: NDArray[np.uint8]) -> None:
        """frame: flat bytes of whole rows, at most MAX_ROWS of them."""
        spare = (int(self.words[W_CURRENT]) + 1) % BUFFERS
        generation = int(self.words[W_ROUTE_GENERATION])
        self.words[W_GENERATION + spare] = WRITING
        self.frames[spare, : len(frame)] = frame
        self.words[W_ROWS + spare] = len(frame) // SLOTS
        self.words[W_SUM + spare] = checksum(self.frames[spare, : len(frame)], generation)
        self.words[W_GENERATION + spare] = generation
        self.words[W_CURRENT] = spare

    def write_routes(
        self, routes: list[Route], frame: NDArray[np.uint8], identity: Identity | None = None
    ) -> None:
        """New routes together with the first frame laid out for them."""
        devices = list(dict.fromkeys(r.host for r in routes if r.kind == DMX))[:MAX_DEVICES]
        routes = [r for r in routes if r.kind != DMX or r.host in devices]
        table = [
            (
                r.row,
                devices.index(r.host)
                if r.kind == DMX
                else struct.unpack(">I", socket.inet_aton(r.host))[0],
                r.number,
                r.port,
                r.kind,
                r.priority,
                r.sync,
                r.options,
            )
            for r in routes[:MAX_ROUTES]
        ]
        who = identity or Identity()
        self.words[W_ROUTE_SEQ] += 1  # odd: being written
        if table:
            self.routes[: len(table)] = table
        self.identity[:] = np.frombuffer(
            (who.cid + who.source.encode()[:79]).ljust(_IDENTITY, b"\0"), np.uint8
        )
        self.devices[:] = 0
        for at, device in enumerate(devices):
            name = np.frombuffer(device.encode()[:_DEVICE], np.uint8)
            self.devices[at, : len(name)] = name
        self.words[W_ROUTE_COUNT] = len(table)
        self.words[W_ROUTE_GENERATION] += 1
        self.words[W_ROUTE_SUM] = self._route_sum(
            self.routes[: len(table)], self.who, int(self.words[W_ROUTE_GENERATION])
        )
        self.write_frame(frame)
        self.words[W_ROUTE_SEQ] += 1

    def read_routes(self) -> tuple[int, list[Route], Identity] | None:
        """(generation, routes, which device sends), or None while they are being written."""
        before = int(self.words[W_ROUTE_SEQ])
        if before % 2:
            return None
        rows = self.routes[: int(self.words[W_ROUTE_COUNT])].copy()
        copied = self.who.copy()
        who, names = copied[:_IDENTITY].tobytes(), copied[_IDENTITY:].reshape(MAX_DEVICES, -1)
        devices = [bytes(name).rstrip(b"\0").decode(errors="replace") for name in names]
        generation = int(self.words[W_ROUTE_GENERATION])
        if int(self.words[W_ROUTE_SUM]) != self._route_sum(rows, copied, generation):
            return None
        if int(self.words[W_ROUTE_SEQ]) != before:
            return None
        routes = [
            Route(row, devices[ip] if kind == DMX else _dotted(ip), number, port, kind, *more)
            for row, ip, number, port, kind, *more in rows.tolist()
        ]
        return (
            generation,
            routes,
            Identity(who[:16], who[16:].rstrip(b"\0").decode(errors="replace")),
        )

    def read_frame(self, generation: int, rows: int) -> NDArray[np.uint8] | None:
        """The first rows of the newest frame, copied, (rows, 512), when it was laid out for these
        routes.

        The writer may come round to this buffer while it is read: what does not agree with its
        sum, or is of another generation afterwards, counts as not read.
        """
        current = int(self.words[W_CURRENT])
        if int(self.words[W_GENERATION + current]) != generation:
            return None
        high = min(MAX_ROWS, max(0, int(self.words[W_ROWS + current])))
        frame = self.frames[current, : high * SLOTS].copy()
        if int(self.words[W_SUM + current]) != checksum(frame, generation):
            return None
        if int(self.words[W_GENERATION + current]) != generation:
            return None
        return frame.reshape(-1, SLOTS)[:rows] if rows <= high else None

    @staticmethod
    def _route_sum(rows: NDArray[np.int64], who: NDArray[np.uint8], generation: int) -> int:
        return checksum(rows.reshape(-1).view(np.uint8), checksum(who, generation))
