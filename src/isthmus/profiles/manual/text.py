"""Text of a chart, however it was pasted, to rows with a confidence and the doubts behind it.

The reader goes line by line. It splits a line into cells (tabs, bars, semicolons, or wide spaces),
decides which cell is a channel number by what number is due next, takes ranges for ranges, and the
rest for names.
"""

from __future__ import annotations

import csv
import itertools
import re
from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass, field, replace

from isthmus.errors import EntryFault
from isthmus.plural import many
from isthmus.profiles.manual.cells import (
    Value,
    bare_hexadecimal,
    channels_at,
    find_range,
    tidy,
    whole_range,
)
from isthmus.profiles.manual.rows import Draft, ManualChart, colours_together, joined, row_of

MAX_LINES = 20_000
MAX_TEXT = 4_000_000
MAX_LINE = 2_000
MAX_CHANNEL = 512
MAX_BANDS = 256
MAX_CHARTS = 40
_HEAD_WORDS = re.compile(
    r"\b(channels?|ch\.?|kanal|canal|dmx|values?|wert|valeur|valor|range|functions?|funktion|fonction|funcion|description|beschreibung|default|attribute|feature|percent|hex|decimal)\b",
    re.IGNORECASE,
)
_TITLE = re.compile(
    r"(\b\d{1,3}\s*-?\s*(ch|channels?|kanal|canaux|kanäle)\b|\bmode\b|\bpersonality\b|\bmodus\b)",
    re.IGNORECASE,
)
_DEFAULT = re.compile(r"\b(?:default|home)\s*[:=]?\s*(\d{1,5})\b", re.IGNORECASE)


@dataclass
class _Table:
    title: str = ""
    drafts: list[Draft] = field(default_factory=list)

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
        ascending = sum(1 for a, b in itertools.pairwise(numbers) if 0 < b - a <= 2)
        if len(numbers) < 2 or words > 2 or ascending < 0.7 * (len(numbers) - 1) or numbers[0] > 3:
            break
        count += 1
    return max(1, count)


_FROM = {"from", "von", "min", "start", "low", "de"}
_TO = {"to", "bis", "max", "end", "stop", "high", "a"}
_BESIDE = {"cell", "physical", "percent", "%", "notes", "remark", "remarks"}


def _by_header(grid: list[list[str]]) -> list[list[str]]:
    """Rows of a table whose head names a column each for where a range begins and ends, with the
    two put together.
    """
    for at, row in enumerate(grid[:12]):
        names = [cell.strip().lower() for cell in row]
        if _FROM & set(names) and _TO & set(names):
            return grid[: at + 1] + [_with_range(names, row) for row in grid[at + 1 :]]
    return grid


def _with_range(names: list[str], row: list[str]) -> list[str]:
    """A row of such a table: the range in one cell, its default told, other columns left out."""
    low = next(i for i, name in enumerate(names) if name in _FROM)
    high = next(i for i, name in enumerate(names) if name in _TO)
    default = next((i for i, name in enumerate(names) if name in ("default", "home")), None)
    drop = {high, default, *(i for i, name in enumerate(names) if name in _BESIDE)}
    cells = row + [""] * (len(names) - len(row))
    if cells[low] and cells[high]:
        cells[low] = f"{cells[low]}-{cells[high]}"
    kept = [cell for i, cell in enumerate(cells) if i not in drop]
    if default is not None and cells[default]:
        kept.insert(1, f"default {cells[default]}")
    return kept


# ---------------------------------------------------------------- lines


def _with_the_next(value: Value, after: list[str]) -> tuple[Value, list[str]]:
    """A range may stand in two cells: where it begins and ends, or once in slots and once in
    percent or hexadecimal. Then the slots count.
    """
    second = whole_range(after[0]) if after else None
    if second is None:
        return value, after
    if value.start == value.end and second.start == second.end >= value.start:
        value, after = replace(value, end=second.end), after[1:]
        second = whole_range(after[0]) if after else None
        if second is None:
            return value, after
    if value.scale == "percent" and second.scale != "percent":
        return second, after[1:]
    if value.scale == "hex" or second.scale in ("percent", "hex"):
        better = value.scale == "hex" and second.scale == "dec"
        return (second if better else value), after[1:]
    return value, after


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
        if (
            words >= 2
            and find_range(text, self.bare_hex) is None
            and not re.search(
                r"\b\d+\b", re.sub(r"\d+\s*-?\s*ch\w*", "", text, flags=re.IGNORECASE)
            )
        ):
            return True
        if (
            len(cells) <= 2
            and len(text) < 80
            and _TITLE.search(text)
            and find_range(text, self.bare_hex) is None
        ):
            start = channels_at(cells[0])
            if (
                start is None
                or not (start.said or start.numbers[0] == self.table.due)
                or _TITLE.match(text)
            ):
                self.open_table(text.strip(" :-–"))
                return True
        return False

    def inline(self, text: str) -> list[str]:
        """One cell with everything in it: the channel, the name, the range, its meaning."""
        start = channels_at(text)
        cells = []
        value = whole_range(text, self.bare_hex)
        if value is not None and value.scale != "dec":
            return [text]
        if (
            start is not None
            and start.end < len(text)
            and self.plausible(start.numbers, start.said, dashed=start.dashed, more=True)
        ):
            cells.append(text[: start.end])
            text = text[start.end :].strip(" :-\t")
        value = find_range(text, self.bare_hex)
        if value is None:
            return [*cells, text]
        before, span, after = (
            text[: value.at[0]].strip(" :-("),
            text[value.at[0] : value.at[1]],
            text[value.at[1] :].strip(" :-)="),
        )
        return [cell for cell in (*cells, before, span, after) if cell]

    def plausible(self, numbers: Sequence[int], said: bool, dashed: bool, more: bool) -> bool:
        """Could these be the channel numbers due here, and not values?"""
        first, due = numbers[0], self.table.due
        if not all(1 <= number <= MAX_CHANNEL for number in numbers):
            return False
        if any(b <= a for a, b in itertools.pairwise(numbers)):
            return False
        if said:
            return True
        if dashed and len(numbers) == 2 and numbers[1] - numbers[0] > 3:
            return False  # channels of more than four slots are rare, ranges are not
        draft = self.table.drafts[-1] if self.table.drafts else None
        continues = draft is not None and draft.bands and draft.bands[-1][0].end + 1 == first
        if first == due:
            return not (continues and dashed and not more)
        if first == 1 and not dashed and self.table.drafts and due > 2:
            return more
        return due < first <= due + 3 and not dashed and not continues and more

    def channel(self, cells: list[str], number: int) -> tuple[Draft | None, list[str]]:
        """The channel a line begins, if it does, and the cells that are left."""
        start = channels_at(cells[0])
        value = whole_range(cells[0], self.bare_hex)
        if start is None or (value is not None and value.scale != "dec"):
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
        draft = Draft(list(start.numbers), [], number, number)
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
                value, after = _with_the_next(value, list(cells[index + 1 :]))
                return value, list(cells[:index]), after
        for index, cell in enumerate(cells):
            value = find_range(cell, self.bare_hex)
            if value is not None and value.scale != "percent":
                before = cell[: value.at[0]].strip(" :-([")
                after = cell[value.at[1] :].strip(" :-=)]")
                return (
                    value,
                    [*cells[:index], *([before] if before else [])],
                    [*([after] if after else []), *cells[index + 1 :]],
                )
        return None, list(cells), []

    def first_line(
        self, draft: Draft, value: Value | None, before: list[str], after: list[str], number: int
    ) -> None:
        names = before
        meaning = after
        if not names and meaning:
            # no name before the range: the first text after it is the channel's, unless it is one
            # meaning of several
            whole = value is not None and value.start == 0 and value.end in (255, 100, 65535)
            if whole or len(meaning) > 1:
                names, meaning = meaning[:1], meaning[1:]
        self.name(draft, names)
        if value is not None:
            draft.bands.append((value, " ".join(meaning), number))
        elif meaning:
            self.name(draft, meaning)

    def name(self, draft: Draft, names: Sequence[str]) -> None:
        for text in names:
            found = _DEFAULT.search(text)
            if found:
                draft.default = int(found[1])
                text = (text[: found.start()] + text[found.end() :]).strip(" ,;()")
            if text and not re.fullmatch(r"\d{1,5}", text):
                draft.names.append(text)
            elif text and draft.default is None:
                draft.default = int(text)

    def next_line(
        self, value: Value | None, before: list[str], after: list[str], number: int
    ) -> None:
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


def _chart(table: _Table, notes: list[str]) -> ManualChart:
    rows = colours_together(joined([row_of(draft) for draft in table.drafts]))
    return ManualChart(re.sub(r"\s+", " ", table.title), tuple(rows), tuple(notes))


def read_chart(text: str) -> list[ManualChart]:
    """Every chart found in a text, in order. Raises EntryFault when there is none."""
    notes: list[str] = []
    if len(text) > MAX_TEXT:
        text = text[:MAX_TEXT]
        notes.append(f"Only the first {MAX_TEXT // 1_000_000} million characters were read.")
    raw = text.splitlines()
    if len(raw) > MAX_LINES:
        notes.append(
            f"Only the first {MAX_LINES} of {many(len(raw), 'line')} were read; paste the "
            "table alone."
        )
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
    rows = list(chart.rows)
    return len(rows) > 1 or any((row.name and row.attribute) or len(row.bands) > 1 for row in rows)


def _one_mode(grid: Sequence[Sequence[str]], column: int, columns: int) -> list[list[str]]:
    """The grid as the mode in `column` has it: rows of channels it lacks are left out, with what
    hangs below them.
    """
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
