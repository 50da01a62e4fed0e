"""In which ways a unit can be wrong, and how: what a person may say of it, by a key or in a few
words. Nothing of it has to be said.
"""

from __future__ import annotations

import re
from collections.abc import Collection, Iterable, Iterator

WRONG_IN = {
    "other": "another unit lights instead",
    "too": "another unit lights too",
    "dim": "dim",
    "dark": "moves, but no light",
    "colour": "colour",
    "pan": "pan",
    "tilt": "tilt",
    "beam": "beam",
    "cell": "a cell is missing",
    "before": "lit before it was called",
    "home": "not at home at rest",
    "moves": "another unit moves",
    "late": "late",
}
_AXIS = ("other way", "other axis", "too little", "too far", "stuck", "jerks")
_COLOURS = ("red", "green", "blue", "white", "amber", "cyan", "magenta", "yellow", "violet")
HOW = {  # "cell 4" and "cell after 4" are read with their figure
    "dim": ("half",),
    "colour": _COLOURS,
    "pan": _AXIS,
    "tilt": _AXIS,
    "before": ("steady", "flickering", "following"),
}
MAX_HOW = 12
_WAY_SAID = {  # besides the name of the way itself
    "dim": r"dim|half (?:bright|light|level)",
    "pan": r"pans?",
    "tilt": r"tilts?",
    "before": r"lit before|already lit|always (?:lit|on)|lit all the time",
    "home": r"not (?:at )?home",
    "late": r"late|delayed",
}
_HOW_SAID = {
    "half": r"half (?:bright|light|level)",
    "other way": r"(?:the )?(?:other|wrong) way(?: round)?|inverted|reversed",
    "other axis": r"(?:the )?other axis|swapped",
    "too little": r"too little|not far enough",
    "too far": r"too far|too much",
    "stuck": r"(?:is )?stuck|does not move|frozen",
    "jerks": r"jerks?|jerky|stutters?",
    "flickering": r"flicker(?:s|ing)?",
    "following": r"follow(?:s|ing)?(?: something(?: else)?)?",
    "steady": r"steady",
}
_CELL = re.compile(r"\b(?:cells? (after|from) (\d+)|(after|from) cell (\d+)|cell (\d+))\b")


def known_how(words: str) -> bool:
    """Whether this is a way said with its how: `pan other way`, `colour red`, `cell 4`."""
    way, _, rest = words.partition(" ")
    if way == "cell":
        return bool(re.fullmatch(r"(after )?\d{1,3}", rest))
    return rest in HOW.get(way, ())


def read_phrases(text: str) -> tuple[list[str], list[str]]:
    """(ways, how) that a short note says: `pans the other way, no red` → pan and colour, `pan other
    way` and `colour red`. What is not understood stays a note and no more.
    """
    ways: dict[str, None] = {}
    how: dict[str, None] = {}
    for part in re.split(r"[,;.]| and ", text.lower()[:500]):
        said = " ".join(part.split())
        found = list(_read(said)) if said else []
        if said and not found and ways:  # `pan, stuck`: more of the way before
            last = next(reversed(ways))
            found = [(last, how) for how in HOW.get(last, ()) if _says(how, said, alone=True)]
        for way, more in found:
            ways[way] = None
            if more:
                how[f"{way} {more}"] = None
    return list(ways), list(how)


def _read(said: str) -> Iterator[tuple[str, str]]:
    """The ways one phrase says, each with its how or ""."""
    cell = _CELL.search(said)
    if cell:
        figure = int(cell[2] or cell[4] or cell[5])
        after = "after " if cell[1] or cell[3] else ""
        yield "cell", f"{after}{figure - ('from' in (cell[1], cell[3]))}"
        return
    for way, words in _WAY_SAID.items():
        if re.search(rf"\b(?:{words})\b", said):
            some = [name for name in HOW.get(way, ()) if _says(name, said)]
            yield from ((way, name) for name in some or [""])
    for name in _COLOURS:
        if re.search(rf"\b(?:no|wrong|missing|not|colour) {name}\b", said):
            yield "colour", name


def _says(how: str, said: str, alone: bool = False) -> bool:
    """Whether a phrase says how, among other words or `alone`."""
    words = _HOW_SAID.get(how) or how
    found = re.fullmatch(words, said) if alone else re.search(rf"\b(?:{words})\b", said)
    return found is not None


def kept_how(what: Collection[str], how: Iterable[str]) -> tuple[str, ...]:
    """Of what is said, what is known and belongs to a way that is marked; each once."""
    fits = (h for h in how if known_how(h) and h.split()[0] in what)
    return tuple(dict.fromkeys(fits))[:MAX_HOW]


def in_words(way: str, how: Iterable[str]) -> str:
    """A way with its how: `pan (other way)`."""
    said = [h.partition(" ")[2] for h in how if h.split()[0] == way]
    return f"{WRONG_IN[way]} ({', '.join(said)})" if said else WRONG_IN[way]
