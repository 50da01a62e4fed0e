"""A grid whose units, or single cells, are moved to other places by mouse and keys."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QFocusEvent, QKeyEvent, QMouseEvent, QPainter, QPaintEvent

from isthmus.app.kit.theme import pen
from isthmus.app.model.workbench import Workbench
from isthmus.app.pages.pixels.views.grid_picture import GridPicture
from isthmus.show.records import PixelGrid

WAYS = {
    Qt.Key.Key_Left: (-1, 0),
    Qt.Key.Key_Right: (1, 0),
    Qt.Key.Key_Up: (0, -1),
    Qt.Key.Key_Down: (0, 1),
}


class MovedPicture(GridPicture):
    """`single`: one cell moves, instead of all units selected."""

    moved = Signal(set, int, int)  # rows of cells, so many places across and down

    def __init__(self, bench: Workbench) -> None:
        super().__init__(bench)
        self.single = False
        self.here = 0, 0  # the place that keys are at
        self._rows: set[int] = set()  # cells that are dragged
        self._from: QPointF | None = None
        self._by = 0, 0
        self.setAccessibleName(
            "Cells of the grid; arrows go from place to place, with Ctrl they move what is there"
        )
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)

    def take(self, grid: PixelGrid | None) -> None:
        super().take(grid)
        if grid is not None:
            self.here = min(self.here[0], grid.width - 1), min(self.here[1], grid.height - 1)

    def chosen(self) -> set[int]:
        """Rows of the cells that would move."""
        cells = self.grid.cells if self.grid else ()
        if self.single:
            return {i for i, cell in enumerate(cells) if (cell.x, cell.y) == self.here}
        held = set(self.bench.selection.ids)
        return {i for i, cell in enumerate(cells) if cell.unit in held}

    # ------------------------------------------------------------ drawn

    def draw(self, p: QPainter, event: QPaintEvent) -> None:
        p.save()
        super().draw(p, event)
        p.restore()
        if self.grid is None:
            return
        p.setBrush(Qt.BrushStyle.NoBrush)
        if self.hasFocus() or self.single:
            p.setPen(pen("text", 2))
            p.drawRect(self._place(*self.here))
        if self._by != (0, 0):
            p.setPen(pen("coral", 2))
            for row in self._rows:
                cell = self.grid.cells[row]
                p.drawRect(self._place(cell.x + self._by[0], cell.y + self._by[1]))

    def _place(self, x: int, y: int) -> QRectF:
        return self.box(x, y).adjusted(1.5, 1.5, -1.5, -1.5)

    def focusInEvent(self, event: QFocusEvent) -> None:
        super().focusInEvent(event)
        self.update()

    def focusOutEvent(self, event: QFocusEvent) -> None:
        super().focusOutEvent(event)
        self.update()

    # ------------------------------------------------------------ by mouse

    def mousePressEvent(self, event: QMouseEvent) -> None:
        at, grid = event.position(), self.grid
        if grid is None or event.button() != Qt.MouseButton.LeftButton:
            return
        size, whole = self.box(0, 0).width(), self.whole()
        if whole.contains(at):
            across, down = (at.x() - whole.left()) // size, (at.y() - whole.top()) // size
            self.here = min(int(across), grid.width - 1), min(int(down), grid.height - 1)
        control = event.modifiers() & Qt.KeyboardModifier.ControlModifier
        if control or self.unit_at(at) not in self.bench.selection.ids:
            super().mousePressEvent(event)  # of several that are selected none is dropped yet
        self._from, self._rows = at, self.chosen() if self.unit_at(at) else set()
        self.update()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._from is not None and self._rows:
            gone, size = event.position() - self._from, self.box(0, 0).width()
            self._by = round(gone.x() / size), round(gone.y() / size)
            self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        by, self._by = self._by, (0, 0)
        began, self._from = self._from, None
        if by != (0, 0):
            self.here = self._inside(*by)
            self.moved.emit(self._rows, *by)
        elif began is not None and not event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            found = self.unit_at(event.position())
            self.bench.selection.select([found] if found else [])
        self.update()

    # ------------------------------------------------------------ by keys

    def _inside(self, across: int, down: int) -> tuple[int, int]:
        grid = self.grid
        assert grid is not None
        x, y = self.here[0] + across, self.here[1] + down
        return min(max(x, 0), grid.width - 1), min(max(y, 0), grid.height - 1)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Arrows go from place to place and select what is there; with Ctrl they move it."""
        way = WAYS.get(Qt.Key(event.key()))
        if way is None or self.grid is None:
            super().keyPressEvent(event)
            return
        moves = bool(event.modifiers() & Qt.KeyboardModifier.ControlModifier)
        rows = self.chosen() if moves else set()
        self.here = self._inside(*way)
        if rows:
            self.moved.emit(rows, *way)
        elif not moves:
            found = self.unit_at(self.box(*self.here).center())
            self.bench.selection.select([found] if found else [])
        self.update()
