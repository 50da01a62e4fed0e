"""Versions, what differs, what comes from elsewhere and what two people did: by mouse and keys, judged by the shows."""

from __future__ import annotations

from pathlib import Path

import pytest
from msgspec.structs import replace
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QApplication, QPushButton, QTableView

from helpers.hands import (
    answer_file_dialog,
    answer_question,
    child,
    choose,
    click,
    key,
    press,
    retype,
    shortcut,
    type_in_cell,
    until,
)
from helpers.tools import answer
from isthmus.app.shell.window import Window
from isthmus.bringing import Wanted, plan
from isthmus.compare.references import renamed_show
from isthmus.demo import lantern_tide
from isthmus.demo.evening import with_evening
from isthmus.demo.wall import with_wall
from isthmus.patch import edits
from isthmus.patch.groups import members, propose_groups
from isthmus.show import Show, open_show, save_show
from isthmus.show.records import Group, Patched
from isthmus.show.versions import shown, without_versions

WHOLE = with_wall(with_evening(lantern_tide()))


def row_of(table: QTableView, words: str) -> int:
    """The row in which all these words stand."""
    model = table.model()
    for row in range(model.rowCount()):
        text = " ".join(str(model.index(row, c).data()) for c in range(model.columnCount()))
        if all(word in text for word in words.split("|")):
            return row
    raise AssertionError(f"no row says {words}")


def click_row(table: QTableView, row: int, column: int = 1) -> None:
    at = table.visualRect(table.model().index(row, column)).center()
    click(table.viewport(), at)


@pytest.fixture
def saved(tmp_path: Path) -> Path:
    path = tmp_path / "tide.isthmus"
    save_show(WHOLE, path)
    return path


def opened(make_window, path: Path) -> tuple[Window, object]:
    window = make_window(Show(), page="Versions")
    window.open_path(path)
    return window, window.pages["Versions"]


def test_a_version_is_made_looked_at_and_single_changes_come_back(make_window, saved: Path) -> None:
    window, page = opened(make_window, saved)
    bench, view = window.bench, page.compare
    retype(child(view, "version note"), "as hung", Qt.Key.Key_Return)
    assert [v.note for v in bench.show.versions] == ["as hung"]
    moved = replace(bench.show.units[0], position=(1.0, 2.0, 3.0))
    bench.commit("move", replace(bench.show, units=(moved, *bench.show.units[1:])))
    bench.commit("name", edits.set_text(bench.show, ["u203", "u204"], "name", "Ferry"))
    bench.commit("remove", replace(bench.show, units=bench.show.units[:-25]))
    bench.save(saved)
    assert until(lambda: view.versions.rowCount() == 2)
    assert "before 25 units went" in view.versions.cells(view.versions.rows[0])[2]
    assert until(
        lambda: "2 units have another name" in view.versions.cells(view.versions.rows[0])[3]
    )

    # looked at: in every page it is as it was, nothing can be changed, and what is sent stays
    click_row(view.table, row_of(view.table, "as hung"))
    sent = bench.levels.live.frame.copy()
    press(view, "look at version")
    for title in window.pages:
        window.go(title)
        assert window.findChild(QPushButton, "leave version").isVisible()
    assert without_versions(bench.show) == WHOLE
    bench.commit("refused", replace(bench.show, venue="Nowhere"))
    assert "nothing can be changed" in window.notice.words and bench.show.venue == WHOLE.venue
    assert (bench.levels.live.frame == sent).all()
    key(window, Qt.Key.Key_Escape)  # puts the notice away
    key(window, Qt.Key.Key_Escape)
    assert bench.looked is None and len(bench.show.units) == len(WHOLE.units) - 25

    # what differs from it: filtered, one name and one place come back, the rest stays
    window.go("Versions")
    click_row(view.table, row_of(view.table, "as hung"))
    assert len(view.changes.model.rows) == 3 + 25
    retype(child(view, "compare filter"), "203 name", Qt.Key.Key_Return)
    assert view.count.text() == "1 of 28 changes"
    click_row(view.changes.table, 0)
    key(view.changes.table, Qt.Key.Key_Space)
    retype(child(view, "compare filter"), "place", Qt.Key.Key_Return)
    press(view, "tick all")
    key(child(view, "ghosts"), Qt.Key.Key_Space)
    ghosts = bench.plan.ghosts
    assert ghosts.units[0] == moved.id and len(ghosts.units) == 1 + sum(
        u.position is not None for u in WHOLE.units[-25:]
    )
    for title in ("Plan", "Stage"):
        window.go(title)
        QApplication.processEvents()
    window.go("Versions")
    assert child(view, "take changes").text() == "Bring back 2 changes"
    before = bench.show
    press(view, "take changes")
    now = {u.id: u for u in bench.show.units}
    assert now[moved.id].position == WHOLE.units[0].position
    assert now["u203"].name == WHOLE.unit("u203").name and now["u204"].name == "Ferry"
    assert len(bench.show.units) == len(before.units)
    press(view, "go back to version")
    assert replace(without_versions(bench.show), sending=WHOLE.sending) == WHOLE
    assert "came back" in bench.show.versions[-1].why
    shortcut(window, Qt.Key.Key_Z)
    shortcut(window, Qt.Key.Key_Z)
    assert bench.show == before
    assert shown(open_show(saved), open_show(saved).versions[0]) == WHOLE


def test_copies_edited_by_two_are_joined_and_three_conflicts_settled(
    make_window, saved: Path, tmp_path: Path
) -> None:
    other = tmp_path / "theirs.isthmus"
    other.write_bytes(saved.read_bytes())
    second = make_window(Show(), page="Patch")
    second.open_path(other)
    show = edits.set_text(second.bench.show, ["u101"], "purpose", "Back light")
    show = edits.set_text(show, ["u405"], "purpose", "Side")
    show = edits.set_text(show, ["u201"], "note", "squeaks")
    show = replace(show, units=tuple(u for u in show.units if u.id != "u442"))
    at_9 = (Patched(universe=9, address=1),)
    second.bench.commit(
        "theirs",
        replace(
            show, units=tuple(replace(u, patch=at_9) if u.id == "u203" else u for u in show.units)
        ),
    )
    second.bench.save(other)

    window, page = opened(make_window, saved)
    bench = window.bench
    mine = edits.set_text(bench.show, ["u101"], "purpose", "Key")
    mine = edits.set_text(mine, ["u405"], "purpose", "Front")
    mine = edits.set_text(mine, ["u442"], "note", "new lamp")
    mine = replace(
        mine, units=tuple(replace(u, patch=at_9) if u.id == "u204" else u for u in mine.units)
    )
    bench.commit("mine", mine)
    press(page, "view Join")
    view = page.join
    answer_file_dialog(str(other))
    press(view, "join file")
    assert "Both come from version 1" in view.told.text()
    assert "203 and 204" in view.together.text()
    assert not child(view, "join").isEnabled() and view.conflicts.left == 3
    for words, way in (("101", "theirs"), ("405", "mine"), ("442", "mine")):
        click_row(view.conflict_table, row_of(view.conflict_table, words))
        press(view, f"settle {way}")
    before = bench.show
    press(view, "join")
    show = bench.show
    assert [show.unit(u).purpose for u in ("u101", "u405")] == ["Back light", "Front"]
    assert show.unit("u442").note == "new lamp" and show.unit("u201").note == "squeaks"
    assert show.unit("u203").patch == show.unit("u204").patch == at_9
    held = [shown(show, v) for v in show.versions]
    assert without_versions(before) in held and without_versions(second.bench.show) in held
    shortcut(window, Qt.Key.Key_Z)
    assert bench.show == before


def test_a_file_saved_by_another_is_joined_instead_of_erased(make_window, saved: Path) -> None:
    window, page = opened(make_window, saved)
    bench = window.bench
    bench.commit("mine", edits.set_text(bench.show, ["u101"], "note", "mine"))
    theirs = edits.set_text(open_show(saved), ["u102"], "note", "theirs")
    save_show(theirs, saved)
    answer_question("Join both")
    shortcut(window, Qt.Key.Key_S)
    now = open_show(saved)
    assert [now.unit(u).note for u in ("u101", "u102")] == ["mine", "theirs"]
    assert bench.history.unsaved == 0
    # both changed the same: asked, settled, and then saved without another question
    bench.commit("mine", edits.set_text(bench.show, ["u103"], "note", "mine"))
    save_show(edits.set_text(now, ["u103"], "note", "theirs"), saved)
    answer_question("Join both")
    shortcut(window, Qt.Key.Key_S)
    assert window.spine.current == "Versions" and page.view == "Join"
    press(page.join, "settle theirs")
    press(page.join, "join")
    shortcut(window, Qt.Key.Key_S)
    assert open_show(saved).unit("u103").note == "theirs" and bench.history.unsaved == 0


def test_a_whole_show_and_three_groups_are_brought_in(make_window, saved: Path) -> None:
    window = make_window(Show(), page="Versions")
    bench, page = window.bench, window.pages["Versions"]
    press(page, "view Bring in")
    view = page.bring
    answer_file_dialog(str(saved))
    press(view, "bring file")
    assert "Lantern Tide" in view.source.text() and not child(view, "bring in").isEnabled()
    key(child(view, "bring words"), Qt.Key.Key_Return)  # everything
    press(view, "bring in")
    assert bench.show.units == WHOLE.units and bench.show.looks == WHOLE.looks
    assert bench.show.layer_sets == WHOLE.layer_sets
    shortcut(window, Qt.Key.Key_Z)
    assert bench.show == Show()

    # three groups with all they need, under other numbers, into a show that is full
    grouped = propose_groups(WHOLE)
    [*names] = ["Bow", "Bridge", "Wall by hand"]
    sizes = (slice(10, 18), slice(20, 26), slice(-10, None))
    by_hand = tuple(
        Group(id=f"g{n}", name=name, units=tuple(u.id for u in WHOLE.units[part]))
        for n, (name, part) in enumerate(zip(names, sizes, strict=True))
    )
    other = replace(grouped, groups=by_hand, name="Harbour gala")
    save_show(other, saved)
    bench.adopt(WHOLE, None)
    answer_file_dialog(str(saved))
    press(view, "bring file")
    choose(child(view, "bring kind"), "Groups")
    for name in names:
        retype(child(view, "bring words"), name, Qt.Key.Key_Return)
    retype(child(view, "bring first"), "5001")
    key(child(view, "bring close"), Qt.Key.Key_Space)
    choose(child(view, "bring addresses"), "Left off")
    came = [row for row in view.coming.rows if row[0].kind == "units"]
    assert len(came) == 24 and all(row[1].why.startswith("for group") for row in came)
    press(view, "bring in")
    fresh = bench.show.units[len(WHOLE.units) :]
    assert sorted(u.number for u in fresh) == list(range(5001, 5025))
    assert not any(u.patch for u in fresh)
    for group in by_hand:
        made = next(g for g in bench.show.groups if g.name == group.name)
        assert len(members(bench.show, made)) == len(group.units)
    assert any("brought in" in v.why for v in bench.show.versions)


def test_clashes_are_met_one_by_one_and_who_stands_for_whom_is_typed(
    make_window, saved: Path, tmp_path: Path
) -> None:
    theirs = edits.set_text(WHOLE, ["u101", "u102", "u103"], "name", "Theirs")
    [look, *_] = WHOLE.looks
    line = replace(look.lines[0], units=("u101",), groups=())
    theirs = replace(theirs, looks=(replace(look, lines=(line,)), *WHOLE.looks[1:]))
    save_show(theirs, saved)
    window = make_window(WHOLE, page="Versions")
    bench, page = window.bench, window.pages["Versions"]
    press(page, "view Bring in")
    view = page.bring
    answer_file_dialog(str(saved))
    press(view, "bring file")
    choose(child(view, "bring kind"), "Units")
    retype(child(view, "bring words"), "101-104", Qt.Key.Key_Return)
    assert [row[1].becomes for row in view.coming.rows][3] == "there already"
    assert view.met.rowCount() == 3 and not child(view, "bring in").isEnabled()
    click_row(view.clash_table, 0)
    press(view, "meet theirs")
    click_row(view.clash_table, 2)
    press(view, "meet another")
    press(view, "bring in")
    now = {u.number: u.name for u in bench.show.units}
    assert now[101] == "Theirs" and now[102] == WHOLE.unit("u102").name
    assert [u.name for u in bench.show.units[len(WHOLE.units) :]] == ["Theirs"]

    press(view, "want nothing")
    choose(child(view, "bring kind"), "Looks")
    retype(child(view, "bring words"), str(look.number), Qt.Key.Key_Return)
    press(view, "meet another")
    row = row_of(view.stand_table, "101")
    type_in_cell(view.stand_table, row, 1, "105")
    press(view, "bring in")
    assert bench.show.looks[-1].lines[0].units == ("u105",)
    assert answer("bring", "demo", str(saved), "--want", "looks", "--dry-run")[0] == 0
    assert plan(WHOLE, theirs, Wanted()).show == WHOLE


def test_changes_come_from_a_file_whose_things_have_other_ids(make_window, saved: Path) -> None:
    ids = {"units": {u.id: f"x{u.id}" for u in WHOLE.units}}
    theirs = renamed_show(edits.set_text(WHOLE, ["u101"], "name", "Theirs"), ids)
    gone = replace(theirs, units=(*theirs.units[:3], *theirs.units[4:]))
    save_show(gone, saved)
    window = make_window(WHOLE, page="Versions")
    bench, view = window.bench, window.pages["Versions"].compare
    answer_file_dialog(str(saved))
    press(view, "compare file")
    assert [row[1].member for row in view.changes.model.rows] == ["", "name"]
    press(view, "tick all")
    press(view, "take changes")
    left = (*WHOLE.units[:3], *WHOLE.units[4:])
    assert bench.show.units == (replace(left[0], name="Theirs"), *left[1:])
    bench.undo()
    press(view, "exchange sides")  # the same, told the other way round
    press(view, "tick all")
    assert child(view, "take changes").text() == "Bring back 2 changes"
    press(view, "take changes")
    assert bench.show.units == (replace(left[0], name="Theirs"), *left[1:])
    press(view, "exchange sides")
    assert view.told.text() == "They are alike."
