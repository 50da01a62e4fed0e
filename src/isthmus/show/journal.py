"""The journal of unsaved work: an edit is with the kernel before the next thing happens, and on the
disk right after.

A run of the application has a folder. In it stand, by generation n:

    about.json     whose work it is: host, process, the show's file
    held           locked (flock) as long as the run lives; the kernel releases when it ends,
    whatever it ends of n.base         what the generation begins with: a whole show, as a container
    n.journal      a first entry that says what it begins with, then the edits

An entry is its length and CRC-32 (little endian, four bytes each), one byte of kind, and what it
holds. `append` writes it before it returns, so a killed process loses nothing; a thread syncs it
right after, so that lost power costs at most the last few tens of milliseconds. Reading ends at the
first entry that is not whole.

A generation begins where the one before ended, or with the show's own file as it was read or saved,
so its base can be written while work goes on: until it stands, what was there before leads to the
same show. Nothing is removed before what replaces it is on the disk.
"""

from __future__ import annotations

import fcntl
import os
import shutil
import struct
import threading
import time
import zlib
from collections.abc import Callable
from concurrent.futures import Future, ThreadPoolExecutor
from pathlib import Path

import msgspec

from isthmus.errors import FileFault, os_reason
from isthmus.show.change import change_between
from isthmus.show.container import encode_show
from isthmus.show.files import sync_folder, write_atomically
from isthmus.show.records import FORMAT, Show

EDIT, LEVELS, BEGIN = b"e", b"l", b"b"
ABOUT, HELD = "about.json", "held"
_HEAD = struct.Struct("<IIc")
COMPACT_BYTES = 8 * 1024 * 1024
COMPACT_ENTRIES = 4000
RETRY = 5.0  # seconds between tries to begin again after trouble

Levels = tuple[tuple[str, int, str, float], ...]  # unit, cell, attribute, level


class Begin(msgspec.Struct, omit_defaults=True):
    """How a generation begins: with its own base, where the one before ended, or with the file
    whose SHA-256 is `digest`.

    `file` is the show's own, and `digest` what it was when it was last read or saved here;
    `unsaved` says that what the generation begins with is itself not saved.
    """

    source: str  # base, before, file
    file: str = ""
    digest: str = ""
    unsaved: bool = False
    format: int = 1  # of the records in its edits; journals of before had no such member


class About(msgspec.Struct, omit_defaults=True):
    """Whose work a folder holds. `original` is the show's file, empty when it has none."""

    original: str = ""
    host: str = ""
    pid: int = 0
    when: float = 0.0
    version: int = 1


def entry(kind: bytes, data: bytes) -> bytes:
    """One entry as it stands in a journal."""
    return _HEAD.pack(len(data), zlib.crc32(kind + data), kind) + data


def entries(data: bytes) -> tuple[list[tuple[bytes, bytes]], int]:
    """The whole entries of a journal as (kind, data), and how many bytes of it they take."""
    found: list[tuple[bytes, bytes]] = []
    at = 0
    while at + _HEAD.size <= len(data):
        size, check, kind = _HEAD.unpack_from(data, at)
        body = data[at + _HEAD.size : at + _HEAD.size + size]
        if len(body) < size or zlib.crc32(kind + body) != check:
            break
        found.append((kind, body))
        at += _HEAD.size + size
    return found, at


def hold(folder: Path) -> int | None:
    """Take a folder for this process: a descriptor to close when it is released. None when a living
    process has it. Raises OSError.
    """
    held = os.open(folder / HELD, os.O_RDWR | os.O_CREAT | os.O_CLOEXEC, 0o600)
    try:
        fcntl.flock(held, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except BlockingIOError:
        os.close(held)
        return None
    except OSError:
        os.close(held)
        raise
    return held


class _Syncer(threading.Thread):
    """Syncs the descriptor it was last given, as soon as something was written to it."""

    def __init__(self, failed: Callable[[OSError], None]) -> None:
        super().__init__(name="journal sync", daemon=True)
        self._failed = failed
        self._wake = threading.Condition()
        self._dirty = self._busy = self._ended = False
        self._new: list[Path] = []  # folders with a new file in them
        self._file = -1
        self._old: list[int] = []

    def switch(self, file: int, folder: Path) -> None:
        with self._wake:
            if self._file >= 0:
                self._old.append(self._file)
            self._file = file
            self._new.append(folder)

    def wrote(self) -> None:
        with self._wake:
            self._dirty = True
            self._wake.notify_all()

    def wait(self) -> None:
        """Until everything written so far is on the disk."""
        with self._wake:
            self._wake.wait_for(lambda: not (self._dirty or self._busy), 30)

    def end(self) -> None:
        with self._wake:
            self._ended = True
            self._wake.notify_all()
        self.join()

    def run(self) -> None:
        while True:
            with self._wake:
                self._wake.wait_for(lambda: self._dirty or self._ended)
                if not self._dirty:
                    break
                old, self._old, new, self._new = self._old, [], self._new, []
                file, self._dirty, self._busy = self._file, False, True
            try:
                for descriptor in (*old, file):
                    os.fsync(descriptor)
                for folder in new:
                    sync_folder(folder)
            except OSError as error:
                self._failed(error)
            for descriptor in old:
                os.close(descriptor)
            with self._wake:
                self._busy = False
                self._wake.notify_all()
        for descriptor in {*self._old, self._file} - {-1}:
            os.close(descriptor)


class Journal:
    """The journal of one run, called from one thread.

    `trouble` is called, from any thread, with a sentence when work cannot be kept, and with "" when
    it can again.
    """

    def __init__(self, folder: Path, trouble: Callable[[str], None] = lambda words: None) -> None:
        """Raises FileFault when the folder cannot be used."""
        self.folder, self._trouble = folder, trouble
        try:
            folder.mkdir(parents=True, exist_ok=True)
            held = hold(folder)
        except OSError as error:
            raise FileFault(
                f"unsaved work cannot be kept there. {os_reason(error)}",
                where=str(folder),
                do="Save often.",
            ) from error
        if held is None:
            raise FileFault(
                "another Isthmus uses this folder.", where=str(folder), do="Save often."
            )
        self._held = held
        past = [int(p.stem) for p in folder.glob("*.journal") if p.stem.isdigit()]
        self._generation = max(past, default=0)
        self._file = -1
        self._size = self._count = 0
        self._original = self._digest = ""
        self._levels: Levels = ()
        self._broken_since: float | None = None
        self._needed: Future[None] | None = None  # the base without which the entries mean nothing
        self._writer = ThreadPoolExecutor(1, "journal base")
        self._syncer = _Syncer(lambda error: self._fail(os_reason(error)))
        self._syncer.start()

    def begin(
        self, show: Show, original: Path | None, digest: str = "", unsaved: bool = False
    ) -> None:
        """Go on from another show, or from the same one saved. `digest` is the SHA-256 of its file
        when it was read or saved.
        """
        self._original, self._digest = str(original or ""), digest
        self._open("file" if original and digest and not unsaved else "base", show, unsaved)

    def append(self, name: str, old: Show, new: Show) -> int:
        """Keep an edit; returns how many bytes it takes. Trouble is told, never raised."""
        data = change_between(name, old, new)
        if self._needed is not None:
            self._needed.exception()  # it told its own trouble
            self._needed = None
        if self._broken_since is not None:
            if time.monotonic() - self._broken_since > RETRY:
                self._begin_anew(new)
        elif self._file >= 0:
            self._put(EDIT, data)
            if self._size > COMPACT_BYTES or self._count > COMPACT_ENTRIES:
                self._open("before", new, True)
        return len(data)

    def keep_levels(self, levels: Levels) -> None:
        """Keep the live levels that are given back when a roll call ends."""
        if levels != self._levels:
            self._levels = levels
            if self._file >= 0 and self._broken_since is None:
                self._put(LEVELS, msgspec.msgpack.encode(levels))

    def wait(self) -> bool:
        """Until everything so far is on the disk; False when it could not be kept."""
        self._writer.submit(lambda: None).result()
        self._syncer.wait()
        return self._broken_since is None

    def close(self, forget: bool) -> None:
        """End; with `forget` the folder goes too, for the work is saved or was given up. Safe to
        call twice.
        """
        if self._held < 0:
            return
        self._writer.shutdown()
        self._syncer.end()
        self._file = -1
        if forget:
            shutil.rmtree(self.folder, ignore_errors=True)
        os.close(self._held)
        self._held = -1

    # ------------------------------------------------------------ inside

    def _open(self, source: str, show: Show, unsaved: bool) -> None:
        """A new generation, written to from now on; its base follows."""
        start = Begin(source, self._original, self._digest, unsaved, FORMAT)
        number = self._generation + 1
        try:
            flags = os.O_WRONLY | os.O_CREAT | os.O_TRUNC | os.O_APPEND | os.O_CLOEXEC
            self._file = os.open(self.folder / f"{number}.journal", flags, 0o600)
        except OSError as error:
            self._fail(os_reason(error))
            return
        self._generation = number
        self._size = self._count = 0
        self._syncer.switch(self._file, self.folder)
        self._put(BEGIN, msgspec.json.encode(start))
        if self._levels:
            self._put(LEVELS, msgspec.msgpack.encode(self._levels))
        about = About(start.file, os.uname().nodename, os.getpid(), time.time())
        writing = self._writer.submit(self._write_base, number, show, about)
        self._needed = writing if source == "base" else None

    def _put(self, kind: bytes, data: bytes) -> None:
        whole = memoryview(entry(kind, data))
        try:
            at = 0
            while at < len(whole):
                at += os.write(self._file, whole[at:])
        except OSError as error:
            self._fail(os_reason(error))
            return
        self._size += len(whole)
        self._count += 1
        self._syncer.wrote()

    def _begin_anew(self, show: Show) -> None:
        """After trouble: a base of its own, for something may be missing
        before it.
        """
        self._broken_since = None
        self._open("base", show, True)
        if self._needed is not None:
            self._needed.exception()
        if self._broken_since is None:
            self._trouble("")

    def _fail(self, why: str) -> None:
        if self._broken_since is None:
            self._trouble(
                f"Unsaved work cannot be kept in {self.folder}: {why} Save to another place, "
                "and free some room."
            )
        self._broken_since = time.monotonic()

    def _write_base(self, number: int, show: Show, about: About) -> None:
        """By the writer: the whole show; then whatever led to it before can go."""
        try:
            write_atomically(self.folder / ABOUT, msgspec.json.encode(about))
            write_atomically(self.folder / f"{number}.base", encode_show(show))
        except FileFault as error:
            self._fail(str(error.what))
            raise
        for file in self.folder.iterdir():
            stem, _, kind = file.name.partition(".")
            if kind in ("base", "journal") and stem.isdigit() and int(stem) < number:
                file.unlink(missing_ok=True)
