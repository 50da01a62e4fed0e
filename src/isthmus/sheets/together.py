"""Units that lie on one spot of a sheet, as those of an upright bar do in an elevation: one label
for all of them.
"""

from __future__ import annotations

from collections.abc import Sequence

from isthmus.patch.numbers import write_numbers
from isthmus.show.address import write_address
from isthmus.show.records import Unit

# in the order they are written; a level is live: only the window writes it
LABELS = ("number", "address", "gel", "name", "purpose", "height", "level")
MOST = 3  # different labels that are written one after the other


def together(points: Sequence[tuple[float, float]], apart: float) -> list[list[int]]:
    """Indices of points nearer to each other than `apart`, in the order of the first of each."""
    heaps: list[list[int]] = []
    cells: dict[tuple[int, int], list[int]] = {}
    for index, (x, y) in enumerate(points):
        column, row = int(x // apart), int(y // apart)
        near = (
            heap
            for i in (-1, 0, 1)
            for j in (-1, 0, 1)
            for heap in cells.get((column + i, row + j), ())
            if abs(points[heaps[heap][0]][0] - x) < apart
            and abs(points[heaps[heap][0]][1] - y) < apart
        )
        heap = next(near, None)
        if heap is None:
            cells.setdefault((column, row), []).append(len(heaps))
            heaps.append([index])
        else:
            heaps[heap].append(index)
    return heaps


def label_of(unit: Unit, wanted: Sequence[str]) -> str:
    """What is written at a unit: in the order of LABELS, those that are wanted and there."""
    parts = {
        "number": str(unit.number),
        "address": write_address(unit.patch[0].universe, unit.patch[0].address)
        if unit.patch
        else "",
        "gel": unit.gel,
        "name": unit.name,
        "purpose": unit.purpose,
        "height": f"{unit.position[2]:.1f} m" if unit.position else "",
    }
    return " · ".join(parts[name] for name in LABELS if name in wanted and parts.get(name))


def label_for(units: Sequence[Unit], wanted: Sequence[str]) -> str:
    """What is written at units that lie on one spot: their numbers as a range, and what else they
    share.
    """
    if len(units) == 1:
        return label_of(units[0], wanted)
    if "number" not in wanted:
        words = list(dict.fromkeys(label_of(unit, wanted) for unit in units))
        return ", ".join(words[:MOST]) + (" …" if len(words) > MOST else "")
    rest = [name for name in wanted if name != "number"]
    shared = {label_of(unit, rest) for unit in units}
    numbers = write_numbers([unit.number for unit in units])
    more = shared.pop() if len(shared) == 1 else ""
    return f"{numbers} · {more}" if more else numbers
