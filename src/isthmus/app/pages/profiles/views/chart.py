"""A DMX chart drawn to be read: channel, attribute, default, and its ranges as a bar from 0 to 255
and as a list.

With a second chart beside it, each line shows its partner and the verdict between them.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from PySide6.QtCore import QPoint, QRectF, Qt, Signal
from PySide6.QtGui import (
    QGuiApplication,
    QHelpEvent,
    QKeyEvent,
    QKeySequence,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QResizeEvent,
)
from PySide6.QtWidgets import QAbstractScrollArea, QToolTip

from isthmus.app.kit import paint
from isthmus.app.kit.painted import Painted
from isthmus.app.kit.theme import font, pen, theme
from isthmus.app.kit.widgets import plain_tip
from isthmus.profiles.channel_table import Band, ChannelLine, ChannelTable, physical_text, table
from isthmus.profiles.compare import LineVerdict, compare

ROW, BAND = 24, 18
LABEL = 212
_STATE = {
    "same": ("teal", "same"),
    "shifted": ("ochre", "shifted"),
    "ranges": ("ochre", "ranges"),
    "size": ("ochre", "size"),
    "absent": ("fault", "absent"),
    "extra": ("fault", "extra"),
}


@dataclass(frozen=True)
class _Row:
    """One line of the picture: a channel, or one of its ranges below it."""

    y: int
    height: int
    line: ChannelLine | None
    other: ChannelLine | None
    verdict: LineVerdict | None
    band: Band | None = None
    other_band: Band | None = None
    band_state: str = ""
    first: bool = True


class ChartView(Painted, QAbstractScrollArea):
    """`chosen` tells the line that was chosen, as its place in the chart (−1: none)."""

    chosen = Signal(int)

    def __init__(self) -> None:
        super().__init__()
        self.setFrameShape(QAbstractScrollArea.Shape.NoFrame)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("DMX chart")
        self.setObjectName("chart")
        self.sheet: ChannelTable | None = None
        self.other: ChannelTable | None = None
        self.verdicts: list[LineVerdict] = []
        self.listed = True
        self.needle = ""
        self.current = -1
        self._rows: list[_Row] = []
        self.verticalScrollBar().setSingleStep(ROW)
        theme.changed.connect(self.viewport().update)

    # ------------------------------------------------------------ what is shown

    def show_sheet(
        self, sheet: ChannelTable | None, other: ChannelTable | None = None, keep: bool = False
    ) -> None:
        """A chart, alone or beside another. `keep` leaves the view where it is (while it is being
        edited).
        """
        self.sheet, self.other = sheet, other
        self.verdicts = compare(sheet, other) if sheet and other else []
        if not keep:
            self.current = -1
            self.verticalScrollBar().setValue(0)
        self._lay_out()

    def set_listed(self, on: bool) -> None:
        self.listed = on
        self._lay_out()

    def find(self, needle: str) -> int:
        """Show the first line or range that mentions the words; how many there are."""
        self.needle = needle.strip().lower()
        hits = [row for row in self._rows if self._mentions(row)]
        if hits:
            self.verticalScrollBar().setValue(max(0, hits[0].y - ROW))
        self.viewport().update()
        return len(hits)

    def _mentions(self, row: _Row) -> bool:
        if not self.needle:
            return False
        line = row.line or row.other
        texts = (
            [row.band.name, f"{row.band.start}"]
            if row.band and not row.first
            else [line.words, line.name, line.where()]
            if line
            else []
        )
        return any(self.needle in text.lower() for text in texts)

    def _lay_out(self) -> None:
        rows: list[_Row] = []
        y = 0
        if self.other is not None:
            for verdict in self.verdicts:
                rows.append(_Row(y, ROW, verdict.left, verdict.right, verdict))
                y += ROW
                for band in verdict.bands if self.listed and verdict.state != "same" else ():
                    if band.state != "same":
                        rows.append(
                            _Row(
                                y,
                                BAND,
                                verdict.left,
                                verdict.right,
                                verdict,
                                band.left,
                                band.right,
                                band.state,
                                False,
                            )
                        )
                        y += BAND
        elif self.sheet is not None:
            for line in self.sheet.lines:
                rows.append(_Row(y, ROW, line, None, None))
                y += ROW
                for band in (
                    line.bands if self.listed and len(line.bands) > 1 and line.cell <= 1 else ()
                ):
                    rows.append(_Row(y, BAND, line, None, None, band, first=False))
                    y += BAND
        self._rows = rows
        self.verticalScrollBar().setRange(0, max(0, y - self.viewport().height()))
        self.verticalScrollBar().setPageStep(self.viewport().height())
        self.viewport().update()

    def resizeEvent(self, event: QResizeEvent) -> None:
        self._lay_out()

    def lines(self) -> Sequence[ChannelLine]:
        return self.sheet.lines if self.sheet else ()

    # ------------------------------------------------------------ hands

    def _at(self, point: QPoint) -> _Row | None:
        y = point.y() + self.verticalScrollBar().value()
        return next((row for row in self._rows if row.y <= y < row.y + row.height), None)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        row = self._at(event.position().toPoint())
        if row is not None and row.line is not None and self.sheet is not None:
            self.choose(self.sheet.lines.index(row.line))

    def choose(self, index: int) -> None:
        self.current = index
        self.chosen.emit(index)
        row = next(
            (
                row
                for row in self._rows
                if row.first
                and row.line is not None
                and self.sheet
                and row.line is self.sheet.lines[index]
            ),
            None,
        )
        bar = self.verticalScrollBar()
        if (
            row is not None
            and not bar.value() <= row.y <= bar.value() + self.viewport().height() - ROW
        ):
            bar.setValue(max(0, row.y - self.viewport().height() // 2))
        self.viewport().update()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        step = {Qt.Key.Key_Down: 1, Qt.Key.Key_Up: -1}.get(Qt.Key(event.key()))
        if event.matches(QKeySequence.StandardKey.Copy):
            QGuiApplication.clipboard().setText(self.text())
        elif step and self.sheet and self.sheet.lines:
            self.choose(min(max(0, self.current + step), len(self.sheet.lines) - 1))
        else:
            super().keyPressEvent(event)

    def text(self) -> str:
        """The chart as a table for a spreadsheet; two charts as their verdicts."""
        if self.sheet is None:
            return ""
        if self.other is not None:
            rows = [["Channel", "Attribute", "There", "Verdict", "What differs"]]
            for v in self.verdicts:
                line = v.left or v.right
                rows.append(
                    [
                        v.left.where() if v.left else "",
                        line.words if line else "",
                        v.right.where() if v.right else "",
                        v.state,
                        v.words(),
                    ]
                )
        else:
            rows = table(self.sheet)
        return "".join("\t".join(cells) + "\n" for cells in rows)

    def viewportEvent(self, event) -> bool:
        if isinstance(event, QHelpEvent):
            row = self._at(event.pos())
            QToolTip.showText(
                event.globalPos(),
                plain_tip(self._tip(row, event.pos().x())) if row else "",
                self.viewport(),
            )
            return True
        return super().viewportEvent(event)

    def _tip(self, row: _Row, x: int) -> str:
        if row.verdict is not None:
            return row.verdict.words()
        line = row.line
        if line is None:
            return ""
        left, width = self._bar()
        if x >= left and line.bands:
            value = int((x - left) / max(1, width) * (line.top + 1))
            band = next((b for b in line.bands if b.start <= value <= b.end), None)
            if band:
                parts = (f"{band.start}–{band.end}", band.name, physical_text(band), band.when)
                return "  ".join(parts).strip()
        return (
            f"{line.words}, channel {line.where()}, {8 * line.size} bit, geometry {line.geometry}"
        )

    # ------------------------------------------------------------ paint

    def _bar(self) -> tuple[int, int]:
        left = LABEL + 6
        return left, max(40, self.viewport().width() - left - 8)

    def draw(self, p: QPainter, event: QPaintEvent) -> None:
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.fillRect(self.viewport().rect(), theme.color("deep"))
        top = self.verticalScrollBar().value()
        if self.sheet is None or not self._rows:
            paint.text(
                p, 8, 12, "Select a mode to read its chart.", font("body", italic=True), "text3"
            )
            return
        for row in self._rows:
            if row.y + row.height >= top and row.y <= top + self.viewport().height():
                y = row.y - top
                if self._mentions(row):
                    p.fillRect(
                        QRectF(0, y, self.viewport().width(), row.height), theme.color("select_row")
                    )
                if row.verdict is not None:
                    self._paint_pair(p, row, y)
                elif row.band is not None and not row.first:
                    self._paint_band(p, row.band, y, LABEL - 88)
                else:
                    self._paint_line(p, row, y)

    def _paint_line(self, p: QPainter, row: _Row, y: int) -> None:
        line = row.line
        assert line is not None and self.sheet is not None
        width = self.viewport().width()
        if (
            self.current >= 0
            and self.current < len(self.sheet.lines)
            and line is self.sheet.lines[self.current]
        ):
            p.fillRect(QRectF(0, y, width, ROW), theme.color("select_row"))
            p.fillRect(QRectF(0, y, 3, ROW), theme.color("coral"))
        p.fillRect(QRectF(0, y + ROW - 1, width, 1), theme.color("line_faint"))
        paint.text(
            p, 4, y, line.where(), font("table", 500, mono=True), "text", paint.RIGHT, 52, ROW
        )
        words = line.words + (f" · cell {line.cell}" if line.cell else "")
        paint.text(
            p,
            66,
            y,
            words,
            font("table", 500),
            "text" if line.attribute else "ochre",
            width=LABEL - 68,
            height=ROW,
        )
        left, wide = self._bar()
        self._paint_bar(p, line, QRectF(left, y + 5, wide, ROW - 11))

    def _paint_bar(self, p: QPainter, line: ChannelLine, r: QRectF) -> None:
        """The ranges of a line along 0 … top, the default marked."""
        p.fillRect(r, theme.color("shoal"))
        scale = r.width() / (line.top + 1)
        named = len(line.bands) > 1
        for index, band in enumerate(line.bands if named else ()):
            x, w = r.x() + band.start * scale, max(1.0, (band.end - band.start + 1) * scale)
            p.fillRect(
                QRectF(x, r.y(), w, r.height()), theme.color("bank" if index % 2 else "contour")
            )
            p.fillRect(QRectF(x, r.y(), 1, r.height()), theme.color("line_strong"))
            if w > 30:
                paint.text(
                    p,
                    x + 4,
                    r.y() - 1,
                    band.name,
                    font("caption"),
                    "text",
                    width=w - 6,
                    height=r.height() + 2,
                )
        if not named:
            p.setPen(pen("line_strong", 1))
            p.drawLine(r.bottomLeft(), r.topRight())
        p.setPen(pen("line_strong", 1))
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.drawRect(r)
        if line.default is not None:
            x = r.x() + (line.default + 0.5) * scale
            p.setPen(Qt.PenStyle.NoPen)
            p.setBrush(theme.color("coral"))
            p.drawPolygon(
                paint.polygon((x - 4, r.bottom() + 4), (x + 4, r.bottom() + 4), (x, r.bottom() - 2))
            )

    def _paint_band(self, p: QPainter, band: Band, y: int, x: int) -> None:
        paint.text(
            p,
            x - 10,
            y,
            f"{band.start:>5}–{band.end}",
            font("caption", mono=True),
            "text2",
            width=94,
            height=BAND,
        )
        room = self.viewport().width() - x - 92
        at = paint.text(
            p,
            x + 90,
            y,
            band.name or "no name",
            font("caption", italic=not band.name),
            "text2",
            width=room,
            height=BAND,
        )
        physical = physical_text(band)
        if physical and room - at > 40:
            paint.text(
                p,
                x + 98 + at,
                y,
                physical,
                font("caption", mono=True),
                "text3",
                width=room - at - 10,
                height=BAND,
            )

    def _paint_pair(self, p: QPainter, row: _Row, y: int) -> None:
        width = self.viewport().width()
        state, verdict = row.verdict.state if row.verdict else "same", row.verdict
        assert verdict is not None
        if row.band is None and row.other_band is None:
            p.fillRect(QRectF(0, y + ROW - 1, width, 1), theme.color("line_faint"))
            line = row.line or row.other
            assert line is not None
            role, words = _STATE[state]
            paint.text(
                p,
                4,
                y,
                row.line.where() if row.line else "–",
                font("table", 500, mono=True),
                "text",
                paint.RIGHT,
                52,
                ROW,
            )
            paint.text(
                p,
                66,
                y,
                line.words + (f" · cell {line.cell}" if line.cell else ""),
                font("table", 500),
                "text",
                width=140,
                height=ROW,
            )
            paint.text(
                p,
                206,
                y,
                row.other.where() if row.other else "–",
                font("table", 500, mono=True),
                "text",
                paint.RIGHT,
                52,
                ROW,
            )
            p.setPen(Qt.PenStyle.NoPen)
            p.setBrush(theme.color(role))
            shape = QRectF(270, y + 8, 8, 8)
            (p.drawEllipse if state == "same" else p.drawRect)(shape)
            told = f"shifted by {verdict.shift:+d}" if state == "shifted" else words
            at = paint.text(p, 286, y, told, font("table", 600), "text", height=ROW)
            left_line, right_line = verdict.left, verdict.right
            parts = (
                [f"{8 * right_line.size} bit, not {8 * left_line.size}"]
                if left_line and right_line and left_line.size != right_line.size
                else []
            )
            wrong = sum(band.state != "same" for band in verdict.bands)
            parts += [f"{wrong} of {len(verdict.bands)} ranges differ"] if wrong else []
            rest = ", ".join(parts)
            paint.text(
                p,
                296 + at,
                y,
                rest,
                font("caption"),
                "text2",
                width=max(0, width - 304 - at),
                height=ROW,
            )
            return
        left, right = row.band, row.other_band
        paint.text(
            p,
            66,
            y,
            f"{left.start}–{left.end}  {left.name}" if left else "–",
            font("caption"),
            "text2",
            width=140,
            height=BAND,
        )
        paint.text(
            p,
            214,
            y,
            f"{right.start}–{right.end}  {right.name}" if right else "–",
            font("caption"),
            "text2",
            width=150,
            height=BAND,
        )
        paint.text(
            p,
            372,
            y,
            row.band_state,
            font("caption", 600),
            "fault" if row.band_state in ("absent", "extra") else "ochre",
            width=width - 376,
            height=BAND,
        )
