"""Making and changing looks, taking them from now, and where things are used. Pure edits."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping

import msgspec
from msgspec.structs import replace

from isthmus.errors import EntryFault
from isthmus.looks.edits import LONGEST, MOST
from isthmus.looks.realise import KINDS, apply, together
from isthmus.looks.taken import OF_KIND, taken
from isthmus.output import Live
from isthmus.show.records import Look, LookLine, Show, Wish, new_id

Used = Mapping[tuple[str, str], str]  # (unit, kind) → the palette it was last asked for
SAME = 1e-6
GUARDED = ("Control", "Function")  # what these do is no light


def look(show: Show, look_id: str) -> Look:
    """Raises EntryFault when it is gone."""
    found = next((one for one in show.looks if one.id == look_id), None)
    if found is None:
        raise EntryFault("That look is gone.")
    return found


def free_number(show: Show) -> int:
    """One past the highest."""
    return max((one.number for one in show.looks), default=0) + 1


def put(show: Show, one: Look) -> tuple[Show, str]:
    """A new look (id "") or another in the place of the one with its id. Returns its id too.
    Raises EntryFault for a number that is taken.
    """
    name = " ".join(one.name.split())[:LONGEST]
    made = replace(one, id=one.id or new_id(), number=one.number or free_number(show), name=name)
    if not 1 <= made.number <= MOST:
        raise EntryFault(f"A look has a number from 1 to {MOST}.")
    other = next((o for o in show.looks if o.number == made.number and o.id != made.id), None)
    if other is not None:
        raise EntryFault(
            f"Look {made.number} is {other.name or 'there already'}.",
            do=f"Take {free_number(show)}, or renumber the other.",
        )
    there = any(o.id == made.id for o in show.looks)
    kept = tuple(made if o.id == made.id else o for o in show.looks)
    return replace(show, looks=kept if there else (*show.looks, made)), made.id


def named(show: Show, text: str) -> Look:
    """`3`, `3 Dawn` or `Dawn`. Raises EntryFault for what names none or several."""
    low = " ".join(text.split()).casefold()
    found = [o for o in show.looks if f"{o.number} {o.name}".strip().casefold() == low] or [
        o for o in show.looks if low in (str(o.number), o.name.casefold())
    ]
    if len(found) != 1:
        why = f"{len(found)} looks are called" if found else "no look is called"
        raise EntryFault(f"{why} “{text}”.", do="Write the number of a look.")
    return found[0]


def remove(show: Show, look_id: str) -> Show:
    """Cues that had it have none then."""
    lists = tuple(
        replace(
            cues, cues=tuple(replace(c, look="") if c.look == look_id else c for c in cues.cues)
        )
        if any(c.look == look_id for c in cues.cues)
        else cues
        for cues in show.cue_lists
    )
    return replace(show, looks=tuple(o for o in show.looks if o.id != look_id), cue_lists=lists)


# ------------------------------------------------------------ taken from now


def lines_now(
    live: Live, ids: Iterable[str], used: Used, touched: bool = True
) -> tuple[LookLine, ...]:
    """What units do now as lines, those that do the same in one. A palette is named where a unit
    still does what the palette wishes of it. `touched`: only what was asked for.
    """
    units = list(dict.fromkeys(ids))
    wishes: dict[str, list[Wish]] = {u: [] for u in units}
    palettes: dict[str, list[str]] = {u: [] for u in units}
    names: dict[str, set[str]] = {}
    for unit, _, name in live.snapshot():
        names.setdefault(unit, set()).add(name)
    for kind in KINDS:
        held = _held(live, units, kind, used)
        for unit, palette in held.items():
            palettes[unit].append(palette)
        rest = [u for u in units if u not in held]
        for unit, wish in taken(live, rest, kind, touched).items():
            only = touched and kind == "beam"
            wishes[unit].append(_touched(wish, names.get(unit, set())) if only else wish)
    beyond = _beyond_words(live, units)
    heaps: dict[bytes, LookLine] = {}
    for unit in units:
        line = LookLine(
            palettes=tuple(palettes[unit]),
            wish=together(*wishes[unit]),
            levels=beyond.get(unit, {}),
        )
        if line != LookLine():
            key = msgspec.json.encode(line, order="sorted")
            one = heaps.get(key, line)
            heaps[key] = replace(one, units=(*one.units, unit))
    return tuple(heaps.values())


BEAM_BY = {
    "angle": "Zoom",
    "iris": "Iris",
    "frost": "Frost",
    "edge": "Focus",
    "gobo": "Gobo",
    "prism": "Prism",
    "strobe": "Shutter",
}


def _touched(wish: Wish, names: Collection[str]) -> Wish:
    """Of a beam only what was asked for: a lit unit is not held to its gobo for ever."""
    said = {
        field: getattr(wish, field)
        for field, start in BEAM_BY.items()
        if any(name.startswith(start) for name in names)
    }
    return Wish(**said)


def _held(live: Live, units: list[str], kind: str, used: Used) -> dict[str, str]:
    """Units that do now what a palette of a kind they were last asked for wishes of them."""
    asked = live.snapshot()
    by_id = {p.id: p for p in live.show.palettes}
    found: dict[str, str] = {}
    for palette_id in dict.fromkeys(used[u, kind] for u in units if (u, kind) in used):
        mine = [u for u in units if used.get((u, kind)) == palette_id]
        if palette_id not in by_id:
            continue
        levels, _ = apply(live, by_id[palette_id], mine)
        off = {key[0] for key, level in levels.items() if abs(asked.get(key, -1.0) - level) > SAME}
        said = {key[0] for key in levels}
        found |= {u: palette_id for u in mine if u in said and u not in off}
    return found


def _beyond_words(live: Live, units: list[str]) -> dict[str, dict[str, float]]:
    """Levels asked of what no wish has words for: focus, turning gobos, blades…"""
    said = tuple(
        name for names in OF_KIND.values() for name in names if name not in ("Gobo", "Prism")
    )
    worded = (*said, *GUARDED)
    wanted, found = set(units), {}
    for (unit, cell, name), level in live.snapshot().items():
        plain = name.rstrip("0123456789")
        if unit in wanted and not name.startswith(worded) and plain not in ("Gobo", "Prism"):
            key = f"{name}/{cell}" if cell else name
            found.setdefault(unit, {})[key] = round(level, 6)
    return found
