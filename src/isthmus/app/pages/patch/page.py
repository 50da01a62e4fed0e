"""The Patch page: units as a table, universes as a picture, paper, limits, groups and gels."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtGui import QContextMenuEvent, QGuiApplication, QPainter, QPaintEvent
from PySide6.QtWidgets import QFileDialog, QHBoxLayout, QMenu, QStackedWidget, QVBoxLayout, QWidget

from isthmus.app.kit import settings
from isthmus.app.kit.actions import Action, Registry
from isthmus.app.kit.dialogs import Entry
from isthmus.app.kit.theme import SIZE, theme
from isthmus.app.kit.widgets import Choice, Page, bind, button, choice, label, units_field
from isthmus.app.model.workbench import Workbench
from isthmus.app.pages.patch.dialogs.add import AddDialog
from isthmus.app.pages.patch.dialogs.clash import WaysDialog
from isthmus.app.pages.patch.dialogs.hang_list import HangListDialog
from isthmus.app.pages.patch.dialogs.readdress import ReaddressDialog
from isthmus.app.pages.patch.dialogs.replace import TEXTS, ReplaceDialog
from isthmus.app.pages.patch.dialogs.swap import SwapDialog
from isthmus.app.pages.patch.models.units import EVERY, GROUPINGS, NAMES, USUAL, PatchModel
from isthmus.app.pages.patch.views.gels import GelsView
from isthmus.app.pages.patch.views.groups import GroupsView
from isthmus.app.pages.patch.views.limits import LimitsView
from isthmus.app.pages.patch.views.paper import PaperView
from isthmus.app.pages.patch.views.ruler import Ruler
from isthmus.app.pages.patch.views.unfold import Unfolded
from isthmus.app.pages.patch.views.units import PatchTable
from isthmus.app.pages.patch.views.universe_map import UniverseMap
from isthmus.demo import EXTRA_LIST
from isthmus.errors import EntryFault
from isthmus.patch import edits
from isthmus.patch.addresses import Placing
from isthmus.patch.choose import complete
from isthmus.patch.hanglist import MAX_BYTES, unread_as_table
from isthmus.routes import universes_known
from isthmus.show.container import read_file

VIEWS = ("Units", "Universes", "Paper", "Limits", "Groups", "Gels")
MENU = (
    *("units.light", "units.home", "", "patch.fill", "patch.series", "patch.replace", "patch.copy_rows", ""),
    *(
        "patch.next_free",
        "patch.renumber",
        "patch.unpatch",
        "patch.lock",
        "patch.unlock",
        "patch.swap",
        "patch.readdress",
        "units.set_out",
        "",
        "patch.copy",
        "patch.remove",
    ),
)


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

    def __init__(self, bench: Workbench, actions: Registry, window: QWidget, inside: QWidget) -> None:
        super().__init__(inside)
        self.bench, self.acts, self.window_ = bench, actions, window
        self.switches = self.add_switches(VIEWS, self.show_view, "patch view")
        self.model = PatchModel(bench)
        self.table = PatchTable(bench, self.model)
        self.ruler = Ruler(bench)
        self.unfolded = Unfolded(bench)
        self.map = UniverseMap(bench)
        self.paper = PaperView(bench, actions)
        self.limits = LimitsView(bench)
        self.groups = GroupsView(bench)
        self.gels = GelsView(bench, window)
        self.stack = QStackedWidget()
        for view in (self._units(), self._universes(), self.paper, self.limits, self.groups, self.gels):
            self.stack.addWidget(view)
        self.column.addWidget(self.stack, 1)
        self.settings: settings.Settings = getattr(window, "settings", settings.Settings())
        if self.settings.patch_columns:
            self._columns([key for key in self.settings.patch_columns if key in EVERY])
        bench.clashing.connect(self._ways)
        bind(bench.changed, self, self.refresh)
        self.show_view("Units")
        self.refresh()

    # ------------------------------------------------------------ the views

    def _units(self) -> QWidget:
        made = QWidget()
        column = QVBoxLayout(made)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        row = QHBoxLayout()
        row.setContentsMargins(0, 0, 0, 8)
        row.setSpacing(6)
        self.needle = units_field("filter", "words, 1-8, all but 7", lambda text: complete(self.bench.show, text))
        self.needle.setFixedWidth(136)
        self.needle.setClearButtonEnabled(True)
        self.universe = choice("Only one universe")
        self.universe.setFixedWidth(112)
        self.grouping: Choice = choice("Headings", list(GROUPINGS.items()))
        self.grouping.setFixedWidth(140)
        self.snags = button("Snags only")
        self.snags.setCheckable(True)
        self.columns = button("Columns…", run=self._column_menu)
        self.unfold = button("Unfold", run=lambda: self.acts.trigger("patch.unfold"))
        self.unfold.setCheckable(True)
        self.sign = _Loud()
        self.clear = button("Show all rows", "quiet", self._show_all)
        for widget in (self.needle, self.universe, self.grouping, self.snags):
            row.addWidget(widget)
        row.addStretch(1)
        column.addLayout(row)
        self.loud = QWidget()
        told = QHBoxLayout(self.loud)
        told.setContentsMargins(0, 0, 0, 6)
        self.understood = label("", "quiet", "caption")
        told.addWidget(self.sign)
        told.addWidget(self.understood, 1)
        told.addWidget(self.clear)
        column.addWidget(self.loud)
        column.addWidget(self.table, 3)
        column.addSpacing(6)
        column.addWidget(self.unfolded, 2)
        column.addWidget(self.ruler)
        column.addLayout(self._foot())
        self.unfolded.hide()
        self.needle.textChanged.connect(self._filter)
        self.snags.toggled.connect(self._filter)
        self.universe.currentIndexChanged.connect(self._filter)
        self.grouping.currentIndexChanged.connect(self._filter)
        return made

    def _foot(self) -> QHBoxLayout:
        foot = QHBoxLayout()
        foot.setContentsMargins(0, 6, 0, 0)
        foot.setSpacing(6)
        foot.addWidget(self.columns)
        foot.addWidget(self.unfold)
        foot.addStretch(1)
        for words, act in (("Read a hang list…", "patch.hang_list"), ("Re-address…", "patch.readdress")):
            foot.addWidget(button(words, run=lambda a=act: self.acts.trigger(a)))
        foot.addWidget(button("Add units…", "primary", lambda: self.acts.trigger("patch.add"), 30))
        return foot

    def _universes(self) -> QWidget:
        made = QWidget()
        column = QVBoxLayout(made)
        column.setContentsMargins(0, 0, 0, 0)
        row = QHBoxLayout()
        row.setSpacing(6)
        self.scale = label("", "quiet")
        row.addWidget(self.scale, 1)
        row.addWidget(button("Smaller", run=lambda: self.map.zoom(0.6)))
        row.addWidget(button("Larger", run=lambda: self.map.zoom(1.6)))
        row.addWidget(button("Slots with values", run=lambda: self.map.zoom(40.0 / self.map.scale)))
        row.addWidget(button("All", run=lambda: self.map.zoom(0.001), name="All universes"))
        column.addLayout(row)
        column.addWidget(self.map, 1)
        self.map.zoomed.connect(self._told_scale)
        return made

    def _told_scale(self) -> None:
        how = "each slot with attribute and value" if self.map.scale >= 26 else "spans by unit"
        self.scale.setText(f"{len(self.map.known)} universes, {how}. Drag a span to re-address it; Ctrl and wheel zoom.")

    def show_view(self, name: str) -> None:
        for switch, view in zip(self.switches, VIEWS, strict=True):
            switch.setChecked(view == name)
        self.stack.setCurrentIndex(VIEWS.index(name))
        if name == "Universes":
            self.map.reload()
            self._told_scale()
        if self.isVisible():  # while the page is made the keys belong to another
            self.entered()

    def here(self, view: str) -> None:
        """Come to this page, with one of its views."""
        self.acts.trigger("go.patch")
        self.show_view(view)

    def entered(self) -> None:
        view = {"Units": self.table, "Universes": self.map}.get(VIEWS[self.stack.currentIndex()])
        if view is not None:
            view.setFocus(Qt.FocusReason.OtherFocusReason)

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
        words = self.model.set_needle(self.needle.text())
        self.model.snags_only = self.snags.isChecked()
        self.model.universe = self.universe.currentData() or 0
        self.model.grouping = self.grouping.currentData() or ""
        self.table.refresh()
        shown, total = len(self.model.rows), len(self.bench.show.units)
        hidden = total - shown
        self.sign.say(f"{hidden} of {total} rows hidden" if hidden else f"{total} rows", bool(hidden))
        self.loud.setVisible(self.model.filtered)
        self.bench.say_filter("Patch", f"{hidden} of {total} hidden" if hidden else "")
        self.understood.setText(f"The filter reads: {words}" if words else "")

    def _show_all(self) -> None:
        self.needle.clear()
        self.snags.setChecked(False)
        self.universe.setCurrentIndex(0)

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        self.acts.menu(MENU, self).popup(event.globalPos())

    # ------------------------------------------------------------ columns

    def _column_menu(self) -> None:
        menu = QMenu(self)
        for key in EVERY:
            act = menu.addAction("Crossing" if key == "crossing" else NAMES[key])
            act.setCheckable(True)
            act.setChecked(key in self.model.columns)
            act.setEnabled(key != "number")
            act.toggled.connect(
                lambda on, k=key: self._columns([*self.model.columns, k] if on else [c for c in self.model.columns if c != k])
            )
        menu.addSeparator()
        menu.addAction("The usual ones", lambda: self._columns(list(USUAL)))
        menu.popup(self.columns.mapToGlobal(self.columns.rect().bottomLeft()))

    def _columns(self, keys: list[str]) -> None:
        self.model.set_columns(keys)
        self.table.lay_out()
        self.settings.patch_columns = tuple(self.model.columns)
        settings.save(self.settings)

    # ------------------------------------------------------------ acts

    def _ways(self, placing: Placing, name: str) -> None:
        WaysDialog(self.bench, placing, name, self.window_).open()

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
        self._show_list(read_file(path, MAX_BYTES), path.name)

    def paste_list(self) -> None:
        """A table on the clipboard, read as a hang list. Raises FileFault when it is none."""
        self._show_list(QGuiApplication.clipboard().text().encode(), "the pasted list")

    def unread_lines(self) -> None:
        """Lines of the paper that could not be taken, to be corrected now."""
        paper = self.bench.show.paper
        if not paper.unread:
            raise EntryFault("The paper has no line that was not read.")
        self._show_list(unread_as_table(paper), "unread lines", mends=True)

    def _show_list(self, data: bytes, name: str, mends: bool = False) -> None:
        HangListDialog(self.bench, data, name, self.window_, self.settings, mends).open()

    def readdress(self) -> None:
        ReaddressDialog(self.bench, self.window_).open()

    def replace(self) -> None:
        key = self.model.columns[max(0, self.table.currentIndex().column())]
        ReplaceDialog(self.bench, self.model, self.window_, key if key in TEXTS else "").open()

    def swap(self) -> None:
        SwapDialog(self.bench, self.window_).open()

    def toggle_unfold(self) -> None:
        on = self.unfolded.isHidden()
        self.unfolded.setVisible(on)
        self.ruler.setVisible(not on)
        self.unfold.setChecked(on)

    def copy_rows(self) -> None:
        QGuiApplication.clipboard().setText(self.table.as_text(whole=True))
        self.bench.tell("ok", "The rows are copied with headings.")

    def copy_units(self) -> None:
        units = self.bench.selected()
        made, ids = edits.copy_units(self.bench.show, [u.id for u in units])
        self.bench.commit(f"copy {len(units)} unit{'s' * (len(units) != 1)}", made)
        self.bench.select(ids)

    def remove(self) -> None:
        units = self.bench.selected()
        self.bench.commit(f"remove {len(units)} unit{'s' * (len(units) != 1)}", edits.remove_units(self.bench.show, [u.id for u in units]))

    def next_free(self) -> None:
        self.bench.commit("address at the next free", edits.address_next_free(self.bench.show, list(self.bench.selection)))

    def renumber(self) -> None:
        """Numbers from a first one on, in one edit."""
        units = sorted(self.bench.selected(), key=lambda u: u.number)

        def take(values: list[str]) -> None:
            if not values[0].strip().isdigit():
                raise EntryFault(f"“{values[0][:20]}” is not a unit number.", do="Write the first number.")
            gaps = values[1].strip().lower()
            if gaps not in ("kept", "closed"):
                raise EntryFault("Gaps are kept or closed.", do="Write kept or closed.")
            made = edits.renumber_from(self.bench.show, [u.id for u in units], int(values[0]), gaps == "kept")
            self.bench.commit(f"renumber {len(units)} unit{'s' * (len(units) != 1)} from {values[0].strip()}", made)

        fields = [("First number", str(units[0].number)), ("Gaps (kept or closed)", "closed")]
        Entry(self.window_, f"Renumber {len(units)} unit{'s' * (len(units) != 1)}", "Renumber", fields, take).exec()

    def unpatch(self) -> None:
        self.bench.commit("take addresses away", edits.set_address(self.bench.show, list(self.bench.selection), None))

    def lock(self, locked: bool) -> None:
        ids = list(self.bench.selection)
        words = "lock" if locked else "unlock"
        self.bench.commit(f"{words} {len(ids)} address{'es' * (len(ids) != 1)}", edits.set_locked(self.bench.show, ids, locked))


def register(actions: Registry, page: PatchPage) -> None:
    group = "Patch"
    actions.add(
        Action("patch.add", "Add units…", page.add_units, "Ctrl+Shift+A", help="Add units of a mode, with a preview", group=group),
        Action("patch.hang_list", "Read a hang list…", page.read_list, "Ctrl+L", help="Read the paper from CSV", group=group),
        Action("patch.paste_list", "Paste a hang list", page.paste_list, "Ctrl+Alt+V", help="Read a table from the clipboard", group=group),
        Action("patch.unread", "Correct unread lines of the paper…", page.unread_lines, group=group),
        Action("patch.fill", "Fill down", page.table.fill_down, "Ctrl+Alt+F", help="The first cell into those below", group=group),
        Action("patch.series", "Fill as a series", page.table.fill_series, "Ctrl+Alt+D", help="Numbers and addresses go on", group=group),
        Action("patch.replace", "Find and replace…", page.replace, "Ctrl+Alt+H", group=group),
        Action("patch.copy_rows", "Copy rows with headings", page.copy_rows, "Ctrl+Alt+X", group=group),
        Action("patch.unfold", "Unfold the unit in hand", page.toggle_unfold, "Ctrl+Shift+E", help="Its channels", group=group),
        Action("patch.readdress", "Re-address…", page.readdress, "Ctrl+Alt+R", help="Solved as a whole", group=group),
        Action("patch.swap", "Another profile or mode…", page.swap, "Ctrl+Alt+M", "selection", help="For many at once", group=group),
        Action("patch.next_free", "Address at the next free", page.next_free, "Ctrl+Shift+F", "selection", group=group),
        Action(
            "patch.renumber",
            "Renumber…",
            page.renumber,
            "Ctrl+Shift+J",
            "selection",
            help="From a number, gaps kept or closed",
            group=group,
        ),
        Action("patch.unpatch", "Take addresses away", page.unpatch, "Ctrl+Shift+U", "selection", group=group),
        Action("patch.lock", "Lock addresses", lambda: page.lock(True), "Ctrl+Shift+K", "selection", group=group),
        Action("patch.unlock", "Unlock addresses", lambda: page.lock(False), "", "selection", group=group),
        Action("patch.copy", "Copy units", page.copy_units, "Ctrl+Shift+Y", "selection", help="With the next numbers", group=group),
        Action("patch.remove", "Remove units", page.remove, "Ctrl+Del", "selection", group=group),
        *(
            Action(f"patch.view.{name}", f"Patch: {name}", lambda n=name: page.here(n), f"Alt+{key}", group=group)
            for key, name in enumerate(VIEWS, 1)
        ),
    )
