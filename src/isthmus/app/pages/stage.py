"""The Stage page: the rig in 3-D, either as what is sent or as what the rig does."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QHBoxLayout, QSlider

from isthmus.app.actions import Action, Registry
from isthmus.app.pages.stage_view import StageView
from isthmus.app.rig_link import RigLink
from isthmus.app.theme import font
from isthmus.app.widgets import Page, bind, button, label
from isthmus.app.workbench import Workbench
from isthmus.output import RigView, compile_show
from isthmus.show.records import SLOTS
from isthmus.stage import VIEWS
from isthmus.standin import rig_show, slots_by_unit


class StagePage(Page):
    title = "Stage"

    def __init__(self, bench: Workbench, actions: Registry, rig: RigLink | None) -> None:
        super().__init__()
        self.bench, self.rig = bench, rig
        self.view = StageView(bench)
        self._rig_view: RigView | None = None
        self.sent = button("What is sent", run=lambda: actions.trigger("stage.sent"))
        self.does = button("What the rig does", run=lambda: actions.trigger("stage.rig"))
        for choice in (self.sent, self.does):
            choice.setCheckable(True)
            self.head.add(choice)
        self.sent.setChecked(True)
        row = QHBoxLayout()
        row.setContentsMargins(0, 0, 0, 8)
        row.setSpacing(4)
        row.addWidget(label("From", "quiet"))
        for name in VIEWS:
            row.addWidget(button(name, "quiet", lambda n=name: self.view.set_camera(VIEWS[n])))
        row.addWidget(button("Fit", "quiet", self.view.fit))
        row.addStretch(1)
        self.sliders: dict[str, QSlider] = {}
        for name, value in (("haze", 100), ("room", 100), ("strength", 100)):
            words = {"haze": "Haze", "room": "Room", "strength": "Beams"}[name]
            row.addWidget(label(words, "quiet"))
            slider = QSlider(Qt.Orientation.Horizontal)
            slider.setRange(0, 200)
            slider.setValue(value)
            slider.setFixedWidth(60)
            slider.setAccessibleName(words)
            slider.valueChanged.connect(lambda v, n=name: self._look(n, v / 100))
            self.sliders[name] = slider
            row.addWidget(slider)
            row.addSpacing(2)
        self.column.addLayout(row)
        self.column.addWidget(self.view, 1)
        self.foot = label("Drag turns, the right button moves, the wheel comes nearer; a click takes a unit in hand.", "quiet", "caption")
        self.foot.setFont(font("caption", italic=False))
        self.foot.setFixedHeight(22)
        self.column.addWidget(self.foot)
        bind(bench.changed, self, self.refresh)
        if rig is not None:
            rig.described.connect(self._described)
            rig.state.connect(self._state)
            rig.lost.connect(self._lost)
        else:
            self.does.setEnabled(False)
            self.does.setToolTip("No stand-in rig runs beside this show. Start the demo, or: isthmus-app --rig HOST:PORT")
        self.refresh()

    def entered(self) -> None:
        self.view.setFocus(Qt.FocusReason.OtherFocusReason)
        self._watch()

    def left(self) -> None:
        if self.rig:
            self.rig.watch(False)

    def refresh(self) -> None:
        units = self.bench.show.units
        placed = sum(u.position is not None for u in units)
        lost = len(units) - placed
        self.head.say(str(placed), "units stand here", *([str(lost), "have no place"] if lost else []))

    def _look(self, name: str, value: float) -> None:
        self.view.look = replace(self.view.look, **{name: value})
        self.view.renew()

    # ------------------------------------------------------------ the two truths

    def show_sent(self) -> None:
        self.sent.setChecked(True)
        self.does.setChecked(False)
        self.view.rig_view = self.view.rig_frame = None
        self.foot.setText("What is sent: the levels this show sends, on the units as the paper has them.")
        self.foot.setFont(font("caption"))
        self._watch()
        self.view.renew()

    def show_rig(self) -> None:
        self.sent.setChecked(False)
        self.does.setChecked(True)
        self.foot.setFont(font("caption", italic=True))
        self.foot.setText("What the rig does: asking…")
        self._watch()

    def _watch(self) -> None:
        if self.rig:
            self.rig.watch(self.isVisible() and self.does.isChecked())

    def _described(self, description: dict[str, Any]) -> None:
        show = rig_show(description, self.bench.show)
        self._rig_view = RigView(show, compile_show(show, tuple(range(1, len(show.units) + 1))))
        self._rows = len(show.units)

    def _state(self, state: dict[str, Any]) -> None:
        if self._rig_view is None or not self.does.isChecked():
            return
        frame = np.zeros(self._rows * SLOTS, np.uint8)
        for row, slots in enumerate(slots_by_unit(state).values()):
            frame[row * SLOTS : row * SLOTS + len(slots)] = slots
        self.view.rig_view, self.view.rig_frame = self._rig_view, frame
        lit = [u["label"] for u in state["units"] if u["level"] > 0.002]
        packets = sum(p["packets"] for p in state["ports"])
        words = f"lit: {', '.join(lit[:12])}{' …' if len(lit) > 12 else ''}" if lit else "nothing is lit"
        self.foot.setText(f"What the rig does, from what its nodes received ({packets} packets): {words}.")
        self.view.renew()

    def _lost(self, why: str) -> None:
        if self.does.isChecked():
            self.foot.setText(why)


def register(actions: Registry, page: StagePage) -> None:
    actions.add(
        Action("stage.sent", "Show what is sent", page.show_sent, "Ctrl+[", group="Stage"),
        Action("stage.rig", "Show what the rig does", page.show_rig, "Ctrl+]", "rig", group="Stage"),
        Action("stage.fit", "Fit the stage", page.view.fit, "Ctrl+Shift+Home", group="Stage"),
        *(
            Action(
                f"stage.view.{name.lower()}", f"See the stage from: {name}", lambda n=name: page.view.set_camera(VIEWS[n]), group="Stage"
            )
            for name in VIEWS
        ),
    )
