"""The layer of a sheet that stands still, drawn once and kept."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QPointF, QRectF
from PySide6.QtGui import QImage, QPainter, QPixmap

from isthmus.app.canvas import drawing
from isthmus.app.canvas.viewport import Viewport
from isthmus.app.kit.theme import theme

if TYPE_CHECKING:
    from isthmus.app.canvas.plan_canvas import PlanCanvas


class StillLayer:
    """Structures, underlay and resting units."""

    def __init__(self, canvas: PlanCanvas) -> None:
        self.canvas = canvas
        self._layer: QPixmap | None = None
        self._layer_key: object = None
        self._layer_port = Viewport()
        self._underlay: tuple[object, QImage | None] = (None, None)

    def _faded(self) -> set[str]:
        """Who is not in the still layer: filtered out, or on the move."""
        moving = set(self.canvas.preview) | (
            set(self.canvas.bench.selection.ids) if self.canvas.hands.dragged else set()
        )
        if self.canvas.shown is None:
            return moving
        return moving | {
            d.unit.id for d in self.canvas.laid.drawn if d.unit.id not in self.canvas.shown
        }

    def paint(self, p: QPainter) -> None:
        """The layer of what stands still: drawn again when one has come to rest, until then moved
        and stretched.
        """
        port, laid, ratio = self.canvas.port, self.canvas.laid, self.canvas.devicePixelRatioF()
        lux = self.canvas.lux if self.canvas.sheet.kind == "plan" else None
        what = (
            laid,
            frozenset(self._faded()),
            theme.name,
            self.canvas.names,
            port.wide,
            port.high,
            ratio,
            id(lux),
        )
        where = (port.scale, port.centre)
        if (
            self._layer is not None
            and self.canvas.sight.moving
            and self._layer_key is not None
            and self._layer_key[0] == what  # type: ignore[index]
        ):
            old = self._layer_port
            p.fillRect(self.canvas.rect(), theme.color("water2"))
            stretch = port.scale / old.scale
            corner = port.to_px(*old.to_metres(QPointF(0, 0)))
            p.drawPixmap(
                QRectF(corner.x(), corner.y(), old.wide * stretch, old.high * stretch),
                self._layer,
                QRectF(self._layer.rect()),
            )
            return
        if self._layer is None or self._layer_key != (what, where):
            under = self.canvas.sheet.underlay
            if self._underlay[0] is not under:
                self._underlay = (
                    under,
                    drawing.underlay_image(self.canvas.bench.show, self.canvas.sheet),
                )
            self._layer = drawing.still(
                laid, port, ratio, what[1], self.canvas.names, self._underlay[1], lux
            )
            self._layer_key = (what, where)
            self._layer_port = Viewport(port.wide, port.high, port.scale, port.centre)
        p.drawPixmap(0, 0, self._layer)
