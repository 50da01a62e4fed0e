"""Space: turns, the camera, placing, and where beams really go."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.spatial.transform import Rotation

from isthmus.demo import as_hung
from isthmus.errors import EntryFault
from isthmus.layout import move_units, put_unit, set_out
from isthmus.layout.place import structure_named
from isthmus.output import Live, RigView
from isthmus.show.records import Show
from isthmus.stage import Camera
from isthmus.stage.transforms import (
    look_at,
    matrices,
    perspective,
    quat_about,
    quat_multiply,
    turns_about,
)

number = st.floats(-50, 50)
axis = st.tuples(number, number, number).filter(lambda v: np.linalg.norm(v) > 0.1)


@given(axis, st.floats(-720, 720), axis, st.floats(-720, 720))
def test_turns_agree_with_an_independent_library(a: tuple, s: float, b: tuple, t: float) -> None:
    p, q = quat_about(a, s), quat_about(b, t)
    ours = matrices([quat_multiply(p, q)])[0]
    theirs = Rotation.from_rotvec(
        np.radians(s) * np.array(a) / np.linalg.norm(a)
    ) * Rotation.from_rotvec(np.radians(t) * np.array(b) / np.linalg.norm(b))
    assert np.allclose(ours, theirs.as_matrix(), atol=1e-9)
    assert np.linalg.det(ours) == pytest.approx(1)


@given(st.floats(-400, 400))
def test_axis_turns_are_those_of_the_quaternion(degrees: float) -> None:
    for i, along in enumerate(((1, 0, 0), (0, 1, 0), (0, 0, 1))):
        assert np.allclose(
            turns_about(i, np.array([degrees]))[0, :3, :3],
            matrices([quat_about(along, degrees)])[0],
            atol=1e-9,
        )


@given(st.floats(0, 360), st.floats(-5, 89), st.floats(2, 60), st.tuples(*[st.floats(-8, 8)] * 3))
def test_what_is_projected_is_picked_again(
    bearing: float, height: float, distance: float, point: tuple
) -> None:
    camera = Camera(bearing=bearing, height=height, distance=distance)
    (x, y), depth = (a[0] for a in camera.project(np.array([point]), 800, 500))
    clip = camera.projection(1.6) @ camera.view() @ np.array([*point, 1.0])
    if depth > 0.5:
        assert (x, y) == (
            pytest.approx((clip[0] / clip[3] + 1) * 400, abs=1e-6),
            pytest.approx((1 - clip[1] / clip[3]) * 250, abs=1e-6),
        )
        assert camera.pick(np.array([[900.0, 900, 900], point]), 0.3, x, y, 800, 500) == 1
    view = look_at(camera.eye, camera.target)
    assert np.allclose(view[:3, :3] @ view[:3, :3].T, np.eye(3), atol=1e-9)
    assert (view @ np.array([*camera.target, 1]))[2] == pytest.approx(-distance)
    assert perspective(42, 1.6, 0.3, 60).shape == (4, 4)


def test_a_hung_unit_lights_down_a_standing_one_up_and_tilt_leans_it(demo: Show) -> None:
    live = Live(demo)
    view = RigView(demo, live.compiled)
    row = {unit: i for i, unit in enumerate(view.rig.order)}

    def direction(unit: str) -> np.ndarray:
        beams, _ = view.pose(live.frame)
        return beams.direction[np.flatnonzero(beams.unit == row[unit])[0]]

    assert direction("u101") == pytest.approx([0, 0, -1], abs=1e-3)
    assert direction("u201") == pytest.approx([0, 0, 1], abs=1e-3)
    live.set_axis(["u101"], "Tilt", 90)
    assert direction("u101") == pytest.approx([0, 1, 0], abs=1e-3)  # upstage
    live.set_axis(["u101"], "Pan", -90)
    assert direction("u101") == pytest.approx([1, 0, 0], abs=1e-3)


def test_units_are_spread_along_the_structure_their_hang_position_names() -> None:
    show = as_hung()
    for unit in show.units:
        structure = structure_named(show, unit.hangs_on)
        assert structure and unit.position and unit.structure == structure.id
        local = matrices([structure.rotation])[0].T @ (
            np.array(unit.position) - np.array(structure.position)
        )
        assert (
            np.all(np.abs(local[:2]) <= np.array(structure.size[:2]) / 2 + 0.5)
            and local[2] <= structure.size[2] + 0.1
        )
    bow = sorted(u.position[0] for u in show.units if u.hangs_on == "Bow rail" and u.position)
    steps = np.diff(bow)
    assert np.allclose(steps, steps[0]) and bow[0] == pytest.approx(-bow[-1])


def test_setting_out_moves_nobody_who_has_a_place_and_keeps_clear_of_them(demo: Show) -> None:
    lost = [u.id for u in demo.units if u.position is None]
    placed = set_out(demo, lost)
    assert lost and all(u.position for u in placed.units)
    for before, after in zip(demo.units, placed.units, strict=True):
        assert before.id in lost or before is after
    for unit in lost:
        at = np.array(next(u.position for u in placed.units if u.id == unit))
        assert (
            min(np.linalg.norm(at - np.array(u.position)) for u in placed.units if u.id != unit)
            > 0.3
        )


def test_moves_add_up_and_nobody_leaves_the_world(demo: Show) -> None:
    there = move_units(demo, ["u101", "u102"], (1.5, -2, 0.25))
    back = move_units(there, ["u101", "u102"], (-1.5, 2, -0.25))
    for a, b in zip(demo.units, back.units, strict=True):
        assert (a.position is None) == (b.position is None) and (
            a.position is None or b.position == pytest.approx(a.position)
        )
    assert move_units(demo, ["u101"], (0.0, 0.0, 0.0)) is demo
    for bad in ((9e9, 0, 0), (float("nan"), 0, 0)):
        with pytest.raises(EntryFault):
            put_unit(demo, "u101", bad)
