"""What can be patched without a search: the show's own profiles, and those of every source that is
on.
"""

from __future__ import annotations

from collections.abc import Collection
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
    Source,
    files_of,
    read_sources,
)
from isthmus.patch.models import Library, plain
from isthmus.profiles.gdtf import write_gdtf
from isthmus.profiles.make.generic import usual_profiles
from isthmus.profiles.store import is_usual_file, load_stored, stored_of
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


def stored_at_hand(keys: Collection[str]) -> dict[str, StoredProfile]:
    """The profiles with these keys that `at_hand` would have, without reading all of the shipped
    and making all of the generic ones: a show asks for its few at every start.
    """
    wanted, found = set(keys), dict[str, StoredProfile]()
    for source in _sources():
        missing = wanted - found.keys()
        if not missing:
            break
        if source.kind == GENERIC:
            stored_ones = _generic()
        else:
            files = sorted(files_of(source), key=lambda file: file.path)[:MOST]
            if source.kind == SHIPPED:  # these are called as what is in them
                files = [
                    f for f in files if any(is_usual_file(Path(f.path).stem, k) for k in missing)
                ]
            stored_ones = tuple(_read(file) for file in files)
        for stored in stored_ones:
            if stored is not None and stored.key in missing:
                found.setdefault(stored.key, stored)
    return found


def _sources() -> list[Source]:
    return sorted((s for s in read_sources() if s.on), key=lambda s: ORDER.index(s.kind))


def at_hand(show: Show) -> Library:
    """The show's profiles first, then one's own, the shipped, the generic, downloaded ones and
    those of folders.
    """
    found: list[StoredProfile | None] = []
    large: list[FileSeen] = []
    for source in _sources():
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
