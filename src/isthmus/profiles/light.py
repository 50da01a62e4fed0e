"""What a unit does with the slots it receives: intensity, colour, angles. Batched over units of one
mode.

The same code tells the stage page what is sent, and drives the stand-in units from what they
received.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from isthmus.profiles.chart import Chart, ChartChannel, chart
from isthmus.profiles.colour import TYPICAL_EMITTERS, XYZ_TO_RGB, rgb_of, white_rgb, xyz_of
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
class _Reader:
    """Reads one chart channel from slots: which columns, which functions."""

    item: ChartChannel
    columns: tuple[int, ...]
    functions: tuple[ChannelFunction, ...]

    def raw(self, slots: NDArray[np.uint8]) -> NDArray[np.int64]:
        """The value of this channel for each of k units, (k,), from bytes (k, slots): coarse and
        fine put together.
        """
        value = np.zeros(len(slots), np.int64)
        for column in self.columns:
            value = (value << 8) | slots[:, column]
        return value

    def physical(
        self, slots: NDArray[np.uint8], *attributes: str
    ) -> tuple[Array, NDArray[np.bool_]]:
        """Physical value and whether one of `attributes` is in force (n,), linear between each
        function's ends.
        """
        raw = self.raw(slots)
        value, live = np.zeros(len(raw)), np.zeros(len(raw), bool)
        for function in self.functions:
            if function.attribute in attributes:
                here = (raw >= function.dmx_from) & (raw <= function.dmx_to)
                along = (raw - function.dmx_from) / max(1, function.dmx_to - function.dmx_from)
                value = np.where(
                    here,
                    function.physical_from
                    + along * (function.physical_to - function.physical_from),
                    value,
                )
                live |= here
        return value, live


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
                self._readers.setdefault(
                    (item.attribute, item.cell), _Reader(item, columns, functions)
                )
        self._emitters = self._find_emitters()
        self._shades: dict[int, list[tuple[int, int, Array]]] = {}
        self._wheels = {wheel.name: wheel for wheel in profile.wheels}
        iris = next((r.item for (name, _), r in self._readers.items() if name == "Iris"), None)
        iris_open = physical_for(iris, iris.default_level) if iris else 1.0
        self.optics = OpticsReader(self._readers, self._wheels, iris_open)
        beams = self.assembly.beams
        self._white = np.array([white_rgb(b.beam.color_temperature) for b in beams]).reshape(
            len(beams), 3
        )

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
        """Dimmer times shutter (n,), and the strobe rate in Hz (n,)."""
        light, strobe = np.ones(len(slots)), np.zeros(len(slots))
        if dimmer := self._readers.get(("Dimmer", cell)):
            value, live = dimmer.physical(slots, "Dimmer")
            light = np.where(live, np.clip(value, 0, 1), 0.0)
        if shutter := self._readers.get(("Shutter1", cell)):
            value, live = shutter.physical(slots, "Shutter1")
            rate, flashing = shutter.physical(
                slots, "Shutter1Strobe", "Shutter1StrobePulse", "Shutter1StrobeRandom"
            )
            light = light * np.where(live, np.clip(value, 0, 1), np.where(flashing, 1.0, 0.0))
            strobe = np.where(flashing, rate, 0.0)
        return light, strobe

    def _emitted(self, slots: NDArray[np.uint8], cell: int) -> Array:
        total = np.zeros((len(slots), 3))
        for reader, rgb in self._emitters[cell]:
            total += (reader.raw(slots) / reader.item.top)[:, None] * rgb
        return total

    def _tint(self, slots: NDArray[np.uint8], cell: int) -> Array:
        """Subtractive mixing, colour temperature and wheels together (n, 3)."""
        tint = np.ones((len(slots), 3))
        for index, attribute in enumerate(("ColorSub_C", "ColorSub_M", "ColorSub_Y")):
            if reader := self._readers.get((attribute, cell)):
                tint[:, index] *= 1.0 - reader.raw(slots) / reader.item.top
        for (attribute, at), reader in self._readers.items():
            if (
                at == cell
                and attribute.startswith("Color")
                and any(f.wheel for f in reader.functions)
            ):
                tint *= self._wheel(reader, reader.raw(slots))
        return tint

    def _wheel(self, reader: _Reader, raw: NDArray[np.int64]) -> Array:
        tint = np.ones((len(raw), 3))
        kept = self._shades.get(id(reader))
        if kept is None:
            kept = self._shades[id(reader)] = [
                (item.dmx_from, function.dmx_to, rgb)
                for function in reader.functions
                for item in (function.sets if function.wheel in self._wheels else ())
                if (rgb := _slot_rgb(self._wheels[function.wheel], item.wheel_slot)) is not None
            ]
        for first, last, rgb in kept:  # later ranges overwrite earlier ones
            tint[(raw >= first) & (raw <= last)] = rgb
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
