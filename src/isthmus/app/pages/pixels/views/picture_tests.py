"""Test pictures on a grid: which, how bright, shown and ended."""

from __future__ import annotations

from PySide6.QtWidgets import QHBoxLayout, QWidget

from isthmus.app.kit.widgets import bind, button, choice, field, label
from isthmus.app.model.workbench import Workbench
from isthmus.looks.lines import read_level
from isthmus.pixels.wiring_pictures import PICTURES
from isthmus.show.records import PixelGrid


class PictureTests(QWidget):
    def __init__(self, bench: Workbench) -> None:
        super().__init__()
        self.bench, self.tests = bench, bench.grid_tests
        self.grid: PixelGrid | None = None
        line = QHBoxLayout(self)
        line.setContentsMargins(0, 0, 0, 0)
        line.setSpacing(6)
        line.addWidget(label("Test picture", "quiet"))
        self.which = choice("test picture", [(n, n.capitalize()) for n in PICTURES])
        self.which.activated.connect(lambda _: self._again())
        line.addWidget(self.which)
        line.addWidget(label("at", "quiet"))
        self.level = field("test level", "60 %", mono=True)
        self.level.setFixedWidth(64)
        self.level.returnPressed.connect(self._again)
        line.addWidget(self.level)
        self.button = button("Show it", "primary", self.turn, 30, "test grid")
        line.addWidget(self.button)
        self.told = label("", "quiet")
        self.told.setObjectName("picture test")
        line.addWidget(self.told, 1)
        bind(self.tests.changed, self, self._tested)

    def take(self, grid: PixelGrid | None) -> None:
        """What is shown is shown on this grid, as it is now."""
        self.grid = grid
        self.button.setEnabled(grid is not None)
        self._again()

    def turn(self) -> None:
        """Show the picture, or end it."""
        if self.tests.shown is not None:
            self.tests.end_picture()
        else:
            self._begin()

    def _again(self) -> None:
        """What is shown is shown as it is set now."""
        shown = self.tests.shown
        wanted = (self.grid, self.which.currentData())
        if shown is not None and ((shown.grid, shown.picture) != wanted or self.level.isModified()):
            self._begin()

    def _begin(self) -> None:
        grid = self.grid

        def run() -> None:
            assert grid is not None
            level = read_level(self.level.text())
            self.level.setModified(False)
            self.tests.show_picture(grid, self.which.currentData(), 1.0 if level is None else level)

        if grid is not None:
            self.bench.guard(run)

    def _tested(self) -> None:
        """Another picture, or none, may have been asked for by a phone."""
        shown = self.tests.shown
        self.button.setText("Show it" if shown is None else "End it")
        self.told.setText(shown.words if shown else "")
        if shown is not None and shown.grid == self.grid:
            self.which.setCurrentIndex(self.which.findData(shown.picture))
