"""Roll call: one stop after the other, and at each stop one act after the other; the levels it
changes are given back.

The call is a value; `show_call` puts it on the live levels.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

from isthmus.check.acts import LIGHT, Act, acts_of
from isthmus.check.calls import Call, CallPlan, Left, numbers_of, plan_calls
from isthmus.check.safe import safe_level
from isthmus.check.slots import owners, say_slot
from isthmus.check.verdicts import holds
from isthmus.errors import EntryFault
from isthmus.output import Live
from isthmus.output.bounds import bound
from isthmus.output.live import Asked
from isthmus.output.turns import Step, Turns
from isthmus.patch.index import index_of
from isthmus.plural import many
from isthmus.profiles import light_program, profiles_of
from isthmus.profiles.light import LightProgram
from isthmus.show.records import Show, Unit

RESTS = {"dark": "the rest dark", "dim": "the rest dimmed", "leave": "the rest as it is"}
DIMMED = 0.1


@dataclass(frozen=True)
class Manner:
    """How it is called. `kinds` are the tests besides light; `armed` lets address calls into
    dangerous ranges.
    """

    by: str = "unit"
    order: str = "number"
    level: float = 1.0
    kinds: tuple[str, ...] = (LIGHT,)
    rest: str = "dark"
    armed: bool = False


@dataclass(frozen=True)
class RollCall:
    """The stops in order, where the call stands, and the levels to give back. `only` is the filter
    in words, or "".
    """

    calls: tuple[Call, ...]
    left: tuple[Left, ...]
    manner: Manner
    before: Asked
    over: dict[tuple[int, int], int]
    at: int = 0
    act: int = 0
    phase: int = 0
    only: str = ""

    @property
    def stop(self) -> Call:
        return self.calls[self.at]

    @property
    def unit(self) -> str | None:
        """The unit called, when it is one alone."""
        return self.stop.units[0] if len(self.stop.units) == 1 else None

    @property
    def order(self) -> tuple[str, ...]:
        """Every unit called, each once, in the order of the stops."""
        return tuple(dict.fromkeys(u for call in self.calls for u in call.units))

    @property
    def outside(self) -> list[Left]:
        return [x for x in self.left if x.outside]


def begin(
    show: Show,
    live: Live,
    manner: Manner | None = None,
    start: str | None = None,
    only: Sequence[str] | None = None,
    words: str = "",
) -> RollCall:
    """Start a call at `start`, or at the first stop with a unit that has no verdict that still
    holds.

    Raises EntryFault when nothing can be called.
    """
    manner = manner or Manner()
    plan: CallPlan = plan_calls(show, manner.by, manner.order, only)
    proven = {v.unit for v in show.verdicts if holds(show, v)}
    first = next((i for i, c in enumerate(plan.calls) if start in c.units), None)
    if first is None:
        first = next((i for i, c in enumerate(plan.calls) if not proven.issuperset(c.units)), 0)
    call = RollCall(
        plan.calls, plan.left, manner, live.snapshot(), dict(live.over), first, only=words
    )
    show_call(call, show, live)
    return call


Doing = list[tuple[LightProgram, Unit, tuple[Act, ...]]]
_last: list[
    tuple[Show, Call, Manner, Doing]
] = []  # a stop is asked for its acts many times while it stands


def acts_now(call: RollCall, show: Show) -> Doing:
    """What each unit of this stop does, act by act."""
    for of_show, stop, manner, found in _last:
        if of_show is show and stop is call.stop and manner is call.manner:
            return found
    found = _work_out(call, show)
    _last[:] = [(show, call.stop, call.manner, found)]
    return found


def _work_out(call: RollCall, show: Show) -> Doing:
    profiles, by_id = profiles_of(show), index_of(show).by_id
    found = []
    for unit_id in call.stop.units:
        unit = by_id.get(unit_id)
        mode = profiles.mode_of(unit) if unit else None
        if unit and mode:
            program = light_program(*mode)
            kinds = (
                call.manner.kinds
                if call.manner.by in ("unit", "cell") and not call.stop.slot
                else (LIGHT,)
            )
            found.append((program, unit, acts_of(program, unit, call.manner.level, kinds)))
    return found


def length(call: RollCall, show: Show) -> int:
    """How many acts this stop has."""
    return max((len(acts) for _, _, acts in acts_now(call, show)), default=1)


def show_call(call: RollCall, show: Show, live: Live) -> None:
    """Put the stop on the live levels: what is called, and the rest as was chosen."""
    asked, over = wanted(call, show, live)
    live.restore(asked)
    live.lay_over(over)


def wanted(call: RollCall, show: Show, live: Live) -> tuple[Asked, dict[tuple[int, int], int]]:
    """(levels asked, bytes laid over) of a stop, in the phase it stands in."""
    doing = acts_now(call, show)
    called = set(call.stop.units)
    wish: Asked = {}
    if call.manner.rest == "leave":
        wish = {key: value for key, value in call.before.items() if key[0] not in called}
    elif call.manner.rest == "dim":
        others = [u.id for u in show.units if u.id not in called and u.patch]
        wish = live.wish_light(others, DIMMED)
    for _, _, acts in doing:
        act = acts[min(call.act, len(acts) - 1)]
        phase = act.phases[min(call.phase, len(act.phases) - 1)]
        if call.stop.cell:
            phase = {
                k: (0.0 if k[1] not in (0, call.stop.cell) and _bright(k[2]) else v)
                for k, v in phase.items()
            }
        wish |= phase
    value = slot_value(call, show) if call.stop.slot else None
    return wish, {call.stop.slot: value} if call.stop.slot and value is not None else {}


Phase = tuple[int, int, float]  # act, phase of it, seconds


def phases_now(call: RollCall, show: Show, through: bool) -> list[Phase]:
    """What takes turns while a stop stands: the phases of its act, or of all its acts from that one
    on.
    """
    acts = max((acts for _, _, acts in acts_now(call, show)), key=len, default=())
    at = [(call.act + i) % len(acts) for i in range(len(acts) if through else 1)] if acts else []
    return [(i, phase, acts[i].seconds) for i in at for phase in range(len(acts[i].phases))]


def turns(call: RollCall, show: Show, live: Live, phases: Sequence[Phase], began: float) -> Turns:
    """The phases of a stop as a function of the time."""
    steps = []
    for act, phase, seconds in phases:
        asked, over = wanted(replace(call, act=act, phase=phase), show, live)
        steps.append(Step(seconds, asked, over))
    return Turns(began, steps)


def turned(call: RollCall, phases: Sequence[Phase], of: Turns, time: float) -> RollCall:
    """The call in the phase of a time."""
    act, phase, _ = phases[of.clock.at(time)[0]]
    return replace(call, act=act, phase=phase)


def _bright(attribute: str) -> bool:
    return attribute == "Dimmer" or attribute.startswith("ColorAdd_")


def slot_value(call: RollCall, show: Show) -> int | None:
    """The byte laid on the called address: the level, or the safe one nearest to it; None when it
    is left alone.
    """
    assert call.stop.slot
    best: float | None = call.manner.level
    for unit, item, byte in owners(show, call.stop.slot):
        mode = profiles_of(show).mode_of(unit)
        if byte == 0 and best is not None and mode and not call.manner.armed:
            best = safe_level(light_program(*mode), item, best)
    if best is not None:
        for low, high in limits_at(show, call.stop.slot):
            best = min(max(best, low), high)
    return None if best is None else min(255, int(best * 255 + 0.5))


def limits_at(show: Show, slot: tuple[int, int]) -> list[tuple[float, float]]:
    """What limits leave of the level of an address: (lowest, highest), for everybody which units
    listen there with a coarse byte.
    """
    found = []
    for unit, item, byte in owners(show, slot):
        mode = profiles_of(show).mode_of(unit)
        if mode is None or byte:
            continue
        bounds = bound(unit.limits, light_program(*mode).chart.channels)
        found += [(low / item.top, high / item.top) for other, low, high in bounds if other is item]
    return found


def sentence(call: RollCall, show: Show) -> str:
    """What should be seen now."""
    doing = acts_now(call, show)
    if call.stop.slot:
        owner = say_slot(show, call.stop.slot)
        value = slot_value(call, show)
        if value is None:
            return (
                f"{owner}. Left alone: only ranges that reset or service it are near this level. "
                "Arm it to go there."
            )
        held = any(
            not low <= call.manner.level <= high for low, high in limits_at(show, call.stop.slot)
        )
        return (
            f"{owner} at {value}{', where its limit holds it' if held else ''}; its light is on "
            "so that it shows."
        )
    if len(doing) > 1:
        return f"{many(len(doing), 'unit')} lit together: {numbers_of(show, call.stop.units)}."
    if not doing:
        return ""
    acts = doing[0][2]
    act = acts[min(call.act, len(acts) - 1)]
    if call.stop.cell:
        return f"One cell alone lit: the {_ordinal(call.stop.cell)}."
    return (
        act.words
        if act.kind == LIGHT and len(act.phases) == 1
        else f"Now: {act.words[0].lower()}{act.words[1:]}"
    )


def _ordinal(n: int) -> str:
    return f"{n}{'th' if 10 <= n % 100 <= 20 else {1: 'st', 2: 'nd', 3: 'rd'}.get(n % 10, 'th')}"


def step(call: RollCall, show: Show, live: Live, by: int) -> RollCall:
    """Forward or back, stopping at the ends."""
    return _go(
        replace(call, at=min(len(call.calls) - 1, max(0, call.at + by)), act=0, phase=0), show, live
    )


def jump(call: RollCall, show: Show, live: Live, unit: str) -> RollCall:
    """Raises EntryFault when the unit is not among those called."""
    at = next((i for i, c in enumerate(call.calls) if unit in c.units), None)
    if at is None:
        raise EntryFault("That unit is not part of this roll call.")
    return _go(replace(call, at=at, act=0, phase=0), show, live)


def step_act(call: RollCall, show: Show, live: Live, by: int = 1) -> RollCall:
    """The next act of this stop, round and round."""
    return _go(replace(call, act=(call.act + by) % length(call, show), phase=0), show, live)


def step_phase(call: RollCall, show: Show, live: Live) -> tuple[RollCall, float]:
    """On by one phase, within the act, then to the next act. Returns the seconds the new phase is
    to stand.
    """
    acts = max((acts for _, _, acts in acts_now(call, show)), key=len, default=())
    if not acts:
        return call, 1.0
    act = acts[min(call.act, len(acts) - 1)]
    if call.phase + 1 < len(act.phases):
        moved = replace(call, phase=call.phase + 1)
    else:
        moved = replace(call, act=(call.act + 1) % len(acts), phase=0)
    return _go(moved, show, live), acts[moved.act].seconds


def _go(call: RollCall, show: Show, live: Live) -> RollCall:
    show_call(call, show, live)
    return call


def end(call: RollCall, live: Live) -> None:
    """Everything as it was before."""
    live.lay_over(call.over)
    live.restore(call.before)
