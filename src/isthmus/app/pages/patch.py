"""The Patch page: the table of units, its filter, and the address ruler."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtGui import QContextMenuEvent, QPainter, QPaintEvent
from PySide6.QtWidgets import QFileDialog, QHBoxLayout, QLineEdit, QWidget

from isthmus.app.actions import Action, Registry
from isthmus.app.pages.add_dialog import AddDialog
from isthmus.app.pages.hanglist_dialog import HangListDialog
from isthmus.app.pages.patch_model import PatchModel
from isthmus.app.pages.patch_table import PatchTable
from isthmus.app.pages.ruler import Ruler
from isthmus.app.theme import SIZE, font, theme
from isthmus.app.widgets import Choice, Page, bind, button, label, set_property
from isthmus.app.workbench import Workbench
from isthmus.demo import EXTRA_LIST
from isthmus.library.at_hand import at_hand
from isthmus.patch import edits, read_hang_list
from isthmus.routes import universes_known

MENU = ("units.light", "units.home", "", "patch.next_free", "patch.unpatch", "units.set_out", "", "patch.remove")


class _Loud(QWidget):
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

    def paintEvent(self, event: QPaintEvent) -> None:
        if self.loud:
            p = QPainter(self)
            p.fillRect(self.rect(), theme.color("select_row"))
            p.fillRect(0, self.height() - 2, self.width(), 2, theme.color("ochre"))


class PatchPage(Page):
    title = "Patch"

    def __init__(self, bench: Workbench, actions: Registry, window: QWidget) -> None:
        super().__init__()
        self.bench, self.acts, self.window_ = bench, actions, window
        self.head.add(button("Read a hang list…", run=lambda: actions.trigger("patch.hang_list")))
        self.head.add(button("Add units…", run=lambda: actions.trigger("patch.add")))
        self.model = PatchModel(bench)
        self.table = PatchTable(bench, self.model)
        self.ruler = Ruler(bench)
        row = QHBoxLayout()
        row.setContentsMargins(0, 0, 0, 10)
        row.setSpacing(6)
        self.needle = QLineEdit()
        self.needle.setPlaceholderText("Only rows that mention…")
        self.needle.setFont(font("table"))
        self.needle.setFixedSize(206, SIZE["control"])
        self.needle.setClearButtonEnabled(True)
        self.needle.setObjectName("filter")
        self.universe = Choice()
        self.universe.setFont(font("table"))
        self.universe.setFixedSize(150, SIZE["control"])
        self.universe.setAccessibleName("Only one universe")
        self.snags = button("Snags only")
        self.snags.setCheckable(True)
        self.sign = _Loud()
        self.clear = button("Show all rows", "quiet", self._show_all)
        for widget in (self.needle, self.universe, self.snags):
            row.addWidget(widget)
        row.addStretch(1)
        row.addWidget(self.clear)
        row.addWidget(self.sign)
        self.column.addLayout(row)
        self.column.addWidget(self.table, 1)
        self.column.addSpacing(6)
        self.column.addWidget(self.ruler)
        self.needle.textChanged.connect(self._filter)
        self.snags.toggled.connect(self._filter)
        self.universe.currentIndexChanged.connect(self._filter)
        bind(bench.changed, self, self.refresh)
        self.refresh()

    def entered(self) -> None:
        self.table.setFocus(Qt.FocusReason.OtherFocusReason)

    def refresh(self) -> None:
        show = self.bench.show
        known = universes_known(show)
        addressed = sum(bool(u.patch) for u in show.units)
        self.head.say(str(len(show.units)), "units", str(addressed), "addressed", str(len(known)), "universes")
        self.universe.blockSignals(True)
        chosen = self.universe.currentData() or 0
        self.universe.clear()
        self.universe.addItem("Any universe", 0)
        for universe in known:
            self.universe.addItem(f"Universe {universe}", universe)
        self.universe.setCurrentIndex(max(0, self.universe.findData(chosen)))
        self.universe.blockSignals(False)
        self._filter()

    def _filter(self, *_: object) -> None:
        self.model.needle, self.model.snags_only, self.model.universe = (
            self.needle.text(),
            self.snags.isChecked(),
            self.universe.currentData() or 0,
        )
        self.model.reload()
        self.table.follow()
        shown, total = len(self.model.rows), len(self.bench.show.units)
        hidden = total - shown
        self.sign.say(f"{hidden} of {total} rows hidden by the filter" if hidden else f"{total} rows", bool(hidden))
        self.clear.setVisible(self.model.filtered)
        set_property(self.needle, "mixed", False)

    def _show_all(self) -> None:
        self.needle.clear()
        self.snags.setChecked(False)
        self.universe.setCurrentIndex(0)

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        self.acts.menu(MENU, self).popup(event.globalPos())

    # ------------------------------------------------------------ acts

    def add_units(self) -> None:
        AddDialog(self.bench, self.window_, to_library=lambda: self.acts.trigger("profiles.search")).open()

    def read_list(self) -> None:
        start = str(self.bench.path.parent) if self.bench.path else str(EXTRA_LIST.parent)
        name, _ = QFileDialog.getOpenFileName(
            self.window_,
            "Read a hang list",
            start,
            "Tables (*.csv *.tsv *.txt);;All files (*)",
            options=QFileDialog.Option.DontUseNativeDialog,
        )
        if name:
            self.open_list(Path(name))

    def open_list(self, path: Path) -> None:
        """Raises FileFault when it is no hang list at all."""
        found = read_hang_list(path, at_hand(self.bench.show))
        HangListDialog(self.bench, found, path.name, self.window_).open()

    def remove(self) -> None:
        units = self.bench.selected()
        self.bench.commit(f"remove {len(units)} unit{'s' * (len(units) != 1)}", edits.remove_units(self.bench.show, [u.id for u in units]))

    def next_free(self) -> None:
        self.bench.commit("address at the next free", edits.address_next_free(self.bench.show, list(self.bench.selection)))

    def unpatch(self) -> None:
        self.bench.commit("take addresses away", edits.set_address(self.bench.show, list(self.bench.selection), None))


def register(actions: Registry, page: PatchPage) -> None:
    actions.add(
        Action(
            "patch.add",
            "Add units…",
            page.add_units,
            "Ctrl+Shift+A",
            help="Add units by count, number, mode and start address",
            group="Patch",
        ),
        Action("patch.hang_list", "Read a hang list…", page.read_list, "Ctrl+L", help="Read the paper from CSV", group="Patch"),
        Action("patch.next_free", "Address at the next free", page.next_free, "Ctrl+Shift+F", "selection", group="Patch"),
        Action("patch.unpatch", "Take addresses away", page.unpatch, "Ctrl+Shift+U", "selection", group="Patch"),
        Action("patch.remove", "Remove units", page.remove, "Ctrl+Del", "selection", group="Patch"),
    )
