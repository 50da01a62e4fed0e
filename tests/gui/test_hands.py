"""Hands on the keyboard: what begins or goes on with text belongs to the text."""

from __future__ import annotations

import pytest
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QApplication, QLineEdit

from helpers.hands import activate, choose, dialog, key, keys, press, retype, shortcut, until, wheel
from isthmus.patch.addresses import place
from isthmus.patch.index import index_of
from isthmus.show import Show

CTRL, SHIFT = Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.ShiftModifier


@pytest.mark.parametrize("called", [False, True])
def test_typing_in_the_patch_is_never_taken_for_acts_and_enter_goes_down(
    make_window, demo: Show, called: bool
) -> None:
    window = make_window(demo, page="Patch")
    bench, table, model = (
        window.bench,
        window.pages["Patch"].units.table,
        window.pages["Patch"].units.model,
    )
    if called:
        bench.session.begin()
    rows = [u.id for u in model.rows][:3]
    column = list(model.columns).index("name")
    table.setCurrentIndex(model.index(0, column))
    activate(window)
    table.setFocus()
    words = ("rear", "front", "t105") if not called else ("aft", "wash", "silent 2")
    for word in words:  # typed as a person does: letters, Enter, letters, Enter
        keys(QApplication.focusWidget(), word[0])
        keys(QApplication.focusWidget(), word[1:])
        key(QApplication.focusWidget(), Qt.Key.Key_Return)
        assert QApplication.activeModalWidget() is None
    assert [bench.show.unit(u).name for u in rows] == list(words)
    assert (
        not bench.plan.rearranging
        and not bench.show.verdicts
        and bool(bench.session.call) == called
    )
    table.setCurrentIndex(model.index(0, list(model.columns).index("address")))
    for address in ("9.101", "9.201"):  # two addresses one by one go to two units
        keys(QApplication.focusWidget(), address[0])
        keys(QApplication.focusWidget(), address[1:])
        key(QApplication.focusWidget(), Qt.Key.Key_Return)
    at = index_of(bench.show).by_id
    assert [at[u].patch[0].address for u in rows[:2]] == [101, 201] and at[rows[0]].patch[
        0
    ].universe == 9
    key(table, Qt.Key.Key_Tab)
    assert table.currentIndex().column() == list(model.columns).index(
        "address"
    ) + 1 and not table.findChildren(QLineEdit, "")
    bench.session.end()


def test_adding_begins_in_the_profile_field_with_nothing_chosen(make_window, demo: Show) -> None:
    window = make_window(demo, page="Patch")
    shortcut(window, Qt.Key.Key_A, CTRL | SHIFT)
    wish = dialog("add units")
    assert (
        until(lambda: QApplication.focusWidget() is wish.profile)
        or wish.profile.lineEdit().hasFocus()
    )
    key(QApplication.focusWidget(), Qt.Key.Key_Return)  # nothing is chosen, so nothing is added
    assert window.bench.show is demo and wish.isVisible()
    keys(QApplication.focusWidget(), "lapwing 19")
    assert wish._key().endswith("Lapwing 19") and len(wish._preview.units) == 1
    wish.reject()


def test_units_that_want_one_place_are_asked_about_and_the_first_gets_it(demo: Show) -> None:
    ids = ["u201", "u202", "u203"]
    wish = place(demo, {u: [(9, 1)] for u in ids})
    assert [u.id for u in wish.in_the_way] == ids[1:]
    ways = {w.key: w for w in wish.ways}
    room = index_of(ways["room"].show).by_id
    length = index_of(demo).spans["u201"][0].length
    assert [room[u].patch[0].address for u in ids] == [1, 1 + length, 1 + 2 * length]
    assert [len(index_of(ways["take"].show).by_id[u].patch) for u in ids] == [1, 0, 0] and ways[
        "swap"
    ].show is None


def test_every_attribute_has_a_strip_set_by_words_names_slider_and_cell(make_window, demo) -> None:
    window = make_window(demo, page="Stage")
    bench, hand = window.bench, window.hand
    bench.selection.select(["u101", "u201", "u401"])
    press(window, "All attributes")
    strips, live = hand.strips.strips, bench.levels.live
    assert hand.strips.isVisible() and {"Zoom", "Gobo1", "Iris", "ColorAdd_R"} <= set(strips)
    zoom = strips["Zoom"]
    retype(zoom.field, "12")
    key(zoom.field, Qt.Key.Key_Return)
    assert [round(live.axis(u, "Zoom"), 1) for u in ("u101", "u201")] == [12.0, 12.0]
    assert zoom.field.text() == "12°"
    retype(zoom.field, "7")
    key(zoom.field, Qt.Key.Key_Return)
    assert (
        "It goes from 8° to 52°" in window.notice.words
        and "≠ 7°, 12°" in zoom.field.placeholderText()
    )
    choose(strips["Gobo1"].ranges, "Net")
    assert 24 <= live.level("u101", "Gobo1") * 255 < 48 and strips["Gobo1"].field.text() == "Net"
    before = live.level("u101", "Iris")
    strips["Iris"].slider.setFocus()
    key(strips["Iris"].slider, Qt.Key.Key_PageUp)
    assert live.level("u101", "Iris") == pytest.approx(before + 0.05)
    bar = hand.strips.area.horizontalScrollBar()
    was, stood = live.frame.copy(), bar.value()
    wheel(strips["Iris"].slider, 120)
    assert (live.frame == was).all() and bar.value() != stood  # looked for, not turned
    control = strips["Control1"]
    retype(control.field, "Reset")
    key(control.field, Qt.Key.Key_Return)
    assert (
        "not sent by hand controls" in window.notice.words and live.level("u101", "Control1") == 0
    )
    # one cell of a bar; other attributes, so other strips
    bench.selection.select(["u301"])
    assert set(hand.strips.strips) == {
        "Dimmer",
        "Shutter1",
        "ColorAdd_R",
        "ColorAdd_G",
        "ColorAdd_B",
    }
    choose(hand.strips.cells, "cell 3")
    retype(hand.strips.strips["ColorAdd_R"].field, "40%")
    key(hand.strips.strips["ColorAdd_R"].field, Qt.Key.Key_Return)
    assert [live.level("u301", "ColorAdd_R", c) for c in (2, 3)] == [0.0, 0.4]
    press(window, "All attributes")
    assert hand.usual.isVisible() and not hand.strips.isVisible()
