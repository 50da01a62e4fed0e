"""The contract of pages: one line makes a page known everywhere, and every view hears when it is left."""

from __future__ import annotations

import pytest
from PySide6.QtCore import QEvent, QItemSelectionModel, QPoint, Qt
from PySide6.QtGui import QColor, QContextMenuEvent, QPainter
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QMenu, QPushButton

from helpers.hands import child, dialog, key, press, retype, settle, shortcut
from isthmus.app.kit.actions import Action
from isthmus.app.kit.first import FirstSteps
from isthmus.app.kit.help import controls
from isthmus.app.kit.widgets import Button, PageView
from isthmus.app.pages import PAGES
from isthmus.app.pages.base import Entry, Page
from isthmus.app.pages.patch.page import PatchPage
from isthmus.app.shell.finder import Hit, find
from isthmus.app.shell.window import Window
from isthmus.demo import lantern_tide
from isthmus.show import Show
from isthmus.snags import Snag

CTRL = Qt.KeyboardModifier.ControlModifier
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
    window.actions_.trigger("go.tides")  # there are no more than nine keys
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


def test_every_control_and_every_action_says_what_it_does(make_window, demo) -> None:
    window = make_window(demo, page="Patch")
    silent = [
        f"{title}: {type(c).__name__} {c.objectName()}"
        for title, page in window.pages.items()
        for c in controls(page)
        if not c.toolTip()
    ]
    assert not silent
    assert not [a.id for a in window.actions_.all() if not a.help]
    for action in window.actions_.all():  # menus show it, with the key
        shown = window.actions_.menu([action.id], window).actions()[0].toolTip()
        assert action.help[:20] in shown and (not action.key or action.key in shown)


def test_a_page_made_when_units_are_selected_leaves_them_selected(make_window, demo) -> None:
    window = make_window(demo)
    window.bench.selection.select(["u102", "u208"])
    for entry in PAGES:
        window.go(entry.title)
        settle()
        assert window.bench.selection.ids == ["u102", "u208"], entry.title
        assert window.bench.show is demo, entry.title


def test_every_button_of_a_page_is_found_and_from_elsewhere_leads_to_itself(
    make_window, demo
) -> None:
    window = make_window(demo)
    window.complete()
    for title, page in window.pages.items():
        assert not [b.objectName() for b in page.findChildren(Button) if b.run and not b.action]
        assert page.title == title

    def search(words: str) -> list[Hit]:
        return find(words, window.bench, window.actions_, window.spine.titles, window.go)

    (made,) = [b for b in window.findChildren(Button) if b.text() == "Make a group"]
    (hit,) = search("make a group")
    before = window.bench.show
    hit.run()  # it may change the show: from another page it is only led to
    assert window.bench.show is before and window.page(PatchPage).view == "Groups"
    assert made.hasFocus() and made.isVisible()
    (off,) = [b for b in window.findChildren(Button) if b.text() == "Undo settings"]
    assert not off.isEnabled() and not search("undo settings")  # an action is as its button


def test_keys_of_spreadsheets_win_and_letters_act_on_their_pages_only(make_window, demo) -> None:
    window = make_window(demo, page="Patch")
    bench, table = window.bench, window.pages["Patch"].units.table
    window.go("Readiness")
    shortcut(window, Qt.Key.Key_R, Qt.KeyboardModifier.NoModifier)
    assert not bench.plan.rearranging
    window.go("Plan")
    shortcut(window, Qt.Key.Key_R, Qt.KeyboardModifier.NoModifier)
    assert bench.plan.rearranging
    shortcut(window, Qt.Key.Key_R, Qt.KeyboardModifier.NoModifier)
    shortcut(window, Qt.Key.Key_A, CTRL)
    assert len(bench.selection.ids) == len(demo.units)
    key(window.pages["Plan"].canvas, Qt.Key.Key_Escape)
    assert not bench.selection.ids
    window.go("Patch")
    column = window.pages["Patch"].units.model.columns.index("hangs_on")
    table.setCurrentIndex(table.model().index(0, column))
    for row in range(3):
        table.selectionModel().select(
            table.model().index(row, column), QItemSelectionModel.SelectionFlag.Select
        )
    shortcut(window, Qt.Key.Key_D, CTRL)
    assert len({u.hangs_on for u in bench.show.units if u.number in (101, 102, 103)}) == 1


def test_an_empty_show_says_what_to_do_first_on_every_page(make_window) -> None:
    window = make_window(Show())
    for title in ("Readiness", "Patch", "Routes", "Plan", "Stage"):
        window.go(title)
        steps = child(window.pages[title], "first steps")
        inside = steps.parentWidget().rect()
        assert inside.contains(steps.geometry()), title
        assert [b.text() for b in steps.findChildren(QPushButton)], title
    window.go("Readiness")
    press(window.pages["Readiness"], "Add units…")
    asked = dialog("add units")
    asked.reject()
    window.bench.adopt(lantern_tide(), None)
    for title in ("Readiness", "Patch", "Routes", "Plan", "Stage"):
        window.go(title)
        assert not [w for w in window.pages[title].findChildren(FirstSteps) if w.isVisible()]


def test_the_right_button_offers_on_every_page_what_can_be_done_there(make_window, demo) -> None:
    window = make_window(demo, page="Plan")
    window.bench.selection.select(["u101"])
    for title, surface in (
        ("Plan", lambda p: p.canvas),
        ("Stage", lambda p: p.view),
        ("Routes", lambda p: p),
        ("Profiles", lambda p: p),
        ("Roll call", lambda p: p),
        ("Patch", lambda p: p),
    ):
        window.go(title)
        over = surface(window.pages[title])
        at = QPoint(over.width() // 2, over.height() // 2)
        QTest.mouseClick(over, Qt.MouseButton.RightButton, pos=at)
        if title not in ("Plan", "Stage"):
            asked = QContextMenuEvent(QContextMenuEvent.Reason.Mouse, at, over.mapToGlobal(at))
            QApplication.sendEvent(over, asked)
        menus = [w for w in QApplication.topLevelWidgets() if isinstance(w, QMenu)]
        shown = [m for m in menus if m.isVisible()]
        assert shown and len([a for a in shown[0].actions() if a.text()]) > 5, title
        shown[0].close()
        QApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete)


def test_figures_typed_with_a_sign_change_each_unit_from_its_own(make_window, demo) -> None:
    window = make_window(demo, page="Plan")
    bench, fields = window.bench, window.inspector.fields
    before = {u: bench.show.unit(u).position for u in ("u201", "u202")}
    bench.selection.select(list(before))

    def typed(name: str, text: str) -> list[float]:
        retype(fields[name], text)
        QTest.keyClick(fields[name], Qt.Key.Key_Return)
        return [bench.show.unit(u).position[0] for u in before]

    was = [p[0] for p in before.values()]
    assert typed("Across x", "+0.3") == pytest.approx([x + 0.3 for x in was])
    assert typed("Across x", "-0.5") == pytest.approx([x - 0.2 for x in was])
    assert typed("Across x", "=-1.5") == pytest.approx([-1.5, -1.5])
    bench.selection.select(["u201"])
    assert typed("Across x", "-2")[0] == pytest.approx(-2.0)  # one unit: the figure itself


def test_a_narrow_window_has_the_inspector_over_the_page(make_window, demo) -> None:
    window = make_window(demo, page="Plan")
    window.resize(1024, 700)
    settle(0.1)
    window.bench.selection.select(["u101"])
    assert not window.inspector.isVisible() and window.bar.inspect.isVisible()
    press(window.bar, "Inspector")
    field = window.inspector.fields["Turn"]
    window.inspector.area.ensureWidgetVisible(field)
    assert field.isVisible() and window.rect().contains(window.inspector.geometry())
    window.resize(1280, 800)
    settle(0.1)
    assert window.inspector.isVisible() and not window.bar.inspect.isVisible()
    assert window.inspector.mapTo(window, QPoint(0, 0)).x() >= (
        window.stack.mapTo(window, window.stack.rect().topRight()).x()
    )


def test_a_structure_is_selected_and_hung_on_from_the_finder(make_window, demo: Show) -> None:
    window = make_window(demo, page="Patch")
    bench = window.bench
    bridge = next(s for s in demo.structures if s.name == "Mast bridge")
    bench.selection.select(["u431", "u432"])
    (hang, held) = (
        h
        for h in find("mast bridge", bench, window.actions_, [], window.go)
        if h.kind == "structure"
    )
    assert hang.words == "Hang 2 selected units on Mast bridge"
    hang.run()
    assert {bench.show.unit(u).structure for u in ("u431", "u432")} == {bridge.id}
    assert bench.history.undo_name == "hang 2 units on Mast bridge"
    held.run()
    assert bench.selection.structure == bridge.id and window.spine.current == "Plan"
