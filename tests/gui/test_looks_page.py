"""The Looks page by hand: the starter set, palettes used, taken from now, renamed and removed; the light of the rig follows."""

from __future__ import annotations

from PySide6.QtCore import Qt

from helpers.hands import child, click, key, press, retype, settle, shortcut, until
from isthmus.app.shell.finder import find
from isthmus.show.records import Show


def test_palettes_are_made_used_taken_from_now_and_told_who_cannot(make_window, demo: Show) -> None:
    window = make_window(demo, page="Looks")
    bench, view = window.bench, window.pages["Looks"].palettes
    press(view, "first starters")
    palettes = bench.show.palettes
    assert len(palettes) > 40 and not view.first.isVisible()
    assert "palettes made" in window.notice.words
    press(view, "make starters")
    assert bench.show.palettes == palettes  # made once

    # by mouse and Enter: a position, then a colour, with who cannot
    ids = ["u101", "u221", "u401"]
    bench.selection.select(ids)
    positions, colours = view.lists["position"], view.lists["colour"]
    at = positions.swatches.row_of(next(p.id for p in palettes if p.name == "Deck centre"))
    click(positions.viewport(), positions.visualRect(positions.swatches.index(at, 0)).center())
    assert "Deck centre" in view.title.text() and "0.00, 0.00, 0.00 m" in view.words.text()
    assert "401: no pan and no tilt" in view.short.text()
    key(positions, Qt.Key.Key_Return)
    live = bench.levels.live
    assert live.axis("u101", "Tilt") != 0 and "no pan and no tilt" in window.notice.words
    click(colours.viewport(), colours.visualRect(colours.swatches.index(3, 0)).center())
    assert positions.palette_here() is None and "Red" in view.title.text()
    bench.levels.change(lambda now: now.set_intensity(ids, 1.0))
    press(view, "use palette")
    red, green, _ = live.state_of("u101").rgb[0, 0]
    assert red > 10 * max(green, 1e-6)
    assert until(lambda: bool(colours.swatches.missing))  # counted while nothing else is to be done
    shortcut(
        window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.AltModifier
    )
    assert live.state_of("u101").rgb[0, 0][1] > 0.1  # a live act is taken back by itself

    # and found by a few letters
    hits = find("harbour blue", bench, window.actions_, window.spine.titles, window.go)
    hit = next(h for h in hits if h.kind == "palette")
    assert hit.words == "Colour 14 Harbour blue on 3 selected units"
    hit.run()
    assert live.state_of("u101").rgb[0, 0].argmax() == 2

    # from now, named at once, and used on others
    press(view, "new beam")
    made = view.palette_here()
    assert made.kind == "beam" and view.name.hasFocus() and view.name.selectedText() == made.name
    retype(view.name, "Salt lamp")
    key(view.name, Qt.Key.Key_Return)
    assert view.palette_here().name == "Salt lamp" and bench.history.undo_name.startswith(
        "name beam"
    )
    retype(view.number, "1")
    key(view.number, Qt.Key.Key_Return)
    assert "Beam 1 is Open" in window.notice.words and view.palette_here().number == made.number
    live.set_axis(["u101"], "Zoom", 9.0)
    bench.selection.select(["u101"])
    press(view, "update palette")
    assert abs(view.palette_here().wish.angle - 9.0) < 0.1
    press(view, "remove palette")
    assert "Salt lamp" not in {p.name for p in bench.show.palettes}

    # nothing selected: told, and nothing done
    bench.selection.select([])
    before = live.frame.copy()
    view.choose(palettes[0].id)
    key(view.lists["intensity"], Qt.Key.Key_Return)
    assert "No units are selected" in window.notice.words and (live.frame == before).all()
    press(view, "new colour")
    assert "No units are selected" in window.notice.words
    settle()
    assert child(view, "use palette").isEnabled() is False
