"""The universe as a picture: four rows of 128 addresses, spans by unit, free water with its
soundings, clashes.
"""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPainterPath, QPaintEvent, QWheelEvent
from PySide6.QtWidgets import QSizePolicy, QToolTip, QWidget

from isthmus.app.kit import paint
from isthmus.app.kit.painted import Painted
from isthmus.app.kit.theme import SIZE, TYPE, font, pen, theme
from isthmus.app.kit.widgets import bind_seen, plain_tip
from isthmus.app.model.workbench import Workbench
from isthmus.patch.index import EMPTY, Universe, free_runs, index_of
from isthmus.patch.spans import Clash, Span
from isthmus.routes import goes_to, routed, universes_known
from isthmus.show import write_address
from isthmus.show.records import SLOTS

PER_ROW = SIZE["ruler_addresses_per_row"]
ROW, BLOCK = SIZE["ruler_row"], SIZE["ruler_block"]
HEAD = 32
KEY = 42


def _longest_part(first: int, last: int) -> tuple[int, int]:
    """Of a gap that goes over several rows, the longest piece in one: there its words stand."""
    rows = ((r * PER_ROW + 1, (r + 1) * PER_ROW) for r in range(SLOTS // PER_ROW))
    parts = [(max(first, low), min(last, high)) for low, high in rows]
    return max((p for p in parts if p[0] <= p[1]), key=lambda part: part[1] - part[0])


class Ruler(Painted, QWidget):
    """`extra` spans (a preview) are drawn over the patch; clicking a span selects its unit."""

    def __init__(self, bench: Workbench) -> None:
        super().__init__()
        self.bench = bench
        self.universe = 1
        self.extra: tuple[Span, ...] = ()
        self._here = EMPTY
        self._spans: tuple[Span, ...] = ()
        self._clashes: tuple[Clash, ...] = ()
        self.setFixedHeight(HEAD + 4 * ROW)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setMouseTracking(True)
        self.setAccessibleName("Address ruler")
        bind_seen(bench.changed, self, self.reload)
        bench.selection.changed.connect(self._follow)
        theme.changed.connect(self.update)
        self.reload()

    def sizeHint(self) -> QSize:
        return QSize(600, self.height())

    def reload(self) -> None:
        self._index = index_of(self.bench.show)
        self._here = self._with_extra(self.universe)
        self._spans, self._clashes = self._here.spans, self._here.clashes
        self.update()

    def _with_extra(self, universe: int) -> Universe:
        """A universe with the spans of a preview in it."""
        found, more = (
            self._index.universe(universe),
            [s for s in self.extra if s.universe == universe],
        )
        return Universe.of([*found.spans, *more]) if more else found

    def preview(self, spans: tuple[Span, ...]) -> None:
        self.extra = spans
        if spans:
            self.universe = spans[0].universe
        self.reload()

    def set_universe(self, universe: int) -> None:
        known = self.known()
        self.universe = universe if universe in known else known[0]
        self.reload()

    def known(self) -> list[int]:
        return sorted({*universes_known(self.bench.show), *(s.universe for s in self.extra)}) or [1]

    def _follow(self) -> None:
        units = self.bench.selection.units()
        if (
            units
            and units[0].patch
            and not any(p.universe == self.universe for u in units for p in u.patch)
        ):
            self.universe = units[0].patch[0].universe
            self.reload()
        self.update()

    # ------------------------------------------------------------ hands

    def span_at(self, x: float, y: float) -> Span | None:
        row = int((y - HEAD) // ROW)
        if not 0 <= row < 4:
            return None
        address = row * PER_ROW + int(x / self.width() * PER_ROW) + 1
        hits = [s for s in self._spans if s.start <= address <= s.end]
        return hits[-1] if hits else None

    def _keys(self) -> list[tuple[int, QRectF]]:
        known = self.known()
        room = max(1, int(self.width() * 0.5 // KEY))
        first = (
            max(0, min(known.index(self.universe) - room // 2, len(known) - room))
            if self.universe in known
            else 0
        )
        shown = known[first : first + room]
        x = self.width() - len(shown) * KEY
        return [(u, QRectF(x + i * KEY, 3, 38, 22)) for i, u in enumerate(shown)]

    def mousePressEvent(self, event: QMouseEvent) -> None:
        at = event.position()
        for universe, rect in self._keys():
            if rect.contains(at):
                self.set_universe(universe)
                return
        span = self.span_at(at.x(), at.y())
        if span and self.bench.show.unit(span.unit):
            if event.modifiers() & (
                Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier
            ):
                self.bench.selection.toggle(span.unit)
            else:
                self.bench.selection.select([span.unit])

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        span = self.span_at(event.position().x(), event.position().y())
        unit = self.bench.show.unit(span.unit) if span else None
        words = (
            f"{unit.number} {unit.name}: {write_address(span.universe, span.start)} to "
            f"{span.end:03d}, {span.length} slots"
            if span and unit
            else ""
        )
        QToolTip.showText(event.globalPosition().toPoint(), plain_tip(words), self)

    def wheelEvent(self, event: QWheelEvent) -> None:
        self._step(-1 if event.angleDelta().y() > 0 else 1)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Left, Qt.Key.Key_Right):
            self._step(1 if event.key() == Qt.Key.Key_Right else -1)
        else:
            super().keyPressEvent(event)

    def _step(self, by: int) -> None:
        known = self.known()
        at = known.index(self.universe) if self.universe in known else 0
        self.set_universe(known[max(0, min(len(known) - 1, at + by))])

    # ------------------------------------------------------------ paint

    def draw(self, p: QPainter, event: QPaintEvent) -> None:
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        gaps = free_runs(self._here.taken | self._here.kept)
        self._paint_head(p, gaps)
        for row in range(4):
            self._paint_row(p, row, gaps)
        if self.hasFocus():
            p.setBrush(Qt.BrushStyle.NoBrush)
            p.setPen(pen("focus", 1.5))
            p.drawRoundedRect(QRectF(self.rect()).adjusted(1, 1, -1, -1), 3, 3)

    def _paint_head(self, p: QPainter, gaps: list[tuple[int, int]]) -> None:
        p.fillRect(QRectF(0, 8, 3, 14), theme.universe(self.universe))
        x = 10 + paint.text(p, 10, 4, "Universe", font("section", 600), "text", height=22) + 6
        x += (
            paint.text(
                p, x, 4, str(self.universe), font("section", 600, mono=True), "text", height=22
            )
            + 10
        )
        wire = goes_to(self.bench.show, self.universe)
        x += (
            paint.text(
                p,
                x,
                4,
                f"= {wire}" if wire else "has no output",
                font("caption"),
                "text3",
                width=190,
                height=22,
            )
            + 14
        )
        free = sum(b - a + 1 for a, b in gaps)
        kept = self._here.kept.bit_count()
        facts = [
            (self._here.taken.bit_count(), "used"),
            *([(kept, "kept")] if kept else []),
            (free, "free"),
        ]
        facts.append((max((b - a + 1 for a, b in gaps), default=0), "longest gap"))
        for value, words in facts:
            x += (
                paint.text(p, x, 4, str(value), font("caption", 500, mono=True), "text", height=22)
                + 5
            )
            x += paint.text(p, x, 4, words, font("caption"), "text2", height=22) + 12
        doubled = len({a for c in self._clashes for a in range(c.first, c.last + 1)})
        if doubled:
            paint.severity(p, "fault", x + 8, 15, 5.6)
            x += 18
            x += (
                paint.text(
                    p, x, 4, str(doubled), font("caption", 500, mono=True), "text", height=22
                )
                + 5
            )
            x += paint.text(p, x, 4, "claimed twice", font("caption"), "text2", height=22) + 12
        lead = routed(self.bench.show)
        for universe, rect in self._keys():
            current = universe == self.universe
            p.setPen(pen("line_strong" if current else "line", 1))
            p.setBrush(theme.color("shoal") if current else Qt.BrushStyle.NoBrush)
            p.drawRoundedRect(rect.adjusted(0.5, 0.5, -0.5, -0.5), 3, 3)
            paint.text(
                p,
                rect.x(),
                rect.y() - 1,
                str(universe),
                font("caption", 600 if current else 400, mono=True),
                "text" if current else "text2",
                paint.CENTER,
                38,
                20,
            )
            used = self._with_extra(universe).taken.bit_count()
            p.fillRect(QRectF(rect.x() + 5, rect.bottom() - 5, 28, 2), theme.color("line"))
            p.fillRect(
                QRectF(rect.x() + 5, rect.bottom() - 5, 28 * used / SLOTS, 2),
                theme.universe(universe),
            )
            if universe not in lead:
                paint.severity(p, "fault", rect.right() - 4, rect.y() + 3, 4.2)

    def _paint_row(self, p: QPainter, row: int, gaps: list[tuple[int, int]]) -> None:
        k = self.width() / PER_ROW
        y = HEAD + row * ROW + 13
        low, high = row * PER_ROW + 1, (row + 1) * PER_ROW
        self._paint_scale(p, y, k, low)
        self._paint_kept(p, y, k, low, high)
        fresh = {s.unit for s in self.extra}
        for index, span in enumerate(self._spans):
            if span.end >= low and span.start <= high:
                self._paint_span(p, span, index, low, high, k, y, span.unit in fresh)
        for clash in self._clashes:
            first, last = max(clash.first, low), min(clash.last, high)
            if first <= last:
                width = max((last - first + 1) * k, 3)
                self._paint_clash(p, QRectF((first - low) * k, y, width, BLOCK))
        for first, last in gaps:
            a, b = _longest_part(first, last)
            if low <= a <= high and (b - a + 1) * k > 46:
                paint.text(
                    p,
                    (a - low) * k,
                    y,
                    f"{last - first + 1} free",
                    font("tick", mono=True),
                    "text3",
                    paint.CENTER,
                    (b - a + 1) * k,
                    BLOCK,
                )

    def _paint_scale(self, p: QPainter, y: float, k: float, low: int) -> None:
        p.setRenderHint(QPainter.RenderHint.Antialiasing, False)
        p.fillRect(QRectF(0, y, self.width(), BLOCK), theme.color("water2"))
        p.fillRect(QRectF(0, y - 1, self.width(), 1), theme.color("line_strong"))
        for i in range(0, PER_ROW, 4):
            long = i % 16 == 0
            p.fillRect(
                QRectF(round(i * k), y - (7 if long else 4), 1, 6 if long else 3),
                theme.color("line_strong" if i % 8 == 0 else "line"),
            )
        for i in range(0, PER_ROW, 16):
            paint.text(
                p, i * k + 3, y - 14, str(low + i), font("tick", mono=True), "text3", height=11
            )
        p.setRenderHint(QPainter.RenderHint.Antialiasing)

    def _paint_kept(self, p: QPainter, y: float, k: float, low: int, high: int) -> None:
        """The room behind units that is kept for them."""
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.setPen(pen("line_strong", 1, Qt.PenStyle.DotLine))
        for span in self._spans:
            last = min(SLOTS, span.start + span.room - 1)
            if last > span.end and last >= low and span.end < high:
                a, b = max(span.end + 1, low), min(last, high)
                p.drawRect(QRectF((a - low) * k, y + 2.5, (b - a + 1) * k - 1, BLOCK - 5))

    def _paint_span(
        self,
        p: QPainter,
        span: Span,
        index: int,
        low: int,
        high: int,
        k: float,
        y: float,
        fresh: bool,
    ) -> None:
        left, right = (max(span.start, low) - low) * k, (min(span.end, high) - low + 1) * k
        r = QRectF(left, y, right - left, BLOCK)
        before, after, d = span.start < low, span.end > high, 4
        shape = QPainterPath(QPointF(r.left() + (d if before else 0.5), r.top() + 0.5))
        shape.lineTo(r.right() - 0.5, r.top() + 0.5)
        if after:
            shape.lineTo(r.right() - d, r.center().y())
        shape.lineTo(r.right() - 0.5, r.bottom() - 0.5)
        shape.lineTo(r.left() + (d if before else 0.5), r.bottom() - 0.5)
        if before:
            shape.lineTo(r.left() + 0.5, r.center().y())
        shape.closeSubpath()
        p.setBrush(
            theme.color("select_row")
            if fresh
            else theme.universe(span.universe, "fill_b" if index % 2 else "fill_a")
        )
        p.setPen(
            pen(
                "coral" if fresh else theme.universe(span.universe),
                1.2 if fresh else 1,
                Qt.PenStyle.DashLine if fresh else Qt.PenStyle.SolidLine,
            )
        )
        p.drawPath(shape)
        if r.width() > TYPE["caption"] * 0.62 * len(str(span.number)) + 6:
            paint.text(
                p,
                r.x() + 5,
                r.y(),
                str(span.number),
                font("caption", 500, mono=True),
                "text",
                width=r.width() - 6,
                height=BLOCK,
            )
        if span.unit in self.bench.selection.ids:
            p.fillRect(QRectF(r.x(), r.bottom() - 1, r.width(), 3), theme.color("coral"))
            ordinal = str(self.bench.selection.ids.index(span.unit) + 1)
            if r.width() > 56:
                paint.text(
                    p,
                    r.right() - 16,
                    r.y(),
                    ordinal,
                    font("tick", 600, mono=True),
                    "coral_text",
                    paint.RIGHT,
                    12,
                    BLOCK,
                )

    def _paint_clash(self, p: QPainter, r: QRectF) -> None:
        p.save()
        p.setClipRect(r)
        p.fillRect(r, theme.color("deep"))
        p.setPen(pen("fault", 1.6))
        for x in range(int(r.x()) - 20, int(r.right()) + 20, 5):
            p.drawLine(QPointF(x, r.bottom() + 1), QPointF(x + BLOCK + 2, r.top() - 1))
        p.restore()
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.setPen(pen("fault", 1.4))
        p.drawRect(r.adjusted(0.5, 0.5, -0.5, -0.5))
        paint.severity(p, "fault", r.center().x(), r.y() - 5, 5.2)
