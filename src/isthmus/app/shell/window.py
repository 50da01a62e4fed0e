"""The window: bar, spine, pages, inspector, hand controls; and the acts on the show as a whole."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import QEvent, QRect, QSize, QTimer
from PySide6.QtGui import QCloseEvent, QGuiApplication, QKeyEvent, QPainter, QPaintEvent, QResizeEvent
from PySide6.QtWidgets import QHBoxLayout, QStackedWidget, QVBoxLayout, QWidget

from isthmus.app.kit import settings
from isthmus.app.kit.actions import Action, Registry
from isthmus.app.kit.dialogs import ask, ask_text
from isthmus.app.kit.tasks import Task
from isthmus.app.kit.theme import theme
from isthmus.app.kit.widgets import Page
from isthmus.app.model.net_link import NetLink
from isthmus.app.model.output_control import OutputControl
from isthmus.app.model.workbench import Workbench
from isthmus.app.pages.readiness.page import ReadinessPage
from isthmus.app.shell import hand
from isthmus.app.shell.bar import Bar
from isthmus.app.shell.crash import CrashPath
from isthmus.app.shell.files import ShowFiles
from isthmus.app.shell.inspector import Inspector
from isthmus.app.shell.notice import Notice
from isthmus.app.shell.palette import Keys, Palette, find
from isthmus.app.shell.spine import PAGES, Spine
from isthmus.patch.numbers import write_numbers
from isthmus.profiles.colour import warm
from isthmus.show import Show
from isthmus.show.recovery import Found
from isthmus.snags import Snag

if TYPE_CHECKING:
    from isthmus.app.model.rig_link import RigLink

WARM_MS = 400
LOOK_MS = 1200
NARROW = 1100  # below this the inspector gives its room to the page


def _watch(address: tuple[str, int]) -> RigLink:
    from isthmus.app.model.rig_link import RigLink  # only where a stand-in rig runs beside the show

    return RigLink(address)


class Window(QWidget):
    def __init__(self, show: Show | None = None, rig: tuple[str, int] | None = None) -> None:
        super().__init__()
        self.settings = settings.load()
        self.bench = Workbench(show)
        self.net = NetLink(self.bench, self.settings, self)
        self.output = OutputControl(self.bench, self.net, self)
        self.rig = _watch(rig) if rig else None
        self.files = ShowFiles(self)
        self.bench.ask_past = self._ask_past
        self.crash = CrashPath(self.files.keeper.now, settings.recovery_folder())
        self.crash.tell = lambda words: self.bench.tell("fault", words)
        self._closing = False
        self.actions_ = Registry(self, self.bench.guard)
        self._conditions()
        self.setWindowTitle("Isthmus")
        screen = QGuiApplication.primaryScreen()
        room = screen.availableGeometry() if screen else QRect(0, 0, *self.settings.window)
        self.setMinimumSize(min(1000, room.width()), min(640, room.height()))
        self.resize(min(self.settings.window[0], room.width()), min(self.settings.window[1], room.height()))
        self._build()
        self._register()
        self.bench.title_changed.connect(self._retitle)
        self.bench.told.connect(self.notice.tell)
        for signal in (self.bench.selection_changed, self.bench.title_changed, self.bench.call_changed, self.bench.state_changed):
            signal.connect(self.actions_.refresh)
        self._retitle()
        self.go("Readiness")
        self._warmer = Task(lambda step: warm(), self)
        self._warm_later = QTimer(self)  # stopped at the end: a thread begun after that would outlive its object
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
        conditions.condition("selection", lambda: bool(bench.selection))
        conditions.condition("undo", lambda: bench.history.undo_name is not None)
        conditions.condition("redo", lambda: bench.history.redo_name is not None)
        conditions.condition("call", lambda: bench.call is not None)
        conditions.condition("no call", lambda: bench.call is None)
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
        self.spine = Spine(bench, self._foot)
        self.spine.go.connect(self.go)
        row.addWidget(self.spine)
        right = QVBoxLayout()
        right.setSpacing(0)
        row.addLayout(right, 1)
        top = QHBoxLayout()
        top.setSpacing(0)
        right.addLayout(top, 1)
        self.pages: dict[str, Page] = {}
        self.stack = QStackedWidget()
        self.readiness = ReadinessPage(bench, actions, self.go)
        self.pages["Readiness"] = self.readiness
        self.stack.addWidget(self.readiness)
        top.addWidget(self.stack, 1)
        self.inspector = Inspector(bench, self.readiness.follow)
        top.addWidget(self.inspector)
        self.notice = Notice()
        right.addWidget(self.notice)
        self.hand = hand.Hand(bench, actions)
        right.addWidget(self.hand)
        theme.changed.connect(self.update)

    def complete(self) -> None:
        """Make the other pages: after the first picture, or as soon as one of them is wanted."""
        if len(self.pages) > 1:
            return
        from isthmus.app.pages.patch import page as patch  # a third of the start, not needed for its picture
        from isthmus.app.pages.plan import page as plan
        from isthmus.app.pages.profiles import page as profiles
        from isthmus.app.pages.roll_call import page as rollcall
        from isthmus.app.pages.routes import page as routes
        from isthmus.app.pages.stage import page as stage

        bench, actions = self.bench, self.actions_
        self.profiles = profiles.ProfilesPage(bench, actions, self, self.stack)
        self.patch = patch.PatchPage(bench, actions, self, self.stack)
        self.routes = routes.RoutesPage(bench, actions, self.net, self.rig.address if self.rig else None, self, self.stack)
        self.plan = plan.PlanPage(bench, actions, self.stack)
        self.stage = stage.StagePage(bench, actions, self.rig, self.settings, self.stack)
        self.roll_call = rollcall.RollCallPage(bench, actions, self.net, self, self.stack)
        for name, page in zip(PAGES[1:], (self.profiles, self.patch, self.routes, self.plan, self.stage, self.roll_call), strict=True):
            self.pages[name] = page
            self.stack.addWidget(page)
        profiles.register(actions, self.profiles)
        patch.register(actions, self.patch)
        routes.register(actions, self.routes)
        plan.register(actions, self.plan)
        stage.register(actions, self.stage, self._ask_name, self.plan_beside)
        rollcall.register(actions, self.roll_call)

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
            Action("show.quit", "Quit", self.close, "Ctrl+Q"),
            Action("edit.undo", "Undo", bench.undo, "Ctrl+Z", "undo"),
            Action("edit.redo", "Redo", bench.redo, "Ctrl+Shift+Z", "redo"),
            Action("output.switch", "Send or stop sending", lambda: self.output.switch(not self.output.on), "Ctrl+Return", group="Output"),
            Action("view.theme", "Night or Day", self.switch_theme, "Ctrl+Shift+T", group="Window"),
            Action("help.find", "Find anything", self.find, "Ctrl+K", group="Window"),
            Action("help.keys", "Keys", self.show_keys, "F1", group="Window"),
            *(
                Action(f"go.{name.lower()}", f"Go to {name}", lambda n=name: self.go(n), f"Ctrl+Alt+{i}", group="Window")
                for i, name in enumerate(PAGES, 1)
            ),
        )
        hand.register(actions, self.hand)

    # ------------------------------------------------------------ moving about

    def go(self, name: str, snag: Snag | None = None) -> None:
        if name != "Readiness":
            self.complete()
        if self.spine.current in self.pages and self.spine.current != name:
            self.pages[self.spine.current].left()
        if name == "Plan" and self.stage.split.indexOf(self.plan.canvas) >= 0:
            self.plan_beside()  # the plan goes back to its own page
        self.spine.set_current(name)
        page = self.pages[name]
        self.stack.setCurrentWidget(page)
        page.entered()
        self.hand.lead(name not in ("Readiness", "Profiles", "Routes", "Roll call"))
        self.hand.setVisible(name not in ("Profiles", "Roll call"))  # pages that need the room, and where no unit is at stake
        self._inspect()
        if snag is not None and snag.rule == "finding" and snag.units:
            self.roll_call.show_finding(snag.units[0])
        elif snag is not None and name == "Roll call" and snag.units:
            self.roll_call.show_unit(snag.units[0])
        if snag is not None and snag.universe:
            self.routes.show_universe(snag.universe)
            self.patch.ruler.set_universe(snag.universe)

    def _ask_name(self, title: str, words: str, value: str) -> str | None:
        return ask_text(self, title, words, value)

    def plan_beside(self) -> None:
        """Plan and stage next to each other on the stage's page, or apart again."""
        stage, canvas = self.stage, self.plan.canvas
        if stage.split.indexOf(canvas) >= 0:
            self.plan.column.insertWidget(self.plan.column.indexOf(self.plan.aim_bar) + 1, canvas, 1)
        else:
            self.go("Stage")
            stage.split.insertWidget(0, canvas)
            stage.split.setSizes([stage.split.width() // 2] * 2)
        canvas.show()

    def show_keys(self) -> None:
        self.complete()
        Keys(self, self.actions_).open()

    def find(self) -> None:
        self.complete()
        made = Palette(self, lambda text: find(text, self.bench, self.actions_, self.go, self.readiness.follow))
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
        revision = f"rev {show.paper.revision}" if show.paper.revision else f"{len(show.paper.rows)} lines" if show.paper.rows else "none"
        last = max((v.at for v in show.verdicts), default="")
        return [("hang list", revision, False), ("roll call", last[11:16] or "not yet", True)]

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == 0x01000000 and self.notice.isVisible():  # Escape
            self.notice.clear()
        else:
            super().keyPressEvent(event)

    def fit(self) -> None:
        """With the frame a window manager puts round it the window may reach past the screen: then it gives way."""
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
        """The inspector stands where units are at stake, and where there is room for it."""
        self.inspector.setVisible(self.width() >= NARROW and self.spine.current not in ("Profiles", "Routes"))

    def paintEvent(self, event: QPaintEvent) -> None:
        QPainter(self).fillRect(self.rect(), theme.color("deep"))
        if not self._painted:
            self._painted = True
            QTimer.singleShot(0, self.complete)

    def changeEvent(self, event: QEvent) -> None:
        super().changeEvent(event)
        if event.type() == QEvent.Type.ActivationChange:
            self.output.publish()

    def _ask_past(self, about: str, numbers: list[int]) -> bool:
        """Whether one proof may go past limits: never unless somebody says so, for just this one."""
        words = f"{about}\nThis would go past the limits of {write_numbers(numbers)}. With the limits kept it may not show what it should."
        choices = [("keep", "Keep the limits"), ("past", "Send past them, this once")]
        return ask(self, "Limits are in the way", words, choices) == "past"

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
        """The roll call gives the levels back, the engine goes dark, the drawing and the rig's watcher end."""
        self.bench.end_proof()
        self.bench.end_call()
        self.output.stop()
        if len(self.pages) > 1:
            self.roll_call.shut_down()
        self.net.stop()
        if len(self.pages) > 1:
            self.stage.shut_down()
            self.plan.shut_down()
            self.profiles.shut_down()
        if self.rig:
            self.rig.stop()

    def shut_down(self) -> None:
        """End everything that was started, and give up what was kept for a crash; safe to call twice."""
        self._warm_later.stop()
        self._look_later.stop()
        self._warmer.wait()
        self.end_processes()
        self.files.end(forget=True)
        self.settings.window = (self.width(), self.height())
        settings.save(self.settings)
        self.crash.remove()
