"""Laying the selected units out: one by one, a line, a path, a circle, a grid; drawn or by figures,
before or after.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

from PySide6.QtWidgets import QCheckBox, QHBoxLayout, QLineEdit, QWidget

from isthmus.app.canvas.plan_canvas import PlanCanvas
from isthmus.app.canvas.tools import OneByOne, Shape
from isthmus.app.kit.figures import figure_field, read_figure, write_figure
from isthmus.app.kit.widgets import bind, button, choice, column_of, label, tick
from isthmus.app.model.workbench import Workbench
from isthmus.errors import EntryFault, IsthmusError
from isthmus.layout.choose import in_order
from isthmus.layout.facing import FACINGS, faced, ways
from isthmus.layout.laying import Laying
from isthmus.plural import many
from isthmus.show.records import Show

WORDS = {"one": "One by one", "line": "Line", "path": "Path", "circle": "Circle", "grid": "Grid"}
FIELDS = {
    "one": (),
    "line": ("from x", "from y", "to x", "to y", "every"),
    "path": ("every",),
    "circle": ("middle x", "middle y", "radius", "from °", "over °"),
    "grid": ("from x", "from y", "in a row", "across", "down"),
}
CHECKS = {"path": ("closed",), "grid": ("by columns", "serpentine")}


class PlaceBar(QWidget):
    """Shown while rearranging. A shape drawn fills the figures; figures changed lay the same units
    again.
    """

    def __init__(self, bench: Workbench, canvas: PlanCanvas) -> None:
        super().__init__()
        self.bench, self.canvas = bench, canvas
        self.laying = Laying("line")
        self.kind = ""
        column = column_of(self, 4)
        column.setContentsMargins(0, 0, 0, 6)
        row = QHBoxLayout()
        row.setSpacing(4)
        column.addLayout(row)
        self.kinds = {}
        for kind, words in WORDS.items():
            made = button(words, "quiet", lambda k=kind: self.begin(k), name=f"place {kind}")
            made.setCheckable(True)
            self.kinds[kind] = made
            row.addWidget(made)
        self.order = choice("placing order", [("hand", "as selected"), ("number", "by number")])
        row.addWidget(self.order)
        self.facing = choice("turn when placing", list(FACINGS.items()))
        self.facing.setToolTip(
            "How units are turned as they are placed: their fronts to the centre of what is drawn "
            "or away from it, or their long sides along it"
        )
        row.addWidget(self.facing)
        self.hang = tick(
            "hang on structures",
            "place hang",
            "Units hang on the structure above or below where they are laid, however high it is. "
            "Without it, only on one about as high, or one that is their hang position.",
            "caption",
        )
        row.addWidget(self.hang)
        row.addStretch(1)
        self.figures = QWidget()
        column.addWidget(self.figures)
        row = QHBoxLayout(self.figures)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(6)
        self.fields: dict[str, QLineEdit] = {}
        self.names = {}
        for name in dict.fromkeys(n for names in FIELDS.values() for n in names):
            self.names[name] = label(name, "quiet", "caption")
            self.fields[name] = figure_field(f"place {name}", "", 62)
            self.fields[name].returnPressed.connect(self.by_figures)
            row.addWidget(self.names[name])
            row.addWidget(self.fields[name])
        self.checks: dict[str, QCheckBox] = {}
        for name in ("closed", "by columns", "serpentine"):
            made = tick(name, f"place {name}", size="caption")
            made.toggled.connect(lambda _: self._ticked())
            self.checks[name] = made
            row.addWidget(made)
        self.go = button("Place", run=self.by_figures, name="place now")
        row.addWidget(self.go)
        row.addStretch(1)
        bind(bench.selection.changed, self, self._other_hand)
        bind(canvas.tool_changed, self, self._other_tool)
        self._show("")

    # ------------------------------------------------------------ choosing a way

    def begin(self, kind: str) -> None:
        """Choose a method of placing, or end it when it is selected already."""
        if kind == self.kind or not self.bench.selection.ids:
            if not self.bench.selection.ids:
                self.bench.tell(
                    "attention",
                    "No units are selected. Select those to be placed, in the order they "
                    "will have.",
                )
            self.end()
            return
        self.kind = kind
        self._show(kind)
        if kind == "one":
            self.canvas.set_tool(OneByOne(self.canvas, self._lay_some, self.end))
            return
        self.laying = replace(self._start(kind), kind=kind)
        self._write()
        self.canvas.set_tool(Shape(self.canvas, self._now, self._drawn))

    def end(self) -> None:
        self.kind = ""
        self._show("")
        self.canvas.set_tool(None)

    def _start(self, kind: str) -> Laying:
        """Figures to begin with: where the selected units are now."""
        x, y = self.canvas.port.centre
        rows = [
            self.canvas.laid.points[self.canvas.laid.row[i]]
            for i in self.bench.selection.ids
            if i in self.canvas.laid.row
        ]
        start = (
            (round(float(rows[0][0]), 2), round(float(rows[0][1]), 2))
            if rows
            else (round(x - 2, 1), round(y, 1))
        )
        end = (
            (round(float(rows[-1][0]), 2), round(float(rows[-1][1]), 2))
            if len(rows) > 1
            else (start[0] + 4, start[1])
        )
        if kind == "circle":
            return Laying(kind, start=(round(x, 1), round(y, 1)), radius=2.0)
        if kind == "grid":
            return Laying(
                kind,
                start=start,
                across=1.0,
                down=1.0,
                columns=max(1, round(len(self.bench.selection.ids) ** 0.5)),
            )
        return Laying(kind, start=start, end=end)

    def _show(self, kind: str) -> None:
        for name, made in self.kinds.items():
            made.setChecked(name == kind)
        wanted = FIELDS.get(kind, ())
        for name, made in self.fields.items():
            made.setVisible(name in wanted)
            self.names[name].setVisible(name in wanted)
        for name, check in self.checks.items():
            check.setVisible(name in CHECKS.get(kind, ()))
        plan = self.canvas.sheet.kind == "plan"
        self.facing.setVisible(kind in FIELDS and kind != "one" and plan)
        self.hang.setVisible(bool(kind) and self.canvas.sheet.kind == "plan")
        self.figures.setVisible(bool(wanted))

    # ------------------------------------------------------------ figures

    def _write(self) -> None:
        n = self.laying
        values = {
            "from x": n.start[0],
            "from y": n.start[1],
            "to x": n.end[0],
            "to y": n.end[1],
            "middle x": n.start[0],
            "middle y": n.start[1],
            "radius": n.radius,
            "from °": n.angle,
            "over °": n.sweep,
            "across": n.across,
            "down": n.down,
        }
        for name, value in values.items():
            self.fields[name].setText(write_figure(value).rstrip("0").rstrip(".") if value else "0")
        self.fields["every"].setText(write_figure(n.spacing) if n.spacing else "")
        self.fields["every"].setPlaceholderText("even")
        self.fields["in a row"].setText(str(n.columns))

    def _read(self) -> Laying:
        """Raises EntryFault."""

        def get(name: str) -> float:
            return read_figure(self.fields[name].text(), "figure")

        checks = {"closed": self.checks["closed"].isChecked()}
        now = replace(
            self.laying,
            by_columns=self.checks["by columns"].isChecked(),
            serpentine=self.checks["serpentine"].isChecked(),
            closed=checks["closed"],
        )
        every = self.fields["every"].text().strip()
        if now.kind in ("line", "path"):
            now = replace(now, spacing=read_figure(every, "spacing") if every else 0.0)
            if now.spacing < 0:
                raise EntryFault("A spacing goes forwards.", do="Swap the ends of the line.")
        if now.kind == "line":
            return replace(
                now, start=(get("from x"), get("from y")), end=(get("to x"), get("to y"))
            )
        if now.kind == "circle":
            middle = (get("middle x"), get("middle y"))
            return replace(
                now, start=middle, radius=get("radius"), angle=get("from °"), sweep=get("over °")
            )
        if now.kind == "grid":
            columns = get("in a row")
            if columns != round(columns) or columns < 1:
                raise EntryFault(f"“{self.fields['in a row'].text()}” is not a number of units.")
            across, down = get("across"), get("down")
            return replace(
                now,
                start=(get("from x"), get("from y")),
                across=across,
                down=down,
                columns=round(columns),
            )
        return now

    def _now(self) -> Laying:
        """What is typed, as far as it reads: a shape drawn takes its other figures from there."""
        try:
            return self._read()
        except IsthmusError:
            return self.laying

    def _ticked(self) -> None:
        try:
            self.laying = self._read()
        except IsthmusError:
            return

    def by_figures(self) -> None:
        def run() -> None:
            self.laying = self._read()
            self._place(self.laying, typed=True)

        self.bench.guard(run)

    # ------------------------------------------------------------ placing

    def ids(self) -> list[str]:
        ids = list(self.bench.selection.ids)
        return (
            in_order(self.bench.show, ids, "by number")
            if self.order.currentData() == "number"
            else ids
        )

    def _drawn(self, made: Laying, last: bool) -> None:
        ids = self.ids()
        try:
            places = made.places(len(ids))
        except IsthmusError as error:
            self.canvas.wrong = str(error)
            self.canvas.update()
            return
        self.canvas.wrong = ""
        if last:
            if made.kind == "grid":  # what was drawn as a box becomes figures
                rows = -(-len(ids) // made.columns)
                wide, high = (rows, made.columns) if made.by_columns else (made.columns, rows)
                across = (made.end[0] - made.start[0]) / max(wide - 1, 1)
                made = replace(
                    made,
                    across=round(across, 3),
                    down=round((made.start[1] - made.end[1]) / max(high - 1, 1), 3),
                )
            self.laying = made
            self._write()
            self.canvas.preview = {}
            self.bench.guard(lambda: self._place(made))
        else:
            self.canvas.preview = {
                u: (float(x), float(y)) for u, (x, y) in zip(ids, places, strict=True)
            }
        self.canvas.update()

    def _place(self, made: Laying, typed: bool = False) -> None:
        """What is typed is kept to the figure; what is drawn hangs on the structure it lies on."""
        ids = self.ids()
        places = made.places(len(ids))
        facing = str(self.facing.currentData()) if self.canvas.sheet.kind == "plan" else ""

        def turn(show: Show) -> Show:
            return faced(show, ids, ways(made, len(ids), facing), facing) if facing else show

        self._lay_some(
            {u: (float(x), float(y)) for u, (x, y) in zip(ids, places, strict=True)}, typed, turn
        )

    def _lay_some(
        self,
        places: dict[str, tuple[float, float]],
        typed: bool = False,
        then: Callable[[Show], Show] = lambda show: show,
    ) -> bool:
        words = WORDS[self.kind].lower() if self.kind else "place"
        what = many(len(places), "unit") if len(places) != 1 else "1 unit"
        asked = self.hang.isChecked() and self.canvas.sheet.kind == "plan"
        return self.canvas.lay(f"place {what}: {words}", places, not typed, asked, then)

    def _other_tool(self) -> None:
        """Something else is in use now, or nothing: Escape, or aiming."""
        if self.kind and not isinstance(self.canvas.tool, (OneByOne, Shape)):
            self.kind = ""
            self._show("")

    def _other_hand(self) -> None:
        """Another selection is placed by its own figures."""
        if self.kind == "one" or (self.kind and not self.bench.selection.ids):
            self.end()
