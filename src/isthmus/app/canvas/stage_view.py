"""The 3-D picture: asks the render process, paints what it answers, and gives the mouse to
whichever tool is in use.
"""

from __future__ import annotations

from typing import Protocol

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QEvent, QRectF, Qt, Signal
from PySide6.QtGui import (
    QContextMenuEvent,
    QHideEvent,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QResizeEvent,
    QShowEvent,
    QWheelEvent,
)
from PySide6.QtWidgets import QWidget

from isthmus.app.canvas.overlay import sign
from isthmus.app.canvas.pictures import Pictures
from isthmus.app.canvas.stage_drawing import StageDrawing
from isthmus.app.canvas.stage_hands import StageHands
from isthmus.app.canvas.stage_over import StageOver
from isthmus.app.canvas.staged import Staged
from isthmus.app.kit import paint
from isthmus.app.kit.painted import Painted
from isthmus.app.kit.theme import font, pen, theme
from isthmus.app.kit.widgets import bind
from isthmus.app.model.workbench import Workbench
from isthmus.output import RigView
from isthmus.show.records import Show, Vec3
from isthmus.stage import VIEWS, Camera
from isthmus.stage.camera import seen_from
from isthmus.stage.drawing import Drawing
from isthmus.stage.space import corners

Floats = NDArray[np.float64]
WALK = 0.6  # metres a step
EYES = 1.2  # metres above a seat


class Tool(Protocol):
    """Something a click on the stage is for, besides choosing: told the point it meets, and when it
    is dragged.
    """

    @property
    def words(self) -> str: ...

    def point(self, at: Vec3, last: bool) -> None: ...


class StageView(Painted, QWidget):
    """The widget. What is drawn comes from `staged`, pictures from `pictures`, the mouse goes to
    `hands`, and what is written over it to `over`.
    """

    tool_changed = Signal()
    menu_wanted = Signal(object)  # where on the screen

    def __init__(self, bench: Workbench, choice: StageDrawing) -> None:
        super().__init__()
        self.bench = bench
        self.camera = VIEWS["Seats"]
        self.choice = choice
        self.tool: Tool | None = None
        # units that do something else than asked: words and severity
        self.wrong: dict[str, tuple[str, str]] = {}
        self.rig_view: RigView | None = None  # None: what is sent
        self.rig_frame: NDArray[np.uint8] | None = None
        self.rig_show: Show | None = None
        self.staged = Staged(self)
        self.pictures = Pictures(self)
        self.hands = StageHands(self)
        self.over = StageOver(self)
        self.setObjectName("stage view")
        self.setAccessibleName("Stage in 3-D")
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.setAttribute(Qt.WidgetAttribute.WA_OpaquePaintEvent)
        for signal in (
            bench.selection.changed,
            bench.levels.changed,
            bench.selection.held_changed,
            bench.plan.state_changed,
            bench.plan.preview_changed,
            bench.plan.ghosts_changed,
        ):
            bind(signal, self, self.pictures.renew)
        bind(bench.changed, self, self.pictures.renew)
        for signal in (theme.changed, bench.plan.figures_changed):
            bind(signal, self, self.update)

    @property
    def drawing(self) -> Drawing:
        """How it is drawn, as it is set now."""
        return self.choice.now

    def showEvent(self, event: QShowEvent) -> None:
        self.pictures.show()

    def hideEvent(self, event: QHideEvent) -> None:
        self.pictures.hide()

    def resizeEvent(self, event: QResizeEvent) -> None:
        self.pictures.renew()  # until it comes, the last one is stretched

    # ------------------------------------------------------------ the camera

    def set_camera(self, camera: Camera) -> None:
        self.camera = camera
        self.pictures.renew()

    def project(self, points: NDArray[np.float64]) -> tuple[Floats, Floats]:
        """Pixels (n, 2) and depths (n,) in metres of points (n, 3)."""
        return self.camera.project(points, self.width(), self.height())

    def fit(self) -> None:
        """The whole rig in view, from the present side; far strays are left out."""
        space = self.staged.space()
        self.set_camera(
            self.camera.fitted(space.low, space.high, self.width() / max(self.height(), 1))
        )

    def fit_hand(self) -> None:
        view = self.staged.source()[0]
        held = self.staged.held(view)
        if held:
            points = view.rig.positions[held]
            self.set_camera(
                self.camera.fitted(
                    points.min(axis=0) - 0.8,
                    points.max(axis=0) + 0.8,
                    self.width() / max(self.height(), 1),
                )
            )

    def sit(self, at: Vec3) -> None:
        """See from a seat: the eyes of a person who sits there, looking at the middle of
        the stage.
        """
        space = self.staged.space()
        x, y, _ = space.middle
        self.set_camera(
            seen_from((at[0], at[1], at[2] + EYES), (x, y, max(1.0, space.high[2] * 0.4)))
        )

    def out_of_view(self) -> bool:
        """Whether nothing of the rig is in the picture."""
        rig = self.staged.source()[0].rig
        points = np.concatenate([rig.positions, *(corners(s) for s in rig.structures)])
        return bool(len(points)) and not self.camera.shows(points, self.width(), self.height())

    def set_tool(self, tool: Tool | None) -> None:
        """What clicks are for; None: choosing."""
        self.tool = tool
        self.tool_changed.emit()
        self.update()

    # ------------------------------------------------------------ events

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self.hands.press(event)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        self.hands.move(event)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        self.hands.release(event)

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        """By the mouse it comes on release, for a right drag moves the camera."""
        if event.reason() != QContextMenuEvent.Reason.Mouse:
            self.menu_wanted.emit(event.globalPos())

    def wheelEvent(self, event: QWheelEvent) -> None:
        self.set_camera(self.camera.nearer(0.9985 ** event.angleDelta().y()))

    def event(self, event: QEvent) -> bool:
        keys = (Qt.Key.Key_Home, Qt.Key.Key_Escape)
        if (
            event.type() == QEvent.Type.ShortcutOverride
            and isinstance(event, QKeyEvent)
            and event.key() in keys
            and not event.modifiers()
        ):
            event.accept()
            return True
        return super().event(event)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        key, shift = Qt.Key(event.key()), event.modifiers() & Qt.KeyboardModifier.ShiftModifier
        arrows = {
            Qt.Key.Key_Left: (-1, 0),
            Qt.Key.Key_Right: (1, 0),
            Qt.Key.Key_Up: (0, 1),
            Qt.Key.Key_Down: (0, -1),
        }
        if key in arrows and shift:
            right, forward = arrows[key]
            self.set_camera(self.camera.walked(forward * WALK, right * WALK, 0.0))
        elif key in arrows:
            right, up = arrows[key]
            self.set_camera(self.camera.turned(5 * right, 3 * up))
        elif key in (Qt.Key.Key_PageUp, Qt.Key.Key_PageDown):
            self.set_camera(
                self.camera.walked(0.0, 0.0, WALK if key == Qt.Key.Key_PageUp else -WALK)
            )
        elif key in (Qt.Key.Key_Plus, Qt.Key.Key_Equal, Qt.Key.Key_Minus):
            self.set_camera(self.camera.nearer(1.12 if key == Qt.Key.Key_Minus else 0.89))
        elif key == Qt.Key.Key_Home:
            self.fit()
        elif key == Qt.Key.Key_Escape and (
            self.hands.pulling.handle is not None or self.tool is not None
        ):
            self.hands.pulling.drop()
            self.set_tool(None)
            self.pictures.renew()
            self.update()
        else:
            super().keyPressEvent(event)

    # ------------------------------------------------------------ paint

    def draw(self, p: QPainter, event: QPaintEvent) -> None:
        if self.pictures.failure:
            p.fillRect(self.rect(), theme.color("water2"))
            words = (
                "Everything else works. Plan shows the same units from above; install Mesa "
                "(libegl1, libgl1-mesa-dri) to draw in 3-D."
            )
            sign(
                p,
                self.width(),
                self.height(),
                "The stage cannot be drawn here",
                f"OpenGL does not start: {self.pictures.failure}.",
                words,
            )
        elif self.pictures.image is None:
            p.fillRect(self.rect(), theme.color("abyss"))
            paint.text(
                p,
                0,
                0,
                "Preparing the stage…",
                font("body"),
                "text2",
                paint.CENTER,
                self.width(),
                self.height(),
            )
        else:
            p.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
            p.drawImage(self.rect(), self.pictures.image)
            self.over.paint(p)
        if self.bench.plan.rearranging and not self.pictures.failure:
            p.setPen(pen("coral", 2))
            p.setBrush(Qt.BrushStyle.NoBrush)
            p.drawRect(QRectF(self.rect()).adjusted(1, 1, -1, -1))
        elif self.hasFocus():
            p.setPen(pen("focus", 1.5))
            p.setBrush(Qt.BrushStyle.NoBrush)
            p.drawRect(QRectF(self.rect()).adjusted(1, 1, -1, -1))
