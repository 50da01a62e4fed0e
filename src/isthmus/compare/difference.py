"""The difference of two shows as a value: single changes, each of which can be taken alone, in any
set, or turned round.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from typing import Any

from msgspec.structs import replace

from isthmus.compare.matching import matched
from isthmus.compare.references import KEYS, keys_of, renamed_show
from isthmus.show.records import Show

OWN = ("format", "versions", "kept")  # of each show by itself
WHOLE = [name for name in Show.__struct_fields__ if name not in (*KEYS, *OWN)]
ORDER, IDS = "order", "ids"
FIRST, LAST = ("first",), ("last",)


class _Nothing:
    """In the place of a value where there is none."""

    def __repr__(self) -> str:
        return "nothing"

    def __bool__(self) -> bool:
        return False


NOTHING = _Nothing()


@dataclass(frozen=True, eq=False)
class Changed:
    """One change. `kind` is the list of the show it is in ("" for what is said of the show as a
    whole), `key` the thing, `member` what of it; without a member the thing itself came or went
    (NOTHING on one side), and `after` is what it stands behind, or stood. The order of a list is a
    change of its own, and so are the ids things are known by inside: those are changed when all
    else was, on the way back before (`after` says which).
    """

    kind: str
    key: str
    member: str
    old: Any
    new: Any
    after: tuple[str, ...] = ()  # keys before it, the nearest first

    @property
    def place(self) -> tuple[str, str, str]:
        """What two sides may both have changed."""
        return self.kind, self.key, self.member

    def turned(self) -> Changed:
        """The way back."""
        after = self.after
        if self.member == IDS:
            after = FIRST if after == LAST else LAST
        return Changed(self.kind, self.key, self.member, self.new, self.old, after)


@dataclass(frozen=True, eq=False)
class Difference:
    """All changes from one show to another. `new` has the ids of `old` wherever things are the
    same.
    """

    old: Show
    new: Show
    changes: tuple[Changed, ...]

    def __bool__(self) -> bool:
        return bool(self.changes)

    def turned(self) -> Difference:
        """What leads back; things are known by the same ids."""
        return Difference(self.new, self.old, tuple(one.turned() for one in self.changes))


def difference(old: Show, new: Show) -> Difference:
    """What leads from one show to another; applied to the first it gives the second, exactly."""
    ids = matched(old, new)
    same = renamed_show(new, ids)
    found = [
        Changed("", "", name, getattr(old, name), getattr(same, name))
        for name in WHOLE
        if getattr(old, name) != getattr(same, name)
    ]
    for kind in KEYS:
        before, after = getattr(old, kind), getattr(same, kind)
        if before is not after:
            found += _of_kind(kind, before, after)
    if ids:
        back = {kind: {here: there for there, here in table.items()} for kind, table in ids.items()}
        found.append(Changed("", "", IDS, ids, back, LAST))
    return Difference(old, same, tuple(found))


def _of_kind(kind: str, before: Sequence[Any], after: Sequence[Any]) -> list[Changed]:
    was, now = _by_key(kind, before), _by_key(kind, after)
    names = list(was)
    found = [
        Changed(kind, key, "", thing, NOTHING, _before(names, at))
        for at, (key, thing) in enumerate(was.items())
        if key not in now
    ]
    names = list(now)
    for at, (key, thing) in enumerate(now.items()):
        old = was.get(key)
        if old is None:
            found.append(Changed(kind, key, "", NOTHING, thing, _before(names, at)))
        elif old is not thing and old != thing:
            found += [
                Changed(kind, key, name, getattr(old, name), getattr(thing, name))
                for name in thing.__struct_fields__
                if getattr(old, name) != getattr(thing, name)
            ]
    if list(_with_changes(dict(was), found)) != names:
        found.append(Changed(kind, "", ORDER, tuple(was), tuple(names)))
    return found


def _before(names: Sequence[str], at: int) -> tuple[str, ...]:
    """What stands before a place, the nearest first."""
    return tuple(names[max(0, at - 8) : at][::-1])


def _by_key(kind: str, things: Sequence[Any]) -> dict[str, Any]:
    """Things by what they are known by; of two that go by the same, the second is told apart."""
    keys = keys_of(kind, things)
    found: dict[str, Any] = dict(zip(keys, things, strict=True))
    if len(found) == len(things):
        return found
    found = {}
    for key, thing in zip(keys, things, strict=True):
        while key in found:
            key += "\n"
        found[key] = thing
    return found


def apply(changes: Iterable[Changed], show: Show) -> Show:
    """The show with these changes. One that is of a thing the show does not have does nothing."""
    by_kind: dict[str, list[Changed]] = {}
    ids = {}
    for one in changes:
        if one.member == IDS:
            ids[one.after] = one.new
        else:
            by_kind.setdefault(one.kind, []).append(one)
    show = renamed_show(show, ids.get(FIRST, {}))
    made = {
        kind: tuple(_with_changes(_by_key(kind, getattr(show, kind)), mine).values())
        for kind, mine in by_kind.items()
        if kind
    }
    whole = {c.member: c.new for c in by_kind.get("", ())}
    return renamed_show(replace(show, **made, **whole), ids.get(LAST, {}))


def _with_changes(found: dict[str, Any], changes: Iterable[Changed]) -> dict[str, Any]:
    members: dict[str, dict[str, Any]] = {}
    order: Sequence[str] = ()
    fresh: list[Changed] = []
    for one in changes:
        if not one.key and one.member == ORDER:
            order = one.new
        elif one.member:
            members.setdefault(one.key, {})[one.member] = one.new
        elif one.new is NOTHING:
            found.pop(one.key, None)
        else:
            fresh.append(one)
    if fresh:
        found = _with_fresh(found, fresh)
    for key, changed in members.items():
        if key in found:
            found[key] = replace(found[key], **changed)
    return _ordered(found, order) if order else found


def _with_fresh(found: dict[str, Any], fresh: list[Changed]) -> dict[str, Any]:
    """Each behind the nearest of those it stood behind; at the end where none of them is there."""
    behind: dict[str, list[Changed]] = {}
    keys = {**dict.fromkeys(found), **dict.fromkeys(c.key for c in fresh)}
    for one in fresh:
        if one.key in found:  # there again already
            found[one.key] = one.new
        else:
            near = next((k for k in one.after if k in keys), "" if one.after else "\0")
            behind.setdefault(near, []).append(one)
    made: dict[str, Any] = {}

    def put(key: str) -> None:
        waiting = [key]
        while waiting:
            name = waiting.pop()
            for one in reversed(behind.pop(name, [])):
                made[one.key] = one.new
                waiting.append(one.key)

    put("\0")  # those that stood first
    for key, thing in found.items():
        made[key] = thing
        put(key)
    put("")
    return made


def _ordered(found: dict[str, Any], order: Sequence[str]) -> dict[str, Any]:
    """In this order; what it does not know keeps its place behind what it stood behind."""
    rank = {key: at for at, key in enumerate(order)}
    last, ranked = -1.0, {}
    for key in found:
        last = rank.get(key, last)
        ranked[key] = last
    return dict(sorted(found.items(), key=lambda item: ranked[item[0]]))
