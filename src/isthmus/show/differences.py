"""How two shows differ, in sentences a person reads before choosing one of them. Things are matched
by their id.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any

from msgspec.structs import replace

from isthmus.show.records import Show

KINDS: dict[
    str, tuple[str, str, Callable[[Any], Any]]
] = {  # member → one, many, what a thing is known by
    "units": ("unit", "units", lambda x: x.id),
    "profiles": ("profile", "profiles", lambda x: x.key),
    "structures": ("structure", "structures", lambda x: x.id),
    "sheets": ("sheet", "sheets", lambda x: x.id),
    "views": ("saved view", "saved views", lambda x: x.name),
    "files": ("picture or mesh", "pictures and meshes", lambda x: x.name),
    "nodes": ("node", "nodes", lambda x: x.id),
    "outputs": ("output", "outputs", lambda x: x.id),
    "groups": ("group", "groups", lambda x: x.id),
    "gels": ("gel", "gels", lambda x: (x.book, x.code)),
    "verdicts": ("verdict", "verdicts", lambda x: x.unit),
    "rounds": ("round of roll call", "rounds of roll call", lambda x: (x.name, x.at)),
    "answers": ("answer", "answers", lambda x: (x.look, x.unit)),
    "palettes": ("palette", "palettes", lambda x: x.id),
    "looks": ("look", "looks", lambda x: x.id),
    "cue_lists": ("cue list", "cue lists", lambda x: x.id),
    "grids": ("grid of cells", "grids of cells", lambda x: x.id),
    "media": ("picture brought in", "pictures brought in", lambda x: x.id),
    "layer_sets": ("layer set", "layer sets", lambda x: x.id),
    "earlier_papers": ("earlier hang list", "earlier hang lists", lambda x: (x.title, x.revision)),
}
UNIT = {
    "number": "number",
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
}
WHOLE = {"name": "title", "venue": "venue", "paper": "hang list"}
NUMBERS = 6  # this many are named


def differences(old: Show, new: Show) -> list[str]:
    """What is other in `new`, one sentence each; empty when they are alike."""
    found = []
    for member, words in WHOLE.items():
        before, after = getattr(old, member), getattr(new, member)
        if before != after:
            was = f"not “{before}”" if before else "where there was none"
            found.append(
                f"The {words} is “{after}”, {was}."
                if isinstance(after, str)
                else f"The {words} is another."
            )
    if replace(old.sending, cid="") != replace(new.sending, cid=""):
        found.append("Rates or names of what the show sends are others.")
    for member in KINDS:
        before, after = getattr(old, member), getattr(new, member)
        if before != after:
            found += _of_kind(member, before, after)
    return found


def _of_kind(member: str, before: Sequence[Any], after: Sequence[Any]) -> list[str]:
    """What was added, removed and changed among the things of one kind."""
    one, many, key = KINDS[member]
    was, now = {key(x): x for x in before}, {key(x): x for x in after}
    found = [
        f"{_count(things, one, many)} {words}{_which(things)}."
        for words, things in (
            ("added", [x for k, x in now.items() if k not in was]),
            ("removed", [x for k, x in was.items() if k not in now]),
        )
        if things
    ]
    changed = [(was[k], x) for k, x in now.items() if k in was and was[k] != x]
    if member == "units":
        found += _units(changed)
    elif changed:
        found.append(f"{_count(changed, one, many)} changed.")
    return found or [f"The {many} are in another order."]


def contents(show: Show) -> list[str]:
    """What a show holds, one sentence a kind, where there is nothing to hold it against."""
    return [
        f"{_count(things, one, many)}."
        for member, (one, many, _) in KINDS.items()
        if (things := list(getattr(show, member)))
    ]


def _units(changed: list[tuple[Any, Any]]) -> list[str]:
    found = []
    left = set(range(len(changed)))
    for field, words in UNIT.items():
        other = [i for i, (a, b) in enumerate(changed) if getattr(a, field) != getattr(b, field)]
        left -= set(other)
        if other:
            units = [changed[i][1] for i in other]
            verb = "has" if len(units) == 1 else "have"
            article = "other" if words in ("limits", "axes and curves") else "another"
            found.append(
                f"{_count(units, 'unit', 'units')} {verb} {article} {words}{_which(units)}."
            )
    if left:
        found.append(f"{_count(list(left), 'unit', 'units')} changed otherwise.")
    return found


def _count(things: list[Any], one: str, many: str) -> str:
    return f"{len(things)} {one if len(things) == 1 else many}"


def _which(things: list[Any]) -> str:
    """Numbers or names of a few."""
    names = [
        str(n)
        for x in things
        if (n := getattr(x, "number", None) or getattr(x, "name", "") or getattr(x, "key", ""))
    ]
    return f" ({', '.join(names)})" if 0 < len(names) <= NUMBERS else ""
