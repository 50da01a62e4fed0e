"""From what is asked to what is sent: swapped, inverted and offset axes, dimmer curves, limits.
Limits come last.
"""

from __future__ import annotations

from collections import defaultdict
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from isthmus.output.bounds import limited
from isthmus.output.compile import Compiled, Levels
from isthmus.profiles.chart import ChartChannel
from isthmus.show.records import PLAIN_HANDLING, Handling, Show

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


def shape_show(show: Show, compiled: Compiled) -> Shaping:
    """Prepare the shaping of all units that have any."""
    swaps: list[tuple[int, int]] = []
    inverted: list[int] = []
    offsets: dict[int, float] = {}
    curves: dict[tuple[str, tuple], list[int]] = defaultdict(list)
    tables: dict[tuple[str, tuple], Levels] = {}
    limits: dict[int, tuple[float, float]] = {}
    dimmed: list[tuple[list[int], float]] = []
    spans: dict[int, float] = {}  # degrees from end to end
    special = [u for u in show.units if u.limits or u.handling != PLAIN_HANDLING]
    for unit in special:
        how = unit.handling
        mine = list(compiled.places.of_unit(unit.id))
        axes: dict[str, list[int]] = {}
        for _, attribute, place, item in mine:
            if attribute in ("Pan", "Tilt"):
                axes.setdefault(attribute, []).append(place)
                spans[place] = _span(item)
        if how.swap and "Pan" in axes and "Tilt" in axes:
            swaps.extend(zip(axes["Pan"], axes["Tilt"], strict=False))
        for name, inverts, by in (
            ("Pan", how.invert_pan, how.pan_offset),
            ("Tilt", how.invert_tilt, how.tilt_offset),
        ):
            for place in axes.get(name, ()):
                if inverts:
                    inverted.append(place)
                if by and spans[place]:
                    offsets[place] = by / spans[place]
        table = curve_table(how)
        if table is not None:
            key = how.curve, how.points
            tables[key] = table
            curves[key] += [place for _, attribute, place, _ in mine if attribute == "Dimmer"]
        places: dict[int, list[int]] = defaultdict(list)
        for _, _, place, item in mine:
            places[id(item)].append(place)
        for limit in unit.limits:
            bound = limited(limit, {id(item): item for _, _, _, item in mine}.values())
            limits.update(
                {
                    place: (low / item.top, high / item.top)
                    for item, low, high in bound
                    for place in places[id(item)]
                }
            )
            if limit.attribute == "Dimmer" and any(
                item.attribute != "Dimmer" for item, _, _ in bound
            ):
                dimmed.append(
                    ([place for item, _, _ in bound for place in places[id(item)]], limit.high)
                )
    ends = np.array(list(limits.values()), np.float32).reshape(-1, 2)
    pairs = np.array(swaps, np.int64).reshape(-1, 2)
    return Shaping(
        (pairs[:, 0], pairs[:, 1]),
        np.array(inverted, np.int64),
        (np.array(list(offsets), np.int64), np.array(list(offsets.values()), np.float32)),
        tuple(
            (np.array(places, np.int64), tables[key]) for key, places in curves.items() if places
        ),
        (
            np.array([p for places, _ in dimmed for p in places], np.int64),
            np.cumsum([0, *(len(places) for places, _ in dimmed)][:-1], dtype=np.int64)
            if dimmed
            else np.zeros(0, np.int64),
            np.array([most for _, most in dimmed], np.float32),
        ),
        (np.array(list(limits), np.int64), ends[:, 0], ends[:, 1]),
    )


def _span(item: ChartChannel) -> float:
    first = item.channel.first
    return first.physical_to - first.physical_from if first else 0.0
