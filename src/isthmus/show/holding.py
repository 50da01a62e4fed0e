"""Who holds a show file: a note beside it, so that two windows never write over each other's work.

The note names host, process and the time the process began. On the same machine a note whose process is gone, or whose
number belongs to a process that began at another time, is stale and is taken over; one of another machine cannot be
looked at, so it counts until somebody says otherwise.
"""

from __future__ import annotations

import contextlib
import hashlib
import os
import time
from dataclasses import dataclass
from pathlib import Path
from typing import ClassVar

import msgspec

from isthmus.errors import FileFault
from isthmus.show.container import MAX_TOTAL, read_file


class Holder(msgspec.Struct, frozen=True, omit_defaults=True):
    """Who has a file open. `began` is when the process began, in clock ticks since the machine did; `boot` which start of it."""

    host: str
    pid: int
    began: int = 0
    boot: str = ""
    since: float = 0.0
    who: str = ""

    def words(self) -> str:
        """`anna on barge-laptop (process 412), since 14:05`."""
        at = time.strftime("%d %B, %H:%M" if time.time() - self.since > 43_200 else "%H:%M", time.localtime(self.since))
        return f"{self.who + ' on ' if self.who else ''}{self.host} (process {self.pid}), since {at}"


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
    return Holder(os.uname().nodename, os.getpid(), _began(os.getpid()) or 0, _boot(), time.time(), who)


def _note(path: Path) -> Path:
    return path.with_name(f".{path.name}.held")


def holder_of(path: Path) -> Holder | None:
    """Who else holds a file; None when nobody does, or only somebody who is gone."""
    try:
        found = msgspec.json.decode(_note(path).read_bytes(), type=Holder)
    except (OSError, msgspec.MsgspecError):
        return None
    me = myself()
    if found.host == me.host and (found.boot != me.boot or _began(found.pid) != found.began):
        return None
    return found


@dataclass(frozen=True)
class Stamp:
    """What a file was when it was read or written: enough to see that somebody else wrote it since."""

    size: int
    changed: int
    inode: int
    digest: str


def stamp_of(path: Path, data: bytes | None = None) -> Stamp | None:
    """The stamp of a file as it stands; None when it is not there. `data` are its bytes where they are at hand."""
    try:
        about = path.stat()
    except OSError:
        return None
    if data is None:
        data = read_file(path, MAX_TOTAL)
    return Stamp(about.st_size, about.st_mtime_ns, about.st_ino, hashlib.sha256(data).hexdigest())


def changed_since(path: Path, stamp: Stamp | None) -> bool:
    """Whether somebody else wrote, or put there, another file since. A file that is gone counts as unchanged."""
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
    """A file held by this window as long as it is open here."""

    _mine: ClassVar[set[Path]] = set()  # files held by windows of this process

    def __init__(self, path: Path, force: bool = False) -> None:
        """Takes it; `force` also from another machine. Raises FileFault when it is open elsewhere.

        Where the folder cannot be written no note is kept: nothing can be saved there either.
        """
        self.path = path.resolve()
        self._held = False
        other = holder_of(self.path)
        if self.path in self._mine or (other is not None and not _is_me(other) and not force):
            who = other.words() if other and not _is_me(other) else "in another window"
            raise FileFault(f"it is open elsewhere: {who}.", where=str(path), do="Open it read-only, or work on a copy.")
        note = _note(self.path)
        try:
            note.unlink(missing_ok=True)  # stale, or forced
            with note.open("xb") as made:
                made.write(msgspec.json.encode(myself()))
        except FileExistsError:
            raise FileFault("it was opened elsewhere just now.", where=str(path), do="Open it read-only, or work on a copy.") from None
        except OSError:
            pass
        self._mine.add(self.path)
        self._held = True

    def let_go(self) -> None:
        """Ends it, and removes the note when it is still ours."""
        if self._held:
            self._held = False
            self._mine.discard(self.path)
            other = holder_of(self.path)
            if other is not None and _is_me(other):
                with contextlib.suppress(OSError):
                    _note(self.path).unlink()


def _is_me(holder: Holder) -> bool:
    return holder.pid == os.getpid() and holder.host == os.uname().nodename


def free_name(path: Path) -> Path:
    """A name beside a file that nothing has yet: `show 2.isthmus`."""
    for number in range(2, 10_000):
        beside = path.with_name(f"{path.stem} {number}{path.suffix}")
        if not beside.exists():
            return beside
    raise FileFault("there are too many copies beside it.", where=str(path), do="Save to another folder.")
