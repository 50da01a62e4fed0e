"""How wide words are in the faces papers are set in."""

from __future__ import annotations

from functools import cache, lru_cache
from typing import Any

from isthmus.sheets.files import register_fonts

PLAIN, BOLD, FIGURES = "IBMPlexSans-Regular", "IBMPlexSans-SemiBold", "IBMPlexMono-Regular"


@cache
def _face(name: str) -> tuple[dict[int, float], float]:
    """Widths of letters in thousandths of the size; that of one the face does not have."""
    from reportlab.pdfbase.pdfmetrics import getFont

    register_fonts((PLAIN, BOLD, FIGURES))
    face: Any = getattr(getFont(name), "face")  # noqa: B009  (of fonts read from files)
    return face.charWidths, face.defaultWidth


@lru_cache(65536)
def width_of(words: str, face: str, size: float) -> float:
    """In points. Raises FileFault where a face is damaged."""
    widths, other = _face(face)
    return sum(widths.get(ord(letter), other) for letter in words) * size / 1000
