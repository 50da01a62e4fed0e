"""The application around the walk: asking before loss, crashes, the engine's sign, keys alone, themes, small parts."""

from __future__ import annotations

import json
import os
import shutil
import signal
import threading
import time
from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import QItemSelectionModel, QObject, QPointF, Qt, Signal, qWarning
from PySide6.QtGui import QColor, QGuiApplication
from PySide6.QtWidgets import QApplication, QLineEdit, QWidget

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
    keys,
    press,
    retype,
    settle,
    shortcut,
    type_in_cell,
    until,
    wheel,
)
from helpers.tools import until as wait_until
from isthmus.app.kit import settings
from isthmus.app.kit.actions import Action, Registry
from isthmus.app.kit.log import Log, log_file, tail
from isthmus.app.kit.tasks import Step, Task
from isthmus.app.kit.theme import TOKENS
from isthmus.app.kit.widgets import bind
from isthmus.check import mark
from isthmus.demo import EXTRA_LIST
from isthmus.errors import FileFault
from isthmus.patch import edits
from isthmus.routes import propose
from isthmus.show import Show, open_show
from isthmus.show.recovery import left_behind, recovery_folder
from isthmus.snags import find_snags
from isthmus.stage import VIEWS

CTRL, SHIFT, NONE = (
    Qt.KeyboardModifier.ControlModifier,
    Qt.KeyboardModifier.ShiftModifier,
    Qt.KeyboardModifier.NoModifier,
)


# ---------------------------------------------------------------- never losing work


def test_closing_with_unsaved_work_asks_and_only_then(
    make_window, demo: Show, tmp_path: Path
) -> None:
    window = make_window(demo)
    file = tmp_path / "kept.isthmus"
    window.bench.commit("rename", edits.set_text(demo, ["u101"], "name", "Other"))
    heard = answer_question(None)  # Escape: stay
    window.close()
    assert heard == ["Save first?"] and window.isVisible()
    heard = answer_question("Save")
    answer_file_dialog(str(file))
    window.close()
    assert (
        heard
        and until(lambda: not window.isVisible())
        and open_show(file).unit("u101").name == "Other"
    )
    clean = make_window(demo)
    clean.close()  # nothing to lose, nothing asked
    assert not clean.isVisible()


def test_a_save_that_fails_is_told_and_loses_nothing(
    make_window, demo: Show, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    window = make_window(demo)
    window.bench.save(tmp_path / "a.isthmus")
    window.bench.commit("rename", edits.set_text(demo, ["u101"], "name", "Other"))
    with monkeypatch.context() as full:  # `undo` would undo the test's own home as well
        full.setattr(
            "isthmus.show.files.os.fsync", lambda fd: (_ for _ in ()).throw(OSError(28, "full"))
        )
        shortcut(window, Qt.Key.Key_S)
        assert "The disk is full" in window.notice.words and window.bench.history.unsaved == 1
    assert open_show(tmp_path / "a.isthmus") == demo
    (tmp_path / "bad.isthmus").write_bytes(b"no show at all")
    window.bench.guard(lambda: window.open_path(tmp_path / "bad.isthmus"))
    assert "bad.isthmus" in window.notice.words and window.bench.show.unit("u101").name == "Other"
    assert window.bench.path == tmp_path / "a.isthmus"


@pytest.mark.logs
def test_an_unexpected_failure_saves_the_work_says_so_and_goes_on(
    make_window, demo: Show, qtbot
) -> None:
    window = make_window(demo)
    window.bench.commit("rename", edits.set_text(demo, ["u101"], "name", "Before the fall"))
    log = Log()
    window.crash.happened.disconnect()  # this one is meant
    window.crash.happened.connect(window.crash._save)
    window.crash.install()
    try:
        worker = threading.Thread(target=lambda: 1 / 0)
        worker.start()
        worker.join()
        assert until(lambda: "Your work is kept in" in window.notice.words)
        folder = recovery_folder()
        shutil.copytree(window.files.keeper.folder, folder / "copy")  # what a crash now would leave
        [found], told = left_behind(folder)
        assert found.show.unit("u101").name == "Before the fall" and not told
        assert "ZeroDivisionError" in log_file().read_text()
        window.go("Plan")  # it goes on
        task = Task(lambda step: {}["a defect in long work"])
        ended: list[bool] = []
        task.ended.connect(lambda: ended.append(True))
        task.start()  # no one listens to its failure
        assert until(lambda: ended and "a defect in long work" in tail())
        qWarning("a complaint of Qt")
        assert "WARNING Qt: a complaint of Qt" in tail()
        window.actions_.trigger("help.log")
        asked = dialog("log")
        assert "a complaint of Qt" in asked.text.toPlainText()
        asked.reject()
    finally:
        window.crash.remove()
        log.end()


# ---------------------------------------------------------------- output


def test_the_sign_tells_when_the_engine_was_killed_and_came_back(make_window, demo: Show) -> None:
    window = make_window(propose(demo))
    assert window.output.words()[0][0] == "Output off"
    shortcut(window, Qt.Key.Key_Return)
    assert until(lambda: window.output.stats.packets > 20)
    assert "".join(t for t, _ in window.output.words()).startswith("Sending 4 universes, 4")
    before = window.output.stats.pid
    os.kill(before, signal.SIGKILL)
    assert until(
        lambda: window.output.stats.restarts == 1 and window.output.stats.state == "sending", 8
    )
    assert window.output.stats.pid != before and "was restarted at" in window.notice.words
    assert "started again 1 time" in window.bar.sign.toolTip()
    shortcut(window, Qt.Key.Key_Return)
    assert until(lambda: window.output.stats.state == "idle")


def test_the_engine_keeps_its_beat_while_the_interface_is_busy(make_window, demo: Show) -> None:
    window = make_window(demo)
    window.output.switch(True)
    assert until(lambda: window.output.stats.packets > 60)
    words, started = window.output.engine.frames.words, time.monotonic()
    ticks = int(words[32])
    while time.monotonic() - started < 1.0:
        window.pages["Patch"].units.model.reload()
        window.grab()
    assert int(words[32]) - ticks > 22  # half of what it would be on a machine of its own


def test_a_roll_call_in_the_way_a_missing_route_and_nothing_to_call_are_told(
    make_window, demo: Show
) -> None:
    window = make_window(demo)
    bench = window.bench
    bench.selection.select(["u101"])
    window.go("Roll call")
    key(window.pages["Roll call"].call.table, Qt.Key.Key_Return)
    assert bench.session.call
    bench.levels.change(lambda live: live.light_up(["u102"]))
    assert (
        "The roll call holds the levels" in window.notice.words
        and "u102" not in bench.levels.live.lit()
    )
    bench.commit("remove", edits.remove_units(bench.show, {"u105"}))
    assert bench.session.call is None  # a called unit has gone
    bench.adopt(Show(), None)
    window.actions_.trigger("call.begin")
    assert "No unit can be called" in window.notice.words


# ---------------------------------------------------------------- by keys alone


def test_a_unit_is_found_renamed_lit_and_marked_by_keys_alone(make_window, demo: Show) -> None:
    window = make_window(demo)
    bench = window.bench
    shortcut(window, Qt.Key.Key_K)
    field = next(
        w for w in QApplication.topLevelWidgets() if w.objectName() == "finder" and w.isVisible()
    ).findChild(QLineEdit)
    keys(field, "bow wash 3")
    key(field, Qt.Key.Key_Return)
    assert [u.number for u in bench.selection.units()] == [203]
    shortcut(window, Qt.Key.Key_3, CTRL | Qt.KeyboardModifier.AltModifier)
    assert window.spine.current == "Patch"
    table = window.pages["Patch"].units.table
    activate(window)
    table.setFocus()
    key(table, Qt.Key.Key_Right)
    key(table, Qt.Key.Key_F2)
    editor = child(table.viewport(), "", QLineEdit)
    key(editor, Qt.Key.Key_A, CTRL)
    keys(editor, "Bow wash three")
    key(editor, Qt.Key.Key_Return)
    assert bench.show.unit("u203").name == "Bow wash three" and bench.selection.ids != [
        "u203"
    ]  # Enter went down
    key(table, Qt.Key.Key_Up)
    shortcut(window, Qt.Key.Key_U)
    assert set(bench.levels.live.lit()) == {"u203"}
    window.hand.intensity.setFocus()
    for _ in range(3):
        key(window.hand.intensity, Qt.Key.Key_PageDown)
    assert bench.levels.live.level("u203", "Dimmer") == pytest.approx(0.7)
    window.hand.pan_tilt.setFocus()
    key(window.hand.pan_tilt, Qt.Key.Key_Right, SHIFT)
    assert bench.levels.live.axis("u203", "Pan") == pytest.approx(10, abs=0.1)
    window.hand.colour.setFocus()
    for _ in range(8):
        key(window.hand.colour, Qt.Key.Key_Up)
    red, green, _ = bench.levels.live.state_of("u203").rgb[0, 0]
    assert red > 1.5 * green
    shortcut(window, Qt.Key.Key_Backspace)
    assert not bench.levels.live.lit()
    shortcut(window, Qt.Key.Key_7, CTRL | Qt.KeyboardModifier.AltModifier)
    window.go("Roll call")
    key(window.pages["Roll call"].call.table, Qt.Key.Key_Return)
    for code in (Qt.Key.Key_A, Qt.Key.Key_N, Qt.Key.Key_B, Qt.Key.Key_S):
        shortcut(window, code, NONE)
    assert {bench.show.unit(v.unit).number: v.result for v in bench.show.verdicts} == {
        101: "works",
        102: "silent",
    }
    shortcut(window, Qt.Key.Key_E)
    assert bench.session.call is None and not bench.levels.live.lit()
    bench.session.begin(start="u102")
    shortcut(window, Qt.Key.Key_C, NONE)
    assert [bench.show.unit(v.unit).number for v in bench.show.verdicts] == [
        101
    ] and bench.session.call.unit == "u102"


def test_typing_a_note_never_marks(make_window, demo: Show) -> None:
    window = make_window(demo, page="Roll call")
    press(window, "begin call")
    click(window.pages["Roll call"].call.note)
    keys(window.pages["Roll call"].call.note, "a saw, slow and nasty")
    assert (
        not window.bench.show.verdicts
        and window.pages["Roll call"].call.note.text() == "a saw, slow and nasty"
    )
    press(window, "wrong")
    assert (
        window.bench.show.verdicts[0].note == "a saw, slow and nasty"
        and window.pages["Roll call"].call.note.text() == ""
    )


def test_the_finder_finds_who_sits_on_an_address_pages_snags_and_acts(
    make_window, demo: Show
) -> None:
    from isthmus.app.shell.finder import find

    window = make_window(demo)
    seek = lambda text: find(text, window.bench, window.actions_, window.spine.titles, window.go)  # noqa: E731
    assert seek("1.030")[0].words == "1.030 belongs to 102 Mast high 2"
    assert seek("314")[0].words.startswith("314 ") and seek("routes")[0].kind == "page"
    assert (
        any(h.kind == "snag" for h in seek("both use")) and seek("highlight") == []
    )  # nothing selected
    window.bench.selection.select(["u101"])
    assert seek("highlight")[0].kind == "action" and seek("zzz") == []
    seek("1.030")[0].run()
    assert window.spine.current == "Patch" and window.bench.selection.ids == ["u102"]


def test_every_act_is_declared_once_and_shown_on_the_page_of_keys(make_window, demo: Show) -> None:
    window = make_window(demo)
    shortcut(window, Qt.Key.Key_F1, NONE)
    page = dialog()
    words = {w.text() for w in page.findChildren(QWidget) if hasattr(w, "text")}
    for action in (a for a in window.actions_.all() if a.button is None):
        assert action.text in words and (not action.key or action.key in words)
    page.reject()
    registry = Registry(QWidget(), lambda run: run())
    registry.add(Action("a", "A", lambda: None, "Ctrl+1"))
    for bad in (Action("a", "B", lambda: None), Action("b", "B", lambda: None, "Ctrl+1")):
        with pytest.raises(ValueError):
            registry.add(bad)


# ---------------------------------------------------------------- pages


def test_the_table_copies_and_pastes_as_spreadsheets_do(make_window, demo: Show) -> None:
    window = make_window(demo, page="Patch")
    bench, table = window.bench, window.pages["Patch"].units.table
    bench.selection.select(["u201", "u202"])
    activate(window)
    table.setFocus()
    key(table, Qt.Key.Key_C, CTRL)
    assert QGuiApplication.clipboard().text() == "201\n202\n"  # the block, as spreadsheets have it
    key(table, Qt.Key.Key_X, CTRL | Qt.KeyboardModifier.AltModifier)
    copied = [line.split("\t") for line in QGuiApplication.clipboard().text().splitlines()]
    assert (
        copied[0][:2] == ["Unit", "Name"]
        and [row[0] for row in copied[1:]] == ["201", "202"]
        and copied[1][4] == "2.001"
    )
    table.setCurrentIndex(
        window.pages["Patch"].units.model.index(window.pages["Patch"].units.model.row_of("u201"), 4)
    )
    QGuiApplication.clipboard().setText("2.301\n2.321\n2.341")
    key(table, Qt.Key.Key_V, CTRL)
    assert [bench.show.unit(f"u20{i}").patch[0].address for i in (1, 2, 3)] == [301, 321, 341]
    assert bench.history.undo_name == "paste 3 cells"
    QGuiApplication.clipboard().setText("2.400\nnonsense")
    before = bench.show
    key(table, Qt.Key.Key_V, CTRL)
    assert bench.show is before and "nonsense" in window.notice.words  # all or nothing
    bench.selection.select(["u401", "u402"])
    gel = window.pages["Patch"].units.model.index(
        window.pages["Patch"].units.model.row_of("u401"), 7
    )
    table.selectionModel().setCurrentIndex(gel, QItemSelectionModel.SelectionFlag.ClearAndSelect)
    bench.selection.select(["u401", "u402"])
    QGuiApplication.clipboard().setText("Kelp 7")
    key(table, Qt.Key.Key_V, CTRL)
    assert [bench.show.unit(u).gel for u in ("u401", "u402")] == ["Kelp 7", "Kelp 7"]


def test_the_filter_is_loud_sorting_sorts_and_the_ruler_takes_units_in_hand(
    make_window, demo: Show
) -> None:
    window = make_window(demo, page="Patch")
    page = window.pages["Patch"]
    retype(page.units.needle, "lapwing wide")
    assert (
        {u.number for u in page.units.model.rows} == {208, *range(211, 217)}
        and page.units.sign.loud
        and "59 of 66" in page.units.sign.words.text()
    )
    press(window, "Show all rows")
    assert not page.units.sign.loud and len(page.units.model.rows) == 66
    press(window, "Snags only")
    assert {u.number for u in page.units.model.rows} >= {
        313,
        314,
        502,
        421,
    } and page.units.sign.loud
    press(window, "Snags only")
    page.units.table.sortByColumn(4, Qt.SortOrder.DescendingOrder)
    assert page.units.model.rows[0].patch == () and page.units.model.rows[1].number == 501
    page.units.table.sortByColumn(0, Qt.SortOrder.AscendingOrder)
    page.units.ruler.set_universe(2)
    k = page.units.ruler.width() / 128
    click(page.units.ruler, QPointF(k * 12, 32 + 20))  # slot 12 to 13: unit 202
    assert window.bench.selection.ids == ["u202"]
    click(page.units.ruler, QPointF(k * 24, 32 + 20), CTRL)
    assert window.bench.selection.ids == ["u202", "u203"] and page.units.table.ordinals == {
        "u202": 1,
        "u203": 2,
    }
    key(page.units.ruler, Qt.Key.Key_Right)
    assert page.units.ruler.universe == 3
    rows = [page.units.model.row_of(u) for u in ("u101", "u103")]
    page.units.table.scrollToTop()
    for row, modifier in zip(rows, (NONE, CTRL), strict=True):
        click(
            page.units.table.viewport(),
            QPointF(page.units.table.visualRect(page.units.model.index(row, 1)).center()),
            modifier,
        )
    assert window.bench.selection.ids == ["u101", "u103"]


def test_the_inspector_edits_all_in_hand_at_once_and_shows_what_differs(
    make_window, demo: Show
) -> None:
    window = make_window(demo)
    bench, fields = window.bench, window.inspector.fields
    bench.selection.select(["u201", "u202", "u211"])
    assert (
        fields["Mode"].placeholderText().startswith("≠")
        and fields["Mode"].property("mixed")
        and fields["Unit"].text() == "201–202, 211"
    )
    retype(fields["Address"], "3.401")
    assert [bench.show.unit(u).patch[0].address for u in ("u201", "u202", "u211")] == [
        401,
        412,
        423,
    ]
    retype(fields["Height z"], "6,5")
    assert {bench.show.unit(u).position[2] for u in bench.selection.ids} == {6.5} and len(
        {bench.show.unit(u).position[0] for u in bench.selection.ids}
    ) == 3
    before = bench.show
    retype(fields["Upstage y"], "far")
    assert (
        "is not a distance" in window.notice.words
        and bench.show is before
        and fields["Upstage y"].text() != "far"
    )
    retype(fields["Unit"], "801-803")
    assert sorted(u.number for u in bench.selection.units()) == [801, 802, 803]
    bench.selection.select(["u208"])
    rows = {name: state for name, _, _, state in window.inspector.paper.rows}
    assert rows["Mode"] == "attention" and rows["Model"] == "same"
    settle()
    press(window.inspector, "Use Short from the paper")
    assert bench.show.unit("u208").mode == "Short"


def test_routes_are_typed_switched_and_taken_away_and_wrong_entries_stay_out(
    make_window, demo: Show
) -> None:
    window = make_window(demo, page="Routes")
    bench, page = window.bench, window.pages["Routes"]
    type_in_cell(page.routes.table, 0, 6, "0.1.1")
    assert bench.show.outputs[0].port_address == 17
    type_in_cell(page.routes.table, 0, 5, "300.1.1.1")
    assert (
        "not an IPv4 address" in window.notice.words
        and bench.show.outputs[0].host == "127.0.0.2"
        and page.routes.table.model().index(0, 5).data() == "127.0.0.2"
    )
    box = page.routes.table.visualRect(page.routes.table.model().index(1, 9))
    click(page.routes.table.viewport(), QPointF(box.left() + 10, box.center().y()))
    assert not bench.show.outputs[1].enabled and any(
        "switched off" in s.text for s in bench.known.snags
    )
    press(window, "Route unrouted universes")
    assert bench.show.outputs[-1].universe == 4
    press(window, "Add an output…")
    entry = dialog()
    retype(child(entry, "Universe"), "1")
    retype(child(entry, "Host"), "127.0.0.9")
    retype(child(entry, "Port-address"), "99999")
    press(entry, "Add it")
    assert "not an Art-Net port-address" in entry.trouble.text() and len(bench.show.outputs) == 4
    retype(child(entry, "Port-address"), "40")
    press(entry, "Add it")
    assert until(lambda: len(bench.show.outputs) == 5)
    line = page.routes.picture.lines()[bench.show.outputs[1].id]
    click(page.routes.picture, line.pointAtPercent(0.5))
    assert page.routes.picture.chosen == bench.show.outputs[1].id
    key(page.routes.picture, Qt.Key.Key_Delete)
    assert len(bench.show.outputs) == 4
    press(window, "Add a node…")
    entry = dialog()
    retype(child(entry, "Name"), "Ferry C")
    retype(child(entry, "Address"), "127.0.0.4")
    press(entry, "Add it")
    assert until(lambda: bench.show.nodes[-1].name == "Ferry C") and bench.show.nodes[-1].ports == (
        0,
        1,
        2,
        3,
    )


def test_the_plan_zooms_about_the_pointer_fits_and_nudges_in_steps(make_window, demo: Show) -> None:
    window = make_window(demo, page="Plan")
    canvas, bench = window.pages["Plan"].canvas, window.bench
    at = QPointF(120, 90)
    before = canvas.to_metres(at)
    for turn in (120, 120, -120):
        wheel(canvas, turn, at)
    assert canvas.to_metres(at) == pytest.approx(before, abs=1e-6) and canvas.port.scale > 40
    x, y = canvas.to_metres(canvas.to_px(3.25, -1.5))
    assert (x, y) == pytest.approx((3.25, -1.5))
    shortcut(window, Qt.Key.Key_0)
    corners = [canvas.to_px(u.position[0], u.position[1]) for u in bench.show.units if u.position]
    assert all(canvas.rect().contains(c.toPoint()) for c in corners)
    bench.selection.select(["u214"])
    bench.plan.rearrange(True)
    canvas.setFocus()
    start = bench.show.unit("u214").position
    key(canvas, Qt.Key.Key_Right)
    key(canvas, Qt.Key.Key_Up, SHIFT)
    assert bench.show.unit("u214").position == pytest.approx(
        (start[0] + 0.05, start[1] + 0.5, start[2])
    )
    drag(
        canvas,
        canvas.to_px(start[0] + 0.05, start[1] + 0.5),
        canvas.to_px(start[0] + 2.05, start[1] + 1.0),
        SHIFT,
    )
    moved = bench.show.unit("u214").position
    assert (
        moved[1] == pytest.approx(start[1] + 0.5) and moved[0] - start[0] > 1.5
    )  # Shift keeps to one direction
    shortcut(window, Qt.Key.Key_Z)
    assert bench.show.unit("u214").position[0] == pytest.approx(start[0] + 0.05)


def test_the_stage_draws_turns_chooses_and_says_when_it_cannot(
    make_window, demo: Show, monkeypatch: pytest.MonkeyPatch
) -> None:
    window = make_window(demo, page="Stage")
    view = window.pages["Stage"].view
    view.choice.room_set = True  # no working light: what is lit is to be measured
    assert until(lambda: view.pictures.count > 0, 30)
    settle(0.5)
    count = view.pictures.count
    settle(0.6)
    assert view.pictures.count == count  # a still scene costs nothing
    dark = view.grab().toImage()
    window.bench.selection.select(["u214"])
    shortcut(window, Qt.Key.Key_U)
    count = view.pictures.count
    assert until(lambda: view.pictures.count > count + 3)
    lit = view.grab().toImage()
    bright = lambda image: sum(  # noqa: E731
        QColor(image.pixel(x, y)).value()
        for x in range(8, image.width(), 16)
        for y in range(8, image.height(), 16)
    )
    assert bright(lit) > bright(dark) + 200
    camera = view.camera
    drag(view, QPointF(400, 300), QPointF(460, 290))
    assert view.camera.bearing != camera.bearing and window.bench.selection.ids == ["u214"]
    key(view, Qt.Key.Key_Left)
    choose(window.pages["Stage"].places, "Top")
    key(window.pages["Stage"].places, Qt.Key.Key_Return)
    window.pages["Stage"].see_from(window.pages["Stage"].places.currentText())
    assert view.camera == VIEWS["Top"]
    click(view, QPointF(3, 3))
    assert window.bench.selection.ids == []
    monkeypatch.setenv("__EGL_VENDOR_LIBRARY_FILENAMES", "/nowhere.json")
    blind = make_window(demo, page="Stage")
    assert until(lambda: blind.pages["Stage"].view.pictures.failure, 20)
    blind.go("Plan")
    blind.go("Stage")
    assert blind.pages["Stage"].view.grab().toImage().width() > 100  # the page says why instead


def test_a_rig_that_goes_away_is_told_and_its_coming_back_is_seen(make_window, demo: Show) -> None:
    window = make_window(demo, ("127.0.0.1", 1), "Stage")
    press(window, "view Simulated rig")
    assert until(lambda: "no simulator answers" in window.pages["Stage"].foot.text())


def test_the_hand_controls_keep_order_and_shut_to_chips(make_window, demo: Show) -> None:
    window = make_window(demo)
    bench, hand = window.bench, window.hand
    bench.selection.select(["u203", "u204", "u202", "u205"])
    press(hand, "Reverse")
    assert bench.selection.ids == ["u205", "u202", "u204", "u203"]
    press(hand, "Every other")
    assert bench.selection.ids == ["u205", "u204"]
    click(hand.chips, QPointF(20, 10))
    assert bench.selection.ids == ["u204"]
    press(hand, "Highlight")
    bench.selection.select(["u204", "u205"])
    assert hand.intensity.value is None  # they differ
    height = hand.height()
    shortcut(window, Qt.Key.Key_J)
    assert hand.height() < height and hand.small.isVisible()
    bench.selection.select(["u401"])
    assert hand.pan_tilt.points == [] and not hand.colour.can


def test_readiness_goes_where_a_snag_is_mended_by_hand(make_window, demo: Show) -> None:
    window = make_window(mark(demo, "u104", "silent", "no light"))
    listed = window.readiness.list
    row = next(i for i, s in enumerate(listed.snags.snags) if s.rule == "silent")
    listed.setCurrentIndex(listed.snags.index(row))
    listed.setFocus()
    key(listed, Qt.Key.Key_Return)
    assert window.spine.current == "Roll call" and window.bench.selection.ids == ["u104"]
    window.go("Readiness")
    while mendable := next((s for s in window.bench.known.snags if s.fix), None):
        window.readiness.follow(mendable)
    assert [s.rule for s in window.bench.known.snags] == ["silent"] and window.readiness.head.parts[
        -2
    ] == "1"
    assert window.readiness.list.snags.rowCount() == len(find_snags(window.bench.show))


def test_lists_dropped_on_the_wrong_file_are_told(make_window, demo: Show, tmp_path: Path) -> None:
    window = make_window(demo, page="Patch")
    (tmp_path / "x.csv").write_text("a,b\n1,2\n")
    window.pages["Patch"].open_list(
        tmp_path / "x.csv"
    )  # a table of anything opens, so that its columns can be chosen
    assert "No column is surely Unit and Type" in dialog("hang list").counts.text()
    dialog("hang list").reject()
    with pytest.raises(FileFault):
        window.pages["Patch"].open_list(tmp_path / "gone.csv")
    window.pages["Patch"].open_list(EXTRA_LIST)
    dialog("hang list").reject()
    assert len(window.bench.show.units) == 66


# ---------------------------------------------------------------- looks


def contrast(a: str, b: str) -> float:
    """WCAG 2.2, contrast ratio."""

    def luminance(value: str) -> float:
        code = np.array([int(value[i : i + 2], 16) for i in (1, 3, 5)]) / 255
        linear = np.where(code <= 0.04045, code / 12.92, ((code + 0.055) / 1.055) ** 2.4)
        return float(linear @ [0.2126, 0.7152, 0.0722])

    high, low = sorted((luminance(a), luminance(b)), reverse=True)
    return (high + 0.05) / (low + 0.05)


@pytest.mark.parametrize("name", ["night", "day"])
def test_text_and_marks_reach_their_contrast_on_every_ground_they_stand_on(name: str) -> None:
    c = TOKENS["themes"][name]
    for text in ("text", "text2", "text3", "coral_text", "teal", "ochre", "fault"):
        for ground in ("abyss", "deep", "shelf", "shoal", "select_row", "bank"):
            if (text, ground) not in {("text3", "bank"), ("text3", "select_row")}:
                assert contrast(c[text], c[ground]) >= 4.5, (text, ground)
    for on, ground in (
        ("on_coral", "coral"),
        ("on_coral", "coral_hover"),
        ("on_teal", "teal"),
        ("on_ochre", "ochre"),
        ("on_fault", "fault"),
    ):
        assert contrast(c[on], c[ground]) >= 4.5, on
    for hue in c["universe"]:
        assert (
            contrast(c["text"], hue["fill_a"]) >= 4.5 and contrast(c["text"], hue["fill_b"]) >= 4.5
        )
    for ground in ("deep", "shelf", "abyss"):
        assert contrast(c["line_strong"], c[ground]) >= 3


def test_no_colour_is_written_outside_the_tokens() -> None:
    import re

    for file in Path("src/isthmus/app").rglob("*.py"):
        found = re.findall(r"#[0-9a-fA-F]{6}\b", file.read_text())
        assert not found, (file, found)


# ---------------------------------------------------------------- small parts


def test_long_work_tells_its_progress_can_be_cancelled_and_brings_back_errors(qtbot) -> None:
    told: list[float] = []

    def work(step: Step) -> int:
        for i in range(200):
            step(i / 200, "counting")
            time.sleep(0.002)
        return 42

    task = Task(work)
    task.progressed.connect(lambda f, w: told.append(f))
    with qtbot.waitSignal(task.done) as caught:
        task.start()
    assert caught.args == [42] and told == sorted(told) and len(told) == 200
    stopped = Task(work)
    outcome: list[object] = []
    stopped.done.connect(outcome.append)
    stopped.failed.connect(outcome.append)
    with qtbot.waitSignal(stopped.ended):
        stopped.start()
        stopped.cancel()
    assert outcome == []

    def full(step: Step) -> None:
        raise FileFault("the disk is full.")

    broken = Task(full)
    broken.failed.connect(outcome.append)
    with qtbot.waitSignal(broken.ended):
        broken.start()
    assert [str(error) for error in outcome] == ["the disk is full."]


def test_a_bound_view_is_not_called_after_its_end(qtbot) -> None:
    class Source(QObject):
        news = Signal()

    source, owner, heard = Source(), QObject(), []
    bind(source.news, owner, lambda: heard.append(1))
    source.news.emit()
    owner.deleteLater()
    qtbot.wait(20)
    source.news.emit()
    assert heard == [1]


def test_settings_that_do_not_read_fall_back_and_are_kept_beside() -> None:
    file = settings.config_file()
    file.parent.mkdir(parents=True)
    for bad in ("{", json.dumps({"window": "wide"}), "\0"):
        file.write_text(bad)
        told: list[str] = []
        aside = file.with_suffix(".json.bad")
        assert settings.load(told.append) == settings.Settings() and aside.read_text() == bad
        assert "were damaged" in told[0] and str(aside) in told[0]
    file.write_text(json.dumps({"theme": "noon", "window": [10, 99999], "later": 1}))
    assert settings.load() == settings.Settings(window=(800, 4320))
    settings.save(settings.Settings(theme="day", last_show="/x"))
    assert settings.load().theme == "day"


def test_the_demo_program_starts_with_its_rig_and_ends_cleanly_on_a_signal(tmp_path: Path) -> None:
    import subprocess
    import sys

    application = subprocess.Popen(
        [sys.executable, "-m", "isthmus.app.shell.main", "--demo"],
        stderr=subprocess.PIPE,
        text=True,
    )
    try:
        assert wait_until(lambda: _listens("127.0.0.2"), 15)
        time.sleep(1.5)
    finally:
        application.terminate()
        _, errors = application.communicate(
            timeout=40
        )  # on a busy machine its processes take a while
    assert application.returncode == 0 and "Traceback" not in errors
    assert wait_until(lambda: not _listens("127.0.0.2"), 5)


def _listens(address: str) -> bool:
    wanted = "".join(f"{int(part):02X}" for part in reversed(address.split("."))) + ":1936"
    return wanted in Path("/proc/net/udp").read_text()
