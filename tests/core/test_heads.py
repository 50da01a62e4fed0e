"""Units of several heads: each head is one by itself in light, aim, acts and verdicts. The judge reads
the profile's XML on its own and turns its geometry by SciPy's rotations."""

from __future__ import annotations

import io
import zipfile
from pathlib import Path

import numpy as np
import pytest
from hypothesis import Phase, given, settings
from hypothesis import strategies as st
from scipy.spatial.transform import Rotation

from helpers.geometry import Judge
from isthmus.check.acts import COLOUR, MOVEMENT, acts_of
from isthmus.check.safe import dangers, safe_level
from isthmus.check.sights import Sights, ways_wrong
from isthmus.output import Live, RigView
from isthmus.output.aiming import aim_units, in_words
from isthmus.profiles import light_program
from isthmus.profiles.gdtf import read_gdtf
from isthmus.profiles.light import LightProgram
from isthmus.show.records import Patched, Show, StoredProfile, Unit
from isthmus.stage.rig import Drawn

SHIPPED = Path(__file__).parents[2] / "src/isthmus/library/shipped"


def _at(x: float, y: float, z: float, turned: float = 0.0) -> str:
    c, s = (1, 0) if not turned else (np.cos(np.radians(turned)), np.sin(np.radians(turned)))
    return f"{{{c},{-s},0,{x}}}{{{s},{c},0,{y}}}{{0,0,1,{z}}}{{0,0,0,1}}"


def _channel(geometry: str, attribute: str, offset: str, low: float, high: float) -> str:
    turns = attribute in ("Pan", "Tilt")
    lit = "" if turns else 'Highlight="255/1"'
    return (
        f'<DMXChannel DMXBreak="1" Offset="{offset}" Geometry="{geometry}" {lit}><LogicalChannel Attribute="{attribute}">'
        f'<ChannelFunction Attribute="{attribute}" DMXFrom="0/1" Default="{"32768/2" if turns else "0/1"}" '
        f'PhysicalFrom="{low}" PhysicalTo="{high}"/></LogicalChannel></DMXChannel>'
    )


def _axis(name: str, at: str, inner: str) -> str:
    return f'<Axis Name="{name}" Position="{at}">{inner}</Axis>'


def _gdtf(geometries: str, channels: str) -> bytes:
    attributes = "".join(
        f'<Attribute Name="{a}" Pretty="{a}" Feature="F.F"/>' for a in ("Pan", "Tilt", "Dimmer")
    )
    text = (
        f'<GDTF DataVersion="1.2"><FixtureType Name="Crossjack" Manufacturer="Reed and Oar" FixtureTypeID="6C0F6E5E-4C0D-4F4B-9B25-000000000001">'
        f'<AttributeDefinitions><FeatureGroups><FeatureGroup Name="F"><Feature Name="F"/></FeatureGroup></FeatureGroups><Attributes>{attributes}</Attributes></AttributeDefinitions>'
        f'<Geometries>{geometries}</Geometries><DMXModes><DMXMode Name="Heads" Geometry="Base"><DMXChannels>{channels}</DMXChannels></DMXMode></DMXModes></FixtureType></GDTF>'
    )
    data = io.BytesIO()
    with zipfile.ZipFile(data, "w") as archive:
        archive.writestr("description.xml", text)
    return data.getvalue()


def _beam(name: str) -> str:
    return f'<Beam Name="{name}" Position="{_at(0.01, 0.03, -0.12)}" BeamAngle="6" FieldAngle="8" LuminousFlux="900"/>'


def _side_by_side() -> bytes:
    """Three heads drawn as geometries of their own, no two alike, a dimmer each and one above all."""
    heads, channels = "", _channel("Base", "Dimmer", "1", 0, 1)
    for n in (1, 2, 3):
        tilt = _axis(f"Tilt {n}", _at(0, 0.02 * n, -0.1), _beam(f"Lens {n}"))
        heads += _axis(f"Yoke {n}", _at(0.4 * n - 0.8, 0, -0.05, 30.0 * n), tilt)
        first = 5 * n - 3
        channels += _channel(f"Yoke {n}", "Pan", f"{first},{first + 1}", -200 - n, 200)
        channels += _channel(f"Tilt {n}", "Tilt", f"{first + 2},{first + 3}", 100 + n, -100)
        channels += _channel(f"Lens {n}", "Dimmer", f"{first + 4}", 0, 1)
    return _gdtf(f'<Geometry Name="Base" Position="{_at(0, 0, 0)}">{heads}</Geometry>', channels)


def _shared_pan() -> bytes:
    """A batten that pans as a whole; each of its three lenses tilts by itself."""
    lenses = "".join(
        _axis(f"Tilt {n}", _at(0.3 * n - 0.6, 0, -0.1), _beam(f"Lens {n}")) for n in (1, 2, 3)
    )
    channels = _channel("Yoke", "Pan", "1,2", -180, 180) + "".join(
        _channel(f"Tilt {n}", "Tilt", f"{2 * n + 1},{2 * n + 2}", -110, 110) for n in (1, 2, 3)
    )
    yoke = _axis("Yoke", _at(0, 0, -0.1), lenses)
    return _gdtf(f'<Geometry Name="Base" Position="{_at(0, 0, 0)}">{yoke}</Geometry>', channels)


RIGS = {
    "side by side": _side_by_side,
    "shared pan": _shared_pan,
    "referred to": (SHIPPED / "Oakum and Pitch@Glint 6 Bar.gdtf").read_bytes,
}


def _rig(
    kind: str, turned: tuple[float, ...] = (0.0, 0.0, 0.0)
) -> tuple[bytes, LightProgram, Show]:
    """The file, its mode, and a show of one unit, turned by degrees about x, y and z."""
    data = RIGS[kind]()
    program, show = _shown(data, turned)
    return data, program, show


def _shown(data: bytes, turned: tuple[float, ...] = (0.0, 0.0, 0.0)) -> tuple[LightProgram, Show]:
    profile = read_gdtf(data, "a.gdtf")
    unit = Unit(
        id="u401",
        number=401,
        profile="bar",
        mode="Heads",
        patch=(Patched(universe=1, address=1),),
        position=(0.5, -1.0, 5.0),
        rotation=tuple(Rotation.from_euler("xyz", turned, degrees=True).as_quat()[[3, 0, 1, 2]]),
    )
    show = Show(profiles=(StoredProfile(key="bar", file="a.gdtf", data=data),), units=(unit,))
    mode = profile.mode("Heads")
    assert mode
    return light_program(profile, mode), show


@pytest.mark.parametrize("kind", RIGS)
def test_each_head_of_a_bar_meets_the_point_by_its_own_geometry(kind: str) -> None:
    data = RIGS[kind]()
    judge = Judge(data, "Heads")

    @given(
        st.tuples(st.floats(-4, 4), st.floats(-4, 2), st.floats(0, 1.5)),
        st.tuples(st.floats(-20, 20), st.floats(-20, 20), st.floats(-180, 180)),
    )
    @settings(max_examples=8, deadline=None, phases=(Phase.generate,))
    def holds(target: tuple, turned: tuple) -> None:
        program, show = _shown(data, turned)
        live = Live(show)
        asked, answers = aim_units(live, ["u401"], target)
        live.ask(asked)
        view = RigView(show, live.compiled)
        posed, _ = view.pose(live.frame, Drawn(hide_off=False))
        base = view.rig.groups[0].base[0]
        beams = judge.beams(live.frame[: program.width], base)
        assert len(beams) == len(answers) == len(posed.origin)
        assert [a.head for a in answers] == [n + 1 for n in range(len(beams))]
        for (origin, way), answer, row in zip(beams, answers, range(len(beams)), strict=True):
            assert posed.origin[row] == pytest.approx(origin, abs=1e-6)
            assert posed.direction[row] == pytest.approx(way, abs=1e-6)
            beside = float(np.linalg.norm(np.cross(np.array(target) - origin, way)))
            assert beside == pytest.approx(answer.miss, abs=1e-4) or not answer.reached
            if kind != "shared pan" or row == 1:  # the middle one turns what they share
                # this bar hears 8 bits: half a step of pan and tilt, at 8 m
                assert answer.reached and beside < (0.15 if kind == "referred to" else 0.003)

    holds()


def test_a_shared_pan_turns_once_and_who_cannot_follow_is_told() -> None:
    live = Live(_rig("shared pan")[2])
    asked, answers = aim_units(live, ["u401"], (0.5, 0.0, 0.0))  # straight ahead of the middle
    assert len([key for key in asked if key[2] == "Pan"]) == 1
    assert [a.reached for a in answers] == [False, True, False]
    assert in_words(answers).startswith("1 of 3 beams meet there. 401 head 1, 401 head 3: out")
    # across the bar all lie in one plane with the point: all reach it
    asked, answers = aim_units(live, ["u401"], (2.5, -1.0, 0.0))
    live.ask(asked)
    assert all(a.reached for a in answers) or [a.miss < 0.35 for a in answers]


@pytest.mark.parametrize("kind", ["side by side", "referred to"])
def test_turning_one_head_turns_that_one_and_its_light_is_its_own(kind: str) -> None:
    data, program, show = _rig(kind)
    judge = Judge(data, "Heads")
    live = Live(show)
    view = RigView(show, live.compiled)
    base = view.rig.groups[0].base[0]
    live.light_up(["u401"])
    before = judge.beams(live.frame[: program.width], base)
    cell = program.assembly.beams[1].cell
    live.ask({("u401", cell, "Tilt"): 0.7, ("u401", cell, "Dimmer"): 0.0})
    after = judge.beams(live.frame[: program.width], base)
    posed, _ = view.pose(live.frame, Drawn(hide_off=False))
    for row, ((_, was), (_, now)) in enumerate(zip(before, after, strict=True)):
        assert np.allclose(was, now) == (row != 1), row
        assert posed.direction[row] == pytest.approx(now, abs=1e-6)
    lit = posed.rgb.max(axis=1) > 0.001
    dims = any(c.attribute == "Dimmer" and c.cell == cell for c in program.chart.channels)
    assert lit.tolist() == [row != 1 or not dims for row in range(len(before))]


def test_a_roll_call_moves_one_head_after_the_other_and_a_stuck_one_is_seen() -> None:
    data, program, show = _rig("side by side")
    judge = Judge(data, "Heads")
    live = Live(show)
    base = RigView(show, live.compiled).rig.groups[0].base[0]
    acts = {a.kind: a for a in acts_of(program, show.units[0])}
    frames, moved = [], []
    home = None
    for phase in acts[MOVEMENT].phases:
        live.restore(phase)
        frames.append(live.frame[: program.width].copy())
    home = judge.beams(frames[-1], base)
    for frame in frames:
        ways = judge.beams(frame, base)
        moved.append([not np.allclose(a[1], b[1]) for a, b in zip(home, ways, strict=True)])
    # out by pan, then by tilt as well, while the others stay; home at the end
    heads = [sorted(np.flatnonzero(row).tolist()) for row in moved]
    assert heads == [[0], [0], [1], [1], [2], [2], []]
    assert "3 heads one by one" in acts[MOVEMENT].words
    wished = Sights.of(program.read(np.array(frames)))
    stuck = np.array(frames)
    stuck[:, 8:10] = (128, 0)  # the tilt of the second head stays
    kinds = [MOVEMENT] * len(frames)
    assert ways_wrong(wished, wished, kinds) == ()
    assert ways_wrong(wished, Sights.of(program.read(stuck)), kinds) == ("tilt",)


def _mastered() -> bytes:
    """A control whose upper half turns a colour channel into one that resets, and a second mode of
    colours that waits for a channel of its own."""

    def function(attribute: str, start: int, name: str, master: str = "") -> str:
        return f'<ChannelFunction Name="{name}" Attribute="{attribute}" DMXFrom="{start}/1" Default="0/1" PhysicalFrom="0" PhysicalTo="1" {master}/>'

    def waits(master: str, low: int, high: int) -> str:
        return f'ModeMaster="{master}" ModeFrom="{low}/1" ModeTo="{high}/1"'

    def channel(offset: int, attribute: str, functions: str, more: str = "") -> str:
        return (
            f'<DMXChannel DMXBreak="1" Offset="{offset}" Geometry="Base" {more}><LogicalChannel Attribute="{attribute}">'
            f"{functions}</LogicalChannel></DMXChannel>"
        )

    channels = (
        channel(1, "Dimmer", function("Dimmer", 0, "Dimmer"), 'Highlight="255/1"')
        + channel(2, "Effects1", function("Effects1", 0, "Choice"))
        + channel(
            3,
            "ColorSub_C",
            function("ColorSub_C", 0, "Cyan", waits("Base_Effects1", 100, 199))
            + function("Frost1", 0, "Frost", waits("Base_Effects1", 0, 99))
            + function("Control1", 0, "Reset all", waits("Base_Effects1", 200, 255)),
        )
    )
    return _gdtf(f'<Geometry Name="Base">{_beam("Lens")}</Geometry>', channels)


def test_acts_put_a_mode_master_where_a_colour_counts_and_never_where_it_resets() -> None:
    program, show = _shown(_mastered())
    dimmer, master, cyan = program.chart.channels
    # the colour channel does no harm while its master rests; the master's upper range lets it
    assert dangers(program, cyan) == [] and dangers(program, dimmer) == []
    assert [(first, last) for first, last, _ in dangers(program, master)] == [(200, 255)]
    assert safe_level(program, master, 1.0) == 199 / 255
    colour = next(a for a in acts_of(program, show.units[0]) if a.kind == COLOUR)
    live = Live(show)
    for phase in colour.phases:
        live.restore(phase)
        red, green, _ = program.read(live.frame[None, :3]).rgb[0, 0]
        assert 100 <= live.frame[1] <= 199 and green > 0.5 > red


def test_a_gobo_waits_for_its_mode_master() -> None:
    wheel = '<Wheels><Wheel Name="G"><Slot Name="Open"/><Slot Name="Reeds"/></Wheel></Wheels>'
    channels = (
        '<DMXChannel DMXBreak="1" Offset="1" Geometry="Base"><LogicalChannel Attribute="Effects1"><ChannelFunction Attribute="Effects1" DMXFrom="0/1"/></LogicalChannel></DMXChannel>'
        '<DMXChannel DMXBreak="1" Offset="2" Geometry="Base"><LogicalChannel Attribute="Gobo1">'
        '<ChannelFunction Attribute="Gobo1" Wheel="G" DMXFrom="0/1" ModeMaster="Base_Effects1" ModeFrom="128/1" ModeTo="255/1">'
        '<ChannelSet Name="Open" DMXFrom="0/1" WheelSlotIndex="1"/><ChannelSet Name="Reeds" DMXFrom="50/1" WheelSlotIndex="2"/></ChannelFunction></LogicalChannel></DMXChannel>'
    )
    text = _gdtf(f'<Geometry Name="Base">{_beam("Lens")}</Geometry>', channels)
    source = zipfile.ZipFile(io.BytesIO(text)).read("description.xml").decode()
    packed = io.BytesIO()
    with zipfile.ZipFile(packed, "w") as archive:
        archive.writestr("description.xml", source.replace("<Geometries>", f"{wheel}<Geometries>"))
    profile = read_gdtf(packed.getvalue(), "g.gdtf")
    state = light_program(profile, profile.modes[0]).read(
        np.array([[0, 200], [127, 60], [128, 60], [255, 20]], np.uint8)
    )
    assert state.optics[0].gobo.tolist() == [-1, -1, 0, -1]
