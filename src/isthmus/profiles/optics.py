"""What a unit does to its beam besides level, colour and angle: iris, frost, gobos, prism, framing.
Batched, of one mode.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import NamedTuple, Protocol

import numpy as np
from numpy.typing import NDArray

from isthmus.profiles.records import ChannelFunction, Wheel, WheelSlot

Array = NDArray[np.float64]
BLADES = 4
_SMALLEST_IRIS = 0.06
_COUNTS = {"two": 2, "three": 3, "four": 4, "five": 5, "six": 6, "seven": 7, "eight": 8}
_OPEN = ("open", "none", "off", "no gobo", "no prism", "out")


def shapes(attribute: str) -> bool:
    """Whether a channel of this attribute shapes the beam."""
    return bool(re.fullmatch(r"Gobo\d+|Prism1|Iris|Frost\d+|Blade\d[AB]", attribute))


class Reader(Protocol):
    """How one channel is read, as the light program has it."""

    @property
    def functions(self) -> tuple[ChannelFunction, ...]: ...
    def raw(self, slots: NDArray[np.uint8]) -> NDArray[np.int64]: ...
    def free(self, slots: NDArray[np.uint8], function: int) -> NDArray[np.bool_]: ...
    def physical(
        self, slots: NDArray[np.uint8], *attributes: str
    ) -> tuple[Array, NDArray[np.bool_]]: ...


GoboSlot = tuple[str, int, WheelSlot]  # wheel, slot from 1, its record


class Range(NamedTuple):
    """DMX values of a channel that bring in `what`, while the function they are of is in force."""

    first: int
    last: int
    function: int  # its index in the reader
    what: int


@dataclass(frozen=True)
class Optics:
    """Of n units. `iris` and `frost` 0…1 (iris 1 is open); `gobo` indexes the mode's gobos, −1 when
    open; turns in degrees, spins in degrees a second; `prism` copies, 0 without; `blades` (n, 4,
    2): how far from the axis each cut lies (1 is the field's edge, infinite when out) and the
    direction it comes from, radians.
    """

    iris: Array
    frost: Array
    gobo: NDArray[np.int64]
    turn: Array
    spin: Array
    prism: NDArray[np.int64]
    prism_turn: Array
    blades: Array


class OpticsReader:
    """Made once for the beams of a cell; `first` are the channels that serve them. What gobos it
    has it adds to `gobos`, which all cells of a mode share.
    """

    def __init__(
        self,
        first: Mapping[str, Reader],
        wheels: Mapping[str, Wheel],
        iris_open: float,
        gobos: list[GoboSlot],
    ) -> None:
        self._first = first
        self._gobos = gobos
        self._gobo_ranges: list[tuple[Reader, list[Range]]] = []
        for attribute in sorted(a for a in first if re.fullmatch(r"Gobo\d+", a)):
            self._gobo_ranges.append(
                (first[attribute], self._slots(first[attribute], wheels, self._add_gobo))
            )
        prism = first.get("Prism1")
        self._prism_ranges = self._slots(prism, wheels, _copies) if prism else []
        self._iris_open = iris_open
        self._framed = any(re.fullmatch(r"Blade\d[AB]", a) for a in first)

    def _add_gobo(self, wheel: str, index: int, slot: WheelSlot) -> int:
        if (wheel, index, slot) not in self._gobos:
            self._gobos.append((wheel, index, slot))
        return self._gobos.index((wheel, index, slot))

    @staticmethod
    def _slots(
        reader: Reader, wheels: Mapping[str, Wheel], make: Callable[[str, int, WheelSlot], int]
    ) -> list[Range]:
        """Every range that is not open; `make` gives what, from wheel name,
        slot and its record.
        """
        found = []
        for place, function in enumerate(reader.functions):
            wheel = wheels.get(function.wheel)
            sets = sorted(function.sets, key=lambda s: s.dmx_from)
            for index, item in enumerate(sets):
                end = sets[index + 1].dmx_from - 1 if index + 1 < len(sets) else function.dmx_to
                known = wheel is not None and 1 <= item.wheel_slot <= len(wheel.slots)
                slot = (
                    wheel.slots[item.wheel_slot - 1]
                    if wheel is not None and known
                    else WheelSlot(name=item.name)
                )
                if (
                    slot.name.strip().lower() not in _OPEN
                    and item.name.strip().lower() not in _OPEN
                    and end >= item.dmx_from
                ):
                    what = make(function.wheel, item.wheel_slot, slot)
                    found.append(Range(item.dmx_from, end, place, what))
            if (
                not sets
                and function.attribute.startswith("Prism")
                and "Pos" not in function.attribute
            ):
                middle = (function.dmx_from + function.dmx_to) // 2 + 1
                found.append(Range(middle, function.dmx_to, place, 3))
        return found

    def read(self, slots: NDArray[np.uint8]) -> Optics:
        n = len(slots)
        gobo, turn, spin = np.full(n, -1), np.zeros(n), np.zeros(n)
        for reader, ranges in self._gobo_ranges:
            gobo = np.where(gobo < 0, _in_ranges(reader, slots, ranges, -1), gobo)
        for attribute, reader in self._first.items():
            if re.fullmatch(r"Gobo\d+Pos", attribute):
                turn += reader.physical(slots, attribute)[0]
                spin += reader.physical(slots, f"{attribute}Rotate")[0]
        prism = (
            _in_ranges(self._first["Prism1"], slots, self._prism_ranges, 0)
            if self._prism_ranges
            else np.zeros(n, np.int64)
        )
        prism_turn = self._value(slots, "Prism1Pos", 0.0)
        return Optics(
            self._iris(slots),
            np.clip(self._value(slots, "Frost1", 0.0), 0, 1),
            gobo,
            turn,
            spin,
            prism,
            prism_turn,
            self._blades(slots),
        )

    def _value(self, slots: NDArray[np.uint8], attribute: str, otherwise: float) -> Array:
        reader = self._first.get(attribute)
        if reader is None:
            return np.full(len(slots), otherwise)
        value, live = reader.physical(slots, attribute)
        return np.where(live, value, otherwise)

    def _iris(self, slots: NDArray[np.uint8]) -> Array:
        """The end of its range an iris stands at by default is the open one: charts write it either
        way.
        """
        closing = np.abs(self._value(slots, "Iris", self._iris_open) - self._iris_open)
        return np.clip(1.0 - closing, _SMALLEST_IRIS, 1.0)

    def _blades(self, slots: NDArray[np.uint8]) -> Array:
        """Two ends of a blade give its depth and its slant; all are turned together by the shaper's
        own turn.
        """
        made = np.full((len(slots), BLADES, 2), np.inf)
        if not self._framed:
            return made
        whole = self._value(slots, "ShaperRot", 0.0)
        for index in range(BLADES):
            a, b = (
                np.clip(self._value(slots, f"Blade{index + 1}{end}", 0.0), 0, 1) for end in "AB"
            )
            own = self._value(slots, f"Blade{index + 1}Rot", 0.0)
            slant = (
                np.degrees(np.arctan2(b - a, 2.0))
                if f"Blade{index + 1}B" in self._first
                else np.zeros(len(slots))
            )
            depth = (a + b) / 2 if f"Blade{index + 1}B" in self._first else a
            made[:, index, 0] = np.where(depth > 1e-3, 1.0 - depth, np.inf)
            made[:, index, 1] = np.radians(90.0 - 90.0 * index + whole + own + slant)
        return made


def _in_ranges(
    reader: Reader, slots: NDArray[np.uint8], ranges: Sequence[Range], otherwise: int
) -> NDArray[np.int64]:
    raw = reader.raw(slots)
    found = np.full(len(raw), otherwise)
    for first, last, function, what in ranges:
        found[(raw >= first) & (raw <= last) & reader.free(slots, function)] = what
    return found


def _copies(wheel: str, index: int, slot: WheelSlot) -> int:
    """How many copies a prism makes: its facets, the number in its name, else three."""
    if slot.facets:
        return min(len(slot.facets), 12)
    for word in re.findall(r"\w+", slot.name.lower()):
        if word in _COUNTS:
            return _COUNTS[word]
        if word.isdigit() and 2 <= int(word) <= 12:
            return int(word)
    return 3
