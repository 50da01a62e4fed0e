"""Meshes, gobos, prisms, irises and framing: read safely, posed truly, drawn where they belong."""

from __future__ import annotations

import random
import struct
import time

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from msgspec.structs import replace

from helpers.lights import drawn_as
from isthmus.demo import as_hung
from isthmus.errors import FileFault
from isthmus.output import Live, RigView
from isthmus.profiles.make.glb import box, glb
from isthmus.render import Look, scene_of
from isthmus.render.gobo_plate import ANGLES, OFFSETS, radon
from isthmus.render.renderer import Renderer, standalone_context
from isthmus.show.records import Show, Structure
from isthmus.stage import Camera, Drawn
from isthmus.stage.bodies import GOBO_SIZE, bodies, gobos, made_gobo
from isthmus.stage.meshes_in import fitted, read_mesh, simplified

OBJ = (
    b"mtllib /etc/passwd\nv 0 0 0\nv 2 0 0\nv 0 1 0\nv 0 0 4\nf 1 2 3\nf 1 2 4\nf 1 3 4\nf 2 3 4\n"
)


def chunk(kind: int, body: bytes) -> bytes:
    return struct.pack("<HI", kind, len(body) + 6) + body


def three_ds(triangles: np.ndarray) -> bytes:
    flat = triangles.reshape(-1, 3).astype("<f4")
    faces = np.concatenate(
        [np.arange(len(flat)).reshape(-1, 3), np.zeros((len(triangles), 1))], axis=1
    ).astype("<u2")
    corners = chunk(0x4110, struct.pack("<H", len(flat)) + flat.tobytes())
    sides = chunk(0x4120, struct.pack("<H", len(triangles)) + faces.tobytes())
    named = chunk(0x4000, b"body\0" + chunk(0x4100, corners + sides))
    return chunk(0x4D4D, chunk(0x3D3D, named))


def test_meshes_of_every_kind_read_as_what_was_written() -> None:
    block = box((-0.5, -0.25, -1.0), (0.5, 0.25, 0.0))
    for data in (
        glb(block),
        three_ds(block),
        three_ds(block * 1000),
    ):  # a 3ds in millimetres is told by its size
        found = read_mesh(data, "x")
        flat = found.reshape(-1, 3)
        assert found.shape == (12, 3, 3) and np.ptp(flat, axis=0) == pytest.approx(
            (1.0, 0.5, 1.0), abs=1e-4
        )
    tall = read_mesh(OBJ, "x.obj")
    assert tall.shape == (4, 3, 3) and tall.reshape(-1, 3).max(axis=0) == pytest.approx((2, 1, 4))
    assert np.ptp(fitted(block, (0.3, 0.0, 2.0)).reshape(-1, 3), axis=0) == pytest.approx(
        (0.3, 0.5, 2.0)
    )


def test_heavy_meshes_keep_their_shape_with_few_triangles() -> None:
    steps = np.linspace(0, 2 * np.pi, 400)
    ring = np.stack([np.cos(steps), np.sin(steps)], axis=1)
    rows = []
    for z in np.linspace(0, 1, 40):
        for a, b in zip(ring[:-1], ring[1:], strict=True):
            rows.append([(*a, z), (*b, z), (*b, z + 0.025)])
    heavy = np.array(rows, np.float32)
    light = simplified(heavy, 900)
    assert len(heavy) > 15_000 and 20 < len(light) <= 900
    assert light.reshape(-1, 3).min(axis=0) == pytest.approx(
        heavy.reshape(-1, 3).min(axis=0), abs=0.2
    )
    assert simplified(light, 2000) is light


@pytest.mark.parametrize(
    "data",
    [
        b"",
        b"glTF" + bytes(60),
        b"MM" + bytes(80),
        b"solid x",
        b"v 0 0 0\nv 1 0 0\nv 0 1 0\n",
        b"v 0 0 0\nv 0 0 0\nv 0 0 0\nf 1 2 3\n",
        b"v nan 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n",
        b"v 1e30 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n",
    ],
)
def test_what_is_no_mesh_is_said_in_a_sentence(data: bytes) -> None:
    with pytest.raises(FileFault):
        read_mesh(data, "x")


def test_mangled_meshes_never_do_more_than_refuse() -> None:
    rng = random.Random(5)
    whole = [glb(box((0, 0, 0), (1, 1, 1))), three_ds(box((0, 0, 0), (1, 1, 1))), OBJ]
    began = time.monotonic()
    for turn in range(240):
        data = bytearray(rng.choice(whole))
        for _ in range(rng.randint(1, 12)):
            data[rng.randrange(len(data))] = rng.randrange(256)
        if turn % 3 == 0:
            del data[rng.randrange(len(data)) :]
        try:
            assert read_mesh(bytes(data), "x").shape[1:] == (3, 3)
        except FileFault as error:
            assert str(error)
    assert time.monotonic() - began < 60


# ---------------------------------------------------------------- beams


def posed(show: Show, live: Live, unit: str, how: Drawn = Drawn()):  # noqa: B008
    view = RigView(show, live.compiled)
    beams, made = view.pose(live.frame, how)
    rows = np.flatnonzero(beams.unit == view.rig.order.index(unit))
    return beams, rows, made


def test_iris_gobo_and_prism_are_read_from_the_slots_and_home_is_open() -> None:
    show = as_hung()
    live = Live(show)
    live.light_up(["u101"])
    beams, (row,), _ = posed(show, live, "u101")
    assert beams.iris[row] == 1 and beams.gobo[row] == -1 and np.isinf(beams.blades[row]).all()
    live.ask(
        {("u101", 0, "Iris"): 0.75, ("u101", 0, "Gobo1"): 60 / 255, ("u101", 0, "Gobo1Pos"): 0.25}
    )
    view = RigView(show, live.compiled)
    beams, (row,), _ = posed(show, live, "u101")
    assert (
        beams.iris[row] == pytest.approx(0.25, abs=0.01)
        and view.rig.gobos[beams.gobo[row]].name == "Ripples"
    )
    assert beams.turn[row] == pytest.approx(np.pi / 2, abs=1e-3)
    live.ask({("u101", 0, "Prism1"): 1.0})
    split, rows, _ = posed(show, live, "u101")
    assert len(rows) == 3 and split.rgb[rows].sum(axis=0) == pytest.approx(beams.rgb[row])
    middle = split.direction[rows].mean(axis=0)
    assert middle / np.linalg.norm(middle) == pytest.approx(beams.direction[row], abs=1e-3)
    apart = [
        np.degrees(np.arccos(split.direction[a] @ split.direction[b]))
        for a, b in ((rows[0], rows[1]), (rows[1], rows[2]), (rows[0], rows[2]))
    ]
    assert min(apart) > 3 and apart == pytest.approx([apart[0]] * 3)


def test_cells_are_drawn_each_averaged_or_as_a_pattern() -> None:
    show = as_hung()
    live = Live(show)
    live.light_up(["u301"])
    live.ask({("u301", 1, "ColorAdd_R"): 0.0, ("u301", 1, "ColorAdd_G"): 0.0})
    each, rows, _ = posed(show, live, "u301")
    one, (row,), _ = posed(show, live, "u301", Drawn(cells="averaged"))
    both, many, _ = posed(show, live, "u301", Drawn(cells="pattern"))
    assert (
        len(rows) == 6
        and one.rgb[row] == pytest.approx(each.rgb[rows].sum(axis=0))
        and one.origin[row] == pytest.approx(each.origin[rows].mean(axis=0))
    )
    assert sorted(both.kind[many]) == [1, 2, 2, 2, 2, 2, 2] and both.rgb[many][
        both.kind[many] == 2
    ] == pytest.approx(each.rgb[rows])
    off = replace(
        show, units=tuple(replace(u, beam_off=True) if u.id == "u301" else u for u in show.units)
    )
    hidden, rows, _ = posed(off, live, "u301")
    assert (hidden.kind[rows] == 2).all()  # its lenses glow, its beams are not drawn
    shown, rows, _ = posed(off, live, "u301", Drawn(hide_off=False))
    assert (shown.kind[rows] == 0).all()


def test_a_strobe_flashes_with_the_time_only_where_it_is_asked_to() -> None:
    show = as_hung()
    live = Live(show)
    live.light_up(["u101"])
    live.ask({("u101", 0, "Shutter1"): 130 / 255})
    still, (row,), _ = posed(show, live, "u101")
    moments = [
        posed(show, live, "u101", Drawn(flash=True, time=t / 200))[0].rgb[row].max()
        for t in range(60)
    ]
    assert still.rgb[row].max() > 0 and 0 < sum(m > 0 for m in moments) < 60


@given(st.integers(0, 10**6))
@settings(max_examples=10)
def test_a_gobo_of_its_name_is_always_the_same_and_round(seed: int) -> None:
    name = f"gobo {seed}"
    one = made_gobo(name)
    assert (
        one.shape == (GOBO_SIZE, GOBO_SIZE)
        and (one == made_gobo(name)).all()
        and one[0, 0] == 0 == one[-1, -1]
    )
    assert 0.03 < one.mean() / 255 < 0.95


def test_the_plate_of_a_gobo_is_its_mean_along_chords() -> None:
    half = np.zeros((GOBO_SIZE, GOBO_SIZE), np.uint8)
    half[:, GOBO_SIZE // 2 :] = 255  # the right half lets light through
    plate = radon(half).astype(float) / 255
    assert plate.shape == (ANGLES, OFFSETS)
    up = plate[ANGLES // 4]  # chords that go upwards: those to their left lie on the dark side
    assert up[-2] == 0 and up[1] == 1
    across = plate[0]
    assert across == pytest.approx(np.full(OFFSETS, 0.5), abs=0.06)
    even = radon(np.full((GOBO_SIZE, GOBO_SIZE), 200, np.uint8))
    assert (np.abs(even.astype(int) - 200) <= 1).all()


def test_bodies_come_from_their_files_or_are_made_and_gobos_have_pictures() -> None:
    show = as_hung()
    rig = RigView(show, Live(show).compiled).rig
    made = bodies(show, rig)
    assert len(made) == len(rig.meshes) and all(b.ndim == 3 and len(b) >= 12 for b in made)
    plates = gobos(show, rig)
    assert {k.name for k in rig.gobos} == {"Net", "Ripples", "Shingle", "Gull wings"} and all(
        p.shape == (GOBO_SIZE, GOBO_SIZE) for p in plates
    )
    _, _, parts = posed(show, Live(show), "u101", Drawn(bodies="boxes"))
    assert set(np.unique(parts.shape)) == {0}


# ---------------------------------------------------------------- pictures


SIZE = (240, 240)


@pytest.fixture(scope="module")
def renderer() -> Renderer:
    return Renderer(standalone_context())


def pool(renderer: Renderer, wanted: dict, kind: str = "deck") -> np.ndarray:
    """The pool of one head on a floor seen from straight above, without haze: (rows, columns) of brightness."""
    show = replace(
        as_hung(),
        structures=(Structure(id="d", kind=kind, position=(0, 0, -0.1), size=(12, 12, 0.2)),),
    )
    units = tuple(
        replace(u, position=(0.0, 0.0, 5.0), structure="") for u in show.units if u.id == "u101"
    )
    show = replace(show, units=units)
    live = Live(show)
    live.light_up(["u101"])
    live.ask({("u101", 0, name): value for name, value in wanted.items()})
    view = RigView(show, live.compiled)
    beams, made = view.pose(live.frame)
    renderer.set_scene(scene_of(show, view.rig))
    camera = Camera(target=(0, 0, 0), distance=24, height=89, fov=15)
    renderer.render(
        SIZE,
        camera,
        beams,
        made,
        np.full((1, 3), 0.0),
        drawn_as(haze=0.0, room=0.0, coarse=1, samples=0),
    )
    out = bytearray(SIZE[0] * SIZE[1] * 4)
    renderer.read_into(out)
    return (
        np.frombuffer(bytes(out), np.uint8)
        .reshape(SIZE[1], SIZE[0], 4)[:, :, :3]
        .astype(float)
        .mean(axis=2)
    )


def test_a_pool_shrinks_with_the_iris_and_carries_the_gobo_turned(renderer: Renderer) -> None:
    open_ = pool(renderer, {"Zoom": 0.2})
    closed = pool(renderer, {"Zoom": 0.2, "Iris": 0.5})
    area = lambda p: int((p > 20).sum())  # noqa: E731
    assert area(open_) > 1000 and area(closed) / area(open_) == pytest.approx(0.25, abs=0.12)
    net = pool(renderer, {"Zoom": 0.2, "Gobo1": 60 / 255})
    inside = (open_ > 60) & (
        np.hypot(*(np.indices(SIZE) - 120)) > 14
    )  # the unit itself hangs in the middle
    assert (net[inside] < open_[inside] - 40).mean() > 0.1 and (
        net[inside] > open_[inside] - 15
    ).mean() > 0.1  # some of it dark, some as bright
    turned = pool(renderer, {"Zoom": 0.2, "Gobo1": 60 / 255, "Gobo1Pos": 0.25})
    straight, back = net[inside], np.rot90(turned, 1)[inside]
    other = np.rot90(turned, -1)[inside]
    agree = max(np.corrcoef(straight, back)[0, 1], np.corrcoef(straight, other)[0, 1])
    assert agree > 0.75 > np.corrcoef(net[inside], turned[inside])[0, 1] + 0.1


def test_light_falls_off_as_it_is_told_and_stray_lamps_hang_in_clear_air(
    renderer: Renderer,
) -> None:
    show = as_hung()
    live = Live(show)
    live.light_up(["u214"])
    view = RigView(show, live.compiled)
    beams, made = view.pose(live.frame)
    renderer.set_scene(scene_of(show, view.rig))
    camera = Camera(target=(0, 0, 3.4), distance=26, height=0.5, fov=34)

    def column(look: Look) -> np.ndarray:
        renderer.render(
            (320, 200), camera, beams, made, np.full((len(view.rig.order), 3), 0.1), look
        )
        out = bytearray(320 * 200 * 4)
        renderer.read_into(out)
        picture = (
            np.frombuffer(bytes(out), np.uint8)
            .reshape(200, 320, 4)[:, :, :3]
            .astype(float)
            .sum(axis=2)
        )
        place = next(u.position for u in show.units if u.id == "u214")
        points, _ = camera.project(
            np.array([[place[0], place[1], z] for z in (5.2, 1.5)]), 320, 200
        )
        return np.array([picture[int(y), int(x)] for x, y in points])

    looks = {fall: column(drawn_as(uneven=0.0, fall=fall)) for fall in ("true", "gentle", "none")}
    share = {fall: low / high for fall, (high, low) in looks.items()}
    assert share["true"] < share["gentle"] < share["none"]
    nowhere = ((100.0, 100.0, 0.0), (110.0, 110.0, 9.0))
    clear = column(drawn_as(nowhere, uneven=0.0))
    assert clear.sum() < 0.5 * looks["true"].sum()
