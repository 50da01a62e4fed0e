"""The player process itself: `python -m isthmus.player.process --fd N --channel N`.

It renders each frame a little before the engine takes it, for the moment it is taken: so the steps
of a fade are as even as the engine's ticks. When the window is gone it plays on for as long as the
engine holds.
"""

from __future__ import annotations

import argparse
import gc
import math
import select
import signal
import socket
import sys
import time

from isthmus.engine import shared as sh
from isthmus.engine.publisher import Publisher
from isthmus.engine.steady import raise_priority
from isthmus.player.desk import Desk
from isthmus.player.post import Inbox

AWAKE = 0.2  # seconds after which it shows that it is alive
MARGIN = 0.004  # seconds before the engine takes a frame that it should be there
AHEAD = 0.012  # seconds that it is begun before at most: else it comes before the last is taken
STALE = 0.25  # seconds after which a tick that did not come is not waited for


class Ticks:
    """When the engine takes frames. Without one, a clock of its own at the same rates."""

    def __init__(self, frames: sh.SharedFrames) -> None:
        self.words = frames.words
        self.used = [True, True]

    def next(self, after: float) -> float:
        """The first tick later than a time (by more than clocks are read apart)."""
        after += 0.0005
        return min(self._next(at, after) for at in (0, 1) if self.used[at] or not any(self.used))

    def _next(self, at: int, after: float) -> float:
        rate = int(self.words[sh.W_RATE_SACN if at else sh.W_RATE_ARTNET])
        period = 1000.0 / max(1000, rate)
        due = int(self.words[sh.S_DUE + at]) / 1e9
        if after - due > STALE or due - after > STALE:
            due = 0.0
        return due + max(0, math.floor((after - due) / period) + 1) * period


class Player:
    def __init__(self, frames: sh.SharedFrames, channel: socket.socket) -> None:
        self.words = frames.words
        self.desk = Desk(Publisher(frames))
        self.ticks = Ticks(frames)
        self.inbox = Inbox(channel)
        self.ended = False
        self.orphaned = math.inf  # since when the window is gone
        self.cost = 0.0  # seconds a frame takes

    def run(self) -> None:
        while not self.ended:
            now = time.monotonic()
            self.words[sh.P_ALIVE] = int(now * 1e9)
            if self._hear() or self.desk.rendered == -math.inf:
                self._render(self.ticks.next(time.monotonic()))
            self._wait()
            if time.monotonic() - self.orphaned > int(self.words[sh.W_HOLD_MS]) / 1e3:
                self.ended = True

    def _hear(self) -> bool:
        """Take all messages there are. Whether there were any."""
        heard = False
        try:
            for message in self.inbox.take() if self.orphaned == math.inf else ():
                if message == "end":
                    self.ended = True
                    break
                self.desk.take(message)
                heard = True
        except (EOFError, OSError):
            self.orphaned = time.monotonic()
        if heard and self.desk.rig is not None:
            kinds = {route.kind for route in self.desk.rig.plan.routes}
            self.ticks.used = [sh.ARTNET in kinds, bool(kinds & {sh.SACN, sh.SACN_PRIORITY})]
        return heard

    def _render(self, at: float) -> None:
        begun = time.monotonic()
        self.desk.render(at)
        self.cost = 0.9 * self.cost + 0.1 * (time.monotonic() - begun)
        self.words[sh.P_FRAMES] += 1

    def _wait(self) -> None:
        """Until a message comes or a frame is due, which is then rendered."""
        now = time.monotonic()
        tick = self.ticks.next(max(now, self.desk.rendered))
        due = self.desk.waiting_for()
        if due > tick:  # nothing changes at that tick
            tick = self.ticks.next(due - 1e-6) if due < now + AWAKE else math.inf
        begin = tick - min(AHEAD, MARGIN + 2 * self.cost)
        pause = max(0.0, min(begin - now, AWAKE))
        if self.orphaned == math.inf:
            ready, _, _ = select.select([self.inbox.channel], [], [], pause)
        else:
            ready = []
            time.sleep(pause)
        if not ready and begin <= time.monotonic():
            self._render(tick)


def main() -> int:
    parser = argparse.ArgumentParser()
    parser.add_argument("--fd", type=int, required=True)
    parser.add_argument("--channel", type=int, required=True)
    options = parser.parse_args()
    player = Player(sh.SharedFrames(options.fd), socket.socket(fileno=options.channel))
    signal.signal(signal.SIGINT, signal.SIG_IGN)  # Ctrl C in a terminal is the window's affair
    import scipy.sparse  # noqa: F401  # a first picture brings it: no fade stands still meanwhile

    raise_priority()
    gc.collect()
    gc.freeze()
    player.run()
    return 0


if __name__ == "__main__":
    sys.exit(main())
