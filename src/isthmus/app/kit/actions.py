"""One list of everything a person can do. Menus, context menus, shortcuts, the palette and the
shortcut page come from it.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass, field, replace

from PySide6.QtCore import QObject
from PySide6.QtGui import QAction, QKeySequence
from PySide6.QtWidgets import QMenu, QPushButton, QWidget

from isthmus.app.kit.help_actions import help_for
from isthmus.app.kit.theme import SIZE
from isthmus.app.kit.widgets import bind, button, plain_tip


@dataclass(frozen=True)
class Action:
    """`when` names a condition of the registry; a key of a single letter never takes it from a text
    field. `help` is a sentence; `pages` are the only ones its key acts on, by title.
    """

    id: str
    text: str
    run: Callable[[], object] = field(compare=False)
    key: str = ""
    when: str = ""
    help: str = ""
    group: str = "Show"
    pages: tuple[str, ...] = ()


class Registry(QObject):
    """All actions of the window. A doubled id or shortcut is a defect and raises."""

    def __init__(self, window: QWidget, guard: Callable[[Callable[[], object]], object]) -> None:
        super().__init__(window)
        self._window = window
        self._guard = guard
        self._actions: dict[str, Action] = {}
        self._qt: dict[str, QAction] = {}
        self._waiting: dict[str, list[QPushButton]] = {}  # buttons made before their actions
        self._conditions: dict[str, Callable[[], bool]] = {"": lambda: True}
        self.page: Callable[[], str] = lambda: ""  # title of the page shown
        self.complete: Callable[[], None] = lambda: None  # makes the pages that are not there yet

    def condition(self, name: str, test: Callable[[], bool]) -> None:
        self._conditions[name] = test

    def add(self, *actions: Action) -> None:
        for given in actions:
            action = given if given.help else replace(given, help=help_for(given.id, given.text))
            if action.id in self._actions:
                raise ValueError(f"two actions are called {action.id}")
            if action.key and any(a.key == action.key for a in self._actions.values()):
                raise ValueError(f"two actions have the key {action.key}")
            made = QAction(action.text, self._window)
            if action.key:
                made.setShortcut(QKeySequence(action.key))
            made.setToolTip(plain_tip(self.tip(action)))
            made.setStatusTip(action.help)
            made.triggered.connect(lambda _=False, a=action: self.trigger(a.id))
            self._window.addAction(made)
            self._actions[action.id], self._qt[action.id] = action, made
            self._dress(action.id)
        self.refresh()

    def trigger(self, action_id: str) -> None:
        if action_id not in self._actions:
            self.complete()  # an action of a page that has not been made yet
        action = self._actions[action_id]
        if self.enabled(action):
            self._guard(action.run)

    def enabled(self, action: Action) -> bool:
        here = not action.pages or self.page() in action.pages
        return here and self._conditions[action.when]()

    @staticmethod
    def tip(action: Action) -> str:
        """What a button or menu entry of an action says when the pointer rests on it."""
        words = action.help or action.text.rstrip("…")
        return f"{words} ({action.key})" if action.key else words

    def button(
        self,
        action_id: str,
        words: str = "",
        kind: str = "plain",
        height: int = SIZE["control"],
        name: str = "",
    ) -> QPushButton:
        """A button for an action, which may be added later: with its help and key, and enabled as
        it is. `words` are shorter ones than its own.
        """
        made = button(words, kind, lambda: self.trigger(action_id), height, name or words)
        self._waiting.setdefault(action_id, []).append(made)
        if action_id in self._actions:
            self._dress(action_id)
        return made

    def _dress(self, action_id: str) -> None:
        action, made_of = self._actions[action_id], self._qt[action_id]
        for made in self._waiting.pop(action_id, ()):
            if not made.text():
                made.setText(action.text)
                made.setAccessibleName(action.text)
                made.setObjectName(made.objectName() or action.text)
            made.setToolTip(plain_tip(self.tip(action)))
            made.setEnabled(made_of.isEnabled())
            bind(made_of.enabledChanged, made, lambda b=made: b.setEnabled(made_of.isEnabled()))

    def refresh(self) -> None:
        """Conditions have changed."""
        for action_id, action in self._actions.items():
            if action.when in self._conditions:
                self._qt[action_id].setEnabled(self.enabled(action))

    def all(self) -> list[Action]:
        return list(self._actions.values())

    def text(self, action_id: str) -> str:
        return self._qt[action_id].text()

    def menu(self, ids: Iterable[str], parent: QWidget) -> QMenu:
        """A menu of actions; an empty id is a line between."""
        made = QMenu(parent)
        made.setToolTipsVisible(True)
        for action_id in ids:
            if action_id:
                made.addAction(self._qt[action_id])
            else:
                made.addSeparator()
        return made
