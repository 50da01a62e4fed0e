"""Another's list of the rig beside ours: what is other, shifts in a sentence, their side taken."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QFileDialog, QHBoxLayout

from isthmus.app.kit.theme import SIZE
from isthmus.app.kit.widgets import (
    PageView,
    RowsModel,
    bind,
    button,
    choice,
    column_of,
    field,
    label,
    plain_table,
    selected_rows,
)
from isthmus.app.model.saving import save_paper
from isthmus.app.model.workbench import Workbench
from isthmus.compare.expected import Meeting, expected_by, meetings, read_expected, with_routes
from isthmus.compare.expected import sentences as in_words
from isthmus.compare.lists import FIELDS, Beside, beside, sentences
from isthmus.compare.taking import lines, with_new, with_theirs
from isthmus.errors import IsthmusError
from isthmus.library.at_hand import at_hand
from isthmus.papers.lists import differences_paper
from isthmus.patch.paper import new_revision
from isthmus.plural import many
from isthmus.routes.ports import write_number, write_output
from isthmus.show.records import Paper, PaperRow

KINDS = "Lists and rigs (*.csv *.mvr *.isthmus)"
Line = tuple[str, str, str, str, str]  # unit id, number, field, ours, theirs


class LinesModel(RowsModel):
    COLUMNS = ("Unit", "What", "Ours", "Theirs")
    MONO = (0,)

    def cells(self, row: Line) -> tuple[str, ...]:
        _, number, field, ours, theirs = row
        missing = "not with us" if not ours else "not with them"
        if field:
            return number, field, ours or "none", theirs
        return number, "only there" if theirs else "only here", ours or missing, theirs or missing

    def tip(self, row: Line, column: int) -> str:
        return self.words(row, column)

    def ink(self, row: Line, column: int) -> str:
        return ("text", "text2", "text2", "text")[column]

    def show(self, rows: list[Line]) -> None:
        self.beginResetModel()
        self.rows = rows
        self.endResetModel()


class WireModel(RowsModel):
    """Universes, those that are other first."""

    COLUMNS = ("Universe", "", "Goes out as", "Expected as")
    MONO = (0,)

    def cells(self, row: Meeting) -> tuple[str, ...]:
        sent = ", ".join(write_output(output) for output in row.outputs) or "nothing"
        return (
            str(row.universe),
            "as expected" if row.right else "other",
            sent,
            write_number(row.protocol, row.expected),
        )

    def tip(self, row: Meeting, column: int) -> str:
        return self.words(row, column)

    def ink(self, row: Meeting, column: int) -> str:
        return "text2" if row.right else ("text", "ochre", "text", "text")[column]

    def show(self, rows: list[Meeting]) -> None:
        self.beginResetModel()
        self.rows = rows
        self.endResetModel()


class ListsView(PageView):
    def __init__(self, bench: Workbench) -> None:
        super().__init__()
        self.bench = bench
        self.name, self.theirs = "", ()
        self.found: Beside | None = None
        self._worked: object = None
        column = column_of(self)
        line = QHBoxLayout()
        line.setSpacing(6)
        self.file = label("A list of the rig by another person or program: CSV or MVR.", "quiet")
        line.addWidget(self.file, 1)
        line.addWidget(button("Open a list…", "primary", self.open, 30, "open list"))
        column.addLayout(line)
        self.told = label("", size="body", wrap=True)
        self.told.setObjectName("lists differ")
        column.addWidget(self.told)
        self.model = LinesModel()
        self.table = plain_table(self.model, "list lines", "What is other", (90, 110, 320, 320), 3)
        column.addWidget(self.table, 1)
        self.pairs = label("", "quiet", wrap=True)
        self.pairs.setObjectName("universes paired")
        column.addWidget(self.pairs)
        self.wire = WireModel()
        self.universes = plain_table(
            self.wire,
            "universes on the wire",
            "What we send beside what they expect",
            (90, 110, 320, 320),
            3,
        )
        self.universes.setFixedHeight(26 + 5 * SIZE["table_row"])
        column.addWidget(self.universes)
        column.addLayout(self._expects())
        acts = QHBoxLayout()
        acts.setSpacing(6)
        made = (
            ("Take their addresses", "take addresses", lambda: self.take(("address",))),
            ("Take their numbers", "take numbers", lambda: self.take(("number",))),
            ("Take the lines selected", "take lines", self.take_lines),
            ("Take all of theirs", "take list", self.take_all),
            ("Keep as hang list", "keep list", self.keep),
            ("Save what is other…", "save differences", self.save),
        )
        self.buttons = [button(words, run=run, name=name) for words, name, run in made]
        for one in self.buttons:
            acts.addWidget(one)
        acts.addStretch(1)
        column.addLayout(acts)
        bind(bench.changed, self, self.refresh)

    def _expects(self) -> QHBoxLayout:
        """What they listen to: by their list, or typed."""
        line = QHBoxLayout()
        line.setSpacing(6)
        line.addWidget(label("They listen to", "quiet"))
        self.expects = field("expects", "", "as their list has it, or 1=artnet 0, 2-4=sacn 11")
        self.protocol = choice("expects by", (("artnet", "Art-Net"), ("sacn", "sACN")))
        self.counted = choice("counted from", ((1, "their 1 is Art-Net 0"), (0, "as numbered")))
        for part, stretch in ((self.expects, 3), (self.protocol, 0), (self.counted, 0)):
            line.addWidget(part, stretch)
        self.send = button("Send as they expect", run=self.send_so, name="send as expected")
        line.addWidget(self.send)
        self.expects.textChanged.connect(lambda _: self._pair())
        self.protocol.activated.connect(lambda _: self._pair())
        self.counted.activated.connect(lambda _: self._pair())
        return line

    # ------------------------------------------------------------ what is so

    def expected(self) -> dict[int, tuple[str, int]]:
        """What they listen to, by our universes. Raises EntryFault."""
        if self.expects.text().strip():
            return read_expected(self.expects.text())
        if self.found is None:
            return {}
        return expected_by(self.found, self.protocol.currentData(), self.counted.currentData())

    def _pair(self) -> None:
        self.counted.setEnabled(self.protocol.currentData() == "artnet")
        try:
            met = meetings(self.bench.show, self.expected())
            one_shift = len({one.off for one in met if not one.right}) == 1
            self.pairs.setText(" ".join(in_words(met)[: 1 + one_shift]) if met else "")
        except IsthmusError as error:
            met = []
            self.pairs.setText(str(error))
        self.wire.show([one for one in met if not one.right] + [one for one in met if one.right])
        self.universes.setVisible(bool(met))
        self.send.setEnabled(any(not one.right and one.outputs for one in met))

    def entered(self) -> None:
        self.refresh()

    def refresh(self) -> None:
        for one in self.buttons:
            one.setEnabled(bool(self.theirs))
        if self.isVisible():
            self._pair()
        if not self.theirs or not self.isVisible() or self._worked is self.bench.show:
            return
        self._worked = self.bench.show
        found = self.found = beside(self.bench.show, self.theirs)
        self.file.setText(f"{self.name}: {many(len(self.theirs), 'line')}")
        self.told.setText("\n".join(sentences(found)))
        self.model.show(lines(found))
        self._pair()

    # ------------------------------------------------------------ acts

    def open(self) -> None:
        name, _ = QFileDialog.getOpenFileName(
            self.window(), "Open a list", "", KINDS, options=QFileDialog.Option.DontUseNativeDialog
        )
        if name:
            self.bench.guard(lambda: self.open_path(Path(name)))

    def open_path(self, path: Path) -> None:
        """Raises FileFault."""
        from isthmus.mvr.uses import rows_of_file  # MVR and all: not needed at the start

        show = self.bench.show
        self.theirs: tuple[PaperRow, ...] = tuple(rows_of_file(path, show, at_hand(show)))
        self.name, self._worked = path.name, None
        self.refresh()
        self.table.setFocus(Qt.FocusReason.OtherFocusReason)

    def take(self, fields: tuple[str, ...], units: set[str] | None = None) -> None:
        def run() -> None:
            if self.found is not None:
                show = self.bench.show
                made = with_theirs(show, self.found, at_hand(show), fields, units)
                what = "all of it" if fields == FIELDS else f"{fields[0]}"
                self.bench.commit(f"Take {what} from {self.name}", made)

        self.bench.guard(run)

    def take_all(self) -> None:
        """All fields, and what is only with them."""

        def run() -> None:
            if self.found is not None:
                show, library = self.bench.show, at_hand(self.bench.show)
                made = with_theirs(show, self.found, library)
                made = with_new(made, self.found.theirs_only, library)
                self.bench.commit(f"Take {self.name}", made)

        self.bench.guard(run)

    def take_lines(self) -> None:
        """Units and fields of the rows that are selected; lines only with them become units."""

        def run() -> None:
            if self.found is None:
                return
            show, library = self.bench.show, at_hand(self.bench.show)
            rows = [self.model.rows[at] for at in selected_rows(self.table)]
            made = show
            for unit, _, what, _, _ in rows:
                if unit and what:
                    made = with_theirs(made, self.found, library, (what,), {unit})
            numbers = {number for unit, number, _, _, _ in rows if not unit}
            new = [row for row in self.found.theirs_only if str(row.number) in numbers]
            self.bench.commit(
                f"Take {many(len(rows), 'line')} from {self.name}", with_new(made, new, library)
            )

        self.bench.guard(run)

    def send_so(self) -> None:
        """Our outputs go out under the numbers they listen to."""
        self.bench.guard(
            lambda: self.bench.commit(
                "Send as is expected", with_routes(self.bench.show, self.expected())
            )
        )

    def keep(self) -> None:
        """As the hang list beside the patch; the one before stays among the earlier."""
        paper = Paper(title=Path(self.name).stem, rows=self.theirs)
        made = new_revision(self.bench.show, paper)
        self.bench.commit(f"Keep {self.name} as hang list", made)

    def save(self) -> None:
        found = self.found
        if found is not None:
            show, name = self.bench.show, self.name
            save_paper(
                self.bench, self, "differences", lambda: differences_paper(show, found, name)
            )
