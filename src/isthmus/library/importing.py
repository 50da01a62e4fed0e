"""GDTF files taken among one's own: the bytes as they came, with what deviates from the standard
told.
"""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from isthmus.errors import EntryFault, FileFault
from isthmus.library.sources import own_folder
from isthmus.plural import many
from isthmus.profiles.gdtf import read_archive
from isthmus.profiles.gdtf.reading import Notice
from isthmus.profiles.gdtf.rules import check_file
from isthmus.profiles.records import Profile
from isthmus.profiles.store import file_name
from isthmus.show.container import MAX_MEMBER
from isthmus.show.files import read_file, write_atomically

BOTH, REPLACE, LEAVE = "both", "replace", "leave"
CLASHES = {BOTH: "Keep both", REPLACE: "Replace my own", LEAVE: "Leave my own"}


@dataclass(frozen=True)
class Waiting:
    """A file that was read and may be kept. `clash` is the other own profile its name belongs to
    already.
    """

    path: Path
    data: bytes
    profile: Profile
    notices: tuple[Notice, ...]
    target: Path
    clash: bool

    @property
    def words(self) -> str:
        """What deviates from the standard, in a sentence; empty when nothing does."""
        if not self.notices:
            return ""
        count = len(self.notices)
        return f"{many(count, 'deviation')} from the standard, first: {self.notices[0]}"


def look_at(path: Path) -> Waiting:
    """Read a file. Raises FileFault when it is not a profile."""
    data = read_file(path, MAX_MEMBER)
    read = read_archive(data, path.name)
    target = own_folder() / file_name(read.profile)
    clash = False
    if target.exists():
        clash = read_file(target, MAX_MEMBER) != data
    return Waiting(path, data, read.profile, tuple(check_file(data, path.name)), target, clash)


def keep(waiting: Waiting, how: str = "") -> Path | None:
    """Keep it as it came. Where another own profile has its name, `how` says what becomes of the
    two; None leaves it out.

    Raises EntryFault when that is not said, FileFault when it cannot be written.
    """
    target = waiting.target
    if waiting.clash:
        if how not in CLASHES:
            raise EntryFault(
                f"there is another own profile {waiting.profile.title} already.",
                where=waiting.path.name,
                do="Say whether to keep both, replace it, or leave it.",
            )
        if how == LEAVE:
            return None
        if how == BOTH:
            target = next(
                p
                for n in range(2, 10_000)
                if not (p := target.with_name(f"{target.stem} ({n}).gdtf")).exists()
            )
    try:
        target.parent.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise FileFault(
            "the folder of own profiles could not be made.", where=str(target.parent)
        ) from error
    write_atomically(target, waiting.data)
    return target
