"""Two lists matched as a whole: the assignment with most in common."""

from __future__ import annotations

from collections.abc import Hashable, Sequence

import numpy as np

Said = Sequence[Hashable | None]  # what each says of something; None: nothing


def assigned(
    said: Sequence[tuple[float, Said, Said]], like: float, least: float = 0.0
) -> list[tuple[int, int]]:
    """Pairs of indices (left, right). `said` holds for each thing asked how much it counts and what
    both sides say of it. A pair has `like` of what both say of it in common, and `least` in all.
    """
    from scipy.optimize import linear_sum_assignment

    _, left, right = said[0]
    if not left or not right:
        return []
    common = np.zeros((len(left), len(right)))
    could = np.zeros_like(common)
    for weight, mine, theirs in said:
        a, b = _codes(mine, theirs)
        there = (a[:, None] >= 0) & (b[None, :] >= 0)
        could += weight * there
        common += weight * (there & (a[:, None] == b[None, :]))
    rows, columns = linear_sum_assignment(-common)
    return [
        (i, j)
        for i, j in zip(rows.tolist(), columns.tolist(), strict=True)
        if could[i, j] and common[i, j] >= max(least, like * could[i, j])
    ]


def _codes(left: Said, right: Said) -> tuple[np.ndarray, np.ndarray]:
    """Equal values by equal numbers; −1 where nothing is said."""
    number: dict[Hashable, int] = {}
    both = [-1 if v is None else number.setdefault(v, len(number)) for v in (*left, *right)]
    return np.array(both[: len(left)]), np.array(both[len(left) :])
