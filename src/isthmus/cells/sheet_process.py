"""The cells of a spreadsheet: `python -m isthmus.cells.sheet_process`, a process apart.

XLSX and ODS (and older kinds) are read by python-calamine; here only texts are made of the values.
"""

from __future__ import annotations

import datetime
import io
import json
import sys
import zipfile
from typing import Any

from isthmus.apart import answer
from isthmus.errors import FileFault

UNPACKED = 200 * 2**20
MAX_ROWS, MAX_COLUMNS, MAX_SHEETS = 50_000, 400, 40
AS_CSV = "Save the table as CSV from the spreadsheet."


def as_text(value: Any) -> str:
    """A value as it stands in the cell: whole numbers without a decimal mark."""
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, float):
        return str(int(value)) if value == int(value) and abs(value) < 1e15 else repr(value)
    if isinstance(value, datetime.date | datetime.time | datetime.timedelta):
        return str(value)
    return str(value)


def _bounded(data: bytes) -> None:
    """Raises FileFault where it would unpack to more than any list is."""
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as parts:
            if sum(part.file_size for part in parts.infolist()) > UNPACKED:
                raise FileFault("it unpacks to more than 200 MB.", do="Save only the list's sheet.")
    except zipfile.BadZipFile:
        if data[:2] == b"PK":
            raise FileFault("it is a damaged spreadsheet.", do="Save it again.") from None


def _table(sheet: Any) -> dict[str, Any]:
    """Its rows from the first cell of the sheet, and which cells are joined below one another, as
    (column, first row, last row). Raises FileFault where it is larger than any list.
    """
    if sheet.height > MAX_ROWS or sheet.width > MAX_COLUMNS:
        raise FileFault(
            f"its sheet {sheet.name} has {sheet.height} rows of {sheet.width} cells.",
            do="Save only the rows and columns of the list.",
        )
    joined = [
        (first[1], first[0], last[0])
        for first, last in sheet.merged_cell_ranges or ()
        if first[1] == last[1] and last[0] > first[0]
    ]
    rows = [[as_text(value) for value in row] for row in sheet.to_python(skip_empty_area=False)]
    return {"name": sheet.name, "rows": rows, "merges": joined}


def cells_of(data: bytes) -> bytes:
    """All sheets as JSON. Raises FileFault."""
    import python_calamine

    _bounded(data)
    try:
        book = python_calamine.load_workbook(io.BytesIO(data))
        tables = [_table(book.get_sheet_by_name(name)) for name in book.sheet_names[:MAX_SHEETS]]
    except FileFault:
        raise
    except BaseException as error:  # the library also raises kinds that are no Exception
        raise FileFault(f"the spreadsheet cannot be read: {str(error)[:120]}.", do=AS_CSV) from None
    return json.dumps({"how": "", "tables": tables}).encode()


if __name__ == "__main__":
    sys.exit(answer(cells_of))
