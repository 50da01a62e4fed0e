"""What things need beside them, and why it comes."""

from __future__ import annotations

from collections import deque
from collections.abc import Iterable, Iterator
from typing import Any

from isthmus.bringing.wanted import PARTS, Thing
from isthmus.compare.references import key_of, references
from isthmus.compare.words import KINDS, name_of
from isthmus.gels.resolve import find_gels, split_gels
from isthmus.patch.groups import members
from isthmus.show.records import Group, Palette, Show, Structure, Unit

CHOSEN = "chosen"
# units of these are met by units of ours, not brought: a look is of a rig, not the rig
OF_A_RIG = {"looks", "cue_lists", "palettes", "sheets", "verdicts", "rounds", "answers"}


def index_of(show: Show) -> dict[Thing, Any]:
    """Every thing of a show by kind and what it is known by."""
    return {(kind, key_of(kind, thing)): thing for kind in KINDS for thing in getattr(show, kind)}


def closure(show: Show, chosen: Iterable[Thing]) -> dict[Thing, str]:
    """What was chosen and what it needs, each with the reason."""
    there = index_of(show)
    found = {thing: CHOSEN for thing in chosen if thing in there and thing[0] not in PARTS}
    waiting = deque((thing, thing[0] in OF_A_RIG) for thing in found)
    seen = set(waiting)
    while waiting:
        thing, of_a_rig = waiting.popleft()
        kind, _ = thing
        why = f"for {KINDS[kind][0]} {name_of(there[thing])}".rstrip()
        for need in _needs(show, kind, there[thing], of_a_rig):
            if need not in there:
                continue
            found.setdefault(need, why)
            step = need, of_a_rig or need[0] in OF_A_RIG
            if step not in seen:
                seen.add(step)
                waiting.append(step)
    return found


def _needs(show: Show, kind: str, thing: Any, of_a_rig: bool) -> Iterator[Thing]:
    for other, key in references(thing):
        if of_a_rig and other == "units":
            continue
        if isinstance(thing, Palette) and other == "profiles":
            continue  # what it is for a type is of use where that type is
        yield other, key
    if isinstance(thing, Group) and not of_a_rig:
        yield from (("units", unit) for unit in members(show, thing))
    if isinstance(thing, (Unit, Structure)) and thing.uuid:
        yield "beside", f"thing\n{thing.uuid}"
    if isinstance(thing, Unit) and thing.gel:
        for part in split_gels(thing.gel):
            for gel in find_gels(show.gels, part)[:1]:
                yield "gels", key_of("gels", gel)
