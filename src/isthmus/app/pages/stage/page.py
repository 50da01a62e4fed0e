"""The Stage page: the rig in 3-D, as paper asks, as the rig does, both beside each other, or where
they differ.
"""

from __future__ import annotations

from typing import Any

import numpy as np
from msgspec.structs import replace as with_changes
from numpy.typing import NDArray
from PySide6.QtCore import QSignalBlocker, Qt
from PySide6.QtGui import QCloseEvent
from PySide6.QtWidgets import (
    QHBoxLayout,
    QPushButton,
    QSizePolicy,
    QSlider,
    QSplitter,
    QVBoxLayout,
    QWidget,
)

from isthmus.app.canvas.aim_bar import AimBar
from isthmus.app.canvas.plan_canvas import PlanCanvas
from isthmus.app.canvas.stage_drawing import StageDrawing
from isthmus.app.canvas.stage_view import StageView
from isthmus.app.canvas.structure_menu import structure_menu
from isthmus.app.kit.actions import Action
from isthmus.app.kit.first import FirstSteps
from isthmus.app.kit.theme import font
from isthmus.app.kit.widgets import bind, button, choice, label
from isthmus.app.model.house import House
from isthmus.app.pages.base import Page
from isthmus.app.pages.stage.actions import actions_of
from isthmus.output import RigView, compile_show
from isthmus.output.differ import Difference, differences, in_words
from isthmus.show.records import SLOTS, SavedView, Show, Vec3
from isthmus.stage import VIEWS, Camera
from isthmus.stage.camera import named
from isthmus.standin import rig_show, slots_by_unit

TRUTHS = ("Sent", "Simulated rig", "Side by side", "Difference")


class StagePage(Page):
    title = "Stage"
    context = (
        *(
            "units.light",
            "units.home",
            "units.release",
            "",
            "stage.fit_hand",
            "stage.aim",
            "units.fan",
            "",
        ),
        *("stage.sit", "stage.keep_view", "stage.picture", "", "plan.rearrange"),
    )

    def __init__(self, house: House) -> None:
        super().__init__(house)
        bench, actions, rig, kept = house.bench, house.actions, house.rig, house.settings
        self.rig = rig
        self.plan: PlanCanvas | None = None  # beside the stage, when it is wanted there
        self.choice = StageDrawing(kept)
        self.view = StageView(bench, self.choice)
        self.other = StageView(bench, self.choice)  # the rig's, when both are shown
        self.other.hide()
        self.truth = TRUTHS[0]
        self.differ: list[Difference] = []
        self._rig_view: RigView | None = None
        self._rig_show: Show | None = None
        self._frame: NDArray[np.uint8] | None = None
        self._apart: _Apart | None = None
        self._alone: Camera | None = None  # where one looked from before both were shown
        for view in (self.view, self.other):
            view.pictures.seen = self._say_rate
        self.add_switches(TRUTHS)
        self.switches[0].setChecked(True)
        self.mode = actions.button("plan.rearrange", "Rearrange", name="rearrange stage")
        self.mode.setCheckable(True)
        self.head.add(self.mode)
        row = QHBoxLayout()
        row.setContentsMargins(0, 0, 0, 6)
        row.setSpacing(4)
        self.places = choice("view from")
        self.places.activated.connect(lambda _: self.see_from(self.places.currentText()))
        row.addWidget(self.places)
        self.keep_view = actions.button("stage.keep_view", "Keep…", "quiet", name="keep view")
        row.addWidget(self.keep_view)
        row.addWidget(button("Fit", "quiet", self.view.fit))
        self.aim = actions.button("stage.aim", "Aim", name="aim on stage")
        self.aim.setCheckable(True)
        row.addWidget(self.aim)
        row.addWidget(actions.button("units.fan", "Fan…"))
        self.structures: QPushButton = button(
            "Structures ▾", run=self._structures, name="structures of stage"
        )
        row.addWidget(self.structures)
        row.addStretch(1)
        self.sliders: dict[str, QSlider] = {}
        for name, words in (("haze", "Haze"), ("room", "Room"), ("strength", "Beams")):
            row.addWidget(label(words, "quiet"))
            slider = QSlider(Qt.Orientation.Horizontal)
            slider.setRange(0, 200)
            slider.setFixedWidth(48)
            slider.setAccessibleName(words)
            slider.valueChanged.connect(lambda v, n=name: self.choice.change(**{n: v / 100}))
            self.sliders[name] = slider
            row.addWidget(slider)
        bind(self.choice.changed, self, self._show_drawing)
        self._show_drawing()
        row.addWidget(actions.button("stage.look", "Drawing…", "quiet", name="drawing"))
        self.more = button("More ▾", "quiet", self._more, name="more of stage")
        row.addWidget(self.more)
        self.column.addLayout(row)
        self.aim_bar = AimBar(bench)
        self.column.addWidget(self.aim_bar)
        self.split = QSplitter(Qt.Orientation.Horizontal)
        self.split.setHandleWidth(4)
        self.split.setChildrenCollapsible(False)
        self.split.addWidget(self.view)
        self.split.addWidget(self.other)
        self.column.addWidget(self.split, 1)
        foot = QHBoxLayout()
        self.foot = label(
            "Drag turns, the right button moves, the wheel comes nearer; a click selects a unit.",
            "quiet",
            "caption",
        )
        self.foot.setFont(font("caption", italic=False))
        self.foot.setFixedHeight(22)
        self.foot.setSizePolicy(
            QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed
        )  # it gives way to the pace
        foot.addWidget(self.foot, 1)
        self.pace = label("", "quiet", "caption", mono=True)
        foot.addSpacing(12)
        foot.addWidget(self.pace)
        self.column.addLayout(foot)
        self.first = FirstSteps(
            self.view,
            "Nothing on stage yet",
            "Add units and place them on plan; they hang here at the same places.",
            [
                actions.button("patch.add", "Add units…", height=30),
                actions.button("units.set_out", "Place on plan", height=30),
                actions.button("go.plan", "Go to Plan", height=30),
            ],
        )
        bind(self.view.tool_changed, self, self._say_tool)
        self.view.menu_wanted.connect(self.show_context)
        bind(bench.changed, self, self.refresh)
        bind(bench.plan.state_changed, self, self._say_state)
        bind(bench.levels.changed, self, self._compare)
        if rig is not None:
            rig.described.connect(self._described)
            rig.state.connect(self._state)
            rig.lost.connect(self._lost)
        else:
            for switch in self.switches[1:]:
                switch.setEnabled(False)
                switch.setToolTip(
                    "No simulator is running with this show. Open the demo, or start one "
                    "with isthmus-app --rig HOST:PORT"
                )
        self.refresh()

    def actions(self) -> list[Action]:
        return actions_of(self)

    def view_actions(self) -> list[Action]:
        return []  # what is shown of the rig has actions with keys of their own

    @property
    def view_names(self) -> tuple[str, ...]:
        return TRUTHS

    def show_view(self, name: str) -> None:
        self.acts.trigger(f"stage.{name.lower().replace(' ', '_')}")
        self.mark_switch(self.truth)

    def beside_plan(self) -> None:
        """Plan and stage next to each other, or the stage alone again."""
        if self.plan is not None:
            self.plan.setParent(None)
            self.plan.deleteLater()
            self.plan = None
            return
        self.house.go(self.title)
        self.plan = PlanCanvas(self.bench, follow=True)
        self.split.insertWidget(0, self.plan)
        self.split.setSizes([self.split.width() // 2] * 2)

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
        self.first.show_if(not placed and not self.bench.show.structures)
        self.head.say(str(placed), "placed", *([str(lost), "unplaced"] if lost else []))
        now = self.places.currentText()
        self.places.clear()
        for name in (*VIEWS, *(v.name for v in self.bench.show.views)):
            self.places.addItem(name)
        self.places.setCurrentIndex(max(0, self.places.findText(now)))

    def _show_drawing(self) -> None:
        for name, slider in self.sliders.items():
            with QSignalBlocker(slider):
                slider.setValue(round(100 * getattr(self.choice.now, name)))
        for view in (self.view, self.other):
            view.pictures.renew()

    def _say_state(self) -> None:
        self.mode.setChecked(self.bench.plan.rearranging)

    def _say_rate(self) -> None:
        view = self.view
        if view.pictures.count % 8:
            return
        coarser = view.pictures.scale > view.drawing.coarse
        words = f"{view.drawing.name}: {view.pictures.rate:.0f}/s"
        self.pace.setText(
            words
            + (
                f", beams drawn {view.pictures.scale} px coarse to hold {view.drawing.hold}/s"
                if coarser
                else ""
            )
        )
        if self.truth == "Side by side" and self.other.camera != view.camera:
            self.other.set_camera(view.camera)

    # ------------------------------------------------------------ views

    def see_from(self, name: str) -> None:
        kept = next((v for v in self.bench.show.views if v.name == name), None)
        if name in VIEWS:
            space = self.view.staged.space()
            rig = self.view.staged.source()[0].rig
            there = np.delete(rig.positions, space.strays, axis=0)
            aspect = self.view.width() / max(self.view.height(), 1)
            camera = named(name, there, space.low, space.high, aspect)
        else:
            camera = (
                Camera(kept.target, kept.distance, kept.bearing, kept.height, kept.fov)
                if kept
                else None
            )
        if camera is not None:
            self.view.set_camera(camera)
            self.places.setCurrentIndex(self.places.findText(name))

    def take_view(self, name: str) -> None:
        """Keep the present view under a name."""
        name = " ".join(name.split())[:40]
        if not name or name in VIEWS:
            self.bench.tell("attention", "A view needs a name of its own.")
            return
        c = self.view.camera
        made = SavedView(
            name=name,
            target=c.target,
            distance=c.distance,
            bearing=c.bearing,
            height=c.height,
            fov=c.fov,
        )
        views = (*(v for v in self.bench.show.views if v.name != name), made)
        self.bench.commit(f"save view {name}", with_changes(self.bench.show, views=views))
        self.places.setCurrentIndex(self.places.findText(name))

    def forget_view(self) -> None:
        name = self.places.currentText()
        if any(v.name == name for v in self.bench.show.views):
            views = tuple(v for v in self.bench.show.views if v.name != name)
            self.bench.commit(f"delete view {name}", with_changes(self.bench.show, views=views))

    def switch_aim(self) -> None:
        self.view.set_tool(None if self.view.tool is self.aim_bar else self.aim_bar)

    def _say_tool(self) -> None:
        on = self.view.tool is self.aim_bar
        self.aim.setChecked(on)
        self.aim_bar.setVisible(on)
        self.aim_bar.refresh()

    def sit(self) -> None:
        """The next click on the stage is the seat to see from."""
        self.view.set_tool(_Seat(self))

    def _structures(self) -> None:
        structure_menu(self, self.bench).exec(
            self.structures.mapToGlobal(self.structures.rect().bottomLeft())
        )

    def _more(self) -> None:
        menu = self.acts.menu(
            (
                "stage.sit",
                "stage.forget_view",
                "",
                "stage.picture",
                "",
                "stage.apart",
                "stage.beside_plan",
                "stage.full",
            ),
            self,
        )
        menu.exec(self.more.mapToGlobal(self.more.rect().bottomLeft()))

    # ------------------------------------------------------------ the two truths

    def show_truth(self, truth: str) -> None:
        self.truth = truth
        self.mark_switch(truth)
        if truth != "Simulated rig":
            self.view.rig_view = self.view.rig_frame = self.view.rig_show = None
        self.view.wrong = {}
        self.other.setVisible(truth == "Side by side")
        if truth == "Side by side":
            self.split.setSizes([self.split.width() // 2] * self.split.count())
            self._alone = self._alone or self.view.camera
            self.view.fit()  # half as wide, and still all of it
        elif self._alone is not None:
            self.view.set_camera(self._alone)
            self._alone = None
        self.differ = []
        sloping = truth != TRUTHS[0]
        self.foot.setFont(font("caption", italic=sloping))
        self.foot.setText(
            "Simulated rig: asking…"
            if sloping
            else "The levels this show sends, on the units as patched."
        )
        self._watch()
        self.view.pictures.renew()

    def _watch(self) -> None:
        if self.rig:
            self.rig.watch(self.isVisible() and self.truth != TRUTHS[0])

    def _described(self, description: dict[str, Any]) -> None:
        show = self._rig_show = rig_show(description, self.bench.show)
        self._rig_view = RigView(show, compile_show(show, tuple(range(1, len(show.units) + 1))))

    def _state(self, state: dict[str, Any]) -> None:
        if self._rig_view is None or self._rig_show is None or self.truth == TRUTHS[0]:
            return
        frame = np.zeros(len(self._rig_show.units) * SLOTS, np.uint8)
        for row, slots in enumerate(slots_by_unit(state).values()):
            frame[row * SLOTS : row * SLOTS + len(slots)] = slots
        self._frame = frame
        shown = {"Simulated rig": self.view, "Side by side": self.other}.get(self.truth)
        if shown is not None:
            shown.rig_view, shown.rig_frame, shown.rig_show = self._rig_view, frame, self._rig_show
            shown.pictures.renew()
        lit = [u["label"] for u in state["units"] if u["level"] > 0.002]
        packets = sum(p["packets"] for p in state["ports"])
        words = (
            f"lit: {', '.join(lit[:12])}{' …' if len(lit) > 12 else ''}"
            if lit
            else "nothing is lit"
        )
        self.foot.setText(
            f"What the simulated rig does with what its nodes received ({packets} packets): "
            f"{words}."
        )
        self._compare()

    def _compare(self) -> None:
        """Where they differ: told below, and written beside the units, which are selected."""
        if self.truth != "Difference" or self._rig_view is None or self._frame is None:
            return
        self.differ = differences(
            (self.bench.levels.view, self.bench.levels.live.frame), (self._rig_view, self._frame)
        )
        self.foot.setText(in_words(self.differ))
        ids = {u.number: u.id for u in self.bench.show.units}
        self.view.wrong = {
            ids[d.number]: (d.words, d.severity) for d in self.differ if d.number in ids
        }
        self.view.update()

    def _lost(self, why: str) -> None:
        if self.truth != TRUTHS[0]:
            self.foot.setText(why)

    # ------------------------------------------------------------ other places

    def set_apart(self) -> None:
        """The stage in a window of its own, for another screen; closing it brings it back."""
        if self._apart is None:
            self._apart = _Apart(self)
            self._apart.show()
        else:
            self._apart.close()

    def full(self) -> None:
        """The stage over the whole screen; Escape or the same key ends it."""
        if self._apart is None:
            self.set_apart()
        assert self._apart is not None
        if self._apart.isFullScreen():
            self._apart.close()
        else:
            self._apart.showFullScreen()

    def shut_down(self) -> None:
        if self._apart is not None:
            self._apart.close()
        self.view.pictures.stop()
        self.other.pictures.stop()


class _Seat:
    """The tool that sits a person down."""

    words = "Click the seat to see from"

    def __init__(self, page: StagePage) -> None:
        self.page = page

    def point(self, at: Vec3, last: bool) -> None:
        if last:
            self.page.view.set_tool(None)
            self.page.view.sit(at)


class _Apart(QWidget):
    """A window that holds the stage while it is away from its page."""

    def __init__(self, page: StagePage) -> None:
        super().__init__(None, Qt.WindowType.Window)
        self.page = page
        self.setObjectName("stage apart")
        self.setWindowTitle("Stage — Isthmus")
        self.resize(1280, 800)
        inside = QVBoxLayout(self)
        inside.setContentsMargins(0, 0, 0, 0)
        inside.addWidget(page.split)
        page.view.show()

    def closeEvent(self, event: QCloseEvent) -> None:
        page = self.page
        page._apart = None
        page.column.insertWidget(page.column.indexOf(page.aim_bar) + 1, page.split, 1)
        self.deleteLater()
        super().closeEvent(event)
