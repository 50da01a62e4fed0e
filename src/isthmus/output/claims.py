"""Who on this computer sends to which output, so that two windows never send to the same one.

Each process that sends keeps a file in a folder of its own account: locked while it or its engine
lives, so that a file whose lock is free belongs to the dead. It holds what is sent there now. All
changes are made under one lock of the folder, so that of two who come at once one is the first.
"""

from __future__ import annotations

import contextlib
import fcntl
import ipaddress
import os
import tempfile
import time
from collections.abc import Collection, Iterable, Iterator, Mapping, Sequence
from pathlib import Path

import msgspec

from isthmus.engine import DMX, SACN, SACN_PRIORITY, Route
from isthmus.patch.numbers import write_numbers
from isthmus.show.decoding import decoded
from isthmus.show.recovery import state_folder

PATIENCE = 0.05  # seconds another may take for its change
PAUSE = 1.0  # seconds between two looks whether another has stopped
MOST_BYTES = 4 * 2**20
Place = tuple[int, int, str]  # kind, number, host; of a DMX port 0 and its device


class Sender(msgspec.Struct, frozen=True):
    """A process of this computer that sends, and where to."""

    pid: int
    name: str
    places: tuple[Place, ...] = ()

    @property
    def words(self) -> str:
        name = self.name if len(self.name) <= 40 else f"{self.name[:39]}…"
        called = f", “{name}”" if name else ""
        return f"another Isthmus{called} (process {self.pid})"


def place_of(route: Route) -> Place:
    """Where a route leads. Levels and priorities of a universe go to the same place."""
    if route.kind == DMX:
        return DMX, 0, os.path.realpath(route.host)
    return (SACN if route.kind == SACN_PRIORITY else route.kind), route.number, route.host


def meets(one: Place, other: Place) -> bool:
    """Whether packets to both reach a receiver as the same universe."""
    return one[:2] == other[:2] and (one[2] == other[2] or _to_all(one[2]) or _to_all(other[2]))


def _to_all(host: str) -> bool:
    """Multicast and broadcast. The mask is not known here: what ends in 255 counts as broadcast,
    which at worst leaves one universe to the window that was first.
    """
    try:
        return ipaddress.ip_address(host).is_multicast or host.endswith(".255")
    except ValueError:
        return False


def told_of(left: Mapping[int, Sender], free: Collection[int] = ()) -> tuple[str, str]:
    """Severity and sentence: which universes another process sends, and which are ours again."""
    told = [
        f"{_universes(u for u, s in left.items() if s == sender)} sent by {sender.words} already, "
        "and left out here until it stops."
        for sender in dict.fromkeys(left.values())
    ]
    if free:
        told.append(f"{_universes(free)} sent from here now.")
    return "attention" if left else "ok", " ".join(told)


def _universes(some: Iterable[int]) -> str:
    numbers = sorted(some)
    one = len(numbers) == 1
    return f"Universe{'' if one else 's'} {write_numbers(numbers)} {'is' if one else 'are'}"


class Claims:
    """What this process sends to from `begin` to `release`. `left` are places others send to:
    sender by place.
    """

    def __init__(self, name: str, folder: Path | None = None) -> None:
        self.name = name
        self.left: dict[Place, Sender] = {}
        self._folder = folder or state_folder() / "sending"
        self._file: tuple[Path, int] | None = None
        self.sending = False
        self._asked: tuple[Route, ...] | None = None
        self._ours: list[Route] = []
        self._unsure = False  # whether others could not be asked
        self._looked = 0.0

    @property
    def handles(self) -> tuple[int, ...]:
        """For a process that goes on sending when this one is gone: open there the claims hold."""
        return (self._file[1],) if self._file else ()

    def begin(self) -> None:
        """Where the folder cannot be written nothing is claimed, and all is sent."""
        self.sending = True
        with contextlib.suppress(OSError), self._alone() as alone:
            if alone:
                self._own()

    def share(self, routes: Sequence[Route]) -> list[Route]:
        """Those no other process sends to; they are ours until others are asked for."""
        if not self.sending:
            return []
        if tuple(routes) != self._asked:
            self._asked = tuple(routes)
            self._settle()
        return self._ours

    def again(self) -> bool:
        """Look now and then whether another has stopped. True when what is ours is no longer what
        it was.
        """
        before, late = self._ours, time.monotonic() - self._looked > PAUSE
        if self._asked is not None and late and (self.left or self._unsure):
            self._settle()
        return self._ours != before

    def release(self) -> None:
        """Nothing is sent any more."""
        if self.sending:
            self.share(())
        self.sending, self._asked = False, None

    def close(self) -> None:
        """Forget all; the engine must have ended."""
        if self._file is not None:
            path, handle = self._file
            self._file, self._asked, self.sending, self.left = None, None, False, {}
            path.unlink(missing_ok=True)
            os.close(handle)

    def __enter__(self) -> Claims:
        self.begin()
        return self

    def __exit__(self, *_: object) -> None:
        self.close()

    def _own(self) -> tuple[Path, int]:
        if self._file is None:
            handle, name = tempfile.mkstemp(".json", f"{os.getpid()}-", self._folder)
            fcntl.flock(handle, fcntl.LOCK_EX)
            self._file = Path(name), handle
        return self._file

    def _settle(self) -> None:
        asked = list(self._asked or ())
        self._looked, self._unsure = time.monotonic(), True
        # a full disk, a home that cannot be written: sending matters more
        with contextlib.suppress(OSError), self._alone() as alone:
            if alone:
                self.left = _met({place_of(r) for r in asked}, list(self._others()))
                self._tell({place_of(r) for r in asked} - self.left.keys())
                self._unsure = False
        self._ours = [r for r in asked if place_of(r) not in self.left]

    @contextlib.contextmanager
    def _alone(self) -> Iterator[bool]:
        """Whether no other process changes anything meanwhile: one may hold it for too long."""
        self._folder.mkdir(parents=True, exist_ok=True, mode=0o700)
        handle = os.open(self._folder / "lock", os.O_RDWR | os.O_CREAT | os.O_CLOEXEC, 0o600)
        end, alone = time.monotonic() + PATIENCE, False
        try:
            while not alone:
                try:
                    fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
                    alone = True
                except BlockingIOError:
                    if time.monotonic() > end:
                        break
                    time.sleep(0.005)
            yield alone
        finally:
            os.close(handle)

    def _others(self) -> Iterator[Sender]:
        """The living ones. What the dead left goes."""
        mine = self._own()[0]
        for path in self._folder.glob("*.json"):
            if path == mine:
                continue
            with contextlib.suppress(OSError, msgspec.MsgspecError):
                handle = os.open(path, os.O_RDWR | os.O_CLOEXEC | os.O_NONBLOCK | os.O_NOFOLLOW)
                try:
                    fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
                    path.unlink(missing_ok=True)
                except BlockingIOError:
                    yield decoded(os.pread(handle, MOST_BYTES, 0), kind=Sender)
                finally:
                    os.close(handle)

    def _tell(self, places: Iterable[Place]) -> None:
        _, handle = self._own()
        told = msgspec.json.encode(Sender(os.getpid(), self.name, tuple(sorted(places))))
        os.ftruncate(handle, 0)
        os.pwrite(handle, told, 0)


def _met(wanted: Iterable[Place], others: Sequence[Sender]) -> dict[Place, Sender]:
    """Wanted places another sends to already, and the first who does."""
    held: dict[tuple[int, int], list[tuple[Place, Sender]]] = {}
    for sender in others:
        for place in sender.places:
            held.setdefault(place[:2], []).append((place, sender))
    return {
        place: sender
        for place in wanted
        for sender in [s for p, s in held.get(place[:2], ()) if meets(p, place)][:1]
    }
