"""Read a hang list: which column is what, models that only nearly match, and the lines, corrected
in place.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any

from msgspec.structs import replace
from PySide6.QtCore import QModelIndex, QPersistentModelIndex, Qt
from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QTableView, QWidget

from isthmus.app.kit import settings
from isthmus.app.kit.dialogs import Frame, ask
from isthmus.app.kit.widgets import Choice, RowsModel, button, choice, field, label, plain_table
from isthmus.app.model.workbench import Workbench
from isthmus.errors import FileFault
from isthmus.gels import books_at_hand
from isthmus.gels.resolve import resolve_gels
from isthmus.layout import set_out
from isthmus.library.at_hand import at_hand
from isthmus.patch.groups import groups_for
from isthmus.patch.hanglist import COLUMNS, NEEDED, PLAIN, HangList, parse_hang_list
from isthmus.patch.paper import added_to, changes_between, next_revision, paper_address, take_paper
from isthmus.plural import many
from isthmus.show.records import Paper, PaperRow

FIELDS = ("number", "type", "mode", "address", "hangs_on", "gel")
HEADINGS = ("Line", "Unit", "Type", "Mode", "Address", "Position", "Gel", "What is wrong")
ASKED = 4  # model names asked about at once


def doubts(found: HangList, new: Sequence[PaperRow]) -> list[str]:
    """What a person should know before these units are added: how many have no address, and what
    was guessed.
    """
    bare = sum(not row.universe for row in new)
    told = [f"{bare} without an address"] if bare and found.paper.rows else []
    told += [
        f"{PLAIN[name].lower()} guessed from “{found.heads[found.at[name]][:20]}”"
        for name in found.guessed
    ]
    return told


class LinesModel(RowsModel):
    """The lines with what is wrong, those that need a hand first; their cells can be typed over."""

    COLUMNS = HEADINGS
    MEDIUM = (0, 1)
    MONO = (0, 1, 4)

    def __init__(self, edit: Callable[[int, str, str], object]) -> None:
        super().__init__()
        self.edit = edit
        self.rows: list[tuple[PaperRow, str]] = []
        self.texts: dict[tuple[int, str], str] = {}
        self.written: dict[int, dict[str, str]] = {}

    def show_list(self, found: HangList, texts: dict[tuple[int, str], str]) -> None:
        faults: dict[int, list[str]] = {}
        for fault in found.faults:
            faults.setdefault(fault.line, []).append(f"{fault.what} {fault.do}".strip())
        rows = [
            (row, " ".join(faults.get(row.line, ())))
            for row in (*found.paper.rows, *found.rejected)
        ]
        rows.sort(key=lambda item: (not item[1], item[0].line))
        self.beginResetModel()
        self.rows, self.texts, self.written = (
            rows,
            texts,
            {line.line: line.cells for line in found.paper.unread},
        )
        self.endResetModel()

    def text(self, row: PaperRow, column: int) -> str:
        if column == 0:
            return str(row.line)
        name = FIELDS[column - 1]
        if (row.line, name) in self.texts:
            return self.texts[row.line, name]
        if name in self.written.get(
            row.line, ()
        ):  # what was not understood stands as it was written
            return self.written[row.line][name]
        if name == "address":
            return paper_address(row)
        return str(row.number or "?") if name == "number" else getattr(row, name)

    def words(self, row: tuple[PaperRow, str], column: int) -> str:
        line, wrong = row
        if column == len(HEADINGS) - 1:
            return wrong[:1].upper() + wrong[1:]
        return self.text(line, column)

    def tip(self, row: tuple[PaperRow, str], column: int) -> str:
        """The cell in full: lines are longer than their columns."""
        return self.words(row, column)

    def ink(self, row: tuple[PaperRow, str], column: int) -> str:
        return "fault" if row[1] and column in (0, len(HEADINGS) - 1) else ""

    def flags(self, index: QModelIndex | QPersistentModelIndex) -> Qt.ItemFlag:
        flags = Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable
        return (
            flags | Qt.ItemFlag.ItemIsEditable if 0 < index.column() < len(HEADINGS) - 1 else flags
        )

    def setData(
        self,
        index: QModelIndex | QPersistentModelIndex,
        value: Any,
        role: int = Qt.ItemDataRole.EditRole,
    ) -> bool:
        row, _ = self.rows[index.row()]
        if str(value) == self.text(row, index.column()):
            return False
        self.edit(row.line, FIELDS[index.column() - 1], str(value).strip())
        return True


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
        self.bench, self.raw, self.name, self.fixes = bench, data, name, fixes
        self.kept = kept or settings.Settings()
        self.library = at_hand(bench.show)
        self.columns: dict[str, int] | None = None
        self.aliases: dict[str, str] = {}
        self.edits: dict[tuple[int, str], str] = {}
        self.resize(1000, 640)
        self.found = parse_hang_list(data, name, self.library, lenient=True)
        self._remembered()
        self._make_columns()
        self.counts = label("", size="body", weight=500, wrap=True)
        self.body.addWidget(self.counts)
        self.asked = QGridLayout()
        self.asked.setHorizontalSpacing(10)
        self.body.addLayout(self.asked)
        self.model = LinesModel(self._edit)
        self.table: QTableView = plain_table(
            self.model,
            "hang list lines",
            "Lines of the hang list",
            (54, 62, 140, 90, 80, 150, 80),
            7,
        )
        self.body.addWidget(self.table, 1)
        self.hint = label("", "quiet", wrap=True)
        self.body.addWidget(self.hint)
        foot = QHBoxLayout()
        self.title, self.revision = field("paper title", ""), field("revision", "")
        self.title.setText(bench.show.paper.title or self.found.paper.title)
        revision = bench.show.paper.revision
        self.revision.setText(
            revision if fixes else next_revision(revision) if bench.show.paper.rows else ""
        )
        self.revision.setFixedWidth(80)
        self.how = choice(
            "how it is kept", [("newer", "Replaces the paper"), ("more", "Added to the paper")]
        )
        have, fresh = (
            {row.number for row in bench.show.paper.rows},
            {row.number for row in self.found.paper.rows},
        )
        self.how.setCurrentIndex(int(fixes or len(have & fresh) < len(have) / 2))
        self.how.setVisible(bool(have))
        self.how.activated.connect(lambda _: self._show())
        foot.addWidget(self.how)
        foot.addWidget(label("Kept as", "quiet"))
        foot.addWidget(self.title, 1)
        foot.addWidget(label("revision", "quiet"))
        foot.addWidget(self.revision)
        self.body.addLayout(foot)
        self._show()

    # ------------------------------------------------------------ which column is what

    def _signature(self) -> str:
        return " | ".join(self.found.heads)[:400]

    def _remembered(self) -> None:
        """Columns as the person had them last time for a list with these heads."""
        before = self.kept.paper_columns.get(self._signature())
        if before:
            heads = list(self.found.heads)
            self.columns = {
                name: heads.index(head)
                for name, head in before.items()
                if head in heads and name in COLUMNS
            }
            if not all(name in self.columns for name in NEEDED):
                self.columns = None

    def _make_columns(self) -> None:
        grid = QGridLayout()
        grid.setHorizontalSpacing(8)
        grid.setVerticalSpacing(4)
        self.choices: dict[str, Choice] = {}
        at = self.columns if self.columns is not None else self.found.at
        for i, name in enumerate(COLUMNS):
            made = choice(f"column {name}", [(-1, "not in the list"), *enumerate(self.found.heads)])
            made.setCurrentIndex(made.findData(at.get(name, -1)))
            made.activated.connect(lambda _, n=name: self._column(n))
            grid.addWidget(label(PLAIN[name], "quiet"), i // 5 * 2, i % 5)
            grid.addWidget(made, i // 5 * 2 + 1, i % 5)
            self.choices[name] = made
        self.body.addLayout(grid)

    def _column(self, name: str) -> None:
        at = self.choices[name].currentData()
        for other, made in self.choices.items():  # a column is one thing only
            if other != name and at >= 0 and made.currentData() == at:
                made.setCurrentIndex(made.findData(-1))
        self.columns = {
            other: made.currentData()
            for other, made in self.choices.items()
            if made.currentData() >= 0
        }
        self._read()

    def _edit(self, line: int, name: str, text: str) -> None:
        self.edits[line, name] = text
        self._read()

    def _read(self) -> None:
        try:
            self.found = parse_hang_list(
                self.raw,
                self.name,
                self.library,
                self.columns,
                self.aliases,
                self.edits,
                lenient=True,
            )
        except FileFault as fault:
            self.say_trouble(str(fault))
            return
        self.say_trouble("")
        self._show()

    # ------------------------------------------------------------ what is so

    def _show(self) -> None:
        found = self.found
        if self.columns is not None and found.at != self.columns:
            self._read()
            return
        have = {u.number for u in self.bench.show.units}
        new = [row for row in found.paper.rows if row.number not in have]
        bad = {fault.line for fault in found.faults}
        text = (
            f"{len(found.paper.rows)} good lines, {len(new)} of them new units; {len(bad)} "
            "lines cannot be read."
        )
        if found.lacking:
            text = (
                f"No column is chosen for {' and '.join(found.lacking)}: choose it above, and "
                "the lines are read."
            )
        elif self.bench.show.paper.rows:
            changed = {
                change.number for change in changes_between(self.bench.show.paper, self._paper())
            }
            text += f" Against the paper there is, {many(len(changed), 'unit')} differ."
        self.counts.setText(" ".join([text, *found.notes]))
        self.model.show_list(found, dict(self.edits))
        ignored = f"Not read: {', '.join(found.ignored)}. " if found.ignored else ""
        fix = (
            "Type over what is wrong, or add the good lines now: the others stay with the "
            "paper to be corrected."
            if bad
            else ""
        )
        self.hint.setText(ignored + fix)
        self.doubts = doubts(found, new)
        words = f" ({', '.join(self.doubts)})" if self.doubts else ""
        self.primary.setText(
            f"Add {len(new)} new units{words}" if new else "Keep as the show's hang list"
        )
        self.primary.setEnabled(bool(found.paper.rows))
        self._ask()

    def _ask(self) -> None:
        """Model names that only nearly match: never taken silently."""
        while item := self.asked.takeAt(0):
            if widget := item.widget():
                widget.setParent(None)
                widget.deleteLater()
        near = [unknown for unknown in self.found.unknown if unknown.key]
        for y, unknown in enumerate(near[:ASKED]):
            profile = self.library.profiles.profiles[unknown.key]
            words = (
                f"“{unknown.text[:40]}” in {many(unknown.count, 'line')}: "
                f"perhaps {profile.in_full}; {unknown.why}."
            )
            self.asked.addWidget(label(words, wrap=True), y, 0)
            made = button(
                f"Read it as {profile.name}",
                run=lambda u=unknown: self._agree(u.text, u.key),
                name=f"agree {unknown.text}",
            )
            made.setAutoDefault(False)
            self.asked.addWidget(made, y, 1)
        self.asked.setColumnStretch(0, 1)

    def _agree(self, text: str, key: str) -> None:
        self.aliases[text] = key
        self._read()

    def _paper(self) -> Paper:
        have = replace(self.bench.show.paper, unread=()) if self.fixes else self.bench.show.paper
        return (
            added_to(have, self.found.paper)
            if have.rows and self.how.currentData() == "more"
            else self.found.paper
        )

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
        paper = replace(
            self._paper(), title=self.title.text().strip(), revision=self.revision.text().strip()
        )
        made = take_paper(self.bench.show, paper, self.library)
        fresh = [u.id for u in made.units if u.id not in before]
        made = groups_for(resolve_gels(made, fresh, books_at_hand()), fresh)
        self.bench.commit(f"read hang list “{paper.title}”", set_out(made, fresh))
        self.bench.selection.select(fresh)
        return True
