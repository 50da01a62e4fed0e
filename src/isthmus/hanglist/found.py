"""What was read of a list, what a person may correct, and what is asked."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

from isthmus.show.records import Paper, PaperRow

PLAIN = {
    "number": "Unit",
    "type": "Type",
    "mode": "Mode",
    "address": "Address",
    "universe": "Universe",
    "position": "Position",
    "name": "Name",
    "purpose": "Purpose",
    "gel": "Gel",
    "count": "Quantity",
    "feet": "Footprint",
    "place": "Number on position",
}
CHOSEN = tuple(PLAIN)  # fields a person may choose a column for
NEEDED = ("number", "type")
KEPT_AS = {"position": "hangs_on"}  # how the paper of a show names a field


@dataclass(frozen=True)
class LineFault:
    """Something wrong in a line: `kind` for counting, `what` and `do` for people."""

    line: int
    column: str
    what: str
    do: str = ""
    kind: str = ""

    def __str__(self) -> str:
        return f"Line {self.line}: {self.what}{' ' + self.do if self.do else ''}"


@dataclass(frozen=True)
class Unknown:
    """A model or mode name that no profile has exactly: how often it stands there, and what it may
    mean, with the reason. `of` is the key of the profile whose mode it is, empty for a model.
    """

    text: str
    count: int
    key: str = ""
    why: str = ""
    of: str = ""


@dataclass(frozen=True)
class Question:
    """What only a person knows: `field` is what it is about, `options` (key, words) the answers."""

    field: str
    words: str
    options: tuple[tuple[str, str], ...] = ()


@dataclass(frozen=True)
class Answers:
    """What a person said: columns (field → column, all of them), written models → profile key,
    (profile key, written mode) → mode, the universe of addresses without one (0: not said), how
    addresses are written, whether units may have one address together, single cells, the sheet.
    """

    columns: Mapping[str, int] | None = None
    models: Mapping[str, str] = field(default_factory=dict)
    modes: Mapping[tuple[str, str], str] = field(default_factory=dict)
    edits: Mapping[tuple[int, str], str] = field(default_factory=dict)
    universe: int = 0
    way: str = ""
    together: bool = False
    sheet: str = ""


@dataclass(frozen=True)
class Came:
    """A row as it came: the line it begins in, its cells, and what became of it."""

    line: int
    cells: tuple[str, ...]
    kind: str


@dataclass(frozen=True)
class HangList:
    """What was read: good rows, those with faults, the faults by line, which column is what.

    `guessed` are fields taken for what stands in them, to be confirmed; `lacking` needed ones no
    column was found for: nothing is read then. `left` counts the other lines, by kind;
    `sharing` units that have the address of another of their type and mode, which may be meant.
    """

    paper: Paper
    rejected: tuple[PaperRow, ...] = ()
    faults: tuple[LineFault, ...] = ()
    columns: Mapping[str, str] = field(default_factory=dict)
    ignored: tuple[str, ...] = ()
    unknown: tuple[Unknown, ...] = ()
    notes: tuple[str, ...] = ()
    heads: tuple[str, ...] = ()
    at: Mapping[str, int] = field(default_factory=dict)
    guessed: Mapping[str, str] = field(default_factory=dict)
    lacking: tuple[str, ...] = ()
    questions: tuple[Question, ...] = ()
    sharing: int = 0
    left: Mapping[str, int] = field(default_factory=dict)
    kinds: Mapping[int, str] = field(default_factory=dict)  # line → what became of it
    sheets: tuple[str, ...] = ()
    sheet: str = ""
