"""The tables of a PDF: `python -m isthmus.cells.pdf_process`, a process apart.

Ruled tables are read by their lines; a page without them by the columns of its words.
"""

from __future__ import annotations

import io
import json
import logging
import sys
from typing import Any

import numpy as np

from isthmus.apart import answer
from isthmus.errors import FileFault

PAGES = 80
GAP = 4.0  # points between columns at least
FEW = 0.03  # of the lines may run over a gap: a long cell does

Word = tuple[float, float, str]  # left, right, text


def _lines(words: list[dict[str, Any]]) -> list[list[Word]]:
    """Words of a page as lines, from above, each from the left."""
    lines: dict[int, list[Word]] = {}
    for word in words:
        at = round(float(word["bottom"]) / 3)
        near = next((y for y in (at, at - 1, at + 1) if y in lines), at)
        lines.setdefault(near, []).append((float(word["x0"]), float(word["x1"]), word["text"]))
    return [sorted(lines[y]) for y in sorted(lines)]


def _columns(lines: list[list[Word]]) -> list[list[str]]:
    """Rows of cells: columns are parted by the strips that are blank in nearly all lines."""
    wide = [line for line in lines if len(line) > 2]
    if len(wide) < 3:
        return []
    width = int(max(right for line in wide for _, right, _ in line)) + 2
    inked = np.zeros(width, int)
    for line in wide:
        mine = np.zeros(width, bool)
        for left, right, _ in line:
            mine[int(left) : int(right) + 1] = True
        inked += mine
    blank = inked <= FEW * len(wide)
    begins = [0]
    at = 0
    while at < width:
        end = at
        while end < width and blank[end]:
            end += 1
        if end - at >= GAP and at > 0 and end < width:
            begins.append(end)
        at = max(end, at + 1)
    edges = np.array(begins)
    rows = []
    for line in lines:
        cells: list[list[str]] = [[] for _ in begins]
        for left, _, text in line:
            cells[int(np.searchsorted(edges, left + 0.5, "right")) - 1].append(text)
        alone = len(line) and line not in wide
        rows.append(
            [" ".join(cell) for cell in cells] if not alone else [" ".join(w[2] for w in line)]
        )
    return rows


def cells_of(data: bytes) -> bytes:
    """Raises FileFault."""
    import pdfplumber

    logging.getLogger("pdfminer").setLevel(logging.ERROR)
    rows: list[list[str]] = []
    loose: list[list[Word]] = []  # lines of words
    try:
        with pdfplumber.open(io.BytesIO(data)) as document:
            for page in document.pages[:PAGES]:
                tables = page.extract_tables() if len(page.lines) + len(page.rects) < 20_000 else []
                if tables:
                    rows += [[cell or "" for cell in row] for table in tables for row in table]
                else:
                    loose += _lines(page.extract_words(keep_blank_chars=False))
    except Exception as error:  # the library raises many kinds
        raise FileFault(
            f"the PDF cannot be read: {str(error)[:120]}.", do="Copy the table, and paste it."
        ) from None
    if len(rows) < 3 and loose:
        rows = _columns(loose)
    if not any(any(row) for row in rows):
        raise FileFault("no table is found in it.", do="Copy the table, and paste it.")
    table = {"name": "", "rows": rows, "merges": []}
    return json.dumps({"how": "the tables of its pages", "tables": [table]}).encode()


if __name__ == "__main__":
    sys.exit(answer(cells_of))
