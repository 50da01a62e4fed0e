"""Grids: proposed from the units selected, corrected by hand, and shown test pictures."""

from __future__ import annotations

import time
from collections.abc import Callable
from typing import Any

from msgspec.structs import replace
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout

from isthmus.app.kit.edited import choose_row, edited_table, hold_row, row_here, show_rows
from isthmus.app.kit.first import FirstSteps
from isthmus.app.kit.widgets import PageView, beside, bind, button, choice, field, label, tick
from isthmus.app.model.rig_link import RigLink
from isthmus.app.model.workbench import Workbench
from isthmus.app.pages.pixels.models.grids import GridsModel
from isthmus.app.pages.pixels.views.answered import RigBelow
from isthmus.app.pages.pixels.views.grid_picture import GridPicture
from isthmus.check.prove_picture import ProvePicture
from isthmus.errors import EntryFault
from isthmus.looks.lines import read_level
from isthmus.patch.numbers import read_numbers
from isthmus.pixels.grids import (
    SHOWN,
    TURNS,
    VIEWS,
    propose,
    put_grid,
    read_shown,
    say_shown,
    swap_units,
    turn_units,
)
from isthmus.pixels.wiring_pictures import PICTURES
from isthmus.show.records import PixelGrid

SEEN = {"best": "as they lie best", "front": "from the front", "above": "from above"}
WORDS = {
    "left": "Turn left",
    "right": "Turn right",
    "round": "Turn round",
    "sideways": "Mirror",
    "upside down": "Upside down",
}


class GridView(PageView):
    def __init__(self, bench: Workbench, rig: RigLink | None = None) -> None:
        super().__init__()
        self.bench, self.rig = bench, rig
        beside(self, self._left(), self._right())
        self.first = FirstSteps(
            self,
            "No grids yet",
            "Select units whose cells make a picture together: in the patch, on the plan, or by "
            "their numbers with Ctrl+K. Isthmus finds their grid from where they hang.",
            [button("Propose from selected units", "plain", self.propose, 30, "first grid")],
        )
        bind(bench.changed, self, self.refresh)
        bind(bench.selection.changed, self, self._enable)
        bind(bench.proving.changed, self, self._tested)
        self.refresh()

    def _left(self) -> QVBoxLayout:
        column = QVBoxLayout()
        column.setSpacing(6)
        self.grids = GridsModel(self._write)
        self.table = edited_table(self.grids, "grids", "Grids", (30, 90, 60, 44), 1)
        self.table.selectionModel().currentRowChanged.connect(lambda *_: self._chosen())
        column.addWidget(self.table, 1)
        shown = QHBoxLayout()
        shown.setSpacing(6)
        self.shown = {n: field(f"grid {n}", hint="own", mono=True) for n in SHOWN}
        for name, line in self.shown.items():
            part = QVBoxLayout()
            part.setSpacing(2)
            part.addWidget(label(SHOWN[name][0], "quiet"))
            part.addWidget(line)
            line.editingFinished.connect(lambda n=name: self._write_shown(n))
            shown.addLayout(part)
        column.addLayout(shown)
        column.addWidget(label("Seen", "quiet"))
        self.view = choice("grid view")
        column.addWidget(self.view)
        self.true_places = tick("At their true places", "true places")
        column.addWidget(self.true_places)
        buttons = QHBoxLayout()
        buttons.setSpacing(6)
        buttons.addWidget(button("Propose", run=self.propose, name="propose grid"))
        self.gone = button("Remove", run=self.remove, name="remove grid")
        buttons.addWidget(self.gone)
        buttons.addStretch(1)
        column.addLayout(buttons)
        return column

    def _right(self) -> QVBoxLayout:
        column = QVBoxLayout()
        column.setSpacing(6)
        self.title = label("", size="section", weight=600)
        column.addWidget(self.title)
        self.picture = GridPicture(self.bench)
        column.addWidget(self.picture, 1)
        self.below = RigBelow(self.bench, self.rig)
        column.addWidget(self.below, 1)
        hands = QHBoxLayout()
        hands.setSpacing(6)
        self.turns = [
            button(WORDS[how], run=lambda h=how: self.turn(h), name=f"cells {how}") for how in TURNS
        ]
        self.swap_button = button("Exchange", run=self.swap, name="exchange units")
        for one in (*self.turns, self.swap_button):
            hands.addWidget(one)
        hands.addStretch(1)
        self.order = tick("Order of cells", "cell order")
        self.order.setChecked(True)
        self.order.toggled.connect(self._show_order)
        hands.addWidget(self.order)
        self.answers = tick("Simulated rig", "rig answers")
        self.answers.setVisible(self.rig is not None)
        self.answers.toggled.connect(self.below.setVisible)
        hands.addWidget(self.answers)
        column.addLayout(hands)
        tests = QHBoxLayout()
        tests.setSpacing(6)
        tests.addWidget(label("Test picture", "quiet"))
        self.which = choice("test picture", [(n, n.capitalize()) for n in PICTURES])
        self.which.activated.connect(lambda _: self._again())
        tests.addWidget(self.which)
        tests.addWidget(label("at", "quiet"))
        self.level = field("test level", "60 %", mono=True)
        self.level.setFixedWidth(64)
        self.level.returnPressed.connect(self._again)
        tests.addWidget(self.level)
        self.test_button = button("Show it", "primary", self.test, 30, "test grid")
        tests.addWidget(self.test_button)
        self.told = label("", "quiet")
        self.told.setObjectName("picture test")
        tests.addWidget(self.told, 1)
        column.addLayout(tests)
        return column

    # ------------------------------------------------------------ what is so

    def entered(self) -> None:
        hold_row(self.table)
        self.table.setFocus(Qt.FocusReason.OtherFocusReason)

    def refresh(self) -> None:
        self._list_views()
        rows = sorted(self.bench.show.grids, key=lambda grid: grid.number)
        self.first.show_if(not rows)
        show_rows(self.table, self.grids, rows)
        self._chosen()

    def _list_views(self) -> None:
        """Saved views of the stage count as well."""
        views = (*VIEWS, *(view.name for view in self.bench.show.views))
        if tuple(self.view.itemData(i) for i in range(self.view.count())) != views:
            here = self.view.currentData()
            self.view.clear()
            for view in views:
                self.view.addItem(SEEN.get(view, f"from {view}"), view)
            self.view.setCurrentIndex(max(0, self.view.findData(here)))

    def grid_here(self) -> PixelGrid | None:
        return row_here(self.table, self.grids)

    def _chosen(self) -> None:
        grid = self.grid_here()
        self.picture.take(grid)
        self.below.take(grid)
        size = f"{grid.width} × {grid.height}" if grid else ""
        self.title.setText(
            f"Grid {grid.number}  {grid.name}  {size}" if grid else "No grid selected"
        )
        for name, line in self.shown.items():
            line.setEnabled(grid is not None)
            if not (line.hasFocus() and line.isModified()):
                line.setText(say_shown(grid, name) if grid else "")
        if isinstance(self.bench.proving.proof, ProvePicture):
            self._again()
        self._enable()

    def _enable(self) -> None:
        grid = self.grid_here()
        mine = self._units()
        for one in self.turns:
            one.setEnabled(bool(mine))
        self.swap_button.setEnabled(len(mine) == 2)
        for one in (self.gone, self.test_button):
            one.setEnabled(grid is not None)

    def _units(self) -> list[str]:
        """The selected units that are in the grid."""
        grid = self.grid_here()
        there = {cell.unit for cell in grid.cells} if grid else set()
        return [unit for unit in self.bench.selection.ids if unit in there]

    def _show_order(self, on: bool) -> None:
        self.picture.order = on
        self.picture.update()

    # ------------------------------------------------------------ acts

    def propose(self) -> None:
        """A grid of the selected units' cells, from where they are."""
        bench = self.bench

        def run() -> None:
            if not bench.selection.ids:
                raise EntryFault("No units are selected.", do="Select those that make a picture.")
            found = propose(
                bench.show,
                bench.selection.ids,
                self.view.currentData(),
                self.true_places.isChecked(),
            )
            show, made = put_grid(bench.show, found.grid)
            bench.commit(f"propose grid {found.grid.number}", show)
            choose_row(self.table, self.grids, made)
            self.table.setFocus()
            self.table.edit(self.grids.index(self.table.currentIndex().row(), 1))
            bench.tell("ok", f"Proposed {found.in_words()}.")

        bench.guard(run)

    def remove(self) -> None:
        grid = self.grid_here()
        if grid is not None:
            left = tuple(g for g in self.bench.show.grids if g.id != grid.id)
            self.bench.commit(f"remove grid {grid.number}", replace(self.bench.show, grids=left))

    def turn(self, how: str) -> None:
        self._edit(WORDS[how].lower(), lambda grid: turn_units(grid, self._units(), how))

    def swap(self) -> None:
        self._edit("exchange units", lambda grid: swap_units(grid, *self._units()[:2]))

    def _edit(self, name: str, make: Callable[[PixelGrid], PixelGrid]) -> None:
        grid = self.grid_here()

        def run() -> None:
            assert grid is not None
            show, _ = put_grid(self.bench.show, make(grid))
            self.bench.commit(f"{name} in grid {grid.number}", show)

        if grid is not None:
            self.bench.guard(run)

    def _write_shown(self, name: str) -> None:
        grid, line = self.grid_here(), self.shown[name]
        if grid is None or not line.isModified():
            return
        line.setModified(False)

        def run() -> None:
            show, _ = put_grid(self.bench.show, read_shown(grid, name, line.text()))
            self.bench.commit(f"change {name} of grid {grid.number}", show)

        if not self.bench.guard(run):
            line.setText(say_shown(grid, name))

    def _write(self, row: Any, column: int, text: str) -> bool:
        def run() -> None:
            if column == 0:
                [number] = read_numbers(text)
                made = replace(row, number=number)
            else:
                made = replace(row, name=text)
            show, _ = put_grid(self.bench.show, made)
            self.bench.commit(f"{'renumber' if column == 0 else 'rename'} grid {row.number}", show)

        return self.bench.guard(run)

    # ------------------------------------------------------------ test pictures

    def test(self) -> None:
        """Show the picture, or end it."""
        if isinstance(self.bench.proving.proof, ProvePicture):
            self.bench.proving.end()
        else:
            self._begin()

    def _again(self) -> None:
        """What is shown is shown as it is set now."""
        proof = self.bench.proving.proof
        wanted = (self.grid_here(), self.which.currentData())
        if isinstance(proof, ProvePicture) and (
            (proof.grid, proof.picture) != wanted or self.level.isModified()
        ):
            self._begin()

    def _begin(self) -> None:
        bench, grid = self.bench, self.grid_here()
        if grid is None:
            return

        def run() -> None:
            level = read_level(self.level.text())
            self.level.setModified(False)
            bench.proving.begin(
                lambda: ProvePicture(
                    bench.show,
                    bench.levels.live,
                    time.monotonic(),
                    grid,
                    self.which.currentData(),
                    1.0 if level is None else level,
                )
            )
            if not bench.levels.sending:
                bench.tell("attention", "Output is off: nothing of it leaves the computer.")

        bench.guard(run)

    def _tested(self) -> None:
        proof = self.bench.proving.proof
        on = isinstance(proof, ProvePicture)
        self.test_button.setText("End it" if on else "Show it")
        self.told.setText(proof.words if on and proof else "")
