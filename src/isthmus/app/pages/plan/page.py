"""The Plan page: sheets of the rig, to scale. Using and rearranging are two plainly different
states.
"""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QPoint, Qt
from PySide6.QtWidgets import QHBoxLayout, QMenu, QPushButton

from isthmus.app.canvas.aim_bar import AimBar
from isthmus.app.canvas.plan_canvas import PlanCanvas
from isthmus.app.canvas.structure_menu import structure_menu
from isthmus.app.canvas.tools import Pointing
from isthmus.app.kit.actions import Action
from isthmus.app.kit.dialogs import ask_text
from isthmus.app.kit.first import FirstSteps
from isthmus.app.kit.widgets import bind, button, choice, field, label, plain_tip, set_property
from isthmus.app.model.house import House
from isthmus.app.pages.base import Page
from isthmus.app.pages.plan.actions import actions_of
from isthmus.app.pages.plan.arranging import Arranging
from isthmus.app.pages.plan.dialogs.sheets import LabelsDialog, NewSheet, PrintDialog
from isthmus.app.pages.plan.models.shown import read_filter
from isthmus.app.pages.plan.underlays import UnderlayDialog
from isthmus.app.pages.plan.views.lux_layer import LuxLayer
from isthmus.app.pages.plan.views.place_bar import PlaceBar
from isthmus.errors import IsthmusError
from isthmus.layout import set_out
from isthmus.plural import many
from isthmus.sheets.arrangement import keep_arrangement, laid_again, laid_by_group
from isthmus.sheets.sheets import add_units, duplicate, remove, rename, reorder, sheets_of, take_off
from isthmus.show.records import Sheet


class PlanPage(Page):
    title = "Plan"
    context = (
        *(
            "units.light",
            "units.home",
            "units.release",
            "",
            "plan.fit_hand",
            "plan.aim",
            "units.fan",
            "",
        ),
        *(
            "place.one",
            "place.line",
            "place.path",
            "place.circle",
            "place.grid",
            "units.set_out",
            "",
        ),
        *("units.lock_place", "plan.rearrange"),
    )

    def __init__(self, house: House) -> None:
        super().__init__(house)
        bench, actions = house.bench, house.actions
        self.canvas = PlanCanvas(bench, follow=True)
        self.arranging = Arranging(bench, self.canvas, self)
        self.lux = LuxLayer(bench, self.canvas)
        self.sheets = choice("sheet")
        self.sheets.setMinimumWidth(120)
        self.sheets.activated.connect(lambda _: bench.plan.turn_to(self.sheets.currentData()))
        self.head.add(self.sheets)
        self.sheet_more = button("Sheet ▾", run=self._sheet_menu, name="sheet menu")
        self.head.add(self.sheet_more)
        self.head.add(actions.button("plan.fit", "Fit"))
        self.head.add(actions.button("plan.back", "Back"))
        self.mode = actions.button("plan.rearrange", "Rearrange")
        self.mode.setCheckable(True)
        self.head.add(self.mode)
        row = QHBoxLayout()
        row.setContentsMargins(0, 0, 0, 6)
        row.setSpacing(5)
        self.unplaced = button("", "link", self._set_out, name="place unplaced")
        row.addWidget(self.unplaced)
        self.filter = field("plan filter", "", "show only: 101-106, a name, universe 3…")
        self.filter.setMinimumWidth(120)
        self.filter.setMaximumWidth(260)
        self.filter.textChanged.connect(lambda _: self._filter())
        row.addWidget(self.filter, 1)
        self.chooser = button(
            "Select ▾",
            run=lambda: self._drop(self.chooser, self.arranging.choose_menu()),
            name="choose menu",
        )
        row.addWidget(self.chooser)
        self.arranger = button(
            "Arrange ▾",
            run=lambda: self._drop(self.arranger, self.arranging.menu()),
            name="arrange menu",
        )
        row.addWidget(self.arranger)
        self.structures = button(
            "Structures ▾",
            run=lambda: self._drop(self.structures, structure_menu(self, bench)),
            name="structures of plan",
        )
        row.addWidget(self.structures)
        self.aim = actions.button("plan.aim", "Aim", name="aim on plan")
        self.aim.setCheckable(True)
        row.addWidget(self.aim)
        self.lux_button = actions.button("plan.lux", "Lux", name="lux")
        self.lux_button.setCheckable(True)
        row.addWidget(self.lux_button)
        row.addStretch()
        self.column.addLayout(row)
        self.place = PlaceBar(bench, self.canvas)
        self.column.addWidget(self.place)
        self.aim_bar = AimBar(bench)
        self.column.addWidget(self.aim_bar)
        self.column.addWidget(self.canvas, 1)
        below = QHBoxLayout()
        self.words = label("", "quiet", "caption", 500)
        self.words.setFixedHeight(20)
        below.addWidget(self.words)
        below.addStretch(1)
        self.foot = label("", "quiet", "caption", mono=True)
        below.addWidget(self.foot)
        self.column.addLayout(below)
        self.canvas.hovered.connect(self._hovered)
        self.canvas.menu_wanted.connect(self.show_context)
        self._aimer = Pointing(
            self.canvas, self.aim_bar.point, lambda: self.aim_bar.words, self.aim_bar.typed
        )
        bind(self.canvas.tool_changed, self, self._say_tool)
        self.first = FirstSteps(
            self.canvas,
            "No units yet",
            "Add units first; then place them along a line, a path, a circle or in a grid.",
            [
                actions.button("patch.hang_list", "Read a hang list…", height=30),
                actions.button("patch.add", "Add units…", height=30),
            ],
        )
        bind(bench.changed, self, self.refresh)
        for signal in (bench.plan.sheet_changed, bench.plan.state_changed):
            bind(signal, self, self.refresh)
        self.refresh()

    def actions(self) -> list[Action]:
        return actions_of(self)

    def entered(self) -> None:
        self.canvas.setFocus(Qt.FocusReason.OtherFocusReason)

    def refresh(self) -> None:
        bench, show = self.bench, self.bench.show
        placed = len(self.canvas.laid.row)
        self.first.show_if(not show.units and not show.structures)
        self.head.say(str(placed), "of", str(len(show.units)), "units placed")
        left = [u for u in show.units if u.position is None]
        self.unplaced.setVisible(bool(left) and bench.plan.sheet.kind != "free")
        self.unplaced.setText(
            f"Place the {len(left)} unplaced units"
            if len(left) != 1
            else f"Place {left[0].number}, which has no place"
        )
        self.sheets.clear()
        for one in sheets_of(show):
            self.sheets.addItem(one.name, one.id)
        self.sheets.setCurrentIndex(max(0, self.sheets.findData(bench.plan.sheet_id)))
        on = bench.plan.rearranging
        self.mode.setChecked(on)
        set_property(self.words, "kind", "attention" if on else "quiet")
        self.words.setText(
            "Rearranging: drags move, arrows nudge 5 cm (Shift 50, Alt 1)"
            if on
            else "Select mode: drags select (Alt: lasso), nothing moves"
        )
        self.words.setToolTip(
            "Ctrl or Shift adds to the selection, both together remove. While rearranging, "
            "Alt is free "
            "of snapping, Shift keeps straight."
        )
        self.place.setVisible(on)
        self.arranger.setEnabled(on)
        if not on and self.place.kind:
            self.place.end()
        if self.filter.text():
            self._filter()
        self.canvas.update()

    def _hovered(self, x: float, y: float) -> None:
        words = [self.lux.words] if self.lux.on else []
        value = self.lux.at(x, y) if self.lux.on else None
        if value is not None:
            words.append(f"here {value:.0f} lux")
        if np.isfinite(x):
            words.append(f"{x:.2f}, {y:.2f} m")
        self.foot.setText("   ·   ".join(words))

    def _filter(self) -> None:
        text = self.filter.text().strip()
        if not text:
            self.canvas.shown = None
            set_property(self.filter, "bad", False)
        else:
            try:
                self.canvas.shown = read_filter(self.bench.show, text)
                set_property(self.filter, "bad", False)
                self.filter.setToolTip("")
            except IsthmusError as error:
                set_property(self.filter, "bad", True)
                self.filter.setToolTip(plain_tip(str(error)))
        shown, total = self.canvas.shown, len(self.bench.show.units)
        self.bench.filters.say(
            "Plan",
            f"{total - len(shown)} of {total} hidden"
            if shown is not None and len(shown) < total
            else "",
        )
        self.canvas.update()

    def toggle(self) -> None:
        self.bench.plan.rearrange(not self.bench.plan.rearranging)

    def switch_aim(self) -> None:
        self.canvas.set_tool(None if self.canvas.tool is self._aimer else self._aimer)

    def _say_tool(self) -> None:
        on = self.canvas.tool is self._aimer
        self.aim.setChecked(on)
        self.aim_bar.setVisible(on)
        self.aim_bar.refresh()

    def switch_lux(self) -> None:
        self.lux.switch(not self.lux.on)
        self.lux_button.setChecked(self.lux.on)
        self._hovered(float("nan"), float("nan"))

    def _set_out(self) -> None:
        left = [u.id for u in self.bench.show.units if u.position is None]
        self.canvas.setFocus()  # the button goes; its focus must not land in a field
        self.bench.guard(
            lambda: self.bench.commit(
                f"place {many(len(left), 'unit')}", set_out(self.bench.show, left)
            )
        )

    def _drop(self, under: QPushButton, menu: QMenu) -> None:
        menu.exec(under.mapToGlobal(QPoint(0, under.height())))
        menu.deleteLater()

    # ------------------------------------------------------------ sheets

    def _sheet_menu(self) -> None:
        bench, one = self.bench, self.bench.plan.sheet
        menu = QMenu(self)
        free = one.kind == "free"

        def act(words: str, run, on: bool = True) -> None:
            made = menu.addAction(words)
            made.setEnabled(on)
            made.triggered.connect(lambda _=False: bench.guard(run))

        act("New sheet…", self.new_sheet)
        act("Duplicate as a free sheet…", self.duplicate)
        act("Rename…", self.rename, free)
        act(
            "Earlier",
            lambda: bench.commit("order of sheets", reorder(bench.show, one.id, -1)),
            free,
        )
        act("Later", lambda: bench.commit("order of sheets", reorder(bench.show, one.id, 1)), free)
        act("Remove this sheet", self.remove_sheet, free)
        menu.addSeparator()
        hand = list(bench.selection.ids)
        act(
            "Add selected units to it",
            lambda: bench.commit("units on a sheet", add_units(bench.show, one.id, hand)),
            free and bool(hand),
        )
        on_it = hand or [s.unit for s in one.spots]
        act(
            f"Lay {'selected units' if hand else 'it'} again from plan",
            lambda: bench.commit(
                f"lay {many(len(on_it), 'unit')} again", laid_again(bench.show, one, on_it)
            ),
            free,
        )
        self._group_menus(menu, one)
        take = (
            "Remove selected units from it"
            if free
            else "Unplace selected units (they stay patched)"
        )
        act(
            take,
            lambda: bench.commit(
                f"remove {many(len(hand), 'unit')} from {one.name}",
                take_off(bench.show, one.id, hand),
            ),
            bool(hand),
        )
        menu.addSeparator()
        act("Labels…", lambda: LabelsDialog(self.window(), bench, bench.plan.sheet).open())
        act("Background drawing…", self.underlay)
        act("Print to PDF or SVG…", self.print)
        self._drop(self.sheet_more, menu)

    def _group_menus(self, menu: QMenu, one: Sheet) -> None:
        """A group keeps the arrangement of its units here, or they are laid by it."""
        bench = self.bench
        keeping = menu.addMenu("Keep the arrangement for group")
        laying = menu.addMenu("Lay as a group keeps it")
        for group in bench.show.groups:
            keeping.addAction(group.name).triggered.connect(
                lambda _=False, g=group: bench.guard(
                    lambda: bench.commit(
                        f"arrangement of group {g.name}", keep_arrangement(bench.show, g.id, one)
                    )
                )
            )
            if group.spots and one.kind == "free":
                laying.addAction(group.name).triggered.connect(
                    lambda _=False, g=group: bench.guard(
                        lambda: bench.commit(
                            f"lay group {g.name}", laid_by_group(bench.show, one, g)
                        )
                    )
                )
        for part in (keeping, laying):
            part.setEnabled(bool(part.actions()))

    def new_sheet(self) -> None:
        NewSheet(self.window(), self.bench).open()

    def print(self) -> None:
        PrintDialog(self.window(), self.bench, self.bench.plan.sheet).open()

    def underlay(self) -> None:
        UnderlayDialog(self.window(), self.bench, self.canvas).show()

    def duplicate(self) -> None:
        name = ask_text(
            self, "Duplicate", "Name of the new sheet", f"{self.bench.plan.sheet.name} 2"
        )
        if name:
            show, made = duplicate(self.bench.show, self.bench.plan.sheet_id, name)
            self.bench.commit(f"sheet {name}", show)
            self.bench.plan.turn_to(made)

    def rename(self) -> None:
        name = ask_text(self, "Rename", "Name of the sheet", self.bench.plan.sheet.name)
        if name:
            self.bench.commit(
                f"rename sheet to {name}", rename(self.bench.show, self.bench.plan.sheet_id, name)
            )

    def remove_sheet(self) -> None:
        self.bench.commit(
            f"remove sheet {self.bench.plan.sheet.name}",
            remove(self.bench.show, self.bench.plan.sheet_id),
        )

    def shut_down(self) -> None:
        self.lux.stop()
