"""Labels beside marks without covering each other: greedy, the most important first, on a grid of
cells for speed.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

Box = tuple[float, float, float, float]  # left, top, right, bottom


@dataclass(frozen=True)
class Wish:
    """A label that is wanted: its mark, how far from it labels begin (above and below, where that
    differs), its size; `must` is placed even over others."""

    x: float
    y: float
    off: float
    wide: float
    high: float
    must: bool = False
    off_up: float | None = None


class Labels:
    """Places labels one after another; each gets the first of eight places around its mark that is
    free, or none.
    """

    def __init__(self, bounds: Box | None = None, cell: float = 48.0) -> None:
        """`cell`: about the size of a label, in what positions are measured in."""
        self._bounds = bounds  # labels stay inside, unless they must be placed
        self._cell = cell
        self._cells: dict[tuple[int, int], list[Box]] = {}

    def block(self, box: Box) -> None:
        """Take a stretch so that no label comes to lie there."""
        for cell in self._over(box):
            self._cells.setdefault(cell, []).append(box)

    def place(self, wish: Wish) -> tuple[float, float] | None:
        """Left and top of where the label goes."""
        w, h, off = wish.wide, wish.high, wish.off
        up = off if wish.off_up is None else wish.off_up
        x, y = wish.x, wish.y
        options = (
            (x - w / 2, y + up),
            (x - w / 2, y - up - h),
            (x + off, y - h / 2),
            (x - off - w, y - h / 2),
            (x + off * 0.7, y + off * 0.7),
            (x - off * 0.7 - w, y + off * 0.7),
            (x + off * 0.7, y - off * 0.7 - h),
            (x - off * 0.7 - w, y - off * 0.7 - h),
        )
        for left, top in options:
            box = (left, top, left + w, top + h)
            if self._free(box):
                self.block(box)
                return left, top
        if wish.must:
            left, top = options[0]
            self.block((left, top, left + w, top + h))
            return left, top
        return None

    def _over(self, box: Box) -> list[tuple[int, int]]:
        size = self._cell
        i, j = int(box[0] // size), int(box[1] // size)
        last_i, last_j = int(box[2] // size), int(box[3] // size)
        if i == last_i and j == last_j:  # most of them
            return [(i, j)]
        return [(a, b) for a in range(i, last_i + 1) for b in range(j, last_j + 1)]

    def _free(self, box: Box) -> bool:
        left, top, right, bottom = box
        if self._bounds is not None:
            x0, y0, x1, y1 = self._bounds
            if left < x0 or top < y0 or right > x1 or bottom > y1:
                return False
        for cell in self._over(box):
            for l2, t2, r2, b2 in self._cells.get(cell, ()):
                if left < r2 and l2 < right and top < b2 and t2 < bottom:
                    return False
        return True


def place_all(
    wishes: Sequence[Wish], blocked: Sequence[Box] = ()
) -> list[tuple[float, float] | None]:
    """All wishes in one go, those that must be placed first."""
    labels = Labels()
    for box in blocked:
        labels.block(box)
    found: list[tuple[float, float] | None] = [None] * len(wishes)
    for must in (True, False):
        for index, wish in enumerate(wishes):
            if wish.must is must:
                found[index] = labels.place(wish)
    return found
