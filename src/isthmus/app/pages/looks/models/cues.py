"""The table of the cues of a list."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from isthmus.app.kit.edited import EditedRows, Write
from isthmus.looks.cue_edits import say_number, say_seconds
from isthmus.show.records import Cue, Look, Show

TIMES = {4: "up", 5: "down", 6: "move", 7: "delay", 8: "follow"}


class CuesModel(EditedRows):
    COLUMNS = ("", "Cue", "Name", "Look", "Up", "Down", "Move", "Delay", "Follow", "Note")
    MEDIUM = (2,)
    MONO = (0, 1, 4, 5, 6, 7, 8)
    EDITED = (1, 2, 3, 4, 5, 6, 7, 8, 9)

    def __init__(self, show: Callable[[], Show], write: Write) -> None:
        super().__init__(write)
        self._show = show
        self.here = ""  # the cue the list stands at, by id
        self.next = ""
        self.short: dict[str, int] = {}  # cue → how many units come short of it

    def cells(self, row: Cue) -> Sequence[str]:
        look = self._look(row)
        mark = "▶" if row.id == self.here else "next" if row.id == self.next else ""
        times = (
            say_seconds(row.up if name == "move" and row.move is None else getattr(row, name))
            for name in TIMES.values()
        )
        named = f"{look.number} {look.name}".strip() if look else ""
        return (mark, say_number(row.number), row.name, named, *times, row.note)

    def _look(self, row: Cue) -> Look | None:
        return next((one for one in self._show().looks if one.id == row.look), None)

    def tip(self, row: Cue, column: int) -> str:
        if column == 3 and row.look == "":
            return "No look: all that the list has lit goes out"
        if column == 3 and self.short.get(row.id):
            return f"{self.short[row.id]} units cannot do it, or only nearly"
        if column == 6 and row.move is None:
            return "As Up"
        return row.note if column == 9 else ""

    def ink(self, row: Cue, column: int) -> str:
        if column == 0:
            return "coral" if row.id == self.here else "text2"
        if column == 3 and self.short.get(row.id):
            return "ochre"
        if column == 6 and row.move is None:
            return "text2"
        return "text" if column < 4 or row.id == self.here else "text2"
