"""How a cue list runs: by Go, or automatically as a chase; and how long its release takes."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtWidgets import QHBoxLayout, QLineEdit, QWidget

from isthmus.app.kit.widgets import choice, field, label, tick
from isthmus.errors import EntryFault
from isthmus.looks.cue_edits import read_seconds, say_seconds
from isthmus.looks.programme import DIRECTIONS
from isthmus.show.records import CueList


class ListSettings(QWidget):
    def __init__(self, change: Callable[..., bool]) -> None:
        super().__init__()
        self._change, self._one = change, CueList(id="", number=1)
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(6)
        self.round = tick("Runs round", "runs round", "A chase: each step in its time")
        self.round.clicked.connect(lambda on: change(round=on))
        row.addWidget(self.round)
        self.rate = self._field(row, "Rate", "rate", "steps/min", 56)
        self.direction = choice("direction", [(d, d.capitalize()) for d in DIRECTIONS])
        self.direction.activated.connect(lambda _: change(direction=self.direction.currentData()))
        row.addWidget(self.direction)
        self.crossfade = self._field(row, "Crossfade", "crossfade", "%", 48)
        row.addStretch(1)
        self.give_up = self._field(row, "Release in", "release time", "s", 48)
        for one in (self.rate, self.crossfade, self.give_up):
            one.editingFinished.connect(self._typed)

    def _field(self, row: QHBoxLayout, words: str, name: str, unit: str, width: int) -> QLineEdit:
        row.addWidget(label(words, "quiet"))
        made = field(name, "", "", mono=True)
        made.setFixedWidth(width)
        row.addWidget(made)
        row.addWidget(label(unit, "quiet"))
        return made

    def take(self, one: CueList | None) -> None:
        self.setEnabled(one is not None)
        self._one = one or CueList(id="", number=1)
        self.round.setChecked(self._one.round)
        self.rate.setText(f"{self._one.rate:g}")
        self.direction.setCurrentIndex(self.direction.findData(self._one.direction))
        self.crossfade.setText(f"{100 * self._one.crossfade:.0f}")
        self.give_up.setText(say_seconds(self._one.release))
        for part in (self.rate, self.direction, self.crossfade):
            part.setEnabled(self._one.round)

    def _typed(self) -> None:
        """What was typed, if it is another; what cannot be read is told and put back."""
        one = self._one

        def number(text: str) -> float:
            try:
                return float(text.strip().removesuffix("%").replace(",", "."))
            except ValueError:
                return -1.0  # refused with the range it must lie in

        typed = {"rate": number(self.rate.text()), "crossfade": number(self.crossfade.text()) / 100}
        changed = {name: v for name, v in typed.items() if abs(v - getattr(one, name)) > 0.004}
        if self.give_up.text() != say_seconds(one.release):
            try:
                changed["release"] = read_seconds(self.give_up.text(), "Release") or 0.0
            except EntryFault:
                changed["release"] = -1.0
        if changed and not self._change(**changed):
            self.take(one)
