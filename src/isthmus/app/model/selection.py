"""The one selection: units, in the order they were selected, and a structure beside them."""

from __future__ import annotations

from collections.abc import Callable, Iterable

from PySide6.QtCore import QObject, Signal

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
        self.structure = ""  # the selected structure

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
        units = {unit.id: unit for unit in self._show().units}
        return [units[unit] for unit in self.ids if unit in units]

    def hold(self, structure: str) -> None:
        """Select a structure, or none. The selected units stay selected, so that they can be
        hung on it.
        """
        if structure != self.structure:
            self.structure = structure
            self.held_changed.emit()

    def follow(self) -> None:
        """Forget what is no longer in the show."""
        show = self._show()
        there = {unit.id for unit in show.units}
        kept = [unit for unit in self.ids if unit in there]
        if kept != self.ids:  # selecting units lets go of the structure
            self.select(kept)
        if self.structure and all(s.id != self.structure for s in show.structures):
            self.hold("")
