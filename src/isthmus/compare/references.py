"""What of a show refers to what: the one table by which ids are followed, and changed everywhere at
once.
"""

from __future__ import annotations

import typing
from collections.abc import Collection, Iterator, Mapping, Sequence
from operator import attrgetter
from typing import Any

from msgspec.structs import replace

from isthmus.show import records as r
from isthmus.show.shapes import element_type

KEYS: dict[str, tuple[str, ...]] = {  # kind of thing → what it is known by
    "units": ("id",),
    "profiles": ("key",),
    "structures": ("id",),
    "sheets": ("id",),
    "views": ("name",),
    "files": ("name",),
    "nodes": ("id",),
    "outputs": ("id",),
    "groups": ("id",),
    "gels": ("book", "code"),
    "verdicts": ("unit",),
    "rounds": ("name", "at"),
    "answers": ("look", "unit"),
    "palettes": ("id",),
    "looks": ("id",),
    "cue_lists": ("id",),
    "grids": ("id",),
    "media": ("id",),
    "layer_sets": ("id",),
    "earlier_papers": ("title", "revision"),
    "beside": ("where", "of"),
}
# record → its members that name things of a kind: one, several, or the keys of a table
REFERS: dict[type, dict[str, str]] = {
    r.Unit: {"structure": "structures", "profile": "profiles"},
    r.Group: {"units": "units", "parent": "groups"},
    r.SheetSpot: {"unit": "units"},
    r.Structure: {"mesh": "files"},
    r.Underlay: {"file": "files"},
    r.Verdict: {"unit": "units", "others": "units", "picture": "files"},
    r.Answer: {"unit": "units"},
    r.Palette: {"types": "profiles", "units": "units"},
    r.LookLine: {"units": "units", "groups": "groups", "palettes": "palettes"},
    r.Look: {"pictures": "layer_sets"},
    r.Cue: {"look": "looks"},
    r.GridCell: {"unit": "units"},
    r.PictureLayer: {"media": "media", "units": "units"},
    r.LayerSet: {"grid": "grids"},
    r.Media: {"file": "files"},
    r.Beside: {"files": "files"},
}
Ids = Mapping[str, Mapping[str, str]]  # kind → id here → id there


def key_of(kind: str, thing: Any) -> str:
    """What a thing is known by among those of its kind."""
    return "\n".join(getattr(thing, part) for part in KEYS[kind])


def keys_of(kind: str, things: Sequence[Any]) -> list[str]:
    """The same of all things of a list."""
    first, *more = KEYS[kind]
    if more:
        return [key_of(kind, thing) for thing in things]
    return list(map(attrgetter(first), things))


def _inside() -> dict[type, dict[str, type]]:
    """Which members of which record hold other records."""
    found: dict[type, dict[str, type]] = {}
    wanted: list[type] = [r.Show]
    while wanted:
        record = wanted.pop()
        if record in found:
            continue
        hints = typing.get_type_hints(record)
        held = {name: element_type(hints[name]) for name in record.__struct_fields__}
        found[record] = {name: kind for name, kind in held.items() if kind}
        wanted += found[record].values()
    return found


INSIDE = _inside()


def _holding() -> set[type]:
    """Records that refer to something, themselves or by what they hold."""
    found = set(REFERS)
    while more := {k for k, held in INSIDE.items() if found & set(held.values())} - found:
        found |= more
    return found


HOLDING = _holding()


def references(thing: Any) -> Iterator[tuple[str, str]]:
    """(kind, id) of all that a record refers to, each as often as it does."""
    for member, kind in REFERS.get(type(thing), {}).items():
        value = getattr(thing, member)
        for one in (value,) if isinstance(value, str) else value:
            if one:
                yield kind, one
    for member, kind in INSIDE[type(thing)].items():
        if kind in HOLDING and (value := getattr(thing, member)) is not None:
            for one in value if isinstance(value, tuple) else (value,):
                yield from references(one)


def renamed(thing: Any, ids: Ids) -> Any:
    """The record with what it refers to by other ids; the very same where nothing is another."""
    changed: dict[str, Any] = {}
    for member, kind in REFERS.get(type(thing), {}).items():
        if table := ids.get(kind):
            value = getattr(thing, member)
            if (made := _other_names(value, table)) != value:
                changed[member] = made
    for member, kind in INSIDE[type(thing)].items():
        value = getattr(thing, member)
        if kind in HOLDING and value is not None:
            made = _all_renamed(value, ids) if isinstance(value, tuple) else renamed(value, ids)
            if made is not value:
                changed[member] = made
    return replace(thing, **changed) if changed else thing


# records that are nothing without what they refer to
BARE: dict[type, str] = {
    r.SheetSpot: "unit",
    r.Verdict: "unit",
    r.Answer: "unit",
    r.GridCell: "unit",
}


def kept_to(thing: Any, there: Mapping[str, Collection[str]]) -> Any:
    """The record without what it refers to that is not there; None where nothing of it is left.
    Kinds that are not named are left as they are.
    """
    changed: dict[str, Any] = {}
    for member, kind in REFERS.get(type(thing), {}).items():
        value = getattr(thing, member)
        if kind in there and (made := _still_there(value, there[kind])) != value:
            if BARE.get(type(thing)) == member:
                return None
            changed[member] = made
    for member, kind in INSIDE[type(thing)].items():
        value = getattr(thing, member)
        if kind in HOLDING and value is not None:
            made = _each_kept(value, there) if isinstance(value, tuple) else kept_to(value, there)
            if made is not value:
                changed[member] = made
    return replace(thing, **changed) if changed else thing


def _still_there(value: Any, held: Collection[str]) -> Any:
    if isinstance(value, str):
        return value if value in held else ""
    if isinstance(value, dict):
        return {one: said for one, said in value.items() if one in held}
    return tuple(one for one in value if one in held)


def _each_kept(things: tuple[Any, ...], there: Mapping[str, Collection[str]]) -> tuple[Any, ...]:
    made = tuple(kept_to(one, there) for one in things)
    if all(a is b for a, b in zip(made, things, strict=True)):
        return things
    return tuple(one for one in made if one is not None)


def _other_names(value: Any, table: Mapping[str, str]) -> Any:
    if isinstance(value, str):
        return table.get(value, value)
    if isinstance(value, dict):
        return {table.get(one, one): held for one, held in value.items()}
    return tuple(table.get(one, one) for one in value)


def _all_renamed(things: tuple[Any, ...], ids: Ids) -> tuple[Any, ...]:
    made = tuple(renamed(one, ids) for one in things)
    return made if any(a is not b for a, b in zip(made, things, strict=True)) else things


def renamed_show(show: r.Show, ids: Ids) -> r.Show:
    """A show whose things are known by other ids, wherever they are named. Only kinds known by one
    member can be.
    """
    ids = {kind: table for kind, table in ids.items() if table}
    if not ids:
        return show
    show = renamed(show, ids)
    changed = {}
    for kind, table in ids.items():
        [member] = KEYS[kind]
        changed[kind] = tuple(
            replace(thing, **{member: table[old]})
            if (old := getattr(thing, member)) in table
            else thing
            for thing in getattr(show, kind)
        )
    return replace(show, **changed)
