"""What versions consist of where a show is written: what the show itself has is not written twice.

A pack is entries one behind the other: the 16 bytes of a name, the length of what follows as four
bytes (little endian), and what has that name. With a length of 2³²−1 and a length more, it is the
member of the container that is named there.
"""

from __future__ import annotations

import struct
from collections.abc import Callable, Iterable, Iterator, Mapping

from isthmus.show.parts import SIZE, Parts
from isthmus.show.records import Show

PACK = 32 * 1024 * 1024  # bytes of a pack, unless one entry is larger
SAME = 2**32 - 1
_HEAD = struct.Struct(f"<{SIZE}sI")
_LENGTH = struct.Struct("<I")
Entry = tuple[str, bytes | str]  # a name, and the data or the member it is


def blobs_of(show: Show) -> Iterator[tuple[str, bytes]]:
    """The members of the container that profiles, pictures and meshes are."""
    for profile in show.profiles:
        yield f"profiles/{profile.file}", profile.data
    for kept in show.files:
        yield f"files/{kept.name}", kept.data


def _entries(parts: Parts, show: Show) -> Iterator[Entry]:
    own = {id(data): member for member, data in blobs_of(show) if data}
    for name, data in parts.items():
        yield name, own.get(id(data), data)


def _written(entry: Entry) -> tuple[bytes, ...]:
    name, data = entry
    if isinstance(data, str):
        member = data.encode()
        return _HEAD.pack(bytes.fromhex(name), SAME), _LENGTH.pack(len(member)), member
    return _HEAD.pack(bytes.fromhex(name), len(data)), data


def _read(data: bytes) -> Iterator[Entry]:
    """The entries of a pack, as far as they are whole."""
    at = 0
    while at + _HEAD.size <= len(data):
        name, size = _HEAD.unpack_from(data, at)
        at += _HEAD.size
        same = size == SAME
        if same and at + _LENGTH.size <= len(data):
            [size] = _LENGTH.unpack_from(data, at)
            at += _LENGTH.size
        body = data[at : at + size]
        if len(body) < size:
            return
        yield name.hex(), body.decode("utf-8", "replace") if same else body
        at += size


def _all_of(entries: Iterable[Entry], blobs: Mapping[str, bytes]) -> Parts:
    found: Parts = {}
    for name, data in entries:
        if part := blobs.get(data) if isinstance(data, str) else data:
            found[name] = part
    return found


# ------------------------------------------------------------ in the container


def packs_of(show: Show) -> Iterator[tuple[str, bytes]]:
    """Members `versions/0`, `versions/1` and so on."""
    if not show.kept:
        return
    number = size = 0
    pack: list[bytes] = []
    for entry in _entries(show.kept, show):
        written = _written(entry)
        if pack and size + len(written[-1]) > PACK:
            yield f"versions/{number}", b"".join(pack)
            number, size, pack = number + 1, 0, []
        pack += written
        size += len(written[-1])
    yield f"versions/{number}", b"".join(pack)


def unpacked(members: Callable[[str], bytes | None], blobs: Mapping[str, bytes]) -> Parts:
    found: Parts = {}
    number = 0
    while (pack := members(f"versions/{number}")) is not None:
        found |= _all_of(_read(pack), blobs)
        number += 1
    return found


# ------------------------------------------------------------ in the journal


def told(old: Show, kept: Parts) -> bytes:
    """What leads from the parts of a show to others: the new ones, then a mark and the names of
    those that went.
    """
    fresh = {name: data for name, data in kept.items() if old.kept.get(name) is not data}
    gone = b"".join(bytes.fromhex(name) for name in old.kept if name not in kept)
    news = b"".join(part for entry in _entries(fresh, old) for part in _written(entry))
    return _LENGTH.pack(len(news)) + news + gone


def taken(old: Show, data: bytes) -> Parts:
    """The parts after what `told` told. Raises ValueError for what it did not."""
    if len(data) < _LENGTH.size:
        raise ValueError("parts of versions are missing")
    end = _LENGTH.size + _LENGTH.unpack_from(data)[0]
    fresh = _all_of(_read(data[_LENGTH.size : end]), dict(blobs_of(old)))
    gone = {data[at : at + SIZE].hex() for at in range(end, len(data), SIZE)}
    return {n: d for n, d in (old.kept | fresh).items() if n not in gone}
