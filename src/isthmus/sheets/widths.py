"""How wide words are in the shipped faces, and where they are broken to stay within a width."""

from __future__ import annotations

from functools import lru_cache

from isthmus import fonts

MOST_LINES = 4
_SIZE = 100  # pixels a face is measured at
FACES = {
    (False, False): "IBMPlexSans-Regular",
    (True, False): "IBMPlexSans-SemiBold",
    (False, True): "IBMPlexMono-Medium",
    (True, True): "IBMPlexMono-SemiBold",
}


@lru_cache(maxsize=4096)
def wide_of(words: str, size: float, bold: bool = False, mono: bool = False) -> float:
    """The width of words set in a size, in the units of the size."""
    return _face(bold, mono).getlength(words) * size / _SIZE


@lru_cache(maxsize=4)
def _face(bold: bool, mono: bool):
    from PIL import ImageFont

    return ImageFont.truetype(str(fonts.FOLDER / f"{FACES[bold, mono]}.ttf"), _SIZE)


def broken(words: str, wide: float, size: float, bold: bool = False) -> list[str]:
    """Lines no wider than `wide`: broken between words, and within one that is longer than a line;
    a few lines at most, then cut short. [] for no words.
    """
    lines: list[str] = []
    for word in words.split():
        joined = f"{lines[-1]} {word}" if lines else word
        if lines and wide_of(joined, size, bold) <= wide:
            lines[-1] = joined
            continue
        while wide_of(word, size, bold) > wide:
            fits = len(word)
            while fits > 1 and wide_of(word[:fits], size, bold) > wide:
                fits -= 1
            lines.append(word[:fits])
            word = word[fits:]
        if word:
            lines.append(word)
    if len(lines) <= MOST_LINES:
        return lines
    last = lines[MOST_LINES - 1]
    while last and wide_of(f"{last}…", size, bold) > wide:
        last = last[:-1]
    return [*lines[: MOST_LINES - 1], f"{last}…"]
