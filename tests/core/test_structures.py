"""Structures: what hangs on them goes along, lengths change in three ways, nothing is lost."""

from __future__ import annotations

import math

import numpy as np
import pytest
import trimesh
from hypothesis import given, settings
from hypothesis import strategies as st
from msgspec.structs import replace
from scipy.spatial.transform import Rotation

from isthmus.demo import as_hung
from isthmus.errors import EntryFault
from isthmus.layout import structures
from isthmus.layout.attitude import Attitude, attitude_of, set_attitude
from isthmus.layout.handles import handles_of, lengthened, pull, pull_units, turned, unit_handles
from isthmus.sheets.outlines import hull_of, outline
from isthmus.show.records import Show, Structure, Unit
from isthmus.snags import SnagBook, find_snags
from isthmus.stage.runs import KINDS, SIDES, along_of, run_of, spot, world_run
from isthmus.stage.space import corners, space_of
from isthmus.stage.touching import gaps, touches, touching
from isthmus.stage.transforms import matrices, quat_about, quat_multiply

ON = "bridge"


def local(show: Show, unit: str) -> np.ndarray:
    one = structures.structure(show, show.unit(unit).structure)
    return matrices([one.rotation])[0].T @ (
        np.array(show.unit(unit).position) - np.array(one.position)
    )


def numbers(show: Show) -> list[int]:
    return [u.number for u in structures.hanging(show, ON)]


@given(st.tuples(*[st.floats(-20, 20)] * 3), st.floats(-180, 180), st.floats(-40, 40))
@settings(max_examples=8)
def test_what_hangs_on_a_structure_keeps_its_place_on_it_however_it_is_moved(
    place: tuple, degrees: float, tip: float
) -> None:
    show = as_hung()
    mine = [u.id for u in structures.hanging(show, ON)]
    before = {u: local(show, u) for u in mine}
    facing = {u: matrices([show.unit(u).rotation])[0] for u in mine}
    moved = structures.change(
        show, ON, lambda s: replace(s, position=place, rotation=quat_about((1.0, 0.0, 0.0), tip))
    )
    moved = turned(moved, ON, degrees)
    swing = matrices([structures.structure(moved, ON).rotation])[0]
    for unit in mine:
        assert local(moved, unit) == pytest.approx(before[unit], abs=1e-6)
        assert np.allclose(
            matrices([moved.unit(unit).rotation])[0], swing @ facing[unit], atol=1e-6
        )
    assert moved.unit("u201") is show.unit("u201")  # which units hang elsewhere is the same record


@pytest.mark.parametrize("length", [9.0, 16.0])
def test_a_length_changes_in_three_ways(length: float) -> None:
    show = as_hung()
    mine = [u.id for u in structures.hanging(show, ON)]
    old = structures.structure(show, ON)
    at = lambda s: np.array([local(s, u)[0] for u in mine])  # noqa: E731
    before = at(show)
    spaced = structures.resize(show, ON, length, "spacing")
    assert np.allclose(at(spaced.show), before)
    past = [n for n, x in zip(numbers(show), before, strict=True) if abs(x) > length / 2]
    assert list(spaced.past) == past and (
        str(past[0]) in spaced.words if past else not spaced.words
    )
    ends = structures.resize(show, ON, length, "ends")
    half = old.size[0] / 2
    assert at(ends.show)[0] + length / 2 == pytest.approx(before[0] + half) and length / 2 - at(
        ends.show
    )[-1] == pytest.approx(half - before[-1])
    steps = np.diff(at(ends.show)) / np.diff(before)
    assert np.allclose(steps, steps[0])  # spread as they were
    refit = structures.resize(show, ON, length, "refit")
    assert np.allclose(at(refit.show), before * length / old.size[0])
    for made in (spaced, ends, refit):
        assert structures.structure(made.show, ON).size == (length, *old.size[1:])
        assert all(local(made.show, u)[1:] == pytest.approx(local(show, u)[1:]) for u in mine)


def test_one_end_is_pulled_and_the_other_stays() -> None:
    show = as_hung()
    made = lengthened(show, ON, 14.6, "spacing", "end")
    one = structures.structure(made.show, ON)
    assert one.position[0] - one.size[0] / 2 == pytest.approx(-6.3) and one.position[0] + one.size[
        0
    ] / 2 == pytest.approx(8.3)
    for unit in structures.hanging(show, ON):
        assert made.show.unit(unit.id).position == pytest.approx(unit.position)  # no one moves
    shorter = lengthened(show, ON, 9.0, "spacing", "end")
    gone = [u.number for u in structures.hanging(show, ON) if u.position[0] > -6.3 + 9.0 + 1e-6]
    assert gone and list(shorter.past) == gone
    refit = lengthened(show, ON, 9.0, "refit", "start")
    right = structures.structure(refit.show, ON)
    assert right.position[0] + right.size[0] / 2 == pytest.approx(6.3) and not refit.past
    assert all(
        u.position[0] >= right.position[0] - right.size[0] / 2
        for u in structures.hanging(refit.show, ON)
    )


def test_handles_pull_structures_and_units() -> None:
    show = as_hung()
    one = structures.structure(show, ON)
    by = {h.name: h for h in handles_of(one)}
    assert set(by) == {"move", "turn", "height", "start", "end"}
    start = by["move"].point
    moved = pull(show, ON, "move", start, (start[0] + 1.02, start[1] - 0.51, start[2])).show
    assert structures.structure(moved, ON).position == pytest.approx(
        (1.0, 1.0, 6.3)
    )  # in steps of 5 cm
    free = pull(show, ON, "move", start, (start[0] + 1.02, start[1], start[2]), free=True).show
    assert structures.structure(free, ON).position[0] == pytest.approx(1.02)
    lifted = pull(
        show,
        ON,
        "height",
        by["height"].point,
        (*by["height"].point[:2], by["height"].point[2] + 0.5),
    ).show
    assert structures.structure(lifted, ON).position[2] == pytest.approx(6.8)
    middle, grip = np.array(one.position), np.array(by["turn"].point)
    around = matrices([quat_about((0.0, 0.0, 1.0), 31.0)])[0] @ (grip - middle) + middle
    spun = pull(show, ON, "turn", by["turn"].point, tuple(around)).show
    assert np.allclose(
        matrices([structures.structure(spun, ON).rotation]),
        matrices([quat_about((0.0, 0.0, 1.0), 30.0)]),
        atol=1e-9,
    )
    end = pull(show, ON, "end", by["end"].point, (by["end"].point[0] - 3.0, 9.0, 1.0)).show
    assert structures.structure(end, ON).size[0] == pytest.approx(9.6)  # only along itself
    mast = {h.name: h for h in handles_of(structures.structure(show, "mast-p"))}["end"]
    taller = pull(show, "mast-p", "end", mast.point, (*mast.point[:2], mast.point[2] + 1.0)).show
    assert structures.structure(taller, "mast-p").size[2] == pytest.approx(9.2)
    ids = ["u101", "u102"]
    grips = {h.name: h.point for h in unit_handles([show.unit(u) for u in ids])}
    both = pull_units(show, ids, "move", grips["move"], tuple(np.array(grips["move"]) + [1, 2, 5]))
    assert both.unit("u101").position == pytest.approx(
        tuple(np.array(show.unit("u101").position) + [1, 2, 0])
    )
    high = pull_units(
        show, ids, "height", grips["height"], tuple(np.array(grips["height"]) + [0, 0, 1])
    )
    assert high.unit("u102").position[2] == pytest.approx(show.unit("u102").position[2] + 1)
    centre = np.array(grips["move"])
    swing = (
        matrices([quat_about((0.0, 0.0, 1.0), 45.0)])[0] @ (np.array(grips["turn"]) - centre)
        + centre
    )
    spun = pull_units(show, ids, "turn", grips["turn"], tuple(swing))
    assert np.allclose(
        matrices([spun.unit("u101").rotation]),
        matrices([quat_about((0.0, 0.0, 1.0), 45.0)]),
        atol=1e-9,
    )
    assert spun.unit("u101").position == show.unit("u101").position


def test_units_hang_evenly_at_a_spacing_at_marks_and_at_a_spot(demo: Show) -> None:
    ids = ["u421", "u422", "u423"]
    show, made = structures.add(
        demo, "truss", (0.0, -2.0, 5.0), (6.0, 0.3, 0.4), chords=3, marks=(1.0, 2.5, 5.5)
    )
    even = structures.hang(show, ids, made)
    assert [u.id for u in structures.hanging(even, made)] == ids
    assert [
        round(along_of(structures.structure(even, made), even.unit(u).position), 6) for u in ids
    ] == [0.4, 3.0, 5.6]
    assert {even.unit(u).position[2] for u in ids} == {4.8} and even.unit(
        "u421"
    ).hangs_on == "Foredeck"  # paper's word stays
    spaced = structures.hang(show, ids, made, "spacing", "above", 0.75, 0.1)
    assert [round(spaced.unit(u).position[0], 6) for u in ids] == [-0.75, 0.0, 0.75]
    assert all(spaced.unit(u).position[2] == pytest.approx(5.3) for u in ids)
    marked = structures.hang(show, ids, made, "marks", "front")
    assert [round(marked.unit(u).position[0], 6) for u in ids] == [-2.0, -0.5, 2.5]
    assert all(marked.unit(u).position[1] == pytest.approx(-2.15) for u in ids)
    slid = structures.slide(spaced, "u421", 1.25)
    assert slid.unit("u421").position == pytest.approx(
        (-1.75, -2.0, 5.3)
    )  # on the side and at the distance it hung
    ring, circle = structures.add(demo, "circle", (0.0, 0.0, 5.0), (4.0, 0.3, 0.3))
    hung = structures.hang(ring, ["u421"], circle)
    quarter = structures.slide(
        hung,
        "u421",
        along_of(structures.structure(hung, circle), hung.unit("u421").position) + np.pi,
    )
    a, b = (np.array(s.unit("u421").position) for s in (hung, quarter))
    assert a[:2] @ b[:2] == pytest.approx(0, abs=0.02) and a[2] == pytest.approx(b[2])
    turned_by = (
        matrices([quarter.unit("u421").rotation])[0] @ matrices([hung.unit("u421").rotation])[0].T
    )
    assert abs(turned_by[1, 0]) == pytest.approx(1, abs=0.05)
    for wrong in (
        lambda: structures.hang(show, ids, made, "spacing", spacing=4.0),
        lambda: structures.hang(show, ids, made, "spacing", spacing=float("nan")),
        lambda: structures.hang(show, [*ids, "u101"], made, "marks"),
        lambda: structures.slide(spaced, "u421", 9.0),
        lambda: structures.resize(show, made, 0.0),
        lambda: structures.resize(show, made, float("nan")),
        lambda: structures.add(show, "balloon"),
        lambda: structures.add(show, "truss", size=(0.0, 0.3, 0.3)),
        lambda: structures.add(show, "circle", arc=0.0),
        lambda: structures.change(show, made, lambda s: replace(s, position=(9e9, 0, 0))),
        lambda: structures.change(show, "gone", lambda s: s),
    ):
        with pytest.raises(EntryFault):
            wrong()
    gone = structures.remove(even, made)
    assert all(
        gone.unit(u).structure == "" and gone.unit(u).position == even.unit(u).position for u in ids
    )
    locked = structures.change(show, made, lambda s: replace(s, pinned=True))
    with pytest.raises(EntryFault):
        structures.change(locked, made, lambda s: replace(s, position=(1, 1, 1)))
    pinned = replace(
        even, units=tuple(replace(u, pinned=True) if u.id == "u421" else u for u in even.units)
    )
    assert structures.hang(pinned, ids, "bridge").unit("u421") is pinned.unit("u421")


@pytest.mark.parametrize("kind", KINDS)
def test_every_kind_has_a_run_faces_outlines_and_a_box_around_it(kind: str) -> None:
    show, made = structures.add(Show(), kind, steps=3 if kind == "deck" else 0)
    one = replace(structures.structure(show, made), rotation=quat_about((0.0, 0.0, 1.0), 37.0))
    run = run_of(one)
    assert run.length > 0.05 and run.at[0] == 0
    for share in (0.0, 0.3, 0.99):
        along = share * run.length
        on_run, way = run.place(along)
        assert np.linalg.norm(way) == pytest.approx(1) and run.nearest(on_run) == pytest.approx(
            along, abs=1e-6
        )
        for side in SIDES:
            position, rotation = spot(one, along, side, 0.05)
            assert all(map(math.isfinite, (*position, *rotation)))
    box = corners(one)
    assert (world_run(one) >= box.min(axis=0) - 1e-6).all() and (
        world_run(one) <= box.max(axis=0) + 1e-6
    ).all()
    for view in ("plan", "front", "side"):
        paths = outline(one, view)
        assert paths and all(len(p.points) >= 2 and np.isfinite(p.points).all() for p in paths)


def test_a_circle_closes_a_corner_turns_and_names_count_on() -> None:
    ring = Structure(id="r", kind="circle", size=(4.0, 0.3, 0.3))
    run = run_of(ring)
    assert run.closed and run.length == pytest.approx(4 * math.pi, rel=1e-3)
    assert run.place(run.length + 0.5)[0] == pytest.approx(run.place(0.5)[0])
    half = run_of(replace(ring, arc=180.0))
    assert not half.closed and half.length == pytest.approx(2 * math.pi, rel=1e-3)
    show, made = structures.add(Show(), "circle", (0, 0, 5), (4.0, 0.3, 0.3))
    show = replace(show, units=as_hung().units[:4])
    hung = structures.hang(show, [u.id for u in show.units], made)
    around = np.array([u.position for u in hung.units])[:, :2]
    assert np.allclose(np.hypot(*around.T), 2.0, atol=1e-3) and np.allclose(
        around.sum(axis=0), 0, atol=1e-2
    )  # no doubled end
    corner = run_of(Structure(id="c", kind="corner", size=(1.0, 0.3, 0.3)))
    assert corner.length == pytest.approx(2) and corner.place(1.5)[0] == pytest.approx((0, 0.5, 0))
    show, _ = structures.add(show, "circle")
    assert [s.name for s in show.structures] == ["Circle 1", "Circle 2"]
    assert hull_of(np.array([(0, 0), (2, 0), (1, 1), (2, 2), (0, 2), (1, 0)])) == [
        (0, 0),
        (2, 0),
        (2, 2),
        (0, 2),
    ]


def test_a_far_stray_is_named_and_left_out_of_the_space() -> None:
    show = as_hung()
    points = np.array([u.position for u in show.units])
    near = space_of(points, show.structures)
    assert not near.strays and near.low[0] <= -8.7 and near.high[2] >= 8.2
    far = space_of(np.vstack([points, [[200.0, 0, 0]]]), show.structures)
    assert far.strays == (len(points),) and far.low == near.low and far.high == near.high
    assert (
        space_of(np.array([[0.0, 0, 0], [5.0, 0, 0]]), ()).strays == ()
    )  # two lone ones are not strays
    assert space_of(np.zeros((0, 3)), ()).size > 1


def snags_of(show: Show) -> list[tuple[str, list[int]]]:
    numbers = {u.id: u.number for u in show.units}
    return [
        (s.rule, [numbers[u] for u in s.units])
        for s in find_snags(show)
        if s.rule in ("off-structure", "hangs-elsewhere", "below-ground", "one-spot")
    ]


def put(show: Show, unit: str, **more) -> Show:
    return replace(show, units=tuple(replace(u, **more) if u.id == unit else u for u in show.units))


def test_a_unit_that_does_not_touch_its_structure_stays_and_is_told_until_it_does() -> None:
    show = as_hung()
    assert snags_of(show) == []
    mine = structures.hanging(show, ON)
    one, number = mine[0], mine[0].number
    assert one.position
    x, y, z = one.position
    beside = put(show, one.id, position=(x, y + 2.0, z))
    assert snags_of(beside) == [("off-structure", [number])]
    moved = structures.change(beside, ON, lambda s: replace(s, position=(9.0, 9.0, 9.0)))
    assert moved.unit(one.id).position == (x, y + 2.0, z)  # it is not carried
    assert moved.unit(mine[1].id).position != show.unit(mine[1].id).position
    snag = next(s for s in find_snags(beside) if s.rule == "off-structure")
    assert snags_of(snag.fix.edit(beside)) == []
    # 1.5 m past the end: told so, and lengthening brings it back within without moving it
    end = structures.structure(show, ON)
    past = put(show, one.id, position=(end.position[0] - end.size[0] / 2 - 1.5, y, z))
    told = next(s for s in find_snags(past) if s.rule == "off-structure")
    assert "1.50 m past the end" in told.text
    longer = structures.resize(past, ON, end.size[0] + 3.2)
    assert longer.show.unit(one.id).position == past.unit(one.id).position
    assert snags_of(longer.show) == [] and not longer.past


def test_a_book_of_snags_kept_up_to_date_sees_structures_that_go_and_come() -> None:
    show = as_hung()
    book = SnagBook().update(show)
    away = replace(
        show,
        structures=tuple(
            replace(s, position=(s.position[0], s.position[1] + 3.0, s.position[2]), name="Away")
            if s.id == ON
            else s
            for s in show.structures
        ),
    )
    sunk = put(away, "u101", position=(50.0, 0.0, -4.0))
    twice = put(sunk, "u102", position=(50.0, 0.0, -4.0))
    for state in (away, sunk, twice, show):
        assert [s.text for s in book.update(state).snags] == [s.text for s in find_snags(state)]
    mine = {u.number for u in structures.hanging(show, ON)}
    assert {n for rule, numbers in snags_of(away) for n in numbers} == mine
    assert ("one-spot", [101, 102]) in snags_of(twice)
    assert ("below-ground", [101]) in snags_of(twice)
    other = next(s for s in show.structures if s.id != ON and s.kind == "pipe")
    named = put(show, structures.hanging(show, ON)[0].id, hangs_on=other.name)
    assert [rule for rule, _ in snags_of(named)] == ["hangs-elsewhere"]
    snag = next(s for s in find_snags(named) if s.rule == "hangs-elsewhere")
    assert snags_of(snag.fix.edit(named)) == []


@given(
    st.sampled_from(KINDS),
    st.sampled_from(SIDES),
    st.floats(0, 1),
    st.floats(0, 2.5),
    st.tuples(*[st.floats(-180, 180)] * 2),
)
@settings(max_examples=20)
def test_what_is_hung_at_a_distance_is_held_and_goes_along(
    kind: str, side: str, share: float, offset: float, turns: tuple[float, float]
) -> None:
    """Whatever a person asks for by figures counts as hung."""
    rotation = quat_multiply(
        quat_about((0.0, 0.0, 1.0), turns[0]), quat_about((1.0, 0.0, 0.0), turns[1])
    )
    show, on = structures.add(Show(), kind, (3.0, -2.0, 6.0), rotation=rotation)
    show = replace(show, units=(Unit(id="u", number=1, profile="p", mode="m"),))
    one = structures.structure(show, on)
    along = share * run_of(one).length
    position, turn = spot(one, along, side, offset)
    show = put(show, "u", structure=on, position=position, rotation=turn)
    assert not [s for s in find_snags(show) if s.rule == "off-structure"]
    moved = structures.change(show, on, lambda s: replace(s, position=(4.0, -2.0, 6.0)))
    assert np.subtract(moved.unit("u").position, position) == pytest.approx((1, 0, 0), abs=1e-6)


@given(st.floats(-179, 179), st.floats(-80, 80), st.floats(-170, 170))
@settings(max_examples=10, deadline=None)
def test_turn_tilt_and_lean_are_what_scipy_makes_of_them_and_read_back(
    turn: float, tilt: float, lean: float
) -> None:
    w, x, y, z = Attitude(turn, tilt, lean).rotation
    meant = Rotation.from_euler("ZYX", [turn, -tilt, lean], degrees=True)
    assert np.allclose(Rotation.from_quat([x, y, z, w]).as_matrix(), meant.as_matrix(), atol=1e-9)
    assert attitude_of((w, x, y, z)) == pytest.approx((turn, tilt, lean), abs=1e-6)


def test_what_hangs_on_a_truss_goes_along_when_it_is_tilted_and_a_copy_is_empty() -> None:
    show = as_hung()
    truss = next(s for s in show.structures if s.name == "Mast bridge")
    hung_there = [u for u in show.units if u.structure == truss.id]
    tilted = set_attitude(show, truss.id, tilt=30.0)
    swing = Rotation.from_euler("y", -30.0, degrees=True)
    for unit in hung_there:
        meant = swing.apply(np.subtract(unit.position, truss.position)) + truss.position
        assert tilted.unit(unit.id).position == pytest.approx(meant, abs=1e-6)
    far = max(hung_there, key=lambda u: u.position[0])
    assert tilted.unit(far.id).position[2] > far.position[2] + 0.5  # the far end goes up
    copied, made = structures.duplicate(show, truss.id)
    again, third = structures.duplicate(copied, made)
    one, two = (next(s for s in again.structures if s.id == i) for i in (made, third))
    assert (one.name, two.name) == ("Mast bridge 2", "Mast bridge 3")
    assert one.size == truss.size and structures.hanging(again, made) == []


@settings(max_examples=8)
@given(st.data())
def test_the_air_between_units_and_a_structure_is_what_a_mesh_of_its_box_says(data) -> None:
    """Judged by another library's nearest points; many points at once and one by one."""
    kind = data.draw(st.sampled_from(["truss", "pipe", "deck", "wall", "boom", "tower"]))
    size = tuple(data.draw(st.floats(0.2, 8)) for _ in range(3))
    at = tuple(data.draw(st.floats(-5, 5)) for _ in range(3))
    turn = Rotation.from_euler("xyz", [data.draw(st.floats(-180, 180)) for _ in range(3)], True)
    x, y, z, w = turn.as_quat()
    made = Structure(id="s", kind=kind, position=at, rotation=(w, x, y, z), size=size)
    points = np.array(
        data.draw(st.lists(st.tuples(*[st.floats(-9, 9)] * 3), min_size=3, max_size=9))
    )
    placed = np.eye(4)
    placed[:3, :3] = turn.as_matrix()
    placed[:3, 3] = turn.apply([0, 0, size[2] / 2 if kind in ("boom", "tower") else 0]) + at
    box = trimesh.creation.box(size, placed)
    inside = (np.abs((points - placed[:3, 3]) @ placed[:3, :3]) <= np.array(size) / 2).all(axis=1)
    wanted = np.where(inside, 0.0, trimesh.proximity.closest_point(box, points)[1])
    assert gaps(made, points) == pytest.approx(wanted, abs=1e-6)
    assert touching(made, points)[wanted <= 0.6 - 1e-6].all()
    assert list(touching(made, points)) == [touches(made, tuple(p)) for p in points]
