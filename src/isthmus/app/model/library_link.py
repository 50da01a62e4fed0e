"""The library beside the window: searched here at once, brought up to date by a process of its own.

Reading thousands of files in this process would take turns with the window; the builder has its own
interpreter, tells its progress by lines, and ends when told to.
"""

from __future__ import annotations

import json
import sqlite3
import sys
import tempfile
import time
from pathlib import Path

from PySide6.QtCore import QObject, QProcess, QTimer, Signal

from isthmus.app.kit.tasks import Step, Task
from isthmus.errors import EntryFault, FileFault, IsthmusError
from isthmus.library import Answer, Query, Shelf, Source, read_sources, write_sources
from isthmus.library.columns import Columns
from isthmus.library.shelf import read_columns
from isthmus.library.sources import fingerprint, is_away

WATCH_MS = 2000


class LibraryLink(QObject):
    """`changed` when there is something else to find; `progressed(done, all, name)` while the index
    is built.
    """

    changed = Signal()
    progressed = Signal(int, int, str)
    ended = Signal(str)  # what the update did, in words; empty when nothing was new
    told = Signal(str, str)

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        self._shelf: Shelf | None = None
        self.sources: list[Source] = read_sources(
            lambda words: QTimer.singleShot(0, self, lambda: self.told.emit("fault", words))
        )
        self._process: QProcess | None = None
        self._loading: Task | None = None
        self._load_again = False
        self._looking: Task | None = None
        self._look_again = False
        self._stopped = False
        self._again = False
        self._prints: dict[str, object] = {}
        self._watch = QTimer(self)
        self._watch.setInterval(WATCH_MS)
        self._watch.timeout.connect(self.look)

    @property
    def shelf(self) -> Shelf:
        """The open library; an empty one elsewhere, and a sentence, when its folder cannot
        be used.
        """
        if self._shelf is None:
            try:
                self._shelf = Shelf(follow=False)
            except FileFault as fault:  # the page must open anyway, and say why it is empty
                self._shelf = Shelf(
                    Path(tempfile.mkdtemp(prefix="isthmus-")) / "library.sqlite", follow=False
                )
                words = str(fault)
                QTimer.singleShot(0, self, lambda: self.told.emit("fault", words))
            self.refresh()
        return self._shelf

    def refresh(self) -> None:
        """Read what the index holds now, on a thread: a large library takes a second."""
        if self._loading is not None:
            self._load_again = True
            return
        path = self.shelf.path
        task = self._loading = Task(
            lambda step: read_columns(path), self, expected=(sqlite3.DatabaseError,)
        )
        task.done.connect(self._loaded)
        task.failed.connect(self._not_loaded)
        task.ended.connect(self._loading_ended)
        task.start()

    def _loaded(self, found: tuple[Columns, bool]) -> None:
        columns, rebuilt = found
        self.shelf.adopt(columns)
        self._loading = None  # whoever hears of it may ask whether it still goes on
        self.changed.emit()
        if rebuilt:
            self.update()

    def _loading_ended(self) -> None:
        self._loading = None
        if self._load_again:
            self._load_again = False
            self.refresh()

    def _not_loaded(self, error: BaseException) -> None:
        """A damaged index is emptied and built again; anything else is told."""
        if isinstance(error, sqlite3.DatabaseError):
            self.shelf.index.start_over()
            self.update()
        else:
            self.told.emit("fault", str(error))

    def state(self) -> tuple[dict[str, int], set[str]]:
        """Profiles by source, and the sources that are away."""
        try:
            return self.shelf.index.counts(), self.shelf.index.away()
        except sqlite3.DatabaseError:
            self.shelf.index.start_over()
            self.update()
            return {}, set()

    @property
    def busy(self) -> bool:
        return self._process is not None or self._loading is not None

    def search(self, query: Query) -> Answer:
        try:
            return self.shelf.search(query)
        except EntryFault as fault:  # the index was damaged: it is empty now
            self.told.emit("fault", str(fault))
            self.update()
            return Answer((), 0)

    def watch(self) -> None:
        """Look for changes from now on; the first look brings the library up to date."""
        if not self._watch.isActive():
            self.look()
            self._watch.start()

    def look(self) -> None:
        """Update when a source has changed, gone away or come back since the last look; looked at
        on a thread, as a folder may be large or its drive slow."""
        if self._looking is not None:
            self._look_again = True
            return
        sources = list(self.sources)

        def work(step: Step) -> tuple[dict[str, object], float]:
            started = time.monotonic()
            prints: dict[str, object] = {
                s.id: (s.on, is_away(s), fingerprint(s, lambda: step(0.0))) for s in sources
            }
            return prints, time.monotonic() - started

        task = self._looking = Task(work, self)
        task.done.connect(self._looked)
        task.ended.connect(self._looking_ended)
        task.start()

    def _looked(self, found: tuple[dict[str, object], float]) -> None:
        prints, seconds = found
        self._watch.setInterval(
            max(WATCH_MS, int(20_000 * seconds))
        )  # looking takes a twentieth of the time at most
        if prints != self._prints:
            self._prints = prints
            self.update()

    def _looking_ended(self) -> None:
        self._looking = None
        if self._look_again:
            self._look_again = False
            self.look()

    def update(self) -> None:
        """Start the builder; when it runs already, once more after it. Not after `stop`: what a
        task found may still come in then.
        """
        if self._stopped:
            return
        if self._process is not None:
            self._again = True
            return
        process = self._process = QProcess(self)
        process.readyReadStandardOutput.connect(self._read)
        process.finished.connect(self._finished)
        process.start(
            sys.executable, ["-m", "isthmus.cli", "profiles", "index", "--progress", "--json"]
        )

    def cancel(self) -> None:
        """End the update; what it has read is kept, and the next one goes on from there."""
        self._again = False
        if self._process is not None:
            self._process.terminate()

    def _read(self) -> None:
        while self._process is not None and self._process.canReadLine():
            try:
                line = json.loads(bytes(self._process.readLine().data()))
            except ValueError:
                continue
            if "total" in line:
                self.progressed.emit(line["done"], line["total"], line["name"])
            elif "read" in line:
                self._words = self._summary(line)

    _words = ""

    def _summary(self, line: dict[str, int]) -> str:
        if line.get("stopped"):
            return f"Stopped after {line['read']} files; what was read is kept."
        parts = [f"{line['read']} files read"] if line["read"] else []
        parts += [f"{line['removed']} gone"] if line["removed"] else []
        parts += [f"{line['faults']} cannot be read"] if line["faults"] else []
        return ", ".join(parts)

    def _finished(self) -> None:
        self._read()
        process, self._process = self._process, None
        if process is not None:
            if process.exitCode() and process.exitStatus() == QProcess.ExitStatus.NormalExit:
                self.told.emit(
                    "fault",
                    bytes(process.readAllStandardError().data())
                    .decode(errors="replace")
                    .strip()
                    .removeprefix("isthmus: "),
                )
            process.deleteLater()
        self.ended.emit(self._words)
        self._words = ""
        self.refresh()
        if self._again:
            self._again = False
            self.update()

    def set_sources(self, sources: list[Source]) -> None:
        """Keep the list and bring the index to it."""
        try:
            write_sources(sources)
        except IsthmusError as error:
            self.told.emit("fault", str(error))
            return
        self.sources = sources
        self.look()
        self.changed.emit()

    def stop(self) -> None:
        self._watch.stop()
        self._stopped = True
        self._again = self._load_again = self._look_again = False
        if self._looking is not None:
            self._looking.cancel()
        for task in (self._looking, self._loading):
            if task is not None:
                task.wait()
        if self._process is not None:
            self._process.finished.disconnect(self._finished)
            self._process.terminate()
            if not self._process.waitForFinished(3000):
                self._process.kill()
                self._process.waitForFinished(1000)
            self._process = None
        if self._shelf is not None:
            self._shelf.close()
            self._shelf = None
