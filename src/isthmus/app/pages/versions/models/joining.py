"""What two people changed differently, with what was before, ours and theirs."""

from __future__ import annotations

from collections.abc import Sequence

from isthmus.app.kit.widgets import RowsModel
from isthmus.compare import Conflict
from isthmus.compare.words import ToldConflict

Row = tuple[Conflict, ToldConflict]
MINE, THEIRS = "mine", "theirs"


class ConflictsModel(RowsModel):
    """Each is settled by keeping ours or taking theirs."""

    COLUMNS = ("What", "Before", "Mine", "Theirs", "Settled")

    def __init__(self) -> None:
        super().__init__()
        self.settled: dict[tuple[str, str, str], str] = {}

    def show(self, rows: Sequence[Row]) -> None:
        places = {one.place for one, _ in rows}
        self.settled = {p: how for p, how in self.settled.items() if p in places}
        self.beginResetModel()
        self.rows = rows
        self.endResetModel()

    def settle(self, rows: Sequence[int], how: str) -> None:
        self.settled |= {self.rows[at][0].place: how for at in rows}
        if self.rows:
            self.dataChanged.emit(self.index(0, 0), self.index(len(self.rows) - 1, 4))

    @property
    def left(self) -> int:
        return len(self.rows) - len(self.settled)

    def cells(self, row: Row) -> Sequence[str]:
        one, words = row
        return (
            words.what,
            words.base,
            words.mine,
            words.theirs,
            self.settled.get(one.place, "not yet"),
        )

    def tip(self, row: Row, column: int) -> str:
        return self.words(row, column)

    def ink(self, row: Row, column: int) -> str:
        how = self.settled.get(row[0].place, "")
        if column == 4:
            return "coral" if how else "ochre"
        chosen = (column, how) in ((2, MINE), (3, THEIRS))
        return "coral" if chosen else "text" if column in (0, 2, 3) else "text2"
