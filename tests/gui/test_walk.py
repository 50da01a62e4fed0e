"""The whole job in one real window: from paper to an answering rig, saved and opened again.

Everything is done by mouse and keys; what is asserted is what the stand-in units did with the packets they received.
"""

from __future__ import annotations

from pathlib import Path

import pytest
from PySide6.QtCore import QPointF, Qt
from PySide6.QtWidgets import QApplication, QTableView

from helpers.hands import (
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
    shortcut,
    type_in_cell,
    until,
)
from helpers.tools import lit
from isthmus.demo import EXTRA_LIST
from isthmus.patch import all_spans, clashes
from isthmus.show import open_show
from isthmus.snags import find_snags
from isthmus.standin import RigClient

CTRL, SHIFT = Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.ShiftModifier


@pytest.mark.timeout(170)
def test_the_walk_from_paper_to_an_answering_rig(
    make_window, rig: RigClient, demo, tmp_path: Path
) -> None:
    window = make_window(demo, rig.address)
    bench = window.bench

    # 1 Readiness: the first snag is the overlap; its link fixes it
    snags = window.readiness.list
    first = snags.snags.snags[0]
    assert first.rule == "overlap" and "313 and 314" in first.text
    click(snags.viewport(), snags.link_rect(snags.snags.index(0)).center())
    assert not clashes(all_spans(bench.show)) and bench.history.undo_name == "move 314 to 3.205"
    assert "(1 not saved)" in window.windowTitle()

    # 2 Patch: read a hang list with faults, take its good lines
    click(window.spine, window.spine.places()["Patch"].center())
    answer_file_dialog(str(EXTRA_LIST))
    press(window, "Read a hang list…")
    listed = dialog("hang list")
    lines = child(listed, "hang list lines", QTableView).model()
    told = [lines.index(y, 7).data() for y in range(lines.rowCount())]
    assert (
        "Unit 603 stands in line 5 already. Give one of them another number." in told
        and sum(not t for t in told) == 4
    )
    press(listed, "Take")
    assert until(lambda: not QApplication.activeModalWidget()) and len(bench.show.units) == 70
    # … and add units by count, number, mode and start address, with a preview
    press(window, "Add units…")
    wish = dialog("add units")
    choose(child(wish, "profile"), "Turnstone")
    choose(child(wish, "mode"), "Three")
    retype(child(wish, "count"), "3")
    retype(child(wish, "first number"), "651")
    retype(child(wish, "address"), "4.002")  # in the middle of what is there
    retype(child(wish, "name pattern"), "Quay can #")
    choose(child(wish, "position"), "Bow rail")
    outcome = next(
        w for w in wish.findChildren(type(wish.trouble)) if "would both claim" in w.text()
    )
    assert (
        "651" in outcome.text() and len(window.bench.show.units) == 70
    )  # a preview changes nothing
    retype(child(wish, "address"), "4.200")
    assert "would both claim" not in outcome.text() and "4.200 to 4.208" in outcome.text()
    key(wish, Qt.Key.Key_Return)
    assert until(lambda: not QApplication.activeModalWidget()) and [
        u.number for u in bench.selection.units()
    ] == [651, 652, 653]
    # … and correct in the table: an address into a clash, which is a snag at once; undone
    patch = child(window, "patch table", QTableView)
    assert isinstance(patch, QTableView)
    row = window.pages["Patch"].units.model.row_of("u102")
    type_in_cell(patch, row, 4, "1.005")
    key(dialog("ways out"), Qt.Key.Key_4)  # allowed
    assert (
        any(s.rule == "overlap" for s in find_snags(bench.show))
        and window.spine.bench.known.snags[0].rule == "overlap"
    )
    shortcut(window, Qt.Key.Key_Z)
    assert not clashes(all_spans(bench.show))
    type_in_cell(patch, row, 1, "Mast high two")
    type_in_cell(patch, row, 6, "Mast bridge")
    unit = bench.show.unit("u102")
    assert unit and (unit.name, unit.hangs_on) == ("Mast high two", "Mast bridge")
    type_in_cell(patch, row, 4, "9.999")
    assert "A universe has addresses 1 to 512" in window.notice.words and unit is bench.show.unit(
        "u102"
    )
    shortcut(window, Qt.Key.Key_Escape, Qt.KeyboardModifier.NoModifier)

    # 3 Routes: drag universe 4 to the free port of the stand-in node
    click(window.spine, window.spine.places()["Routes"].center())
    picture = child(window, "route picture")
    assert any(s.rule == "no-route" for s in find_snags(bench.show))
    drag(
        picture,
        window.pages["Routes"].routes.picture.universe_boxes()[4].center(),
        window.pages["Routes"].routes.picture.port_boxes()["127.0.0.3", 17].center(),
    )
    assert not any(s.rule == "no-route" for s in find_snags(bench.show))

    # 4 Plan and Stage: choose by box, move by drag only while rearranging, one selection everywhere
    click(window.spine, window.spine.places()["Plan"].center())
    canvas = window.pages["Plan"].canvas
    click(window.pages["Plan"].unplaced)
    assert all(u.position for u in bench.show.units)
    bow = [u for u in bench.show.units if 201 <= u.number <= 204]
    xs, ys = [u.position[0] for u in bow], [u.position[1] for u in bow]
    drag(
        canvas,
        canvas.to_px(min(xs) - 0.25, max(ys) + 0.2),
        canvas.to_px(max(xs) + 0.25, min(ys) - 0.2),
    )
    assert {u.number for u in bench.selection.units()} >= {201, 202, 203, 204}
    where = bench.show.unit("u201").position
    click(canvas, canvas.to_px(where[0], where[1]))
    drag(canvas, canvas.to_px(where[0], where[1]), canvas.to_px(where[0], where[1] - 1))
    assert bench.show.unit("u201").position == where  # using: nothing moves
    canvas.setFocus()
    shortcut(window, Qt.Key.Key_R, Qt.KeyboardModifier.NoModifier)
    assert canvas.rearranging
    click(canvas, canvas.to_px(-12, -6))
    click(canvas, canvas.to_px(where[0], where[1]))
    drag(canvas, canvas.to_px(where[0], where[1]), canvas.to_px(where[0] - 0.5, where[1] - 0.4))
    moved = bench.show.unit("u201").position
    assert moved == pytest.approx((where[0] - 0.5, where[1] - 0.4, where[2]), abs=0.06)
    rig_row = list(bench.levels.view.rig.order).index("u201")
    assert tuple(bench.levels.view.rig.positions[rig_row]) == moved  # 3-D is the same arrangement
    shortcut(window, Qt.Key.Key_R, Qt.KeyboardModifier.NoModifier)

    # 5 Hand controls: light up goes out as DMX, and the real unit obeys
    click(window.bar.sign)
    assert window.output.on
    click(window.spine, window.spine.places()["Stage"].center())
    view = window.pages["Stage"].view
    spot, _ = view.camera.project(
        bench.levels.view.rig.positions[[list(bench.levels.view.rig.order).index("u301")]],
        view.width(),
        view.height(),
    )
    click(view, QPointF(*spot[0]))
    assert [u.number for u in bench.selection.units()] == [301] and window.pages[
        "Patch"
    ].units.table.ordinals == {"u301": 1}
    press(window, "Highlight")
    assert until(lambda: set(lit(rig)) == {"301"})
    click(window.hand.colour, QPointF(2, 2))  # red
    slider = window.hand.intensity
    click(slider, QPointF(8 + (slider.width() - 16) * 0.5, 56))

    def batten() -> dict:
        return next(u for u in rig.ask("state")["units"] if u["label"] == "301")

    assert until(lambda: batten()["colour"][0] > 0.9 and batten()["colour"][2] < 0.4), batten()
    bench.selection.select(["u101"])
    pad = window.hand.pan_tilt
    click(pad, QPointF(pad.width() * 0.75, pad.height() * 0.5))
    assert until(
        lambda: (
            120 < next(u["pan"][0] for u in rig.ask("state")["units"] if u["label"] == "101") < 145
        )
    )
    before = window.bench.levels.live.frame.copy()

    # 6 Roll call: the two faults of the rig are found by looking at what it does
    click(window.spine, window.spine.places()["Roll call"].center())
    some = "101-107, 201-210, 301, 401, 501, 601"
    retype(window.pages["Roll call"].call.only, some, Qt.Key.Key_Return)
    assert (
        bench.session.call
        and bench.show.unit(bench.session.call.unit).number == 101
        and bench.selection.ids == [bench.session.call.unit]
    )
    seen: dict[str, str] = {}
    real: set[str] = set()
    for _ in range(len(bench.session.call.order)):
        called = bench.show.unit(bench.session.call.unit)
        label = str(called.number)
        until(
            lambda gone=real - {label}: not gone & set(lit(rig))
        )  # whoever was called before is dark again
        until(
            lambda want=label: want in lit(rig),
            12 if called.number not in (104, 203, 501) and called.number < 600 else 0.5,
        )
        real = set(lit(rig))
        verdict = "works" if real == {label} else "silent" if not real else "wrong"
        if called.number in (
            501,
            *range(600, 700),
        ):  # haze gives no light; the extras do not hang yet
            key(window.pages["Roll call"].call.table, Qt.Key.Key_N)
            continue
        if verdict != "works":
            seen[label] = verdict
            click(window.pages["Roll call"].call.note)
            keys(window.pages["Roll call"].call.note, f"lit: {', '.join(sorted(real)) or 'no one'}")
            press(window, verdict)
        else:
            window.pages["Roll call"].call.table.setFocus()
            key(window.pages["Roll call"].call.table, Qt.Key.Key_A)
    assert seen == {"104": "silent", "203": "silent", "207": "wrong"}
    notes = {bench.show.unit(v.unit).number: v.note for v in bench.show.verdicts if v.note}
    assert notes == {104: "lit: no one", 203: "lit: no one", 207: "lit: 203, 207"}
    press(window, "end call")
    assert bench.session.call is None and (bench.levels.live.frame == before).all()
    assert until(lambda: set(lit(rig)) == {"301"})

    # the stage shows paper and rig apart
    click(window.spine, window.spine.places()["Stage"].center())
    bench.selection.select(["u203"])
    press(window, "Highlight")
    assert until(lambda: set(lit(rig)) == {"301"})  # paper: 203 at 2.023; the rig has it at 2.067
    press(window, "view Simulated rig")
    assert until(lambda: "lit: 301" in window.pages["Stage"].foot.text())
    assert view.rig_view is not None and {
        view.rig_view.rig.numbers[view.rig_view.rig.order.index(u)]
        for u in view.rig_view.glow(view.rig_frame)
    } == {301}

    # 7 save, undo and redo across all of it, open again and compare
    file = tmp_path / "walk.isthmus"
    answer_file_dialog(str(file))
    shortcut(window, Qt.Key.Key_S)
    assert until(lambda: bench.history.unsaved == 0) and "not saved)" not in window.windowTitle()
    saved = bench.show
    assert open_show(file) == saved
    steps = 0
    while bench.history.undo_name:
        shortcut(window, Qt.Key.Key_Z)
        steps += 1
    assert bench.show == demo and steps > 20 and f"({steps} not saved)" in window.windowTitle()
    for _ in range(steps):
        shortcut(window, Qt.Key.Key_Z, CTRL | SHIFT)
    assert bench.show is saved and bench.history.unsaved == 0
    again = make_window(None)
    answer_file_dialog(str(file))
    answer_question("Open read-only")  # the first window has it open
    shortcut(again, Qt.Key.Key_O)
    assert (
        until(lambda: again.bench.show == saved)
        and again.bench.known.crossing.done["answered"] == bench.known.crossing.done["answered"]
    )
