"""Palettes by kind, what the one selected wishes and who cannot, and what can be done with it."""

from __future__ import annotations

from msgspec.structs import replace
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QVBoxLayout, QWidget

from isthmus.app.kit.first import FirstSteps
from isthmus.app.kit.widgets import PageView, bind, bind_seen, button, column_of, field, label
from isthmus.app.model.workbench import Workbench
from isthmus.app.pages.looks.views.missing import MOST, Missing
from isthmus.app.pages.looks.views.pictures import StageOutline
from isthmus.app.pages.looks.views.swatches import SwatchList
from isthmus.errors import EntryFault
from isthmus.looks import edits as core
from isthmus.looks import in_words
from isthmus.looks.edits import squeezed
from isthmus.looks.starters import with_starters
from isthmus.looks.taken import taken
from isthmus.looks.used import looks_with
from isthmus.looks.words import say_palette
from isthmus.patch.numbers import read_numbers
from isthmus.plural import many
from isthmus.show.records import Palette, Show

PLACES = {"colour": (0, 0), "position": (0, 1), "intensity": (2, 0), "beam": (2, 1)}


class PalettesView(PageView):
    def __init__(self, bench: Workbench) -> None:
        super().__init__()
        self.bench, self._stage = bench, StageOutline(bench.show)
        self.missing = Missing(bench)
        self.missing.found.connect(self._mark)
        column = column_of(self, 8)
        grid = QGridLayout()
        grid.setHorizontalSpacing(18)
        grid.setVerticalSpacing(2)
        grid.setRowStretch(1, 3)
        grid.setRowStretch(3, 2)
        column.addLayout(grid, 1)
        self.lists: dict[str, SwatchList] = {}
        self.titles = {}
        for kind, (row, at) in PLACES.items():
            title = self.titles[kind] = label("", size="section", weight=600)
            made = self.lists[kind] = SwatchList(kind, lambda: bench.show, self._outline)
            head = QHBoxLayout()
            head.addWidget(title, 1)
            head.addWidget(
                button(
                    "New from now",
                    "quiet",
                    lambda k=kind: self.new(k),
                    name=f"new {kind}",
                    tip=f"A {kind} palette of what the selected units do now",
                )
            )
            grid.addLayout(head, row, at)
            grid.addWidget(made, row + 1, at)
            grid.setColumnStretch(at, 1)
            made.selectionModel().currentChanged.connect(lambda _a, _b, m=made: self._chosen(m))
            made.used.connect(self.use)
            made.named.connect(self.begin_naming)
        column.addWidget(self._below())
        self.first = FirstSteps(
            self,
            "No palettes yet",
            "Begin with a set made from what the units and the stage of this show have: colours, "
            "positions, beams and intensities. Or select units, set them by hand, and take a "
            "palette from what they do.",
            [button("Make the starter set", "plain", self.make_starters, 30, "first starters")],
        )
        bind(bench.changed, self, self.refresh)
        bind_seen(bench.selection.changed, self, self._selected)
        self.refresh()

    def _below(self) -> QWidget:
        made = QWidget()
        column = QVBoxLayout(made)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        self.title = label("", size="section", weight=600)
        self.words = label("", "quiet", wrap=True)
        self.short = label("", "attention", wrap=True)
        self.short.setObjectName("who cannot")
        column.addWidget(self.title)
        column.addWidget(self.words)
        column.addWidget(self.short)
        row = QHBoxLayout()
        row.setSpacing(6)
        self.apply = button("Use on the selected units", "primary", self.use, 30, "use palette")
        row.addWidget(self.apply)
        self.number = field("palette number", "", "number", mono=True)
        self.number.setFixedWidth(76)
        self.name = field("palette name", "", "name")
        self.name.setMinimumWidth(130)
        row.addWidget(self.number)
        row.addWidget(self.name, 1)
        self.own = [
            button("Rename", run=self.rename, name="rename palette"),
            button("Update from now", run=self.update_from_now, name="update palette"),
            button("Remove", run=self.remove, name="remove palette"),
        ]
        for one in self.own:
            row.addWidget(one)
        row.addStretch(1)
        self.starters = button("Make the starter set", run=self.make_starters, name="make starters")
        row.addWidget(self.starters)
        column.addLayout(row)
        for entry in (self.number, self.name):
            entry.returnPressed.connect(self.rename)
        return made

    # ------------------------------------------------------------ what is so

    def _outline(self) -> StageOutline:
        if self._stage.structures is not self.bench.show.structures:
            self._stage = StageOutline(self.bench.show)
        return self._stage

    def entered(self) -> None:
        self._selected()
        if not any(one.hasFocus() for one in self.lists.values()):
            self.lists["colour"].setFocus(Qt.FocusReason.OtherFocusReason)

    def left(self) -> None:
        self.missing.stop()

    def refresh(self) -> None:
        show, chosen = self.bench.show, self.palette_here()
        self.first.show_if(not show.palettes)
        for kind, made in self.lists.items():
            found = core.of_kind(show, kind)
            made.swatches.take(found)
            plural = {"colour": "Colours", "position": "Positions", "beam": "Beams"}
            count = f"  {len(found)}" if found else ""
            self.titles[kind].setText(f"{plural.get(kind, 'Intensities')}{count}")
        if chosen is not None and not self.lists[chosen.kind].choose(chosen.id):
            self.lists[chosen.kind].let_go()
        self._tell()
        if self.isVisible():
            self.missing.again()

    def palette_here(self) -> Palette | None:
        """The palette selected, whatever its kind."""
        return next((p for one in self.lists.values() if (p := one.palette_here())), None)

    def choose(self, palette_id: str) -> None:
        found = core.palette(self.bench.show, palette_id)
        self.lists[found.kind].choose(palette_id)
        self.lists[found.kind].setFocus(Qt.FocusReason.OtherFocusReason)

    def _chosen(self, here: SwatchList) -> None:
        """One palette is selected at a time."""
        if here.palette_here() is not None:
            for other in self.lists.values():
                if other is not here:
                    other.let_go()
        self._tell()

    def _selected(self) -> None:
        self._tell()
        self.missing.again()

    def _mark(self) -> None:
        for one in self.lists.values():
            one.swatches.take_missing(self.missing.counts)

    def _tell(self) -> None:
        """The palette selected in words, and who of the selected units cannot do it."""
        one, ids = self.palette_here(), self.bench.selection.ids
        self.apply.setEnabled(one is not None and bool(ids))
        for part in (*self.own, self.number, self.name):
            part.setEnabled(one is not None)
        self.number.setText(str(one.number) if one else "")
        self.name.setText(one.name if one else "")
        if one is None:
            self.title.setText("No palette selected")
            self.words.setText("Select one to see what it wishes, and who cannot do it.")
            self.short.setText("")
        else:
            self.title.setText(f"{one.kind.capitalize()} {one.number}  {one.name}")
            used = ", ".join(str(o.number) for o in looks_with(self.bench.show, [one.id]))
            told = f" Used in looks {used}." if used else ""
            self.words.setText(say_palette(self.bench.show, one) + "." + told)
            short = self.missing.of(one) if 0 < len(ids) <= MOST else []
            self.short.setText(f"Of the selected units {in_words(short)}." if short else "")
        self.short.setVisible(bool(self.short.text()))

    # ------------------------------------------------------------ acts

    def use(self) -> None:
        """Ask the selected units for what the palette wishes."""
        one = self.palette_here()
        if one is not None:
            self.bench.levels.use(one, self.bench.selection.ids)

    def _taken(self, kind: str, name: str) -> Palette:
        ids = self.bench.selection.ids
        if not ids:
            raise EntryFault("No units are selected.", do="Select those it is taken from.")
        wishes = taken(self.bench.levels.live, ids, kind)
        if not wishes:
            raise EntryFault(f"None of the selected units has a {kind} of its own.")
        profiles = {u.id: u.profile for u in self.bench.selection.units()}
        return squeezed(kind, name, wishes, profiles)

    def new(self, kind: str) -> None:
        """A palette of what the selected units do now."""

        def run() -> None:
            number = core.free_number(self.bench.show, kind)
            made = self._taken(kind, f"{kind.capitalize()} {number}")
            show, found = core.add(self.bench.show, made)
            self.bench.commit(f"make {kind} {number}", show)
            self.choose(found)
            self.begin_naming()

        self.bench.guard(run)

    def begin_naming(self) -> None:
        self.name.setFocus(Qt.FocusReason.OtherFocusReason)
        self.name.selectAll()

    def update_from_now(self) -> None:
        """What the selected units do now takes the place of what the palette wished of them."""
        one = self.palette_here()
        if one is None:
            return

        def run() -> None:
            now = self._taken(one.kind, one.name)
            changed = replace(one, wish=now.wish, types=now.types, units=now.units)
            self.bench.commit(f"update {one.name}", core.change(self.bench.show, changed))
            used = [str(o.number) for o in looks_with(self.bench.show, [one.id])]
            if used:
                self.bench.tell("note", f"{one.name} changes looks {', '.join(used)} too.")

        self.bench.guard(run)

    def rename(self) -> None:
        one = self.palette_here()
        if one is None:
            return

        def run() -> None:
            numbers = read_numbers(self.number.text())
            if len(numbers) != 1:
                raise EntryFault(f"“{self.number.text()}” is not one number.")
            changed = replace(one, number=numbers[0], name=self.name.text())
            self.bench.commit(
                f"name {one.kind} {one.number}", core.change(self.bench.show, changed)
            )
            self.choose(one.id)

        self.bench.guard(run)

    def remove(self) -> None:
        one = self.palette_here()
        if one is not None:
            self.bench.commit(f"remove {one.name}", core.remove(self.bench.show, [one.id]))

    def make_starters(self) -> None:
        """Made, or made again: what was changed by hand stays."""
        bench = self.bench
        made: list[tuple[Show, int, int]] = []
        if bench.guard(lambda: made.append(with_starters(bench.show))):
            show, fresh, changed = made[0]
            bench.commit("make the starter set", show)
            self.lists["colour"].setFocus(Qt.FocusReason.OtherFocusReason)
            if fresh or changed:
                again = f", {many(changed, 'palette')} made again" if changed else ""
                bench.tell("ok", f"{many(fresh, 'palette')} made{again}.")
            else:
                bench.tell("note", "The starter set is there as it would be made.")
