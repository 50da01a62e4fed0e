"""One list of everything a person can do. Menus, context menus, shortcuts, the palette and the
shortcut page come from it.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass, field

from PySide6.QtCore import QObject
from PySide6.QtGui import QAction, QKeySequence
from PySide6.QtWidgets import QMenu, QWidget


@dataclass(frozen=True)
class Action:
    """`when` names a condition of the registry; a key of a single letter never takes it from a text
    field.
    """

    id: str
    text: str
    run: Callable[[], object] = field(compare=False)
    key: str = ""
    when: str = ""
    help: str = ""
    group: str = "Show"


class Registry(QObject):
    """All actions of the window. A doubled id or shortcut is a defect and raises."""

    def __init__(self, window: QWidget, guard: Callable[[Callable[[], object]], object]) -> None:
        super().__init__(window)
        self._window = window
        self._guard = guard
        self._actions: dict[str, Action] = {}
        self._qt: dict[str, QAction] = {}
        self._conditions: dict[str, Callable[[], bool]] = {"": lambda: True}

    def condition(self, name: str, test: Callable[[], bool]) -> None:
        self._conditions[name] = test

    def add(self, *actions: Action) -> None:
        for action in actions:
            if action.id in self._actions:
                raise ValueError(f"two actions are called {action.id}")
            if action.key and any(a.key == action.key for a in self._actions.values()):
                raise ValueError(f"two actions have the key {action.key}")
            made = QAction(action.text, self._window)
            if action.key:
                made.setShortcut(QKeySequence(action.key))
            made.setToolTip(action.help or action.text)
            made.triggered.connect(lambda _=False, a=action: self.trigger(a.id))
            self._window.addAction(made)
            self._actions[action.id], self._qt[action.id] = action, made
        self.refresh()

    def trigger(self, action_id: str) -> None:
        action = self._actions[action_id]
        if self.enabled(action):
            self._guard(action.run)

    def enabled(self, action: Action) -> bool:
        return self._conditions[action.when]()

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
        for action_id in ids:
            if action_id:
                made.addAction(self._qt[action_id])
            else:
                made.addSeparator()
        return made
