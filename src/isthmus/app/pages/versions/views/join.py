"""Another copy of the show, edited by another person, joined with ours."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout

from isthmus.app.kit.widgets import (
    PageView,
    RowsModel,
    bind,
    button,
    choice,
    column_of,
    label,
    plain_table,
    selected_rows,
)
from isthmus.app.model.looking import called
from isthmus.app.model.sides import Sides, ask_show
from isthmus.app.model.workbench import Workbench
from isthmus.app.pages.versions.models.joining import MINE, THEIRS, ConflictsModel
from isthmus.compare import Base, Merged, difference, joined, with_both
from isthmus.compare.words import Told, first_sentences, sentences, told, told_conflict
from isthmus.plural import many
from isthmus.show import Show
from isthmus.snags.together import only_together


class TakenModel(RowsModel):
    """What comes from them."""

    COLUMNS = ("What", "", "Ours now", "Theirs")

    def cells(self, row: Told) -> tuple[str, ...]:
        return f"{row.kind} {row.thing}".strip(), row.member, row.old, row.new

    def tip(self, row: Told, column: int) -> str:
        return self.words(row, column)

    def ink(self, row: Told, column: int) -> str:
        return ("text", "text2", "text2", "text")[column]


class JoinView(PageView):
    def __init__(self, bench: Workbench, sides: Sides, go: Callable[[str], object]) -> None:
        super().__init__()
        self.bench, self.sides, self.go = bench, sides, go
        self.base: Base | None = None
        self.merged: Merged | None = None
        self._worked: tuple[object, object] | None = None
        column = column_of(self)
        line = QHBoxLayout()
        line.setSpacing(6)
        line.addWidget(label("Join with", "quiet"))
        self.side = choice("join with")
        self.side.setMinimumWidth(320)
        self.side.activated.connect(lambda _: self._work_out())
        line.addWidget(self.side)
        line.addWidget(button("Another file…", run=self.open, name="join file"))
        self.source = label("", "quiet")
        line.addWidget(self.source, 1)
        column.addLayout(line)
        self.told = label("", size="body", wrap=True)
        self.told.setObjectName("what is joined")
        column.addWidget(self.told)
        column.addLayout(self._tables(), 1)
        self.together = label("", "attention", wrap=True)
        self.together.setObjectName("wrong only together")
        column.addWidget(self.together)
        line = QHBoxLayout()
        self.do = button("Join them", "primary", self.join, 30, "join")
        line.addWidget(self.do)
        line.addStretch(1)
        column.addLayout(line)
        bind(bench.changed, self, self.refresh)

    def _tables(self) -> QHBoxLayout:
        left = QVBoxLayout()
        left.setSpacing(6)
        left.addWidget(label("What comes from them", weight=600))
        self.taken = TakenModel()
        self.table = plain_table(
            self.taken, "taken", "What comes from them", (160, 80, 110, 110), 0
        )
        left.addWidget(self.table, 1)
        right = QVBoxLayout()
        right.setSpacing(6)
        self.words = label("", weight=600)
        right.addWidget(self.words)
        self.conflicts = ConflictsModel()
        self.conflict_table = plain_table(
            self.conflicts, "conflicts", "What both changed differently", (150, 90, 100, 100, 70), 0
        )
        right.addWidget(self.conflict_table, 1)
        line = QHBoxLayout()
        line.setSpacing(6)
        self.ways = [
            button("Keep mine", run=lambda: self.settle(MINE), name="settle mine"),
            button("Take theirs", run=lambda: self.settle(THEIRS), name="settle theirs"),
        ]
        for one in self.ways:
            line.addWidget(one)
        line.addWidget(label("For the lines selected; with none selected, for all.", "quiet"), 1)
        right.addLayout(line)
        row = QHBoxLayout()
        row.setSpacing(16)
        row.addLayout(left, 4)
        row.addLayout(right, 5)
        return row

    # ------------------------------------------------------------ what is so

    def entered(self) -> None:
        self.refresh()
        self.side.setFocus(Qt.FocusReason.OtherFocusReason)

    def refresh(self) -> None:
        if not self.isVisible():
            return
        held = self.side.currentData()
        self.side.clear()
        for key, name in self.sides.files:
            self.side.addItem(name, key)
        self.side.setCurrentIndex(max(0, self.side.findData(held)))
        self._work_out()

    def other(self) -> Show | None:
        key = self.side.currentData()
        return None if key is None else self.sides.show(key)

    def _work_out(self) -> None:
        other, mine = self.other(), self.bench.history.show
        if self._worked is not None and self._worked[0] is mine and self._worked[1] is other:
            return
        self._worked = mine, other
        self.base = self.merged = None
        if other is not None:
            self.bench.guard(lambda: self._join(mine, other))
        self._say(mine, other)

    def _join(self, mine: Show, other: Show) -> None:
        self.base, self.merged = joined(mine, other)

    def _say(self, mine: Show, other: Show | None) -> None:
        made = self.merged
        self.source.setText(
            f"“{other.name}”, {many(len(other.units), 'unit')}. It is only read."
            if other
            else "Choose the copy that another person worked on."
        )
        found = difference(mine, made.show) if made else None
        self.taken.take(told(found) if found else [])
        self.conflicts.show([(c, told_conflict(made, c)) for c in made.conflicts] if made else [])
        come = first_sentences(sentences(found), 3) if found else ""
        self.told.setText(
            f"{self._base_words()} {come or 'Nothing comes from them.'}" if made else ""
        )
        self._settled()
        self._look_together(mine, other)

    def _base_words(self) -> str:
        base = self.base
        if base is None:
            return ""
        if base.version is not None:
            sure = "Both come from" if base.sure else "No version is in both. The nearest is"
            return f"{sure} {called(base.version)}."
        if base.sure:
            whose = (
                "them; ours goes on from it" if base.holder == "theirs" else "us; theirs goes on"
            )
            return f"Both come from what is with {whose}."
        return "They have no version in common: all that differs is asked."

    def _settled(self) -> None:
        left, count = self.conflicts.left, len(self.conflicts.rows)
        self.words.setText(
            f"{many(count, 'thing')} both changed differently, {left} to settle"
            if count
            else "Nothing was changed differently by both"
        )
        for one in self.ways:
            one.setEnabled(count > 0)
        self.do.setEnabled(self.merged is not None and left == 0 and self._result() is not None)

    def _result(self) -> Show | None:
        """The joined show; None where nothing comes of it."""
        if self.merged is None:
            return None
        theirs = {place: how == THEIRS for place, how in self.conflicts.settled.items()}
        made = self.merged.settled(theirs)
        return made if difference(self.bench.history.show, made) else None

    def _look_together(self, mine: Show, other: Show | None) -> None:
        """What is wrong with both together, and was with neither alone."""
        self.together.setText("")
        if self.merged is None or other is None:
            return
        fresh = only_together(mine, other, self.merged.show)
        if fresh:
            self.together.setText(f"Wrong only together: {first_sentences(fresh, 4)}")

    # ------------------------------------------------------------ acts

    def open(self) -> None:
        if path := ask_show(self, "Join with another copy"):
            self.bench.guard(lambda: self.open_path(path))

    def open_path(self, path: Path) -> None:
        """Raises FileFault."""
        key = self.sides.open(path)
        self.refresh()
        self.side.setCurrentIndex(self.side.findData(key))
        self._work_out()

    def settle(self, how: str) -> None:
        rows = selected_rows(self.conflict_table)
        self.conflicts.settle(rows or range(len(self.conflicts.rows)), how)
        self._settled()

    def join(self) -> None:
        other, made, bench = self.other(), self._result(), self.bench
        if other is None or made is None:
            return
        name = Path(self.side.currentData()).name
        bench.commit(f"Join with {name}", with_both(made, bench.show, other, name))
        bench.tell("ok", f"Joined with {name}. What both were is among the versions.")
