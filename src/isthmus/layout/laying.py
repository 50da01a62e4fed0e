"""A way of laying units out, with all its figures: drawn or typed, it is the same thing."""

from __future__ import annotations

import math
from dataclasses import dataclass

from isthmus.errors import EntryFault
from isthmus.layout import lay

KINDS = ("line", "path", "circle", "grid")


@dataclass(frozen=True)
class Laying:
    """Metres and degrees. line: start to end, or from start at a spacing towards the end. path:
    even by length, or at a spacing. circle: centre at `start`, from `angle` over `sweep`. grid:
    corner to corner, or at spacings from `start`.
    """

    kind: str
    start: lay.Point = (0.0, 0.0)
    end: lay.Point = (0.0, 0.0)
    path: tuple[lay.Point, ...] = ()
    spacing: float = 0.0
    across: float = 0.0
    down: float = 0.0
    radius: float = 2.0
    angle: float = 90.0
    sweep: float = 360.0
    columns: int = 4
    by_columns: bool = False
    serpentine: bool = False
    closed: bool = False

    def places(self, count: int) -> lay.Array:
        """(count, 2). Raises EntryFault for figures that make no places."""
        if not 1 <= count <= 100_000:
            raise EntryFault("There are no units to lay out.", do="Choose some first.")
        if self.kind == "line" and self.spacing:
            away = math.degrees(
                math.atan2(self.end[1] - self.start[1], self.end[0] - self.start[0])
            )
            return lay.line_spaced(count, self.start, self.spacing, away)
        if self.kind == "line":
            if count > 1 and math.dist(self.start, self.end) < lay.SMALLEST:
                raise EntryFault(
                    "That line has no length.", do="Draw it longer, or type another end."
                )
            return lay.line(count, self.start, self.end)
        if self.kind == "path":
            return lay.along_path(self.path, count, self.spacing, self.closed)[0]
        if self.kind == "circle":
            return lay.circle(count, self.start, self.radius, self.angle, self.sweep)
        if self.across or self.down:
            return lay.grid(
                count,
                self.start,
                self.across,
                self.down,
                self.columns,
                self.by_columns,
                self.serpentine,
            )
        return lay.grid_between(
            count, self.start, self.end, self.columns, self.by_columns, self.serpentine
        )
