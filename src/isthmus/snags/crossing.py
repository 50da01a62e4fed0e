"""How far each unit has crossed from paper to rig, in five steps."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from isthmus.check import holds
from isthmus.profiles import profiles_of
from isthmus.routes import routed
from isthmus.show.records import Show
from isthmus.snags.records import ATTENTION, FAULT, ORDER, Snag

STEPS = ("profile", "address", "route", "place", "answered")
DONE, WAITING, LOOK, WRONG = "d", "w", "a", "f"


@dataclass(frozen=True)
class Crossing:
    """Per unit one letter a step (d done, w waiting, a look at it, f fault); per step how many are done."""

    states: dict[str, str]
    done: dict[str, int]
    total: int


def crossing(show: Show, snags: Iterable[Snag]) -> Crossing:
    """A step is done when it is reached and no fault holds it up."""
    profiles, lead = profiles_of(show), routed(show)
    held: dict[tuple[str, str], str] = {}
    for snag in sorted(snags, key=lambda s: -ORDER[s.severity]):
        if snag.step and snag.severity in (FAULT, ATTENTION):
            for unit in snag.units:
                held[unit, snag.step] = WRONG if snag.severity == FAULT else LOOK
    answered = {v.unit for v in show.verdicts if v.result == "answers" and holds(show, v)}
    states: dict[str, str] = {}
    for unit in show.units:
        reached = (
            profiles.mode_of(unit) is not None,
            bool(unit.patch),
            bool(unit.patch) and all(p.universe in lead for p in unit.patch),
            unit.position is not None,
            unit.id in answered,
        )
        states[unit.id] = "".join(_letter(ok, held.get((unit.id, step), "")) for step, ok in zip(STEPS, reached, strict=True))
    done = {step: sum(state[i] == DONE for state in states.values()) for i, step in enumerate(STEPS)}
    return Crossing(states, done, len(show.units))


def _letter(reached: bool, held: str) -> str:
    if held == WRONG:
        return WRONG
    if reached:
        return DONE
    return held or WAITING
