"""What is wrong with looks and cues: who has no address, what is empty, what no unit can do."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator

from msgspec.structs import replace

from isthmus.looks import Short, apply, in_words
from isthmus.looks.cue_edits import say_number
from isthmus.looks.programme import in_order
from isthmus.looks.resolve import Book, levels_of
from isthmus.looks.starters import with_starters
from isthmus.output import Live
from isthmus.output.bounds import bound
from isthmus.patch.numbers import write_numbers
from isthmus.plural import many
from isthmus.show.records import Look, Palette, Show, Unit
from isthmus.snags.context import Context
from isthmus.snags.records import ATTENTION, NOTE, Fix, Snag

PAGE = "Looks"
GROUND = ("looks", "palettes", "groups", "units", "profiles", "cue_lists")
NEAR = 0.5  # of 255: rounding is no cut


def _name(look: Look) -> str:
    return f"Look {look.number} {look.name}".rstrip()


def _units(book: Book, look: Look) -> list[Unit]:
    found = dict.fromkeys(u for line in look.lines for u in book.units_of(line))
    return [book.units[u] for u in found]


def looks_without_address(at: Context) -> Iterator[Snag]:
    book = Book(at.show) if at.show.looks else None
    for look in at.show.looks if book else ():
        lost = [u for u in _units(book, look) if not u.patch] if book else []
        if lost:
            numbers = write_numbers([u.number for u in lost])
            verb = "has" if len(lost) == 1 else "have"
            yield Snag(
                "look-no-address",
                ATTENTION,
                f"{_name(look)} names {numbers}, which {verb} no address.",
                PAGE,
                tuple(u.id for u in lost),
            )


def looks_of_what_is_gone(at: Context) -> Iterator[Snag]:
    units = set(at.index.by_id)
    groups = {g.id for g in at.show.groups}
    palettes = {p.id for p in at.show.palettes}
    for look in at.show.looks:
        gone = [
            ("unit", len({u for line in look.lines for u in line.units} - units)),
            ("group", len({g for line in look.lines for g in line.groups} - groups)),
            ("palette", len({p for line in look.lines for p in line.palettes} - palettes)),
        ]
        told = " and ".join(many(n, what) for what, n in gone if n)
        if told:
            fix = Fix("Take them out", lambda show, look_id=look.id: without_gone(show, look_id))
            text = f"{_name(look)} names {told} that the show does not have."
            yield Snag("look-gone", ATTENTION, text, PAGE, (), "", fix)


def without_gone(show: Show, look_id: str) -> Show:
    """A look without units, groups and palettes that are gone; lines of which no one is left go."""
    units, groups = {u.id for u in show.units}, {g.id for g in show.groups}
    palettes = {p.id for p in show.palettes}

    def kept(look: Look) -> Look:
        lines = (
            replace(
                line,
                units=tuple(u for u in line.units if u in units),
                groups=tuple(g for g in line.groups if g in groups),
                palettes=tuple(p for p in line.palettes if p in palettes),
            )
            for line in look.lines
        )
        return replace(look, lines=tuple(x for x in lines if x.units or x.groups))

    return replace(show, looks=tuple(kept(one) if one.id == look_id else one for one in show.looks))


def empty_cues(at: Context) -> Iterator[Snag]:
    looks = {look.id: look for look in at.show.looks}
    for cues in at.show.cue_lists:
        for cue in in_order(cues):
            look = looks.get(cue.look)
            if look is None or not look.lines:
                why = "has no look" if look is None else f"plays look {look.number}, which is empty"
                where = f"Cue {say_number(cue.number)} of {cues.name or f'list {cues.number}'}"
                text = f"{where} {why}: all that the list has lit goes out."
                yield Snag("cue-empty", NOTE, text, PAGE)


LOOK_RULES = (looks_without_address, looks_of_what_is_gone, empty_cues)


# ------------------------------------------------------------ what takes a while


def standing_snags(
    show: Show, live: Live, going_on: Callable[[], bool] = lambda: True
) -> list[Snag]:
    """Palettes no one can do, points out of reach, limits that cut a look: of the units that looks
    name. It is worked out from the whole rig, so it is asked for apart. Stops early when
    `going_on` says so.
    """
    book, blank = Book(show), live.blank()
    users: dict[str, dict[str, None]] = {}
    for look in show.looks:
        for line in look.lines:
            for palette in line.palettes:
                users.setdefault(palette, {}).update(dict.fromkeys(book.units_of(line)))
    found: list[Snag] = []
    for palette_id, units in users.items():
        palette = book.palettes.get(palette_id)
        patched = [u for u in units if book.units[u].patch]
        if palette is not None and patched and going_on():
            found += _of_palette(blank, palette, patched)
    limited = {u.id for u in show.units if u.limits and u.patch}
    for look in show.looks:
        if limited and going_on():
            found += _cut(blank, book, look, limited)
    if going_on():
        found += _starters(show)
    return found


def _starters(show: Show) -> Iterator[Snag]:
    """Units or a stage that came after the starter set was made."""
    if not any(p.made for p in show.palettes):
        return
    _, fresh, changed = with_starters(show)
    if fresh or changed:
        told = [f"{many(fresh, 'palette')} more"] if fresh else []
        told += [f"{many(changed, 'palette')} otherwise"] if changed else []
        text = (
            f"The starter set would have {' and '.join(told)} now, of units and stage as they are."
        )
        fix = Fix("Make the starter set", lambda now: with_starters(now)[0])
        yield Snag("starters-new", NOTE, text, PAGE, (), "", fix)


def _of_palette(blank: Live, palette: Palette, units: list[str]) -> Iterator[Snag]:
    _, short = apply(blank, palette, units)
    who = {s.unit for s in short}
    if not who:
        return
    name = f"{palette.kind.capitalize()} {palette.number} {palette.name}".rstrip()
    if palette.kind == "position":
        beside = [s for s in short if math.isfinite(s.apart)]
        if beside:
            text = f"{name} is out of reach: {in_words(beside)}."
            yield Snag("palette-reach", ATTENTION, text, PAGE, _ids(beside))
    if len(who) == len(units):
        text = f"{name} is used in looks, and none of its units can do it: {in_words(short)}."
        yield Snag("palette-nobody", ATTENTION, text, PAGE, _ids(short))


def _ids(short: list[Short]) -> tuple[str, ...]:
    return tuple(dict.fromkeys(s.unit for s in short))


def _cut(blank: Live, book: Book, look: Look, limited: set[str]) -> Iterator[Snag]:
    """Limits that hold back what a look asks."""
    units = [u for u in _units(book, look) if u.id in limited]
    if not units:
        return
    levels, _ = levels_of(blank, book.wanted(look), [u.id for u in units])
    cut: list[Unit] = []
    for unit in units:
        program = blank.program(unit.id)
        held = bound(unit.limits, program.chart.channels) if program else []
        asked = levels.get(unit.id, {})
        for item, low, high in held:
            level = asked.get((unit.id, item.cell, item.attribute))
            if level is not None and not (
                low - NEAR * item.top / 255 <= level * item.top <= high + NEAR * item.top / 255
            ):
                cut.append(unit)
                break
    if cut:
        numbers = write_numbers([u.number for u in cut])
        text = f"{_name(look)} asks {numbers} for more than their limits let through."
        if len(cut) == 1:
            text = f"{_name(look)} asks {numbers} for more than its limit lets through."
        yield Snag("limit-cuts", NOTE, text, PAGE, tuple(u.id for u in cut))
