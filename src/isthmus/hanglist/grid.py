"""A list as it came, as rows of cells: text in any encoding and with any mark between its cells,
columns of spaces, spreadsheets, tables of a PDF.
"""

from __future__ import annotations

import csv
import itertools
import json
import re
from collections import Counter
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any

from isthmus.apart import run_apart
from isthmus.cells.sheet_process import AS_CSV
from isthmus.errors import FileFault
from isthmus.hanglist.fixed import in_columns
from isthmus.show.tables import MAX_LINES, decode_text, narrow

MARKS = ("\t", ";", "|", ",")
LOOKED = 400  # lines that tell how a text is built
FEW_CELLS = 5
DITTO = "〃"
SHEETS = (b"PK\x03\x04", b"\xd0\xcf\x11\xe0")  # what files of spreadsheets begin with

Merge = tuple[int, int, int]  # column, first row, last row


@dataclass(frozen=True)
class Grid:
    """Rows of cells without space around them, and the line (or sheet row) each begins in.

    `sheet` is its name in a spreadsheet; `how` says how the text was read, where that may be wrong.
    """

    rows: tuple[tuple[str, ...], ...]
    lines: tuple[int, ...]
    how: str = ""
    sheet: str = ""

    @property
    def width(self) -> int:
        return max((len(row) for row in self.rows), default=0)


# ---------------------------------------------------------------- text


def _split(text: str, mark: str, where: str) -> tuple[list[tuple[str, ...]], list[int]]:
    """Rows by a mark, with the line each begins in. A mark of repetition that stands alone in its
    cell opens no quotation.
    """
    edge = re.escape(mark)
    text = re.sub(rf'(?m)(^|{edge})([ ]*)"(?=[ ]*({edge}|\r?$))', rf"\1{DITTO}", text)
    rows, lines = [], []
    before = 0
    reader = csv.reader(narrow(text, mark, where), delimiter=mark)
    try:
        for row in reader:
            rows.append(tuple(" ".join(cell.split()) for cell in row))
            lines.append(before + 1)
            before = reader.line_num
            if len(rows) > MAX_LINES:
                raise FileFault(
                    f"it has more than {MAX_LINES} lines.",
                    where=where,
                    do="Split it, and read the parts.",
                )
    except csv.Error as error:
        raise FileFault(
            f"it is not a table: {error}.", where=where, do="Save it as CSV from the spreadsheet."
        ) from error
    return rows, lines


def _evenness(lines: Sequence[str], mark: str) -> tuple[float, int]:
    """How far a mark makes a table of the lines: those that agree in the number of their cells,
    more where there are more cells; and that number.
    """
    try:
        rows = [row for row in csv.reader(lines, delimiter=mark) if any(map(str.strip, row))]
    except csv.Error:  # a quotation that never ends
        return 0.0, 1
    widths = Counter(len(row) for row in rows)
    width, agree = max(
        ((w, n) for w, n in widths.items() if w > 1),
        default=(1, 0),
        key=lambda x: x[1] * x[0] ** 0.5,
    )
    return agree / max(1, sum(widths.values())) * min(width, 12) ** 0.5, width


def from_text(text: str, where: str, guessed: str = "") -> Grid:
    """The grid of a text. Raises FileFault."""
    text = text.replace("\r\n", "\n").replace("\r", "\n").replace("\0", "")
    head, _, rest = text.partition("\n")
    skipped, mark = 0, ""
    if re.fullmatch(r"(?i)sep=(.)\s*", head):  # a spreadsheet's own note
        mark, text, skipped = head[4], rest, 1
    lines = [line for line in itertools.islice(text.split("\n"), LOOKED) if line.strip()]
    marks = {m: _evenness(lines, m) for m in MARKS}
    best = mark or max(MARKS, key=lambda m: marks[m][0])
    how = [f"its letters as {guessed}"] if guessed else []
    even, width = marks[best]
    written = best in (",", ";")  # marks that also stand in numbers and names
    if not mark and (even < 0.9 or width < FEW_CELLS or written):
        spaced = in_columns(text)
        if spaced is not None and (even < 0.9 or max(map(len, spaced)) > width + 1):
            how.append("its columns by the spaces between them")
            rows = tuple(tuple(row) for row in spaced)
            return Grid(rows, tuple(range(1, len(rows) + 1)), ", ".join(how))
    rows, begun = _split(text, best, where)
    return Grid(tuple(rows), tuple(n + skipped for n in begun), ", ".join(how))


# ---------------------------------------------------------------- files


def _filled(rows: list[list[str]], merges: Sequence[Merge]) -> tuple[tuple[str, ...], ...]:
    """Cells a sheet joins, one below the other, have the text of the first."""
    for at, first, last in merges:
        if first < len(rows) and at < len(rows[first]):
            for row in rows[first + 1 : last + 1]:
                if at < len(row) and not row[at]:
                    row[at] = rows[first][at]
    return tuple(tuple(row) for row in rows)


def needs_process(data: bytes) -> str:
    """The module of the process that reads such a file; none for a text."""
    if data.startswith(SHEETS):
        return "isthmus.cells.sheet_process"
    return "isthmus.cells.pdf_process" if data[:1024].lstrip().startswith(b"%PDF-") else ""


def read_grids(
    data: bytes | str, where: str, told: Callable[[], object] = lambda: None
) -> tuple[Grid, ...]:
    """What a file holds: of a spreadsheet each of its sheets. Raises FileFault when it is not a
    table, or too long. `told` is called while a process reads it: what it raises ends that.
    """
    if isinstance(data, str):
        return (from_text(data, where),)
    if module := needs_process(data):
        answer = json.loads(run_apart(module, data, where, told=told, verb="read", do=AS_CSV))
        return tuple(_grid_of(table, answer["how"]) for table in answer["tables"])
    text, guessed = decode_text(data)
    if "\0" in text[:4096] or _unprintable(text[:4096]) > 0.1:
        raise FileFault("this is not a text file.", where=where, do=AS_CSV)
    return (from_text(text, where, guessed),)


def _grid_of(table: dict[str, Any], how: str) -> Grid:
    rows = [[" ".join(str(cell).split()) for cell in row] for row in table["rows"]]
    lines = tuple(range(1, len(rows) + 1))
    return Grid(_filled(rows, table["merges"]), lines, how, table["name"])


def _unprintable(text: str) -> float:
    odd = sum(letter < " " and letter not in "\t\r\n\f\v" for letter in text)
    return odd / max(1, len(text))
