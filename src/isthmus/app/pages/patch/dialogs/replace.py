"""Find and replace in the patch: what would change is counted while it is typed."""

from __future__ import annotations

from PySide6.QtWidgets import QCheckBox, QGridLayout, QWidget

from isthmus.app.kit.dialogs import Frame
from isthmus.app.kit.theme import font
from isthmus.app.kit.widgets import choice, field, label
from isthmus.app.model.workbench import Workbench
from isthmus.app.pages.patch.models.units import NAMES, PatchModel
from isthmus.patch.cells import COLUMNS, Cell, replaced
from isthmus.plural import many

TEXTS = [
    column.key for column in COLUMNS if column.writable and column.key not in ("number", "locked")
]


class ReplaceDialog(Frame):
    def __init__(self, bench: Workbench, model: PatchModel, parent: QWidget, key: str = "") -> None:
        super().__init__(parent, "Find and replace", "Replace", self._take, 560)
        self.setObjectName("find and replace")
        self.bench, self.model = bench, model
        grid = QGridLayout()
        grid.setHorizontalSpacing(12)
        self.needle, self.put = field("find"), field("replace with")
        every = [("", "every column"), *((k, NAMES[k]) for k in TEXTS)]
        self.where = choice("in column", every)
        self.where.setCurrentIndex(max(0, self.where.findData(key)))
        self.whole = QCheckBox("Whole cells only")
        self.hand = QCheckBox("Only selected units")
        self.hand.setChecked(len(bench.selection.ids) > 1)
        for box in (self.whole, self.hand):
            box.setFont(font("table"))
        for y, (words, widget) in enumerate(
            (("Find", self.needle), ("Replace with", self.put), ("In", self.where))
        ):
            grid.addWidget(label(words, "quiet"), y, 0)
            grid.addWidget(widget, y, 1)
        grid.addWidget(self.whole, 3, 1)
        grid.addWidget(self.hand, 4, 1)
        self.body.addLayout(grid)
        self.outcome = label("", "quiet", wrap=True)
        self.outcome.setMinimumHeight(36)
        self.body.addWidget(self.outcome)
        self.needle.textChanged.connect(self._count)
        self.put.textChanged.connect(self._count)
        self.where.currentIndexChanged.connect(self._count)
        self.whole.toggled.connect(self._count)
        self.hand.toggled.connect(self._count)
        self._count()

    def _cells(self) -> list[Cell]:
        keys = [self.where.currentData()] if self.where.currentData() else TEXTS
        ids = self.bench.selection.ids if self.hand.isChecked() else [u.id for u in self.model.rows]
        return replaced(
            self.bench.show, ids, keys, self.needle.text(), self.put.text(), self.whole.isChecked()
        )

    def _count(self, *_: object) -> None:
        cells = self._cells()
        self.primary.setEnabled(bool(cells))
        self.primary.setText(f"Replace in {many(len(cells), 'cell')}" if cells else "Replace")
        units = {unit.id: unit.number for unit in self.bench.show.units}
        first = "; ".join(
            f"{units[u]} {NAMES[k].lower()}: {text or 'empty'}" for u, k, text in cells[:3]
        )
        hidden = len(self.bench.show.units) - len(self.model.rows)
        note = (
            f" {hidden} rows hidden by the filter are left out."
            if hidden and not self.hand.isChecked()
            else ""
        )
        self.outcome.setText(
            (
                first + (" …" if len(cells) > 3 else "")
                if cells
                else "Nothing is found."
                if self.needle.text()
                else ""
            )
            + note
        )

    def _take(self) -> bool:
        cells = self._cells()
        return self.model.write_units(
            cells, f"replace “{self.needle.text()[:20]}” in {many(len(cells), 'cell')}"
        )
