"""The layer of a sheet that stands still, drawn once and kept."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import numpy as np
from PySide6.QtCore import QPointF, QRectF
from PySide6.QtGui import QImage, QPainter, QPixmap

from isthmus.app.canvas import drawing
from isthmus.app.canvas.viewport import Viewport
from isthmus.app.kit.theme import theme

if TYPE_CHECKING:
    from isthmus.app.canvas.plan_canvas import PlanCanvas


MENDED = 24  # so many units may differ for the layer to be mended rather than drawn again


class StillLayer:
    """Structures, underlay and resting units."""

    def __init__(self, canvas: PlanCanvas) -> None:
        self.canvas = canvas
        self._layer: QPixmap | None = None
        self._layer_key: tuple[tuple[Any, ...], object] | None = None
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

    def _to_mend(self, what: tuple[Any, ...], where: object) -> list[QRectF] | None:
        """Where the kept layer differs from the one wanted, when only a few units do; else None."""
        if self._layer_key is None:
            return None
        before, was = self._layer_key
        # all but the sheet as it is laid and who is faded must be the same
        if was != where or before[2:] != what[2:]:
            return None
        old, new = before[0], what[0]
        if len(old.drawn) != len(new.drawn) or old.outlines is not new.outlines:
            return None
        if old.sheet is not new.sheet or drawing.speaks(new, self.canvas.port):
            return None
        pairs = zip(old.drawn, new.drawn, strict=True)
        rows = {i for i, (a, b) in enumerate(pairs) if a is not b}
        rows |= set(np.flatnonzero((old.points != new.points).any(axis=1)).tolist())
        rows |= {new.row[u] for u in before[1] ^ what[1] if u in new.row}
        if len(rows) > MENDED:
            return None
        half = drawing.REACH
        places = [laid.px(self.canvas.port)[row] for laid in (old, new) for row in rows]
        return [QRectF(x - half, y - half, 2 * half, 2 * half) for x, y in places]

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
            and self._layer_key[0] == what
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
            how = drawing.Stillness(
                laid, port, ratio, what[1], self.canvas.names, self._underlay[1], lux
            )
            boxes = self._to_mend(what, where)
            if boxes is None or self._layer is None:
                self._layer = drawing.still(how)
            elif boxes:
                drawing.mended(self._layer, how, boxes)
            self._layer_key = (what, where)
            self._layer_port = Viewport(port.wide, port.high, port.scale, port.centre)
        p.drawPixmap(0, 0, self._layer)
