"""A show as parts known by what is in them: of two shows, what is alike is the same part.

A part is a member of show.json, or a stretch of one that is a list, as JSON; it is known by the
BLAKE2b of its text. Stretches begin where the name of a record says so, not at every so many, so
that a record that comes or goes makes one part another, not all behind it. It is packed by zlib,
with the text of the part that stood there before as what it may repeat (RFC 1950, preset
dictionary), and says which that was; every so often it stands alone.
"""

from __future__ import annotations

import zlib
from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass, field
from hashlib import blake2b
from itertools import pairwise
from typing import Any

import msgspec

from isthmus.show.decoding import decoded

NAMES = ("id", "key", "number", "name", "code", "title", "unit")  # what records are called by
STRETCH = 64  # records of a stretch, on average
LEVEL = 6
SIZE = 16  # bytes of a name
DEEP = 24  # parts that repeat each other in a line, at most
WINDOW = 32 * 1024  # bytes that zlib looks back
Parts = dict[str, bytes]


def name_of(text: bytes) -> str:
    return blake2b(text, digest_size=SIZE).hexdigest()


def _begins(record: Any) -> bool:
    if not isinstance(record, dict):
        called = next((x for name in NAMES if (x := getattr(record, name, None)) is not None), "")
    else:
        called = next((record[name] for name in NAMES if name in record), "")
    return zlib.crc32(str(called).encode()) % STRETCH == 0


def _stretches(records: Iterable[Any]) -> Iterator[list[Any]]:
    mine: list[Any] = []
    for record in records:
        if mine and _begins(record):
            yield mine
            mine = []
        mine.append(record)
    if mine:
        yield mine


def split(members: Mapping[str, Any]) -> Iterator[bytes]:
    """The texts of all parts: single values in the first, then each list by its stretches."""
    lists = {name: value for name, value in members.items() if isinstance(value, (list, tuple))}
    rest = {name: value for name, value in members.items() if name not in lists}
    yield msgspec.json.encode(["", rest])
    for name, records in lists.items():
        for mine in _stretches(records):
            yield msgspec.json.encode([name, mine])


def put_together(texts: Iterable[bytes]) -> dict[str, Any]:
    """The members the parts were made of. Raises msgspec's errors for anything else."""
    found: dict[str, Any] = {}
    for text in texts:
        name, value = decoded(text, kind=tuple[str, dict[str, Any] | list[Any]])
        if isinstance(value, dict):
            found |= value
        else:
            found.setdefault(name, []).extend(value)
    return found


@dataclass(frozen=True)
class Tree:
    """What a root lists: the parts of a show in order, and the names of the bytes it holds."""

    parts: tuple[str, ...] = ()
    blobs: Mapping[str, str] = field(default_factory=dict)  # member of the container → name


def packed(
    texts: Iterable[bytes], blobs: Mapping[str, bytes], before: str, there: Parts
) -> tuple[str, Parts]:
    """The root of a show, and all parts there are then. `before` is the root of the version before
    it; what is there already is the very same bytes.
    """
    reader = Texts(there)
    old = reader.tree(before) if whole(before, there) else Tree()
    follows = dict(pairwise(("", *old.parts)))
    stood = set(old.parts)
    names: list[str] = []
    found = dict(there)
    place = ""
    for text in texts:
        name = name_of(text)
        place = name if name in stood else follows.get(place, "")
        names.append(name)
        if name not in found:
            found[name] = _pack(text, place, reader)
    known = {id(data): name for name, data in there.items()}
    held: dict[str, str] = {}
    for member, data in blobs.items():
        name = held[member] = known.get(id(data)) or name_of(data)
        found.setdefault(name, data)
    text = msgspec.json.encode((names, held))
    root = name_of(text)
    if root not in found:
        found[root] = _pack(text, before, reader)
    return root, found


def _pack(text: bytes, base: str, texts: Texts) -> bytes:
    """16 bytes that name what it repeats, or zeros; then the text, packed."""
    alone = bytes(SIZE) + zlib.compress(text, LEVEL)
    if not base or len(texts.line(base)) > DEEP:
        return alone
    try:
        made = zlib.compressobj(LEVEL, zdict=texts.text(base)[-WINDOW:])
    except (KeyError, ValueError):
        return alone
    upon = bytes.fromhex(base) + made.compress(text) + made.flush()
    return upon if 2 * len(upon) < len(alone) else alone


def _base_of(data: bytes) -> str:
    return data[:SIZE].hex() if any(data[:SIZE]) else ""


def whole(root: str, there: Mapping[str, bytes]) -> bool:
    """Whether a root is there with all it lists, and what that repeats."""
    texts = Texts(there)
    try:
        tree = texts.tree(root)
        return all(name in there for name in tree.blobs.values()) and all(
            map(texts.line, tree.parts)
        )
    except (KeyError, ValueError):
        return False


def needed(roots: Iterable[str], there: Parts) -> Parts:
    """What these roots list, and all that it repeats."""
    texts = Texts(there)
    found: set[str] = set()
    for root in roots:
        try:
            tree = texts.tree(root)
        except (KeyError, ValueError):
            continue
        found |= {root, *tree.blobs.values()}
        for name in (root, *tree.parts):
            if name not in found or name == root:
                found.update(texts.line(name))
    return {name: data for name, data in there.items() if name in found}


class Texts:
    """The texts of packed parts, each of `most` bytes at most. Raises ValueError for what is
    damaged, KeyError for what is not there.
    """

    def __init__(self, there: Mapping[str, bytes], most: int = 1 << 26) -> None:
        self.there, self.most = there, most
        self._texts: dict[str, bytes] = {}
        self._lines: dict[str, tuple[str, ...]] = {}

    def line(self, name: str) -> tuple[str, ...]:
        """It, what it repeats, what that repeats, and so on; empty where one is missing."""
        found = self._lines.get(name)
        if found is None:
            names: list[str] = []
            at = name
            while at and at in self.there and len(names) <= 2 * DEEP:
                names.append(at)
                at = _base_of(self.there[at])
            found = self._lines[name] = () if at else tuple(names)
        return found

    def text(self, name: str) -> bytes:
        line = self.line(name)
        if not line:
            raise KeyError(name)
        for one in reversed(line):
            if one not in self._texts:
                self._texts[one] = self._read(one)
        return self._texts[name]

    def _read(self, name: str) -> bytes:
        data = self.there[name]
        base = _base_of(data)
        try:
            zdict = self._texts[base][-WINDOW:] if base else b""
            reader = zlib.decompressobj(zdict=zdict) if base else zlib.decompressobj()
            text = reader.decompress(data[SIZE:], self.most)
        except zlib.error as error:
            raise ValueError(str(error)) from error
        if name_of(text) != name:
            raise ValueError("a part is not what it was")
        return text

    def tree(self, root: str) -> Tree:
        try:
            parts, blobs = decoded(self.text(root), kind=tuple[tuple[str, ...], dict[str, str]])
        except msgspec.MsgspecError as error:
            raise ValueError(str(error)) from error
        return Tree(parts, blobs)
