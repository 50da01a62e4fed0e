"""What an empty page says: what to do first, with the buttons for it."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import QEvent, QObject, Qt
from PySide6.QtWidgets import QFrame, QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from isthmus.app.kit.widgets import label


class FirstSteps(QFrame):
    """In the middle of `over`, as long as there is nothing to see there."""

    def __init__(
        self, over: QWidget, title: str, words: str, buttons: Sequence[QPushButton] = ()
    ) -> None:
        super().__init__(over)
        self.over = over
        self.setObjectName("first steps")
        self.setProperty("kind", "popup")
        column = QVBoxLayout(self)
        column.setContentsMargins(22, 16, 22, 18)
        column.setSpacing(8)
        column.addWidget(label(title, size="section", weight=600), 0, Qt.AlignmentFlag.AlignHCenter)
        self.words = label(words, "quiet", wrap=True)
        self.words.setAlignment(Qt.AlignmentFlag.AlignHCenter)
        self.words.setMinimumWidth(380)
        column.addWidget(self.words)
        row = QHBoxLayout()
        row.setSpacing(8)
        row.addStretch(1)
        for made in buttons:
            row.addWidget(made)
        row.addStretch(1)
        column.addLayout(row)
        self.hide()
        over.installEventFilter(self)

    def show_if(self, empty: bool) -> None:
        self.setVisible(empty)
        if empty:
            self._centre()
            self.raise_()

    def _centre(self) -> None:
        over = self.over
        self.adjustSize()
        self.move(
            max(0, (over.width() - self.width()) // 2), max(0, (over.height() - self.height()) // 2)
        )

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if event.type() == QEvent.Type.Resize and not self.isHidden():
            self._centre()
        return False
