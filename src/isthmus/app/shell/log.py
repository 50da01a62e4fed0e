"""The log, to be read and copied."""

from __future__ import annotations

from PySide6.QtGui import QTextCursor
from PySide6.QtWidgets import QWidget

from isthmus.app.kit.dialogs import Frame
from isthmus.app.kit.log import log_file, tail
from isthmus.app.kit.widgets import label, lines_field


class LogDialog(Frame):
    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent, "Log", "Close", lambda: True, 760)
        self.setObjectName("log")
        self.resize(820, 520)
        self.cancel.hide()
        self.body.addWidget(label(f"{log_file()}, the newest at the end", "quiet", "caption"))
        self.text = lines_field("log", "What went wrong inside Isthmus", read_only=True)
        self.text.setPlainText(tail() or "Nothing has gone wrong on this computer.")
        self.text.moveCursor(QTextCursor.MoveOperation.End)
        self.body.addWidget(self.text, 1)
