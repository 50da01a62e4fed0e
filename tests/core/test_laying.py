"""Laying out, arranging, snapping, fanning and choosing: held to invariants and to figures worked out by hand."""

from __future__ import annotations

import json
import math
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.spatial.transform import Rotation

from isthmus.cli import main
from isthmus.errors import EntryFault
from isthmus.layout import arrange, lay
from isthmus.layout.choose import alike, every, in_order, inverted
from isthmus.layout.facing import faced, ways
from isthmus.layout.fan import CURVES, FAN_WAYS, fan
from isthmus.layout.laying import Laying
from isthmus.layout.snap import snap
from isthmus.output import Live
from isthmus.output.fanning import fan_live, fan_placed, fannables
from isthmus.sheets.labels import Wish, place_all
from isthmus.show.records import Show, Unit
from isthmus.stage.mount import HANGS, Mount, hang_of, hung, leaned, mount_of, turned
from isthmus.stage.transforms import matrices

figure = st.floats(-40, 40)
point = st.tuples(figure, figure)
count = st.integers(1, 60)


def spacings(points: np.ndarray) -> np.ndarray:
    return np.hypot(*np.diff(points, axis=0).T)


@given(count, point, point)
def test_a_line_begins_and_ends_where_it_was_drawn_with_even_steps(
    n: int, start: tuple, end: tuple
) -> None:
    points = lay.line(n, start, end)
    assert points[0] == pytest.approx(start)
    if n > 1:
        assert points[-1] == pytest.approx(end)
        assert np.allclose(spacings(points), math.dist(start, end) / (n - 1), atol=1e-9)


@given(count, point, st.floats(0.01, 5), st.floats(-360, 360))
def test_a_line_at_a_spacing_keeps_it_in_its_direction(
    n: int, start: tuple, spacing: float, degrees: float
) -> None:
    points = lay.line_spaced(n, start, spacing, degrees)
    assert np.allclose(spacings(points), spacing)
    if n > 1:
        dx, dy = points[-1] - points[0]
        assert math.cos(math.atan2(dy, dx) - math.radians(degrees)) == pytest.approx(1)


@given(
    count,
    point,
    st.floats(0.1, 20),
    st.floats(-360, 360),
    st.floats(-720, 720).filter(lambda v: abs(v) > 1),
)
def test_a_circle_has_no_doubled_end_and_an_arc_takes_both(
    n: int, centre: tuple, radius: float, start: float, sweep: float
) -> None:
    points = lay.circle(n, centre, radius, start, sweep)
    assert np.allclose(np.hypot(*(points - np.array(centre)).T), radius)
    first = np.array(centre) + radius * np.array(
        [math.cos(math.radians(start)), math.sin(math.radians(start))]
    )
    assert points[0] == pytest.approx(first)
    if n > 2:
        gaps = spacings(np.vstack([points, points[:1]]))
        if abs(sweep) >= 360 - 1e-9:
            assert np.allclose(
                gaps, gaps[0], atol=1e-7
            )  # the way back to the first is a step like all others
        else:
            assert np.allclose(gaps[:-1], gaps[0], atol=1e-7)
            last = np.radians(start + sweep)
            assert points[-1] == pytest.approx(
                np.array(centre) + radius * np.array([np.cos(last), np.sin(last)]), abs=1e-6
            )


@given(st.lists(point, min_size=2, max_size=9), st.integers(2, 40), st.booleans())
def test_places_on_a_path_are_even_by_length(path: list, n: int, closed: bool) -> None:
    whole = np.array([*path, path[0]] if closed else path)
    steps = np.hypot(*np.diff(whole, axis=0).T)
    if steps[steps > lay.SMALLEST].sum() < 0.5 or ((steps > 0) & (steps < 0.01)).any():
        return
    points, way = lay.along_path(path, n, closed=closed)
    assert np.allclose(np.hypot(*way.T), 1)
    at = np.concatenate([[0], np.cumsum(steps)])
    total = at[-1]

    def distance(p: np.ndarray, near: float) -> float:
        """Metres along the path of a place, the one nearest to where it is looked for: an oracle by projection."""
        found = []
        for a, b, s, size in zip(whole[:-1], whole[1:], at[:-1], steps, strict=True):
            if size > 0:
                share = min(1.0, max(0.0, float((p - a) @ (b - a)) / size**2))
                if np.hypot(*(a + share * (b - a) - p)) < 1e-6:
                    found.append(s + share * size)
        return min(found, key=lambda v: abs(v - near))

    wanted = [total * i / (n if closed else n - 1) for i in range(n)]
    assert [distance(p, w) for p, w in zip(points, wanted, strict=True)] == pytest.approx(
        wanted, abs=1e-5
    )


def test_grids_fill_rows_or_columns_and_turn_back_when_asked() -> None:
    rows = lay.grid(5, (0, 0), 1.0, 2.0, 3)
    assert rows.tolist() == [[0, 0], [1, 0], [2, 0], [0, -2], [1, -2]]
    turned_back = lay.grid(6, (0, 0), 1.0, 2.0, 3, serpentine=True)
    assert turned_back[3:].tolist() == [[2, -2], [1, -2], [0, -2]]
    columns = lay.grid(5, (0, 0), 1.0, 2.0, 2, by_columns=True, serpentine=True)
    assert columns.tolist() == [[0, 0], [0, -2], [1, -2], [1, 0], [2, 0]]
    boxed = lay.grid_between(6, (-1, 4), (1, 0), 3)
    assert (
        boxed[0].tolist() == [-1, 4]
        and boxed[-1].tolist() == [1, 0]
        and boxed[2].tolist() == [1, 4]
    )
    assert lay.grid_between(6, (0, 0), (2, -1), 2, by_columns=True)[-1].tolist() == [2, -1]


def test_a_trembling_hand_draws_a_straight_path() -> None:
    rng = np.random.default_rng(3)
    drawn = [(x, 0.02 * float(rng.standard_normal())) for x in np.linspace(0, 10, 200)] + [
        (10.0, y) for y in np.linspace(0.1, 4, 80)
    ]
    found = lay.smooth_path(drawn, 0.15)
    assert (
        len(found) == 3
        and found[0] == pytest.approx(drawn[0])
        and found[-1] == pytest.approx(drawn[-1])
    )
    assert math.dist(found[1], (10, 0)) < 0.2


@pytest.mark.parametrize(
    ("laying", "words"),
    [
        (Laying("line"), "no length"),
        (Laying("circle", radius=0.0), "no radius"),
        (Laying("circle", radius=float("nan")), "not a circle"),
        (Laying("line", end=(float("inf"), 0)), "not a line"),
        (Laying("path", path=((0, 0),)), "two points"),
        (Laying("path", path=((1, 1), (1, 1))), "no length"),
        (Laying("path", path=((0, 0), (1, 0)), spacing=0.6), "need 1.20 m"),
        (Laying("grid", across=1.0, columns=0), "one in a row"),
    ],
)
def test_figures_that_make_no_places_are_refused_in_words(laying: Laying, words: str) -> None:
    with pytest.raises(EntryFault) as told:
        laying.places(3)
    assert words in str(told.value)


places = st.lists(
    st.tuples(figure, figure, st.floats(0.05, 2), st.floats(0.05, 2)), min_size=3, max_size=20
)


@given(places, st.sampled_from(arrange.EDGES))
def test_aligned_edges_lie_on_one_line_and_the_other_direction_stays(rows: list, edge: str) -> None:
    data = np.array(rows)
    points, halves = data[:, :2], data[:, 2:]
    axis = 0 if edge in ("left", "middle", "right") else 1
    side = {"left": -1, "bottom": -1, "right": 1, "top": 1}.get(edge, 0)
    for to in ("extreme", "first", "figure"):
        made = arrange.align(points, halves, edge, to, 1.25)
        at = made[:, axis] + side * halves[:, axis]
        assert np.allclose(at, at[0]) and np.array_equal(made[:, 1 - axis], points[:, 1 - axis])
        before = points[:, axis] + side * halves[:, axis]
        wanted = {
            "first": before[0],
            "figure": 1.25,
            "extreme": before.min() if side < 0 else before.max(),
        }[to]
        if to != "extreme" or side:
            assert at[0] == pytest.approx(wanted)


@given(places, st.integers(0, 1))
def test_spreading_keeps_the_outermost_and_makes_steps_or_gaps_even(rows: list, axis: int) -> None:
    data = np.array(rows)
    points, halves = data[:, :2], data[:, 2:]
    order = np.argsort(points[:, axis], kind="stable")
    centres = arrange.distribute(points, halves, axis)
    assert np.allclose(
        np.diff(centres[order, axis]),
        (points[order[-1], axis] - points[order[0], axis]) / (len(points) - 1),
    )
    made = arrange.distribute(points, halves, axis, gaps=True)[order, axis]
    half = halves[order, axis]
    gaps = (made[1:] - half[1:]) - (made[:-1] + half[:-1])
    assert (
        np.allclose(gaps, gaps[0])
        and made[0] == points[order[0], axis]
        and made[-1] == points[order[-1], axis]
    )


@given(places, st.floats(-360, 360), st.floats(0.1, 9), point)
def test_mirroring_twice_and_turning_and_scaling_back_change_nothing(
    rows: list, degrees: float, factor: float, about: tuple
) -> None:
    points, middle = np.array(rows)[:, :2], np.array(about)
    assert np.allclose(arrange.mirror(arrange.mirror(points, 0, about[0]), 0, about[0]), points)
    there = arrange.turn(points, degrees, middle)
    assert np.allclose(np.hypot(*(there - middle).T), np.hypot(*(points - middle).T))
    assert np.allclose(arrange.turn(there, -degrees, middle), points, atol=1e-7)
    assert np.allclose(
        arrange.scale(arrange.scale(points, factor, middle), 1 / factor, middle), points, atol=1e-7
    )
    with pytest.raises(EntryFault):
        arrange.scale(points, 0.0, middle)
    with pytest.raises(EntryFault):
        arrange.scale(points, float("nan"), middle)


def test_things_snap_to_structures_then_to_what_is_in_line_then_to_the_grid() -> None:
    others = np.array([[2.0, 5.0], [2.0, -1.0], [8.0, 3.0]])
    truss = np.array([[[0.0, 0.0], [10.0, 0.0]]])
    on = snap((4.02, 0.05), 0.1, others, truss, 0.5)
    assert on.point == pytest.approx((4.02, 0.0)) and on.guides[0].words == "4.02 m along"
    line = snap((2.04, 2.8), 0.1, others, truss, 0.5)
    assert (
        line.point == pytest.approx((2.0, 2.8)) and line.guides[0].words == "2.20 m"
    )  # to the nearer of the two in line
    both = snap((2.04, 3.06), 0.1, others, np.zeros((0, 2, 2)))
    assert both.point == (2.0, 3.0) and {g.words for g in both.guides} == {"2.00 m", "6.00 m"}
    grid = snap((5.47, 6.93), 0.1, others, truss, 0.5)
    assert grid.point == (5.5, 7.0) and not grid.guides
    free = snap((5.3, 6.7), 0.1, others, truss, 0.5)
    assert free.point == (5.3, 6.7)


def test_fans_by_figures() -> None:
    assert fan(5, 0, 40).tolist() == [0, 10, 20, 30, 40]
    assert fan(5, 10, 20, "about the middle").tolist() == [-10, 0, 10, 20, 30]
    assert fan(5, 0, 40, "mirrored").tolist() == [0, 20, 40, 20, 0]
    assert fan(6, 0, 40, "mirrored").tolist() == pytest.approx(
        [0, 20, 40, 40, 20, 0]
    )  # the middle two share the end
    assert fan(6, 0, 20, block=2).tolist() == [0, 0, 10, 10, 20, 20]
    assert fan(5, 0, 1, curve="smooth").tolist() == pytest.approx([0, 0.15625, 0.5, 0.84375, 1])
    assert fan(5, 0, 1, curve="sine").tolist() == pytest.approx(
        [0, math.sin(math.pi / 4), 1, math.sin(math.pi / 4), 0], abs=1e-12
    )
    assert fan(1, 7, 9).tolist() == [7] and fan(1, 7, 2, "about the middle").tolist() == [7]
    with pytest.raises(EntryFault):
        fan(3, float("nan"), 1)


@given(
    st.integers(1, 80),
    st.floats(-500, 500),
    st.floats(-500, 500),
    st.sampled_from(FAN_WAYS),
    st.sampled_from(CURVES),
    st.integers(1, 9),
)
def test_a_fan_gives_one_value_each_within_its_ends(
    n: int, a: float, b: float, way: str, curve: str, block: int
) -> None:
    values = fan(n, a, b, way, curve, block)
    assert len(values) == n
    low, high = (a - abs(b), a + abs(b)) if way == "about the middle" else (min(a, b), max(a, b))
    assert (values >= low - 1e-6).all() and (values <= high + 1e-6).all()
    assert all(values[i] == values[i - i % block] for i in range(n))
    if way == "mirrored" and block == 1:
        assert np.allclose(values, values[::-1])


def test_what_is_fanned_reaches_places_turns_and_levels(demo: Show) -> None:
    live = Live(demo)
    ids = ["u101", "u102", "u103"]
    found = {f.key: f for f in fannables(live, ids)}
    assert found["Pan"].unit == "°" and found["Dimmer"].unit == "%" and not found["z"].live
    live.ask(fan_live(live, ids, "Pan", fan(3, -30, 30)))
    assert [live.axis(u, "Pan") for u in ids] == pytest.approx([-30, 0, 30], abs=0.01)
    live.ask(fan_live(live, ids, "Dimmer", fan(3, 0, 100)))
    assert [live.level(u, "Dimmer") for u in ids] == [0, 0.5, 1]
    with pytest.raises(EntryFault):
        fan_live(live, ["u401"], "Pan", fan(1, 0, 0))
    raised = fan_placed(demo, ids, "z", fan(3, 5, 7))
    assert [raised.unit(u).position[2] for u in ids] == [5, 6, 7] and raised.unit(
        "u104"
    ) is demo.unit("u104")
    twisted = fan_placed(demo, ids, "turn", fan(3, 0, 90))
    assert [mount_of(twisted.unit(u).rotation).turn for u in ids] == pytest.approx(
        [0, 45, 90], abs=1e-6
    )


@given(st.floats(-179, 179), st.floats(0, 180), st.floats(-179, 179))
def test_any_mount_comes_back_as_the_same_rotation(turn: float, lean: float, spin: float) -> None:
    rotation = Mount(turn, lean, spin).rotation
    assert np.allclose(matrices([mount_of(rotation).rotation]), matrices([rotation]), atol=1e-5)


def test_hang_direction_turn_and_lean_are_apart(demo: Show) -> None:
    unit = demo.unit("u101")
    for hang in HANGS:
        rotation = hung(turned(unit.rotation, 30), hang)
        down = -matrices([rotation])[0][:, 2]
        assert down[2] == pytest.approx(
            {"below": -1, "above": 1, "side": 0, "floor": 1}[hang], abs=1e-9
        )
        assert abs(mount_of(rotation).turn) % 360 == pytest.approx(30, abs=1e-6)
    assert [hang_of(demo.unit(u)) for u in ("u101", "u201")] == ["below", "above"]
    leant = leaned(turned(unit.rotation, 20), 35)
    assert (mount_of(leant).turn, mount_of(leant).lean) == (pytest.approx(20), pytest.approx(35))


def test_choosing_by_what_units_are_and_their_order(demo: Show) -> None:
    assert every(["a", "b", "c", "d", "e"], 2) == ["a", "c", "e"] and every(
        ["a", "b", "c", "d", "e"], 3, 2
    ) == ["b", "e"]
    rest = inverted(demo, ["u101"], {"u101", "u102", "u103"})
    assert rest == ["u102", "u103"]
    same = alike(demo, ["u101"], "mode")
    assert same[0] == "u101" and {demo.unit(u).mode for u in same} == {"Full"} and len(same) == 6
    assert {demo.unit(u).structure for u in alike(demo, ["u211"], "structure")} == {"bridge"}
    ids = ["u203", "u201", "u208", "u205"]
    assert in_order(demo, ids, "left to right") == ["u201", "u203", "u205", "u208"]
    assert in_order(demo, ids, "right to left") == ["u208", "u205", "u203", "u201"]
    assert (
        in_order(demo, ids, "by number") == ["u201", "u203", "u205", "u208"]
        and in_order(demo, ids, "reversed") == ids[::-1]
    )
    assert in_order(demo, ids, "along the path") == [
        "u203",
        "u201",
        "u205",
        "u208",
    ]  # to the nearest that is left
    assert in_order(demo, ["u502", "u101"], "left to right") == [
        "u101",
        "u502",
    ]  # who has no place comes last


@given(
    st.lists(
        st.tuples(st.floats(0, 400), st.floats(0, 300), st.floats(10, 60), st.booleans()),
        min_size=1,
        max_size=60,
    )
)
def test_labels_never_cover_each_other_unless_they_must(rows: list) -> None:
    wishes = [Wish(x, y, 8, wide, 13, must) for x, y, wide, must in rows]
    found = place_all(wishes)
    assert all(place is not None for wish, place in zip(wishes, found, strict=True) if wish.must)
    boxes = [
        (p[0], p[1], p[0] + w.wide, p[1] + w.high)
        for w, p in zip(wishes, found, strict=True)
        if p is not None and not w.must
    ]
    for i, a in enumerate(boxes):
        for b in boxes[i + 1 :]:
            assert not (a[0] < b[2] and b[0] < a[2] and a[1] < b[3] and b[1] < a[3])


def test_an_arc_over_no_degrees_is_refused_and_a_mirrored_sine_ends_in_the_middle() -> None:
    with pytest.raises(EntryFault, match="one spot"):
        lay.circle(3, (0.0, 0.0), 2.0, 90.0, 0.0)
    assert lay.circle(1, (0.0, 0.0), 2.0, 90.0, 0.0)[0] == pytest.approx((0.0, 2.0))
    values = fan(7, 10.0, 50.0, "mirrored", "sine")
    assert values == pytest.approx([10, 30, 10 + 40 * 3**0.5 / 2, 50, 10 + 40 * 3**0.5 / 2, 30, 10])


@given(
    st.integers(2, 9),
    st.floats(-170, 170),
    st.floats(20, 360),
    st.sampled_from(["below", "above", "floor"]),
)
@settings(max_examples=10, deadline=None)
def test_units_laid_on_a_circle_look_to_its_centre_outwards_or_along_it(
    count: int, angle: float, sweep: float, hang: str
) -> None:
    """SciPy turns each unit's front and long side by the rotation it was given."""
    laying = Laying("circle", start=(1.0, -2.0), radius=3.0, angle=angle, sweep=sweep)
    ids = [f"u{i}" for i in range(count)]
    places = laying.places(count)
    upright = hung((1.0, 0.0, 0.0, 0.0), hang)
    units = tuple(
        Unit(id=u, number=i, position=(float(x), float(y), 4.0), rotation=upright)
        for i, (u, (x, y)) in enumerate(zip(ids, places, strict=True))
    )
    show = Show(units=units)
    for facing, local in (("centre", (0, -1, 0)), ("outwards", (0, -1, 0)), ("along", (1, 0, 0))):
        made = faced(show, ids, ways(laying, count, facing), facing)
        for unit in made.units:
            w, x, y, z = unit.rotation
            look = Rotation.from_quat([x, y, z, w]).apply(local)
            out = np.array(unit.position[:2]) - laying.start
            out /= np.linalg.norm(out)
            meant = {"centre": -out, "outwards": out, "along": np.array([-out[1], out[0]])}[facing]
            assert look == pytest.approx((*meant, 0.0), abs=1e-6)
            assert hang_of(unit) == ("floor" if hang == "above" else hang)


def test_units_are_laid_hung_and_moved_headless(tmp_path: Path, capsys) -> None:
    def answer(*words: str) -> tuple[int, Any]:
        code = main([*words, "--json"])
        return code, json.loads(capsys.readouterr().out or "null")

    file = str(tmp_path / "laid.isthmus")
    code, laid = answer(
        "plan", "lay", "demo", "--units", "101-106", "--as", "circle", "--at", "-1,2",
        "--radius", "3", "--facing", "centre", "--save", file,
    )  # fmt: skip
    at = np.array([u["at"] for u in laid["units"]])
    assert code == 0 and np.hypot(at[:, 0] + 1, at[:, 1] - 2) == pytest.approx([3.0] * 6, abs=2e-4)
    steps = np.linalg.norm(at[:, :2] - np.roll(at[:, :2], 1, axis=0), axis=1)
    assert steps == pytest.approx([3.0] * 6, abs=2e-4)  # a hexagon's side is its radius
    code, again = answer("plan", "lay", file, "--units", "103,101,102", "--as", "line", "--at", "0,0",
                         "--at", "4,0", "--save", file)  # fmt: skip
    assert code == 0 and [(u["unit"], *u["at"][:2]) for u in again["units"]] == [
        (103, 0, 0), (101, 2, 0), (102, 4, 0),
    ]  # fmt: skip
    code, hung = answer(
        "plan", "hang", file, "--units", "101,102", "--on", "Mast bridge", "--dry-run"
    )
    assert code == 0 and len({u["on"] for u in hung["units"]}) == 1 and hung["saved"] is None
    assert "101–102 now hang on Mast bridge" in hung["hanging"][0]
    code, moved = answer("plan", "move", file, "--units", "101", "--by", "-0.5,0,-1", "--dry-run")
    z = again["units"][1]["at"][2]
    assert moved["units"][0]["at"] == pytest.approx([1.5, 0, z - 1])
    for wrong in (
        ["--as", "line", "--at", "0,0"],
        ["--as", "circle", "--at", "0,0", "--over", "0"],
    ):
        assert answer("plan", "lay", "demo", "--units", "101-103", *wrong, "--dry-run")[0] == 3
