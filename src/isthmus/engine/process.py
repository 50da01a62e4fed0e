"""The engine process itself: `python -m isthmus.engine.process --fd N --channel N`.

Each protocol has its own rate. At each tick the newest frame is taken from shared memory and every
route's packet is sent; with `changed_only` those that changed, and the rest about once a second. It
goes on with the last frame while the interface is busy. When the interface has not been heard of
for the hold time it ends its streams and waits; when the interface has died it does the same and
ends itself; when it is told to end, it ends its streams at once.
"""

from __future__ import annotations

import argparse
import errno
import gc
import os
import signal
import socket
import sys
import threading
import time

import numpy as np
from numpy.typing import NDArray

from isthmus.engine import shared as sh
from isthmus.engine.dmx_ports import DmxPorts
from isthmus.engine.lane import ENDINGS, GROUP, LOCAL, Lane, side_of
from isthmus.engine.steady import raise_priority
from isthmus.sockets import Sender, receive_message
from isthmus.sockets.outlets import NAMES
from isthmus.wire import artnet, sacn

STALE = 1.5  # seconds without a heartbeat after which the interface counts as hung
SETTLE = 22
WINDOW = 440  # ticks the spread is computed over: ten seconds
SPREAD_OVER = 0.45  # of a period the bunches are spread over
LOCAL_BROADCAST = "127.255.255.255"


class Engine:
    """The sending, one call at a time; `run` below keeps the time."""

    def __init__(self, frames: sh.SharedFrames) -> None:
        self.frames, self.words = frames, frames.words
        self.sockets: dict[str, int] = {}
        self.broadcast = ""
        self.lanes: list[Lane | None] = [None, None]  # Art-Net, sACN
        self.who = sh.Identity()
        self.generation = -1
        self.used = 0  # rows that any route reads
        self.frame: NDArray[np.uint8] = np.zeros((0, sh.SLOTS), np.uint8)
        self.ports = DmxPorts(self.words)
        self.ending: list[tuple[Lane, set[tuple[str, int]] | None, int]] = []
        self.orphaned_at = 0.0
        self.discovered_at = -sacn.DISCOVERY_SECONDS
        self.state = sh.IDLE

    # ------------------------------------------------------------ what is new

    def take(self) -> None:
        """Newest routes and frame, or the last ones when the interface is writing right now.

        Routes and the frame laid out for them are taken together or not at all: the interface may
        write others in between.
        """
        if int(self.words[sh.W_ROUTE_GENERATION]) == self.generation:
            frame = self.frames.read_frame(self.generation, self.used)
            if frame is not None:
                self.frame = frame
            return
        read = self.frames.read_routes()
        if read is None:
            return
        generation, routes, who = read
        used = max((r.row for r in routes), default=-1) + 1
        frame = self.frames.read_frame(generation, used)
        if frame is None:
            return
        if self.generation < 0 and int(self.words[sh.S_COUNTS_OF]) != generation:
            self.frames.counts[:] = 0  # this is no engine that goes on after another
        self.generation, self.who, self.used, self.frame = generation, who, used, frame
        self.words[sh.S_COUNTS_OF] = generation
        for at, kinds in enumerate(((sh.ARTNET,), (sh.SACN, sh.SACN_PRIORITY))):
            self._lay_out(at, [r for r in routes if r.kind in kinds])
        self.ports.lay_out([r for r in routes if r.kind == sh.DMX])
        self.words[sh.S_ROUTES] = len(routes)

    def _lay_out(self, at: int, routes: list[sh.Route]) -> None:
        old = self.lanes[at]
        if old is not None and old.routes == routes:
            return
        fresh = Lane(routes, self.who, self.frames.counts[at], old) if routes else None
        self.lanes[at] = fresh
        if old is not None and self.state in (sh.SENDING, sh.HOLDING):
            gone = set(old.streams) - set(fresh.streams if fresh else ())
            if gone:  # nothing stays lit where nothing is sent any more
                self.ending.append((old, gone, ENDINGS))

    # ------------------------------------------------------------ sending

    def post(self, sender: Sender, rows: NDArray[np.int64], sides: NDArray[np.int8]) -> None:
        """Send packets, each by the socket of its side."""
        protocol = "sacn" if sender.buffers[rows[0], 0] == 0 else "artnet"
        for side in np.unique(sides).tolist():
            picked = rows[sides == side]
            fd = self._socket(protocol, side)
            sent, failed, reason = (
                sender.send(fd, picked) if fd >= 0 else (0, len(picked), errno.ENETUNREACH)
            )
            self.words[sh.S_PACKETS] += sent
            if failed:
                self.words[sh.S_ERRORS] += failed
                self.words[sh.S_ERRNO] = reason or errno.EIO

    def _socket(self, protocol: str, side: int) -> int:
        """Where this computer alone is sent to, groups stay on it too."""
        out = self.sockets.get(f"{protocol} out", -1)
        return (
            self.sockets.get(f"{protocol} local", -1)
            if side == LOCAL or (side == GROUP and out < 0)
            else out
        )

    def _post_one(self, packet: bytes, host: str, port: int) -> None:
        """A packet that is not levels: sync or discovery."""
        fd = self._socket("artnet" if port == artnet.PORT else "sacn", side_of(host))
        if fd >= 0:
            row = np.frombuffer(packet, np.uint8).reshape(1, -1).copy()
            Sender(row, [len(packet)], [(host, port)]).send(fd, np.zeros(1, np.int64))

    def tick(self, at: int, bunch: int, now: float) -> None:
        """One bunch of one protocol; the first one of a tick also looks at what is new."""
        if bunch == 0:
            self.take()
            self._settle(now)
            self.ports.feed(self.frame, self.state in (sh.SENDING, sh.HOLDING))
        lane = self.lanes[at]
        if (
            lane is not None
            and bunch < len(lane.bunches)
            and self.state in (sh.SENDING, sh.HOLDING)
        ):
            lane.send(bunch, self.frame, now, bool(self.words[sh.W_CHANGED_ONLY]), self.post)
            if bunch == len(lane.bunches) - 1:
                self._after(lane, now)

    def _settle(self, now: float) -> None:
        """Which state the switch and the heartbeat ask for; what has ended is told to receivers."""
        silent = now - int(self.words[sh.W_HEARTBEAT]) / 1e9
        hold = int(self.words[sh.W_HOLD_MS]) / 1e3
        if not self.words[sh.W_ENABLED]:
            wanted = sh.IDLE
        elif silent > STALE + hold:
            wanted = sh.DARK
        else:
            wanted = sh.HOLDING if silent > STALE or self.orphaned_at else sh.SENDING
        if wanted in (sh.IDLE, sh.DARK) and self.state in (sh.SENDING, sh.HOLDING):
            self.ending = [(lane, None, ENDINGS) for lane in self.lanes if lane is not None]
        elif wanted in (sh.SENDING, sh.HOLDING) and self.state in (sh.IDLE, sh.DARK):
            self.ending = []
        for lane, keys, left in self.ending:
            if left:
                lane.end(self.post, keys)
        self.ending = [(lane, keys, left - 1) for lane, keys, left in self.ending if left > 1]
        self.state = wanted
        self.words[sh.S_STATE] = wanted
        self.words[sh.S_ALIVE] = int(now * 1e9)
        self.words[sh.S_TICKS] += 1

    def _after(self, lane: Lane, now: float) -> None:
        """When all of a protocol's universes are out: have those shown together, and say which
        there are. Where nothing was sent there is nothing to be shown.
        """
        sent, lane.sent = lane.sent, False
        if not lane.is_sacn:
            if self.words[sh.W_ARTNET_SYNC] and sent:
                sides = {
                    LOCAL_BROADCAST if side == LOCAL else self.broadcast
                    for side in lane.side.tolist()
                }
                for host in sides - {""}:
                    self._post_one(artnet.encode_sync(), host, artnet.PORT)
            return
        wanted: dict[int, set[str]] = {}
        for route in lane.routes:
            if route.sync:
                group = sacn.multicast(route.sync) if route.host.startswith("239.") else route.host
                wanted.setdefault(route.sync, set()).add(group)
        for at, (universe, hosts) in enumerate(wanted.items() if sent else ()):
            packet = sacn.Sync(self.who.cid, universe, int(self.frames.counts[2, at]))
            self.frames.counts[2, at] += 1  # goes round at 256
            for host in hosts:
                self._post_one(sacn.encode_sync(packet), host, sacn.PORT)
        if now - self.discovered_at >= sacn.DISCOVERY_SECONDS:
            self.discovered_at = now
            for page in sacn.encode_discovery(
                self.who.cid, self.who.source, tuple(r.number for r in lane.routes)
            ):
                self._post_one(page, sacn.multicast(sacn.DISCOVERY_UNIVERSE), sacn.PORT)

    def end(self) -> None:
        for _ in range(ENDINGS):
            for lane in self.lanes if self.state in (sh.SENDING, sh.HOLDING) else ():
                if lane is not None:
                    lane.end(self.post)
            time.sleep(0.005)
        self.ports.end()


class Clock:
    """When which bunch is due. Protocols tick at their own rates; a new rate holds from the next
    tick on.
    """

    def __init__(self, engine: Engine) -> None:
        self.engine, self.words = engine, engine.words
        now = time.monotonic()
        self.due = [now, now]
        self.bunch = [0, 0]
        self.start = [now, now]
        self.intervals = np.zeros(WINDOW)
        self.count, self.settled = 0, False

    def period(self, at: int) -> float:
        return 1000.0 / max(1000, int(self.words[sh.W_RATE_SACN if at else sh.W_RATE_ARTNET]))

    def step(self) -> None:
        """Wait for what is due next, and do it."""
        at = 0 if self.due[0] <= self.due[1] else 1
        now = time.monotonic()
        period = self.period(at)
        if self.due[at] < now - 4 * period:
            self.due[at] = now  # the machine slept: go on from here rather than catch up
            self.words[sh.S_LATE] += 1
        if self.due[at] > now:
            time.sleep(self.due[at] - now)
        now = time.monotonic()
        bunch = self.bunch[at]
        if bunch == 0:
            self._measure(at, now, period)
            self.start[at] = self.due[at]
            self.words[sh.S_DUE + at] = int((self.start[at] + period) * 1e9)
        self.engine.tick(at, bunch, now)
        lane = self.engine.lanes[at]
        count = max(1, len(lane.bunches)) if lane else 1
        if bunch + 1 < count:
            self.bunch[at] = bunch + 1
            self.due[at] = self.start[at] + period * SPREAD_OVER * (bunch + 1) / count
        else:
            self.bunch[at] = 0
            self.due[at] = self.start[at] + period

    def _measure(self, at: int, now: float, period: float) -> None:
        """The spread of the first protocol that has routes."""
        if at != (0 if self.engine.lanes[0] is not None or self.engine.lanes[1] is None else 1):
            return
        if self.count:
            self.intervals[(self.count - 1) % WINDOW] = now - self.last
        self.last = now
        self.count += 1
        if (
            not self.settled and self.count == SETTLE
        ):  # the first ticks tell of starting up, not of sending
            self.count, self.settled = 1, True
        if self.settled and self.count % 22 == 21:
            seen = self.intervals[: min(self.count - 1, WINDOW)]
            self.words[sh.S_SPREAD_US] = int(np.percentile(np.abs(seen - period), 99) * 1e6)
            self.words[sh.S_RATE_MHZ] = int(1e3 / max(seen[-44:].mean(), 1e-6))


def listen(
    engine: Engine, channel: socket.socket, ready: threading.Event, ended: threading.Event
) -> None:
    """Messages of the interface: new sockets, or the end. When it is gone without a word, hold for
    the hold time.
    """
    while (received := receive_message(channel)) is not None:
        message, sockets = received
        if message["kind"] == "end":
            ended.set()
            return
        old = list(engine.sockets.values())
        engine.broadcast = message["broadcast"]
        engine.sockets = {
            name: fd for name, fd in zip(message["names"], sockets, strict=False) if name in NAMES
        }
        ready.set()
        time.sleep(0.1)  # a bunch may be on its way through an old one
        for fd in old:
            os.close(fd)
    engine.orphaned_at = time.monotonic()
    hold = int(engine.words[sh.W_HOLD_MS]) / 1e3
    if engine.words[sh.W_ENABLED]:
        ended.wait(hold)
    ended.set()


def main() -> int:
    parser = argparse.ArgumentParser()
    parser.add_argument("--fd", type=int, required=True)
    parser.add_argument("--channel", type=int, required=True)
    options = parser.parse_args()
    engine = Engine(sh.SharedFrames(options.fd))
    ready, ended = threading.Event(), threading.Event()
    signal.signal(signal.SIGINT, signal.SIG_IGN)  # Ctrl C in a terminal is the interface's affair
    signal.signal(signal.SIGTERM, lambda *_: ended.set())
    threading.Thread(
        target=listen,
        args=(engine, socket.socket(fileno=options.channel), ready, ended),
        daemon=True,
    ).start()
    engine.words[sh.S_PRIORITY] = raise_priority()
    gc.collect()
    gc.freeze()
    gc.disable()
    ready.wait(5)
    clock = Clock(engine)
    while not ended.is_set():
        clock.step()
    engine.end()
    return 0


if __name__ == "__main__":
    sys.exit(main())
