"""A paper as a table: columns, and rows in groups."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

Row = Sequence[str]


@dataclass(frozen=True)
class Column:
    """`width` in millimetres; where a page has more or less, all columns share it. Figures stand to
    the `right`, in a face whose digits are all as wide.
    """

    words: str
    width: float
    figures: bool = False


@dataclass(frozen=True)
class Group:
    """Rows under a heading, with a sentence about them. Without a heading they are all there is."""

    title: str
    rows: Sequence[Row]
    about: str = ""


@dataclass(frozen=True)
class Paper:
    title: str
    about: str
    columns: Sequence[Column]
    groups: Sequence[Group]
