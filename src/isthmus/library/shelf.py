"""The library as its users see it: ask it, and take profiles out of it."""

from __future__ import annotations

import sqlite3
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Any, TypeVar

import msgspec

from isthmus.errors import EntryFault, FileFault
from isthmus.library.columns import Columns, load, nothing
from isthmus.library.exchange import put_catalogue, read_catalogue
from isthmus.library.index import Index, Outcome, Progress, Trust
from isthmus.library.search import Answer, Hit, Query, outline, search
from isthmus.library.sources import EXCHANGE, Source, data_folder, own_folder, read_sources
from isthmus.profiles.channel_table import ChannelTable
from isthmus.profiles.gdtf import write_gdtf
from isthmus.profiles.make.generic import usual_profiles
from isthmus.profiles.records import Profile
from isthmus.profiles.store import file_name, load_stored, read_stored, stored_of
from isthmus.show.files import write_atomically
from isthmus.show.records import StoredProfile


@dataclass(frozen=True)
class Entry:
    """A profile of the library, one mode of it, and what there is to know before choosing."""

    row: int
    profile_id: int
    maker: str
    model: str
    mode: str
    footprint: int
    cells: int
    source: str
    away: bool
    offered: bool  # on the exchange, not downloaded
    body: str
    borrowed: str
    by_maker: bool
    proven_3d: bool
    proven_unit: bool
    rating: float
    distance: float = 0.0
    differs: tuple[str, ...] = ()

    @property
    def title(self) -> str:
        return f"{self.maker} {self.model}".strip()


T = TypeVar("T")


class Shelf:
    """An open library. Columns are read again when the index has changed; a damaged index is
    emptied and told.

    With `follow` off they stay as they are until others are handed over (`adopt`): reading a large
    library takes a second, which a window spends on a thread.
    """

    def __init__(self, path: Path | None = None, follow: bool = True) -> None:
        self.path, self.follow = path or index_path(), follow
        self.index = Index(self.path)
        self._columns: Columns | None = None if follow else nothing()

    def adopt(self, columns: Columns) -> None:
        """Take columns that were read elsewhere, and open the file again: it may have been
        rebuilt.
        """
        self.index.close()
        self.index = Index(self.path)
        self._columns = columns

    @property
    def db(self) -> sqlite3.Connection:
        return self.index.db

    @property
    def columns(self) -> Columns:
        if not self.follow and self._columns is not None:
            return self._columns
        try:
            stamp = self.index.stamp
            if self._columns is None or self._columns.stamp != stamp:
                self._columns = load(self.db, stamp)
        except sqlite3.DatabaseError:
            self.index.start_over()
            self._columns = load(self.db, self.index.stamp)
        return self._columns

    def search(self, query: Query, limit: int = 400) -> Answer:
        """Raises EntryFault when the index turns out to be damaged; it is then emptied."""
        return self._asked(lambda: search(self.columns, self.db, query, limit))

    def entry(self, hit: Hit) -> Entry:
        c = self.columns
        p = int(c.m_profile[hit.row])
        return Entry(
            hit.row,
            int(c.p_id[p]),
            c.p_maker[p],
            c.p_model[p],
            c.m_name[hit.row],
            int(c.m_footprint[hit.row]),
            int(c.m_cells[hit.row]),
            c.sources[int(c.p_source[p])],
            bool(c.p_away[p]),
            bool(c.p_offered[p]),
            c.p_body[p],
            c.p_borrowed[p],
            bool(c.p_by_maker[p]),
            bool(c.p_proven_3d[p]),
            bool(c.p_proven_unit[p]),
            float(c.p_rating[p]),
            hit.distance,
            hit.differs,
        )

    def entries(self, hits: tuple[Hit, ...]) -> list[Entry]:
        return [self.entry(hit) for hit in hits]

    def _one(self, question: str, *values: object) -> tuple[Any, ...] | None:
        """The first row of an answer; raises as `search` does."""
        return self._asked(lambda: self.db.execute(question, values).fetchone())

    def _asked(self, ask: Callable[[], T]) -> T:
        try:
            return ask()
        except (sqlite3.DatabaseError, msgspec.MsgspecError) as error:
            self.index.start_over()
            raise EntryFault(
                "the index was damaged and is being made again.", do="Search again in a moment."
            ) from error

    def outline(self, entry: Entry) -> ChannelTable:
        """The chart of an entry as the index keeps it, without the names of ranges: readable while
        its file is away.
        """
        return self._asked(lambda: outline(self.db, self.columns, entry.row))

    def trust(self, profile_id: int) -> Trust | None:
        """What the exchange says of a profile, if it knows it."""
        row = self._one(
            "SELECT t.ident, by_maker, uploader, proven_3d, proven_unit, rating, ratings, "
            "t.revision FROM trust t"
            " JOIN profile p ON p.ident = t.ident WHERE p.id=?",
            profile_id,
        )
        return (
            Trust(row[0], bool(row[1]), row[2], bool(row[3]), bool(row[4]), row[5], row[6], row[7])
            if row
            else None
        )

    def details(self, profile_id: int) -> tuple[str, str, str]:
        """Path, revision and description. Raises EntryFault."""
        row = self._one(
            "SELECT f.path, p.revision, p.description FROM profile p JOIN file f ON f.id = "
            "p.file WHERE p.id=?",
            profile_id,
        )
        if row is None:
            raise EntryFault("this profile is no longer in the library.", do="Search again.")
        return row[0], row[1], row[2]

    def take(self, profile_id: int) -> tuple[StoredProfile, Profile]:
        """A profile as it is kept in a show. Raises FileFault when its file is away or cannot be
        read any more.
        """
        path = self.details(profile_id)[0]
        if path.startswith("generic:"):
            return take_generic(path[8:])
        if path.startswith("exchange:"):
            raise EntryFault(
                "it lies on the exchange and was not downloaded yet.", do="Download it first."
            )
        if not Path(path).exists():
            raise FileFault(
                "its folder or drive is away.",
                where=Path(path).name,
                do="Connect the drive, or choose the profile from another source.",
            )
        return load_stored(Path(path))

    def find_id(self, text: str) -> int:
        """A profile by its id in the index, its GDTF id, or “Maker Model”. Raises EntryFault."""
        row = self._one(
            "SELECT id FROM profile WHERE ident=?1 COLLATE NOCASE OR trim(maker || ' ' || "
            "model)=?1 COLLATE NOCASE"
            " OR CAST(id AS TEXT)=?1 OR model=?1 COLLATE NOCASE"
            " ORDER BY source='own' DESC LIMIT 1",
            text,
        )
        if row is None:
            near = self.search(Query(text), 1).hits
            raise EntryFault(
                f"the library has no profile “{text}”.",
                do=f"Perhaps {self.entry(near[0]).title}?" if near else "Search for it first.",
            )
        return int(row[0])

    def close(self) -> None:
        self.index.close()


def read_columns(path: Path) -> tuple[Columns, bool]:
    """The columns of an index, through a connection of their own, and whether it was damaged and
    had to be emptied; for a thread. Raises sqlite3.DatabaseError for damage met later."""
    index = Index(path)
    try:
        return load(index.db, index.stamp), index.rebuilt
    finally:
        index.close()


def take_generic(name: str) -> tuple[StoredProfile, Profile]:
    """A generic profile by name. Raises EntryFault."""
    profile = next((p for p in usual_profiles() if p.name == name), None)
    if profile is None:
        raise EntryFault(f"there is no generic profile “{name}”.")
    stored = stored_of(profile, write_gdtf(profile))
    read = read_stored(stored)
    assert isinstance(read, Profile)
    return stored, read


def index_path() -> Path:
    return data_folder() / "library.sqlite"


def update_library(
    index: Index,
    sources: list[Source],
    told: Callable[[Progress], None] | None = None,
    workers: int = 0,
) -> Outcome:
    """Bring the index to what the sources hold, and the exchange's catalogue as it was last seen
    into it.
    """
    try:
        outcome = index.update(sources, told, workers)
    except sqlite3.DatabaseError:
        index.start_over()
        outcome = index.update(sources, told, workers)
    catalogue = read_catalogue()
    if catalogue is not None and any(source.id == EXCHANGE and source.on for source in sources):
        put_catalogue(index, catalogue)
    return outcome


def fresh_shelf(sources: list[Source] | None = None, workers: int = 2) -> Shelf:
    """The library brought up to date first; for the command line."""
    shelf = Shelf()
    update_library(shelf.index, read_sources() if sources is None else sources, workers=workers)
    return shelf


def keep_own(profile: Profile, members: dict[str, bytes] | None = None) -> tuple[Path, bytes]:
    """Write a profile among one's own: where, and its bytes. Raises FileFault."""
    folder = own_folder()
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise FileFault(
            "the folder of own profiles could not be made.", where=str(folder)
        ) from error
    data = write_gdtf(profile, members)
    write_atomically(folder / file_name(profile), data)
    return folder / file_name(profile), data
