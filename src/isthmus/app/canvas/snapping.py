"""Where the pointer means: drawn to units in line, to structures and to steps."""

from __future__ import annotations

import itertools
from typing import TYPE_CHECKING

import numpy as np
from PySide6.QtCore import QPointF, Qt

from isthmus.layout.snap import Guide, snap
from isthmus.sheets.sheets import AXES
from isthmus.stage.runs import world_run

if TYPE_CHECKING:
    from isthmus.app.canvas.plan_canvas import PlanCanvas

REACH = 7.0  # px within which things snap
NUDGE = 0.05  # metres a step


class Snapping:
    """`guides` are the lines that say what the last point was drawn to."""

    def __init__(self, canvas: PlanCanvas) -> None:
        self.canvas = canvas
        self.guides: tuple[Guide, ...] = ()

    def _others(self) -> np.ndarray:
        held = set(self.canvas.bench.selection.ids)
        return np.array(
            [
                p
                for d, p in zip(self.canvas.laid.drawn, self.canvas.laid.points, strict=True)
                if d.unit.id not in held
            ]
        ).reshape(-1, 2)

    def _segments(self) -> np.ndarray:
        """Runs of structures on this sheet, (m, 2, 2) metres."""
        one = self.canvas.sheet
        if one.kind == "free":
            return np.zeros((0, 2, 2))
        axes = list(AXES[one.kind])
        found = []
        for s in self.canvas.bench.show.structures:
            if s.kind not in ("hull", "deck", "mesh", "wall"):
                path = world_run(s)[:, axes]
                found += [
                    np.stack([a, b])
                    for a, b in itertools.pairwise(path)
                    if np.hypot(*(b - a)) > 0.05
                ]
        return np.array(found).reshape(-1, 2, 2)

    def point(self, at: QPointF, modifiers: Qt.KeyboardModifier) -> tuple[float, float]:
        """The point meant: drawn to what is near, unless Alt is held or the tool does not
        want it.
        """
        x, y = self.canvas.port.to_metres(at)
        self.guides = ()
        if modifiers & Qt.KeyboardModifier.AltModifier or (
            self.canvas.tool is not None and not self.canvas.tool.snaps
        ):
            return x, y
        made = snap((x, y), REACH / self.canvas.port.scale, self._others(), self._segments(), NUDGE)
        self.guides = made.guides
        if made.guides:
            return made.point
        return round(x / NUDGE) * NUDGE, round(y / NUDGE) * NUDGE

    def shift(self, at: QPointF, modifiers: Qt.KeyboardModifier) -> tuple[float, float]:
        """How far the drag leads: in steps, drawn to others in line; Shift keeps to one direction;
        Alt is free.
        """
        assert self.canvas.hands.pressed is not None
        d = at - self.canvas.hands.pressed
        dx, dy = d.x() / self.canvas.port.scale, -d.y() / self.canvas.port.scale
        self.guides = ()
        straight = modifiers & Qt.KeyboardModifier.ShiftModifier
        if straight:
            dx, dy = (dx, 0.0) if abs(dx) > abs(dy) else (0.0, dy)
        if modifiers & Qt.KeyboardModifier.AltModifier:
            return dx, dy
        dx, dy = round(dx / NUDGE) * NUDGE, round(dy / NUDGE) * NUDGE
        if straight or self.canvas.hands.grabbed not in self.canvas.laid.row:
            return dx, dy
        x, y = (
            float(v)
            for v in self.canvas.laid.points[self.canvas.laid.row[self.canvas.hands.grabbed]]
        )
        made = snap(
            (x + dx, y + dy), REACH / self.canvas.port.scale, self._others(), self._segments()
        )
        self.guides = made.guides
        return (made.point[0] - x, made.point[1] - y) if made.guides else (dx, dy)
