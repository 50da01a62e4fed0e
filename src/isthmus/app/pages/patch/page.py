"""The Patch page: units as a table, universes as a picture, paper, limits, groups and gels."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtGui import QGuiApplication
from PySide6.QtWidgets import QFileDialog

from isthmus.app.kit.actions import Action
from isthmus.app.kit.dialogs import Entry as EntryDialog
from isthmus.app.kit.widgets import bind
from isthmus.app.model.house import House
from isthmus.app.pages.base import Page
from isthmus.app.pages.patch.actions import actions_of
from isthmus.app.pages.patch.dialogs.add import AddDialog
from isthmus.app.pages.patch.dialogs.clash import WaysDialog
from isthmus.app.pages.patch.dialogs.hang_list import HangListDialog
from isthmus.app.pages.patch.dialogs.readdress import ReaddressDialog
from isthmus.app.pages.patch.dialogs.replace import TEXTS, ReplaceDialog
from isthmus.app.pages.patch.dialogs.swap import SwapDialog
from isthmus.app.pages.patch.views.gels import GelsView
from isthmus.app.pages.patch.views.groups import GroupsView
from isthmus.app.pages.patch.views.limits import LimitsView
from isthmus.app.pages.patch.views.paper import PaperView
from isthmus.app.pages.patch.views.units import UnitsView
from isthmus.app.pages.patch.views.universes import UniversesView
from isthmus.demo import EXTRA_LIST
from isthmus.errors import EntryFault
from isthmus.hanglist import MAX_BYTES, unread_as_table
from isthmus.patch import edits
from isthmus.patch.addresses import Placing
from isthmus.plural import many
from isthmus.routes import universes_known
from isthmus.show.files import read_file
from isthmus.snags import Snag

_LIGHT = ("units.light", "units.home")
_CELLS = ("patch.fill", "patch.series", "patch.replace", "patch.copy_rows")
_ADDRESSES = (
    "patch.next_free",
    "patch.renumber",
    "patch.unpatch",
    "patch.lock",
    "patch.unlock",
    "patch.swap",
    "patch.readdress",
)
MENU = (*_LIGHT, "", *_CELLS, "", *_ADDRESSES, "units.set_out", "", "patch.copy", "patch.remove")
VIEWS = ("Units", "Universes", "Paper", "Limits", "Groups", "Gels")


class PatchPage(Page):
    title = "Patch"
    context = MENU
    unlit = frozenset({"Paper", "Limits"})

    def __init__(self, house: House) -> None:
        super().__init__(house)
        bench, actions = house.bench, house.actions
        self.add_switches(VIEWS)
        self.units = UnitsView(bench, actions, house.settings)
        self.universes = UniversesView(bench)
        self.paper = PaperView(bench, actions)
        self.limits = LimitsView(bench)
        self.groups = GroupsView(bench)
        self.gels = GelsView(bench, house.over)
        made = (self.units, self.universes, self.paper, self.limits, self.groups, self.gels)
        self.take_views(dict(zip(VIEWS, made, strict=True)))
        bind(bench.changed, self, self._say)
        self._say()

    def actions(self) -> list[Action]:
        return actions_of(self)

    def visit(self, snag: Snag) -> None:
        if snag.universe:
            self.units.ruler.set_universe(snag.universe)

    def _say(self) -> None:
        show = self.bench.show
        addressed = sum(bool(u.patch) for u in show.units)
        self.head.say(
            str(len(show.units)),
            "units",
            str(addressed),
            "addressed",
            str(len(universes_known(show))),
            "universes",
        )

    # ------------------------------------------------------------ acts

    def ask_ways(self, placing: Placing, name: str) -> None:
        WaysDialog(self.bench, placing, name, self.house.over).open()

    def add_units(self) -> None:
        AddDialog(
            self.bench, self.house.over, to_library=lambda: self.acts.trigger("profiles.search")
        ).open()

    def read_list(self) -> None:
        start = str(self.bench.path.parent) if self.bench.path else str(EXTRA_LIST.parent)
        name, _ = QFileDialog.getOpenFileName(
            self.house.over,
            "Read a hang list",
            start,
            "Lists (*.csv *.tsv *.txt *.xlsx *.ods *.pdf);;All files (*)",
            options=QFileDialog.Option.DontUseNativeDialog,
        )
        if name:
            self.open_list(Path(name))

    def open_list(self, path: Path) -> None:
        """Raises FileFault when it is not a hang list at all."""
        self._show_list(read_file(path, MAX_BYTES), path.name)

    def paste_list(self) -> None:
        """A table on the clipboard, read as a hang list. Raises FileFault when it is none."""
        self._show_list(QGuiApplication.clipboard().text().encode(), "the pasted list")

    def unread_lines(self) -> None:
        """Lines of the paper that could not be taken, to be corrected now."""
        paper = self.bench.show.paper
        if not paper.unread:
            raise EntryFault("The paper has no line that was not read.")
        self._show_list(unread_as_table(paper), "unread lines", fixes=True)

    def _show_list(self, data: bytes, name: str, fixes: bool = False) -> None:
        HangListDialog(self.bench, data, name, self.house.over, self.house.settings, fixes).open()

    def readdress(self) -> None:
        ReaddressDialog(self.bench, self.house.over).open()

    def replace(self) -> None:
        key = self.units.model.columns[max(0, self.units.table.currentIndex().column())]
        ReplaceDialog(
            self.bench, self.units.model, self.house.over, key if key in TEXTS else ""
        ).open()

    def swap(self) -> None:
        SwapDialog(self.bench, self.house.over).open()

    def copy_rows(self) -> None:
        QGuiApplication.clipboard().setText(self.units.table.as_text(whole=True))
        self.bench.tell("ok", "The rows are copied with headings.")

    def copy_units(self) -> None:
        units = self.bench.selection.units()
        made, ids = edits.copy_units(self.bench.show, [u.id for u in units])
        self.bench.commit(f"copy {many(len(units), 'unit')}", made)
        self.bench.selection.select(ids)

    def remove(self) -> None:
        units = self.bench.selection.units()
        self.bench.commit(
            f"remove {many(len(units), 'unit')}",
            edits.remove_units(self.bench.show, [u.id for u in units]),
        )

    def next_free(self) -> None:
        self.bench.commit(
            "patch at the next free address",
            edits.address_next_free(self.bench.show, list(self.bench.selection.ids)),
        )

    def renumber(self) -> None:
        """Numbers from a first one on, in one edit."""
        units = sorted(self.bench.selection.units(), key=lambda u: u.number)

        def take(values: list[str]) -> None:
            if not values[0].strip().isdigit():
                raise EntryFault(
                    f"“{values[0][:20]}” is not a unit number.", do="Write the first number."
                )
            gaps = values[1].strip().lower()
            if gaps not in ("kept", "closed"):
                raise EntryFault("Gaps are kept or closed.", do="Write kept or closed.")
            made = edits.renumber_from(
                self.bench.show, [u.id for u in units], int(values[0]), gaps == "kept"
            )
            self.bench.commit(f"renumber {many(len(units), 'unit')} from {values[0].strip()}", made)

        fields = [("First number", str(units[0].number)), ("Gaps (kept or closed)", "closed")]
        EntryDialog(
            self.house.over, f"Renumber {many(len(units), 'unit')}", "Renumber", fields, take
        ).exec()

    def unpatch(self) -> None:
        self.bench.commit(
            "unpatch", edits.set_address(self.bench.show, list(self.bench.selection.ids), None)
        )

    def lock(self, locked: bool) -> None:
        ids = list(self.bench.selection.ids)
        words = "lock" if locked else "unlock"
        self.bench.commit(
            f"{words} {many(len(ids), 'address')}", edits.set_locked(self.bench.show, ids, locked)
        )
