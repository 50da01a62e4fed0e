"""Read a hang list: which column is what, what is asked, models and modes that only nearly match,
and the lines, corrected in place.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace

import msgspec
from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QTableView, QWidget

from isthmus.app.kit import settings
from isthmus.app.kit.dialogs import Frame, ask
from isthmus.app.kit.help import dress
from isthmus.app.kit.tasks import Step, Task
from isthmus.app.kit.widgets import Choice, button, choice, field, label, plain_table
from isthmus.app.model.workbench import Workbench
from isthmus.app.pages.patch.dialogs.hang_list_lines import CameModel, LinesModel
from isthmus.errors import FileFault, IsthmusError
from isthmus.gels import books_at_hand
from isthmus.gels.resolve import resolve_gels
from isthmus.hanglist import CHOSEN, NEEDED, PLAIN, Answers, HangList, Question, Reading, Unknown
from isthmus.hanglist.grid import needs_process
from isthmus.layout import set_out
from isthmus.library.at_hand import at_hand
from isthmus.patch.groups import groups_for
from isthmus.patch.paper import added_to, changes_between, next_revision, take_paper
from isthmus.plural import many
from isthmus.routes.ports import read_universe
from isthmus.show.records import Paper, PaperRow

ASKED = 3  # model and mode names asked about at once
AS_READ, AS_CAME = "read", "came"


def doubts(new: Sequence[PaperRow], found: HangList) -> list[str]:
    """What a person should know before these units are added."""
    bare = sum(not row.universe for row in new)
    return [f"{bare} without an address"] if bare and found.paper.rows else []


class HangListDialog(Frame):
    """Good lines are taken only by the button, and the button says how many."""

    def __init__(
        self,
        bench: Workbench,
        data: bytes,
        name: str,
        parent: QWidget,
        kept: settings.Settings | None = None,
        fixes: bool = False,
    ) -> None:
        """`fixes`: the lines are those the paper keeps unread. Raises FileFault when it is no
        table.
        """
        super().__init__(parent, f"Read {name}", "Take", self._take, 900)
        self.setObjectName("hang list")
        self.bench, self.name, self.fixes = bench, name, fixes
        self.kept = kept or settings.Settings()
        self.library = at_hand(bench.show)
        self.answers = Answers()
        self.resize(1000, 660)
        if needs_process(data):
            self._read_apart(data)
        else:
            self._begin(Reading(data, name, self.library))

    def _read_apart(self, data: bytes) -> None:
        """A file that a process reads: the dialog is there meanwhile, and closing it stops that."""
        waiting = label(f"{self.name} is being read…", size="body")
        self.body.addWidget(waiting)
        self.primary.setEnabled(False)

        def work(step: Step) -> Reading:
            return Reading(data, self.name, self.library, lambda: step(0.5))

        shown = True

        def closed() -> None:
            nonlocal shown
            shown = False
            task.cancel()

        def made(reading: Reading) -> None:
            if not shown:
                return
            self.body.removeWidget(waiting)
            waiting.deleteLater()
            self.primary.setEnabled(True)
            self._begin(reading)
            dress(self)

        def failed(error: object) -> None:
            if not shown:
                return
            waiting.setText("It could not be read.")
            self.say_trouble(str(error))

        task = Task(work, self.parent())
        task.done.connect(made)
        task.failed.connect(failed)
        self.finished.connect(lambda _: closed())
        task.start()

    def _begin(self, reading: Reading) -> None:
        self.reading = reading
        self.found = self.reading.read(self.answers)
        self._remembered()
        self._make_columns()
        self.counts = label("", size="body", weight=500, wrap=True)
        self.body.addWidget(self.counts)
        self.asked = QGridLayout()
        self.asked.setHorizontalSpacing(10)
        self.body.addLayout(self.asked)
        self._make_tables()
        self.hint = label("", "quiet", wrap=True)
        self.body.addWidget(self.hint)
        self._make_foot()
        self._show()

    def _make_tables(self) -> None:
        row = QHBoxLayout()
        self.seen = choice(
            "hang list seen",
            [(AS_READ, "Lines as they are read"), (AS_CAME, "The list as it came")],
        )
        self.seen.activated.connect(lambda _: self._see())
        row.addWidget(self.seen)
        self.sheet = choice("sheet of the list", [(n, n) for n in self.found.sheets])
        self.sheet.setVisible(len(self.found.sheets) > 1)
        self.sheet.setCurrentText(self.found.sheet)
        self.sheet.activated.connect(lambda _: self._sheet())
        row.addWidget(self.sheet)
        row.addStretch(1)
        self.body.addLayout(row)
        self.model = LinesModel(self._edit)
        self.table: QTableView = plain_table(
            self.model,
            "hang list lines",
            "Lines of the hang list",
            (54, 70, 140, 90, 80, 150, 80),
            7,
        )
        self.came = CameModel()
        self.came.show_list(self.found, ())
        self.raw: QTableView = plain_table(
            self.came, "hang list as it came", "The list as it came", (54, 134, 120), 2
        )
        self.raw.hide()
        self.body.addWidget(self.table, 1)
        self.body.addWidget(self.raw, 1)

    def _make_foot(self) -> None:
        foot = QHBoxLayout()
        show = self.bench.show
        self.title, self.revision = field("paper title", ""), field("revision", "")
        self.title.setText(show.paper.title or self.found.paper.title)
        revision = show.paper.revision
        later = next_revision(revision) if show.paper.rows else ""
        self.revision.setText(revision if self.fixes else later)
        self.revision.setFixedWidth(80)
        self.how = choice(
            "how it is kept", [("newer", "Replaces the paper"), ("more", "Added to the paper")]
        )
        have = {row.number for row in show.paper.rows}
        fresh = {row.number for row in self.found.paper.rows}
        self.how.setCurrentIndex(int(self.fixes or len(have & fresh) < len(have) / 2))
        self.how.setVisible(bool(have))
        self.how.activated.connect(lambda _: self._show())
        foot.addWidget(self.how)
        foot.addWidget(label("Kept as", "quiet"))
        foot.addWidget(self.title, 1)
        foot.addWidget(label("revision", "quiet"))
        foot.addWidget(self.revision)
        self.body.addLayout(foot)

    # ------------------------------------------------------------ which column is what

    def _signature(self) -> str:
        return " | ".join(self.found.heads)[:400]

    def _remembered(self) -> None:
        """Columns as the person had them last time for a list with these heads."""
        before = self.kept.paper_columns.get(self._signature())
        if before:
            heads = list(self.found.heads)
            columns = {n: heads.index(h) for n, h in before.items() if h in heads and n in CHOSEN}
            if all(name in columns for name in NEEDED):
                self.answers = replace(self.answers, columns=columns)
                self.found = self.reading.read(self.answers)

    def _make_columns(self) -> None:
        grid = QGridLayout()
        grid.setHorizontalSpacing(8)
        grid.setVerticalSpacing(4)
        self.choices: dict[str, Choice] = {}
        for i, name in enumerate(CHOSEN):
            made = choice(f"column {name}")
            made.activated.connect(lambda _, n=name: self._column(n))
            grid.addWidget(label(PLAIN[name], "quiet"), i // 6 * 2, i % 6)
            grid.addWidget(made, i // 6 * 2 + 1, i % 6)
            self.choices[name] = made
        self.body.addLayout(grid)
        self._fill_columns()

    def _fill_columns(self) -> None:
        for name, made in self.choices.items():
            made.blockSignals(True)
            made.clear()
            for at, head in [(-1, "not in the list"), *enumerate(self.found.heads)]:
                made.addItem(head, at)
            made.setCurrentIndex(made.findData(self.found.at.get(name, -1)))
            made.blockSignals(False)

    def _column(self, name: str) -> None:
        at = self.choices[name].currentData()
        for other, made in self.choices.items():  # a column is one thing only
            if other != name and at >= 0 and made.currentData() == at:
                made.setCurrentIndex(made.findData(-1))
        self._confirm()

    def _confirm(self) -> None:
        """The columns are as they are chosen above."""
        chosen = {n: made.currentData() for n, made in self.choices.items()}
        self._answer(columns={n: at for n, at in chosen.items() if at >= 0})

    def _sheet(self) -> None:
        self._answer(sheet=self.sheet.currentData(), columns=None)
        self._fill_columns()

    # ------------------------------------------------------------ answers

    def _edit(self, line: int, name: str, text: str) -> None:
        self._answer(edits={**self.answers.edits, (line, name): text})

    def _answer(self, **changes: object) -> None:
        self.answers = replace(self.answers, **changes)
        try:
            self.found = self.reading.read(self.answers)
        except FileFault as fault:
            self.say_trouble(str(fault))
            return
        self.say_trouble("")
        self._show()

    def _agree(self, some: Sequence[Unknown]) -> None:
        models, modes = dict(self.answers.models), dict(self.answers.modes)
        for one in some:
            if one.of:
                modes[one.of, one.text] = one.key
            else:
                models[one.text] = one.key
        self._answer(models=models, modes=modes)

    def _ask(self) -> None:
        """What is asked, and names that only nearly match: never taken silently."""
        while item := self.asked.takeAt(0):
            if widget := item.widget():
                widget.setParent(None)
                widget.deleteLater()
        rows = 0
        for question in self.found.questions:
            self._question(question, rows)
            rows += 1
        near = [unknown for unknown in self.found.unknown if unknown.key]
        other = [unknown for unknown in self.found.unknown if unknown.of and not unknown.key]
        for unknown in near[:ASKED]:
            self._near(unknown, rows)
            rows += 1
        for unknown in other[: max(1, ASKED - len(near))]:
            self._mode_of(unknown, rows)
            rows += 1
        if len(near) > 1:
            more = f"{many(len(near), 'name')} nearly match." if len(near) > ASKED else ""
            self.asked.addWidget(label(more, "quiet"), rows, 0)
            self._button(
                f"Agree to all {len(near)}", "agree to all", lambda: self._agree(near), rows
            )
            rows += 1
        if self.found.sharing and not self.answers.together:
            some = many(self.found.sharing, "unit")
            words = f"{some} with the address of another of the same type and mode."
            self.asked.addWidget(label(words, wrap=True), rows, 0)
            self._button("They share it", "they share", lambda: self._answer(together=True), rows)
        self.asked.setColumnStretch(0, 1)

    def _button(self, words: str, name: str, run: object, row: int, column: int = 1) -> None:
        made = button(words, run=run, name=name)  # type: ignore[arg-type]
        made.setAutoDefault(False)
        self.asked.addWidget(made, row, column)

    def _near(self, unknown: Unknown, row: int) -> None:
        profiles = self.library.profiles.profiles
        said = f"“{unknown.text[:40]}”" if unknown.text else "no mode"
        if unknown.of:
            meant, name = unknown.key, f"{unknown.key} of {profiles[unknown.of].in_full}"
        else:
            meant, name = profiles[unknown.key].name, profiles[unknown.key].in_full
        words = f"{said} in {many(unknown.count, 'line')}: perhaps {name}; {unknown.why}."
        self.asked.addWidget(label(words, wrap=True), row, 0)
        self._button(
            f"Read it as {meant[:24]}", f"agree {unknown.text}", lambda: self._agree([unknown]), row
        )

    def _mode_of(self, unknown: Unknown, row: int) -> None:
        """A mode without a proposal: the person says which."""
        profile = self.library.profiles.profiles[unknown.of]
        words = f"“{unknown.text[:40]}” of {profile.in_full} in {many(unknown.count, 'line')}."
        self.asked.addWidget(label(words, wrap=True), row, 0)
        modes = [(mode.name, mode.name) for mode in profile.modes]

        def take(name: str) -> None:
            self._agree([replace(unknown, key=name)])

        self._pick(row, f"mode {unknown.text}", modes, take)

    def _pick(
        self, row: int, name: str, options: Sequence[tuple[str, str]], take: Callable[[str], object]
    ) -> None:
        """A choice that counts when its button is pressed: stepping through it answers nothing."""
        made = choice(name, options)
        self.asked.addWidget(made, row, 1)
        self._button("Use this", f"use {name}", lambda: take(made.currentData()), row, 2)

    def _question(self, question: Question, row: int) -> None:
        self.asked.addWidget(label(question.words, wrap=True), row, 0)
        if question.field == "universe":
            typed = field("universe of the list", "", "universe")
            typed.setFixedWidth(90)
            typed.editingFinished.connect(lambda: self._universe(typed.text()))
            self.asked.addWidget(typed, row, 1)
        elif question.options:
            self._pick(row, "answer way", question.options, lambda way: self._answer(way=way))
        else:
            self._button("It is as chosen above", f"confirm {question.field}", self._confirm, row)

    def _universe(self, text: str) -> None:
        if not text.strip():
            return
        try:
            self._answer(universe=read_universe(text))
        except IsthmusError as fault:
            self.say_trouble(str(fault))

    # ------------------------------------------------------------ what is so

    def _see(self) -> None:
        raw = self.seen.currentData() == AS_CAME
        self.raw.setVisible(raw)
        self.table.setVisible(not raw)

    def _show(self) -> None:
        found = self.found
        have = {u.number for u in self.bench.show.units}
        named = {u.fixture_id for u in self.bench.show.units if u.fixture_id}
        new = [
            row
            for row in found.paper.rows
            if (row.fixture_id not in named if row.fixture_id else row.number not in have)
        ]
        self.counts.setText(self._summary(new))
        self.model.show_list(found, dict(self.answers.edits))
        self.came.show_list(found, self.reading.came(self.answers))
        for column in range(3, self.came.columnCount()):
            self.raw.setColumnWidth(column, 120)
        ignored = f"Not read: {', '.join(found.ignored)}. " if found.ignored else ""
        fix = (
            "Type over what is wrong, or add the good lines now: the others stay with the "
            "paper to be corrected."
            if found.paper.unread
            else ""
        )
        self.hint.setText(ignored + fix)
        self.doubts = doubts(new, found)
        words = f" ({', '.join(self.doubts)})" if self.doubts else ""
        self.primary.setText(
            f"Add {len(new)} new units{words}" if new else "Keep as the show's hang list"
        )
        self.primary.setEnabled(bool(found.paper.rows))
        self._ask()

    def _summary(self, new: Sequence[PaperRow]) -> str:
        found = self.found
        if found.lacking:
            named = " and ".join(PLAIN[name] for name in found.lacking)
            return f"No column is surely {named}: choose it above, and the lines are read."
        bad = sum(kind != "good" for kind in found.kinds.values())
        text = f"{many(len(found.paper.rows), 'unit')} read, {len(new)} of them new"
        text += f"; {many(bad, 'line')} cannot be taken yet." if bad else "."
        if self.bench.show.paper.rows:
            changed = {c.number for c in changes_between(self.bench.show.paper, self._paper())}
            text += f" Against the paper there is, {many(len(changed), 'unit')} differ."
        of_rows = found.kinds.keys()
        whole = [str(fault) for fault in found.faults if fault.line not in of_rows]
        return " ".join([text, *whole, *found.notes])

    # ------------------------------------------------------------ taking it

    def _paper(self) -> Paper:
        have = self.bench.show.paper
        if self.fixes:
            have = msgspec.structs.replace(have, unread=())
        more = have.rows and self.how.currentData() == "more"
        return added_to(have, self.found.paper) if more else self.found.paper

    def _take(self) -> bool:
        heads = self.found.heads
        if self.doubts:
            words = (
                f"{self.name} would be read with {', '.join(self.doubts)}. Check the columns "
                "above when that is not meant."
            )
            if ask(self, "Read it this way?", words, [("yes", "Read it this way")]) != "yes":
                return False
        self.kept.paper_columns[self._signature()] = {
            name: heads[at] for name, at in self.found.at.items() if at < len(heads)
        }
        settings.save(self.kept)
        before = {u.id for u in self.bench.show.units}
        paper = msgspec.structs.replace(
            self._paper(), title=self.title.text().strip(), revision=self.revision.text().strip()
        )
        made = take_paper(self.bench.show, paper, self.library)
        fresh = [u.id for u in made.units if u.id not in before]
        made = groups_for(resolve_gels(made, fresh, books_at_hand()), fresh)
        self.bench.commit(f"read hang list “{paper.title}”", set_out(made, fresh))
        self.bench.selection.select(fresh)
        return True
