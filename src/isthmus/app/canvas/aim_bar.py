"""The bar that aims: at a point, along a line or round a circle; by clicking in plan or stage, or
by figures.
"""

from __future__ import annotations

import math

import numpy as np
from PySide6.QtWidgets import QHBoxLayout, QWidget

from isthmus.app.kit.figures import figure_field, read_figure, write_figure
from isthmus.app.kit.widgets import bind, button, choice, label
from isthmus.app.model.workbench import Workbench
from isthmus.errors import EntryFault
from isthmus.layout import lay
from isthmus.output.aiming import Aiming
from isthmus.show.records import Vec3
from isthmus.stage.aim import AIM_WAYS
from isthmus.stage.landing import backs, land, surfaces
from isthmus.stage.photometry import illuminance
from isthmus.stage.rig import Drawn
from isthmus.stage.shade import shade_of

SHAPES = ("a point", "a line", "a circle")


class AimBar(QWidget):
    """A tool for plan and stage: `point` is told where the pointer is, on a surface of the
    stage.
    """

    def __init__(self, bench: Workbench) -> None:
        super().__init__()
        self.bench = bench
        self._start: Vec3 | None = None
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 6)
        row.setSpacing(6)
        row.addWidget(label("Aim at", "quiet"))
        self.shape = choice("aim shape", [(s, s) for s in SHAPES])
        row.addWidget(self.shape)
        self.at = [figure_field(f"aim {axis}", 0.0, 56) for axis in "xyz"]
        for axis, one in zip("xyz", self.at, strict=True):
            row.addWidget(label(axis, "quiet"))
            row.addWidget(one)
            one.returnPressed.connect(self.by_figures)
        row.addWidget(button("Aim there", run=self.by_figures, name="aim there"))
        self.way = choice("aim way", [(w, w) for w in AIM_WAYS])
        self.way.setToolTip(
            "nearest: the smallest turn from now. least travel: the quickest. same way: "
            "never flips over."
        )
        row.addWidget(self.way)
        self.lands = label("", "quiet", italic=False)
        row.addWidget(self.lands, 1)
        for signal in (bench.selection.changed, bench.levels.changed):
            bind(signal, self, self.refresh)
        self.setVisible(False)

    @property
    def words(self) -> str:
        count = len(self.bench.selection.ids)
        if not count:
            return "Select units first; then click where their beams shall meet."
        return {
            "a point": f"{count} selected: click a point, or drag and they follow",
            "a line": f"{count} selected: drag a line, and each meets its place on it",
            "a circle": f"{count} selected: drag from the middle of a circle outwards",
        }[self.shape.currentData()]

    def point(self, at: Vec3, last: bool) -> None:
        """The pointer is held at a point; `last` when it is released."""
        if self._start is None:
            self._start = at
        for one, value in zip(self.at, at, strict=True):
            one.setText(write_figure(value))
        start, shape = self._start, self.shape.currentData()
        if last:
            self._start = None
        targets = self._targets(start, at, shape)
        if targets is not None:
            self._aim(targets, not last)

    def _targets(self, start: Vec3, at: Vec3, shape: str) -> object:
        count = len(self.bench.selection.ids)
        if shape == "a point":
            return np.array(at)
        apart = math.hypot(at[0] - start[0], at[1] - start[1])
        if apart < 0.05 or not count:
            return None
        if shape == "a line":
            share = np.linspace(0, 1, count)[:, None] if count > 1 else np.zeros((1, 1))
            return np.array(start) + share * (np.array(at) - np.array(start))
        ring = lay.circle(count, start[:2], apart)
        return np.column_stack([ring, np.full(count, start[2])])

    def typed(self) -> Vec3:
        """The point in the fields; what cannot be read is 0."""
        found = []
        for one in self.at:
            try:
                found.append(read_figure(one.text()))
            except EntryFault:
                found.append(0.0)
        return found[0], found[1], found[2]

    def by_figures(self) -> None:
        def run() -> None:
            x, y, z = (read_figure(one.text(), "place") for one in self.at)
            self._aim(np.array([x, y, z]), False)

        self.bench.guard(run)

    def _aim(self, targets: object, quiet: bool) -> list[Aiming]:
        return self.bench.levels.aim(
            list(self.bench.selection.ids), targets, self.way.currentData(), quiet
        )

    def refresh(self) -> None:
        """Where the first selected beam lands, and how bright it is there."""
        if not self.isVisible():
            return
        bench, view = self.bench, self.bench.levels.view
        first = next((u for u in bench.selection.units() if u.id in view.rig.order), None)
        self.lands.setText("")
        if first is None:
            return
        program = bench.levels.live.program(first.id)
        if program is None or not program.assembly.beams:
            return
        beams, _ = view.pose(bench.levels.live.frame, Drawn(hide_off=False))
        rows = np.flatnonzero(beams.unit == view.rig.order.index(first.id))
        row = rows[len(rows) // 2]
        on = [*surfaces(bench.show.structures), *backs(bench.show.structures)]
        points, which = land(beams.origin[row : row + 1], beams.direction[row : row + 1], on)
        if which[0] < 0:
            self.lands.setText(f"{first.number} lands on nothing")
            return
        behind = shade_of(bench.show)
        lux = float(illuminance(beams, points, on[which[0]].normal, behind)[0])
        place = ", ".join(write_figure(float(v)) for v in points[0])
        self.lands.setText(f"{first.number} lands at {place}: {lux:.0f} lux")
