"""The window onto a sheet: metres to pixels, zooming, and the way back to where one was."""

from __future__ import annotations

from dataclasses import dataclass, field

from PySide6.QtCore import QPointF

NEAREST, FURTHEST = 900.0, 0.5  # px a metre
KEPT = 40


@dataclass
class Viewport:
    """`scale` px a metre about `centre` (metres) in the middle of `wide` by `high` px. x right, y
    up.
    """

    wide: int = 100
    high: int = 100
    scale: float = 40.0
    centre: tuple[float, float] = (0.0, 0.0)
    _before: list[tuple[float, tuple[float, float]]] = field(default_factory=list)

    def to_px(self, x: float, y: float) -> QPointF:
        return QPointF(
            self.wide / 2 + (x - self.centre[0]) * self.scale,
            self.high / 2 - (y - self.centre[1]) * self.scale,
        )

    def to_metres(self, at: QPointF) -> tuple[float, float]:
        return (at.x() - self.wide / 2) / self.scale + self.centre[0], (
            self.high / 2 - at.y()
        ) / self.scale + self.centre[1]

    def remember(self) -> None:
        """Before a jump: the way back."""
        self._before.append((self.scale, self.centre))
        del self._before[:-KEPT]

    def back(self) -> bool:
        if not self._before:
            return False
        self.scale, self.centre = self._before.pop()
        return True

    def zoom(self, factor: float, at: QPointF) -> None:
        before = self.to_metres(at)
        self.scale = max(FURTHEST, min(NEAREST, self.scale * factor))
        after = self.to_metres(at)
        self.centre = (self.centre[0] + before[0] - after[0], self.centre[1] + before[1] - after[1])

    def pan(self, dx: float, dy: float) -> None:
        """By pixels."""
        self.centre = (self.centre[0] - dx / self.scale, self.centre[1] + dy / self.scale)

    def fit(
        self,
        low: tuple[float, float],
        high: tuple[float, float],
        room: tuple[float, float] = (70.0, 76.0),
    ) -> None:
        wide, tall = max(high[0] - low[0], 2.0), max(high[1] - low[1], 2.0)
        self.centre = ((low[0] + high[0]) / 2, (low[1] + high[1]) / 2)
        self.scale = max(
            FURTHEST, min((self.wide - room[0]) / wide, (self.high - room[1]) / tall, 400.0)
        )
