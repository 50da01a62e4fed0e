"""Palettes: wishes that hold in any rig. Judged by published colour differences, every mixture of emitters tried, and beams followed by hand."""

from __future__ import annotations

import io
import itertools
import json
import zipfile
from pathlib import Path
from typing import Any
from xml.etree import ElementTree

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from msgspec.structs import replace
from scipy.optimize import linprog

from helpers.geometry import beams_sent
from isthmus.cli import main
from isthmus.demo import as_hung, lantern_tide
from isthmus.errors import EntryFault
from isthmus.looks import apply, edits, in_words, together, wish_of
from isthmus.looks.difference import delta_e
from isthmus.looks.mixing import emitter_levels, mixed
from isthmus.looks.realise import realise
from isthmus.looks.starters import with_starters
from isthmus.looks.taken import taken
from isthmus.looks.words import say
from isthmus.output import Live
from isthmus.profiles import light_program, profiles_of
from isthmus.show.records import Palette, Show, Wish
from isthmus.stage.transforms import quat_about, quat_multiply

# Sharma, Wu and Dalal, “The CIEDE2000 color-difference formula”, 2005, table 1
PUBLISHED = """50 2.6772 -79.7751 50 0 -82.7485 2.0425
50 3.1571 -77.2803 50 0 -82.7485 2.8615
50 2.8361 -74.02 50 0 -82.7485 3.4412
50 -1.3802 -84.2814 50 0 -82.7485 1
50 -1.1848 -84.8006 50 0 -82.7485 1
50 -0.9009 -85.5211 50 0 -82.7485 1
50 0 0 50 -1 2 2.3669
50 -1 2 50 0 0 2.3669
50 2.49 -0.001 50 -2.49 0.0009 7.1792
50 2.49 -0.001 50 -2.49 0.0011 7.2195
50 -0.001 2.49 50 0.0009 -2.49 4.8045
50 -0.001 2.49 50 0.0011 -2.49 4.7461
50 2.5 0 50 0 -2.5 4.3065
50 2.5 0 73 25 -18 27.1492
50 2.5 0 61 -5 29 22.8977
50 2.5 0 56 -27 -3 31.903
50 2.5 0 58 24 15 19.4535
50 2.5 0 50 3.1736 0.5854 1
60.2574 -34.0099 36.2677 60.4626 -34.1751 39.4387 1.2644
63.0109 -31.0961 -5.8663 62.8187 -29.7946 -4.0864 1.263
61.2901 3.7196 -5.3901 61.4292 2.248 -4.962 1.8731
35.0831 -44.1164 3.7933 35.0232 -40.0716 1.5901 1.8645
22.7233 20.0904 -46.694 23.0331 14.973 -42.5619 2.0373
36.4612 47.858 18.3852 36.2715 50.5065 21.2231 1.4146
90.8027 -2.0831 1.441 91.1528 -1.6435 0.0447 1.4441
90.9257 -0.5406 -0.9208 88.6381 -0.8985 -0.7239 1.5381
6.7747 -0.2908 -2.4247 5.8714 -0.0985 -2.2286 0.6377
2.0776 0.0795 -1.135 0.9033 -0.0636 -0.5514 0.9082"""


def test_colour_differences_are_the_published_ones() -> None:
    rows = np.array([[float(v) for v in line.split()] for line in PUBLISHED.splitlines()])
    assert delta_e(rows[:, :3], rows[:, 3:6]) == pytest.approx(rows[:, 6], abs=1e-4)
    assert delta_e(rows[:, 3:6], rows[:, :3]) == pytest.approx(rows[:, 6], abs=1e-4)


def plain_lab(xyz: np.ndarray) -> np.ndarray:
    """CIE 15, written out: D65 white, Y of white 1."""
    white = np.array([0.95047, 1.0, 1.08883])
    t = xyz / white
    f = np.where(t > 216 / 24389, np.cbrt(t), (24389 / 27 * t + 16) / 116)
    return np.stack(
        [116 * f[..., 1] - 16, 500 * (f[..., 0] - f[..., 1]), 200 * (f[..., 1] - f[..., 2])], -1
    )


SETS = {
    "RGB": [(0.69, 0.31, 20), (0.17, 0.72, 55), (0.14, 0.05, 8)],
    "RGBW": [(0.70, 0.30, 18), (0.18, 0.70, 50), (0.15, 0.04, 7), (0.33, 0.34, 80)],
    "RGBAL": [(0.69, 0.31, 20), (0.2, 0.7, 52), (0.14, 0.06, 9), (0.57, 0.42, 35), (0.4, 0.55, 60)],
}


# corners of a triangle of colours there are, wider than any of the sets (ITU-R BT.2020)
REAL = np.array([(0.708, 0.292), (0.170, 0.797), (0.131, 0.046)])


@pytest.mark.parametrize("name", SETS)
@settings(max_examples=8)
@given(st.tuples(st.floats(0, 1), st.floats(0, 1), st.floats(0.01, 1)))
def test_a_colour_is_as_near_and_as_bright_as_trying_everything_finds(
    name: str, shares: tuple[float, float, float]
) -> None:
    x, y = np.array(shares) / sum(shares) @ REAL
    light = np.array([(a / b * c, c, (1 - a - b) / b * c) for a, b, c in SETS[name]])
    want = np.array([x / y, 1.0, (1 - x - y) / y]) / 2
    steps = np.linspace(0, 1, {3: 33, 4: 13, 5: 8}[len(light)])
    tried = np.array(list(itertools.product(steps, repeat=len(light))))[1:]

    def off(levels: np.ndarray) -> np.ndarray:
        mix = levels @ light
        return delta_e(plain_lab(mix / mix[:, 1:2] / 2), plain_lab(want))

    levels = emitter_levels(light, x, y)
    mine, others = float(off(levels[None])[0]), off(tried)
    assert levels.max() == pytest.approx(1) and levels.min() >= 0
    assert mine <= others.min() + 0.02
    alike = tried[others <= mine + 1e-6]  # nobody who is as near is brighter
    # (what is tried meets a colour only nearly, and may so have a trace more light)
    assert not len(alike) or levels @ light[:, 1] >= (alike @ light[:, 1]).max() * (1 - 1e-3)


@given(st.integers(1, 11), st.integers(0, 2**32 - 1))
def test_a_mixture_is_as_bright_as_a_solver_finds(count: int, seed: int) -> None:
    """Random emitters, some of the same colour, and a colour they can mix: SciPy's linear programme finds no more light."""
    rng = np.random.default_rng(seed)
    x = rng.uniform(0.1, 0.65, count)
    y = rng.uniform(0.05, 0.7, count) * (1 - x)
    if count > 2 and seed % 4 == 0:
        x[1], y[1] = x[0], y[0]
    light = np.stack([x / y, np.ones(count), (1 - x - y) / y], axis=1)
    light *= rng.uniform(0.1, 3, count)[:, None]
    mix = rng.dirichlet(np.full(count, 0.5)) @ light
    even = np.stack([light[:, i] - mix[i] / mix[1] * light[:, 1] for i in (0, 2)])
    best = linprog(-light[:, 1], A_eq=even, b_eq=[0, 0], bounds=(0, 1))
    levels = emitter_levels(light, mix[0] / mix.sum(), mix[1] / mix.sum())
    assert (levels >= 0).all() and (levels <= 1 + 1e-9).all()
    assert np.abs(even @ levels).max() < 1e-5 * light.max()  # it is the colour
    assert levels @ light[:, 1] >= -best.fun * (1 - 1e-5)


def beside(show: Show, live: Live, unit: str, point: tuple[float, float, float]) -> float:
    """Metres the beam of a unit passes beside a point, by its profile's XML and SciPy."""
    origin, direction = beams_sent(show, live, unit)[0]
    way = np.array(point) - origin
    assert float(way @ direction) > 0
    return float(np.linalg.norm(np.cross(way, direction)))


@settings(max_examples=8)
@given(st.data())
def test_a_place_on_stage_is_met_however_the_rig_is_hung_again(data: st.DataObject) -> None:
    show = as_hung()
    point = tuple(data.draw(st.floats(-4, 4)) for _ in range(2)) + (data.draw(st.floats(0, 2)),)
    palette = Palette(id="p", number=1, kind="position", wish=Wish(point=point))
    ids = [u.id for u in show.units if u.number in (101, 105, 203, 211, 224)]
    lower, turn = data.draw(st.floats(-1.5, 1.0)), data.draw(st.floats(-180, 180))
    other = ("Halyard Optics Lapwing 19", "Wide")  # another profile in its place
    units = tuple(
        replace(
            u,
            position=(u.position[0] + 0.3, u.position[1], u.position[2] + lower),
            rotation=quat_multiply(quat_about((0.0, 0.0, 1.0), turn), u.rotation),
            **({"profile": other[0], "mode": other[1]} if u.number in (101, 224) else {}),
        )
        if u.id in ids and u.position
        else u
        for u in show.units
    )
    for now in (show, replace(show, units=units)):
        live = Live(now)
        asked, short = apply(live, palette, ids)
        live.ask(asked)
        lost = {s.unit for s in short}
        for unit in set(ids) - lost:
            assert beside(now, live, unit, point) < 0.03
        for one in short:
            assert "reach" in one.words or "stops" in one.words


def test_wishes_are_done_by_what_each_unit_has_and_the_rest_is_told(demo: Show) -> None:
    live = Live(demo)
    every = [u.id for u in demo.units]
    by = {u.id: u for u in demo.units}
    # a colour by name where a wheel has it, else mixed; what has none of its own is named
    asked, short = realise(live, dict.fromkeys(every, Wish(colour=(0.64, 0.33), named="Buoy red")))
    assert round(asked["u221", 0, "Color1"] * 255) in range(16, 32)
    assert asked["u201", 0, "ColorAdd_R"] == 1 and asked["u201", 0, "ColorAdd_G"] < 0.2
    told = {s.number: s.words for s in short}
    assert "no colours of its own" in told[401] and 221 not in told and 501 not in told
    # a gel in the frame counts: with its own gel as the wish nothing is amiss
    gelled = by["u401"]
    assert gelled.gel and not realise(live, {"u401": Wish(named=gelled.gel)})[1]
    # beams: degrees, names and Hz
    asked, short = realise(
        live, dict.fromkeys(every, Wish(angle=7.0, gobo="ripples", prism="in", strobe=2.0))
    )
    zoom = profiles_of(demo).mode_of(by["u101"])
    item = next(c for c in light_program(*zoom).chart.channels if c.attribute == "Zoom")
    first = item.channel.first
    level = asked["u101", 0, "Zoom"]
    assert first.physical_from + level * (first.physical_to - first.physical_from) == pytest.approx(
        7
    )
    assert round(asked["u101", 0, "Gobo1"] * 255) in range(48, 72)
    assert asked["u101", 0, "Shutter1"] * 255 == pytest.approx(20 + 1.5 / 17.5 * 219, abs=0.01)
    words = {s.words for s in short}
    assert {"8.0° instead of 7.0°", "fixed at 4.2°", "no gobos", "no prism", "no strobe"} <= words
    assert "201, 202" in in_words(short) and in_words(short).endswith("and more")
    # intensity of a unit without a dimmer is its colours
    live.ask(realise(live, dict.fromkeys(every, Wish(intensity=0.5)))[0])
    assert live.level("u421", "ColorAdd_R") == 0.5 and live.level("u401", "Dimmer") == 0.5


def test_the_narrower_wish_goes_first_member_by_member(demo: Show) -> None:
    unit = demo.unit("u101")
    palette = Palette(
        id="p",
        number=1,
        kind="beam",
        wish=Wish(angle=20.0, gobo="Net", iris=1.0),
        types={unit.profile: Wish(angle=12.0)},
        units={"u101": Wish(gobo="open")},
    )
    assert wish_of(palette, unit) == Wish(angle=12.0, gobo="open", iris=1.0)
    assert wish_of(palette, demo.unit("u401")) == palette.wish
    # a place on stage and degrees are one wish, and so are a colour and its name
    assert together(Wish(pan=10.0), Wish(point=(1, 2, 3))) == Wish(pan=10.0)
    assert together(Wish(named="Kelp"), Wish(colour=(0.3, 0.6))) == Wish(named="Kelp")


TAKEN = {
    "intensity": Wish(intensity=0.4),
    "colour": Wish(colour=(0.25, 0.2)),
    "position": Wish(point=(1.0, -1.0, 0.0)),
    "beam": Wish(angle=15.0, gobo="Net", strobe=0.0),
}


@pytest.mark.parametrize("kind", TAKEN)
def test_what_is_taken_from_now_does_the_same_again(demo: Show, kind: str) -> None:
    ids = ["u101", "u201", "u221", "u211"]
    live, again = Live(demo), Live(demo)
    for wish in TAKEN.values():
        live.ask(realise(live, dict.fromkeys(ids, wish))[0])
    again.ask(realise(again, dict.fromkeys(ids, Wish(intensity=0.4, strobe=0.0)))[0])
    assert taken(live, ["u401"], "colour") == {}
    assert not taken(Live(demo), ids, kind, touched=True)
    found = taken(live, ids, kind, touched=True)
    again.ask(realise(again, found)[0])
    assert set(found) == set(ids)
    for unit in ids:
        a, b = (one.state_of(unit) for one in (live, again))
        if kind == "position":
            assert beside(demo, again, unit, TAKEN[kind].point) < 0.05
        elif kind == "colour":
            assert a.rgb[0, 0] == pytest.approx(b.rgb[0, 0], abs=0.03) and a.rgb.max() > 0.02
        elif kind == "intensity":
            assert a.intensity() > 0.01 and again.level(unit, "Dimmer") == pytest.approx(0.4)
        else:
            assert a.field == pytest.approx(b.field)
    if kind == "beam":
        assert (found["u101"].gobo, found["u101"].strobe) == ("Net", 0.0)


def test_a_focus_found_by_eye_is_taken_and_sent_to_another_unit(demo: Show) -> None:
    """Judged by the byte at the offset that the profile's own XML gives."""
    first, second, wash = (demo.unit(u) for u in ("u101", "u102", "u201"))
    stored = next(p for p in demo.profiles if p.key == first.profile)
    with zipfile.ZipFile(io.BytesIO(stored.data)) as archive:
        tree = ElementTree.fromstring(archive.read("description.xml"))
    [mode] = [m for m in tree.iter("DMXMode") if m.get("Name") == first.mode]
    [offset] = [
        int(c.get("Offset").split(",")[0])
        for c in mode.iter("DMXChannel")
        if c.find("LogicalChannel").get("Attribute") == "Focus1"
    ]
    live = Live(demo)
    live.ask({("u101", 0, "Focus1"): 0.3})
    wish = taken(live, ["u101"], "beam", True)["u101"]
    assert wish.edge == pytest.approx(0.3) and "focus 30 %" in say(wish)
    palette = Palette(id="edge", number=90, kind="beam", wish=Wish(edge=wish.edge))
    asked, short = apply(live, palette, ["u102", "u201"])
    assert [(one.unit, one.words) for one in short] == [(wash.id, "no focus")]
    live.ask(asked)
    spot = second.patch[0]
    universes = sorted({p.universe for u in demo.units for p in u.patch})
    row = live.frame.reshape(-1, 512)[universes.index(spot.universe)]
    assert row[spot.address - 1 + offset - 1] == round(0.3 * 255)


def test_the_starter_set_is_made_again_without_touching_what_was_changed_by_hand() -> None:
    show, fresh, changed = with_starters(lantern_tide())
    names = {(p.kind, p.name) for p in show.palettes}
    assert {
        ("intensity", "Full"),
        ("colour", "Buoy red"),
        ("position", "Deck centre"),
        ("position", "Mast bridge"),
        ("beam", "Ripples"),
        ("beam", "Strobe slow"),
    } <= names
    assert changed == 0 and fresh == len(show.palettes) == len({p.id for p in show.palettes})
    for kind in ("intensity", "colour", "position", "beam"):
        numbers = [p.number for p in edits.of_kind(show, kind)]
        assert numbers == list(range(1, len(numbers) + 1))
    assert with_starters(show)[1:] == (0, 0)
    centre = next(p for p in show.palettes if p.name == "Deck centre")
    mine = replace(centre, name="Where she kneels", wish=Wish(point=(1.0, 2.0, 0.0)))
    show = edits.change(show, mine)
    bridge = next(s for s in show.structures if s.name == "Mast bridge")
    lower = replace(bridge, position=(*bridge.position[:2], 4.0))
    show = replace(show, structures=tuple(lower if s is bridge else s for s in show.structures))
    again, fresh, changed = with_starters(show)
    assert (fresh, changed) == (0, 1)  # the bridge's, for it hangs lower
    kept = edits.palette(again, centre.id)
    assert (kept.name, kept.wish) == ("Where she kneels", mine.wish)
    assert not any(p.name == "Deck centre" for p in again.palettes)
    with pytest.raises(EntryFault, match="is Full"):
        edits.add(again, Palette(id="", number=1, kind="intensity", name="Mine"))
    assert len(edits.remove(again, [centre.id]).palettes) == len(again.palettes) - 1


def test_palettes_are_made_listed_and_used_headless(tmp_path: Path, capsys) -> None:
    def answer(*words: str) -> tuple[int, Any]:
        code = main([*words, "--json"])
        return code, json.loads(capsys.readouterr().out or "null")

    file = str(tmp_path / "looks.isthmus")
    assert answer("palettes", "list", "demo") == (0, [])
    code, made = answer("palettes", "make-starters", "demo", "--save", file)
    assert code == 0 and made["made"] > 40 and made["again"] == 0
    code, listed = answer("palettes", "list", file)
    assert len(listed) == made["made"] and listed[0]["words"] == "100 %"
    code, used = answer("palettes", "use", file, "--palette", "Deck centre", "--units", "101,401")
    assert {row["unit"] for row in used["levels"]} == {101}
    assert used["short"] == [
        {"unit": 401, "kind": "position", "why": "no pan and no tilt", "apart": None}
    ]
    assert answer("palettes", "use", file, "--palette", "colour 99")[0] == 3


def test_every_mode_of_the_demo_mixes_what_it_says(demo: Show) -> None:
    """The light read back has the distance that is told, and a colour inside reach is met."""
    for key in {(u.profile, u.mode) for u in demo.units}:
        mode = profiles_of(demo).mode_of(next(u for u in demo.units if (u.profile, u.mode) == key))
        program = light_program(*mode)
        white = mixed(program, 0.3127, 0.329)
        if any(c.attribute.startswith("ColorAdd_") for c in program.chart.channels):
            assert white.apart < 0.5, key
        assert mixed(program, 0.3127, 0.329) is white  # made once
