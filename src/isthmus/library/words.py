"""Names as words: what typing a few letters is held against."""

from __future__ import annotations

import re

import numpy as np
from numpy.typing import NDArray

from isthmus.profiles.manual.naming import words_of


def tokens(text: str) -> list[str]:
    """Words and numbers of a name, letters and digits apart as well as together (“X4” is x4, x, 4).

    Words in other scripts stand as they are written.
    """
    flat = words_of(text)
    native = [word.casefold() for word in re.findall(r"[^\W_]+", text) if not words_of(word)]
    joined = [
        word.lower()
        for word in re.findall(r"[^\W_]+", text)
        if not word.isalpha() and not word.isdigit()
    ]
    return list(dict.fromkeys([*joined, *flat, *native]))


class Words:
    """Texts by their words: `scores(values)` gives for each text and one query word the best of its
    own words.
    """

    def __init__(self) -> None:
        self.ids: dict[str, int] = {}

    def column(self, texts: list[list[str]]) -> tuple[NDArray[np.int32], NDArray[np.int64]]:
        """Word ids of all texts one by one, and where each begins; a text without words
        gets the empty one.
        """
        flat: list[int] = []
        starts = np.zeros(len(texts), np.int64)
        ids = self.ids
        for index, words in enumerate(texts):
            starts[index] = len(flat)
            for word in words or [""]:
                found = ids.get(word)
                if found is None:
                    found = ids[word] = len(ids)
                flat.append(found)
        return np.array(flat, np.int32), starts


def product_line(model: str) -> str:
    """The name a maker gives a family of models: what stands before the first word with a digit."""
    words = model.split()
    head = []
    for word in words:
        if any(c.isdigit() for c in word):
            break
        head.append(word)
    return " ".join(head[:2]) or (words[0] if words else "")
