"""What a unit does with the slots it receives: intensity, colour, angles. Batched over units of one
mode.

The same code tells the stage page what is sent, and drives the stand-in units from what they
received.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from isthmus.profiles.chart import Chart, ChartChannel, chart
from isthmus.profiles.colour import (
    LUMINANCE,
    TYPICAL_EMITTERS,
    XYZ_TO_RGB,
    rgb_of,
    white_rgb,
    xyz_of,
)
from isthmus.profiles.geometry import Assembly, assemble
from isthmus.profiles.keep import KeptByMode
from isthmus.profiles.masters import waits_for
from isthmus.profiles.natural import STROBES, physical_for
from isthmus.profiles.optics import GoboSlot, Optics, OpticsReader, shapes
from isthmus.profiles.records import ChannelFunction, Mode, Profile, Wheel

Array = NDArray[np.float64]


@dataclass(frozen=True)
class LightState:
    """Of n units with b beams each. `rgb` is linear sRGB relative to the open lamp at full; angles
    in degrees. `axes` are by attribute and cell: each head has its own, or one they share.
    """

    rgb: Array  # (n, b, 3)
    axes: Mapping[tuple[str, int], Array]  # (n,) each
    field: Array  # (n, b) full field angle
    strobe: Array  # (n, b) Hz, 0 when steady
    optics: tuple[Optics | None, ...] = ()  # by beam; None where it has none of these channels

    @property
    def pan(self) -> Array:
        """(n, heads) degrees of every pan axis, at least one column."""
        return self._all_of("Pan")

    @property
    def tilt(self) -> Array:
        """(n, heads) degrees of every tilt axis, at least one column."""
        return self._all_of("Tilt")

    def _all_of(self, name: str) -> Array:
        found = [value for (attribute, _), value in self.axes.items() if attribute == name]
        return np.stack(found, axis=1) if found else np.zeros((len(self.rgb), 1))

    def intensity(self) -> Array:
        """(n,) luminance 0…1 of the brightest beam of each unit."""
        luminance = self.rgb @ LUMINANCE
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
    value = slots[:, columns[0]].astype(np.int64)
    for column in columns[1:]:
        value = (value << 8) | slots[:, column]
    return value


@dataclass(frozen=True)
class _Reader:
    """Reads one chart channel from slots: its columns, its functions and what these wait for."""

    item: ChartChannel
    columns: tuple[int, ...]
    functions: tuple[ChannelFunction, ...]
    guards: tuple[_Guard | None, ...]  # as many as functions

    def raw(self, slots: NDArray[np.uint8]) -> NDArray[np.int64]:
        """The value of this channel for each of k units, (k,), from bytes (k, slots): coarse and
        fine put together.
        """
        return _value(slots, self.columns)

    def free(self, slots: NDArray[np.uint8], function: int) -> NDArray[np.bool_]:
        """For which units (k,) nothing holds back the function at this index."""
        guard = self.guards[function]
        return np.ones(len(slots), bool) if guard is None else guard.holds(slots)

    def in_force(
        self, slots: NDArray[np.uint8], *attributes: str
    ) -> Iterator[tuple[ChannelFunction, NDArray[np.int64], NDArray[np.bool_]]]:
        """Functions of these attributes, with the values of the channel (k,), and for which units
        (k,) each is in force.
        """
        if self.attributes.isdisjoint(attributes):
            return
        raw = self.raw(slots)
        for function, guard in zip(self.functions, self.guards, strict=True):
            if function.attribute in attributes:
                here = (raw >= function.dmx_from) & (raw <= function.dmx_to)
                yield function, raw, here if guard is None else here & guard.holds(slots)

    def physical(
        self, slots: NDArray[np.uint8], *attributes: str
    ) -> tuple[Array, NDArray[np.bool_]]:
        """Physical value and whether one of `attributes` is in force (n,), linear between each
        function's ends.
        """
        value, live = np.zeros(len(slots)), np.zeros(len(slots), bool)
        for function, raw, here in self.in_force(slots, *attributes):
            along = (raw - function.dmx_from) / max(1, function.dmx_to - function.dmx_from)
            span = function.physical_to - function.physical_from
            value = np.where(here, function.physical_from + along * span, value)
            live |= here
        return value, live

    @cached_property
    def attributes(self) -> frozenset[str]:
        """Of all its functions."""
        return frozenset(f.attribute for f in self.functions)

    @cached_property
    def gates(self) -> bool:
        """Whether it dims, closes or flashes the light."""
        return not self.attributes.isdisjoint(("Dimmer", "Shutter1", *STROBES))

    def share(self, slots: NDArray[np.uint8]) -> Array:
        """How far a colour is open, 0 … 1 (k,); nothing while another mode takes its channel."""
        share = self.raw(slots) / self.item.top
        if not any(self.guards):
            return share
        live = np.zeros(len(slots), bool)
        for *_, here in self.in_force(slots, self.item.attribute):
            live |= here
        return np.where(live, share, 0.0)


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
                guards = tuple(self._guard(f, item.cell) for f in item.functions)
                reader = _Reader(item, self.columns_of(item), item.functions, guards)
                self._readers.setdefault((item.attribute, item.cell), reader)
        self._emitters = self._find_emitters()
        self._shades: dict[int, list[tuple[int, int, Array, _Guard | None]]] = {}
        self._wheels = {wheel.name: wheel for wheel in profile.wheels}
        self._by_cell: dict[int, list[_Reader]] = {}
        for (_, cell), reader in self._readers.items():
            self._by_cell.setdefault(cell, []).append(reader)
        self.gobos: list[GoboSlot] = []
        self._optics: dict[tuple[int, ...], OpticsReader] = {}
        beams = self.assembly.beams
        self._shaped_by = [self._shaping_cells(instance.around) for instance in beams]
        for cells in filter(None, self._shaped_by):
            if cells not in self._optics:
                self._optics[cells] = self._optics_of(cells)
        self._white = np.array([white_rgb(b.beam.color_temperature) for b in beams]).reshape(
            len(beams), 3
        )

    def _guard(self, function: ChannelFunction, cell: int) -> _Guard | None:
        waits = waits_for(self.chart, function, cell)
        if waits is None:
            return None
        return _Guard(self.columns_of(waits.master), waits.low, waits.high)

    def columns_of(self, item: ChartChannel) -> tuple[int, ...]:
        """Where a channel stands among all slots of the mode, from 0, coarse first."""
        return tuple(self.block_starts[block] + offset - 1 for block, offset in item.slots)

    def _shaping_cells(self, around: tuple[int, ...]) -> tuple[int, ...]:
        """Those of a beam's cells that have a channel which shapes it: gobos, prism, framing …"""
        return tuple(
            cell
            for cell in around
            if any(shapes(reader.item.attribute) for reader in self._by_cell.get(cell, ()))
        )

    def _optics_of(self, cells: tuple[int, ...]) -> OpticsReader:
        """Of each attribute the channel in the innermost of these cells."""
        near: dict[str, _Reader] = {}
        for cell in cells:
            for reader in self._by_cell[cell]:
                near.setdefault(reader.item.attribute, reader)
        iris = near["Iris"].item if "Iris" in near else None
        iris_open = physical_for(iris, iris.default_level) if iris else 1.0
        return OpticsReader(near, self._wheels, iris_open, self.gobos)

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
        luminance_row = LUMINANCE
        for cell, emitters in found.items():
            total = sum(float(luminance_row @ rgb) for _, rgb in emitters) or 1.0
            found[cell] = [(reader, rgb / total) for reader, rgb in emitters]
        return found

    def emitters(self, cell: int) -> list[tuple[str, Array]]:
        """The additive colour attributes of a cell with their linear sRGB at full."""
        return [(reader.item.attribute, rgb) for reader, rgb in self._emitters.get(cell, [])]

    def wheel_slots(self, attribute: str, cell: int) -> list[tuple[int, Array, ChannelFunction]]:
        """Each colour a wheel channel can show: (DMX value in the middle of its range, linear sRGB
        relative to open, the function it is of).
        """
        found: list[tuple[int, Array, ChannelFunction]] = []
        reader = self._readers.get((attribute, cell))
        for function in reader.functions if reader else ():
            wheel = self._wheels.get(function.wheel)
            for index, item in enumerate(function.sets if wheel else ()):
                rgb = _slot_rgb(wheel, item.wheel_slot)
                if rgb is not None:
                    last = index + 1 == len(function.sets)
                    end = function.dmx_to if last else function.sets[index + 1].dmx_from - 1
                    found.append(((item.dmx_from + end) // 2, rgb, function))
        return found

    def read(self, slots: NDArray[np.uint8]) -> LightState:
        """slots: (n, width) bytes, the blocks one by one."""
        n, beams = len(slots), self.assembly.beams
        rgb = np.zeros((n, len(beams), 3))
        field, strobe = np.zeros((n, len(beams))), np.zeros((n, len(beams)))
        through = _Through(self, slots)
        for index, instance in enumerate(beams):
            light, strobe[:, index], tint = through(instance.around)
            source = through.emitted(instance.around)
            if source is None:
                source = np.broadcast_to(self._white[index], (n, 3))
            rgb[:, index] = np.maximum(source * tint, 0.0) * light[:, None]
            field[:, index] = through.angle(instance.around, instance.beam.field_angle)
        axes = {
            key: reader.physical(slots, key[0])[0]
            for key, reader in self._readers.items()
            if key[0] in ("Pan", "Tilt")
        }
        shaped = {cells: reader.read(slots) for cells, reader in self._optics.items()}
        optics = tuple(map(shaped.get, self._shaped_by)) if shaped else ()
        return LightState(rgb, axes, field, strobe, optics)

    def gate(self, slots: NDArray[np.uint8], cell: int) -> tuple[Array, Array]:
        """Dimmer times shutter (n,), and the strobe rate in Hz (n,).

        Each may be a function of a channel of the other, or of a third: where its function is in
        force it counts. A channel that is a dimmer or a shutter first gives no light where none of
        its functions for light is.
        """
        light, strobe = np.ones(len(slots)), np.zeros(len(slots))
        for reader in self._by_cell.get(cell, ()):
            if not reader.gates:
                continue
            own = reader.item.attribute in ("Dimmer", "Shutter1")
            gate = np.full(len(slots), 0.0 if own else 1.0)
            if not reader.attributes.isdisjoint(STROBES):
                rate, flashing = reader.physical(slots, *STROBES)
                gate[flashing] = 1.0
                strobe = np.where(flashing, rate, strobe)
            for name in ("Shutter1", "Dimmer"):
                if name in reader.attributes:
                    value, live = reader.physical(slots, name)
                    gate = np.where(live, np.minimum(np.maximum(value, 0.0), 1.0), gate)
            light = light * gate
        return light, strobe

    def emits(self, cell: int) -> bool:
        """Whether a cell has colours of its own to mix light from."""
        return cell in self._emitters

    def emitted(self, slots: NDArray[np.uint8], cell: int) -> Array:
        """Linear sRGB (n, 3) of what a cell's own emitters give."""
        total = np.zeros((len(slots), 3))
        for reader, rgb in self._emitters[cell]:
            total += reader.share(slots)[:, None] * rgb
        return total

    def tint(self, slots: NDArray[np.uint8], cell: int) -> Array:
        """Subtractive mixing, colour temperature and wheels together (n, 3)."""
        tint = np.ones((len(slots), 3))
        for index, attribute in enumerate(("ColorSub_C", "ColorSub_M", "ColorSub_Y")):
            if reader := self._readers.get((attribute, cell)):
                tint[:, index] *= 1.0 - reader.share(slots)
        for reader in self._by_cell.get(cell, ()):
            colours = reader.item.attribute.startswith("Color")
            if colours and any(f.wheel for f in reader.functions):
                tint *= self._wheel(reader, slots)
        return tint

    def zoom(self, slots: NDArray[np.uint8], around: tuple[int, ...]) -> Array | None:
        """(n,) full field angle in degrees by the innermost zoom, NaN where it does not say; None
        without one.
        """
        readers = (self._readers.get(("Zoom", cell)) for cell in around)
        reader = next((r for r in readers if r), None)
        if reader is None:
            return None
        value, live = reader.physical(slots, "Zoom")
        return np.where(live & (value > 0.1), np.clip(value, 0.5, 170), np.nan)

    def _wheel(self, reader: _Reader, slots: NDArray[np.uint8]) -> Array:
        raw = reader.raw(slots)
        tint = np.ones((len(raw), 3))
        kept = self._shades.get(id(reader))
        if kept is None:
            kept = self._shades[id(reader)] = [
                (item.dmx_from, function.dmx_to, rgb, guard)
                for function, guard in zip(reader.functions, reader.guards, strict=True)
                for item in (function.sets if function.wheel in self._wheels else ())
                if (rgb := _slot_rgb(self._wheels[function.wheel], item.wheel_slot)) is not None
            ]
        for first, last, rgb, guard in kept:  # later ranges overwrite earlier ones
            here = (raw >= first) & (raw <= last)
            tint[here if guard is None else here & guard.holds(slots)] = rgb
        return tint


class _Through:
    """What the channels of cells, and of those around them, make of their light; each cell is read
    once.
    """

    def __init__(self, program: LightProgram, slots: NDArray[np.uint8]) -> None:
        self._program, self._slots = program, slots
        self._kept: dict[tuple[int, ...], tuple[Array, Array, Array]] = {}
        self._emitted: dict[int, Array] = {}
        self._zooms: dict[tuple[int, ...], Array | None] = {}

    def __call__(self, around: tuple[int, ...]) -> tuple[Array, Array, Array]:
        """Light 0 … 1 (n,), strobe in Hz (n,), tint (n, 3) of a cell within others."""
        found = self._kept.get(around)
        if found is None:
            light, strobe = self._program.gate(self._slots, around[0])
            tint = self._program.tint(self._slots, around[0])
            if around[1:]:
                light_around, strobe_around, tint_around = self(around[1:])
                light, tint = light * light_around, tint * tint_around
                strobe = np.where(strobe > 0, strobe, strobe_around)
            found = self._kept[around] = light, strobe, tint
        return found

    def emitted(self, around: tuple[int, ...]) -> Array | None:
        """Linear sRGB (n, 3) of the innermost emitters; None where the lamp's own white counts."""
        cell = next((cell for cell in around if self._program.emits(cell)), None)
        if cell is not None and cell not in self._emitted:
            self._emitted[cell] = self._program.emitted(self._slots, cell)
        return None if cell is None else self._emitted[cell]

    def angle(self, around: tuple[int, ...], field: float) -> Array:
        """Full field angle in degrees (n,): of the zoom where it says, else of the lens."""
        if around not in self._zooms:
            self._zooms[around] = self._program.zoom(self._slots, around)
        zoom, still = self._zooms[around], np.full(len(self._slots), np.clip(field, 0.5, 170.0))
        return still if zoom is None else np.where(np.isnan(zoom), still, zoom)


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
