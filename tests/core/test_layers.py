"""Layers of pictures: each judged by arithmetic of its own, and by what arrives on the wire."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from msgspec.structs import replace

from isthmus.demo import lantern_tide
from isthmus.demo.wall import with_wall
from isthmus.output import Live
from isthmus.pixels.blending import BLENDS, lay
from isthmus.pixels.painting import Shown
from isthmus.pixels.ready import Studio, hue_turn
from isthmus.pixels.sampling import Frame, sampling
from isthmus.pixels.timing import Clock
from isthmus.show.records import GridCell, LayerSet, PictureLayer, PixelGrid
from isthmus.snags import find_snags

shares = st.floats(0.05, 0.95)


@given(
    st.tuples(st.integers(1, 9), st.integers(1, 7)),
    st.tuples(st.integers(1, 12), st.integers(1, 12)),
    st.tuples(shares, shares, st.floats(0.1, 1.6), st.floats(0.1, 1.6)),
    st.sampled_from([0.0, 90.0, 180.0, -90.0, 17.0, 45.0, 200.0]),
    st.sampled_from(["stretch", "fill", "whole"]),
    st.tuples(*[st.floats(0, 0.4)] * 4),
    st.integers(0, 2**32 - 1),
)
def test_a_cell_sees_the_mean_of_the_picture_over_its_square(
    grid: tuple[int, int],
    size: tuple[int, int],
    place: tuple[float, float, float, float],
    turn: float,
    fit: str,
    crop: tuple[float, float, float, float],
    seed: int,
) -> None:
    """Against many points a cell, each carried into the picture one by one."""
    frame = Frame(grid, *place, turn, fit, crop)
    middles = np.stack(np.meshgrid(*(np.arange(n) + 0.5 for n in grid)), -1).reshape(-1, 2)
    picture = np.random.default_rng(seed).uniform(0, 1, size[0] * size[1])
    seen = sampling(middles, frame, size) @ picture
    for cell in range(0, len(middles), max(1, len(middles) // 5)):
        wanted = _looked_at(middles[cell], picture.reshape(size[1], size[0]), frame, 40)
        fine = 0.03 if turn % 90 == 0 else 0.12  # 40 points a side; a turned cell has 6 at least
        assert seen[cell] == pytest.approx(wanted, abs=fine)


def _looked_at(middle, picture, frame: Frame, side: int) -> float:
    x, y, width, height = frame.x, frame.y, frame.width, frame.height
    across, down = frame.grid[0] * width, frame.grid[1] * height
    turn = math.radians(frame.turn)
    crop_left, crop_top, r, b = frame.crop
    wide, high = picture.shape[1] * (1 - crop_left - r), picture.shape[0] * (1 - crop_top - b)
    ratio = (wide / high) / (across / down)
    # the picture is larger than its box one way ("fill"), or smaller ("whole")
    grow = {"stretch": (1, 1), "fill": (max(ratio, 1), max(1 / ratio, 1)), "whole": (min(ratio, 1), min(1 / ratio, 1))}[frame.fit]  # fmt: skip
    total = 0.0
    for i in range(side):
        for j in range(side):
            dx = middle[0] + (i + 0.5) / side - 0.5 - x * frame.grid[0]
            dy = middle[1] + (j + 0.5) / side - 0.5 - y * frame.grid[1]
            # clockwise as one sees it, rows going down
            u = (dx * math.cos(turn) + dy * math.sin(turn)) / across
            v = (-dx * math.sin(turn) + dy * math.cos(turn)) / down
            if abs(u) > 0.5 or abs(v) > 0.5:
                continue
            u, v = u / grow[0] + 0.5, v / grow[1] + 0.5
            if 0 <= u < 1 and 0 <= v < 1:
                px, py = (
                    crop_left * picture.shape[1] + u * wide,
                    crop_top * picture.shape[0] + v * high,
                )
                total += picture[int(min(py, picture.shape[0] - 1)), int(min(px, picture.shape[1] - 1))]  # fmt: skip
    return total / side**2


def test_layers_lie_over_each_other_as_computed_by_hand() -> None:
    """Grey 0.5 at full below a red of 0.8 half there; and on nothing at all."""
    below = np.array([[0.5, 0.5, 0.5, 1.0]], np.float32).T
    above = np.array([[0.4, 0.0, 0.0, 0.5]], np.float32).T
    by_hand = {
        "over": (0.65, 0.25, 0.25, 1),  # 0.5·0.5 + 0.5·0.8
        "add": (0.75, 0.5, 0.5, 1),  # half of min(1, 1.3)
        "lighten": (0.65, 0.5, 0.5, 1),
        "multiply": (0.45, 0.25, 0.25, 1),  # half of 0.4 and half of what was
        "subtract": (0.25, 0.5, 0.5, 1),
        "mask": (0.5 * 0.4 * 0.2126, 0.5 * 0.4 * 0.2126, 0.5 * 0.4 * 0.2126, 0.4 * 0.2126),
    }
    assert by_hand.keys() == BLENDS.keys()
    for blend, wanted in by_hand.items():
        assert lay(below, above, blend)[:, 0] == pytest.approx(wanted, abs=1e-4), blend
        on_nothing = (0, 0, 0, 0) if blend == "mask" else (0.4, 0, 0, 0.5)
        assert lay(np.zeros((4, 1), np.float32), above, blend)[:, 0] == pytest.approx(on_nothing)


def test_a_film_is_at_the_moment_a_person_would_count() -> None:
    part = {"begin": 2.0, "end": 5.0}
    cases = {
        ("forth", 1.0): {0: 2, 1: 3, 2.5: 4.5, 3.5: 2.5, 31: 3},
        ("back", 1.0): {0: 5, 1: 4, 3.5: 4.5},
        ("to and fro", 2.0): {0: 2, 1: 4, 1.5: 5, 2: 4, 3: 2, 4: 4},
        ("once", 0.5): {0: 2, 2: 3, 6: 5, 60: 5},
    }
    for (way, speed), moments in cases.items():
        clock = Clock(speed, way, **part)
        for seconds, moment in moments.items():
            assert clock.at(seconds) == pytest.approx(moment), (way, seconds)
    assert Clock(2.0, "back").at(3) == -6  # what has no end runs on


def test_hues_turn_as_on_a_colour_wheel() -> None:
    red, green, blue = np.eye(3)
    turned = hue_turn(120)
    assert red @ turned == pytest.approx(green, abs=1e-9)
    assert green @ turned == pytest.approx(blue, abs=1e-9)
    assert np.full(3, 0.4) @ hue_turn(77) == pytest.approx(np.full(3, 0.4))
    assert hue_turn(40) @ hue_turn(80) == pytest.approx(turned)


SHOW = with_wall(lantern_tide())
WALL = SHOW.grids[0]


def sent(*layers: PictureLayer, time: float = 0.0, **changes) -> np.ndarray:
    """The wall's cells as bytes (rows, columns, 3) with these layers, read from the frame by the addresses alone: panels from 11.1 on, 73 slots each, the dimmer first."""
    show = replace(SHOW, grids=(replace(WALL, **changes),), layer_sets=(LayerSet(id="s", number=1, grid=WALL.id, layers=layers),))  # fmt: skip
    live = Live(show)
    pictures = Studio(lambda show, media: None).pictures(show, live, ["s"])
    levels = live.compiled.defaults.copy()
    pictures.paint(levels, [Shown("s", 0.0)], time)
    frame = live.compiled.frame()
    live.rendering.write(live.rendering.shaped(levels), frame)
    rows = {u: frame[i * 512 :][:512] for i, u in enumerate(live.compiled.universes)}
    made = np.zeros((8, 30, 3), np.uint8)
    for panel in range(10):
        slots = rows[11 + panel // 7][panel % 7 * 73 :][1:73].reshape(4, 6, 3)
        across, down = panel % 5 * 6, panel // 5 * 4
        made[down : down + 4, across : across + 6] = slots
    return made


def test_layers_arrive_on_the_wire_where_and_as_they_were_laid() -> None:
    """A red plate on the left half, green added on its lower half, blue cut out by units, all at levels; and nothing where there is nothing."""
    left = PictureLayer(id="a", colour="#ff0000", x=0.25, width=0.5, level=0.5)
    low = PictureLayer(id="b", colour="#00ff00", y=0.75, height=0.5, blend="add")
    mine = PictureLayer(id="c", colour="#0000ff", units=(next(u.id for u in SHOW.units if u.number == 705),))  # fmt: skip
    lit = sent(left).max(axis=2) > 0
    assert lit[:, :15].all() and not lit[:, 15:].any()
    lit = sent(mine).max(axis=2) > 0
    assert lit[:4, 24:].all() and lit.sum() == 24  # 705 is the last of the upper row
    seen = sent(left, low, mine).astype(int)
    assert (seen[:4, :15] == sent(left)[0, 0]).all() and (seen[:4, 24:] == sent(mine)[0, 29]).all()
    assert (seen[4:, 15:] == sent(low)[7, 29]).all() and not seen[:4, 15:24].any()
    both = sent(left)[7, 0].astype(int) + sent(low)[7, 0]
    assert np.abs(seen[4:, :15] - np.minimum(both, 255)).max() <= 1
    assert sent(left)[0, 0, 0] / sent(replace(left, level=1.0))[0, 0, 0] == pytest.approx(
        0.5, abs=0.01
    )
    assert not sent(replace(left, on=False)).any()
    # half the limit is half the light; light to the power of two; a warm white has less blue
    grey = PictureLayer(id="g", colour="#bcbcbc")  # half as much light as white (IEC 61966-2-1)
    white = sent(replace(grey, colour="#ffffff")).astype(float)[0, 0]
    assert sent(grey)[0, 0] == pytest.approx(white / 2, rel=0.02)
    assert sent(grey, gamma=2.0)[0, 0] == pytest.approx(white / 4, rel=0.03)
    assert sent(grey, limit=0.5)[0, 0] == pytest.approx(white / 4, rel=0.03)
    warm = sent(grey, white=3000.0)[0, 0] / white
    assert 0.5 > warm[0] > warm[1] > 1.3 * warm[2]


def test_a_light_with_filters_and_one_without_colours_show_a_picture_too() -> None:
    """101 has cyan, magenta and yellow before its lamp, 401 a dimmer alone: the light let through is worked out here."""
    show = lantern_tide()
    ids = {u.number: u.id for u in show.units}
    cells = (GridCell(unit=ids[101]), GridCell(unit=ids[401], x=1))
    grid = PixelGrid(id="g", number=1, width=2, height=1, cells=cells)
    live = Live(show)
    canvas = Studio(lambda show, media: None).canvas(live, grid)
    rng = np.random.default_rng(2)
    for rgb in (*np.eye(3), np.ones(3), np.zeros(3), *rng.uniform(0, 1, (20, 3))):
        levels = live.compiled.defaults.copy()
        canvas.paint(levels, np.tile(np.append(rgb, 1), (2, 1)).T.astype(np.float32))

        def at(unit: int, name: str, levels=levels) -> float:
            return float(levels[live.compiled.places.get((ids[unit], 0, name))[0]])

        through = np.array([1 - at(101, f"ColorSub_{letter}") for letter in "CMY"])
        assert through * at(101, "Dimmer") == pytest.approx(rgb, abs=1e-5)
        light = 0.2126 * rgb[0] + 0.7152 * rgb[1] + 0.0722 * rgb[2]  # ITU-R BT.709
        assert at(401, "Dimmer") == pytest.approx(light, abs=2e-4)


def test_what_keeps_pictures_from_being_whole_is_told_and_mended() -> None:
    """Each trouble made by hand, one at a time; its fix takes it away and nothing else."""
    whole = SHOW
    cells = WALL.cells
    broken = {
        "grid-cell-gone": replace(
            whole, grids=(replace(WALL, cells=(*cells[:-1], replace(cells[-1], unit="none"))),)
        ),
        "grid-doubled": replace(
            whole,
            grids=(
                replace(WALL, cells=(*cells[:-1], replace(cells[-1], x=cells[0].x, y=cells[0].y))),
            ),
        ),
        "layer-no-media": replace(
            whole,
            layer_sets=(
                replace(
                    whole.layer_sets[0],
                    layers=(PictureLayer(id="m", source="media", media="gone"),),
                ),
            ),
        ),
        "layers-no-grid": replace(whole, grids=whole.grids[1:]),
        "grid-holes": replace(whole, grids=(replace(WALL, cells=cells[:-1]),)),
        "grid-no-route": replace(
            whole, outputs=tuple(o for o in whole.outputs if o.universe != 12)
        ),
    }
    kept = {s.rule for s in find_snags(whole)}
    for rule, show in broken.items():
        new = [s for s in find_snags(show) if s.rule == rule]
        assert len(new) == 1 and rule not in kept, rule
        if new[0].fix:
            mended = {s.rule for s in find_snags(new[0].fix.edit(show))}
            assert not {r for r in mended - kept if r != "grid-holes"}, rule
    assert (
        sum(
            s.rule == "grid-no-route" and len(s.units) == 3
            for s in find_snags(broken["grid-no-route"])
        )
        == 1
    )


def test_words_run_from_right_to_left_and_still_words_stay_within_their_box() -> None:
    words = PictureLayer(id="t", source="text", text="IIIIIIIIIIIIIIIIIIIIIIII", colour="#ffffff")
    still = sent(words)[:, :, 0]
    assert still[:, :2].any() and (still == sent(words, time=3.0)[:, :, 0]).all()
    running = replace(words, text="I", settings={"run": 1})
    middles = []
    for time in (0.5, 1.5, 2.5):
        seen = sent(running, time=time)[:, :, 0].astype(float)
        middles.append((seen.sum(axis=0) @ np.arange(30)) / seen.sum())
    assert middles[0] > middles[1] + 4 > middles[2] + 8
    assert middles[0] - middles[1] == pytest.approx(30 / 4, abs=0.6)  # its box in four seconds


def test_every_generator_fills_its_place_and_moves_evenly() -> None:
    """No jump between two frames, the same at the same time, and no light outside of it."""
    from isthmus.pixels.generators import GENERATORS

    for kind, made in GENERATORS.items():
        layer = PictureLayer(id="x", source=kind, settings=made.usual(), x=0.5, width=0.5, colour="#ffffff")  # fmt: skip
        seen = [sent(layer, time=t).astype(int) for t in np.arange(20.0, 20.3, 0.02)]
        assert all(not one[:, :7].any() and not one[:, 23:].any() for one in seen), kind
        assert (seen[0] == sent(layer, time=20.0)).all(), kind
        assert any(one[:, 8:22].any() for one in seen), kind
        moved = [np.abs(b - a).mean() for a, b in zip(seen, seen[1:], strict=False)]
        assert (max(moved) > 0) == made.moves, kind
        assert max(moved) < 25, kind
