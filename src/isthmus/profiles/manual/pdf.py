"""Text of a PDF's page, as tables where it has ruled ones and in its layout where it has none.

pdfplumber is imported when a PDF is read: it is large, and most runs never need it.
"""

from __future__ import annotations

import logging
import re
from collections.abc import Callable
from pathlib import Path

from isthmus.errors import Cancelled, EntryFault, FileFault, IsthmusError
from isthmus.plural import many
from isthmus.profiles.manual.rows import ManualChart
from isthmus.profiles.manual.text import read_chart
from isthmus.show.files import read_file

MAX_PDF = 128 * 1024 * 1024
MAX_PAGES = 600
_LIKELY = re.compile(
    r"\b(dmx|channel|kanal|canal|ch\.?\s?\d|000\s*[-–…]|0\s*[-–…]\s*255)\b", re.IGNORECASE
)


def page_texts(
    path: Path, pages: list[int] | None = None, told: Callable[[int, int], None] | None = None
) -> dict[int, list[str]]:
    """The ways each page (from 1) can be taken as text, ruled tables first. Raises FileFault.

    `told(done, all)` may raise to stop.
    """
    import pdfplumber

    logging.getLogger("pdfminer").setLevel(logging.ERROR)
    read_file(path, MAX_PDF)  # tells what is wrong with the path in our own words
    try:
        with pdfplumber.open(path) as document:
            count = min(len(document.pages), MAX_PAGES)
            wanted = [page for page in (pages or range(1, count + 1)) if 1 <= page <= count]
            if not wanted:
                raise FileFault(
                    f"it has {many(count, 'page')}.", where=path.name, do="Choose one of them."
                )
            found = {}
            for done, number in enumerate(wanted):
                if told is not None:
                    told(done, len(wanted))
                page = document.pages[number - 1]
                ways = []
                tables = page.extract_tables() if len(page.lines) + len(page.rects) < 20_000 else []
                if tables:
                    ways.append(
                        "\n".join(
                            "\t".join(_cell(cell) for cell in row)
                            for table in tables
                            for row in table
                        )
                    )
                ways.append(page.extract_text(layout=True) or "")
                found[number] = [way for way in ways if way.strip()]
                page.close()
            return found
    except (IsthmusError, Cancelled):
        raise
    except Exception as error:  # pdfminer raises whatever a damaged file makes it trip over
        raise FileFault(
            f"it cannot be read as a PDF ({type(error).__name__}).",
            where=path.name,
            do="Open it in a viewer and copy the table from there.",
        ) from error


def _cell(cell: str | None) -> str:
    return re.sub(r"\s+", " ", cell or "")


def best_chart(ways: list[str]) -> tuple[str, list[ManualChart]]:
    """The reading of a page with the most confident rows, and its text. Raises EntryFault when none
    has a chart.
    """
    best: tuple[float, str, list[ManualChart]] | None = None
    for text in ways:
        try:
            charts = read_chart(text)
        except EntryFault:
            continue
        worth = sum(row.confidence for chart in charts for row in chart.rows)
        if best is None or worth > best[0] + 0.5:
            best = (worth, text, charts)
    if best is None:
        raise EntryFault(
            "no chart was found on this page.",
            do="Choose the page with the DMX chart, or paste its text.",
        )
    return best[1], best[2]


def likely_pages(texts: dict[int, list[str]]) -> list[int]:
    """Pages by how much they look like a DMX chart, the likeliest first."""
    weight = {
        page: sum(len(_LIKELY.findall(way)) for way in ways[-1:]) for page, ways in texts.items()
    }
    return sorted(
        (page for page, count in weight.items() if count >= 4),
        key=lambda page: (-weight[page], page),
    )
