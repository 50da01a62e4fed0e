"""Small questions of the Profiles page: a generic profile from parts, a borrowed one, the name of a
new one.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from msgspec.structs import replace
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QCheckBox, QFormLayout, QHBoxLayout, QSpinBox, QWidget

from isthmus.app.kit.dialogs import Frame
from isthmus.app.kit.theme import SIZE, font
from isthmus.app.kit.widgets import choice, field, label
from isthmus.app.pages.profiles.views.chart import ChartView
from isthmus.errors import IsthmusError
from isthmus.profiles.adapt import borrow
from isthmus.profiles.channel_table import channel_table
from isthmus.profiles.clock import now
from isthmus.profiles.make.compose import profile_id
from isthmus.profiles.make.generic import KINDS, MACHINES, MAKER, ORDERS, Recipe, generic_profile
from isthmus.profiles.records import Profile

if TYPE_CHECKING:
    from isthmus.app.pages.profiles.page import ProfilesPage

PLACES = (("none", "none"), ("first", "first"), ("last", "last"))


def form(*rows: tuple[str, QWidget]) -> QFormLayout:
    made = QFormLayout()
    made.setVerticalSpacing(6)
    made.setLabelAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
    for words, widget in rows:
        made.addRow(label(words, "quiet"), widget)
    return made


class NameDialog(Frame):
    """Maker, model and mode of a profile that is being made."""

    def __init__(
        self,
        parent: QWidget,
        title: str,
        primary: str,
        run: Callable[[str, str, str], object],
        maker: str,
        model: str,
        mode: str | None = None,
    ) -> None:
        super().__init__(parent, title, primary, self._take, 460)
        self.setObjectName("name a profile")
        self._run_with = run
        self.maker, self.model = field("maker", maker), field("model", model)
        self.mode = field("mode", mode or "")
        rows = [("Maker", self.maker), ("Model", self.model)] + (
            [("Mode", self.mode)] if mode is not None else []
        )
        self.body.addLayout(form(*rows))
        self.model.setFocus()

    def _take(self) -> bool:
        if not self.model.text().strip() or not self.maker.text().strip():
            self.trouble.setText("Type a maker and a model.")
            return False
        try:
            self._run_with(
                self.maker.text().strip(), self.model.text().strip(), self.mode.text().strip()
            )
        except IsthmusError as error:
            self.trouble.setText(str(error))
            return False
        return True


class BorrowDialog(NameDialog):
    """Another maker's profile under the name of the unit at hand."""

    def __init__(self, page: ProfilesPage, source: Profile, members: dict[str, bytes]) -> None:
        def run(maker: str, model: str, _mode: str) -> None:
            page.keep(borrow(source, maker, model, now()), members)

        super().__init__(page.house.over, f"Borrow {source.title}", "Create", run, "", "")
        self.body.insertWidget(
            0,
            label(
                "Name the unit that stands on your stage. It is patched with the borrowed chart, "
                "and marked as borrowed wherever it appears.",
                "quiet",
                wrap=True,
            ),
        )


class GenericDialog(Frame):
    """Parts on the left, the chart they make on the right."""

    def __init__(self, page: ProfilesPage) -> None:
        super().__init__(page.house.over, "Generic profile", "Save", self._take, 820)
        self.setObjectName("compose a generic")
        self.page = page
        self.profile: Profile | None = None
        self.kind = choice("kind", list(KINDS.items()))
        self.kind.setCurrentIndex(1)
        self.order = choice("order", [(order, order) for order in ORDERS])
        self.order.setEditable(True)
        self.master, self.strobe = choice("master", list(PLACES)), choice("strobe", list(PLACES))
        self.bits = choice("bits", [(8, "8 bit"), (16, "16 bit")])
        self.htp = choice(
            "merging", [(True, "highest takes precedence"), (False, "latest takes precedence")]
        )
        self.cells = QSpinBox()
        self.cells.setAccessibleName("Cells")
        self.cells.setRange(0, 170)
        self.cells.setFixedHeight(SIZE["control"])
        self.cells.setFont(font("table", mono=True))
        self.cells.setSpecialValueText("none")
        self.cells.lineEdit().setTextMargins(8, 0, 0, 0)
        self.fan = QCheckBox("with fan")
        self.fan.setFont(font("table"))
        self.fan.setChecked(True)
        row = QHBoxLayout()
        row.setSpacing(16)
        row.addLayout(
            form(
                ("Kind", self.kind),
                ("Colours, in order", self.order),
                ("Master", self.master),
                ("Strobe", self.strobe),
                ("Resolution", self.bits),
                ("Cells", self.cells),
                ("Dimmer merges", self.htp),
                ("Fan", self.fan),
            ),
            2,
        )
        self.chart = ChartView()
        self.chart.setMinimumHeight(300)
        row.addWidget(self.chart, 3)
        self.body.addLayout(row)
        self.words = label("", "quiet", wrap=True)
        self.words.setMinimumHeight(34)
        self.body.addWidget(self.words)
        self.body.addWidget(
            label(
                "R red, G green, B blue, W white, A amber, L lime, M mint, C cyan, U "
                "ultraviolet, I indigo, w warm white, c cold white",
                "quiet",
                "caption",
                wrap=True,
            )
        )
        for box in (self.kind, self.order, self.master, self.strobe, self.bits, self.htp):
            box.currentTextChanged.connect(lambda _: self._changed())
        self.cells.valueChanged.connect(lambda _: self._changed())
        self.fan.toggled.connect(lambda _: self._changed())
        self._changed()

    def recipe(self) -> Recipe:
        return Recipe(
            self.kind.currentData(),
            self.order.currentText().strip(),
            self.master.currentData(),
            self.strobe.currentData(),
            self.bits.currentData(),
            self.cells.value(),
            self.htp.currentData(),
            self.fan.isChecked(),
        )

    def _changed(self) -> None:
        kind = self.kind.currentData()
        self.order.setEnabled(kind in ("colour", "mover"))
        lit = kind not in MACHINES
        for widget, on in (
            (self.master, lit and kind != "dimmer"),
            (self.strobe, lit),
            (self.bits, lit),
            (self.fan, not lit and kind != "fan"),
        ):
            widget.setEnabled(on)
        try:
            self.profile = generic_profile([self.recipe()])
            self.chart.show_sheet(channel_table(self.profile, self.profile.modes[0]))
            self.words.setText(f"{MAKER} {self.profile.name}: {self.profile.modes[0].name}.")
            self.say_trouble("")
        except IsthmusError as error:
            self.profile = None
            self.say_trouble(str(error))

    def _take(self) -> bool:
        if self.profile is None:
            return False
        name = f"{self.profile.name}, {self.profile.modes[0].name}"
        made = replace(
            self.profile, name=name, long_name=f"{MAKER} {name}", id=profile_id(MAKER, name)
        )
        try:
            self.page.keep(made)
        except IsthmusError as error:
            self.trouble.setText(str(error))
            return False
        self.page.library.look_for(name)
        return True
