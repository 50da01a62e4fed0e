"""Making and changing palettes. Pure edits; what a person changes is not made again."""

from __future__ import annotations

from collections.abc import Collection

from msgspec.structs import replace

from isthmus.errors import EntryFault
from isthmus.looks.realise import KINDS
from isthmus.show.records import Palette, Show, Wish, new_id

LONGEST = 80  # letters of a name
MOST = 9999


def palette(show: Show, palette_id: str) -> Palette:
    """Raises EntryFault when it is gone."""
    found = next((p for p in show.palettes if p.id == palette_id), None)
    if found is None:
        raise EntryFault("That palette is gone.")
    return found


def of_kind(show: Show, kind: str) -> list[Palette]:
    """By number."""
    return sorted((p for p in show.palettes if p.kind == kind), key=lambda p: p.number)


def free_number(show: Show, kind: str) -> int:
    taken = {p.number for p in show.palettes if p.kind == kind}
    return next(n for n in range(1, len(taken) + 2) if n not in taken)


def add(show: Show, made: Palette) -> tuple[Show, str]:
    """With the next free number where it has none (0). Returns its id too."""
    if made.kind not in KINDS:
        raise EntryFault(f"“{made.kind}” is not a kind of palette.", do=f"Say {', '.join(KINDS)}.")
    number = made.number or free_number(show, made.kind)
    one = replace(made, id=made.id or new_id(), number=number, name=_name(made.name))
    _number_free(show, one)
    return replace(show, palettes=(*show.palettes, one)), one.id


def change(show: Show, changed: Palette) -> Show:
    """Another in the place of the one with its id. Raises EntryFault for a number that is taken."""
    old = palette(show, changed.id)
    if changed == old:
        return show
    one = replace(changed, made=_by_hand(old.made), name=_name(changed.name))
    _number_free(show, one)
    kept = tuple(one if p.id == one.id else p for p in show.palettes)
    return replace(show, palettes=kept)


def remove(show: Show, ids: Collection[str]) -> Show:
    kept = tuple(p for p in show.palettes if p.id not in ids)
    return show if len(kept) == len(show.palettes) else replace(show, palettes=kept)


BY_HAND = "by hand: "  # before what of the starter set it was, so that it is not made a second time


def _by_hand(made: str) -> str:
    return made if not made or made.startswith(BY_HAND) else BY_HAND + made


def _name(name: str) -> str:
    return " ".join(name.split())[:LONGEST]


def _number_free(show: Show, one: Palette) -> None:
    if not 1 <= one.number <= MOST:
        raise EntryFault(f"A palette has a number from 1 to {MOST}.")
    other = next(
        (
            p
            for p in show.palettes
            if p.kind == one.kind and p.number == one.number and p.id != one.id
        ),
        None,
    )
    if other is not None:
        raise EntryFault(
            f"{one.kind.capitalize()} {one.number} is {other.name or 'there already'}.",
            do=f"Take {free_number(show, one.kind)}, or renumber the other.",
        )


def squeezed(
    kind: str, name: str, wishes: dict[str, Wish], profiles: dict[str, str], number: int = 0
) -> Palette:
    """A palette of wishes by unit, said once where all units, or all of a profile, wish the same.
    `profiles` are the keys of the units' profiles.
    """
    shared = _shared(wishes)
    if shared is not None:
        return Palette(id="", number=number, kind=kind, name=name, wish=shared)
    types: dict[str, Wish] = {}
    units: dict[str, Wish] = {}
    for profile in dict.fromkeys(profiles[u] for u in wishes):
        mine = {u: w for u, w in wishes.items() if profiles[u] == profile}
        alike = _shared(mine)
        if alike is not None:
            types[profile] = alike
        else:
            units |= mine
    return Palette(id="", number=number, kind=kind, name=name, types=types, units=units)


def _shared(wishes: dict[str, Wish]) -> Wish | None:
    """The wish of all units, where they wish the same."""
    some = list(wishes.values()) or [Wish()]
    return some[0] if all(wish == some[0] for wish in some) else None
