"""What differs, in words: each change by kind, thing and member with both values, and all of it in
a few sentences.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from typing import Any

from isthmus.compare.difference import IDS, NOTHING, ORDER, Changed, Difference, difference
from isthmus.compare.inside import in_words
from isthmus.compare.merge import Conflict, Merged
from isthmus.compare.references import key_of
from isthmus.patch.cells import addresses
from isthmus.patch.limits import handling_words, limits_in_words
from isthmus.profiles import profiles_of
from isthmus.show.records import Output, Show, Unit

KINDS = {  # kind → one, several
    "units": ("unit", "units"),
    "profiles": ("profile", "profiles"),
    "structures": ("structure", "structures"),
    "sheets": ("sheet", "sheets"),
    "views": ("saved view", "saved views"),
    "files": ("picture or mesh", "pictures and meshes"),
    "nodes": ("node", "nodes"),
    "outputs": ("output", "outputs"),
    "groups": ("group", "groups"),
    "gels": ("gel", "gels"),
    "verdicts": ("verdict", "verdicts"),
    "rounds": ("round of roll call", "rounds of roll call"),
    "answers": ("answer", "answers"),
    "palettes": ("palette", "palettes"),
    "looks": ("look", "looks"),
    "cue_lists": ("cue list", "cue lists"),
    "grids": ("grid of cells", "grids of cells"),
    "media": ("picture brought in", "pictures brought in"),
    "layer_sets": ("layer set", "layer sets"),
    "earlier_papers": ("earlier hang list", "earlier hang lists"),
    "beside": ("part of an MVR file", "parts of MVR files"),
}
UNIT = {
    "number": "number",
    "fixture_id": "Fixture ID",
    "name": "name",
    "profile": "profile",
    "mode": "mode",
    "patch": "address",
    "hangs_on": "position",
    "purpose": "purpose",
    "gel": "gel",
    "note": "note",
    "position": "place",
    "rotation": "direction",
    "limits": "limits",
    "handling": "axes and curves",
    "uuid": "UUID",
    "weight": "weight",
    "power": "power",
}
WHOLE = {"name": "title", "venue": "venue", "paper": "hang list"}
NUMBERS = 6  # this many are named


@dataclass(frozen=True)
class Told:
    """A change as a person reads it. `old` and `new` are "" where there is nothing."""

    kind: str
    thing: str
    member: str
    old: str
    new: str


# ------------------------------------------------------------ one by one


def told(found: Difference) -> list[Told]:
    """Every change, in the order of kinds."""
    return [words for _, words in told_changes(found)]


def told_changes(found: Difference) -> list[tuple[Changed, Told]]:
    """Every change with its words, but for what only programs read."""
    names = _Names(found.old, found.new)
    return [(one, names.told(one)) for one in found.changes if not _within(one)]


def _within(one: Changed) -> bool:
    """Ids things have inside, and by which others know who sends."""
    return one.member == IDS or (one.member == "sending" and not _sending_differs(one))


class _Names:
    """What things are called by people, by the newer show where it has them."""

    def __init__(self, old: Show, new: Show) -> None:
        self.old, self.new = old, new
        self._things: dict[str, dict[str, Any]] = {}

    def of(self, kind: str, key: str) -> str:
        thing = self._table(kind).get(key.rstrip("\n"))
        return name_of(thing) if thing is not None else key.replace("\n", " ").strip()

    def _table(self, kind: str) -> dict[str, Any]:
        if kind not in self._things:
            both = (*getattr(self.old, kind), *getattr(self.new, kind))
            self._things[kind] = {key_of(kind, thing): thing for thing in both}
        return self._things[kind]

    def told(self, one: Changed) -> Told:
        if not one.kind:
            member = WHOLE.get(one.member, one.member.replace("_", " "))
            return Told("show", "", member, _value(one.old), _value(one.new))
        kind = KINDS[one.kind][0]
        if not one.key and one.member == ORDER:
            return Told(kind, "", "order", "", "another order")
        if one.kind == "verdicts" or one.kind == "answers":
            thing = f"of {self.of('units', one.key.split(chr(10))[-1])}"
        else:
            thing = self.of(one.kind, one.key)
        if not one.member:
            ends = ("", "added") if one.old is NOTHING else ("removed", "")
            return Told(kind, thing, "", *ends)
        words = UNIT.get(one.member, one.member) if one.kind == "units" else one.member
        say = self._saying(one)
        old, new = ("" if x is NOTHING else say(x) for x in (one.old, one.new))
        if within := in_words(one.old, one.new, name_of, _value):
            new = within
        return Told(kind, thing, words.replace("_", " "), old, new)

    def _saying(self, one: Changed) -> Callable[[Any], str]:
        if one.kind == "units":
            if one.member == "patch":
                return lambda patch: addresses(Unit(id="", number=1, patch=patch))
            if one.member == "rotation":
                return _turned
            if one.member == "position":
                return lambda at: _metres(at) if at else "none"
            if one.member == "handling":
                return lambda handling: handling_words(handling) or "plain"
            if one.member == "limits":
                return self._limits(one.key)
        if one.member == "units" and one.kind == "groups":
            return lambda ids: ", ".join(self.of("units", u) for u in ids)
        if one.kind == "structures" and one.member in ("position", "size"):
            return _metres
        return _value

    def _limits(self, key: str) -> Callable[[Any], str]:
        unit = self._table("units").get(key)
        profiles = profiles_of(self.new)

        def say(limits: Any) -> str:
            from msgspec.structs import replace

            words = limits_in_words(replace(unit, limits=limits), profiles) if unit else ""
            return words or "none"

        return say


@dataclass(frozen=True)
class ToldConflict:
    """A conflict as a person reads it: what it is about, and the three values."""

    what: str
    base: str
    mine: str
    theirs: str


def told_conflict(made: Merged, one: Conflict) -> ToldConflict:
    names = _Names(made.base, made.show)
    first = (one.mine or one.theirs)[0]
    about = names.told(first)
    member = about.member if one.place[2] else ""
    what = " ".join(x for x in (about.kind, about.thing, member) if x)

    def side(changes: Sequence[Changed]) -> str:
        each = [names.told(c) for c in changes]
        if one.place[2]:
            return each[0].new if each else about.old
        return ", ".join(f"{x.member} {x.new}" if x.member else x.new or x.old for x in each)

    base = about.old if one.place[2] else "there" if first.old is not NOTHING else "not there"
    return ToldConflict(what, base, side(one.mine), side(one.theirs))


def listing(show: Show) -> list[str]:
    """Everything a show says, a line each: for programs that compare lines."""
    names = _Names(Show(), show)
    lines = []
    for member in ("name", "venue"):
        lines.append(f"{WHOLE[member]}: {getattr(show, member)}")
    for kind, (one, _) in KINDS.items():
        for thing in getattr(show, kind):
            key = key_of(kind, thing)
            about = names.told(Changed(kind, key, "", NOTHING, thing))
            lines.append(f"{one} {about.thing}")
            for member in thing.__struct_fields__:
                value = getattr(thing, member)
                if member in ("id", "number", "name", "extra", "data") or not value:
                    continue
                said = names.told(Changed(kind, key, member, NOTHING, value))
                lines.append(f"{one} {said.thing}: {said.member} {said.new}")
    return lines


def name_of(thing: Any) -> str:
    """`203 Front wash 3`, `Front truss`: number and name, or whatever it has."""
    if isinstance(thing, Output):
        return f"universe {thing.universe}"
    number, name = getattr(thing, "number", None), getattr(thing, "name", "")
    number = f"{number:g}" if isinstance(number, float) else number
    if name or number is not None:
        return " ".join(str(part) for part in (number, name) if part not in (None, ""))
    for member in ("key", "code", "title", "kind"):
        if value := getattr(thing, member, ""):
            return str(value)
    return ""


def _value(value: Any) -> str:
    if value is None or value is NOTHING or value == "" or value == ():
        return "none"
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, float):
        return f"{value:g}"
    if isinstance(value, (str, int)):
        return str(value)
    if isinstance(value, bytes):
        return f"{len(value)} bytes"
    if isinstance(value, tuple) and all(isinstance(x, (int, float, str)) for x in value):
        return ", ".join(_value(x) for x in value)
    if isinstance(value, (tuple, dict)):
        return f"{len(value)} of them"
    return name_of(value) or "another"


def _metres(at: Sequence[float]) -> str:
    return ", ".join(f"{x:.2f}" for x in at) + " m"


def _turned(rotation: Sequence[float]) -> str:
    """As an angle about an axis: what a quaternion is."""
    w, *axis = rotation
    size = math.hypot(*axis)
    angle = math.degrees(2 * math.atan2(size, w))
    if size < 1e-9:
        return "as it stands"
    along = ", ".join(f"{x / size:.2f}" for x in axis)
    return f"{angle:.1f}° about {along}"


# ------------------------------------------------------------ in a few sentences


def differences(old: Show, new: Show) -> list[str]:
    """What is other in `new`, one sentence each; empty when they are alike."""
    return sentences(difference(old, new))


def sentences(found: Difference) -> list[str]:
    """All of it by kind."""
    lines: list[str] = []
    by_kind: dict[str, list[Changed]] = {}
    for one in found.changes:
        by_kind.setdefault(one.kind, []).append(one)
    for one in by_kind.get("", ()):
        if one.member == "sending":
            if _sending_differs(one):
                lines.append("Rates or names of what the show sends are others.")
        elif one.member in WHOLE:
            was = f"not “{one.old}”" if one.old else "where there was none"
            lines.append(
                f"The {WHOLE[one.member]} is “{one.new}”, {was}."
                if isinstance(one.new, str)
                else f"The {WHOLE[one.member]} is another."
            )
    for kind in KINDS:
        if kind in by_kind:
            lines += _of_kind(found, kind, by_kind[kind])
    return lines


def first_sentences(lines: Sequence[str], most: int) -> str:
    """So many of them, and how many more there are."""
    more = f" And {len(lines) - most} more." if len(lines) > most else ""
    return " ".join(lines[:most]) + more


def _sending_differs(one: Changed) -> bool:
    from msgspec.structs import replace

    return replace(one.old, cid="") != replace(one.new, cid="")


def _of_kind(found: Difference, kind: str, changes: list[Changed]) -> list[str]:
    """What was added, removed and changed among the things of one kind."""
    one, many = KINDS[kind]
    things = {key_of(kind, x): x for x in getattr(found.new, kind)}
    lines = [
        f"{_count(some, one, many)} {words}{_which(some)}."
        for words, some in (
            ("added", [c.new for c in changes if not c.member and c.old is NOTHING]),
            ("removed", [c.old for c in changes if not c.member and c.new is NOTHING]),
        )
        if some
    ]
    members: dict[str, list[str]] = {}
    for c in changes:
        if c.member and c.key:
            members.setdefault(c.member, []).append(c.key)
    if kind == "units":
        lines += _units(things, members)
    elif members:
        keys = list(dict.fromkeys(key for mine in members.values() for key in mine))
        lines.append(f"{_count(keys, one, many)} changed.")
    return lines or [f"The {many} are in another order."]


def _units(things: dict[str, Any], members: dict[str, list[str]]) -> list[str]:
    lines = []
    for member, words in UNIT.items():
        if member in members:
            units = [things[key] for key in members[member] if key in things]
            verb = "has" if len(units) == 1 else "have"
            article = "other" if words in ("limits", "axes and curves") else "another"
            lines.append(
                f"{_count(units, 'unit', 'units')} {verb} {article} {words}{_which(units)}."
            )
    told_of = {key for member in UNIT for key in members.get(member, ())}
    left = {key for mine in members.values() for key in mine} - told_of
    if left:
        lines.append(f"{_count(left, 'unit', 'units')} changed otherwise.")
    return lines


def contents(show: Show) -> list[str]:
    """What a show holds, one sentence a kind, where there is nothing to hold it against."""
    return [
        f"{_count(things, one, many)}."
        for kind, (one, many) in KINDS.items()
        if (things := getattr(show, kind))
    ]


def _count(things: Any, one: str, many: str) -> str:
    return f"{len(things)} {one if len(things) == 1 else many}"


def _which(things: Iterable[Any]) -> str:
    """Numbers or names of a few."""
    names = [
        str(n)
        for x in things
        if (n := getattr(x, "number", None) or getattr(x, "name", "") or getattr(x, "key", ""))
    ]
    return f" ({', '.join(names)})" if 0 < len(names) <= NUMBERS else ""
