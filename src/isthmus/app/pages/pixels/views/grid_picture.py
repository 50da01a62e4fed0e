"""A grid as it hangs: its cells with the light they give now, units outlined with their numbers,
and the order of the cells as a line.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QEvent, QPointF, QRectF, Qt
from PySide6.QtGui import (
    QColor,
    QHelpEvent,
    QImage,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QPolygonF,
)
from PySide6.QtWidgets import QToolTip, QWidget

from isthmus.app.kit import paint
from isthmus.app.kit.painted import Painted
from isthmus.app.kit.theme import font, pen, theme
from isthmus.app.kit.widgets import bind, plain_tip
from isthmus.app.model.workbench import Workbench
from isthmus.pixels.grids import places_of
from isthmus.pixels.ready import middles
from isthmus.profiles.colour import encode_srgb
from isthmus.show.records import PixelGrid

PAD, LARGEST = 16, 64.0  # pixels: around a grid, and of a cell
LINED = 5.0  # a cell that large has lines around it
Codes = NDArray[np.uint8]
Place = tuple[int, int, int]  # group of the rig, row of the unit, beam


@dataclass(frozen=True, eq=False)
class Outline:
    """The cells of a unit and their middles (n, 2), in places."""

    cells: tuple[int, ...]
    middles: np.ndarray

    @property
    def low(self) -> list[float]:
        return (self.middles.min(axis=0) - 0.5).tolist()

    @property
    def high(self) -> list[float]:
        return (self.middles.max(axis=0) + 0.5).tolist()


def screen_codes(light: np.ndarray) -> Codes:
    """Linear light (n, 3), 0…1, as bytes of a screen."""
    return (255 * encode_srgb(np.asarray(light, np.float64)) + 0.5).astype(np.uint8)


class GridPicture(Painted, QWidget):
    pad = PAD  # pixels around the grid

    def __init__(self, bench: Workbench) -> None:
        super().__init__()
        self.bench = bench
        self.grid: PixelGrid | None = None
        self.order, self.numbered = True, True
        self.in_one_line = False  # the order of all cells, not of those of each unit
        self._of: tuple[object, object] = (None, None)
        self._places: list[Place | None] = []
        self._outlined: tuple[PixelGrid | None, dict[str, Outline]] = (None, {})
        self._middles = np.zeros((0, 2))
        self.setObjectName("grid picture")
        self.setAccessibleName("Cells of the grid; a click selects their unit")
        self.setMinimumSize(200, 160)
        for signal in (bench.levels.changed, bench.selection.changed, theme.changed):
            bind(signal, self, self.update)

    def take(self, grid: PixelGrid | None) -> None:
        if grid != self.grid:
            self.grid = grid
            self.update()

    # ------------------------------------------------------------ where and what

    def box(self, x: float, y: float) -> QRectF:
        """Where a place of the grid is drawn."""
        grid = self.grid or PixelGrid(id="", number=1)
        room = min(
            *(
                (self.width() - 2 * self.pad) / grid.width,
                (self.height() - 2 * self.pad) / grid.height,
            ),
            LARGEST,
        )
        left = (self.width() - room * grid.width) / 2
        top = (self.height() - room * grid.height) / 2
        return QRectF(left + x * room, top + y * room, room, room)

    def _find(self) -> None:
        """Which beam of the rig each cell is."""
        view = self.bench.levels.view
        if self._of == (self.grid, view) or self.grid is None:
            return
        self._of = self.grid, view
        rows = {
            unit.id: (g, row)
            for g, group in enumerate(view.rig.groups)
            for row, unit in enumerate(group.units)
        }
        self._places = []
        for cell in self.grid.cells:
            at = rows.get(cell.unit)
            beams = view.rig.groups[at[0]].program.assembly.beams if at else ()
            beam = next((i for i, b in enumerate(beams) if b.cell == cell.cell), None)
            self._places.append(None if at is None or beam is None else (*at, beam))

    def colours(self) -> Codes:
        """What each cell shows of what is sent (n, 3), as a screen has it; the brightest of all is
        full.
        """
        self._find()
        states = self.bench.levels.view.states(self.bench.levels.live.frame)
        rgb = np.array(
            [(0, 0, 0) if p is None else states[p[0]].rgb[p[1], p[2]] for p in self._places], float
        ).reshape(-1, 3)
        return screen_codes(rgb / max(float(rgb.max(initial=0.0)), 1e-9))

    # ------------------------------------------------------------ drawn

    def _outlines(self) -> dict[str, Outline]:
        """Its units; worked out once for each grid."""
        grid = self.grid
        if grid is not self._outlined[0]:
            found: dict[str, list[int]] = {}
            for at, cell in enumerate(grid.cells if grid else ()):
                found.setdefault(cell.unit, []).append(at)
            self._middles = middles(grid) if grid else np.zeros((0, 2))
            made = {u: Outline(tuple(mine), self._middles[mine]) for u, mine in found.items()}
            self._outlined = grid, made
        return self._outlined[1]

    def draw(self, p: QPainter, event: QPaintEvent) -> None:
        p.fillRect(self.rect(), theme.color("abyss"))
        grid = self.grid
        if grid is None:
            return
        outlines = self._outlines()
        self._cells(p, grid)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        numbers = {u.id: u.number for u in self.bench.show.units}
        chosen = set(self.bench.selection.ids)
        for unit, outline in outlines.items():
            self._unit(p, outline, str(numbers.get(unit, "gone")), unit in chosen)
        if self.in_one_line:
            self._order(p, self._middles)

    def _cells(self, p: QPainter, grid: PixelGrid) -> None:
        """As one small picture drawn large; cells on no lattice one by one."""
        whole = self.whole()
        size = whole.width() / grid.width
        codes = self.colours()
        if any(cell.at for cell in grid.cells):
            for (x, y), code in zip(self._middles, codes.tolist(), strict=True):
                p.fillRect(self.box(x - 0.5, y - 0.5).adjusted(1, 1, -1, -1), QColor(*code))
        else:
            picture = np.zeros((grid.height, grid.width, 4), np.uint8)
            x, y = places_of(grid)
            picture[y, x, :3], picture[y, x, 3] = codes, 255
            data = picture.tobytes()
            form = QImage.Format.Format_RGBA8888
            p.drawImage(whole, QImage(data, grid.width, grid.height, 4 * grid.width, form))
            if size >= LINED:
                p.setPen(pen("abyss", 2))
                for x in range(grid.width + 1):
                    at = whole.left() + x * size
                    p.drawLine(QPointF(at, whole.top()), QPointF(at, whole.bottom()))
                for y in range(grid.height + 1):
                    at = whole.top() + y * size
                    p.drawLine(QPointF(whole.left(), at), QPointF(whole.right(), at))
        p.setPen(pen("line"))
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.drawRect(whole)

    def whole(self) -> QRectF:
        """Where the grid is drawn."""
        one, grid = self.box(0, 0), self.grid
        assert grid is not None
        return QRectF(one.left(), one.top(), one.width() * grid.width, one.height() * grid.height)

    def _unit(self, p: QPainter, of: Outline, number: str, chosen: bool) -> None:
        (left, top), (right, bottom) = of.low, of.high
        outline = self.box(left, top).united(self.box(right - 1, bottom - 1))
        size = self.box(0, 0).width()
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.setPen(pen("coral" if chosen else "line_strong", 2 if chosen else 1.2))
        p.drawRect(outline.adjusted(0.5, 0.5, -0.5, -0.5))
        if self.order and not self.in_one_line and size >= LINED:
            self._order(p, of.middles)
        if not self.numbered:
            return
        words = font("caption", 600, mono=True)
        wide = 7.0 * len(number) + 6
        if outline.width() > wide + 4 and outline.height() > 18:
            tag = QRectF(outline.left() + 2, outline.top() + 2, wide, 14)
            p.fillRect(tag, theme.color("shelf"))
            paint.text(p, tag.left() + 3, tag.top(), number, words, "text", height=14)

    def _order(self, p: QPainter, places: np.ndarray) -> None:
        """How cells (n, 2) follow each other, and where they begin."""
        corner, size, line = self.box(0, 0).topLeft(), self.box(0, 0).width(), theme.color("coral")
        points = [QPointF(corner.x() + x * size, corner.y() + y * size) for x, y in places.tolist()]
        p.setPen(QPen(line, 1.2))
        if len(points) > 1:
            p.drawPolyline(QPolygonF(points))
        p.setBrush(line)
        p.setPen(pen("abyss", 1))
        radius = min(5.0, max(2.0, size / 6))
        if points:
            p.drawEllipse(points[0], radius, radius)

    # ------------------------------------------------------------ by mouse

    def event(self, event: QEvent) -> bool:
        """The pointer tells which cell it is over."""
        if isinstance(event, QHelpEvent):
            words = self.words_at(QPointF(event.pos()))
            QToolTip.showText(event.globalPos(), plain_tip(words), self)
            return True
        return super().event(event)

    def words_at(self, at: QPointF) -> str:
        """Unit, cell and place under a point; "" beside the grid."""
        cells = self.grid.cells if self.grid else ()
        here = [c for c in cells if self.box(c.x, c.y).contains(at)]
        told = []
        for cell in here:
            unit = self.bench.show.unit(cell.unit)
            who = f"{unit.number} {unit.name}" if unit else "A unit that is gone"
            which = f", cell {cell.cell}" if cell.cell else ""
            told.append(f"{who}{which}: column {cell.x + 1}, row {cell.y + 1}")
        return "\n".join(told)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """A click selects the unit of a cell, with Ctrl it is added or deselected."""
        found = self.unit_at(event.position())
        held = list(self.bench.selection.ids)
        if event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            if found:
                more = [u for u in held if u != found]
                self.bench.selection.select(more if found in held else [*held, found])
        else:
            self.bench.selection.select([found] if found else [])

    def unit_at(self, at: QPointF) -> str:
        cells = self.grid.cells if self.grid else ()
        return next((c.unit for c in cells if self.box(c.x, c.y).contains(at)), "")
