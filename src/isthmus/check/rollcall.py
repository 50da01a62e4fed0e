"""Roll call: step through the units one by one, and keep what was seen.

The call itself is a value; the live levels it changes are kept and given back when it ends.
"""

from __future__ import annotations

import time
from dataclasses import dataclass, replace

import msgspec

from isthmus.errors import EntryFault
from isthmus.output import Live
from isthmus.output.live import Asked
from isthmus.patch.index import index_of
from isthmus.profiles import profiles_of
from isthmus.routes import routed, way_key
from isthmus.show.records import Show, Unit, Verdict

RESULTS = ("answers", "wrong", "silent")


@dataclass(frozen=True)
class Left:
    """A unit that is not called, and why."""

    unit: str
    number: int
    why: str


@dataclass(frozen=True)
class RollCall:
    """Which units are called, in order, and where the call stands. `before` are the levels to give back."""

    order: tuple[str, ...]
    at: int
    left_out: tuple[Left, ...]
    level: float
    before: Asked

    @property
    def unit(self) -> str | None:
        return self.order[self.at] if self.order else None


def callable_units(show: Show) -> tuple[list[Unit], list[Left]]:
    """Units that can be called, by number; and the others with the reason."""
    profiles, lead = profiles_of(show), routed(show)
    called, left = [], []
    for unit in sorted(show.units, key=lambda u: u.number):
        if profiles.mode_of(unit) is None:
            left.append(Left(unit.id, unit.number, "its profile or mode is unknown"))
        elif not unit.patch:
            left.append(Left(unit.id, unit.number, "it has no address"))
        elif not any(p.universe in lead for p in unit.patch):
            left.append(Left(unit.id, unit.number, f"universe {unit.patch[0].universe} leads nowhere"))
        else:
            called.append(unit)
    return called, left


def begin(show: Show, live: Live, level: float = 1.0, start: str | None = None, only: set[str] | None = None) -> RollCall:
    """Start a call; it begins at `start`, or at the first unit without a verdict that still holds.

    Raises EntryFault when no unit can be called.
    """
    units, left = callable_units(show)
    if only is not None:
        left += [Left(u.id, u.number, "it is outside the units in hand") for u in units if u.id not in only]
        units = [u for u in units if u.id in only]
    if not units:
        raise EntryFault("No unit can be called.", do="Units need a profile, an address and a universe that leads somewhere.")
    order = tuple(unit.id for unit in units)
    proven = {v.unit for v in show.verdicts if holds(show, v)}
    first = next((i for i, unit in enumerate(order) if unit == start), None)
    if first is None:
        first = next((i for i, unit in enumerate(order) if unit not in proven), 0)
    call = RollCall(order, first, tuple(left), level, live.snapshot())
    show_unit(call, live)
    return call


def show_unit(call: RollCall, live: Live) -> None:
    """Light the called unit alone; everything else is as dark as its dimmer allows."""
    live.restore({})
    if call.unit:
        live.light_up([call.unit], call.level)


def step(call: RollCall, live: Live, by: int) -> RollCall:
    """Forward or back, stopping at the ends."""
    moved = replace(call, at=min(len(call.order) - 1, max(0, call.at + by)))
    show_unit(moved, live)
    return moved


def jump(call: RollCall, live: Live, unit: str) -> RollCall:
    """Raises EntryFault when the unit is not among those called."""
    if unit not in call.order:
        raise EntryFault("That unit is not part of this roll call.")
    moved = replace(call, at=call.order.index(unit))
    show_unit(moved, live)
    return moved


def end(call: RollCall, live: Live) -> None:
    """Everything as it was before."""
    live.restore(call.before)


def proof(show: Show, unit: Unit) -> str:
    """What a verdict rests on: profile, mode, addresses and where their universes go."""
    mine = {p.universe for p in unit.patch}
    outputs = sorted(
        (o for o in show.outputs if o.enabled and not o.role and o.universe in mine), key=lambda o: (o.universe, o.host, o.number)
    )
    return "|".join([unit.profile, unit.mode, *(f"{p.block}:{p.universe}.{p.address}" for p in unit.patch), *map(way_key, outputs)])


def holds(show: Show, verdict: Verdict) -> bool:
    """False when the unit has since been changed, so that the verdict is out of date."""
    unit = index_of(show).by_id.get(verdict.unit)
    return unit is not None and verdict.proven == proof(show, unit)


def mark(show: Show, unit_id: str, result: str, note: str = "", at: str | None = None) -> Show:
    """Keep a verdict, in place of an earlier one. Raises EntryFault for an unknown result."""
    unit = show.unit(unit_id)
    if unit is None or result not in RESULTS:
        raise EntryFault(f"“{result}” is not a verdict.", do=f"Use {', '.join(RESULTS)}.")
    verdict = Verdict(
        unit=unit_id, result=result, note=note.strip()[:500], at=at or time.strftime("%Y-%m-%dT%H:%M:%S"), proven=proof(show, unit)
    )
    return msgspec.structs.replace(show, verdicts=(*(v for v in show.verdicts if v.unit != unit_id), verdict))


def unmark(show: Show, unit_id: str) -> Show:
    return msgspec.structs.replace(show, verdicts=tuple(v for v in show.verdicts if v.unit != unit_id))
