"""The top bar: the mark, the show with its menu and unsaved sign, undo and redo, find, and the
output sign.
"""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRect, Qt
from PySide6.QtGui import QFontMetricsF, QPainter, QPainterPath, QPaintEvent
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QSizePolicy, QToolButton, QWidget

from isthmus.app.kit import paint
from isthmus.app.kit.actions import Registry
from isthmus.app.kit.painted import Painted
from isthmus.app.kit.theme import SIZE, advance, font, pen, theme
from isthmus.app.kit.widgets import bind, button, plain_tip
from isthmus.app.model.output_control import OutputControl
from isthmus.app.model.workbench import Workbench
from isthmus.app.pages.readiness.naming import Naming

PATH = 280  # pixels of the path that are shown; the middle gives way

SHOW_MENU = (
    "show.new",
    "show.open",
    "show.demo",
    "",
    "show.name",
    "show.save",
    "show.save_as",
    "show.copy",
    "",
    "edit.undo",
    "edit.redo",
    "",
    "view.theme",
    "help.find",
    "help.keys",
    "",
    "show.quit",
)


class Mark(Painted, QWidget):
    """Two shores joined by a neck."""

    def __init__(self) -> None:
        super().__init__()
        self.setFixedSize(SIZE["spine"] - 1, SIZE["bar"] - 6)

    def draw(self, p: QPainter, event: QPaintEvent) -> None:
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        cy = self.height() / 2
        path = QPainterPath(QPointF(19, cy - 9))
        path.cubicTo(28, cy - 9, 26, cy - 2.4, 32, cy - 2.4)
        path.cubicTo(38, cy - 2.4, 36, cy - 9, 45, cy - 9)
        path.lineTo(45, cy + 9)
        path.cubicTo(36, cy + 9, 38, cy + 2.4, 32, cy + 2.4)
        path.cubicTo(26, cy + 2.4, 28, cy + 9, 19, cy + 9)
        path.closeSubpath()
        p.setPen(pen("text", 1.3))
        p.setBrush(theme.color("land"))
        p.drawPath(path)
        p.drawLine(QPointF(32, cy - 2.4), QPointF(32, cy + 2.4))
        paint.text(p, 58, 0, "Isthmus", font(15, 600), "text", height=self.height())


class Arrow(Painted, QToolButton):
    """Undo or redo."""

    def __init__(self, back: bool, name: str) -> None:
        super().__init__()
        self.back = back
        self.setObjectName(name)
        self.setAccessibleName(name)
        self.setFixedSize(28, 26)

    def draw(self, p: QPainter, event: QPaintEvent) -> None:
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.translate(self.width() / 2, self.height() / 2)
        if not self.back:
            p.scale(-1, 1)
        q = pen("text" if self.isEnabled() else "text_off", 1.5, cap=Qt.PenCapStyle.RoundCap)
        q.setJoinStyle(Qt.PenJoinStyle.RoundJoin)
        p.setPen(q)
        p.drawPolyline(paint.polygon((-2.5, -6), (-6, -2.5), (-2.5, 1)))
        path = QPainterPath(QPointF(-6, -2.5))
        path.lineTo(2, -2.5)
        path.cubicTo(8, -2.5, 8, 5.5, 2, 5.5)
        path.lineTo(-2, 5.5)
        p.drawPath(path)


class Title(Painted, QPushButton):
    """The show's title with the path of its file beneath, and how many changes are not saved. A
    click edits title and venue.
    """

    def __init__(self, bench: Workbench) -> None:
        super().__init__()
        self.bench = bench
        self.setProperty("kind", "quiet")
        self.setObjectName("show title")
        self.setFixedHeight(40)
        self.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Fixed)
        self.clicked.connect(self.edit)
        self.renew()

    def edit(self) -> None:
        Naming(self.bench, self.window()).open_at(self.mapToGlobal(self.rect().bottomLeft()))

    def renew(self) -> None:
        show, unsaved = self.bench.show, self.bench.history.unsaved
        self._name = show.name if len(show.name) < 30 else show.name[:28] + "…"
        self._unsaved = unsaved
        path = str(self.bench.path) if self.bench.path else "no file yet"
        self._path = f"{path} (read-only)" if self.bench.read_only else path
        wide = advance(font(15, 500), self._name) + 41
        wide += advance(font("table", mono=True), str(unsaved)) + advance(
            font("table"), "not saved"
        )
        self.setFixedWidth(int(max(min(advance(font("caption"), self._path), PATH), wide)) + 14)
        where = (
            f"{show.name}{', ' + show.venue if show.venue else ''}\n{self._path}\nClick to "
            "change title and venue"
        )
        self.setToolTip(plain_tip(where))
        told = f", {unsaved} changes not saved" if unsaved else ""
        self.setAccessibleName(f"Title of the show: {show.name}{told}")
        self.update()

    def draw(self, p: QPainter, event: QPaintEvent) -> None:
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        x = 6 + paint.text(p, 6, 3, self._name, font(15, 500), "text", height=20) + 14
        if self._unsaved:
            p.setPen(pen("text2", 1.6))
            p.drawArc(int(x), 9, 8, 8, 50 * 16, 285 * 16)
            x += 15
            x += (
                paint.text(
                    p, x, 3, str(self._unsaved), font("table", mono=True), "text2", height=20
                )
                + 5
            )
            paint.text(p, x, 3, "not saved", font("table"), "text2", height=20)
        small = QFontMetricsF(font("caption"))
        path = small.elidedText(self._path, Qt.TextElideMode.ElideMiddle, self.width() - 12)
        paint.text(p, 6, 22, path, font("caption"), "text2", height=15)


class ShowMenu(Painted, QToolButton):
    """The chevron that opens the show's menu."""

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("show menu")
        self.setAccessibleName("Show menu")
        self.setToolTip("Show menu: new, open, save")
        self.setFixedSize(26, 30)

    def draw(self, p: QPainter, event: QPaintEvent) -> None:
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        paint.chevron(p, self.width() / 2, self.height() / 2 + 1, True)


class OutputSign(Painted, QPushButton):
    """A wave and words while sending, a slashed ring while not; a click switches."""

    def __init__(self, output: OutputControl) -> None:
        super().__init__()
        self.output = output
        self.setProperty("kind", "output")
        self.setObjectName("output sign")
        self.setFixedHeight(28)
        output.changed.connect(self.renew)
        self.renew()

    def renew(self) -> None:
        words = self.output.words()
        wide = 58 + sum(advance(font("body", 500, mono=mono), text) for text, mono in words)
        self.setFixedWidth(int(max(132, wide)))
        self.setToolTip(plain_tip(self.output.details()))
        self.setAccessibleName("".join(text for text, _ in words))
        self.update()

    def draw(self, p: QPainter, event: QPaintEvent) -> None:
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        cy = self.height() / 2
        stats = self.output.stats
        if not self.output.on:
            p.setPen(pen("text2", 1.5))
            p.drawEllipse(QPointF(20, cy), 5.5, 5.5)
            p.drawLine(QPointF(15, cy + 5), QPointF(25, cy - 5))
            x = 36.0
        elif stats.state in ("gone", "dark", "holding") or (stats.errors and stats.error):
            paint.severity(p, "fault" if stats.errors else "attention", 20, cy, 6.4)
            x = 36.0
        else:
            p.setPen(pen("teal", 1.6, cap=Qt.PenCapStyle.RoundCap))
            path = QPainterPath(QPointF(12, cy))
            for i in range(3):
                at = 12 + i * 7
                path.cubicTo(at + 2.2, cy - 6, at + 4.8, cy + 6, at + 7, cy)
            p.drawPath(path)
            x = 42.0
        for words, mono in self.output.words():
            x += paint.text(
                p, x, 0, words, font("body", 500, mono=mono), "text", height=self.height()
            )


class FindField(Painted, QPushButton):
    """Looks like a field and opens the finder."""

    def __init__(self) -> None:
        super().__init__()
        self.setProperty("kind", "plain")
        self.setObjectName("find anything")
        self.setAccessibleName("Find anything")
        self.setMinimumWidth(150)
        self.setMaximumWidth(330)
        self.setFixedHeight(28)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)

    def draw(self, p: QPainter, event: QPaintEvent) -> None:
        h = self.height()
        paint.text(
            p,
            10,
            0,
            "Find anything: a unit, an address, a snag",
            font("table"),
            "text3",
            width=self.width() - 76,
            height=h,
        )
        p.setPen(pen("line", 1))
        p.drawRoundedRect(self.width() - 60, 6, 50, h - 12, 3, 3)
        paint.text(
            p,
            self.width() - 60,
            6,
            "Ctrl K",
            font(10, mono=True),
            "text2",
            paint.CENTER,
            50,
            h - 12,
        )


class Bar(Painted, QWidget):
    def __init__(self, bench: Workbench, actions: Registry, output: OutputControl) -> None:
        super().__init__()
        self.bench, self.acts = bench, actions
        self.setFixedHeight(SIZE["bar"])
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 16, 6)
        row.setSpacing(6)
        row.addWidget(Mark())
        row.addSpacing(8)
        self.title, self.menu_ = Title(bench), ShowMenu()
        self.menu_.clicked.connect(self._menu)
        row.addWidget(self.title)
        row.addWidget(self.menu_)
        row.addSpacing(6)
        self.undo, self.redo = Arrow(True, "undo"), Arrow(False, "redo")
        self.undo.clicked.connect(lambda: actions.trigger("edit.undo"))
        self.redo.clicked.connect(lambda: actions.trigger("edit.redo"))
        row.addWidget(self.undo)
        row.addWidget(self.redo)
        row.addStretch(1)
        find = FindField()
        find.clicked.connect(lambda: actions.trigger("help.find"))
        row.addWidget(find, 4)
        row.addStretch(1)
        self.filtered = button("", run=self._to_filter, height=28, name="filter in force")
        self.filtered.hide()
        row.addWidget(self.filtered)
        self.end_call = button(
            "Roll call is on: end it", run=lambda: actions.trigger("call.end"), height=28
        )
        self.end_call.hide()
        row.addWidget(self.end_call)
        self.sign = OutputSign(output)
        self.sign.clicked.connect(lambda: actions.trigger("output.switch"))
        self.inspect = actions.button("view.inspector", "Inspector", height=28)
        self.inspect.setCheckable(True)
        self.inspect.hide()
        row.addWidget(self.inspect)
        row.addWidget(self.sign)
        bench.title_changed.connect(self.renew)
        bind(bench.session.changed, self, self._called)
        bind(bench.filters.changed, self, self._filters)
        theme.changed.connect(self.update)
        self.renew()

    def renew(self) -> None:
        self.title.renew()
        history = self.bench.history
        self.undo.setEnabled(history.undo_name is not None)
        self.redo.setEnabled(history.redo_name is not None)
        back = (
            f"\n{history.steps} steps back; {history.gone} older ones were given up"
            if history.gone
            else ""
        )
        self.undo.setToolTip(
            plain_tip(f"Undo: {history.undo_name} (Ctrl+Z){back}")
            if history.undo_name
            else "Nothing to undo"
        )
        self.redo.setToolTip(
            plain_tip(f"Redo: {history.redo_name} (Ctrl+Shift+Z)")
            if history.redo_name
            else "Nothing to redo"
        )

    def _called(self) -> None:
        """While a roll call is on every page shows whom it calls and how to end it; A, W, S, N and
        B work everywhere.
        """
        call = self.bench.session.call
        self.end_call.setVisible(call is not None)
        if call is not None:
            unit = self.bench.show.unit(call.unit) if call.unit else None
            self.end_call.setText(
                f"Roll call at {unit.number if unit else call.stop.title}: end it"
            )
            self.end_call.setToolTip(
                "A works, W wrong, S silent, N next, B back, C clears the verdict, Ctrl+E ends"
            )

    def _filters(self) -> None:
        """A filter in force is told on every page; a click goes where it can be cleared."""
        told = {page: words for page, words in self.bench.filters.words.items() if words}
        self.filtered.setVisible(bool(told))
        self.filtered.setText("   ".join(f"{page} filter: {words}" for page, words in told.items()))
        self.filtered.setToolTip("A filter hides units. Click to go to it.")

    def _to_filter(self) -> None:
        page = next(page for page, words in self.bench.filters.words.items() if words)
        self.acts.trigger(f"go.{page.lower()}")

    def _menu(self) -> None:
        menu = self.acts.menu(SHOW_MENU, self)
        menu.popup(self.menu_.mapToGlobal(self.menu_.rect().bottomLeft()))

    def draw(self, p: QPainter, event: QPaintEvent) -> None:
        p.fillRect(self.rect(), theme.color("abyss"))
        p.fillRect(QRect(SIZE["spine"] - 1, 0, 1, self.height() - 6), theme.color("line"))
        paint.neat_line(p, QRect(0, self.height() - 6, self.width(), 6), 40)
