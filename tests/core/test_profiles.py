"""GDTF in, charts and light out; and files that try to do harm."""

from __future__ import annotations

import importlib.util
import io
import struct
import sys
import time
import zipfile
import zlib
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from helpers.profiles import HARM, SHIPPED
from isthmus.demo import shipped_profiles
from isthmus.errors import FileFault
from isthmus.profiles import chart, light_program, read_gdtf
from isthmus.profiles.colour import (
    RGB_TO_XYZ,
    decode_srgb,
    encode_srgb,
    mix_additive,
    planck_xy,
    rgb_of,
    white_rgb,
)
from isthmus.profiles.gdtf import dmx_value, read_description


def test_the_shipped_files_hold_what_their_maker_wrote_into_them() -> None:
    """The tool that makes the files is an independent account of their modes and footprints."""
    spec = importlib.util.spec_from_file_location(
        "demo_profiles", Path(__file__).parents[2] / "tools/demo_profiles.py"
    )
    assert spec and spec.loader
    tool = importlib.util.module_from_spec(spec)
    sys.modules["demo_profiles"] = tool  # dataclasses look their module up
    spec.loader.exec_module(tool)
    for name, xml in tool.PROFILES:
        data = (tool.OUT / name).read_bytes()
        assert zipfile.ZipFile(io.BytesIO(data)).read("description.xml").decode() == xml
        assert read_gdtf(data, name).modes
    footprints = {
        (p.name, m.name): chart(p, m).footprint for p in SHIPPED.values() for m in p.modes
    }
    assert footprints == {
        ("Lapwing 19", "Wide"): 18, ("Lapwing 19", "Short"): 11, ("Skerry 400", "Full"): 21, ("Skerry 400", "Short"): 12,
        ("Cormorant 3", "Standard"): 10, ("Dunlin Strip 6", "Cells"): 20, ("Dunlin Strip 6", "Whole"): 4, ("Turnstone 7", "Seven"): 7,
        ("Turnstone 7", "Three"): 3, ("Groyne 24", "Dimmer"): 1, ("Plover 1k", "Dimmer"): 1, ("Whelk 2", "Two"): 2, ("Marram Haze", "Two"): 2,
    }  # fmt: skip


def test_cells_stand_once_for_each_reference_at_its_own_offset() -> None:
    lay = chart(SHIPPED["Dunlin Strip 6"], SHIPPED["Dunlin Strip 6"].modes[0])
    reds = {c.cell: c.slots for c in lay.channels if c.attribute == "ColorAdd_R"}
    assert reds == {cell: ((1, 3 + 3 * (cell - 1)),) for cell in range(1, 7)}
    assert lay.cells == 6 and [c.cell for c in lay.channels if c.attribute == "Dimmer"] == [0]


@pytest.mark.parametrize(
    ("text", "size", "value"),
    [
        ("128/1", 1, 128),
        ("128/1", 2, 0x8080),
        ("128/1s", 2, 0x8000),
        ("32768/2", 2, 32768),
        ("32768/2", 1, 128),
        ("255/1", 4, 0xFFFFFFFF),
        ("7", 1, 7),
        ("999/1", 1, 255),
    ],
)
def test_dmx_values_are_brought_to_the_channel_by_repeating_or_shifting_bytes(
    text: str, size: int, value: int
) -> None:
    assert dmx_value(text, size) == value


def test_functions_end_before_the_next_begins_and_defaults_come_from_the_initial_one() -> None:
    profile = SHIPPED["Lapwing 19"]
    shutter = next(
        c for c in chart(profile, profile.modes[0]).channels if c.attribute == "Shutter1"
    )
    functions = shutter.channel.logical[0].functions
    assert [(f.name, f.dmx_from, f.dmx_to) for f in functions] == [
        ("Closed", 0, 19),
        ("Strobe", 20, 239),
        ("Open", 240, 255),
    ]
    pan = next(c for c in chart(profile, profile.modes[0]).channels if c.attribute == "Pan")
    assert pan.default == 32768 and pan.slots == ((1, 1), (1, 2)) and shutter.default == 255


@pytest.mark.parametrize("kind", HARM)
def test_a_harmful_or_broken_profile_is_refused_in_a_sentence_and_soon(kind: str) -> None:
    make, says = HARM[kind]
    data = make()
    started = time.process_time()
    with pytest.raises(FileFault, match=says) as caught:
        read_gdtf(data, "evil.gdtf")
    assert "evil.gdtf" in str(caught.value)
    assert time.process_time() - started < 10  # bounded, not merely finite


def test_a_zip_that_lies_about_its_size_is_not_unpacked_further_than_the_bound() -> None:
    body = zlib.compressobj(9, zlib.DEFLATED, -15)
    squeezed = body.compress(b" " * 50_000_000) + body.flush()
    name = b"description.xml"
    head = (
        struct.pack("<4s5H3I2H", b"PK\3\4", 20, 0, 8, 0, 0, 0, len(squeezed), 64, len(name), 0)
        + name
        + squeezed
    )
    entry = (
        struct.pack(
            "<4s6H3I5H2I",
            b"PK\1\2",
            20,
            20,
            0,
            8,
            0,
            0,
            0,
            len(squeezed),
            64,
            len(name),
            0,
            0,
            0,
            0,
            0,
            0,
        )
        + name
    )
    data = head + entry + struct.pack("<4s4H2IH", b"PK\5\6", 0, 0, 1, 1, len(entry), len(head), 0)
    with pytest.raises(FileFault):
        read_gdtf(data, "liar.gdtf")


@given(st.data())
@settings(max_examples=30)
def test_no_mangled_description_gets_past_the_reader_as_anything_but_a_fault(
    data: st.DataObject,
) -> None:
    good = bytearray(
        zipfile.ZipFile(io.BytesIO(shipped_profiles()[data.draw(st.integers(0, 8))].data)).read(
            "description.xml"
        )
    )
    for _ in range(data.draw(st.integers(1, 6))):
        at = data.draw(st.integers(0, len(good) - 1))
        good[at : at + data.draw(st.integers(0, 40))] = data.draw(st.binary(max_size=6))
    try:
        profile = read_description(bytes(good), "x").profile
        for found in profile.modes:
            chart(profile, found)
    except FileFault as fault:
        assert fault.what


# ---------------------------------------------------------------- light


def light(name: str, mode_name: str, **levels: float):
    """The state of one unit with levels 0…1 on named attributes (all cells), everything else at default."""
    profile = SHIPPED[name]
    found = profile.mode(mode_name)
    assert found
    program = light_program(profile, found)
    slots = np.zeros((1, program.width), np.uint8)
    for item in program.chart.channels:
        value = round(levels.get(item.attribute, item.default_level) * item.top)
        for (_, offset), byte in zip(
            item.slots, value.to_bytes(item.channel.resolution, "big"), strict=True
        ):
            slots[0, offset - 1] = byte
    return program.read(slots)


def test_a_dimmer_alone_gives_light_in_proportion_and_a_closed_shutter_gives_none() -> None:
    assert light("Groyne 24", "Dimmer", Dimmer=0.5).intensity()[0] == pytest.approx(
        128 / 255, abs=1e-3
    )
    full = {
        "Dimmer": 1.0,
        "ColorAdd_R": 1.0,
        "ColorAdd_G": 1.0,
        "ColorAdd_B": 1.0,
        "ColorAdd_W": 1.0,
    }
    assert light("Lapwing 19", "Wide", **full).intensity()[0] == pytest.approx(1.0, abs=1e-3)
    assert light("Lapwing 19", "Wide", **full, Shutter1=0.0).intensity()[0] == 0
    flashing = light("Lapwing 19", "Wide", **full, Shutter1=120 / 255)
    assert flashing.intensity()[0] > 0.9 and 5 < flashing.strobe[0, 0] < 12


def test_angles_follow_the_profile_from_end_to_end() -> None:
    assert (
        light("Skerry 400", "Full", Pan=0.0).pan[0, 0],
        light("Skerry 400", "Full", Pan=1.0).pan[0, 0],
    ) == (-270, 270)
    assert light("Skerry 400", "Full").tilt[0, 0] == pytest.approx(0, abs=0.01)
    assert (
        light("Lapwing 19", "Short", Zoom=0.0).field[0, 0] == 52
        and light("Lapwing 19", "Short", Zoom=1.0).field[0, 0] == 8
    )


def test_a_wheel_colours_by_its_slots_and_cyan_takes_red_away() -> None:
    red = light("Cormorant 3", "Standard", Dimmer=1.0, Color1=20 / 255).rgb[0, 0]
    assert red[0] > 5 * red[1] and red[0] > 5 * red[2]
    cyan = light("Skerry 400", "Full", Dimmer=1.0, ColorSub_C=1.0).rgb[0, 0]
    assert cyan[0] == 0 and cyan[1] > 0.5


def test_each_cell_shines_by_its_own_slots() -> None:
    profile = SHIPPED["Whelk 2"]
    program = light_program(profile, profile.modes[0])
    state = program.read(np.array([[255, 0], [0, 128]], np.uint8))
    assert (state.rgb.max(axis=2) > 0.1).tolist() == [[True, False], [False, True]]


# ---------------------------------------------------------------- colour


def test_known_whites_and_the_black_body_lie_where_the_tables_have_them() -> None:
    assert rgb_of(0.3127, 0.3290) == pytest.approx([1, 1, 1], abs=2e-3)  # D65 is the white of sRGB
    for kelvin, x, y in (
        (2856, 0.4476, 0.4074),
        (4000, 0.3805, 0.3768),
        (6500, 0.3135, 0.3237),
    ):  # CIE 15, illuminant A and Planckian table
        assert planck_xy(kelvin) == pytest.approx((x, y), abs=2e-3)
    warm = white_rgb(3200)
    assert warm[0] > warm[1] > warm[2] and float(RGB_TO_XYZ[1] @ warm) == pytest.approx(1.0)


@given(st.lists(st.floats(0, 1), min_size=3, max_size=3).filter(lambda v: max(v) > 0.05))
def test_mixed_emitters_meet_any_colour_inside_their_gamut_as_brightly_as_they_can(
    wanted: list[float],
) -> None:
    emitters = np.array(
        [[0.5, 0.02, 0.01], [0.02, 0.6, 0.05], [0.01, 0.03, 0.8], [0.4, 0.42, 0.45]]
    )
    inside = emitters.T @ np.array([*wanted, 0.3])
    levels = mix_additive(emitters, inside)
    assert levels.min() >= 0 and levels.max() == pytest.approx(1.0)
    made = emitters.T @ levels
    assert made / made.max() == pytest.approx(inside / inside.max(), abs=0.01)


@given(st.lists(st.floats(0, 1), min_size=3, max_size=3))
def test_screen_coding_goes_there_and_back(values: list[float]) -> None:
    assert decode_srgb(encode_srgb(np.array(values))) == pytest.approx(values, abs=1e-6)
