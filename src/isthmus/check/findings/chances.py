"""What a look would show, were a unit in this state or in that."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from isthmus.check.acts import MOVEMENT
from isthmus.check.findings.cause import ALWAYS, ELSEWHERE
from isthmus.check.findings.model import Model, State
from isthmus.check.findings.sent import Laid
from isthmus.check.hunt_slots import brightest
from isthmus.check.sights import DARK, TURN
from isthmus.show.records import SLOTS

UNIVERSE, EVERYTHING, MOVES, AXIS = "universe", "everything", "moves", "axis"


def chance_of_yes(model: Model, look: str, unit: str, state: State) -> float | None:
    """How likely the answer is yes, were the unit in this state. None when the look says nothing
    about it.
    """
    if look in (UNIVERSE, EVERYTHING):
        if state.fault == ALWAYS:
            return 1.0
        if state.fault == ELSEWHERE:
            return 0.97
        return float(_lights(model, look == EVERYTHING, unit, state))
    if look == MOVES:
        return float(_swing(model, unit, state, ("pan", "tilt")))
    if look == AXIS:
        axes = {
            "pan": ("pan",),
            "pan inverted": ("pan",),
            "tilt": ("tilt",),
            "tilt inverted": ("tilt",),
        }.get(state.fault)
        return None if axes is None else float("inverted" in state.fault)
    return None


def _lights(model: Model, everything: bool, unit: str, state: State) -> bool:
    own = {u for _, u, _ in model.expected(unit).places}
    value = value_for(model, unit, everything)
    if value is None:
        return False
    frame = Laid(
        {u: np.full(SLOTS, value, np.uint8) for u in (model.universes if everything else own)}
    )
    return bool(model.see(unit, state, frame).level[0] > DARK)


def value_for(model: Model, unit: str, everything: bool) -> int | None:
    """The byte for all addresses: it lights the unit, and is safe for every unit it is sent to."""
    own = {u for _, u, _ in model.expected(unit).places}
    near = {
        id(model.programs[u]): model.programs[u]
        for u in model.ids
        if everything or own & {p.universe for p in model.units[u].patch}
    }
    return brightest([model.programs[unit]], near.values()) or None


def _swing(model: Model, unit: str, state: State, axes: Sequence[str]) -> bool:
    if state.fault in (ELSEWHERE, "dead"):
        return False
    frames, _, kinds = model.own(unit)
    moments = [i for i, kind in enumerate(kinds) if kind == MOVEMENT]
    if not moments:
        return False
    sights = model.see(unit, state, frames.at(moments))
    return any((np.ptp(getattr(sights, axis), axis=0) > TURN / 2).any() for axis in axes)


def slots_of_look(model: Model, look: str, unit: str) -> dict[tuple[int, int], int]:
    """What to send for a look at light; empty for one at movement."""
    value = value_for(model, unit, look == EVERYTHING)
    if look not in (UNIVERSE, EVERYTHING) or value is None:
        return {}
    own = {u for _, u, _ in model.expected(unit).places}
    wanted = sorted(model.universes if look == EVERYTHING else own)
    return {(universe, a): value for universe in wanted for a in range(1, SLOTS + 1)}
