"""What every page is given: the show being worked on, the actions, the links, and how to
get about.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from PySide6.QtWidgets import QWidget

from isthmus.app.kit.actions import Registry
from isthmus.app.kit.settings import Settings
from isthmus.app.model.focus import Focus
from isthmus.app.model.net_link import NetLink
from isthmus.app.model.rig_link import RigLink
from isthmus.app.model.sides import Sides
from isthmus.app.model.workbench import Workbench


@dataclass(frozen=True)
class House:
    """A page knows this and nothing of the window's insides. `over` is only what its dialogs open
    over.
    """

    bench: Workbench
    focus: Focus
    actions: Registry
    net: NetLink
    rig: RigLink | None
    settings: Settings
    sides: Sides
    over: QWidget
    go: Callable[..., None]  # to a page by its title, and with a snag to what the snag is about
    current: Callable[[], str]  # title of the page shown
    view_shown: Callable[[], None]  # another view of that page is shown
    within: QWidget | None = None  # where pages are made
