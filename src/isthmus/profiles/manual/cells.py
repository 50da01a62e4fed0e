"""The small pieces of a chart in a manual: channel numbers and ranges of values, in the ways people
write them.
"""

from __future__ import annotations

import re
import unicodedata
from dataclasses import dataclass
from typing import Literal

Scale = Literal["dec", "hex", "percent"]
_TRANSLATE = str.maketrans(
    {
        "–": "-",
        "—": "-",
        "−": "-",
        "‒": "-",
        "‑": "-",
        "～": "~",
        "\u00a0": " ",
        "\u2009": " ",
        "\u202f": " ",
        "\u200b": "",
        "\ufeff": "",
        "…": "...",
        "‥": "..",
        "％": "%",
        "│": "|",
        "┃": "|",
        "║": "|",
    }
)

_NUM = r"(?:0x[0-9a-f]{1,4}|\$[0-9a-f]{1,4}|[0-9a-f]{1,4}h\b|\d{1,5}(?:[.,]\d{1,2})?\s?%|\d{1,5})"
_SEP = r"\s*(?:-{1,3}|\.{2,4}|~|->|=>|→|>|<>|\bto\b|\bbis\b|\bthru\b|\bà\b|\ba\b|\bhasta\b)\s*"
RANGE = re.compile(rf"(?<![\w.])({_NUM}){_SEP}({_NUM})(?![\w])", re.IGNORECASE)
SINGLE = re.compile(rf"({_NUM})(?![\w])", re.IGNORECASE)
_BARE_HEX = re.compile(
    r"(?<![\w.])([0-9a-f]{2})\s*(?:-|\.{2,4}|~)\s*([0-9a-f]{2})(?![\w])", re.IGNORECASE
)
_CHANNEL = re.compile(
    r"(?P<said>(?:ch(?:an(?:nel)?)?|kanal|canale?|dmx|slot|no|nr|#)\s*[.:#]?\s*)?(?P<first>\d{1,4})"
    r"(?P<rest>(?:\s*(?:[-/+,&;]|\band\b|\bund\b|\bto\b)\s*\d{1,4}){0,3})\s*(?:\((?:8|16|24) "
    r"?bit\))?\s*[.:)]?",
    re.IGNORECASE,
)


@dataclass(frozen=True)
class Value:
    """A range as written; `scale` says in which way, `at` where in the text it stands."""

    start: float
    end: float
    scale: Scale
    at: tuple[int, int]


def tidy(line: str) -> str:
    """One kind of dash, dots and space; control characters away (tabs stay)."""
    text = unicodedata.normalize("NFC", line.translate(_TRANSLATE))
    return "".join(c for c in text if c == "\t" or (c.isprintable() and c != "\r"))


def _number(text: str) -> tuple[float, Scale]:
    text = text.strip().lower()
    if text.endswith("%"):
        return float(text[:-1].replace(",", ".")), "percent"
    if text.startswith("0x"):
        return int(text, 16), "hex"
    if text.startswith("$"):
        return int(text[1:], 16), "hex"
    if text.endswith("h"):
        return int(text[:-1], 16), "hex"
    return float(text.replace(",", ".")), "dec"


def find_range(text: str, bare_hex: bool = False) -> Value | None:
    """The first range in a text."""
    match = _BARE_HEX.search(text) if bare_hex else None
    if match:
        return Value(int(match[1], 16), int(match[2], 16), "hex", match.span())
    match = RANGE.search(text)
    if match is None:
        return None
    (start, scale), (end, other) = _number(match[1]), _number(match[2])
    if "percent" in (scale, other):
        scale = "percent"
    return Value(start, end, scale, match.span())


def whole_range(text: str, bare_hex: bool = False) -> Value | None:
    """A cell that is a range, or one value, and nothing else."""
    text = text.strip(" ()[]")
    found = find_range(text, bare_hex)
    if found and found.at == (0, len(text)):
        return found
    single = SINGLE.fullmatch(text)
    if single:
        value, scale = _number(single[1])
        return Value(value, value, scale, single.span())
    return None


def bare_hexadecimal(cells: list[str]) -> bool:
    """True when ranges are written as two hexadecimal digits without a mark, as `00-0F`."""
    pairs = [match for cell in cells if (match := _BARE_HEX.fullmatch(cell.strip()))]
    lettered = sum(1 for match in pairs if re.search(r"[a-f]", match[0], re.IGNORECASE))
    decimal = sum(1 for cell in cells if re.fullmatch(r"\s*\d{3}\s*(-|\.{2,4}|~)\s*\d{3}\s*", cell))
    return lettered >= 2 and lettered * 4 >= len(pairs) and decimal == 0


@dataclass(frozen=True)
class Channels:
    """`numbers` as written, in order; `said` when a word such as CH stood before; `end` where the
    text goes on.
    """

    numbers: tuple[int, ...]
    said: bool
    end: int
    dashed: bool


def channels_at(text: str) -> Channels | None:
    """Channel numbers at the beginning of a text: `5`, `CH 5`, `1/2`, `1+2`, `1-2`, `3, 4`."""
    match = _CHANNEL.match(text)
    if match is None or not match["first"]:
        return None
    numbers = [int(match["first"]), *map(int, re.findall(r"\d+", match["rest"]))]
    dashed = bool(re.search(r"-|to", match["rest"]))
    if dashed and len(numbers) == 2 and 0 < numbers[1] - numbers[0] <= 3:
        numbers = list(range(numbers[0], numbers[1] + 1))
    return Channels(tuple(numbers), bool(match["said"]), match.end(), dashed)
