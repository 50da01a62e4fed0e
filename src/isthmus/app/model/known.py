"""What is known besides the show: its snags, the crossing they stand in, and the network."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, Signal

from isthmus.show import Show
from isthmus.snags import Crossing, Snag, SnagBook
from isthmus.snags.records import ORDER, RANK

if TYPE_CHECKING:
    from isthmus.net import View


class Known(QObject):
    network_changed = Signal()
    concluded_changed = Signal()  # findings of roll call are others than before

    def __init__(self, show: Callable[[], Show]) -> None:
        super().__init__()
        self._show = show
        self._book = SnagBook()
        self.network: View | None = None  # as the hub last told it
        self.ports: dict[str, str] = {}  # DMX ports of this computer that are sent to, and how
        self.concluded: list[Snag] = []  # findings of roll call, kept by `Checks`
        self.standing: list[Snag] = []  # of looks, kept by `Standing`

    @property
    def snags(self) -> list[Snag]:
        """Worst first. A finding stands for the verdicts it explains."""
        found = self._book.update(self._show(), self.network).snags
        if not self.concluded and not self.standing:
            return found
        explained = {unit for snag in self.concluded for unit in snag.units}
        rest = [
            s
            for s in found
            if s.rule not in ("silent", "wrong") or not explained.issuperset(s.units)
        ]
        more = [*self.concluded, *self.standing]
        return sorted([*more, *rest], key=lambda s: (ORDER[s.severity], RANK[s.rule]))

    @property
    def crossing(self) -> Crossing:
        return self._book.update(self._show(), self.network).crossing

    def see_network(self, view: View) -> None:
        """Take what is known of the network now."""
        self.network = view
        self.network_changed.emit()

    def see_ports(self, ports: dict[str, str]) -> None:
        """Take how the DMX ports of this computer are."""
        self.ports = ports
        self.network_changed.emit()
