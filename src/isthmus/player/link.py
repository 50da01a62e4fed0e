"""The window's side of the player: start it, tell it what is wanted, bring it back when it dies or
hangs.

Messages go by a thread of their own: a player that does not listen never stops the window.
"""

from __future__ import annotations

import contextlib
import socket
import subprocess
import sys
import threading
import time
from collections.abc import Callable
from queue import SimpleQueue

from isthmus.engine import shared as sh
from isthmus.errors import NetworkFault, os_reason
from isthmus.looks.playback import Act
from isthmus.pixels.painting import NO_PICTURES, Pictures
from isthmus.player.desk import NO_HAND, NO_LISTS, Hand, Hands, Lists, Rig, State
from isthmus.player.post import send

HUNG = 0.6  # seconds without a sign of life
STARTING = 10.0  # seconds it may take until the first one


class PlayerLink:
    """`state` says where the lists are, for a player that takes over."""

    def __init__(self, frames: sh.SharedFrames, state: Callable[[], State]) -> None:
        self._frames, self._state = frames, state
        self._process: subprocess.Popen[bytes] | None = None
        self._queue: SimpleQueue[object] = SimpleQueue()
        self._told: tuple[Rig | None, Lists, Hand | Hands, Pictures] = (
            None,
            NO_LISTS,
            NO_HAND,
            NO_PICTURES,
        )
        self._started = 0.0
        self.restarts = 0

    @property
    def pid(self) -> int:
        return self._process.pid if self._process else 0

    @property
    def alive(self) -> bool:
        """Whether it has shown a sign of life since it was started."""
        return self._process is not None and bool(self._frames.words[sh.P_ALIVE])

    def start(self) -> None:
        """Raises NetworkFault when no process can be started."""
        mine, theirs = socket.socketpair()
        self._frames.words[sh.P_ALIVE] = 0
        command = [sys.executable, "-m", "isthmus.player.process"]
        command += ["--fd", str(self._frames.fd), "--channel", str(theirs.fileno())]
        try:
            self._process = subprocess.Popen(
                command, stdin=subprocess.DEVNULL, pass_fds=(self._frames.fd, theirs.fileno())
            )
        except OSError as error:
            mine.close()
            raise NetworkFault(
                f"the player could not be started. {os_reason(error)}", do="Output stays off."
            ) from error
        finally:
            theirs.close()
        self._started = time.monotonic()
        self._queue = SimpleQueue()
        threading.Thread(target=_pass_on, args=(self._queue, mine), daemon=True).start()
        if self._told[0] is not None:
            self._queue.put([*self._told, self._state()])

    def show(self, rig: Rig, lists: Lists, hand: Hand | Hands, pictures: Pictures) -> None:
        """What is rendered with, which lists may run, what goes before them, and the pictures they
        may show. What is the same as before is not told again; what is new belongs to one frame.
        """
        wanted = rig, lists, hand, pictures
        news = [new for new, old in zip(wanted, self._told, strict=True) if new is not old]
        self._told = wanted
        if news:
            self._queue.put(news)

    def act(self, act: Act) -> None:
        self._queue.put(act)

    def check(self) -> bool:
        """Bring a dead or hung player back. True when it had to be."""
        if self._process is None:
            return False
        now = time.monotonic()
        alive = int(self._frames.words[sh.P_ALIVE]) / 1e9
        patience = HUNG if alive else STARTING
        if self._process.poll() is None:
            if now - max(alive, self._started) < patience:
                return False
            self._process.kill()
            self._process.wait()
        self._queue.put(None)
        self.restarts += 1
        self.start()
        return True

    def stop(self) -> None:
        if self._process is None:
            return
        self._queue.put("end")
        self._queue.put(None)
        try:
            self._process.wait(2)
        except subprocess.TimeoutExpired:
            self._process.kill()
            self._process.wait()
        self._process = None


def _pass_on(queue: SimpleQueue[object], channel: socket.socket) -> None:
    """Send what is queued, until None. A player that is gone takes nothing; what it needs is told
    to the next one.
    """
    with contextlib.closing(channel):
        while (message := queue.get()) is not None:
            try:
                send(channel, message)
            except OSError:
                return
