"""To whom the show is handed over."""

from __future__ import annotations

from PySide6.QtWidgets import QGridLayout, QWidget

from isthmus.app.kit.dialogs import Frame
from isthmus.app.kit.widgets import field, label
from isthmus.app.model.workbench import Workbench
from isthmus.errors import IsthmusError
from isthmus.show.handovers import handed_over, next_letter, told


class HandOverDialog(Frame):
    """The show as it is now, as the next revision."""

    def __init__(self, over: QWidget, bench: Workbench) -> None:
        super().__init__(over, "Hand over", "Hand over", self._hand, 460)
        self.setObjectName("hand over")
        self.bench = bench
        self.letter = field("revision letter", next_letter(bench.show), mono=True)
        self.to = field("handed over to", "", "the house electrician")
        self.note = field("handover note", "", "what is new in it")
        grid = QGridLayout()
        grid.setSpacing(8)
        rows = (("Revision", self.letter), ("To", self.to), ("Note", self.note))
        for at, (words, line) in enumerate(rows):
            line.textEdited.connect(lambda _: self.say_trouble(""))
            grid.addWidget(label(words, "quiet"), at, 0)
            grid.addWidget(line, at, 1)
        self.body.addLayout(grid)
        self.body.addWidget(
            label(
                "The show as it is now is kept as a version. Papers can say what changed since it.",
                "quiet",
                wrap=True,
            )
        )
        self.to.setFocus()

    def _hand(self) -> bool:
        try:
            made = handed_over(
                self.bench.show, self.to.text(), self.note.text(), self.letter.text()
            )
        except IsthmusError as error:
            self.say_trouble(str(error))
            return False
        last = made.versions[-1]
        self.bench.commit(f"Hand over revision {last.letter}", made)
        self.bench.tell("ok", f"Handed over {told(last)}.")
        return True
