"""The record: where it stands by position and universe, how rounds compare, and what goes out on
paper.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from typing import Any

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from isthmus.app.kit.dialogs import ask_text
from isthmus.app.kit.widgets import (
    Index,
    PageView,
    RowsModel,
    Section,
    bind_seen,
    button,
    column_of,
    label,
    plain_table,
)
from isthmus.app.model.checks import Checks
from isthmus.app.model.saving import save_made
from isthmus.app.model.workbench import Workbench
from isthmus.check import record
from isthmus.check.findings.told import FindingTold
from isthmus.check.verdicts import by_place, changes, new_round
from isthmus.plural import many
from isthmus.show.records import Unit

RESULT_COLORS = {"works": "teal", "wrong": "ochre", "silent": "fault"}


class PlacesModel(RowsModel):
    """The tally of each position, or of each universe: `of` heads the first column."""

    COUNTED = ("works", "wrong", "silent", "left")
    MONO = (1, 2, 3, 4)

    def __init__(self, of: str) -> None:
        super().__init__()
        self.COLUMNS = (of, "Works", "Wrong", "Silent", "Left")

    def cells(self, row: tuple[str, Mapping[str, int]]) -> Sequence[str]:
        name, count = row
        return name, *(str(count[what] or "") for what in self.COUNTED)

    def ink(self, row: tuple[str, Mapping[str, int]], column: int) -> str:
        return ("text", "teal", "ochre", "fault", "text2")[column]


class RoundsModel(RowsModel):
    """Units whose verdicts differ from round to round."""

    MONO = (0,)
    heads: tuple[str, ...] = ("Unit", "Name", "now")

    def columnCount(self, parent: Index | None = None) -> int:
        return len(self.heads)

    def headerData(
        self, section: int, orientation: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole
    ) -> Any:
        if orientation == Qt.Orientation.Horizontal and role == Qt.ItemDataRole.DisplayRole:
            return self.heads[section]
        return None

    def cells(self, row: tuple[Unit, Sequence[str]]) -> Sequence[str]:
        unit, said = row
        return str(unit.number), unit.name, *said

    def slanted(self, row: tuple[Unit, Sequence[str]], column: int) -> bool:
        return column > 1

    def ink(self, row: tuple[Unit, Sequence[str]], column: int) -> str:
        return "text" if column < 2 else RESULT_COLORS.get(self.words(row, column), "text2")


class RecordView(PageView):
    def __init__(self, bench: Workbench, checks: Checks, window: QWidget) -> None:
        super().__init__()
        self.bench, self.checks, self.window_ = bench, checks, window
        column = column_of(self, 8)
        row = QHBoxLayout()
        row.setSpacing(6)
        self.state = label("", "quiet", wrap=True)
        row.addWidget(self.state, 1)
        row.addWidget(button("New round…", run=self.new_round, height=30, name="new round"))
        row.addWidget(button("Save CSV…", run=self.save_csv, height=30, name="save csv"))
        row.addWidget(button("Save report…", run=self.save_pdf, height=30, name="save record"))
        row.addWidget(button("Save snag list…", "primary", self.save_snags, 30, "save snags"))
        column.addLayout(row)
        both = QHBoxLayout()
        both.setSpacing(18)
        left, right = QVBoxLayout(), QVBoxLayout()
        self.positions, self.universes = PlacesModel("Position"), PlacesModel("Universe")
        self.rounds = RoundsModel()
        left.addWidget(Section("By position"))
        left.addWidget(
            plain_table(
                self.positions, "by position", "Verdicts by position", (180, 62, 62, 62, 62), 0
            ),
            3,
        )
        left.addWidget(Section("By universe"))
        left.addWidget(
            plain_table(
                self.universes, "by universe", "Verdicts by universe", (180, 62, 62, 62, 62), 0
            ),
            2,
        )
        right.addWidget(Section("What differs between rounds"))
        self.rounds_table = plain_table(
            self.rounds, "rounds", "Units whose verdicts differ between rounds", (52, 130, 90), 1
        )
        right.addWidget(self.rounds_table, 1)
        self.none = label("", "quiet", wrap=True)
        right.addWidget(self.none)
        both.addLayout(left, 1)
        both.addLayout(right, 1)
        column.addLayout(both, 1)
        bind_seen(bench.changed, self, self.refresh)
        self.refresh()

    def entered(self) -> None:
        self.refresh()

    def refresh(self) -> None:
        if not self.isVisible():
            return
        show = self.bench.show
        self.positions.take(by_place(show))
        self.universes.take(by_place(show, "universe"))
        heads = ("Unit", "Name", *(r.name for r in show.rounds), "now")
        if heads != self.rounds.heads:
            self.rounds.beginResetModel()
            self.rounds.heads = heads
            self.rounds.endResetModel()
        self.rounds.take(changes(show))
        who = sorted({v.by for v in show.verdicts if v.by})
        count = len(show.rounds) + 1
        names = f" Marked by {', '.join(who)}." if who else ""
        self.state.setText(
            f"Round {count}: {many(len(show.verdicts), 'verdict')} of "
            f"{many(len(show.units), 'unit')}.{names}"
        )
        self.none.setText(
            ""
            if show.rounds
            else ("Saves these verdicts and starts a new round; the two are compared here.")
        )

    # ------------------------------------------------------------ acts

    def new_round(self) -> None:
        name = ask_text(
            self.window_,
            "New round",
            "The verdicts so far are saved under this name.",
            f"Round {len(self.bench.show.rounds) + 1}",
        )
        if name is not None:
            self.bench.guard(
                lambda: self.bench.commit("begin a new round", new_round(self.bench.show, name))
            )

    def _save(self, what: str, ending: str, make: Callable[[], bytes]) -> None:
        save_made(self.bench, self.window_, what, [ending], lambda _: make())

    def save_csv(self) -> None:
        self._save("record", "csv", lambda: record.as_csv(self.bench.show))

    def save_pdf(self) -> None:
        self.checks.conclude(self._save_pdf)

    def _save_pdf(self, findings: list[FindingTold]) -> None:
        self._save("record", "pdf", lambda: record.as_pdf(self.bench.show, findings))

    def save_snags(self) -> None:
        self.checks.conclude(self._save_snags)

    def _save_snags(self, findings: list[FindingTold]) -> None:
        self._save(
            "snag list", "pdf", lambda: record.as_pdf(self.bench.show, findings, snags_only=True)
        )
