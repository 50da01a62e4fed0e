"""What a look would show, were a unit in this state or in that."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from isthmus.check.acts import MOVEMENT
from isthmus.check.findings.cause import ALWAYS, ELSEWHERE, MIXED
from isthmus.check.findings.model import Model, State
from isthmus.check.findings.sent import Laid
from isthmus.check.hunt_slots import brightest
from isthmus.check.sights import DARK, TURN
from isthmus.show.records import SLOTS

UNIVERSE, EVERYTHING, MOVES, AXIS = "universe", "everything", "moves", "axis"
ZERO = "zero"
LINE = "line "  # and the number of a universe that is not its own


def chance_of_yes(model: Model, look: str, unit: str, state: State) -> float | None:
    """How likely the answer is yes, were the unit in this state. None when the look says nothing
    about it.
    """
    if look in (UNIVERSE, EVERYTHING) or look.startswith(LINE):
        if state.fault in (ALWAYS, MIXED):
            return 1.0
        if state.fault == ELSEWHERE:
            return 0.97 if look in (UNIVERSE, EVERYTHING) else 0.03
        return float(_lights(model, look, unit, state))
    if look == ZERO:
        return 0.97 if state.fault == ALWAYS else 0.5 if state.fault == MIXED else 0.02
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


def _lights(model: Model, look: str, unit: str, state: State) -> bool:
    value = value_for(model, unit, look)
    if value is None:
        return False
    frame = Laid({u: np.full(SLOTS, value, np.uint8) for u in lit_universes(model, look, unit)})
    return bool(model.see(unit, state, frame).level[0] > DARK)


def lit_universes(model: Model, look: str, unit: str) -> list[int]:
    """The universes a look lights from end to end."""
    if look in (EVERYTHING, ZERO):
        return sorted(model.universes)
    if look.startswith(LINE):
        return [int(look.removeprefix(LINE))]
    return sorted({u for _, u, _ in model.expected(unit).places})


def value_for(model: Model, unit: str, look: str) -> int | None:
    """The byte for all addresses: it lights the unit, and is safe for every unit it is sent to."""
    lit = set(lit_universes(model, look, unit))
    near = {
        id(model.programs[u]): model.programs[u]
        for u in model.ids
        if lit & {p.universe for p in model.units[u].patch}
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
    if look == ZERO:
        value = 0
    else:
        value = value_for(model, unit, look) if look not in (MOVES, AXIS) else None
    if value is None:
        return {}
    wanted = lit_universes(model, look, unit)
    return {(universe, a): value for universe in wanted for a in range(1, SLOTS + 1)}
