"""What a unit does when it is called, by its profile: light, colour, movement, beam, its cells; and
what should be seen.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Collection, Iterable, Sequence
from dataclasses import dataclass

from isthmus.check.safe import safe_level
from isthmus.output.compile import Key
from isthmus.output.live import Asked, highlight
from isthmus.plural import many
from isthmus.profiles.attributes import plain
from isthmus.profiles.chart import ChartChannel
from isthmus.profiles.heads import AXES, Head, heads_of
from isthmus.profiles.light import LightProgram
from isthmus.profiles.masters import waits_for
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


Pick = tuple[ChartChannel, float, ChannelFunction | None]  # a level, and the function it is of


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
        safe = safe_level(program, item, value) if item else value
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
    return (
        _emitters(program, unit, lit) or _filters(program, unit, lit) or _wheel(program, unit, lit)
    )


class _Wishes:
    """What a unit is wished while it is lit, with the channels along that must stand elsewhere for
    it to count (mode masters); None where that is not safe.
    """

    def __init__(self, program: LightProgram, unit: Unit, lit: Asked) -> None:
        self._program, self._unit, self.lit = program, unit, lit

    def key(self, item: ChartChannel) -> Key:
        return self._unit.id, item.cell, item.attribute

    def freed(self, item: ChartChannel, function: ChannelFunction | None) -> Asked | None:
        """What brings a function in force; {} when it is."""
        waits = waits_for(self._program.chart, function, item.cell) if function else None
        if waits is None:
            return {}
        master = waits.master
        at = round(self.lit.get(self.key(master), master.default_level) * master.top)
        if waits.holds(at):
            return {}
        level = min(max(at, waits.low), waits.high) / master.top
        safe = safe_level(self._program, master, level) == level
        return {self.key(master): level} if safe else None

    def at(self, picks: Iterable[Pick]) -> Asked | None:
        """Several channels at a level each."""
        wish = dict(self.lit)
        for item, level, function in picks:
            free = self.freed(item, function)
            if free is None or safe_level(self._program, item, level) != level:
                return None
            wish |= free | {self.key(item): level}
        return wish


def _emitters(program: LightProgram, unit: Unit, lit: Asked) -> Act | None:
    found = [c for c in program.chart.channels if c.attribute.startswith("ColorAdd_")]
    names = list(dict.fromkeys(c.attribute for c in found))
    if len(names) < 2:
        return None
    wishes = _Wishes(program, unit, lit)
    bright = {key: value for key, value in lit.items() if key[2] in names}
    top = max(bright.values(), default=1.0) or 1.0
    phases = []
    for name in names[:8]:
        picks = [(c, top, _own(c)) for c in found if c.attribute == name]
        dark = {key: 0.0 for key in bright if key[2] != name}
        wish = wishes.at(picks)
        phases += [wish | dark] if wish is not None else []
    words = f"{_listed(colour_name(n) for n in names[:8])} in turn."
    return Act(COLOUR, words.capitalize(), tuple(phases)) if phases else None


def _filters(program: LightProgram, unit: Unit, lit: Asked) -> Act | None:
    words = {"ColorSub_C": "cyan", "ColorSub_M": "magenta", "ColorSub_Y": "yellow"}
    subs = [c for c in program.chart.channels if c.attribute in words]
    order = [name for name in words if any(c.attribute == name for c in subs)]
    wishes = _Wishes(program, unit, lit)
    turns = ([(c, float(c.attribute == name), _own(c)) for c in subs] for name in order)
    phases = tuple(wish for picks in turns if (wish := wishes.at(picks)) is not None)
    said = f"{_listed(words[n] for n in order)} in turn.".capitalize()
    return Act(COLOUR, said, phases) if phases else None


def _wheel(program: LightProgram, unit: Unit, lit: Asked) -> Act | None:
    wishes = _Wishes(program, unit, lit)
    for name, items in _by_attribute(program).items():
        slots = [program.wheel_slots(name, c.cell) for c in items if name.startswith("Color")]
        turns = (
            [(c, value / c.top, f) for c, (value, _, f) in zip(items, turn, strict=True)]
            for turn in list(zip(*slots, strict=False))[:6]
        )
        phases = tuple(wish for picks in turns if (wish := wishes.at(picks)) is not None)
        if phases:
            return Act(COLOUR, f"The first {len(phases)} colours of its wheel in turn.", phases)
    return None


def _by_attribute(program: LightProgram) -> dict[str, list[ChartChannel]]:
    """The channels of each attribute, one for each head or cell, in the order of the chart."""
    found: dict[str, list[ChartChannel]] = {}
    for c in program.chart.channels:
        if c.slots:
            found.setdefault(c.attribute, []).append(c)
    return found


def _own(item: ChartChannel) -> ChannelFunction | None:
    """The function that does what the channel is named after."""
    return next((f for f in item.functions if f.attribute == item.attribute), None)


def colour_name(attribute: str) -> str:
    """What the light of an emitter is called: `red` of ColorAdd_R."""
    return _BY_LETTER.get(attribute[len("ColorAdd_") :], plain(attribute))


def _movement(program: LightProgram, unit: Unit, lit: Asked) -> Act | None:
    """A box about home, a side at a time: every leg is of one axis alone. Several heads take turns,
    each from home out by its axes one by one.
    """
    heads = [h for h in heads_of(program) if any(h.axes.values())]
    if len(heads) > 1:
        return _heads_in_turn(unit, heads, lit)
    pan, tilt = (
        next((c for c in program.chart.channels if c.attribute == name), None) for name in AXES
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
    words = _MOVES[pan is not None, tilt is not None]
    return Act(MOVEMENT, f"{words}, and ends at home.", tuple(phases))


_MOVES = {
    (True, True): "It swings to one side, nods, swings through home to the other side, comes back",
    (True, False): "It swings to one side, then to the other",
    (False, True): "It nods up, then down",
}


def _heads_in_turn(unit: Unit, heads: Sequence[Head], lit: Asked) -> Act:
    """An axis that heads share turns once, before them."""
    uses = Counter(id(item) for head in heads for item in head.axes.values() if item)
    turns: dict[int, list[ChartChannel]] = {}  # whose turn it is: what it moves, one by one
    for head in heads:
        for item in filter(None, head.axes.values()):
            whose = -1 if uses[id(item)] > 1 else head.nth
            turns.setdefault(whose, [])
            if item not in turns[whose]:
                turns[whose].append(item)
    phases = []
    for whose in sorted(turns):
        wish = dict(lit)
        for item in turns[whose]:
            by = SWING if item.attribute == "Pan" else NOD
            low, home, high = _reach(item, unit, by)
            far = high if high - home >= home - low else low
            wish = wish | {(unit.id, item.cell, item.attribute): level_for(item, far)}
            phases.append(wish)
    words = (
        f"Its {many(len(heads), 'head')} one by one, from the first to the last: each "
        "turns and comes back; all end at home."
    )
    return Act(MOVEMENT, words, (*phases[: MOST_PHASES - 1], lit))


def _reach(item: ChartChannel, unit: Unit, by: float) -> tuple[float, float, float]:
    """(low, home, high) degrees about home, within the unit's limits and the channel's ends."""
    home = physical_for(item, item.default_level)
    limit = next((x for x in unit.limits if x.attribute == item.attribute), None)
    ends = sorted(physical_for(item, x) for x in ((limit.low, limit.high) if limit else (0.0, 1.0)))
    home = min(max(home, ends[0]), ends[1])
    return max(home - by, ends[0]), home, min(home + by, ends[1])


def _beam(program: LightProgram, unit: Unit, lit: Asked) -> Act | None:
    """What shapes the beam; several heads do it together."""
    phases, words = [], []
    wishes = _Wishes(program, unit, lit)
    for name, items in _by_attribute(program).items():
        if name not in _SHOWN:
            continue
        shown = [_SHOWN[name](item) for item in items]
        words += [shown[0][1]] if shown[0][1] else []
        for turn in zip(*(picks for picks, _ in shown), strict=False):
            wish = wishes.at((item, *pick) for item, pick in zip(items, turn, strict=True))
            phases += [wish] if wish is not None else []
    return Act(BEAM, f"It {_listed(words)}.", (*phases, lit)) if phases else None


Shown = tuple[Sequence[tuple[float, ChannelFunction | None]], str]


def _ends(item: ChartChannel, words: str) -> Shown:
    return [(0.0, _own(item)), (1.0, _own(item))], words


def _gobos(item: ChartChannel) -> Shown:
    """The first two gobos of its wheel."""
    functions = [f for f in item.functions if f.wheel and f.attribute == "Gobo1"]
    picks = [(s.dmx_from / item.top, f) for f in functions for s in f.sets if s.wheel_slot > 1][:2]
    return picks, f"shows {'two gobos' if len(picks) == 2 else 'a gobo'}" if picks else ""


def _shut(item: ChartChannel) -> Shown:
    shut = [f for f in item.functions if f.attribute == "Shutter1" and f.physical_from < 0.5]
    return ([(shut[0].dmx_from / item.top, shut[0])], "shuts and opens again") if shut else ([], "")


# what is done with a channel of the beam: the levels with the functions they are of, and what is
# seen then
_SHOWN: dict[str, Callable[[ChartChannel], Shown]] = {
    "Zoom": lambda item: _ends(item, "zooms narrow and wide"),
    "Iris": lambda item: _ends(item, "closes and opens its iris"),
    "Gobo1": _gobos,
    "Shutter1": _shut,
}


def _cells(program: LightProgram, unit: Unit, lit: Asked) -> Act | None:
    """Each cell alone, with the light of what holds it: a lens within a head needs the head's."""
    own = [
        (c.cell, (unit.id, c.cell, c.attribute))
        for c in program.chart.channels
        if c.cell and _lights(c)
    ]
    lit_cells = {cell for cell, _ in own}
    around = {beam.cell: beam.around for beam in program.assembly.beams}
    cells = sorted(around.keys() & lit_cells) or sorted(lit_cells)
    if len(cells) < 2:
        return None
    phases = tuple(
        lit
        | {key: lit.get(key, 1.0) if cell in around.get(at, (at,)) else 0.0 for cell, key in own}
        for at in cells[:MOST_PHASES]
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
