"""From a manual: the source text, the rows read out of it, and the verdict against a profile, side
by side.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING, Any

from PySide6.QtCore import Qt, QTimer
from PySide6.QtGui import QGuiApplication, QTextCursor
from PySide6.QtWidgets import QFileDialog, QHBoxLayout, QPlainTextEdit, QTextEdit, QVBoxLayout

from isthmus.app.kit.tasks import Step, Task
from isthmus.app.kit.theme import theme
from isthmus.app.kit.widgets import (
    Index,
    PageView,
    RowsModel,
    bind,
    button,
    choice,
    label,
    lines_field,
    plain_table,
    plain_tip,
)
from isthmus.app.model.workbench import Workbench
from isthmus.app.pages.profiles.dialogs.questions import NameDialog
from isthmus.app.pages.profiles.views.chart import ChartView
from isthmus.app.pages.profiles.views.finder import attribute_of
from isthmus.errors import EntryFault
from isthmus.plural import many
from isthmus.profiles.attributes import plain
from isthmus.profiles.channel_table import ChannelTable, channel_table
from isthmus.profiles.clock import now
from isthmus.profiles.compare import compare
from isthmus.profiles.judge import judge, note_to_maker
from isthmus.profiles.make import from_sheet
from isthmus.profiles.make.compose import body_for
from isthmus.profiles.manual import ManualChart, ManualRow, read_chart
from isthmus.profiles.manual.pdf import best_chart, likely_pages, page_texts
from isthmus.profiles.manual.rows import RowBand
from isthmus.show.files import read_file

if TYPE_CHECKING:
    from isthmus.app.pages.profiles.page import ProfilesPage

HINT = """Paste the DMX chart of a manual here, however it comes:

1   Pan            0-255
2   Pan fine       0-255
3   Shutter        000…009   closed
                   010…239   strobe, slow to fast
                   240…255   open"""


class ManualRows(RowsModel):
    """The rows of one chart; channel, name and attribute can be typed over."""

    COLUMNS = ("Ch", "Name in the manual", "Attribute", "Confidence", "Verdict")
    MEDIUM = (0, 2)
    MONO = (0, 3)

    def __init__(self, view: ManualView) -> None:
        super().__init__()
        self.view = view
        self.rows: list[ManualRow] = []
        self.read_as: list[ManualRow] = []  # as the reader had them, before anybody corrected them
        self.verdicts: list[str] = []

    def take(self, rows: list[ManualRow]) -> None:
        self.beginResetModel()
        self.read_as = list(rows)
        self.rows = [self.view.corrections.get(row, row) for row in rows]
        self.verdicts = [""] * len(rows)
        self.endResetModel()

    def say(self, verdicts: list[str]) -> None:
        self.verdicts = verdicts
        if self.rows:
            self.dataChanged.emit(self.index(0, 4), self.index(len(self.rows) - 1, 4))

    def count(self) -> int:
        return len(self.rows)

    def flags(self, index: Index) -> Qt.ItemFlag:
        base = super().flags(index)  # type: ignore[arg-type]
        return base | Qt.ItemFlag.ItemIsEditable if index.column() <= 2 else base

    def row_at(self, number: int) -> tuple[ManualRow, str]:
        return self.rows[number], self.verdicts[number]

    def cells(self, row: tuple[ManualRow, str]) -> Sequence[str]:
        read, verdict = row
        return (
            "+".join(map(str, read.slots)),
            read.name,
            plain(read.attribute) if read.attribute else "not known",
            f"{read.confidence:.0%}",
            verdict,
        )

    def data(self, index: Index, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        if role == Qt.ItemDataRole.EditRole and index.column() == 2:
            attribute = self.rows[index.row()].attribute  # what is not known is typed from nothing
            return plain(attribute) if attribute else ""
        return super().data(index, role)

    def tip(self, row: tuple[ManualRow, str], column: int) -> str:
        return "; ".join(row[0].doubts) or "nothing doubtful"

    def ink(self, row: tuple[ManualRow, str], column: int) -> str:
        read, verdict = row
        doubtful = {2: not read.attribute, 3: read.confidence < 0.8, 4: verdict not in ("", "same")}
        if doubtful.get(column):
            return "ochre"
        return "text2" if column in (1, 3) else "text"

    def setData(self, index: Index, value: Any, role: int = Qt.ItemDataRole.EditRole) -> bool:
        row, text = self.rows[index.row()], str(value).strip()
        if index.column() == 0:
            numbers = [
                part for part in text.replace("/", "+").replace(",", "+").split("+") if part.strip()
            ]
            if not numbers or not all(
                part.strip().isdigit() and 1 <= int(part) <= 512 for part in numbers
            ):
                return False
            row = replace(row, slots=tuple(int(part) for part in numbers))
        elif index.column() == 1:
            row = replace(row, name=text)
        else:
            attribute = attribute_of(text)
            if text and not attribute:
                return False
            row = replace(row, attribute=attribute)
        self.correct(index.row(), row)
        return True

    def correct(self, index: int, row: ManualRow) -> None:
        """A row as the person has it."""
        row = replace(row, confidence=1.0, doubts=())
        self.view.corrections[self.read_as[index]] = row
        self.rows[index] = row
        self.view.edited()


class ManualView(PageView):
    def __init__(self, bench: Workbench, page: ProfilesPage) -> None:
        super().__init__()
        self.bench, self.page = bench, page
        self.charts: list[ManualChart] = []
        self.corrections: dict[
            ManualRow, ManualRow
        ] = {}  # kept while the source is typed in: a row that reads as before stays corrected
        self.against: ChannelTable | None = None
        self._pdf: dict[int, list[str]] = {}
        self._task: Task | None = None
        self._quiet = False
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(14)
        row.addLayout(self._left(), 5)
        row.addLayout(self._middle(), 7)
        row.addLayout(self._right(), 6)
        self._typing = QTimer(self)
        self._typing.setSingleShot(True)
        self._typing.setInterval(250)
        self._typing.timeout.connect(self.read)
        self.source.textChanged.connect(self._typed)
        bind(page.library.chosen, self, self._chosen)

    # ------------------------------------------------------------ parts

    def _left(self) -> QVBoxLayout:
        column = QVBoxLayout()
        column.setSpacing(6)
        top = QHBoxLayout()
        top.addWidget(button("Open a text or PDF…", run=self.open))
        self.pages = choice("Page of the PDF")
        self.pages.activated.connect(lambda _: self._take_page(self.pages.currentData()))
        self.pages.hide()
        top.addWidget(self.pages)
        self.stop = button("Stop", "quiet", self._stop)
        self.stop.hide()
        top.addWidget(self.stop)
        top.addStretch(1)
        column.addLayout(top)
        self.source = lines_field("manual text", "Text of the manual")
        self.source.setLineWrapMode(QPlainTextEdit.LineWrapMode.NoWrap)
        self.source.setPlaceholderText(HINT)
        column.addWidget(self.source, 1)
        self.told = label("", "quiet", "caption", wrap=True)
        column.addWidget(self.told)
        return column

    def _middle(self) -> QVBoxLayout:
        column = QVBoxLayout()
        column.setSpacing(6)
        top = QHBoxLayout()
        self.which = choice("Chart found")
        self.which.activated.connect(lambda i: self._show(i))
        top.addWidget(self.which, 1)
        self.make = button("Make a profile…", "primary", self._make, 28)
        top.addWidget(self.make)
        column.addLayout(top)
        self.model = ManualRows(self)
        self.table = plain_table(
            self.model, "manual rows", "Rows read from the manual", (44, 110, 110, 44, 80), 1
        )
        self.table.selectionModel().currentRowChanged.connect(lambda now, _: self._row(now.row()))
        column.addWidget(self.table, 3)
        self.band_head = label("Ranges of the row", "quiet", "caption")
        column.addWidget(self.band_head)
        self.bands = lines_field("ranges", "Ranges of the row, one a line")
        self.bands.setPlaceholderText("0-9 closed\n10-239 strobe\n240-255 open")
        self.bands.textChanged.connect(self._bands_typed)
        column.addWidget(self.bands, 1)
        return column

    def _right(self) -> QVBoxLayout:
        column = QVBoxLayout()
        column.setSpacing(6)
        self.use = button("Compare with library mode", run=self._hold)
        column.addWidget(self.use)
        self.find_like = button("Find similar in library", run=self._find_like)
        column.addWidget(self.find_like)
        self.against_words = label("Not compared yet.", "quiet", "caption", wrap=True)
        column.addWidget(self.against_words)
        self.chart = ChartView()
        column.addWidget(self.chart, 3)
        line = QHBoxLayout()
        self.judged = label("", size="table", weight=600)
        line.addWidget(self.judged, 1)
        self.note = button("Copy a note to the maker", run=self._copy_note)
        line.addWidget(self.note)
        column.addLayout(line)
        self.findings = lines_field(
            "findings", "What the chart leaves open", mono=False, read_only=True
        )
        column.addWidget(self.findings, 2)
        return column

    # ------------------------------------------------------------ the source

    def open(self) -> None:
        name, _ = QFileDialog.getOpenFileName(
            self.window(),
            "Open a manual",
            "",
            "Manuals (*.pdf *.txt *.csv *.tsv);;All files (*)",
            options=QFileDialog.Option.DontUseNativeDialog,
        )
        if name:
            self.open_file(Path(name))

    def open_file(self, path: Path) -> None:
        """Take a text or a PDF as the source; a PDF is read on a thread of its own."""
        if path.suffix.lower() != ".pdf":
            self.pages.hide()
            self.bench.guard(
                lambda: self.source.setPlainText(
                    read_file(path, 4_000_000).decode("utf-8-sig", "replace")
                )
            )
            return

        def work(step: Step) -> dict[int, list[str]]:
            return page_texts(
                path,
                told=lambda done, count: step(done / max(1, count), f"page {done + 1} of {count}"),
            )

        self._stop()
        self.stop.show()
        task = self._task = Task(work, self)
        task.progressed.connect(lambda _, words: self.told.setText(f"Reading {path.name}, {words}"))
        task.done.connect(lambda texts: self._pdf_read(path, texts))
        task.failed.connect(lambda error: self.bench.tell("fault", str(error)))
        task.ended.connect(self.stop.hide)
        task.start()

    def _stop(self) -> None:
        if self._task is not None:
            self._task.cancel()
            self._task.wait()
            self._task = None

    def _pdf_read(self, path: Path, texts: dict[int, list[str]]) -> None:
        self._pdf = texts
        self.pages.clear()
        likely = likely_pages(texts)
        for page in texts:
            self.pages.addItem(
                f"Page {page}{', looks like a chart' if page in likely[:4] else ''}", page
            )
        self.pages.show()
        self._take_page(likely[0] if likely else next(iter(texts)))
        self.told.setText(f"{path.name}: {many(len(texts), 'page')}. {self.told.text()}")

    def _take_page(self, page: int) -> None:
        self.pages.setCurrentIndex(self.pages.findData(page))
        ways = self._pdf.get(page, [])
        try:
            text, _ = best_chart(ways)
        except EntryFault as error:
            text = ways[-1] if ways else ""
            self.bench.tell("attention", str(error))
        self._typing.stop()
        self.source.setPlainText(text)
        self._typing.stop()
        self.read()

    def _typed(self) -> None:
        self._typing.start()

    def read(self) -> None:
        """Read the source into rows."""
        text = self.source.toPlainText()
        try:
            self.charts = read_chart(text) if text.strip() else []
            self.told.setText(" ".join(self.charts[0].notes) if self.charts else "")
        except EntryFault as error:
            self.charts = []
            self.told.setText(str(error))
        self.which.clear()
        for number, chart in enumerate(self.charts, 1):
            self.which.addItem(
                f"{chart.title or f'Chart {number}'}: {chart.sheet().footprint} channels, "
                f"{chart.confidence:.0%} sure"
            )
        self._show(0, max(0, self.table.currentIndex().row()))

    # ------------------------------------------------------------ the rows

    def _show(self, index: int, row: int = 0) -> None:
        self.model.take(list(self.charts[index].rows) if index < len(self.charts) else [])
        self.edited()
        if self.model.rows:
            self.table.selectRow(min(row, len(self.model.rows) - 1))
        else:
            self._row(-1)

    def current_sheet(self) -> ChannelTable | None:
        if not self.model.rows:
            return None
        title = self.charts[max(0, self.which.currentIndex())].title or "The manual"
        return ManualChart(title, tuple(self.model.rows)).sheet()

    def edited(self) -> None:
        """Judge the rows, and hold them against the profile."""
        own = self.current_sheet()
        self.make.setEnabled(own is not None)
        self.find_like.setEnabled(own is not None)
        findings = judge(own) if own else []
        self.findings.setPlainText("\n".join(f"• {finding.text}" for finding in findings))
        self.judged.setText(
            f"{len(findings)} left open"
            if findings
            else "The chart leaves nothing open"
            if own
            else ""
        )
        self.note.setEnabled(bool(own and note_to_maker(own, findings)))
        self.chart.show_sheet(own, self.against if own else None, keep=True)
        if own and self.against:
            verdicts = {id(v.left): v for v in compare(own, self.against) if v.left}
            words = []
            for line in own.lines:
                v = verdicts.get(id(line))
                words.append(
                    ""
                    if v is None
                    else f"shifted {v.shift:+d}"
                    if v.state == "shifted"
                    else {"ranges": "other ranges", "size": "other size"}.get(v.state, v.state)
                )
            self.model.say(words)
        else:
            self.model.say([""] * len(self.model.rows))

    def _row(self, index: int) -> None:
        """A row was chosen: show its ranges, and where it stands in the source."""
        self._quiet = True
        row = self.model.rows[index] if 0 <= index < len(self.model.rows) else None
        self.bands.setPlainText(
            "\n".join(f"{b.start}-{b.end} {b.name}" for b in row.bands) if row else ""
        )
        self.bands.setEnabled(row is not None)
        self.band_head.setText(
            "Ranges of channel "
            f"{'+'.join(map(str, row.slots))}{': ' + '; '.join(row.doubts) if row.doubts else ''}"
            if row
            else "Ranges of the row"
        )
        self._quiet = False
        if row:
            cursor = QTextCursor(
                self.source.document().findBlockByNumber(max(0, row.source[0] - 1))
            )
            last = self.source.document().findBlockByNumber(max(0, row.source[1] - 1))
            cursor.setPosition(
                last.position() + max(0, last.length() - 1), QTextCursor.MoveMode.KeepAnchor
            )
            self._light(cursor)
            self.chart.choose(index) if self.chart.other is None and self.chart.sheet else None

    def _light(self, where: QTextCursor) -> None:
        """Show a place of the source without touching the cursor a person may be typing at."""
        mark = QTextEdit.ExtraSelection()
        mark.cursor = where  # type: ignore[attr-defined]
        mark.format.setBackground(theme.color("select_row"))  # type: ignore[attr-defined]
        self.source.setExtraSelections([mark])
        if not self.source.hasFocus():
            bar = self.source.verticalScrollBar()
            bar.setValue(min(bar.maximum(), max(0, where.blockNumber() - 3)))

    def _bands_typed(self) -> None:
        index = self.table.currentIndex().row()
        if self._quiet or not 0 <= index < len(self.model.rows):
            return
        row = self.model.rows[index]
        bands = []
        for line in self.bands.toPlainText().splitlines():
            head, _, name = line.strip().partition(" ")
            low, _, high = head.replace("–", "-").replace("…", "-").partition("-")
            if low.isdigit() and (high.isdigit() or not high):
                bands.append(RowBand(int(low), int(high or low), name.strip(), row.source[0]))
        self.model.correct(index, replace(row, bands=tuple(bands)))

    # ------------------------------------------------------------ against, and out

    def _chosen(self) -> None:
        view = self.page.library
        self.use.setEnabled(view.mode is not None)

    def _find_like(self) -> None:
        """Rank the library by how near it comes to the chart of the manual."""
        if own := self.current_sheet():
            self.page.library.look_for_like(own)
            self.page.show_view("Library")

    def _hold(self) -> None:
        view = self.page.library
        if view.profile is None or view.mode is None:
            self.bench.tell("attention", "Select a mode in the library first.")
            return
        self.against = channel_table(view.profile, view.mode)
        self.against_words.setText(f"Left the manual, right {self.against.title}.")
        self.against_words.setToolTip(plain_tip(self.against.title))
        self.edited()

    def _copy_note(self) -> None:
        own = self.current_sheet()
        if own:
            QGuiApplication.clipboard().setText(note_to_maker(own, judge(own)))
            self.bench.tell("note", "A note to the maker is on the clipboard, ready to send.")

    def _make(self) -> None:
        own = self.current_sheet()
        if own is None:
            return

        def run(maker: str, model: str, mode: str) -> None:
            profile = from_sheet(
                own,
                maker,
                model,
                mode or "From the manual",
                body_for({line.attribute for line in own.lines}),
                date=now(),
            )
            self.page.keep(profile)
            self.page.adapt.begin(profile, profile.modes[0].name, {}, own=True)
            self.page.show_view("Adapt")

        NameDialog(
            self.window(),
            "A profile from the manual",
            "Create",
            run,
            "",
            "",
            own.title if own.title != "The manual" else "",
        ).open()
