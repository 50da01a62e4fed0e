"""What differs between two shows as a paper, by kind."""

from __future__ import annotations

from collections.abc import Sequence

from isthmus.compare import Changed, Difference
from isthmus.compare.words import KINDS, Told, sentences, told_changes
from isthmus.papers.table import Column, Group, Paper
from isthmus.show import Show

COLUMNS = (Column("What", 55), Column("", 30), Column("Before", 50), Column("After", 50))


def changes_paper(
    show: Show,
    found: Difference,
    names: Sequence[str],
    rows: Sequence[tuple[Changed, Told]] | None = None,
) -> Paper:
    """`names` are what the two are called; `rows` some of the changes, or all."""
    rows = told_changes(found) if rows is None else rows
    by_kind: dict[str, list[tuple[str, ...]]] = {}
    for change, told in rows:
        by_kind.setdefault(change.kind, []).append((told.thing, told.member, told.old, told.new))
    groups = [
        Group(KINDS[kind][1].capitalize() if kind else "The show", mine)
        for kind, mine in by_kind.items()
    ]
    about = f"From {names[0]} to {names[1]}. " + " ".join(sentences(found))
    return Paper(f"What differs: {show.name}", about, COLUMNS, groups)
