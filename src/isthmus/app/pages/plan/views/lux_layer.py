"""False colours of illuminance over a deck: calculated on a thread, laid over the plan, with a
legend.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QObject, QTimer
from PySide6.QtGui import QImage

from isthmus.app.canvas import drawing
from isthmus.app.canvas.plan_canvas import PlanCanvas
from isthmus.app.kit.tasks import Task
from isthmus.app.kit.theme import theme
from isthmus.app.kit.widgets import bind
from isthmus.app.model.workbench import Workbench
from isthmus.stage.landing import Surface, surfaces
from isthmus.stage.photometry import illuminance, over
from isthmus.stage.rig import Beams, Drawn
from isthmus.stage.shade import shade_of

SIDE = 120  # points along the longer side
STOPS = (0.0, 0.02, 0.1, 0.35, 0.7, 1.0)
ROLES = ("abyss", "water2", "teal", "ochre", "coral", "text")
WAIT_MS = 120


def _rgb(role: str) -> tuple[int, int, int]:
    colour = theme.color(role)
    return colour.red(), colour.green(), colour.blue()


def _coloured(shares: NDArray[np.float64]) -> QImage:
    """Shares 0…1 of the brightest, (rows, columns), as our scale: from the night over teal, ochre
    and coral to sand.
    """
    colours = np.array([_rgb(r) for r in ROLES], np.float64)
    rgb = np.stack([np.interp(shares, STOPS, colours[:, i]) for i in range(3)], axis=2)
    high, wide = shares.shape
    flat = np.ascontiguousarray(np.dstack([rgb, np.full((high, wide, 1), 255)]).astype(np.uint8))
    return QImage(flat.tobytes(), wide, high, wide * 4, QImage.Format.Format_RGBA8888).copy()


class LuxLayer(QObject):
    """Shown over whichever deck is selected, else the largest level one."""

    def __init__(self, bench: Workbench, canvas: PlanCanvas) -> None:
        super().__init__(canvas)
        self.bench, self.canvas = bench, canvas
        self.on = False
        self.words = ""
        self.top = 0.0
        self._beams: Beams | None = None
        self._deck: Surface | None = None
        self._task: Task | None = None
        self._again = False
        self._later = QTimer(self)
        self._later.setSingleShot(True)
        self._later.setInterval(WAIT_MS)
        self._later.timeout.connect(self._begin)
        for signal in (bench.changed, bench.levels.changed, bench.selection.held_changed):
            bind(signal, self, self._soon)
        bind(theme.changed, self, self._soon)  # its colours are the theme's

    def switch(self, on: bool) -> None:
        self.on = on
        if on:
            self._begin()
        else:
            self.canvas.lux = None
            self.canvas.update()

    def deck(self) -> Surface | None:
        level = [
            s for s in surfaces(self.bench.show.structures) if s.structure and s.normal[2] > 0.9
        ]
        held = [s for s in level if s.structure == self.bench.selection.structure]
        return (
            held[0]
            if held
            else max(
                level,
                key=lambda s: float(s.along @ s.along) * float(s.across @ s.across),
                default=None,
            )
        )

    def _soon(self) -> None:
        if self.on:
            self._later.start()

    def _begin(self) -> None:
        if self._task is not None:
            self._again = True
            return
        deck = self.deck()
        if not self.on or deck is None:
            self.canvas.lux = None
            self.words = "There is no deck to calculate light for."
            return
        beams, _ = self.bench.levels.view.pose(self.bench.levels.live.frame, Drawn(hide_off=False))
        long, deep = (2 * float(np.linalg.norm(v)) for v in (deck.along, deck.across))
        across, along = SIDE, max(8, min(2 * SIDE, round(SIDE * deep / long)))
        behind = shade_of(self.bench.show)
        self._task = Task(lambda step: over(beams, deck, across, along, behind), self)
        self._task.done.connect(lambda lux: self._show(lux, deck, beams))
        self._task.ended.connect(self._ended)
        self._task.start()

    def _ended(self) -> None:
        self._task = None
        if self._again:
            self._again = False
            self._begin()

    def _show(self, lux: NDArray[np.float64], deck: Surface, beams: Beams) -> None:
        if not self.on:
            return
        self._beams, self._deck = beams, deck
        self.top = max(50.0, float(np.quantile(lux, 0.985)))
        shares = np.clip(lux / self.top, 0, 1)
        self.canvas.lux = drawing.Lux(_coloured(shares[::-1]), deck, self.top)
        self.canvas.lux_colours = _coloured(np.linspace(0, 1, 90)[None])
        evenness = float(lux.min() / lux.mean()) if lux.mean() > 0 else 0.0
        self.words = f"{deck.name}: {lux.mean():.0f} lux on average, evenness {evenness:.2f}"
        self.canvas.update()
        self.canvas.hovered.emit(float("nan"), float("nan"))

    def at(self, x: float, y: float) -> float | None:
        """Lux at a point of the deck."""
        if self._beams is None or self._deck is None or not np.isfinite(x):
            return None
        point = (x, y, float(self._deck.centre[2]) + 1e-3)
        behind = shade_of(self.bench.show)
        return float(illuminance(self._beams, [point], self._deck.normal, behind)[0])

    def stop(self) -> None:
        self._later.stop()
        if self._task is not None:
            self._task.wait()
