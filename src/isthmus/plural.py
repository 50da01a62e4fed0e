"""A count with its noun: `1 unit`, `3 units`, `2 addresses`."""

from __future__ import annotations


def many(count: int, noun: str, plural: str = "") -> str:
    """The count and the noun as it is for so many; `plural` where it does not just take an s."""
    ending = "es" if noun.endswith(("s", "x", "ch", "sh")) else "s"
    return f"{count} {noun if count == 1 else plural or noun + ending}"


def begun(words: str) -> str:
    """As the beginning of a sentence."""
    return words[:1].upper() + words[1:]
