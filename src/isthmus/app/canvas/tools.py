"""What a press, a drag and a release on the plan are for. One tool at a time; each says in words
what it waits for.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import replace
from typing import TYPE_CHECKING

from PySide6.QtCore import QPointF, Qt

from isthmus.layout.lay import smooth_path
from isthmus.layout.laying import Laying
from isthmus.show.records import Vec3

if TYPE_CHECKING:
    from isthmus.app.canvas.plan_canvas import PlanCanvas

Metres = tuple[float, float]
TREMBLE = 4.0  # px a drawn path may tremble


class Tool:
    """Told metres of the sheet, already snapped; `free` while Alt is held, when nothing snaps."""

    words = ""
    cursor = Qt.CursorShape.CrossCursor
    snaps = True

    def __init__(self, canvas: PlanCanvas) -> None:
        self.canvas = canvas

    def press(self, at: Metres) -> None: ...
    def drag(self, at: Metres) -> None: ...
    def release(self, at: Metres) -> None: ...


class OneByOne(Tool):
    """Each click places the next of the selection."""

    def __init__(
        self, canvas: PlanCanvas, lay: Callable[[dict[str, Metres]], bool], done: Callable[[], None]
    ) -> None:
        super().__init__(canvas)
        self.ids = list(canvas.bench.selection.ids)
        self.at, self._lay, self._done = 0, lay, done

    @property
    def words(self) -> str:  # type: ignore[override]
        if self.at >= len(self.ids):
            return "All are placed."
        unit = self.canvas.bench.show.unit(self.ids[self.at])
        return f"{self.at + 1} of {len(self.ids)}: click where {unit.number if unit else '?'} goes"

    def press(self, at: Metres) -> None:
        if self.at < len(self.ids) and self._lay({self.ids[self.at]: at}):
            self.at += 1
            if self.at == len(self.ids):
                self._done()


HINTS = {
    "line": "drag from the first to the last",
    "path": "draw the path",
    "circle": "drag from the middle out to the first",
    "grid": "drag from the corner of the first to the opposite one",
}


class Shape(Tool):
    """A line, path, circle or grid by dragging; the preview is what will be."""

    def __init__(
        self, canvas: PlanCanvas, now: Callable[[], Laying], drawn: Callable[[Laying, bool], None]
    ) -> None:
        super().__init__(canvas)
        self._now, self._drawn = now, drawn
        self._start: Metres | None = None
        self._path: list[Metres] = []
        self.snaps = now().kind != "path"

    @property
    def words(self) -> str:  # type: ignore[override]
        count = len(self.canvas.bench.selection.ids)
        return f"{count} selected: {HINTS[self._now().kind]}, or type the figures"

    def press(self, at: Metres) -> None:
        self._start, self._path = at, [at]

    def drag(self, at: Metres) -> None:
        self._draw(at, False)

    def release(self, at: Metres) -> None:
        if (
            self._start is not None and math.dist(self._start, at) * self.canvas.port.scale > 4
        ) or len(self._path) > 3:
            self._draw(at, True)
        self._start = None

    def _draw(self, at: Metres, last: bool) -> None:
        if self._start is None:
            return
        now = self._now()
        if now.kind == "path":
            self._path.append(at)
            path = smooth_path(self._path, TREMBLE / self.canvas.port.scale)
            made = replace(now, path=tuple((float(x), float(y)) for x, y in path))
        elif now.kind == "circle":
            dx, dy = at[0] - self._start[0], at[1] - self._start[1]
            made = replace(
                now,
                start=self._start,
                radius=round(math.hypot(dx, dy), 2),
                angle=round(math.degrees(math.atan2(dy, dx)), 1),
            )
        else:
            made = replace(now, start=self._start, end=at, across=0.0, down=0.0)
        self._drawn(made, last)


class Pointing(Tool):
    """Hands points of the stage to something that aims: `rest` gives what the sheet does
    not show.
    """

    snaps = False

    def __init__(
        self,
        canvas: PlanCanvas,
        target: Callable[[Vec3, bool], None],
        words: Callable[[], str],
        rest: Callable[[], Vec3],
    ) -> None:
        super().__init__(canvas)
        self._target, self._words, self._rest = target, words, rest

    @property
    def words(self) -> str:  # type: ignore[override]
        kind = self.canvas.sheet.kind
        if kind == "free":
            return (
                "A free sheet has no place in the venue: aim on the plan, an elevation or the stage"
            )
        depth = {
            "front": f", {self._rest()[1]:.2f} m upstage",
            "side": f", {self._rest()[0]:.2f} m across",
        }.get(kind, "")
        return self._words() + depth

    def _tell(self, at: Metres, last: bool) -> None:
        kind = self.canvas.sheet.kind
        x, y, _ = self._rest()
        if kind == "plan":
            self._target((*at, self.canvas.level_at(at)), last)
        elif kind == "front":
            self._target((at[0], y, at[1]), last)
        elif kind == "side":
            self._target((x, at[0], at[1]), last)

    def press(self, at: Metres) -> None:
        self._tell(at, False)

    def drag(self, at: Metres) -> None:
        self._tell(at, False)

    def release(self, at: Metres) -> None:
        self._tell(at, True)


class TwoPoints(Tool):
    """Two clicks on the underlay, between which a length is known."""

    snaps = False

    def __init__(self, canvas: PlanCanvas, done: Callable[[Metres, Metres], None]) -> None:
        super().__init__(canvas)
        self._done = done
        self._first: Metres | None = None

    @property
    def words(self) -> str:  # type: ignore[override]
        return (
            "Click the first of two points whose distance you know"
            if self._first is None
            else "Click the second point"
        )

    def press(self, at: Metres) -> None:
        if self._first is None:
            self._first = at
        else:
            first, self._first = self._first, None
            self.canvas.set_tool(None)
            self._done(first, at)


class MoveUnderlay(Tool):
    """Drags the underlay about."""

    snaps = False
    words = "Drag the background drawing; Escape ends it"

    def __init__(self, canvas: PlanCanvas, move: Callable[[float, float], None]) -> None:
        super().__init__(canvas)
        self._move = move
        self._start: Metres | None = None

    def press(self, at: Metres) -> None:
        self._start = at

    def release(self, at: Metres) -> None:
        if self._start is not None:
            self._move(at[0] - self._start[0], at[1] - self._start[1])
        self._start = None


def inside(polygon: list[QPointF], x: float, y: float) -> bool:
    """Whether a point lies in a lasso (even–odd rule)."""
    found = False
    for a, b in zip(polygon, polygon[1:] + polygon[:1], strict=True):
        if (a.y() > y) != (b.y() > y) and x < (b.x() - a.x()) * (y - a.y()) / (
            b.y() - a.y()
        ) + a.x():
            found = not found
    return found
