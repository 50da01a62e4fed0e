"""Light by figures: held to cases worked out by hand, to laws of optics and to a slow independent calculating."""

from __future__ import annotations

import io
import math
import zipfile
from xml.etree import ElementTree

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from msgspec.structs import replace
from scipy.integrate import quad

from helpers.lights import beams
from helpers.tools import answer, command
from isthmus.demo import as_hung, shipped_profiles
from isthmus.output import Live, RigView
from isthmus.profiles.store import read_stored
from isthmus.show.records import Patched, Show, StoredProfile, Unit
from isthmus.stage import Drawn
from isthmus.stage.landing import surfaces
from isthmus.stage.photometry import axial_intensity, contributions, illuminance, over, shape_of
from isthmus.stage.rig import FLUX_UNIT, Beams
from isthmus.stage.transforms import quat_about


def test_half_is_left_at_the_beam_angle_and_a_tenth_at_the_field_angle() -> None:
    one = beams({"at": (0, 0, 6), "beam": 18.0, "field": 30.0})
    straight, at_beam, at_field = illuminance(
        one,
        [[0, 0, 0], [6 * math.tan(math.radians(9)), 0, 0], [0, 6 * math.tan(math.radians(15)), 0]],
    )
    # intensities, from the lux by E = I·cosα/d², worked back by hand
    intensity = lambda lux, degrees: (  # noqa: E731
        lux * (6 / math.cos(math.radians(degrees))) ** 2 / math.cos(math.radians(degrees))
    )
    assert intensity(at_beam, 9) / intensity(straight, 0) == pytest.approx(0.5, rel=1e-6)
    assert intensity(at_field, 15) / intensity(straight, 0) == pytest.approx(0.1, rel=1e-6)


def test_a_hard_beam_is_the_plain_cone_sum_of_schoolbooks() -> None:
    # 10 000 lm evenly into a cone of 20°: Ω = 2π(1 − cos 10°) = 0.09546 sr, I = 104 755 cd; at 5 m E = I/25 = 4190 lx
    one = beams({"at": (0, 0, 5), "lumens": 10_000.0, "beam": 19.99, "field": 20.0})
    assert illuminance(one, [[0, 0, 0]])[0] == pytest.approx(
        10_000 / (2 * math.pi * (1 - math.cos(math.radians(10)))) / 25, rel=0.04
    )


def test_inverse_square_cosine_and_sum() -> None:
    near, far = beams({"at": (0, 0, 3)}), beams({"at": (0, 0, 6)})
    assert illuminance(near, [[0, 0, 0]])[0] == pytest.approx(4 * illuminance(far, [[0, 0, 0]])[0])
    tipped = illuminance(
        far, [[0, 0, 0]], (math.sin(math.radians(60)), 0, math.cos(math.radians(60)))
    )[0]
    assert tipped == pytest.approx(0.5 * illuminance(far, [[0, 0, 0]])[0])
    assert (
        illuminance(far, [[0, 0, 0]], (0, 0, -1))[0] == 0 and illuminance(far, [[0, 0, 7]])[0] == 0
    )  # from behind, and behind the lens
    both = beams({"at": (0, 0, 3)}, {"at": (1, 0, 4), "lumens": 500.0})
    each = contributions(both, [[0.2, 0.1, 0]])[0]
    assert illuminance(both, [[0.2, 0.1, 0]])[0] == pytest.approx(each.sum()) and (each > 0).all()


@given(st.floats(3, 60), st.floats(0.3, 0.97), st.floats(100, 50_000))
@settings(max_examples=8)
def test_all_lumens_arrive(field: float, share: float, lumens: float) -> None:
    half, edge = math.tan(math.radians(field * share / 2)), math.tan(math.radians(field / 2))
    t, p = shape_of(np.array([half]), np.array([edge]))
    candela = float(axial_intensity(np.array([lumens]), t, p)[0])
    whole, _ = quad(
        lambda a: (
            candela
            * math.exp(-math.log(2) * (math.tan(a) / t[0]) ** p[0])
            * 2
            * math.pi
            * math.sin(a)
        ),
        0,
        math.radians(89),
        limit=400,
        points=[math.atan(edge), math.atan(half)],
    )
    assert whole == pytest.approx(lumens, rel=2e-3)


def test_iris_and_blades_cut_straight_and_leave_the_rest_as_it_is() -> None:
    open_, closed = (
        beams({"at": (0, 0, 5), "field": 30.0, "beam": 24.0}),
        beams({"at": (0, 0, 5), "field": 30.0, "beam": 24.0, "iris": 0.5}),
    )
    edge = 5 * math.tan(math.radians(15))
    inside, outside = [0.45 * edge, 0, 0], [0.55 * edge, 0, 0]
    assert (
        illuminance(closed, [inside])[0] == illuminance(open_, [inside])[0] > 0
        and illuminance(closed, [outside])[0] == 0
    )
    framed = beams(
        {"at": (0, 0, 5), "field": 30.0, "beam": 24.0, "blades": [(0.3, 0.0)]}
    )  # a cut 0.3 of the field to the right
    for x in np.linspace(-0.9, 0.9, 19):
        for y in (-0.4, 0.0, 0.4):
            lux = illuminance(framed, [[x * edge, y * edge, 0]])[0]
            whole = illuminance(open_, [[x * edge, y * edge, 0]])[0]
            assert lux == (whole if x <= 0.3 else 0)
    slanted = beams(
        {"at": (0, 0, 5), "field": 30.0, "blades": [(0.0, math.radians(90))]}
    )  # half of it, from above
    assert illuminance(slanted, [[0, 0.3, 0]])[0] == 0 < illuminance(slanted, [[0, -0.3, 0]])[0]


def slow(b: Beams, point: np.ndarray, normal: np.ndarray) -> float:
    """The same law written out for one point and one beam after another, with angles instead of tangents."""
    total = 0.0
    for i in range(len(b.tan)):
        to = point - b.origin[i]
        distance = float(np.linalg.norm(to))
        cosine = float(to @ b.direction[i]) / distance
        facing = float(-to @ normal) / distance
        if cosine <= 0 or facing <= 0:
            continue
        p = math.log(math.log(10) / math.log(2)) / math.log(b.tan[i] / b.half[i])
        t = b.tan[i] / (math.log(10) / math.log(2)) ** (1 / p)
        lumen = float(b.rgb[i] @ [0.2126729, 0.7151522, 0.0721750]) * FLUX_UNIT
        sharp = lambda a, t=t, p=p: math.exp(-math.log(2) * (math.tan(a) / t) ** p)  # noqa: E731
        whole = (
            2
            * math.pi
            * quad(lambda a, f=sharp: f(a) * math.sin(a), 0, math.radians(80), limit=300)[0]
        )
        total += lumen / whole * sharp(math.acos(cosine)) * facing / distance**2
    return total


def test_the_demo_is_reckoned_as_by_hand_and_the_command_says_the_same() -> None:
    show = as_hung()
    live = Live(show)
    live.light_up(["u101", "u405", "u213"])
    view = RigView(show, live.compiled)
    b, _ = view.pose(live.frame, Drawn(hide_off=False))
    for point in ([-8.2, 1.2, 0.0], [1.9, 1.5, 0.0], [-3.2, 1.0, 0.0], [0, 0, 0]):
        assert illuminance(b, [point])[0] == pytest.approx(
            slow(b, np.array(point), np.array([0, 0, 1.0])), rel=5e-3, abs=1e-2
        )
    barge = next(s for s in surfaces(show.structures) if s.name == "Barge")
    grid = over(b, barge, 31, 17)
    assert (
        grid.shape == (17, 31)
        and grid[0, 0] == pytest.approx(illuminance(b, [[-9, -4.5, 0.001]])[0])
        and (grid >= 0).all()
    )
    assert grid[-1, 3] == pytest.approx(illuminance(b, [[-9 + 18 * 3 / 30, 4.5, 0.001]])[0])
    slanted = replace(show.structures[0], rotation=quat_about((0.0, 0.0, 1.0), 90.0))
    (aside, _) = surfaces([slanted])
    assert over(b, aside, 2, 2)[0, 0] == pytest.approx(
        illuminance(b, [[4.5, -9, 0.001]])[0]
    )  # a deck that is turned
    front = next(s for s in surfaces(show.structures) if s.name == "Boathouse front")
    assert over(b, front, 3, 3).shape == (3, 3) and over(b, front, 3, 3).max() > 0
    code, said = answer("stage", "lux", "demo", "--units", "101,405,213", "--at", "-8.2,1.2,0")
    assert (
        code == 0
        and said["lux"] == pytest.approx(illuminance(b, [[-8.2, 1.2, 0]])[0], rel=0.02)
        and said["units"][0]["unit"] == 101
    )
    code, deck = answer("stage", "lux", "demo", "--units", "101", "--over", "Barge", "--grid", "12")
    assert code == 0 and deck["low"] <= deck["mean"] <= deck["high"] and len(deck["grid"]) == 12
    assert (
        "No surface" in command("stage", "lux", "demo", "--over", "Moon").stderr
        and command("stage", "lux", "demo").returncode == 3
    )


def test_nothing_lit_is_dark_and_near_a_lens_the_law_stops() -> None:
    dark = beams({"lumens": 0.0, "at": (0, 0, 3)})
    assert illuminance(dark, [[0, 0, 0]])[0] == 0 and illuminance(dark, np.zeros((0, 3))).shape == (
        0,
    )
    one = beams({"at": (0, 0, 0.1)})
    assert illuminance(one, [[0, 0, 0.0]])[0] < 1000 * 1000  # not without end


def _written(stored: StoredProfile) -> tuple[float, ...] | None:
    """Beam angle, field angle and lumens of the first mode's lights in a file, by a plain reader of XML."""
    with zipfile.ZipFile(io.BytesIO(stored.data)) as archive:
        root = ElementTree.fromstring(archive.read("description.xml"))
    top = root.find(".//DMXMode").get("Geometry")
    tree = root.find(f".//Geometries/*[@Name='{top}']")
    parts = {r.get("Geometry") for r in tree.iter("GeometryReference")}
    said = {
        tuple(float(b.get(name, otherwise)) for name, otherwise in ANGLES_AND_LUMENS)
        for where in [tree, *(root.find(f".//Geometries/*[@Name='{p}']") for p in parts)]
        for b in where.iter("Beam")
    }
    return said.pop() if said else None


ANGLES_AND_LUMENS = (("BeamAngle", "25"), ("FieldAngle", "25"), ("LuminousFlux", "10000"))


def _quadrature(beam: float, field: float, flux: float):
    """Candela by the angle from the axis: what is half at the beam angle and a tenth at the field angle of a curve
    exp(-k·tanᵖ), its constant from the lumens by adaptive quadrature. Nothing is taken from the application."""
    a, b = math.tan(math.radians(beam / 2)), math.tan(math.radians(field / 2))
    p = math.log(math.log(10) / math.log(2)) / math.log(b / a)
    k = math.log(2) / a**p
    curve = lambda angle: math.exp(-k * math.tan(angle) ** p)  # noqa: E731
    edges = [math.atan(a), math.atan(b)]
    whole, _ = quad(
        lambda x: curve(x) * 2 * math.pi * math.sin(x),
        0,
        math.pi / 2 - 1e-9,
        points=edges,
        limit=500,
    )
    return lambda angle: flux * curve(angle) / whole


@pytest.mark.parametrize("stored", shipped_profiles(), ids=lambda s: s.key)
def test_every_shipped_light_gives_what_its_angles_and_lumens_say(stored: StoredProfile) -> None:
    """Near and far, on the axis and off it, on faces that lie, stand and lean; and all of its lumens arrive."""
    written, profile = _written(stored), read_stored(stored)
    unit = Unit(
        id="u", number=1, profile=stored.key, mode=profile.modes[0].name,
        patch=(Patched(universe=1, address=1),), position=(1.0, -2.0, 6.0),
    )  # fmt: skip
    show = Show(profiles=(stored,), units=(unit,))
    live = Live(show)
    live.light_up(["u"])
    lights, _ = RigView(show, live.compiled).pose(live.frame, Drawn(hide_off=False))
    if written is None or not len(lights.tan):
        assert written is None and not len(lights.tan)
        return
    beam, field, flux = written
    now = 2 * math.degrees(math.atan(lights.tan[0]))  # where a zoom stands; both angles go with it
    candela = _quadrature(beam * now / field, now, flux)
    origin, axis = lights.origin[0], lights.direction[0]
    across = np.cross(axis, [0.0, 1.0, 0.3])
    across /= np.linalg.norm(across)
    for share in (0.0, 0.4, 0.8, 1.0, 1.3):
        angle = math.radians(now / 2) * share
        way = math.cos(angle) * axis + math.sin(angle) * across
        for far in (0.8, 6.0, 40.0):
            for normal in (-axis, -way, np.array([0.6, -0.48, 0.64])):
                lux = contributions(lights, [origin + far * way], normal)[0, 0]
                meant = candela(angle) * max(0.0, float(-way @ normal)) / far**2
                assert lux == pytest.approx(meant, rel=2e-3, abs=1e-6)
    nodes, weights = np.polynomial.legendre.leggauss(200)
    angles = math.pi / 4 * (nodes + 1)
    ways = np.cos(angles)[:, None] * axis + np.sin(angles)[:, None] * across
    around = contributions(lights, origin + ways, -ways)[:, 0]  # on a sphere of one metre
    assert (around * 2 * math.pi * np.sin(angles) * weights).sum() * math.pi / 4 == pytest.approx(
        flux, rel=0.01
    )
