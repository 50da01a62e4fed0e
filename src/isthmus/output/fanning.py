"""What can be fanned over a selection: places in space, and every live value its units have."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from msgspec.structs import replace
from numpy.typing import NDArray

from isthmus.errors import EntryFault
from isthmus.layout.place import put_units
from isthmus.output.live import Asked, Live
from isthmus.patch.edits import change_units
from isthmus.profiles.attributes import plain
from isthmus.profiles.natural import in_degrees, level_for
from isthmus.show.records import Show, Unit
from isthmus.stage.mount import leaned, turned

PLACED = {"x": "across x", "y": "upstage y", "z": "height z", "turn": "turn", "lean": "lean"}


@dataclass(frozen=True)
class Fannable:
    """`key` is one of PLACED or an attribute; its words, and the unit its figures are typed in (m,
    ° or %).
    """

    key: str
    words: str
    unit: str
    live: bool


def fannables(live: Live, ids: Sequence[str]) -> list[Fannable]:
    """What the units of a selection have to fan, places first, then live values in their order."""
    found = [
        Fannable(k, words, "°" if k in ("turn", "lean") else "m", False)
        for k, words in PLACED.items()
    ]
    seen: set[str] = set()
    for unit in ids:
        program = live.program(unit)
        for item in program.chart.channels if program else ():
            if item.attribute and item.slots and item.attribute not in seen:
                seen.add(item.attribute)
                found.append(
                    Fannable(
                        item.attribute,
                        plain(item.attribute),
                        "°" if in_degrees(item) else "%",
                        True,
                    )
                )
    return found


def fan_live(live: Live, ids: Sequence[str], attribute: str, values: NDArray) -> Asked:
    """Levels for an attribute: degrees where people say degrees, else percent. Units without it are
    passed over.
    """
    wanted: Asked = {}
    for unit, value in zip(ids, values, strict=True):
        program = live.program(unit)
        for item in program.chart.channels if program else ():
            if item.attribute == attribute:
                level = level_for(item, float(value)) if in_degrees(item) else float(value) / 100
                wanted[(unit, item.cell, attribute)] = min(1.0, max(0.0, level))
    if not wanted:
        raise EntryFault(f"No selected unit has {plain(attribute)}.")
    return wanted


def fan_placed(show: Show, ids: Sequence[str], key: str, values: NDArray) -> Show:
    """Fan places or turns, metres or degrees. Units without a place or with a locked one stay."""
    by_id = {unit: float(value) for unit, value in zip(ids, values, strict=True)}
    movable = {
        u.id: u for u in show.units if u.id in by_id and u.position is not None and not u.pinned
    }
    if key in ("x", "y", "z"):
        axis = "xyz".index(key)

        def place(unit: Unit) -> tuple[float, float, float]:
            at = list(unit.position or (0.0, 0.0, 0.0))
            at[axis] = by_id[unit.id]
            return at[0], at[1], at[2]

        return put_units(show, {u.id: place(u) for u in movable.values()})
    change = turned if key == "turn" else leaned
    return change_units(
        show, movable, lambda unit: replace(unit, rotation=change(unit.rotation, by_id[unit.id]))
    )
