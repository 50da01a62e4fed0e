"""What to look for: sources on or off, and facts about channels."""

from __future__ import annotations

from pathlib import Path

from msgspec.structs import replace
from PySide6.QtCore import QRectF, Qt, Signal
from PySide6.QtGui import QPainter, QPaintEvent
from PySide6.QtWidgets import (
    QCheckBox,
    QCompleter,
    QFileDialog,
    QGridLayout,
    QHBoxLayout,
    QLineEdit,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from isthmus.app.kit import paint
from isthmus.app.kit.painted import Painted
from isthmus.app.kit.theme import font, pen
from isthmus.app.kit.widgets import (
    Panel,
    Section,
    bind,
    button,
    choice,
    field,
    label,
    plain_tip,
    set_property,
)
from isthmus.app.model.library_link import LibraryLink
from isthmus.app.pages.profiles.views.results import mark_of
from isthmus.errors import EntryFault
from isthmus.library import Query, Source
from isthmus.library.search import read_bounds, read_stands
from isthmus.library.sources import FOLDER, folder_source
from isthmus.profiles.attributes import KNOWN, numbered, plain
from isthmus.profiles.manual import propose

_WORDS = {plain(numbered(name)): numbered(name) for name in KNOWN}
TRUST = (
    ("Any trust", ""),
    ("By the maker", "maker"),
    ("Proven in 3-D", "3d"),
    ("Proven on a unit", "unit"),
    ("Rated 4 or more", "4"),
)


def attribute_of(text: str) -> str:
    """The attribute meant by plain words or the standard's name; empty when none is."""
    text = text.strip()
    if not text:
        return ""
    lower = {name.lower(): name for name in _WORDS.values()}
    return _WORDS.get(text.lower()) or lower.get(text.lower()) or propose(text).attribute


def attribute_field(name: str, hint: str) -> QLineEdit:
    """A field for an attribute, completing plain words."""
    made = field(name, hint=hint)
    completer = QCompleter(sorted(_WORDS), made)
    completer.setCaseSensitivity(Qt.CaseSensitivity.CaseInsensitive)
    completer.setFilterMode(Qt.MatchFlag.MatchContains)
    made.setCompleter(completer)
    return made


class _SourceRow(Painted, QWidget):
    """A source: its mark, its name, how many profiles, and its state."""

    switched = Signal(str, bool)
    removed = Signal(str)

    def __init__(self, source: Source, count: int, away: bool) -> None:
        super().__init__()
        self.source, self.count, self.away = source, count, away
        self.setFixedHeight(26)
        row = QHBoxLayout(self)
        row.setContentsMargins(24, 0, 0, 0)
        self.box = QCheckBox(source.name)
        self.box.setFont(font("table"))
        self.box.setChecked(source.on)
        self.box.setObjectName(f"source {source.id}")
        self.box.setToolTip(plain_tip(source.path or source.name))
        self.box.toggled.connect(lambda on: self.switched.emit(source.id, on))
        row.addWidget(self.box, 1)
        words = "not connected" if away else "off" if not source.on else str(count)
        state = label(
            words, "attention" if away else "quiet", "caption", mono=not away and source.on
        )
        row.addWidget(state)
        if source.kind == FOLDER:
            away_button = button(
                "×", "quiet", lambda: self.removed.emit(source.id), 22, f"forget {source.name}"
            )
            away_button.setFixedWidth(20)
            away_button.setToolTip("Forget this folder; its files stay where they are")
            row.addWidget(away_button)

    def draw(self, p: QPainter, event: QPaintEvent) -> None:
        p.setPen(pen("line_strong", 1, Qt.PenStyle.DotLine if self.away else Qt.PenStyle.SolidLine))
        p.drawRect(QRectF(2.5, 5.5, 15, 15))
        paint.text(
            p,
            3,
            6,
            mark_of(self.source.id),
            font("caption", 600, mono=True),
            "text2",
            Qt.AlignmentFlag.AlignCenter,
            15,
            15,
        )


class Finder(QScrollArea):
    """`asked` whenever a fact or a source changes."""

    asked = Signal()

    def __init__(self, link: LibraryLink) -> None:
        super().__init__()
        self.link = link
        self.setFixedWidth(212)
        self.setWidgetResizable(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        body = Panel("deep")
        self.setWidget(body)
        self.column = QVBoxLayout(body)
        self.column.setContentsMargins(0, 0, 12, 0)
        self.column.setSpacing(4)
        self.column.addWidget(Section("Channels"))
        self._facts()
        self.column.addSpacing(6)
        self.column.addWidget(Section("Sources"))
        self.rows = QVBoxLayout()
        self.rows.setSpacing(0)
        self.column.addLayout(self.rows)
        add = button("Add a folder or drive…", "link", self.add_folder)
        add.setFixedWidth(160)
        self.column.addWidget(add)
        self.column.addStretch(1)
        bind(link.changed, self, self.fill_sources)
        self.fill_sources()

    def _field(self, name: str, hint: str) -> QLineEdit:
        made = field(name, hint=hint, mono=True)
        made.textChanged.connect(lambda _: self._changed())
        return made

    def _facts(self) -> None:
        grid = QGridLayout()
        grid.setSpacing(4)
        self.footprint = self._field("footprint", "22 or 20-24")
        self.cells = self._field("cells", "any")
        grid.addWidget(label("Channels", "quiet", "caption"), 0, 0)
        grid.addWidget(self.footprint, 0, 1)
        grid.addWidget(label("Cells", "quiet", "caption"), 1, 0)
        grid.addWidget(self.cells, 1, 1)
        self.column.addLayout(grid)
        self.column.addWidget(label("On this channel", "quiet", "caption"))
        self.on: list[tuple[QLineEdit, QLineEdit]] = []
        self.on_rows = QVBoxLayout()
        self.on_rows.setSpacing(4)
        self.column.addLayout(self.on_rows)
        for _ in range(3):
            self.another()
        more = button("Another channel", "link", self.another)
        more.setFixedWidth(110)
        self.column.addWidget(more)
        self.column.addWidget(label("With", "quiet", "caption"))
        self.having = attribute_field("has", "attributes, with commas")
        self.column.addWidget(self.having)
        self.column.addWidget(label("Without", "quiet", "caption"))
        self.without = attribute_field("has none of", "attributes, with commas")
        self.column.addWidget(self.without)
        for named in (self.having, self.without):
            named.textChanged.connect(lambda _: self._changed())
        self.wheel, self.ranges, self.body_ = (
            QCheckBox("Colour wheel"),
            QCheckBox("Ranges described"),
            QCheckBox("3-D body of its own"),
        )
        for box in (self.wheel, self.ranges, self.body_):
            box.setFont(font("table"))
            box.setObjectName(box.text())
            box.toggled.connect(lambda _: self._changed())
            self.column.addWidget(box)
        self.trust = choice("Trust", [(key, words) for words, key in TRUST])
        self.trust.currentIndexChanged.connect(lambda _: self._changed())
        self.column.addWidget(self.trust)
        clear = button("Clear filters", "link", self.clear)
        clear.setFixedWidth(100)
        self.column.addWidget(clear)

    def another(self) -> None:
        """One more channel to say something of."""
        index = len(self.on) + 1
        row = QHBoxLayout()
        row.setSpacing(4)
        slot = self._field(f"on channel {index}", "no.")
        slot.setFixedWidth(64)
        slot.setToolTip(
            "A number, a range such as 5-9, >4, and the resolution if it matters: 7 16 bit"
        )
        name = attribute_field(f"on attribute {index}", "attribute")
        name.textChanged.connect(lambda _: self._changed())
        row.addWidget(slot)
        row.addWidget(name)
        self.on_rows.addLayout(row)
        self.on.append((slot, name))

    def _changed(self) -> None:
        self.asked.emit()

    def clear(self) -> None:
        for typed in (
            self.footprint,
            self.cells,
            self.having,
            self.without,
            *(f for pair in self.on for f in pair),
        ):
            typed.clear()
        for box in (self.wheel, self.ranges, self.body_):
            box.setChecked(False)
        self.trust.setCurrentIndex(0)

    # ------------------------------------------------------------ the question

    def _bounds(self, field: QLineEdit) -> tuple[int, int] | None:
        text = field.text().strip()
        try:
            found = read_bounds(text) if text else None
        except EntryFault:
            found = None
        set_property(field, "bad", bool(text) and found is None)
        return found

    def _attributes(self, field: QLineEdit) -> tuple[str, ...]:
        words = [word for word in field.text().split(",") if word.strip()]
        found = [attribute_of(word) for word in words]
        set_property(field, "bad", not all(found))
        return tuple(name for name in found if name)

    def query(self, text: str) -> Query:
        on = []
        for slot, name in self.on:
            attribute = attribute_of(name.text())
            number = slot.text().strip()
            set_property(name, "bad", bool(name.text().strip()) and not attribute)
            try:
                stands = read_stands(number, attribute) if number else None
            except EntryFault:
                stands = None
            set_property(slot, "bad", bool(number) and stands is None)
            if attribute and stands:
                on.append(stands)
        trust = self.trust.currentData() or ""
        return Query(
            text=text,
            footprint=self._bounds(self.footprint),
            standing=tuple(on),
            having=self._attributes(self.having),
            without=self._attributes(self.without),
            cells=self._bounds(self.cells),
            wheel=True if self.wheel.isChecked() else None,
            ranges=True if self.ranges.isChecked() else None,
            body=True if self.body_.isChecked() else None,
            by_maker=trust == "maker",
            proven_3d=trust == "3d",
            proven_unit=trust == "unit",
            rating=4.0 if trust == "4" else 0.0,
        )

    # ------------------------------------------------------------ sources

    def fill_sources(self) -> None:
        while (item := self.rows.takeAt(0)) is not None:
            if (old := item.widget()) is not None:
                old.hide()
                old.deleteLater()
        counts, away = self.link.state()
        for source in self.link.sources:
            row = _SourceRow(source, counts.get(source.id, 0), source.id in away)
            row.switched.connect(self._switch)
            row.removed.connect(self._remove)
            self.rows.addWidget(row)

    def _switch(self, ident: str, on: bool) -> None:

        self.link.set_sources(
            [replace(s, on=on) if s.id == ident else s for s in self.link.sources]
        )

    def _remove(self, ident: str) -> None:
        self.link.set_sources([s for s in self.link.sources if s.id != ident])

    def add_folder(self) -> None:
        name = QFileDialog.getExistingDirectory(
            self.window(), "Add a folder or drive", options=QFileDialog.Option.DontUseNativeDialog
        )
        if name:
            source = folder_source(Path(name))
            if all(kept.id != source.id for kept in self.link.sources):
                self.link.set_sources([*self.link.sources, source])
