"""Unit numbers as people type them: `5`, `1-4`, `1,3,7-9`, `2-20 step 2`, `1-8 but 3,5`."""

from __future__ import annotations

import re
from collections.abc import Sequence

from isthmus.errors import EntryFault

MAX_NUMBER = 999_999
MAX_COUNT = 10_000
BUT = re.compile(r"\b(?:but|except|without|not)\b", re.IGNORECASE)
_DASH = re.compile(r"\s*(?:-|–|−|—|\.\.+|…|\bto\b|\bthru\b|\bthrough\b)\s*", re.IGNORECASE)
_STEP = re.compile(r"\s*(?:\bstep\b|\bby\b|\bevery\b)\s*(\d+)", re.IGNORECASE)
_PART = re.compile(r"^(\d{1,6})(?:-(\d{1,6}))?(?:␟(\d{1,6}))?$")
STEP = "␟"
_HOW = "Write 5, 1-4, 1,3,7-9 or 2-20 step 2."


def joined(text: str) -> str:
    """Dashes and steps written in one way, with no space around them; the step after a sign that
    no one types.
    """
    return _STEP.sub(lambda m: f"{STEP}{m[1]}", _DASH.sub("-", text.strip()))


def read_part(part: str) -> list[int]:
    """One number or range, joined. Raises EntryFault."""
    match = _PART.match(part)
    typed = part.replace(STEP, " step ")
    if not match:
        raise EntryFault(f"“{typed[:30]}” is not a unit number or a range.", do=_HOW)
    first, last, step = int(match[1]), int(match[2] or match[1]), int(match[3] or 1)
    if not 1 <= first <= MAX_NUMBER or not 1 <= last <= MAX_NUMBER:
        raise EntryFault(f"“{typed}” is outside 1 to {MAX_NUMBER}.")
    if not step:
        raise EntryFault(f"“{typed}” has no end: its step is 0.")
    if abs(last - first) // step >= MAX_COUNT:
        raise EntryFault(f"“{typed}” is more than {MAX_COUNT} units.")
    return list(range(first, last + 1, step) if first <= last else range(first, last - 1, -step))


def read_numbers(text: str) -> list[int]:
    """Numbers in the order typed, each once. Raises EntryFault for anything else."""
    wanted, *but = BUT.split(text, maxsplit=1)
    found = list(dict.fromkeys(n for part in _parts(wanted) for n in read_part(part)))
    if len(found) > MAX_COUNT:
        raise EntryFault(f"That is more than {MAX_COUNT} units.")
    away = {n for part in _parts(but[0]) for n in read_part(part)} if but else set()
    return [n for n in found if n not in away]


def _parts(text: str) -> list[str]:
    return re.split(r"[,;+\s]+", joined(text).strip(",;+ ")) or [""]


def write_numbers(numbers: Sequence[int]) -> str:
    """The shortest way to write numbers in ascending order: `101–104, 107`."""
    runs: list[list[int]] = []
    for number in sorted(set(numbers)):
        if runs and number == runs[-1][1] + 1:
            runs[-1][1] = number
        else:
            runs.append([number, number])
    return ", ".join(str(a) if a == b else f"{a}–{b}" for a, b in runs)
