"""Where in the rows the list is: its heading, in one row or two, and what each row below it is."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass, field
from functools import lru_cache

from isthmus.hanglist.grid import Grid
from isthmus.hanglist.heads import READ, TOLD, head_scores, language_of, plain_head

LOOKED = 80  # rows in which a heading may stand
SURE = 1.9  # what the heads of a heading with one field that is read say at least
LONG = 48  # letters; a line alone that is longer is a sentence, not the name of a position
DATA, HEAD, BLANK, FOOT, TOTAL, SECTION, REMARK, SPARE = (
    "data",
    "heading",
    "blank",
    "page foot",
    "total",
    "section",
    "remark",
    "spare",
)
_FOOT = re.compile(
    r"^(?:page|seite|página|pagina|pág|pag|blatt|sheet|feuille|blad|hoja|foglio|p|s)\.?\s*[-–:]?\s*\d+"
    r"(?:\s*(?:/|of|von|de|di|van|sur|aus|–|-)\s*\d+)?$",
    re.IGNORECASE,
)
_TOTAL = re.compile(
    r"^(?:(?:sub|grand|zwischen|gesamt|sous|gran|sub-|sous-)?\s*[- ]?"
    r"(?:totals?|totale?|totaal|totaux|total|summe|sum|som|suma|somme|gesamt|gesamtzahl|ges\.|zwischensumme|subtotaal|subtotale))\b",
    re.IGNORECASE,
)
_SPARE = re.compile(
    r"^(?:spares?|reserve[ns]?|réserve|reserva|reserv|scorta|reservé|frei|free|unused|not used"
    r"|unbenutzt|libre|libero|vrij|leer|empty|n/?u|vacant)$",
    re.IGNORECASE,
)
_REMARK = re.compile(
    r"^(?:#|//|\*|!|;|--|note[s:]|nb[:.]|n\.b\.|ps[:.]|hinweis|remarque|nota:)", re.IGNORECASE
)
_UNIVERSE = re.compile(
    r"^(?:dmx[- ]?)?"
    r"(?:universe|universum|univers|universo|univ|uni|line|linie|lijn|ligne|línea|linea|u)\s*[.:#-]?\s*(\d{1,5})\b",
    re.IGNORECASE,
)


@dataclass(frozen=True)
class Heading:
    """The heads of the columns; `first` and `last` are its rows, both −1 where there is none."""

    heads: tuple[str, ...] = ()
    first: int = -1
    last: int = -1
    language: str = "en"


@dataclass
class Line:
    """A row below the heading: what it is, and the section it stands in."""

    row: int
    kind: str
    position: str = ""
    universe: int = 0


@dataclass
class Total:
    """A count that the paper gives."""

    row: int
    count: int


@dataclass
class Table:
    heading: Heading
    lines: list[Line] = field(default_factory=list)
    totals: list[Total] = field(default_factory=list)


def _score(heads: Sequence[str]) -> tuple[float, int]:
    """How far a row is a heading: what its cells say that fields are, each field once."""
    language = language_of(tuple(heads))
    best: dict[str, float] = {}
    for head in heads:
        scores = head_scores(head, language)
        if scores:
            name = max(scores, key=lambda n: scores[n])
            best[name] = max(best.get(name, 0.0), scores[name])
    read = sum(name in READ or name in TOLD for name in best)
    return sum(sure for sure in best.values() if sure >= 0.5), read


def _worded(row: Sequence[str]) -> bool:
    filled = [cell for cell in row if cell]
    figures = sum(bool(re.search(r"\d", cell)) for cell in filled)
    return len(filled) >= 2 and figures <= len(filled) / 4 and all(len(c) <= LONG for c in filled)


def _stacked(above: Sequence[str], below: Sequence[str]) -> list[str]:
    width = max(len(above), len(below))
    cells = []
    for at in range(width):
        up = above[at] if at < len(above) else ""
        down = below[at] if at < len(below) else ""
        cells.append(f"{up} {down}".strip() if up != down else up)
    return cells


def find_heading(grid: Grid) -> Heading:
    """The row, or the two, that name the columns best."""
    best, found = 1.4, Heading()
    rows = grid.rows[:LOOKED]
    for at, row in enumerate(rows):
        if not _worded(row):
            continue
        score, fields = _score(row)
        if score > best and (fields >= 2 or (fields and score >= SURE)):
            best, found = score, Heading(tuple(row), at, at)
        after = rows[at + 1] if at + 1 < len(rows) else ()
        # of two storeys, one completes the other: both are words, and together they say more
        if any(after) and not any(re.search(r"\d", cell) for cell in after):
            both = _stacked(row, after)
            score, fields = _score(both)
            if score > best + 0.3 and fields >= 2:
                best, found = score, Heading(tuple(both), at, at + 1)
    found = _with_above(rows, found, best)
    if found.first < 0:
        found = _words_above(rows)
    if found.first < 0:
        return found
    heads = [*found.heads, *[""] * (grid.width - len(found.heads))]
    return Heading(tuple(heads), found.first, found.last, language_of(tuple(heads)))


def _with_above(rows: Sequence[Sequence[str]], found: Heading, best: float) -> Heading:
    """A heading with the row above it, where that names several of its columns together."""
    if found.first <= 0:
        return found
    above = rows[found.first - 1]
    filled = [cell for cell in above if cell]
    wide = sum(bool(cell) for cell in found.heads)
    if not filled or len(above) < 2 or above[0] or len(filled) >= wide:
        return found
    both = _stacked(above, found.heads)
    if _score(both)[0] < best - 0.5:
        return found
    return Heading(tuple(both), found.first - 1, found.last)


def _words_above(rows: Sequence[Sequence[str]]) -> Heading:
    """A row of words right above rows of figures, in a language that is not known here."""
    for at, row in enumerate(rows[:-2]):
        words = [cell for cell in row if cell]
        if len(words) < 3 or len(set(words)) < len(words) or not _worded(row):
            continue
        if any(re.search(r"\d", cell) for cell in words):
            continue
        below = rows[at + 1 : at + 3]
        if all(any(re.search(r"\d", cell) for cell in after) for after in below):
            return Heading(tuple(row), at, at)
    return Heading()


def sort_rows(grid: Grid, heading: Heading) -> Table:
    """What every row below the heading is, as far as it can be told without knowing the columns."""
    table = Table(heading)
    named = {plain_head(cell) for row in range(heading.first, heading.last + 1) if row >= 0
             for cell in grid.rows[row] if cell} - {""}  # fmt: skip
    width = max(3, sum(bool(head) for head in heading.heads) or grid.width)
    position, universe = "", 0
    for at in range(heading.last + 1, len(grid.rows)):
        row = grid.rows[at]
        filled = [cell for cell in row if cell]
        kind = _kind(row, filled, named, width)
        if kind == SECTION:
            text = filled[0].rstrip(":").strip()
            if match := _UNIVERSE.match(text):
                universe = int(match[1])
            elif _follows(grid, at, width):
                position = text
            else:
                kind = REMARK
        elif kind == TOTAL:
            count = _counted(filled)
            if count:
                table.totals.append(Total(at, count))
        table.lines.append(Line(at, kind, position, universe))
    if heading.first > 0:
        _first_section(grid, heading, table)
    return table


def _counted(filled: Sequence[str]) -> int:
    """The number a total gives: in a cell of its own, else after its words."""
    own = [int(cell) for cell in filled if cell.isdigit()]
    after = re.search(r"[:=]\s*(\d+)$|^\D+\s(\d+)$", filled[0])
    return own[0] if own else int(after[1] or after[2]) if after and len(filled) == 1 else 0


def _kind(row: Sequence[str], filled: Sequence[str], named: set[str], width: int) -> str:
    if not filled:
        return BLANK
    first = filled[0]
    if named and len(filled) >= 2:
        same = sum(plain_head(cell) in named for cell in filled)
        if same >= 0.7 * len(filled) and same >= 2:
            return HEAD
    if _FOOT.match(first) and len(filled) <= 3:
        return FOOT
    if _TOTAL.match(first) and len(filled) <= max(3, width / 2):
        return TOTAL
    if _REMARK.match(first) and len(filled) <= 2:
        return REMARK
    if len(filled) <= max(2, width / 2) and any(_SPARE.match(cell) for cell in filled):
        return SPARE
    if len(filled) == 1 or len(set(filled)) == 1:
        if re.fullmatch(r"[\d.,/:\- ]+", first):
            return DATA if first.isdigit() and len(row) > 1 else REMARK
        return REMARK if len(first) > LONG or row[0] != first else SECTION
    return DATA


def _follows(grid: Grid, at: int, width: int) -> bool:
    """Whether rows of the list follow a line alone."""
    for row in grid.rows[at + 1 : at + 5]:
        filled = sum(bool(cell) for cell in row)
        if filled >= max(2, width / 3):
            return True
    return False


def _first_section(grid: Grid, heading: Heading, table: Table) -> None:
    """A position above the first heading, where each of the later headings has one above it too."""
    kinds = {line.row: line.kind for line in table.lines}
    repeated = [line.row for line in table.lines if line.kind == HEAD]
    above = [row for row in repeated if kinds.get(row - 1) == SECTION]
    first = [cell for cell in grid.rows[heading.first - 1] if cell]
    if above and len(above) >= len(repeated) / 2 and len(first) == 1:
        text = first[0].rstrip(":").strip()
        for line in table.lines:
            if not line.position and line.row < repeated[0]:
                line.position = text


@lru_cache(4096)
def is_spare(text: str) -> bool:
    """Whether a cell says that the line is kept free."""
    return bool(text) and bool(_SPARE.match(text.strip()))
