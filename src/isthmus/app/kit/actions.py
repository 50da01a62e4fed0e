"""One list of everything a person can do. Menus, context menus, shortcuts, the finder and the
shortcut page come from it.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass, field, replace

from PySide6.QtCore import QObject, Qt
from PySide6.QtGui import QAction, QKeySequence
from PySide6.QtWidgets import QMenu, QWidget

from isthmus.app.kit.help_actions import help_for
from isthmus.app.kit.theme import SIZE
from isthmus.app.kit.widgets import Button, bind, button, plain_tip


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
    button: Button | None = field(default=None, compare=False)  # whose it is, when it has one


class Registry(QObject):
    """All actions of the window. A doubled id or shortcut is a defect and raises."""

    def __init__(self, window: QWidget, guard: Callable[[Callable[[], object]], object]) -> None:
        super().__init__(window)
        self._window = window
        self._guard = guard
        self._actions: dict[str, Action] = {}
        self._qt: dict[str, QAction] = {}
        self._waiting: dict[str, list[Button]] = {}  # buttons made before their actions
        self._conditions: dict[str, Callable[[], bool]] = {"": lambda: True}
        self._places: dict[str, str] = {}  # of buttons: page and view
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

    def adopt(
        self,
        buttons: Iterable[Button],
        group: str,
        view_of: Callable[[Button], str] = lambda made: "",
        come: Callable[[str], object] | None = None,
    ) -> None:
        """Give buttons actions, so that they can be found: from elsewhere an action leads to its
        button (`come` shows the view it is on), at the button it is pressed. Without `come` it is
        there only while the button is seen.
        """
        wanting = [made for made in buttons if made.run is not None and not made.action]
        self.add(*(self._of(made, group, view_of(made), come) for made in wanting))

    def _of(
        self, made: Button, group: str, view: str, come: Callable[[str], object] | None
    ) -> Action:
        name, run = f"{group} {view} {made.objectName()}".lower(), made.run
        assert run is not None
        taken = self._places.keys() | self._actions.keys()
        names = (name, *(f"{name} {n}" for n in range(2, 99)))
        action_id = made.action = next(i for i in names if i not in taken)

        def press() -> None:
            if come is None or made.isVisible():
                run()
            else:
                come(view)
                made.setFocus(Qt.FocusReason.ShortcutFocusReason)

        made.run = lambda: self.trigger(action_id)
        self._places[action_id] = f"{group}, {view}" if view else group
        self._conditions[action_id] = (
            made.isVisible if come is None else lambda: not _put_away(made)
        )
        text, tip = made.text() or made.accessibleName(), made.toolTip()
        return Action(action_id, text, press, "", action_id, tip, group, button=made)

    def enabled(self, action: Action) -> bool:
        here = not action.pages or self.page() in action.pages
        if action.button is not None:
            here = here and action.button.isEnabled()
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
    ) -> Button:
        """A button for an action, which may be added later: with its help and key, and enabled as
        it is. `words` are shorter ones than its own.
        """
        made = button(words, kind, lambda: self.trigger(action_id), height, name or words)
        made.action = action_id
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
        """The words of an action; of a button those it has now, and where it is."""
        made = self._actions[action_id].button
        if made is None:
            return self._qt[action_id].text()
        words = made.text().split("  ")[0] or made.accessibleName()  # without its key
        return f"{words}: {self._places[action_id]}"

    def __contains__(self, action_id: str) -> bool:
        return action_id in self._actions

    def menu(self, ids: Iterable[str], parent: QWidget) -> QMenu:
        """A menu of actions; an empty id is a line between."""
        made = QMenu(parent)
        made.setToolTipsVisible(True)
        ids = tuple(ids)
        if any(action_id and action_id not in self._actions for action_id in ids):
            self.complete()
        for action_id in ids:
            if action_id:
                made.addAction(self._qt[action_id])
            else:
                made.addSeparator()
        return made


def _put_away(made: QWidget) -> bool:
    """Whether a button is hidden on purpose, not only because its view is."""
    return made.testAttribute(Qt.WidgetAttribute.WA_WState_ExplicitShowHide) and made.testAttribute(
        Qt.WidgetAttribute.WA_WState_Hidden
    )
