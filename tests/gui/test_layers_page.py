"""Layers in a real window, from nothing to a cue; and a wall with a panel hung wrongly, found by looking at the stand-in rig."""

from __future__ import annotations

import threading
import time
from collections.abc import Iterator

import av
import numpy as np
import pytest
from msgspec.structs import replace
from PIL import Image
from PySide6.QtCore import QPointF, Qt
from PySide6.QtWidgets import QApplication
from test_pixels_page import wall_seen

from helpers.browser import BROWSER, Browser
from helpers.hands import (
    answer_file_dialog,
    child,
    choose,
    click,
    drag,
    key,
    press,
    retype,
    shortcut,
    type_in_cell,
    until,
)
from helpers.tools import until as wait_until
from isthmus.demo import WALL, lantern_tide
from isthmus.demo.wall import FACING, with_wall
from isthmus.looks import cue_edits
from isthmus.pixels.layer_edits import add_layer, put_set
from isthmus.pixels.media import bring, longest_for, put_media
from isthmus.profiles.gdtf import write_gdtf
from isthmus.profiles.make.bodies import Body
from isthmus.profiles.make.channels import Channel
from isthmus.profiles.make.compose import ModePlan, compose
from isthmus.profiles.records import Beam
from isthmus.profiles.store import stored_of
from isthmus.show import open_show, save_show
from isthmus.show.records import LayerSet, Output, Patched, Show, Unit
from isthmus.standin import RigClient, StandInRig, read_scenario


def test_three_layers_become_a_look_and_a_cue_plays_them(make_window) -> None:
    show = replace(with_wall(lantern_tide()), grids=(), layer_sets=())
    window = make_window(show, page="Pixels")
    bench, page = window.bench, window.pages["Pixels"]
    bench.selection.select([u.id for u in show.units if u.purpose == "Wall"])
    press(page.grid, "first grid")
    key(QApplication.focusWidget(), Qt.Key.Key_Return)
    press(page, "view Layers")
    view = page.layers

    # a plate, from nothing: its set is made with it; shown, the wall is dark until its masters are up
    key(view.source, Qt.Key.Key_Home)
    press(view, "add layer")
    assert len(bench.show.layer_sets) == 1 and len(bench.show.layer_sets[0].layers) == 1
    press(view, "show layer set")
    assert "Output is off" in window.notice.words and not wall_seen(window).any()
    assert "10 units dark: the master is at zero." in view.told.text()
    press(view, "raise masters")
    assert until(lambda: wall_seen(window).max(axis=2).min() > 0.5)
    retype(child(view, "layer colour"), "red", Qt.Key.Key_Return)
    assert until(lambda: wall_seen(window)[:, :, 2].max() < 0.1)
    retype(child(view, "layer colour"), "no such colour", Qt.Key.Key_Return)
    assert (
        "is not a colour" in window.notice.words and child(view, "layer colour").text() == "#ff0000"
    )

    # dragged by a corner to the left half, by its middle to the right one; the arrows put it back
    points = view.picture._points(view.picture._frame)
    whole = view.picture.whole()
    drag(view.picture, points["11"], QPointF(whole.center().x(), whole.bottom()))
    left = np.zeros((8, 30), bool)
    left[:, :15] = True
    assert until(lambda: ((wall_seen(window).max(axis=2) > 0.3) == left).all())
    middle = view.picture._points(view.picture._frame)["middle"]
    drag(view.picture, middle, middle + QPointF(whole.width() / 2, 0))
    assert until(lambda: ((wall_seen(window).max(axis=2) > 0.3) == ~left).all())
    for _ in range(15):
        key(view.picture, Qt.Key.Key_Left)
    assert until(lambda: ((wall_seen(window).max(axis=2) > 0.3) == left).all())

    # words that run over it, and a mask in front of all that leaves the upper row
    choose(view.source, "words")
    press(view, "add layer")
    retype(child(view, "layer words"), "TIDE", Qt.Key.Key_Return)
    choose(child(view, "layer moves"), "runs")
    retype(child(view, "layer colour"), "#0000ff", Qt.Key.Key_Return)
    key(view.source, Qt.Key.Key_Home)
    press(view, "add layer")
    choose(child(view, "layer blend"), "mask")
    retype(child(view, "layer height"), "50 %", Qt.Key.Key_Return)
    retype(child(view, "layer down"), "25 %", Qt.Key.Key_Return)
    assert until(lambda: not wall_seen(window)[4:].any() and wall_seen(window)[:4].any())
    one = wall_seen(window)
    assert until(lambda: (wall_seen(window) != one).any())  # they run
    key(view.strips, Qt.Key.Key_Down, Qt.KeyboardModifier.AltModifier)  # the mask below the words
    assert [x.blend for x in bench.show.layer_sets[0].layers] == ["over", "mask", "over"]
    key(view.strips, Qt.Key.Key_Space)
    assert not bench.show.layer_sets[0].layers[1].on
    press(view, "show layer set")
    bench.levels.change(lambda live: live.restore({}))
    assert not wall_seen(window).any()

    # the look lights the wall too; a cue plays it, and what fades in is on its way
    press(view, "look of layer set")
    [look] = bench.show.looks
    made, name = cue_edits.put_list(bench.show, cue_edits.CueList(id="", number=0))
    made, _ = cue_edits.put_cue(made, name, cue_edits.Cue(id="", number=1, look=look.id, up=2.0))
    bench.commit("a cue", made)
    bench.playing.go(name)
    at = bench.playing.position(name).start
    dim = []
    while time.monotonic() < at + 2.3:
        QApplication.processEvents()
        dim.append((time.monotonic() - at, wall_seen(window)[5, 2, 0]))
    early = [level for seconds, level in dim if seconds < 0.4]
    assert max(early) < 0.1 < 0.3 < max(level for _, level in dim)
    window.go("Looks")
    press(window.pages["Looks"], "view Looks")
    looks = window.pages["Looks"].looks
    assert looks.pictures.text() == bench.show.layer_sets[0].name
    retype(looks.pictures, "nothing there", Qt.Key.Key_Return)
    assert "There is no layer set" in window.notice.words
    retype(looks.pictures, "", Qt.Key.Key_Return)
    assert bench.show.looks[0].pictures == ()
    assert until(lambda: not wall_seen(window).any() or wall_seen(window)[7, 29, 2] >= 0)


def test_sixteen_units_of_four_cells_show_a_moving_picture_after_eight_acts(make_window) -> None:
    light = Beam(beam_angle=60, field_angle=80, flux=200, lamp="LED", power=20)
    colours = tuple(Channel(f"ColorAdd_{letter}") for letter in "RGBW")
    four = compose(
        "Saltings", "Limpet 4", Body("cells", (0.4, 0.4, 0.1), light, 2),
        [ModePlan("Four", (Channel("Dimmer"),), 4, colours)],
    )  # fmt: skip
    stored = stored_of(four, write_gdtf(four))
    units = tuple(
        Unit(
            id=f"u{i}", number=1 + i, profile=stored.key, mode="Four", rotation=FACING,
            patch=(Patched(universe=1, address=1 + 17 * i),),
            position=(0.4 * (i % 4), 5.0, 3.0 - 0.4 * (i // 4)),
        )
        for i in range(16)
    )  # fmt: skip
    window = make_window(
        Show(units=units, profiles=(stored,), outputs=(Output(id="o", universe=1),))
    )
    page = window.pages["Pixels"]
    window.go("Patch")
    acts = (
        lambda: key(
            window.pages["Patch"].units.table, Qt.Key.Key_A, Qt.KeyboardModifier.ControlModifier
        ),
        lambda: shortcut(
            window,
            Qt.Key.Key_8,
            Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.AltModifier,
        ),
        lambda: press(page, "first grid"),
        lambda: press(page, "view Layers"),
        lambda: press(page, "add layer"),
        lambda: press(page, "show layer set"),
        lambda: press(page, "raise masters"),
        lambda: window.output.switch(True),  # the switch in the bar
    )
    for act in acts:
        act()
    live = window.bench.levels.live
    lit = np.zeros(16 * 17, bool)

    def all_lit() -> bool:
        lit[:] |= live.frame[: 16 * 17] > 20
        return bool(
            lit.reshape(16, 17)[:, 0].all()
            and lit.reshape(16, 17)[:, 1:].reshape(64, 4).any(axis=1).all()
        )

    assert until(all_lit) and (
        window.bench.show.grids[0].width,
        window.bench.show.grids[0].height,
    ) == (8, 8)
    one = live.frame.copy()
    assert until(lambda: (live.frame != one).any())
    window.output.switch(False)


def test_a_picture_is_brought_in_by_its_file_and_shown_where_it_never_was(
    make_window, tmp_path, monkeypatch
) -> None:
    monkeypatch.setenv("XDG_CACHE_HOME", str(tmp_path / "cache"))
    half = Image.new("RGB", (240, 64))
    half.paste((0, 0, 255), (0, 0, 120, 64))
    half.save(tmp_path / "half.png")
    (tmp_path / "none.png").write_text("no picture")
    show = replace(with_wall(lantern_tide()), layer_sets=())
    window = make_window(show, page="Pixels")
    bench, page = window.bench, window.pages["Pixels"]
    press(page, "view Layers")
    view = page.layers
    choose(view.source, "own picture")
    for name, words in (("none.png", "none.png: "), ("half.png", "kept as 60 × 16")):
        answer_file_dialog(str(tmp_path / name))
        press(view, "add layer")
        assert until(lambda w=words: w in window.notice.words)
    assert [m.name for m in bench.show.media] == ["half"] and "0.00 MB" in view.about.text()
    save_show(bench.show, tmp_path / "kept.isthmus")

    # a grid that grew shows it coarse: it is fitted again from its file, while that is the same
    assert not view.finer.isVisible()
    whole = bench.show
    press(page, "view Grids")
    type_in_cell(page.grid.table, 0, 2, "60 x 16")
    press(page, "view Layers")
    assert view.finer.isVisible() and "coarser than the grid" in view.about.text()
    (tmp_path / "half.png").rename(tmp_path / "away.png")
    press(view, "fit media")
    assert until(lambda: "is gone, or another by now" in window.notice.words)
    (tmp_path / "away.png").rename(tmp_path / "half.png")
    press(view, "fit media")
    assert until(lambda: bench.show.media[0].size == (120, 32))
    assert not view.finer.isVisible() and len(bench.show.files) == len(whole.files)

    for one in (tmp_path / "cache").rglob("*.npy"):  # as on another computer
        one.unlink()
    other = make_window(open_show(tmp_path / "kept.isthmus"), page="Pixels")
    other.bench.levels.change(lambda live: live.set_intensity([f"w{i}" for i in range(10)], 1.0))
    other.bench.playing.show_set(other.bench.show.layer_sets[0].id)
    left = np.arange(30) < 15
    assert until(lambda: ((wall_seen(other)[:, :, 2].min(axis=0) > 0.3) == left).all())


@pytest.fixture
def wall() -> Iterator[RigClient]:
    stand_in = StandInRig(read_scenario(WALL))
    thread = threading.Thread(target=stand_in.serve)
    thread.start()
    client = RigClient(stand_in.address, timeout=30)
    try:
        yield client
    finally:
        client.close()
        stand_in.stop()
        thread.join()
        stand_in.close()


def panels(client: RigClient) -> dict[str, np.ndarray]:
    """What the lamps of each panel of the rig do, as one stands before it: (rows, columns, 3), by which of red, green and blue is lit. Cell 1 is at the lower left."""
    found = {}
    for unit in client.ask("state")["units"]:
        light = np.array(unit["cells"])[:, None] * np.array(unit["tints"])
        bright = light > 0.4 * max(1e-6, light.max())
        found[unit["label"]] = bright.reshape(4, 6, 3)[::-1]
    return found


@pytest.mark.network
def test_a_panel_hung_upside_down_is_found_and_the_grid_mended(make_window, wall) -> None:
    """The person looks at the rig alone, and knows how panels should look from the screen."""
    show = with_wall(lantern_tide())
    window = make_window(show, page="Pixels")
    window.output.switch(True)
    bench, page = window.bench, window.pages["Pixels"]
    press(page, "view Wiring")
    view = page.wiring
    press(view, "begin wiring")
    marked = []
    while view.next_button.isVisible():
        name = bench.grid_tests.look.name
        if name == "running":  # no one needs it for this
            press(view, "next wiring")
            continue
        right = {"letters": 1, "first cells": 2}.get(name, 0)
        assert wait_until(lambda: settled(wall), wait=QApplicationWait)
        seen = panels(wall)
        usual = max(
            (one.tobytes() for one in seen.values()), key=[o.tobytes() for o in seen.values()].count
        )
        for label, picture in seen.items():
            if right and picture.tobytes() != usual:
                at = [c for c in bench.show.grids[0].cells if c.unit == f"w{int(label) - 701}"]
                click(view.picture, view.picture.box(at[0].x, at[0].y).center())
                choose(
                    view.answers,
                    "Turned round" if name == "letters" else "Red top right, green beside it",
                )
                press(view, "mark wiring")
                marked.append(label)
        press(view, "next wiring")
    assert set(marked) == {"704"}
    assert "Unit 704 hangs upside down" in view.found.text()
    press(view, "fix wiring")
    assert "The grid has it so now" in window.notice.words

    # pictures are upright everywhere now
    press(page, "view Grids")
    choose(page.grid.tests.which, "Ramp")
    press(page.grid, "test grid")

    def upright() -> bool:
        lit = {
            u["label"]: np.array(u["cells"]).reshape(4, 6)[::-1] for u in wall.ask("state")["units"]
        }
        row = np.concatenate([lit[str(n)] for n in range(701, 706)], axis=1)
        return bool(row.max() > 0.1 and (np.diff(row[0]) >= 0).all() and (row == row[:1]).all())

    assert wait_until(upright, wait=QApplicationWait)
    press(page.grid, "test grid")
    window.output.switch(False)


@pytest.mark.network
def test_a_picture_a_gif_and_a_film_arrive_on_the_rig_cell_by_cell(
    make_window, wall, tmp_path, monkeypatch
) -> None:
    """Three files with known colours beside each other, as the lamps of the rig show them."""
    monkeypatch.setenv("XDG_CACHE_HOME", str(tmp_path / "cache"))
    rng = np.random.default_rng(4)
    codes = 255 * rng.integers(0, 2, (8, 12, 3), np.uint8)
    Image.fromarray(codes).resize((240, 160), Image.Resampling.NEAREST).save(tmp_path / "a.png")
    red, green = (Image.new("RGB", (60, 80), name) for name in ("#ff0000", "#00ff00"))
    red.save(tmp_path / "b.gif", save_all=True, append_images=[green], duration=500, loop=0)
    field = np.zeros((160, 240, 3), np.uint8)
    field[:80, :, 2] = field[80:, :, :2] = 255  # blue above yellow
    with av.open(str(tmp_path / "c.mp4"), "w") as out:
        stream = out.add_stream("mpeg4", rate=10)
        stream.width, stream.height, stream.pix_fmt = 240, 160, "yuv420p"
        for _ in range(20):
            out.mux(stream.encode(av.VideoFrame.from_ndarray(field, format="rgb24")))
        out.mux(stream.encode())
    show = with_wall(lantern_tide())
    one = LayerSet(id="", number=2, grid=show.grids[0].id)
    for name, x, width in (("a.png", 6, 12), ("b.gif", 15, 6), ("c.mp4", 24, 12)):
        show, media = put_media(show, bring(tmp_path / name, longest_for(30, 8)))
        one = add_layer(one, "media", media=media, x=x / 30, width=width / 30, fit="stretch")
    show, name = put_set(show, one)
    window = make_window(show, page="Pixels")
    window.bench.levels.change(lambda live: live.set_intensity([f"w{i}" for i in range(10)], 1.0))
    window.output.switch(True)
    window.bench.playing.show_set(name)
    gif: set[tuple[bool, ...]] = set()

    def lamps(unit: dict) -> np.ndarray:
        """Which of red, green and blue is lit in each cell; the rig tells brightness apart from tint."""
        tints = np.array(unit["tints"])
        weight = np.maximum(tints @ [0.2126, 0.7152, 0.0722], 1e-6)  # ITU-R BT.709
        light = tints * (np.array(unit["cells"]) / weight)[:, None]
        return (light > 0.2).reshape(4, 6, 3)[::-1]

    def arrived() -> bool:
        seen = {unit["label"]: lamps(unit) for unit in wall.ask("state")["units"]}
        rows = [[seen[str(n)] for n in range(first, first + 5)] for first in (701, 706)]
        rows[0][3] = rows[0][3][::-1, ::-1]  # 704 hangs upside down
        whole = np.concatenate([np.concatenate(row, axis=1) for row in rows])
        middle = whole[:, 12:18].reshape(-1, 3)
        still = (whole[:, :12] == (codes > 0)).all()
        film = (whole[:4, 18:] == (False, False, True)).all() and (
            whole[4:, 18:] == (True, True, False)
        ).all()
        if still and film and (middle == middle[0]).all():
            gif.add(tuple(middle[0].tolist()))
        return len(gif) == 2

    assert wait_until(arrived, wait=QApplicationWait)
    assert gif == {(True, False, False), (False, True, False)}
    window.output.switch(False)


@pytest.mark.network
@pytest.mark.skipif(BROWSER is None, reason="no browser here: apt-get install chromium")
def test_a_phone_before_the_wall_shows_pictures_and_checks_the_wiring(
    make_window, tmp_path
) -> None:
    """704 hangs upside down: the person says so from the phone, and the grid is changed from there."""
    window = make_window(with_wall(lantern_tide()), page="Roll call")
    bench, page = window.bench, window.pages["Roll call"]
    press(page, "view Phones")
    page.phones.adapter.setCurrentIndex(page.phones.adapter.findData("127.0.0.1"))
    press(page, "serve phones")
    browser = Browser(tmp_path / "profile")
    try:
        phone = browser.page(page.phones.server.join_url)

        def patiently(script: str) -> None:
            assert until(lambda: phone.run(f"!!({script})"), 20), phone.text("body")

        patiently(
            "document.body && document.body.dataset.ready && document.querySelector('#code').value.length == 6"
        )
        phone.click("#join button")
        patiently("!document.querySelector('#to-pixels').hidden")
        phone.click("#to-pixels")
        patiently("document.querySelector('#p-pictures [data-words=ramp]')")
        phone.click("#p-pictures [data-words=ramp]")
        patiently("document.querySelector('#p-said').innerText.includes('Wall: ramp')")
        seen = wall_seen(window).max(axis=2)
        assert (np.diff(seen[0]) >= 0).all() and seen[0, -1] > 0.4
        phone.click("#p-end")
        assert until(lambda: not wall_seen(window).any())

        phone.click("#p-begin")
        assert until(lambda: bench.grid_tests.look)
        while bench.grid_tests.look:
            asked = bench.grid_tests.asks
            patiently(f"document.querySelector('#p-asks').innerText == {asked!r}")
            words = {"letters": "turned round", "first cells": "red top right, green beside it"}
            if told := words.get(bench.grid_tests.look.name):
                phone.click("#p-panels [data-number='704']")
                phone.click(f"#p-answers [data-words='{told}']")
                patiently(f"document.querySelector('#p-marks').innerText == '704 {told}'")
            else:  # a late word about another picture is not heard
                phone.run("put({do: 'wiring_mark', asks: 'x', units: ['w0'], words: 'dark'})")
            phone.click("#p-next")
            assert until(lambda a=asked: bench.grid_tests.asks != a)
        patiently(
            "document.querySelector('#p-found').innerText.includes('Unit 704 hangs upside down')"
        )
        before = bench.show.grids[0]
        phone.click("#p-fix")
        assert until(lambda: bench.show.grids[0] != before)
        turned = {(c.cell, c.x - 18, c.y) for c in bench.show.grids[0].cells if c.unit == "w3"}
        assert turned == {(c.cell, 5 - (c.x - 18), 3 - c.y) for c in before.cells if c.unit == "w3"}
        assert not wall_seen(window).any() and bench.proving.proof is None
        press(page, "end phones")
    finally:
        browser.close()


def QApplicationWait(seconds: float) -> None:
    QApplication.processEvents()
    time.sleep(seconds)


def settled(wall: RigClient) -> bool:
    one = panels(wall)
    QApplicationWait(0.15)
    two = panels(wall)
    return all((one[label] == two[label]).all() for label in one) and any(
        p.any() for p in one.values()
    )
