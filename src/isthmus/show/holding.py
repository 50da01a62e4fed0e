"""Who holds a show file: a note beside it, so that two windows never write over each other's work.

The note names host, process and the time the process began. On the same machine a note whose
process is gone, or whose number belongs to a process that began at another time, is stale and is
taken over; one of another machine cannot be looked at, so it counts until a person says otherwise.
"""

from __future__ import annotations

import contextlib
import errno
import fcntl
import hashlib
import os
import time
from dataclasses import dataclass
from pathlib import Path

import msgspec

from isthmus.errors import FileFault
from isthmus.show.container import MAX_TOTAL
from isthmus.show.decoding import decoded
from isthmus.show.files import plain_file, read_file


class Holder(msgspec.Struct, frozen=True, omit_defaults=True):
    """Who has a file open. `began` is when the process began, in clock ticks since the machine did;
    `boot` which start of it.
    """

    host: str
    pid: int
    began: int = 0
    boot: str = ""
    since: float = 0.0
    who: str = ""

    def words(self) -> str:
        """`anna on barge-laptop (process 412), since 14:05`."""
        at = time.strftime(
            "%d %B, %H:%M" if time.time() - self.since > 43_200 else "%H:%M",
            time.localtime(self.since),
        )
        return (
            f"{self.who + ' on ' if self.who else ''}{self.host} (process {self.pid}), since {at}"
        )


def _boot() -> str:
    try:
        return Path("/proc/sys/kernel/random/boot_id").read_text().strip()
    except OSError:
        return ""


def _began(pid: int) -> int | None:
    """When a process began (proc_pid_stat(5), field 22); None when there is no such process."""
    try:
        return int(Path(f"/proc/{pid}/stat").read_text().rpartition(")")[2].split()[19])
    except (OSError, ValueError, IndexError):
        return None


def myself() -> Holder:
    who = os.environ.get("USER") or os.environ.get("LOGNAME") or ""
    return Holder(
        os.uname().nodename, os.getpid(), _began(os.getpid()) or 0, _boot(), time.time(), who
    )


def _note(path: Path) -> Path:
    return path.with_name(f".{path.name}.held")


def holder_of(path: Path) -> Holder | None:
    """Who else holds a file; None when nothing does, or only what has ended."""
    try:
        with plain_file(_note(path)) as stream:
            found = decoded(stream.read(10_000), kind=Holder)
    except (OSError, msgspec.MsgspecError):
        return None
    me = myself()
    if found.host == me.host and (found.boot != me.boot or _began(found.pid) != found.began):
        return None
    return found


@dataclass(frozen=True)
class Stamp:
    """What a file was when it was read or written: enough to see that another program wrote
    it since.
    """

    size: int
    changed: int
    inode: int
    digest: str


def stamp_of(path: Path, data: bytes | None = None) -> Stamp | None:
    """The stamp of a file as it stands; None when it is not there. `data` are its bytes where they
    are at hand.
    """
    try:
        about = path.stat()
    except OSError:
        return None
    if data is None:
        data = read_file(path, MAX_TOTAL)
    return Stamp(about.st_size, about.st_mtime_ns, about.st_ino, hashlib.sha256(data).hexdigest())


def changed_since(path: Path, stamp: Stamp | None) -> bool:
    """Whether another program wrote, or put there, another file since. A file that is gone counts
    as unchanged.
    """
    try:
        about = path.stat()
    except OSError:
        return False
    if stamp is None:
        return True
    if (about.st_size, about.st_mtime_ns, about.st_ino) == (stamp.size, stamp.changed, stamp.inode):
        return False
    now = stamp_of(path)
    return now is not None and now.digest != stamp.digest


class Hold:
    """A file held by this window as long as it is open here.

    Beside what the note says it is locked (flock): of two who come at once one gets it, and the
    kernel releases when a process ends. The note tells who it is, and counts for computers the lock
    does not reach.
    """

    def __init__(self, path: Path, force: bool = False) -> None:
        """Takes it; `force` also from another computer. Raises FileFault when it is open elsewhere.

        Where the folder cannot be written no note is kept: nothing can be saved there either.
        """
        self.path = path.resolve()
        self._note = -1
        other = holder_of(self.path)
        afar = other is not None and other.host != os.uname().nodename and not force
        try:
            locked = None if afar else _lock(_note(self.path), other)
        except OSError:
            return
        if locked is None:
            who = other.words() if other and not _is_me(other) else "in another window"
            raise FileFault(
                f"it is open elsewhere: {who}.",
                where=str(path),
                do="Open it read-only, or work on a copy.",
            )
        self._note = locked
        with contextlib.suppress(OSError):  # a full disk: the lock holds anyway
            os.ftruncate(locked, 0)
            os.pwrite(locked, msgspec.json.encode(myself()), 0)

    def let_go(self) -> None:
        """Ends it, and removes the note."""
        if self._note >= 0:
            with contextlib.suppress(OSError):
                _note(self.path).unlink()
            os.close(self._note)
            self._note = -1


def _lock(note: Path, other: Holder | None) -> int | None:
    """A descriptor of the locked note; None when another window has it. Raises OSError.

    Where the file system knows no locks what the note says counts alone: `other` is who it names.
    """
    while True:
        found = os.open(note, os.O_RDWR | os.O_CREAT | os.O_CLOEXEC, 0o644)
        try:
            fcntl.flock(found, fcntl.LOCK_EX | fcntl.LOCK_NB)
            if os.fstat(found).st_ino == note.stat().st_ino:  # else it was removed between the two
                return found
        except BlockingIOError:
            os.close(found)
            return None
        except FileNotFoundError:
            pass
        except OSError as error:
            if error.errno in (errno.ENOLCK, errno.EOPNOTSUPP) and other is None:
                return found
            os.close(found)
            if error.errno in (errno.ENOLCK, errno.EOPNOTSUPP):
                return None
            raise
        os.close(found)


def _is_me(holder: Holder) -> bool:
    return holder.pid == os.getpid() and holder.host == os.uname().nodename


def free_name(path: Path) -> Path:
    """A name beside a file that nothing has yet: `show 2.isthmus`."""
    for number in range(2, 10_000):
        beside = path.with_name(f"{path.stem} {number}{path.suffix}")
        if not beside.exists():
            return beside
    raise FileFault(
        "there are too many copies beside it.", where=str(path), do="Save to another folder."
    )
