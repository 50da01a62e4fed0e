"""One edit as bytes: what stands in the new show and did not stand in the old one, by record.

What did not change is the same object in both, so finding what changed is comparing identities. A
member that is a list of records is written as runs: stretches of the old list that stay, and
records that are new. Put on the show it was made from, a change gives the other show, exactly.
"""

from __future__ import annotations

import typing
from collections.abc import Iterator, Sequence
from itertools import compress
from operator import is_not
from typing import Any

import msgspec

from isthmus.show.carried import taken, told
from isthmus.show.migrations import migrate_records
from isthmus.show.records import FORMAT, Show

_HINTS = typing.get_type_hints(Show)
_LISTS = {name for name in Show.__struct_fields__ if typing.get_origin(_HINTS[name]) is tuple}
_DECODERS = {name: msgspec.msgpack.Decoder(_HINTS[name]) for name in Show.__struct_fields__}
_ENCODER = msgspec.msgpack.Encoder()
SLICE = 512


class Run(msgspec.Struct, array_like=True):
    """`keep` records of the old list from `at` on; or, when `keep` is 0, `new` records."""

    at: int
    keep: int
    new: msgspec.Raw = msgspec.Raw(b"\x90")  # an empty list


class Change(msgspec.Struct, array_like=True):
    """`name` says what was done; `members` are whole values, `runs` the lists that are told by
    their runs, `kept` what of the versions' parts is other.
    """

    name: str
    members: dict[str, msgspec.Raw] = {}
    runs: dict[str, list[Run]] = {}
    kept: bytes = b""


_CHANGE = msgspec.msgpack.Decoder(Change)


def change_between(name: str, old: Show, new: Show) -> bytes:
    """The change that leads from one show to another."""
    made = Change(name)
    for member in Show.__struct_fields__:
        before, after = getattr(old, member), getattr(new, member)
        if before is after:
            continue
        if member == "kept":
            made.kept = told(old, after)
        elif member in _LISTS:
            made.runs[member] = _runs(before, after)
        else:
            made.members[member] = msgspec.Raw(_ENCODER.encode(after))
    return _ENCODER.encode(made)


def _new(records: Sequence[Any]) -> Run:
    return Run(0, 0, msgspec.Raw(_ENCODER.encode(records)))


def _differing(old: tuple[Any, ...], new: tuple[Any, ...]) -> Iterator[int]:
    """Places where two lists differ, as far as both go. Equal stretches are passed over by
    comparing slices, in C.
    """
    for first in range(0, min(len(old), len(new)), SLICE):
        a, b = old[first : first + SLICE], new[first : first + SLICE]
        if a != b:
            yield from compress(range(first, first + SLICE), map(is_not, a, b))


def _runs(old: tuple[Any, ...], new: tuple[Any, ...]) -> list[Run]:
    """The new list as stretches of the old one and new records."""
    if len(old) == len(new):
        changed = list(_differing(old, new))
        if len(changed) * 2 > len(new):
            return [_new(new)]
        return _patched(changed, new)
    head = next(_differing(old, new), min(len(old), len(new)))
    most = min(len(old), len(new)) - head
    tail = next(_differing(old[::-1], new[::-1]), most)
    tail = min(tail, most)
    runs = [Run(0, head)] if head else []
    runs += _mixed(old, new[head : len(new) - tail])
    return [*runs, Run(len(old) - tail, tail)] if tail else runs


def _patched(changed: list[int], new: tuple[Any, ...]) -> list[Run]:
    """Runs where only these places are others."""
    runs: list[Run] = []
    at, index = 0, 0
    while index < len(changed):
        first = last = changed[index]
        while index + 1 < len(changed) and changed[index + 1] == last + 1:
            index += 1
            last = changed[index]
        if first > at:
            runs.append(Run(at, first - at))
        runs.append(_new(new[first : last + 1]))
        at, index = last + 1, index + 1
    return [*runs, Run(at, len(new) - at)] if at < len(new) else runs


def _mixed(old: tuple[Any, ...], middle: tuple[Any, ...]) -> list[Run]:
    """A stretch in which records of the old list stand anywhere."""
    if not middle:
        return []
    places = {id(record): place for place, record in enumerate(old)}
    runs: list[Run] = []
    fresh: list[Any] = []
    for record in middle:
        place = places.get(id(record))
        if place is None:
            fresh.append(record)
            continue
        if fresh:
            runs.append(_new(fresh))
            fresh = []
        if runs and runs[-1].keep and runs[-1].at + runs[-1].keep == place:
            runs[-1].keep += 1
        else:
            runs.append(Run(place, 1))
    return [*runs, _new(fresh)] if fresh else runs


def _records(member: str, data: msgspec.Raw, format: int) -> list[Any]:  # noqa: A002
    if format == FORMAT:
        return _DECODERS[member].decode(data)
    plain = migrate_records(member, msgspec.msgpack.decode(data), format)
    return msgspec.convert(plain, _HINTS[member])


def apply_change(show: Show, data: bytes, format: int = FORMAT) -> tuple[str, Show]:  # noqa: A002
    """What was done, and the show after it; `format` is that of the change's records. Raises
    ValueError for bytes that are not a change of this show.
    """
    change = _CHANGE.decode(data)
    values: dict[str, Any] = {}
    for member, raw in change.members.items():
        if member in _DECODERS:
            values[member] = _DECODERS[member].decode(raw)
    for member, runs in change.runs.items():
        if member not in _LISTS:
            continue
        old: tuple[Any, ...] = getattr(show, member)
        built: list[Any] = []
        for run in runs:
            if run.keep:
                if not 0 <= run.at <= run.at + run.keep <= len(old):
                    raise ValueError(f"{member} has {len(old)} records, not {run.at + run.keep}")
                built.extend(old[run.at : run.at + run.keep])
            else:
                built.extend(_records(member, run.new, format))
        values[member] = tuple(built)
    if change.kept:
        values["kept"] = taken(show, change.kept)
    return change.name, msgspec.structs.replace(show, **values)
