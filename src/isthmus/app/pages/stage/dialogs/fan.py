"""Fanning a value over the ordered selection: live at once, places as a preview that is taken or
put back.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from PySide6.QtWidgets import QGridLayout, QSpinBox, QWidget

from isthmus.app.kit.dialogs import Frame
from isthmus.app.kit.figures import figure_field, read_figure, write_figure
from isthmus.app.kit.theme import SIZE, font
from isthmus.app.kit.widgets import choice, label
from isthmus.app.model.workbench import Workbench
from isthmus.errors import IsthmusError
from isthmus.layout.fan import CURVES, FAN_WAYS, fan
from isthmus.output import Live
from isthmus.output.fanning import Fannable, fan_live, fan_placed, fannables
from isthmus.plural import many
from isthmus.stage.mount import mount_of


class FanDialog(Frame):
    def __init__(self, parent: QWidget, bench: Workbench) -> None:
        super().__init__(parent, "Fan", "Apply", self._take, 460)
        self.setObjectName("fan")
        self.bench = bench
        self.ids = list(bench.selection.ids)
        self._asked = bench.levels.live.snapshot()
        self.what = choice(
            "fan what",
            [
                (f, f"{f.words}{' (live)' if f.live else ''}")
                for f in fannables(bench.levels.live, self.ids)
            ],
        )
        self.way = choice("fan way", [(w, w) for w in FAN_WAYS])
        self.curve = choice("fan curve", [(c, c) for c in CURVES])
        self.start, self.end = figure_field("fan start", 0.0, 90), figure_field("fan end", 0.0, 90)
        self.block = QSpinBox()
        self.block.setRange(1, 999)
        self.block.setObjectName("fan block")
        self.block.setAccessibleName("units that share a value")
        self.block.setFont(font("table", 500, mono=True))
        self.block.setFixedHeight(SIZE["control"])
        grid = QGridLayout()
        grid.setColumnStretch(1, 1)
        self.names = [label("From", "quiet"), label("To", "quiet")]
        rows = [
            (label("Value", "quiet"), self.what),
            (label("Direction", "quiet"), self.way),
            (self.names[0], self.start),
            (self.names[1], self.end),
            (label("Curve", "quiet"), self.curve),
            (label("Same value for every … units", "quiet"), self.block),
        ]
        for y, (name, one) in enumerate(rows):
            grid.addWidget(name, y, 0)
            grid.addWidget(one, y, 1)
        self.body.addLayout(grid)
        self.shown = label("", "quiet", wrap=True, mono=True)
        self.body.addWidget(self.shown)
        self.what.currentIndexChanged.connect(lambda _: self._other())
        for signal in (
            self.way.currentIndexChanged,
            self.curve.currentIndexChanged,
            self.block.valueChanged,
        ):
            signal.connect(lambda _: self._preview())
        for one in (self.start, self.end):
            one.textEdited.connect(lambda _: self._preview())
        self.finished.connect(lambda answer: self._end(bool(answer)))
        self._other()

    def _fannable(self) -> Fannable:
        return self.what.currentData()

    def _other(self) -> None:
        """Begin with the values the first and the last have now."""
        now = self._now(self.ids[0]), self._now(self.ids[-1])
        for one, value in zip((self.start, self.end), now, strict=True):
            one.setText(write_figure(value))
        self._preview()

    def _now(self, unit_id: str) -> float:
        what, unit = self._fannable(), self.bench.show.unit(unit_id)
        if unit is None:
            return 0.0
        if what.live:
            found = self.bench.levels.live.axis(unit_id, what.key) if what.unit == "°" else None
            return (
                found
                if found is not None
                else 100 * (self.bench.levels.live.level(unit_id, what.key) or 0.0)
            )
        if what.key in ("turn", "lean"):
            mount = mount_of(unit.rotation)
            return mount.turn if what.key == "turn" else mount.lean
        return unit.position["xyz".index(what.key)] if unit.position else 0.0

    def _values(self) -> NDArray:
        middle = self.way.currentData() == "about the middle"
        self.names[0].setText("Middle" if middle else "From")
        self.names[1].setText("To either side" if middle else "To")
        start, end = read_figure(self.start.text()), read_figure(self.end.text())
        return fan(
            len(self.ids),
            start,
            end,
            self.way.currentData(),
            self.curve.currentData(),
            self.block.value(),
        )

    def _preview(self) -> None:
        what = self._fannable()
        try:
            values = self._values()
            self.say_trouble("")
            if what.live:
                self.bench.levels.change(lambda live: self._fanned(live, what.key, values), "fan")
            else:
                fan_placed(self.bench.show, self.ids, what.key, values)
        except IsthmusError as error:
            self.say_trouble(str(error))
            return
        digits = 1 if what.unit in ("°", "%") else 2
        texts = [f"{v:.{digits}f}{what.unit}" for v in values]
        self.bench.plan.say_figures(dict(zip(self.ids, texts, strict=True)))
        shown = "  ".join(texts[:10])
        self.shown.setText(f"{shown}{'  …' if len(texts) > 10 else ''}")

    def _fanned(self, live: Live, key: str, values: NDArray[np.float64]) -> None:
        live.restore(self._asked)
        live.ask(fan_live(live, self.ids, key, values))

    def _take(self) -> bool:
        what = self._fannable()
        if what.live:
            return True
        return self.bench.guard(
            lambda: self.bench.commit(
                f"fan {what.words} over {many(len(self.ids), 'unit')}",
                fan_placed(self.bench.show, self.ids, what.key, self._values()),
            )
        )

    def _end(self, taken: bool) -> None:
        self.bench.plan.say_figures({})
        if not taken:  # live values go back to what they were
            self.bench.levels.change(lambda live: live.restore(self._asked), "fan")
