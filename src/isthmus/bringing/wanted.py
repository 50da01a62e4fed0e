"""What is wanted of another show, and how it is to come."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

from isthmus.compare.references import KEYS, key_of
from isthmus.compare.words import KINDS, name_of
from isthmus.errors import EntryFault
from isthmus.patch.choose import read_choice
from isthmus.patch.numbers import read_numbers
from isthmus.show.records import UNIVERSES, Show

Thing = tuple[str, str]  # kind, and what it is known by in the other show
LIMITS, CURVES = "limits", "curves"  # of units that are there already
PARTS = {LIMITS: "limits of units we have", CURVES: "axes and curves of units we have"}
ORDER = (*KEYS, *PARTS)
HOWS = {
    "mine": "keep mine",
    "theirs": "take theirs",
    "another": "another number",
    "levels": "levels only",
}


@dataclass(frozen=True)
class Wanted:
    """`first`: the number of the first unit that comes (None: their own numbers); `close`: without
    gaps. `addresses`: keep, off, or the universes theirs become, in order; more of theirs go on
    from the last. `clashes`: how what we
    have already is met, by thing or by kind; else ours is kept. `units`: who stands for a unit of
    theirs in looks, in place of what is proposed; "" no unit.
    """

    things: frozenset[Thing] = frozenset()
    first: int | None = None
    close: bool = False
    addresses: str | tuple[int, ...] = "keep"
    clashes: Mapping[Thing | str, str] = field(default_factory=dict)
    units: Mapping[str, str] = field(default_factory=dict)

    def how(self, thing: Thing) -> str:
        return self.clashes.get(thing) or self.clashes.get(thing[0]) or "mine"


def choose(show: Show, kind: str, text: str = "") -> list[Thing]:
    """What of a kind is called up: numbers, or words that are in its name; nothing typed is all of
    them. Units are called up as everywhere else. Raises EntryFault for what names nothing.
    """
    if kind in PARTS:
        return [(kind, "")]
    if kind not in KEYS:
        raise EntryFault(f"“{kind}” is not a kind.", do=f"Say {', '.join(ORDER)}.")
    things = getattr(show, kind)
    if not text.strip():
        return [(kind, key_of(kind, thing)) for thing in things]
    if kind == "units":
        return [(kind, unit) for unit in read_choice(show, text).ids]
    numbers: set[float] = set()
    if text.strip()[0].isdigit():
        numbers = set(read_numbers(text))
    words = text.lower().split()
    found = [
        (kind, key_of(kind, thing))
        for thing in things
        if getattr(thing, "number", None) in numbers
        or (not numbers and all(word in name_of(thing).lower() for word in words))
    ]
    if not found:
        raise EntryFault(f"None of its {KINDS[kind][1]} is “{text.strip()[:40]}”.")
    return found


def read_universes(text: str) -> tuple[int, ...]:
    """`40, 42-44`. Raises EntryFault."""
    found = tuple(read_numbers(text)) if text.strip() else ()
    if not found or not all(1 <= universe <= UNIVERSES for universe in found):
        raise EntryFault(f"Universes go from 1 to {UNIVERSES}.", do="Write 40, or 40, 42-44.")
    return found


def everything(show: Show) -> list[Thing]:
    """All that can be wanted, but for what is ours to say: verdicts and answers of its rig."""
    left = {"verdicts", "rounds", "answers", "earlier_papers"}
    return [thing for kind in KEYS if kind not in left for thing in choose(show, kind)]
