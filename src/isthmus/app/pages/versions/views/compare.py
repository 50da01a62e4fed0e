"""Versions of the show, and any two shows held against each other: what differs, each of it to be
taken.
"""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout

from isthmus.app.kit.changes import ChangesTable, Row
from isthmus.app.kit.edited import hold_row
from isthmus.app.kit.widgets import (
    PageView,
    beside,
    bind,
    button,
    choice,
    field,
    label,
    plain_table,
    take_row,
    tick,
)
from isthmus.app.model.plan_state import Ghosts
from isthmus.app.model.saving import save_paper
from isthmus.app.model.sides import NOW, RIGS, Sides, ask_show
from isthmus.app.model.workbench import Workbench
from isthmus.app.pages.versions.models.versions import VersionsModel
from isthmus.compare import Difference, apply, difference
from isthmus.compare.matching import matched
from isthmus.compare.references import renamed_show
from isthmus.compare.words import KINDS, first_sentences, sentences
from isthmus.papers.changes import changes_paper
from isthmus.plural import many
from isthmus.show.records import Show, Version
from isthmus.show.versions import RULE, gone_back, version_named


class CompareView(PageView):
    def __init__(self, bench: Workbench, sides: Sides) -> None:
        super().__init__()
        self.bench, self.sides = bench, sides
        self._held: tuple[object, object] | None = None  # the two shows that are compared
        beside(self, self._left(), self._right())
        bind(bench.changed, self, self.refresh)
        self.refresh()

    def _left(self) -> QVBoxLayout:
        column = QVBoxLayout()
        column.setSpacing(6)
        self.versions = VersionsModel(self.sides, self.isVisible)
        self.table = plain_table(
            self.versions, "versions", "Versions, the newest first", (26, 104, 110, 60), 3
        )
        self.table.selectionModel().currentRowChanged.connect(lambda *_: self._chosen())
        self.table.doubleClicked.connect(lambda _: self.look())
        self.table.setMinimumWidth(350)
        column.addWidget(self.table, 1)
        self.changed = label("", wrap=True)
        self.changed.setObjectName("what the version changed")
        column.addWidget(self.changed)
        self.versions.dataChanged.connect(lambda *_: self._say_changed())
        self.note = field("version note", hint="such as: as hung")
        self.note.returnPressed.connect(self.make)
        line = QHBoxLayout()
        line.setSpacing(6)
        line.addWidget(self.note, 1)
        line.addWidget(button("Make a version", run=self.make, name="make version"))
        column.addLayout(line)
        line = QHBoxLayout()
        line.setSpacing(6)
        self.own = [
            button("Look at it", run=self.look, name="look at version"),
            button("Go back to it", run=self.go_back, name="go back to version"),
        ]
        for one in self.own:
            line.addWidget(one)
        line.addStretch(1)
        column.addLayout(line)
        column.addWidget(label(RULE, "quiet", wrap=True))
        return column

    def _right(self) -> QVBoxLayout:
        column = QVBoxLayout()
        column.setSpacing(6)
        line = QHBoxLayout()
        line.setSpacing(6)
        self.before, self.after = choice("compare from"), choice("compare to")
        for words, one in (("From", self.before), ("to", self.after)):
            line.addWidget(label(words, "quiet"))
            one.setMinimumWidth(80)
            one.activated.connect(lambda _: self._compare())
            line.addWidget(one, 1)
        line.addWidget(button("Exchange", run=self.exchange, name="exchange sides"))
        line.addWidget(button("Another file…", run=self.open, name="compare file"))
        column.addLayout(line)
        self.told = label("", size="body", wrap=True)
        self.told.setObjectName("what differs")
        column.addWidget(self.told)
        line = QHBoxLayout()
        line.setSpacing(6)
        self.kind = choice("compare kind")
        self.kind.activated.connect(lambda _: self._filter())
        self.words = field("compare filter", hint="a word, a number")
        self.words.textChanged.connect(lambda _: self._filter())
        self.count = label("", "quiet")
        self.haunt = tick("Show in plan and stage", "ghosts")
        self.haunt.toggled.connect(lambda _: self._haunt())
        for one in (self.kind, self.words, self.count):
            line.addWidget(one)
        line.addStretch(1)
        line.addWidget(self.haunt)
        column.addLayout(line)
        now = self.bench.history.show
        self.changes = ChangesTable(difference(now, now), ticked=False)
        self.changes.model.dataChanged.connect(lambda *_: self._say_taken())
        column.addWidget(self.changes, 1)
        line = QHBoxLayout()
        line.setSpacing(6)
        self.take_it = button("", "primary", self.take, 30, "take changes")
        line.addWidget(self.take_it)
        line.addWidget(button("Tick all", run=lambda: self.tick(True), name="tick all"))
        line.addWidget(button("Untick all", run=lambda: self.tick(False), name="untick all"))
        line.addStretch(1)
        line.addWidget(button("Save as a paper…", run=self.paper, name="compare paper"))
        column.addLayout(line)
        return column

    # ------------------------------------------------------------ what is so

    def entered(self) -> None:
        self.versions.go_on()
        self.refresh()
        hold_row(self.table)
        self.table.setFocus(Qt.FocusReason.OtherFocusReason)

    def refresh(self) -> None:
        versions = self.bench.history.show.versions
        here = self.version_here()
        if [row[0] for row in self.versions.rows] != list(versions[::-1]):
            self.versions.show(versions)
            rows = [row[0].number for row in self.versions.rows]
            if here is not None and here.number in rows:
                take_row(self.table, rows.index(here.number))
        for one in self.own:
            one.setEnabled(self.version_here() is not None)
        self._fill()
        self._compare()

    def _fill(self) -> None:
        names = self.sides.names
        newest = names[1][0] if len(names) > 1 else NOW
        for one, usual in ((self.before, newest), (self.after, NOW)):
            held = one.currentData() or usual
            one.clear()
            for key, name in names:
                one.addItem(name, key)
            one.setCurrentIndex(max(0, one.findData(held)))

    def version_here(self) -> Version | None:
        at = self.table.currentIndex().row()
        return self.versions.rows[at][0] if 0 <= at < len(self.versions.rows) else None

    def _say_changed(self) -> None:
        at = self.table.currentIndex().row()
        rows = self.versions.rows
        words = self.versions.words(rows[at], 3) if 0 <= at < len(rows) else ""
        self.changed.setText(f"Version {rows[at][0].number}: {words}" if words else "")

    def _chosen(self) -> None:
        """A version that is selected is compared with what is now."""
        version = self.version_here()
        self._say_changed()
        for one in self.own:
            one.setEnabled(version is not None)
        if version is not None:
            self.hold(str(version.number), NOW)

    def hold(self, before: str, after: str) -> None:
        """Compare these two."""
        for one, key in ((self.before, before), (self.after, after)):
            one.setCurrentIndex(max(0, one.findData(key)))
        self._compare()

    def _compare(self) -> None:
        if not self.isVisible():
            return
        keys = self.before.currentData(), self.after.currentData()

        def run() -> None:
            old, new = (self.sides.show(key) for key in keys)
            if self._held is not None and self._held[0] is old and self._held[1] is new:
                return
            self._held = old, new
            found = _difference(self.bench.history.show, old, new)
            self.changes.model.show(found, ticked=False)
            self.told.setText(first_sentences(sentences(found), 4) or "They are alike.")
            self._kinds()
            self._filter()
            self._haunt()

        self.bench.guard(run)

    def _kinds(self) -> None:
        there = list(dict.fromkeys(change.kind for change, _ in self.changes.model.all))
        held = self.kind.currentData()
        self.kind.clear()
        self.kind.addItem("All kinds", None)
        for kind in there:
            self.kind.addItem(KINDS[kind][1].capitalize() if kind else "The show", kind)
        self.kind.setCurrentIndex(max(0, self.kind.findData(held)))

    def _filter(self) -> None:
        kind, words = self.kind.currentData(), self.words.text().lower().split()

        def wanted(row: Row) -> bool:
            change, told = row
            if kind is not None and change.kind != kind:
                return False
            text = " ".join((told.kind, told.thing, told.member, told.old, told.new)).lower()
            return all(word in text for word in words)

        model = self.changes.model
        model.only(wanted)
        shown = f"{len(model.rows)} of " if len(model.rows) < len(model.all) else ""
        self.count.setText(shown + many(len(model.all), "change"))
        self._say_taken()

    def _say_taken(self) -> None:
        """What the button would do: against now, what was comes back; else what is new is taken."""
        count = self.changes.model.count_ticked
        verb = "Bring back" if self.after.currentData() == NOW else "Take"
        self.take_it.setText(f"{verb} {many(count, 'change')}")
        self.take_it.setEnabled(count > 0)

    def _haunt(self) -> None:
        """Units that were elsewhere, in plan and stage."""
        plan = self.bench.plan
        if not self.haunt.isChecked() or self._held is None:
            plan.haunt(None)
            return
        found = self.changes.model.found
        there = {unit.id: unit.position for unit in found.new.units}
        moved = tuple(
            unit.id
            for unit in found.old.units
            if unit.position is not None and there.get(unit.id) != unit.position
        )
        name = self.sides.name(self.before.currentData())
        words = f"{name}: {many(len(moved), 'unit')} elsewhere, or gone"
        plan.haunt(Ghosts(found.old, moved, words))

    # ------------------------------------------------------------ acts

    def make(self) -> None:
        self.bench.keep_version(self.note.text().strip() or "by hand")
        self.note.clear()

    def look(self) -> None:
        version = self.version_here()
        if version is not None:
            self.bench.guard(lambda: self.bench.look_at(version))

    def go_back(self) -> None:
        version, bench = self.version_here(), self.bench
        if version is not None:
            bench.guard(
                lambda: bench.commit(
                    f"Go back to version {version.number}",
                    gone_back(bench.show, version_named(bench.show, version.number)),
                )
            )

    def exchange(self) -> None:
        self.hold(self.after.currentData(), self.before.currentData())

    def open(self) -> None:
        if path := ask_show(self, "Compare with another show", kinds=RIGS):
            self.bench.guard(lambda: self.open_path(path))

    def open_path(self, path: Path) -> None:
        """Raises FileFault."""
        self.show_file(self.sides.open(path))

    def show_file(self, key: str) -> None:
        """What is now beside another show, by its key among the sides."""
        self._fill()
        self.hold(NOW, key)

    def tick(self, on: bool) -> None:
        self.changes.model.tick(range(len(self.changes.model.rows)), on)

    def take(self) -> None:
        """What is ticked, in what is now."""
        taken = self.changes.model.taken()
        verb = "Take"
        if self.after.currentData() == NOW:
            verb, taken = "Bring back", [one.turned() for one in taken]
        count = self.changes.model.count_ticked
        other = self.before if verb == "Bring back" else self.after
        name = self.sides.name(other.currentData())
        made = apply(taken, self.bench.show)
        self.bench.commit(f"{verb} {many(count, 'change')} from {name}", made)

    def paper(self) -> None:
        names = [self.sides.name(one.currentData()) for one in (self.before, self.after)]
        found = self.changes.model.found
        save_paper(
            self.bench,
            self,
            "comparison",
            lambda: changes_paper(self.bench.show, found, names, self.changes.model.rows),
        )


def _difference(now: Show, old: Show, new: Show) -> Difference:
    """Of two shows, with things known by the ids they have now: what is taken finds its thing."""
    if new is now:
        return difference(new, old).turned()
    return difference(renamed_show(old, matched(now, old)) if old is not now else old, new)
