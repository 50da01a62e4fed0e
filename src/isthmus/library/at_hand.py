"""What can be patched without a search: the show's own profiles, and those of every source that is
on.
"""

from __future__ import annotations

from functools import lru_cache
from pathlib import Path

from isthmus.errors import FileFault
from isthmus.library.sources import (
    EXCHANGE,
    FOLDER,
    GENERIC,
    OWN,
    SHIPPED,
    FileSeen,
    files_of,
    read_sources,
)
from isthmus.patch.hanglist import Library, plain
from isthmus.profiles.gdtf import write_gdtf
from isthmus.profiles.make.generic import usual_profiles
from isthmus.profiles.store import load_stored, stored_of
from isthmus.show.records import Show, StoredProfile

ORDER = (
    OWN,
    SHIPPED,
    GENERIC,
    EXCHANGE,
    FOLDER,
)  # of those with the same maker and model the first is meant
MOST = 400  # files of a folder that are read at once; of more those are looked at whose names fit
NAMED = 8


@lru_cache(2048)
def _read(file: FileSeen) -> StoredProfile | None:
    """A file as it is kept in a show, read once for each state it is in; None when it cannot be
    read.
    """
    try:
        return load_stored(Path(file.path))[0]
    except FileFault:
        return None


@lru_cache(1)
def _generic() -> tuple[StoredProfile, ...]:
    return tuple(stored_of(profile, write_gdtf(profile)) for profile in usual_profiles())


def at_hand(show: Show) -> Library:
    """The show's profiles first, then one's own, the shipped, the generic, downloaded ones and
    those of folders.
    """
    found: list[StoredProfile | None] = []
    large: list[FileSeen] = []
    for source in sorted((s for s in read_sources() if s.on), key=lambda s: ORDER.index(s.kind)):
        if source.kind == GENERIC:
            found.extend(_generic())
            continue
        files = sorted(files_of(source), key=lambda file: file.path)
        found.extend(_read(file) for file in files[:MOST])
        large.extend(files[MOST:])

    def more(text: str) -> list[StoredProfile]:
        words = set(plain(text).split())
        fit = [
            file
            for file in large
            if words and words <= set(plain(Path(file.path).stem.replace("_", " ")).split())
        ]
        return [stored for file in fit[:NAMED] if (stored := _read(file)) is not None]

    return Library.of(
        show.profiles,
        tuple(stored for stored in found if stored is not None),
        more=more if large else None,
    )
