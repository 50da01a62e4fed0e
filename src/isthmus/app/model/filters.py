"""What the pages hide by their filters, in words, so that every page can tell."""

from __future__ import annotations

from PySide6.QtCore import QObject, Signal


class Filters(QObject):
    changed = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.words: dict[str, str] = {}  # page → what its filter hides

    def say(self, page: str, words: str) -> None:
        """A page hides units by a filter; "" when it hides none."""
        if self.words.get(page, "") != words:
            self.words[page] = words
            self.changed.emit()
