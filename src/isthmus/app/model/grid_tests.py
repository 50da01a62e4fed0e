"""Test pictures and the wiring check of a grid: the same for the window and for phones."""

from __future__ import annotations

import time
from collections.abc import Iterable
from typing import TYPE_CHECKING

from msgspec.structs import replace
from PySide6.QtCore import QObject, Signal

from isthmus.check.prove_picture import ProveLook, ProvePicture
from isthmus.check.wiring import PICTURES, Check, Look, panels_of
from isthmus.errors import EntryFault
from isthmus.pixels.grids import put_grid
from isthmus.show.records import PixelGrid

if TYPE_CHECKING:
    from isthmus.app.model.workbench import Workbench

LEVEL = 0.6  # of a test picture, where nothing else is said


class GridTests(QObject):
    """One check at a time. `marks` are the panels that differ from the picture shown, with what was
    said of each.
    """

    changed = Signal()

    def __init__(self, bench: Workbench) -> None:
        super().__init__()
        self.bench = bench
        self.check: Check | None = None
        self.look: Look | None = None
        self.marks: dict[str, str] = {}
        self._shown: ProvePicture | None = None
        bench.changed.connect(self._follow)
        bench.proving.changed.connect(self._another)

    def _follow(self) -> None:
        """A check of a grid that is another by now is over."""
        if self.check is not None and self.check.panels.grid not in self.bench.show.grids:
            self.stop()

    def _another(self) -> None:
        """Another test may have taken the rig: the picture asked about is not there to be seen."""
        if self.look is not None and not isinstance(self.bench.proving.proof, ProveLook):
            self.stop()
        if self.shown is not self._shown:
            self._shown = self.shown
            self.changed.emit()

    # ------------------------------------------------------------ test pictures

    @property
    def shown(self) -> ProvePicture | None:
        """The test picture that is on the rig."""
        proof = self.bench.proving.proof
        return proof if isinstance(proof, ProvePicture) else None

    def show_picture(self, grid: PixelGrid, picture: str, level: float = LEVEL) -> None:
        """Raises EntryFault for a grid without cells, or a picture of too many steps."""
        bench = self.bench
        bench.proving.begin(
            lambda: ProvePicture(
                bench.show, bench.levels.live, time.monotonic(), grid, picture, level
            )
        )
        self._sent()

    def end_picture(self) -> None:
        if self.shown is not None:
            self.bench.proving.end()

    def _sent(self) -> None:
        if not self.bench.levels.sending:
            self.bench.tell("attention", "Output is off: nothing of it leaves the computer.")

    # ------------------------------------------------------------ the wiring check

    def begin(self, grid: PixelGrid | None) -> None:
        """The first picture. Raises EntryFault for a grid without cells."""
        if grid is None or not grid.cells:
            raise EntryFault("This grid has no cells.", do="Propose one from units first.")
        self.check = Check(panels_of(self.bench.show, grid))
        self._next()
        self._sent()

    def _next(self) -> None:
        """The picture that tells most; the end where enough is known."""
        assert self.check is not None
        look, panels, bench = PICTURES.get(self.check.next()), self.check.panels, self.bench
        self.look, self.marks = None, {}
        if look is None:
            self._end_proof()
        else:
            bench.proving.begin(
                lambda: ProveLook(bench.show, bench.levels.live, time.monotonic(), panels, look)
            )
            self.look = look
        self.changed.emit()

    def mark(self, units: Iterable[str], words: str) -> None:
        """What these panels show instead; "" is as on screen."""
        if self.check is None or self.look is None or words not in ("", *self.look.answers):
            return
        for unit in units:
            if unit in self.check.panels.units:
                self.marks.pop(unit, None)
                self.marks |= {unit: words} if words else {}
        self.changed.emit()

    def go_on(self) -> None:
        if self.check is not None and self.look is not None:
            self.check.answer(self.look.name, self.marks)
            self._next()

    @property
    def asks(self) -> str:
        """The question that is open, with its number."""
        if self.check is None or self.look is None:
            return ""
        return f"{len(self.check.answers) + 1}. {self.look.asks}"

    @property
    def step(self) -> int:
        """Which step of its picture the rig is at."""
        turns = self.bench.proving.turns
        return turns.clock.at(time.monotonic())[0] if turns and self.look is not None else 0

    def fix(self) -> None:
        """The grid changed to what was found, where it was."""
        check = self.check
        if check is None or self.look is not None:
            return
        fault = check.likely()[0].fault
        if not fault.mends_grid:
            return
        made = replace(check.fixed(fault), id=check.panels.grid.id)
        show, _ = put_grid(self.bench.show, made)
        self.stop()
        self.bench.commit(f"fix the wiring of grid {made.number}", show)
        self.bench.tell("ok", f"{fault.words} The grid has it so now.")

    def stop(self) -> None:
        self.check = self.look = None
        self.marks = {}
        self._end_proof()
        self.changed.emit()

    def _end_proof(self) -> None:
        if isinstance(self.bench.proving.proof, ProveLook):
            self.bench.proving.end()
