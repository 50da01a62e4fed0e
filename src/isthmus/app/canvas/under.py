"""What lies under the pointer on a sheet."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QPointF

from isthmus.app.canvas.tools import inside
from isthmus.show.records import Unit

if TYPE_CHECKING:
    from isthmus.app.canvas.plan_canvas import PlanCanvas

GRAB = 13  # px around a symbol that count as it


def distance(path: NDArray[np.float64], at: QPointF) -> float:
    """Pixels from a point to the nearest of a path (n, 2), taken as straight from one to the
    next.
    """
    here, a, way = np.array([at.x(), at.y()]), path[:-1], np.diff(path, axis=0)
    square = np.maximum((way * way).sum(axis=1), 1e-9)
    share = np.clip(((here - a) * way).sum(axis=1) / square, 0, 1)
    return float(np.hypot(*(a + way * share[:, None] - here).T).min())


class Under:
    """Only what a filter lets through can be met."""

    def __init__(self, canvas: PlanCanvas) -> None:
        self.canvas = canvas

    def unit(self, at: QPointF) -> Unit | None:
        """Of units one above another the one selected comes first, then the highest."""
        laid = self.canvas.laid
        if not len(laid.points):
            return None
        px = laid.px(self.canvas.port)
        away = np.hypot(px[:, 0] - at.x(), px[:, 1] - at.y())
        near = np.flatnonzero(away <= GRAB)
        if not len(near):
            return None
        held = set(self.canvas.bench.selection.ids)
        units = [
            laid.drawn[i].unit
            for i in near
            if self.canvas.shown is None or laid.drawn[i].unit.id in self.canvas.shown
        ]
        distance = {laid.drawn[i].unit.id: round(float(away[i]) / 5) for i in near}
        return min(
            units,
            key=lambda u: (
                u.id not in held,
                distance[u.id],
                -(u.position or (0, 0, 0))[2],
                u.number,
            ),
            default=None,
        )

    def structure(self, at: QPointF) -> str:
        """The structure whose line is under the pointer, thin ones before those that cover
        ground.
        """
        best, found = 9.0, ""
        for one, paths in self.canvas.laid.outlines:
            for path in paths[:1]:
                px = np.array(
                    [(p.x(), p.y()) for p in (self.canvas.port.to_px(x, y) for x, y in path.points)]
                )
                away = distance(np.vstack([px, px[:1]]), at)
                thin = one.kind not in ("hull", "deck")
                inner = thin and inside([QPointF(*p) for p in px], at.x(), at.y())
                away = min(away, 1.0) if inner else away + (0 if thin else 3)
                if away < best:
                    best, found = away, one.id
        return found

    def units_px(self) -> list[tuple[str, tuple[float, float]]]:
        px = self.canvas.laid.px(self.canvas.port)
        return [
            (d.unit.id, (float(p[0]), float(p[1])))
            for d, p in zip(self.canvas.laid.drawn, px, strict=True)
            if self.canvas.shown is None or d.unit.id in self.canvas.shown
        ]
