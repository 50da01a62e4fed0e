"""Long work on a thread of its own: progress, cancel, and the result or the error back on the
interface thread.
"""

from __future__ import annotations

import threading
from collections.abc import Callable
from typing import Any

from PySide6.QtCore import QEventLoop, QMetaMethod, QObject, QThread, Signal

from isthmus.errors import Cancelled, IsthmusError


class Step:
    """Handed to the work: call it with a fraction 0…1 and a few words."""

    def __init__(self, tell: Callable[[float, str], None]) -> None:
        self._tell, self.cancelled = tell, threading.Event()

    def __call__(self, fraction: float, words: str = "") -> None:
        """Raises Cancelled once the person has cancelled: the one way long work is stopped."""
        if self.cancelled.is_set():
            raise Cancelled
        self._tell(fraction, words)


class Task(QObject):
    """One piece of long work. `work(step)` runs off the interface thread and must not touch
    widgets.

    An expected failure (an IsthmusError, or what is `expected` beside it) is handed to `failed`;
    where nothing listens to it, and anything else, goes to the crash path. `ended` comes last in
    every case, so that nothing is left waiting.
    """

    progressed = Signal(float, str)
    done = Signal(object)
    failed = Signal(object)
    ended = Signal()

    def __init__(
        self,
        work: Callable[[Step], Any],
        parent: QObject | None = None,
        expected: tuple[type[Exception], ...] = (),
    ) -> None:
        super().__init__(parent)
        self._step = Step(self.progressed.emit)
        self._work = work
        self._expected = (IsthmusError, *expected)
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
        error = self._error
        try:
            if error is None:
                self.done.emit(self._result)
            elif isinstance(error, self._expected) and self._is_heard():
                self.failed.emit(error)
            elif not isinstance(error, Cancelled):
                raise error
        finally:
            self.ended.emit()

    def _is_heard(self) -> bool:
        return self.isSignalConnected(QMetaMethod.fromSignal(self.failed))


def away(work: Callable[[], Any]) -> Any:
    """Run something on a thread and wait for it while the window goes on painting; what it raises
    is raised here.
    """
    loop = QEventLoop()
    got: list[Any] = []
    wrong: list[BaseException] = []

    def run(step: Step) -> None:
        try:
            got.append(work())
        except BaseException as error:
            wrong.append(error)

    task = Task(run)
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
