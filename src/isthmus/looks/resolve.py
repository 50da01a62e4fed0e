"""What a look asks of units: its lines laid over one another as wishes, and the wishes as levels.

Levels come from the profile's home and the look alone, never from what the rig happens to do: a
look is the same whenever it is called.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field

from msgspec.structs import replace

from isthmus.looks.realise import NOTHING, Short, realise, together, wish_of
from isthmus.output import Live
from isthmus.output.live import Asked
from isthmus.patch.groups import members
from isthmus.profiles.light import LightProgram
from isthmus.show.records import Look, LookLine, Palette, Show, Unit, Wish

OwnLevels = dict[str, float]  # `attribute` or `attribute/cell` → 0…1


@dataclass
class Wanted:
    """What is wished of each unit by id, and which levels have no words."""

    wishes: dict[str, Wish] = field(default_factory=dict)
    levels: dict[str, OwnLevels] = field(default_factory=dict)


class Book:
    """Units, groups and palettes of a show by id."""

    def __init__(self, show: Show) -> None:
        self.units: dict[str, Unit] = {u.id: u for u in show.units}
        self.groups = {g.id: members(show, g) for g in show.groups}
        self.palettes: dict[str, Palette] = {p.id: p for p in show.palettes}

    def units_of(self, line: LookLine) -> list[str]:
        """The units of a line that are in the show, each once, groups first."""
        named = [u for g in line.groups for u in self.groups.get(g, ())]
        return [u for u in dict.fromkeys((*named, *line.units)) if u in self.units]

    def wish(self, line: LookLine, unit: str) -> Wish:
        """What a line wishes of one of its units."""
        palettes = [self.palettes[p] for p in line.palettes if p in self.palettes]
        of_palettes = (wish_of(p, self.units[unit]) for p in reversed(palettes))
        return together(line.wish, *of_palettes)

    def wanted(self, look: Look) -> Wanted:
        """All lines of a look, the lower in front."""
        found = Wanted()
        for line in look.lines:
            for unit in self.units_of(line):
                wish = together(self.wish(line, unit), found.wishes.get(unit))
                found.wishes[unit] = wish
                if line.levels:
                    found.levels[unit] = found.levels.get(unit, {}) | line.levels
        return found


def is_intensity(program: LightProgram, attribute: str) -> bool:
    """Whether a channel is how bright a unit is: its dimmers, or its colours where it has none."""
    return attribute == "Dimmer" or (not program.has_dimmer and attribute.startswith("ColorAdd_"))


def levels_of(
    blank: Live, wanted: Wanted, units: Iterable[str] | None = None
) -> tuple[dict[str, Asked], list[Short]]:
    """Levels by unit, and who comes short. `blank` is a live state of which nothing is asked;
    it is so again afterwards.

    Of a unit without a dimmer the colours are the intensity too: it is dark unless an intensity is
    wished of it.
    """
    chosen = list(wanted.wishes) if units is None else [u for u in units if u in wanted.wishes]
    rest = {u: replace(wanted.wishes[u], intensity=None) for u in chosen}
    asked, short = realise(blank, {u: w for u, w in rest.items() if w != NOTHING})
    for unit in chosen:
        asked |= _own(blank, unit, wanted.levels.get(unit, {}))
    blank.ask(asked)
    found: dict[str, Asked] = {u: {} for u in chosen}
    for key, level in asked.items():
        found[key[0]][key] = level
    for unit in chosen:
        program = blank.program(unit)
        if program is None:
            continue
        level = wanted.wishes[unit].intensity
        mixes = not program.has_dimmer and any(is_intensity(program, k[2]) for k in found[unit])
        if level is None and mixes:
            level = 0.0
        if level is not None:
            lit = blank.wish_intensity([unit], level)
            found[unit] |= lit
            if not lit and program.assembly.beams:
                short.append(Short(unit, blank.number_of(unit), "intensity", "no dimmer"))
    blank.restore({})
    return found, short


def _own(blank: Live, unit: str, levels: Mapping[str, float]) -> Asked:
    """Levels without words, of the channels a unit has."""
    program = blank.program(unit)
    if program is None or not levels:
        return {}
    found: Asked = {}
    for item in program.chart.channels:
        level = levels.get(f"{item.attribute}/{item.cell}", levels.get(item.attribute))
        if level is not None:
            found[unit, item.cell, item.attribute] = level
    return found
