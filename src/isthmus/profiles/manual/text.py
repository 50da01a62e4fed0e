"""Text of a chart, however it was pasted, to rows with a confidence and the doubts behind it.

The reader goes line by line. It splits a line into cells (tabs, bars, semicolons, or wide spaces), decides which
cell is a channel number by what number is due next, takes ranges for ranges, and the rest for names.
"""

from __future__ import annotations

import csv
import re
from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass, field, replace

from isthmus.errors import EntryFault
from isthmus.profiles.manual.cells import Scale, Value, bare_hexadecimal, channels_at, find_range, tidy, whole_range
from isthmus.profiles.manual.naming import propose, propose_band
from isthmus.profiles.sheet import Band, Line, Sheet

MAX_LINES = 20_000
MAX_TEXT = 4_000_000
MAX_LINE = 2_000
MAX_CHANNEL = 512
MAX_BANDS = 256
MAX_CHARTS = 40
_HEAD_WORDS = re.compile(r"\b(channels?|ch\.?|kanal|canal|dmx|values?|wert|valeur|valor|range|functions?|funktion|fonction|funcion|description|beschreibung|default|attribute|feature|percent|hex|decimal)\b", re.IGNORECASE)  # fmt: skip
_TITLE = re.compile(r"(\b\d{1,3}\s*-?\s*(ch|channels?|kanal|canaux|kanäle)\b|\bmode\b|\bpersonality\b|\bmodus\b)", re.IGNORECASE)
_FULL = re.compile(r"^(0\s*-\s*100\s*%?|0\s*-\s*255|min(imum)?\s*(-|to)\s*max(imum)?|dark\s*(-|to)\s*bright)$", re.IGNORECASE)
_DEFAULT = re.compile(r"\b(?:default|home)\s*[:=]?\s*(\d{1,5})\b", re.IGNORECASE)


@dataclass(frozen=True)
class RowBand:
    start: int
    end: int
    name: str
    source: int  # line of the text, from 1


@dataclass(frozen=True)
class Row:
    """One channel read from a manual. `doubts` say what lowered the confidence (0 … 1)."""

    slots: tuple[int, ...]
    name: str
    attribute: str
    bands: tuple[RowBand, ...] = ()
    default: int | None = None
    source: tuple[int, int] = (0, 0)  # first and last line of the text
    confidence: float = 1.0
    doubts: tuple[str, ...] = ()


@dataclass(frozen=True)
class ManualChart:
    title: str
    rows: tuple[Row, ...]
    notes: tuple[str, ...] = ()

    @property
    def confidence(self) -> float:
        return sum(row.confidence for row in self.rows) / len(self.rows) if self.rows else 0.0

    def sheet(self) -> Sheet:
        """The chart for comparing and judging."""
        return Sheet(self.title, tuple(_line(row) for row in self.rows))


def _line(row: Row) -> Line:
    bands = tuple(Band(b.start, b.end, b.name, propose_band(b.name, row.attribute)) for b in row.bands)
    return Line(row.slots, row.attribute, row.name, bands, row.default)


@dataclass
class _Draft:
    """A row in the making; values still in the scale they were written in."""

    slots: list[int]
    names: list[str]
    first: int
    last: int
    bands: list[tuple[Value, str, int]] = field(default_factory=list)
    default: int | None = None
    doubts: dict[str, float] = field(default_factory=dict)

    def doubt(self, text: str, cost: float) -> None:
        self.doubts[text] = max(cost, self.doubts.get(text, 0.0))


@dataclass
class _Table:
    title: str = ""
    drafts: list[_Draft] = field(default_factory=list)

    @property
    def due(self) -> int:
        return self.drafts[-1].slots[-1] + 1 if self.drafts else 1


# ---------------------------------------------------------------- cells


def _splitter(lines: Sequence[str]) -> str:
    """How the cells of a line are told apart: by tab, bar, semicolon, comma or wide spaces."""
    filled = [line for line in lines if line.strip()]
    count = max(1, len(filled))
    for mark in "\t|;":
        if sum(mark in line for line in filled) >= 0.4 * count:
            return mark
    commas = Counter(line.count(",") for line in filled)
    most, times = commas.most_common(1)[0] if commas else (0, 0)
    return "," if most >= 2 and times >= 0.6 * count else " "


def _cells(line: str, mark: str) -> list[str]:
    if mark == ",":
        parts = next(csv.reader([line]), [])
    elif mark == " ":
        parts = re.split(r"\s{2,}", line.strip())
    else:
        parts = line.strip("\n").strip("|" if mark == "|" else "").split(mark)
    return [part.strip().strip('"') for part in parts]


def _mode_columns(grid: Sequence[Sequence[str]]) -> int:
    """How many leading columns hold channel numbers, one for each mode; 1 when there is but one."""
    count = 0
    for column in range(6):
        cells = [row[column].strip() for row in grid if len(row) > column + 1]
        numbers = [int(cell) for cell in cells if re.fullmatch(r"\d{1,3}", cell)]
        blank = sum(1 for cell in cells if cell in ("", "-", "--", "/", "x", "n/a"))
        words = len(cells) - len(numbers) - blank
        ascending = sum(1 for a, b in zip(numbers, numbers[1:], strict=False) if 0 < b - a <= 2)
        if len(numbers) < 2 or words > 2 or ascending < 0.7 * (len(numbers) - 1) or numbers[0] > 3:
            break
        count += 1
    return max(1, count)


_FROM = {"from", "von", "min", "start", "low", "de"}
_TO = {"to", "bis", "max", "end", "stop", "high", "a"}
_BESIDE = {"cell", "physical", "percent", "%", "notes", "remark", "remarks"}


def _by_header(grid: list[list[str]]) -> list[list[str]]:
    """Rows of a table whose head names a column each for where a range begins and ends, with the two put together."""
    for at, row in enumerate(grid[:12]):
        names = [cell.strip().lower() for cell in row]
        low = next((i for i, name in enumerate(names) if name in _FROM), None)
        high = next((i for i, name in enumerate(names) if name in _TO), None)
        if low is not None and high is not None and low < high:
            break
    else:
        return grid
    default = next((i for i, name in enumerate(names) if name in ("default", "home")), None)
    drop = {high, default, *(i for i, name in enumerate(names) if name in _BESIDE)}
    made = grid[: at + 1]
    for row in grid[at + 1 :]:
        cells = row + [""] * (len(names) - len(row))
        if cells[low] and cells[high]:
            cells[low] = f"{cells[low]}-{cells[high]}"
        kept = [cell for i, cell in enumerate(cells) if i not in drop]
        if default is not None and cells[default]:
            kept.insert(1, f"default {cells[default]}")
        made.append(kept)
    return made


# ---------------------------------------------------------------- lines


class _Reader:
    def __init__(self, bare_hex: bool) -> None:
        self.tables = [_Table()]
        self.bare_hex = bare_hex

    @property
    def table(self) -> _Table:
        return self.tables[-1]

    def open_table(self, title: str = "") -> None:
        if self.table.drafts and len(self.tables) < MAX_CHARTS:
            self.tables.append(_Table(title))
        elif title:
            self.table.title = title

    def take(self, cells: list[str], number: int) -> None:
        """One line of the source."""
        filled = [cell for cell in cells if cell]
        if not filled:
            return
        if self.heading(filled):
            return
        cells = filled if len(filled) > 1 else self.inline(filled[0])
        draft, cells = self.channel(cells, number)
        value, before, after = self.values(cells)
        if draft is None and not self.table.drafts:
            return  # text before the table
        if draft is not None:
            self.table.drafts.append(draft)
            self.first_line(draft, value, before, after, number)
        else:
            self.next_line(value, before, after, number)

    def heading(self, cells: Sequence[str]) -> bool:
        text = " ".join(cells)
        words = len(_HEAD_WORDS.findall(text))
        if words >= 2 and find_range(text, self.bare_hex) is None and not re.search(r"\b\d+\b", re.sub(r"\d+\s*-?\s*ch\w*", "", text, flags=re.IGNORECASE)):
            return True
        if len(cells) <= 2 and len(text) < 80 and _TITLE.search(text) and find_range(text, self.bare_hex) is None:
            start = channels_at(cells[0])
            if start is None or not (start.said or start.numbers[0] == self.table.due) or _TITLE.match(text):
                self.open_table(text.strip(" :-–"))
                return True
        return False

    def inline(self, text: str) -> list[str]:
        """One cell with everything in it: the channel, the name, the range, its meaning."""
        start = channels_at(text)
        cells = []
        if start is not None and start.end < len(text) and self.plausible(start.numbers, start.said, dashed=start.dashed, more=True):
            cells.append(text[: start.end])
            text = text[start.end :].strip(" :-\t")
        value = find_range(text, self.bare_hex)
        if value is None:
            return [*cells, text]
        before, span, after = text[: value.at[0]].strip(" :-("), text[value.at[0] : value.at[1]], text[value.at[1] :].strip(" :-)=")
        return [cell for cell in (*cells, before, span, after) if cell]

    def plausible(self, numbers: Sequence[int], said: bool, dashed: bool, more: bool) -> bool:
        """Could these be the channel numbers due here, and not values?"""
        first, due = numbers[0], self.table.due
        if any(not 1 <= number <= MAX_CHANNEL for number in numbers) or any(b <= a for a, b in zip(numbers, numbers[1:], strict=False)):
            return False
        if said:
            return True
        if dashed and len(numbers) == 2 and numbers[1] - numbers[0] > 3:
            return False
        draft = self.table.drafts[-1] if self.table.drafts else None
        continues = draft is not None and draft.bands and draft.bands[-1][0].end + 1 == first
        if first == due:
            return not (continues and dashed and not more)
        if first == 1 and not dashed and self.table.drafts and due > 2:
            return more
        return due < first <= due + 3 and not dashed and not continues and more

    def channel(self, cells: list[str], number: int) -> tuple[_Draft | None, list[str]]:
        """The channel a line begins, if it does, and the cells that are left."""
        start = channels_at(cells[0])
        if start is None:
            return None, cells
        rest = cells[0][start.end :].strip(" :-")
        if rest and not start.said and not re.match(r"[A-Za-z(]", rest):
            return None, cells
        more = len(cells) > 1 or bool(rest)
        if not self.plausible(start.numbers, start.said, start.dashed, more):
            return None, cells
        if start.numbers[0] <= (self.table.drafts[-1].slots[-1] if self.table.drafts else 0):
            if start.numbers[0] != 1:
                if not start.said:
                    return None, cells
            else:
                self.open_table()
        draft = _Draft(list(start.numbers), [], number, number)
        if start.numbers[0] != self.table.due and self.table.drafts:
            draft.doubt(f"channel {self.table.due} was due here, not {start.numbers[0]}", 0.25)
        elif not self.table.drafts and start.numbers[0] != 1:
            draft.doubt(f"the table begins with channel {start.numbers[0]}", 0.15)
        return draft, ([rest] if rest else []) + cells[1:]

    def values(self, cells: Sequence[str]) -> tuple[Value | None, list[str], list[str]]:
        """The range of a line, the texts before it and the texts after it."""
        for index, cell in enumerate(cells):
            value = whole_range(cell, self.bare_hex)
            if value is not None:
                after = list(cells[index + 1 :])
                if value.start == value.end and after and (second := whole_range(after[0])) and second.start == second.end >= value.start:
                    value, after = replace(value, end=second.end), after[1:]  # where it begins and ends, in a cell each
                if value.scale == "percent" and after and (second := whole_range(after[0])) and second.scale != "percent":
                    value, after = second, after[1:]  # both are given: the slot values count
                elif after and (second := whole_range(after[0])) and (second.scale in ("percent", "hex") or value.scale == "hex"):
                    value, after = (second if value.scale == "hex" and second.scale == "dec" else value), after[1:]
                return value, list(cells[:index]), after
        for index, cell in enumerate(cells):
            value = find_range(cell, self.bare_hex)
            if value is not None and value.scale != "percent":
                before, after = cell[: value.at[0]].strip(" :-(["), cell[value.at[1] :].strip(" :-=)]")
                return value, [*cells[:index], *([before] if before else [])], [*([after] if after else []), *cells[index + 1 :]]
        return None, list(cells), []

    def first_line(self, draft: _Draft, value: Value | None, before: list[str], after: list[str], number: int) -> None:
        names = before
        meaning = after
        if not names and meaning:
            # no name before the range: the first text after it is the channel's, unless it is one meaning of several
            whole = value is not None and value.start == 0 and value.end in (255, 100, 65535)
            if whole or len(meaning) > 1:
                names, meaning = meaning[:1], meaning[1:]
        self.name(draft, names)
        if value is not None:
            draft.bands.append((value, " ".join(meaning), number))
        elif meaning:
            self.name(draft, meaning)

    def name(self, draft: _Draft, names: Sequence[str]) -> None:
        for text in names:
            found = _DEFAULT.search(text)
            if found:
                draft.default = int(found[1])
                text = (text[: found.start()] + text[found.end() :]).strip(" ,;()")
            if text and not re.fullmatch(r"\d{1,5}", text):
                draft.names.append(text)
            elif text and draft.default is None:
                draft.default = int(text)

    def next_line(self, value: Value | None, before: list[str], after: list[str], number: int) -> None:
        draft = self.table.drafts[-1]
        draft.last = number
        if value is not None and len(draft.bands) < MAX_BANDS:
            draft.bands.append((value, " ".join([*before, *after]), number))
            return
        text = " ".join([*before, *after])
        if not text or len(text) > 200:
            return
        if draft.bands and draft.bands[-1][2] == number - 1 and draft.bands[-1][1]:
            last, name, at = draft.bands[-1]
            draft.bands[-1] = (last, f"{name} {text}", at)
            draft.doubt("a line without a range was joined to the range above", 0.1)
        elif not draft.bands:
            draft.names.append(text)
            draft.doubt("its name runs over several lines", 0.05)


# ---------------------------------------------------------------- rows


def _band(value: Value, name: str, source: int, size: int, wide: bool) -> tuple[RowBand, str]:
    """A range in slot values, and what is doubtful about it."""
    top = 256**size - 1
    start, end = value.start, value.end
    doubt = ""
    if value.scale == "percent":
        # 49 % ends where 50 % begins
        start, end = start * top / 100, top if end >= 100 else (end + 1) * top / 100 - 1
        doubt = "its ranges are in percent and were converted"
    elif size > 1 and not wide:
        start, end = int(start) << (8 * (size - 1)), ((int(end) + 1) << (8 * (size - 1))) - 1
    low, high = round(start), round(end)
    if high < low:
        low, high, doubt = high, low, f"its range {low}–{high} runs backwards"
    if high > top:
        doubt = f"its range ends at {high}, past {top}"
    return RowBand(min(low, top), min(high, top), re.sub(r"\s+", " ", name).strip(" :-;,"), source), doubt


def _row(draft: _Draft) -> Row:
    name = re.sub(r"\s+", " ", " ".join(dict.fromkeys(draft.names))).strip(" :-")
    size = len(draft.slots)
    scales: set[Scale] = {value.scale for value, _, _ in draft.bands}
    wide = any(value.scale != "percent" and value.end > 255 for value, _, _ in draft.bands)
    if scales == {"percent"} and len(draft.bands) == 1 and draft.bands[0][0].end == 100:
        draft.bands = []
    bands = []
    for value, text, source in draft.bands:
        band, doubt = _band(value, text, source, size, wide)
        bands.append(band)
        if doubt:
            draft.doubt(doubt, 0.25 if "backwards" in doubt or "past" in doubt else 0.1)
    if scales == {"percent"}:
        bands = [replace(a, end=b.start - 1) if a.start < b.start <= a.end else a for a, b in zip(bands, [*bands[1:], bands[-1]], strict=True)]
    if not name and bands and 0 < (cut := bands[0].name.find(":")) < 40:
        name, bands[0] = bands[0].name[:cut].strip(), replace(bands[0], name=bands[0].name[cut + 1 :].strip())
    if len(bands) == 1 and bands[0].start == 0 and bands[0].end >= 255:
        if not name:
            name = bands[0].name
        if not bands[0].name or _FULL.match(bands[0].name) or bands[0].name == name:
            bands = []
    guess = propose(name, [band.name for band in bands])
    if not name:
        draft.doubt("it has no name of its own", 0.2)
    if not guess.attribute:
        draft.doubt("its attribute is not known from its name", 0.4)
    elif guess.confidence < 0.85:
        draft.doubt("its attribute is guessed from part of its name", round(0.85 - guess.confidence, 2))
    starts = [band.start for band in bands]
    if starts != sorted(starts):
        draft.doubt("its ranges are out of order", 0.15)
        bands.sort(key=lambda band: band.start)
    confidence = 1.0
    for cost in draft.doubts.values():
        confidence *= 1.0 - cost
    return Row(
        tuple(draft.slots), name, guess.attribute, tuple(bands), draft.default, (draft.first, draft.last), round(confidence, 2), tuple(draft.doubts)
    )


def _joined(rows: list[Row]) -> list[Row]:
    """Fine channels put to the coarse ones they belong to."""
    made: list[Row] = []
    for row in rows:
        guess = propose(row.name)
        if guess.fine and len(row.slots) == 1:
            host = next((m for m in reversed(made) if (guess.attribute in ("", m.attribute)) and len(m.slots) < 4), None)
            if host is not None and (guess.attribute or host is made[-1]):
                shift = 8
                wide = tuple(replace(band, start=band.start << shift, end=((band.end + 1) << shift) - 1) for band in host.bands)
                joined = replace(
                    host,
                    slots=(*host.slots, *row.slots),
                    bands=wide,
                    default=None if host.default is None else host.default << shift,
                    source=(host.source[0], max(host.source[1], row.source[1])),
                    confidence=min(host.confidence, max(row.confidence, 0.9)),
                )
                made[made.index(host)] = joined
                continue
        made.append(row)
    return made


def _colours_together(rows: list[Row]) -> list[Row]:
    """Cyan, magenta and yellow beside red, green and blue are emitters; alone they take light away."""
    have = {row.attribute for row in rows}
    if not {"ColorAdd_R", "ColorAdd_G"} <= have:
        return rows
    turn = {"ColorSub_C": "ColorAdd_C", "ColorSub_Y": "ColorAdd_GY"}
    return [replace(row, attribute=turn[row.attribute]) if row.attribute in turn and "ColorSub_M" not in have else row for row in rows]


def _chart(table: _Table, notes: list[str]) -> ManualChart:
    rows = _colours_together(_joined([_row(draft) for draft in table.drafts]))
    return ManualChart(re.sub(r"\s+", " ", table.title), tuple(rows), tuple(notes))


def read_chart(text: str) -> list[ManualChart]:
    """Every chart found in a text, in order. Raises EntryFault when there is none."""
    notes: list[str] = []
    if len(text) > MAX_TEXT:
        text = text[:MAX_TEXT]
        notes.append(f"Only the first {MAX_TEXT // 1_000_000} million characters were read.")
    raw = text.splitlines()
    if len(raw) > MAX_LINES:
        notes.append(f"Only the first {MAX_LINES} of {len(raw)} lines were read; paste the table alone.")
    lines = [tidy(line[:MAX_LINE]) for line in raw[:MAX_LINES]]
    mark = _splitter(lines)
    grid = [_cells(line, mark) for line in lines]
    columns = _mode_columns(grid) if mark != " " or any(len(row) > 2 for row in grid) else 1
    charts = []
    for column in range(columns):
        charts.extend(_read_grid(_one_mode(grid, column, columns), notes))
    charts = [chart for chart in charts if _is_chart(chart)]
    if not charts:
        raise EntryFault(
            "no chart was found in this text: there are no rows that begin with channel numbers.",
            do="Paste the table with its channel numbers, one channel or one range a line.",
        )
    return charts


def _is_chart(chart: ManualChart) -> bool:
    return bool(chart.rows) and (len(chart.rows) > 1 or bool(chart.rows[0].name and chart.rows[0].attribute) or len(chart.rows[0].bands) > 1)


def _one_mode(grid: Sequence[Sequence[str]], column: int, columns: int) -> list[list[str]]:
    """The grid as the mode in `column` has it: rows of channels it lacks are left out, with what hangs below them."""
    if columns == 1:
        return [list(row) for row in grid]
    made: list[list[str]] = []
    leaves = False
    for row in grid:
        head, rest = list(row[:columns]), list(row[columns:])
        if not any(cell.strip() for cell in head) or len(row) <= columns:
            made.append([] if leaves else list(row))
            continue
        own = head[column]
        numbered = [cell for cell in head if re.fullmatch(r"\d{1,3}", cell)]
        if numbered:
            leaves = not re.fullmatch(r"\d{1,3}", own)
            made.append([] if leaves else [own, *rest])
        else:
            title = own if own and not re.fullmatch(r"[\W\d]*", own) else ""
            made.append([f"Mode {title}"] if title and not _any(made) else [])
    return made


def _any(rows: Sequence[Sequence[str]]) -> bool:
    return any(any(row) for row in rows)


def _read_grid(grid: list[list[str]], notes: list[str]) -> list[ManualChart]:
    grid = _by_header(grid)
    reader = _Reader(bare_hexadecimal([cell for row in grid for cell in row]))
    for number, cells in enumerate(grid, 1):
        reader.take(cells, number)
    return [_chart(table, notes) for table in reader.tables if table.drafts]
