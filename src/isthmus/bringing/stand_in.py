"""Who of ours stands for a unit of theirs in what comes without its rig, such as looks."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np

from isthmus.show.records import Show, Unit


@dataclass(frozen=True)
class StandIn:
    """`ours` is "" where none does; `by` says what they have in common."""

    theirs: str
    ours: str
    by: str


def stand_ins(show: Show, other: Show, wanted: Iterable[str]) -> list[StandIn]:
    """For each of these units of the other show: the one of ours with its number and type, else the
    nearest of its type, as a whole, else the one with its number. Each of ours once.
    """
    names = set(wanted)
    left = [unit for unit in other.units if unit.id in names]
    free = {unit.id: unit for unit in show.units}
    found: dict[str, StandIn] = {}

    def take(unit: Unit, mine: str, by: str) -> None:
        found[unit.id] = StandIn(unit.id, mine, by)
        free.pop(mine, None)

    by_number = {unit.number: unit for unit in show.units}
    for unit in left:
        mine = by_number.get(unit.number)
        if mine is not None and mine.id in free and mine.profile == unit.profile:
            take(unit, mine.id, "number and type")
    types = dict.fromkeys(unit.profile for unit in left if unit.id not in found)
    for profile in types:
        a = [u for u in left if u.id not in found and u.profile == profile and u.position]
        b = [u for u in free.values() if u.profile == profile and u.position]
        for unit, mine in _nearest(a, b):
            take(unit, mine.id, "type and place")
    for unit in left:
        mine = by_number.get(unit.number)
        if unit.id not in found and mine is not None and mine.id in free:
            take(unit, mine.id, "number")
    return [found.get(unit.id) or StandIn(unit.id, "", "") for unit in left]


def _nearest(a: list[Unit], b: list[Unit]) -> list[tuple[Unit, Unit]]:
    """Pairs with the smallest sum of distances."""
    if not a or not b:
        return []
    from scipy.optimize import linear_sum_assignment

    here, there = (np.array([u.position for u in units], np.float64) for units in (a, b))
    apart = np.linalg.norm(here[:, None] - there[None, :], axis=2)
    rows, columns = linear_sum_assignment(apart)
    return [(a[i], b[j]) for i, j in zip(rows.tolist(), columns.tolist(), strict=True)]
