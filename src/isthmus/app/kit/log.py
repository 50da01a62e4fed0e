"""The log of this computer: what went wrong inside Isthmus and what Qt warned of, for whoever fixes
it.

A few files that are written over, the oldest first. No names of units, shows or people: only what
a fix needs.
"""

from __future__ import annotations

import contextlib
import faulthandler
import logging
import logging.handlers
import re
from pathlib import Path

from PySide6.QtCore import QMessageLogContext, QtMsgType, qInstallMessageHandler

from isthmus.show.recovery import state_folder

LOG = logging.getLogger("isthmus")
BYTES, FILES = 400_000, 3
_LEVELS = {
    QtMsgType.QtDebugMsg: logging.DEBUG,
    QtMsgType.QtInfoMsg: logging.INFO,
    QtMsgType.QtWarningMsg: logging.WARNING,
    QtMsgType.QtCriticalMsg: logging.ERROR,
    QtMsgType.QtFatalMsg: logging.CRITICAL,
}
# what a platform of Qt cannot do and says again for every window; nothing follows from it
_IDLE_TALK = re.compile(r"plugin does not support|Could not determine .* path")


def log_file() -> Path:
    return state_folder() / "isthmus.log"


class Log:
    """The log while the application runs. Raises nothing: without a folder to write in there is
    no log, and the work goes on.
    """

    def __init__(self) -> None:
        self._handler: logging.Handler | None = None
        self._faults = None
        LOG.setLevel(logging.INFO)
        with contextlib.suppress(OSError):
            log_file().parent.mkdir(parents=True, exist_ok=True)
            self._handler = logging.handlers.RotatingFileHandler(
                log_file(), maxBytes=BYTES, backupCount=FILES, encoding="utf-8", delay=True
            )
            self._handler.setFormatter(logging.Formatter("%(asctime)s %(levelname)s %(message)s"))
            LOG.addHandler(self._handler)
            # a fault in C leaves no time to format anything: it goes to a file that is open already
            self._faults = log_file().with_name("hard-faults.log").open("a")
        if self._faults is not None:
            faulthandler.enable(self._faults)
        else:
            faulthandler.enable()
        qInstallMessageHandler(from_qt)

    def end(self) -> None:
        qInstallMessageHandler(None)
        faulthandler.disable()
        if self._faults is not None:
            self._faults.close()
        if self._handler is not None:
            LOG.removeHandler(self._handler)
            self._handler.close()


def from_qt(kind: QtMsgType, context: QMessageLogContext, words: str) -> None:
    """A message of Qt as a line of the log."""
    if not _IDLE_TALK.search(words):
        LOG.log(_LEVELS.get(kind, logging.WARNING), "Qt: %s", words)


def tail(lines: int = 400) -> str:
    """The end of the log, newest last; empty when there is none."""
    try:
        found = log_file().read_text("utf-8", "replace").splitlines()
    except OSError:
        return ""
    return "\n".join(found[-lines:])
