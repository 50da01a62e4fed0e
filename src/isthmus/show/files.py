"""Files read and written whole, or not at all."""

from __future__ import annotations

import contextlib
import errno
import os
import secrets
import stat
import time
from pathlib import Path
from typing import BinaryIO

from isthmus.errors import FileFault, os_reason

LEFT = ".isthmus-part"  # of a name until it is whole
STALE = 3600.0  # seconds after which no one is still writing it


class NoFile(OSError):
    """A pipe, a socket, a device or a folder: reading it might wait for ever."""


def plain_file(path: Path) -> BinaryIO:
    """A file open for reading. Raises OSError, NoFile for what is none, and waits for nothing."""
    handle = os.open(path, os.O_RDONLY | os.O_NONBLOCK | os.O_CLOEXEC)
    if stat.S_ISREG(os.fstat(handle).st_mode):
        return os.fdopen(handle, "rb")
    os.close(handle)
    raise NoFile(errno.EINVAL, "not a file")


def read_within(stream: BinaryIO, limit: int) -> bytes:
    """All of it, or one byte more than `limit`. Room is made for what is there: asked for
    gigabytes, Python takes them before it reads the first byte.
    """
    return stream.read(min(limit, os.fstat(stream.fileno()).st_size) + 1)


def read_file(path: Path, limit: int) -> bytes:
    """Read a whole file of at most `limit` bytes. Raises FileFault."""
    try:
        with plain_file(path) as stream:
            data = read_within(stream, limit)
    except NoFile as error:
        raise FileFault("it is not a file.", where=str(path), do="Choose a file.") from error
    except OSError as error:
        raise FileFault(f"it could not be read. {os_reason(error)}", where=str(path)) from error
    if len(data) > limit:
        raise FileFault(
            f"it is larger than {limit // 2**20} MB.",
            where=str(path),
            do="Such a file is not opened.",
        )
    return data


def sync_folder(path: Path) -> None:
    """What was made, renamed or removed in a folder is on the disk. Raises OSError."""
    folder = os.open(path, os.O_RDONLY | os.O_DIRECTORY)
    try:
        os.fsync(folder)
    finally:
        os.close(folder)


def write_atomically(path: Path, data: bytes, private: bool = False) -> None:
    """Put `data` at `path` whole or not at all. A link is followed; a file that was there keeps its
    mode, and its owner where that may be. A new one has the mode that is usual here, or is for its
    owner only when `private`. Raises FileFault.
    """
    temporary: Path | None = None
    try:
        place = Path(os.path.realpath(path))
        was = _kept_of(place)
        made = place.with_name(f".{place.name[:200]}-{secrets.token_hex(4)}{LEFT}")
        handle = os.open(
            made, os.O_WRONLY | os.O_CREAT | os.O_EXCL | os.O_CLOEXEC, 0o600 if private else 0o666
        )
        temporary = made
        with os.fdopen(handle, "wb") as stream:
            stream.write(data)
            stream.flush()
            if was is not None:
                _like(stream.fileno(), was, private)
            os.fsync(stream.fileno())
        temporary.replace(place)
        temporary = None
        sync_folder(place.parent)
        _swept(place)
    except OSError as error:
        raise FileFault(
            f"it could not be saved. {os_reason(error)}",
            where=str(path),
            do="The file that was there is untouched; save somewhere else.",
        ) from error
    finally:
        if temporary is not None:
            temporary.unlink(missing_ok=True)


def _kept_of(place: Path) -> os.stat_result | None:
    try:
        return place.stat()
    except FileNotFoundError:
        return None


def _like(handle: int, was: os.stat_result, private: bool) -> None:
    """Owner first: giving a file away takes marks of its mode."""
    mine = os.fstat(handle)
    if (mine.st_uid, mine.st_gid) != (was.st_uid, was.st_gid):
        with contextlib.suppress(OSError):
            os.fchown(handle, -1, was.st_gid)
        with contextlib.suppress(OSError):
            os.fchown(handle, was.st_uid, -1)
    os.fchmod(handle, 0o600 if private else stat.S_IMODE(was.st_mode))


def _swept(place: Path) -> None:
    """What killed saves of this file left goes."""
    with contextlib.suppress(OSError):
        for old in place.parent.glob(f".{_plain(place.name[:200])}-????????{LEFT}"):
            if time.time() - old.stat().st_mtime > STALE:
                old.unlink(missing_ok=True)


def _plain(name: str) -> str:
    """A name for `glob`, in which nothing stands for something else."""
    return "".join(f"[{c}]" if c in "*?[" else c for c in name)
