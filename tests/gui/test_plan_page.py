"""The Plan page by hand: placed, arranged, hung, moved, aimed, printed; using and rearranging kept apart."""

from __future__ import annotations

import io
import math
from pathlib import Path

import numpy as np
import pytest
from msgspec.structs import replace
from PIL import Image
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication

from helpers.hands import (
    activate,
    answer_file_dialog,
    answer_text,
    child,
    choose,
    click,
    dialog,
    drag,
    key,
    keys,
    pick_in_menu,
    places,
    press,
    retype,
    settle,
    shortcut,
    until,
)
from helpers.tools import lit
from isthmus.app.canvas import drawing
from isthmus.app.kit.widgets import Choice
from isthmus.app.pages.stage.dialogs.fan import FanDialog
from isthmus.demo import as_hung, lantern_tide
from isthmus.layout import structures
from isthmus.layout.attitude import attitude_of
from isthmus.sheets.sheets import sheet, sheets_of
from isthmus.show.records import Show, Verdict
from isthmus.stage.landing import land, surfaces
from isthmus.stage.runs import along_of, run_of
from isthmus.stage.transforms import quat_about
from isthmus.standin import slots_by_unit

CTRL, SHIFT, ALT = (
    Qt.KeyboardModifier.ControlModifier,
    Qt.KeyboardModifier.ShiftModifier,
    Qt.KeyboardModifier.AltModifier,
)


def test_units_are_placed_arranged_hung_shortened_and_aimed_and_the_rig_obeys(
    make_window, rig
) -> None:
    """The whole way by real clicks, down to the DMX a stand-in node receives."""
    window = make_window(as_hung(), page="Plan")
    bench, page, canvas = window.bench, window.pages["Plan"], window.pages["Plan"].canvas
    ids = ["u101", "u102", "u103", "u104"]
    bench.selection.select(ids)
    drag(canvas, canvas.to_px(-3, 0), canvas.to_px(1, 0))
    assert bench.show == as_hung()  # using: nothing moves
    bench.selection.select(ids)
    shortcut(window, Qt.Key.Key_R, Qt.KeyboardModifier.NoModifier)
    assert bench.plan.rearranging and "Rearranging" in page.words.text() and page.place.isVisible()

    # a line by dragging, shown while it is drawn
    press(page, "place line")
    assert "4 selected" in canvas.tool.words
    start, end = canvas.to_px(-4, -2), canvas.to_px(2, -2)
    QTest.mousePress(canvas, Qt.MouseButton.LeftButton, ALT, start.toPoint())
    QTest.mouseMove(canvas, (start + (end - start) / 2).toPoint())
    settle()
    drag(canvas, start, end, ALT)
    assert places(bench, ids)[:, :2] == pytest.approx(
        np.array([[-4 + 2 * i, -2] for i in range(4)]), abs=0.03
    )
    assert bench.history.undo_name == "place 4 units: line"
    # and by figures after it
    retype(page.place.fields["to x"], "5", Qt.Key.Key_Return)
    assert places(bench, ids)[:, 0] == pytest.approx([-4, -1, 2, 5], abs=0.03)
    retype(page.place.fields["every"], "1.5", Qt.Key.Key_Return)
    assert places(bench, ids)[:, 0] == pytest.approx([-4, -2.5, -1, 0.5], abs=0.03)

    # aligned by one edge, spread by middles
    page.place.end()
    shifted = bench.show.unit("u102")
    bench.commit(
        "one aside",
        replace(
            bench.show,
            units=tuple(
                replace(u, position=(-3.4, -1.2, 7.0)) if u is shifted else u
                for u in bench.show.units
            ),
        ),
    )
    pick_in_menu("Align lower edges", "to the first")
    press(page, "arrange menu")
    assert places(bench, ids)[:, 1] == pytest.approx([-2] * 4, abs=0.03)
    pick_in_menu("Spread evenly across, by middles")
    press(page, "arrange menu")
    assert np.diff(places(bench, ids)[:, 0]) == pytest.approx([1.5] * 3, abs=0.03)

    # a truss is put up, and they are hung on it at a spacing
    pick_in_menu("Add", "Straight truss")
    press(page, "structures of plan")
    truss = bench.selection.structure
    panel = window.inspector.structure
    assert truss and panel.isVisible() and bench.selection.ids == ids
    retype(panel.fields["Across x"], "0")
    retype(panel.fields["Upstage y"], "-1")
    retype(panel.fields["Height z"], "6")
    retype(child(panel, "hang spacing"), "1.2")
    press(panel, "hang spaced")
    assert [bench.show.unit(u).structure for u in ids] == [truss] * 4
    assert places(bench, ids)[:, 0] == pytest.approx([-1.8, -0.6, 0.6, 1.8]) and np.allclose(
        places(bench, ids)[:, 1:], [-1, 5.85]
    )

    # the truss is moved by its handle, turned by figures and shortened: what hangs on it goes along
    grip = {h.name: h for h in canvas.hands.handles()}
    at = canvas.hands.handle_px(grip["move"])
    drag(canvas, at, at + QPointF(0, -canvas.port.scale))
    assert (
        places(bench, ids)[:, 1] == pytest.approx([0, 0, 0, 0], abs=0.06)
        and "move Truss 1" in bench.history.undo_name
    )
    ends = {h.name: h for h in canvas.hands.handles()}
    tip = canvas.hands.handle_px(ends["end"])
    drag(canvas, tip, tip - QPointF(canvas.port.scale, 0))
    one = structures.structure(bench.show, truss)
    assert one.size[0] == pytest.approx(5.0, abs=0.06) and places(bench, ids)[
        :, 0
    ] == pytest.approx([-1.8, -0.6, 0.6, 1.8], abs=0.01)
    choose(child(panel, "length way"), "spread again")
    click(panel.fields["Length"])
    key(panel.fields["Length"], Qt.Key.Key_A, CTRL)
    keys(panel.fields["Length"], f"{one.size[0] / 2:.2f}")
    assert bench.plan.preview and structures.structure(bench.plan.preview, truss).size[
        0
    ] == pytest.approx(one.size[0] / 2, abs=0.01)
    assert (
        "spread again" in bench.plan.preview_words
        and structures.structure(bench.show, truss) == one
    )  # shown, not done yet
    key(panel.fields["Length"], Qt.Key.Key_Tab)
    assert bench.plan.preview is None
    run = run_of(structures.structure(bench.show, truss))
    assert run.length == pytest.approx(one.size[0] / 2, abs=0.01)
    assert along_of(structures.structure(bench.show, truss), tuple(places(bench, ids)[0])) > 0
    steps = np.diff(places(bench, ids)[:, 0])
    assert steps == pytest.approx([0.6] * 3, abs=0.01)
    retype(panel.fields["Turn"], "90")
    assert np.ptp(places(bench, ids)[:, 0]) < 0.01 and np.ptp(
        places(bench, ids)[:, 1]
    ) == pytest.approx(1.8, abs=0.02)
    for _ in range(2):
        shortcut(window, Qt.Key.Key_Z)  # the field has the focus and nothing of its own to undo
    assert structures.structure(bench.show, truss).size[0] == pytest.approx(one.size[0])

    # aimed by a click, and what goes out makes the beams of the stand-in's units meet there
    bench.selection.select(ids)
    window.output.switch(True)
    bench.levels.change(lambda live: live.light_up(ids))
    assert until(lambda: {"101", "102", "103", "104"} - set(lit(rig)) <= {"104"})
    shortcut(window, Qt.Key.Key_T)
    spot = (1.5, -3.0)
    click(canvas, canvas.to_px(*spot))
    assert (
        window.notice.words == "4 of 4 beams meet there."
        and "lands at" in page.aim_bar.lands.text()
    )
    beams, _ = bench.levels.view.pose(bench.levels.live.frame)
    points, _ = land(beams.origin[:0], beams.direction[:0], surfaces(bench.show.structures))
    rows = [int(np.flatnonzero(beams.unit == bench.levels.view.rig.order.index(u))[0]) for u in ids]
    points, _ = land(beams.origin[rows], beams.direction[rows], surfaces(bench.show.structures))
    assert np.allclose(points[:, :2], spot, atol=0.05)
    bench.plan.turn_to("front")
    page.switch_aim()
    page.aim_bar.at[1].setText("-1.5")
    click(canvas, canvas.to_px(2.0, 1.0))  # an elevation gives x and z; how far upstage is typed
    assert page.aim_bar.typed() == pytest.approx((2.0, -1.5, 1.0), abs=0.02)
    bench.plan.turn_to("plan")
    page.switch_aim()
    click(canvas, canvas.to_px(*spot))
    sent = {
        u: bench.levels.live.frame[(bench.show.unit(u).patch[0].address - 1) :][:4].tolist()
        for u in ("u101", "u102")
    }
    assert until(lambda: {u: window_slots(rig, u[1:])[:4] for u in sent} == sent)


def window_slots(rig, label: str) -> list[int]:
    """What a stand-in unit receives."""
    state = rig.ask("state")
    row = next(i for i, u in enumerate(state["units"]) if u["label"] == label)
    return slots_by_unit(state)[f"rig{row}"].tolist()


def test_paths_circles_grids_and_one_by_one(make_window) -> None:
    window = make_window(as_hung(), page="Plan")
    bench, page, canvas = window.bench, window.pages["Plan"], window.pages["Plan"].canvas
    ids = [f"u{n}" for n in (421, 422, 423, 424, 411, 412)]
    bench.plan.rearrange(True)
    bench.selection.select(ids)
    press(page, "place circle")
    for name, text in (
        ("middle x", "0"),
        ("middle y", "-1"),
        ("radius", "2"),
        ("from °", "0"),
        ("over °", "180"),
    ):
        page.place.fields[name].setText(text)
    press(page, "place now")
    at = places(bench, ids)
    assert (
        np.allclose(np.hypot(at[:, 0], at[:, 1] + 1), 2)
        and at[0, :2] == pytest.approx((2, -1))
        and at[-1, :2] == pytest.approx((-2, -1))
    )
    press(page, "place grid")
    page.place.fields["in a row"].setText("3")
    drag(canvas, canvas.to_px(-3, 0), canvas.to_px(1, -2), ALT)
    assert places(bench, ids)[:, :2] == pytest.approx(
        np.array([[-3, 0], [-1, 0], [1, 0], [-3, -2], [-1, -2], [1, -2]]), abs=0.05
    )
    click(page.place.checks["serpentine"])
    press(page, "place now")
    assert places(bench, ids)[3:, 0] == pytest.approx([1, -1, -3], abs=0.05)
    press(page, "place path")
    corners = [canvas.to_px(x, y) for x, y in ((-4, -2), (0, -2), (0, 1))]
    QTest.mousePress(canvas, Qt.MouseButton.LeftButton, pos=corners[0].toPoint())
    for a, b in zip(corners[:-1], corners[1:], strict=True):
        for i in range(1, 9):
            QTest.mouseMove(canvas, (a + (b - a) * (i / 8)).toPoint())
            settle(0.01)
    shown = dict(canvas.preview)
    QTest.mouseRelease(canvas, Qt.MouseButton.LeftButton, pos=corners[-1].toPoint())
    settle()
    laid = places(bench, ids)[:, :2]
    assert set(shown) == set(ids)
    assert laid == pytest.approx(
        np.array([[-4, -2], [-2.6, -2], [-1.2, -2], [0, -1.8], [0, -0.4], [0, 1]]), abs=0.12
    )  # 7 m in five steps
    bench.selection.select(ids[:3])
    press(page, "place one")
    for n, (x, y) in enumerate(((3.0, -3.0), (4.0, -3.0), (5.0, -2.0))):
        assert canvas.tool.words.startswith(f"{n + 1} of 3")
        click(canvas, canvas.to_px(x, y))
    assert (
        places(bench, ids[:3])[:, :2]
        == pytest.approx(np.array([[3, -3], [4, -3], [5, -2]]), abs=0.06)
        and canvas.tool is None
    )
    press(page, "place line")
    retype(page.place.fields["to x"], "wide", Qt.Key.Key_Return)
    assert "not a figure" in window.notice.words
    canvas.setFocus()
    key(canvas, Qt.Key.Key_Escape)
    assert not page.place.kind and not page.place.figures.isVisible() and bench.selection.ids
    bench.selection.select([])
    press(page, "place line")
    assert "No units are selected" in window.notice.words


def test_choosing_by_lasso_number_menu_and_order(make_window, demo: Show) -> None:
    window = make_window(demo, page="Plan")
    bench, page, canvas = window.bench, window.pages["Plan"], window.pages["Plan"].canvas
    corners = [canvas.to_px(x, y) for x, y in ((-6.6, 2.2), (-3.0, 2.2), (-3.0, 0.9), (-6.6, 0.9))]
    QTest.mousePress(canvas, Qt.MouseButton.LeftButton, ALT, corners[0].toPoint())
    for at in corners[1:]:
        drag_to(canvas, at, ALT)
    QTest.mouseRelease(canvas, Qt.MouseButton.LeftButton, ALT, corners[-1].toPoint())
    settle()
    lassoed = {bench.show.unit(u).number for u in bench.selection.ids}
    inside = {
        u.number
        for u in demo.units
        if u.position and -6.6 < u.position[0] < -3 and 0.9 < u.position[1] < 2.2
    }
    assert lassoed == inside and len(inside) > 3
    answer_text("201-204")
    pick_in_menu("By number or name")
    press(page, "choose menu")
    assert bench.selection.ids == ["u201", "u202", "u203", "u204"]
    pick_in_menu("Order", "right to left")
    press(page, "choose menu")
    assert bench.selection.ids == ["u204", "u203", "u202", "u201"]
    pick_in_menu("Every n-th", "every second, from the first")
    press(page, "choose menu")
    assert bench.selection.ids == ["u204", "u202"]
    pick_in_menu("Similar")
    press(page, "choose menu")
    assert set(bench.selection.ids) == {f"u20{n}" for n in range(1, 9)}
    pick_in_menu("Hanging on", "Mast bridge")
    press(page, "choose menu")
    assert bench.selection.ids[0] == "u211" and {
        bench.show.unit(u).structure for u in bench.selection.ids
    } == {"bridge"}
    count = len(bench.selection.ids)
    pick_in_menu("Invert")
    press(page, "choose menu")
    assert len(bench.selection.ids) == len(canvas.laid.row) - count
    drag(canvas, canvas.to_px(-9.5, -3.6), canvas.to_px(9.5, -4.8), CTRL | SHIFT)  # removed again
    assert not {"u201", "u442"} & set(bench.selection.ids)


def drag_to(canvas, at: QPointF, modifier: Qt.KeyboardModifier) -> None:
    from PySide6.QtCore import QEvent
    from PySide6.QtGui import QMouseEvent

    where = QPointF(canvas.mapToGlobal(at.toPoint()))
    event = QMouseEvent(
        QEvent.Type.MouseMove,
        at,
        where,
        Qt.MouseButton.NoButton,
        Qt.MouseButton.LeftButton,
        modifier,
    )
    QApplication.sendEvent(canvas, event)
    settle(0.01)


def test_a_filter_is_loud_and_keeps_out_of_the_choice(make_window, demo: Show) -> None:
    show = replace(demo, verdicts=(Verdict(unit="u101", result="silent"),))
    window = make_window(show, page="Plan")
    bench, page, canvas = window.bench, window.pages["Plan"], window.pages["Plan"].canvas
    for text, count in (
        ("universe 3", None),
        ("Bow rail", 10),
        ("verdict silent", 1),
        ("101-103", 3),
    ):
        retype(page.filter, text, Qt.Key.Key_Return)
        assert canvas.shown and (count is None or len(canvas.shown) == count)
    plain = canvas.grab().toImage().pixelColor(canvas.width() - 100, 12)
    drag(canvas, QPointF(4, 40), QPointF(canvas.width() - 4, canvas.height() - 60))
    assert set(bench.selection.ids) == {"u101", "u102", "u103"}
    retype(page.filter, "no one here", Qt.Key.Key_Return)
    assert page.filter.property("bad") and "not a number" in page.filter.toolTip()
    retype(page.filter, "", Qt.Key.Key_Return)
    assert (
        canvas.shown is None
        and canvas.grab().toImage().pixelColor(canvas.width() - 100, 12) != plain
    )


def test_sheets_are_made_from_the_window_with_places_of_their_own(
    make_window, demo: Show, tmp_path: Path
) -> None:
    window = make_window(demo, page="Plan")
    bench, page, canvas = window.bench, window.pages["Plan"], window.pages["Plan"].canvas
    bench.selection.select(["u101", "u102", "u103"])
    page.new_sheet()
    made = dialog("new sheet")
    assert child(made, "sheet name").text() == "Port mast, upper"  # what the three have in common
    child(made, "sheet name").clear()
    press(made, "Create")
    assert "needs a name" in made.trouble.text()
    keys(child(made, "sheet name"), "Focus")
    press(made, "Create")
    assert (
        until(lambda: bench.plan.sheet.name == "Focus")
        and len(canvas.laid.row) == 3
        and page.sheets.currentText() == "Focus"
    )
    bench.plan.rearrange(True)
    bench.selection.select(["u102"])
    activate(window)
    canvas.setFocus()
    before = sheet_place(bench, "u102")
    key(canvas, Qt.Key.Key_Right, SHIFT)
    key(canvas, Qt.Key.Key_Up, ALT)
    assert sheet_place(bench, "u102") == pytest.approx(
        (before[0] + 0.5, before[1] + 0.01)
    ) and bench.show.unit("u102") == demo.unit("u102")
    page.sheets.setFocus()
    key(page.sheets, Qt.Key.Key_Home)
    choose(child(page, "sheet", Choice), "Front")
    assert bench.plan.sheet_id == "front" and canvas.sheet.kind == "front"
    bench.selection.select(["u101"])
    canvas.setFocus()
    key(canvas, Qt.Key.Key_Up, SHIFT)
    assert bench.show.unit("u101").position[2] == pytest.approx(demo.unit("u101").position[2] + 0.5)
    shortcut(window, Qt.Key.Key_P)
    paper = dialog("print sheet")
    assert "1 page of A3" in paper.says.text()
    choose(child(paper, "scale"), "1:50")
    answer_file_dialog(str(tmp_path / "front.pdf"))
    press(paper, "Save as…")
    assert (
        until(lambda: (tmp_path / "front.pdf").exists())
        and (tmp_path / "front.pdf").read_bytes()[:5] == b"%PDF-"
    )
    bench.plan.turn_to("plan")
    pick_in_menu("Unplace selected units")
    press(page, "sheet menu")
    assert bench.show.unit("u101").position is None and bench.show.unit("u101").patch
    shortcut(window, Qt.Key.Key_Z)
    assert bench.show.unit("u101").position
    assert [s.name for s in sheets_of(bench.show)][-1] == "Focus"


def sheet_place(bench, unit: str) -> tuple[float, float]:
    return next((s.x, s.y) for s in bench.plan.sheet.spots if s.unit == unit)


def test_a_drawing_is_laid_beneath_scaled_locked_and_kept(
    make_window, demo: Show, tmp_path: Path
) -> None:
    out = io.BytesIO()
    Image.new("RGB", (60, 40), (240, 20, 20)).save(out, "PNG")
    (tmp_path / "site.png").write_bytes(out.getvalue())
    (tmp_path / "site.svg").write_text(
        '<svg xmlns="http://www.w3.org/2000/svg" width="60" height="30"><image href="file:///etc/passwd"/><rect width="60" height="30" fill="red"/></svg>'
    )
    (tmp_path / "broken.png").write_bytes(out.getvalue()[:50])
    window = make_window(demo, page="Plan")
    bench, page, canvas = window.bench, window.pages["Plan"], window.pages["Plan"].canvas
    page.underlay()
    box = next(w for w in QApplication.topLevelWidgets() if w.objectName() == "underlay")
    answer_file_dialog(str(tmp_path / "broken.png"))
    press(box, "choose underlay")
    assert until(lambda: "cannot be read" in window.notice.words) and bench.show == demo
    answer_file_dialog(str(tmp_path / "site.png"))
    press(box, "choose underlay")
    assert until(
        lambda: bench.plan.sheet.underlay is not None
    ) and bench.plan.sheet.underlay.aspect == pytest.approx(2 / 3)
    spot = canvas.to_px(-8.0, 3.0)
    shown = canvas.grab().toImage().pixelColor(spot.toPoint())
    press(box, "scale underlay")
    click(canvas, canvas.to_px(0, 0))
    answer_text("6")
    click(canvas, canvas.to_px(3, 0))
    wide = bench.plan.sheet.underlay.width
    assert wide == pytest.approx(2 * (17.8), rel=0.15) and canvas.tool is None
    activate(box)
    retype(child(box, "underlay turn"), "30")
    press(box, "lock underlay")
    retype(child(box, "underlay width"), "3")
    assert (
        "is locked" in window.notice.words
        and bench.plan.sheet.underlay.width == wide
        and bench.plan.sheet.underlay.turn == 30
    )
    press(box, "lock underlay")
    retype(child(box, "underlay crop left"), "99")
    assert "leaves nothing" in window.notice.words
    answer_file_dialog(str(tmp_path / "site.svg"))
    press(box, "choose underlay")
    assert (
        until(lambda: bench.plan.sheet.underlay.aspect == pytest.approx(0.5))
        and len(bench.show.files) == 2
    )
    press(box, "remove underlay")
    assert (
        bench.plan.sheet.underlay is None
        and canvas.grab().toImage().pixelColor(spot.toPoint()) != shown
    )
    box.close()


def test_lux_is_shown_over_the_deck_and_read_under_the_pointer(make_window) -> None:
    window = make_window(as_hung(), page="Plan")
    bench, page, canvas = window.bench, window.pages["Plan"], window.pages["Plan"].canvas
    bench.levels.change(lambda live: live.light_up(["u211", "u212"]))
    press(page, "lux")
    assert (
        until(lambda: canvas.lux is not None)
        and "Barge:" in page.lux.words
        and "lux on average" in page.lux.words
    )
    x, y, _ = bench.show.unit("u211").position
    bright, dark = page.lux.at(x, y), page.lux.at(8.0, -4.0)
    assert bright > 100 * max(dark, 1e-6)
    QTest.mouseMove(canvas, canvas.to_px(x, y).toPoint())
    assert until(lambda: "lux" in page.foot.text() and "here" in page.foot.text())
    before = canvas.lux
    bench.levels.change(lambda live: live.let_go(["u211", "u212"]))
    assert until(lambda: canvas.lux is not before)
    press(page, "lux")
    assert canvas.lux is None


def test_zoom_goes_back_and_a_fan_shows_its_figures(make_window, demo: Show) -> None:
    window = make_window(demo, page="Plan")
    window.complete()  # the fan comes from Stage
    bench, canvas = window.bench, window.pages["Plan"].canvas
    where = canvas.port.scale, canvas.port.centre
    canvas.sight.fit(["u101", "u102"])
    assert canvas.port.scale > where[0]
    shortcut(window, Qt.Key.Key_0, CTRL | ALT)
    assert (canvas.port.scale, canvas.port.centre) == where
    bench.selection.select(["u101", "u102", "u103"])
    bench.levels.change(lambda live: live.light_up(bench.selection.ids))
    asked = bench.levels.live.snapshot()
    canvas.setFocus()
    shortcut(window, Qt.Key.Key_F, Qt.KeyboardModifier.NoModifier)
    fan = dialog("fan")
    assert isinstance(fan, FanDialog)
    choose(child(fan, "fan what", Choice), "pan (live)")
    retype(child(fan, "fan start"), "-20")
    retype(child(fan, "fan end"), "20")
    assert bench.plan.figures == {"u101": "-20.0°", "u102": "0.0°", "u103": "20.0°"}
    assert [round(bench.levels.live.axis(u, "Pan")) for u in bench.selection.ids] == [-20, 0, 20]
    key(fan, Qt.Key.Key_Escape)
    assert bench.levels.live.snapshot() == asked and bench.plan.figures == {}
    shortcut(window, Qt.Key.Key_F, Qt.KeyboardModifier.NoModifier)
    fan = dialog("fan")
    choose(child(fan, "fan what", Choice), "height z")
    retype(child(fan, "fan start"), "5")
    retype(child(fan, "fan end"), "much")
    assert "not a figure" in fan.trouble.text()
    retype(child(fan, "fan end"), "7")
    press(fan, "Apply")
    assert [bench.show.unit(u).position[2] for u in ("u101", "u102", "u103")] == pytest.approx(
        [5, 6, 7]
    )


def test_locked_places_stay_and_are_named_and_drags_snap_in_line(make_window) -> None:
    window = make_window(as_hung(), page="Plan")
    bench, canvas = window.bench, window.pages["Plan"].canvas
    bench.plan.rearrange(True)
    bench.selection.select(["u421"])
    pick_in_menu("Lock or unlock")
    press(window.pages["Plan"], "arrange menu")
    assert bench.show.unit("u421").pinned
    bench.selection.select(["u421", "u422"])
    activate(window)
    canvas.setFocus()
    key(canvas, Qt.Key.Key_Right)
    assert "421 is locked and stayed" in window.notice.words and bench.show.unit("u422").position[
        0
    ] == pytest.approx(as_hung().unit("u422").position[0] + 0.05)
    answer_text("up -2")
    pick_in_menu("Mirror at a line")
    before = bench.show.unit("u422").position
    press(window.pages["Plan"], "arrange menu")
    assert bench.show.unit("u422").position == pytest.approx((before[0], -4 - before[1], before[2]))
    bench.selection.select(["u423"])
    x, y, _ = bench.show.unit("u423").position
    goal = bench.show.unit("u203").position
    start = canvas.to_px(x, y)
    drag(canvas, start, canvas.to_px(goal[0] + 0.06, -1.5))
    assert bench.show.unit("u423").position[0] == pytest.approx(goal[0])  # in line with 203
    assert math.isclose(bench.show.unit("u423").position[1], -1.5, abs_tol=0.06)
    QTest.mouseClick(canvas, Qt.MouseButton.LeftButton, pos=QPoint(6, 6))
    assert bench.selection.ids == []


def test_levels_are_written_where_they_are_wanted_and_two_fingers_zoom(make_window) -> None:
    window = make_window(as_hung(), page="Plan")
    bench, canvas = window.bench, window.pages["Plan"].canvas
    bench.levels.change(lambda live: live.light_up(["u213"], 0.5))
    settle(0.1)
    plain = canvas.grab().toImage()
    pick_in_menu("Labels")
    press(window.pages["Plan"], "sheet menu")
    box = dialog("sheet words")
    click(child(box, "label level"), QPoint(8, 8))
    press(box, "Apply")
    assert "level" in bench.plan.sheet.labels
    settle(0.1)
    written = canvas.grab().toImage()
    at = canvas.to_px(*bench.show.unit("u213").position[:2]).toPoint()
    assert any(
        plain.pixel(x, y) != written.pixel(x, y)
        for x in range(at.x() - 14, at.x() + 14)
        for y in range(at.y() - 34, at.y() - 8)
    )
    finger = QTest.createTouchDevice()
    scale = canvas.port.scale
    left, right = QPoint(300, 240), QPoint(380, 240)
    QTest.touchEvent(canvas, finger).press(0, left, canvas).press(1, right, canvas).commit()
    for step in range(1, 9):
        out = QPoint(8 * step, 0)
        QTest.touchEvent(canvas, finger).move(0, left - out, canvas).move(
            1, right + out, canvas
        ).commit()
        settle(0.02)
    QTest.touchEvent(canvas, finger).release(0, left - QPoint(64, 0), canvas).release(
        1, right + QPoint(64, 0), canvas
    ).commit()
    assert canvas.port.scale > 1.3 * scale


def test_the_demo_still_sets_out_who_has_no_place(make_window) -> None:
    window = make_window(lantern_tide(), page="Plan")
    click(window.pages["Plan"].unplaced)
    assert (
        all(u.position for u in window.bench.show.units)
        and sheet(window.bench.show, "plan").kind == "plan"
    )


def test_a_click_is_not_quite_still_and_narrows_what_is_selected(make_window, demo: Show) -> None:
    window = make_window(demo, page="Plan")
    bench, canvas = window.bench, window.pages["Plan"].canvas
    bench.plan.rearrange(True)
    bench.selection.select(["u101", "u102", "u103"])
    before = bench.show
    x, y, _ = bench.show.unit("u102").position
    start = canvas.to_px(x, y)
    drag(canvas, start, start + QPointF(2, 1))  # a hand shakes
    assert bench.show is before and bench.selection.ids == ["u102"]
    bench.selection.select(["u101", "u102", "u103"])
    drag(canvas, start, start + QPointF(30, 0))  # a drag takes all of them
    moved = [u.id for a, u in zip(before.units, bench.show.units, strict=True) if a is not u]
    assert moved == ["u101", "u102", "u103"] == bench.selection.ids


def test_a_plan_that_is_mended_is_the_plan_drawn_whole(make_window, demo: Show) -> None:
    """Far off, where units carry no words: after moves, turns and an undo, pixel for pixel."""
    window = make_window(demo, page="Plan")
    bench, canvas = window.bench, window.pages["Plan"].canvas
    canvas.sight.fitted = False
    canvas.port.scale = 8.0
    chance = np.random.default_rng(3)
    mends = []
    real = drawing.mended
    drawing.mended = lambda *given: (mends.append(len(given[2])), real(*given))[1]
    try:
        for turn in range(8):
            units = [u for u in bench.show.units if u.position]
            one = units[int(chance.integers(len(units)))]
            x, y, z = one.position
            to = (x + float(chance.uniform(-3, 3)), y + float(chance.uniform(-2, 2)), z)
            moved = replace(one, position=to, rotation=quat_about((0, 0, 1.0), 40.0 * turn))
            others = tuple(moved if u.id == one.id else u for u in bench.show.units)
            if turn == 5:
                bench.undo()
            else:
                bench.commit("move", replace(bench.show, units=others))
            canvas.grab()  # paints
            ratio = canvas.devicePixelRatioF()
            whole = drawing.still(drawing.Stillness(canvas.laid, canvas.port, ratio))
            assert canvas.still._layer.toImage() == whole.toImage(), turn
    finally:
        drawing.mended = real
    assert len(mends) >= 6 and max(mends) <= 4  # not drawn whole each time


def test_several_structures_are_moved_tilted_and_copied_together(make_window, demo: Show) -> None:
    window = make_window(demo, page="Plan")
    bench, canvas = window.bench, window.pages["Plan"].canvas
    bench.plan.rearrange(True)
    at = {s.name: s for s in demo.structures}
    bridge, rail = at["Mast bridge"], at["Bow rail"]
    free = canvas.to_px(-3.3, rail.position[1])
    canvas.setFocus()
    bench.selection.hold(rail.id)
    click(canvas, canvas.to_px(0.2, bridge.position[1]), Qt.KeyboardModifier.ControlModifier)
    assert bench.selection.structures == [rail.id, bridge.id], free
    assert window.inspector.heading.text() == "2 structures"
    panel = window.inspector.structure
    retype(panel.fields["Upstage y"], "+0.5")
    moved = {s.id: s for s in bench.show.structures}
    for one in (bridge, rail):
        assert moved[one.id].position[1] == pytest.approx(one.position[1] + 0.5)
    assert bench.history.undo_name == "upstage y of 2 structures"
    retype(panel.fields["Turn"], "=15")
    retype(panel.fields["Tilt"], "5")
    now = {s.id: s for s in bench.show.structures}
    for one in (bridge, rail):
        assert attitude_of(now[one.id].rotation) == pytest.approx((15, 5, 0), abs=1e-6)
        on = [u for u in demo.units if u.structure == one.id]
        assert all(bench.show.unit(u.id).position != u.position for u in on)
    press(panel, "duplicate structure")
    assert len(bench.show.structures) == len(demo.structures) + 2
    assert len(bench.selection.structures) == 2 and rail.id not in bench.selection.structures
    press(panel, "take structure away")
    assert {s.id for s in bench.show.structures} == {s.id for s in demo.structures}
    assert bench.selection.structures == []
    for _ in range(5):
        bench.undo()
    assert bench.show.structures == demo.structures
    # a handle takes all of them along
    bench.selection.hold_all([rail.id, bridge.id])
    handle = next(h for h in canvas.hands.handles() if h.name == "move")
    start = canvas.hands.handle_px(handle)
    drag(canvas, start, start + QPointF(40, 0), ALT)
    by = [
        np.subtract(next(s for s in bench.show.structures if s.id == o.id).position, o.position)
        for o in (bridge, rail)
    ]
    assert by[0] == pytest.approx(by[1]) and by[0][0] > 0.3
    assert bench.history.undo_name == "move 2 structures"


def test_nothing_moves_under_the_hand_but_what_is_moved(make_window, demo: Show) -> None:
    """Rows and notices come and go, and units are dragged: the rest of a fitted plan stays put."""
    window = make_window(demo, page="Plan")
    bench, page = window.bench, window.pages["Plan"]
    canvas = page.canvas

    def on_screen(unit: str) -> QPoint:
        x, y, _ = bench.show.unit(unit).position
        return canvas.mapToGlobal(canvas.to_px(x, y).toPoint())

    def apart(a: QPoint, b: QPoint) -> int:
        return (a - b).manhattanLength()

    settle(0.2)
    there, high = on_screen("u404"), canvas.height()
    bench.plan.rearrange(True)
    bench.selection.select(["u101"])
    bench.tell("attention", "The simulator is not running.")
    settle(0.2)
    assert canvas.height() != high and apart(on_screen("u404"), there) <= 2
    x, y, _ = bench.show.unit("u101").position
    drag(canvas, canvas.to_px(x, y), canvas.to_px(x, y) + QPointF(40, 25), ALT)
    assert bench.show.unit("u101") != demo.unit("u101") and apart(on_screen("u404"), there) <= 2
    # far out of sight all is fitted again, and so it is when the window gets another size
    one = bench.show.unit("u101")
    far = tuple(replace(u, position=(-80.0, 0.0, 5.0)) if u is one else u for u in bench.show.units)
    bench.commit("far", replace(bench.show, units=far))
    assert canvas.rect().contains(canvas.to_px(-80, 0).toPoint())
    bench.undo()
    window.resize(1180, 720)
    settle(0.2)
    low, high = (canvas.to_px(*corner) for corner in canvas.laid.extent())
    assert canvas.rect().contains(low.toPoint()) and canvas.rect().contains(high.toPoint())
    assert abs(high.x() - low.x()) > canvas.width() * 0.6 or low.y() - high.y() > 300
