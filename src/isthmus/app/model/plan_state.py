"""How plan and stage stand: using or rearranging, the sheet shown, and what would be."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from PySide6.QtCore import QObject, Signal

from isthmus.sheets.sheets import points_of, sheets_of
from isthmus.show import Show
from isthmus.show.records import Sheet


@dataclass(frozen=True)
class Ghosts:
    """Units of another show, known by the ids they have here, that are elsewhere now or gone."""

    show: Show
    units: tuple[str, ...]
    words: str  # which show it is

    def points(self, one: Sheet) -> dict[str, tuple[float, float]]:
        """Where they were on a sheet, metres."""
        there = points_of(self.show, one)
        return {unit: there[unit] for unit in self.units if unit in there}


class PlanState(QObject):
    """What plan, stage, inspector and roll call agree on; none of it is kept in the show."""

    state_changed = Signal()  # using or rearranging
    sheet_changed = Signal()
    figures_changed = Signal()
    preview_changed = Signal()
    ghosts_changed = Signal()

    def __init__(self, show: Callable[[], Show]) -> None:
        super().__init__()
        self._show = show
        self.rearranging = False
        self.sheet_id = "plan"
        self.length_way = "spacing"  # what units do when the length of their structure changes
        self.figures: dict[str, str] = {}  # written beside units while they are fanned
        # the show as it would be, while a handle is pulled or a length is typed
        self.preview: Show | None = None
        self.preview_words = ""
        self.ghosts: Ghosts | None = None  # where units were in another show

    def haunt(self, ghosts: Ghosts | None) -> None:
        """Let plan and stage show where units were; None ends it."""
        self.ghosts = ghosts
        self.ghosts_changed.emit()

    def rearrange(self, on: bool) -> None:
        """Between using the plan and the stage, where nothing moves, and rearranging them."""
        if on != self.rearranging:
            self.rearranging = on
            self.state_changed.emit()

    def say_figures(self, figures: dict[str, str]) -> None:
        """Write figures beside units, by id; {} clears them."""
        if figures != self.figures:
            self.figures = figures
            self.figures_changed.emit()

    def see(self, show: Show | None, words: str = "") -> None:
        """Let plan and stage show what would be; None shows what is."""
        if show is not self.preview or words != self.preview_words:
            self.preview, self.preview_words = show, words
            self.preview_changed.emit()

    @property
    def shown(self) -> Show:
        """What plan and stage show."""
        return self.preview or self._show()

    def turn_to(self, sheet_id: str) -> None:
        """Show another sheet."""
        if sheet_id != self.sheet_id:
            self.sheet_id = sheet_id
            self.sheet_changed.emit()

    @property
    def sheet(self) -> Sheet:
        sheets = sheets_of(self._show())
        return next((s for s in sheets if s.id == self.sheet_id), sheets[0])

    def follow(self) -> None:
        """Leave a sheet that is no longer in the show."""
        if self.sheet_id not in {s.id for s in sheets_of(self._show())}:
            self.turn_to("plan")
