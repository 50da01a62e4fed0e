"""What is wrong with a list as a whole: numbers that stand twice, units that share channels, totals
that do not add up. And numbers for units that the paper only names.
"""

from __future__ import annotations

from collections import Counter

import numpy as np
from msgspec.structs import replace

from isthmus.hanglist.found import LineFault
from isthmus.hanglist.grid import Grid
from isthmus.hanglist.rows import Row, Rows
from isthmus.hanglist.table import DATA, SECTION, TOTAL, Table
from isthmus.show.address import write_address
from isthmus.show.records import SLOTS


def judge_whole(rows: Rows, table: Table, grid: Grid, together: bool) -> None:
    """What only all rows together tell. With `together`, units of one type and mode may have one
    address.
    """
    _twice(rows)
    _overlaps(rows, together)
    _totals(rows, table, grid)
    _numbered(rows)


def _twice(rows: Rows) -> None:
    seen: dict[str, int] = {}
    for row in rows.rows:
        for unit in row.units:
            name = str(unit.number) if unit.number else unit.fixture_id
            if not name:
                continue
            first = seen.setdefault(name, row.line)
            if first != row.line:
                row.faults.append(
                    LineFault(
                        row.line,
                        "number",
                        f"unit {name} stands in line {first} already.",
                        "Give one of them another number.",
                        "duplicate number",
                    )
                )
                break


def _overlaps(rows: Rows, together: bool) -> None:
    """Units that begin on a channel another one takes. With `together`, units of one type and mode
    may have one address.
    """
    held: dict[int, tuple[np.ndarray, list[tuple[Row, int]]]] = {}
    for row in rows.rows:
        feet = max(1, row.feet)  # of a mode that is not known, its first channel
        for unit in row.units:
            if not unit.universe or unit.address + feet - 1 > SLOTS:
                continue
            if unit.universe not in held:
                held[unit.universe] = np.full(SLOTS + 1, -1), []
            taken, owners = held[unit.universe]
            span = taken[unit.address : unit.address + feet]
            others = span[span >= 0]
            if others.size:
                other, at = owners[int(others[0])]
                same = at == unit.address and (other.key, other.feet) == (row.key, row.feet)
                rows.sharing += same and other is not row
                if not (same and together) and other is not row:
                    whose = other.units[0].number or other.units[0].fixture_id or "another"
                    row.faults.append(
                        LineFault(
                            row.line,
                            "address",
                            f"{write_address(unit.universe, unit.address)} is taken by unit "
                            f"{whose} in line {other.line}.",
                            "Correct one of them.",
                            "overlap",
                        )
                    )
                    break
            owners.append((row, unit.address))
            span[span < 0] = len(owners) - 1


def _totals(rows: Rows, table: Table, grid: Grid) -> None:
    """Counts the paper gives against what was counted; they are left out otherwise."""
    units = {row.line: max(1, len(row.units)) for row in rows.rows}
    totals = {total.row: total for total in table.totals}
    whole = part = part_rows = 0
    for line in table.lines:
        at = grid.lines[line.row]
        if line.kind == DATA and at in units:
            whole, part, part_rows = whole + units[at], part + units[at], part_rows + 1
        elif line.kind == SECTION:
            part = part_rows = 0
        elif line.kind == TOTAL and line.row in totals:
            count = totals[line.row].count
            if count not in (whole, part, part_rows, len(rows.rows)):
                rows.others.append(
                    LineFault(
                        at,
                        "count",
                        f"its total is {count}, and {part or whole} are listed.",
                        "Look for a line that is missing.",
                        "sum",
                    )
                )
            part = part_rows = 0


def _numbered(rows: Rows) -> None:
    """Numbers for units the paper only names, in its order, beside those it gives."""
    given = Counter(unit.number for row in rows.rows for unit in row.units)
    following = iter(range(1, 1_000_000))
    for row in rows.rows:
        for n, unit in enumerate(row.units):
            if not unit.number and unit.fixture_id:
                number = next(k for k in following if not given[k])
                row.units[n] = replace(unit, number=number)
