"""The contract of pages: one line makes a page known everywhere, and every view hears when it is left."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtGui import QColor, QPainter

from hands import shortcut
from isthmus.app.kit.actions import Action
from isthmus.app.kit.widgets import PageView
from isthmus.app.pages import PAGES
from isthmus.app.pages.base import Entry, Page
from isthmus.app.shell.palette import find
from isthmus.app.shell.window import Window
from isthmus.snags import Snag

heard: list[str] = []
drawn: list[QColor] = []


class Tides(PageView):
    def __init__(self, name: str) -> None:
        super().__init__()
        self.name = name

    def entered(self) -> None:
        heard.append(f"{self.name} entered")

    def left(self) -> None:
        heard.append(f"{self.name} left")


class TidesPage(Page):
    title = "Tides"

    def __init__(self, house) -> None:
        super().__init__(house)
        self.add_switches(("High", "Low"))
        self.take_views({"High": Tides("High"), "Low": Tides("Low")})

    def actions(self) -> list[Action]:
        return [
            Action("tides.turn", "Turn the tide", lambda: heard.append("turned"), group="Tides")
        ]

    def visit(self, snag: Snag) -> None:
        heard.append(f"visit {snag.text}")

    def shut_down(self) -> None:
        heard.append("shut down")


def glyph(p: QPainter, color: QColor) -> None:
    drawn.append(color)


def test_a_page_appears_everywhere_by_one_line_and_its_views_hear_of_coming_and_going(
    qtbot, demo
) -> None:
    from isthmus.app.shell.main import make_application

    make_application(["isthmus-test"])
    heard.clear()
    window = Window(demo, entries=(*PAGES, Entry("Tides", "test_pages:TidesPage", glyph, "place")))
    window.resize(1280, 800)
    window.show()
    qtbot.waitExposed(window)
    window.complete()
    assert "Tides" in window.spine.places() and window.spine.fraction(
        "Tides"
    ) == window.spine.fraction("Plan")
    window.spine.grab()
    assert drawn
    words = [
        hit.words
        for hit in find("tide", window.bench, window.actions_, window.spine.titles, window.go)
    ]
    assert (
        any("Tides" in w for w in words)
        and any("Turn the tide" in w for w in words)
        and any("Tides: Low" in w for w in words)
    )
    shortcut(
        window, Qt.Key.Key_8, Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.AltModifier
    )
    assert window.spine.current == "Tides" and heard == ["High entered"]
    shortcut(window, Qt.Key.Key_2, Qt.KeyboardModifier.AltModifier)
    assert heard[1:] == ["High left", "Low entered"]
    window.go("Patch")
    window.go("Tides", Snag("outside", "note", "how high it stands", "Tides"))
    assert heard[3:] == ["Low left", "Low entered", "visit how high it stands"]
    for page in [
        p
        for title, p in window.pages.items()
        if title in ("Patch", "Profiles", "Routes", "Roll call")
    ]:
        window.go(page.title)
        first, second = page.view_names[:2]
        page.show_view(first)
        heard.clear()
        page.views[first].left = lambda: heard.append("left")
        page.show_view(second)
        assert heard == ["left"], page.title
        del page.views[first].left
    window._closing = True
    window.close()
    assert heard[-1] == "shut down"
    window.deleteLater()
