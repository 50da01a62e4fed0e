"""Papers of the rig: one on the screen, saved alone or all of them."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QFileDialog, QHBoxLayout, QListWidget, QVBoxLayout

from isthmus.app.kit.widgets import (
    PageView,
    beside,
    bind,
    button,
    choice,
    label,
    plain_table,
    units_field,
)
from isthmus.app.model.saving import save_made
from isthmus.app.model.sides import NOW, Sides
from isthmus.app.model.workbench import Workbench
from isthmus.app.pages.handover.dialogs import HandOverDialog
from isthmus.app.pages.handover.models.paper import PaperModel
from isthmus.app.pages.handover.views.whole_set import WholeSet
from isthmus.errors import IsthmusError
from isthmus.papers.all_papers import RIG
from isthmus.papers.choosing import complete_for, units_for
from isthmus.papers.drawn import Block, as_csv, as_pdf, block_of, usual_size
from isthmus.papers.marked import as_html
from isthmus.papers.since import since, units_then
from isthmus.papers.table import Paper
from isthmus.plural import begun
from isthmus.show.handovers import handovers, told

ENDINGS = ("pdf", "csv", "html")


def drawn(paper: Paper, ending: str, block: Block) -> bytes:
    if ending == "pdf":
        return as_pdf(paper, usual_size(), block)
    return (as_csv(paper) if ending == "csv" else as_html(paper)).encode()


class PapersView(PageView):
    def __init__(self, bench: Workbench, sides: Sides) -> None:
        super().__init__()
        self.bench, self.sides = bench, sides
        self._made: tuple[object, ...] = ()
        beside(self, self._left(), self._right())
        bind(bench.changed, self, self.refresh)

    def _left(self) -> QVBoxLayout:
        column = QVBoxLayout()
        column.setSpacing(6)
        self.list = QListWidget()
        self.list.setObjectName("papers")
        self.list.setAccessibleName("Papers")
        self.list.setSpacing(3)
        for words, _ in RIG.values():
            self.list.addItem(words)
        self.list.setCurrentRow(0)
        self.list.currentRowChanged.connect(lambda _: self.refresh())
        column.addWidget(self.list, 1)
        self.made = label("", "quiet", wrap=True)
        self.made.setObjectName("handovers")
        column.addWidget(self.made)
        column.addWidget(button("Hand over…", run=self.hand_over, name="hand over"))
        self.whole = WholeSet(self, self.bench)
        column.addLayout(self.whole.line())
        column.addWidget(button("Save the whole set…", run=self.save_set, name="save the set"))
        column.addWidget(
            button("Save each in a folder…", run=self.save_all, name="save all papers")
        )
        return column

    def _right(self) -> QVBoxLayout:
        column = QVBoxLayout()
        column.setSpacing(6)
        line = QHBoxLayout()
        line.setSpacing(6)
        line.addWidget(label("Only", "quiet"))
        hint = "all, or 101-110, a position, a node"
        self.only = units_field("paper units", hint, lambda t: complete_for(self.bench.show, t))
        self.only.textChanged.connect(lambda _: self.refresh())
        line.addWidget(self.only, 2)
        line.addWidget(label("Since", "quiet"))
        self.since = choice("paper since")
        self.since.activated.connect(lambda _: self.refresh())
        line.addWidget(self.since, 2)
        line.addWidget(button("Save…", "primary", self.save, 30, "save paper"))
        column.addLayout(line)
        self.title = label("", size="section", weight=600)
        self.about = label("", "quiet", wrap=True)
        self.about.setObjectName("about the paper")
        column.addWidget(self.title)
        column.addWidget(self.about)
        self.model = PaperModel()
        self.table = plain_table(self.model, "paper", "The paper", (), 1)
        column.addWidget(self.table, 1)
        return column

    # ------------------------------------------------------------ what is so

    def entered(self) -> None:
        self.refresh()
        self.list.setFocus(Qt.FocusReason.OtherFocusReason)

    def refresh(self) -> None:
        if not self.isVisible():
            return
        made = handovers(self.bench.show)[-6:]
        self.made.setText("\n".join(begun(told(version)) for version in made))
        held = self.since.currentData()
        self.since.clear()
        self.since.addItem("everything", None)
        for key, name in self.sides.names:
            if key != NOW:
                self.since.addItem(name, key)
        self.since.setCurrentIndex(max(0, self.since.findData(held)))
        wanted = (
            self.bench.show,
            self.list.currentRow(),
            self.only.text(),
            self.since.currentData(),
        )
        if self._made and wanted[0] is self._made[0] and wanted[1:] == self._made[1:]:
            return
        self._made = wanted
        try:
            paper = self.paper()
        except IsthmusError as error:
            self.about.setText(str(error))
            return
        self._show(paper)

    def _show(self, paper: Paper) -> None:
        self.title.setText(paper.title)
        self.about.setText(paper.about)
        self.model.show(paper)
        for at, column in enumerate(paper.columns):
            wide = max(2.4 * column.width + 10, 7 * len(column.words) + 14)
            self.table.setColumnWidth(at, round(wide))
        self.table.clearSpans()
        for row in range(self.model.rowCount()):
            if self.model.heading(row):
                self.table.setSpan(row, 0, 1, len(paper.columns))

    def paper(self, at: int | None = None) -> Paper:
        """The one that is chosen, or another, as it is set. Raises EntryFault for a choice of units
        that is none.
        """
        return self._maker()(self.list.currentRow() if at is None else at)

    def _maker(self) -> Callable[[int], Paper]:
        """What makes each paper as it is set now; it may run on another thread."""
        show = self.bench.show
        only = units_for(show, self.only.text())
        key = self.since.currentData()
        old = None if key is None else self.sides.show(key)
        name = "" if key is None else self.sides.name(key)
        makers = [make for _, make in RIG.values()]

        def made(at: int) -> Paper:
            paper = makers[at](show, only)
            if old is None:
                return paper
            then = makers[at](old, units_then(old, show, only))
            return since(then, paper, name[:1].lower() + name[1:])

        return made

    # ------------------------------------------------------------ acts

    def hand_over(self) -> None:
        HandOverDialog(self.window(), self.bench).open()

    def save(self) -> None:
        what, (words, _) = list(RIG.items())[self.list.currentRow()]
        title = f"Save the paper: {words[:1].lower()}{words[1:]}"

        def run() -> None:
            paper, block = self.paper(), block_of(self.bench.show)
            save_made(
                self.bench, self, what, ENDINGS, lambda ending: drawn(paper, ending, block), title
            )

        self.bench.guard(run)

    def save_set(self) -> None:
        def run() -> None:
            self.whole.save(units_for(self.bench.show, self.only.text()))

        self.bench.guard(run)

    def save_all(self) -> None:
        folder = QFileDialog.getExistingDirectory(
            self.window(),
            "Save all papers in a folder",
            options=QFileDialog.Option.DontUseNativeDialog,
        )
        if folder:
            self.bench.guard(lambda: self.whole.each(Path(folder), list(RIG), self._maker()))
