"""The background drawing of a sheet: brought in, scaled by two points and a known length, moved,
turned, dimmed, cropped.
"""

from __future__ import annotations

import math
from pathlib import Path

from msgspec.structs import replace
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QFileDialog, QGridLayout, QSlider, QWidget

from isthmus.apart import run_apart
from isthmus.app.canvas.plan_canvas import PlanCanvas
from isthmus.app.canvas.tools import MoveUnderlay, TwoPoints
from isthmus.app.kit.dialogs import Frame, ask_text
from isthmus.app.kit.figures import figure_field, read_figure, write_figure
from isthmus.app.kit.tasks import Step, Task
from isthmus.app.kit.widgets import button, label
from isthmus.app.model.workbench import Workbench
from isthmus.errors import EntryFault
from isthmus.sheets.pictures import MAX_FILE, kind_of, take_picture
from isthmus.sheets.sheets import keep
from isthmus.sheets.underlays import scaled_by, with_picture
from isthmus.show.files import read_file
from isthmus.show.records import StoredFile, Underlay

SVG = "isthmus.app.canvas.svg_process"
CHOOSE = "Choose a drawing… (PNG, JPEG, SVG, PDF)"


class UnderlayDialog(Frame):
    """Works at once, each step an edit of its own; stays open beside the plan."""

    def __init__(self, parent: QWidget, bench: Workbench, canvas: PlanCanvas) -> None:
        super().__init__(parent, "Background drawing", "Done", lambda: True, 380)
        self.setObjectName("underlay")
        self.setModal(False)
        self.bench, self.canvas = bench, canvas
        self._task: Task | None = None
        self.finished.connect(self._stop_reading)
        self.choosing = button(CHOOSE, run=lambda: bench.guard(self.choose), name="choose underlay")
        self.body.addWidget(self.choosing)
        scale = button(
            "Scale by two points and a length", run=self._two_points, name="scale underlay"
        )
        move = button("Move by dragging", run=self._move, name="move underlay")
        self.needing: list[QWidget] = [scale, move]  # what there is to do with a drawing only
        for one in self.needing:
            self.body.addWidget(one)
        grid = QGridLayout()
        self.fields = {
            name: figure_field(f"underlay {name}", "", 80) for name in ("width", "x", "y", "turn")
        }
        for index, (name, one) in enumerate(self.fields.items()):
            words = {"width": "Width, m", "x": "Middle x", "y": "Middle y", "turn": "Turn, °"}[name]
            grid.addWidget(label(words, "quiet"), index // 2, index % 2 * 2)
            grid.addWidget(one, index // 2, index % 2 * 2 + 1)
            one.editingFinished.connect(self._typed)
        self.crops = [
            figure_field(f"underlay crop {side}", "0", 80)
            for side in ("left", "top", "right", "bottom")
        ]
        for index, (side, one) in enumerate(
            zip(("Crop left, %", "top, %", "right, %", "bottom, %"), self.crops, strict=True)
        ):
            grid.addWidget(label(side, "quiet"), 2 + index // 2, index % 2 * 2)
            grid.addWidget(one, 2 + index // 2, index % 2 * 2 + 1)
            one.editingFinished.connect(self._typed)
        self.body.addLayout(grid)
        self.light = QSlider(Qt.Orientation.Horizontal)
        self.light.setRange(5, 100)
        self.light.setAccessibleName("how strongly it shows")
        self.light.setObjectName("underlay light")
        self.light.sliderReleased.connect(self._typed)
        self.body.addWidget(label("How strongly it shows", "quiet"))
        self.body.addWidget(self.light)
        self.lock = button("Lock", run=self._lock, name="lock underlay")
        self.lock.setCheckable(True)
        self.body.addWidget(self.lock)
        remove = button(
            "Remove it",
            run=lambda: self._keep("remove background drawing", None),
            name="remove underlay",
        )
        self.body.addWidget(remove)
        self.needing.append(remove)
        self._write()

    @property
    def under(self) -> Underlay | None:
        return self.canvas.sheet.underlay

    def _write(self) -> None:
        u = self.under
        for one in (*self.fields.values(), *self.crops, self.light, self.lock, *self.needing):
            one.setEnabled(u is not None)
        if u is None:
            return
        for name, value in (
            ("width", u.width),
            ("x", u.middle[0]),
            ("y", u.middle[1]),
            ("turn", u.turn),
        ):
            self.fields[name].setText(write_figure(value))
        for one, value in zip(self.crops, u.crop, strict=True):
            one.setText(write_figure(100 * value, 0))
        self.light.setValue(round(100 * u.light))
        self.lock.setChecked(u.pinned)

    def _keep(self, name: str, made: Underlay | None) -> None:
        one = self.canvas.sheet
        self.bench.guard(
            lambda: self.bench.commit(name, keep(self.bench.show, replace(one, underlay=made)))
        )
        self._write()

    def choose(self) -> None:
        if self._task is not None:
            self._stop_reading()
            return
        kinds = "Drawings (*.png *.jpg *.jpeg *.svg *.pdf)"
        name, _ = QFileDialog.getOpenFileName(
            self, "Choose a drawing", "", kinds, options=QFileDialog.Option.DontUseNativeDialog
        )
        if name:
            self.take(Path(name))

    def take(self, path: Path) -> None:
        """Bring a drawing in. Raises FileFault."""
        if self._task is not None:
            raise EntryFault("A drawing is being read.", do="Wait for it, or stop it.")
        data = read_file(path, MAX_FILE)
        page = 1
        if kind_of(data) == "pdf":
            text = ask_text(self, "Page of the PDF", "Which page", "1")
            if text is None:
                return
            page = round(read_figure(text, "page"))

        def work(step: Step) -> tuple[StoredFile, float]:
            told = lambda: step(0.5)  # noqa: E731
            drawn = data
            if kind_of(data) == "svg":
                drawn = run_apart(SVG, data, path.name, told=told)
            return take_picture(drawn, path.name, page, told)

        task = self._task = Task(work, self)
        task.done.connect(lambda made: self.bench.guard(lambda: self._laid(path.name, made)))
        task.failed.connect(lambda error: self.bench.tell("fault", str(error)))
        task.ended.connect(self._read)
        self.choosing.setText(f"Stop reading {path.name[:40]}")
        task.start()

    def _stop_reading(self) -> None:
        if self._task is not None:
            self._task.cancel()

    def _read(self) -> None:
        self._task = None
        self.choosing.setText(CHOOSE)

    def _laid(self, name: str, made: tuple[StoredFile, float]) -> None:
        low, high = self.canvas.laid.extent()
        self.bench.commit(
            f"background drawing: {name}",
            with_picture(self.bench.show, self.canvas.sheet, *made, low, high),
        )
        self._write()

    def _typed(self) -> None:
        u = self.under
        if u is None:
            return

        def run() -> None:
            width, x, y, turn = (
                read_figure(self.fields[n].text()) for n in ("width", "x", "y", "turn")
            )
            crop = tuple(read_figure(one.text()) / 100 for one in self.crops)
            if not 0.05 <= width <= 2000:
                raise EntryFault("A drawing is 0.05 to 2000 m wide.")
            if min(crop) < 0 or crop[0] + crop[2] > 0.95 or crop[1] + crop[3] > 0.95:
                raise EntryFault(
                    "That crop leaves nothing.",
                    do="Write percent that leave something in the middle.",
                )
            left, top, right, bottom = crop
            shown = (left, top, right, bottom)
            made = replace(
                u, width=width, middle=(x, y), turn=turn, crop=shown, light=self.light.value() / 100
            )
            same = all(
                math.isclose(a, b, abs_tol=5e-3)
                for a, b in ((width, u.width), (x, u.middle[0]), (y, u.middle[1]), (turn, u.turn))
            )
            if (
                same
                and all(math.isclose(a, b, abs_tol=5e-3) for a, b in zip(crop, u.crop, strict=True))
                and math.isclose(made.light, u.light)
            ):
                return
            if u.pinned:
                raise EntryFault("The background drawing is locked.", do="Unlock it first.")
            self._keep("background drawing", made)

        if not self.bench.guard(run):
            self._write()

    def _lock(self) -> None:
        if self.under is not None:
            self._keep(
                "lock the background drawing", replace(self.under, pinned=not self.under.pinned)
            )

    def _two_points(self) -> None:
        self.canvas.set_tool(TwoPoints(self.canvas, self._scale))

    def _scale(self, a: tuple[float, float], b: tuple[float, float]) -> None:
        text = ask_text(
            self, "Known length", f"Metres between the two points (now {math.dist(a, b):.2f})", ""
        )
        u = self.under
        if text is not None and u is not None:
            self.bench.guard(
                lambda: self._keep(
                    "scale the background drawing", scaled_by(u, a, b, read_figure(text, "length"))
                )
            )

    def _move(self) -> None:
        def moved(dx: float, dy: float) -> None:
            u = self.under
            if u is not None and u.pinned:
                self.bench.tell("attention", "The background drawing is locked.")
            elif u is not None:
                self._keep(
                    "move the background drawing",
                    replace(u, middle=(u.middle[0] + dx, u.middle[1] + dy)),
                )

        self.canvas.set_tool(MoveUnderlay(self.canvas, moved))
