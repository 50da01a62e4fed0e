"""Tables of looks, and of the lines of one."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from isthmus.app.kit.edited import EditedRows, Write
from isthmus.looks.cue_edits import say_number
from isthmus.looks.lines import say_level, say_palettes, say_values, say_who
from isthmus.looks.used import cues_with
from isthmus.show.records import Look, LookLine, Show


class LooksModel(EditedRows):
    COLUMNS = ("No", "Look", "Cues")
    MEDIUM = (1,)
    MONO = (0, 2)
    EDITED = (0, 1)

    def __init__(self, show: Callable[[], Show], write: Write) -> None:
        super().__init__(write)
        self._show = show

    def cells(self, row: Look) -> Sequence[str]:
        return str(row.number), row.name, self._cues(row)

    def _cues(self, row: Look) -> str:
        return ", ".join(say_number(number) for _, number in cues_with(self._show(), row.id))

    def tip(self, row: Look, column: int) -> str:
        used = cues_with(self._show(), row.id)
        if column != 2 or not used:
            return ""
        return "Used by " + ", ".join(f"{name} cue {say_number(n)}" for name, n in used)

    def ink(self, row: Look, column: int) -> str:
        return "text" if column == 1 else "text2"


Row = tuple[int, LookLine]


class LinesModel(EditedRows):
    """Who gets what; the lower line counts where two say something of the same."""

    COLUMNS = ("Who", "Palettes", "Level", "Values")
    MEDIUM = (0,)
    MONO = (2,)
    EDITED = (0, 1, 2)

    def __init__(self, show: Callable[[], Show], write: Write) -> None:
        super().__init__(write)
        self._show = show

    def cells(self, row: Row) -> Sequence[str]:
        show, line = self._show(), row[1]
        return (say_who(show, line), say_palettes(show, line), say_level(line), say_values(line))

    def tip(self, row: Row, column: int) -> str:
        return self.words(row, column) if column in (0, 1, 3) else ""

    def ink(self, row: Row, column: int) -> str:
        return "text" if column < 2 else "text2"
