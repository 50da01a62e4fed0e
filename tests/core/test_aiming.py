"""Aiming: pan and tilt from the profile's own geometry, over any mount, with limits, handling and resolution honoured."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from msgspec.structs import replace
from scipy.spatial.transform import Rotation

from helpers.tools import answer, command
from isthmus.demo import lantern_tide
from isthmus.output import Live, RigView
from isthmus.output.aiming import aim_units, in_words
from isthmus.profiles.geometry import Link
from isthmus.show.records import Handling, Limit, Show
from isthmus.stage import Drawn, aim
from isthmus.stage.landing import land, rim, surfaces

angle = st.floats(-180, 180)
small = st.floats(-0.25, 0.25)
offset = st.tuples(small, small, small)


def matrix(move: tuple, euler: tuple = (0, 0, 0)) -> np.ndarray:
    made = np.eye(4)
    made[:3, :3] = Rotation.from_euler("xyz", euler, degrees=True).as_matrix()
    made[:3, 3] = move
    return made


def reach(n: int, pan: float = 270.0, tilt: float = 135.0) -> aim.Reach:
    return aim.Reach(np.full(n, -pan), np.full(n, pan), np.full(n, -tilt), np.full(n, tilt))


def oracle(
    chain: aim.Chain, base: np.ndarray, pan: float, tilt: float
) -> tuple[np.ndarray, np.ndarray]:
    """Lens and direction by SciPy's rotations, step by step."""
    at = base @ chain.before
    turned = [matrix((0, 0, 0), (0, 0, pan)), matrix((0, 0, 0), (tilt, 0, 0))]
    first, second = turned[::-1] if chain.tilt_first else turned
    whole = at @ first @ chain.between @ second @ chain.after
    return whole[:3, 3], -whole[:3, 2]


@pytest.mark.slow
@given(
    offset,
    offset,
    offset,
    st.tuples(angle, angle, angle),
    st.tuples(*[st.floats(-9, 9)] * 3),
    angle,
    st.floats(-120, 120),
    st.floats(1.5, 15),
)
@settings(max_examples=38)
def test_whatever_a_head_can_point_at_it_is_pointed_at(
    a, b, c, mount, place, pan: float, tilt: float, away: float
) -> None:
    chain = aim.Chain(matrix(a), matrix(b), matrix(c), True, True)
    base = matrix(place, mount)
    lens, way = oracle(chain, base, pan, tilt)
    target = lens + way * away
    now = np.array([pan / 2]), np.array([tilt])
    for how in aim.AIM_WAYS:
        found = aim.aim(chain, base[None], target, reach(1), now, how)
        start, direction = oracle(chain, base, float(found.pan[0]), float(found.tilt[0]))
        to = target - start
        beside = np.linalg.norm(to - (to @ direction) * direction)
        assert (
            found.reached[0] and beside < 1e-3 and to @ direction > 0
        )  # within a millimetre, and ahead of the lens
        assert abs(found.pan[0]) <= 270 + 1e-9 and abs(found.tilt[0]) <= 135 + 1e-9
        if how == "same way" and abs(tilt) > 1:
            assert found.tilt[0] * tilt > -1e-6


@given(
    offset,
    st.tuples(*[st.floats(-4, 4)] * 3),
    st.tuples(angle, st.floats(-80, 80)),
    st.tuples(*[st.floats(-9, 9)] * 3),
)
@settings(max_examples=15)
def test_axes_that_a_profile_turns_are_met_too_or_said_not_to_be(lens, euler, spot, place) -> None:
    chain = aim.Chain(
        matrix((0, 0, -0.1)), matrix((0.01, 0, -0.3), euler), matrix(lens, euler), True, True
    )
    base = matrix(place, (10.0, 0.0, 40.0))
    at, way = oracle(chain, base, *spot)
    found = aim.aim(chain, base[None], at + way * 6, reach(1), (np.zeros(1), np.zeros(1)))
    start, direction = oracle(chain, base, float(found.pan[0]), float(found.tilt[0]))
    to = at + way * 6 - start
    beside = np.linalg.norm(to - (to @ direction) * direction)
    assert beside == pytest.approx(found.miss[0], abs=1e-6) and found.reached[0] == (beside <= 1e-3)


def test_ways_differ_as_they_say_and_stops_are_kept() -> None:
    chain = aim.Chain(matrix((0, 0, 0)), matrix((0, 0, 0)), matrix((0, 0, -0.2)), True, True)
    base = np.tile(matrix((0, 0, 6)), (3, 1, 1))
    target = np.array([0.0, 6.0, 0.0])  # 45° upstage: pan 0 and tilt 45, or pan 180 and tilt −45
    now = np.array([170.0, 0.0, -200.0]), np.array([-40.0, 10.0, -30.0])
    near = aim.aim(chain, base, target, reach(3), now)
    assert near.pan == pytest.approx([180, 0, -180], abs=1e-6) and near.tilt == pytest.approx(
        [-45, 45, -45], abs=1e-6
    )
    quick = aim.aim(
        chain, base[:1], target, reach(1), (np.array([100.0]), np.array([44.0])), "least travel"
    )
    assert (quick.pan[0], quick.tilt[0]) == pytest.approx(
        (180, -45), abs=1e-6
    )  # 89 in tilt at most, against 100 in pan
    close = aim.aim(
        chain, base[:1], target, reach(1), (np.array([100.0]), np.array([44.0])), "nearest"
    )
    assert (close.pan[0], close.tilt[0]) == pytest.approx((0, 45), abs=1e-6)
    same = aim.aim(
        chain, base[:1], target, reach(1), (np.array([100.0]), np.array([-44.0])), "same way"
    )
    assert same.tilt[0] == pytest.approx(-45)
    short = aim.aim(chain, base[:1], target, reach(1, 90, 30), (np.zeros(1), np.zeros(1)))
    assert not short.reached[0] and (short.pan[0], short.tilt[0]) == pytest.approx(
        (0, 30), abs=1e-3
    )  # as near as its stops let it
    above = aim.aim(
        chain, base[:1], np.array([0.0, 0.0, 9.0]), reach(1), (np.zeros(1), np.zeros(1))
    )
    assert (
        not above.reached[0]
        and above.miss[0] > 1
        and abs(above.tilt[0]) == pytest.approx(135, abs=1e-3)
    )


def test_one_axis_alone_the_other_way_round_and_none() -> None:
    links = (
        Link(matrix((0, 0, -0.1)), "Tilt"),
        Link(matrix((0, 0, -0.2)), "Pan"),
        Link(matrix((0, 0, -0.1))),
    )
    swapped = aim.chain_of(links)
    assert swapped.tilt_first and swapped.pans and swapped.tilts
    base = matrix((0, 0, 5))[None]
    at, way = aim.forward(swapped, base, np.array([20.0]), np.array([35.0]))
    found = aim.aim(swapped, base, at + way * 4, reach(1), (np.zeros(1), np.zeros(1)))
    assert found.reached[0]
    tilting = aim.chain_of((Link(matrix((0, 0, -0.1)), "Tilt"), Link(matrix((0, 0, -0.2)))))
    assert tilting.tilts and not tilting.pans
    met = aim.aim(
        tilting,
        base,
        np.array([0.0, 3.0, 0.0]),
        aim.Reach(*(np.array([v]) for v in (0.0, 0.0, -90.0, 90.0))),
        (np.zeros(1), np.zeros(1)),
    )
    missed = aim.aim(
        tilting,
        base,
        np.array([2.0, 3.0, 0.0]),
        aim.Reach(*(np.array([v]) for v in (0.0, 0.0, -90.0, 90.0))),
        (np.zeros(1), np.zeros(1)),
    )
    assert met.reached[0] and not missed.reached[0] and missed.miss[0] > 1


def landing(show: Show, live: Live, unit: str) -> np.ndarray:
    view = RigView(show, live.compiled)
    beams, _ = view.pose(live.frame)
    rows = np.flatnonzero(beams.unit == view.rig.order.index(unit))
    points, _ = land(beams.origin[rows], beams.direction[rows], surfaces(show.structures))
    return points[0]


@pytest.mark.parametrize(
    "handling",
    [
        Handling(),
        Handling(invert_pan=True, invert_tilt=True),
        Handling(swap=True),
        Handling(pan_offset=25, tilt_offset=-8, invert_pan=True),
    ],
)
def test_what_is_sent_makes_the_beam_land_there_whatever_its_handling(
    demo: Show, handling: Handling
) -> None:
    ids = ["u101", "u104", "u107", "u211"]
    show = replace(
        demo, units=tuple(replace(u, handling=handling) if u.id in ids else u for u in demo.units)
    )
    live = Live(show)
    point = (1.3, -2.1, 0.0) if not handling.swap else (-1.0, 1.4, 0.0)
    wanted, answers = aim_units(live, ids, point)
    live.ask(wanted)
    for answer_ in answers:
        if answer_.reached:
            assert landing(show, live, answer_.unit)[:2] == pytest.approx(point[:2], abs=0.02)
            assert answer_.miss < 0.01  # 16 bits
        else:
            assert handling.swap or handling.pan_offset
    assert sum(a.reached for a in answers) >= (2 if handling.swap else 4)


def test_limits_are_kept_and_everyone_is_answered_for(demo: Show) -> None:
    show = replace(
        demo,
        units=tuple(
            replace(u, limits=(Limit(attribute="Tilt", low=0.4, high=0.6),))
            if u.id == "u101"
            else u
            for u in demo.units
        ),
    )
    live = Live(show)
    wanted, answers = aim_units(live, ["u101", "u102", "u401", "u501", "u502"], (0.0, -1.0, 0.0))
    by = {a.number: a for a in answers}
    assert [a.number for a in answers] == [101, 102, 401, 501, 502]
    assert not by[101].reached and abs(by[101].tilt) <= 27 + 1e-6 and "limits" in by[101].why
    assert (
        by[102].reached
        and by[401].why == "no pan and no tilt"
        and by[501].why == "no light"
        and "no place" in by[502].why
    )
    words = in_words(answers)
    assert words.startswith("1 of 5 beams meet there.") and "401: no pan and no tilt." in words
    assert {unit for unit, _, _ in wanted} == {"u101", "u102"}
    each, _ = aim_units(live, ["u103", "u104"], np.array([[0.0, 0, 0], [2.0, 1, 0]]))
    live.ask(each)
    assert landing(show, live, "u103")[:2] == pytest.approx((0, 0), abs=0.01) and landing(
        show, live, "u104"
    )[:2] == pytest.approx((2, 1), abs=0.01)


def test_rays_land_on_the_nearest_surface_that_looks_at_them(demo: Show) -> None:
    on = surfaces(demo.structures)
    names = [s.name for s in on]
    points, which = land(
        np.array([[0.0, -3.6, 5.0], [0.0, 0, 5.0], [0.0, 0, 2.0], [0.0, 8, 2.0], [0.0, 0, 5]]),
        np.array([[0.0, 0, -1], [0.0, 0, -1], [0.0, 1, 0], [0.0, -1, 0], [0.0, 0, 1]]),
        on,
    )
    assert [names[w] if w >= 0 else "" for w in which] == [
        "Foredeck",
        "Barge",
        "Boathouse front",
        "",
        "",
    ]
    assert (
        points[0] == pytest.approx((0, -3.6, 0.2))
        and points[2] == pytest.approx((0, 4.8, 2))
        and np.isnan(points[4]).all()
    )
    ring = rim(np.array([[0.0, 0, -1]]), np.array([[1.0, 0, 0]]), np.array([0.5]))[0]
    assert np.allclose(np.hypot(ring[:, 0], ring[:, 1]) / -ring[:, 2], 0.5)


def test_the_command_aims_and_says_where_beams_land() -> None:
    code, rows = answer("stage", "aim", "demo", "--units", "101-106", "--at", "0,-1,0")
    assert code == 0 and len(rows) == 6 and all(r["reached"] and r["miss"] < 0.01 for r in rows)
    assert rows[0]["pan"] == pytest.approx(
        -rows[5]["pan"], abs=0.01
    )  # the rig is the same left and right
    code, landed = answer("stage", "land", "demo", "--units", "101-103", "--aim", "0,-1,0")
    assert code == 0 and all(
        math.dist(r["at"], (0, -1, 0)) < 0.02 and r["on"] == "Barge" for r in landed
    )
    for wrong in ("1,2,x", "nan,0,0", "1e9,0,0"):
        assert command("stage", "aim", "demo", "--at", wrong).returncode == 3


@given(
    st.floats(-90, 90),
    st.booleans(),
    st.sampled_from(["nearest", "least travel", "same way"]),
    st.tuples(st.floats(-12, 12), st.floats(-9, 9), st.floats(0, 3)),
)
@settings(max_examples=15, deadline=None)
def test_an_offset_takes_no_point_from_a_head_that_can_turn_the_other_way(
    by: float, inverted: bool, way: str, target: tuple
) -> None:
    """540 degrees of pan less 90 still go once round: every point is met, as the light itself shows."""
    show, ids = lantern_tide(), ["u101", "u104"]
    how = Handling(pan_offset=by, invert_pan=inverted)
    show = replace(
        show,
        units=tuple(replace(u, handling=how, limits=()) if u.id in ids else u for u in show.units),
    )
    live = Live(show)
    asked, answers = aim_units(live, ids, target, way)
    assert [a.why for a in answers] == ["", ""]
    live.ask(asked)
    view = RigView(show, live.compiled)
    beams, _ = view.pose(live.frame, Drawn(hide_off=False))
    for unit in ids:
        row = list(beams.unit).index(view.rig.order.index(unit))
        to = np.array(target) - beams.origin[row]
        beside = np.linalg.norm(np.cross(to, beams.direction[row]))
        assert beside < 0.02 * max(1.0, np.linalg.norm(to)) and to @ beams.direction[row] > 0
