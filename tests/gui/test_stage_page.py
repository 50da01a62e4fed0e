"""The Stage page by hand: handles, aiming, views, drawing settings, paper against rig, pictures out, other windows."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from msgspec.structs import replace
from PIL import Image
from PySide6.QtCore import QPointF, Qt
from PySide6.QtWidgets import QApplication, QWidget

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
from isthmus.app.kit.widgets import Choice
from isthmus.demo import as_hung
from isthmus.errors import FileFault
from isthmus.layout import structures
from isthmus.output import Live, RigView
from isthmus.output.differ import differences, in_words
from isthmus.show.records import Show
from isthmus.stage import VIEWS, Camera
from isthmus.stage.drawing import EVEN, FINE, LEVELS, QUICK, Drawing, read_settings, write_settings
from isthmus.stage.landing import land, surfaces

PLAIN = Qt.KeyboardModifier.NoModifier
CTRL, ALT, SHIFT = (
    Qt.KeyboardModifier.ControlModifier,
    Qt.KeyboardModifier.AltModifier,
    Qt.KeyboardModifier.ShiftModifier,
)


def test_a_truss_is_taken_pulled_and_lifted_in_space_with_what_hangs_on_it(make_window) -> None:
    window = make_window(as_hung(), page="Stage")
    window.complete()  # R comes from Plan
    bench, view = window.bench, window.pages["Stage"].view
    view.set_camera(VIEWS["Corner"])
    assert not view.hands.handles()
    shortcut(window, Qt.Key.Key_R, PLAIN)
    assert bench.plan.rearranging and window.pages["Stage"].mode.isChecked()
    run = np.array([[-0.1, 1.5, 6.3]])
    (at,), _ = view.camera.project(run, view.width(), view.height())
    click(view, QPointF(*at))
    assert (
        bench.selection.structure == "bridge" and window.inspector.heading.text() == "Mast bridge"
    )
    mine = [u.id for u in structures.hanging(bench.show, "bridge")]
    before = places(bench, mine)
    grips = {h.name: h for h in view.hands.handles()}
    goal = replace_point(grips["move"].point, x=1.0, y=-1.0)
    drag(view, view.hands.handle_px(grips["move"]), pixel(view, goal))
    moved = places(bench, mine) - before
    assert (
        np.allclose(moved, moved[0])
        and moved[0, :2] == pytest.approx((1.0, -1.0), abs=0.12)
        and moved[0, 2] == 0
    )
    assert bench.history.undo_name == "move Mast bridge"
    grips = {h.name: h for h in view.hands.handles()}
    up = replace_point(grips["height"].point, z=0.8)
    drag(view, view.hands.handle_px(grips["height"]), pixel(view, up))
    assert places(bench, mine)[:, 2] == pytest.approx(before[:, 2] + 0.8, abs=0.12)
    for _ in range(2):
        shortcut(window, Qt.Key.Key_Z)
    assert places(bench, mine) == pytest.approx(before)
    choose(child(window, "length way", Choice), "spread again")
    grips = {h.name: h for h in view.hands.handles()}
    drag(
        view,
        view.hands.handle_px(grips["end"]),
        pixel(view, replace_point(grips["end"].point, x=-2.0)),
    )
    shorter = structures.structure(bench.show, "bridge").size[0] / 12.6
    assert 0.8 < shorter < 0.88 and np.diff(places(bench, mine)[:, 0]) == pytest.approx(
        np.diff(before[:, 0]) * shorter, abs=1e-6
    )
    shortcut(window, Qt.Key.Key_Z)
    assert places(bench, mine) == pytest.approx(before)
    bench.selection.select(["u421"])
    assert bench.selection.structure == ""  # selected units put the structure away
    grips = {h.name: h for h in view.hands.handles()}
    drag(
        view,
        view.hands.handle_px(grips["move"]),
        pixel(view, replace_point(grips["move"].point, x=-1.0)),
    )
    assert bench.show.unit("u421").position[0] == pytest.approx(
        as_hung().unit("u421").position[0] - 1, abs=0.1
    )
    shortcut(window, Qt.Key.Key_R, PLAIN)
    camera = view.camera
    drag(view, QPointF(300, 200), QPointF(340, 210))
    assert (
        view.camera != camera and not view.hands.handles()
    )  # using: a drag only turns the picture


def replace_point(point: tuple, x: float = 0.0, y: float = 0.0, z: float = 0.0) -> tuple:
    return point[0] + x, point[1] + y, point[2] + z


def pixel(view, point: tuple) -> QPointF:
    (at,), _ = view.camera.project(np.array([point]), view.width(), view.height())
    return QPointF(*at)


def test_beams_follow_the_pointer_a_line_a_circle_and_figures(make_window) -> None:
    window = make_window(as_hung(), page="Stage")
    bench, page, view = window.bench, window.pages["Stage"], window.pages["Stage"].view
    view.set_camera(VIEWS["Corner"])
    ids = ["u101", "u102", "u103", "u104"]
    bench.selection.select(ids)
    bench.levels.change(lambda live: live.light_up(ids))
    press(page, "aim on stage")
    bar = page.aim_bar

    def landed() -> np.ndarray:
        beams, _ = bench.levels.view.pose(bench.levels.live.frame)
        rows = [
            int(np.flatnonzero(beams.unit == bench.levels.view.rig.order.index(u))[0]) for u in ids
        ]
        return land(beams.origin[rows], beams.direction[rows], surfaces(bench.show.structures))[0][
            :, :2
        ]

    click(view, pixel(view, (1.0, -1.5, 0.0)))
    assert np.allclose(landed(), (1.0, -1.5), atol=0.1) and "4 of 4" in window.notice.words
    choose(bar.shape, "a line")
    drag(view, pixel(view, (-3.0, -2.0, 0.0)), pixel(view, (3.0, -2.0, 0.0)))
    assert np.allclose(landed(), [[-3, -2], [-1, -2], [1, -2], [3, -2]], atol=0.15)
    choose(bar.shape, "a circle")
    drag(view, pixel(view, (0.0, -1.0, 0.0)), pixel(view, (1.5, -1.0, 0.0)))
    ring = landed()
    assert np.allclose(np.hypot(ring[:, 0], ring[:, 1] + 1), 1.5, atol=0.12)
    bar.shape.setCurrentIndex(0)
    for one, text in zip(bar.at, ("2", "1", "0"), strict=True):
        one.setText(text)
    press(page, "aim there")
    assert np.allclose(landed(), (2, 1), atol=0.02) and "lux" in bar.lands.text()
    bar.at[0].setText("east")
    press(page, "aim there")
    assert "not a place" in window.notice.words
    bench.selection.select(["u401"])
    bar.at[0].setText("2")
    press(page, "aim there")
    assert "401: no pan and no tilt" in window.notice.words
    view.setFocus()
    key(view, Qt.Key.Key_Escape)
    assert view.tool is None and not bar.isVisible() and not page.aim.isChecked()


def test_views_are_kept_walked_sat_in_and_the_way_back_is_shown(make_window) -> None:
    window = make_window(as_hung(), page="Stage")
    bench, page, view = window.bench, window.pages["Stage"], window.pages["Stage"].view
    assert until(lambda: view.pictures.count > 0, 30)
    view.setFocus()
    target = view.camera.target
    key(view, Qt.Key.Key_Up, SHIFT)
    key(view, Qt.Key.Key_PageUp)
    assert view.camera.target == pytest.approx((target[0], target[1] + 0.6, target[2] + 0.6))
    answer_text("My seat")
    press(page, "keep view")
    kept = bench.show.views[0]
    assert (
        kept.name == "My seat"
        and kept.target == view.camera.target
        and page.places.currentText() == "My seat"
    )
    view.set_camera(Camera(target=(300.0, 300.0, 0.0), distance=5.0))
    assert view.out_of_view()
    assert until(
        lambda: (
            view.grab().toImage().pixelColor(view.width() // 2, view.height() // 2 - 40).isValid()
        )
    )
    key(view, Qt.Key.Key_Home)
    assert not view.out_of_view()
    page.see_from("My seat")
    assert view.camera.target == kept.target
    pick_in_menu("See from a seat")
    press(page, "more of stage")
    click(view, pixel(view, (0.5, -4.0, 0.0)))
    assert view.camera.eye == pytest.approx((0.5, -4.0, 1.2), abs=0.15) and view.tool is None
    pick_in_menu("Delete selected view")
    page.places.setCurrentIndex(page.places.findText("My seat"))
    press(page, "more of stage")
    assert bench.show.views == ()
    far = replace(
        bench.show,
        units=tuple(
            replace(u, position=(180.0, 0.0, 3.0)) if u.id == "u421" else u
            for u in bench.show.units
        ),
    )
    bench.commit("one far off", far)
    assert (
        view.staged.space().strays
        and view.staged.source()[0].rig.numbers[view.staged.space().strays[0]] == 421
    )


def test_a_still_stage_is_drawn_again_for_a_new_size(make_window) -> None:
    """Nothing is lit and nothing moves: nothing else asks for a picture."""
    window = make_window(as_hung(), page="Stage")
    view = window.pages["Stage"].view
    for size in ((1280, 800), (1100, 700)):
        window.resize(*size)
        assert until(lambda: view.pictures.image and view.pictures.image.size() == view.size(), 30)


def test_live_acts_are_taken_back_apart_from_the_show(make_window, demo: Show) -> None:
    window = make_window(demo, page="Stage")
    bench, live = window.bench, window.bench.levels.live
    bench.selection.select(["u101", "u102"])
    shortcut(window, Qt.Key.Key_U, Qt.KeyboardModifier.ControlModifier)  # Highlight
    lit = live.snapshot()
    bench.levels.aim(["u101"], (1.0, 0.0, 0.0))
    aimed = live.snapshot()
    bench.commit("rename", replace(bench.show, name="Another"))
    assert lit and aimed != lit
    both = Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.AltModifier
    shortcut(window, Qt.Key.Key_Z, both)
    assert live.snapshot() == lit and bench.show.name == "Another"
    assert "aim" in window.notice.words and "The show stays" in window.notice.words
    shortcut(window, Qt.Key.Key_Z, both)
    assert live.snapshot() == {} and bench.history.undo_name == "rename"
    for _ in range(2):
        shortcut(window, Qt.Key.Key_Z, both | Qt.KeyboardModifier.ShiftModifier)
    assert live.snapshot() == aimed
    # a fader that is moved is one act, whatever steps it takes
    for value in (0.1, 0.2, 0.3):
        window.hand.intensity.moved.emit(value)
    shortcut(window, Qt.Key.Key_Z, both)
    assert live.snapshot() == aimed


def test_named_views_show_a_rig_wherever_it_stands(make_window, demo: Show) -> None:
    wide = replace(
        demo,
        units=tuple(
            replace(u, position=(6 * u.position[0], u.position[1], u.position[2]))
            if u.position
            else u
            for u in demo.units
        ),
    )
    window = make_window(wide, page="Stage")
    page = window.pages["Stage"]
    placed = np.array([u.position for u in wide.units if u.position])
    for name in VIEWS:
        page.see_from(name)
        at, depth = page.view.project(placed)
        size = page.view.width(), page.view.height()
        assert ((at >= 0) & (at <= size)).all() and (depth > 0).all(), name
    window.bench.commit("as it was", demo)
    page.see_from("Seats")
    assert page.view.camera == VIEWS["Seats"]  # what is in the picture stays as it is known


def test_drawing_settings_are_chosen_kept_and_carried_in_a_file(
    make_window, demo: Show, tmp_path: Path
) -> None:
    window = make_window(demo, page="Stage")
    bench, page = window.bench, window.pages["Stage"]
    assert until(lambda: page.view.pictures.count > 0, 30)
    press(page, "drawing")
    box = next(w for w in QApplication.topLevelWidgets() if w.objectName() == "light and drawing")
    activate(box)
    key(box.sliders["exposure"], Qt.Key.Key_End)
    choose(child(box, "drawing level"), "Fine")
    page.choice.use(FINE)
    assert page.view.drawing == replace(FINE, exposure=2.0) == page.other.drawing
    key(child(box, "bodies"), Qt.Key.Key_Home)
    assert page.view.drawing.bodies == "none"
    choose(child(box, "bodies"), "outline")
    box.boxes["fall"].setCurrentIndex(0)
    box.boxes["fall"].activated.emit(0)
    assert page.view.drawing.fall == "none" and page.view.drawing.name == "Fine"
    key(page.sliders["haze"], Qt.Key.Key_Home)  # beside the stage, and so in the dialog
    assert page.view.drawing.haze == 0 and box.sliders["haze"].value() == 0
    keys(child(box, "own drawing name"), "Quick")
    press(box, "keep drawing")
    assert "shipped" in window.notice.words
    retype(child(box, "own drawing name"), "Rehearsal")
    press(box, "keep drawing")
    mine = page.view.drawing
    assert (mine.name, mine.fall, mine.haze, mine.exposure) == ("Rehearsal", "none", 0.0, 2.0)
    assert window.settings.drawings == (mine,)
    answer_file_dialog(str(tmp_path / "own.json"))
    press(box, "drawing to file")
    assert until(lambda: (tmp_path / "own.json").exists()) and read_settings(
        (tmp_path / "own.json").read_bytes(), "own"
    ) == (mine,)
    window.settings.drawings = ()
    answer_file_dialog(str(tmp_path / "own.json"))
    press(box, "drawing from file")
    assert until(lambda: window.settings.drawings == (mine,))
    key(box.sliders["drift"], Qt.Key.Key_Home)
    assert page.view.drawing.drift == 0 and page.other.drawing.drift == 0
    assert page.sliders["haze"].value() == 0  # of the file
    bench.selection.select(["u101", "u102"])
    box._say_beams()
    press(box, "beams off")
    assert (
        bench.show.unit("u101").beam_off
        and bench.history.undo_name == "do not draw the beams of 2 units"
    )
    box.close()
    for bad in (
        b"{}",
        b"[1]",
        b"\xff",
        b'{"kind": "isthmus drawing settings 1", "settings": [{"name": "x", "coarse": 99}]}',
    ):
        with pytest.raises(FileFault):
            read_settings(bad, "bad")
    assert (
        read_settings(write_settings(LEVELS), "x") == LEVELS
        and QUICK.hold == 25
        and Drawing(name="a").cap == EVEN.cap
    )
    old = b'{"kind": "isthmus drawing settings 1", "settings": [{"name": "x", "uneven": false}]}'
    assert read_settings(old, "as it was first kept") == (Drawing(name="x", uneven=0.0),)


def test_paper_and_rig_are_set_side_by_side_and_where_they_differ_is_said(
    make_window, demo: Show, rig
) -> None:
    window = make_window(demo, rig.address, "Stage")
    bench, page = window.bench, window.pages["Stage"]
    window.output.switch(True)
    bench.levels.change(lambda live: live.light_up(["u301", "u104", "u203"]))
    assert until(lambda: "301" in lit(rig))
    press(page, "view Side by side")
    assert page.other.isVisible() and until(
        lambda: page.other.rig_view is not None and page.other.pictures.count > 1, 30
    )
    press(page, "view Difference")
    assert until(lambda: len(page.differ) >= 2, 20)
    by = {d.number: d.words for d in page.differ}
    assert by[104] == "dark at the rig" and by[203] == "dark at the rig" and 301 not in by
    assert (
        "differ" in page.foot.text()
        and page.view.wrong["u104"] == ("dark at the rig", "fault")
        and not page.other.isVisible()
    )
    press(page, "view Sent")
    assert page.view.wrong == {} and page.view.rig_view is None


def test_a_difference_is_told_in_kind() -> None:
    show = as_hung()
    paper, done = Live(show), Live(show)
    ids = ["u101", "u201", "u211", "u301"]
    for live in (paper, done):
        live.light_up(ids)
    done.set_axis(["u101"], "Tilt", 30)
    done.set_colour(["u201"], np.array([1.0, 0, 0]))
    done.set_intensity(["u211"], 0.3)
    done.light_up(["u405"])
    done.set_intensity(["u301"], 0.0)
    found = differences(
        (RigView(show, paper.compiled), paper.frame), (RigView(show, done.compiled), done.frame)
    )
    by = {d.number: d.words for d in found}
    assert (
        by[101] == "points 30° aside"
        and by[211] == "dimmer"
        and by[405].startswith("lit at the rig")
        and by[301] == "dark at the rig"
    )
    assert "another colour" in by[201] and set(by) == {101, 201, 211, 301, 405}
    same = RigView(show, paper.compiled), paper.frame
    assert (
        differences(same, same) == []
        and in_words([]) == "The rig does what is sent."
        and in_words(found).startswith("5 units differ")
    )


def test_the_stage_goes_out_as_pictures_and_into_other_windows(make_window, tmp_path: Path) -> None:
    window = make_window(as_hung(), page="Stage")
    bench, page = window.bench, window.pages["Stage"]
    assert until(lambda: page.view.pictures.count > 0, 30)
    bench.levels.change(lambda live: live.light_up(["u211", "u212"]))
    shortcut(window, Qt.Key.Key_P, CTRL | ALT)
    box = dialog("picture")
    box.wide.setText("9")
    press(box, "Save as…")
    assert "9x1200 cannot be drawn" in box.trouble.text()
    for name, kind in (("a.png", "png"), ("turn.gif", "turn"), ("chase.gif", "chase")):
        if box is None or not box.isVisible():
            shortcut(window, Qt.Key.Key_P, CTRL | ALT)
            box = dialog("picture")
        bench.selection.select(["u211", "u212"])
        box.kind.setCurrentIndex(box.kind.findData(kind))
        box.wide.setText("160")
        box.high.setText("100")
        box.count.setText("4")
        answer_file_dialog(str(tmp_path / name))
        press(box, "Save as…")
        assert until(
            lambda n=name: (tmp_path / n).exists() and QApplication.activeModalWidget() is None, 60
        )
        box = None
        with Image.open(tmp_path / name) as picture:
            assert (
                picture.size == (160, 100)
                and getattr(picture, "n_frames", 1) == {"png": 1, "turn": 4, "chase": 2}[kind]
            )
            if kind == "png":
                assert np.asarray(picture).max() > 60
    activate(window)
    shortcut(window, Qt.Key.Key_W, CTRL | ALT)
    apart = next(w for w in QApplication.topLevelWidgets() if w.objectName() == "stage apart")
    assert page.view.window() is apart and page.view.isVisible()
    apart.close()
    settle()
    assert page.view.window() is window and page.view.isVisible()
    shortcut(window, Qt.Key.Key_S, CTRL | ALT)
    assert page.split.indexOf(page.plan) == 0 and page.plan.isVisible() and page.view.isVisible()
    click(page.plan, page.plan.to_px(*bench.show.unit("u213").position[:2]))
    assert bench.selection.ids == ["u213"]  # one choice for both
    shortcut(window, Qt.Key.Key_S, CTRL | ALT)
    assert page.plan is None and page.split.count() == 2


def test_a_mesh_is_brought_in_as_a_set_piece(make_window, tmp_path: Path) -> None:
    (tmp_path / "Lighthouse.obj").write_text(
        "v 0 0 0\nv 2 0 0\nv 0 1 0\nv 0 0 4\nf 1 2 3\nf 1 2 4\nf 1 3 4\nf 2 3 4\n"
    )
    (tmp_path / "broken.glb").write_bytes(b"glTF" + bytes(40))
    window = make_window(as_hung(), page="Stage")
    bench, page = window.bench, window.pages["Stage"]
    assert until(lambda: page.view.pictures.count > 0, 30)
    answer_file_dialog(str(tmp_path / "broken.glb"))
    pick_in_menu("Import mesh")
    press(page, "structures of stage")
    assert until(lambda: "mesh" in window.notice.words) and len(bench.show.structures) == len(
        as_hung().structures
    )
    count = page.view.pictures.count
    answer_file_dialog(str(tmp_path / "Lighthouse.obj"))
    pick_in_menu("Import mesh")
    press(page, "structures of stage")
    assert until(lambda: bench.show.structures[-1].kind == "mesh")
    made = bench.show.structures[-1]
    assert (
        made.name == "Lighthouse"
        and made.size == pytest.approx((2, 1, 4))
        and bench.show.files[0].name == made.mesh
    )
    assert bench.selection.structure == made.id and isinstance(
        child(window, "structure Name"), QWidget
    )
    assert until(lambda: page.view.pictures.count > count, 30) and not page.view.pictures.failure
    assert child(window, "view from", Choice).currentText() == "Seats"
