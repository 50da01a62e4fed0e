"""Making and changing cue lists and their cues. Pure edits."""

from __future__ import annotations

from collections.abc import Collection

from msgspec.structs import replace

from isthmus.errors import EntryFault
from isthmus.looks.edits import LONGEST, MOST
from isthmus.looks.programme import DIRECTIONS, in_order
from isthmus.show.records import Cue, CueList, Show, new_id

LONGEST_TIME = 3600.0
FASTEST = 1200.0  # steps a minute


def cue_list(show: Show, list_id: str) -> CueList:
    """Raises EntryFault when it is gone."""
    found = next((one for one in show.cue_lists if one.id == list_id), None)
    if found is None:
        raise EntryFault("That cue list is gone.")
    return found


def put_list(show: Show, one: CueList) -> tuple[Show, str]:
    """A new list (id "") or another in the place of the one with its id. Returns its id too."""
    number = one.number or max((o.number for o in show.cue_lists), default=0) + 1
    made = replace(
        one, id=one.id or new_id(), number=number, name=" ".join(one.name.split())[:LONGEST]
    )
    if not 1 <= number <= MOST:
        raise EntryFault(f"A cue list has a number from 1 to {MOST}.")
    if any(o.number == number and o.id != made.id for o in show.cue_lists):
        raise EntryFault(f"Cue list {number} is there already.", do="Take another number.")
    if made.direction not in DIRECTIONS:
        raise EntryFault(
            f"“{made.direction}” is not a direction.", do=f"Say {', '.join(DIRECTIONS)}."
        )
    _within(made.rate, 1.0, FASTEST, "A rate", "steps a minute")
    _within(made.crossfade, 0.0, 1.0, "A crossfade", "of a step")
    _within(made.release, 0.0, LONGEST_TIME, "A release time", "seconds")
    there = any(o.id == made.id for o in show.cue_lists)
    kept = tuple(made if o.id == made.id else o for o in show.cue_lists)
    return replace(show, cue_lists=kept if there else (*show.cue_lists, made)), made.id


def remove_list(show: Show, list_id: str) -> Show:
    return replace(show, cue_lists=tuple(o for o in show.cue_lists if o.id != list_id))


def put_cue(show: Show, list_id: str, one: Cue) -> tuple[Show, str]:
    """A new cue (id "", number 0 for one after the last) or another in the place of the one with
    its id. Returns its id too. Raises EntryFault for a number that is taken and for times that are
    none.
    """
    cues = cue_list(show, list_id)
    last = max((c.number for c in cues.cues), default=0.0)
    number = round(one.number, 2) or float(int(last) + 1)
    made = replace(
        one, id=one.id or new_id(), number=number, name=" ".join(one.name.split())[:LONGEST]
    )
    _within(number, 0.01, float(MOST), "A cue number")
    for value, what in (
        (made.up, "Up"),
        (made.down, "Down"),
        (made.move, "Move"),
        (made.delay, "A delay"),
        (made.follow, "Follow"),
    ):
        if value is not None:
            _within(value, 0.0, LONGEST_TIME, what, "seconds")
    if any(c.number == number and c.id != made.id for c in cues.cues):
        raise EntryFault(f"Cue {say_number(number)} is there already.", do="Take another number.")
    others = tuple(c for c in cues.cues if c.id != made.id)
    changed = replace(cues, cues=(*others, made))
    return put_list(show, replace(changed, cues=tuple(in_order(changed))))[0], made.id


def remove_cues(show: Show, list_id: str, ids: Collection[str]) -> Show:
    cues = cue_list(show, list_id)
    kept = tuple(c for c in cues.cues if c.id not in ids)
    return put_list(show, replace(cues, cues=kept))[0]


def say_number(number: float) -> str:
    """`2`, `2.5`, `10.05`."""
    return f"{number:.2f}".rstrip("0").rstrip(".")


def say_seconds(value: float | None) -> str:
    """`3`, `0.5`; "" for none."""
    return "" if value is None else f"{value:.2f}".rstrip("0").rstrip(".")


def read_seconds(text: str, what: str) -> float | None:
    """Seconds, or minutes and seconds as `1:30`; None for nothing. Raises EntryFault."""
    plain = text.strip().lower().removesuffix("s").strip().replace(",", ".")
    if not plain:
        return None
    minutes, _, seconds = plain.rpartition(":")
    try:
        value = float(seconds) + (60.0 * int(minutes) if minutes else 0.0)
    except ValueError:
        value = float("nan")
    if not 0 <= value <= LONGEST_TIME:
        raise EntryFault(
            f"{what}: “{text.strip()}” is not a time.", do="Write seconds, such as 3, or 1:30."
        )
    return value


def _within(value: float, low: float, high: float, what: str, unit: str = "") -> None:
    if not low <= value <= high:
        unit = f" {unit}" if unit else ""
        raise EntryFault(f"{what} lies between {low:g} and {high:g}{unit}.")
