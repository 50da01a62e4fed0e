"""What is not written because it stands above: ditto marks, merged cells, sections."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from functools import lru_cache

from isthmus.hanglist.grid import DITTO

CARRIED = ("type", "mode", "position", "universe", "purpose", "gel", "feet")
MERGED = ("type", "mode", "position", "universe", "feet")  # a blank gel is no gel
_ABOVE = re.compile(
    rf"^(?:{DITTO}|\"|''|´´|``|”|“|''|„|,,|'|do\.?|dto\.?|ditto|id\.?|idem|same"
    r"|same as above|as above|s\.?\s?o\.?|wie oben|ebenso|dito|ídem|come sopra|c\.?s\.?"
    r"|comme ci-dessus|zie boven|\|)$",
    re.IGNORECASE,
)
_LEFT = re.compile(r"^(?:same as left|wie links|←|<-|comme à gauche)$", re.IGNORECASE)
# of the filled cells may repeat the one above where blanks are merged cells: after a line kept free
MOST_SAID_AGAIN = 0.3
LEAST_BLANK = 0.15


@lru_cache(65536)
def is_ditto(text: str) -> bool:
    return bool(_ABOVE.match(text))


def merged(texts: Sequence[str], least: int = 4) -> bool:
    """Whether the blanks of a column are merged cells: its first is filled, a good part is blank,
    and what stands above is never written again.
    """
    if len(texts) < least or not texts[0]:
        return False
    blank = sum(not text for text in texts)
    again = filled = 0
    above = texts[0]
    for text in texts[1:]:
        if text:
            filled += 1
            again += text == above
            above = text
    part = blank / len(texts)
    return part >= LEAST_BLANK and again <= max(MOST_SAID_AGAIN, part) * max(1, filled)


class Above:
    """The cells of the row above as they are meant, through ditto marks and merged cells."""

    def __init__(self, fills: Sequence[str]) -> None:
        self.fills = fills
        self.cells: dict[str, str] = {}
        self.filled: dict[str, int] = {}

    def resolve(self, cells: Mapping[str, str]) -> tuple[dict[str, str], list[str]]:
        """The cells of a row as they are meant, and the fields whose ditto marks have nothing above
        them. A mode is not taken from above where the row names another type.
        """
        made = dict(cells)
        faulty = self._spell_out(made)
        same_type = not cells.get("type") or is_ditto(cells["type"])
        for name in self.fills:
            if cells.get(name, "x") or not self.cells.get(name):
                continue
            if name in ("mode", "feet") and not same_type:
                continue
            made[name] = self.cells[name]
            self.filled[name] = self.filled.get(name, 0) + 1
        for name in CARRIED:
            if made.get(name):
                self.cells[name] = made[name]
        if not same_type and not made.get("mode"):
            self.cells["mode"] = ""
        return made, faulty

    def _spell_out(self, cells: dict[str, str]) -> list[str]:
        """Put what is above in the place of ditto marks; the fields where nothing is."""
        faulty = []
        for name, text in cells.items():
            if not text:
                continue
            if is_ditto(text) and name not in ("number", "address") and self.cells.get(name):
                cells[name] = self.cells[name]
            elif is_ditto(text) or _LEFT.match(text):
                faulty.append(name)
                cells[name] = ""
        return faulty
