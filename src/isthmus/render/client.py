"""The application's end of the render process: ask for pictures, take them out of shared memory."""

from __future__ import annotations

import contextlib
import mmap
import os
import socket
import subprocess
import sys
from dataclasses import dataclass
from multiprocessing.connection import Connection

from numpy.typing import NDArray

from isthmus.render.look import Look
from isthmus.render.scene import Scene
from isthmus.stage.camera import Camera
from isthmus.stage.rig import Beams, Bodies

MAX_PIXELS = 3840 * 2400
MAX_STARTS = 3


@dataclass(frozen=True)
class Request:
    """One picture. The scene is kept by the process until another comes; to `hold` so many pictures
    a second the beam buffer may be drawn coarser than the look asks, 0 draws it as it is asked."""

    size: tuple[int, int]
    camera: Camera
    beams: Beams
    bodies: Bodies
    tint: NDArray
    look: Look
    scene: Scene | None = None
    hold: int = 0


@dataclass(frozen=True)
class Picture:
    """A finished picture in buffer `turn`."""

    turn: int
    width: int
    height: int
    milliseconds: float
    scale: int


class RenderClient:
    """One request is under way at a time. `fileno` becomes readable when there is news for
    `poll`.
    """

    def __init__(self) -> None:
        self._memory = os.memfd_create("isthmus-picture")
        os.ftruncate(self._memory, MAX_PIXELS * 4 * 2)
        self._map = mmap.mmap(self._memory, MAX_PIXELS * 4 * 2)
        self._process: subprocess.Popen[bytes] | None = None
        self._link: Connection | None = None
        self._starts = 0
        self.busy = True
        self.failure = ""

    def start(self) -> None:
        ours, theirs = socket.socketpair()
        try:
            self._process = subprocess.Popen(
                [
                    sys.executable,
                    "-m",
                    "isthmus.render.process",
                    "--link",
                    str(theirs.fileno()),
                    "--picture",
                    str(self._memory),
                ],
                pass_fds=(theirs.fileno(), self._memory),
                stdin=subprocess.DEVNULL,
                stderr=subprocess.DEVNULL,
            )
        except OSError as error:
            self.failure = str(error)
            ours.close()
            return
        finally:
            theirs.close()
        self._starts += 1
        self._link = Connection(ours.detach())
        self.busy = True

    def fileno(self) -> int:
        return self._link.fileno() if self._link else -1

    @property
    def pid(self) -> int:
        return self._process.pid if self._process else 0

    def ask(self, request: Request) -> bool:
        """False when the process is still busy or gone."""
        if self.busy or self._link is None:
            return False
        width, height = request.size
        if width * height > MAX_PIXELS or width < 1 or height < 1:
            return False
        try:
            self._link.send(request)
        except OSError:
            return False
        self.busy = True
        return True

    def poll(self) -> Picture | str | None:
        """A picture; `ready` (ask now), `restarted` (it died and came back), `failed` (it will
        not); or None.
        """
        if self._link is None:
            return "failed" if self.failure else None
        try:
            if not self._link.poll():
                return None
            news = self._link.recv()
        except (EOFError, OSError):
            return self._lost()
        if isinstance(news, Picture):
            self.busy = False
            return news
        if news == "ready":
            self.busy = False
            return "ready"
        self.failure = str(news).removeprefix("failed: ")
        self._close()
        return "failed"

    def wait(self, seconds: float) -> Picture | str | None:
        """Like `poll`, but blocks for a while; for headless use."""
        if self._link is None:
            return self.poll()
        with contextlib.suppress(OSError, EOFError):
            self._link.poll(seconds)
        return self.poll()

    def _lost(self) -> str:
        self._close()
        if self._starts >= MAX_STARTS:
            self.failure = "the drawing process ended three times"
            return "failed"
        self.start()
        return "restarted"

    def pixels(self, picture: Picture) -> memoryview:
        """RGBA rows from the top; valid until the next but one picture."""
        start = picture.turn * MAX_PIXELS * 4
        return memoryview(self._map)[start : start + picture.width * picture.height * 4]

    def _close(self) -> None:
        if self._link is not None:
            self._link.close()
            self._link = None
        if self._process is not None:
            try:
                self._process.wait(1)
            except subprocess.TimeoutExpired:
                self._process.kill()
                self._process.wait()
            self._process = None

    def stop(self) -> None:
        self._close()
        os.close(self._memory)
