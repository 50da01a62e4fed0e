"""Light and drawing: haze, room and beams as sliders; drawing settings by name, own ones, to a file
and back.
"""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import msgspec
from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QCheckBox,
    QFileDialog,
    QGridLayout,
    QHBoxLayout,
    QSlider,
    QSpinBox,
    QWidget,
)

from isthmus.app.canvas.stage_view import StageView
from isthmus.app.kit import settings
from isthmus.app.kit.dialogs import Frame
from isthmus.app.kit.theme import SIZE, font
from isthmus.app.kit.widgets import Section, button, choice, field, label
from isthmus.app.model.workbench import Workbench
from isthmus.errors import EntryFault
from isthmus.patch.edits import change_units
from isthmus.plural import many
from isthmus.show.container import read_file, write_atomically
from isthmus.stage.drawing import (
    BODIES,
    CELLS,
    FALLS,
    LEVELS,
    Drawing,
    checked,
    read_settings,
    write_settings,
)

SLIDERS = (
    ("haze", "Haze", 200),
    ("uneven", "Unevenness", 100),
    ("grain", "Grain", 300),
    ("depth", "Depth", 200),
    ("drift", "Drift", 300),
    ("room", "Room light", 200),
    ("strength", "Beams", 200),
)
MAX_FILE = 1_000_000


class LookDialog(Frame):
    """Works at once; there is nothing to take or refuse."""

    def __init__(
        self, parent: QWidget, bench: Workbench, views: list[StageView], kept: settings.Settings
    ) -> None:
        super().__init__(parent, "Light and drawing", "Done", lambda: True, 520)
        self.setObjectName("light and drawing")
        self.setModal(False)
        self.bench, self.views, self.kept = bench, views, kept
        view = views[0]
        self.body.addWidget(Section("Light"))
        grid = QGridLayout()
        self.sliders: dict[str, QSlider] = {}
        for index, (name, words, most) in enumerate(SLIDERS):
            slider = QSlider(Qt.Orientation.Horizontal)
            slider.setRange(0, most)
            slider.setValue(round(100 * getattr(view.look, name)))
            slider.setObjectName(f"look {name}")
            slider.setAccessibleName(words)
            slider.valueChanged.connect(lambda v, n=name: self._look(n, v / 100))
            grid.addWidget(label(words, "quiet"), index // 2, index % 2 * 2)
            grid.addWidget(slider, index // 2, index % 2 * 2 + 1)
            self.sliders[name] = slider
        self.body.addLayout(grid)
        self.body.addWidget(Section("Drawing"))
        row = QHBoxLayout()
        self.level = choice("drawing level")
        self._fill()
        row.addWidget(self.level, 1)
        self.name = field("own drawing name", hint="name of your own")
        row.addWidget(self.name)
        row.addWidget(button("Keep", run=lambda: bench.guard(self._keep), name="keep drawing"))
        self.body.addLayout(row)
        form = QGridLayout()
        self.bodies = choice(
            "bodies",
            [(b, {"boxes": "as boxes", "shaped": "shaped, with meshes"}[b]) for b in BODIES],
        )
        self.cells = choice(
            "cells",
            [
                (c, {"each": "each cell", "averaged": "averaged", "pattern": "as a pattern"}[c])
                for c in CELLS
            ],
        )
        self.fall = choice(
            "fall",
            [
                (f, {"none": "not at all", "gentle": "gently", "true": "truly (1/d²)"}[f])
                for f in FALLS
            ],
        )
        self.coarse, self.samples = (
            _spin("beam resolution", 1, 4),
            choice("smoothing", [(s, "off" if not s else f"{s} samples") for s in (0, 2, 4)]),
        )
        self.cap, self.hold = _spin("frame cap", 1, 240), _spin("hold", 0, 120)
        self.uneven = QCheckBox("uneven haze")
        self.uneven.setObjectName("uneven haze")
        self.hold.setSpecialValueText("off")
        pairs = (
            ("Bodies", self.bodies),
            ("Cells", self.cells),
            ("Light falls off", self.fall),
            ("Pixels a beam sample", self.coarse),
            ("Smoothing", self.samples),
            ("Frames/s at most", self.cap),
            ("Frames/s to hold", self.hold),
            ("", self.uneven),
        )
        for index, (words, one) in enumerate(pairs):
            form.addWidget(label(words, "quiet"), index // 2, index % 2 * 2)
            form.addWidget(one, index // 2, index % 2 * 2 + 1)
        self.body.addLayout(form)
        files = QHBoxLayout()
        files.addWidget(
            button("To a file…", run=lambda: bench.guard(self._to_file), name="drawing to file")
        )
        files.addWidget(
            button(
                "From a file…", run=lambda: bench.guard(self._from_file), name="drawing from file"
            )
        )
        files.addStretch(1)
        self.beam_off = button("", run=self._beams, name="beams off")
        files.addWidget(self.beam_off)
        self.body.addLayout(files)
        self._show(view.drawing)
        self.level.activated.connect(lambda _: self._use(self.level.currentData()))
        for box in (self.bodies, self.cells, self.fall, self.samples):
            box.activated.connect(lambda _: self._changed())
        for spin in (self.coarse, self.cap, self.hold):
            spin.valueChanged.connect(lambda _: self._changed())
        self.uneven.toggled.connect(lambda _: self._changed())
        self._say_beams()

    def _all(self) -> list[Drawing]:
        return [*LEVELS, *self.kept.drawings]

    def _fill(self) -> None:
        self.level.clear()
        for one in self._all():
            self.level.addItem(one.name, one)

    def _look(self, name: str, value: float) -> None:
        for view in self.views:
            view.look = replace(view.look, **{name: value})
            view.pictures.renew()

    def _show(self, one: Drawing) -> None:
        widgets = (
            self.bodies,
            self.cells,
            self.fall,
            self.samples,
            self.coarse,
            self.cap,
            self.hold,
            self.uneven,
        )
        for widget in widgets:
            widget.blockSignals(True)
        for box, value in (
            (self.bodies, one.bodies),
            (self.cells, one.cells),
            (self.fall, one.fall),
            (self.samples, one.samples),
        ):
            box.setCurrentIndex(box.findData(value))
        for spin, value in ((self.coarse, one.coarse), (self.cap, one.cap), (self.hold, one.hold)):
            spin.setValue(value)
        self.uneven.setChecked(one.uneven)
        for widget in widgets:
            widget.blockSignals(False)
        at = next((i for i, d in enumerate(self._all()) if d.name == one.name), 0)
        self.level.setCurrentIndex(at)

    def _now(self, name: str) -> Drawing:
        return Drawing(
            name=name,
            bodies=self.bodies.currentData(),
            cells=self.cells.currentData(),
            fall=self.fall.currentData(),
            samples=self.samples.currentData(),
            coarse=self.coarse.value(),
            cap=self.cap.value(),
            hold=self.hold.value(),
            uneven=self.uneven.isChecked(),
        )

    def _changed(self) -> None:
        self._draw(self._now(self.views[0].drawing.name))

    def _use(self, one: Drawing) -> None:
        self._draw(one)
        self._show(one)

    def _draw(self, one: Drawing) -> None:
        for view in self.views:
            view.drawing = one
            view.pictures.renew()
        self.kept.drawing = one.name

    def _keep(self) -> None:
        name = " ".join(self.name.text().split())
        if any(d.name.lower() == name.lower() for d in LEVELS):
            raise EntryFault(f"“{name}” is one of the shipped settings.", do="Choose another name.")
        made = checked(self._now(name))
        self.kept.drawings = (
            *(d for d in self.kept.drawings if d.name.lower() != name.lower()),
            made,
        )
        settings.save(self.kept)
        self._fill()
        self._use(made)

    def _to_file(self) -> None:
        name, _ = QFileDialog.getSaveFileName(
            self,
            "Export drawing settings",
            "drawing.json",
            "JSON (*.json)",
            options=QFileDialog.Option.DontUseNativeDialog,
        )
        if name:
            own = self.kept.drawings or (
                msgspec.structs.replace(self._now("Mine"), name=self.views[0].drawing.name),
            )
            write_atomically(Path(name), write_settings(own))

    def _from_file(self) -> None:
        name, _ = QFileDialog.getOpenFileName(
            self,
            "Import drawing settings",
            "",
            "JSON (*.json)",
            options=QFileDialog.Option.DontUseNativeDialog,
        )
        if name:
            found = read_settings(read_file(Path(name), MAX_FILE), Path(name).name)
            shipped = {d.name.lower() for d in LEVELS}
            fresh = {d.name.lower(): d for d in found if d.name.lower() not in shipped}
            self.kept.drawings = (
                *(d for d in self.kept.drawings if d.name.lower() not in fresh),
                *fresh.values(),
            )
            settings.save(self.kept)
            self._fill()
            if found:
                self._use(found[0])

    def _say_beams(self) -> None:
        units = self.bench.selection.units()
        self.beam_off.setEnabled(bool(units))
        on = any(u.beam_off for u in units)
        self.beam_off.setText(
            f"{'Draw' if on else 'Do not draw'} the beams of the {len(units)} selected"
            if units
            else "Beams of the selected units"
        )

    def _beams(self) -> None:
        units = self.bench.selection.units()
        off = not any(u.beam_off for u in units)
        show = change_units(
            self.bench.show,
            {u.id for u in units},
            lambda u: msgspec.structs.replace(u, beam_off=off),
        )
        self.bench.guard(
            lambda: self.bench.commit(
                f"{'do not draw' if off else 'draw'} the beams of {many(len(units), 'unit')}", show
            )
        )
        self._say_beams()


def _spin(name: str, low: int, high: int) -> QSpinBox:
    made = QSpinBox()
    made.setRange(low, high)
    made.setObjectName(name)
    made.setAccessibleName(name)
    made.setFont(font("table", 500, mono=True))
    made.setFixedHeight(SIZE["control"])
    return made
