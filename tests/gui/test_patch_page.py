"""The Patch page in a real window: by keyboard alone, block by block, dragged, limited, re-addressed, compared with the paper."""

from __future__ import annotations

import random
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from PySide6.QtCore import QItemSelection, QItemSelectionModel, QPointF, Qt
from PySide6.QtGui import QGuiApplication
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QLineEdit

from helpers.hands import (
    activate,
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
)
from isthmus.app.kit import settings
from isthmus.demo import EXTRA_LIST, lantern_tide
from isthmus.patch import all_spans, clashes, edits, free_runs, index_of
from isthmus.patch.paper import differences
from isthmus.show import Show, open_show

CTRL, SHIFT, ALT = (
    Qt.KeyboardModifier.ControlModifier,
    Qt.KeyboardModifier.ShiftModifier,
    Qt.KeyboardModifier.AltModifier,
)
COLUMN = {"number": 0, "name": 1, "mode": 3, "address": 4, "hangs_on": 6, "gel": 7}


def typed(text: str) -> None:
    """Typed wherever the focus is."""
    QTest.keyClicks(QApplication.focusWidget(), text)
    settle(0.02)


def pressed(
    code: Qt.Key, modifier: Qt.KeyboardModifier = Qt.KeyboardModifier.NoModifier, times: int = 1
) -> None:
    for _ in range(times):
        QTest.keyClick(QApplication.focusWidget(), code, modifier)
    settle(0.02)


def tab_to(name: str) -> None:
    """Walk with the tab key until the focus is there."""
    for _ in range(60):
        widget = QApplication.focusWidget()
        if widget and (
            widget.objectName() == name
            or (widget.parentWidget() and widget.parentWidget().objectName() == name)
        ):
            return
        pressed(Qt.Key.Key_Tab)
    raise AssertionError(f"the tab key never comes to {name}")


def fill(name: str, text: str) -> None:
    tab_to(name)
    pressed(Qt.Key.Key_A, CTRL)
    typed(text)


def block(table, rows: tuple[int, int], columns: tuple[int, int]) -> None:
    model = table.model()
    chosen = QItemSelection(model.index(rows[0], columns[0]), model.index(rows[1], columns[1]))
    activate(table)
    table.setFocus()
    table.selectionModel().setCurrentIndex(
        model.index(rows[0], columns[0]), QItemSelectionModel.SelectionFlag.NoUpdate
    )
    table.selectionModel().select(chosen, QItemSelectionModel.SelectionFlag.ClearAndSelect)
    settle(0.02)


@pytest.mark.timeout(170)
def test_sixty_lines_of_paper_are_patched_by_keyboard_alone_and_the_mix_up_shows(
    make_window,
) -> None:
    rng = random.Random(5)
    at, spots = {1: 1, 2: 1, 3: 1}, []
    for i in range(60):  # irregular, as a plot that grew: gaps of every size, universes in turn
        universe = 1 + i % 3
        spots.append(f"{universe}.{at[universe]:03d}")
        at[universe] += 11 + rng.randint(0, 12)
    rows = ["Unit,Type,Mode,Address,Position"]
    rows += [
        f"{101 + i},{'Cormorant 3' if i == 37 else 'Lapwing 19'},{'Standard' if i == 37 else 'Short'},{spots[i]},Bow rail"
        for i in range(60)
    ]
    window = make_window(Show(), page="Patch")
    bench, table = window.bench, window.pages["Patch"].units.table
    shortcut(window, Qt.Key.Key_A, CTRL | SHIFT)
    dialog("add units")
    fill("profile", "Lapwing 19")
    pressed(Qt.Key.Key_Down)
    popup = QApplication.activePopupWidget()
    if popup:
        QTest.keyClick(popup, Qt.Key.Key_Return)
    fill("count", "101-160")
    tab_to("mode")
    pressed(Qt.Key.Key_S)  # Short
    tab_to("where they go")
    pressed(Qt.Key.Key_End)  # without an address
    fill("position", "Bow rail")
    pressed(Qt.Key.Key_Return)
    assert until(lambda: len(bench.show.units) == 60)
    assert {u.mode for u in bench.show.units} == {"Short"} and not any(
        u.patch for u in bench.show.units
    )
    shortcut(window, Qt.Key.Key_1, ALT)
    pressed(Qt.Key.Key_Home, CTRL)
    pressed(Qt.Key.Key_Right, times=COLUMN["address"])
    QGuiApplication.clipboard().setText("\n".join(spots) + "\n")
    pressed(Qt.Key.Key_V, CTRL)  # the column of addresses in one go
    assert [
        f"{u.patch[0].universe}.{u.patch[0].address:03d}"
        for u in sorted(bench.show.units, key=lambda u: u.number)
    ] == spots
    assert not clashes(all_spans(bench.show)) and bench.history.undo_name == "paste 60 cells"
    QGuiApplication.clipboard().setText("\n".join(rows))
    shortcut(window, Qt.Key.Key_V, CTRL | ALT)
    listed = dialog("hang list")
    assert "60 units read, 0 of them new" in listed.counts.text()
    pressed(Qt.Key.Key_Return)
    assert until(lambda: len(bench.show.paper.rows) == 60)
    shortcut(window, Qt.Key.Key_3, ALT)
    (found,) = differences(bench.show)
    assert (found.number, found.field, found.paper, found.patch) == (
        138,
        "type",
        "Cormorant 3",
        "Lapwing 19",
    )
    assert window.pages["Patch"].paper.model.rows == [found]
    assert (
        any(s.rule == "paper-type" and "138" in s.text for s in bench.known.snags)
        and table.model().rowCount() == 60
    )


def test_blocks_are_filled_typed_over_replaced_and_undone_as_one(make_window, demo: Show) -> None:
    window = make_window(demo, page="Patch")
    page, bench = window.pages["Patch"], window.bench
    table, model = page.units.table, page.units.model
    first = model.row_of("u201")
    block(table, (first, first + 3), (COLUMN["name"], COLUMN["name"]))
    shortcut(window, Qt.Key.Key_D, CTRL | ALT)
    assert [bench.show.unit(f"u20{i}").name for i in (1, 2, 3, 4)] == [
        f"Bow wash {i}" for i in (1, 2, 3, 4)
    ]
    block(table, (first, first + 3), (COLUMN["hangs_on"], COLUMN["gel"]))
    before = bench.show
    QGuiApplication.clipboard().setText("Stern\tKelp 7\nStern\tMarl 34 + Dusk 3\n")
    key(table, Qt.Key.Key_V, CTRL)
    assert [(bench.show.unit(u).hangs_on, bench.show.unit(u).gel) for u in ("u201", "u202")] == [
        ("Stern", "Kelp 7"),
        ("Stern", "Marl 34 + Dusk 3"),
    ]
    shortcut(window, Qt.Key.Key_D, CTRL)  # fill down
    assert {bench.show.unit(f"u20{i}").gel for i in (1, 2, 3, 4)} == {"Kelp 7"}
    bench.undo()
    bench.undo()
    assert bench.show is before  # the very value
    block(table, (first, first + 3), (COLUMN["address"], COLUMN["address"]))
    type_first = table.currentIndex()
    table.edit(type_first)
    editor = child(table.viewport(), "", QLineEdit)
    editor.selectAll()
    keys(editor, "4.201")
    key(
        editor, Qt.Key.Key_Return, CTRL
    )  # over the whole block: four units at one address are asked about like any clash
    assert until(lambda: QApplication.activeModalWidget() is not None)
    key(QApplication.activeModalWidget(), Qt.Key.Key_1)
    assert [bench.show.unit(f"u20{i}").patch[0].address for i in (1, 2, 3, 4)] == [
        201,
        212,
        223,
        234,
    ]
    bench.undo()
    model.write([(model.row_of("u201"), COLUMN["address"], "4.201")])
    block(
        table,
        (model.row_of("u201"), model.row_of("u201") + 3),
        (COLUMN["address"], COLUMN["address"]),
    )
    shortcut(window, Qt.Key.Key_D, CTRL | ALT)
    assert [bench.show.unit(f"u20{i}").patch[0].address for i in (1, 2, 3, 4)] == [
        201,
        212,
        223,
        234,
    ]
    shortcut(window, Qt.Key.Key_H, CTRL | ALT)
    find = dialog("find and replace")
    retype(child(find, "find"), "bow wash")
    retype(child(find, "replace with"), "Bow light")
    find.where.setCurrentIndex(find.where.findData(""))
    assert "4 cells" in find.primary.text()
    press(find, "Replace")
    assert (
        until(lambda: bench.show.unit("u203").name == "Bow light 3")
        and bench.show.unit("u208").name == "Bow wash 8"
    )
    key(table, Qt.Key.Key_Delete)
    assert not any(bench.show.unit(f"u20{i}").patch for i in (1, 2, 3, 4))


def test_columns_headings_and_the_filter_are_chosen_and_the_columns_kept(
    make_window, demo: Show
) -> None:
    window = make_window(demo, page="Patch")
    page = window.pages["Patch"]
    page.units.show_columns(["name", "address", "note", "verdict", "locked"])
    assert [page.units.model.headerData(i, Qt.Orientation.Horizontal) for i in range(6)] == [
        "Unit",
        "Name",
        "Address",
        "Locked",
        "Note",
        "Verdict",
    ]
    assert settings.load().patch_columns == (
        "number",
        "name",
        "address",
        "locked",
        "note",
        "verdict",
    )
    choose(page.units.grouping, "By universe")
    settle(0.1)
    assert {
        page.units.model.heading(page.units.model.rows[row]) for row in page.units.table.headed
    } == {*(f"Universe {n}" for n in (1, 2, 3, 4)), "No address"}
    retype(page.units.needle, "201-216 but 203")
    assert page.units.sign.loud and {u.number for u in page.units.model.rows} == {
        201,
        202,
        *range(204, 209),
        *range(211, 217),
    }
    assert "13 units" in page.units.understood.text()
    retype(page.units.needle, "")
    assert not page.units.sign.loud


def test_retyping_onto_others_asks_and_one_key_answers(make_window, demo: Show) -> None:
    window = make_window(demo, page="Patch")
    bench, table, model = (
        window.bench,
        window.pages["Patch"].units.table,
        window.pages["Patch"].units.model,
    )
    before = bench.show
    type_in_cell(table, model.row_of("u203"), COLUMN["address"], "2.060")
    asked = dialog("ways out")
    assert {w.key for w in asked.placing.ways if w.show} == {
        "room",
        "take",
        "allow",
    } and bench.show is before
    QTest.keyClick(asked, Qt.Key.Key_2)  # cannot be done here
    assert QApplication.activeModalWidget() is asked
    QTest.keyClick(asked, Qt.Key.Key_1)
    assert until(lambda: QApplication.activeModalWidget() is None)
    assert (
        bench.show.unit("u203").patch[0].address == 60
        and bench.show.unit("u206").patch[0].address == 209
    )
    bench.undo()
    assert bench.show is before  # one step
    type_in_cell(table, model.row_of("u203"), COLUMN["address"], "2.001")
    asked = dialog("ways out")
    QTest.keyClick(asked, Qt.Key.Key_Escape)
    assert until(lambda: QApplication.activeModalWidget() is None) and bench.show is before
    bench.selection.select(["u203"])
    shortcut(window, Qt.Key.Key_K, CTRL | SHIFT)
    type_in_cell(table, model.row_of("u203"), COLUMN["address"], "2.400")
    assert "locked" in window.notice.words and bench.show.unit("u203").patch[0].address == 23


def test_a_span_is_dragged_zoomed_into_and_told_of(make_window, demo: Show) -> None:
    window = make_window(demo, page="Patch")
    page, bench = window.pages["Patch"], window.bench
    page.show_view("Universes")
    settle(0.1)
    chart = page.universes.map
    start = chart.rect_of(2, 12, 11)  # 202
    target = chart.rect_of(4, 101, 11)
    words = chart.words_at(QPointF(start.center()))
    assert (
        "202 Bow wash 2" in words
        and "2.012 to 022, 11 slots" in words
        and "free" in chart.words_at(QPointF(target.center()))
    )
    offset = QPointF(chart.scale * 0.5, 0)
    drag(
        chart.viewport(),
        start.topLeft() + offset + QPointF(0, 8),
        target.topLeft() + offset + QPointF(0, 8),
        steps=12,
    )
    patch = bench.show.unit("u202").patch[0]
    assert (
        (patch.universe, patch.address) == (4, 101)
        and bench.history.undo_name == "move 202 to 4.101"
        and bench.selection.ids == ["u202"]
    )
    there = chart.rect_of(2, 1, 11)
    drag(
        chart.viewport(),
        chart.rect_of(2, 23, 11).topLeft() + offset + QPointF(0, 8),
        there.topLeft() + offset + QPointF(0, 8),
        steps=12,
    )
    QTest.keyClick(dialog("ways out"), Qt.Key.Key_3)  # 201 loses its place
    assert (
        until(lambda: not bench.show.unit("u201").patch)
        and bench.show.unit("u203").patch[0].address == 1
    )
    press(page, "Channels with values")
    assert chart.scale > 26 and "attribute" in page.universes.scale.text()
    bench.levels.change(lambda live: live.light_up(["u204"]))
    chart.go_to(2, 34)
    settle(0.1)
    at = chart.rect_of(2, 34 + 4, 1).center()
    assert "dimmer" in chart.words_at(at) or "shutter" in chart.words_at(at)
    key(chart, Qt.Key.Key_Minus)
    press(page, "All universes")
    assert chart.fitted


def test_limits_typed_in_degrees_bind_what_is_sent_and_are_seen_and_taken_off(
    make_window, demo: Show
) -> None:
    window = make_window(demo, page="Patch")
    page, bench = window.pages["Patch"], window.bench
    bench.selection.select(["u101", "u102"])
    page.show_view("Limits")
    limits = page.limits
    limits.attribute.setCurrentIndex(limits.attribute.findData("Tilt"))
    assert "−135° to 135°" in limits.reach.text()
    retype(limits.low, "-200")
    press(page, "Limit")
    assert "out of reach" in window.notice.words and not limits.model.rows
    retype(limits.low, "-90")
    retype(limits.high, "45")
    press(page, "Limit")
    assert [line.words for line in limits.model.rows] == ["tilt from −90° to 45°"] * 2
    bench.levels.change(lambda live: live.set_axis(["u101"], "Tilt", 120))
    assert bench.levels.live.state_of("u101").tilt[0, 0] == pytest.approx(
        45, abs=0.1
    ) and bench.levels.live.axis("u101", "Tilt") == pytest.approx(120, abs=0.1)
    page.show_view("Units")
    shortcut(window, Qt.Key.Key_E, CTRL | SHIFT)
    rows = page.units.unfolded.model
    tilt = next(i for i in range(rows.rowCount()) if rows.index(i, 1).data() == "tilt")
    assert [rows.index(tilt, c).data() for c in (2, 3, 5, 6)] == ["120°", "45°", "−90°", "45°"]
    rows.setData(rows.index(tilt, 6), "60")
    assert bench.levels.live.state_of("u101").tilt[0, 0] == pytest.approx(60, abs=0.1)
    page.show_view("Limits")
    click(child(page, "invert_pan"), QPointF(8, 9))
    bench.levels.change(lambda live: live.set_axis(["u101"], "Pan", 30))
    assert bench.levels.live.state_of("u101").pan[0, 0] == pytest.approx(-30, abs=0.1)
    retype(limits.offsets["pan_offset"], "10")
    assert bench.levels.live.state_of("u101").pan[0, 0] == pytest.approx(-20, abs=0.1)
    choose(limits.curve, "Square")
    limits._curve()
    bench.levels.change(lambda live: live.set_intensity(["u101"], 0.5))
    assert (
        bench.levels.live.sent_level("u101", "Dimmer") == pytest.approx(0.25, abs=0.01)
        and bench.levels.live.level("u101", "Dimmer") == 0.5
    )
    press(page, "Remove all")
    assert not limits.model.rows and bench.levels.live.state_of("u101").tilt[0, 0] == pytest.approx(
        120, abs=0.1
    )


def test_gels_groups_re_addressing_and_both_sides_of_the_paper_in_the_window(
    make_window, tmp_path: Path
) -> None:
    window = make_window(lantern_tide(), page="Patch")
    page, bench = window.pages["Patch"], window.bench
    bench.selection.select(["u401", "u402"])
    page.show_view("Gels")
    (tmp_path / "Quay.csv").write_text(
        "Code,Name,Colour\nT105,Other barley,#FF8800\nQ1,Sluice,20 90 200\nbad,,nothing\n"
    )
    page.gels.read_book(tmp_path / "Quay.csv")
    assert "2 gels" in window.notice.words and "Left out, 1 line:" in window.notice.words
    page.gels.book.setCurrentIndex(page.gels.book.findData("Tidewater"))
    retype(page.gels.needle, "T105")
    page.gels.table.selectRow(0)
    press(page, "Apply to selected units")
    assert {bench.show.unit(u).gel for u in ("u401", "u402")} == {
        "Tidewater T105"
    }  # the other book has one too
    retype(page.gels.needle, "T705")
    page.gels.table.selectRow(0)
    press(page, "Add as second gel")
    assert (
        bench.show.unit("u401").gel.endswith("+ T705")
        and window.pages["Patch"].units.table.gel_color(bench.show.unit("u401").gel) is not None
    )
    page.show_view("Groups")
    press(page, "propose groups")
    names = [g.name for g in bench.show.groups]
    page.groups.list.setCurrentRow(names.index("Bow rail"))
    press(page, "Select it")
    assert [bench.show.unit(u).hangs_on for u in bench.selection.ids] == ["Bow rail"] * len(
        bench.selection.ids
    ) and len(bench.selection.ids) > 5
    retype(page.groups.name, "Front")
    retype(page.groups.units, "201-208 but 203")
    press(page, "Make a group")
    assert [g.name for g in bench.show.groups][-1] == "Front" and len(
        bench.show.groups[-1].units
    ) == 7
    page.show_view("Paper")
    page.paper.only.setCurrentIndex(page.paper.only.findData("mode"))
    page.paper.table.selectRow(0)
    press(page, "Use paper")
    assert bench.show.unit("u208").mode == "Short"
    page.paper.only.setCurrentIndex(0)
    page.paper.refresh()
    press(page, "Keep patch, correct paper")
    assert not differences(bench.show) and "as the paper says" in page.paper.what.text()
    page.readdress()
    wish = dialog("re-address")
    assert until(lambda: wish.plan is not None and wish.plan.moves, 40)
    wish.how.setCurrentIndex(wish.how.findData("position"))
    assert until(
        lambda: (
            wish.plan is not None
            and wish.primary.isEnabled()
            and "4 universes become 4" in wish.outcome.text()
        ),
        20,
    )
    moves = len(wish.plan.moves)
    press(wish, "Copy labels for these")
    assert len(QGuiApplication.clipboard().text().splitlines()) == moves + 1
    wish._run()
    assert bench.show.versions[-1].why == f"before {moves} units got new addresses"
    assert until(lambda: bench.history.undo_name == f"re-address {moves} units") and not clashes(
        all_spans(bench.show)
    )


def test_a_list_is_corrected_in_place_and_its_columns_remembered(make_window, demo: Show) -> None:
    window = make_window(demo, page="Patch")
    bench = window.bench
    text = "Ref;Kind;Place;Chan\nLapwin 19;701;4.201;x\nLapwing 19;702;4.301;x\nGroyne 24;703;9.999;x\n"
    QGuiApplication.clipboard().setText(text)
    window.pages["Patch"].paste_list()
    listed = dialog("hang list")
    choose(listed.choices["mode"], "not in the list")
    for name, head in (("type", "Ref"), ("number", "Kind"), ("address", "Place")):
        listed.choices[name].setCurrentIndex(listed.choices[name].findText(head))
        listed._column(name)
    assert "0 units read" in listed.counts.text()
    settle(0.2)
    press(listed, "agree Lapwin 19")
    for line, mode in ((2, "Short"), (3, "Wide"), (4, "Dimmer")):
        listed._edit(line, "mode", mode)
    listed._edit(4, "address", "4.401")
    assert (
        "3 units read, 3 of them new." in listed.counts.text()
        and listed.how.currentData() == "more"
    )
    press(listed, "Take")
    assert until(lambda: len(bench.show.units) == 69) and len(bench.show.paper.rows) == 69
    assert index_of(bench.show).by_id[bench.selection.ids[0]].mode == "Short"
    QGuiApplication.clipboard().setText(text)
    window.pages["Patch"].paste_list()
    again = dialog("hang list")
    assert again.found.columns["type"] == "Ref" and again.found.columns["number"] == "Kind"
    again.reject()
    assert settings.load().paper_columns


def test_wrong_lines_are_kept_with_the_paper_and_corrected_later(
    make_window, demo: Show, tmp_path: Path
) -> None:
    window = make_window(demo, page="Patch")
    bench = window.bench
    window.pages["Patch"].open_list(EXTRA_LIST)
    press(dialog("hang list"), "Take")
    assert until(lambda: len(bench.show.units) == 70) and len(bench.show.paper.unread) == 5
    bench.save(tmp_path / "kept.isthmus")
    assert open_show(tmp_path / "kept.isthmus").paper.unread == bench.show.paper.unread
    window.pages["Patch"].show_view("Paper")
    press(window.pages["Patch"], "Correct unread lines…")
    listed = dialog("hang list")
    assert (
        "1 unit read, 0 of them new" in listed.counts.text() and listed.how.currentData() == "more"
    )  # 603 was wrong beside 603
    rows = {row.number: row.line for row, _ in listed.model.rows}
    shown = [listed.model.text(row, 4) for row, _ in listed.model.rows if row.number == 607]
    assert shown == ["4.600"]  # as it was written
    listed._edit(rows[605], "address", "4.480")
    listed._edit(rows[607], "address", "4.161")
    assert "3 units read, 2 of them new" in listed.counts.text()
    press(listed, "Take")
    assert (
        until(lambda: len(bench.show.units) == 72)
        and len(bench.show.paper.unread) == 2
        and len(bench.show.paper.rows) == 72
    )
    bench.undo()
    assert len(bench.show.paper.unread) == 5


def test_what_is_being_typed_stays_whatever_happens_elsewhere(make_window, demo: Show) -> None:
    """A phone steps and marks, another part of the window renumbers: the cell stays open, and its unit takes the words."""
    window = make_window(demo, page="Patch")
    bench, table = window.bench, window.pages["Patch"].units.table
    row = table.patch.row_of("u102")
    activate(table)
    click(table.viewport(), QPointF(table.visualRect(table.patch.index(row, 1)).center()))
    pressed(Qt.Key.Key_F2)
    pressed(Qt.Key.Key_A, CTRL)
    typed("Mast ")
    bench.selection.select(["u201"])
    bench.commit("renumber 102", edits.set_number(bench.show, "u102", 990))
    settle(0.2)
    typed("high two")
    pressed(Qt.Key.Key_Return)
    assert {u.number: u.name for u in bench.show.units}[990] == "Mast high two"
    assert table.patch.rows[-1].id == "u102"  # and the order is made up for


def test_five_thousand_rows_are_scrolled_and_edited(make_window, demo: Show) -> None:
    from msgspec.structs import replace

    units = tuple(
        replace(u, id=f"n{i}", number=i + 1, patch=())
        for i in range(5000)
        for u in [demo.units[i % 66]]
    )
    window = make_window(replace(demo, units=units, verdicts=()), page="Patch")
    table = window.pages["Patch"].units.table
    assert table.model().rowCount() == 5000
    table.scrollToBottom()
    settle(0.1)
    block(table, (4990, 4999), (COLUMN["name"], COLUMN["name"]))
    shortcut(window, Qt.Key.Key_D, CTRL | ALT)
    assert (
        window.bench.show.units[4999].name != units[4999].name
        and len(window.bench.selection.ids) == 10
    )
    window.bench.selection.select([u.id for u in units])
    assert len(table.ordinals) == 5000 and np.isfinite(table.verticalScrollBar().value())


def test_batches_go_on_from_the_last_and_the_inspector_asks_as_the_table_does(
    make_window, demo: Show
) -> None:
    window = make_window(demo, page="Patch")
    bench = window.bench
    shortcut(window, Qt.Key.Key_A, CTRL | SHIFT)
    wish = dialog("add units")
    choose(child(wish, "profile"), "Turnstone 7")
    choose(child(wish, "mode"), "Three")
    retype(child(wish, "count"), "3")
    retype(child(wish, "first number"), "801")
    retype(child(wish, "address"), "9.001")
    retype(wish.spacing.lineEdit(), "5")
    wish.keep.click()
    choose(wish.hangs_on, "Bow rail")
    press(wish, "Add and continue")
    assert until(lambda: len(bench.show.units) == 69) and QApplication.activeModalWidget() is wish
    assert (
        wish.first.text() == "804"
        and wish.address.text() == "9.016"
        and wish.hangs_on.currentText() == "Bow rail"
    )
    retype(child(wish, "count"), "811, 813")
    assert not wish.first.isEnabled() and "811, 813" in wish.outcome.text()
    press(wish, "Add units")
    assert until(lambda: len(bench.show.units) == 71)
    added = {u.number: u.patch[0] for u in bench.show.units if u.number > 800}
    assert [(p.address, p.room) for n, p in sorted(added.items())] == [
        (1, 5),
        (6, 5),
        (11, 5),
        (16, 5),
        (21, 5),
    ]
    shortcut(window, Qt.Key.Key_A, CTRL | SHIFT)
    again = dialog("add units")
    assert (
        again.profile.lineEdit().hasFocus()
        and again.profile.currentText() == ""
        and again.first.text() == "814"
    )
    keys(
        again.profile.lineEdit(), "turnstone 7"
    )  # typed at once it is looked for, and nothing else is chosen meanwhile
    assert again._key().endswith("Turnstone 7") and again.address.text() == "9.026"
    again.reject()
    activate(window)
    bench.selection.select(["u203"])
    retype(window.inspector.fields["Address"], "2.060")
    QTest.keyClick(dialog("ways out"), Qt.Key.Key_1)
    assert until(lambda: bench.show.unit("u203").patch[0].address == 60)
    activate(window)
    bench.selection.select(["u101", "u102"])
    retype(window.inspector.fields["Address"], "8.001")
    assert [bench.show.unit(u).patch[0].address for u in ("u101", "u102")] == [1, 22]


def test_another_mode_for_many_is_seen_before_it_is_done(make_window, demo: Show) -> None:
    window = make_window(demo, page="Patch")
    bench = window.bench
    bench.selection.select(["u201", "u202"])
    shortcut(window, Qt.Key.Key_M, CTRL | ALT)
    asked = dialog("another profile")
    asked.mode.setCurrentIndex(asked.mode.findData("Wide"))
    told = [asked.list.item(i).text() for i in range(asked.list.count())]
    assert (
        len(told) == 2
        and any("moves from" in line for line in told)
        and "move" in asked.outcome.text()
    )
    before = bench.show
    press(asked, "Replace")
    assert until(lambda: {bench.show.unit(u).mode for u in ("u201", "u202")} == {"Wide"})
    assert len(clashes(all_spans(bench.show))) == len(clashes(all_spans(before)))
    bench.undo()
    assert bench.show is before


def test_ranges_are_taken_from_the_finder_and_completed_where_units_are_typed(
    make_window, demo: Show
) -> None:
    window = make_window(demo, page="Patch")
    bench = window.bench
    window.pages["Patch"].units.table.setFocus()
    window.pages["Patch"].units.table.scrollToBottom()
    shortcut(window, Qt.Key.Key_K)
    assert until(lambda: QApplication.activePopupWidget() is not None)
    finder = QApplication.activePopupWidget()
    QTest.keyClicks(finder.field, "201-208 but 203")
    assert "7 units" in finder.list.item(0).text()
    QTest.keyClick(finder.field, Qt.Key.Key_Return)
    assert until(
        lambda: (
            [bench.show.unit(u).number for u in bench.selection.ids]
            == [201, 202, 204, 205, 206, 207, 208]
        )
    )
    table, model = window.pages["Patch"].units.table, window.pages["Patch"].units.model
    row = model.index(model.row_of("u201"), 0)
    assert (
        table.viewport().rect().contains(table.visualRect(row).center())
    )  # though it has the keys
    window.pages["Patch"].show_view("Groups")
    line = window.pages["Patch"].groups.units
    click(line)
    QTest.keyClicks(line, "101, bow")
    assert "101, Bow rail" in line.completer().model().stringList()
    assert (
        "not a number" in window.pages["Patch"].groups.understood.text()
        or "units" in window.pages["Patch"].groups.understood.text()
    )


def test_groups_are_ordered_nested_renamed_and_taken_away_by_buttons(
    make_window, demo: Show
) -> None:
    window = make_window(demo, page="Patch")
    page, bench = window.pages["Patch"].groups, window.bench
    window.pages["Patch"].show_view("Groups")
    for name, units in (("Moving", "101-110"), ("Front", "201-208"), ("Keys", "401-404")):
        retype(page.name, name)
        retype(page.units, units)
        press(page, "Make a group")
    retype(page.name, "front")
    retype(page.units, "201")
    press(page, "Make a group")
    assert "already" in window.notice.words and len(bench.show.groups) == 3
    retype(page.name, "")
    retype(page.units, "")
    page.list.setCurrentRow(1)
    press(page, "group Nest")
    assert bench.show.groups[1].parent == bench.show.groups[0].id
    page.list.setCurrentRow(0)
    press(page, "Select it")
    assert len(bench.selection.ids) == 18
    page.list.setCurrentRow(1)
    press(page, "group Un-nest")
    assert not bench.show.groups[1].parent
    press(page, "group Down")
    assert [g.name for g in bench.show.groups] == ["Moving", "Keys", "Front"]
    retype(page.name, "Front wash")
    press(page, "Rename")
    retype(page.units, "201-204")
    press(page, "Set its units")
    assert (bench.show.groups[2].name, len(bench.show.groups[2].units)) == ("Front wash", 4)
    press(page, "remove group")
    assert [g.name for g in bench.show.groups] == ["Moving", "Keys"]


def test_what_is_sent_stands_beside_what_is_asked(make_window, demo: Show) -> None:
    window = make_window(demo, page="Patch")
    bench = window.bench
    bench.selection.select(["u101"])
    bench.commit("limits", edits.change_units(bench.show, ["u101"], lambda u: _limited(u)))
    bench.levels.change(lambda live: live.set_intensity(["u101"], 1.0))
    bench.levels.change(lambda live: live.set_axis(["u101"], "Tilt", 90))
    assert until(lambda: window.hand.intensity.sent == pytest.approx(0.6, abs=0.01))
    assert until(lambda: "(sent" in window.hand.words.text()) and window.hand.intensity.value == 1.0
    table = window.pages["Patch"].units.model
    table.set_columns(["limits"])
    words = next(table.text(row, 1) for row, unit in enumerate(table.rows) if unit.id == "u101")
    assert "dimmer from 0 % to 60 %" in words and "tilt inverted" in words


def _limited(unit):
    from msgspec.structs import replace

    from isthmus.show.records import Handling, Limit

    return replace(
        unit, limits=(Limit(attribute="Dimmer", high=0.6),), handling=Handling(invert_tilt=True)
    )


@given(st.sets(st.integers(1, 512)))
def test_free_runs_of_the_picture_are_those_counting_finds(taken: set[int]) -> None:
    mask = sum(1 << (a - 1) for a in taken)
    runs = free_runs(mask)
    assert {a for first, last in runs for a in range(first, last + 1)} == set(range(1, 513)) - taken
    assert all(
        b[0] > a[1] + 1 for a, b in zip(runs, runs[1:], strict=False)
    )  # whole runs, apart from one another


def test_two_hundred_universes_are_drawn_zoomed_and_found(make_window, demo: Show) -> None:
    from msgspec.structs import replace

    lapwing = next(u for u in demo.units if u.id == "u201")
    patch = lapwing.patch[0]
    units = tuple(
        replace(
            lapwing,
            id=f"m{n}.{i}",
            number=1000 + 40 * n + i,
            patch=(replace(patch, universe=n, address=1 + 12 * i, room=12),),
        )
        for n in range(1, 201)
        for i in range(40)
    )
    window = make_window(
        replace(demo, units=units, paper=replace(demo.paper, rows=()), verdicts=()), page="Patch"
    )
    page, bench = window.pages["Patch"], window.bench
    page.show_view("Universes")
    settle(0.1)
    chart = page.universes.map
    assert (
        len(chart.known) == 200
        and chart.verticalScrollBar().maximum() > 0
        and "200 universes" in page.universes.scale.text()
    )
    bench.selection.select(["m150.7"])
    settle(0.05)
    seen = chart.rect_of(150, 85, 11)
    assert (
        chart.viewport().rect().contains(seen.center().toPoint())
    )  # the selected unit is brought into view
    assert chart.span_at(seen.center()).unit == "m150.7" and "room" in chart.words_at(
        chart.rect_of(150, 96, 1).center()
    )
    for text in ("+", "+", "+", "+", "+", "+", "+", "+", "+", "+"):
        QTest.keyClicks(chart, text)
    assert chart.scale > 26
    chart.go_to(200, 400)
    picture = chart.grab().toImage()
    colours = {
        picture.pixelColor(x, y).name()
        for x in range(80, picture.width(), 40)
        for y in range(10, picture.height(), 12)
    }
    assert len(colours) > 4  # something is drawn there
    page.show_view("Units")
    page.units.ruler.set_universe(150)
    assert page.units.ruler.span_at(page.units.ruler.width() / 128 * 85.5, 40).unit == "m150.7"


def test_a_re_addressing_that_is_put_away_changes_nothing_and_one_of_some_units_leaves_the_others(
    make_window, demo: Show
) -> None:
    window = make_window(demo, page="Patch")
    bench = window.bench
    before = bench.show
    window.pages["Patch"].readdress()
    asked = dialog("re-address")
    assert until(lambda: asked.plan is not None, 40)
    asked.spare.setValue(600)
    assert asked.spare.value() == 500
    assert until(
        lambda: (
            (asked.plan is not None and asked._task is None)
            or "Solving" not in asked.outcome.text()
        ),
        20,
    )
    asked.reject()
    assert bench.show is before
    bench.selection.select(["u201", "u202", "u203"])
    window.pages["Patch"].readdress()
    asked = dialog("re-address")
    asked.hand.click()
    asked.first.setValue(7)
    assert until(
        lambda: asked.plan is not None and len(asked.plan.moves) == 3 and asked.primary.isEnabled(),
        20,
    )
    asked._run()
    assert until(
        lambda: {bench.show.unit(u).patch[0].universe for u in ("u201", "u202", "u203")} == {7}
    )
    moved = {u.id for u, old in zip(bench.show.units, before.units, strict=True) if u is not old}
    assert moved == {"u201", "u202", "u203"}
