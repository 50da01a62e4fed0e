"""Lists inside things, such as the cues of a cue list: joined by their records where that can be,
and told apart in words.
"""

from __future__ import annotations

from collections.abc import Callable
from itertools import pairwise
from typing import Any

from msgspec import Struct
from msgspec.structs import replace

MOST = 4  # that are told of one list


def is_list(value: Any) -> bool:
    """Whether it is a list of records known by an id."""
    return isinstance(value, tuple) and all(hasattr(one, "id") for one in value)


def joined_list(base: Any, mine: Any, theirs: Any) -> tuple[Any, ...] | None:
    """Both sides' edits of a list of records; None where both changed the same of one, or a side
    changed one that the other removed.
    """
    if not (is_list(base) and is_list(mine) and is_list(theirs)):
        return None
    was, ours, others = ({one.id: one for one in side} for side in (base, mine, theirs))
    found: dict[str, Any] = {}
    for key in dict.fromkeys((*ours, *others)):
        fits, made = _one(was.get(key), ours.get(key), others.get(key))
        if not fits:
            return None
        if made is not None:
            found[key] = made
    order = _order(list(was), list(ours), list(others), found)
    return None if order is None else tuple(found[key] for key in order)


def _one(base: Any, mine: Any, theirs: Any) -> tuple[bool, Any]:
    """Whether one record can be joined, and what it is then; None where it went."""
    if mine == theirs or theirs == base:
        return True, mine
    if mine == base:
        return True, theirs
    if base is None or mine is None or theirs is None:
        return False, None
    changed = {}
    for name in base.__struct_fields__:
        a, b, c = (getattr(side, name) for side in (base, mine, theirs))
        if c not in (a, b):
            if b != a:
                return False, None
            changed[name] = c
    return True, replace(mine, **changed)


def _order(
    base: list[str], mine: list[str], theirs: list[str], found: dict[str, Any]
) -> list[str] | None:
    """The order of those found, the same whoever of both is asked; None where both changed it."""
    stay = [key for key in base if key in found]
    ours, others = ([key for key in side if key in set(stay)] for side in (mine, theirs))
    if ours != others and stay not in (ours, others):
        return None
    order = others if ours == stay else ours
    behind: dict[str, set[str]] = {}
    for side in (mine, theirs):
        there = [key for key in side if key in found]
        for before, key in pairwise(("", *there)):
            if key not in stay:
                behind.setdefault(before, set()).add(key)
    made: list[str] = []
    for key in ("", *order):
        waiting = [key]
        while waiting:
            one = waiting.pop()
            if one and one not in made:
                made.append(one)
            fresh = behind.pop(one, set())
            waiting += sorted(fresh, key=lambda k: _series(found[k], k), reverse=True)
    return made


def _series(record: Any, key: str) -> tuple[float, str]:
    return float(getattr(record, "number", 0)), key


def in_words(old: Any, new: Any, name_of: Callable[[Any], str], say: Callable[[Any], str]) -> str:
    """What of a list is other: `cue 3 Dusk: up 5, not 3; cue 12 added`; "" where it cannot be
    told by its records.
    """
    pairs = _pairs(old, new)
    told = [words for a, b in pairs if (words := _told(a, b, name_of, say))]
    more = f"; {len(told) - MOST} more" if len(told) > MOST else ""
    return "; ".join(told[:MOST]) + more


def _pairs(old: Any, new: Any) -> list[tuple[Any, Any]]:
    both = (*old, *new) if isinstance(old, tuple) and isinstance(new, tuple) else ()
    if not both or not all(isinstance(one, Struct) for one in both):
        return []
    if is_list(both):
        was, now = {one.id: one for one in old}, {one.id: one for one in new}
        return [(was.get(key), now.get(key)) for key in dict.fromkeys((*was, *now))]
    return list(zip(old, new, strict=True)) if len(old) == len(new) else []


def _told(old: Any, new: Any, name_of: Callable[[Any], str], say: Callable[[Any], str]) -> str:
    if old == new:
        return ""
    name = name_of(new if new is not None else old)
    if old is None or new is None:
        return f"{name} {'added' if old is None else 'removed'}"
    members = [
        f"{member.replace('_', ' ')} {say(b)}, not {say(a)}"
        for member in old.__struct_fields__
        if (a := getattr(old, member)) != (b := getattr(new, member))
    ]
    return f"{name}: {', '.join(members)}" if name else ", ".join(members)
