"""What can be patched without a search: the show's own profiles, one's own, and the shipped ones."""

from __future__ import annotations

from functools import lru_cache
from pathlib import Path

from isthmus.errors import FileFault
from isthmus.library.sources import OWN, SHIPPED, FileSeen, files_of, fixed_sources
from isthmus.patch.hanglist import Library
from isthmus.profiles.store import load_stored
from isthmus.show.records import Show, StoredProfile


@lru_cache(2048)
def _read(file: FileSeen) -> StoredProfile | None:
    """A file as it is kept in a show, read once for each state it is in; None when it does not read."""
    try:
        return load_stored(Path(file.path))[0]
    except FileFault:
        return None


def at_hand(show: Show) -> Library:
    """The show's profiles first, then one's own, then the shipped ones, each under maker and model."""
    sources = {source.kind: source for source in fixed_sources()}
    found = (_read(file) for kind in (OWN, SHIPPED) for file in sorted(files_of(sources[kind]), key=lambda file: file.path))
    return Library.of(show.profiles, tuple(stored for stored in found if stored is not None))
