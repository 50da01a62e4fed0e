"""The ways a unit can be wrong, as keys below the note: any of them, and by a menu how."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PySide6.QtCore import QPoint, Qt
from PySide6.QtWidgets import QHBoxLayout, QMenu, QPushButton, QVBoxLayout, QWidget

from isthmus.app.kit.widgets import button, label
from isthmus.check.ways import HOW, WRONG_IN

SHORT = {
    "other": "another instead",
    "too": "another too",
    "dark": "moves, no light",
    "cell": "cell",
    "before": "lit before",
    "home": "not home",
    "moves": "another moves",
}
KEYS = dict(zip(WRONG_IN, (*"123456789", "0", "H", "M", "L"), strict=True))
IN_A_ROW = 7
HEAD = 32  # pixels, so that rows begin below each other


class Ways(QWidget):
    """`say` is called with a few words for the note, when a menu says how something is wrong."""

    def __init__(self, say: Callable[[str], object]) -> None:
        super().__init__()
        self._say = say
        self.keys: dict[str, QPushButton] = {}
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(2)
        rows = [QHBoxLayout() for _ in range(-(-len(WRONG_IN) // IN_A_ROW))]
        for at, row in enumerate(rows):
            row.setSpacing(4)
            head = label("Fault" if not at else "", "quiet", "caption")
            head.setFixedWidth(HEAD)
            row.addWidget(head)
            column.addLayout(row)
        for at, (way, words) in enumerate(WRONG_IN.items()):
            made = button(
                f"{KEYS[way]} {SHORT.get(way, way)}", "quiet", height=24, name=f"way {way}"
            )
            made.setCheckable(True)
            made.setToolTip(words)
            if way in HOW:
                made.setToolTip(f"{words}; a right click says how")
                made.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
                made.customContextMenuRequested.connect(lambda at, w=way: self._ask(w, at))
            self.keys[way] = made
            rows[at // IN_A_ROW].addWidget(made)
        for row in rows:
            row.addStretch(1)

    def menu(self, way: str) -> QMenu:
        """How it may be wrong, in words that are put into the note."""
        made = QMenu(self)
        for how in HOW[way]:
            words = f"{'no ' if way == 'colour' else f'{WRONG_IN[way]} '}{how}"
            made.addAction(how, lambda w=words: (self.keys[way].setChecked(True), self._say(w)))
        return made

    def _ask(self, way: str, at: QPoint) -> None:
        self.menu(way).popup(self.keys[way].mapToGlobal(at))

    def toggle(self, way: str) -> None:
        self.keys[way].setChecked(not self.keys[way].isChecked())

    def show_said(self, ways: Sequence[str]) -> None:
        """Those that the note says are checked as it is typed."""
        for way in ways:
            self.keys[way].setChecked(True)

    def chosen(self) -> list[str]:
        return [way for way, made in self.keys.items() if made.isChecked()]

    def clear(self) -> None:
        for made in self.keys.values():
            made.setChecked(False)
