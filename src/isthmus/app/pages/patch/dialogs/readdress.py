"""Re-address: what is asked, then before and after, and the units that would have to be set again
on the rig.
"""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import QRectF, QTimer
from PySide6.QtGui import QGuiApplication, QPainter, QPaintEvent
from PySide6.QtWidgets import QCheckBox, QGridLayout, QHBoxLayout, QSpinBox, QWidget

from isthmus.app.kit import paint
from isthmus.app.kit.dialogs import Frame
from isthmus.app.kit.painted import Painted
from isthmus.app.kit.tasks import Task
from isthmus.app.kit.theme import SIZE, font, pen, theme
from isthmus.app.kit.widgets import RowsModel, button, choice, label, plain_table
from isthmus.app.model.workbench import Workbench
from isthmus.errors import IsthmusError
from isthmus.patch.addresses import Move
from isthmus.patch.index import index_of
from isthmus.patch.readdress import HOWS, Plan, Wanted, readdress
from isthmus.plural import many
from isthmus.show import write_address
from isthmus.show.records import SLOTS, Patched, Show
from isthmus.show.versions import with_version


def _places(patch: Sequence[Patched]) -> str:
    return ", ".join(write_address(p.universe, p.address) for p in patch) or "none"


class MovesModel(RowsModel):
    COLUMNS = ("Unit", "Name", "Position", "Now", "Then")
    MONO = (0, 3, 4)

    def __init__(self, bench: Workbench) -> None:
        super().__init__()
        self.bench = bench

    def cells(self, row: Move) -> Sequence[str]:
        unit = index_of(self.bench.show).by_id.get(row.unit)
        named = (unit.name, unit.hangs_on) if unit else ("", "")
        return str(row.number), *named, _places(row.before), _places(row.after)


class Overview(Painted, QWidget):
    """Every universe as a thin bar, before at the left and after at the right; what moves
    is coral.
    """

    MOST = 14

    def __init__(self) -> None:
        super().__init__()
        self.sides: list[tuple[str, Show]] = []
        self.moved: frozenset[str] = frozenset()
        self.setFixedHeight(20 + 4 * 11)

    def show_plan(self, before: Show, plan: Plan | None) -> None:
        self.sides = [("Now", before), *([("Then", plan.show)] if plan else [])]
        self.moved = frozenset(move.unit for move in plan.moves) if plan else frozenset()
        rows = max(min(self.MOST, len(index_of(show).universes)) for _, show in self.sides)
        self.setFixedHeight(20 + 11 * max(4, rows))
        self.update()

    def draw(self, p: QPainter, event: QPaintEvent) -> None:
        width = (self.width() - 24) / 2
        for side, (words, show) in enumerate(self.sides):
            index = index_of(show)
            x = side * (width + 24)
            count = len(index.universes)
            told = f"{words}: {many(count, 'universe')}" + (
                f", the first {self.MOST} drawn" if count > self.MOST else ""
            )
            paint.text(p, x, 0, told, font("caption", 500), "text2", height=16)
            for row, number in enumerate(sorted(index.universes)[: self.MOST]):
                y, left = 20 + row * 11, x + 34
                k = (width - 34) / SLOTS
                paint.text(
                    p, x, y - 2, str(number), font("tick", mono=True), "text2", paint.RIGHT, 28, 11
                )
                p.fillRect(QRectF(left, y, width - 34, 8), theme.color("water2"))
                for span in index.universe(number).spans:
                    r = QRectF(left + (span.start - 1) * k, y, max(1.0, span.length * k - 0.5), 8)
                    p.fillRect(
                        r,
                        theme.color("coral") if span.unit in self.moved else theme.universe(number),
                    )
                p.setPen(pen("line", 1))
                p.drawRect(QRectF(left, y, width - 34, 8))


class ReaddressDialog(Frame):
    def __init__(self, bench: Workbench, parent: QWidget) -> None:
        super().__init__(parent, "Re-address", "Re-address", self._take, 900)
        self.setObjectName("re-address")
        self.bench = bench
        self.plan: Plan | None = None
        self._task: Task | None = None
        self.resize(940, 640)
        grid = QGridLayout()
        grid.setHorizontalSpacing(12)
        self.how = choice("how", list(HOWS.items()))
        self.spare, self.every, self.first = (
            self._spin("spare slots", 0, 0, 500),
            self._spin("round starts", 1, 1, 128),
            self._spin("first universe", 1, 1, 63999),
        )
        self.together = QCheckBox("Identical units follow one another")
        self.hand = QCheckBox(f"Only what is selected ({len(bench.selection.ids)})")
        self.hand.setEnabled(len(bench.selection.ids) > 1)
        for box in (self.together, self.hand):
            box.setFont(font("table"))
        rows = (
            ("How", self.how, "Spare slots in each universe", self.spare),
            ("From universe", self.first, "Starts at 1, then every", self.every),
        )
        for y, (a, left, b, right) in enumerate(rows):
            grid.addWidget(label(a, "quiet"), y, 0)
            grid.addWidget(left, y, 1)
            grid.addWidget(label(b, "quiet"), y, 2)
            grid.addWidget(right, y, 3)
        grid.addWidget(self.together, 2, 1)
        grid.addWidget(self.hand, 2, 3)
        grid.setColumnStretch(1, 1)
        self.body.addLayout(grid)
        self.outcome = label("", size="body", weight=500, wrap=True)
        self.outcome.setMinimumHeight(40)
        self.body.addWidget(self.outcome)
        self.overview = Overview()
        self.body.addWidget(self.overview)
        self.model = MovesModel(bench)
        self.table = plain_table(
            self.model, "moves", "Units that would be set again", (56, 160, 160, 120, 120), 1
        )
        self.body.addWidget(self.table, 1)
        foot = QHBoxLayout()
        self.labels = button("Copy labels for these", run=self._labels)
        foot.addWidget(
            label(
                "Locked units and those with addresses of their own stay where they are.",
                "quiet",
                "caption",
            ),
            1,
        )
        foot.addWidget(self.labels)
        self.body.addLayout(foot)
        self._later = QTimer(self)
        self._later.setSingleShot(True)
        self._later.timeout.connect(self._solve)
        self.how.currentIndexChanged.connect(lambda _: self._later.start(60))
        for spin in (self.spare, self.every, self.first):
            spin.valueChanged.connect(lambda _: self._later.start(250))
        for box in (self.together, self.hand):
            box.toggled.connect(lambda _: self._later.start(60))
        self.finished.connect(lambda _: self._stop())
        self._solve()

    def _spin(self, name: str, value: int, low: int, high: int) -> QSpinBox:
        made = QSpinBox()
        made.setRange(low, high)
        made.setValue(value)
        made.setObjectName(name)
        made.setAccessibleName(name)
        made.setFont(font("table", 500, mono=True))
        made.setFixedHeight(SIZE["control"])
        made.lineEdit().setTextMargins(8, 0, 0, 0)
        return made

    def _wanted(self) -> Wanted:
        units = tuple(self.bench.selection.ids) if self.hand.isChecked() else ()
        return Wanted(
            self.how.currentData(),
            self.spare.value(),
            self.every.value(),
            self.together.isChecked(),
            self.first.value(),
            units,
        )

    def _stop(self) -> None:
        if self._task is not None:
            self._task.cancel()
            self._task.wait()
            self._task = None

    def _solve(self) -> None:
        """Solve off the interface thread; what was asked before is given up."""
        self._stop()
        show, wanted = self.bench.show, self._wanted()
        self.primary.setEnabled(False)
        self.outcome.setText("Solving …")
        index_of(show)
        self._task = Task(lambda step: readdress(show, wanted, step), self)
        self._task.done.connect(self._solved)
        self._task.failed.connect(self._failed)
        self._task.start()

    def _failed(self, error: IsthmusError) -> None:
        self.plan = None
        self.outcome.setText("")
        self.say_trouble(str(error))
        self._show()

    def _solved(self, plan: Plan) -> None:
        self.say_trouble("")
        self.plan = plan
        before, after = plan.universes
        count = len(plan.moves)
        text = (
            f"{count} of {plan.considered} units would have to be set again on the rig; {before} "
            f"universes become {after}."
        )
        if plan.left:
            first = "; ".join(f"{number}: {why}" for number, why in plan.left[:3])
            text += (
                f" {len(plan.left)} stay as they are ({first}{' …' if len(plan.left) > 3 else ''})."
            )
        self.outcome.setText(
            text
            if count
            else "Everything may stay where it is."
            + (text[text.find(".") + 1 :] if plan.left else "")
        )
        self.primary.setText(f"Re-address {many(count, 'unit')}" if count else "Re-address")
        self.primary.setEnabled(bool(count))
        self._show()

    def _show(self) -> None:
        self.model.take(self.plan.moves if self.plan else ())
        self.labels.setEnabled(bool(self.plan and self.plan.moves))
        self.overview.show_plan(self.bench.show, self.plan)

    def _labels(self) -> None:
        lines = ["\t".join(MovesModel.COLUMNS)]
        lines += [
            "\t".join(str(self.model.index(y, x).data()) for x in range(5))
            for y in range(self.model.count())
        ]
        QGuiApplication.clipboard().setText("\n".join(lines) + "\n")
        self.outcome.setText(
            f"{self.model.count()} labels are copied: unit, name, position, address now, "
            "address then."
        )

    def _take(self) -> bool:
        if self.plan is None:
            return False
        moved = many(len(self.plan.moves), "unit")
        made = with_version(
            self.plan.show, self.bench.show, why=f"before {moved} got new addresses"
        )
        if self.plan.moves:
            self.bench.commit(f"re-address {moved}", made)
        self.bench.selection.select([move.unit for move in self.plan.moves])
        return True
