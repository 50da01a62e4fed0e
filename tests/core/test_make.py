"""Profiles made here: channels to functions and back, bodies that are never invisible, meshes in their measures."""

from __future__ import annotations

import json
import struct

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from msgspec.structs import replace

from isthmus.errors import EntryFault
from isthmus.library.words import Words, product_line, tokens
from isthmus.profiles import light_program
from isthmus.profiles import records as r
from isthmus.profiles.attributes import (
    ACTIVATION_GROUPS,
    KNOWN,
    activation_of,
    feature_of,
    known,
    numbered,
    plain,
    unit_of,
)
from isthmus.profiles.channel_table import (
    Band,
    ChannelLine,
    ChannelTable,
    channel_table,
    physical_text,
    table,
)
from isthmus.profiles.chart import chart
from isthmus.profiles.compare import compare, overlap
from isthmus.profiles.gdtf import read_archive, write_gdtf
from isthmus.profiles.gdtf.rules import check_gdtf
from isthmus.profiles.geometry import assemble
from isthmus.profiles.judge import judge
from isthmus.profiles.make import Body, Channel, ModePlan, compose, from_sheet
from isthmus.profiles.make.compose import body_for
from isthmus.profiles.make.generic import (
    EMITTERS,
    KINDS,
    MACHINES,
    MAX_CELLS,
    ORDERS,
    Recipe,
    generic_profile,
    number_word,
    plan_of,
    usual_profiles,
)
from isthmus.profiles.make.glb import box, drum, glb, mesh_files, mesh_of

# ---------------------------------------------------------------- channels


@st.composite
def ranges(draw: st.DrawFn, size: int = 1) -> tuple[Band, ...]:
    """Ranges in order, some touching and some with gaps between, named."""
    top = 256**size - 1
    edges = sorted(draw(st.sets(st.integers(0, top), min_size=2, max_size=12)))
    made = []
    for index, (low, high) in enumerate(zip(edges, edges[1:], strict=False)):
        if draw(st.booleans()) or not made:
            made.append(
                Band(
                    low,
                    high - 1 if high - 1 >= low else low,
                    f"Range {index}",
                    draw(st.sampled_from(["Gobo1", "Gobo1", "Gobo1WheelSpin"])),
                )
            )
    return tuple(made)


@given(st.data(), st.integers(1, 2))
@settings(max_examples=20)
def test_named_ranges_come_back_out_of_the_file_as_they_went_in(
    data: st.DataObject, size: int
) -> None:
    wanted = data.draw(ranges(size))
    profile = compose(
        "Reed and Oar", "R", Body("can"), [ModePlan("M", (Channel("Gobo1", size, wanted),))]
    )
    read = read_archive(write_gdtf(profile), "x")
    (line,) = channel_table(read.profile, read.profile.modes[0]).lines
    assert [
        (b.start, b.end, b.name, b.attribute) for b in line.bands if b.name.startswith("Range")
    ] == [(b.start, b.end, b.name, b.attribute) for b in wanted]
    assert check_gdtf(read) == []


def test_a_shutter_is_open_or_closed_by_the_names_of_its_ranges_and_light_follows() -> None:
    bands = (
        Band(0, 9, "Blackout", "Shutter1"),
        Band(10, 200, "Strobe", "Shutter1Strobe"),
        Band(201, 255, "Open", "Shutter1"),
    )
    profile = compose(
        "Reed and Oar",
        "S",
        Body("can"),
        [ModePlan("M", (Channel("Dimmer"), Channel("Shutter1", 1, bands)))],
    )
    program = light_program(profile, profile.modes[0])
    state = program.read(np.array([[255, 0], [255, 100], [255, 230], [0, 230]], np.uint8))
    assert (
        (state.intensity() > 0.5).tolist() == [False, True, True, False]
        and state.strobe[1, 0] > 0.5
        and state.strobe[2, 0] == 0
    )
    assert (
        chart(profile, profile.modes[0]).channels[1].default == 255
    )  # it stands open when nothing is asked


def test_wheels_are_coloured_and_emitters_defined_from_names() -> None:
    bands = (
        Band(0, 9, "Open", "Color1"),
        Band(10, 99, "Deep red", "Color1"),
        Band(100, 255, "Quay blue", "Color1"),
    )
    profile = compose(
        "Reed and Oar",
        "W",
        Body("can"),
        [
            ModePlan(
                "M",
                (
                    Channel("Dimmer"),
                    Channel("Color1", 1, bands),
                    Channel("ColorAdd_RY"),
                    Channel("ColorSub_C"),
                ),
            )
        ],
    )
    (wheel,) = profile.wheels
    assert [s.name for s in wheel.slots] == ["Open", "Deep red", "Quay blue"] and wheel.slots[
        1
    ].color[0] > 0.6 > 0.2 > wheel.slots[2].color[0]
    assert [e.name for e in profile.emitters] == ["RY"]
    assert {a.name: a.feature for a in profile.attributes}["ColorSub_C"] == "Color.CMY"
    assert {g.name for g in profile.activations} == {"ColorRGB", "ColorCMY"}


def test_blocks_and_given_slots_stand_where_they_are_wanted() -> None:
    plan = ModePlan(
        "M",
        (Channel("Dimmer"), Channel("Zoom"), Channel("Iris", 2)),
        slots=((3,), (1,), (5, 9)),
        blocks=(1, 2, 1),
    )
    profile = compose("Reed and Oar", "B", Body("can"), [plan])
    found = {
        line.attribute: (line.block, line.slots)
        for line in channel_table(profile, profile.modes[0]).lines
    }
    assert found == {"Dimmer": (1, (3,)), "Zoom": (2, (1,)), "Iris": (1, (5, 9))}
    assert channel_table(profile, profile.modes[0]).footprint == 10
    assert [row[0] for row in table(channel_table(profile, profile.modes[0]))[1:]] == [
        "3",
        "5+9",
        "block 2: 1",
    ]


def test_a_profile_from_a_sheet_keeps_every_line_even_those_nobody_understands() -> None:
    lines = (
        ChannelLine((1,), "Dimmer", "Intensity"),
        ChannelLine((2,), "", "Doodad", (Band(0, 99, "a"), Band(100, 255, "b"))),
        ChannelLine((3, 4), "Pan"),
    )
    profile = from_sheet(
        ChannelTable("m", lines), "Reed and Oar", "Odd", "M", body_for({"Dimmer", "Pan"})
    )
    assert [
        (line.slots, line.attribute) for line in channel_table(profile, profile.modes[0]).lines
    ] == [((1,), "Dimmer"), ((2,), "NoFeature"), ((3, 4), "Pan")]
    assert [
        v.state
        for v in compare(ChannelTable("m", lines), channel_table(profile, profile.modes[0]))
        if v.left and v.left.attribute
    ] == ["same", "same"]


# ---------------------------------------------------------------- bodies


@pytest.mark.parametrize(
    "kind", ["mover", "mirror", "lantern", "can", "cells", "machine", "rack", "screen"]
)
def test_every_kind_of_body_has_parts_of_some_size_and_beams_where_light_comes_out(kind) -> None:
    plans = [ModePlan("Whole", (Channel("Dimmer"),))]
    if kind == "cells":
        plans.append(ModePlan("Cells", (Channel("Dimmer"),), 6, (Channel("ColorAdd_R"),)))
    body = Body(kind, (0.6, 0.3, 0.4), columns=3, meshes=True)
    profile = compose("Reed and Oar", kind, body, plans)
    for mode in profile.modes:
        found = assemble(profile, mode)
        assert found.parts and all(
            p.model.length * p.model.width * p.model.height > 0 for p in found.parts
        )
        assert len(found.beams) == {"machine": 0, "rack": 0}.get(
            kind, 6 if mode.name == "Cells" else 1
        )
        if mode.name == "Cells":
            places = np.array(
                [
                    np.linalg.multi_dot([*(link.matrix for link in beam.chain), np.eye(4)])[:3, 3]
                    for beam in found.beams
                ]
            )
            assert len({tuple(p.round(6)) for p in places}) == 6  # each in a place of its own
            assert (
                np.allclose(places.mean(axis=0)[:2], 0) and np.ptp(places[:, 0]) <= 0.6
            )  # centred, within the body
    assert check_gdtf(read_archive(write_gdtf(profile, mesh_files(profile)), "x")) == []


@pytest.mark.parametrize("kind", ["mover", "can", "cells", "machine"])
def test_a_profile_stripped_of_its_bodies_is_still_seen(kind) -> None:
    plan = ModePlan(
        "M",
        (Channel("Pan"), Channel("Tilt"), Channel("Dimmer"))
        if kind == "mover"
        else (Channel("Dimmer"),),
        4 if kind == "cells" else 0,
        (Channel("ColorAdd_R"),),
    )
    profile = compose("Reed and Oar", kind, Body(kind, (0.6, 0.3, 0.4), columns=4), [plan])
    empty = tuple(replace(m, length=0.0, width=0.0, height=0.0) for m in profile.models)
    for bare in (replace(profile, models=()), replace(profile, models=empty)):
        parts = assemble(bare, bare.modes[0]).parts
        assert parts and all(p.model.length * p.model.width * p.model.height > 0 for p in parts)
        assert len(parts) == {"mover": 3, "can": 2, "cells": 5, "machine": 1}[kind]


def test_a_stand_in_reaches_as_far_as_the_geometry_and_is_as_wide_as_its_lenses() -> None:
    body = Body("cells", (3.0, 0.4, 0.2), r.Beam(radius=0.3), columns=6)
    profile = compose(
        "Reed and Oar",
        "Long",
        body,
        [ModePlan("M", (Channel("Dimmer"),), 6, (Channel("ColorAdd_R"),))],
    )
    base, *cells = assemble(replace(profile, models=()), profile.modes[0]).parts
    assert (
        base.model.length >= 2.5
        and len(cells) == 6
        and all(part.model.length == pytest.approx(0.66) for part in cells)
    )


def test_moving_cells_turn_each_for_itself() -> None:
    body = Body("cells", (1.0, 0.2, 0.36), columns=3, moving_cells=True)
    profile = compose(
        "Reed and Oar",
        "Three heads",
        body,
        [
            ModePlan(
                "M",
                (Channel("Dimmer"),),
                3,
                (Channel("Pan"), Channel("Tilt"), Channel("ColorAdd_W")),
            )
        ],
    )
    lines = channel_table(profile, profile.modes[0]).lines
    assert [(line.cell, line.attribute) for line in lines[1:4]] == [
        (1, "Pan"),
        (1, "Tilt"),
        (1, "ColorAdd_W"),
    ]
    assembly = assemble(profile, profile.modes[0])
    assert len(assembly.beams) == 3 and all(
        [link.turns for link in beam.chain].count("Pan") == 1 for beam in assembly.beams
    )


def triangles_of(data: bytes) -> np.ndarray:
    """The corners in a glb, read back by the format's own rules and turned to z up."""
    assert data[:4] == b"glTF" and struct.unpack("<II", data[4:12]) == (2, len(data))
    length = struct.unpack("<I", data[12:16])[0]
    head = json.loads(data[20 : 20 + length])
    start = 20 + length + 8
    view, accessor = head["bufferViews"][0], head["accessors"][0]
    points = np.frombuffer(data, "<f4", accessor["count"] * 3, start + view["byteOffset"]).reshape(
        -1, 3
    )
    assert np.allclose(points.min(axis=0), accessor["min"]) and np.allclose(
        points.max(axis=0), accessor["max"]
    )
    return points[:, [0, 2, 1]] * [1, -1, 1]


@pytest.mark.parametrize("primitive", ["Cube", "Base", "Yoke", "Head", "Cylinder", "Conventional"])
def test_a_mesh_fills_the_measures_of_its_model_and_faces_outwards(primitive: str) -> None:
    model = r.Model(name="m", length=0.5, width=0.3, height=0.4, primitive=primitive)
    points = triangles_of(glb(mesh_of(model)))
    assert np.allclose(np.ptp(points, axis=0), [0.5, 0.3, 0.4], atol=1e-5) and points[
        :, 2
    ].max() == pytest.approx(0, abs=1e-6)
    triangles = points.reshape(-1, 3, 3)
    volume = (
        np.einsum("ij,ij->i", triangles[:, 0], np.cross(triangles[:, 1], triangles[:, 2])).sum() / 6
    )
    assert (
        0 < volume <= 0.5 * 0.3 * 0.4 * 1.3
    )  # outward faces enclose a positive volume (a yoke's boxes overlap)


def test_a_box_and_a_drum_enclose_what_geometry_says() -> None:
    def volume(triangles: np.ndarray) -> float:
        return float(
            np.einsum("ij,ij->i", triangles[:, 0], np.cross(triangles[:, 1], triangles[:, 2])).sum()
            / 6
        )

    assert volume(box((-1, -2, -3), (1, 2, 3))) == pytest.approx(48)
    assert volume(drum(2, 2, ((1.0, 0.0), (1.0, -3.0)), 200)) == pytest.approx(3 * np.pi, rel=1e-3)


# ---------------------------------------------------------------- generics


def test_every_usual_generic_says_its_count_of_channels_and_has_them() -> None:
    words = {number_word(n): n for n in range(1, 21)}
    for profile in usual_profiles():
        for mode in profile.modes:
            footprint = channel_table(profile, mode).footprint
            said = next(
                part.split()[0]
                for part in mode.name.split(", ")
                if part.split()[-1].startswith("channel")
            )
            assert words.get(said, 0) == footprint or said == str(footprint), mode.name
            if "16 bit" in mode.name:
                assert any(line.size == 2 for line in channel_table(profile, mode).lines)
    assert {
        "HTP" in m.name: m.channels[0].logical[0].master for m in usual_profiles()[0].modes
    } == {True: "Grand", False: "None"}


def test_every_order_is_offered_and_wrong_parts_are_refused_in_words() -> None:
    names = {p.name for p in usual_profiles()}
    assert {f"Colour mixer {order}" for order in ORDERS} <= names and set("".join(ORDERS)) == set(
        EMITTERS
    )
    for recipe, says in (
        (Recipe(order="RGBZ"), "not an order of emitters"),
        (Recipe(order="RR"), "not an order of emitters"),
        (Recipe(bits=12), "neither 8 nor 16"),
        (Recipe(cells=MAX_CELLS + 1), "too many"),
        (Recipe(order="RGBW", bits=16, cells=100), "a universe has 512"),
    ):
        with pytest.raises(EntryFault, match=says):
            plan_of(recipe)
    for kind in KINDS:
        one = generic_profile([Recipe(kind, "RGB", "first", "none", 8)])
        many = generic_profile([Recipe(kind, "RGB", "first", "none", 8, 5)])
        master = kind not in (*MACHINES, "dimmer")
        each = [
            line.attribute
            for line in channel_table(one, one.modes[0]).lines
            if not (master and line.attribute == "Dimmer")
        ]
        lines = channel_table(many, many.modes[0]).lines
        assert [line.attribute for line in lines] == ["Dimmer"] * master + each * 5 and {
            line.cell for line in lines
        } - {0} == {1, 2, 3, 4, 5}
        assert check_gdtf(read_archive(write_gdtf(many), "x")) == []
    names = [m.name for p in usual_profiles() for m in p.modes if p.name == "Colour mixer RGBW"]
    assert "four colours, no master, strobe last, five channels" in names and len(names) == 18
    mover = generic_profile([Recipe("mover", "RGB", "first", "first", 16)])
    assert [line.attribute for line in channel_table(mover, mover.modes[0]).lines] == [
        "Pan",
        "Tilt",
        "Dimmer",
        "Shutter1",
        "ColorAdd_R",
        "ColorAdd_G",
        "ColorAdd_B",
    ]
    for kind, attributes in (
        ("scroller", ["Color1", "Fan1"]),
        ("haze", ["Haze1", "Fan1"]),
        ("fog", ["Fog1", "Fan1"]),
        ("fan", ["Fan1"]),
        ("temperature", ["Dimmer", "CTC"]),
        ("white", ["Dimmer", "ColorAdd_WW", "ColorAdd_CW"]),
    ):
        made = generic_profile([Recipe(kind, master="first")])
        assert [line.attribute for line in channel_table(made, made.modes[0]).lines] == attributes


# ---------------------------------------------------------------- words


def test_every_known_attribute_has_words_of_its_own_and_a_feature_of_the_standard() -> None:
    seen: dict[str, str] = {}
    for name, row in KNOWN.items():
        one = numbered(name)
        assert plain(one) not in seen, (one, seen.get(plain(one)))
        seen[plain(one)] = one
        assert row.feature.count(".") == 1 and (known(one) or ("",))[0] is row
        assert (
            feature_of(one) == row.feature
            and unit_of(one) == row.unit
            and activation_of(one) in ("", *ACTIVATION_GROUPS)
        )
    assert (
        plain("Gobo2") == "gobo wheel 2"
        and plain("SomeThing_New3") == "some thing new 3"
        and plain("") == "nothing"
    )
    assert known("NeverHeard") is None and feature_of("NeverHeard") == "Control.Control"


def test_names_become_words_and_product_lines() -> None:
    assert tokens("Skerry 900 F") == ["skerry", "900", "f"] and tokens("X4-Bar 20") == [
        "x4",
        "x",
        "4",
        "bar",
        "20",
    ]
    assert tokens("Größe") == ["grosse"] and tokens("–") == []
    assert [
        product_line(name) for name in ("Skerry 900 F", "Dunlin Strip 6", "Offshore", "7 Seas", "")
    ] == ["Skerry", "Dunlin Strip", "Offshore", "7", ""]
    words = Words()
    flat, starts = words.column([["a", "b"], [], ["b"]])
    assert flat.tolist() == [0, 1, 2, 1] and starts.tolist() == [0, 2, 3]


@given(st.integers(0, 200), st.integers(0, 55), st.integers(0, 200), st.integers(0, 55))
def test_overlap_is_the_share_of_values_two_ranges_have_in_common(
    a: int, wide: int, b: int, broad: int
) -> None:
    left, right = set(range(a, a + wide + 1)), set(range(b, b + broad + 1))
    assert overlap(Band(a, a + wide), Band(b, b + broad)) == pytest.approx(
        len(left & right) / (max(left | right) - min(left | right) + 1)
    )


@given(
    st.lists(
        st.sampled_from(["Dimmer", "Zoom", "Iris", "Pan", "ColorAdd_R"]), min_size=1, max_size=12
    ),
    st.randoms(),
)
@settings(max_examples=15)
def test_a_chart_compared_with_a_shuffle_of_itself_loses_and_gains_nothing(
    attributes: list[str], rng
) -> None:
    left = tuple(ChannelLine((i,), a) for i, a in enumerate(attributes, 1))
    order = list(attributes)
    rng.shuffle(order)
    right = tuple(ChannelLine((i,), a) for i, a in enumerate(order, 1))
    verdicts = compare(ChannelTable("l", left), ChannelTable("r", right))
    assert not [v for v in verdicts if v.state in ("absent", "extra")] and len(verdicts) == len(
        left
    )
    assert sum(v.shift for v in verdicts) == 0
    assert all(
        v.left.attribute == v.right.attribute and v.right.slots[0] - v.left.slots[0] == v.shift
        for v in verdicts
    )


@given(st.lists(st.tuples(st.integers(0, 255), st.integers(0, 255)), min_size=2, max_size=8))
def test_gaps_and_overlaps_are_exactly_the_values_described_never_or_twice(
    pairs: list[tuple[int, int]],
) -> None:
    bands = tuple(Band(min(p), max(p), f"r{i}") for i, p in enumerate(pairs))
    times = [sum(b.start <= v <= b.end for b in bands) for v in range(256)]
    found = judge(ChannelTable("x", (ChannelLine((1,), "Gobo1", "Gobo", bands),)))
    told = {kind: [f.text for f in found if f.kind == kind] for kind in ("gap", "overlap")}
    missing = set()
    for text in told["gap"]:
        low, high = text.split(": ")[1].split(" ")[0].split("–")
        missing |= set(range(int(low), int(high) + 1))
    assert missing == {v for v, count in enumerate(times) if count == 0}
    assert bool(told["overlap"]) == any(count > 1 for count in times)


def test_physical_values_are_told_with_their_unit_or_not_at_all() -> None:
    assert physical_text(Band(0, 255, "", "Pan", -270, 270)) == "-270 to 270 °"
    assert physical_text(Band(0, 9, "", "Shutter1Strobe", 4, 4)) == "4 Hz"
    assert (
        physical_text(Band(0, 9, "", "Gobo1", 0, 1)) == ""
        and physical_text(Band(0, 9, "", "CTC", None, None)) == ""
    )
