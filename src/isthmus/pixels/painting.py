"""Colours of cells as levels of the rig, by each cell's own emitters, over all else."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from isthmus.pixels.colours import CellTable
from isthmus.pixels.plans import SetPlan

Floats = NDArray[np.float32]
Index = NDArray[np.int64]


@dataclass(frozen=True, eq=False)
class Heap:
    """Cells (m,) with the same emitters. Entry e goes to parameter `at[e]`: the level `of[e]` of
    all k × m of them, cell by cell within an emitter; `cell[e]` is which of the cells it is of.
    """

    cells: Index
    table: CellTable
    of: Index
    cell: Index
    at: Index


@dataclass(frozen=True, eq=False)
class Canvas:
    """A grid as the rig has it: its n cells, by heaps. Light to the power of `gamma`, times `white`
    (3,), which holds the limit as well.
    """

    count: int
    heaps: tuple[Heap, ...]
    gamma: float
    white: Floats

    def corrected(self, colours: Floats) -> Floats:
        """Colours (3 or 4, n) as this grid is to show them, (3, n)."""
        rgb = colours[:3]
        if self.gamma != 1.0:
            rgb = rgb ** np.float32(self.gamma)
        return rgb if (self.white == 1).all() else rgb * self.white[:, None]

    def paint(self, levels: Floats, colours: Floats, weight: float = 1.0) -> None:
        """Lay colours (4, n) over levels of all parameters (p,), in place."""
        light, there = self.corrected(colours), colours[3]
        whole = weight >= 1 and float(there.min(initial=1.0)) >= 1
        for heap in self.heaps:
            mine = light if len(heap.cells) == self.count else light[:, heap.cells]
            made = heap.table.levels(mine).ravel().take(heap.of)
            if not whole:
                share = (there[heap.cells] * np.float32(weight)).take(heap.cell)
                made = levels[heap.at] * (1 - share) + made * np.float32(weight)
            levels[heap.at] = np.minimum(made, 1)

    @property
    def index(self) -> Index:
        """The parameters it writes to, ascending."""
        return np.unique(np.concatenate([h.at for h in self.heaps] or [np.zeros(0, np.int64)]))


@dataclass(frozen=True)
class Shown:
    """A layer set that is shown: since when, and how much of a say it has."""

    set: str
    began: float
    weight: float = 1.0


@dataclass(frozen=True, eq=False)
class Pictures:
    """Everything that can be shown on a rig: sets by id, and the canvases of their grids."""

    canvases: Mapping[str, Canvas] = field(default_factory=dict)
    sets: Mapping[str, SetPlan] = field(default_factory=dict)

    def paint(self, levels: Floats, shown: Sequence[Shown], time: float) -> None:
        """Lay all that is shown over levels (p,), in place, the later in front."""
        for one in shown:
            plan = self.sets.get(one.set)
            canvas = self.canvases.get(plan.grid) if plan else None
            if plan is None or canvas is None or one.weight <= 0:
                continue
            canvas.paint(levels, plan.colours(time - one.began), one.weight)

    def rate(self, shown: Sequence[Shown]) -> float:
        """How often a second any of it is another picture."""
        return max((self.sets[s.set].rate for s in shown if s.set in self.sets), default=0.0)


NO_PICTURES = Pictures()
