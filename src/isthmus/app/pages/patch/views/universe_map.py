"""All universes as one picture: a row each, zoomed from everything down to single slots with
attribute and value.

Wheel scrolls, Ctrl+wheel zooms where the pointer is; a span is dragged to another address, and what
that would mean is seen before it is released.
"""

from __future__ import annotations

import itertools
from dataclasses import dataclass

from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QResizeEvent, QWheelEvent
from PySide6.QtWidgets import QAbstractScrollArea, QFrame, QToolTip

from isthmus.app.kit import paint
from isthmus.app.kit.painted import Painted
from isthmus.app.kit.theme import font, pen, theme
from isthmus.app.kit.widgets import bind_seen, plain_tip
from isthmus.app.model.workbench import Workbench
from isthmus.errors import EntryFault
from isthmus.patch.addresses import Placing, place
from isthmus.patch.index import EMPTY, free_runs, index_of
from isthmus.patch.spans import Span
from isthmus.profiles import chart
from isthmus.profiles.attributes import plain
from isthmus.profiles.chart import ChartChannel
from isthmus.profiles.natural import range_in_force, write_level
from isthmus.routes import goes_to, routed, universes_known
from isthmus.show import write_address
from isthmus.show.records import SLOTS, Patched

LEFT = 60
LEAST, MOST = 1.0, 56.0  # pixels a slot
WRITTEN = 26.0  # from here on slots are written out


@dataclass
class Drag:
    """A span on its way: the slot it was taken at, where it would go, and what that would mean."""

    span: Span
    offset: int
    spot: tuple[int, int]
    placing: Placing | None = None
    fault: str = ""


class UniverseMap(Painted, QAbstractScrollArea):
    zoomed = Signal()

    def __init__(self, bench: Workbench) -> None:
        super().__init__()
        self.bench = bench
        self.scale = LEAST
        self.fitted = True  # as wide as there is room for
        self.row = 24  # pixels
        self.drag: Drag | None = None
        self._pressed: tuple[QPointF, Span] | None = None
        self.setObjectName("universe map")
        self.setAccessibleName("All universes")
        self.setFrameShape(QFrame.Shape.NoFrame)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.viewport().setMouseTracking(True)
        self.viewport().setAttribute(
            Qt.WidgetAttribute.WA_OpaquePaintEvent
        )  # so that scrolling moves what is painted
        bind_seen(bench.changed, self, self.reload)
        bench.selection.changed.connect(self._follow)
        bench.levels.changed.connect(self._relight)
        theme.changed.connect(self.viewport().update)
        self.reload()

    # ------------------------------------------------------------ geometry

    def _row_height(self) -> int:
        if self.scale >= WRITTEN:
            return 54
        room = (self.viewport().height() - 8) // max(1, len(self.known))
        return min(44, max(24 if self.scale < 3 else 30, room))

    def reload(self) -> None:
        self.index = index_of(self.bench.show)
        self.known = universes_known(self.bench.show) or [1]
        self._at = {universe: row for row, universe in enumerate(self.known)}
        self._lead = routed(self.bench.show)
        self._size()

    def resizeEvent(self, event: QResizeEvent) -> None:
        self._size()

    def _size(self) -> None:
        width, height = self.viewport().width(), self.viewport().height()
        if self.fitted:
            self.scale = max(LEAST, (width - LEFT - 4) / SLOTS)
        self.row = self._row_height()
        self.horizontalScrollBar().setRange(0, max(0, int(LEFT + SLOTS * self.scale) - width))
        self.horizontalScrollBar().setPageStep(width)
        self.verticalScrollBar().setRange(0, max(0, len(self.known) * self.row + 8 - height))
        self.verticalScrollBar().setPageStep(height)
        self.verticalScrollBar().setSingleStep(self.row)
        self.viewport().update()

    def scrollContentsBy(self, dx: int, dy: int) -> None:
        if dx or self.drag:
            self.viewport().update()
        else:
            self.viewport().scroll(0, dy)

    def x_of(self, address: float) -> float:
        return LEFT + (address - 1) * self.scale - self.horizontalScrollBar().value()

    def spot_at(self, at: QPointF) -> tuple[int, int] | None:
        row = int((at.y() + self.verticalScrollBar().value() - 4) // self.row)
        address = int((at.x() + self.horizontalScrollBar().value() - LEFT) // self.scale) + 1
        return (
            (self.known[row], address)
            if 0 <= row < len(self.known) and 1 <= address <= SLOTS and at.x() >= LEFT
            else None
        )

    def rect_of(self, universe: int, start: int, length: int) -> QRectF:
        y = self._at[universe] * self.row + 4 - self.verticalScrollBar().value()
        return QRectF(self.x_of(start), y + 4, length * self.scale, self.row - 8)

    def span_at(self, at: QPointF) -> Span | None:
        spot = self.spot_at(at)
        hits = (
            [s for s in self.index.universe(spot[0]).spans if s.start <= spot[1] <= s.end]
            if spot
            else []
        )
        return hits[-1] if hits else None

    def zoom(self, by: float, at: QPointF | None = None) -> None:
        """Zoom about a point; below the smallest scale the whole width is fitted again."""
        at = at or QPointF(self.viewport().width() / 2, self.viewport().height() / 2)
        address = (at.x() + self.horizontalScrollBar().value() - LEFT) / self.scale
        line = (at.y() + self.verticalScrollBar().value()) / self.row
        wanted = self.scale * by
        fit = max(LEAST, (self.viewport().width() - LEFT - 4) / SLOTS)
        self.fitted = wanted <= fit * 1.01
        self.scale = fit if self.fitted else min(MOST, wanted)
        self._size()
        self.horizontalScrollBar().setValue(int(address * self.scale + LEFT - at.x()))
        self.verticalScrollBar().setValue(int(line * self.row - at.y()))
        self.zoomed.emit()

    def go_to(self, universe: int, address: int = 1) -> None:
        if universe in self.known:
            self.verticalScrollBar().setValue(
                self.known.index(universe) * self.row - self.viewport().height() // 3
            )
            self.horizontalScrollBar().setValue(
                int((address - 1) * self.scale - self.viewport().width() / 3)
            )

    def _follow(self) -> None:
        units = self.bench.selection.units()
        if units and units[0].patch and not self._pressed and self.isVisible():
            spot = units[0].patch[0]
            if spot.universe in self.known and not self.viewport().rect().intersects(
                self.rect_of(spot.universe, spot.address, 1).toRect()
            ):
                self.go_to(spot.universe, spot.address)
        self.viewport().update()

    def _relight(self) -> None:
        if self.isVisible():
            self.viewport().update()

    # ------------------------------------------------------------ hands

    def wheelEvent(self, event: QWheelEvent) -> None:
        if event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            self.zoom(1.25 if event.angleDelta().y() > 0 else 0.8, event.position())
        elif event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
            self.horizontalScrollBar().setValue(
                self.horizontalScrollBar().value() - event.angleDelta().y()
            )
        else:
            self.verticalScrollBar().setValue(
                self.verticalScrollBar().value() - event.angleDelta().y() // 2
            )

    def mousePressEvent(self, event: QMouseEvent) -> None:
        span = self.span_at(event.position())
        if event.button() != Qt.MouseButton.LeftButton or span is None:
            return
        self._pressed = (event.position(), span)
        if event.modifiers() & (
            Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier
        ):
            self.bench.selection.toggle(span.unit)
        elif span.unit not in self.bench.selection.ids:
            self.bench.selection.select([span.unit])

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        at = event.position()
        if self._pressed is None:
            QToolTip.showText(event.globalPosition().toPoint(), plain_tip(self.words_at(at)), self)
            return
        start, span = self._pressed
        if self.drag is None and (at - start).manhattanLength() > 6:
            from_spot = self.spot_at(start)
            self.drag = Drag(
                span,
                (from_spot[1] if from_spot else span.start) - span.start,
                (span.universe, span.start),
            )
        spot = self.spot_at(at)
        if self.drag and spot:
            address = max(1, min(SLOTS - self.drag.span.length + 1, spot[1] - self.drag.offset))
            self._try((spot[0], address))

    def _try(self, spot: tuple[int, int]) -> None:
        """See what the dragged span would mean there."""
        drag = self.drag
        if drag is None or (drag.spot == spot and drag.placing):
            return
        drag.spot = spot
        unit = self.index.by_id[drag.span.unit]
        spots = [
            spot
            if p.block == drag.span.block
            and p.address == drag.span.start
            and p.universe == drag.span.universe
            else (p.universe, p.address)
            for p in unit.patch
        ]
        together = len(unit.patch) > 1 and _in_a_row(unit.patch, self.index.spans[unit.id])
        try:
            drag.placing, drag.fault = (
                place(self.bench.show, {unit.id: [spot] if together else spots}),
                "",
            )
        except EntryFault as fault:
            drag.placing, drag.fault = None, str(fault)
        self.viewport().update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        drag, self.drag, self._pressed = self.drag, None, None
        self.viewport().update()
        if drag is None:
            return
        if drag.fault:
            self.bench.tell("attention", drag.fault)
        elif drag.placing and drag.spot != (drag.span.universe, drag.span.start):
            name = f"move {drag.span.number} to {write_address(*drag.spot)}"
            self.bench.place(name, drag.placing)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Escape and self.drag:
            self.drag = self._pressed = None
            self.viewport().update()
        elif event.text() in ("+", "="):
            self.zoom(1.4)
        elif event.text() in ("-", "−"):
            self.zoom(0.7)
        else:
            super().keyPressEvent(event)

    def words_at(self, at: QPointF) -> str:
        """Everything there is to know of a slot."""
        spot, span = self.spot_at(at), self.span_at(at)
        if spot is None:
            row = int((at.y() + self.verticalScrollBar().value() - 4) // self.row)
            if at.x() >= LEFT or not 0 <= row < len(self.known):
                return ""
            wire = goes_to(self.bench.show, self.known[row])
            return (
                f"Universe {self.known[row]} goes out as {wire}."
                if wire
                else f"Universe {self.known[row]} has no output."
            )
        if span is None:
            runs = index_of(self.bench.show).universe(spot[0])
            free = [r for r in free_runs(runs.taken) if r[0] <= spot[1] <= r[1]]
            kept = " It is kept as room." if runs.kept >> (spot[1] - 1) & 1 else ""
            return (
                f"{write_address(*spot)} is free: {free[0][1] - free[0][0] + 1} slots from "
                f"{free[0][0]:03d} to {free[0][1]:03d}.{kept}"
                if free
                else ""
            )
        unit = self.index.by_id[span.unit]
        words = [
            f"{unit.number} {unit.name}",
            f"{write_address(span.universe, span.start)} to {span.end:03d}, {span.length} slots",
        ]
        item = self.channel_at(span, spot[1])
        if item is not None:
            level = self.bench.levels.live.sent_level(unit.id, item.attribute, item.cell) or 0.0
            cell = f" of cell {unit.number}.{item.cell}" if item.cell else ""
            words.append(
                f"{write_address(*spot)}: {plain(item.attribute)}{cell}, "
                f"{write_level(item, level)} {range_in_force(item, level)}".rstrip()
            )
        others = [
            s.number
            for s in self.index.universe(spot[0]).spans
            if s is not span and s.start <= spot[1] <= s.end
        ]
        words += [f"also claimed by {', '.join(map(str, others))}"] if others else []
        words += [unit.hangs_on] if unit.hangs_on else []
        words += ["address locked"] if unit.locked else []
        return "\n".join(words)

    def channel_at(self, span: Span, address: int) -> ChartChannel | None:
        mode = self.index.profiles.mode_of(self.index.by_id[span.unit])
        offset = (span.block, address - span.start + 1)
        return next((c for c in chart(*mode).channels if offset in c.slots), None) if mode else None

    # ------------------------------------------------------------ paint

    def draw(self, p: QPainter, event: QPaintEvent) -> None:
        p.fillRect(event.rect(), theme.color("deep"))
        top = self.verticalScrollBar().value() - 4
        first = max(0, (top + event.rect().top()) // self.row)
        last = min(len(self.known), (top + event.rect().bottom()) // self.row + 1)
        lit = self.bench.levels.live.lit()
        low = int(self.horizontalScrollBar().value() / self.scale) + 1
        high = min(SLOTS, low + int(self.viewport().width() / self.scale) + 1)
        for number in self.known[first:last]:
            self._paint_row(p, number, low, high, lit)
        if self.drag:
            self._paint_drag(p)

    def _paint_row(
        self, p: QPainter, number: int, low: int, high: int, lit: dict[str, float]
    ) -> None:
        universe = self.index.universes.get(number, EMPTY)
        ground = self.rect_of(number, 1, SLOTS)
        p.setClipRect(QRectF(LEFT, ground.y() - 4, self.viewport().width() - LEFT, self.row))
        p.fillRect(ground, theme.color("water2"))
        for a, b in free_runs(universe.taken | universe.kept):
            if a <= high and b >= low and (b - a + 1) * self.scale > 54:
                left, right = (
                    max(self.x_of(a), LEFT),
                    min(self.x_of(b + 1), self.viewport().width()),
                )
                if right - left > 54:
                    words = f"{b - a + 1} free"
                    paint.text(
                        p,
                        left,
                        ground.y(),
                        words,
                        font("tick", mono=True),
                        "text3",
                        paint.CENTER,
                        right - left,
                        ground.height(),
                    )
        for at, span in enumerate(universe.spans):
            if span.end >= low and span.start <= high:
                self._paint_span(p, span, at, lit)
        for clash in universe.clashes:
            r = self.rect_of(number, clash.first, clash.last - clash.first + 1)
            p.fillRect(r, theme.color("deep"))
            p.setPen(pen("fault", 1.6))
            p.setBrush(Qt.BrushStyle.BDiagPattern)
            p.drawRect(r.adjusted(0.5, 0.5, -0.5, -0.5))
        p.setClipping(False)
        p.fillRect(QRectF(0, ground.y(), 3, ground.height()), theme.universe(number))
        paint.text(
            p,
            10,
            ground.y(),
            str(number),
            font("table", 600, mono=True),
            "text",
            height=ground.height(),
        )
        if number not in self._lead:
            paint.severity(p, "fault", LEFT - 14, ground.center().y(), 5)

    def _paint_span(self, p: QPainter, span: Span, at: int, lit: dict[str, float]) -> None:
        r = self.rect_of(span.universe, span.start, span.length)
        if span.room > span.length:
            p.setBrush(Qt.BrushStyle.NoBrush)
            p.setPen(pen("line_strong", 1, Qt.PenStyle.DotLine))
            p.drawRect(
                self.rect_of(
                    span.universe, span.start, min(span.room, SLOTS - span.start + 1)
                ).adjusted(0.5, 2.5, -0.5, -2.5)
            )
        p.setBrush(theme.universe(span.universe, "fill_b" if at % 2 else "fill_a"))
        p.setPen(pen(theme.universe(span.universe), 1))
        p.drawRect(r.adjusted(0.5, 0.5, -0.5, -0.5))
        if self.scale >= WRITTEN:
            self._paint_slots(p, span, r)
        elif r.width() > 22:
            left = max(r.x(), LEFT)
            paint.text(
                p,
                left + 4,
                r.y(),
                str(span.number),
                font("caption", 500, mono=True),
                "text",
                width=r.right() - left - 4,
                height=r.height(),
            )
        if span.unit in lit:
            p.fillRect(QRectF(r.x() + 1, r.y() + 1, r.width() - 2, 2.5), theme.color("ochre"))
        if span.unit in self.bench.selection.ids:
            p.fillRect(QRectF(r.x(), r.bottom() - 2, r.width(), 3), theme.color("coral"))

    def _paint_slots(self, p: QPainter, span: Span, r: QRectF) -> None:
        unit = self.index.by_id[span.unit]
        left = max(r.x(), LEFT)
        paint.text(
            p,
            left + 4,
            r.y(),
            f"{unit.number} {unit.name}",
            font("caption", 500),
            "text",
            width=max(10.0, r.right() - left - 6),
            height=15,
        )
        rows = {n: i for i, n in enumerate(self.bench.levels.live.compiled.universes)}
        for slot in range(span.start, min(span.end, SLOTS) + 1):
            x = self.x_of(slot)
            if x + self.scale < LEFT or x > self.viewport().width():
                continue
            item = self.channel_at(span, slot)
            value = (
                int(self.bench.levels.live.frame[rows[span.universe] * SLOTS + slot - 1])
                if span.universe in rows
                else 0
            )
            p.fillRect(QRectF(x, r.y() + 14, 1, r.height() - 14), theme.color("line"))
            fine = item is not None and item.slots and item.slots[0][1] != slot - span.start + 1
            words = ("fine" if fine else plain(item.attribute)[:7]) if item else ""
            paint.text(
                p, x + 2, r.y() + 15, words, font("tick"), "text2", width=self.scale - 3, height=13
            )
            paint.text(
                p,
                x + 2,
                r.y() + 28,
                str(value),
                font("tick", 500, mono=True),
                "text",
                width=self.scale - 3,
                height=14,
            )

    def _paint_drag(self, p: QPainter) -> None:
        drag = self.drag
        assert drag
        r = self.rect_of(drag.spot[0], drag.spot[1], drag.span.length)
        bad = bool(drag.fault)
        clash = bool(drag.placing and drag.placing.in_the_way)
        role = "fault" if bad else "ochre" if clash else "teal"
        p.setBrush(theme.color("select_row"))
        p.setPen(pen(role, 2))
        p.drawRect(r)
        way = ", ".join(str(u.number) for u in drag.placing.in_the_way[:3]) if drag.placing else ""
        words = (
            f"{drag.span.number} at {write_address(*drag.spot)}"
            + (f", {way} in the way" if clash else "")
            + (": not here" if bad else "")
        )
        y = r.bottom() + 2 if r.bottom() + 20 < self.viewport().height() else r.y() - 20
        p.fillRect(QRectF(r.x(), y, 230, 18), theme.color("shelf"))
        paint.text(p, r.x() + 5, y, words, font("caption", 500), "text", width=224, height=18)


def _in_a_row(patch: tuple[Patched, ...], spans: tuple[Span, ...]) -> bool:
    return all(
        b.universe == a.universe and b.start == a.end + 1 and b.block > a.block
        for a, b in itertools.pairwise(spans)
    )
