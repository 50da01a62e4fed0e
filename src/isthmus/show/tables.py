"""Tables from elsewhere: bytes or pasted text to rows of cells, whatever the spreadsheet that wrote
them.
"""

from __future__ import annotations

import csv
import io
from collections.abc import Iterator

from isthmus.errors import FileFault

MAX_LINES = 50_000
MAX_CELLS, ALL_CELLS = 4096, 2_000_000  # of a line, and of the whole
DELIMITERS = (",", ";", "\t", "|")


def decode_text(data: bytes) -> str:
    """UTF-16 by its mark, UTF-8 where it is that, else the usual Western code page."""
    if data[:2] in (b"\xff\xfe", b"\xfe\xff"):
        return data.decode("utf-16", "replace")
    try:
        return data.decode("utf-8-sig")
    except UnicodeDecodeError:
        return data.decode("cp1252", "replace")


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
        data = decode_text(data)
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
