"""What comes, in words."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from isthmus.bringing.plan import ALIKE, NEW, Coming
from isthmus.compare.words import KINDS, name_of
from isthmus.patch.cells import addresses
from isthmus.show.records import Unit


@dataclass(frozen=True)
class Told:
    """`thing` is theirs, `becomes` what it is with us then, `mine` what of ours it meets."""

    kind: str
    thing: str
    becomes: str
    why: str
    mine: str


def told(one: Coming) -> Told:
    kind = KINDS[one.kind][0]
    thing = f"{kind} {name_of(one.theirs)}".strip()
    mine = _said(one.mine) if one.clashes else ""
    return Told(kind, thing, _becomes(one), one.why, mine)


def _becomes(one: Coming) -> str:
    if one.how == ALIKE:
        return "there already"
    if one.how == "mine":
        return f"ours stays: {_said(one.mine)}"
    if one.how == "levels":
        return f"its levels in {_said(one.mine)}"
    words = _said(one.thing) if one.thing is not None else "nothing"
    if one.how == "theirs":
        return f"in the place of {name_of(one.mine)}: {words}"
    return words if one.how == NEW else f"under another number: {words}"


def _said(thing: Any) -> str:
    """Name, and of a unit its address."""
    name = name_of(thing)
    if isinstance(thing, Unit) and thing.patch:
        return f"{name} at {addresses(thing)}"
    return name
