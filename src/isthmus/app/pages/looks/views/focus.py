"""Focus: unit by unit through a position palette, aimed by mouse on stage or plan, or by hand."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QHBoxLayout, QSplitter

from isthmus.app.canvas.plan_canvas import PlanCanvas
from isthmus.app.canvas.stage_view import StageView
from isthmus.app.canvas.tools import Pointing
from isthmus.app.kit.first import FirstSteps
from isthmus.app.kit.widgets import (
    PageView,
    bind,
    bind_seen,
    button,
    choice,
    column_of,
    label,
    tick,
)
from isthmus.app.model.focus import Focus
from isthmus.app.model.saving import save_paper
from isthmus.app.model.workbench import Workbench
from isthmus.looks import wish_of
from isthmus.looks.edits import of_kind
from isthmus.looks.words import say
from isthmus.papers.evening import focus_sheet
from isthmus.plural import many
from isthmus.show.records import Vec3


class FocusView(PageView):
    def __init__(self, bench: Workbench, focus: Focus, stage: StageView) -> None:
        super().__init__()
        self.bench, self.stage, self.focus = bench, stage, focus
        self.plan = PlanCanvas(bench)
        self.words = "Click or drag where the unit is to point"
        column = column_of(self)
        column.addLayout(self._head())
        self.split = QSplitter(Qt.Orientation.Horizontal)
        self.split.setChildrenCollapsible(False)
        self.split.addWidget(self.plan)
        column.addWidget(self.split, 1)
        self.title = label("", size="section", weight=600)
        self.wish = label("", "quiet")
        self.state = label("", "quiet")
        self.state.setObjectName("focus state")
        told = QHBoxLayout()
        told.setSpacing(14)
        told.addWidget(self.title)
        told.addWidget(self.wish)
        told.addWidget(self.state, 1)
        column.addLayout(told)
        column.addLayout(self._foot())
        self.first = FirstSteps(
            self,
            "No positions yet",
            "Focus goes through the units of a position palette, one by one. "
            "Make one under Palettes first, or the starter set.",
        )
        self._aimer = Pointing(self.plan, self.point, lambda: self.words, self._rest)
        bind(bench.changed, self, self.refresh)
        bind_seen(bench.selection.changed, self, self._tell)
        bind_seen(bench.levels.changed, self, self._tell)
        bind(self.focus.changed, self, self._stepped)
        self.refresh()

    def _head(self) -> QHBoxLayout:
        row = QHBoxLayout()
        row.setSpacing(6)
        row.addWidget(label("Position", "quiet"))
        self.which = choice("focus palette")
        self.which.setMinimumWidth(170)
        row.addWidget(self.which)
        self.start = button("Begin", run=self.begin, name="begin focus")
        row.addWidget(self.start)
        self.whom = label("", "quiet")
        row.addWidget(self.whom, 1)
        row.addWidget(button("Focus sheet…", run=self.save_sheet, name="focus sheet"))
        return row

    def _foot(self) -> QHBoxLayout:
        row = QHBoxLayout()
        row.setSpacing(6)
        self.next = button("Keep and next", "primary", self.keep, 30, "focus next")
        row.addWidget(self.next)
        self.ways = [
            button("Skip", run=lambda: self.focus.step(1, learn=False), name="focus skip"),
            button("Back", run=lambda: self.focus.step(-1, learn=False), name="focus back"),
            button("End focus", run=self.focus.end, name="end focus"),
        ]
        for one in self.ways:
            row.addWidget(one)
        row.addSpacing(10)
        self.all = tick("The point is for all units", "point for all")
        row.addWidget(self.all)
        row.addStretch(1)
        return row

    # ------------------------------------------------------------ what is so

    def entered(self) -> None:
        self.split.insertWidget(0, self.stage)
        self.split.setSizes([500, 400])
        self.stage.setObjectName("stage to focus on")
        self.stage.setAccessibleName("Stage: click where the unit is to point")
        self.stage.fit()
        self.plan.sight.fit()
        self._stepped()

    def left(self) -> None:
        self.focus.end()
        self._stepped()

    def refresh(self) -> None:
        positions, here = of_kind(self.bench.show, "position"), self.which.currentData()
        self.first.show_if(not positions)
        self.which.clear()
        for one in positions:
            self.which.addItem(f"{one.number}  {one.name}", one.id)
        self.which.setCurrentIndex(max(0, self.which.findData(here)))
        self._tell()

    def _stepped(self) -> None:
        """Another unit is lit, or none: the mouse aims while one is."""
        on = self.focus.running
        self.stage.set_tool(self if on else None)
        self.plan.set_tool(self._aimer if on else None)
        for part in (self.next, *self.ways):
            part.setEnabled(on)
        self.which.setEnabled(not on)
        self.start.setEnabled(not on)
        self.all.setEnabled(on)
        self._tell()
        if on:
            self.next.setFocus(Qt.FocusReason.OtherFocusReason)

    def _tell(self) -> None:
        focus, unit, palette = self.focus, self.focus.unit, self.focus.palette
        if unit is None or palette is None:
            self.title.setText("Not begun")
            self.wish.setText("")
            self.state.setText("")
            able = self.focus.able()
            chosen = "selected " if self.bench.selection.ids else ""
            self.whom.setText(f"for {many(len(able), f'{chosen}unit')} that turn" if able else "")
            return
        self.whom.setText("")
        self.title.setText(f"{focus.at + 1} of {len(focus.ids)}:  {unit.number}  {unit.name}")
        self.wish.setText(f"{palette.name}: {say(wish_of(palette, unit))}")
        self.state.setText(focus.words())

    # ------------------------------------------------------------ acts

    def save_sheet(self) -> None:
        """Where each unit points, on paper."""
        save_paper(self.bench, self, "focus sheet", lambda: focus_sheet(self.bench.show))

    def begin(self) -> None:
        self.focus.begin(self.which.currentData() or "", self.focus.able())

    def keep(self) -> None:
        self.focus.step(1, for_all=self.all.isChecked())

    def point(self, at: Vec3, last: bool) -> None:
        """The tool of stage and plan."""
        self.focus.point(at, last)

    def _rest(self) -> Vec3:
        """What a sheet does not show of a point: that of the palette."""
        unit, palette = self.focus.unit, self.focus.palette
        wish = wish_of(palette, unit) if unit and palette else None
        return (wish.point if wish else None) or (0.0, 0.0, 0.0)
