"""How many of the selected units cannot do each palette: worked out one palette at a time while
nothing else is to be done.
"""

from __future__ import annotations

from PySide6.QtCore import QObject, QTimer, Signal

from isthmus.app.model.workbench import Workbench
from isthmus.looks import Short, apply
from isthmus.show.records import Palette

REST_MS = 150  # of quiet before it begins
MOST = 400  # units that are looked at: more are told when a palette is used


class Missing(QObject):
    found = Signal()

    def __init__(self, bench: Workbench) -> None:
        super().__init__()
        self.bench = bench
        self.counts: dict[str, int] = {}  # by palette
        self._waiting: list[Palette] = []
        self._rest = QTimer(self)
        self._rest.setSingleShot(True)
        self._rest.setInterval(REST_MS)
        self._rest.timeout.connect(self._begin)
        self._step = QTimer(self)
        self._step.timeout.connect(self._one)

    def again(self) -> None:
        """The selection or the show is another one."""
        self._step.stop()
        self._rest.start()

    def stop(self) -> None:
        self._rest.stop()
        self._step.stop()

    def _begin(self) -> None:
        ids = self.bench.selection.ids
        self.counts = {}
        self._waiting = list(self.bench.show.palettes) if 0 < len(ids) <= MOST else []
        self.found.emit()
        if self._waiting:
            self._step.start(0)

    def _one(self) -> None:
        if not self._waiting:
            self._step.stop()
            self.found.emit()
            return
        palette = self._waiting.pop(0)
        if short := self.of(palette):
            self.counts[palette.id] = len({s.unit for s in short})
            self.found.emit()

    def of(self, palette: Palette) -> list[Short]:
        """Who of the selected units comes short of a palette."""
        return apply(self.bench.levels.live, palette, self.bench.selection.ids)[1]
