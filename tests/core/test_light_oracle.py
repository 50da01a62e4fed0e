"""Light and charts against slow, plain accounts of the same standard, on random input."""

from __future__ import annotations

import math
from dataclasses import dataclass
from xml.sax.saxutils import quoteattr

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from helpers.profiles import SHIPPED, mode
from isthmus.profiles import chart, light_program
from isthmus.profiles.gdtf import read_description
from isthmus.profiles.records import ChannelFunction, Geometry, Mode, Profile

MODES = [(profile, mode) for profile in SHIPPED.values() for mode in profile.modes]


# ---------------------------------------------------------------- one unit, read by hand


@dataclass
class Slow:
    """Reads one unit channel by channel, as a person would with the chart selected."""

    profile: Profile
    mode: Mode
    slots: list[int]

    def channels(self, attribute: str, cell: int):
        return [
            c
            for c in chart(self.profile, self.mode).channels
            if c.attribute == attribute and c.cell == cell
        ]

    def raw(self, item) -> int:
        value = 0
        for _, offset in item.slots:
            value = value * 256 + self.slots[offset - 1]
        return value

    def function(self, item) -> ChannelFunction:
        raw = self.raw(item)
        return next(
            f
            for logical in item.channel.logical
            for f in logical.functions
            if f.dmx_from <= raw <= f.dmx_to
        )

    def physical(self, item) -> float:
        f = self.function(item)
        along = (self.raw(item) - f.dmx_from) / max(1, f.dmx_to - f.dmx_from)
        return f.physical_from + along * (f.physical_to - f.physical_from)

    def gate(self, cell: int) -> float:
        light = 1.0
        for item in self.channels("Dimmer", cell)[:1]:
            light *= min(1.0, max(0.0, self.physical(item)))
        for item in self.channels("Shutter1", cell)[:1]:
            name = self.function(item).attribute
            light *= self.physical(item) if name == "Shutter1" else 1.0
        return light


@given(st.integers(0, len(MODES) - 1), st.data())
@settings(max_examples=38)
def test_angles_and_the_light_let_through_agree_with_reading_the_chart_by_hand(
    which: int, data: st.DataObject
) -> None:
    profile, mode = MODES[which]
    program = light_program(profile, mode)
    rows = np.array(
        data.draw(
            st.lists(
                st.lists(st.integers(0, 255), min_size=program.width, max_size=program.width),
                min_size=1,
                max_size=3,
            )
        ),
        np.uint8,
    )
    state = program.read(rows)
    bright = program.read(_opened(program, rows))
    for row, slots in enumerate(rows):
        slow = Slow(profile, mode, [int(v) for v in slots])
        for (attribute, cell), found in state.axes.items():
            item = slow.channels(attribute, cell)[0]
            assert found[row] == pytest.approx(slow.physical(item), abs=1e-6)
        for beam, instance in enumerate(program.assembly.beams):
            zoom = slow.channels("Zoom", 0)
            assert state.field[row, beam] == pytest.approx(
                slow.physical(zoom[0]) if zoom else min(170, instance.beam.field_angle), abs=1e-6
            )
            through = slow.gate(0) * (slow.gate(instance.cell) if instance.cell else 1.0)
            assert state.rgb[row, beam] == pytest.approx(bright.rgb[row, beam] * through, abs=1e-6)


def _opened(program, rows: np.ndarray) -> np.ndarray:
    """The same slots with every dimmer full and every shutter open."""
    out = rows.copy()
    for item in program.chart.channels:
        if item.attribute in ("Dimmer", "Shutter1"):
            for _, offset in item.slots:
                out[:, offset - 1] = 255
    return out


@given(st.integers(0, len(MODES) - 1), st.data())
@settings(max_examples=15)
def test_more_of_an_emitter_is_never_less_light_and_a_batch_is_its_units_one_by_one(
    which: int, data: st.DataObject
) -> None:
    profile, mode = MODES[which]
    program = light_program(profile, mode)
    rows = np.array(
        data.draw(
            st.lists(
                st.lists(st.integers(0, 255), min_size=program.width, max_size=program.width),
                min_size=2,
                max_size=4,
            )
        ),
        np.uint8,
    )
    together = program.read(rows)
    for index in range(len(rows)):
        alone = program.read(rows[index : index + 1])
        for name in ("rgb", "pan", "tilt", "field", "strobe"):
            assert np.array_equal(getattr(alone, name)[0], getattr(together, name)[index])
    more = rows.copy()
    for item in program.chart.channels:
        if item.attribute.startswith("ColorAdd_") or item.attribute == "Dimmer":
            for _, offset in item.slots:
                more[:, offset - 1] = 255
    assert (program.read(more).intensity() >= together.intensity() - 1e-9).all()


# ---------------------------------------------------------------- generated profiles


@dataclass
class Made:
    """A random description with the account of what it says."""

    xml: bytes
    slots: dict[tuple[str, int], tuple[tuple[int, int], ...]]
    footprints: dict[int, int]


@st.composite
def descriptions(draw: st.DrawFn) -> Made:
    """A unit with a few channels of its own and, perhaps, cells drawn by references."""
    at, own, slots = 1, [], {}
    for index in range(draw(st.integers(0, 5))):
        size = draw(st.integers(1, 4))
        offsets = draw(
            st.permutations(range(at, at + size))
        )  # coarse and fine need not be neighbours in order
        at += size + draw(st.integers(0, 2))
        own.append((f"Attr{index}", tuple(offsets), "Base", "1"))
        slots[f"Attr{index}", 0] = tuple((1, o) for o in offsets)
    cells, stride, cell_channels = (
        draw(st.integers(0, 4)),
        draw(st.integers(1, 6)),
        draw(st.integers(1, 3)),
    )
    block = draw(st.sampled_from([1, 2]))
    start = at if block == 1 else 1
    references = "".join(
        f'<GeometryReference Name="Cell {i}" Geometry="Cell"><Break DMXBreak="{block}" DMXOffset="{start + i * stride}"/></GeometryReference>'
        for i in range(cells)
    )
    for index in range(cell_channels):
        own.append((f"Cell{index}", (index + 1,), "Cell", "Overwrite"))
        for i in range(cells):
            slots[f"Cell{index}", i + 1] = ((block, start + i * stride + index),)
        if not cells:
            slots[f"Cell{index}", 0] = ((1, index + 1),)
    channels = "".join(
        f'<DMXChannel DMXBreak="{brk}" Offset="{",".join(map(str, offsets))}" Geometry={quoteattr(geometry)}><LogicalChannel Attribute="{name}">'
        f'<ChannelFunction DMXFrom="0/1"/></LogicalChannel></DMXChannel>'
        for name, offsets, geometry, brk in own
    )
    text = (
        f'<GDTF DataVersion="1.2"><FixtureType Name="Made" Manufacturer="Reed and Oar"><Geometries><Geometry Name="Base">{references}</Geometry>'
        f'<Beam Name="Cell"/></Geometries><DMXModes><DMXMode Name="M" Geometry="Base"><DMXChannels>{channels}</DMXChannels></DMXMode></DMXModes></FixtureType></GDTF>'
    )
    footprints: dict[int, int] = {}
    for places in slots.values():
        for where, offset in places:
            footprints[where] = max(footprints.get(where, 0), offset)
    return Made(text.encode(), slots, footprints)


@given(descriptions())
@settings(max_examples=30)
def test_any_layout_of_channels_cells_and_blocks_is_laid_flat_as_it_was_meant(made: Made) -> None:
    profile = read_description(made.xml, "made").profile
    lay = chart(profile, profile.modes[0])
    assert {(c.attribute, c.cell): c.slots for c in lay.channels} == made.slots
    assert dict(lay.footprints) == made.footprints and lay.footprint == sum(
        made.footprints.values()
    )
    assert chart(profile, profile.modes[0]) is lay  # worked out once
    program = light_program(profile, profile.modes[0])
    assert (
        program.width == lay.footprint and len(program.assembly.parts) >= 1
    )  # the stand-in body: never an invisible unit
    assert program.read(np.zeros((2, program.width), np.uint8)).pan.shape == (2, 1)


def test_a_geometry_that_refers_to_itself_does_not_go_round_for_ever() -> None:
    text = (
        b'<GDTF><FixtureType Name="Loop"><Geometries><Geometry Name="Base"><GeometryReference Name="R" Geometry="Base"/>'
        b'<GeometryReference Name="S" Geometry="Base"/></Geometry></Geometries><DMXModes><DMXMode Name="M" Geometry="Base"/></DMXModes></FixtureType></GDTF>'
    )
    profile = read_description(text, "loop").profile
    program = light_program(profile, profile.modes[0])
    assert len(program.assembly.beams) == 0 and isinstance(profile.geometries[0], Geometry)
    assert math.isfinite(program.read(np.zeros((1, 0), np.uint8)).intensity()[0])


def test_a_cell_made_of_parts_is_one_cell_in_the_chart_and_in_the_picture() -> None:
    text = (
        b'<GDTF><FixtureType Name="Nest"><Geometries><Geometry Name="Base"><GeometryReference Name="A" Geometry="Pod"><Break DMXBreak="1" DMXOffset="1"/>'
        b'</GeometryReference><GeometryReference Name="B" Geometry="Pod"><Break DMXBreak="1" DMXOffset="2"/></GeometryReference></Geometry>'
        b'<Geometry Name="Pod"><GeometryReference Name="L" Geometry="Lens"/><GeometryReference Name="R" Geometry="Lens"/></Geometry><Beam Name="Lens"/>'
        b'</Geometries><DMXModes><DMXMode Name="M" Geometry="Base"><DMXChannels><DMXChannel DMXBreak="Overwrite" Offset="1" Geometry="Pod">'
        b'<LogicalChannel Attribute="Dimmer"><ChannelFunction DMXFrom="0/1"/></LogicalChannel></DMXChannel></DMXChannels></DMXMode></DMXModes></FixtureType></GDTF>'
    )
    profile = read_description(text, "nest").profile
    program = light_program(profile, profile.modes[0])
    assert program.chart.cells == 2 and [beam.cell for beam in program.assembly.beams] == [
        1,
        1,
        2,
        2,
    ]
    bright = program.read(np.array([[255, 0]], np.uint8)).rgb.max(axis=2) > 0.1
    assert bright.tolist() == [[True, True, False, False]]


LIT = '<Geometries><Geometry Name="Base"><Beam Name="Lens" LuminousFlux="1000"/></Geometry></Geometries>'


def _channel(offset: int, *logical: tuple[str, str]) -> str:
    inner = "".join(f'<LogicalChannel Attribute="{a}">{f}</LogicalChannel>' for a, f in logical)
    return f'<DMXChannel Geometry="Base" Offset="{offset}">{inner}</DMXChannel>'


def _function(attribute: str, start: int, low: float, high: float, master: str = "") -> str:
    return (
        f'<ChannelFunction Name="F{start}{attribute}{len(master)}" Attribute="{attribute}" DMXFrom="{start}/1" '
        f'PhysicalFrom="{low}" PhysicalTo="{high}" {master}/>'
    )


def _light(channels: str, *slots: int) -> tuple[float, float]:
    """Intensity and strobe of one unit."""
    profile = read_description(mode(channels, LIT), "made by hand").profile
    state = light_program(profile, profile.modes[0]).read(np.array([slots], np.uint8))
    return float(state.intensity()[0]), float(state.strobe[0, 0])


def test_a_mode_master_says_which_functions_are_in_force() -> None:
    """A shutter of two modes, chosen by a channel of its own: below 32 it is closed in the first; in the second
    it is open to 199 and flashes above."""
    first, second = (
        f'ModeMaster="Base_Control1" ModeFrom="{low}/1" ModeTo="{high}/1"'
        for low, high in ((0, 127), (128, 255))
    )
    channels = _channel(1, ("Control1", _function("Control1", 0, 0, 1))) + _channel(
        2,
        (
            "Shutter1",
            _function("Shutter1", 0, 0, 0, first)
            + _function("Shutter1", 0, 1, 1, second)
            + _function("Shutter1", 32, 1, 1, first)
            + _function("Shutter1Strobe", 200, 1, 12, second),
        ),
    )
    for control, shutter, meant in (
        (0, 10, (0.0, 0.0)),
        (127, 31, (0.0, 0.0)),
        (0, 32, (1.0, 0.0)),
        (0, 220, (1.0, 0.0)),
        (128, 10, (1.0, 0.0)),
        (255, 199, (1.0, 0.0)),
        (200, 200, (1.0, 1.0)),
        (200, 255, (1.0, 12.0)),
    ):
        assert _light(channels, control, shutter) == pytest.approx(meant), (control, shutter)


def test_a_dimmer_with_a_strobe_above_it_gives_the_light_it_really_gives() -> None:
    dimmer = ("Dimmer", _function("Dimmer", 0, 0, 1))
    above = ("Shutter1Strobe", _function("Shutter1Strobe", 200, 2, 13))
    channels = _channel(1, dimmer, above)
    for value, meant in (
        (0, (0, 0)),
        (100, (100 / 199, 0)),
        (199, (1, 0)),
        (200, (1, 2)),
        (255, (1, 13)),
    ):
        assert _light(channels, value) == pytest.approx(meant), value
