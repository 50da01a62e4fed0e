"""The table of a roll call: stops in order with their verdicts, then what is left out and why."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from PySide6.QtCore import QRectF, Qt
from PySide6.QtGui import QPainter, QPen
from PySide6.QtWidgets import QStyle, QStyleOptionViewItem

from isthmus.app.kit import paint
from isthmus.app.kit.painted import PaintedItems
from isthmus.app.kit.theme import font, theme
from isthmus.app.kit.widgets import Index, RowsModel
from isthmus.app.model.workbench import Workbench
from isthmus.check.calls import Call, Left, callable_units
from isthmus.check.verdicts import holds, say
from isthmus.patch.cells import addresses
from isthmus.plural import many
from isthmus.show.records import Unit, Verdict

GLYPH = {"works": "ok", "wrong": "attention", "silent": "fault", "skipped": "note"}


@dataclass(frozen=True)
class CallRow:
    """A stop with its place in the call, or a unit left out with the reason."""

    title: str
    unit: Unit | None
    at: int
    why: str = ""


class CallModel(RowsModel):
    COLUMNS = ("", "Unit", "Name", "Address", "Verdict")

    def __init__(self, bench: Workbench) -> None:
        super().__init__()
        self.bench = bench
        self.verdicts: dict[str, Verdict] = {}
        self.fresh: dict[str, bool] = {}

    def reload(self) -> None:
        show, call = self.bench.show, self.bench.session.call
        units = {u.id: u for u in show.units}
        if call:
            stops, left = list(call.calls), call.left
        else:
            found, left = callable_units(show)
            stops = [Call(u.name, (u.id,)) for u in found]
        rows = [
            CallRow(c.title, units.get(c.units[0]) if len(c.units) == 1 else None, i)
            for i, c in enumerate(stops)
        ]
        rows += [_left(x, units) for x in left if x.unit in units]
        self.verdicts = {v.unit: v for v in show.verdicts}
        self.fresh = {v.unit: holds(show, v) for v in show.verdicts}
        self.beginResetModel()
        self.rows = rows
        self.endResetModel()

    def cells(self, row: CallRow) -> Sequence[str]:
        unit, call = row.unit, self._call_of(row)
        if unit is None:
            return "", "", row.title, "", self._of_many(row)
        name = f"{unit.name}, cell {call.cell}" if call and call.cell else unit.name
        slot = call.slot if call else None
        return (
            "",
            str(unit.number),
            name,
            f"{slot[0]}.{slot[1]:03d}" if slot else addresses(unit),
            f"left out: {row.why}" if row.why else self.verdict_words(unit),
        )

    def tip(self, row: CallRow, column: int) -> str:
        """Notes are longer than their column is wide."""
        return self.verdict_words(row.unit) if row.unit and column == 4 and not row.why else ""

    def _call_of(self, row: CallRow) -> Call | None:
        call = self.bench.session.call
        called = call is not None and not row.why and row.at < len(call.calls)
        return call.calls[row.at] if call and called else None

    def verdict_words(self, unit: Unit) -> str:
        verdict = self.verdicts.get(unit.id)
        if verdict is None:
            return ""
        stale = "" if self.fresh[unit.id] else "out of date; was "
        by = f", {verdict.by}" if verdict.by else ""
        return f"{stale}{say(self.bench.show, verdict)}  {verdict.at[11:16]}{by}"

    def _of_many(self, row: CallRow) -> str:
        call = self.bench.session.call
        ids = call.calls[row.at].units if call else ()
        done = sum(self.fresh.get(u, False) for u in ids)
        return f"{done} of {many(len(ids), 'unit')} have a verdict" if ids else ""


def _left(left: Left, units: dict[str, Unit]) -> CallRow:
    return CallRow("", units[left.unit], -1, left.why)


class CallRows(PaintedItems):
    def __init__(self, model: CallModel) -> None:
        super().__init__(model)
        self.model = model

    def draw(self, p: QPainter, option: QStyleOptionViewItem, index: Index) -> None:
        model = self.model
        row: CallRow = model.rows[index.row()]
        call, column = model.bench.session.call, index.column()
        current = call is not None and not row.why and row.at == call.at
        r = QRectF(option.rect)  # type: ignore[attr-defined]
        p.save()
        p.fillRect(r, theme.color("select_row" if current else "deep"))
        p.fillRect(
            QRectF(r.x(), r.bottom() - 1, r.width(), 1),
            theme.color("line" if index.row() % 5 == 4 else "line_faint"),
        )
        if column == 0:
            self._paint_mark(p, r, row, current)
        else:
            self._paint_words(p, r, row, column, current)
        if option.state & QStyle.StateFlag.State_HasFocus:  # type: ignore[attr-defined]
            p.setPen(QPen(theme.color("text"), 1.5))
            p.setBrush(Qt.BrushStyle.NoBrush)
            p.drawRect(r.adjusted(1, 1, -2, -2))
        p.restore()

    def _paint_mark(self, p: QPainter, r: QRectF, row: CallRow, current: bool) -> None:
        if current:
            p.fillRect(QRectF(r.x(), r.y(), 3, r.height() - 1), theme.color("coral"))
        verdict = self.model.verdicts.get(row.unit.id) if row.unit else None
        if verdict:
            glyph = GLYPH[verdict.result] if self.model.fresh[verdict.unit] else "note"
            paint.severity(p, glyph, r.x() + 18, r.center().y() - 0.5, 5.6)

    def _paint_words(
        self, p: QPainter, r: QRectF, row: CallRow, column: int, current: bool
    ) -> None:
        words, unit = self.model.words(row, column), row.unit
        if column == 4:
            stale = row.why or (unit is not None and not self.model.fresh.get(unit.id, True))
            face, color = font("table", italic=not row.why), "text2" if stale else "text"
        else:
            color = "text3" if row.why else "text"
            figures = column in (1, 3)
            face = font("table", 500 if figures or current else 400, mono=figures)
            words = words or ("none" if figures and unit else "")
        paint.text(
            p, r.x() + 6, r.y(), words, face, color, width=r.width() - 8, height=r.height() - 1
        )
