"""A hang list from anywhere, read as far as it is sure: what convinces is read, what does not is
asked about, and every fault is told by its line. Nothing is taken silently.
"""

from __future__ import annotations

import csv
import io
from collections import Counter
from collections.abc import Callable, Mapping, Sequence
from dataclasses import replace
from pathlib import Path

from isthmus.errors import FileFault
from isthmus.hanglist.addressing import Addressing
from isthmus.hanglist.carried import MERGED, Above, is_ditto, merged
from isthmus.hanglist.columns import Columns, Found
from isthmus.hanglist.found import (
    CHOSEN,
    KEPT_AS,
    NEEDED,
    PLAIN,
    Answers,
    Came,
    HangList,
    Question,
    Unknown,
)
from isthmus.hanglist.grid import Grid, read_grids
from isthmus.hanglist.idents import dashes_are_ranges
from isthmus.hanglist.likely import proven_names
from isthmus.hanglist.modes import Models
from isthmus.hanglist.rows import Row, Rows
from isthmus.hanglist.spots import PAIR, SLOT, THROUGH, read_cell
from isthmus.hanglist.steps import Beside, local_steps, spelled_out
from isthmus.hanglist.table import DATA, SPARE, Table, find_heading, sort_rows
from isthmus.hanglist.whole import judge_whole
from isthmus.patch.models import Library
from isthmus.plural import many
from isthmus.show.files import read_file
from isthmus.show.records import Paper, UnreadLine

MAX_BYTES = 16 * 2**20
WAY_WORDS = {
    PAIR: "universe and address (2.101 is universe 2)",
    THROUGH: "counted through all universes (613 is 2.101)",
}


def read_hang_list(path: Path, library: Library) -> HangList:
    """Read a file where no person can be asked. Raises FileFault when it is not a table, or
    something about it is not sure.
    """
    found = parse_hang_list(read_file(path, MAX_BYTES), path.name, library)
    if found.lacking:
        raise lacks(found, path.name)
    if found.questions:
        raise FileFault(
            " ".join(question.words for question in found.questions),
            where=path.name,
            do="Read it in the window, or with isthmus hang-list and its answers.",
        )
    return found


def lacks(found: HangList, where: str) -> FileFault:
    """What to tell where a person cannot be asked."""
    told = ", ".join(f"“{head[:20]}”" for head in found.heads if head) or "nothing"
    lacking = " and ".join(PLAIN[name] for name in found.lacking)
    return FileFault(
        f"no column is surely {lacking}; its heads are {told[:160]}.",
        where=where,
        do="Name the columns Unit, Type, Mode, Address, Position.",
    )


def parse_hang_list(
    data: bytes | str, where: str, library: Library, answers: Answers | None = None
) -> HangList:
    """The same from bytes or pasted text. Where a needed column is not sure nothing is read, and
    `lacking` says so. Raises FileFault when it is not a table.
    """
    return Reading(data, where, library).read(answers or Answers())


class Reading:
    """One list, read again with each answer; what does not depend on answers is kept."""

    def __init__(
        self,
        data: bytes | str,
        where: str,
        library: Library,
        told: Callable[[], object] = lambda: None,
    ) -> None:
        """Raises FileFault; `told` may raise to stop it (see `read_grids`)."""
        self.where, self.library = where, library
        self.grids = read_grids(data, where, told)
        self._tables: dict[str, tuple[Grid, Table]] = {}
        self._found: dict[object, Found] = {}
        self._kinds: Mapping[int, str] = {}

    def _table(self, sheet: str) -> tuple[Grid, Table]:
        """The sheet of that name; none: the largest."""
        if sheet not in self._tables:
            named = [grid for grid in self.grids if grid.sheet == sheet]
            grid = max(named or self.grids, key=lambda grid: len(grid.rows) * grid.width)
            self._tables[sheet] = grid, sort_rows(grid, find_heading(grid))
        return self._tables[sheet]

    def came(self, answers: Answers) -> list[Came]:
        """The rows as they came, with what became of each when it was read last."""
        grid, table = self._table(answers.sheet)
        kinds = {line.row: line.kind for line in table.lines}
        heading = range(table.heading.first, table.heading.last + 1) if table.heading.heads else ()
        return [
            Came(
                line,
                grid.rows[row],
                self._kinds.get(line) or ("heading" if row in heading else kinds.get(row, "title")),
            )
            for row, line in enumerate(grid.lines)
        ]

    def read(self, answers: Answers) -> HangList:
        found = self._read(answers)
        self._kinds = found.kinds
        return found

    def _read(self, answers: Answers) -> HangList:
        grid, table = self._table(answers.sheet)
        models = Models(self.library, answers.models, answers.modes)
        rows = [grid.rows[line.row] for line in table.lines if line.kind in (DATA, SPARE)]
        found = self._columns(answers, table, rows, models)
        heads = _heads(grid, table)
        at = {name: n for name, n in found.at.items() if n < len(heads)}
        if answers.columns is None and "place" not in at and _begins_again(grid, table, at):
            at["place"] = at.pop("number")
        title = Path(self.where).stem
        base = HangList(
            Paper(title=title),
            columns={name: heads[n] for name, n in at.items()},
            ignored=_ignored(heads, table, at),
            heads=heads,
            at=at,
            guessed=found.doubts,
            sheets=tuple(one.sheet for one in self.grids),
            sheet=grid.sheet,
            notes=(f"Read {grid.how}.",) if grid.how else (),
        )
        lacking = tuple(name for name in NEEDED if name not in at or name in found.doubts)
        if "place" in at and ("position" in at or any(line.position for line in table.lines)):
            lacking = tuple(name for name in lacking if name != "number" or name in found.doubts)
        if lacking:
            asked = tuple(
                Question(name, f"{PLAIN[name]}: {found.doubts[name]}.")
                for name in lacking
                if name in found.doubts
            )
            return replace(base, lacking=lacking, questions=asked)
        if "address" in found.doubts:
            at = {name: n for name, n in at.items() if name not in ("address", "universe")}
        return self._rows(base, grid, table, at, found, models, answers)

    def _columns(
        self, answers: Answers, table: Table, rows: Sequence[Sequence[str]], models: Models
    ) -> Found:
        """Where the fields stand: as chosen, else as they are told by heading and cells."""
        columns = Columns(table.heading, rows, models, any(line.universe for line in table.lines))
        if answers.columns is None:
            key = (answers.sheet, tuple(answers.models.items()))
            if key not in self._found:
                self._found[key] = columns.assign()
            return self._found[key]
        found = Found({n: at for n, at in answers.columns.items() if n in CHOSEN and at >= 0})
        if "address" in found.at:
            found.growth = columns.growth_of(
                found.at["address"], found.at.get("type"), "universe" in found.at
            )
        return found

    def _rows(
        self,
        base: HangList,
        grid: Grid,
        table: Table,
        at: Mapping[str, int],
        found: Found,
        models: Models,
        answers: Answers,
    ) -> HangList:
        data = [line for line in table.lines if line.kind == DATA]
        column = {name: [_cell(grid.rows[d.row], n) for d in data] for name, n in at.items()}
        growth = found.growth if "address" in at else None
        way = answers.way or (growth.way if growth else PAIR) or PAIR
        questions = [
            Question("address", f"Address: {why}.")
            for name, why in found.doubts.items()
            if name == "address"
        ]
        unclear = growth.unclear if growth and not answers.way else ""
        if unclear:
            options = tuple((name, WAY_WORDS[name]) for name in (PAIR, THROUGH))
            questions.append(Question("way", "How are the addresses written?", options))
        addressing = Addressing(way, _padded(column.get("address", ())), answers.universe)
        beside = _beside(column, len(data))
        named = proven_names(models, beside, way) if "address" in at else {}
        models.agree(named)
        steps = local_steps(beside, way) if "address" in at else [0] * len(data)
        fills = [
            name
            for name in MERGED
            if name in at and merged(column[name], 2 if name == "universe" else 4)
        ]
        if "type" in fills and "mode" in at and "mode" not in fills:
            pairs = zip(column["type"], column["mode"], strict=True)
            if all(mode or not model for model, mode in pairs):
                fills.append("mode")  # blank only where the type is
        rows = Rows(
            models,
            addressing if "address" in at and not unclear else None,
            Above(fills),
            answers.edits,
            dashes_are_ranges(column.get("number", ())),
        )
        step = dict(zip((line.row for line in data), steps, strict=True))
        sections = any(line.universe for line in data)
        for line in table.lines:
            if line.kind == DATA:
                cells = {name: _cell(grid.rows[line.row], n) for name, n in at.items()}
                rows.take(cells, grid.lines[line.row], line, grid.rows[line.row], step[line.row])
            elif line.kind == SPARE:
                rows.left[SPARE] += 1
        homeless = rows.homeless >= max(1, len(rows.rows) / 2)
        if way == SLOT and homeless and not answers.universe and not sections:
            questions.append(Question("universe", "Which universe are the addresses in?"))
        judge_whole(rows, table, grid, answers.together)
        for text, key in named.items():
            base = replace(
                base, notes=(*base.notes, f"“{text}” is read as {models.profile(key).name}.")
            )
        return _told(base, rows, questions, way)


def _begins_again(grid: Grid, table: Table, at: Mapping[str, int]) -> bool:
    """Whether the numbers are those on each position: several stand twice, and never on one."""
    if "number" not in at:
        return False
    named: list[tuple[str, str]] = []
    on = ""
    for line in table.lines:
        if line.kind == DATA:
            row = grid.rows[line.row]
            cell = _cell(row, at["position"]) if "position" in at else line.position
            on = on if is_ditto(cell) or not cell else cell
            if number := _cell(row, at["number"]):
                named.append((on, number))
    twice = len(named) - len({number for _, number in named})
    return twice >= max(2, len(named) / 5) and len(set(named)) == len(named)


def _beside(column: Mapping[str, Sequence[str]], rows: int) -> list[Beside]:
    blank = [""] * rows
    return spelled_out(
        column["type"],
        column.get("mode", blank),
        column.get("universe", blank),
        column.get("address", blank),
    )


def _cell(row: Sequence[str], at: int) -> str:
    return row[at] if at < len(row) else ""


def _padded(texts: Sequence[str]) -> bool:
    """Whether addresses have three figures after the mark: then shorter ones lost their zeros."""
    for text in texts:
        cell = read_cell(text)
        for one in cell.ones if cell else ():
            if one.padded and PAIR in one.ways and one.ways[PAIR][1] < 100:
                return True
    return False


def _heads(grid: Grid, table: Table) -> tuple[str, ...]:
    """What stands at the head of each column, its number where nothing does."""
    named = table.heading.heads
    return tuple(
        named[n] if n < len(named) and named[n] else f"column {n + 1}" for n in range(grid.width)
    )


def _ignored(heads: Sequence[str], table: Table, at: Mapping[str, int]) -> tuple[str, ...]:
    named = table.heading.heads
    return tuple(
        head for n, head in enumerate(heads) if n < len(named) and named[n] and n not in at.values()
    )


def _told(base: HangList, rows: Rows, questions: Sequence[Question], way: str) -> HangList:
    """The rows as a list, with what was filled in and left out."""
    good, rejected, unread = [], [], []
    for row in rows.rows:
        if row.fine:
            good += row.units
        else:
            rejected += row.units[:1]
            why = " ".join(str(fault) for fault in row.faults) or row.waits
            written = {KEPT_AS.get(n, n): t[:200] for n, t in row.cells.items() if t}
            unread.append(UnreadLine(line=row.line, cells=written, why=why))
    notes = [
        f"{PLAIN[name]} was empty in {many(count, 'line')} and taken from the line above."
        for name, count in rows.above.filled.items()
    ]
    if way == THROUGH and good:
        notes.append("Addresses are counted through all universes: 613 is 2.101.")
    notes += [f"{many(count, kind)} left out." for kind, count in rows.left.items()]
    faults = sorted((f for row in rows.rows for f in row.faults), key=lambda f: f.line)
    return replace(
        base,
        paper=Paper(title=base.paper.title, rows=tuple(good), unread=tuple(unread)),
        rejected=tuple(rejected),
        faults=(*faults, *rows.others),
        unknown=_unknown(rows),
        notes=(*base.notes, *notes),
        questions=tuple(questions),
        sharing=rows.sharing,
        left=dict(rows.left),
        kinds={row.line: _kind(row) for row in rows.rows},
    )


def _kind(row: Row) -> str:
    return "good" if row.fine else "asked" if row.waits and not row.faults else "faulty"


def _unknown(rows: Rows) -> tuple[Unknown, ...]:
    models = rows.models
    made = []
    for text, count in Counter(rows.unknown_models).most_common():
        told = models.model(text)
        made.append(Unknown(text, count, told.key, told.why))
    for (key, text), count in Counter(rows.unknown_modes).most_common():
        told = rows.mode_told[key, text]
        made.append(Unknown(text, count, told.key, told.why, key))
    return tuple(made)


def unread_as_table(paper: Paper) -> bytes:
    """The lines of a paper that wait to be corrected, as a list to be read again."""
    out = io.StringIO()
    writer = csv.writer(out)
    named = list(PLAIN)
    writer.writerow(PLAIN[name] for name in named)
    writer.writerows(
        [line.cells.get(KEPT_AS.get(name, name), "") for name in named] for line in paper.unread
    )
    return out.getvalue().encode()
