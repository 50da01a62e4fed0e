"""Which of ours each thing of theirs would be, and which of them say the same."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from isthmus.bringing.free import called
from isthmus.bringing.needs import index_of
from isthmus.bringing.wanted import Thing, Wanted
from isthmus.compare.matching import SECOND, matched
from isthmus.compare.references import key_of, renamed
from isthmus.show.records import Show


def what_meets(
    show: Show, other: Show, why: Mapping[Thing, str], wanted: Wanted
) -> dict[Thing, Any]:
    """Which of ours each thing would be. Units with new numbers are others, unless the number is
    taken.
    """
    ours = index_of(show)
    same = matched(show, other)
    found: dict[Thing, Any] = {}
    by_number = {unit.number: unit for unit in show.units}
    numbers = {unit.id: unit.number for unit in other.units}
    for kind, key in why:
        if kind == "units" and (wanted.first is not None or ("units", key) not in ours):
            mine = by_number.get(numbers[key])
        else:
            mine = ours.get((kind, key)) or ours.get((kind, same.get(kind, {}).get(key, "")))
        if mine is not None:
            found[kind, key] = mine
    return found | _by_second(ours, other, why, found)


def _by_second(
    ours: Mapping[Thing, Any], other: Show, why: Mapping[Thing, str], found: Mapping[Thing, Any]
) -> dict[Thing, Any]:
    """What goes by a number or a name that is taken, though it is another thing by its id."""
    there = index_of(other)
    held = {(kind, key_of(kind, mine)) for (kind, _), mine in found.items()}
    named: dict[tuple[str, int, Any], list[Any]] = {}
    for place, mine in ours.items():
        for nth, second in enumerate(SECOND.get(place[0], ())):
            if place not in held:
                named.setdefault((place[0], nth, second(mine)), []).append(mine)
    more: dict[Thing, Any] = {}
    for kind, key in why:
        if (kind, key) in found or kind == "units":
            continue
        for nth, second in enumerate(SECOND.get(kind, ())):
            name = second(there[kind, key])
            left = [
                mine
                for mine in named.get((kind, nth, name), ())
                if name is not None and (kind, key_of(kind, mine)) not in held
            ]
            if left:
                more[kind, key] = left[0]
                held.add((kind, key_of(kind, left[0])))
                break
    return more


def what_is_alike(
    show: Show, other: Show, why: Mapping[Thing, str], meets: Mapping[Thing, Any]
) -> set[Thing]:
    """What says the same as the one of ours it meets, once both go by the same ids."""
    ids: dict[str, dict[str, str]] = {}
    for (kind, key), mine in meets.items():
        ids.setdefault(kind, {})[key] = key_of(kind, mine)
    there = index_of(other)
    return {
        (kind, key)
        for (kind, key), mine in meets.items()
        if renamed(called(kind, there[kind, key], mine), ids) == mine
    }
