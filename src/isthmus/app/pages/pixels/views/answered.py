"""What the lamps of the simulated rig do, where they hang: as a person who stands before them sees
it, whatever the grid says.
"""

from __future__ import annotations

import contextlib
from typing import Any

import numpy as np
from PySide6.QtGui import QHideEvent, QShowEvent
from PySide6.QtWidgets import QWidget

from isthmus.app.kit.widgets import bind, column_of, label
from isthmus.app.model.rig_link import RigLink
from isthmus.app.model.workbench import Workbench
from isthmus.app.pages.pixels.views.grid_picture import Codes, GridPicture, screen_codes
from isthmus.errors import EntryFault
from isthmus.pixels.grids import propose
from isthmus.profiles.colour import LUMINANCE
from isthmus.show.records import PixelGrid


class RigPicture(GridPicture):
    """`state` is what the rig answered last."""

    def __init__(self, bench: Workbench) -> None:
        super().__init__(bench)
        self.state: dict[str, Any] = {}
        self.order = self.numbered = False  # they would cover cells
        self._hung: tuple[object, ...] = ()
        self.setObjectName("rig picture")
        self.setAccessibleName("What the simulated rig does, where its lamps hang")

    def take(self, grid: PixelGrid | None) -> None:
        """The cells of a grid's units where they hang; as the grid has them where that is no
        lattice.
        """
        show = self.bench.show
        units = frozenset(cell.unit for cell in grid.cells) if grid else frozenset()
        ground = (units, show.units, show.profiles)
        if self._hung and all(a is b or a == b for a, b in zip(ground, self._hung, strict=True)):
            return
        self._hung = ground
        if units:
            with contextlib.suppress(EntryFault):
                grid = propose(show, sorted(units)).grid
        super().take(grid)

    def colours(self) -> Codes:
        self._find()
        rows = {str(row["label"]): row for row in self.state.get("units", ())}
        numbers = {unit.id: str(unit.number) for unit in self.bench.show.units}
        light = np.zeros((len(self._places), 3))
        cells = self.grid.cells if self.grid else ()
        for at, (cell, place) in enumerate(zip(cells, self._places, strict=True)):
            row = rows.get(numbers.get(cell.unit, ""))
            if row is not None and place is not None and place[2] < len(row["cells"]):
                tint = np.array(row["tints"][place[2]])  # its brightness is told apart from it
                light[at] = tint * row["cells"][place[2]] / max(float(LUMINANCE @ tint), 1e-9)
        return screen_codes(light / max(float(light.max(initial=0.0)), 1e-9))


class RigBelow(QWidget):
    """The picture with its heading, looked at while it is seen; nothing without a simulator."""

    def __init__(self, bench: Workbench, rig: RigLink | None) -> None:
        super().__init__()
        self.rig = rig
        self.setObjectName("rig below")
        column = column_of(self)
        self.heading = label("What the simulated rig does", "quiet")
        column.addWidget(self.heading)
        self.picture = RigPicture(bench)
        column.addWidget(self.picture, 1)
        self.hide()
        if rig is not None:
            rig.state.connect(self.heard)
            bind(rig.lost, self, lambda: self.heard({}))

    def take(self, grid: PixelGrid | None) -> None:
        self.picture.take(grid)
        self.picture.update()

    def heard(self, state: dict[str, Any]) -> None:
        if self.isVisible():
            self.picture.state = state
            self.picture.update()

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        if self.rig is not None:
            self.rig.watch(True)

    def hideEvent(self, event: QHideEvent) -> None:
        super().hideEvent(event)
        if self.rig is not None:
            self.rig.watch(False)
