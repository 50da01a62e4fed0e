"""Addresses in every spelling people use: one cell at a time, then what a whole column of them is.

`2.101`, `2/101`, `2-101`, `2:101`, `U2 A101`, `2 101`, counted through (`613`), with a thousands
mark, a range of them, several, `101 ff`. One cell may be read in more ways than one; which way is
meant is told by the column.
"""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass
from functools import lru_cache
from types import MappingProxyType

from isthmus.hanglist.idents import TO
from isthmus.show.records import SLOTS, UNIVERSES

# how a column writes its addresses
PAIR, SLOT, THROUGH = "pair", "slot", "through"
WAYS = (PAIR, SLOT, THROUGH)
NONE = re.compile(
    r"^(?:-+|–+|—+|\?+|\.+|x+|n/?a|none|tb[acd]|t\.b\.[acd]\.?|open|later"
    r"|to be (?:confirmed|decided|defined|done|announced)"
    r"|folgt|offen|keine?|fehlt|noch offen|wird noch .*"
    r"|à (?:définir|venir|confirmer)|a (?:definir|confirmer)|aucune?"
    r"|por (?:definir|confirmar|asignar)|sin|pendiente"
    r"|da (?:definire|assegnare|confermare)|nessuno"
    r"|nog (?:te bepalen|niet bekend|open)|n\.?t\.?b\.?|geen|volgt)$",
    re.IGNORECASE,
)
_JOIN = rf"\s*(?:{TO})\s*"
_TAIL = re.compile(
    r"\s*(?:ff\.?|f\.|et suiv\.?|e ss\.?|y sig\.?|e\.v\.?|\+|onwards?|→|>)\s*$", re.IGNORECASE
)
_UNIT = re.compile(
    r"^\s*(?:(?:dmx|addr(?:ess)?|adr|adresse|start)\s*[.:]?\s*)?(?:universe|universum|univers|universo"
    r"|univ|uni|u)\s*[.:]?\s*(\d{1,5})\s*[-–./,;: ]?\s*"
    r"(?:(?:dmx|address|addr|adresse|adres|adr|ad|ch|channel|kanal|a|@|slot)\s*[.:]?\s*)?(\d{1,3})\s*$",
    re.IGNORECASE,
)
_PLAIN = re.compile(r"^\s*(?:(?:dmx|addr|adr|a|ch|@)\s*[.:]?\s*)?(\d{1,6})\s*$", re.IGNORECASE)
_TWO = re.compile(r"^\s*(\d{1,5})\s*([./:,'’\-–−\\|]|\s)\s*(\d{1,4})\s*$")
_AND = re.compile(r"\s*[;+&]\s*|,\s+|\s+(?:and|und|et|y|e|en)\s+")
LETTERS = str.maketrans({"O": "0", "o": "0", "l": "1", "I": "1"})


@dataclass(frozen=True)
class One:
    """One address as written: how it can be meant, as (universe, address); the universe 0 where it
    is not said. `mark` stands between its parts, `padded` with three figures after it.
    """

    ways: Mapping[str, tuple[int, int]]
    mark: str = ""
    padded: bool = False
    letters: bool = False  # O or l stood for a figure


@dataclass(frozen=True)
class Cell:
    """What a cell says: its addresses, whether they are the ends of a range, whether they go on."""

    ones: tuple[One, ...] = ()
    through: One | None = None  # the last address of a range that begins with the only one
    onward: bool = False
    none: bool = False  # it says that there is no address yet


def _split_through(flat: int) -> tuple[int, int]:
    return (flat - 1) // SLOTS + 1, (flat - 1) % SLOTS + 1


@lru_cache(65536)
def read_one(text: str) -> One | None:
    """The ways one address can be meant; None when it is none."""
    if match := _UNIT.match(text):
        return One(MappingProxyType({PAIR: (int(match[1]), int(match[2]))}), "U", True)
    if match := _TWO.match(text):
        first, mark, second = int(match[1]), match[2], int(match[3])
        mark = " " if mark.isspace() else "-" if mark in "–−" else mark
        ways = {PAIR: (first, second)}
        if len(match[3]) == 3 and mark in ".,'’ " and len(match[1]) <= 3 and match[1][0] != "0":
            flat = first * 1000 + second
            ways[THROUGH] = _split_through(flat)
            if mark not in ".," or second == 0:
                ways.pop(PAIR) if mark in "'’" else None
        if second == 0 and mark in ".,":  # 101.0 as a spreadsheet writes 101
            ways = {SLOT: (0, first), THROUGH: _split_through(max(1, first))}
        return One(MappingProxyType(ways), mark, len(match[3]) == 3)
    if (match := _PLAIN.match(text)) and int(match[1]) > 0:
        flat = int(match[1])
        return One(MappingProxyType({SLOT: (0, flat), THROUGH: _split_through(flat)}))
    mended = text.translate(LETTERS)
    if mended == text or not re.fullmatch(r"(?=.*\d)[\dOolI./:,'’\-– ]+", text.strip()):
        return None
    found = read_one(mended)
    return One(found.ways, found.mark, found.padded, True) if found else None


@lru_cache(65536)
def read_cell(text: str) -> Cell | None:
    """A whole cell; None when it has no address in it."""
    text = text.strip()
    if not text or NONE.match(text):
        return Cell(none=True)
    if (one := read_one(text)) is not None:
        return Cell((one,))
    if tail := _TAIL.search(text):
        one = read_one(text[: tail.start()])
        return Cell((one,), onward=True) if one else None
    parts = [
        part for part in re.split(r"\s*[;+&]\s*|,\s+|\s+(?:and|und|et|y|e|en)\s+", text) if part
    ]
    if len(parts) > 1:
        ones = [read_one(part) for part in parts]
        found = tuple(one for one in ones if one is not None)
        return Cell(found) if len(found) == len(ones) else None
    ends = re.split(_JOIN, text)
    if len(ends) == 2 or len(ends) == 4:
        half = len(ends) // 2
        first, last = read_one("-".join(ends[:half])), read_one("-".join(ends[half:]))
        if first and last:
            return Cell((first,), through=last)
    return None


def in_range(universe: int, address: int) -> bool:
    return 1 <= universe <= UNIVERSES and 1 <= address <= SLOTS
