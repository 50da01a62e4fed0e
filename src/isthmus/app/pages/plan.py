"""The Plan page: the rig from above, to scale. Using and rearranging are two plainly different states."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QHBoxLayout

from isthmus.app.actions import Action, Registry
from isthmus.app.pages.plan_canvas import PlanCanvas
from isthmus.app.widgets import Page, bind, button, label
from isthmus.app.workbench import Workbench
from isthmus.stage import set_out


class PlanPage(Page):
    title = "Plan"

    def __init__(self, bench: Workbench, actions: Registry) -> None:
        super().__init__()
        self.bench = bench
        self.canvas = PlanCanvas(bench)
        self.mode = button("Rearrange", run=lambda: actions.trigger("plan.rearrange"))
        self.mode.setCheckable(True)
        self.head.add(button("Fit all", run=lambda: actions.trigger("plan.fit")))
        self.head.add(button("Fit units in hand", run=lambda: actions.trigger("plan.fit_hand")))
        self.head.add(self.mode)
        row = QHBoxLayout()
        row.setContentsMargins(0, 0, 0, 8)
        self.words = label("", "quiet")
        row.addWidget(self.words)
        row.addStretch(1)
        self.unplaced = button("", "link", self._set_out)
        row.addWidget(self.unplaced)
        self.column.addLayout(row)
        self.column.addWidget(self.canvas, 1)
        bind(bench.changed, self, self.refresh)
        self.refresh()
        self.say_mode()

    def entered(self) -> None:
        self.canvas.setFocus(Qt.FocusReason.OtherFocusReason)

    def refresh(self) -> None:
        units = self.bench.show.units
        placed = sum(u.position is not None for u in units)
        self.head.say(str(placed), "of", str(len(units)), "units have a place")
        left = [u for u in units if u.position is None]
        self.unplaced.setVisible(bool(left))
        self.unplaced.setText(
            f"Set out the {len(left)} without a place" if len(left) != 1 else f"Set out {left[0].number}, which has no place"
        )

    def say_mode(self) -> None:
        on = self.canvas.rearranging
        self.mode.setChecked(on)
        self.words.setText(
            "Rearranging: a drag moves by 5 cm; arrow keys nudge." if on else "Using: clicks and drags choose, and nothing moves."
        )
        self.canvas.update()

    def toggle(self) -> None:
        self.canvas.rearranging = not self.canvas.rearranging
        self.say_mode()

    def _set_out(self) -> None:
        left = [u.id for u in self.bench.show.units if u.position is None]
        self.bench.guard(lambda: self.bench.commit(f"set out {len(left)} units", set_out(self.bench.show, left)))


def register(actions: Registry, page: PlanPage) -> None:
    bench, canvas = page.bench, page.canvas
    actions.add(
        Action("plan.rearrange", "Rearrange", page.toggle, "R", help="Switch between using the plan and rearranging it", group="Plan"),
        Action("plan.fit", "Fit all", lambda: canvas.fit(), "Ctrl+0", group="Plan"),
        Action("plan.fit_hand", "Fit units in hand", lambda: canvas.fit(list(bench.selection)), "Ctrl+Shift+0", "selection", group="Plan"),
        Action("plan.nearer", "Zoom in", lambda: canvas.zoom(1.25), "Ctrl++", group="Plan"),
        Action("plan.further", "Zoom out", lambda: canvas.zoom(0.8), "Ctrl+-", group="Plan"),
        Action(
            "units.set_out",
            "Set out on the plan",
            lambda: bench.commit("set out", set_out(bench.show, list(bench.selection))),
            "Ctrl+Shift+P",
            "selection",
            help="Place units on the structure their hang position names, else in front",
            group="Plan",
        ),
    )
