"""Looks and cues by hand: an evening of twelve cues made by clicks and walked with Go, each packet on the wire held against straight lines between the levels that were set."""

from __future__ import annotations

import time
from itertools import pairwise

import numpy as np
import pytest
from msgspec.structs import replace
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QApplication, QFileDialog

from helpers.browser import BROWSER, Browser
from helpers.geometry import beams_sent
from helpers.hands import (
    child,
    choose,
    click,
    key,
    press,
    retype,
    settle,
    shortcut,
    type_in_cell,
    until,
)
from helpers.tools import Heard
from isthmus.app.model.winning import who_wins
from isthmus.demo import as_hung
from isthmus.demo.evening import with_evening
from isthmus.show.records import PLAIN_HANDLING, Limit, Output, Show, Unit

HERE = "127.0.0.8"
UNITS, FADE = 4, 0.4


def dimmers(show: Show) -> list[Unit]:
    """Units of one slot, their dimmer, in one universe."""
    found = [u for u in show.units if u.mode == "Dimmer" and "Groyne" in u.profile and u.patch]
    plain = [u for u in found if not u.limits and u.handling == PLAIN_HANDLING]
    first = plain[0].patch[0].universe
    return [u for u in plain if u.patch[0].universe == first][:UNITS]


@pytest.mark.network
def test_an_evening_is_made_by_clicks_and_each_go_fades_in_straight_lines(make_window) -> None:
    show = as_hung()
    units = dimmers(show)
    assert len(units) == UNITS
    universe = units[0].patch[0].universe
    show = replace(show, outputs=(Output(id="o", universe=universe, host=HERE, port_address=3),))
    window = make_window(show, page="Looks")
    bench, page = window.bench, window.pages["Looks"]
    press(page, "view Cues")
    view = page.cues
    press(view, "first list")
    retype(view.name, "Evening", Qt.Key.Key_Return)
    assert bench.show.cue_lists[0].name == "Evening"

    # twelve cues: levels set by hand, taken from now
    rng = np.random.default_rng(12)
    levels = [[0.0] * UNITS] + [
        [float(v) for v in rng.integers(0, 256, UNITS) / 255] for _ in range(12)
    ]
    for now in levels[1:]:
        for unit, level in zip(units, now, strict=True):
            bench.levels.change(lambda live, u=unit, v=level: live.set_intensity([u.id], v))
        press(view, "cue from now")
    bench.levels.change(lambda live: live.let_go([u.id for u in units]))
    cues = bench.show.cue_lists[0].cues
    assert [c.number for c in cues] == list(range(1, 13)) and len(bench.show.looks) == 12
    for row in range(12):
        for column in (4, 5):
            type_in_cell(view.table, row, column, f"{FADE}")
    assert {(c.up, c.down) for c in bench.show.cue_lists[0].cues} == {(FADE, FADE)}
    view.choose(cues[0].id)
    key(view.table, Qt.Key.Key_F2)  # by keys: the first cell that takes typing, its number
    key(QApplication.focusWidget(), Qt.Key.Key_7)
    key(QApplication.focusWidget(), Qt.Key.Key_Return)
    assert "Cue 7 is there already" in window.notice.words
    type_in_cell(view.table, 0, 4, "soon")
    assert "is not a time" in window.notice.words and bench.show.cue_lists[0].cues[0].up == FADE

    wire = Heard(HERE)
    try:
        shortcut(window, Qt.Key.Key_Return)
        assert until(lambda: window.output.player.alive and len(wire.frames) > 5)
        slots = [u.patch[0].address - 1 for u in units]
        for at, (before, after) in enumerate(pairwise(levels)):
            begun = time.monotonic()
            press(view, "go") if at % 2 else key(window, Qt.Key.Key_F8)
            sent = bytes(round(255 * level) for level in after)
            assert until(lambda s=sent: bytes(wire.frames[-1][1][i] for i in slots) == s)
            assert f"Cue {at + 1}" in view.clock.text()
            on = np.array([[f[s] / 255 for s in slots] for t, f in wire.frames if t > begun])
            low, high = np.minimum(before, after), np.maximum(before, after)
            assert (on >= low - 0.003).all() and (on <= high + 0.003).all()
            # all of them are equally far along at any packet: one straight line each
            span = np.array(after) - np.array(before)
            moved = np.abs(span) > 0.1
            along = ((on - before) / np.where(moved, span, 1))[:, moved]
            assert (np.ptp(along, axis=1) < 0.06).all()
            middle = (along[:, :1] > 0.01) & (along[:, :1] < 0.99)
            assert middle.any()
        assert view.cues.here == cues[-1].id

        # back, jump, pause, the hand in front, release
        press(view, "back")
        assert until(lambda: wire.frames[-1][1][slots[0]] == round(255 * levels[11][0]))
        view.choose(cues[1].id)
        press(view, "jump")
        assert until(lambda: wire.frames[-1][1][slots[1]] == round(255 * levels[2][1]))
        bench.levels.change(lambda live: live.set_intensity([units[0].id], 0.2))
        assert until(lambda: wire.frames[-1][1][slots[0]] == 51)
        bench.levels.change(lambda live: live.let_go([units[0].id]))
        press(view, "release")
        assert until(lambda: not any(wire.frames[-1][1][s] for s in slots))
        assert until(lambda: "Not running" in view.clock.text())
    finally:
        wire.close()


def test_a_look_is_changed_line_by_line_and_seen_blind(make_window, demo: Show) -> None:
    window = make_window(demo, page="Looks")
    bench, page = window.bench, window.pages["Looks"]
    press(page.palettes, "first starters")
    press(page, "view Looks")
    view = page.looks
    press(view, "first look")
    assert "Nothing is asked" in window.notice.words
    bench.selection.select(["u101", "u102"])
    bench.levels.change(lambda live: live.set_intensity(["u101", "u102"], 0.8))
    bench.levels.use(
        next(p for p in bench.show.palettes if p.name == "Deck centre"), ["u101", "u102"]
    )
    press(view, "first look")
    key(view.table.focusWidget() or view.table, Qt.Key.Key_Escape)
    look = view.look_here()
    assert look and view.lines.cells((0, look.lines[0]))[:3] == ("101–102", "Deck centre", "80 %")
    click(view.whole)  # all they do: their colour and beam too, though no one asked for them
    press(view, "update look")
    whole = view.look_here().lines[0].wish
    assert whole.colour is not None and whole.gobo == "open"
    shortcut(window, Qt.Key.Key_Z)
    assert view.look_here().lines[0].wish.colour is None
    sent = bench.levels.live.frame.copy()

    bench.selection.select(["u201"])
    press(view, "add line")
    type_in_cell(view.who, 1, 1, "colour 4")
    type_in_cell(view.who, 1, 2, "35 %")
    type_in_cell(view.who, 1, 2, "135 %")
    assert "is not a level" in window.notice.words
    type_in_cell(view.who, 1, 1, "colour 4, colour 5")
    assert "Two palettes are of kind colour" in window.notice.words
    look = view.look_here()
    assert look and look.lines[1].wish.intensity == 0.35
    blind = view.stage.rig_view.states(view.stage.rig_frame)
    live = bench.levels.live
    assert until(lambda: view.stage.rig_frame is not None)
    assert (live.frame == sent).all() and live.asked_units() == {"u101", "u102"}
    order = {
        u: (g, i)
        for g, group in enumerate(view.stage.rig_view.rig.groups)
        for i, u in enumerate(u.id for u in group.units)
    }
    group, row = order["u201"]
    red, green, blue = blind[group].rgb[row].max(axis=0)
    assert red > 0.05 and red > 5 * max(green, blue)
    assert "u201" in view.plan.live.glow() and "u201" not in live.glow()
    assert "In look 1." in child(window, "used in looks").text()

    type_in_cell(view.who, 0, 0, "101, Nowhere wash")
    assert "Nowhere wash" in window.notice.words
    press(view, "use look")
    assert "u201" in live.asked_units()
    view.who.selectRow(1)
    press(view, "line up")
    assert view.look_here().lines[0].units == ("u201",)
    press(view, "remove line")
    assert [line.units for line in view.look_here().lines] == [("u101", "u102")]
    shortcut(window, Qt.Key.Key_Z)
    assert len(view.look_here().lines) == 2
    press(view, "remove look")
    assert not bench.show.looks and view.first.isVisible()
    settle()
    click(view.first)
    assert child(view, "use look").isEnabled() is False


def test_who_has_the_say_is_told_and_looks_that_do_not_stand_are_snags(make_window) -> None:
    show = with_evening(as_hung())
    window = make_window(show, page="Looks")
    bench, view = window.bench, window.pages["Looks"].cues
    evening, water = (c.id for c in bench.show.cue_lists)
    bench.playing.jump(evening, bench.show.cue_lists[0].cues[5].id, 0.0)  # Red tide
    edge = next(u.id for u in bench.show.units if u.purpose == "Water edge" and u.patch)
    assert who_wins(bench, edge, "Dimmer").words == "From Evening, cue 6."
    assert who_wins(bench, edge, "ColorAdd_B", 1).words == "From Evening, cue 6."
    bench.playing.go(water)
    # of its colours the latest counts, of its dimmer the highest: 70 % against 50 %
    assert until(lambda: "From Water, cue" in who_wins(bench, edge, "ColorAdd_B", 1).words)
    assert who_wins(bench, edge, "Dimmer").words == "From Evening, cue 6."
    assert bench.levels.live.level(edge, "Dimmer") == pytest.approx(0.7, abs=0.01)
    bench.levels.change(lambda live: live.ask({(edge, 0, "Dimmer"): 0.5}))
    assert who_wins(bench, edge, "Dimmer").words.startswith("Set by hand")
    bench.session.begin(only={edge})
    assert who_wins(bench, edge, "Dimmer").words == "Set by the roll call."
    press(window.pages["Looks"], "view Cues")
    press(view, "go")
    assert "The roll call holds the levels" in window.notice.words
    other = next(u.id for u in bench.show.units if u.purpose == "Top wash" and u.patch)
    assert who_wins(bench, other, "Dimmer").words.startswith(
        "At home"
    )  # the rig is the call's alone
    assert bench.levels.live.level(other, "Dimmer") == 0
    bench.session.end()
    assert who_wins(bench, other, "Dimmer").words == "From Evening, cue 6."
    assert bench.levels.live.level(other, "Dimmer") == pytest.approx(0.9, abs=0.01)
    press(view, "release all")
    assert until(lambda: not bench.playing.playback.positions and bench.levels.live.played is None)

    # the mast is let down into the water: its heads cannot reach where the looks want them
    def texts() -> str:
        return " ".join(s.text for s in bench.known.snags)

    assert until(lambda: "Storm" not in texts())
    moved = tuple(
        replace(u, position=(u.position[0], u.position[1], -60.0), rotation=(1.0, 0.0, 0.0, 0.0))
        if u.purpose == "Key, moving" and u.position
        else u
        for u in bench.show.units
    )
    limited = tuple(
        replace(u, limits=(Limit(attribute="Dimmer", high=0.5),))
        if u.purpose == "Back light"
        else u
        for u in moved
    )
    lost = tuple(replace(u, patch=()) if u.purpose == "Side, moving" else u for u in limited)
    bench.commit("spoil it", replace(bench.show, units=lost))
    assert "names 107–110, which have no address" in texts()
    assert until(lambda: "more than their limits let through" in texts())
    assert "is out of reach" in texts() and "m beside" in texts()
    bench.undo()
    assert until(lambda: "out of reach" not in texts() and "limits" not in texts())

    # another structure: the starter set is offered again, in one step
    mast = next(s for s in bench.show.structures if s.kind == "truss")
    more = replace(mast, id="new", name="Crane arm")
    bench.commit("a crane", replace(bench.show, structures=(*bench.show.structures, more)))
    assert until(lambda: "starter set would have 1 palette more" in texts())
    fix = next(s.fix for s in bench.known.snags if s.rule == "starters-new")
    bench.commit(fix.label, fix.edit(bench.show))
    assert "Crane arm" in {p.name for p in bench.show.palettes}
    assert until(lambda: "starter set" not in texts())


def test_focus_goes_through_a_position_and_the_palette_learns(
    make_window, tmp_path, monkeypatch: pytest.MonkeyPatch
) -> None:
    window = make_window(with_evening(as_hung()), page="Looks")
    bench, page = window.bench, window.pages["Looks"]
    bench.levels.change(lambda live: live.set_intensity(["u301"], 0.4))
    before = bench.levels.live.snapshot()
    bench.selection.select(["u101", "u102", "u103", "u401"])  # the last does not turn
    press(page, "view Focus")
    view = page.focus
    choose(view.which, "2  Deck centre")
    press(view, "begin focus")
    assert "1 of 3:  101" in view.title.text() and bench.selection.ids == ["u101"]
    lit = bench.levels.live.lit()
    assert lit.get("u101", 0) > 0.9 and "u102" not in lit
    press(view, "focus next")  # as it was: nothing is learnt
    assert bench.history.undo_name is None

    # aimed by mouse in the plan: the beam meets the point, and the palette keeps it
    click(view.plan, view.plan.to_px(1.5, 2.0))
    assert "by hand" in view.state.text()
    press(view, "focus next")
    palette = next(p for p in bench.show.palettes if p.name == "Deck centre")
    learnt = palette.units["u102"].point
    assert list(palette.units) == ["u102"] and learnt == pytest.approx(
        (1.5, 2.0, learnt[2]), abs=0.1
    )

    # turned by hand controls, for all: where the beam lands, by an independent reading
    bench.levels.change(lambda live: live.set_axis(["u103"], "Tilt", -20.0))
    origin, direction = beams_sent(bench.show, bench.levels.live, "u103")[0]
    click(view.all)
    press(view, "focus next")
    palette = next(p for p in bench.show.palettes if p.name == "Deck centre")
    point = np.array(palette.wish.point)
    off = point - origin
    assert np.linalg.norm(off - direction * (off @ direction)) < 0.01
    assert "That was the last of 3" in window.notice.words and not view.focus.running
    assert bench.levels.live.snapshot() == before  # what was asked before is back
    assert child(view, "focus next").isEnabled() is False
    shortcut(window, Qt.Key.Key_Z)
    assert next(p for p in bench.show.palettes if p.name == "Deck centre").wish.point == (0, 0, 0)

    # on paper, from both views
    for name, button in (("focus.csv", "focus sheet"), ("cues", "cue sheet")):
        chosen = str(tmp_path / name), "*.pdf"
        monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a, c=chosen: c)
        press(page, button)
        press(page, "view Cues")
    said = ", ".join(f"{v:.2f}" for v in learnt)
    assert f'"{said}"' in (tmp_path / "focus.csv").read_text()
    assert (tmp_path / "cues.pdf").read_bytes().startswith(b"%PDF")


@pytest.mark.skipif(BROWSER is None, reason="no browser here: apt-get install chromium")
def test_a_phone_moves_the_point_by_its_joystick_and_the_palette_learns(
    make_window, tmp_path
) -> None:
    window = make_window(with_evening(as_hung()), page="Roll call")
    bench, phones = window.bench, window.pages["Roll call"].phones
    phones.adapter.addItem("here", "127.0.0.1")
    phones.begin()
    window.go("Looks")
    view = window.pages["Looks"].focus
    bench.selection.select(["u101", "u102"])
    press(window.pages["Looks"], "view Focus")
    choose(view.which, "2  Deck centre")
    browser = Browser(tmp_path / "profile")
    try:
        phone = browser.page(phones.server.join_url)
        assert until(lambda: phone.run("document.body && document.body.dataset.ready"))
        phone.click("#join button")
        assert until(lambda: phone.run("!document.querySelector('#call').hidden"))
        assert phone.run("document.querySelector('#focus').hidden")
        press(view, "begin focus")
        assert until(lambda: phone.text("#f-number") == "101")

        def there() -> np.ndarray:
            """Where its beam comes to the deck, by an independent reading."""
            origin, direction = beams_sent(bench.show, bench.levels.live, "u101")[0]
            return (origin - direction * origin[2] / direction[2])[:2]

        assert there() == pytest.approx((0, 0), abs=0.05)
        phone.hold("#pad", 0, 60)
        assert until(lambda: there()[1] > 0.8)
        phone.let_go()
        settle(0.3)
        stopped = there()
        settle(0.5)
        assert there() == pytest.approx(stopped, abs=1e-9)
        assert abs(stopped[0]) < 0.05 and 0.8 < stopped[1] < 4
        phone.click("#facing")  # what was upstage is now towards oneself
        phone.hold("#pad", 60, 0)
        assert until(lambda: there()[0] < -0.5)
        phone.let_go()
        settle(0.3)
        at = there()
        phone.click("[data-focus=next]")
        assert until(lambda: phone.text("#f-number") == "102")
        palette = next(p for p in bench.show.palettes if p.name == "Deck centre")
        assert list(palette.units) == ["u101"]
        assert palette.units["u101"].point == pytest.approx((*at, 0), abs=0.05)
        phone.click("[data-focus=end]")
        assert until(lambda: phone.run("document.querySelector('#focus').hidden"))
        assert not view.focus.running
    finally:
        browser.close()
        phones.end()
