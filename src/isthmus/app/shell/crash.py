"""The one crash path: whatever is raised and not expected is logged, the work is kept, it is said,
and the application goes on.
"""

from __future__ import annotations

import sys
import threading
import time
import traceback
from collections.abc import Callable
from pathlib import Path
from types import TracebackType

from PySide6.QtCore import QObject, Qt, Signal

from isthmus.app.kit.log import LOG, log_file

AGAIN = 20.0  # seconds until the same fault at the same place is said again


class CrashPath(QObject):
    """Installs itself for the interface thread and other threads."""

    happened = Signal(str)

    def __init__(self, keep: Callable[[], Path | None]) -> None:
        super().__init__()
        self._keep = keep
        self._busy = False
        self._seen: dict[str, float] = {}  # the last place of each, and when it was said
        self.happened.connect(self._save, Qt.ConnectionType.AutoConnection)
        self.tell: Callable[[str], None] = lambda words: None

    def install(self) -> None:
        sys.excepthook = self._hook
        threading.excepthook = lambda args: self._hook(
            args.exc_type, args.exc_value or Exception(), args.exc_traceback
        )

    def remove(self) -> None:
        sys.excepthook = sys.__excepthook__
        threading.excepthook = threading.__excepthook__

    def _hook(
        self, kind: type[BaseException], error: BaseException, trace: TracebackType | None
    ) -> None:
        if issubclass(kind, KeyboardInterrupt):
            sys.__excepthook__(kind, error, trace)
            return
        text = "".join(traceback.format_exception(kind, error, trace))
        place = str(traceback.extract_tb(trace)[-1:])
        now = time.monotonic()
        if now - self._seen.get(place, -AGAIN) < AGAIN:
            return  # what is drawn or ticks many times a second would fill log and disk
        self._seen[place] = now
        sys.stderr.write(text)
        LOG.critical("%s", text)
        self.happened.emit(text)

    def _save(self, text: str) -> None:
        if self._busy:
            return
        self._busy = True
        try:
            kept = self._keep()
            where = f" Your work is kept in {kept}." if kept else ""
            self.tell(
                f"Something went wrong inside Isthmus.{where} The log ({log_file()}, or Show log) "
                "says what. Save under a new name to be sure."
            )
        except Exception as error:
            sys.stderr.write(f"The crash path itself failed: {error}\n")
        finally:
            self._busy = False
