"""The Units view: the filter, the table of units, and below it the universe as a ruler or the
channels of one unit.
"""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtGui import QPainter, QPaintEvent
from PySide6.QtWidgets import QHBoxLayout, QMenu, QWidget

from isthmus.app.kit import settings
from isthmus.app.kit.actions import Registry
from isthmus.app.kit.first import FirstSteps
from isthmus.app.kit.painted import Painted
from isthmus.app.kit.theme import SIZE, theme
from isthmus.app.kit.widgets import (
    Choice,
    PageView,
    bind,
    button,
    choice,
    column_of,
    label,
    units_field,
)
from isthmus.app.model.workbench import Workbench
from isthmus.app.pages.patch.models.units import EVERY, GROUPINGS, NAMED, NAMES, USUAL, PatchModel
from isthmus.app.pages.patch.views.ruler import Ruler
from isthmus.app.pages.patch.views.table import PatchTable
from isthmus.app.pages.patch.views.unfold import Unfolded
from isthmus.patch.choose import complete
from isthmus.plural import many
from isthmus.routes import universes_known


class _Loud(Painted, QWidget):
    """The filter's sign: ochre while rows are hidden."""

    def __init__(self) -> None:
        super().__init__()
        self.row = QHBoxLayout(self)
        self.row.setContentsMargins(8, 0, 8, 0)
        self.words = label("", "quiet")
        self.row.addWidget(self.words)
        self.loud = False
        self.setFixedHeight(SIZE["control"])

    def say(self, words: str, loud: bool) -> None:
        self.words.setText(words)
        self.loud = loud
        self.update()

    def draw(self, p: QPainter, event: QPaintEvent) -> None:
        if self.loud:
            p.fillRect(self.rect(), theme.color("select_row"))
            p.fillRect(0, self.height() - 2, self.width(), 2, theme.color("ochre"))


class UnitsView(PageView):
    def __init__(self, bench: Workbench, actions: Registry, kept: settings.Settings) -> None:
        super().__init__()
        self.bench, self.acts, self.settings = bench, actions, kept
        self.model = PatchModel(bench)
        self.table = PatchTable(bench, self.model)
        self.ruler = Ruler(bench)
        self.unfolded = Unfolded(bench)
        self.unfolded.hide()
        column = column_of(self, 0)
        column.addLayout(self._filters())
        column.addWidget(self._sign())
        column.addWidget(self.table, 3)
        column.addSpacing(6)
        column.addWidget(self.unfolded, 2)
        column.addWidget(self.ruler)
        column.addLayout(self._foot())
        self.first = FirstSteps(
            self.table,
            "No units yet",
            "Read a hang list, or add units of a profile at an address.",
            [
                actions.button("patch.hang_list", "Read a hang list…", height=30),
                actions.button("patch.paste_list", "Paste a hang list", height=30),
                actions.button("patch.add", "Add units…", height=30),
            ],
        )
        if kept.patch_columns:
            self.show_columns([key for key in kept.patch_columns if key in EVERY])
        bind(bench.changed, self, self._name_them)
        bind(bench.changed, self, self.refresh)
        self._name_them()
        self.refresh()

    def _name_them(self) -> None:
        """What paper calls units has its column where it calls one, until columns are chosen."""
        named = any(unit.fixture_id for unit in self.bench.show.units)
        if not self.settings.patch_columns and named != ("fixture_id" in self.model.columns):
            self.model.set_columns(NAMED if named else USUAL)
            self.table.lay_out()

    def _filters(self) -> QHBoxLayout:
        row = QHBoxLayout()
        row.setContentsMargins(0, 0, 0, 8)
        row.setSpacing(6)
        self.needle = units_field(
            "filter", "words, 1-8, all but 7", lambda text: complete(self.bench.show, text)
        )
        self.needle.setFixedWidth(136)
        self.needle.setClearButtonEnabled(True)
        self.universe = choice("Only one universe")
        self.universe.setFixedWidth(112)
        self.grouping: Choice = choice("Headings", list(GROUPINGS.items()))
        self.grouping.setFixedWidth(140)
        self.snags = button("Snags only")
        self.snags.setCheckable(True)
        for widget in (self.needle, self.universe, self.grouping, self.snags):
            row.addWidget(widget)
        row.addStretch(1)
        self.needle.textChanged.connect(self._filter)
        self.snags.toggled.connect(self._filter)
        self.universe.currentIndexChanged.connect(self._filter)
        self.grouping.currentIndexChanged.connect(self._filter)
        return row

    def _sign(self) -> QWidget:
        self.loud = QWidget()
        row = QHBoxLayout(self.loud)
        row.setContentsMargins(0, 0, 0, 6)
        self.sign = _Loud()
        self.understood = label("", "quiet", "caption")
        self.clear = button("Show all rows", "quiet", self.show_all)
        row.addWidget(self.sign)
        row.addWidget(self.understood, 1)
        row.addWidget(self.clear)
        return self.loud

    def _foot(self) -> QHBoxLayout:
        self.columns = button("Columns…", run=self._column_menu)
        self.unfold = self.acts.button("patch.unfold", "Unfold")
        self.unfold.setCheckable(True)
        foot = QHBoxLayout()
        foot.setContentsMargins(0, 6, 0, 0)
        foot.setSpacing(6)
        foot.addWidget(self.columns)
        foot.addWidget(self.unfold)
        foot.addStretch(1)
        for words, act in (
            ("Read a hang list…", "patch.hang_list"),
            ("Re-address…", "patch.readdress"),
        ):
            foot.addWidget(self.acts.button(act, words))
        foot.addWidget(self.acts.button("patch.add", "Add units…", "primary", 30))
        return foot

    def entered(self) -> None:
        self.table.setFocus(Qt.FocusReason.OtherFocusReason)

    def refresh(self) -> None:
        self.universe.blockSignals(True)
        chosen = self.universe.currentData() or 0
        self.universe.clear()
        self.universe.addItem("Any universe", 0)
        for universe in universes_known(self.bench.show):
            self.universe.addItem(f"Universe {universe}", universe)
        self.universe.setCurrentIndex(max(0, self.universe.findData(chosen)))
        self.universe.blockSignals(False)
        self._filter()

    def _filter(self, *_: object) -> None:
        words = self.model.set_needle(self.needle.text())
        self.model.snags_only = self.snags.isChecked()
        self.model.universe = self.universe.currentData() or 0
        self.model.grouping = self.grouping.currentData() or ""
        self.table.refresh()
        shown, total = len(self.model.rows), len(self.bench.show.units)
        self.first.show_if(not total)
        hidden = total - shown
        self.sign.say(
            f"{hidden} of {many(total, 'row')} hidden" if hidden else many(total, "row"),
            bool(hidden),
        )
        self.loud.setVisible(self.model.filtered)
        self.bench.filters.say("Patch", f"{hidden} of {total} hidden" if hidden else "")
        self.understood.setText(f"The filter reads: {words}" if words else "")

    def show_all(self) -> None:
        self.needle.clear()
        self.snags.setChecked(False)
        self.universe.setCurrentIndex(0)

    def toggle_unfold(self) -> None:
        on = self.unfolded.isHidden()
        self.unfolded.setVisible(on)
        self.ruler.setVisible(not on)
        self.unfold.setChecked(on)

    # ------------------------------------------------------------ columns

    def _column_menu(self) -> None:
        menu = QMenu(self)
        for key in EVERY:
            act = menu.addAction("Crossing" if key == "crossing" else NAMES[key])
            act.setCheckable(True)
            act.setChecked(key in self.model.columns)
            act.setEnabled(key != "number")
            act.toggled.connect(lambda on, k=key: self._show_column(k, on))
        menu.addSeparator()
        menu.addAction("The usual ones", lambda: self.show_columns(list(USUAL)))
        menu.popup(self.columns.mapToGlobal(self.columns.rect().bottomLeft()))

    def _show_column(self, key: str, on: bool) -> None:
        now = self.model.columns
        self.show_columns([*now, key] if on else [c for c in now if c != key])

    def show_columns(self, keys: list[str]) -> None:
        self.model.set_columns(keys)
        self.table.lay_out()
        self.settings.patch_columns = tuple(self.model.columns)
        settings.save(self.settings)
