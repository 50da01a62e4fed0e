"""What every unit would do in every call, were the rig like this or like that: computed from the
slots that are sent.
"""

from __future__ import annotations

from collections.abc import Collection, Sequence
from copy import copy
from dataclasses import dataclass, field, replace

import numpy as np
from numpy.typing import NDArray

from isthmus.check.acts import BEAM, CELLS, COLOUR, LIGHT, MOVEMENT, acts_of
from isthmus.check.calls import callable_units
from isthmus.check.findings.broken import broken_sights, broken_slots
from isthmus.check.findings.sent import AtRest, Frames, Sent, Universes
from isthmus.check.sights import DARK, PLAIN, Sights, how_wrong, ways_wrong
from isthmus.output.live import Asked
from isthmus.profiles import light_program, profiles_of
from isthmus.profiles.light import LightProgram
from isthmus.show.records import SLOTS, Show

NOWHERE = 0
SEEN_ACTS = (LIGHT, COLOUR, MOVEMENT, BEAM, CELLS)


@dataclass(frozen=True)
class State:
    """How a unit may really be: where each of its blocks listens, its mode, what is broken.
    Universe 0: nothing comes.
    """

    places: tuple[tuple[int, int, int], ...]  # (block, universe, address)
    mode: str
    fault: str = ""
    _hash: int = field(init=False, repr=False, compare=False)

    def __post_init__(self) -> None:
        object.__setattr__(
            self, "_hash", hash((self.places, self.mode, self.fault))
        )  # asked for some hundred thousand times

    def __hash__(self) -> int:
        return self._hash

    def moved(self, by: int) -> State:
        return replace(self, places=tuple((b, u, a + by) for b, u, a in self.places))

    def fed(self, universes: dict[int, int]) -> State:
        """The same with other data coming in: universe → the one whose data comes instead."""
        return replace(self, places=tuple((b, universes.get(u, u), a) for b, u, a in self.places))


class Model:
    """The calls of one show. `ids` are the units that can be called, in order."""

    def __init__(self, show: Show, level: float = 1.0) -> None:
        self.show, self.level = show, level
        units, self.left = callable_units(show)
        self.units = {u.id: u for u in units}
        self.ids = [u.id for u in units]
        self.place = {u: i for i, u in enumerate(self.ids)}
        self._lines = Universes(show)
        self.universes = self._lines.known
        self._profiles = profiles_of(show)
        self.programs: dict[str, LightProgram] = {}
        for unit in units:
            found = self._profiles.mode_of(unit)
            assert found
            self.programs[unit.id] = light_program(*found)
        self._own: dict[str, tuple[Sent, Sights, tuple[str, ...]]] = {}
        touched = [{p.universe for p in u.patch} for u in units]
        self.lights = Sent(self._lines, touched, self._light)  # a moment for each call
        self._at_rest = AtRest(self._lines)
        self._rows: dict[tuple[str, State], NDArray[np.float64]] = {}
        self._hows: dict[tuple[str, State, tuple[str, ...]], frozenset[str]] = {}
        self._ways: dict[tuple[str, State, tuple[str, ...]], tuple[str, ...]] = {}
        self._unlit: dict[tuple[str, State, tuple[str, ...]], tuple[str, ...]] = {}

    # ------------------------------------------------------------ frames

    def rests_on_the_same(self, show: Show) -> bool:
        """Whether what was worked out holds for another show too."""
        old = self.show
        return (
            old.units is show.units
            and old.profiles is show.profiles
            and old.outputs is show.outputs
        )

    def _light(self, call: int) -> Asked:
        unit = self.ids[call]
        return acts_of(self.programs[unit], self.units[unit], self.level, (LIGHT,))[0].phases[0]

    def frames(self, wishes: Sequence[Asked], shaped: bool = True) -> Sent:
        """The slots sent for each wish, everything else at its defaults."""
        touched = [
            {p.universe for u in {key[0] for key in wish} for p in self.units[u].patch}
            for wish in wishes
        ]
        return Sent(self._lines, touched, wishes.__getitem__, shaped)

    def own(self, unit: str) -> tuple[Sent, Sights, tuple[str, ...]]:
        """What is sent through a unit's own call, what is wished to be seen of it, and the act of
        each moment.
        """
        if unit not in self._own:
            acts = acts_of(self.programs[unit], self.units[unit], self.level, SEEN_ACTS)
            wishes = [phase for act in acts for phase in act.phases]
            kinds = tuple(act.kind for act in acts for _ in act.phases)
            plain = self.frames(wishes, shaped=False)
            self._own[unit] = self.frames(wishes), self.see(unit, self.expected(unit), plain), kinds
        return self._own[unit]

    # ------------------------------------------------------------ states

    def expected(self, unit: str) -> State:
        """As the show has it. Of several addresses for one block the first counts."""
        u = self.units[unit]
        first: dict[int, tuple[int, int, int]] = {}
        for p in u.patch:
            first.setdefault(p.block, (p.block, p.universe, p.address))
        return State(tuple(first.values()), u.mode)

    def program(self, unit: str, mode: str) -> LightProgram:
        profile = self.programs[unit].profile
        found = profile.mode(mode)
        return light_program(profile, found) if found else self.programs[unit]

    def slots(self, unit: str, state: State, frames: Frames) -> NDArray[np.uint8]:
        """(k, width): what a unit in this state takes in each moment."""
        program = self.program(unit, state.mode)
        out = np.zeros((len(frames), program.width), np.uint8)
        for block, universe, address in state.places:
            start, size = program.block_starts.get(block), program.chart.span(block)
            if start is None or not 1 <= address <= SLOTS:
                continue
            part = frames.part(universe, address, size)
            out[:, start : start + part.shape[1]] = part
        return broken_slots(program, state.fault, out)

    def see(self, unit: str, state: State, frames: Frames) -> Sights:
        """What would be seen of a unit in this state while these frames are sent."""
        program = self.program(unit, state.mode)
        light = program.read(self.slots(unit, state, frames))
        gone = bool(state.places) and all(u == NOWHERE for _, u, _ in state.places)
        return broken_sights(state.fault, Sights.of(light), gone)

    def light(self, unit: str, state: State) -> NDArray[np.float64]:
        """(calls + 1,) how bright the unit would be in each call, and while nothing is called."""
        key = unit, state
        if key not in self._rows:
            calls = self.lights.changed({universe for _, universe, _ in state.places})
            row = np.full(len(self.ids) + 1, self.see(unit, state, self._at_rest).level[0])
            if len(calls):
                row[calls] = self.see(unit, state, self.lights.at(calls)).level
            self._rows[key] = row
        return self._rows[key]

    def lit(self, unit: str, state: State) -> NDArray[np.bool_]:
        """(calls,) in which calls the unit would light."""
        return self.light(unit, state)[:-1] > DARK

    def plainly(self, unit: str, state: State) -> tuple[NDArray[np.bool_], NDArray[np.bool_]]:
        """(calls,) in which calls it would plainly light, and in which it would plainly not."""
        level = self.light(unit, state)[:-1]
        return level > PLAIN, level <= DARK

    def rests_lit(self, unit: str, state: State) -> bool:
        """Whether the unit would plainly be lit while nothing is called."""
        return bool(self.light(unit, state)[-1] > PLAIN)

    def ways(self, unit: str, state: State, acts: Collection[str] = SEEN_ACTS) -> tuple[str, ...]:
        """In which ways the unit's own call would look wrong, of light and these acts."""
        key = unit, state, tuple(acts)
        if key not in self._ways:
            self._ways[key] = ways_wrong(*self._own_call(unit, state, acts))
        return self._ways[key]

    def unlit(self, unit: str, state: State, acts: Collection[str] = SEEN_ACTS) -> tuple[str, ...]:
        """In which ways its own call looks wrong to eyes that take its glimmer for dark; () where
        there is more than one.
        """
        key = unit, state, tuple(acts)
        if key not in self._unlit:
            wished, seen, kinds = self._own_call(unit, state, acts)
            faint = seen.level.max(initial=0.0) <= PLAIN
            dark = replace(seen, cells=np.zeros_like(seen.cells))
            self._unlit[key] = ways_wrong(wished, dark, kinds) if faint else ()
        return self._unlit[key]

    def how(self, unit: str, state: State, acts: Collection[str] = SEEN_ACTS) -> frozenset[str]:
        """How it would look wrong, as `ways.HOW` has it."""
        key = unit, state, tuple(acts)
        if key not in self._hows:
            self._hows[key] = frozenset(how_wrong(*self._own_call(unit, state, acts)))
        return self._hows[key]

    def _own_call(
        self, unit: str, state: State, acts: Collection[str]
    ) -> tuple[Sights, Sights, list[str]]:
        """What is wished and what would be seen, and the act of each moment."""
        frames, wished, kinds = self.own(unit)
        moments = [i for i, kind in enumerate(kinds) if kind == LIGHT or kind in acts]
        seen = self.see(unit, state, frames.at(moments))
        return wished.at(moments), seen, [kinds[i] for i in moments]

    def scan(
        self, unit: str, mode: str, frame: NDArray[np.uint8], least: float = DARK
    ) -> NDArray[np.int64]:
        """Start addresses, from 1, at which a unit in a mode would give more than the least light
        with one universe's slots (512,). One block only.
        """
        program = self.program(unit, mode)
        if len(program.chart.footprints) != 1:
            return np.zeros(0, np.int64)
        padded = np.concatenate([frame, np.zeros(program.width, np.uint8)])
        windows = np.lib.stride_tricks.sliding_window_view(padded, program.width)[:SLOTS]
        return np.flatnonzero(Sights.of(program.read(windows)).level > least) + 1


class Models:
    """The model of the show last asked for, kept by one who reasons about it, on one thread at a
    time: a model works things out as they are asked for.
    """

    def __init__(self) -> None:
        self._last: Model | None = None

    def of(self, show: Show) -> Model:
        """What the last one has worked out is kept as long as units, profiles and outputs are the
        same.
        """
        last = self._last
        if last is not None and last.show is show:
            return last
        if last is not None and last.rests_on_the_same(show):
            made = copy(last)
            made.show = show
        else:
            made = Model(show)
        self._last = made
        return made
