"""The journal bound to the workbench: every edit is kept before its views hear of it; and what a
crash left is read.
"""

from __future__ import annotations

import itertools
import os
import time
from pathlib import Path

from PySide6.QtCore import QObject, Signal

from isthmus.app.model.workbench import Workbench
from isthmus.errors import FileFault
from isthmus.show.journal import Journal, Levels
from isthmus.show.records import Show
from isthmus.show.recovery import Found, recovery_folder

_RUNS = itertools.count(1)


class Keeper(QObject):
    """Keeps the unsaved work of one window. Without a folder to write in the window works on, and
    says so.
    """

    _trouble = Signal(str)

    def __init__(self, bench: Workbench, parent: QObject) -> None:
        super().__init__(parent)
        self.bench = bench
        self.folder = recovery_folder() / f"{int(time.time())}-{os.getpid()}-{next(_RUNS)}"
        self._trouble.connect(self._tell)
        self.journal: Journal | None = None
        try:
            self.journal = Journal(self.folder, self._trouble.emit)
        except FileFault as fault:
            self._trouble.emit(f"Unsaved work is not autosaved. {fault}")
            return
        bench.keep = self._keep
        bench.adopted.connect(self._begin)
        bench.saved.connect(self._begin)
        bench.session.changed.connect(self._levels)
        bench.proving.changed.connect(self._levels)
        self._begin()

    def _tell(self, words: str) -> None:
        self.bench.tell("attention" if words else "ok", words or "Unsaved work is autosaved again.")

    def _begin(self) -> None:
        """Another show, or the same one saved."""
        bench = self.bench
        if self.journal:
            self.journal.begin(
                bench.show,
                bench.path,
                bench.stamp.digest if bench.stamp else "",
                bench.history.unsaved > 0,
            )

    def _keep(self, name: str, old: Show, new: Show) -> int:
        return self.journal.append(name, old, new) if self.journal else 0

    def _levels(self) -> None:
        """The levels a roll call, a proof or a hunt will give back, so that a crash gives them back
        too.
        """
        holder = self.bench.session.call or self.bench.proving.proof
        levels: Levels = (
            tuple((*key, float(level)) for key, level in holder.before.items()) if holder else ()
        )
        if self.journal:
            self.journal.keep_levels(levels)

    def now(self) -> Path | None:
        """Everything is on the disk; where, when there is unsaved work."""
        if self.journal and self.bench.history.unsaved and self.journal.wait():
            return self.folder
        return None

    def take_up(self, found: Found) -> bool:
        """After the bench has adopted recovered work: the copy it came from goes once another
        stands. False when it stays.
        """
        if self.journal and self.journal.wait():
            found.discard()
            return True
        found.let_go()
        return False

    def end(self) -> None:
        """Unsaved work stays for the next start; what is saved, or was given up (`forget`),
        goes.
        """
        if self.journal:
            self.journal.close(forget=self.bench.history.unsaved == 0)

    def forget(self) -> None:
        """The person gave up what is unsaved."""
        if self.journal:
            self.journal.close(forget=True)
