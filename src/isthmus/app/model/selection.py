"""The one selection: units, in the order they were selected, and a structure beside them."""

from __future__ import annotations

from collections.abc import Callable, Iterable

from PySide6.QtCore import QObject, Signal

from isthmus.patch.index import index_of
from isthmus.show import Show
from isthmus.show.records import Unit


class Selection(QObject):
    """Every page shows and changes the same one."""

    changed = Signal()
    held_changed = Signal()  # another selected structure, or none

    def __init__(self, show: Callable[[], Show]) -> None:
        super().__init__()
        self._show = show
        self.ids: list[str] = []
        self.structures: list[str] = []  # the selected structures, in the order they were

    def select(self, ids: Iterable[str]) -> None:
        """In the order given, each once."""
        chosen = list(dict.fromkeys(ids))
        if chosen and self.structure:
            self.hold("")
        if chosen != self.ids:
            self.ids = chosen
            self.changed.emit()

    def toggle(self, unit: str) -> None:
        if unit in self.ids:
            self.select([u for u in self.ids if u != unit])
        else:
            self.select([*self.ids, unit])

    def units(self) -> list[Unit]:
        units = index_of(self._show()).by_id
        return [units[unit] for unit in self.ids if unit in units]

    @property
    def structure(self) -> str:
        """The structure selected last: handles and figures are its; "" for none."""
        return self.structures[-1] if self.structures else ""

    def hold(self, structure: str, more: bool = False) -> None:
        """Select a structure, or none; with `more` beside those that are, or no longer. The
        selected units stay selected, so that they can be hung on it.
        """
        others = [s for s in self.structures if s != structure]
        if not more:
            self.hold_all([structure] if structure else [])
        elif structure:
            self.hold_all(others if structure in self.structures else [*others, structure])

    def hold_all(self, structures: Iterable[str]) -> None:
        """Select these structures, the last one with handles."""
        wanted = list(structures)
        if wanted != self.structures:
            self.structures = wanted
            self.held_changed.emit()

    def follow(self) -> None:
        """Forget what is no longer in the show."""
        show = self._show()
        there = index_of(show).by_id
        kept = [unit for unit in self.ids if unit in there]
        if kept != self.ids:  # selecting units lets go of the structure
            self.select(kept)
        standing = {s.id for s in show.structures}
        self.hold_all([s for s in self.structures if s in standing])
