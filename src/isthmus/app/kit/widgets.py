"""Small parts used on several pages."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from html import escape
from typing import Any

from PySide6.QtCore import (
    QAbstractItemModel,
    QAbstractTableModel,
    QEvent,
    QItemSelectionModel,
    QModelIndex,
    QObject,
    QPersistentModelIndex,
    QRect,
    QStringListModel,
    Qt,
    QTimer,
)
from PySide6.QtGui import QGuiApplication, QKeyEvent, QKeySequence, QPainter, QPaintEvent
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QCompleter,
    QFrame,
    QHBoxLayout,
    QHeaderView,
    QLabel,
    QLayout,
    QLineEdit,
    QPlainTextEdit,
    QPushButton,
    QSizePolicy,
    QTableView,
    QVBoxLayout,
    QWidget,
)

from isthmus.app.kit import paint
from isthmus.app.kit.painted import Painted
from isthmus.app.kit.theme import SIZE, font, theme


def bind(signal: Any, owner: QObject, run: Callable[[], object]) -> None:
    """Call `run` whenever the signal comes, for as long as its owner lives."""
    connection = signal.connect(lambda *_: run())
    owner.destroyed.connect(lambda: QObject.disconnect(connection))


class _WhileSeen(QObject):
    """Runs something while a widget is in view, and once when it comes there, if it was missed."""

    def __init__(self, owner: QWidget, run: Callable[[], object]) -> None:
        super().__init__(owner)
        self._owner, self._run, self._missed = owner, run, False
        owner.installEventFilter(self)

    def come(self) -> None:
        if self._owner.isVisible():
            self._run()
        else:
            self._missed = True

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if event.type() == QEvent.Type.Show and self._missed:
            self._missed = False
            self._run()
        return False


def bind_seen(signal: Any, owner: QWidget, run: Callable[[], object]) -> None:
    """As `bind`, but only while the owner is in view: pages beside it cost nothing. For what is
    only looked at.
    """
    bind(signal, owner, _WhileSeen(owner, run).come)


class _Pulse(QObject):
    """A timer that runs while a widget is in view."""

    def __init__(self, owner: QWidget, milliseconds: int, run: Callable[[], object]) -> None:
        super().__init__(owner)
        self._timer = QTimer(self)
        self._timer.setInterval(milliseconds)
        self._timer.timeout.connect(run)
        owner.installEventFilter(self)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if event.type() == QEvent.Type.Show:
            self._timer.start()
        elif event.type() == QEvent.Type.Hide:
            self._timer.stop()
        return False


def while_seen(owner: QWidget, milliseconds: int, run: Callable[[], object]) -> None:
    """Run something again and again while its owner is in view: for pictures that move."""
    _Pulse(owner, milliseconds, run)


Index = QModelIndex | QPersistentModelIndex


def plain_tip(text: str) -> str:
    """A tool tip that shows just these words: names from files may look like HTML, and Qt would
    draw what they ask for.
    """
    if "<" not in text:  # Qt takes nothing else for HTML
        return text
    return f"<qt>{escape(text, quote=False).replace(chr(10), '<br>')}</qt>"


class Button(QPushButton):
    """A button that does something; `action` is the id of the action it triggers, which is given
    to it when its page has been made.
    """

    def __init__(self, label: str, run: Callable[[], object] | None = None) -> None:
        super().__init__(label)
        self.run, self.action = run, ""
        self.clicked.connect(lambda _=False: self.run() if self.run else None)


def button(
    label: str,
    kind: str = "plain",
    run: Callable[[], object] | None = None,
    height: int = SIZE["control"],
    name: str = "",
    tip: str = "",
) -> Button:
    made = Button(label, run)
    made.setProperty("kind", kind)
    made.setFont(font("body" if kind == "primary" else "table", 600 if kind == "primary" else 500))
    made.setFixedHeight(height if kind != "link" else 20)
    made.setObjectName(name or label)
    made.setAccessibleName(label)
    made.setToolTip(plain_tip(tip))
    return made


def label(
    words: str = "",
    kind: str = "",
    size: int | str = "table",
    weight: int = 400,
    mono: bool = False,
    italic: bool = False,
    wrap: bool = False,
) -> QLabel:
    made = QLabel(words)
    made.setFont(font(size, weight, mono, italic))
    made.setTextFormat(Qt.TextFormat.PlainText)
    made.setWordWrap(wrap)
    if kind:
        made.setProperty("kind", kind)
    return made


def set_property(widget: QWidget, name: str, value: object) -> None:
    """Set a property the stylesheet looks at, and have it looked at."""
    if widget.property(name) != value:
        widget.setProperty(name, value)
        widget.style().unpolish(widget)
        widget.style().polish(widget)


class Panel(Painted, QWidget):
    """A widget that paints its own ground."""

    def __init__(self, role: str = "deep", parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.role = role
        theme.changed.connect(self.update)

    def draw(self, p: QPainter, event: QPaintEvent) -> None:
        p.fillRect(self.rect(), theme.color(self.role))


class Head(Painted, QWidget):
    """A page's title line: the title, then counts in the mono face with their words; buttons at the
    right.
    """

    def __init__(self, title: str) -> None:
        super().__init__()
        self.title, self.parts = title, []
        self.setFixedHeight(SIZE["page_head"])
        self.row = QHBoxLayout(self)
        self.row.setContentsMargins(0, 4, 0, 0)
        self.row.setSpacing(6)
        self.row.addStretch(1)

    def add(self, widget: QWidget) -> None:
        self.row.addWidget(widget)

    def say(self, *parts: str) -> None:
        self.parts = list(parts)
        self.update()

    def draw(self, p: QPainter, event: QPaintEvent) -> None:
        h = self.height() - 2
        x = paint.text(p, 0, 2, self.title, font("title", 600), "text", height=h) + 16
        for part in self.parts:
            number = part[:1].isdigit()
            x += paint.text(
                p,
                x,
                4,
                part,
                font("body", 500 if number else 400, mono=number),
                "text" if number else "text2",
                height=h,
            )
            x += 6 if number or part == "of" else 16


class Section(Painted, QWidget):
    """A heading with a rule behind it."""

    def __init__(self, words: str) -> None:
        super().__init__()
        self.words = words
        self.setFixedHeight(26)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)

    def draw(self, p: QPainter, event: QPaintEvent) -> None:
        a = paint.text(p, 0, 0, self.words, font("section", 600), "text", height=20)
        p.fillRect(QRect(int(a) + 10, 10, self.width() - int(a) - 10, 1), theme.color("line"))


def claims_text(event: QEvent) -> bool:
    """Whether a key about to be taken for an act begins or goes on with text; it is then claimed
    for the text.
    """
    if event.type() != QEvent.Type.ShortcutOverride or not isinstance(event, QKeyEvent):
        return False
    held = event.modifiers() & ~(
        Qt.KeyboardModifier.ShiftModifier | Qt.KeyboardModifier.KeypadModifier
    )
    if held or not event.text() or not event.text().isprintable() or event.text() == " ":
        return False
    event.accept()
    return True


class TextTable(QTableView):
    """A table in which typing begins the cell that is current: no letter of it is taken for
    an act.
    """

    def takes_text(self) -> bool:
        """Whether the current cell can be typed in just now."""
        at = self.currentIndex()
        return (
            at.isValid()
            and bool(self.editTriggers() & QTableView.EditTrigger.AnyKeyPressed)
            and self._writable(at)
        )

    def _writable(self, at: QModelIndex) -> bool:
        return bool(at.flags() & Qt.ItemFlag.ItemIsEditable)

    def event(self, event: QEvent) -> bool:
        if (
            event.type() == QEvent.Type.ShortcutOverride
            and self.takes_text()
            and claims_text(event)
        ):
            return True
        return super().event(event)


class Choice(Painted, QComboBox):
    """A drop-down with our chevron: stylesheets can only show a file there. Typing looks for an
    entry.
    """

    def event(self, event: QEvent) -> bool:
        return claims_text(event) or super().event(event)

    def draw(self, p: QPainter, event: QPaintEvent) -> None:
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        paint.chevron(p, self.width() - 13, self.height() / 2 + 0.5, True)


class LineField(QLineEdit):
    """A line to type in. With nothing of its own to undo it leaves Ctrl+Z and its reverse to the
    show.
    """

    def event(self, event: QEvent) -> bool:
        if event.type() == QEvent.Type.ShortcutOverride and isinstance(event, QKeyEvent):
            undo, redo = (
                event.matches(QKeySequence.StandardKey.Undo),
                event.matches(QKeySequence.StandardKey.Redo),
            )
            if (undo and not self.isUndoAvailable()) or (redo and not self.isRedoAvailable()):
                event.ignore()
                return False
        return super().event(event)


def field(name: str, value: str = "", hint: str = "", mono: bool = False) -> QLineEdit:
    """A line to type in, named for those who cannot see it."""
    made = LineField(value)
    made.setObjectName(name)
    made.setAccessibleName(name)
    made.setPlaceholderText(hint)
    made.setFont(font("table", 500 if mono else 400, mono=mono))
    made.setFixedHeight(SIZE["control"])
    return made


def units_field(name: str, hint: str, offers: Callable[[str], list[str]]) -> QLineEdit:
    """A line in which units are called up: numbers, ranges, names; names are completed while they
    are typed.
    """
    made = field(name, "", hint, mono=False)
    words = QStringListModel(made)
    finder = QCompleter(words, made)
    finder.setCompletionMode(QCompleter.CompletionMode.UnfilteredPopupCompletion)
    finder.setCaseSensitivity(Qt.CaseSensitivity.CaseInsensitive)
    made.setCompleter(finder)
    made.textEdited.connect(lambda text: words.setStringList(offers(text)))
    return made


def tick(words: str, name: str, tip: str = "", size: str = "table") -> QCheckBox:
    """A box to tick with its words."""
    made = QCheckBox(words)
    made.setObjectName(name)
    made.setFont(font(size))
    made.setToolTip(tip)
    return made


def choice(name: str, items: Sequence[tuple[object, str]] = ()) -> Choice:
    """A drop-down of (what is meant, words)."""
    made = Choice()
    made.setObjectName(name)
    made.setAccessibleName(name)
    made.setFont(font("table"))
    made.setFixedHeight(SIZE["control"])
    for key, words in items:
        made.addItem(words, key)
    return made


def lines_field(
    name: str, words: str, mono: bool = True, read_only: bool = False
) -> QPlainTextEdit:
    """Several lines to type in, or to read."""
    made = QPlainTextEdit()
    made.setObjectName(name)
    made.setAccessibleName(words)
    made.setFont(font("caption", mono=mono))
    made.setReadOnly(read_only)
    return made


class KeysFirst(QObject):
    """A view has its keys before the table in it, which would take letters to search, arrows to
    move and space to choose.
    """

    def __init__(self, table: QTableView, take: Callable[[QKeyEvent], bool]) -> None:
        """`take` says whether it has used a key."""
        super().__init__(table)
        self._take = take
        table.installEventFilter(self)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if (
            isinstance(event, QKeyEvent)
            and event.type() == QEvent.Type.KeyPress
            and self._take(event)
        ):
            return True
        return super().eventFilter(watched, event)


class CopyKeys(QObject):
    """Gives a table Ctrl+C as a spreadsheet has it: the selected rows (all, when none is) as
    tab-separated text with headings.
    """

    def __init__(self, table: QTableView) -> None:
        super().__init__(table)
        self._table = table
        table.installEventFilter(self)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if (
            isinstance(event, QKeyEvent)
            and event.type() == QEvent.Type.KeyPress
            and event.matches(QKeySequence.StandardKey.Copy)
        ):
            QGuiApplication.clipboard().setText(self.text())
            return True
        return super().eventFilter(watched, event)

    def text(self) -> str:
        model = self._table.model()
        columns = range(model.columnCount())
        chosen = sorted(
            {index.row() for index in self._table.selectionModel().selectedRows()}
        ) or range(model.rowCount())
        lines = [[str(model.headerData(x, Qt.Orientation.Horizontal) or "") for x in columns]]
        lines += [[str(model.index(y, x).data() or "") for x in columns] for y in chosen]
        return "".join("\t".join(cells) + "\n" for cells in lines)


class RowsModel(QAbstractTableModel):
    """A table with a fixed head. A subclass says the words of a row, and where they are not plain
    their colour, what the pointer tells, and their face.

    Columns by number: MEDIUM ones name what the row is about, MONO ones hold figures, TOLD ones are
    slanted, for they are told by the rig and not by the show.
    """

    COLUMNS: tuple[str, ...] = ()
    MEDIUM: tuple[int, ...] = (0,)
    MONO: tuple[int, ...] = ()
    TOLD: tuple[int, ...] = ()

    def __init__(self) -> None:
        super().__init__()
        self.rows: Sequence[Any] = ()

    def count(self) -> int:
        return len(self.rows)

    def row_at(self, number: int) -> Any:
        return self.rows[number]

    def cells(self, row: Any) -> Sequence[str]:
        """The words of a row, column by column."""
        raise NotImplementedError

    def words(self, row: Any, column: int) -> str:
        """The words of one cell, where not all of a row are made together."""
        return self.cells(row)[column]

    def tip(self, row: Any, column: int) -> str:
        """What the pointer tells, if anything."""
        return ""

    def ink(self, row: Any, column: int) -> str:
        """The name of a colour of the theme; none for that of a table."""
        return ""

    def weight(self, row: Any, column: int) -> int:
        return 500 if column in self.MEDIUM else 400

    def slanted(self, row: Any, column: int) -> bool:
        return column in self.TOLD

    def data(self, index: Index, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        row, column = self.row_at(index.row()), index.column()
        if role in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.EditRole):
            return self.words(row, column)
        if role == Qt.ItemDataRole.ToolTipRole:
            return plain_tip(self.tip(row, column)) or None
        if role == Qt.ItemDataRole.FontRole:
            return font(
                "table",
                self.weight(row, column),
                mono=column in self.MONO,
                italic=self.slanted(row, column),
            )
        if role == Qt.ItemDataRole.ForegroundRole:
            name = self.ink(row, column)
            return theme.color(name) if name else None
        return None

    def take(self, rows: Sequence[Any]) -> None:
        """Show these rows; the same ones again change nothing."""
        if rows != self.rows:
            self.beginResetModel()
            self.rows = rows
            self.endResetModel()

    def rowCount(self, parent: Index | None = None) -> int:
        return self.count()

    def columnCount(self, parent: Index | None = None) -> int:
        return len(self.COLUMNS)

    def headerData(
        self, section: int, orientation: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole
    ) -> Any:
        if orientation == Qt.Orientation.Horizontal and role == Qt.ItemDataRole.DisplayRole:
            return self.COLUMNS[section]
        return None


def plain_table(
    model: QAbstractItemModel, name: str, words: str, widths: Sequence[int], stretch: int
) -> QTableView:
    """A table of rows without grid: chosen row by row, copied as spreadsheets do; `stretch` is the
    column that gives way.
    """
    made = TextTable()
    made.setTabKeyNavigation(False)  # Tab leaves it
    made.setModel(model)
    made.setObjectName(name)
    made.setAccessibleName(words)
    made.setFrameShape(QFrame.Shape.NoFrame)
    made.setShowGrid(False)
    made.setSelectionBehavior(QTableView.SelectionBehavior.SelectRows)
    made.verticalHeader().hide()
    made.verticalHeader().setDefaultSectionSize(SIZE["table_row"])
    header = made.horizontalHeader()
    header.setHighlightSections(False)
    header.setFixedHeight(26)
    header.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
    for column, width in enumerate(widths):
        made.setColumnWidth(column, max(width, _heading_width(made, column)))
    GivesWay(made, stretch)
    CopyKeys(made)
    return made


def _heading_width(table: QTableView, column: int) -> int:
    words = table.model().headerData(column, Qt.Orientation.Horizontal)
    return table.horizontalHeader().fontMetrics().horizontalAdvance(str(words or "")) + 12


class GivesWay(QObject):
    """Lets one column of a table take the room that is left, but never less than its heading needs:
    then the table scrolls.
    """

    def __init__(self, table: QTableView, column: int) -> None:
        super().__init__(table)
        self.table, self.column = table, column
        table.viewport().installEventFilter(self)
        self._fit()

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if event.type() == QEvent.Type.Resize:
            self._fit()
        return False

    def _fit(self) -> None:
        header, column = self.table.horizontalHeader(), self.column
        if column >= header.count():
            return
        others = sum(header.sectionSize(i) for i in range(header.count()) if i != column)
        need = _heading_width(self.table, column)
        fits = self.table.viewport().width() - others >= need
        modes = QHeaderView.ResizeMode
        header.setSectionResizeMode(column, modes.Stretch if fits else modes.Interactive)
        if not fits:
            self.table.setColumnWidth(column, need)


class PageView(QWidget):
    """One of the views of a page."""

    def refresh(self) -> None:
        """Something it shows has changed."""

    def entered(self) -> None:
        """It has come into view."""

    def left(self) -> None:
        """It has gone out of view."""


def beside(widget: QWidget, left: QLayout, right: QLayout) -> None:
    """The layout of a view of two columns: what there is, and the one that is looked at."""
    row = QHBoxLayout()
    row.setSpacing(16)
    column_of(widget).addLayout(row, 1)
    row.addLayout(left, 2)
    row.addLayout(right, 5)


def column_of(widget: QWidget, spacing: int = 6) -> QVBoxLayout:
    """The layout of a view: one below the other, without margins of its own."""
    made = QVBoxLayout(widget)
    made.setContentsMargins(0, 0, 0, 0)
    made.setSpacing(spacing)
    return made


def take_row(table: QTableView, row: int) -> None:
    """Choose one row, whatever keys are held: `selectRow` would take it as a wish to add or
    remove. In the row it is in already the column stays: a cell may be typed into.
    """
    now = table.currentIndex()
    column = now.column() if now.row() == row else 0
    flags = (
        QItemSelectionModel.SelectionFlag.ClearAndSelect | QItemSelectionModel.SelectionFlag.Rows
    )
    table.selectionModel().setCurrentIndex(table.model().index(row, column), flags)


def selected_rows(table: QTableView) -> list[int]:
    return [index.row() for index in table.selectionModel().selectedRows()]


class SeverityMark(Painted, QWidget):
    """A severity glyph as a widget."""

    def __init__(self, kind: str) -> None:
        super().__init__()
        self.kind = kind
        self.setFixedSize(16, 18)

    def draw(self, p: QPainter, event: QPaintEvent) -> None:
        paint.severity(p, self.kind, 7, 9, 6.2)
