"""What is other between our patch and another's list, as a paper for both."""

from __future__ import annotations

from isthmus.compare.lists import Beside, sentences
from isthmus.compare.taking import lines
from isthmus.papers.table import Column, Group, Paper
from isthmus.show.records import Show

COLUMNS = (
    Column("Unit", 16, figures=True),
    Column("What", 26),
    Column("Ours", 80),
    Column("Theirs", 80),
)


def differences_paper(show: Show, found: Beside, name: str) -> Paper:
    """`name` is that of their list."""
    rows = [
        (number, field or "all of it", ours, theirs)
        for _, number, field, ours, theirs in lines(found)
    ]
    about = " ".join(sentences(found))
    return Paper(f"{show.name}: our patch beside {name}", about, COLUMNS, [Group("", rows)], keys=2)
