"""A cue list compiled to arrays: what each of its cues asks of which parameters, and how fast.

What a cue lights is what its look lights: all else the list has lit goes out. Colour, position and
beam stay as the cues before left them. So a cue is the same whether it was walked or jumped to.
"""

from __future__ import annotations

import dataclasses
import math
from collections.abc import Sequence

import numpy as np
from msgspec.structs import replace
from numpy.typing import NDArray

from isthmus.looks.compiled import Programme, Timing
from isthmus.looks.realise import NOTHING, Short, together
from isthmus.looks.resolve import Book, Wanted, is_intensity, levels_of
from isthmus.output import Live
from isthmus.output.live import Asked
from isthmus.profiles.chart import ChartChannel
from isthmus.show.records import Cue, CueList, Show

Floats = NDArray[np.float32]
Flags = NDArray[np.bool_]
Index = NDArray[np.int64]
STEPPED = ("Shutter", "Prism", "Control", "Effects", "Macro", "Gobo", "Color")
DIRECTIONS = ("forth", "back", "to and fro")


def timing(cue: Cue) -> Timing:
    move = cue.up if cue.move is None else cue.move
    return Timing(cue.up, cue.down, move, cue.delay, math.nan if cue.follow is None else cue.follow)


def step_times(cues: CueList) -> tuple[float, Timing]:
    """Seconds a step of a chase takes, and how it fades."""
    step = 60.0 / max(cues.rate, 0.1)
    fade = step * min(1.0, max(0.0, cues.crossfade))
    return step, Timing(fade, fade, fade, 0.0, math.nan)


def in_order(cues: CueList) -> list[Cue]:
    return sorted(cues.cues, key=lambda cue: cue.number)


def highest_counts(item: ChartChannel) -> bool:
    """HTP: what follows the grand master or a group (GDTF LogicalChannel Master)."""
    logical = item.channel.logical
    return bool(logical) and logical[0].master in ("Grand", "Group")


def changes_at_once(item: ChartChannel) -> bool:
    """What its file says snaps, and what picks among ranges by name: sliding through them would
    show what no one asked for.
    """
    logical = item.channel.logical
    if logical and logical[0].snap in ("Yes", "On"):
        return True
    name = item.attribute
    if name.startswith(("ColorAdd_", "ColorSub_", "ColorRGB_")):
        return False
    return name.startswith(STEPPED) and any(f.sets for f in item.functions)


def compile_list(
    show: Show, cues: CueList, blank: Live
) -> tuple[Programme, dict[str, list[Short]]]:
    """A list over the parameters of `blank`, a live state of the show of which nothing is asked;
    and, by cue, who comes short of its look.
    """
    book, looks = Book(show), {look.id: look for look in show.looks}
    state: dict[str, Asked] = {}
    before = Wanted()
    lit: set[str] = set()
    asked: list[Asked] = []
    named: list[set[str]] = []
    short: dict[str, list[Short]] = {}
    for cue in in_order(cues):
        look = looks.get(cue.look)
        now = book.wanted(look) if look else Wanted()
        own = set(now.wishes)
        lit |= {u for u, w in now.wishes.items() if w.intensity is not None}
        _track(before, now, lit)
        changed = [
            u
            for u, wish in now.wishes.items()
            if wish != before.wishes.get(u) or now.levels.get(u) != before.levels.get(u)
        ]
        levels, lacks = levels_of(blank, now, changed)
        for unit, its in levels.items():
            state[unit] = state.get(unit, {}) | its
        short[cue.id] = [s for s in lacks if s.unit in own]
        asked.append({key: level for its in state.values() for key, level in its.items()})
        named.append(own)
        before = now
    return _with_pictures(_arrays(cues, asked, named, blank), show, cues), short


def _with_pictures(programme: Programme, show: Show, cues: CueList) -> Programme:
    """With the layer sets that the looks of its cues show."""
    looks = {look.id: look.pictures for look in show.looks}
    sets = {one.id: one for one in show.layer_sets}
    pictures = tuple(
        tuple(p for p in looks.get(cue.look, ()) if p in sets) for cue in in_order(cues)
    )
    covers = {p: sets[p].grid for cue in pictures for p in cue if sets[p].dark}
    return dataclasses.replace(programme, pictures=pictures, covers=covers)


def _track(before: Wanted, now: Wanted, lit: set[str]) -> None:
    """Lay a cue over those before it, in place: what it does not light goes out, the rest stays."""
    for unit in (*before.wishes, *lit):
        wish = now.wishes.get(unit, NOTHING)
        intensity = 0.0 if wish.intensity is None and unit in lit else wish.intensity
        old = replace(before.wishes.get(unit, NOTHING), intensity=None)
        now.wishes[unit] = replace(together(wish, old), intensity=intensity)
    for unit, levels in before.levels.items():
        now.levels[unit] = levels | now.levels.get(unit, {})


def _arrays(
    cues: CueList, asked: Sequence[Asked], named: Sequence[set[str]], blank: Live
) -> Programme:
    """The states of a list over the parameters any of them asks for."""
    items: dict[tuple[int, str, int], tuple[bool, bool, bool]] = {}
    rows: dict[int, tuple[str, bool, bool, bool]] = {}
    places = blank.compiled.places
    for unit in dict.fromkeys(key[0] for key in (asked[-1] if asked else {})):
        program = blank.program(unit)
        if program is None:
            continue
        for cell, attribute, at, item in places.of_unit(unit):
            kind = id(item), attribute, cell
            if kind not in items:
                items[kind] = (
                    is_intensity(program, attribute),
                    changes_at_once(item),
                    highest_counts(item),
                )
            rows[at] = unit, *items[kind]
    used: dict[tuple[str, int, str], list[int]] = {
        key: [at for at in places.get(key) if at in rows] for key in (asked[-1] if asked else {})
    }
    index = np.array(sorted({at for found in used.values() for at in found}), np.int64)
    whose = {at: key for key, found in used.items() for at in found}
    column = {int(at): place for place, at in enumerate(index)}
    count = len(index)
    targets = np.zeros((len(asked), count), np.float32)
    owned = np.zeros((len(asked), count), bool)
    own = np.zeros((len(asked), count), bool)
    for row, (levels, units) in enumerate(zip(asked, named, strict=True)):
        where, value, says = [], [], []
        for key, level in levels.items():
            for at in used[key]:
                where.append(column[at])
                value.append(level)
                says.append(key[0] in units)
        targets[row, where], owned[row, where], own[row, where] = value, True, says
    flags = np.array([rows[int(at)][1:] for at in index], bool).reshape(count, 3)
    step, fade = step_times(cues)
    order = in_order(cues)
    return Programme(
        cues.id,
        tuple(whose[int(at)] for at in index),
        index,
        flags[:, 0].copy(),
        flags[:, 1].copy(),
        flags[:, 2].copy(),
        targets,
        owned,
        own,
        tuple(cue.id for cue in order),
        tuple(fade if cues.round else timing(cue) for cue in order),
        cues.round,
        step,
        cues.direction,
        cues.release,
    )
