"""Light and drawing: haze, room and beams as sliders; drawing settings by name, own ones, to a file
and back.
"""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

import msgspec
from PySide6.QtCore import QSignalBlocker, Qt
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QFileDialog,
    QGridLayout,
    QHBoxLayout,
    QSlider,
    QSpinBox,
    QWidget,
)

from isthmus.app.canvas.stage_drawing import StageDrawing
from isthmus.app.kit import settings
from isthmus.app.kit.dialogs import Frame
from isthmus.app.kit.theme import SIZE, font
from isthmus.app.kit.widgets import Section, bind, button, field, label
from isthmus.app.kit.widgets import choice as choice_box
from isthmus.app.model.workbench import Workbench
from isthmus.errors import EntryFault
from isthmus.patch.edits import change_units
from isthmus.plural import many
from isthmus.show.files import read_file, write_atomically
from isthmus.stage.drawing import (
    BODIES,
    CELLS,
    FALLS,
    LEVELS,
    LIGHT,
    TRIANGLES,
    checked,
    read_settings,
    write_settings,
)

HAZE = (
    ("haze", "How thick"),
    ("uneven", "How uneven"),
    ("grain", "Size of its clouds"),
    ("depth", "How deep they reach"),
    ("drift", "How fast it drifts"),
)
LIGHTS = (("room", "Room light"), ("strength", "Beams"), ("exposure", "Exposure"))
BODY_WORDS = {
    "none": "not drawn",
    "outlines": "outline boxes",
    "boxes": "boxes",
    "own": "own shapes",
    "shaped": "own shapes and meshes",
}
CELL_WORDS = {"each": "each cell", "averaged": "averaged", "pattern": "as a pattern"}
FALL_WORDS = {"none": "not at all", "gentle": "gently", "true": "truly (1/d²)"}
MAX_FILE = 1_000_000


class LookDialog(Frame):
    """Works at once; there is nothing to take or refuse."""

    def __init__(
        self, parent: QWidget, bench: Workbench, choice: StageDrawing, kept: settings.Settings
    ) -> None:
        super().__init__(parent, "Light and drawing", "Done", lambda: True, 560)
        self.setObjectName("light and drawing")
        self.setModal(False)
        self.cancel.hide()  # it works at once
        self.bench, self.choice, self.kept = bench, choice, kept
        self._named()
        self.sliders: dict[str, QSlider] = {}
        self.boxes: dict[str, QComboBox] = {}
        self.spins: dict[str, QSpinBox] = {}
        self._section("Haze", [self._slider(name, words) for name, words in HAZE])
        falls = self._box("fall", "Falls off", [(f, FALL_WORDS[f]) for f in FALLS])
        self._section("Light", [*(self._slider(name, words) for name, words in LIGHTS), falls])
        sizes = [(n, f"{n} triangles" if n else "all triangles") for n in TRIANGLES]
        exact = self._box("bodies", "Drawn", [(b, BODY_WORDS[b]) for b in BODIES])
        self._section("Bodies", [exact, self._box("triangles", "Meshes up to", sizes)])
        smooth = [(n, f"{n} samples" if n else "off") for n in (0, 2, 4)]
        self.shade = QCheckBox("shade and lit bodies")
        self.shade.setObjectName("shade")
        self.shade.setToolTip("Structures stop light, and bodies are lit by the beams they are in")
        self.shade.toggled.connect(lambda on: choice.change(shade=on))
        self._section(
            "Fast or faithful",
            [
                self._box("cells", "Cells", [(c, CELL_WORDS[c]) for c in CELLS]),
                self._spin("coarse", "Pixels a beam sample", 1, 4),
                self._box("samples", "Smoothing", smooth),
                self._spin("cap", "Frames/s at most", 1, 240),
                self._spin("hold", "Frames/s to hold", 0, 120),
                ("", self.shade),
            ],
        )
        self.spins["hold"].setSpecialValueText("off")
        self._files()
        bind(choice.changed, self, self._show)
        self._show()
        self._say_beams()

    def _named(self) -> None:
        row = QHBoxLayout()
        self.level = choice_box("drawing level")
        self.level.setToolTip("Quick, Even and Fine leave haze and light as they are.")
        self._fill()
        self.level.activated.connect(lambda _: self.choice.use(self.level.currentData()))
        row.addWidget(self.level, 1)
        self.name = field("own drawing name", hint="name of your own")
        row.addWidget(self.name)
        keep = button("Keep", run=lambda: self.bench.guard(self._keep), name="keep drawing")
        keep.setToolTip("Keep everything that is set here under this name")
        row.addWidget(keep)
        self.body.addLayout(row)

    def _section(self, title: str, pairs: Sequence[tuple[str, QWidget]]) -> None:
        """What a person asks, with what answers it, two a row."""
        self.body.addWidget(Section(title))
        grid = QGridLayout()
        grid.setColumnStretch(1, 1)
        grid.setColumnStretch(3, 1)
        grid.setColumnMinimumWidth(0, 118)
        grid.setColumnMinimumWidth(2, 136)
        for index, (words, one) in enumerate(pairs):
            if words:
                grid.addWidget(label(words, "quiet"), index // 2, index % 2 * 2)
            grid.addWidget(one, index // 2, index % 2 * 2 + 1)
        self.body.addLayout(grid)

    def _slider(self, name: str, words: str) -> tuple[str, QWidget]:
        slider = QSlider(Qt.Orientation.Horizontal)
        slider.setRange(0, round(100 * LIGHT[name]))
        slider.setObjectName(f"look {name}")
        slider.setAccessibleName(words)
        slider.valueChanged.connect(lambda v: self.choice.change(**{name: v / 100}))
        self.sliders[name] = slider
        return words, slider

    def _box(
        self, name: str, words: str, items: Sequence[tuple[object, str]]
    ) -> tuple[str, QWidget]:
        box = choice_box(name, items)
        box.setAccessibleName(words)
        box.activated.connect(lambda _: self.choice.change(**{name: box.currentData()}))
        self.boxes[name] = box
        return words, box

    def _spin(self, name: str, words: str, low: int, high: int) -> tuple[str, QWidget]:
        made = QSpinBox()
        made.setRange(low, high)
        made.setObjectName(name)
        made.setAccessibleName(words)
        made.setFont(font("table", 500, mono=True))
        made.setFixedHeight(SIZE["control"])
        made.valueChanged.connect(lambda v: self.choice.change(**{name: v}))
        self.spins[name] = made
        return words, made

    def _files(self) -> None:
        files = QHBoxLayout()
        guard = self.bench.guard
        files.addWidget(
            button("To a file…", run=lambda: guard(self._to_file), name="drawing to file")
        )
        files.addWidget(
            button("From a file…", run=lambda: guard(self._from_file), name="drawing from file")
        )
        files.addStretch(1)
        self.beam_off = button("", run=self._beams, name="beams off")
        files.addWidget(self.beam_off)
        self.body.addLayout(files)

    def _fill(self) -> None:
        self.level.clear()
        for one in self.choice.all():
            self.level.addItem(one.name, one)

    def _show(self) -> None:
        one = self.choice.now
        for name, slider in self.sliders.items():
            with QSignalBlocker(slider):
                slider.setValue(round(100 * getattr(one, name)))
        for name, box in self.boxes.items():
            with QSignalBlocker(box):
                box.setCurrentIndex(box.findData(getattr(one, name)))
        for name, spin in self.spins.items():
            with QSignalBlocker(spin):
                spin.setValue(getattr(one, name))
        with QSignalBlocker(self.shade):
            self.shade.setChecked(one.shade)
        self.boxes["triangles"].setEnabled(one.bodies == "shaped")
        self.level.setCurrentIndex(max(0, self.level.findText(one.name)))

    def _keep(self) -> None:
        name = " ".join(self.name.text().split())
        if any(d.name.lower() == name.lower() for d in LEVELS):
            raise EntryFault(f"“{name}” is one of the shipped settings.", do="Choose another name.")
        made = checked(msgspec.structs.replace(self.choice.now, name=name))
        self.kept.drawings = (
            *(d for d in self.kept.drawings if d.name.lower() != name.lower()),
            made,
        )
        settings.save(self.kept)
        self._fill()
        self.choice.use(made)

    def _to_file(self) -> None:
        name, _ = QFileDialog.getSaveFileName(
            self,
            "Export drawing settings",
            "drawing.json",
            "JSON (*.json)",
            options=QFileDialog.Option.DontUseNativeDialog,
        )
        if name:
            own = self.kept.drawings or (self.choice.now,)
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
                self.choice.use(found[0])

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
