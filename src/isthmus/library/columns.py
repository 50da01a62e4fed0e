"""The index in memory, as columns: a few megabytes of NumPy arrays that answer any question in
milliseconds.
"""

from __future__ import annotations

import itertools
import sqlite3
from collections.abc import Sequence
from contextlib import closing
from dataclasses import dataclass, field
from functools import cached_property
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from isthmus.library.schema import SCHEMA
from isthmus.library.words import Words, product_line, tokens

MOST_ID = 1 << 24  # of a profile
_SOURCES_MAX = 65_000


@dataclass(frozen=True)
class Postings:
    """Where one attribute stands: the modes that have it (ascending), every slot, and where each
    mode's slots begin.
    """

    modes: NDArray[np.int32]
    slots: NDArray[np.int16]
    first: NDArray[np.int64]
    _away: dict[int, NDArray[np.int16]] = field(default_factory=dict)

    def away_from(self, slot: int) -> NDArray[np.int16]:
        """By mode that has it: how far its nearest place is from a slot."""
        kept = self._away.get(slot)
        if kept is None:  # a fact stays as it is while others are typed
            if len(self._away) >= 8:
                self._away.clear()
            away = np.abs(self.slots - np.int16(slot))
            kept = self._away[slot] = (
                away if len(self.first) == len(away) else np.minimum.reduceat(away, self.first)
            )
        return kept

    def away_from_range(self, low: int, high: int) -> NDArray[np.int16]:
        """The same for a range of slots, both ends in it."""
        if low == high:
            return self.away_from(low)
        slots = self.slots.astype(np.int32)
        away = np.maximum(np.maximum(low - slots, slots - high), 0)
        return (np.minimum.reduceat(away, self.first) if len(self.first) else away).astype(np.int16)

    def nearest(self, mode: int, slot: int) -> int:
        """The slot nearest to `slot` in one mode; 0 where it is absent."""
        at = int(
            np.searchsorted(self.modes, np.int32(mode))
        )  # of the same type, or the whole column would be copied
        if at >= len(self.modes) or self.modes[at] != mode:
            return 0
        end = self.first[at + 1] if at + 1 < len(self.first) else len(self.slots)
        return min(map(int, self.slots[self.first[at] : end]), key=lambda own: abs(own - slot))


@dataclass
class Columns:
    """`m_` columns are by mode, `p_` columns by profile; `seq_` are the channels of all modes one
    by one.
    """

    stamp: int
    attributes: list[str]  # by id − 1
    sources: list[str]
    # profiles
    p_id: NDArray[np.int64]
    p_maker: list[str]
    p_model: list[str]
    p_source: NDArray[np.uint16]
    p_away: NDArray[np.bool_]
    p_offered: NDArray[np.bool_]
    p_body: list[str]
    p_borrowed: list[str]
    p_by_maker: NDArray[np.bool_]
    p_proven_3d: NDArray[np.bool_]
    p_proven_unit: NDArray[np.bool_]
    p_rating: NDArray[np.float32]
    # modes
    m_id: NDArray[np.int64]
    m_profile: NDArray[np.int32]
    m_name: list[str]
    m_footprint: NDArray[np.int32]
    m_cells: NDArray[np.int32]
    m_wheel: NDArray[np.bool_]
    m_ranges: NDArray[np.bool_]
    seq_attr: NDArray[np.uint16]
    seq_slot: NDArray[np.uint16]
    seq_start: NDArray[np.int64]  # one longer than the modes
    seq_size: NDArray[np.uint8]  # bytes of each channel
    # what channels do besides: `f_` columns are by function
    f_attr: NDArray[np.uint16]
    f_slot: NDArray[np.uint16]
    f_owner: NDArray[np.int32]
    # words
    vocabulary: list[str] = field(default_factory=list)
    p_words: tuple[NDArray[np.int32], NDArray[np.int64]] = (
        np.zeros(0, np.int32),
        np.zeros(0, np.int64),
    )
    n_words: tuple[NDArray[np.int32], NDArray[np.int64]] = (
        np.zeros(0, np.int32),
        np.zeros(0, np.int64),
    )
    m_words: NDArray[np.int32] = field(
        default_factory=lambda: np.zeros(0, np.int32)
    )  # which distinct mode name

    _kept: dict[str, Postings] = field(default_factory=dict)

    def __len__(self) -> int:
        return len(self.m_id)

    @cached_property
    def attribute_id(self) -> dict[str, int]:
        return {name: index + 1 for index, name in enumerate(self.attributes)}

    @cached_property
    def _owner(self) -> NDArray[np.int32]:
        return np.repeat(np.arange(len(self), dtype=np.int32), np.diff(self.seq_start))

    def having(self, attribute: str, size: int = 0) -> Postings:
        """Every place an attribute stands at, as what a channel is called by or as one of its
        functions.

        With `size` only channels of so many bytes, by what they are called by.
        """
        key = f"{attribute}/{size}" if size else attribute
        found = self._kept.get(key)
        if found is None:
            ident = self.attribute_id.get(attribute, -1)
            mine = self.seq_attr == ident
            places = np.flatnonzero(mine & (self.seq_size == size) if size else mine)
            modes, slots = self._owner[places], self.seq_slot[places]
            also = np.flatnonzero(self.f_attr == ident) if not size else np.zeros(0, np.int64)
            if len(also):
                modes, slots = (
                    np.concatenate([modes, self.f_owner[also]]),
                    np.concatenate([slots, self.f_slot[also]]),
                )
                order = np.argsort(modes, kind="stable")
                modes, slots = modes[order], slots[order]
            first = np.flatnonzero(np.diff(modes, prepend=-1))
            found = self._kept[key] = Postings(modes[first], slots.astype(np.int16), first)
        return found

    @cached_property
    def word_text(self) -> tuple[str, NDArray[np.int64]]:
        """The vocabulary as one text, and where each word begins in it: for finding parts of words
        at the speed of C.
        """
        starts = np.zeros(len(self.vocabulary), np.int64)
        if len(starts):
            np.cumsum([len(word) + 1 for word in self.vocabulary[:-1]], out=starts[1:])
        return "\n".join(self.vocabulary), starts

    @cached_property
    def lines(self) -> tuple[NDArray[np.int32], list[tuple[str, str]]]:
        """By profile which product line it is of, and the lines as maker and name."""
        ids: dict[tuple[str, str], int] = {}
        column = [
            ids.setdefault((maker, product_line(model)), len(ids))
            for maker, model in zip(self.p_maker, self.p_model, strict=True)
        ]
        return np.array(column, np.int32), list(ids)

    @cached_property
    def sequences(self) -> list[str]:
        """Each mode's attributes as a string of one character an attribute (up to 36 000 of them),
        for the edit distance.
        """
        letters = (self.seq_attr + np.uint16(0x4000)).tobytes().decode("utf-16-le")
        starts = self.seq_start.tolist()
        return [letters[a:b] for a, b in itertools.pairwise(starts)]


def nothing() -> Columns:
    """The columns of an empty library, until there are others."""
    with closing(sqlite3.connect(":memory:")) as db:
        db.executescript(SCHEMA)
        return load(db, -1)


def load(db: sqlite3.Connection, stamp: int) -> Columns:
    """Read all columns, as they are at one moment. Raises sqlite3.DatabaseError when the file is
    damaged.
    """
    db.execute("BEGIN")  # a builder may write meanwhile
    try:
        made = _load(db, stamp)
        if not _sound(made):
            raise sqlite3.DatabaseError("its tables do not belong together")
        return made
    except _STRANGE as error:  # a page that is damaged may still be one of a database
        raise sqlite3.DatabaseError(f"what it holds cannot be: {error}") from error
    finally:
        db.execute("COMMIT")


_STRANGE = (ValueError, TypeError, IndexError, KeyError, OverflowError, AttributeError)


def _sound(made: Columns) -> bool:
    """Whether each row names only what is there."""
    modes = len(made.m_id)
    return not modes or (
        bool((made.m_profile < len(made.p_id)).all())
        and int(made.seq_start[-1]) <= len(made.seq_attr)
        and len(made.seq_size) == len(made.seq_attr)
        and len(made.f_owner) == len(made.f_attr)
        and max(made.seq_attr.max(initial=0), made.f_attr.max(initial=0)) <= len(made.attributes)
    )


def _load(db: sqlite3.Connection, stamp: int) -> Columns:
    attributes = [name for (name,) in db.execute("SELECT name FROM attribute ORDER BY id")]
    profiles = db.execute(
        "SELECT id, maker, model, source, body, borrowed, ident, words, offered FROM profile "
        "ORDER BY id"
    ).fetchall()
    away = {row[0] for row in db.execute("SELECT id FROM source WHERE away=1")}
    p_id, p_maker, p_model, p_source_id, p_body, p_borrowed, p_ident, p_text, p_offered = (
        (list(c) for c in zip(*profiles, strict=True)) if profiles else ([] for _ in range(9))
    )
    sources = sorted(set(p_source_id))
    source_at = {name: index for index, name in enumerate(sources[:_SOURCES_MAX])}
    trusted = _trusted(db, p_ident)
    modes = _modes(db)
    m, pairs, also = modes.numbers, modes.sequence, modes.functions
    if p_id and not 0 <= p_id[0] <= p_id[-1] <= MOST_ID:
        raise sqlite3.DatabaseError("ids that none was given")
    row_of = np.zeros((max(p_id) if p_id else 0) + 2, np.int32)
    row_of[np.array(p_id, np.int64)] = np.arange(len(p_id))
    words = Words()
    distinct: dict[str, int] = {}
    m_words = np.array([distinct.setdefault(name, len(distinct)) for name in modes.names], np.int32)
    made = Columns(
        stamp=stamp,
        attributes=attributes,
        sources=sources,
        p_id=np.array(p_id, np.int64),
        p_maker=p_maker,
        p_model=p_model,
        p_source=np.array([source_at.get(name, 0) for name in p_source_id], np.uint16),
        p_away=np.array([name in away for name in p_source_id], bool),
        p_offered=np.array(p_offered, bool),
        p_body=p_body,
        p_borrowed=p_borrowed,
        p_by_maker=np.array([t[0] for t in trusted], bool),
        p_proven_3d=np.array([t[1] for t in trusted], bool),
        p_proven_unit=np.array([t[2] for t in trusted], bool),
        p_rating=np.array([t[3] or 0 for t in trusted], np.float32),
        m_id=m[:, 0].copy(),
        m_profile=row_of[m[:, 1]],
        m_name=modes.names,
        m_footprint=m[:, 2].astype(np.int32),
        m_cells=m[:, 3].astype(np.int32),
        m_wheel=(m[:, 4] & 1) > 0,
        m_ranges=(m[:, 4] & 2) > 0,
        seq_attr=np.ascontiguousarray(pairs[:, 0]),
        seq_slot=np.ascontiguousarray(pairs[:, 1]),
        seq_start=np.concatenate([[0], np.cumsum(m[:, 5]) >> 2]),
        seq_size=np.frombuffer(modes.sizes, np.uint8),
        f_attr=np.ascontiguousarray(also[:, 0]),
        f_slot=np.ascontiguousarray(also[:, 1]),
        f_owner=np.repeat(np.arange(len(m), dtype=np.int32), m[:, 6] >> 2),
        m_words=m_words,
    )
    made.p_words = words.column([text.split(" ") for text in p_text])
    made.n_words = words.column([tokens(name) for name in distinct])
    made.vocabulary = list(words.ids)
    return made


def _trusted(db: sqlite3.Connection, idents: Sequence[str]) -> list[tuple[Any, ...]]:
    """By whom a profile is and what is proven of it: by_maker, in 3-D, on a unit, rating."""
    trust: dict[str, tuple[Any, ...]] = {
        r[0]: r[1:]
        for r in db.execute("SELECT ident, by_maker, proven_3d, proven_unit, rating FROM trust")
    }
    none = (False, False, False, 0.0)
    return [trust.get(ident, none) for ident in idents]


class _Modes(NamedTuple):
    """All modes as they lie in the file."""

    numbers: NDArray[np.int64]  # (modes, 7): id, profile, footprint, cells, marks, two lengths
    names: list[str]
    sequence: NDArray[np.uint16]  # (channels, 2): attribute, slot
    sizes: bytes
    functions: NDArray[np.uint16]  # (functions, 2)


def _modes(db: sqlite3.Connection) -> _Modes:
    parts: list[NDArray[np.int64]] = []
    sequence, sizes, functions = bytearray(), bytearray(), bytearray()
    names: list[str] = []
    kept: dict[str, str] = {}  # few different ones, kept once each
    fields = (
        "id, profile, footprint, cells, wheel + 2 * ranges, length(sequence), length(functions), "
        "name, sequence, sizes, functions"
    )
    cursor = db.execute(f"SELECT {fields} FROM mode ORDER BY id")
    while rows := cursor.fetchmany(8192):
        *numbers, own, blobs, widths, more = zip(*rows, strict=True)
        parts.append(np.array(numbers, np.int64).T)
        names.extend([kept.setdefault(name, name) for name in own])
        sequence += b"".join(blobs)
        sizes += b"".join(widths)
        functions += b"".join(more)
    return _Modes(
        np.concatenate(parts) if parts else np.zeros((0, 7), np.int64),
        names,
        np.frombuffer(sequence, np.uint16).reshape(-1, 2),
        bytes(sizes),
        np.frombuffer(functions, np.uint16).reshape(-1, 2),
    )
