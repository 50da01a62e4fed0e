"""A test picture on a grid of cells, while it is looked at."""

from __future__ import annotations

from collections.abc import Sequence

from isthmus.check.prove import Proof
from isthmus.check.wiring import Look, Panels
from isthmus.errors import EntryFault
from isthmus.output import Live
from isthmus.output.turns import Step
from isthmus.pixels.shown import ask_cells, ask_picture
from isthmus.pixels.wiring_pictures import PICTURES, STEP
from isthmus.show.records import PixelGrid, Show

MOST = 256  # steps of a picture that takes turns
RUN = 0.4  # seconds a running dot stays at a cell


class ProvePicture(Proof):
    """The cells of a grid show a picture, and nothing else is lit."""

    def __init__(
        self, show: Show, live: Live, now: float, grid: PixelGrid, picture: str, level: float = 1.0
    ) -> None:
        """Raises EntryFault for a picture of too many steps, or a grid without cells."""
        super().__init__(show, live, now)
        self.grid, self.picture, self.level = grid, picture, level
        turns = {
            "rows": grid.height,
            "columns": grid.width,
            "one by one": grid.width * grid.height,
            "checker": 2,
        }
        self._count = turns.get(picture, 1)
        if not grid.cells:
            raise EntryFault("This grid has no cells.", do="Propose one from units first.")
        if self._count > MOST:
            minutes = self._count * STEP / 60
            raise EntryFault(
                f"{self._count} steps would take {minutes:.0f} minutes.",
                do="Take rows or columns, or a smaller grid.",
            )
        name = grid.name or f"grid {grid.number}"
        self.words = f"Test picture on {name}: {picture}."

    def _steps(self) -> Sequence[Step]:
        make, grid = PICTURES[self.picture], self.grid
        pictures = [make(grid.width, grid.height, (i + 0.5) * STEP) for i in range(self._count)]
        return [Step(STEP, ask_picture(self.live, grid, one, self.level)) for one in pictures]


class ProveLook(Proof):
    """A picture of the wiring check on a grid, and nothing else lit."""

    def __init__(
        self, show: Show, live: Live, now: float, panels: Panels, look: Look, level: float = 1.0
    ) -> None:
        super().__init__(show, live, now)
        self.panels, self.look, self.level = panels, look, level
        name = panels.grid.name or f"grid {panels.grid.number}"
        self.words = f"Wiring check of {name}: {look.name}."

    def _steps(self) -> Sequence[Step]:
        grid = self.panels.grid
        return [
            Step(RUN, ask_cells(self.live, grid, light, self.level))
            for light in self.look.steps(self.panels)
        ]
