"""The frame all dialogs share: title, body, a line for what is wrong, and one primary button."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import Qt
from PySide6.QtGui import QShowEvent
from PySide6.QtWidgets import QDialog, QGridLayout, QHBoxLayout, QVBoxLayout, QWidget

from isthmus.app.kit.help import dress
from isthmus.app.kit.theme import font
from isthmus.app.kit.widgets import button, field, label
from isthmus.errors import IsthmusError


class Frame(QDialog):
    """`primary` runs the dialog's act; it closes when that returns True."""

    def __init__(
        self,
        parent: QWidget | None,
        title: str,
        primary: str,
        act: Callable[[], bool],
        width: int = 640,
    ) -> None:
        super().__init__(parent)
        self.setWindowTitle(title)
        self.setModal(True)
        self.setMinimumWidth(width)
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self._act = act
        self.column = QVBoxLayout(self)
        self.column.setContentsMargins(20, 16, 20, 16)
        self.column.setSpacing(8)
        heading = label(title, size="title", weight=600)
        self.column.addWidget(heading)
        self.body = QVBoxLayout()
        self.body.setSpacing(8)
        self.column.addLayout(self.body, 1)
        self.trouble = label("", "fault", wrap=True)
        self.trouble.setFont(font("table", 500))
        self.column.addWidget(self.trouble)
        self.buttons = QHBoxLayout()
        self.buttons.addStretch(1)
        self.cancel = button("Cancel", run=self.reject, height=30)
        self.cancel.setAutoDefault(False)
        self.primary = button(primary, "primary", self._run, 30)
        self.primary.setDefault(True)
        self.buttons.addWidget(self.cancel)
        self.buttons.addWidget(self.primary)
        self.column.addLayout(self.buttons)

    def showEvent(self, event: QShowEvent) -> None:
        dress(self)
        super().showEvent(event)

    def _run(self) -> None:
        if self._act():
            self.accept()

    def say_trouble(self, words: str) -> None:
        self.trouble.setText(words)
        self.primary.setEnabled(not words)


def ask(
    parent: QWidget,
    title: str,
    words: str,
    choices: list[tuple[str, str]],
    cancel: str = "Cancel",
    below: QWidget | None = None,
) -> str | None:
    """A question with named answers [(answer, label)], the first one primary; None when it is put
    away. `below` stands under its words, for what is chosen besides.
    """
    answer: list[str] = []
    dialog = Frame(
        parent,
        title,
        choices[0][1],
        lambda: not answer.append(choices[0][0]),
        760 if below else 460,
    )
    dialog.setObjectName("question")
    dialog.cancel.setText(cancel)
    dialog.body.addWidget(label(words, size="body", wrap=True))
    if below is not None:
        dialog.body.addWidget(below, 1)
    for key, words_ in choices[1:]:
        other = button(words_, run=lambda k=key: (answer.append(k), dialog.accept()), height=30)
        other.setAutoDefault(False)
        dialog.buttons.insertWidget(1, other)
    dialog.exec()
    return answer[0] if answer else None


def ask_text(parent: QWidget, title: str, words: str, value: str = "") -> str | None:
    """A line to type; None when it is put away, or left empty."""
    line = field("asked text", value)
    typed: list[str] = []  # the line goes with the dialog

    def take() -> bool:
        typed.append(line.text().strip())
        return bool(typed[-1])

    dialog = Frame(parent, title, "OK", take, 420)
    dialog.setObjectName("ask text")
    dialog.body.addWidget(label(words, "quiet"))
    dialog.body.addWidget(line)
    line.selectAll()
    line.setFocus()
    return typed[-1] if dialog.exec() else None


class Entry(Frame):
    """A few typed values, checked when taken."""

    def __init__(
        self,
        parent: QWidget,
        title: str,
        primary: str,
        fields: list[tuple[str, str]],
        take: Callable[[list[str]], object],
    ) -> None:
        super().__init__(parent, title, primary, self._take_values, 420)
        self._take = take
        grid = QGridLayout()
        self.lines = []
        for y, (name, value) in enumerate(fields):
            line = field(name, value, mono=True)
            line.textEdited.connect(lambda _: self.say_trouble(""))
            grid.addWidget(label(name, "quiet"), y, 0)
            grid.addWidget(line, y, 1)
            self.lines.append(line)
        self.body.addLayout(grid)

    def _take_values(self) -> bool:
        try:
            self._take([line.text() for line in self.lines])
        except IsthmusError as error:
            self.say_trouble(str(error))
            return False
        return True
