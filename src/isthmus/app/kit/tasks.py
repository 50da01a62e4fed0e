"""Long work on a thread of its own: progress, cancel, and the result or the error back on the
interface thread.
"""

from __future__ import annotations

import threading
from collections.abc import Callable
from typing import Any

from PySide6.QtCore import QEventLoop, QObject, QThread, Signal


class Cancelled(Exception):
    """Raised inside the work by `Step` when the person has cancelled."""


class Step:
    """Handed to the work: call it with a fraction 0…1 and a few words."""

    def __init__(self, tell: Callable[[float, str], None]) -> None:
        self._tell, self.cancelled = tell, threading.Event()

    def __call__(self, fraction: float, words: str = "") -> None:
        if self.cancelled.is_set():
            raise Cancelled
        self._tell(fraction, words)


class Task(QObject):
    """One piece of long work. `work(step)` runs off the interface thread and must not touch
    widgets.
    """

    progressed = Signal(float, str)
    done = Signal(object)
    failed = Signal(object)
    ended = Signal()

    def __init__(self, work: Callable[[Step], Any], parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._step = Step(self.progressed.emit)
        self._work = work
        self._result: Any = None
        self._error: BaseException | None = None
        self._thread = _Worker(self._run)
        self._thread.finished.connect(self._finish)

    def start(self) -> Task:
        self._thread.start()
        return self

    def cancel(self) -> None:
        self._step.cancelled.set()

    def wait(self) -> None:
        self._thread.wait()

    def _run(self) -> None:
        try:
            self._result = self._work(self._step)
        except BaseException as error:
            self._error = error

    def _finish(self) -> None:
        if self._error is None:
            self.done.emit(self._result)
        elif not isinstance(self._error, Cancelled):
            self.failed.emit(self._error)
        self.ended.emit()


def away(work: Callable[[], Any]) -> Any:
    """Run something on a thread and wait for it while the window goes on painting; what it raises
    is raised here.
    """
    task, loop = Task(lambda step: work()), QEventLoop()
    got: list[Any] = []
    wrong: list[BaseException] = []
    task.done.connect(got.append)
    task.failed.connect(wrong.append)
    task.ended.connect(loop.quit)
    task.start()
    loop.exec(QEventLoop.ProcessEventsFlag.ExcludeUserInputEvents)
    task.wait()
    if wrong:
        raise wrong[0]
    return got[0]


class _Worker(QThread):
    def __init__(self, run: Callable[[], None]) -> None:
        super().__init__()
        self._call = run

    def run(self) -> None:
        self._call()
