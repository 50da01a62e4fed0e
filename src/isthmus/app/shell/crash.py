"""The one crash path: whatever is raised and not expected saves the work, says so, and the
application goes on.
"""

from __future__ import annotations

import faulthandler
import sys
import threading
import time
import traceback
from collections.abc import Callable
from pathlib import Path
from types import TracebackType

from PySide6.QtCore import QObject, Qt, Signal


class CrashPath(QObject):
    """Installs itself for the interface thread, other threads and hard faults."""

    happened = Signal(str)

    def __init__(self, keep: Callable[[], Path | None], folder: Path) -> None:
        super().__init__()
        self._keep, self._folder = keep, folder
        self._busy = False
        self._faults = None
        self.happened.connect(self._save, Qt.ConnectionType.AutoConnection)
        self.tell: Callable[[str], None] = lambda words: None

    def install(self) -> None:
        """Raises nothing: without a folder to write in, faults are told all the same, and only not
        kept.
        """
        try:
            self._folder.mkdir(parents=True, exist_ok=True)
            self._faults = (self._folder / "hard-faults.log").open("a")
            faulthandler.enable(self._faults)
        except OSError:
            faulthandler.enable()
        sys.excepthook = self._hook
        threading.excepthook = lambda args: self._hook(
            args.exc_type, args.exc_value or Exception(), args.exc_traceback
        )

    def remove(self) -> None:
        sys.excepthook = sys.__excepthook__
        threading.excepthook = threading.__excepthook__
        if self._faults is not None:
            faulthandler.disable()
            self._faults.close()
            self._faults = None

    def _hook(
        self, kind: type[BaseException], error: BaseException, trace: TracebackType | None
    ) -> None:
        if issubclass(kind, KeyboardInterrupt):
            sys.__excepthook__(kind, error, trace)
            return
        text = "".join(traceback.format_exception(kind, error, trace))
        sys.stderr.write(text)
        self.happened.emit(text)

    def _save(self, text: str) -> None:
        if self._busy:
            return
        self._busy = True
        try:
            with (self._folder / "crashes.log").open("a") as log:
                log.write(f"{time.strftime('%Y-%m-%d %H:%M:%S')}\n{text}\n")
            kept = self._keep()
            where = f" Your work is kept in {kept}." if kept else ""
            log_file = self._folder / "crashes.log"
            self.tell(
                f"Something went wrong inside Isthmus.{where} What happened is in "
                f"{log_file}; save under a new name to be sure."
            )
        except Exception as error:
            sys.stderr.write(f"The crash path itself failed: {error}\n")
        finally:
            self._busy = False
