"""How far each unit has crossed from paper to rig, in five steps."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from isthmus.show.records import Unit
from isthmus.snags.records import ATTENTION, FAULT, Snag

STEPS = ("profile", "address", "route", "place", "answered")
DONE, WAITING, LOOK, WRONG = "d", "w", "a", "f"


@dataclass(frozen=True)
class Crossing:
    """Per unit one letter a step (d done, w waiting, a look at it, f fault); per step how many are
    done.
    """

    states: dict[str, str]
    done: dict[str, int]
    total: int
    lead: frozenset[int] = frozenset()  # universes that led somewhere when it was made


def state_of(
    unit: Unit, profile: bool, lead: frozenset[int], answered: bool, snags: Iterable[Snag]
) -> str:
    """The letters of one unit. A step is done when it is reached and no fault holds it up."""
    held: dict[str, str] = {}
    for snag in snags:
        if snag.severity == FAULT:
            held[snag.step] = WRONG
        elif snag.severity == ATTENTION:
            held.setdefault(snag.step, LOOK)
    reached = (
        profile,
        bool(unit.patch),
        bool(unit.patch) and all(p.universe in lead for p in unit.patch),
        unit.position is not None,
        answered,
    )
    return "".join(_letter(ok, held.get(step, "")) for step, ok in zip(STEPS, reached, strict=True))


def _letter(reached: bool, held: str) -> str:
    if held == WRONG:
        return WRONG
    if reached:
        return DONE
    return held or WAITING
