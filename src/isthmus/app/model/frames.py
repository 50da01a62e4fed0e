"""Frames of pictures brought in, unpacked beside the window where that was not done before."""

from __future__ import annotations

from PySide6.QtCore import QObject, Signal

from isthmus.app.kit.tasks import Step, Task
from isthmus.pixels.media import frames_of, unpacked
from isthmus.pixels.sources import Source
from isthmus.show import Show
from isthmus.show.records import Media


class Frames(QObject):
    """`ready` when a picture can be shown that could not be before."""

    ready = Signal()

    def __init__(self) -> None:
        super().__init__()
        self._tasks: dict[str, Task] = {}

    def of(self, show: Show, media: Media) -> Source | None:
        """None while they are unpacked, or where they cannot be had."""
        if unpacked(media):
            return frames_of(show, media)
        if media.file not in self._tasks:

            def work(step: Step) -> Source | None:
                return frames_of(show, media)

            task = self._tasks[media.file] = Task(work, self)
            task.done.connect(lambda found: self.ready.emit() if found else None)
            task.start()
        return None

    def stop(self) -> None:
        """Wait for what is being unpacked."""
        for task in self._tasks.values():
            task.wait()
