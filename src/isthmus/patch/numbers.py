"""Unit numbers as people type them: `5`, `1-4`, `1,3,7-9`."""

from __future__ import annotations

import re

from isthmus.errors import EntryFault

MAX_NUMBER = 999_999
MAX_COUNT = 10_000
_RANGE = re.compile(r"^(\d{1,6})(?:-(\d{1,6}))?$")


def read_numbers(text: str) -> list[int]:
    """Numbers in the order typed. Raises EntryFault for anything else."""
    found: list[int] = []
    for part in re.split(r"[,;+\s]+", re.sub(r"\s*(-|–|\.\.|\bto\b)\s*", "-", text.strip())):
        match = _RANGE.match(part)
        if not match:
            raise EntryFault(f"“{part[:30]}” is not a unit number or a range.", do="Write 5, 1-4 or 1,3,7-9.")
        first, last = int(match[1]), int(match[2] or match[1])
        if not 1 <= first <= MAX_NUMBER or not 1 <= last <= MAX_NUMBER:
            raise EntryFault(f"“{part}” is outside 1 to {MAX_NUMBER}.")
        if abs(last - first) >= MAX_COUNT:
            raise EntryFault(f"“{part}” is more than {MAX_COUNT} units.")
        found.extend(range(first, last + 1) if first <= last else range(first, last - 1, -1))
    return found


def write_numbers(numbers: list[int]) -> str:
    """The shortest way to write numbers in ascending order: `101–104, 107`."""
    runs: list[list[int]] = []
    for number in sorted(set(numbers)):
        if runs and number == runs[-1][1] + 1:
            runs[-1][1] = number
        else:
            runs.append([number, number])
    return ", ".join(str(a) if a == b else f"{a}–{b}" for a, b in runs)
