"""Grids: proposed from the units selected, corrected by hand, and shown test pictures."""

from __future__ import annotations

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
from isthmus.app.pages.pixels.dialogs.by_hand import ByHandDialog
from isthmus.app.pages.pixels.models.grids import GridsModel
from isthmus.app.pages.pixels.views.answered import RigBelow
from isthmus.app.pages.pixels.views.moving import MovedPicture
from isthmus.app.pages.pixels.views.picture_tests import PictureTests
from isthmus.errors import EntryFault
from isthmus.patch.numbers import read_numbers
from isthmus.pixels.grids import SHOWN, VIEWS, propose, put_grid, read_shown, say_shown
from isthmus.pixels.moved import TURNS, move_cells, size_grid, swap_units, turn_units
from isthmus.pixels.power import Power, power_of
from isthmus.pixels.ready import canvas_of
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
        self._powered: tuple[object, object, Power] = (None, None, Power(0.0, 0.0, 0))
        beside(self, self._left(), self._right())
        self.first = FirstSteps(
            self,
            "No grids yet",
            "Select units whose cells make a picture together: in the patch, on the plan, or by "
            "their numbers with Ctrl+K. Isthmus finds their grid from where they hang.",
            [
                button("Propose from selected units", "plain", self.propose, 30, "first grid"),
                button("Lay out by hand…", "plain", self.by_hand, 30, "first lay out grid"),
            ],
        )
        bind(bench.changed, self, self.refresh)
        bind(bench.selection.changed, self, self._enable)
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
        self.power = label("", "quiet")
        self.power.setObjectName("grid power")
        column.addWidget(self.power)
        column.addWidget(label("Seen", "quiet"))
        self.view = choice("grid view")
        column.addWidget(self.view)
        self.true_places = tick("At their true places", "true places")
        column.addWidget(self.true_places)
        buttons = QHBoxLayout()
        buttons.setSpacing(6)
        buttons.addWidget(button("Propose", run=self.propose, name="propose grid"))
        buttons.addWidget(button("By hand…", run=self.by_hand, name="lay out grid"))
        self.gone = button("Remove", run=self.remove, name="remove grid")
        buttons.addWidget(self.gone)
        buttons.addStretch(1)
        column.addLayout(buttons)
        return column

    def _heading(self) -> QHBoxLayout:
        """What is looked at, and how."""
        line = QHBoxLayout()
        line.setSpacing(12)
        self.title = label("", size="section", weight=600)
        line.addWidget(self.title, 1)
        self.below = RigBelow(self.bench, self.rig)
        self.single = tick("Single cells", "single cells")
        self.single.toggled.connect(self._move_single)
        self.order = tick("Order of cells", "cell order")
        self.order.setChecked(True)
        self.order.toggled.connect(self._show_order)
        self.answers = tick("Simulated rig", "rig answers")
        self.answers.setVisible(self.rig is not None)
        self.answers.toggled.connect(self.below.setVisible)
        for one in (self.single, self.order, self.answers):
            line.addWidget(one)
        return line

    def _right(self) -> QVBoxLayout:
        column = QVBoxLayout()
        column.setSpacing(6)
        column.addLayout(self._heading())
        self.picture = MovedPicture(self.bench)
        self.picture.moved.connect(self._move)
        column.addWidget(self.picture, 1)
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
        column.addLayout(hands)
        self.tests = PictureTests(self.bench)
        column.addWidget(self.tests)
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
        self.power.setText(self._power(grid) if grid else "")
        for name, line in self.shown.items():
            line.setEnabled(grid is not None)
            if not (line.hasFocus() and line.isModified()):
                line.setText(say_shown(grid, name) if grid else "")
        self.tests.take(grid)
        self._enable()

    def _power(self, grid: PixelGrid) -> str:
        live = self.bench.levels.live
        old, compiled, power = self._powered
        if old is not grid or compiled is not live.compiled:
            power = power_of(live, grid, canvas_of(live, grid))
            self._powered = grid, live.compiled, power
        return power.in_words()

    def _enable(self) -> None:
        grid = self.grid_here()
        mine = self._units()
        for one in self.turns:
            one.setEnabled(bool(mine))
        self.swap_button.setEnabled(len(mine) == 2)
        self.gone.setEnabled(grid is not None)

    def _units(self) -> list[str]:
        """The selected units that are in the grid."""
        grid = self.grid_here()
        there = {cell.unit for cell in grid.cells} if grid else set()
        return [unit for unit in self.bench.selection.ids if unit in there]

    def _show_order(self, on: bool) -> None:
        self.picture.order = on
        self.picture.update()

    def _move_single(self, on: bool) -> None:
        self.picture.single = on
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

    def by_hand(self) -> None:
        ByHandDialog(
            self.window(),
            self.bench,
            lambda made: (choose_row(self.table, self.grids, made), self.picture.setFocus()),
        ).open()

    def remove(self) -> None:
        grid = self.grid_here()
        if grid is not None:
            left = tuple(g for g in self.bench.show.grids if g.id != grid.id)
            self.bench.commit(f"remove grid {grid.number}", replace(self.bench.show, grids=left))

    def turn(self, how: str) -> None:
        self._edit(WORDS[how].lower(), lambda grid: turn_units(grid, self._units(), how))

    def swap(self) -> None:
        self._edit("exchange units", lambda grid: swap_units(grid, *self._units()[:2]))

    def _move(self, rows: set[int], across: int, down: int) -> None:
        what = "a cell" if self.single.isChecked() else "units"
        self._edit(f"move {what}", lambda grid: move_cells(grid, rows, across, down))

    def _edit(self, name: str, make: Callable[[PixelGrid], PixelGrid]) -> None:
        grid = self.grid_here()

        def run() -> None:
            assert grid is not None
            show, _ = put_grid(self.bench.show, make(grid))
            if show.grids != self.bench.show.grids:  # the edge stops what is moved
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
                made = replace(row, name=text) if column == 1 else size_grid(row, text)
            show, _ = put_grid(self.bench.show, made)
            verb = ("renumber", "rename", "size")[column]
            self.bench.commit(f"{verb} grid {row.number}", show)

        return self.bench.guard(run)
