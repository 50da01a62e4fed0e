"""What units are called on paper: numbers, ranges and lists of them, and identifiers that are text
(`LX1-7`, `31a`, `C3L`, `101.2`).
"""

from __future__ import annotations

import itertools
import re
from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache

from isthmus.patch.numbers import MAX_NUMBER

LONGEST = 500  # units of one row
WHOLE = re.compile(r"^(\d{1,6})(?:[.,]0)?$")
# before the figures of a number: a word that only says that it is one
_CALLED = re.compile(
    r"^(?:unit|fixture|fix|no|nr|num|ch|chan|channel|kanal|kreis|gerät|canal|circuit|unidad|#)"
    r"[.:°º#]?\s*(?=\d)",
    re.IGNORECASE,
)
# what stands between the ends of a range
TO = r"-|–|—|−|\.\.+|…|\b(?:to|thru|through|bis|à|au|al?|hasta|tot)\b|\bt/m\b"
_JOIN = rf"\s*(?:{TO}|>|/)\s*"
_RANGE = re.compile(rf"^(\d{{1,6}}){_JOIN}(\d{{1,6}})$", re.IGNORECASE)
_COUNT = re.compile(
    r"^(?:x\s*)?(\d{1,4})\s*(?:x|×|\*|off|pcs?\.?|stk\.?|stück|st\.?|pz\.?|uds?\.?|ea\.?)?\.?$",
    re.IGNORECASE,
)
_IDENT = re.compile(r"^(?=.*\d)[\w][\w .\-/#:+]{0,23}$")


@dataclass(frozen=True)
class Ident:
    """What a cell calls its units: `numbers` where they are numbers, else one `text`."""

    numbers: tuple[int, ...] = ()
    text: str = ""
    ranged: bool = False


@lru_cache(65536)
def read_ident(text: str, ranges: bool = True) -> Ident | None:
    """None when it calls no unit. Without `ranges` a dash is part of an identifier."""
    text = _CALLED.sub("", text.strip())
    if match := WHOLE.match(text):
        number = int(match[1])
        return Ident((number,)) if 1 <= number <= MAX_NUMBER else None
    if ranges and (match := _RANGE.match(text)):
        first, last = int(match[1]), int(match[2])
        if len(match[2]) < len(match[1]):  # 101-8
            short = int(match[1][: len(match[1]) - len(match[2])] + match[2])
            last = short if short > first else last
        if 1 <= first < last <= MAX_NUMBER and last - first < LONGEST:
            return Ident(tuple(range(first, last + 1)), ranged=True)
    if re.fullmatch(r"\d{1,6}(?:\s*[,;+&]\s*\d{1,6})+", text):
        found = tuple(int(part) for part in re.findall(r"\d+", text))
        if len(set(found)) == len(found) and all(1 <= n <= MAX_NUMBER for n in found):
            return Ident(found, ranged=True)
    if ranges and re.search(r"[,;+&]", text):
        parts = [read_ident(part) for part in re.split(r"\s*[,;+&]\s*", text) if part]
        if len(parts) > 1 and all(part is not None and part.numbers for part in parts):
            numbers = tuple(n for part in parts if part for n in part.numbers)
            if len(set(numbers)) == len(numbers) <= LONGEST:
                return Ident(numbers, ranged=True)
    return Ident(text=text) if _IDENT.match(text) else None


def read_count(text: str) -> int:
    """How many units a cell says, `6`, `6 x`, `40 off`; 0 when it says none."""
    match = _COUNT.match(text.strip())
    return int(match[1]) if match else 0


def dashes_are_ranges(texts: Sequence[str]) -> bool:
    """Whether `101-108` in a column stands for eight units: every such cell rises, and no two of
    them overlap. `1-7`, `1-8`, `2-1` are identifiers.
    """
    spans = []
    for text in texts:
        if _RANGE.match(text.strip()):
            ident = read_ident(text)
            if ident is None or not ident.ranged:
                return False
            spans.append((ident.numbers[0], ident.numbers[-1]))
    spans.sort()
    return bool(spans) and all(a[1] < b[0] for a, b in itertools.pairwise(spans))
