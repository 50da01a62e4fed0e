"""Tables from elsewhere: bytes or pasted text to rows of cells, whatever the spreadsheet that wrote
them.
"""

from __future__ import annotations

import csv
import io
from collections import Counter
from collections.abc import Iterator

from isthmus.errors import FileFault

MAX_LINES = 50_000
MAX_CELLS, ALL_CELLS = 4096, 2_000_000  # of a line, and of the whole
DELIMITERS = (",", ";", "\t", "|")


# letters that stand in names of things and places in the languages of the trade
USUAL = set("äöüÄÖÜßéèêëàâçîïôûùñóáíúìòÉÈÀÇÑº°ª–—“”„’‘«»…²³·•€×½")


def decode_text(data: bytes) -> tuple[str, str]:
    """The text, and the name of its encoding where it was guessed."""
    if data[:2] in (b"\xff\xfe", b"\xfe\xff"):
        return data.decode("utf-16", "replace"), ""
    some = data[:4096]
    if len(some) > 3 and b"\0" in some:
        even, odd = some[::2].count(0), some[1::2].count(0)
        if max(even, odd) > len(some) / 8:
            name = "utf-16-le" if odd > even else "utf-16-be"
            return data.decode(name, "replace"), "UTF-16"
    try:
        return data.decode("utf-8-sig"), ""
    except UnicodeDecodeError:
        pass
    counted = {name: _unusual(data.decode(name, "replace")) for name in ("cp1252", "mac-roman")}
    name = min(counted, key=lambda n: (counted[n], n))
    return data.decode(name, "replace"), "Mac Roman" if name == "mac-roman" else "Windows-1252"


def _unusual(text: str) -> int:
    return sum(
        count for letter, count in Counter(text).items() if letter > "\x7f" and letter not in USUAL
    )


def narrow(data: str, delimiter: str, where: str) -> Iterator[str]:
    """Its lines. Raises FileFault for one of more cells than any table has: ten megabytes of
    commas are a gigabyte of cells.
    """
    total = 0
    for number, line in enumerate(io.StringIO(data, newline=""), 1):
        cells = line.count(delimiter)
        total += cells
        if cells > MAX_CELLS or total > ALL_CELLS:
            most = f"line {number} has more than {MAX_CELLS}"
            raise FileFault(
                f"{most if cells > MAX_CELLS else f'it has more than {ALL_CELLS}'} cells.",
                where=where,
                do="Save only the columns you need.",
            )
        yield line


def read_table(data: bytes | str, where: str, limit: int = MAX_LINES) -> list[list[str]]:
    """Rows of cells without space around them. Raises FileFault when it is not a text, no table, or
    too long.
    """
    if isinstance(data, bytes):
        if b"\0" in data[:4096] and data[:2] not in (b"\xff\xfe", b"\xfe\xff"):
            raise FileFault(
                "this is not a text file.",
                where=where,
                do="Save the table as CSV from the spreadsheet.",
            )
        data = decode_text(data)[0]
    head = data[:20_000].split("\n", 20)[:20]
    # the mark that stands in most lines: a decimal comma stands in some cells, a title in one line
    delimiter = max(
        DELIMITERS,
        key=lambda mark: (
            sum(mark in line for line in head),
            sum(line.count(mark) for line in head),
        ),
    )
    if (
        head and (match := head[0].strip().lower()).startswith("sep=") and len(match) == 5
    ):  # a spreadsheet's own note
        delimiter, data = head[0].strip()[4], data.partition("\n")[2]
    try:
        rows = []
        for row in csv.reader(narrow(data, delimiter, where), delimiter=delimiter):
            rows.append([cell.strip() for cell in row])
            if len(rows) > limit:
                raise FileFault(
                    f"it has more than {limit} lines.",
                    where=where,
                    do="Split it, and read the parts.",
                )
        return rows
    except csv.Error as error:
        raise FileFault(
            f"it is not a table: {error}.", where=where, do="Save it as CSV from the spreadsheet."
        ) from error
