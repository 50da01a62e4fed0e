"""What a thing of theirs becomes in our show: under ids, numbers and names that are free, or in the
place of one of ours.
"""

from __future__ import annotations

from typing import Any

from msgspec.structs import replace

from isthmus.compare.references import KEYS, key_of
from isthmus.show.records import Show, new_id

NUMBERED = ("units", "palettes", "looks", "cue_lists", "grids", "layer_sets")


def called(kind: str, thing: Any, mine: Any) -> Any:
    """The thing under what ours is known by."""
    return replace(thing, **{part: getattr(mine, part) for part in KEYS[kind]})


class Free:
    """Ids, numbers and names that are free in our show."""

    def __init__(self, show: Show) -> None:
        self.keys = {kind: {key_of(kind, x) for x in getattr(show, kind)} for kind in KEYS}
        self.numbers = {kind: {series(x): x for x in getattr(show, kind)} for kind in NUMBERED}
        self.names = {
            kind: {x.name for x in getattr(show, kind)} for kind in ("groups", "views", "files")
        }

    def another(self, kind: str, thing: Any) -> Any:
        changed: dict[str, Any] = {}
        [first, *_] = KEYS[kind]
        if first == "id" and key_of(kind, thing) in self.keys[kind]:
            changed["id"] = new_id()
        if kind in self.numbers and series(thing) in self.numbers[kind]:
            changed["number"] = self._number(kind, thing)
        if kind in self.names:
            changed["name"] = self._name(kind, thing.name)
        if kind == "cue_lists" and changed.get("id"):
            changed["cues"] = tuple(replace(cue, id=new_id()) for cue in thing.cues)
        made = replace(thing, **changed) if changed else thing
        self._take(kind, made)
        return made

    def in_place_of(self, kind: str, thing: Any, mine: Any) -> Any:
        """Theirs under our id; under our number too, where theirs is another's."""
        made = called(kind, thing, mine)
        if kind in self.numbers and self.numbers[kind].get(series(made), mine) is not mine:
            made = replace(made, number=mine.number)
        self._take(kind, made)
        return made

    def _take(self, kind: str, thing: Any) -> None:
        self.keys[kind].add(key_of(kind, thing))
        if kind in self.numbers:
            self.numbers[kind][series(thing)] = thing

    def _number(self, kind: str, thing: Any) -> int:
        """The next that is free behind it."""
        number = thing.number
        while series(replace(thing, number=number)) in self.numbers[kind]:
            number += 1
        return number

    def _name(self, kind: str, name: str) -> str:
        made, count = name, 1
        while made in self.names[kind]:
            count += 1
            made = f"{name} {count}"
        self.names[kind].add(made)
        return made


def series(thing: Any) -> tuple[Any, ...]:
    """A number among those it must differ from: palettes have a series for each kind."""
    return getattr(thing, "kind", ""), thing.number
