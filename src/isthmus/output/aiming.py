"""Aiming live: which levels make the beams of a selection meet points, with limits and the handling
of axes honoured.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from isthmus.output.live import Asked, Live
from isthmus.profiles import profiles_of
from isthmus.profiles.chart import ChartChannel
from isthmus.profiles.geometry import Assembly, BeamInstance
from isthmus.profiles.groups import group_by_mode
from isthmus.profiles.light import LightProgram
from isthmus.profiles.natural import level_for, physical_for
from isthmus.show.records import Show, Unit
from isthmus.stage import aim as core
from isthmus.stage.transforms import placements

Array = NDArray[np.float64]


@dataclass(frozen=True)
class Aiming:
    """One unit's answer: degrees as they are sent, whether it gets there, how far beside the point
    its beam passes with the resolution it has (metres), and why not."""

    unit: str
    number: int
    pan: float
    tilt: float
    reached: bool
    miss: float
    why: str = ""


def centre_beam(assembly: Assembly) -> BeamInstance | None:
    """The beam a unit is aimed by: the middle one of those it has."""
    return assembly.beams[len(assembly.beams) // 2] if assembly.beams else None


def _axis(program: LightProgram, name: str) -> ChartChannel | None:
    return next((c for c in program.chart.channels if c.attribute == name), None)


def _stops(item: ChartChannel | None, unit: Unit, name: str) -> tuple[float, float]:
    """Degrees an axis may be sent to: its range, narrowed by the unit's limits."""
    first = item.channel.first if item else None
    if item is None or first is None:
        return 0.0, 0.0
    ends = [first.physical_from, first.physical_to]
    for limit in unit.limits:
        if limit.attribute == name:
            ends = [physical_for(item, limit.low), physical_for(item, limit.high)]
    return min(ends), max(ends)


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
    wanted: Asked = {}
    answers: dict[str, Aiming] = {}
    placed = [by_id[i] for i in ids if i in by_id and by_id[i].position is not None]
    for i in ids:
        if i in by_id and by_id[i].position is None:
            answers[i] = Aiming(i, by_id[i].number, 0.0, 0.0, False, float("inf"), "no place")
    for program, units in group_by_mode(placed, profiles_of(show)):
        pan_item, tilt_item = _axis(program, "Pan"), _axis(program, "Tilt")
        beam = centre_beam(program.assembly)
        if beam is None or (pan_item is None and tilt_item is None):
            why = "no pan and no tilt" if beam else "no light"
            answers |= {
                u.id: Aiming(u.id, u.number, 0.0, 0.0, False, float("inf"), why) for u in units
            }
            continue
        chain = core.chain_of(beam.chain)
        base = placements(
            [u.position or (0.0, 0.0, 0.0) for u in units], [u.rotation for u in units]
        )
        stops = np.array(
            [[*_stops(pan_item, u, "Pan"), *_stops(tilt_item, u, "Tilt")] for u in units]
        )
        now = np.array(
            [
                [live.sent_axis(u.id, "Pan") or 0.0, live.sent_axis(u.id, "Tilt") or 0.0]
                for u in units
            ]
        )
        goal = np.array([target[u.id] for u in units])
        found = core.aim(chain, base, goal, core.Reach(*stops.T), (now[:, 0], now[:, 1]), way)
        pan, tilt = _as_sent(pan_item, found.pan), _as_sent(tilt_item, found.tilt)
        miss = core.residual(*core.forward(chain, base, pan, tilt), goal)
        for row, unit in enumerate(units):
            levels: dict[str, float] = {}
            spans: dict[str, float] = {}
            for name, item, value in (
                ("Pan", pan_item, found.pan[row]),
                ("Tilt", tilt_item, found.tilt[row]),
            ):
                if item is not None and item.channel.first is not None:
                    levels[name] = level_for(item, float(value))
                    spans[name] = item.channel.first.physical_to - item.channel.first.physical_from
            asked = _asked_for(unit, levels, spans)
            why = (
                ""
                if found.reached[row]
                else "out of reach"
                if not unit.limits
                else "limits or stops in the way"
            )
            if asked is None:
                why = "offsets past the end of the range"
            for name, item in (("Pan", pan_item), ("Tilt", tilt_item)):
                if item is not None and asked is not None and name in asked:
                    wanted[(unit.id, item.cell, name)] = asked[name]
            answers[unit.id] = Aiming(
                unit.id,
                unit.number,
                float(pan[row]),
                float(tilt[row]),
                not why,
                float(miss[row]),
                why,
            )
    return wanted, [answers[i] for i in ids if i in answers]


def _as_sent(item: ChartChannel | None, degrees: Array) -> Array:
    """Degrees as the channel's resolution gives them."""
    if item is None or item.channel.first is None:
        return np.zeros_like(degrees)
    levels = np.array([level_for(item, float(d)) for d in degrees])
    return np.array([physical_for(item, round(float(v) * item.top) / item.top) for v in levels])


def in_words(answers: Sequence[Aiming]) -> str:
    """Who meets the point, and who does not and why."""
    lost = [a for a in answers if not a.reached]
    met = len(answers) - len(lost)
    words = f"{met} of {len(answers)} beams meet there."
    for why in dict.fromkeys(a.why for a in lost):
        mine = [str(a.number) for a in lost if a.why == why]
        words += f" {', '.join(mine[:8])}{' …' if len(mine) > 8 else ''}: {why}."
    return words
