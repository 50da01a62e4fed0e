"""Units called up by what is typed: `1-8`, `all but 7`, `101.3`, the name of a group, a model or a
position.

The grammar, in full: parts joined by commas or plus signs; a part is a number, a range (`1-8`, `1
to 8`), a range with a step (`2-20 step 2`), a cell (`101.3`), `all`, or a name; what follows `but`
is removed again.
"""

from __future__ import annotations

import re
from dataclasses import dataclass

from isthmus.errors import EntryFault
from isthmus.patch.groups import members
from isthmus.patch.index import index_of
from isthmus.patch.numbers import BUT, STEP, joined, read_part, write_numbers
from isthmus.plural import many
from isthmus.profiles import profiles_of
from isthmus.show.records import Show

_NUMERIC = re.compile(rf"^\d[\d\-{STEP}]*$")
_IDS = re.compile(r"^(.*\D)(\d+)\s*(?:\bto\b|\bthru\b|\.\.+|…)\s*(.*\D)?(\d+)$", re.IGNORECASE)
_CELL = re.compile(r"^(\d{1,6})\.(\d{1,4})$")


@dataclass(frozen=True)
class Chosen:
    """What was understood: unit ids in the order typed, cells that were named, and a sentence."""

    ids: tuple[str, ...]
    cells: tuple[tuple[str, int], ...]
    words: str


def names_of(show: Show) -> dict[str, tuple[str, ...]]:
    """Every name units can be called up by, with its units: groups, then what paper calls them,
    models, positions and purposes.
    """
    profiles = profiles_of(show)
    found: dict[str, list[str]] = {}
    for group in show.groups:
        found.setdefault(group.name, []).extend(members(show, group))
    kinds: dict[str, list[str]] = {}
    for unit in sorted(show.units, key=lambda u: u.number):
        profile = profiles.profiles.get(unit.profile)
        kind = profile.name if profile else ""
        for name in (unit.fixture_id, kind, unit.hangs_on, unit.purpose):
            if name and name not in found:
                kinds.setdefault(name, []).append(unit.id)
    return {name: tuple(dict.fromkeys(ids)) for name, ids in (found | kinds).items()}


def read_choice(show: Show, text: str) -> Chosen:
    """What is typed, as units. Raises EntryFault for what names nothing."""
    wanted, *but = BUT.split(text, maxsplit=1)
    names = names_of(show)
    cells: list[tuple[str, int]] = []
    ids = _read(show, wanted or ("all" if but else ""), names, cells)
    if but:
        away = set(_read(show, but[0], names, []))
        ids = [unit for unit in ids if unit not in away]
    found = tuple(dict.fromkeys(ids))
    by_id = index_of(show).by_id
    words = write_numbers([by_id[i].number for i in found])
    named = f", cells {', '.join(f'{by_id[u].number}.{c}' for u, c in cells[:6])}" if cells else ""
    return Chosen(
        found, tuple(cells), f"{many(len(found), 'unit')}{': ' + words if found else ''}{named}"
    )


def _read(
    show: Show, text: str, names: dict[str, tuple[str, ...]], cells: list[tuple[str, int]]
) -> list[str]:
    index = index_of(show)
    low = {name.lower(): ids for name, ids in names.items()}
    found: list[str] = []
    for raw in re.split(r"[,;+\n]", text):
        part = " ".join(raw.split())
        if not part:
            continue
        if part.lower() in low:  # a name may look like a number or hold a dash
            found.extend(low[part.lower()])
            continue
        if run := _run(show, part):
            found.extend(run)
            continue
        if part.lower() in ("all", "everything"):
            found.extend(unit.id for unit in sorted(show.units, key=lambda u: u.number))
            continue
        pieces = joined(part).split()
        if all(_NUMERIC.match(piece) or _CELL.match(piece) for piece in pieces):
            for piece in pieces:
                found.extend(_numbered(index.numbers, piece, cells))
            continue
        found.extend(_named(part, names))
    if not found and not text.strip():
        raise EntryFault("Nothing is typed.", do="Write 1-8, all but 7, or the name of a group.")
    return found


def _run(show: Show, part: str) -> list[str]:
    """Units from one Fixture ID to another, `LX1-3 to LX1-7` or `LX1-3..7`; none where it is no
    such range.
    """
    match = _IDS.match(part)
    if not match or (match[3] and match[3].lower() != match[1].lower()):
        return []
    first, last = int(match[2]), int(match[4])
    found = []
    for unit in show.units:
        mine = re.fullmatch(r"(.*\D)(\d+)", unit.fixture_id)
        if mine and mine[1].lower() == match[1].lower() and first <= int(mine[2]) <= last:
            found.append((int(mine[2]), unit.id))
    return [unit for _, unit in sorted(found)]


def _numbered(
    numbers: dict[int, tuple[str, ...]], piece: str, cells: list[tuple[str, int]]
) -> list[str]:
    if cell := _CELL.match(piece):
        ids = numbers.get(int(cell[1]), ())
        if not ids:
            raise EntryFault(f"There is no unit {cell[1]}.")
        cells.extend((unit, int(cell[2])) for unit in ids)
        return list(ids)
    wanted = read_part(piece)
    found = [unit for number in wanted for unit in numbers.get(number, ())]
    if not found:
        raise EntryFault(
            f"There is no unit {piece}."
            if len(wanted) == 1
            else f"There is no unit from {wanted[0]} to {wanted[-1]}."
        )
    return found


def _named(part: str, names: dict[str, tuple[str, ...]]) -> tuple[str, ...]:
    hits = [name for name in names if name.lower().startswith(part.lower())] or [
        name for name in names if part.lower() in name.lower()
    ]
    if len(hits) == 1:
        return names[hits[0]]
    if hits:
        raise EntryFault(
            f"“{part[:30]}” may be {' or '.join(hits[:3])}{' or more' if len(hits) > 3 else ''}.",
            do="Type more of it.",
        )
    raise EntryFault(
        f"“{part[:30]}” is not a number, group, model or position.",
        do="Write 1-8, 2-20 step 2, all but 7, or a name.",
    )


def complete(show: Show, text: str) -> list[str]:
    """The text with its last word completed in every way that fits, the likeliest first."""
    start = max(text.rfind(c) for c in ",;+") + 1
    head, word = text[:start], text[start:].strip().lower()
    if match := list(BUT.finditer(text[start:])):
        head, word = (
            text[: start + match[-1].end()] + " ",
            text[start + match[-1].end() :].strip().lower(),
        )
    options = [*names_of(show), "all", "all but "]
    hits = [name for name in options if word and name.lower().startswith(word)] + [
        name
        for name in options
        if word and word in name.lower() and not name.lower().startswith(word)
    ]
    pad = " " if head and not head.endswith(" ") else ""
    return [head + pad + name for name in hits[:12]]
