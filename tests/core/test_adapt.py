"""An own copy: whatever is put in, taken out, moved or split, the chart stays whole and what differs is told."""

from __future__ import annotations

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from isthmus.demo import shipped_profiles
from isthmus.errors import EntryFault
from isthmus.profiles import adapt
from isthmus.profiles.channel_table import Band, channel_table
from isthmus.profiles.gdtf import read_archive, write_gdtf
from isthmus.profiles.gdtf.rules import check_gdtf
from isthmus.profiles.make.channels import Channel
from isthmus.profiles.records import Profile, WheelSlot
from isthmus.profiles.store import read_stored


def shipped(name: str) -> Profile:
    found = next(read_stored(s) for s in shipped_profiles() if s.key.endswith(name))
    assert isinstance(found, Profile)
    return found


def index_of(profile: Profile, mode: str, attribute: str) -> int:
    return next(
        i for i, c in enumerate(profile.mode(mode).channels) if c.logical[0].attribute == attribute
    )


def laid(profile: Profile, mode: str) -> list[tuple[str, tuple[int, ...]]]:
    return [
        (line.attribute, line.slots) for line in channel_table(profile, profile.mode(mode)).lines
    ]


@given(
    st.lists(
        st.tuples(
            st.sampled_from(["insert", "remove", "move", "split", "join"]),
            st.integers(0, 30),
            st.integers(0, 30),
        ),
        max_size=12,
    )
)
@settings(max_examples=15)
def test_any_run_of_edits_leaves_the_chart_a_plain_list_would_have(
    edits: list[tuple[str, int, int]],
) -> None:
    """The oracle is a list of names and sizes, slots counted through it from 1."""
    source = shipped("Lapwing 19")
    profile = adapt.own_copy(source, "Copy")
    oracle = [
        (line.attribute, len(line.slots))
        for line in channel_table(source, source.mode("Wide")).lines
    ]
    fresh = iter(f"Gobo{n}" for n in range(2, 40))
    for kind, a, b in edits:
        channels = sorted(profile.mode("Wide").channels, key=lambda c: c.offsets)
        starts = [c.offsets[0] for c in channels]
        place = a % len(channels)
        index = profile.mode("Wide").channels.index(channels[place])
        if kind == "insert":
            name = next(fresh)
            profile = adapt.insert(profile, "Wide", starts[place], Channel(name))
            oracle.insert(place, (name, 1))
        elif kind == "remove" and len(channels) > 2:
            profile = adapt.remove(profile, "Wide", index)
            oracle.pop(place)
        elif kind == "move":
            item = oracle.pop(place)
            to = b % (len(oracle) + 1)
            profile = adapt.move(profile, "Wide", index, 1 + sum(size for _, size in oracle[:to]))
            oracle.insert(to, item)
        elif kind == "split" and oracle[place][1] < 4:
            profile = adapt.split_to_fine(profile, "Wide", index)
            oracle[place] = (oracle[place][0], oracle[place][1] + 1)
        elif kind == "join" and oracle[place][1] > 1:
            profile = adapt.join_to_coarse(profile, "Wide", index)
            oracle[place] = (oracle[place][0], oracle[place][1] - 1)
    expected, at = [], 1
    for name, size in oracle:
        expected.append((name, tuple(range(at, at + size))))
        at += size
    assert laid(profile, "Wide") == expected
    again = read_archive(write_gdtf(profile), "copy")
    assert laid(again.profile, "Wide") == expected and check_gdtf(again) == []
    assert bool(adapt.edits_listed(source, profile)) == (
        laid(profile, "Wide") != laid(source, "Wide")
    )


def test_cells_grow_and_move_together_and_leave_other_modes_alone() -> None:
    source = shipped("Dunlin Strip 6")
    profile = adapt.own_copy(source, "Strip of one's own")
    blue = index_of(profile, "Cells", "ColorAdd_B")
    profile = adapt.insert(profile, "Cells", 4, Channel("ColorAdd_W"), beside=blue)
    lines = channel_table(profile, profile.mode("Cells")).lines
    assert [line.slots[0] for line in lines if line.attribute == "ColorAdd_W"] == [
        6,
        10,
        14,
        18,
        22,
        26,
    ]
    assert sorted(s for line in lines for s in line.slots) == list(range(1, 27)) and laid(
        profile, "Whole"
    ) == laid(source, "Whole")
    profile = adapt.remove(profile, "Cells", index_of(profile, "Cells", "Dimmer"))
    assert [
        line.slots[0]
        for line in channel_table(profile, profile.mode("Cells")).lines
        if line.cell == 6
    ] == [22, 23, 24, 25]
    with pytest.raises(EntryFault, match="inside"):
        adapt.insert(profile, "Cells", 4, Channel("Zoom"))
    assert (
        adapt.check_mode(profile, "Cells") == []
        and check_gdtf(read_archive(write_gdtf(profile), "x")) == []
    )


def test_ranges_limits_defaults_home_attribute_and_wheel_are_set_checked_and_listed() -> None:
    source = shipped("Skerry 400")
    profile = adapt.own_copy(source, "Mine")
    dimmer, shutter = index_of(profile, "Short", "Dimmer"), index_of(profile, "Short", "Shutter1")
    combined = [
        Band(0, 127, "Dim", "Dimmer"),
        Band(128, 239, "Strobe", "Shutter1Strobe"),
        Band(240, 255, "Full", "Dimmer"),
    ]
    profile = adapt.set_bands(profile, "Short", dimmer, combined)
    profile = adapt.set_limits(profile, "Short", dimmer, "Shutter1Strobe", 140, 230)
    bands = next(
        line
        for line in channel_table(profile, profile.mode("Short")).lines
        if line.attribute == "Dimmer"
    ).bands
    assert [(b.start, b.end, b.attribute) for b in bands] == [
        (0, 127, "Dimmer"),
        (140, 230, "Shutter1Strobe"),
        (240, 255, "Dimmer"),
    ]
    assert {f.kind for f in adapt.check_mode(profile, "Short")} == {"gap"}
    profile = adapt.set_default(profile, "Short", shutter, 10)
    profile = adapt.set_home(profile, "Short", shutter, 250)
    profile = adapt.set_attribute(profile, "Short", index_of(profile, "Short", "Zoom"), "Iris")
    profile = adapt.set_wheel(
        profile, "Colours", [WheelSlot(name="Open"), WheelSlot(name="Rust", color=(0.5, 0.4, 20.0))]
    )
    told = " | ".join(adapt.edits_listed(source, profile))
    for words in (
        "shutter stands at 10",
        "shutter is shown at 250",
        "zoom on 12 is taken out",
        "iris on 12 is new",
        "Wheel Colours",
        "ranges differ",
    ):
        assert words in told, words
    assert read_archive(write_gdtf(profile), "x").profile == profile
    for wrong in (
        lambda: adapt.set_default(profile, "Short", shutter, 256),
        lambda: adapt.set_bands(profile, "Short", shutter, [Band(9, 3, "x")]),
        lambda: adapt.move(profile, "Short", 0, 0),
        lambda: adapt.set_limits(profile, "Short", shutter, "Pan", 0, 9),
    ):
        with pytest.raises(EntryFault):
            wrong()
