"""The engine process itself: `python -m isthmus.engine.process --fd N`.

Each tick it takes the newest frame from shared memory and sends one ArtDmx for each route. It goes on with the last
frame while the interface is busy; when the interface has not been heard of for the hold time it goes dark and waits;
when the interface is gone (its end of our standard input closes) it goes dark and ends.
"""

from __future__ import annotations

import argparse
import contextlib
import errno
import gc
import os
import socket
import sys
import threading
import time

import numpy as np

from isthmus.engine import shared as sh
from isthmus.wire import artnet

STALE = 1.5  # seconds without a heartbeat after which the interface counts as hung
DARK_FRAMES = 3  # sent dark before falling silent: one may be lost, three hardly
SPIN = 0.0004
SETTLE = 22
WINDOW = 440  # ticks the spread is computed over: ten seconds


class Line:
    """One route with its packet made ready: only the sequence and the slots change."""

    def __init__(self, route: sh.Route) -> None:
        self.packet = bytearray(artnet.encode_dmx(1, route.port_address, bytes(sh.SLOTS)))
        self.slots = memoryview(self.packet)[artnet.DMX_HEADER :]
        self.first, self.last = route.row * sh.SLOTS, (route.row + 1) * sh.SLOTS
        self.to = (route.host, route.port)
        self.sequence = 0

    @property
    def local(self) -> bool:
        return self.to[0].startswith("127.")

    def send(self, sock: socket.socket, frame: memoryview) -> None:
        self.sequence = self.sequence % 255 + 1
        self.packet[12] = self.sequence
        self.slots[:] = frame[self.first : self.last]
        sock.sendto(self.packet, self.to)


def open_socket(address: str) -> tuple[socket.socket, int]:
    """Send from the Art-Net port where it is free (nodes may insist), else from any. Returns (socket, port)."""
    sock = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)
    sock.setsockopt(socket.SOL_SOCKET, socket.SO_BROADCAST, 1)
    sock.setsockopt(socket.SOL_SOCKET, socket.SO_SNDBUF, 1 << 20)
    sock.setblocking(False)
    try:
        sock.bind((address, artnet.PORT))
    except OSError:
        sock.bind((address, 0))
    return sock, sock.getsockname()[1]


def raise_priority() -> int:
    """Ask for steady timing; 2 real time, 1 raised, 0 ordinary (usual without privileges)."""
    try:
        os.sched_setscheduler(0, os.SCHED_FIFO, os.sched_param(10))
        return 2
    except OSError:
        try:
            os.nice(-11)
            return 1
        except OSError:
            return 0


class Sender:
    def __init__(self, frames: sh.SharedFrames, address: str) -> None:
        self.frames, self.words = frames, frames.words
        self.address = address
        self.sockets: dict[bool, socket.socket] = {}
        self.lines: list[Line] = []
        self.generation = -1
        self.frame = memoryview(bytes(sh.MAX_ROWS * sh.SLOTS))
        self.zero = memoryview(bytes(sh.MAX_ROWS * sh.SLOTS))
        self.dark_left = 0
        self.state = sh.IDLE

    def take(self) -> None:
        """Newest routes and frame, or the last ones when the interface is writing right now."""
        if int(self.words[sh.W_ROUTE_GENERATION]) != self.generation:
            read = self.frames.read_routes()
            frame = self.frames.read_frame(read[0]) if read else None
            if read is None or frame is None:
                return
            kept = {(line.to, bytes(line.packet[14:16])): line.sequence for line in self.lines}
            self.generation, routes = read
            self.lines = [Line(route) for route in routes]
            for line in self.lines:
                line.sequence = kept.get((line.to, bytes(line.packet[14:16])), 0)
        frame = self.frames.read_frame(self.generation)
        if frame is not None:
            self.frame = memoryview(frame.tobytes())

    def socket_for(self, local: bool) -> socket.socket:
        """Opened when first wanted. To this machine we send from 127.0.0.1, so that a node on 127.0.0.2 may keep its port."""
        if local not in self.sockets:
            self.sockets[local], self.words[sh.S_PORT] = open_socket("127.0.0.1" if local else self.address)
        return self.sockets[local]

    def send(self, frame: memoryview) -> None:
        for line in self.lines:
            try:
                line.send(self.socket_for(line.local), frame)
                self.words[sh.S_PACKETS] += 1
            except OSError as error:
                self.words[sh.S_ERRORS] += 1
                self.words[sh.S_ERRNO] = error.errno or errno.EIO

    def tick(self, now: float) -> None:
        self.take()
        silent = now - int(self.words[sh.W_HEARTBEAT]) / 1e9
        hold = int(self.words[sh.W_HOLD_MS]) / 1e3
        if not self.words[sh.W_ENABLED]:
            wanted = sh.IDLE
        elif silent > STALE + hold:
            wanted = sh.DARK
        else:
            wanted = sh.HOLDING if silent > STALE else sh.SENDING
        if wanted in (sh.IDLE, sh.DARK):
            if self.state not in (sh.IDLE, sh.DARK):
                self.dark_left = DARK_FRAMES
            if self.dark_left:
                self.dark_left -= 1
                self.send(self.zero)
        else:
            self.send(self.frame)
        self.state = wanted
        self.words[sh.S_STATE] = wanted
        self.words[sh.S_ROUTES] = len(self.lines)
        self.words[sh.S_ALIVE] = int(now * 1e9)
        self.words[sh.S_TICKS] += 1


def run(sender: Sender, ended: threading.Event) -> None:
    words = sender.words
    intervals = np.zeros(WINDOW)
    count, last, settled = 0, time.monotonic(), False
    due = last
    while not ended.is_set():
        period = 1000.0 / max(1000, int(words[sh.W_RATE_MHZ]))
        due += period
        now = time.monotonic()
        if due < now - 4 * period:
            due = now  # the machine slept: go on from here rather than catch up
        if due - now > SPIN:
            time.sleep(due - now - SPIN)
        while time.monotonic() < due:
            pass
        now = time.monotonic()
        sender.tick(now)
        intervals[count % WINDOW], last = now - last, now
        count += 1
        if not settled and count == SETTLE:  # the first ticks tell of starting up, not of sending
            count = 0
            settled = True
        if settled and count % 22 == 21:
            seen = intervals[: min(count, WINDOW)]
            words[sh.S_SPREAD_US] = int(np.percentile(np.abs(seen - period), 99) * 1e6)
            words[sh.S_RATE_MHZ] = int(1e3 / max(seen[-44:].mean(), 1e-6))
    for _ in range(DARK_FRAMES):
        if sender.state in (sh.SENDING, sh.HOLDING):
            sender.send(sender.zero)
            time.sleep(0.005)


def main() -> int:
    parser = argparse.ArgumentParser()
    parser.add_argument("--fd", type=int, required=True)
    parser.add_argument("--address", default="0.0.0.0")
    options = parser.parse_args()
    frames = sh.SharedFrames(options.fd)
    sender = Sender(frames, options.address)
    ended = threading.Event()

    def watch_parent() -> None:
        with contextlib.suppress(OSError, ValueError):
            while sys.stdin.buffer.read(1):
                pass
        ended.set()

    threading.Thread(target=watch_parent, daemon=True).start()
    frames.words[sh.S_PRIORITY] = raise_priority()
    gc.collect()
    gc.freeze()
    gc.disable()
    with contextlib.suppress(KeyboardInterrupt):
        run(sender, ended)
    return 0


if __name__ == "__main__":
    sys.exit(main())
