"""Where one looks on a sheet: fitted, near to some units, zoomed and panned by hand."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

from PySide6.QtCore import QPoint, QPointF, QRectF, QSize, QTimer
from PySide6.QtWidgets import QPinchGesture

if TYPE_CHECKING:
    from isthmus.app.canvas.plan_canvas import PlanCanvas

BESIDE = 90  # px: as much as a notice or a row of figures takes that comes beside a canvas
SETTLE_MS = 70  # of rest after which the still layer is drawn again
NEAR, NEAR_EDGE = 9.0, 40.0  # metres around units that are come near to; pixels they keep clear


def _little(old: QSize, new: QSize) -> bool:
    return abs(old.width() - new.width()) < BESIDE and abs(old.height() - new.height()) < BESIDE


class Sight:
    """Moves the port of a canvas. Fitted, it stays so whatever size the canvas gets."""

    def __init__(self, canvas: PlanCanvas) -> None:
        self.canvas = canvas
        self.fitted = True
        self._bare = True  # there was nothing to fit
        self._frame = QSize(), QPoint()  # the window, and where the canvas was in it, when fitted
        self._near: list[str] = []
        self._rest = QTimer(canvas)
        self._rest.setSingleShot(True)
        self._rest.setInterval(SETTLE_MS)
        self._rest.timeout.connect(canvas.update)

    @property
    def moving(self) -> bool:
        """Whether it has moved a moment ago."""
        return self._rest.isActive()

    def fit(self, ids: list[str] | None = None) -> None:
        """Fit everything, or the given units."""
        if ids is not None:
            self.canvas.port.remember()
        self.canvas.port.fit(*self.canvas.laid.extent(ids))
        self.fitted = ids is None
        self._bare = not (self.canvas.laid.drawn or self.canvas.laid.outlines)
        self.canvas.update()

    def follow(self) -> None:
        """After an edit: fit again what has come out of sight, or what there is at last. Otherwise
        nothing moves under the hand.
        """
        corners = self.canvas.laid.extent()
        seen = QRectF(self.canvas.rect())
        if self.fitted and (self._bare or not all(seen.contains(self._px(c)) for c in corners)):
            self.fit()

    def _px(self, at: tuple[float, float]) -> QPointF:
        return self.canvas.to_px(*at)

    def near(self, ids: Sequence[str]) -> None:
        """Come near to some units and what is around them; everything, when none of them is on this
        sheet. Where they are well inside already nothing moves.
        """
        here = [unit for unit in ids if unit in self.canvas.laid.row]
        self._near = here
        if not here:
            self.fit()
            return
        low, high = self.canvas.laid.extent(here)
        inside = QRectF(self.canvas.rect()).adjusted(*(NEAR_EDGE * s for s in (1, 1, -1, -1)))
        corners = (self.canvas.to_px(*low), self.canvas.to_px(*high))
        if not self.fitted and all(inside.contains(at) for at in corners):
            return
        middle = [(a + b) / 2 for a, b in zip(low, high, strict=True)]
        half = [max((b - a) / 2, NEAR / 2) for a, b in zip(low, high, strict=True)]
        self.canvas.port.fit(
            (middle[0] - half[0], middle[1] - half[1]), (middle[0] + half[0], middle[1] + half[1])
        )
        self.fitted = False
        self.canvas.update()

    def back(self) -> None:
        if self.canvas.port.back():
            self.fitted = False
            self.canvas.update()

    def resized(self) -> None:
        port, canvas = self.canvas.port, self.canvas
        window = canvas.window()
        frame, (was, at) = (window.size(), canvas.mapTo(window, QPoint(0, 0))), self._frame
        before = QSize(port.wide, port.high)
        port.wide, port.high = max(1, canvas.width()), max(1, canvas.height())
        self._frame = frame
        if self.fitted and was == window.size() and _little(before, canvas.size()):
            # what came beside it leaves all where it is in the window
            moved = QPointF(frame[1] - at)
            grown = QPointF(port.wide - before.width(), port.high - before.height()) / 2
            port.pan(-moved.x() - grown.x(), -moved.y() - grown.y())
        elif self.fitted:
            self.fit()
        elif self._near:
            self.fitted = True  # as it is now it was for another size
            self.near(self._near)

    def zoom(self, factor: float, at: QPointF | None = None) -> None:
        self.canvas.port.zoom(
            factor, at or QPointF(self.canvas.width() / 2, self.canvas.height() / 2)
        )
        self.fitted, self._near = False, []
        self._rest.start()
        self.canvas.update()

    def pinched(self, pinch: QPinchGesture) -> None:
        """Two fingers on a touch screen: apart and together zooms about them, both moved pans."""
        at = QPointF(self.canvas.mapFromGlobal(pinch.centerPoint().toPoint()))
        self.canvas.hands.end()
        self.zoom(max(0.2, min(5.0, pinch.scaleFactor())), at)
        d = pinch.centerPoint() - pinch.lastCenterPoint()
        self.pan(d.x(), d.y())

    def pan(self, dx: float, dy: float) -> None:
        self.canvas.port.pan(dx, dy)
        self.fitted = False
        self._rest.start()
        self.canvas.update()
