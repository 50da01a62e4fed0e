"""Swatch books: a shipped one, and others read from CSV and kept with the user's data."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path

import numpy as np

from isthmus.errors import EntryFault, FileFault, os_reason
from isthmus.gels.spectrum import DAYLIGHT, NM, TUNGSTEN, curve_from_rgb, rgb_through
from isthmus.library.sources import data_folder
from isthmus.profiles.colour import decode_srgb
from isthmus.show.files import read_file, write_atomically
from isthmus.show.records import Gel
from isthmus.show.tables import read_table

MAX_BYTES = 8 * 2**20
MAX_GELS = 5000
HERE = Path(__file__).parent / "shipped"
NAMES = {
    "code": ("code", "number", "no", "nr", "ref"),
    "name": ("name", "title", "description"),
    "colour": ("colour", "color", "hex", "rgb", "srgb"),
    "curve": ("curve", "transmission"),
}


@dataclass(frozen=True)
class Book:
    name: str
    gels: tuple[Gel, ...]
    faults: tuple[str, ...] = ()

    def gel(self, code: str) -> Gel | None:
        """The gel of a code, in capitals or not; None where there is none."""
        return next((gel for gel in self.gels if gel.code.lower() == code.lower()), None)


def read_book(path: Path, name: str = "") -> Book:
    """A swatch book from CSV: code, name, and a colour (#RRGGBB or three values) or a transmission
    curve.

    A curve stands in columns headed by wavelengths (400, 410 nm …), or in one column with spaces
    between; it may be in percent. Raises FileFault when it is not a book at all; faults of single
    lines are told in the book.
    """
    return parse_book(read_file(path, MAX_BYTES), name or path.stem, path.name)


def parse_book(data: bytes, name: str, where: str) -> Book:
    """The same from bytes."""
    rows = read_table(data, where)
    head = [cell.strip().lower() for cell in rows[0]] if rows else []
    columns = {
        field: next(i for i, cell in enumerate(head) if cell in names)
        for field, names in NAMES.items()
        if set(names) & set(head)
    }
    waves = {
        i: float(m[1])
        for i, cell in enumerate(head)
        if (m := re.fullmatch(r"(\d{3})(?:\s*nm)?", cell))
    }
    coloured = columns.keys() & {"colour", "curve"} or len(waves) >= 4
    if "code" not in columns or not coloured:
        raise FileFault(
            "this is not a swatch book: it needs a column Code, and a Colour, a Curve or "
            "columns of wavelengths.",
            where=where,
            do="Name the columns Code, Name, Colour.",
        )
    gels: dict[str, Gel] = {}
    faults: list[str] = []
    for line, row in enumerate(rows[1 : MAX_GELS + 1], 2):
        if not any(row):
            continue
        cells = {field: row[i].strip() for field, i in columns.items() if i < len(row)}
        curve = {w: row[i] for i, w in waves.items() if i < len(row)}
        try:
            made = _gel(name, cells, curve)
            if made.code.lower() in gels:
                raise EntryFault(f"the code {made.code} stands in an earlier line.")
            gels[made.code.lower()] = made
        except EntryFault as fault:
            faults.append(f"Line {line}: {fault.what}")
    if not gels:
        raise FileFault(
            f"no line of it is a gel. {faults[0] if faults else ''}".strip(), where=where
        )
    return Book(name, tuple(gels.values()), tuple(faults))


def _gel(book: str, cells: Mapping[str, str], waves: dict[float, str]) -> Gel:
    """A gel of one line: by its curve where there is one, else by its colour. Raises EntryFault."""
    code, name = cells.get("code", ""), cells.get("name", "")
    if not code:
        raise EntryFault("the code is missing.")
    if len(code) > 60 or "+" in code:
        raise EntryFault(f"“{code[:20]}” is not a code: it is too long, or has a plus sign.")
    points = {w: _number(v) for w, v in waves.items() if v.strip()}
    if not points and cells.get("curve"):
        values = [_number(v) for v in cells["curve"].split()]
        if not 4 <= len(values) <= 400:
            raise EntryFault(f"the curve of {code} has {len(values)} values; 31 are usual.")
        points = dict(zip(np.linspace(400, 700, len(values)), values, strict=True))
    if len(points) >= 4:
        through = np.interp(NM, *_curve(points, code))
        return make_gel(book, code, name, tuple(round(float(v), 4) for v in through))
    rgb = _colour(cells.get("colour", ""), code)
    daylight = rgb_through(curve_from_rgb(np.array(rgb)), DAYLIGHT)
    return Gel(book=book, code=code, name=name[:80], rgb=rgb, daylight=_three(daylight))


def _curve(points: Mapping[float, float], code: str) -> tuple[np.ndarray, np.ndarray]:
    """Wavelengths (n,) in nm, rising, and what goes through at each, 0 … 1. Raises EntryFault."""
    wave = np.array(sorted(points))
    value = np.array([points[w] for w in sorted(points)])
    value = (
        value / 100 if value.max() > 1.5 else value
    )  # no gel lets more than all through: percent
    if not np.isfinite(value).all() or value.min() < 0 or value.max() > 1.001:
        raise EntryFault(f"the curve of {code} leaves 0 to 100 %.")
    return wave, value


def make_gel(book: str, code: str, name: str, curve: tuple[float, ...]) -> Gel:
    """A gel from its transmission at 400, 410 … 700 nm."""
    through = np.array(curve)
    return Gel(
        book=book,
        code=code,
        name=name[:80],
        rgb=_three(rgb_through(through, TUNGSTEN)),
        daylight=_three(rgb_through(through, DAYLIGHT)),
        curve=curve,
    )


def _three(rgb: np.ndarray) -> tuple[float, float, float]:
    r, g, b = (round(float(v), 4) for v in rgb)
    return r, g, b


def _number(text: str) -> float:
    try:
        return float(text.strip().rstrip("%").replace(",", "."))
    except ValueError:
        raise EntryFault(f"“{text.strip()[:20]}” is not a transmission.") from None


def _colour(text: str, code: str) -> tuple[float, float, float]:
    """Linear sRGB of `#E0A030` or `224 160 48`."""
    if match := re.fullmatch(r"#?([0-9a-fA-F]{6})", text):
        values = [int(match[1][i : i + 2], 16) for i in (0, 2, 4)]
    else:
        values = [int(v) for v in re.findall(r"\d+", text)]
        if len(values) != 3 or max(values) > 255:
            raise EntryFault(
                f"{code} has no colour that can be read: “{text[:20]}”."
                if text
                else f"{code} has neither colour nor curve."
            )
    return _three(decode_srgb(np.array(values) / 255))


# ---------------------------------------------------------------- at hand


def books_folder() -> Path:
    """Where a person's own books are."""
    return data_folder() / "books"


def keep_book(data: bytes, name: str, where: str) -> Book:
    """Keep a book among the user's own. Raises FileFault."""
    book = parse_book(data, name, where)
    safe = re.sub(r"[^\w .-]", "_", name).strip(" .")[:80] or "book"
    try:
        books_folder().mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise FileFault(
            f"the folder of swatch books cannot be made. {os_reason(error)}",
            where=str(books_folder()),
        ) from error
    write_atomically(books_folder() / f"{safe}.csv", data)
    return book


@lru_cache(64)
def _book(path: str, stamp: int) -> Book | None:
    try:
        return read_book(Path(path))
    except FileFault:
        return None


def books_at_hand() -> list[Book]:
    """The shipped book and one's own, each read once for each state its file is in."""
    found = []
    for folder in (HERE, books_folder()):
        try:
            paths = sorted(folder.glob("*.csv"))
        except OSError:
            continue
        for path in paths:
            try:
                book = _book(str(path), path.stat().st_mtime_ns)
            except OSError:
                continue
            if book:
                found.append(book)
    return found
