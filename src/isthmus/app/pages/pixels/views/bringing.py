"""Pictures and films read on a thread of its own, one at a time, with progress and cancel."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PySide6.QtWidgets import QFileDialog, QLabel, QPushButton, QWidget

from isthmus.app.kit.tasks import Step, Task
from isthmus.app.kit.widgets import button
from isthmus.app.model.workbench import Workbench
from isthmus.pixels.media import Brought, bring, fit_again
from isthmus.show.records import Media

FILES = "Pictures and films (*.png *.jpg *.jpeg *.gif *.webp *.mp4 *.mov *.mkv *.webm *.avi)"
Done = Callable[[Brought], object]


class Bringing:
    """`told` shows how far it is; `ended` is called when it is over, however it ended."""

    def __init__(
        self, view: QWidget, bench: Workbench, told: QLabel, ended: Callable[[], object]
    ) -> None:
        self._view, self._bench, self._told, self._ended = view, bench, told, ended
        self._task: Task | None = None
        self.stop: QPushButton = button("Cancel", run=self.cancel, name="cancel media")
        self.stop.hide()

    def open(self, longest: int, done: Done) -> None:
        """A file is chosen, then read."""
        name, _ = QFileDialog.getOpenFileName(
            self._view.window(),
            "Bring in a picture or a film",
            "",
            f"{FILES};;All files (*)",
            options=QFileDialog.Option.DontUseNativeDialog,
        )
        if name:
            self.read(Path(name), longest, done)

    def read(self, path: Path, longest: int, done: Done) -> None:
        self._run(lambda step: bring(path, longest, step), done)

    def fit_again(self, media: Media, longest: int, done: Done) -> None:
        """The same file once more, as a larger grid needs it."""
        self._run(lambda step: fit_again(media, longest, step), done)

    def _run(self, work: Callable[[Step], Brought], done: Done) -> None:
        self.cancel()
        self.stop.show()
        task = self._task = Task(work, self._view)
        task.progressed.connect(
            lambda share, words: self._told.setText(f"{words} {100 * share:.0f} %")
        )
        task.done.connect(done)
        task.failed.connect(lambda error: self._bench.tell("fault", str(error)))
        task.ended.connect(lambda: (self.stop.hide(), self._ended()))
        task.start()

    def cancel(self) -> None:
        if self._task is not None:
            self._task.cancel()
            self._task.wait()
            self._task = None
