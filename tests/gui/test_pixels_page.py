"""The Pixels page in a real window: a wall proposed from where it hangs, mended by hand, and proved by what its cells receive."""

from __future__ import annotations

import numpy as np
from msgspec.structs import replace
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QLineEdit

from helpers.hands import (
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
    until,
)
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
    choose(view.tests.which, "Columns")
    press(view, "test grid")
    assert until(lambda: bench.proving.proof is not None)
    choose(view.tests.which, "Bars")
    seen = wall_seen(window)
    assert (seen == seen[:1]).all()  # upright stripes
    left, right = seen[0, 0], seen[0, -1]
    assert left.min() > 0.2 and left.max() > 0.5 and not right.any()  # all three, in balance
    second = seen[0, 5]
    assert second[2] < 0.02 < 0.4 < min(second[:2])  # yellow: red and green
    key(view.tests.which, Qt.Key.Key_Home)
    assert view.tests.which.currentText() == "Letter"
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
    retype(view.tests.level, "20 %", Qt.Key.Key_Return)
    assert until(lambda: 0.19 < wall_seen(window).max() < 0.21)
    press(view, "test grid")
    assert not wall_seen(window).any() and bench.proving.proof is None
    key(view.table, Qt.Key.Key_F2)
    press(view, "remove grid")
    assert not bench.show.grids and child(view, "first grid").isVisible()


def test_panels_and_single_cells_are_dragged_and_a_grid_is_laid_out_by_hand(make_window) -> None:
    show = with_wall(lantern_tide())
    window = make_window(show, page="Pixels")
    bench, view = window.bench, window.pages["Pixels"].grid
    picture, wall = view.picture, show.grids[0]

    def places(unit: str) -> list[tuple[int, int]]:
        return [(c.x, c.y) for c in bench.show.grids[0].cells if c.unit == unit]

    # 701 dragged onto 707: each takes the place of the other
    was = {f"w{i}": places(f"w{i}") for i in range(10)}
    drag(picture, picture.box(1, 1).center(), picture.box(7, 5).center())
    assert places("w0") == was["w6"] and places("w6") == was["w0"]
    assert all(places(u) == was[u] for u in was if u not in ("w0", "w6"))
    shortcut(window, Qt.Key.Key_Z)
    assert bench.show.grids[0] == wall

    # by keys: two selected move by one place, past the edge nothing does
    bench.selection.select(["w0", "w5"])
    key(picture, Qt.Key.Key_Right, Qt.KeyboardModifier.ControlModifier)
    assert places("w0") == [(x + 1, y) for x, y in was["w0"]]
    assert {x for x, _ in places("w1")} == {0, *range(7, 12)}
    key(picture, Qt.Key.Key_Left, Qt.KeyboardModifier.ControlModifier)
    key(picture, Qt.Key.Key_Left, Qt.KeyboardModifier.ControlModifier)
    assert bench.show.grids[0] == wall

    # one cell alone changes with the one beside it
    key(child(view, "single cells"), Qt.Key.Key_Space)
    drag(picture, picture.box(0, 0).center(), picture.box(2, 0).center())
    first, third = places("w0").index((2, 0)), places("w0").index((0, 0))
    assert was["w0"][first] == (0, 0) and was["w0"][third] == (2, 0)
    key(child(view, "single cells"), Qt.Key.Key_Space)

    # by hand: the lower row back and forth, as a cable runs; read off the picture before it is made
    bench.selection.select([f"w{i}" for i in range(10)])
    press(view, "lay out grid")
    box = dialog("grid by hand")
    choose(child(box, "cells or panels"), "Whole units, as panels")
    assert child(box, "panel size").text() == "6 x 4"
    retype(child(box, "across"), "none")
    assert "is not a number" in box.trouble.text() and not box.primary.isEnabled()
    retype(child(box, "across"), "5")
    key(child(box, "run back and forth"), Qt.Key.Key_Space)
    choose(child(box, "panel start"), "Bottom left")
    assert "30 × 8, 240 cells" in box.said.text()
    retype(child(box, "grid name"), "As cabled")
    click(box.primary)
    made = bench.show.grids[-1]
    lower = [unit for _, unit in sorted({(c.x // 6, c.unit) for c in made.cells if c.y >= 4})]
    assert (made.name, lower) == ("As cabled", ["w9", "w8", "w7", "w6", "w5"])
    assert {(c.cell, c.x, c.y) for c in made.cells if c.unit == "w0"} == {
        (c.cell, c.x, c.y) for c in wall.cells if c.unit == "w0"
    }


def test_a_picture_that_goes_on_is_stepped_wherever_one_looks(make_window) -> None:
    window = make_window(with_wall(lantern_tide()), page="Pixels")
    bench, view = window.bench, window.pages["Pixels"].grid
    choose(view.tests.which, "Rows")
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
    choose(view.tests.which, "One by one")
    press(view, "test grid")
    assert until(lambda: (wall_seen(window).any(axis=2)).sum() == 1)
    bench.commit("another show", replace(bench.show, grids=()))
    assert not view.grids.rows
