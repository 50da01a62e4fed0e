"""What a unit does with the slots it receives: intensity, colour, angles. Batched over units of one
mode.

The same code tells the stage page what is sent, and drives the stand-in units from what they
received.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from functools import cached_property
from itertools import zip_longest

import numpy as np
from numpy.typing import NDArray

from isthmus.profiles.chart import Chart, ChartChannel, chart
from isthmus.profiles.colour import TYPICAL_EMITTERS, XYZ_TO_RGB, rgb_of, white_rgb, xyz_of
from isthmus.profiles.gdtf.values import dmx_value
from isthmus.profiles.geometry import Assembly, assemble
from isthmus.profiles.keep import KeptByMode
from isthmus.profiles.natural import physical_for
from isthmus.profiles.optics import Optics, OpticsReader
from isthmus.profiles.records import ChannelFunction, Mode, Profile, Wheel

Array = NDArray[np.float64]


@dataclass(frozen=True)
class LightState:
    """Of n units with b beams each. `rgb` is linear sRGB relative to the open lamp at full; angles
    in degrees.
    """

    rgb: Array  # (n, b, 3)
    pan: Array  # (n,)
    tilt: Array  # (n,)
    field: Array  # (n, b) full field angle
    strobe: Array  # (n,) Hz, 0 when steady
    optics: Optics | None = None  # None when the mode has none of these channels

    def intensity(self) -> Array:
        """(n,) luminance 0…1 of the brightest beam of each unit."""
        luminance = self.rgb @ np.array([0.2126729, 0.7151522, 0.0721750])
        return luminance.max(axis=1, initial=0.0)


@dataclass(frozen=True)
class _Guard:
    """While another channel stands in a range, a function is in force (a mode master)."""

    columns: tuple[int, ...]
    low: int
    high: int

    def holds(self, slots: NDArray[np.uint8]) -> NDArray[np.bool_]:
        value = _value(slots, self.columns)
        return (value >= self.low) & (value <= self.high)


def _value(slots: NDArray[np.uint8], columns: tuple[int, ...]) -> NDArray[np.int64]:
    """The value (k,) in these columns of bytes (k, slots), coarse first."""
    value = np.zeros(len(slots), np.int64)
    for column in columns:
        value = (value << 8) | slots[:, column]
    return value


@dataclass(frozen=True)
class _Reader:
    """Reads one chart channel from slots: its columns, its functions and what these wait for."""

    item: ChartChannel
    columns: tuple[int, ...]
    functions: tuple[ChannelFunction, ...]
    guards: tuple[_Guard | None, ...] = ()

    def raw(self, slots: NDArray[np.uint8]) -> NDArray[np.int64]:
        """The value of this channel for each of k units, (k,), from bytes (k, slots): coarse and
        fine put together.
        """
        return _value(slots, self.columns)

    def in_force(
        self, slots: NDArray[np.uint8], *attributes: str
    ) -> Iterator[tuple[ChannelFunction, NDArray[np.bool_]]]:
        """Functions of these attributes, and for which units (k,) each is in force."""
        raw = self.raw(slots)
        for function, guard in zip_longest(self.functions, self.guards):
            if function.attribute in attributes:
                here = (raw >= function.dmx_from) & (raw <= function.dmx_to)
                yield function, here if guard is None else here & guard.holds(slots)

    def physical(
        self, slots: NDArray[np.uint8], *attributes: str
    ) -> tuple[Array, NDArray[np.bool_]]:
        """Physical value and whether one of `attributes` is in force (n,), linear between each
        function's ends.
        """
        raw = self.raw(slots)
        value, live = np.zeros(len(raw)), np.zeros(len(raw), bool)
        for function, here in self.in_force(slots, *attributes):
            along = (raw - function.dmx_from) / max(1, function.dmx_to - function.dmx_from)
            span = function.physical_to - function.physical_from
            value = np.where(here, function.physical_from + along * span, value)
            live |= here
        return value, live

    @cached_property
    def gates(self) -> bool:
        """Whether it dims, closes or flashes the light."""
        return any(f.attribute in ("Dimmer", "Shutter1", *STROBES) for f in self.functions)

    def share(self, slots: NDArray[np.uint8]) -> Array:
        """How far a colour is open, 0 … 1 (k,); nothing while another mode takes its channel."""
        share = self.raw(slots) / self.item.top
        if not any(self.guards):
            return share
        live = np.zeros(len(slots), bool)
        for _, here in self.in_force(slots, self.item.attribute):
            live |= here
        return np.where(live, share, 0.0)


STROBES = ("Shutter1Strobe", "Shutter1StrobePulse", "Shutter1StrobeRandom")


class LightProgram:
    """A mode prepared for reading light out of slots; made once, used every frame."""

    def __init__(self, profile: Profile, mode: Mode) -> None:
        self.profile, self.mode = profile, mode
        self.chart: Chart = chart(profile, mode)
        self.assembly: Assembly = assemble(profile, mode)
        starts, total = {}, 0
        for block, size in self.chart.footprints:
            starts[block], total = total, total + size
        self.block_starts: dict[int, int] = starts
        self.width = total
        self._readers: dict[tuple[str, int], _Reader] = {}
        for item in self.chart.channels:
            if item.slots:
                functions = tuple(f for logical in item.channel.logical for f in logical.functions)
                columns = tuple(starts[block] + offset - 1 for block, offset in item.slots)
                guards = tuple(self._guard(f, item.cell) for f in functions)
                self._readers.setdefault(
                    (item.attribute, item.cell), _Reader(item, columns, functions, guards)
                )
        self._emitters = self._find_emitters()
        self._shades: dict[int, list[tuple[int, int, Array, _Guard | None]]] = {}
        self._wheels = {wheel.name: wheel for wheel in profile.wheels}
        iris = next((r.item for (name, _), r in self._readers.items() if name == "Iris"), None)
        iris_open = physical_for(iris, iris.default_level) if iris else 1.0
        self.optics = OpticsReader(self._readers, self._wheels, iris_open)
        beams = self.assembly.beams
        self._white = np.array([white_rgb(b.beam.color_temperature) for b in beams]).reshape(
            len(beams), 3
        )

    def _guard(self, function: ChannelFunction, cell: int) -> _Guard | None:
        """What a function waits for: its master by the name of the channel, in the same cell where
        there are several. A master that is not in the mode binds nothing.
        """
        name = function.mode_master.split(".")[0]
        masters = [
            item
            for item in self.chart.channels
            if name
            and item.slots
            and item.channel.logical
            and f"{item.channel.geometry}_{item.channel.logical[0].attribute}" == name
        ]
        if not masters:
            return None
        master = next((item for item in masters if item.cell == cell), masters[0])
        size = len(master.slots)
        low, high = (
            dmx_value(text or otherwise, size)
            for text, otherwise in ((function.mode_from, "0/1"), (function.mode_to, "255/1"))
        )
        columns = tuple(self.block_starts[block] + offset - 1 for block, offset in master.slots)
        return _Guard(columns, low, high)

    @property
    def has_dimmer(self) -> bool:
        """Whether light has a channel of its own besides colours."""
        return any(attribute == "Dimmer" for attribute, _ in self._readers)

    def _find_emitters(self) -> dict[int, list[tuple[_Reader, Array]]]:
        """Per cell: the additive colour channels with their linear sRGB at full, together of
        luminance 1.
        """
        named = {emitter.name: emitter.color for emitter in self.profile.emitters}
        found: dict[int, list[tuple[_Reader, Array]]] = {}
        for (attribute, cell), reader in self._readers.items():
            if attribute.startswith("ColorAdd_"):
                first = reader.item.channel.first
                color = named.get(first.emitter if first else "") or TYPICAL_EMITTERS.get(
                    attribute[9:], (0.3127, 0.329, 50.0)
                )
                found.setdefault(cell, []).append((reader, XYZ_TO_RGB @ xyz_of(*color)))
        luminance_row = np.array([0.2126729, 0.7151522, 0.0721750])
        for cell, emitters in found.items():
            total = sum(float(luminance_row @ rgb) for _, rgb in emitters) or 1.0
            found[cell] = [(reader, rgb / total) for reader, rgb in emitters]
        return found

    def emitters(self, cell: int) -> list[tuple[str, Array]]:
        """The additive colour attributes of a cell with their linear sRGB at full."""
        return [(reader.item.attribute, rgb) for reader, rgb in self._emitters.get(cell, [])]

    def wheel_slots(self, attribute: str) -> list[tuple[int, Array]]:
        """Each colour a wheel channel can show: (DMX value in the middle of its range, linear sRGB
        relative to open).
        """
        found: list[tuple[int, Array]] = []
        for (name, _), reader in self._readers.items():
            for function in reader.functions if name == attribute else ():
                wheel = self._wheels.get(function.wheel)
                for index, item in enumerate(function.sets if wheel else ()):
                    rgb = _slot_rgb(wheel, item.wheel_slot)
                    if rgb is not None:
                        end = (
                            function.sets[index + 1].dmx_from - 1
                            if index + 1 < len(function.sets)
                            else function.dmx_to
                        )
                        found.append(((item.dmx_from + end) // 2, rgb))
        return found

    def read(self, slots: NDArray[np.uint8]) -> LightState:
        """slots: (n, width) bytes, the blocks one by one."""
        n, beams = len(slots), self.assembly.beams
        rgb = np.zeros((n, len(beams), 3))
        field = np.zeros((n, len(beams)))
        by_cell: dict[int, tuple[Array, Array]] = {}
        unit_light, strobe = self._gate(slots, 0)
        unit_tint = self._tint(slots, 0)
        for index, instance in enumerate(beams):
            cell = instance.cell
            if cell not in by_cell:
                light, tint = unit_light, unit_tint
                if cell:
                    light, tint = light * self._gate(slots, cell)[0], tint * self._tint(slots, cell)
                by_cell[cell] = light, tint
            light, tint = by_cell[cell]
            own = cell if cell in self._emitters else 0
            source = (
                self._emitted(slots, own)
                if own in self._emitters
                else np.broadcast_to(self._white[index], (n, 3))
            )
            rgb[:, index] = np.maximum(source * tint, 0.0) * light[:, None]
            field[:, index] = self._angle(slots, instance.beam.field_angle)
        pan, tilt = self._axis(slots, "Pan"), self._axis(slots, "Tilt")
        return LightState(
            rgb, pan, tilt, field, strobe, self.optics.read(slots) if self.optics.any else None
        )

    def _gate(self, slots: NDArray[np.uint8], cell: int) -> tuple[Array, Array]:
        """Dimmer times shutter (n,), and the strobe rate in Hz (n,).

        Each may be a function of a channel of the other, or of a third: where its function is in
        force it counts. A channel that is a dimmer or a shutter first gives no light where none of
        its functions for light is.
        """
        light, strobe = np.ones(len(slots)), np.zeros(len(slots))
        for (attribute, at), reader in self._readers.items():
            if at != cell or not reader.gates:
                continue
            gate = np.full(len(slots), 0.0 if attribute in ("Dimmer", "Shutter1") else 1.0)
            rate, flashing = reader.physical(slots, *STROBES)
            gate[flashing] = 1.0
            for name in ("Shutter1", "Dimmer"):
                value, live = reader.physical(slots, name)
                gate = np.where(live, np.clip(value, 0, 1), gate)
            light = light * gate
            strobe = np.where(flashing, rate, strobe)
        return light, strobe

    def _emitted(self, slots: NDArray[np.uint8], cell: int) -> Array:
        total = np.zeros((len(slots), 3))
        for reader, rgb in self._emitters[cell]:
            total += reader.share(slots)[:, None] * rgb
        return total

    def _tint(self, slots: NDArray[np.uint8], cell: int) -> Array:
        """Subtractive mixing, colour temperature and wheels together (n, 3)."""
        tint = np.ones((len(slots), 3))
        for index, attribute in enumerate(("ColorSub_C", "ColorSub_M", "ColorSub_Y")):
            if reader := self._readers.get((attribute, cell)):
                tint[:, index] *= 1.0 - reader.share(slots)
        for (attribute, at), reader in self._readers.items():
            if (
                at == cell
                and attribute.startswith("Color")
                and any(f.wheel for f in reader.functions)
            ):
                tint *= self._wheel(reader, slots)
        return tint

    def _wheel(self, reader: _Reader, slots: NDArray[np.uint8]) -> Array:
        raw = reader.raw(slots)
        tint = np.ones((len(raw), 3))
        kept = self._shades.get(id(reader))
        if kept is None:
            kept = self._shades[id(reader)] = [
                (item.dmx_from, function.dmx_to, rgb, guard)
                for function, guard in zip_longest(reader.functions, reader.guards)
                for item in (function.sets if function.wheel in self._wheels else ())
                if (rgb := _slot_rgb(self._wheels[function.wheel], item.wheel_slot)) is not None
            ]
        for first, last, rgb, guard in kept:  # later ranges overwrite earlier ones
            here = (raw >= first) & (raw <= last)
            tint[here if guard is None else here & guard.holds(slots)] = rgb
        return tint

    def _axis(self, slots: NDArray[np.uint8], attribute: str) -> Array:
        reader = next((r for (name, _), r in self._readers.items() if name == attribute), None)
        return reader.physical(slots, attribute)[0] if reader else np.zeros(len(slots))

    def _angle(self, slots: NDArray[np.uint8], field: float) -> Array:
        if zoom := self._readers.get(("Zoom", 0)):
            value, live = zoom.physical(slots, "Zoom")
            return np.where(live & (value > 0.1), np.clip(value, 0.5, 170), field)
        return np.full(len(slots), np.clip(field, 0.5, 170.0))


def _slot_rgb(wheel: Wheel | None, index: int) -> Array | None:
    """Linear sRGB of a wheel slot (counted from 1) relative to open; None when there is no such
    slot.
    """
    if wheel is None or not 1 <= index <= len(wheel.slots):
        return None
    x, y, luminance = wheel.slots[index - 1].color
    return rgb_of(x, y, min(luminance, 100.0) / 100.0)


_KEPT: KeptByMode[LightProgram] = KeptByMode(512)


def light_program(profile: Profile, mode: Mode) -> LightProgram:
    """The prepared mode, made once for each profile object."""
    return _KEPT.get(profile, mode, LightProgram)
