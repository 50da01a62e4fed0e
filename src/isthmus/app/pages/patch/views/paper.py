"""Paper beside patch: every difference by unit and field, taken one way or the other; and what a
revision changed.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout

from isthmus.app.kit.actions import Registry
from isthmus.app.kit.theme import font
from isthmus.app.kit.widgets import (
    Choice,
    Index,
    PageView,
    RowsModel,
    bind_seen,
    button,
    choice,
    label,
    plain_table,
)
from isthmus.app.model.workbench import Workbench
from isthmus.gels import books_at_hand
from isthmus.gels.resolve import resolve_gels
from isthmus.library.at_hand import at_hand
from isthmus.patch import paper as core
from isthmus.patch.follow import grown
from isthmus.patch.index import index_of
from isthmus.patch.paper import EXTRA, FIELDS, MISSING, Difference, RowChange
from isthmus.plural import many

FILTERS = [
    ("", "Every difference"),
    *FIELDS.items(),
    (MISSING, "not patched"),
    (EXTRA, "not on the paper"),
]
WORDS = {MISSING: "not patched", EXTRA: "not on the paper"}


WHY_NOT = {
    "type": (
        "No profile of the show or at hand has exactly this name. Give the unit its "
        "profile by hand, or correct the paper."
    ),
    "address": "Its address is locked.",
}


class DifferencesModel(RowsModel):
    COLUMNS = ("Unit", "Name", "What", "Paper", "Patch", "")
    MONO = (0,)

    def __init__(self, bench: Workbench) -> None:
        super().__init__()
        self.bench = bench

    def cells(self, row: Difference) -> Sequence[str]:
        unit = index_of(self.bench.show).by_id.get(row.unit)
        usable = row.takeable or row.field in (MISSING, EXTRA)
        return (
            str(row.number),
            unit.name if unit else "",
            WORDS.get(row.field, row.plain),
            row.paper,
            row.patch or "none",
            "" if usable else "paper cannot be used: see tooltip",
        )

    def tip(self, row: Difference, column: int) -> str:
        if row.takeable:
            return ""
        return WHY_NOT.get(
            row.field, "Read the list again to add its unit, or strike it from the paper."
        )

    def ink(self, row: Difference, column: int) -> str:
        if column != 2:
            return ""
        return "ochre" if row.field in ("type", "mode", "address", MISSING) else "text2"

    def data(self, index: Index, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        if role == Qt.ItemDataRole.FontRole and index.column() in (3, 4):
            return font("table", mono=self.rows[index.row()].field == "address")
        return super().data(index, role)


class ChangesModel(RowsModel):
    COLUMNS = ("Unit", "What", "Before", "Now")

    def cells(self, row: RowChange) -> Sequence[str]:
        what = {MISSING: "struck", EXTRA: "new"}.get(row.field, FIELDS.get(row.field, row.field))
        return str(row.number), what, row.before, row.after


class PaperView(PageView):
    def __init__(self, bench: Workbench, actions: Registry) -> None:
        super().__init__()
        self.bench = bench
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        top = QHBoxLayout()
        self.what = label("", size="body")
        self.only = choice(
            "only these differences",
            [
                ("", "Every difference"),
                *FIELDS.items(),
                (MISSING, "not patched"),
                (EXTRA, "not on the paper"),
            ],
        )
        self.only.setFixedWidth(170)
        top.addWidget(self.what, 1)
        top.addWidget(self.only)
        column.addLayout(top)
        self.model = DifferencesModel(bench)
        self.table = plain_table(
            self.model,
            "paper differences",
            "What differs between paper and patch",
            (56, 130, 116, 190, 190, 40),
            5,
        )
        column.addWidget(self.table, 3)
        acts = QHBoxLayout()
        acts.setSpacing(6)
        self.hint = label("", "quiet", "caption")
        acts.addWidget(self.hint, 1)
        self.from_paper = button("Use paper", "primary", self.take_paper, 30)
        self.from_patch = button("Keep patch, correct paper", run=self.take_patch)
        acts.addWidget(self.from_patch)
        acts.addWidget(self.from_paper)
        column.addLayout(acts)
        below = QHBoxLayout()
        self.revisions: Choice = choice("compare with revision")
        self.revisions.setFixedWidth(210)
        self.changed = label("", "quiet")
        below.addWidget(self.revisions)
        below.addWidget(self.changed, 1)
        self.unread = actions.button("patch.unread", "Correct unread lines…")
        below.addWidget(self.unread)
        below.addWidget(actions.button("patch.paste_list", "Paste a list…"))
        below.addWidget(actions.button("patch.hang_list", "Read a newer list…"))
        column.addLayout(below)
        self.changes = ChangesModel()
        self.changes_table = plain_table(
            self.changes, "revision changes", "What the newer paper changed", (56, 120, 240, 240), 3
        )
        column.addWidget(self.changes_table, 2)
        self.only.currentIndexChanged.connect(lambda _: self.refresh())
        self.revisions.currentIndexChanged.connect(lambda _: self._show_changes())
        self.table.selectionModel().selectionChanged.connect(lambda *_: self._chosen())
        bind_seen(bench.changed, self, self.refresh)
        self.refresh()

    def refresh(self) -> None:
        show = self.bench.show
        found = core.differences(show)
        wanted = self.only.currentData()
        self.model.take([d for d in found if not wanted or d.field == wanted])
        paper = show.paper
        if paper.rows:
            units = len({d.number for d in found})
            revision = f", revision {paper.revision}" if paper.revision else ""
            name = f"{paper.title or 'The hang list'}{revision}: {many(len(paper.rows), 'line')}"
            self.what.setText(
                f"{name}. "
                + (
                    f"{many(len(found), 'difference')} in {many(units, 'unit')}."
                    if found
                    else "The patch is as the paper says."
                )
            )
        else:
            self.what.setText(
                "No paper yet: read a hang list or paste one, and it stays beside the patch."
            )
        self.unread.setVisible(bool(paper.unread))
        self.unread.setText(f"Correct {many(len(paper.unread), 'unread line')}…")
        kept = [
            (i, f"since revision {p.revision or i + 1}") for i, p in enumerate(show.earlier_papers)
        ][::-1]
        self.revisions.blockSignals(True)
        self.revisions.clear()
        for key, words in kept:
            self.revisions.addItem(words, key)
        self.revisions.blockSignals(False)
        self.revisions.setVisible(bool(kept))
        self._show_changes()
        self._chosen()

    def _show_changes(self) -> None:
        at = self.revisions.currentData()
        show = self.bench.show
        rows = (
            core.changes_between(show.earlier_papers[at], show.paper)
            if at is not None and at < len(show.earlier_papers)
            else []
        )
        self.changes.take(rows)
        self.changes_table.setVisible(bool(rows))
        units = len({r.number for r in rows})
        self.changed.setText(
            f"{many(len(rows), 'change')} on paper, in {many(units, 'unit')}"
            if rows
            else "A newer revision shows here what it changed."
        )

    def chosen(self) -> list[Difference]:
        """Those selected, or all that are listed."""
        rows = sorted({i.row() for i in self.table.selectionModel().selectedRows()})
        return [self.model.rows[r] for r in rows] or list(self.model.rows)

    def _chosen(self) -> None:
        found = self.chosen()
        some = bool(self.table.selectionModel().selectedRows())
        takeable = [d for d in found if d.takeable and d.field not in (MISSING, EXTRA)]
        self.from_paper.setText(f"Use paper for {len(takeable)}")
        self.from_patch.setText(f"Keep patch, correct {len(found)} on paper")
        self.from_paper.setEnabled(bool(takeable))
        self.from_patch.setEnabled(bool(found))
        self.hint.setText(
            "for the selected rows" if some else "for all rows listed; select rows for some of them"
        )
        if some:
            ids = core.units_of(found)
            if ids:
                self.bench.selection.select(ids)

    def take_paper(self) -> None:
        found = [d for d in self.chosen() if d.field not in (MISSING, EXTRA)]
        shelf = at_hand(self.bench.show)
        words = f"use paper for {many(len(found), 'difference')}"

        def run() -> None:
            ids = core.units_of(found)
            after = resolve_gels(
                core.take_paper_side(self.bench.show, found, shelf), ids, books_at_hand()
            )
            self.bench.place(words, grown(self.bench.show, after, ids))

        self.bench.guard(run)

    def take_patch(self) -> None:
        found = self.chosen()
        self.bench.guard(
            lambda: self.bench.commit(
                f"correct the paper in {many(len(found), 'place')}",
                core.take_patch_side(self.bench.show, found),
            )
        )
