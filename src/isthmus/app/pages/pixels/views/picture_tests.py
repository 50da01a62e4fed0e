"""Test pictures on a grid: which, how bright, shown and ended."""

from __future__ import annotations

import time

from PySide6.QtWidgets import QHBoxLayout, QWidget

from isthmus.app.kit.widgets import bind, button, choice, field, label
from isthmus.app.model.workbench import Workbench
from isthmus.check.prove_picture import ProvePicture
from isthmus.looks.lines import read_level
from isthmus.pixels.wiring_pictures import PICTURES
from isthmus.show.records import PixelGrid


class PictureTests(QWidget):
    def __init__(self, bench: Workbench) -> None:
        super().__init__()
        self.bench = bench
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
        bind(bench.proving.changed, self, self._tested)

    def take(self, grid: PixelGrid | None) -> None:
        """What is shown is shown on this grid, as it is now."""
        self.grid = grid
        self.button.setEnabled(grid is not None)
        self._again()

    def turn(self) -> None:
        """Show the picture, or end it."""
        if isinstance(self.bench.proving.proof, ProvePicture):
            self.bench.proving.end()
        else:
            self._begin()

    def _again(self) -> None:
        """What is shown is shown as it is set now."""
        proof = self.bench.proving.proof
        wanted = (self.grid, self.which.currentData())
        if isinstance(proof, ProvePicture) and (
            (proof.grid, proof.picture) != wanted or self.level.isModified()
        ):
            self._begin()

    def _begin(self) -> None:
        bench, grid = self.bench, self.grid
        if grid is None:
            return

        def run() -> None:
            level = read_level(self.level.text())
            self.level.setModified(False)
            bench.proving.begin(
                lambda: ProvePicture(
                    bench.show,
                    bench.levels.live,
                    time.monotonic(),
                    grid,
                    self.which.currentData(),
                    1.0 if level is None else level,
                )
            )
            if not bench.levels.sending:
                bench.tell("attention", "Output is off: nothing of it leaves the computer.")

        bench.guard(run)

    def _tested(self) -> None:
        proof = self.bench.proving.proof
        on = isinstance(proof, ProvePicture)
        self.button.setText("End it" if on else "Show it")
        self.told.setText(proof.words if on and proof else "")
