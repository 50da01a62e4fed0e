"""From what is asked to what is sent: swapped, inverted and offset axes, dimmer curves, limits.
Limits come last.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from isthmus.output.bounds import bound, limited
from isthmus.output.compile import Compiled, Levels
from isthmus.show.records import PLAIN_HANDLING, Handling, Show, Unit

if TYPE_CHECKING:
    from isthmus.profiles.chart import ChartChannel

    Place = tuple[int, str, int, ChartChannel]  # cell, attribute, parameter, channel

Index = NDArray[np.int64]
CURVE_STEPS = 257


@dataclass(frozen=True)
class Shaping:
    """What is done to parameters by their index. Nothing is copied when nothing is to be done."""

    swaps: tuple[Index, Index]
    inverted: Index
    offsets: tuple[Index, Levels]
    curves: tuple[tuple[Index, Levels], ...]  # parameters, sent levels for asked 0, 1/256 … 1
    colours: tuple[
        Index, Index, Levels
    ]  # colours of units without a dimmer, where each unit's begin, and their highest level
    limits: tuple[Index, Levels, Levels]

    @property
    def plain(self) -> bool:
        """Whether nothing is done to any parameter."""
        return not (
            len(self.swaps[0])
            or len(self.inverted)
            or len(self.offsets[0])
            or self.curves
            or len(self.limits[0])
        )

    def apply(self, asked: Levels) -> Levels:
        """The levels that are sent."""
        if self.plain:
            return asked
        sent = asked.copy()
        pan, tilt = self.swaps
        sent[pan], sent[tilt] = asked[tilt], asked[pan]
        sent[self.inverted] = 1 - sent[self.inverted]
        where, by = self.offsets
        sent[where] += by
        for index, table in self.curves:
            sent[index] = np.interp(sent[index], np.linspace(0, 1, CURVE_STEPS), table)
        where, starts, most = self.colours
        if len(where):  # dimmed together, so that the colour stays
            share = np.minimum(1, most / np.maximum(np.maximum.reduceat(sent[where], starts), 1e-9))
            sent[where] *= np.repeat(share, np.diff(np.append(starts, len(where))))
        where, low, high = self.limits
        sent[where] = np.clip(sent[where], low, high)
        return np.clip(sent, 0.0, 1.0)


def curve_table(handling: Handling) -> Levels | None:
    """Sent levels for asked 0 … 1; None for a straight line."""
    asked = np.linspace(0, 1, CURVE_STEPS, dtype=np.float32)
    if handling.curve == "square":
        return asked**2
    if handling.curve == "s":
        return asked * asked * (3 - 2 * asked)
    if handling.curve == "points" and len(handling.points) > 1:
        x, y = np.array(handling.points).T
        return np.interp(asked, x, y).astype(np.float32)
    return None


class _Gathering:
    """Of all units with limits or a handling of their own: what is done to which parameter."""

    def __init__(self, compiled: Compiled) -> None:
        self.places = compiled.places
        self.swaps: list[tuple[int, int]] = []
        self.inverted: list[int] = []
        self.offsets: dict[int, float] = {}
        self.curves: dict[tuple[str, tuple], list[int]] = defaultdict(list)
        self.tables: dict[tuple[str, tuple], Levels] = {}
        self.limits: dict[int, tuple[float, float]] = {}
        self.dimmed: list[tuple[list[int], float]] = []

    def add(self, unit: Unit) -> None:
        """Gather what is done to the parameters of a unit."""
        mine = list(self.places.of_unit(unit.id))
        self._add_axes(unit.handling, mine)
        self._add_curve(unit.handling, mine)
        self._add_limits(unit, mine)

    def _add_axes(self, how: Handling, mine: Sequence[Place]) -> None:
        axes: dict[str, list[tuple[int, float]]] = {"Pan": [], "Tilt": []}
        for _, attribute, place, item in mine:
            if attribute in axes:
                axes[attribute].append((place, _span(item)))
        if how.swap:
            pairs = zip(axes["Pan"], axes["Tilt"], strict=False)
            self.swaps.extend((pan, tilt) for (pan, _), (tilt, _) in pairs)
        for name, inverts, by in (
            ("Pan", how.invert_pan, how.pan_offset),
            ("Tilt", how.invert_tilt, how.tilt_offset),
        ):
            for place, span in axes[name]:
                if inverts:
                    self.inverted.append(place)
                if by and span:
                    self.offsets[place] = by / span

    def _add_curve(self, how: Handling, mine: Sequence[Place]) -> None:
        table = curve_table(how)
        if table is not None:
            key = how.curve, how.points
            self.tables[key] = table
            self.curves[key] += [place for _, attribute, place, _ in mine if attribute == "Dimmer"]

    def _add_limits(self, unit: Unit, mine: Sequence[Place]) -> None:
        places: dict[int, list[int]] = defaultdict(list)
        for _, _, place, item in mine:
            places[id(item)].append(place)
        items = {id(item): item for _, _, _, item in mine}
        for item, low, high in bound(unit.limits, items.values()):
            for place in places[id(item)]:
                self.limits[place] = low / item.top, high / item.top
        for limit in unit.limits:
            # a level limited on colours is the light of them together, not of each
            capped = [i for i, _, _ in limited(limit, items.values()) if i.attribute != "Dimmer"]
            if limit.attribute == "Dimmer" and capped:
                all_of = [place for item in capped for place in places[id(item)]]
                self.dimmed.append((all_of, limit.high))

    def shaping(self) -> Shaping:
        """What was gathered, as index arrays."""
        ends = np.array(list(self.limits.values()), np.float32).reshape(-1, 2)
        pairs = np.array(self.swaps, np.int64).reshape(-1, 2)
        offsets = np.array(list(self.offsets.values()), np.float32)
        return Shaping(
            (pairs[:, 0], pairs[:, 1]),
            np.array(self.inverted, np.int64),
            (np.array(list(self.offsets), np.int64), offsets),
            tuple(
                (np.array(places, np.int64), self.tables[key])
                for key, places in self.curves.items()
                if places
            ),
            self._colours(),
            (np.array(list(self.limits), np.int64), ends[:, 0], ends[:, 1]),
        )

    def _colours(self) -> tuple[Index, Index, Levels]:
        counts = [len(places) for places, _ in self.dimmed]
        return (
            np.array([p for places, _ in self.dimmed for p in places], np.int64),
            np.cumsum([0, *counts], dtype=np.int64)[:-1],
            np.array([most for _, most in self.dimmed], np.float32),
        )


def shape_show(show: Show, compiled: Compiled) -> Shaping:
    """Prepare the shaping of all units that have any."""
    gathering = _Gathering(compiled)
    for unit in show.units:
        if unit.limits or unit.handling != PLAIN_HANDLING:
            gathering.add(unit)
    return gathering.shaping()


def _span(item: ChartChannel) -> float:
    first = item.channel.first
    return first.physical_to - first.physical_from if first else 0.0
