"""A grid laid out by hand: how its cells follow each other, seen before it is made."""

from __future__ import annotations

from collections.abc import Callable

from msgspec.structs import replace
from PySide6.QtWidgets import QCheckBox, QComboBox, QGridLayout, QWidget

from isthmus.app.kit.dialogs import Frame
from isthmus.app.kit.widgets import choice, field, label, tick, units_field
from isthmus.app.model.workbench import Workbench
from isthmus.app.pages.pixels.views.grid_picture import GridPicture
from isthmus.errors import EntryFault, IsthmusError
from isthmus.patch.choose import complete, read_choice
from isthmus.patch.numbers import write_numbers
from isthmus.pixels.by_hand import STARTS, Run, cells_of, lay_out
from isthmus.pixels.grids import next_number, put_grid, read_size
from isthmus.plural import many
from isthmus.show.records import PixelGrid

BY = (("cells", "Cell by cell"), ("panels", "Whole units, as panels"))


class _RunFields:
    """Where a run begins and how it goes on."""

    def __init__(self, name: str, changed: Callable[[], None]) -> None:
        self.start: QComboBox = choice(f"{name} start", [(s, s.capitalize()) for s in STARTS])
        ways = [("rows", "row by row"), ("columns", "column by column")]
        self.way: QComboBox = choice(f"{name} way", ways)
        self.back: QCheckBox = tick("Back and forth", f"{name} back and forth")
        self.start.activated.connect(lambda _: changed())
        self.way.activated.connect(lambda _: changed())
        self.back.toggled.connect(lambda _: changed())

    def run(self) -> Run:
        columns = self.way.currentData() == "columns"
        return Run(self.start.currentData(), columns, self.back.isChecked())

    def widgets(self) -> tuple[QWidget, ...]:
        return self.start, self.way, self.back


class ByHandDialog(Frame):
    def __init__(
        self, parent: QWidget, bench: Workbench, made: Callable[[str], object] = lambda _: None
    ) -> None:
        """`made` is told the id of the grid."""
        super().__init__(parent, "Lay out a grid by hand", "Make the grid", self._take, 760)
        self.setObjectName("grid by hand")
        self.bench, self._made = bench, made
        self._grid: PixelGrid | None = None
        mine = set(bench.selection.ids)
        numbers = write_numbers([u.number for u in bench.show.units if u.id in mine])
        self.units = units_field("cells of", "101-110", lambda text: complete(bench.show, text))
        self.units.setText(numbers)
        self.name = field("grid name")
        self.by = choice("cells or panels", BY)
        self.across = field("across", mono=True)
        self.panel = field("panel size", mono=True)
        self.outer = _RunFields("run", self._show)
        self.inner = _RunFields("panel", self._show)
        table = QGridLayout()
        table.setHorizontalSpacing(10)
        table.setVerticalSpacing(6)
        for row, line in enumerate(
            (
                ("Units", self.units, "Name", self.name),
                ("Laid", self.by, "In each line", self.across),
                ("Beginning", *self.outer.widgets()),
                ("Columns and rows of a panel", self.panel),
                ("Within a panel", *self.inner.widgets()),
            )
        ):
            for column, item in enumerate(line):
                words = label(item, "quiet") if isinstance(item, str) else item
                table.addWidget(words, row, column)
        table.setColumnStretch(1, 2)
        table.setColumnStretch(3, 1)
        self.body.addLayout(table)
        self.picture = GridPicture(bench)
        self.picture.in_one_line = True
        self.picture.setMinimumHeight(280)
        self.body.addWidget(self.picture, 1)
        self.said = label("", "quiet")
        self.body.addWidget(self.said)
        self.by.activated.connect(lambda _: (self._suggest(), self._show()))
        self.units.textChanged.connect(lambda _: (self._suggest(), self._show()))
        for one in (self.across, self.panel):
            one.textEdited.connect(lambda _: self._show())
        self._suggest()
        self._show()
        self.units.setFocus()

    def _suggest(self) -> None:
        """What is likely: a line for each unit; panels nearly square, in nearly a square."""
        cells = self._cells()
        first = len(next(iter(cells.values()), ()))
        panels = self.by.currentData() == "panels"
        if panels:
            wide = next(
                (w for w in range(first, 0, -1) if first % w == 0 and w * w <= 2 * first), 1
            )
            self.panel.setText(f"{wide} x {first // wide if wide else 0}")
            self.across.setText(str(max(1, round(len(cells) ** 0.5))))
        else:
            self.across.setText(str(first if first > 1 else max(1, len(cells))))
        for one in (self.panel, *self.inner.widgets()):
            one.setEnabled(panels)

    def _cells(self) -> dict[str, list[int]]:
        try:
            ids = read_choice(self.bench.show, self.units.text()).ids
            return cells_of(self.bench.levels.live, ids)
        except IsthmusError:
            return {}

    def _show(self) -> None:
        """The grid as it would be, or what is wrong with what was typed."""
        try:
            self._grid = self._read()
            self.say_trouble("")
            grid = self._grid
            cells = many(len(grid.cells), "cell")
            left = grid.width * grid.height - len(grid.cells)
            empty = f", {many(left, 'place')} left empty" if left else ""
            self.said.setText(f"{grid.width} × {grid.height}, {cells}{empty}. A dot: the first.")
        except IsthmusError as error:
            self._grid = None
            self.say_trouble(str(error))
            self.said.setText("")
        self.picture.take(self._grid)
        self.picture.update()

    def _read(self) -> PixelGrid:
        show = self.bench.show
        try:
            across = int(self.across.text())
        except ValueError:
            raise EntryFault(f"“{self.across.text()}” is not a number.") from None
        panel = read_size(self.panel.text()) if self.by.currentData() == "panels" else None
        ids = read_choice(show, self.units.text()).ids
        return lay_out(
            self.bench.levels.live, ids, across, self.outer.run(), panel, self.inner.run()
        )

    def _take(self) -> bool:
        grid = self._grid
        if grid is None:
            return False
        bench = self.bench
        try:
            number = next_number(bench.show)
            show, made = put_grid(bench.show, replace(grid, number=number, name=self.name.text()))
        except IsthmusError as error:
            self.say_trouble(str(error))
            return False
        bench.commit(f"lay out grid {number} by hand", show)
        self._made(made)
        return True
