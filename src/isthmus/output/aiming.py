"""Aiming live: which levels make the beams of a selection meet points, with limits and the handling
of axes honoured. Each head of a unit is aimed by its own geometry.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from isthmus.output.live import Asked, Live
from isthmus.profiles import profiles_of
from isthmus.profiles.chart import ChartChannel
from isthmus.profiles.groups import group_by_mode
from isthmus.profiles.heads import Head, heads_of
from isthmus.profiles.light import LightProgram
from isthmus.profiles.natural import level_for, physical_for
from isthmus.show.records import Show, Unit
from isthmus.stage import aim as core
from isthmus.stage.transforms import placements

Array = NDArray[np.float64]


@dataclass(frozen=True)
class Aiming:
    """One head's answer: degrees as they are sent, whether it gets there, how far beside the point
    its beam passes with the resolution it has (metres), and why not. `head` is 0 for a unit with
    one."""

    unit: str
    number: int
    head: int
    pan: float
    tilt: float
    reached: bool
    miss: float
    why: str = ""

    @property
    def name(self) -> str:
        """`401`, or `401 head 3`."""
        return f"{self.number} head {self.head}" if self.head else str(self.number)


def _stops(item: ChartChannel | None, unit: Unit, name: str) -> tuple[float, float]:
    """Degrees an axis may be sent to: its range, narrowed by the unit's limits and by its offset,
    which pushes one end of what can be asked past the end of what can be sent.
    """
    first = item.channel.first if item else None
    if item is None or first is None:
        return 0.0, 0.0
    low, high = sorted((first.physical_from, first.physical_to))
    by = unit.handling.pan_offset if name == "Pan" else unit.handling.tilt_offset
    ends = [max(low, low + by), min(high, high + by)]
    for limit in unit.limits:
        if limit.attribute == name:
            bounds = sorted((physical_for(item, limit.low), physical_for(item, limit.high)))
            ends = [max(ends[0], bounds[0]), min(ends[1], bounds[1])]
    return ends[0], max(ends)


def _asked_for(
    unit: Unit, levels: dict[str, float], spans: dict[str, float]
) -> dict[str, float] | None:
    """The levels to ask so that these are sent; None where the handling cannot give them."""
    how, before = unit.handling, {}
    for name, inverted, by in (
        ("Pan", how.invert_pan, how.pan_offset),
        ("Tilt", how.invert_tilt, how.tilt_offset),
    ):
        if name in levels:
            value = levels[name] - (by / spans[name] if spans[name] else 0.0)
            before[name] = 1.0 - value if inverted else value
    if how.swap and len(before) == 2:
        before = {"Pan": before["Tilt"], "Tilt": before["Pan"]}
    within = all(-1e-4 <= v <= 1 + 1e-4 for v in before.values())
    return {name: min(1.0, max(0.0, v)) for name, v in before.items()} if within else None


def aim_units(
    live: Live, ids: Sequence[str], targets: object, way: str = "nearest"
) -> tuple[Asked, list[Aiming]]:
    """Levels to ask so that beams meet points: one point (3,) for all, or one for each unit in
    order (n, 3).

    Everyone is answered for: those without a place, without axes or out of reach are named with the
    reason.
    """
    show: Show = live.show
    points = np.broadcast_to(np.asarray(targets, np.float64), (len(ids), 3))
    target = dict(zip(ids, points, strict=True))
    by_id = {unit.id: unit for unit in show.units}
    known = [by_id[i] for i in ids if i in by_id]
    wanted: Asked = {}
    answers = {u.id: [_not_aimed(u, "no place")] for u in known if u.position is None}
    placed = [u for u in known if u.position is not None]
    for program, units in group_by_mode(placed, profiles_of(show)):
        heads = heads_of(program)
        if not heads or not any(heads[0].axes.values()):
            why = "no pan and no tilt" if heads else "no light"
            answers |= {u.id: [_not_aimed(u, why)] for u in units}
            continue
        goal = np.array([target[u.id] for u in units])
        asked, aimed = _aim_alike(live, program, heads, units, goal, way)
        wanted |= asked
        answers |= aimed
    return wanted, [answer for i in ids if i in answers for answer in answers[i]]


def _not_aimed(unit: Unit, why: str) -> Aiming:
    return Aiming(unit.id, unit.number, 0, 0.0, 0.0, False, float("inf"), why)


def _aim_alike(
    live: Live,
    program: LightProgram,
    heads: Sequence[Head],
    units: Sequence[Unit],
    goal: Array,
    way: str,
) -> tuple[Asked, dict[str, list[Aiming]]]:
    """Units of one mode, all at once, head by head: goal (units, 3) in metres.

    An axis that several heads share turns as the middle one of them needs it; the others do what
    their own axes still can.
    """
    shared = Counter(id(item) for head in heads for item in head.axes.values() if item)
    turned: dict[int, Array] = {}  # by channel: degrees it is sent to
    wanted: Asked = {}
    answers: dict[int, list[Aiming]] = {}
    for head in sorted(heads, key=lambda h: abs(h.nth - (len(heads) + 1) / 2)):
        axes = head.axes
        stops = [[end for n, item in axes.items() for end in _stops(item, u, n)] for u in units]
        reach = np.array(stops).T
        for place, item in enumerate(axes.values()):
            if id(item) in turned:
                reach[2 * place] = reach[2 * place + 1] = turned[id(item)]
        chain = core.chain_of(program.assembly.beams[head.middle].chain)
        asked, found, degrees = _aim_head(live, head, chain, units, goal, core.Reach(*reach), way)
        wanted |= asked
        answers[head.nth] = found
        turned |= {
            id(item): value
            for item, value in zip(axes.values(), degrees, strict=True)
            if shared[id(item)] > 1
        }
    in_order = [answers[head.nth] for head in heads]
    return wanted, {u.id: [found[row] for found in in_order] for row, u in enumerate(units)}


def _aim_head(
    live: Live,
    head: Head,
    chain: core.Chain,
    units: Sequence[Unit],
    goal: Array,
    reach: core.Reach,
    way: str,
) -> tuple[Asked, list[Aiming], tuple[Array, Array]]:
    """One head of units of one mode: what to ask, the answers, and the degrees that are meant."""
    axes = head.axes
    base = placements([u.position or (0.0, 0.0, 0.0) for u in units], [u.rotation for u in units])
    now = [np.array([_sent_degrees(live, u, item) for u in units]) for item in axes.values()]
    found = core.aim(chain, base, goal, reach, (now[0], now[1]), way)
    pan, tilt = _as_sent(head.pan, found.pan), _as_sent(head.tilt, found.tilt)
    miss = core.residual(*core.forward(chain, base, pan, tilt), goal)
    wanted: Asked = {}
    answers = []
    for row, unit in enumerate(units):
        values = {"Pan": float(found.pan[row]), "Tilt": float(found.tilt[row])}
        asked = _levels_for(unit, axes, values)
        why = ""
        if asked is None:
            why = "offsets past the end of the range"
        elif not found.reached[row]:
            why = "limits or stops in the way" if unit.limits else "out of reach"
        for name, level in (asked or {}).items():
            item = axes[name]
            if item is not None:
                wanted[(unit.id, item.cell, name)] = level
        sent = float(pan[row]), float(tilt[row])
        beside = float(miss[row])
        answers.append(Aiming(unit.id, unit.number, head.nth, *sent, not why, beside, why))
    return wanted, answers, (found.pan, found.tilt)


def _sent_degrees(live: Live, unit: Unit, item: ChartChannel | None) -> float:
    level = live.sent_level(unit.id, item.attribute, item.cell) if item else None
    return physical_for(item, level) if item and level is not None else 0.0


def _levels_for(
    unit: Unit, axes: Mapping[str, ChartChannel | None], values: Mapping[str, float]
) -> dict[str, float] | None:
    """The levels that bring axes to these angles in degrees; None when the unit's offsets lead
    past the end of one.
    """
    levels: dict[str, float] = {}
    spans: dict[str, float] = {}
    for name, item in axes.items():
        if item is not None and item.channel.first is not None:
            levels[name] = level_for(item, values[name])
            spans[name] = item.channel.first.physical_to - item.channel.first.physical_from
    return _asked_for(unit, levels, spans)


def _as_sent(item: ChartChannel | None, degrees: Array) -> Array:
    """Degrees as the channel's resolution gives them."""
    if item is None or item.channel.first is None:
        return np.zeros_like(degrees)
    levels = np.array([level_for(item, float(d)) for d in degrees])
    return np.array([physical_for(item, round(float(v) * item.top) / item.top) for v in levels])


def in_words(answers: Sequence[Aiming]) -> str:
    """Who meets the point, and who does not and why. Every head counts."""
    lost = [a for a in answers if not a.reached]
    met = len(answers) - len(lost)
    words = f"{met} of {len(answers)} beams meet there."
    for why in dict.fromkeys(a.why for a in lost):
        mine = [a.name for a in lost if a.why == why]
        words += f" {', '.join(mine[:8])}{' …' if len(mine) > 8 else ''}: {why}."
    return words
