"""Papers laid out on pages: where each word, rule and ground goes, in points from the bottom left.

Laid by hand and not by a library's tables: those take half a minute for 5 000 rows.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field
from functools import lru_cache

from isthmus.papers.since import GONE, NEW
from isthmus.papers.table import Group, Mark, Paper, Row
from isthmus.papers.widths import BOLD, FIGURES, PLAIN, width_of

MARGIN, FOOT, HEAD = 42.0, 24.0, 30.0  # points; the foot holds the title block
SIZE, LEADING, PAD, BETWEEN = 8.5, 11.0, 2.5, 7.0
CHANGED, WENT = "#ffe08a", "#e4e4e4"
MM = 72 / 25.4


@dataclass(frozen=True)
class Text:
    x: float
    y: float
    words: str
    face: str = PLAIN
    size: float = SIZE
    struck: float = 0.0  # width of the line through it


@dataclass(frozen=True)
class Rule:
    x: float
    y: float
    wide: float
    thick: float
    colour: str = "#000000"


@dataclass(frozen=True)
class Ground:
    x: float
    y: float
    wide: float
    high: float
    colour: str


@dataclass
class Page:
    """`wide` and `high` in points; what is on it in the order it is drawn."""

    wide: float
    high: float
    grounds: list[Ground] = field(default_factory=list)
    rules: list[Rule] = field(default_factory=list)
    texts: list[Text] = field(default_factory=list)


def pages_of(paper: Paper, size: tuple[float, float]) -> list[Page]:
    """Upright where the columns have room for it, else across. Headings are on each page, a row is
    on one page (one that is higher than a page goes on on the next).
    """
    return _Laying(paper, size).pages


@lru_cache(65536)
def wrapped(words: str, room: float, face: str, size: float) -> tuple[str, ...]:
    """Lines that fit: broken between words, within one only where it is wider than the room."""
    if width_of(words, face, size) <= room and "\n" not in words:
        return (words,)
    lines: list[str] = []
    for paragraph in words.split("\n"):
        line = ""
        for word in paragraph.split():
            longer = f"{line} {word}" if line else word
            if width_of(longer, face, size) <= room:
                line = longer
                continue
            if line:
                lines.append(line)
            *whole, line = _broken(word, room, face, size)
            lines += whole
        lines.append(line)
    return tuple(lines)


def _broken(word: str, room: float, face: str, size: float) -> Iterator[str]:
    at = 0
    while at < len(word):
        end = at + 1
        while end < len(word) and width_of(word[at : end + 1], face, size) <= room:
            end += 1
        yield word[at:end]
        at = end


class _Laying:
    def __init__(self, paper: Paper, size: tuple[float, float]) -> None:
        self.paper = paper
        wanted = sum(column.width for column in paper.columns) * MM
        narrow, long = size
        self.size = (narrow, long) if wanted <= narrow - 2 * MARGIN else (long, narrow)
        share = (self.size[0] - 2 * MARGIN) / max(wanted, 1.0)
        self.edges = [MARGIN]
        for column in paper.columns:
            self.edges.append(self.edges[-1] + column.width * MM * share)
        self.rooms = [b - a - BETWEEN for a, b in zip(self.edges, self.edges[1:], strict=False)]
        self.faces = [FIGURES if column.figures else PLAIN for column in paper.columns]
        self.pages: list[Page] = []
        self.under = ""  # the heading that goes on on another page
        self._next_page()
        self._lines([paper.title], BOLD, 16.0, 20.0)
        if paper.about:
            self._lines(wrapped(paper.about, self._across, PLAIN, SIZE), PLAIN, SIZE, LEADING)
        for group in paper.groups:
            self._group(group)

    @property
    def _across(self) -> float:
        return self.size[0] - 2 * MARGIN

    def _next_page(self) -> None:
        self.page = Page(*self.size)
        self.pages.append(self.page)
        self.y = self.size[1] - HEAD

    @property
    def _left(self) -> float:
        """How much of the page is free."""
        return self.y - MARGIN - FOOT

    def _lines(self, lines: Sequence[str], face: str, size: float, leading: float) -> None:
        for line in lines:
            self.y -= leading
            self.page.texts.append(Text(MARGIN, self.y, line, face, size))

    def _group(self, group: Group) -> None:
        heads = self._cells(
            [column.words for column in self.paper.columns], [BOLD] * len(self.faces)
        )
        about = wrapped(group.about, self._across, PLAIN, SIZE) if group.about else ()
        rows = [self._cells(row, self.faces) for row in group.rows]
        first = _high(rows[0]) if rows else 0.0
        if self._left < 24 + LEADING * len(about) + _high(heads) + first and self._left < 0.8 * (
            self.size[1] - MARGIN - FOOT - HEAD
        ):
            self._next_page()
        self.y -= 8
        if group.title:
            self._lines(wrapped(group.title, self._across, BOLD, 11.0), BOLD, 11.0, 15.0)
        self._lines(about, PLAIN, SIZE, LEADING)
        if not rows:
            return
        self.under = group.title
        self._heads(heads)
        for at, cells in enumerate(rows):
            self._row(cells, heads, group.marks.get(at, Mark()))

    def _cells(self, row: Row, faces: Sequence[str]) -> list[tuple[str, ...]]:
        return [
            wrapped(words, room, face, SIZE)
            for words, room, face in zip(row, self.rooms, faces, strict=False)
        ]

    def _heads(self, heads: list[tuple[str, ...]]) -> None:
        self._put(heads, (BOLD,) * len(heads), False)
        self.page.rules.append(Rule(MARGIN, self.y, self._across, 0.8))

    def _row(self, cells: list[tuple[str, ...]], heads: list[tuple[str, ...]], mark: Mark) -> None:
        if self._left < _high(cells):
            self._next_page()
            if self.under:
                self._lines([f"{self.under}, continued"], BOLD, SIZE, LEADING)
            self._heads(heads)
        while _high(cells) > self._left:  # higher than a page
            fit = max(1, int((self._left - 2 * PAD) // LEADING))
            self._marked([cell[:fit] for cell in cells], mark)
            cells = [cell[fit:] for cell in cells]
            self._next_page()
            self._heads(heads)
        self._marked(cells, mark)

    def _marked(self, cells: list[tuple[str, ...]], mark: Mark) -> None:
        """A row with what became of it: a ground below what is new or other, a line through what
        is gone.
        """
        high, low = _high(cells), self.y - _high(cells)
        if mark.how == GONE:
            self.page.grounds.append(Ground(MARGIN, low, self._across, high, WENT))
        elif mark.how == NEW:
            self.page.grounds.append(Ground(MARGIN, low, self._across, high, CHANGED))
        else:
            for at in mark.columns:
                wide = self.edges[at + 1] - self.edges[at] - 1
                self.page.grounds.append(Ground(self.edges[at] - 2, low, wide, high, CHANGED))
        self._put(cells, self.faces, mark.how == GONE)
        self.page.rules.append(Rule(MARGIN, self.y, self._across, 0.25, "#888888"))

    def _put(self, cells: list[tuple[str, ...]], faces: Sequence[str], struck: bool) -> None:
        texts = self.page.texts
        for at, (lines, face) in enumerate(zip(cells, faces, strict=False)):
            column = self.paper.columns[at]
            if column.patch and lines and lines[0].startswith("#"):
                low, wide = self.y - _high(cells) + PAD, self.rooms[at]
                self.page.grounds.append(Ground(self.edges[at], low, wide, LEADING, lines[0]))
                continue
            right = column.figures
            y = self.y - PAD
            for words in lines:
                y -= LEADING
                if not words:
                    continue
                wide = width_of(words, face, SIZE) if right or struck else 0.0
                x = self.edges[at] + (self.rooms[at] - wide if right else 0.0)
                texts.append(Text(x, y + 3, words, face, SIZE, wide if struck else 0.0))
        self.y -= _high(cells)


def _high(cells: Sequence[tuple[str, ...]]) -> float:
    return LEADING * max((len(lines) for lines in cells), default=1) + 2 * PAD
