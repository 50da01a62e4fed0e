"""The window: bar, spine, pages, inspector, hand controls; and the acts on the show as a whole."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from pathlib import Path
from typing import TYPE_CHECKING, TypeVar

from PySide6.QtCore import QEvent, QPoint, QRect, QSize, Qt, QTimer
from PySide6.QtGui import (
    QCloseEvent,
    QGuiApplication,
    QKeyEvent,
    QPainter,
    QPaintEvent,
    QResizeEvent,
)
from PySide6.QtWidgets import QHBoxLayout, QStackedWidget, QVBoxLayout, QWidget

from isthmus.app.kit import settings
from isthmus.app.kit.actions import Action, Registry
from isthmus.app.kit.dialogs import ask
from isthmus.app.kit.help import dress
from isthmus.app.kit.painted import Painted
from isthmus.app.kit.tasks import Task
from isthmus.app.kit.theme import theme
from isthmus.app.kit.widgets import Button
from isthmus.app.model.focus import Focus
from isthmus.app.model.house import House
from isthmus.app.model.net_link import NetLink
from isthmus.app.model.output_control import OutputControl
from isthmus.app.model.sides import Sides
from isthmus.app.model.workbench import Workbench
from isthmus.app.pages import PAGES
from isthmus.app.pages.base import Entry, Page
from isthmus.app.pages.readiness.page import ReadinessPage
from isthmus.app.shell import hand
from isthmus.app.shell.bar import Bar
from isthmus.app.shell.crash import CrashPath
from isthmus.app.shell.files import ShowFiles
from isthmus.app.shell.finder import Finder, Keys, find
from isthmus.app.shell.inspector import Inspector
from isthmus.app.shell.log import LogDialog
from isthmus.app.shell.looked import LookedAt
from isthmus.app.shell.notice import Notice
from isthmus.app.shell.spine import Spine
from isthmus.patch.addresses import Placing
from isthmus.patch.numbers import write_numbers
from isthmus.plural import many
from isthmus.profiles.colour import warm
from isthmus.show import Show
from isthmus.show.recovery import Found
from isthmus.snags import Snag

if TYPE_CHECKING:
    from isthmus.app.model.rig_link import RigLink

P = TypeVar("P", bound=Page)
MOST_VIEWS = 6
WARM_MS = 400
LOOK_MS = 1200
NARROW = 1100  # below this the inspector gives its room to the page


def _watch(address: tuple[str, int]) -> RigLink:
    from isthmus.app.model.rig_link import RigLink  # only where a simulator runs beside the show

    return RigLink(address)


class Pages(Mapping[str, Page]):
    """The pages by title, each made when it is first asked for."""

    def __init__(self, entries: Sequence[Entry], make: Callable[[Entry], Page]) -> None:
        self._entries = {entry.title: entry for entry in entries}
        self._make = make
        self.made: dict[str, Page] = {}

    def __getitem__(self, title: str) -> Page:
        if title not in self.made:
            self.made[title] = self._make(self._entries[title])
        return self.made[title]

    def __iter__(self) -> Iterator[str]:
        return iter(self._entries)

    def __len__(self) -> int:
        return len(self._entries)

    @property
    def next(self) -> str:
        """The first that has not been made; empty when all have."""
        return next((title for title in self._entries if title not in self.made), "")


class Window(Painted, QWidget):
    """`ahead`: pages that have not been asked for are made after the first picture, one by one."""

    def __init__(
        self,
        show: Show | None = None,
        rig: tuple[str, int] | None = None,
        entries: Sequence[Entry] = PAGES,
        ahead: bool = True,
    ) -> None:
        super().__init__()
        self.entries, self.ahead = tuple(entries), ahead
        self.settings = settings.load()
        self.bench = Workbench(show)
        self.net = NetLink(self.bench, self.settings, self)
        self.output = OutputControl(self.bench, self.net, self)
        self.rig = _watch(rig) if rig else None
        self.files = ShowFiles(self)
        self.bench.proving.ask_past = self._ask_past
        self.crash = CrashPath(self.files.keeper.now)
        self.crash.tell = lambda words: self.bench.tell("fault", words)
        self._closing = False
        self._narrow = self._over = False  # the inspector is not beside the page; and is over it
        self.actions_ = Registry(self, self.bench.guard)
        self.actions_.page = lambda: self.spine.current
        self.actions_.complete = self.complete
        self._conditions()
        self.setWindowTitle("Isthmus")
        screen = QGuiApplication.primaryScreen()
        room = screen.availableGeometry() if screen else QRect(0, 0, *self.settings.window)
        self.setMinimumSize(min(1000, room.width()), min(640, room.height()))
        self.resize(
            min(self.settings.window[0], room.width()), min(self.settings.window[1], room.height())
        )
        self._build()
        self._register()
        self.bench.title_changed.connect(self._retitle)
        self.bench.told.connect(self.notice.tell)
        self.bench.clashing.connect(self._ask_ways)
        for signal in (
            self.bench.selection.changed,
            self.bench.levels.acts_changed,
            self.bench.title_changed,
            self.bench.session.changed,
            self.bench.plan.state_changed,
        ):
            signal.connect(self.actions_.refresh)
        self._retitle()
        self.go(self.entries[0].title)
        self._warmer = Task(lambda step: warm(), self)
        self._warm_later = QTimer(
            self
        )  # stopped at the end: a thread begun after that would outlive its object
        self._warm_later.setSingleShot(True)
        self._warm_later.timeout.connect(self._warmer.start)
        self._warm_later.start(WARM_MS)
        self._look_later = QTimer(self)
        self._look_later.setSingleShot(True)
        self._look_later.timeout.connect(lambda: self.bench.guard(lambda: self.net.look(True)))
        if rig or self.settings.look_for_nodes:
            self._look_later.start(LOOK_MS)
        self._painted = False

    def _conditions(self) -> None:
        bench, conditions = self.bench, self.actions_
        conditions.condition("selection", lambda: bool(bench.selection.ids))
        conditions.condition("undo", lambda: bench.history.undo_name is not None)
        conditions.condition("redo", lambda: bench.history.redo_name is not None)
        conditions.condition("live undo", lambda: bench.levels.undo_name is not None)
        conditions.condition("live redo", lambda: bench.levels.redo_name is not None)
        conditions.condition("call", lambda: bench.session.call is not None)
        conditions.condition("no call", lambda: bench.session.call is None)
        conditions.condition("rig", lambda: self.rig is not None)

    def _build(self) -> None:
        bench, actions = self.bench, self.actions_
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        self.bar = Bar(bench, actions, self.output)
        column.addWidget(self.bar)
        row = QHBoxLayout()
        row.setSpacing(0)
        column.addLayout(row, 1)
        self.spine = Spine(bench, self.entries, self._foot)
        self.spine.go.connect(self.go)
        row.addWidget(self.spine)
        right = QVBoxLayout()
        right.setSpacing(0)
        row.addLayout(right, 1)
        top = self.top = QHBoxLayout()
        top.setSpacing(0)
        right.addWidget(LookedAt(bench, actions))
        right.addLayout(top, 1)
        self.pages = Pages(self.entries, self._make)
        self.stack = QStackedWidget()
        self.house = House(
            bench,
            Focus(bench),
            actions,
            self.net,
            self.rig,
            self.settings,
            Sides(bench),
            self,
            self.go,
            lambda: self.spine.current,
            self._drawer,
            self.stack,
        )
        self.readiness = self.page(ReadinessPage)
        top.addWidget(self.stack, 1)
        self.inspector = Inspector(bench, self.readiness.follow)
        top.addWidget(self.inspector)
        self.notice = Notice()
        right.addWidget(self.notice)
        self.hand = hand.Hand(bench, actions)
        right.addWidget(self.hand)
        theme.changed.connect(self.update)
        for part, name in ((self.bar, "Bar"), (self.inspector, "Inspector"), (self.hand, "Hand")):
            dress(part)
            actions.adopt(part.findChildren(Button), name)

    def _make(self, entry: Entry) -> Page:
        page = entry.make(self.house)
        self.stack.addWidget(page)
        self.actions_.add(*page.actions(), *page.view_actions())
        dress(page)
        page.adopt_buttons()
        return page

    def complete(self) -> None:
        """Make the pages that have not been made."""
        while title := self.pages.next:
            self.pages[title]

    def _ask_ways(self, placing: Placing, name: str) -> None:
        from isthmus.app.pages.patch.page import PatchPage  # not before the first picture

        self.page(PatchPage).ask_ways(placing, name)

    def join_with(self, path: Path) -> None:
        """What both changed differently is to be settled. Raises FileFault."""
        from isthmus.app.pages.versions.page import VersionsPage  # not before the first picture

        page = self.page(VersionsPage)
        page.here("Join")
        page.join.open_path(path)

    def _one_more(self) -> None:
        """The next page, then whatever else has come up in the window, then another."""
        if self.ahead and (title := self.pages.next):
            self.pages[title]
            QTimer.singleShot(0, self, self._one_more)

    def page(self, kind: type[P]) -> P:
        """The page of a kind."""
        page = self.pages[kind.title]
        assert isinstance(page, kind)
        return page

    def _register(self) -> None:
        bench, actions, files = self.bench, self.actions_, self.files
        actions.add(
            Action("show.new", "New show", files.new, "Ctrl+N"),
            Action("show.open", "Open…", files.open, "Ctrl+O"),
            Action("show.demo", "Open the demo show", files.open_demo),
            Action("show.name", "Title and venue…", self.bar.title.edit, "Shift+F2"),
            Action("show.save", "Save", files.save, "Ctrl+S"),
            Action("show.save_as", "Save as…", files.save_as, "Ctrl+Shift+S"),
            Action("show.copy", "Save a copy…", files.save_copy),
            Action(
                "show.passing_on",
                "Save without versions…",
                lambda: files.save_copy(versions=False),
                help="A copy for passing on, that does not tell what the show once was",
            ),
            Action("show.quit", "Quit", self.close, "Ctrl+Q"),
            Action("edit.undo", "Undo", bench.undo, "Ctrl+Z", "undo"),
            Action("edit.redo", "Redo", bench.redo, "Ctrl+Shift+Z", "redo"),
            Action(
                "levels.undo",
                "Undo live act",
                bench.levels.undo,
                "Ctrl+Alt+Z",
                "live undo",
                group="Hand controls",
            ),
            Action(
                "levels.redo",
                "Redo live act",
                bench.levels.redo,
                "Ctrl+Alt+Shift+Z",
                "live redo",
                group="Hand controls",
            ),
            Action(
                "output.switch",
                "Send or stop sending",
                lambda: self.output.switch(not self.output.on),
                "Ctrl+Return",
                group="Output",
            ),
            Action(
                "view.theme",
                "Day or night theme",
                self.switch_theme,
                "Ctrl+Shift+T",
                group="Window",
            ),
            Action(
                "view.inspector",
                "Inspector",
                self.show_inspector,
                "Ctrl+Alt+I",
                group="Window",
                help="Show the inspector over the page, in a window too narrow for both",
            ),
            Action("help.find", "Find anything", self.find, "Ctrl+K", group="Window"),
            Action("help.keys", "Keys", self.show_keys, "F1", group="Window"),
            Action(
                "help.log",
                "Show log",
                lambda: LogDialog(self).open(),
                group="Window",
                help="What went wrong inside Isthmus on this computer",
            ),
            *(
                Action(
                    f"go.{name.lower()}",
                    f"Go to {name}",
                    lambda n=name: self.go(n),
                    f"Ctrl+Alt+{i}" if i < 10 else "",
                    group="Window",
                )
                for i, name in enumerate(self.spine.titles, 1)
            ),
            *(
                Action(
                    f"view.{n}",
                    f"View {n} of this page",
                    lambda n=n: self._view(n),
                    f"Alt+{n}",
                    group="Window",
                )
                for n in range(1, MOST_VIEWS + 1)
            ),
        )
        hand.register(actions, self.hand)

    # ------------------------------------------------------------ moving about

    def go(self, name: str, snag: Snag | None = None) -> None:
        """Show a page; with a snag, what the snag is about."""
        page = self.pages[name]
        before = self.pages.made.get(self.spine.current)
        if before is not None and self.spine.current != name:
            before.left()
        entry = self.spine.entries[name]
        self.spine.set_current(name)
        self.stack.setCurrentWidget(page)
        page.entered()
        self.hand.lead(entry.lights)
        self.hand.setVisible(entry.hand)
        self._drawer()
        self._inspect()
        self.actions_.refresh()
        if snag is not None:
            page.visit(snag)

    def _drawer(self) -> None:
        """The hand controls are folded where no unit is lit by hand."""
        page = self.pages[self.spine.current]
        lit = page.view not in page.unlit
        self.hand.stand_in(f"{page.title} {'' if lit else page.view}", lit)

    def _view(self, number: int) -> None:
        page = self.pages[self.spine.current]
        if number <= len(page.view_names):
            page.show_view(page.view_names[number - 1])

    def show_keys(self) -> None:
        self.complete()
        Keys(self, self.actions_).open()

    def find(self) -> None:
        self.complete()
        made = Finder(
            self, lambda text: find(text, self.bench, self.actions_, self.spine.titles, self.go)
        )
        made.move(
            self.mapToGlobal(self.rect().topLeft()).x() + (self.width() - made.width()) // 2,
            self.mapToGlobal(self.rect().topLeft()).y() + 44,
        )
        made.show()

    def switch_theme(self) -> None:
        self.settings.theme = "day" if theme.name == "night" else "night"
        theme.set(self.settings.theme)

    def _foot(self) -> list[tuple[str, str, bool]]:
        show = self.bench.show
        revision = (
            f"rev {show.paper.revision}"
            if show.paper.revision
            else many(len(show.paper.rows), "line")
            if show.paper.rows
            else "none"
        )
        last = max((v.at for v in show.verdicts), default="")
        return [("hang list", revision, False), ("roll call", last[11:16] or "not yet", True)]

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Escape and self.notice.isVisible():
            self.notice.clear()
        elif event.key() == Qt.Key.Key_Escape and self.bench.looked:
            self.bench.look_at(None)
        elif event.key() == Qt.Key.Key_Escape and self.bench.selection.ids:
            self.bench.selection.select([])
        else:
            super().keyPressEvent(event)

    def fit(self) -> None:
        """With the frame a window manager puts round it the window may reach past the screen: then
        it gives way.
        """
        screen = self.screen()
        if screen is None or self.isMaximized() or self.isFullScreen():
            return
        room, frame = screen.availableGeometry(), self.frameGeometry()
        over = QSize(max(0, frame.width() - room.width()), max(0, frame.height() - room.height()))
        if over.width() or over.height():
            small = self.size() - over
            self.setMinimumSize(self.minimumSize().boundedTo(small))
            self.resize(small)
        if not room.contains(self.frameGeometry()):
            self.move(room.topLeft())

    def resizeEvent(self, event: QResizeEvent) -> None:
        self._inspect()

    def _inspect(self) -> None:
        """The inspector is where units are at stake: beside the page where there is room, else over
        its right side as long as it is wanted (`view.inspector`).
        """
        narrow, wanted = self.width() < NARROW, self.spine.entries[self.spine.current].inspector
        self.bar.inspect.setVisible(narrow and wanted)
        if narrow != self._narrow:
            self._narrow = narrow
            if narrow:
                self.top.removeWidget(self.inspector)
                self.inspector.setParent(self)
                self._over = False
            else:
                self.top.addWidget(self.inspector)
        self.inspector.setVisible(wanted and (not narrow or self._over))
        self.bar.inspect.setChecked(narrow and self._over)
        if narrow and self._over:
            page = QRect(self.stack.mapTo(self, QPoint(0, 0)), self.stack.size())
            wide = self.inspector.width()
            self.inspector.setGeometry(page.right() + 1 - wide, page.y(), wide, page.height())
            self.inspector.raise_()

    def show_inspector(self) -> None:
        """In a narrow window: the inspector over the page, or away again."""
        if self._narrow:
            self._over = not self._over
            self._inspect()

    def draw(self, p: QPainter, event: QPaintEvent) -> None:
        p.fillRect(self.rect(), theme.color("deep"))
        if not self._painted:
            self._painted = True
            if self.ahead:
                QTimer.singleShot(0, self, self._one_more)

    def changeEvent(self, event: QEvent) -> None:
        super().changeEvent(event)
        if event.type() == QEvent.Type.ActivationChange:
            self.output.publish()

    def _ask_past(self, about: str, numbers: list[int]) -> bool:
        """Whether one proof may go past limits: never unless a person says so, for just
        this one.
        """
        words = (
            f"{about}\nThis would exceed the limits of {write_numbers(numbers)}. Within the "
            "limits it may not show what it should."
        )
        choices = [("keep", "Keep the limits"), ("past", "Send beyond them this once")]
        return ask(self, "Limits apply", words, choices) == "past"

    def _retitle(self) -> None:
        mark = f" ({self.bench.history.unsaved} not saved)" if self.bench.history.unsaved else ""
        where = f" — {self.bench.path}" if self.bench.path else ""
        self.setWindowTitle(f"{self.bench.show.name}{mark}{where} — Isthmus")

    # ------------------------------------------------------------ the show as a file

    def open_path(self, path: Path) -> None:
        """Raises FileFault; the show here then stays."""
        self.files.open_path(path)

    def offer_recovered(self, found: list[Found]) -> None:
        self.files.offer_recovered(found)

    def closeEvent(self, event: QCloseEvent) -> None:
        if not self._closing and not self.files.may_leave():
            event.ignore()
            return
        self._closing = True
        self.shut_down()
        event.accept()

    def end_processes(self) -> None:
        """The roll call gives the levels back, the engine goes dark, the drawing and the rig's
        watcher end; threads of the start are waited for.
        """
        self._warm_later.stop()
        self._look_later.stop()
        self._warmer.wait()
        self.ahead = False  # a page made now would start what nothing ends
        self.bench.proving.end()
        self.bench.session.end()
        self.bench.playing.shut_down()
        self.output.stop()
        for page in reversed(self.pages.made.values()):
            page.shut_down()
        self.net.stop()
        if self.rig:
            self.rig.stop()

    def shut_down(self) -> None:
        """End everything that was started, and give up what was kept for a crash; safe to call
        twice.
        """
        self.end_processes()
        self.files.end(forget=True)
        self.settings.window = (self.width(), self.height())
        settings.save(self.settings)
        self.crash.remove()
