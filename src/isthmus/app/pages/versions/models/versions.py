"""The versions of a show as rows, the newest first, with what each changed."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PySide6.QtCore import QTimer

from isthmus.app.kit.widgets import RowsModel
from isthmus.app.model.sides import Sides
from isthmus.compare import difference
from isthmus.compare.words import sentences
from isthmus.errors import IsthmusError
from isthmus.show.records import Version
from isthmus.show.versions import time_of

Row = tuple[Version, Version | None]  # a version, and the one before it


class VersionsModel(RowsModel):
    """What a version changed is worked out row by row, while nothing else is to be done."""

    COLUMNS = ("", "When", "What it is", "What it changed")
    MONO = (0, 1)
    MEDIUM = (2,)

    def __init__(self, sides: Sides, seen: Callable[[], bool]) -> None:
        super().__init__()
        self.sides, self._seen = sides, seen
        self._told: dict[tuple[str, str], str] = {}
        self._next = QTimer(self)
        self._next.setSingleShot(True)
        self._next.setInterval(0)
        self._next.timeout.connect(self._one)

    def show(self, versions: Sequence[Version]) -> None:
        self.take(list(zip(versions, (None, *versions), strict=False))[::-1])
        self.go_on()

    def cells(self, row: Row) -> Sequence[str]:
        version = row[0]
        moment = time_of(version)
        when = f"{moment:%d %b %H:%M}" if moment else ""
        name = f"“{version.note}”" if version.note else version.why
        return str(version.number), when, name, self._told.get(_key(row), "")

    def tip(self, row: Row, column: int) -> str:
        who = f"By {row[0].who}. " if row[0].who else ""
        return who + self._told.get(_key(row), "") if column == 3 else self.words(row, column)

    def ink(self, row: Row, column: int) -> str:
        return "text" if column == 2 else "text2"

    def go_on(self) -> None:
        if self._seen():
            self._next.start()

    def _one(self) -> None:
        """The next row that has no words yet."""
        for at, row in enumerate(self.rows):
            if _key(row) not in self._told:
                self._told[_key(row)] = self._sentence(row)
                self.dataChanged.emit(self.index(at, 3), self.index(at, 3))
                self.go_on()
                return

    def _sentence(self, row: Row) -> str:
        version, before = row
        try:
            show = self.sides.show(str(version.number))
            if before is None:
                return f"{len(show.units)} units"
            was = self.sides.show(str(before.number))
        except IsthmusError as error:
            return str(error)
        return " ".join(sentences(difference(was, show))) or "Nothing"


def _key(row: Row) -> tuple[str, str]:
    return (row[1].root if row[1] else "", row[0].root)
