"""The last thing done to what is sent: bytes outside a limit are brought back, whatever laid them
there.

Levels are limited when they are shaped, so that what is asked and what is sent can be shown side by
side. Bytes also come from elsewhere (a slot that is proven, a hunt, a held universe, a capture), so
every row goes through here once more before it leaves. Only slots named in a proof that was allowed
by name go past.
"""

from __future__ import annotations

import math
from collections.abc import Collection, Iterable, Iterator, Mapping
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from isthmus.output.compile import Compiled
from isthmus.show.records import SLOTS, Limit, Show, Unit

if TYPE_CHECKING:
    from isthmus.profiles.chart import ChartChannel

Slot = tuple[int, int]  # universe, address
_EPS = 1e-6  # of a DMX step


def ends_in(limit: Limit, top: int) -> tuple[int, int]:
    """The lowest and highest DMX value inside a limit; where no value lies inside, the
    nearest one.
    """
    low, high = math.ceil(limit.low * top - _EPS), math.floor(limit.high * top + _EPS)
    if low > high:
        low = high = round(limit.low * top)
    return max(0, low), min(top, high)


def limited(limit: Limit, items: Iterable[ChartChannel]) -> list[tuple[ChartChannel, int, int]]:
    """(channel, lowest, highest DMX value) of what a limit of a unit binds.

    A limit of the intensity of a unit without a dimmer binds each of its colours from above.
    """
    channels = list(items)
    mine = [(c, *ends_in(limit, c.top)) for c in channels if c.attribute == limit.attribute]
    if mine or limit.attribute != "Dimmer":
        return mine
    return [
        (c, 0, ends_in(limit, c.top)[1]) for c in channels if c.attribute.startswith("ColorAdd_")
    ]


def bound(
    limits: Iterable[Limit], items: Iterable[ChartChannel]
) -> list[tuple[ChartChannel, int, int]]:
    """(channel, lowest, highest DMX value) of every channel that limits of a unit bind.

    Where two bind one channel, what both allow; where nothing is, the lower of the highest values:
    rather dark than too bright.
    """
    channels, found = list(items), {}
    for limit in limits:
        for item, low, high in limited(limit, channels):
            _, lowest, highest = found.get(id(item), (item, low, high))
            highest = min(high, highest)
            found[id(item)] = item, min(max(low, lowest), highest), highest
    return list(found.values())


@dataclass(frozen=True)
class _Group:
    """Limited channels of one resolution. slots: (n, resolution) places in the flat frame, coarse
    first.
    """

    slots: NDArray[np.int64]
    low: NDArray[np.int64]
    high: NDArray[np.int64]
    numbers: NDArray[np.int64]  # of their units


class Bounds:
    """The limits of a show over a flat frame of its compiled rows."""

    def __init__(self, show: Show, compiled: Compiled) -> None:
        self._rows = {universe: row for row, universe in enumerate(compiled.universes)}
        found: dict[int, list[tuple[tuple[int, ...], int, int, int]]] = {}
        from isthmus.profiles import chart, profiles_of  # who only holds to them needs none

        profiles = profiles_of(show)
        for unit in (u for u in show.units if u.limits):
            mode = profiles.mode_of(unit)
            channels = chart(*mode).channels if mode else ()
            for item, low, high in bound(unit.limits, channels):
                for at in self._places(unit, item):
                    found.setdefault(len(at), []).append((at, low, high, unit.number))
        self._groups = [
            _Group(
                np.array([f[0] for f in items], np.int64).reshape(-1, resolution),
                *(np.array([f[i] for f in items], np.int64) for i in (1, 2, 3)),
            )
            for resolution, items in sorted(found.items())
        ]

    def _places(self, unit: Unit, item: ChartChannel) -> Iterator[tuple[int, ...]]:
        """Where a channel lies in the flat frame, coarse first, for each block of the unit that has
        it and is sent.
        """
        for patched in unit.patch:
            row = self._rows.get(patched.universe)
            at = [
                patched.address + offset - 1
                for block, offset in item.slots
                if block == patched.block
            ]
            if row is not None and at and min(at) >= 1 and max(at) <= SLOTS:
                yield tuple(row * SLOTS + a - 1 for a in at)

    def __bool__(self) -> bool:
        return bool(self._groups)

    def _flat(self, slots: Collection[Slot]) -> NDArray[np.int64]:
        return np.array(
            [self._rows[u] * SLOTS + a - 1 for u, a in slots if u in self._rows], np.int64
        )

    def _out(
        self, frame: NDArray[np.uint8], group: _Group, beyond: NDArray[np.int64]
    ) -> tuple[NDArray[np.bool_], NDArray[np.int64]]:
        """Which channels are outside, and where the limit would have them."""
        value = np.zeros(len(group.low), np.int64)
        for column in group.slots.T:
            value = value * 256 + frame[column]
        held = np.clip(value, group.low, group.high)
        out = held != value
        if len(beyond):
            out &= ~np.isin(group.slots, beyond).any(axis=1)
        return out, held

    def hold(self, frame: NDArray[np.uint8], beyond: Collection[Slot] = ()) -> None:
        """Bring a flat frame inside, in place; channels with a slot in `beyond` are left as they
        are.
        """
        free = self._flat(beyond)
        for group in self._groups:
            out, held = self._out(frame, group, free)
            if out.any():
                for byte, column in enumerate(reversed(group.slots.T)):
                    frame[column[out]] = (held[out] >> (8 * byte)) & 255

    def hold_row(self, universe: int, row: NDArray[np.uint8]) -> NDArray[np.uint8]:
        """One universe's slots, inside."""
        at = self._rows.get(universe)
        if at is None or not self._groups:
            return row
        whole = np.zeros(len(self._rows) * SLOTS, np.uint8)
        for (
            group
        ) in self._groups:  # channels elsewhere are inside, so that only this row is looked at
            for byte, column in enumerate(reversed(group.slots.T)):
                whole[column] = (group.low >> (8 * byte)) & 255
        whole[at * SLOTS : (at + 1) * SLOTS] = row
        self.hold(whole)
        return whole[at * SLOTS : (at + 1) * SLOTS].copy()

    def held_back(self, frame: NDArray[np.uint8], slots: Mapping[Slot, int]) -> list[int]:
        """Numbers of the units whose limits would hold back these bytes laid over a frame."""
        if not self._groups or not slots:
            return []
        laid = frame.copy()
        where = self._flat(slots)
        laid[where] = [value for (universe, _), value in slots.items() if universe in self._rows]
        numbers: set[int] = set()
        for group in self._groups:
            out, _ = self._out(laid, group, np.zeros(0, np.int64))
            out &= np.isin(group.slots, where).any(axis=1)
            numbers |= set(group.numbers[out].tolist())
        return sorted(numbers)
