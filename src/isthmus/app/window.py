"""The window: bar, spine, pages, inspector, hand controls; and the acts on the show as a whole."""

from __future__ import annotations

import os
import time
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import QEvent, QTimer
from PySide6.QtGui import QCloseEvent, QKeyEvent, QPainter, QPaintEvent, QResizeEvent
from PySide6.QtWidgets import QFileDialog, QHBoxLayout, QStackedWidget, QVBoxLayout, QWidget

from isthmus.app import hand, settings
from isthmus.app.actions import Action, Registry
from isthmus.app.bar import Bar
from isthmus.app.crash import CrashPath
from isthmus.app.dialogs import ask, ask_text
from isthmus.app.inspector import Inspector
from isthmus.app.net_link import NetLink
from isthmus.app.notice import Notice
from isthmus.app.output_control import OutputControl
from isthmus.app.pages.readiness import ReadinessPage
from isthmus.app.palette import Keys, Palette, find
from isthmus.app.spine import PAGES, Spine
from isthmus.app.tasks import Step, Task
from isthmus.app.theme import theme
from isthmus.app.widgets import Page
from isthmus.app.workbench import Workbench
from isthmus.demo import lantern_tide
from isthmus.profiles.colour import warm
from isthmus.show import Show
from isthmus.show.container import SUFFIX
from isthmus.show.recovery import Found, Levels, Recovery
from isthmus.snags import Snag

if TYPE_CHECKING:
    from isthmus.app.rig_link import RigLink

SELF_SAVE_MS = 4_000
WARM_MS = 400
LOOK_MS = 1200
NARROW = 1100  # below this the inspector gives its room to the page
FILES = f"Isthmus shows (*{SUFFIX})"


def _watch(address: tuple[str, int]) -> RigLink:
    from isthmus.app.rig_link import RigLink  # only where a stand-in rig runs beside the show

    return RigLink(address)


class Window(QWidget):
    def __init__(self, show: Show | None = None, rig: tuple[str, int] | None = None) -> None:
        super().__init__()
        self.settings = settings.load()
        self.bench = Workbench(show)
        self.net = NetLink(self.bench, self.settings, self)
        self.output = OutputControl(self.bench, self.net, self)
        self.rig = _watch(rig) if rig else None
        self.recovery = Recovery(settings.recovery_folder(), f"{int(time.time())}-{os.getpid()}")
        self.crash = CrashPath(self._keep_now, settings.recovery_folder())
        self.crash.tell = lambda words: self.bench.tell("fault", words)
        self._saver: Task | None = None
        self._kept: Show | None = None
        self._closing = False
        self.actions_ = Registry(self, self.bench.guard)
        self._conditions()
        self.setWindowTitle("Isthmus")
        self.setMinimumSize(1000, 640)
        self.resize(*self.settings.window)
        self._build()
        self._register()
        self.bench.title_changed.connect(self._retitle)
        self.bench.told.connect(self.notice.tell)
        for signal in (self.bench.selection_changed, self.bench.title_changed, self.bench.call_changed, self.bench.state_changed):
            signal.connect(self.actions_.refresh)
        self._self_save = QTimer(self)
        self._self_save.setInterval(SELF_SAVE_MS)
        self._self_save.timeout.connect(self._keep_later)
        self._self_save.start()
        self.bench.changed.connect(lambda old, new: self._keep_marks())
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
        from isthmus.app.pages import patch, plan, profiles, rollcall, routes, stage  # a third of the start, not needed for its picture

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
        bench, actions = self.bench, self.actions_
        actions.add(
            Action("show.new", "New show", self.new, "Ctrl+N"),
            Action("show.open", "Open…", self.open, "Ctrl+O"),
            Action("show.demo", "Open the demo show", self.open_demo),
            Action("show.save", "Save", self.save, "Ctrl+S"),
            Action("show.save_as", "Save as…", self.save_as, "Ctrl+Shift+S"),
            Action("show.copy", "Save a copy…", self.save_copy),
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

    def _retitle(self) -> None:
        mark = f" ({self.bench.history.unsaved} not saved)" if self.bench.history.unsaved else ""
        where = f" — {self.bench.path}" if self.bench.path else ""
        self.setWindowTitle(f"{self.bench.show.name}{mark}{where} — Isthmus")

    # ------------------------------------------------------------ the show

    def may_leave(self) -> bool:
        """Ask only when unsaved work would be lost. True when it is saved or given up."""
        count = self.bench.history.unsaved
        if not count:
            return True
        words = f"“{self.bench.show.name}” has {count} change{'s' * (count != 1)} that {'are' if count != 1 else 'is'} not saved."
        answer = ask(self, "Save first?", words, [("save", "Save"), ("drop", "Do not save")])
        if answer == "save":
            return self.bench.guard(self.save) and self.bench.history.unsaved == 0
        return answer == "drop"

    def new(self) -> None:
        if self.may_leave():
            self._adopt(Show(), None)

    def open_demo(self) -> None:
        if self.may_leave():
            self._adopt(lantern_tide(), None)

    def open(self) -> None:
        if not self.may_leave():
            return
        name, _ = QFileDialog.getOpenFileName(self, "Open a show", self._folder(), FILES, options=QFileDialog.Option.DontUseNativeDialog)
        if name:
            self.open_path(Path(name))

    def open_path(self, path: Path) -> None:
        """Raises FileFault; the show in hand then stays."""
        self.bench.open(path)
        self.recovery.drop()
        self._remember(path)

    def _adopt(self, show: Show, path: Path | None) -> None:
        self.bench.adopt(show, path)
        self.recovery.drop()

    def _folder(self) -> str:
        return str(self.bench.path.parent) if self.bench.path else str(Path.home())

    def save(self) -> None:
        if self.bench.path is None:
            self.save_as()
        else:
            self._save_to(self.bench.path)

    def save_as(self) -> None:
        path = self._ask_path("Save the show")
        if path:
            self._save_to(path)

    def save_copy(self) -> None:
        path = self._ask_path("Save a copy")
        if path:
            self.bench.save_copy(path)
            self.bench.tell("ok", f"A copy is in {path}. You go on in {self.bench.path or 'the unsaved show'}.")

    def _ask_path(self, title: str) -> Path | None:
        start = str(self.bench.path or Path(self._folder()) / f"{self.bench.show.name}{SUFFIX}")
        name, _ = QFileDialog.getSaveFileName(self, title, start, FILES, options=QFileDialog.Option.DontUseNativeDialog)
        if not name:
            return None
        return Path(name) if name.endswith(SUFFIX) else Path(name + SUFFIX)

    def _save_to(self, path: Path) -> None:
        self.bench.save(path)
        self.recovery.drop()
        self._remember(path)
        self.bench.tell("ok", f"Saved {path}.")

    def _remember(self, path: Path) -> None:
        self.settings.last_show = str(path)
        settings.save(self.settings)

    # ------------------------------------------------------------ never losing work

    def _keep_later(self) -> None:
        """Self-saving, off the interface thread; a show is a value, so it can be written while work goes on."""
        if self._saver is not None or self.bench.history.unsaved == 0 or self._kept is self.bench.show:
            return
        show, path, levels = self.bench.show, self.bench.path, self._put_aside()

        def work(step: Step) -> Show:
            self.recovery.keep(show, path, levels)
            return show

        self._saver = Task(work, self)
        self._saver.done.connect(self._saved_by_itself)
        self._saver.failed.connect(lambda error: self.bench.tell("attention", f"Self-saving does not work: {error}"))
        self._saver.ended.connect(self._saver_ended)
        self._saver.start()

    def _saved_by_itself(self, show: Show) -> None:
        self._kept = show
        if self.bench.history.unsaved == 0:
            self.recovery.drop()

    def _saver_ended(self) -> None:
        self._saver = None
        if not self._closing:
            self._keep_marks()

    def _keep_now(self) -> Path | None:
        if self.bench.history.unsaved == 0:
            return None
        self.recovery.keep(self.bench.show, self.bench.path, self._put_aside())
        return self.recovery.file

    def _put_aside(self) -> Levels:
        """The levels a roll call, a look or a hunt will give back, so that a crash gives them back too."""
        holder = self.bench.call or self.bench.proof
        return tuple((*key, float(level)) for key, level in holder.before.items()) if holder else ()

    def _keep_marks(self) -> None:
        """During a call nobody marks twice: what is marked is kept at once."""
        if self.bench.call is not None:
            self._keep_later()

    def offer_recovered(self, found: list[Found]) -> None:
        """Work of a run that ended without saving: taken or refused."""
        for item in found:
            when = time.strftime("%d %B, %H:%M", time.localtime(item.when))
            count = len(item.show.units)
            words = (
                f"“{item.show.name}” with {count} units was not saved when Isthmus ended ({when})."
                f"{f' Its file is {item.original}.' if item.original else ' It had no file.'} Take it up again?"
            )
            answer = ask(self, "Unsaved work was found", words, [("take", "Take it up"), ("drop", "Throw it away")])
            if answer == "take":
                self.bench.adopt(item.show, item.original, saved=False)
                if item.levels:
                    self.bench.levels(lambda live, kept=item.levels: live.restore({(u, c, a): level for u, c, a, level in kept}))
                    self.bench.tell("note", "A roll call was under way. Its verdicts are here, and the levels are as they were before it.")
            if answer:
                item.file.unlink(missing_ok=True)
                item.file.with_suffix(".json").unlink(missing_ok=True)
            if answer == "take":
                return

    def closeEvent(self, event: QCloseEvent) -> None:
        if not self._closing and not self.may_leave():
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
        self._self_save.stop()
        self._warm_later.stop()
        self._look_later.stop()
        for task in (self._saver, self._warmer):
            if task is not None:
                task.wait()
        self.end_processes()
        self.recovery.drop()
        self.settings.window = (self.width(), self.height())
        settings.save(self.settings)
        self.crash.remove()
