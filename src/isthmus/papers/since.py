"""Only what changed since an earlier paper: new rows, gone ones struck through, cells that are
other.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Iterator
from dataclasses import replace

from isthmus.papers.table import Group, Mark, Paper, Row
from isthmus.plural import many
from isthmus.show.records import Show

NEW, GONE, OTHER = "new", "gone", "other"


def since(old: Paper, new: Paper, what: str) -> Paper:
    """Rows are the same by their heading and their leading columns, else by those alone: what
    moved to another heading is not gone and new. `what` names the earlier paper.
    """
    alike = Counter(_line(*pair) for pair in _rows(old)) & Counter(
        _line(*pair) for pair in _rows(new)
    )
    by_key: dict[tuple[str, ...], list[tuple[str, Row]]] = {}
    for title, row in _other(_rows(old), Counter(alike)):
        by_key.setdefault(_key(old, row), []).append((title, row))
    groups: list[Group] = []
    count = 0
    for group in new.groups:
        rows: list[Row] = []
        marks: dict[int, Mark] = {}
        for _, row in _other([(group.title, row) for row in group.rows], alike):
            marks[len(rows)] = _mark(
                _taken(by_key.get(_key(new, row), []), group.title), group.title, row
            )
            rows.append(row)
        if rows:
            groups.append(replace(group, rows=rows, marks=marks))
            count += len(rows)
    left = [pair for pairs in by_key.values() for pair in pairs]
    titles = [group.title for group in groups]
    for title in dict.fromkeys(title for title, _ in left):
        rows = [row for of, row in left if of == title]
        count += len(rows)
        if title in titles:
            at = titles.index(title)
            groups[at] = _with_gone(groups[at], rows)
        else:
            groups.append(_with_gone(Group(title, ()), rows))
            titles.append(title)
    about = f"What changed since {what}: {many(count, 'line')}."
    return replace(new, about=about, groups=groups)


def units_then(old: Show, show: Show, only: set[str] | None) -> set[str] | None:
    """Units of an earlier show that are these, by what they are known by and by their numbers."""
    if only is None:
        return None
    numbers = {unit.number for unit in show.units if unit.id in only}
    return {unit.id for unit in old.units if unit.id in only or unit.number in numbers}


def _rows(paper: Paper) -> list[tuple[str, Row]]:
    return [(group.title, row) for group in paper.groups for row in group.rows]


def _key(paper: Paper, row: Row) -> tuple[str, ...]:
    return tuple(row[: paper.keys])


def _line(title: str, row: Row) -> tuple[str, ...]:
    return (title, *row)


def _other(
    rows: Iterable[tuple[str, Row]], alike: Counter[tuple[str, ...]]
) -> Iterator[tuple[str, Row]]:
    """Without those that stand in both papers, which are counted down."""
    for title, row in rows:
        line = _line(title, row)
        if alike[line] > 0:
            alike[line] -= 1
        else:
            yield title, row


def _taken(pairs: list[tuple[str, Row]], title: str) -> tuple[str, Row] | None:
    """What a row was, taken out of those left: one under the same heading first."""
    if not pairs:
        return None
    return pairs.pop(next((i for i, (of, _) in enumerate(pairs) if of == title), 0))


def _mark(was: tuple[str, Row] | None, title: str, row: Row) -> Mark:
    if was is None:
        return Mark(NEW)
    others = {at for at, (a, b) in enumerate(zip(was[1], row, strict=True)) if a != b}
    if was[0] != title:  # it stands elsewhere
        others.add(0)
    return Mark(OTHER, frozenset(others))


def _with_gone(group: Group, rows: list[Row]) -> Group:
    first = len(group.rows)
    gone = {first + at: Mark(GONE) for at in range(len(rows))}
    return replace(group, rows=[*group.rows, *rows], marks={**group.marks, **gone})
