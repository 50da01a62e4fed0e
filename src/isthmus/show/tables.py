"""Tables from elsewhere: bytes or pasted text to rows of cells, whatever the spreadsheet that wrote
them.
"""

from __future__ import annotations

import csv
import io

from isthmus.errors import FileFault

MAX_LINES = 50_000
DELIMITERS = (",", ";", "\t", "|")


def decode_text(data: bytes) -> str:
    """UTF-16 by its mark, UTF-8 where it is that, else the usual Western code page."""
    if data[:2] in (b"\xff\xfe", b"\xfe\xff"):
        return data.decode("utf-16", "replace")
    try:
        return data.decode("utf-8-sig")
    except UnicodeDecodeError:
        return data.decode("cp1252", "replace")


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
        for row in csv.reader(io.StringIO(data, newline=""), delimiter=delimiter):
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
