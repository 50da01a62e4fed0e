"""Lines of a look as people write them: who, which palettes, which level."""

from __future__ import annotations

from collections.abc import Sequence

from msgspec.structs import replace

from isthmus.errors import EntryFault
from isthmus.looks.words import say
from isthmus.patch.choose import read_choice
from isthmus.patch.numbers import write_numbers
from isthmus.show.records import LookLine, Palette, Show


def say_who(show: Show, line: LookLine) -> str:
    """`Bow wash, 101-104`: groups by name, units by number."""
    names = {g.id: g.name for g in show.groups}
    numbers = {u.id: u.number for u in show.units}
    units = [numbers[u] for u in line.units if u in numbers]
    told = [names.get(g, "a group that is gone") for g in line.groups]
    gone = len(line.units) - len(units)
    told += [write_numbers(units)] if units else []
    return ", ".join(told + ([f"{gone} gone"] if gone else []))


def read_who(show: Show, text: str) -> tuple[tuple[str, ...], tuple[str, ...]]:
    """(units, groups) by id. Raises EntryFault for a name or number that is not there."""
    names = {g.name.casefold(): g.id for g in show.groups}
    groups: list[str] = []
    rest: list[str] = []
    for part in (" ".join(p.split()) for p in text.split(",")):
        found = names.get(part.casefold())
        if found is not None:
            groups.append(found)
        elif part and not part.endswith(" gone"):
            rest.append(part)
    units = read_choice(show, ", ".join(rest)).ids if rest else []
    if not groups and not units:
        raise EntryFault("No units are named.", do="Write numbers, such as 101-104, or groups.")
    return tuple(units), tuple(groups)


def say_palettes(show: Show, line: LookLine) -> str:
    """`Buoy red, Deck centre`; kind and number where a name is not the only one."""
    by_id = {p.id: p for p in show.palettes}
    return ", ".join(
        _called(show, by_id[p]) if p in by_id else "a palette that is gone" for p in line.palettes
    )


def _called(show: Show, palette: Palette) -> str:
    name = palette.name.casefold()
    alike = [p for p in show.palettes if p.name.casefold() == name]
    plain = palette.name and len(alike) == 1 and "," not in palette.name
    return palette.name if plain else f"{palette.kind} {palette.number}"


def read_palettes(show: Show, text: str) -> tuple[str, ...]:
    """Palettes by id, of names or kinds with numbers. Raises EntryFault."""
    found: list[str] = []
    for part in (" ".join(p.split()) for p in text.split(",")):
        if part:
            found.append(named(show, part).id)
    kinds = [p.kind for p in show.palettes if p.id in found]
    twice = next((k for k in kinds if kinds.count(k) > 1), None)
    if twice:
        raise EntryFault(f"Two palettes are of kind {twice}.", do="Name one of each kind.")
    return tuple(dict.fromkeys(found))


def named(show: Show, text: str) -> Palette:
    """`colour 4`, or a name. Raises EntryFault for what names none or several."""
    low = " ".join(text.split()).casefold()
    found = [p for p in show.palettes if f"{p.kind} {p.number}" == low] or [
        p for p in show.palettes if p.name.casefold() == low
    ]
    if len(found) != 1:
        why = f"{len(found)} palettes are called" if found else "no palette is called"
        raise EntryFault(f"{why} “{text}”.", do="Say kind and number, such as “colour 4”.")
    return found[0]


def say_level(line: LookLine) -> str:
    return "" if line.wish.intensity is None else f"{100 * line.wish.intensity:.0f} %"


def read_level(text: str) -> float | None:
    """0…1 of a percentage; None for nothing. Raises EntryFault."""
    plain = text.strip().removesuffix("%").strip().replace(",", ".")
    if not plain:
        return None
    try:
        value = float(plain)
    except ValueError:
        value = -1.0
    if not 0 <= value <= 100:
        raise EntryFault(f"“{text.strip()}” is not a level.", do="Write 0 to 100 %.")
    return value / 100


def say_values(line: LookLine) -> str:
    """What else a line says: wishes of its own, and levels without words."""
    told = [say(replace(line.wish, intensity=None))]
    told += [f"{name} {100 * level:.0f} %" for name, level in line.levels.items()]
    return ", ".join(t for t in told if t)


def with_line(lines: Sequence[LookLine], at: int, line: LookLine) -> tuple[LookLine, ...]:
    """Another line in the place of one, or after the last."""
    return (*lines[:at], line, *lines[at + 1 :])
