"""The index: one SQLite file in the user's data folder with the facts of every profile of every
source.

It holds nothing that cannot be had again from the files, so it may be deleted at any time, and is
rebuilt when it is damaged or of another version. Readers and the builder work at the same time
(write-ahead log).
"""

from __future__ import annotations

import contextlib
import ctypes
import gc
import multiprocessing
import signal
import sqlite3
from collections.abc import Callable, Generator, Iterable, Sequence
from contextlib import closing
from dataclasses import dataclass
from pathlib import Path

import msgspec
import numpy as np

from isthmus.errors import Cancelled, FileFault, IsthmusError, os_reason
from isthmus.library.facts import Facts, facts_of, unpack
from isthmus.library.quick import facts_of_file
from isthmus.library.schema import SCHEMA, VERSION
from isthmus.library.sources import GENERIC, FileSeen, Source, files_of, is_away
from isthmus.library.words import tokens
from isthmus.profiles.gdtf import Gdtf
from isthmus.profiles.make.generic import usual_profiles

_OFFERS_THAT_ARE_HERE = """
SELECT f.path FROM file f JOIN profile p ON p.file = f.id WHERE f.path LIKE 'exchange:%' AND p.ident IN (
  SELECT q.ident FROM profile q JOIN file g ON g.id = q.file WHERE q.source = 'exchange' AND g.path NOT LIKE 'exchange:%')
"""
_DIE_WITH_PARENT = 1  # PR_SET_PDEATHSIG of prctl(2), Linux
MOST_ATTRIBUTES = 40_000  # each is a character in the columns, below those that cannot stand alone
BATCH = 400
CHUNK = 16


@dataclass(frozen=True)
class Progress:
    """How far an update is: files read of those that changed."""

    done: int
    total: int
    name: str = ""


@dataclass(frozen=True)
class Outcome:
    """What an update did."""

    read: int
    removed: int
    faults: int
    stopped: bool = False


@dataclass(frozen=True)
class Trust:
    """What an exchange says of a profile, by its id."""

    ident: str
    by_maker: bool = False
    uploader: str = ""
    proven_3d: bool = False
    proven_unit: bool = False
    rating: float = 0.0
    ratings: int = 0
    revision: str = ""


class Index:
    """An open index; make it again for each thread. Raises FileFault when the folder cannot be
    written.
    """

    def __init__(self, path: Path) -> None:
        self.path = path
        self.rebuilt = False
        try:
            path.parent.mkdir(parents=True, exist_ok=True)
        except OSError as error:
            raise FileFault(
                f"the folder for the index could not be made. {os_reason(error)}",
                where=str(path.parent),
            ) from error
        try:
            self.db = self._open()
        except sqlite3.DatabaseError as error:
            if isinstance(error, sqlite3.OperationalError) and (
                "locked" in str(error) or "unable to open" in str(error)
            ):
                raise FileFault(
                    f"the index cannot be opened ({error}).",
                    where=str(path),
                    do="Close other windows of Isthmus, or delete it.",
                ) from error
            self._discard()
            self.db = self._open()

    def _open(self) -> sqlite3.Connection:
        db = sqlite3.connect(self.path, timeout=20, isolation_level=None)
        try:
            db.execute("PRAGMA journal_mode=WAL")
            db.execute("PRAGMA synchronous=NORMAL")
            version = db.execute("PRAGMA user_version").fetchone()[0]
            if version != VERSION:
                if version or db.execute("SELECT count(*) FROM sqlite_master").fetchone()[0]:
                    raise sqlite3.DatabaseError("of another version")
                db.executescript(f"BEGIN;{SCHEMA}PRAGMA user_version={VERSION};COMMIT;")
            db.execute("SELECT count(*) FROM source").fetchone()
        except UnicodeDecodeError as error:  # of a schema whose names are no text any more
            db.close()
            raise sqlite3.DatabaseError("its schema is damaged") from error
        except sqlite3.DatabaseError:
            db.close()
            raise
        return db

    def _discard(self) -> None:
        self.rebuilt = True
        for ending in ("", "-wal", "-shm"):
            Path(f"{self.path}{ending}").unlink(missing_ok=True)

    def start_over(self) -> None:
        """Throw everything away, after damage was met while reading."""
        self.db.close()
        self._discard()
        self.db = self._open()

    def close(self) -> None:
        self.db.close()

    # ------------------------------------------------------------ what it holds

    @property
    def stamp(self) -> int:
        """Changes whenever what is held changes."""
        row = self.db.execute("SELECT value FROM meta WHERE key='stamp'").fetchone()
        return int(row[0]) if row else 0

    def faults(self) -> list[tuple[str, str]]:
        """Files that cannot be read: path and reason."""
        return list(
            self.db.execute("SELECT path, fault FROM file WHERE fault IS NOT NULL ORDER BY path")
        )

    def away(self) -> set[str]:
        return {row[0] for row in self.db.execute("SELECT id FROM source WHERE away=1")}

    def counts(self) -> dict[str, int]:
        """Profiles by source."""
        return dict(self.db.execute("SELECT source, count(*) FROM profile GROUP BY source"))

    # ------------------------------------------------------------ putting in

    def set_trust(self, trusts: Iterable[Trust]) -> None:
        rows = [
            (
                t.ident,
                t.by_maker,
                t.uploader,
                t.proven_3d,
                t.proven_unit,
                t.rating,
                t.ratings,
                t.revision,
            )
            for t in trusts
        ]
        self.db.execute("BEGIN")
        self.db.executemany("INSERT OR REPLACE INTO trust VALUES (?,?,?,?,?,?,?,?)", rows)
        self._bump()
        self.db.execute("COMMIT")

    def _bump(self) -> None:
        self.db.execute(
            "INSERT INTO meta VALUES ('stamp', '1') ON CONFLICT (key) DO UPDATE SET value = "
            "value + 1"
        )

    def _attribute_ids(self) -> dict[str, int]:
        return dict(self.db.execute("SELECT name, id FROM attribute"))

    def put(self, source: str, entries: Sequence[tuple[FileSeen, Facts | str]]) -> None:
        """Files with their facts, or with the reason why they cannot be read; in one transaction."""
        db = self.db
        db.execute("BEGIN")
        ids = self._attribute_ids()
        for seen, facts in entries:
            self._drop(source, [seen.path])
            fault = facts if isinstance(facts, str) else None
            file = db.execute(
                "INSERT INTO file (source, path, size, changed, fault) VALUES (?,?,?,?,?)",
                (source, seen.path, seen.size, seen.changed, fault),
            ).lastrowid
            if isinstance(facts, Facts):
                self._put_facts(source, file or 0, seen.path.startswith("exchange:"), facts, ids)
        self._bump()
        db.execute("COMMIT")

    def _put_facts(
        self, source: str, file: int, offered: bool, f: Facts, ids: dict[str, int]
    ) -> None:
        db = self.db
        words = list(dict.fromkeys([*tokens(f.maker), *tokens(f.model)]))
        row = (
            file,
            source,
            f.ident,
            f.maker,
            f.model,
            f.long_name,
            f.description,
            f.revision,
            f.body,
            f.borrowed,
            f.refers_to,
            " ".join(words),
            offered,
        )
        profile = db.execute(f"INSERT INTO profile VALUES (NULL{',?' * len(row)})", row).lastrowid
        for mode in f.modes:

            def ident(attribute: str) -> int:
                if attribute not in ids:
                    ids[attribute] = (
                        db.execute(
                            "INSERT INTO attribute (name) VALUES (?)", (attribute,)
                        ).lastrowid
                        or 0
                    )
                return (
                    ids[attribute] if ids[attribute] <= MOST_ATTRIBUTES else 0
                )  # more names than any standard has

            pairs = [
                (ident(a), min(slots[0], 65535) if slots and block == 1 else 0)
                for a, slots, _, _, block in mode.lines
            ]
            sequence = np.array(pairs, np.uint16).tobytes()
            sizes = bytes(min(255, len(slots)) for _, slots, _, _, _ in mode.lines)
            functions = np.array(
                [(ident(a), min(slot, 65535)) for a, slot in mode.functions], np.uint16
            ).tobytes()
            values = (
                profile,
                mode.name,
                mode.footprint,
                mode.blocks,
                mode.cells,
                mode.wheel,
                mode.ranges,
                sequence,
                sizes,
                functions,
            )
            row_of_mode = db.execute(
                "INSERT INTO mode VALUES (NULL,?,?,?,?,?,?,?,?,?,?)", values
            ).lastrowid
            db.execute(
                "INSERT INTO chart VALUES (?,?)", (row_of_mode, msgspec.msgpack.encode(mode.lines))
            )

    def _drop(self, source: str, paths: Iterable[str]) -> None:
        for path in paths:
            row = self.db.execute(
                "SELECT id FROM file WHERE source=? AND path=?", (source, path)
            ).fetchone()
            if row:
                self.db.execute(
                    "DELETE FROM chart WHERE mode IN (SELECT m.id FROM mode m JOIN profile p "
                    "ON p.id = m.profile WHERE p.file=?)",
                    row,
                )
                self.db.execute(
                    "DELETE FROM mode WHERE profile IN (SELECT id FROM profile WHERE file=?)", row
                )
                self.db.execute("DELETE FROM profile WHERE file=?", row)
                self.db.execute("DELETE FROM file WHERE id=?", row)

    # ------------------------------------------------------------ keeping it true

    def update(
        self,
        sources: Sequence[Source],
        told: Callable[[Progress], None] | None = None,
        workers: int = 0,
    ) -> Outcome:
        """Bring the index to what the sources hold now. `told` may raise to stop; what was read by
        then is kept.

        A source that is off or gone from the list is taken out; one that is away keeps what was
        last seen of it.
        """
        on = [source for source in sources if source.on]
        removed = self._forget_all_but({source.id for source in on})
        changed: list[tuple[str, FileSeen]] = []
        for source in on:
            if source.kind == GENERIC:
                continue
            if is_away(source):
                self.db.execute(
                    "INSERT INTO source VALUES (?,1,0) ON CONFLICT (id) DO UPDATE SET away=1",
                    (source.id,),
                )
                continue
            gone, fresh = self._look_through(source)
            removed += gone
            changed += ((source.id, file) for file in fresh)
        generic = next((s for s in on if s.kind == GENERIC), None)
        if generic and not self._has(generic.id):
            self._put_generic(generic)
        read, faults, stopped = self._read_all(changed, told, workers)
        downloaded = [path for (path,) in self.db.execute(_OFFERS_THAT_ARE_HERE)]
        self.db.execute("BEGIN")
        self._drop("exchange", downloaded)
        self._bump()
        self.db.execute("COMMIT")
        return Outcome(read, removed, faults, stopped)

    def _forget_all_but(self, kept: set[str]) -> int:
        """Take out sources that are not wanted any more; how many profiles went with them."""
        self.db.execute("BEGIN")
        known = [source for (source,) in self.db.execute("SELECT id FROM source")]
        removed = sum(self._forget(source) for source in known if source not in kept)
        self.db.execute("COMMIT")
        return removed

    def _look_through(self, source: Source) -> tuple[int, list[FileSeen]]:
        """Take out files of a source that are gone; how many, and those that are new or changed."""
        rows = self.db.execute(
            "SELECT path, size, changed FROM file WHERE source=? AND path NOT LIKE 'exchange:%'",
            (source.id,),
        )
        have = {path: (size, at) for path, size, at in rows}
        seen = {file.path: file for file in files_of(source)}
        gone = [path for path in have if path not in seen]
        self.db.execute("BEGIN")
        self._drop(source.id, gone)
        self.db.execute(
            "INSERT INTO source VALUES (?,0,?) ON CONFLICT (id) DO UPDATE SET away=0, "
            "files=excluded.files",
            (source.id, len(seen)),
        )
        self.db.execute("COMMIT")
        return len(gone), [f for f in seen.values() if have.get(f.path) != (f.size, f.changed)]

    def _has(self, source: str) -> bool:
        return bool(self.db.execute("SELECT 1 FROM source WHERE id=?", (source,)).fetchone())

    def _put_generic(self, source: Source) -> None:
        made = [
            (FileSeen(f"generic:{p.name}", 0, 0), facts_of(Gdtf(p, ()))) for p in usual_profiles()
        ]
        self.put(source.id, made)
        self.db.execute("INSERT INTO source VALUES (?,0,?)", (source.id, len(made)))

    def _forget(self, source: str) -> int:
        count = self.db.execute("SELECT count(*) FROM file WHERE source=?", (source,)).fetchone()[0]
        self.db.execute(
            "DELETE FROM chart WHERE mode IN (SELECT m.id FROM mode m JOIN profile p ON p.id "
            "= m.profile WHERE p.source=?)",
            (source,),
        )
        self.db.execute(
            "DELETE FROM mode WHERE profile IN (SELECT id FROM profile WHERE source=?)", (source,)
        )
        for table, column in (("profile", "source"), ("file", "source"), ("source", "id")):
            self.db.execute(f"DELETE FROM {table} WHERE {column}=?", (source,))
        return count

    def _read_all(
        self,
        changed: list[tuple[str, FileSeen]],
        told: Callable[[Progress], None] | None,
        workers: int,
    ) -> tuple[int, int, bool]:
        read = faults = 0
        waiting: dict[str, list[tuple[FileSeen, Facts | str]]] = {}
        by_path = {file.path: (source, file) for source, file in changed}
        with closing(_facts_stream(list(by_path), workers)) as stream:
            for path, result in stream:
                source, file = by_path[path]
                faults += isinstance(result, str)
                read += 1
                waiting.setdefault(source, []).append(
                    (file, result if isinstance(result, str) else unpack(result))
                )
                if read % BATCH == 0 or read == len(changed):
                    for owner, entries in waiting.items():
                        self.put(owner, entries)
                    waiting = {}
                if told is not None and (read % CHUNK == 0 or read == len(changed)):
                    try:
                        told(Progress(read, len(changed), Path(path).name))
                    except Cancelled:  # what was read is kept
                        for owner, entries in waiting.items():
                            self.put(owner, entries)
                        return read, faults, True
        return read, faults, False


def _facts_or_fault(path: str) -> tuple[str, bytes | str]:
    try:
        return path, facts_of_file(path)
    except IsthmusError as error:
        return path, f"{error.what} {error.do}".strip()
    except RecursionError:
        return path, "it is nested too deep to be read."


def _worker() -> None:
    # what a worker reads it forgets at once: looking for rings of objects would take half of its
    # time
    gc.disable()
    signal.signal(
        signal.SIGTERM, signal.SIG_DFL
    )  # the parent's own handler would keep it from ending
    with contextlib.suppress(OSError, AttributeError):
        ctypes.CDLL(None).prctl(
            _DIE_WITH_PARENT, signal.SIGKILL
        )  # a parent that is killed cannot send it home


def _facts_stream(paths: list[str], workers: int) -> Generator[tuple[str, bytes | str], None, None]:
    if workers < 2 or len(paths) < 4 * CHUNK:
        yield from map(_facts_or_fault, paths)
        return
    # fork is safe here: this runs in the command line or in the builder's own process, which has no
    # window and no threads
    context = multiprocessing.get_context("fork")
    with context.Pool(workers, initializer=_worker, maxtasksperchild=200) as pool:
        yield from pool.imap_unordered(_facts_or_fault, paths, chunksize=CHUNK)
