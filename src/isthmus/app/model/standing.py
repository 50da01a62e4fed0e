"""Whether looks still stand: palettes no one can do, points out of reach, limits that cut. Worked
out off the interface thread when there is a moment.
"""

from __future__ import annotations

from PySide6.QtCore import QObject, QTimer

from isthmus.app.kit.tasks import Task
from isthmus.app.model.workbench import Workbench
from isthmus.output import Live
from isthmus.show import Show
from isthmus.snags import Snag
from isthmus.snags.rules_looks import standing_snags

WAIT_MS = 1200  # of quiet: no one waits for it
GROUND = ("looks", "palettes", "groups", "units", "profiles", "structures", "gels")


class Standing(QObject):
    def __init__(self, bench: Workbench) -> None:
        super().__init__()
        self.bench = bench
        self._seen: tuple[object, ...] = ()
        self._task: Task | None = None
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.setInterval(WAIT_MS)
        self._timer.timeout.connect(self._look)
        bench.changed.connect(self._follow)
        self._timer.start()

    def _follow(self, old: Show, new: Show) -> None:
        if any(getattr(old, name) is not getattr(new, name) for name in GROUND):
            self._timer.start()

    def _ground(self) -> tuple[object, ...]:
        return tuple(getattr(self.bench.show, name) for name in GROUND)

    def _look(self) -> None:
        ground, show = self._ground(), self.bench.show
        if self._task is not None or ground == self._seen:
            return
        if not show.looks and not show.palettes:
            self._take(ground, [])
            return
        self._task = Task(
            lambda step: standing_snags(show, Live(show), lambda: self._ground() == ground), self
        )
        self._task.done.connect(lambda found: self._take(ground, found))
        self._task.failed.connect(lambda error: self._failed(ground, error))
        self._task.ended.connect(self._ended)
        self._task.start()

    def _take(self, ground: tuple[object, ...], found: list[Snag]) -> None:
        self._seen = ground
        if found != self.bench.known.standing:
            self.bench.known.standing = found
            self.bench.known.concluded_changed.emit()

    def _failed(self, ground: tuple[object, ...], error: object) -> None:
        self._seen = ground  # the same again would fail again
        self.bench.tell("fault", f"Looks could not be checked: {error}")

    def _ended(self) -> None:
        self._task = None
        if self._ground() != self._seen:
            self._timer.start()

    def shut_down(self) -> None:
        self._timer.stop()
        if self._task is not None:
            self._task.wait()
