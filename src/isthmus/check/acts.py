"""What a unit does when it is called, by its profile: light, colour, movement, beam, its cells; and
what should be seen.
"""

from __future__ import annotations

from collections.abc import Callable, Collection
from dataclasses import dataclass

from isthmus.check.safe import safe_level
from isthmus.output.live import Asked, highlight
from isthmus.plural import many
from isthmus.profiles.attributes import plain
from isthmus.profiles.chart import ChartChannel
from isthmus.profiles.light import LightProgram
from isthmus.profiles.natural import level_for, physical_for
from isthmus.profiles.records import ChannelFunction
from isthmus.show.records import Unit

LIGHT, COLOUR, MOVEMENT, BEAM, CELLS = KINDS = ("light", "colour", "movement", "beam", "cells")
SECONDS = {LIGHT: 1.0, COLOUR: 0.8, MOVEMENT: 1.2, BEAM: 1.0, CELLS: 0.3}  # a phase
SWING, NOD = 40.0, 25.0  # degrees each side of home
MOST_PHASES = 64
_BY_LETTER = {
    "R": "red",
    "G": "green",
    "B": "blue",
    "W": "white",
    "A": "amber",
    "RY": "amber",
    "C": "cyan",
    "UV": "violet",
    "Y": "yellow",
}


@dataclass(frozen=True)
class Act:
    """One thing a unit does: its phases in turn, each a whole wish for the unit, and the sentence
    beside it.
    """

    kind: str
    words: str
    phases: tuple[Asked, ...]

    @property
    def seconds(self) -> float:
        return SECONDS[self.kind]


def acts_of(
    program: LightProgram, unit: Unit, level: float = 1.0, kinds: Collection[str] = KINDS
) -> tuple[Act, ...]:
    """The acts of one unit, light first. Movements stay within its limits; dangerous ranges are
    never entered.
    """
    lit = _safe(program, highlight(program, unit.id, level))
    found = [_light(program, lit, level)]
    makers = {COLOUR: _colour, MOVEMENT: _movement, BEAM: _beam, CELLS: _cells}
    for kind, make in makers.items():
        act = make(program, unit, lit) if kind in kinds else None
        if act:
            found.append(act)
    return tuple(found)


def _safe(program: LightProgram, asked: Asked) -> Asked:
    items = {(c.cell, c.attribute): c for c in program.chart.channels}
    out: Asked = {}
    for (unit, cell, attribute), value in asked.items():
        item = items.get((cell, attribute))
        safe = safe_level(item, value) if item else value
        out[(unit, cell, attribute)] = (
            (item.default_level if item else value) if safe is None else safe
        )
    return out


def _light(program: LightProgram, lit: Asked, level: float) -> Act:
    beams = len(program.assembly.beams)
    if not beams:
        return Act(LIGHT, "This unit gives no light: watch for its own work, such as haze.", (lit,))
    cells = f" in all {beams} cells" if beams > 1 else ""
    home = (
        ", pointing home"
        if any(c.attribute in ("Pan", "Tilt") for c in program.chart.channels)
        else ""
    )
    return Act(
        LIGHT,
        f"One unit lit{cells}, open and white, at {100 * level:.0f} %{home}; nothing else changes.",
        (lit,),
    )


def _colour(program: LightProgram, unit: Unit, lit: Asked) -> Act | None:
    """Its colours in turn: of its emitters, else of its filters, else of its wheel."""
    return _emitters(program, lit) or _filters(program, unit, lit) or _wheel(program, unit, lit)


def _emitters(program: LightProgram, lit: Asked) -> Act | None:
    found = (c.attribute for c in program.chart.channels)
    names = list(dict.fromkeys(a for a in found if a.startswith("ColorAdd_")))
    if len(names) < 2:
        return None
    bright = {key: value for key, value in lit.items() if key[2] in names}
    top = max(bright.values(), default=1.0) or 1.0
    phases = tuple(
        lit | {key: top if key[2] == name else 0.0 for key in bright} for name in names[:8]
    )
    words = f"{_listed(_colour_name(n) for n in names[:8])} in turn."
    return Act(COLOUR, words.capitalize(), phases)


def _filters(program: LightProgram, unit: Unit, lit: Asked) -> Act | None:
    words = {"ColorSub_C": "cyan", "ColorSub_M": "magenta", "ColorSub_Y": "yellow"}
    subs = [c for c in program.chart.channels if c.attribute in words]
    order = [name for name in words if any(c.attribute == name for c in subs)]
    if not subs:
        return None
    phases = tuple(
        lit | {(unit.id, c.cell, c.attribute): float(c.attribute == name) for c in subs}
        for name in order
    )
    return Act(COLOUR, f"{_listed(words[n] for n in order)} in turn.".capitalize(), phases)


def _wheel(program: LightProgram, unit: Unit, lit: Asked) -> Act | None:
    for c in program.chart.channels:
        slots = program.wheel_slots(c.attribute) if c.attribute.startswith("Color") else []
        if slots:
            levels = [value / c.top for value, _ in slots[:6]]
            safe = [level for level in levels if safe_level(c, level) == level]
            phases = tuple(lit | {(unit.id, c.cell, c.attribute): level} for level in safe)
            words = f"The first {len(phases)} colours of its wheel in turn."
            return Act(COLOUR, words, phases) if phases else None
    return None


def _colour_name(attribute: str) -> str:
    return _BY_LETTER.get(attribute[len("ColorAdd_") :], plain(attribute))


def _movement(program: LightProgram, unit: Unit, lit: Asked) -> Act | None:
    """A box about home, a side at a time: every leg is of one axis alone."""
    pan, tilt = (
        next((c for c in program.chart.channels if c.attribute == name), None)
        for name in ("Pan", "Tilt")
    )
    corners = (
        [(1, 0), (1, 1), (-1, 1), (-1, 0), (0, 0)] if pan and tilt else [(1, 1), (-1, -1), (0, 0)]
    )
    ends = [(c, _reach(c, unit, by)) for c, by in ((pan, SWING), (tilt, NOD)) if c is not None]
    if not ends:
        return None
    phases = []
    for corner in corners:
        wish = dict(lit)
        for (item, (low, home, high)), side in zip(
            ends, corner if len(ends) == 2 else corner[:1], strict=True
        ):
            wish[(unit.id, item.cell, item.attribute)] = level_for(
                item, (low, home, high)[side + 1]
            )
        phases.append(wish)
    words = {
        (
            True,
            True,
        ): "It swings to one side, nods, swings through home to the other side, comes back",
        (True, False): "It swings to one side, then to the other",
        (False, True): "It nods up, then down",
    }[pan is not None, tilt is not None]
    return Act(MOVEMENT, f"{words}, and ends at home.", tuple(phases))


def _reach(item: ChartChannel, unit: Unit, by: float) -> tuple[float, float, float]:
    """(low, home, high) degrees about home, within the unit's limits and the channel's ends."""
    home = physical_for(item, item.default_level)
    limit = next((x for x in unit.limits if x.attribute == item.attribute), None)
    ends = sorted(physical_for(item, x) for x in ((limit.low, limit.high) if limit else (0.0, 1.0)))
    home = min(max(home, ends[0]), ends[1])
    return max(home - by, ends[0]), home, min(home + by, ends[1])


def _beam(program: LightProgram, unit: Unit, lit: Asked) -> Act | None:
    phases, words = [], []
    for item in program.chart.channels:
        if item.cell or item.attribute not in _SHOWN:
            continue
        wished, does = _SHOWN[item.attribute](item)
        words += [does] if does else []
        key = unit.id, item.cell, item.attribute
        phases += [lit | {key: value} for value in wished if safe_level(item, value) == value]
    return Act(BEAM, f"It {_listed(words)}.", (*phases, lit)) if phases else None


def _functions(item: ChartChannel) -> list[ChannelFunction]:
    return [f for logical in item.channel.logical for f in logical.functions]


def _gobos(item: ChartChannel) -> tuple[list[float], str]:
    """The first two gobos of its wheel."""
    functions = [f for f in _functions(item) if f.wheel and f.attribute == "Gobo1"]
    picks = [s.dmx_from / item.top for f in functions for s in f.sets if s.wheel_slot > 1][:2]
    return picks, f"shows {'two gobos' if len(picks) == 2 else 'a gobo'}" if picks else ""


def _shut(item: ChartChannel) -> tuple[list[float], str]:
    shut = [f for f in _functions(item) if f.attribute == "Shutter1" and f.physical_from < 0.5]
    return ([shut[0].dmx_from / item.top], "shuts and opens again") if shut else ([], "")


# what is done with a channel of the beam: the levels, and what is seen then
_SHOWN: dict[str, Callable[[ChartChannel], tuple[list[float], str]]] = {
    "Zoom": lambda item: ([0.0, 1.0], "zooms narrow and wide"),
    "Iris": lambda item: ([0.0, 1.0], "closes and opens its iris"),
    "Gobo1": _gobos,
    "Shutter1": _shut,
}


def _cells(program: LightProgram, unit: Unit, lit: Asked) -> Act | None:
    cells = sorted({c.cell for c in program.chart.channels if c.cell and _lights(c)})
    if len(cells) < 2:
        return None
    own = [
        (c.cell, (unit.id, c.cell, c.attribute))
        for c in program.chart.channels
        if c.cell and _lights(c)
    ]
    phases = tuple(
        lit | {key: lit.get(key, 1.0) if cell == at else 0.0 for at, key in own}
        for cell in cells[:MOST_PHASES]
    )
    return Act(
        CELLS, f"Its {many(len(cells), 'cell')} one by one, from the first to the last.", phases
    )


def _lights(item: ChartChannel) -> bool:
    return item.attribute == "Dimmer" or item.attribute.startswith("ColorAdd_")


def _listed(words) -> str:
    words = list(words)
    return (
        words[0] if len(words) == 1 else f"{', '.join(words[:-1])} and {words[-1]}" if words else ""
    )
