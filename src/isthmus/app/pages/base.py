"""The contract of a page, and the entry by which the house knows of it before it is made."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from importlib import import_module

from PySide6.QtCore import QPoint
from PySide6.QtGui import QColor, QContextMenuEvent, QPainter
from PySide6.QtWidgets import QPushButton, QStackedWidget, QVBoxLayout

from isthmus.app.kit.actions import Action
from isthmus.app.kit.theme import SIZE
from isthmus.app.kit.widgets import Button, Head, PageView, Panel, button
from isthmus.app.model.house import House
from isthmus.show import Show
from isthmus.snags import Snag


@dataclass(frozen=True)
class Entry:
    """A page in the list. Spine, window, finder, keys and pictures are made from these."""

    title: str
    place: str  # "module:Class", read when the page is first wanted
    glyph: Callable[[QPainter, QColor], None]
    step: str = ""  # the step of the crossing its ring shows; "" the whole crossing
    inspector: bool = True
    hand: bool = True  # hand controls below it
    lights: bool = True  # the filled button is that of the hand controls
    told: Callable[[Show], str] | None = None  # in place of how far a step is
    course: bool = True  # a step of the work; else it stands beyond the last

    def make(self, house: House) -> Page:
        module, name = self.place.split(":")
        made: Page = getattr(import_module(module), name)(house)
        assert made.title == self.title
        return made


class Page(Panel):
    """One page: a title line, and below it one view or several, of which one is shown.

    A page is made where it will be: a whole page put there afterwards has every widget's font and
    style worked out again, a fifth of its cost.
    """

    title = ""
    unlit: frozenset[str] = frozenset()  # views on which no unit is lit by hand
    context: Sequence[str] = ()  # ids of the actions in its context menu, "" is a line

    def __init__(self, house: House) -> None:
        super().__init__("deep", house.within)
        if house.within is not None:
            self.hide()
        self.house, self.bench, self.acts = house, house.bench, house.actions
        self.views: dict[str, PageView] = {}
        self.view = ""
        self.switches: list[QPushButton] = []
        self.stack = QStackedWidget()
        self.column = QVBoxLayout(self)
        pad = SIZE["page_pad"]
        self.column.setContentsMargins(pad, 0, pad, 8)
        self.column.setSpacing(0)
        self.head = Head(self.title)
        self.column.addWidget(self.head)

    # ------------------------------------------------------------ views

    def add_switches(self, names: Sequence[str]) -> None:
        """A button in the head for each view; Alt and its number shows it too."""
        for number, name in enumerate(names, 1):
            made = button(
                name,
                run=lambda n=name: self.show_view(n),
                name=f"view {name}",
                tip=f"{self.title}: {name} (Alt+{number})",
            )
            made.setCheckable(True)
            made.action = f"{self.title.lower()}.view.{name}"
            self.switches.append(made)
            self.head.add(made)

    def take_views(self, views: Mapping[str, PageView]) -> None:
        """The first one is shown."""
        self.views = dict(views)
        for view in self.views.values():
            self.stack.addWidget(view)
        if self.column.indexOf(self.stack) < 0:
            self.column.addWidget(self.stack, 1)
        self.view = next(iter(self.views))
        self.show_view(self.view)

    @property
    def view_names(self) -> tuple[str, ...]:
        return tuple(self.views)

    def show_view(self, name: str) -> None:
        """The one way to another view: the one before hears that it was left."""
        if name != self.view:
            self.views[self.view].left()
        self.view = name
        self.mark_switch(name)
        self.stack.setCurrentWidget(self.views[name])
        if self.isVisible():  # while the page is made the keys belong to another
            self.views[name].entered()
            self.house.view_shown()

    def mark_switch(self, name: str) -> None:
        for switch, words in zip(self.switches, self.view_names, strict=True):
            switch.setChecked(words == name)

    def here(self, view: str) -> None:
        """Come to this page, with one of its views."""
        self.house.go(self.title)
        self.show_view(view)

    # ------------------------------------------------------------ what the house calls

    def actions(self) -> list[Action]:
        """What can be done here; asked for once, when the page has been made."""
        return []

    def adopt_buttons(self) -> None:
        """Every button that was made without an action gets one of its own."""

        def view_of(made: Button) -> str:
            return next((n for n, view in self.views.items() if view.isAncestorOf(made)), "")

        def come(view: str) -> None:
            self.house.go(self.title)
            if view:
                self.show_view(view)

        self.acts.adopt(self.findChildren(Button), self.title, view_of, come)

    def view_actions(self) -> list[Action]:
        return [
            Action(
                f"{self.title.lower()}.view.{name}",
                f"{self.title}: {name}",
                lambda n=name: self.here(n),
                group=self.title,
            )
            for name in self.views
        ]

    def entered(self) -> None:
        """The page has come into view."""
        if self.view:
            self.views[self.view].entered()

    def left(self) -> None:
        """The page has gone out of view."""
        if self.view:
            self.views[self.view].left()

    def visit(self, snag: Snag) -> None:
        """Show what a snag of this page is about; its units are selected already."""

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        self.show_context(event.globalPos())

    def show_context(self, at: QPoint) -> None:
        """The context menu of this page at a point of the screen."""
        if self.context:
            self.acts.menu(self.context, self).popup(at)

    def shut_down(self) -> None:
        """End what was started; nothing is shown any more."""
