"""What of another show is taken into ours: what is wanted, what becomes of it, line by line."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QHBoxLayout, QLayout, QPushButton, QVBoxLayout, QWidget

from isthmus.app.kit.edited import edited_table
from isthmus.app.kit.widgets import (
    KeysFirst,
    PageView,
    bind,
    button,
    choice,
    column_of,
    field,
    label,
    plain_table,
    selected_rows,
    tick,
)
from isthmus.app.model.sides import NOW, RIGS, Sides, ask_show
from isthmus.app.model.workbench import Workbench
from isthmus.app.pages.versions.models.coming import (
    ClashModel,
    ComingModel,
    Row,
    StandInModel,
    rows_of,
)
from isthmus.bringing import Coming, Plan, Wanted, choose, plan
from isthmus.bringing.needs import CHOSEN
from isthmus.bringing.stand_in import StandIn
from isthmus.bringing.wanted import HOWS, PARTS, Thing, everything, read_universes
from isthmus.compare.words import KINDS
from isthmus.errors import EntryFault, IsthmusError
from isthmus.plural import many
from isthmus.show import Show

ADDRESSES = (("keep", "As they are"), ("off", "Left off"), ("moved", "To universes"))
ALL = "everything"


class BringView(PageView):
    def __init__(self, bench: Workbench, sides: Sides) -> None:
        super().__init__()
        self.bench, self.sides = bench, sides
        self.things: frozenset[Thing] = frozenset()
        self.clashes: dict[Thing | str, str] = {}
        self.units: dict[str, str] = {}
        self.plan: Plan | None = None
        self._clashing: list[Row] = []
        column = column_of(self)
        for line in (self._source(), self._wish(), self._ways()):
            column.addLayout(line)
        self.told = label("", size="body", wrap=True)
        self.told.setObjectName("what comes")
        column.addWidget(self.told)
        column.addLayout(self._tables(), 1)
        column.addLayout(self._last())
        bind(bench.changed, self, self.refresh)

    def _source(self) -> QLayout:
        line = _line(label("From", "quiet"))
        self.side = choice("bring from")
        self.side.setMinimumWidth(320)
        self.side.activated.connect(lambda _: self._another())
        line.addWidget(self.side)
        line.addWidget(button("Another file…", run=self.open, name="bring file"))
        self.source = label("", "quiet")
        self.source.setObjectName("the other show")
        line.addWidget(self.source, 1)
        return line

    def _wish(self) -> QLayout:
        line = _line(label("Want", "quiet"))
        kinds = [(ALL, "Everything"), *((k, KINDS[k][1].capitalize()) for k in KINDS)]
        kinds += [(part, words.capitalize()) for part, words in PARTS.items()]
        self.kind = choice("bring kind", kinds)
        line.addWidget(self.kind)
        self.words = field("bring words", hint="all of them, or 101-110, a name, a word")
        self.words.returnPressed.connect(self.want)
        line.addWidget(self.words, 1)
        line.addWidget(button("Want it too", run=self.want, name="want"))
        line.addWidget(button("Want nothing", run=self.clear, name="want nothing"))
        return line

    def _ways(self) -> QLayout:
        line = _line(label("Unit numbers from", "quiet"))
        self.first = field("bring first", hint="as they are", mono=True)
        self.first.setFixedWidth(128)
        self.first.textEdited.connect(lambda _: self._work_out())
        line.addWidget(self.first)
        self.close_gaps = tick("Close gaps", "bring close")
        self.close_gaps.toggled.connect(lambda _: self._work_out())
        line.addWidget(self.close_gaps)
        line.addSpacing(12)
        line.addWidget(label("Addresses", "quiet"))
        self.addresses = choice("bring addresses", ADDRESSES)
        self.addresses.activated.connect(lambda _: self._work_out())
        line.addWidget(self.addresses)
        self.universe = field("bring universe", "1", mono=True)
        self.universe.setFixedWidth(112)
        self.universe.textEdited.connect(lambda _: self._work_out())
        line.addWidget(self.universe)
        line.addStretch(1)
        return line

    def _tables(self) -> QLayout:
        self.coming = ComingModel(self.leave)
        self.table = plain_table(
            self.coming, "coming", "What comes, what it is with us, and why", (30, 210, 150, 140), 2
        )
        KeysFirst(self.table, self._key)
        right = QVBoxLayout()
        right.setSpacing(6)
        self.clash_words = label("", weight=600)
        self.clash_kind = choice("clash kind")
        self.clash_kind.activated.connect(lambda _: self._filter())
        line = _line(self.clash_words)
        line.addStretch(1)
        line.addWidget(self.clash_kind)
        right.addLayout(line)
        self.met = ClashModel()
        self.clash_table = plain_table(
            self.met, "clashes", "What we have already, both sides", (170, 130, 104), 1
        )
        right.addWidget(self.clash_table, 3)
        line = _line()
        self.ways: dict[str, QPushButton] = {}
        for how, words in HOWS.items():
            made = button(
                words.capitalize(), run=lambda how=how: self.meet(how), name=f"meet {how}"
            )
            self.ways[how] = made
            line.addWidget(made)
        line.addStretch(1)
        right.addLayout(line)
        right.addWidget(
            label("For the lines selected; with none selected, for all shown.", "quiet")
        )
        self.stand_words = label("Who stands for units of theirs in what comes", weight=600)
        right.addWidget(self.stand_words)
        self.standing = StandInModel(self._stand)
        self.stand_table = edited_table(
            self.standing, "stand-ins", "Who stands for units of theirs", (130, 90, 100), 0
        )
        right.addWidget(self.stand_table, 2)
        row = QHBoxLayout()
        row.setSpacing(16)
        row.addWidget(self.table, 5)
        row.addLayout(right, 4)
        return row

    def _last(self) -> QLayout:
        self.do = button("", "primary", self.bring, 30, "bring in")
        self.notes = label("", "attention", wrap=True)
        self.notes.setObjectName("bring notes")
        line = _line(self.do)
        line.addWidget(self.notes, 1)
        return line

    # ------------------------------------------------------------ what is so

    def entered(self) -> None:
        self.refresh()
        self.side.setFocus(Qt.FocusReason.OtherFocusReason)

    def refresh(self) -> None:
        if not self.isVisible():
            return
        held = self.side.currentData()
        self.side.clear()
        for key, name in self.sides.names:
            if key != NOW:
                self.side.addItem(name, key)
        self.side.setCurrentIndex(max(0, self.side.findData(held)))
        if self.side.currentData() != held:
            self._another()
        else:
            self._work_out()

    def other(self) -> Show | None:
        """The show that is brought from; None where there is none, or it cannot be read."""
        key = self.side.currentData()
        if key is None:
            return None
        try:
            return self.sides.show(key)
        except IsthmusError as error:
            self.bench.tell("fault", str(error))
            return None

    def _another(self) -> None:
        self.things, self.clashes, self.units = frozenset(), {}, {}
        other = self.other()
        self.source.setText(
            f"“{other.name}”, {many(len(other.units), 'unit')}. It is only read."
            if other
            else "Choose a file, or make a version first."
        )
        self._work_out()

    def _wanted(self) -> Wanted:
        """Raises EntryFault for a number or a universe that is none."""
        first = self.first.text().strip()
        if first and not first.isdecimal():
            raise EntryFault(f"“{first}” is not a number.")
        addresses: str | tuple[int, ...] = self.addresses.currentData()
        if addresses == "moved":
            addresses = read_universes(self.universe.text())
        return Wanted(
            self.things,
            int(first) if first else None,
            self.close_gaps.isChecked(),
            addresses,
            self.clashes,
            self.units,
        )

    def _work_out(self) -> None:
        """What would come, at once."""
        other, self.plan = self.other(), None
        trouble = ""
        if other is not None:
            try:
                self.plan = plan(self.bench.show, other, self._wanted(), self._name())
            except EntryFault as error:
                trouble = str(error)
        self.universe.setEnabled(self.addresses.currentData() == "moved")
        made = self.plan
        rows = rows_of(made.coming) if made else []
        self.coming.take(rows)
        clashes = [row for row in rows if row[0].clashes]
        self._say_clashes(clashes)
        stand = made.stand_ins if made else ()
        units = {unit.id: unit for unit in other.units} if other else {}
        self.standing.show(stand, units, {unit.id: unit for unit in self.bench.show.units})
        for one in (self.stand_words, self.stand_table):
            one.setVisible(bool(stand))
        self._say(rows, trouble)

    def _say_clashes(self, rows: Sequence[Row]) -> None:
        self._clashing = list(rows)
        held = self.clash_kind.currentData()
        self.clash_kind.clear()
        self.clash_kind.addItem("All kinds", None)
        for kind in dict.fromkeys(one.kind for one, _ in rows):
            self.clash_kind.addItem(KINDS[kind][1].capitalize(), kind)
        self.clash_kind.setCurrentIndex(max(0, self.clash_kind.findData(held)))
        self.clash_kind.setEnabled(bool(rows))
        self._filter()
        self.clash_words.setText(
            f"{many(len(rows), 'thing')} we have already"
            if rows
            else "Nothing of it is with us already, or it is alike"
        )

    def _filter(self) -> None:
        """The clashes of one kind, or all."""
        kind = self.clash_kind.currentData()
        self.met.take([row for row in self._clashing if kind in (None, row[0].kind)])
        hows = {how for one, _ in self.met.rows for how in one.hows}
        for how, made in self.ways.items():
            made.setEnabled(how in hows)

    def _say(self, rows: Sequence[Row], trouble: str) -> None:
        made = self.plan
        new = sum(one.thing is not None for one, _ in rows)
        changes = made is not None and made.show != self.bench.show
        chosen = sum(one.why == CHOSEN for one, _ in rows)
        needed = f", {many(len(rows) - chosen, 'thing')} they need" if len(rows) > chosen else ""
        told = f"{many(chosen, 'thing')} wanted{needed}." if rows else ""
        if any(kind in PARTS for kind, _ in self.things):
            handled = made.handled if made else 0
            told += f" {many(handled, 'unit')} of ours get limits or curves of theirs."
        told = told.strip() or "Nothing is wanted yet."
        self.told.setText(trouble or told)
        self.do.setText(f"Bring in {many(new, 'thing')}" if new else "Bring in")
        self.do.setEnabled(changes)
        self.notes.setText(" ".join(made.notes) if made else "")

    # ------------------------------------------------------------ acts

    def open(self) -> None:
        if path := ask_show(self, "Bring in from another show", kinds=RIGS):
            self.bench.guard(lambda: self.open_path(path))

    def open_path(self, path: Path) -> None:
        """Raises FileFault."""
        key = self.sides.open(path)
        self.refresh()
        self.side.setCurrentIndex(self.side.findData(key))
        self._another()

    def want(self) -> None:
        other, kind = self.other(), self.kind.currentData()
        if other is None:
            return

        def run() -> None:
            fresh = everything(other) if kind == ALL else choose(other, kind, self.words.text())
            self.things |= set(fresh)
            self.words.clear()
            self._work_out()

        self.bench.guard(run)

    def clear(self) -> None:
        self.things, self.clashes, self.units = frozenset(), {}, {}
        self._work_out()

    def leave(self, coming: Sequence[Coming]) -> None:
        """Not wanted any more."""
        self.things -= {one.place for one in coming}
        self._work_out()

    def _key(self, event: QKeyEvent) -> bool:
        if event.key() not in (Qt.Key.Key_Space, Qt.Key.Key_Delete):
            return False
        rows = selected_rows(self.table)
        self.leave([self.coming.rows[at][0] for at in rows])
        return True

    def meet(self, how: str) -> None:
        """The selected clashes are met so; with none selected, all there are."""
        rows = selected_rows(self.clash_table)
        if not rows:
            rows = list(range(len(self.met.rows)))
        self.clashes |= {one.place: how for at in rows if how in (one := self.met.rows[at][0]).hows}
        self._work_out()

    def _stand(self, row: StandIn, text: str) -> bool:
        units = {str(unit.number): unit.id for unit in self.bench.show.units}
        if text and text not in units:
            self.bench.tell("fault", f"There is no unit {text}.")
            return False
        self.units[row.theirs] = units.get(text, "")
        self._work_out()
        return True

    def _name(self) -> str:
        other = self.other()
        return other.name if other else ""

    def bring(self) -> None:
        made = self.plan
        if made is None:
            return
        came = sum(one.thing is not None for one in made.coming)
        self.things, self.clashes, self.units = frozenset(), {}, {}
        self.bench.commit(f"Bring in {many(came, 'thing')} from “{self._name()}”", made.show)
        self.bench.tell("ok", f"{many(came, 'thing')} came from “{self._name()}”.")


def _line(*widgets: QWidget) -> QHBoxLayout:
    made = QHBoxLayout()
    made.setSpacing(6)
    for one in widgets:
        made.addWidget(one)
    return made
