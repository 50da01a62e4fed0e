"""The Pixels page in a real window: a wall proposed from where it hangs, mended by hand, and proved by what its cells receive."""

from __future__ import annotations

import numpy as np
from msgspec.structs import replace
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QLineEdit

from helpers.hands import child, choose, click, key, keys, press, retype, shortcut, until
from isthmus.demo import lantern_tide
from isthmus.demo.wall import PITCH, with_wall
from isthmus.show.records import Show, Unit


def lit(show: Show, frame: np.ndarray, universes: list[int], unit: Unit) -> np.ndarray:
    """The cells of a panel (rows from cell 1 on, columns) by the bytes it receives: dimmer, then red, green and blue of each."""
    [patched] = unit.patch
    first = universes.index(patched.universe) * 512 + patched.address - 1
    slots = frame[first : first + 73].astype(int)
    return slots[0] / 255 * slots[1:].reshape(4, 6, 3) / 255


def wall_seen(window) -> np.ndarray:
    """What one sees standing before the wall, (rows from the top, columns, 3): each cell where it hangs, worked out from the height and side of its panel."""
    bench = window.bench
    live = bench.levels.live
    seen = np.zeros((8, 30, 3))
    for unit in bench.show.units:
        if unit.purpose == "Wall":
            left = round((unit.position[0] + 2 * 6 * PITCH) / PITCH)
            top = round((3.2 - unit.position[2]) / PITCH)
            cells = lit(bench.show, live.frame, live.compiled.universes, unit)
            seen[top : top + 4, left : left + 6] = cells[::-1]  # its first row hangs below
    return seen


def test_a_wall_is_proposed_mended_tested_and_undone(make_window) -> None:
    show = with_wall(lantern_tide())
    window = make_window(replace(show, grids=()), page="Pixels")
    bench, view = window.bench, window.pages["Pixels"].grid
    press(view, "first grid")
    assert "No units are selected" in window.notice.words
    bench.selection.select([u.id for u in show.units if u.purpose == "Wall"])
    press(view, "first grid")
    assert "30 × 8, 240 of 240 cells on the lattice, pitch 120.0 mm" in window.notice.words
    assert isinstance(QApplication.focusWidget(), QLineEdit)  # the name proposed is typed over
    keys(QApplication.focusWidget(), "House wall")
    key(QApplication.focusWidget(), Qt.Key.Key_Return)
    assert "House wall  30 × 8" in view.title.text()
    assert len(view.picture.colours()) == 240
    assert view.picture.words_at(view.picture.box(6, 3).center()) == (
        "702 Wall 2, cell 1: column 7, row 4"
    )

    # the picture is on the wall as one sees it from the house
    choose(view.which, "Columns")
    press(view, "test grid")
    assert until(lambda: bench.proving.proof is not None)
    choose(view.which, "Bars")
    seen = wall_seen(window)
    assert (seen == seen[:1]).all()  # upright stripes
    left, right = seen[0, 0], seen[0, -1]
    assert left.min() > 0.2 and left.max() > 0.5 and not right.any()  # all three, in balance
    second = seen[0, 5]
    assert second[2] < 0.02 < 0.4 < min(second[:2])  # yellow: red and green
    key(view.which, Qt.Key.Key_Home)
    assert view.which.currentText() == "Letter"
    wide = wall_seen(window).max(axis=2)
    assert wide[1:7, 7:11].min() > 0.5 and wide[6, 14:].max() == 0 and wide[1, 7:24].min() > 0.5

    # a panel cabled upside down is turned in the grid, by a click on it; the picture follows
    click(view.picture, view.picture.box(8, 1).center())
    assert bench.selection.ids == ["w1"]
    before = wall_seen(window)
    press(view, "cells round")
    after = wall_seen(window)
    assert until(lambda: (wall_seen(window)[:4, 6:12] == before[:4, 6:12][::-1, ::-1]).all())
    after = wall_seen(window)
    after[:4, 6:12] = before[:4, 6:12]
    assert (after == before).all()  # and no other
    shortcut(window, Qt.Key.Key_Z)
    assert until(lambda: (wall_seen(window) == before).all())

    # two exchanged; the level typed; ended
    click(view.picture, view.picture.box(8, 1).center())
    at = view.picture.box(1, 6).center()
    QTest.mouseClick(
        view.picture, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.ControlModifier, at.toPoint()
    )
    assert bench.selection.ids == ["w1", "w5"]
    press(view, "exchange units")
    assert until(
        lambda: (
            (wall_seen(window)[:4, 6:12] == before[4:, :6]).all()
            and (wall_seen(window)[4:, :6] == before[:4, 6:12]).all()
        )
    )
    retype(view.level, "20 %", Qt.Key.Key_Return)
    assert until(lambda: 0.19 < wall_seen(window).max() < 0.21)
    press(view, "test grid")
    assert not wall_seen(window).any() and bench.proving.proof is None
    key(view.table, Qt.Key.Key_F2)
    press(view, "remove grid")
    assert not bench.show.grids and child(view, "first grid").isVisible()


def test_a_picture_that_goes_on_is_stepped_wherever_one_looks(make_window) -> None:
    window = make_window(with_wall(lantern_tide()), page="Pixels")
    bench, view = window.bench, window.pages["Pixels"].grid
    choose(view.which, "Rows")
    press(view, "test grid")
    rows: set[int] = set()

    def seen() -> bool:
        now = {int(y) for y in np.argwhere(wall_seen(window).any(axis=(1, 2))).ravel()}
        assert len(now) == 1
        rows.update(now)
        return len(rows) == 3

    assert until(seen)
    window.go("Stage")  # where it is looked at too
    assert wall_seen(window).any()
    window.go("Pixels")
    press(view, "test grid")
    assert bench.proving.proof is None and not wall_seen(window).any()
    choose(view.which, "One by one")
    press(view, "test grid")
    assert until(lambda: (wall_seen(window).any(axis=2)).sum() == 1)
    bench.commit("another show", replace(bench.show, grids=()))
    assert not view.grids.rows
