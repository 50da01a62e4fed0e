"""The library: what is asked, what was found, and the chart of the mode that is chosen."""

from __future__ import annotations

from dataclasses import replace

from PySide6.QtCore import Qt, QTimer, Signal
from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from isthmus.app.kit.first import FirstSteps
from isthmus.app.kit.theme import font
from isthmus.app.kit.widgets import (
    Choice,
    PageView,
    Panel,
    bind,
    button,
    choice,
    field,
    label,
    set_property,
)
from isthmus.app.model.library_link import LibraryLink
from isthmus.app.pages.profiles.views.chart import ChartView
from isthmus.app.pages.profiles.views.finder import Finder
from isthmus.app.pages.profiles.views.results import ResultsView, marks_in_words
from isthmus.errors import IsthmusError
from isthmus.library import Entry
from isthmus.plural import many
from isthmus.profiles.channel_table import ChannelTable, channel_table
from isthmus.profiles.records import Mode, Profile
from isthmus.show.records import StoredProfile

TYPING_MS = 40


class LibraryView(PageView):
    """`chosen` tells that another mode is chosen (or none)."""

    chosen = Signal()
    told = Signal(str, str)

    def __init__(self, link: LibraryLink) -> None:
        super().__init__()
        self.link = link
        self.entry: Entry | None = None
        self.stored: StoredProfile | None = None
        self.profile: Profile | None = None
        self.mode: Mode | None = None
        self.beside: ChannelTable | None = None
        self.like: ChannelTable | None = None  # a chart whose like is looked for
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(14)
        self.finder = Finder(link)
        row.addWidget(self.finder)
        row.addLayout(self._middle(), 5)
        row.addWidget(self._right(), 6)
        self._typing = QTimer(self)
        self._typing.setSingleShot(True)
        self._typing.setInterval(TYPING_MS)
        self._typing.timeout.connect(self.search)
        self.needle.textChanged.connect(lambda _: self._typing.start())
        self.needle.returnPressed.connect(self._to_results)
        self.finder.asked.connect(self._typing.start)
        self.results.picked.connect(self.pick)
        bind(link.changed, self, self.search)

    def entered(self) -> None:
        self.needle.setFocus(Qt.FocusReason.OtherFocusReason)

    def _middle(self) -> QVBoxLayout:
        column = QVBoxLayout()
        column.setSpacing(6)
        self.needle = field("search", hint="Maker, model or mode; slips are forgiven")
        self.needle.setAccessibleName("Search the library")
        self.needle.setClearButtonEnabled(True)
        column.addWidget(self.needle)
        line = QHBoxLayout()
        self.count = label("", "quiet", "caption")
        self.maker = Choice()
        self.maker.setFont(font("caption"))
        self.maker.setFixedHeight(24)
        self.maker.setAccessibleName("Makers found")
        self.maker.activated.connect(self._one_maker)
        line.addWidget(self.count, 1)
        line.addWidget(self.maker)
        column.addLayout(line)
        self.liking = QWidget()
        like = QHBoxLayout(self.liking)
        like.setContentsMargins(0, 0, 0, 0)
        self.like_words = label("", "attention", "caption")
        self.like_words.setMinimumWidth(20)
        like.addWidget(self.like_words, 1)
        like.addWidget(button("Any chart", "quiet", lambda: self.look_for_like(None), 22))
        self.liking.hide()
        column.addWidget(self.liking)
        self.results = ResultsView()
        column.addWidget(self.results, 1)
        self.first = FirstSteps(
            self.results,
            "Reading the library",
            "Profiles are read once; this takes a moment. What is found appears here.",
        )
        return column

    def _right(self) -> Panel:
        panel = Panel("deep")
        column = QVBoxLayout(panel)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        self.name = label("", size="section", weight=600)
        self.name.setMinimumWidth(10)
        self.facts = label("", "quiet", "caption", wrap=True)
        self.facts.setMinimumHeight(30)
        self.facts.setAlignment(Qt.AlignmentFlag.AlignTop)
        top = QHBoxLayout()
        self.pick_mode = choice("mode of the chart")
        self.pick_mode.setAccessibleName("Mode")
        self.pick_mode.activated.connect(lambda _: self._set_mode(self.pick_mode.currentText()))
        self.seek = field("find in chart", hint="Find in it")
        self.listed = button("List ranges")
        self.listed.setCheckable(True)
        self.listed.setChecked(True)
        top.addWidget(self.pick_mode, 3)
        top.addWidget(self.seek, 2)
        top.addWidget(self.listed)
        column.addWidget(self.name)
        column.addWidget(self.facts)
        column.addLayout(top)
        self.against = QWidget()
        beside = QHBoxLayout(self.against)
        beside.setContentsMargins(0, 0, 0, 0)
        self.against_words = label("", "attention", "caption")
        beside.addWidget(self.against_words, 1)
        beside.addWidget(button("Close comparison", "quiet", lambda: self.compare_with(None), 22))
        column.addWidget(self.against)
        self.against.hide()
        self.chart = ChartView()
        self.listed.toggled.connect(self.chart.set_listed)
        self.seek.textChanged.connect(self._find)
        column.addWidget(self.chart, 1)
        self.line_words = label("", "quiet", "caption")
        self.chart.chosen.connect(self._tell_line)
        column.addWidget(self.line_words)
        return panel

    def _tell_line(self, index: int) -> None:
        """What the chosen channel is, in full."""
        lines = self.chart.lines()
        if not 0 <= index < len(lines):
            return
        line = lines[index]
        cell = f", cell {line.cell}" if line.cell else ""
        self.line_words.setText(
            f"Channel {line.where()}{cell}: {line.words}, {8 * line.size} bit, stands at "
            f"{line.default}, in block {line.block}, "
            f"geometry {line.geometry or 'not said'}"
        )

    def _find(self, needle: str) -> None:
        hits = self.chart.find(needle)
        set_property(self.seek, "bad", bool(needle.strip()) and not hits)

    # ------------------------------------------------------------ asking

    def search(self) -> None:
        """Ask the library what the fields say."""
        query = replace(self.finder.query(self.needle.text()), like=self.like)
        try:
            answer = self.link.search(query)
            self.results.take(self.link.shelf, answer)
        except IsthmusError as error:
            self.told.emit("fault", str(error))
            return
        self.first.show_if(self.link.busy and not len(self.link.shelf.columns))
        words = many(answer.total, "mode")
        if answer.near:
            words += f", and {len(answer.near)} near misses, nearest first"
        elif answer.total > len(answer.hits):
            words += f"; the first {len(answer.hits)} are listed"
        self.count.setText(words)
        self.maker.clear()
        self.maker.addItem(many(len(answer.makers), "maker"), "")
        for maker in answer.makers[:200]:
            self.maker.addItem(f"{maker.maker}  {maker.modes}", maker.maker)
            for line, count in maker.lines[:12] if len(maker.lines) > 1 else ():
                self.maker.addItem(f"      {line}  {count}", f"{maker.maker} {line}")
        was = self.entry
        if was is not None and was.offered:  # it may have been downloaded meanwhile
            rows = range(min(len(answer.hits), 50))
            entries = (self.results.results.entry(row) for row in rows)
            here = next(
                (
                    i
                    for i, e in enumerate(entries)
                    if (e.title, e.mode) == (was.title, was.mode) and not e.offered
                ),
                None,
            )
            if here is not None:
                self.results.setCurrentIndex(self.results.results.index(here, 0))
        if self.entry is None and self.results.results.rowCount():
            self.results.setCurrentIndex(self.results.results.index(0, 0))

    def _to_results(self) -> None:
        """Enter in the search field goes on to what was found."""
        self._typing.stop()
        self.search()
        if self.results.results.rowCount():
            self.results.setCurrentIndex(self.results.results.index(0, 0))
            self.results.setFocus(Qt.FocusReason.TabFocusReason)

    def _one_maker(self, _index: int) -> None:
        """Only this maker, or this product line of it."""
        if chosen := self.maker.currentData():
            self.needle.setText(chosen)

    def look_for_like(self, chart: ChannelTable | None) -> None:
        """Rank the library by how near its charts come to this one; None ends it."""
        self.like = chart
        self.liking.setVisible(chart is not None)
        self.like_words.setText(f"Nearest to {chart.title}" if chart else "")
        self.entry = None
        self.search()

    def pick(self, entry: Entry) -> None:
        """Read the chart of a mode that was found."""
        self.entry = entry
        try:
            self.stored, self.profile = self.link.shelf.take(entry.profile_id)
        except IsthmusError as error:
            self.stored = self.profile = self.mode = None
            self.name.setText(f"{entry.title}, {entry.mode}")
            self.facts.setText(f"{self._marks(entry)}.\n{error}")
            self.pick_mode.clear()
            self.chart.show_sheet(
                self.link.shelf.outline(entry)
            )  # the index remembers it, though its file is not here
            self.chosen.emit()
            return
        self.pick_mode.clear()
        for mode in self.profile.modes:
            self.pick_mode.addItem(mode.name)
        self._set_mode(entry.mode)

    def _set_mode(self, name: str) -> None:
        profile, entry = self.profile, self.entry
        self.mode = profile.mode(name) if profile else None
        if profile is None or self.mode is None or entry is None:
            return
        self.pick_mode.setCurrentText(name)
        whole = channel_table(profile, self.mode)
        cells = f", {whole.cells} cells" if whole.cells else ""
        blocks = len({line.block for line in whole.lines})
        self.name.setText(f"{profile.title}")
        apart = f" in {blocks} blocks" if blocks > 1 else ""
        revision = f"; revision of {profile.revision[:10]}" if profile.revision else ""
        self.facts.setText(
            f"{many(whole.footprint, 'channel')}{cells}{apart}. "
            f"{profile.description}\n{self._marks(entry)}{revision}."
        )
        self._show_chart()
        self.chosen.emit()

    def _marks(self, entry: Entry) -> str:
        """The marks of an entry, and who put it on the exchange, in words."""
        trust = self.link.shelf.trust(entry.profile_id)
        if trust is None or not trust.ratings:
            return marks_in_words(entry)
        return (
            f"{marks_in_words(entry)} by {trust.ratings}; from {trust.uploader}, "
            f"{'the maker' if trust.by_maker else 'a user'}"
        )

    def _show_chart(self) -> None:
        if self.profile is None or self.mode is None:
            return
        own = channel_table(self.profile, self.mode)
        if self.beside is not None:
            self.chart.show_sheet(self.beside, own)
        else:
            self.chart.show_sheet(own)

    def compare_with(self, other: ChannelTable | None) -> None:
        """Hold the charts that are chosen from now on against this one; None reads them alone."""
        self.beside = other
        self.against.setVisible(other is not None)
        self.against_words.setText(f"Left: {other.title}. Right: the chosen mode." if other else "")
        self._show_chart()

    def look_for(self, text: str) -> None:
        self.needle.setText(text)
        self.needle.setFocus(Qt.FocusReason.OtherFocusReason)
        self.needle.selectAll()
