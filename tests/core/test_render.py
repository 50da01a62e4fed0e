"""The picture of the stage: drawn headless, by properties of light rather than by stored pictures."""

from __future__ import annotations

import os
import signal

import numpy as np
import psutil
import pytest
from msgspec.structs import replace

from helpers.lights import drawn_as
from helpers.tools import until
from isthmus.demo import as_hung
from isthmus.output import Live, RigView
from isthmus.render import Look, Picture, RenderClient, Request, scene_of
from isthmus.render.packing import pack_beams, planes_of, pool_rows
from isthmus.render.process import paced
from isthmus.render.renderer import Renderer, standalone_context
from isthmus.show.records import Show, Structure
from isthmus.stage import Camera

SIZE = (320, 200)
TOP = Camera(target=(0, 0, 0), distance=24, height=89)


@pytest.fixture(scope="module")
def renderer() -> Renderer:
    return Renderer(standalone_context())


def picture(renderer: Renderer, live: Live, camera: Camera, look: Look) -> np.ndarray:
    view = RigView(live.show, live.compiled)
    beams, bodies = view.pose(live.frame)
    renderer.set_scene(scene_of(live.show, view.rig))
    renderer.render(SIZE, camera, beams, bodies, np.full((len(view.rig.order), 3), 0.17), look)
    out = bytearray(SIZE[0] * SIZE[1] * 4)
    renderer.read_into(out)
    return np.frombuffer(bytes(out), np.uint8).reshape(SIZE[1], SIZE[0], 4)[:, :, :3].astype(int)


def test_light_shows_where_the_beam_goes_in_its_colour_and_nowhere_else(renderer: Renderer) -> None:
    show = as_hung()
    dark, lit = Live(show), Live(show)
    lit.light_up(["u211"])  # on the bridge, hung, straight down on the deck
    lit.set_colour(["u211"], np.array([1.0, 0.0, 0.0]))
    look = drawn_as(uneven=0.0, coarse=2)
    gain = picture(renderer, lit, TOP, look) - picture(renderer, dark, TOP, look)
    bright = np.argwhere(gain[:, :, 0] > 60)
    assert len(bright) > 10 and gain[:, :, 0].max() > 2 * gain[:, :, 2].max()
    place = next(u.position for u in show.units if u.id == "u211")
    assert place
    (x, y), _ = (a[0] for a in TOP.project(np.array([[place[0], place[1], 0.0]]), *SIZE))
    centre = bright.mean(axis=0)
    assert abs(centre[1] - x) < 10 and abs(centre[0] - y) < 10
    far = np.hypot(*(np.indices(SIZE[::-1]) - np.array([[[y]], [[x]]])))
    assert gain[far > 90].max() < 12


def test_haze_shows_the_beam_from_the_side_and_none_hides_it(renderer: Renderer) -> None:
    live = Live(as_hung())
    live.light_up(["u214"])
    camera = Camera(target=(0, 0, 3.4), distance=26, height=0.5, fov=34)
    still = picture(renderer, Live(as_hung()), camera, drawn_as())
    hazy, clear = (
        picture(renderer, live, camera, drawn_as(haze=h, uneven=0.0)) - still for h in (1.0, 0.0)
    )
    place = next(u.position for u in live.show.units if u.id == "u214")
    assert place
    points, _ = camera.project(
        np.array([[place[0], place[1], z] for z in (2.0, 3.0, 4.0, 5.0)]), *SIZE
    )
    along = [(int(y), int(x)) for x, y in points]
    assert min(hazy[at].sum() for at in along) > 40 > 3 * max(clear[at].sum() for at in along)
    assert picture(renderer, live, camera, drawn_as(strength=0.0)).sum() == pytest.approx(
        still.sum(), rel=0.02
    )


def test_a_balcony_keeps_haze_and_deck_below_it_dark_and_a_unit_in_a_beam_is_lit(
    renderer: Renderer,
) -> None:
    show = as_hung()
    camera, look = Camera(target=(0, 0, 2), distance=24, height=9), drawn_as(uneven=0.0, coarse=2)
    x, y, _ = next(u.position for u in show.units if u.position and u.id == "u211")
    balcony = Structure(
        id="b", kind="deck", name="Balcony", position=(x, y, 2.6), size=(5.0, 2.0, 0.2)
    )
    built = replace(show, structures=(*show.structures, balcony))
    points = np.array([[x, y, 0.0], [x, y, 1.2], [x, y, 4.2]])  # the deck, haze below and above

    def gain(of: Show, lit: str, at: np.ndarray) -> list[int]:
        bright, dark = Live(of), Live(of)
        bright.light_up([lit])
        both = [picture(renderer, live, camera, look).sum(axis=2) for live in (bright, dark)]
        places, _ = camera.project(at, *SIZE)
        return [int((both[0] - both[1])[int(py), int(px)]) for px, py in places]

    free, built_over = gain(show, "u211", points), gain(built, "u211", points)
    assert min(free) > 20
    assert built_over[0] == 0 and built_over[1] < 0.2 * free[1] and built_over[2] > 0.8 * free[2]
    # a unit that stands in the beam is brighter, its neighbour aside is not
    for aside, lit in ((0.0, True), (4.0, False)):
        stood = replace(
            show,
            units=tuple(
                replace(u, position=(x + aside, y, 1.0)) if u.id == "u501" else u
                for u in show.units
            ),
        )
        with_haze_off = drawn_as(uneven=0.0, coarse=2, haze=0.0)
        bright, dark = Live(stood), Live(stood)
        bright.light_up(["u211"])
        shots = [picture(renderer, live, camera, with_haze_off) for live in (bright, dark)]
        (place,), _ = camera.project(np.array([[x + aside, y, 1.0]]), *SIZE)
        near = (shots[0] - shots[1])[int(place[1]) - 2 : int(place[1]) + 3, int(place[0])]
        assert (near.max() > 6) == lit, (aside, near.max())


def test_pools_stay_on_their_plane_and_the_deck_shades_the_water() -> None:
    show = as_hung()
    live = Live(show)
    live.light_up([u.id for u in show.units])
    beams, _ = RigView(show, live.compiled).pose(live.frame)
    packed = pack_beams(beams)
    deck = (-9.0, 9.0, -4.5, 4.5)
    for plane in planes_of(show.structures):
        rows = pool_rows(packed, plane, deck)
        assert (
            (rows[:, 36:] >= -1).all()
            and (rows[:, 36:] <= 1).all()
            and (rows[:, 36] < rows[:, 37]).all()
        )
    water = pool_rows(packed, planes_of(show.structures)[-1], deck)
    assert len(water) < len(pool_rows(packed, planes_of(show.structures)[-1], (0, 0, 0, 0)))


def test_the_render_process_answers_comes_back_when_killed_and_gives_up_in_words() -> None:
    show = as_hung()
    view = RigView(show, Live(show).compiled)
    beams, bodies = view.pose(Live(show).frame)
    client = RenderClient()
    client.start()
    try:
        assert client.wait(20) == "ready"
        request = Request(
            SIZE,
            TOP,
            beams,
            bodies,
            np.full((len(view.rig.order), 3), 0.2),
            drawn_as(),
            scene_of(show, view.rig),
        )
        assert client.ask(request) and not client.ask(request)  # one at a time
        news = client.wait(20)
        assert isinstance(news, Picture) and (news.width, news.height) == SIZE
        assert max(client.pixels(news)) > 10
        assert not client.ask(Request((99999, 99999), TOP, beams, bodies, request.tint, drawn_as()))
        for turn in ("restarted", "restarted", "failed"):
            os.kill(client.pid, signal.SIGKILL)
            assert until(lambda t=turn: client.poll() == t, 5)
        assert client.failure
    finally:
        client.stop()


def test_a_window_pulled_to_and_fro_leaves_nothing_on_the_card(renderer: Renderer) -> None:
    """Every size has its own buffers; those of the last are given back."""
    show = as_hung()
    view = RigView(show, Live(show).compiled)
    beams, bodies = view.pose(Live(show).frame)
    tint = np.full((len(view.rig.order), 3), 0.2)
    renderer.set_scene(scene_of(show, view.rig))

    def pulled(times: int) -> int:
        for at in range(times):
            size = (240 + 8 * (at % 40), 160 + 8 * (at % 25))
            renderer.render(size, TOP, beams, bodies, tint, drawn_as())
            renderer.read_into(bytearray(size[0] * size[1] * 4))
        return psutil.Process().memory_info().rss >> 20

    before = pulled(25)
    assert pulled(80) - before < 40  # 80 that stayed would take some hundreds


def test_without_a_driver_the_failure_is_told(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("__EGL_VENDOR_LIBRARY_FILENAMES", "/nowhere.json")
    client = RenderClient()
    client.start()
    try:
        assert until(lambda: client.wait(1) == "failed", 20) and client.failure
    finally:
        client.stop()


def test_the_pace_follows_the_time_a_picture_takes() -> None:
    assert [
        paced(2, 2, 50, 25),
        paced(5, 2, 90, 25),
        paced(4, 2, 5, 25),
        paced(2, 2, 5, 25),
        paced(3, 2, 25, 25),
    ] == [3, 5, 3, 2, 3]
    assert paced(4, 2, 500, 0) == 2  # nothing is to be held: as it was chosen
