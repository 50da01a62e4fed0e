"""A paper as a table: columns, and rows in groups."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

Row = Sequence[str]


@dataclass(frozen=True)
class Column:
    """`width` in millimetres; where a page has more or less, all columns share it. Figures stand to
    the `right`, in a face whose digits are all as wide. A `patch` holds colours (#rrggbb), which
    are shown and not read; a table for a spreadsheet has them as they are.
    """

    words: str
    width: float
    figures: bool = False
    patch: bool = False


@dataclass(frozen=True)
class Mark:
    """What became of a row since an earlier paper: `new`, `gone`, or the columns that are other."""

    how: str = ""
    columns: frozenset[int] = frozenset()


@dataclass(frozen=True)
class Group:
    """Rows under a heading, with a sentence about them. Without a heading they are all there is.
    `marks` are by the number of a row.
    """

    title: str
    rows: Sequence[Row]
    about: str = ""
    marks: Mapping[int, Mark] = field(default_factory=dict)


@dataclass(frozen=True)
class Paper:
    title: str
    about: str
    columns: Sequence[Column]
    groups: Sequence[Group]
    keys: int = 1  # so many leading columns say what a row is about
