"""Which column is what: by its heading and by what stands in it together, as one assignment.

In a wide export some column always fits, so a column is taken for an address, a number or a type
by evidence that joins: its heading, what its cells look like against the profiles at hand, whether
addresses grow by the footprints of the units beside them. What does not convince is asked about.
"""

from __future__ import annotations

import itertools
import re
from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np
from scipy.optimize import linear_sum_assignment

from isthmus.hanglist.carried import is_ditto
from isthmus.hanglist.growth import Growth, best_way
from isthmus.hanglist.heads import ASIDE, FIELDS, head_scores, plain_head
from isthmus.hanglist.idents import read_count, read_ident
from isthmus.hanglist.modes import Models
from isthmus.hanglist.spots import PAIR, read_one
from isthmus.hanglist.table import Heading

SAMPLE = 400  # rows that are looked at
LEAST, LEAST_TYPE = 0.45, 0.35  # below it a column is nothing
HEADED = 0.6  # a heading that says so
# heads of what a console calls a unit by, where another column has its number on its position
_CHANNEL = """channel,chan,ch,chn,channel no,control channel,kanal,kreis,stellwerk kreis,canal
circuit,canale,circuito,kanaal,kring,fixture no,fixture id,fixture number"""
CHANNEL = frozenset(_CHANNEL.replace("\n", ",").split(","))


@dataclass
class Found:
    """Where each field stands; `doubts` are those that a person must confirm, with the reason."""

    at: dict[str, int] = field(default_factory=dict)
    doubts: dict[str, str] = field(default_factory=dict)
    growth: Growth | None = None


class Columns:
    """The columns of the rows that are data."""

    def __init__(
        self,
        heading: Heading,
        rows: Sequence[Sequence[str]],
        models: Models,
        sectioned: bool = False,
    ) -> None:
        """`sectioned` where lines alone say the universe of those below."""
        self.sectioned = sectioned
        self.rows = _spelled_out(rows[:SAMPLE])
        self.width = max((len(row) for row in rows), default=0)
        self.models = models
        self.heads = [
            head_scores(heading.heads[at], heading.language) if at < len(heading.heads) else {}
            for at in range(self.width)
        ]
        self.plain = [
            plain_head(heading.heads[at]) if at < len(heading.heads) else ""
            for at in range(self.width)
        ]
        self.headed = sum(max(head.values(), default=0.0) >= 0.5 for head in self.heads) >= 2
        if not self.headed:
            self.heads = [{} for _ in self.heads]
        self.texts = [
            [row[at] for row in self.rows if at < len(row) and row[at] and not is_ditto(row[at])]
            for at in range(self.width)
        ]
        self.keys: list[str] = []

    def cell(self, row: Sequence[str], at: int | None) -> str:
        return row[at] if at is not None and at < len(row) else ""

    # ------------------------------------------------------------ what the cells look like

    def types(self, at: int) -> float:
        counted = Counter(self.texts[at])
        if not counted:
            return -1.0
        some = counted.most_common(40)
        total = sum(n for _, n in some)
        known = sum(n for text, n in some if self.models.model(text).sure)
        likeness = self.models.library.likeness
        near = sum(
            n for text, n in some if not self.models.model(text).sure and likeness(text) > 80
        )
        return (known + 0.5 * near) / total * 1.2 - 0.2

    def modes(self, at: int) -> float:
        return self._beside(at, lambda key, text: self.models.mode(key, text, "").sure)

    def sizes(self, at: int) -> float:
        def fits(key: str, text: str) -> bool:
            return text.isdigit() and int(text) in self.models.feet(key).values()

        return self._beside(at, fits)

    def _beside(self, at: int, fits: object) -> float:
        """The part of the rows where a cell fits the model beside it, −1…1."""
        tried = good = 0
        for row, key in zip(self.rows, self.keys, strict=True):
            text = self.cell(row, at)
            if text and key:
                tried += 1
                good += bool(fits(key, text))  # type: ignore[operator]
        return 2 * good / tried - 1 if tried else 0.0

    def numbers(self, at: int) -> float:
        texts = self.texts[at]
        if not texts:
            return -1.0
        idents = [read_ident(text) for text in texts]
        valid = sum(i is not None for i in idents) / len(texts)
        whole = sum(i is not None and bool(i.numbers) for i in idents) / len(texts)
        single = len(set(texts)) / len(texts)
        spaced = sum(" " in text for text in texts) / len(texts)
        filled = len(texts) / max(1, len(self.rows))
        spots = sum(PAIR in one.ways for t in texts if (one := read_one(t))) / len(texts)
        spaced += 0.8 * spots  # rather addresses
        return (
            valid * (0.35 + 0.3 * whole) + (single - 0.85) * 2 - (1 - valid) - 0.5 * spaced
        ) * min(1.0, filled * 1.5)

    def places(self, at: int) -> float:
        """Numbers that begin again on each position."""
        texts = self.texts[at]
        small = sum(text.isdigit() and int(text) <= 99 for text in texts) / max(1, len(texts))
        return small - 0.5 - max(0.0, len(set(texts)) / max(1, len(texts)) - 0.5)

    def universes(self, at: int) -> float:
        texts = [text for text in self.texts[at] if text]
        whole = [int(m[1]) for t in texts if (m := re.fullmatch(r"(?:U|Univ\.?)?\s*(\d{1,5})", t))]
        if len(whole) < 0.8 * len(texts) or not whole:
            return -1.0
        turns = sum(a > b for a, b in itertools.pairwise(whole)) / len(whole)
        few = len(set(whole)) / len(whole)
        return 0.5 - turns - max(0.0, few - 0.5)

    def counts(self, at: int) -> float:
        texts = self.texts[at]
        return sum(0 < read_count(text) <= 500 for text in texts) / max(1, len(texts)) - 0.5

    # ------------------------------------------------------------ the whole

    def assign(self) -> Found:
        found = Found()
        kinds = [
            self.types(at) + 0.8 * self.heads[at].get("type", 0.0) - self._other(at, "type")
            for at in range(self.width)
        ]
        kind = int(np.argmax(kinds)) if kinds and max(kinds) >= LEAST_TYPE else None
        self.keys = [
            told.key if (told := self.models.model(self.cell(row, kind))).sure else ""
            for row in self.rows
        ]
        score = np.full((self.width, len(FIELDS)), -1.0)
        ways: dict[int, Growth] = {}
        for at in range(self.width):
            if not self.texts[at]:
                continue
            for n, name in enumerate(FIELDS):
                score[at, n] = self._score(at, name, kind, ways)
        rows, fields = linear_sum_assignment(np.where(score >= LEAST, score, 0.0), maximize=True)
        for at, n in zip(rows, fields, strict=True):
            if score[at, n] >= LEAST:
                found.at[FIELDS[n]] = int(at)
        found.growth = ways.get(found.at.get("address", -1))
        self._judge(found, score, ways)
        found.at = {name: at for name, at in found.at.items() if name not in ASIDE}
        return found

    def _other(self, at: int, name: str) -> float:
        """What the heading says that the column is besides: that counts against it."""
        others = [sure for other, sure in self.heads[at].items() if other != name]
        return max(0.0, max(others, default=0.0) - self.heads[at].get(name, 0.0))

    def _score(self, at: int, name: str, kind: int | None, ways: dict[int, Growth]) -> float:
        head = self.heads[at].get(name, 0.0)
        if name == "type":
            return (1.0 + head) if at == kind else -1.0
        if at == kind:
            return -1.0
        if name in ASIDE:
            return 1.1 * head
        against = self._other(at, name)
        if name == "address":
            ways[at] = best_way(self._spots(at), self._universes_beside())
            content = max(ways[at].score, -0.4) if head >= HEADED else ways[at].score
            return head + content - 1.2 * against if head or content > 0.6 else -1.0
        content = {
            "number": self.numbers,
            "place": self.places,
            "mode": self.modes,
            "feet": self.sizes,
            "universe": self.universes,
            "count": self.counts,
        }.get(name)
        if content is None:  # words: the heading alone says which
            return 1.1 * head - 0.3 * against - 0.7 * self._figures(at)
        seen = content(at)
        if name == "number":
            channel = self.plain[at] in CHANNEL or at in self._channels()
            head += 0.35 * (head > 0 and channel)
            return head + 0.8 * seen - against if head or not self.headed else 0.5 * seen - against
        if name in ("universe", "count", "feet", "place") and not head:
            return -1.0
        weight = 0.6 if name in ("mode", "feet") else 0.4
        if name == "mode":
            if not head and seen < 0.8:
                return -1.0
            weight = 0.2 if head >= HEADED and seen < 0 else weight  # spelled as nobody here does
        return head + weight * seen - 0.8 * against

    def _figures(self, at: int) -> float:
        """The part of the cells that are figures alone."""
        texts = self.texts[at]
        return sum(bool(re.fullmatch(r"[\d.,]+", t)) for t in texts) / max(1, len(texts))

    def _channels(self) -> set[int]:
        return {
            at for at, head in enumerate(self.plain) if head.split()[:1] in (["channel"], ["kanal"])
        }

    def _universes_beside(self) -> bool:
        return self.sectioned or any(h.get("universe", 0) >= HEADED for h in self.heads)

    def _spots(self, at: int) -> list[tuple[str, tuple[int, ...]]]:
        """Cells of a column with the footprints the unit beside each may have."""
        return [
            (self.cell(row, at), tuple(self.models.feet(key).values()) if key else ())
            for row, key in zip(self.rows, self.keys, strict=True)
        ]

    def growth_of(self, at: int, kind: int | None, universes: bool) -> Growth:
        """How a column chosen for addresses reads, beside the types of a column chosen for them."""
        self.keys = [
            told.key if (told := self.models.model(self.cell(row, kind))).sure else ""
            for row in self.rows
        ]
        return best_way(self._spots(at), universes or self.sectioned)

    def _judge(self, found: Found, score: np.ndarray, ways: Mapping[int, Growth]) -> None:
        """What must be asked: fields told by their cells alone, rivals as good, cells that
        contradict a heading.
        """
        for name in ("number", "type", "address"):
            at = found.at.get(name)
            if at is None:
                continue
            head = self.heads[at].get(name, 0.0)
            n = FIELDS.index(name)
            rivals = [
                other
                for other in range(self.width)
                if other not in found.at.values() and score[other, n] > score[at, n] - 0.25
            ]
            clashes = ways[at].clashes(head >= HEADED) if name == "address" else ""
            if clashes:
                found.doubts[name] = clashes
            elif (name == "address" and head < HEADED and not ways[at].proven) or (
                name == "number" and head < 0.45 and (self.headed or self.numbers(at) < 0.6)
            ):
                found.doubts[name] = "its heading does not say so"
            elif name == "type" and self.types(at) < 0.3:
                found.doubts[name] = "few of its cells are models at hand"
            elif rivals and not (name == "address" and ways[at].proven):
                found.doubts[name] = f"column {rivals[0] + 1} looks as much like it"


def _spelled_out(rows: Sequence[Sequence[str]]) -> list[list[str]]:
    """Rows in which ditto marks stand for what is above them."""
    made: list[list[str]] = []
    for row in rows:
        above = made[-1] if made else []
        made.append(
            [
                above[at] if is_ditto(cell) and at < len(above) else cell
                for at, cell in enumerate(row)
            ]
        )
    return made
