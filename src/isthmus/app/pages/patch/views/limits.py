"""Limits and handling: typed for what is selected, all of them listed in one place, removed singly
or all.
"""

from __future__ import annotations

import time
from collections.abc import Sequence
from typing import Any

from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QPainter, QPaintEvent, QPolygonF
from PySide6.QtWidgets import (
    QCheckBox,
    QFrame,
    QGridLayout,
    QHBoxLayout,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from isthmus.app.kit.painted import Painted
from isthmus.app.kit.theme import font, pen, theme
from isthmus.app.kit.widgets import (
    PageView,
    RowsModel,
    Section,
    bind,
    bind_seen,
    button,
    choice,
    field,
    label,
    plain_table,
    selected_rows,
    tick,
)
from isthmus.app.model.workbench import Workbench
from isthmus.check.prove_limits import ProveLimits
from isthmus.errors import EntryFault
from isthmus.output.shape import curve_table
from isthmus.patch import limits as core
from isthmus.patch.index import index_of
from isthmus.patch.limits import CURVES, Limited
from isthmus.plural import many
from isthmus.profiles.attributes import plain
from isthmus.profiles.chart import ChartChannel
from isthmus.profiles.natural import ranges, write_level
from isthmus.show.records import Handling, Unit

AXES = (("invert_pan", "Invert pan"), ("invert_tilt", "Invert tilt"), ("swap", "Swap pan and tilt"))


class LimitsModel(RowsModel):
    COLUMNS = ("Unit", "Name", "What is in force")

    def __init__(self, bench: Workbench) -> None:
        super().__init__()
        self.bench = bench

    def cells(self, row: Limited) -> Sequence[str]:
        unit = index_of(self.bench.show).by_id.get(row.unit)
        return str(row.number), unit.name if unit else "", row.words


class CurvePicture(Painted, QWidget):
    """The dimmer curve in force: asked to the right, sent upwards."""

    def __init__(self) -> None:
        super().__init__()
        self.handling = Handling()
        self.setFixedSize(QSize(120, 96))
        self.setAccessibleName("Dimmer curve")

    def draw(self, p: QPainter, event: QPaintEvent) -> None:
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        box = QRectF(2, 2, self.width() - 4, self.height() - 4)
        p.fillRect(box, theme.color("water2"))
        p.setPen(pen("line", 1))
        for i in (1, 2, 3):
            p.drawLine(
                QPointF(box.x() + box.width() * i / 4, box.y()),
                QPointF(box.x() + box.width() * i / 4, box.bottom()),
            )
            p.drawLine(
                QPointF(box.x(), box.y() + box.height() * i / 4),
                QPointF(box.right(), box.y() + box.height() * i / 4),
            )
        table = curve_table(self.handling)
        sent = (
            [i / 32 for i in range(33)]
            if table is None
            else [float(table[i * 8]) for i in range(33)]
        )
        p.setPen(pen("coral", 1.8))
        p.drawPolyline(
            QPolygonF(
                [
                    QPointF(box.x() + box.width() * i / 32, box.bottom() - box.height() * v)
                    for i, v in enumerate(sent)
                ]
            )
        )


class LimitsView(PageView):
    def __init__(self, bench: Workbench) -> None:
        super().__init__()
        self.bench = bench
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(18)
        form = QWidget()
        area = QScrollArea()  # a small window shows what fits, and scrolls to the rest
        area.setWidgetResizable(True)
        area.setFrameShape(QFrame.Shape.NoFrame)
        area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        area.setFixedWidth(344)
        area.setWidget(form)
        area.viewport().setAutoFillBackground(False)
        form.setAutoFillBackground(False)
        left = QVBoxLayout(form)
        left.setContentsMargins(0, 0, 14, 0)
        left.setSpacing(6)
        self.hand = label("", size="body", weight=500, wrap=True)
        left.addWidget(self.hand)
        left.addWidget(Section("Limit an attribute"))
        grid = QGridLayout()
        grid.setHorizontalSpacing(10)
        self.attribute = choice("attribute")
        self.low, self.high = (
            field("lowest", "", "as low as it goes"),
            field("highest", "", "as high as it goes"),
        )
        for y, (words, widget) in enumerate(
            (("Attribute", self.attribute), ("Lowest", self.low), ("Highest", self.high))
        ):
            grid.addWidget(label(words, "quiet"), y, 0)
            grid.addWidget(widget, y, 1)
        left.addLayout(grid)
        self.reach = label("", "quiet", "caption", wrap=True)
        self.reach.setMinimumHeight(30)
        left.addWidget(self.reach)
        acts = QHBoxLayout()
        acts.addWidget(button("Lowest from now", run=lambda: self._from_now(False)))
        acts.addWidget(button("Highest from now", run=lambda: self._from_now(True)))
        self.set_it = button("Limit", "primary", self._limit, 30)
        acts.addWidget(self.set_it)
        left.addLayout(acts)
        more = QHBoxLayout()
        self.together = tick(
            "One limit for all",
            "one limit for all",
            "From now: the widest of what is sent to the selected units becomes the limit of "
            "all of them",
        )
        more.addWidget(self.together)
        more.addStretch(1)
        self.test = button("Test limits", run=self._test)
        self.test.setToolTip(
            "Moves the selected units slowly through their ranges and past their limits, and "
            "shows asked beside sent"
        )
        more.addWidget(self.test)
        left.addLayout(more)
        self.testing = label("", "quiet", "table", mono=True, wrap=True)
        self.testing.setObjectName("asked beside sent")
        self.testing.hide()
        left.addWidget(self.testing)
        left.addWidget(Section("Pan and tilt"))
        self.boxes = {name: QCheckBox(words) for name, words in AXES}
        axes = QGridLayout()
        for y, (name, box) in enumerate(self.boxes.items()):
            box.setFont(font("table"))
            box.setObjectName(name)
            box.clicked.connect(lambda on, n=name: self._handle(**{n: bool(on)}))
            axes.addWidget(box, y, 0)
        self.offsets = {
            "pan_offset": field("pan offset", "0", mono=True),
            "tilt_offset": field("tilt offset", "0", mono=True),
        }
        for y, (name, line) in enumerate(self.offsets.items()):
            axes.addWidget(
                label("Pan offset °" if name == "pan_offset" else "Tilt offset °", "quiet"), y, 1
            )
            line.setFixedWidth(64)
            line.editingFinished.connect(lambda n=name: self._offset(n))
            axes.addWidget(line, y, 2)
        left.addLayout(axes)
        left.addWidget(Section("Dimmer curve"))
        curve = QHBoxLayout()
        side = QVBoxLayout()
        self.curve = choice("dimmer curve", list(CURVES.items()))
        self.points = field("curve points", "", "0 0, 50 20, 100 100", mono=True)
        side.addWidget(self.curve)
        side.addWidget(self.points)
        side.addStretch(1)
        curve.addLayout(side, 1)
        self.picture = CurvePicture()
        curve.addWidget(self.picture)
        left.addLayout(curve)
        left.addStretch(1)
        self.curve.activated.connect(self._curve)
        self.points.editingFinished.connect(self._curve)
        right = QVBoxLayout()
        right.setSpacing(6)
        self.count = label("", size="body", weight=500)
        right.addWidget(self.count)
        self.model = LimitsModel(bench)
        self.table = plain_table(
            self.model, "limits in force", "Every limit and handling in force", (56, 150, 200), 2
        )
        right.addWidget(self.table, 1)
        foot = QHBoxLayout()
        foot.addStretch(1)
        self.off = button("Remove selected", run=self.take_off)
        self.all_off = button("Remove all", run=self.take_all_off)
        foot.addWidget(self.off)
        foot.addWidget(self.all_off)
        right.addLayout(foot)
        row.addWidget(area)
        row.addLayout(right, 1)
        self.attribute.currentIndexChanged.connect(lambda _: self._reach())
        self.table.selectionModel().selectionChanged.connect(lambda *_: self._buttons())
        bind(bench.proving.changed, self, self._tested)
        bind_seen(bench.selection.changed, self, self.refresh)
        bind_seen(bench.changed, self, self.refresh)
        self.refresh()

    # ------------------------------------------------------------ what is so

    def refresh(self) -> None:
        units = self.bench.selection.units()
        self.hand.setText(
            f"For {many(len(units), 'unit')} selected"
            if units
            else "Nothing selected: select units to limit them"
        )
        chosen = self.attribute.currentData()
        found = core.attributes_of(self.bench.show, [u.id for u in units])
        if [self.attribute.itemData(i) for i in range(self.attribute.count())] != found:
            self.attribute.blockSignals(True)
            self.attribute.clear()
            for name in found:
                self.attribute.addItem(plain(name), name)
            self.attribute.setCurrentIndex(max(0, self.attribute.findData(chosen)))
            self.attribute.blockSignals(False)
        self.set_it.setEnabled(bool(found))
        handling = units[0].handling if units else Handling()
        for name, box in self.boxes.items():
            box.setEnabled(bool(units))
            box.setChecked(bool(units) and all(getattr(u.handling, name) for u in units))
        for name, line in self.offsets.items():
            line.setEnabled(bool(units))
            if not line.hasFocus():
                line.setText(f"{getattr(handling, name):g}")
        self.curve.setEnabled(bool(units))
        self.curve.setCurrentIndex(self.curve.findData(handling.curve))
        self.points.setVisible(handling.curve == "points")
        if not self.points.hasFocus():
            self.points.setText(", ".join(f"{100 * a:g} {100 * b:g}" for a, b in handling.points))
        self.picture.handling = handling
        self.picture.update()
        self.model.take(core.listed(self.bench.show))
        rows, ids = self.model.rows, {r.unit for r in self.model.rows}
        self.count.setText(
            f"{len(rows)} in force on {many(len(ids), 'unit')}; they bind everything that is sent"
            if rows
            else "No limit is in force"
        )
        self._reach()
        self._buttons()

    def _buttons(self) -> None:
        self.off.setEnabled(self.table.selectionModel().hasSelection())
        self.all_off.setEnabled(bool(self.model.rows))

    def _item(self) -> tuple[Unit, ChartChannel] | None:
        units = self.bench.selection.units()
        for unit in units:
            mode = index_of(self.bench.show).profiles.mode_of(unit)
            item = (
                core.bound_channel(mode, self.attribute.currentData())
                if mode and self.attribute.currentData()
                else None
            )
            if item is not None:
                return unit, item
        return None

    def _reach(self) -> None:
        found = self._item()
        if found is None:
            self.reach.setText("")
            return
        _, item = found
        names = [name for _, _, name in ranges(item)][:5]
        named = f"; ranges: {', '.join(names)}" if len(ranges(item)) > 1 else ""
        self.reach.setText(f"It goes from {write_level(item, 0)} to {write_level(item, 1)}{named}.")

    # ------------------------------------------------------------ acts

    def _name(self, what: str) -> str:
        count = len(self.bench.selection.ids)
        return f"{what} of {many(count, 'unit')}"

    def _limit(self) -> None:
        attribute = self.attribute.currentData()

        def run() -> None:
            if not self.low.text().strip() and not self.high.text().strip():
                raise EntryFault(
                    "Neither end is typed.", do="Type the lowest, the highest, or both."
                )
            made = core.set_limit(
                self.bench.show,
                self.bench.selection.ids,
                attribute,
                self.low.text(),
                self.high.text(),
            )
            self.bench.commit(self._name(f"limit {plain(attribute)}"), made)

        self.bench.guard(run)

    def _from_now(self, high: bool) -> None:
        """What is sent to each unit now becomes its limit."""
        attribute = self.attribute.currentData()
        levels = {
            u: found
            for u in self.bench.selection.ids
            if attribute and (found := self.bench.levels.live.sent_levels(u, attribute))
        }
        if not levels:
            self.bench.tell(
                "attention",
                "None of the selected units has that attribute and an address, so nothing is "
                "sent to it now.",
            )
            return
        made = core.from_now(self.bench.show, levels, attribute, high, self.together.isChecked())
        self.bench.commit(self._name(f"limit {plain(attribute)} from now"), made)

    def _test(self) -> None:
        bench = self.bench
        if isinstance(bench.proving.proof, ProveLimits):
            bench.proving.end()
            return
        bench.guard(
            lambda: bench.proving.begin(
                lambda: ProveLimits(
                    bench.show, bench.levels.live, time.monotonic(), list(bench.selection.ids)
                )
            )
        )
        if bench.proving.proof is not None and not bench.levels.sending:
            bench.tell(
                "attention",
                "Output is off: nothing of this test leaves the computer until you switch it on.",
            )

    def _tested(self) -> None:
        """While the test runs: what is asked beside what is sent."""
        proof = (
            self.bench.proving.proof if isinstance(self.bench.proving.proof, ProveLimits) else None
        )
        self.test.setText("End the test" if proof else "Test limits")
        self.testing.setVisible(proof is not None)
        if proof is None:
            return
        rows = proof.beside()
        lines = [
            f"{b.number} {b.attribute}: asked {b.asked}, sent {b.sent}{'  held' if b.held else ''}"
            for b in rows[:6]
        ]
        self.testing.setText(
            "\n".join([*lines, *([f"and {len(rows) - 6} more"] if len(rows) > 6 else [])])
        )

    def _handle(self, **changes: Any) -> None:
        ids = list(self.bench.selection.ids)
        self.bench.guard(
            lambda: self.bench.commit(
                self._name("handling"), core.set_handling(self.bench.show, ids, **changes)
            )
        )
        self.refresh()

    def _offset(self, name: str) -> None:
        text = self.offsets[name].text().replace(",", ".").replace("−", "-").rstrip("° ")
        try:
            value = float(text or 0)
        except ValueError:
            self.bench.tell(
                "fault", f"“{text[:20]}” is not an offset. Write degrees, such as -12.5."
            )
            return
        units = self.bench.selection.units()
        if any(getattr(u.handling, name) != value for u in units):
            self._handle(**{name: value})

    def _curve(self, *_: object) -> None:
        kind = self.curve.currentData()
        changes: dict[str, Any] = {"curve": kind}
        self.points.setVisible(kind == "points")
        if kind == "points":
            try:
                changes["points"] = core.read_points(self.points.text() or "0 0, 50 50, 100 100")
            except EntryFault as fault:
                self.bench.tell("fault", str(fault))
                return
        units = self.bench.selection.units()
        if any(
            u.handling.curve != kind
            or ("points" in changes and u.handling.points != changes["points"])
            for u in units
        ):
            self._handle(**changes)

    def take_off(self) -> None:
        rows = [self.model.rows[at] for at in selected_rows(self.table)]
        show = self.bench.show
        for line in rows:
            show = core.take_off_line(show, line)
        self.bench.commit(f"remove {many(len(rows), 'limit')}", show)

    def take_all_off(self) -> None:
        show = self.bench.show
        for line in self.model.rows:
            show = core.take_off_line(show, line)
        self.bench.commit("remove all limits", show)
