"""A show made from nothing in the window; and the parts of the window the walk does not touch."""

from __future__ import annotations

from pathlib import Path

import pytest
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QContextMenuEvent, QGuiApplication
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QMenu

from helpers.hands import (
    activate,
    answer_file_dialog,
    answer_question,
    child,
    choose,
    click,
    dialog,
    drag,
    key,
    press,
    retype,
    settle,
    shortcut,
    until,
)
from helpers.tools import lit
from isthmus.app.kit.theme import theme
from isthmus.app.pages.readiness.page import way
from isthmus.app.shell.hand_parts import hue_rgb
from isthmus.check import mark
from isthmus.demo import EXTRA_LIST, HERE
from isthmus.errors import EntryFault
from isthmus.patch import edits
from isthmus.show import Show, open_show
from isthmus.standin import RigClient

CTRL, SHIFT, NONE = (
    Qt.KeyboardModifier.ControlModifier,
    Qt.KeyboardModifier.ShiftModifier,
    Qt.KeyboardModifier.NoModifier,
)


def test_a_show_from_nothing_reaches_a_real_unit(
    make_window, rig: RigClient, tmp_path: Path
) -> None:
    """Empty show, a profile from a file, one unit at the address the rig has, a node, a route, light."""
    window = make_window(None, rig.address)
    bench = window.bench
    assert (
        bench.show == Show()
        and not bench.known.snags
        and window.readiness.head.parts[:3] == ["0", "of", "0"]
    )
    answer_file_dialog(str(tmp_path / "mine.isthmus"))
    shortcut(window, Qt.Key.Key_S)  # named and saved before the first unit
    assert (
        until(lambda: bench.path == tmp_path / "mine.isthmus")
        and "mine.isthmus" in window.windowTitle()
    )
    window.go("Patch")
    shortcut(window, Qt.Key.Key_A, CTRL | SHIFT)
    wish = dialog("add units")
    answer_file_dialog(str(HERE / "profiles" / "Brackwater@Groyne 24.gdtf"))
    press(wish, "A profile from a GDTF file…")
    assert until(lambda: "Groyne 24" in wish.profile.currentText())
    answer_file_dialog(str(HERE / "lantern-tide-hang-list.csv"))
    press(wish, "A profile from a GDTF file…")
    assert until(lambda: "not a whole GDTF" in wish.trouble.text())
    retype(child(wish, "first number"), "401")
    retype(child(wish, "address"), "1.301")
    retype(child(wish, "count"), "2")
    retype(wish.spacing.lineEdit(), "0x")
    assert "is not a spacing" in wish.trouble.text() and not wish.primary.isEnabled()
    retype(wish.spacing.lineEdit(), "2")
    press(wish, "Add units")
    assert until(lambda: [u.patch[0].address for u in bench.show.units] == [301, 303])
    window.go("Routes")
    press(window, "Add a node…")
    entry = dialog()
    retype(child(entry, "Name"), "Ferry B")
    retype(child(entry, "Address"), "127.0.0.3")
    retype(child(entry, "Port-addresses"), "0.1.0; 17")
    press(entry, "Add it")
    assert until(lambda: bench.show.nodes and bench.show.nodes[0].ports == (16, 17))
    shortcut(window, Qt.Key.Key_R, CTRL | SHIFT)
    assert [(o.universe, o.host, o.port_address) for o in bench.show.outputs] == [
        (1, "127.0.0.3", 16)
    ]
    window.go("Plan")
    assert not window.pages["Plan"].unplaced.isVisible()  # they stand there since they were added
    assert all(u.position for u in bench.show.units) and "no place" not in " ".join(
        s.text for s in bench.known.snags
    )
    bench.selection.select([bench.show.units[0].id])
    shortcut(window, Qt.Key.Key_U)
    shortcut(window, Qt.Key.Key_Return)
    assert until(lambda: lit(rig) == {"401": 1.0})
    assert bench.history.unsaved == 3
    shortcut(window, Qt.Key.Key_S)
    assert open_show(tmp_path / "mine.isthmus") == bench.show and bench.history.unsaved == 0


def test_a_copy_goes_elsewhere_and_work_goes_on_where_it_was(
    make_window, demo: Show, tmp_path: Path
) -> None:
    window = make_window(demo)
    bench = window.bench
    bench.save(tmp_path / "a.isthmus")
    bench.commit("rename", edits.set_text(demo, ["u101"], "name", "Other"))
    answer_file_dialog(str(tmp_path / "copy"))
    window.actions_.trigger("show.copy")
    assert (
        until(lambda: (tmp_path / "copy.isthmus").exists())
        and bench.path == tmp_path / "a.isthmus"
        and bench.history.unsaved == 1
    )
    assert (
        open_show(tmp_path / "copy.isthmus").unit("u101").name == "Other"
        and open_show(tmp_path / "a.isthmus") == demo
    )
    heard = answer_question("Do not save")
    shortcut(window, Qt.Key.Key_N)
    assert heard == ["Save first?"] and bench.show == Show() and bench.path is None
    window.open_path(tmp_path / "a.isthmus")
    assert bench.show == demo and window.settings.last_show.endswith("a.isthmus")


def test_the_show_menu_and_the_context_menu_hold_the_same_acts_as_the_keys(
    make_window, demo: Show
) -> None:
    window = make_window(demo, page="Patch")
    click(window.bar.menu_)
    menu = next(w for w in QApplication.topLevelWidgets() if isinstance(w, QMenu) and w.isVisible())
    words = [a.text() for a in menu.actions() if a.text()]
    assert words[:3] == ["New show", "Open…", "Open the demo show"] and "Undo" in words
    menu.close()
    window.bench.selection.select(["u501"])
    at = QPoint(200, 200)
    QApplication.sendEvent(
        window.pages["Patch"],
        QContextMenuEvent(
            QContextMenuEvent.Reason.Mouse, at, window.pages["Patch"].mapToGlobal(at)
        ),
    )
    menu = next(w for w in QApplication.topLevelWidgets() if isinstance(w, QMenu) and w.isVisible())
    remove = next(a for a in menu.actions() if a.text() == "Remove units")
    QTest.mouseClick(menu, Qt.MouseButton.LeftButton, NONE, menu.actionGeometry(remove).center())
    assert (
        window.bench.show.unit("u501") is None and window.bench.history.undo_name == "remove 1 unit"
    )
    menu.close()


def test_the_spine_is_walked_by_keys_and_says_how_far_things_are(make_window, demo: Show) -> None:
    window = make_window(demo)
    activate(window)
    window.spine.setFocus()
    for name in (*window.spine.titles[1:], "Readiness"):
        window.spine.setFocus()
        key(window.spine, Qt.Key.Key_Down)
        assert window.spine.current == name and window.stack.currentWidget() is window.pages[name]
    assert (
        window.spine.fraction("Patch") == pytest.approx(63 / 66)
        and window.spine.fraction("Roll call") == 0
    )
    window.resize(1024, 700)
    settle()
    assert not window.inspector.isVisible()  # its room goes to the page
    low = list(window.spine.places().values())
    assert (
        all(b.top() >= a.bottom() - 0.5 for a, b in zip(low, low[1:], strict=False))
        and low[-1].bottom() < window.spine.height()
    )


def test_snags_take_their_units_in_hand_and_a_double_click_goes_to_their_page(
    make_window, demo: Show
) -> None:
    window = make_window(demo)
    listed = window.readiness.list
    row = next(i for i, s in enumerate(listed.snags.snags) if s.rule == "no-route")
    at = listed.visualRect(listed.snags.index(row)).center() - QPoint(200, 0)
    click(listed.viewport(), QPointF(at))
    assert len(window.bench.selection.ids) == 11 and window.spine.current == "Readiness"
    QTest.mouseDClick(listed.viewport(), Qt.MouseButton.LeftButton, NONE, at)
    settle()
    assert window.spine.current == "Routes"
    snag = listed.snags.snags[row]
    assert way(snag) == "Send it to Ferry B, port 2"
    shortcut(window, Qt.Key.Key_Z)  # nothing to undo: no harm
    assert window.bench.show is demo


def test_a_call_of_the_units_in_hand_jumps_marks_and_says_when_nothing_is_sent(
    make_window, demo: Show
) -> None:
    window = make_window(demo, page="Roll call")
    bench, page = window.bench, window.pages["Roll call"].call
    bench.selection.select(["u204", "u202", "u502", "u205"])
    shortcut(window, Qt.Key.Key_C, CTRL | SHIFT)
    assert bench.session.call and bench.session.call.order == ("u202", "u204", "u205")
    assert "Output is off" in page.see.text()
    shortcut(window, Qt.Key.Key_Return)
    assert "one unit lit" in page.see.text()
    row = next(i for i, r in enumerate(page.model.rows) if r.unit.id == "u205")
    page.table.scrollTo(page.model.index(row, 1))
    at = page.table.visualRect(page.model.index(row, 1)).center()
    click(page.table.viewport(), QPointF(at))
    QTest.mouseDClick(page.table.viewport(), Qt.MouseButton.LeftButton, NONE, at)
    assert bench.session.call.unit == "u205" and bench.selection.ids == ["u205"]
    shortcut(window, Qt.Key.Key_A, NONE)
    assert (
        "That was the last one called" in window.notice.words
        and "2 units called have no verdict" in window.notice.words
    )
    assert page.tally.text().startswith("1 works, 0 wrong, 0 silent, 2 still to call")
    bench.commit("move", edits.set_address(bench.show, ["u205"], (2, 400)))
    page.refresh()
    assert [r.unit.id for r in page.model.rows][:3] == [
        "u202",
        "u204",
        "u205",
    ] and page.progress.parts[0] == 0  # out of date
    answer_question("Do not save")
    window.close()
    assert bench.session.call is None and not window.isVisible()


def test_a_box_with_ctrl_adds_and_the_sheet_moves_with_the_right_button(
    make_window, demo: Show
) -> None:
    window = make_window(demo, page="Plan")
    canvas, bench = window.pages["Plan"].canvas, window.bench
    bench.selection.select(["u101"])
    spots = [u.position for u in demo.units if u.position and u.number in (441, 442)]
    drag(
        canvas,
        canvas.to_px(min(x for x, _, _ in spots) - 0.3, -4.0),
        canvas.to_px(max(x for x, _, _ in spots) + 0.3, -4.6),
        CTRL,
    )
    assert bench.selection.ids[0] == "u101" and {"u441", "u442"} <= set(bench.selection.ids)
    centre = canvas.port.centre
    QTest.mousePress(canvas, Qt.MouseButton.RightButton, NONE, QPoint(300, 200))
    QTest.mouseMove(canvas, QPoint(340, 240))
    QTest.mouseRelease(canvas, Qt.MouseButton.RightButton, NONE, QPoint(340, 240))
    settle()
    assert bench.selection.ids[0] == "u101" and canvas.port.centre != centre
    canvas.sight.fit(["u441", "u442"])
    assert canvas.to_metres(QPointF(canvas.width() / 2, canvas.height() / 2))[0] == pytest.approx(
        sum(x for x, _, _ in spots) / 2
    )
    key(canvas, Qt.Key.Key_Escape)
    assert bench.selection.ids == []


def test_what_is_told_stays_until_it_is_put_away_and_a_note_never_covers_a_fault(
    make_window, demo: Show
) -> None:
    window = make_window(demo)
    window.bench.tell("fault", "A long story. " * 30)
    assert window.notice.isVisible() and window.notice.height() > 30  # wrapped, not cut
    window.bench.tell("note", "by the way")
    assert window.notice.words.startswith("A long story")
    activate(window)
    key(window, Qt.Key.Key_Escape)
    assert not window.notice.isVisible()
    window.bench.tell("note", "by the way")
    click(window.notice)
    assert not window.notice.isVisible()


def test_every_table_copies_as_a_spreadsheet_does(make_window, demo: Show) -> None:
    window = make_window(mark(demo, "u101", "works", "bright"), page="Routes")
    activate(window)
    window.pages["Routes"].routes.table.setFocus()
    key(window.pages["Routes"].routes.table, Qt.Key.Key_C, CTRL)
    rows = [line.split("\t") for line in QGuiApplication.clipboard().text().splitlines()]
    assert rows[0][:7] == [
        "Universe",
        "Units",
        "To",
        "Protocol",
        "Delivery",
        "Host",
        "Number",
    ] and [r[:7] for r in rows[1:3]] == [
        ["1", "10", "Ferry A, port 1", "Art-Net", "unicast", "127.0.0.2", "0"],
        ["2", "14", "Ferry A, port 2", "Art-Net", "unicast", "127.0.0.2", "1"],
    ]
    window.pages["Routes"].routes.table.selectRow(1)
    key(window.pages["Routes"].routes.table, Qt.Key.Key_C, CTRL)
    assert [line.split("\t")[0] for line in QGuiApplication.clipboard().text().splitlines()] == [
        "Universe",
        "2",
    ]
    window.go("Roll call")
    key(window.pages["Roll call"].call.table, Qt.Key.Key_C, CTRL)
    rows = [line.split("\t") for line in QGuiApplication.clipboard().text().splitlines()]
    assert (
        len(rows) == 67
        and rows[1][:4] == ["", "101", "Mast high 1", "1.001"]
        and rows[1][4].startswith("works; bright")
        and rows[-1][4].startswith("left out: ")
    )
    window.go("Patch")
    window.pages["Patch"].open_list(EXTRA_LIST)
    listed = dialog("hang list")
    key(listed.table, Qt.Key.Key_C, CTRL)
    assert "Perhaps Turnstone 7?" in QGuiApplication.clipboard().text()
    listed.reject()


def test_night_and_day_change_in_place_and_are_kept(make_window, demo: Show) -> None:
    window = make_window(demo)
    try:
        before = window.grab().toImage().pixelColor(600, 60).lightness()
        shortcut(window, Qt.Key.Key_T, CTRL | SHIFT)
        settle()
        assert (
            window.grab().toImage().pixelColor(600, 60).lightness() > before + 120
            and window.settings.theme == "day"
        )
    finally:
        theme.set("night")


def test_the_haze_room_and_beam_sliders_reach_the_picture(make_window, demo: Show) -> None:
    window = make_window(demo, page="Stage")
    slider = window.pages["Stage"].sliders["haze"]
    slider.setFocus()
    key(slider, Qt.Key.Key_Home)
    drawing = window.pages["Stage"].choice
    assert drawing.now.haze == 0 and drawing.now.room == 1
    key(window.pages["Stage"].sliders["room"], Qt.Key.Key_End)
    assert drawing.now.room == 2


def test_adding_into_a_full_place_and_without_an_address_is_said_before_it_is_done(
    make_window, demo: Show
) -> None:
    window = make_window(demo, page="Patch")
    press(window, "Add units…")
    wish = dialog("add units")
    choose(child(wish, "profile"), "Marram")
    retype(child(wish, "address"), "")
    assert "without an address" in wish.outcome.text()
    retype(child(wish, "first number"), "101")
    assert "Unit 101 exists already" in wish.trouble.text()
    retype(child(wish, "first number"), "900")
    retype(child(wish, "address"), "1.511")
    retype(child(wish, "count"), "3")
    assert (
        "goes to universe 2" in wish.outcome.text()
        and "would both claim 2.001" in wish.outcome.text()
    )
    choose(child(wish, "profile"), "zzz")
    assert "Choose a profile" in wish.trouble.text()
    wish.reject()
    assert window.bench.show is demo
    assert hue_rgb(0.0, 1.0).tolist() == [1, 0, 0] and hue_rgb(0.3, 0.0).tolist() == [1, 1, 1]


def test_pictures_are_saved_from_the_demo_and_the_docs_have_each(
    make_window, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, capsys
) -> None:
    from isthmus.app.shell.main import make_application
    from isthmus.app.shell.shots import SCENES, take_shots

    monkeypatch.setenv("ISTHMUS_CONFIG", str(tmp_path / "c"))
    app = make_application(["shots"])
    some = ("readiness", "plan")
    assert take_shots(app, tmp_path / "shots", some) == 0
    assert {p.stem for p in (tmp_path / "shots").glob("*.png")} == set(some)
    with pytest.raises(EntryFault, match="no picture “plane”"):
        take_shots(app, tmp_path / "shots", ["plane"])
    names = {name for names, _ in SCENES for name in names} | {"phone"}
    kept = {p.stem for p in (HERE.parents[2] / "docs" / "screenshots").glob("*.png")}
    assert kept == names and len(names) < 20  # none is out of date


def test_the_neck_of_land_is_as_wide_at_each_gate_as_what_has_crossed_it(
    make_window, demo: Show
) -> None:
    from isthmus.app.pages.readiness.chart import HALF, HEIGHT, CrossingChart

    window = make_window(demo)
    drawn = window.readiness.findChild(CrossingChart)
    left, right, middle = 168.0, drawn.width() - 168.0, HEIGHT / 2 + 2
    xs = [left + 54 + i * (right - left - 108) / 4 for i in range(5)]
    half = [HALF * share for share in (1.0, 0.95, 0.8, 0.5, 0.1)]
    land = drawn._land(xs, half, left, right, middle)
    for x, h in zip(xs, half, strict=True):
        inside = [
            y
            for y in range(int(middle - HALF - 8), int(middle + HALF + 8))
            if land.contains(QPointF(x, y))
        ]
        assert len(inside) == pytest.approx(2 * h, abs=2.5)
    assert window.bench.known.crossing.done["address"] == 63 and drawn.accessibleName()


def test_a_span_on_the_ruler_is_where_its_slots_are(make_window, demo: Show) -> None:
    window = make_window(demo, page="Patch")
    ruler = window.pages["Patch"].units.ruler
    ruler.set_universe(3)
    for address, number in (
        (1, 221),
        (64, None),
        (65, 301),
        (128, 304),
        (129, 304),
        (193, 311),
        (301, 401),
        (512, None),
    ):
        row, column = divmod(address - 1, 128)
        span = ruler.span_at((column + 0.5) * ruler.width() / 128, 32 + row * 33 + 20)
        assert (span.number if span else None) == number, address
    assert ruler.known() == [1, 2, 3, 4]
    ruler.set_universe(77)
    assert ruler.universe == 1
