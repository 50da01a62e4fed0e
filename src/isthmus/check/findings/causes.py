"""Causes that could be behind what was seen: each says how some units would really be, and how
likely that is beforehand.
"""

from __future__ import annotations

import re
from collections import defaultdict
from collections.abc import Callable, Iterable, Iterator, Mapping
from dataclasses import replace
from itertools import combinations

from isthmus.check.findings.broken import BEAM, CELL, EMITTER, WHEEL, which_cell
from isthmus.check.findings.cause import ALWAYS, ELSEWHERE, Cause
from isthmus.check.findings.evidence import Evidence
from isthmus.check.findings.line_causes import Break, HangDark, HangMode, Run, Shifted
from isthmus.check.findings.lines import Lines
from isthmus.check.findings.model import NOWHERE, Model, State
from isthmus.check.findings.seen import Seen
from isthmus.check.findings.unit_causes import (
    Address,
    BeamStuck,
    CellOut,
    Dead,
    Double,
    Exchanged,
    Held,
    Lamp,
    Late,
    LostHome,
    NoEmitter,
    NoPan,
    NoTilt,
    OtherLine,
    OtherMode,
    OwnProgramme,
    PanInverted,
    Swapped,
    TiltInverted,
    WheelStuck,
)
from isthmus.patch.index import index_of
from isthmus.profiles import chart
from isthmus.show.records import SLOTS

NEAR = 24  # addresses
FEW = 8  # units that look wrong: then any two of them may be exchanged
# faults of one unit, and the attributes a unit must have for it
OF_ONE = (
    (Dead, set()),
    (Held, set()),
    (Lamp, {"Pan"}),
    (Swapped, {"Pan", "Tilt"}),
    (PanInverted, {"Pan"}),
    (NoPan, {"Pan"}),
    (TiltInverted, {"Tilt"}),
    (NoTilt, {"Tilt"}),
)


def how_likely(by: int, widths: tuple[int, ...], meets: bool, digits: bool) -> float:
    """Of wrong addresses, the part that is off by this much: near ones, whole footprints, another
    unit's, wrong digits.
    """
    size = abs(by)
    share = 0.12 / (1 + size) if size <= NEAR else 0.0
    share += 0.06 if size in (10, 100) else 0.0
    share += 0.05 if any(w > 1 and size % w == 0 and size // w <= 4 for w in widths) else 0.0
    return share + (0.05 if meets else 0.0) + (0.04 if digits else 0.0) + 0.3 / SLOTS


def same_digits(a: int, b: int) -> bool:
    """Whether two addresses are the same digits in another order, or differ in one digit."""
    x, y = f"{a:03d}", f"{b:03d}"
    return sorted(x) == sorted(y) or sum(p != q for p, q in zip(x, y, strict=True)) == 1


class Causes:
    """Makes the causes worth weighing for one show and what was seen."""

    def __init__(
        self, model: Model, evidence: Evidence, fit: Callable[[str, State], float], seen: Seen
    ) -> None:
        """`fit` is how well a unit in a state fits what was seen of it."""
        self.model, self.evidence, self.fit = model, evidence, fit
        self.index = index_of(model.show)
        self.lines = Lines(model, evidence, fit)
        self.seen = seen
        self.starts = {(p.universe, p.address): u for u in model.ids for p in model.units[u].patch}

    # ------------------------------------------------------------ one unit

    def of_unit(self, unit: str) -> Iterator[Cause]:
        model, normal = self.model, self.model.expected(unit)
        attributes = {c.attribute for c in model.programs[unit].chart.channels}
        for kind, needs in OF_ONE:
            if needs <= attributes:
                yield kind.of(unit, replace(normal, fault=kind.KIND))
        yield from self._parts(unit, normal, attributes)
        yield OwnProgramme.of(unit, replace(normal, fault=ALWAYS))
        said = self.evidence.ways(unit) if unit in self.evidence.verdicts else frozenset()
        for kind in (LostHome, Late):
            if kind.KIND in said:
                yield kind.of(unit, replace(normal, fault=kind.KIND))
        for mode in model.programs[unit].profile.modes:
            if mode.name != normal.mode:
                yield OtherMode.of(unit, replace(normal, mode=mode.name), (mode.name,))
        yield from self._addresses(unit)

    def _parts(self, unit: str, normal: State, attributes: set[str]) -> Iterator[Cause]:
        """An emitter, a cell, a wheel or something of the beam that does not do its work."""
        for name in sorted(a for a in attributes if a.startswith("ColorAdd_")):
            yield NoEmitter.of(unit, replace(normal, fault=f"{EMITTER}{name}"), (name,), 0.5)
        if any(re.fullmatch(r"Color\d+", a) for a in attributes):
            yield WheelStuck.of(unit, replace(normal, fault=WHEEL))
        if attributes & {"Zoom", "Iris", "Gobo1"}:
            yield BeamStuck.of(unit, replace(normal, fault=BEAM))
        verdict = self.evidence.verdicts.get(unit)
        if verdict is None or "cell" not in verdict.what:
            return
        said = [h for h in verdict.how if h.startswith(CELL)]
        cells = len(self.model.programs[unit].assembly.beams)
        for fault in said:
            cell, after = which_cell(fault)
            if cell <= cells:
                yield CellOut.of(unit, replace(normal, fault=fault), (cell, after))
        if not said and cells:
            yield CellOut.of(unit, replace(normal, fault=f"{CELL}1"), (0, False))

    def _addresses(self, unit: str) -> Iterator[Cause]:
        """Addresses at which it would light when it was seen to, and one unknown when it was
        not.
        """
        evidence, normal = self.evidence, self.model.expected(unit)
        told = evidence.told.get(unit)
        _, universe, address = normal.places[0]
        lit_by = self.seen.callers.get(unit, [])
        own_lit = (
            unit in evidence.verdicts and unit in evidence.lit(unit) and bool(evidence.ways(unit))
        )
        found: dict[tuple[int, int], None] = {}  # in the order found: equals stay in it
        if told and told.address and told.there:
            for at, _ in told.places:
                found[(told.universe or universe, at)] = None
        if own_lit:
            found |= dict.fromkeys((universe, by) for by in self._near(unit, address))
        callers = [*lit_by[:3], *([unit] if own_lit else [])]
        found |= dict.fromkeys(self._lit_with(unit, universe, callers))
        for other in self.lines.units:  # at its own address: on another line, and no other cause
            found.pop((other, address), None)
        yield from self._best_of(unit, found, own_lit)
        if not lit_by and not own_lit and not (told and told.there):
            yield Address.of(unit, replace(normal, fault=ELSEWHERE), (None,), 0.7)
        others = [u for u in self.lines.units if u != universe]
        for other in others:
            state = normal.fed({universe: other})
            yield OtherLine.of(unit, state, (other,), 1 / len(others))

    def _near(self, unit: str, address: int) -> Iterator[int]:
        """Addresses at which a unit that lights, and wrongly, may just miss its own slots."""
        program = self.model.programs[unit]
        widths = (program.width, *self._footprints(unit))
        for by in {sign * step for step in (1, 2, 3, 10, *widths) for sign in (1, -1)}:
            if 1 <= address + by <= SLOTS:
                yield address + by

    def _lit_with(
        self, unit: str, universe: int, callers: Iterable[str]
    ) -> Iterator[tuple[int, int]]:
        """Universe and address at which a unit would light in these calls."""
        model, mode = self.model, self.model.expected(unit).mode
        for caller in callers:
            at = model.place[caller]
            for fed in dict.fromkeys([universe, *(p.universe for p in model.units[caller].patch)]):
                for start in model.scan(unit, mode, model.lights.moment(at, fed)):
                    yield fed, int(start)

    def _best_of(
        self, unit: str, found: Iterable[tuple[int, int]], own_lit: bool
    ) -> Iterator[Cause]:
        """The twelve addresses that fit best at a quick look, for each costs a whole one later."""
        normal = self.model.expected(unit)
        address = normal.places[0][2]
        made: list[tuple[float, Cause]] = []
        for other, start in found:
            cause = self.at_address(unit, normal, start - address, other)
            state = next(iter(cause.states.values()))
            made.append((self.fit(unit, state) + cause.prior, cause))
        made.sort(key=lambda pair: -pair[0])
        return (cause for _, cause in made[:12])

    def _footprints(self, unit: str) -> tuple[int, ...]:
        """Slots of every mode of a unit's profile."""
        profile = self.model.programs[unit].profile
        return tuple(dict.fromkeys(chart(profile, m).footprint for m in profile.modes))

    def at_address(self, unit: str, normal: State, by: int, universe: int) -> Cause:
        """The cause that a unit is off by so many slots, on its own line or on another."""
        _, own, address = normal.places[0]
        meets = self.starts.get((universe, address + by))
        share = how_likely(
            by,
            self._footprints(unit),
            meets is not None,
            same_digits(address, max(1, address + by)),
        )
        told = self.evidence.told.get(unit)
        here = told and told.there and address + by in {at for at, _ in told.places}
        if told and here and told.universe in (0, universe):
            share = 1.0  # it says so itself
        state = normal.moved(by).fed({own: universe})
        apart = 1.0 if universe == own else 0.1  # on another line too: two faults at once
        if meets is not None and meets != unit:
            return Double.of(unit, state, (meets,), 0.5 * apart)
        about = (by,) if universe == own else (by, universe)
        return Address.of(unit, state, about, min(1.0, share) * apart)

    # ------------------------------------------------------------ several units

    def of_pairs(self, deviants: set[str]) -> Iterator[Cause]:
        """Two units that have taken each other's place or address."""
        verdicts = self.evidence.verdicts
        pairs = dict.fromkeys(
            frozenset((a, b))
            for a in deviants
            if a in verdicts
            for b in verdicts[a].others
            if b in self.model.place
        )
        # of other kinds neither need light at the other's address: then nothing names the other
        few = sorted(deviants) if len(deviants) <= FEW else ()
        unnamed = [
            pair
            for pair in map(frozenset, combinations(few, 2))
            if pair not in pairs and self._near_each_other(*pair)
        ]
        for pair in (*pairs, *unnamed):
            a, b = min(pair), max(pair)
            left, right = self.model.expected(a), self.model.expected(b)
            if a != b and len(left.places) == len(right.places):
                states = {
                    a: replace(left, places=right.places),
                    b: replace(right, places=left.places),
                }
                yield Exchanged(states, (a, b), Exchanged.odds(1.0 if pair in pairs else 0.02))

    def _near_each_other(self, a: str, b: str) -> bool:
        """On one hang and one universe."""
        left, right = self.model.expected(a), self.model.expected(b)
        same = self.model.units[a].hangs_on == self.model.units[b].hangs_on
        return same and left.places[0][1] == right.places[0][1]

    def of_hangs(self, deviants: set[str], steps: Mapping[str, set[int]]) -> Iterator[Cause]:
        """Hangs that are dark, or shifted by a step from one unit on; `steps` are what each unit
        alone might be off by.
        """
        for universe, units in self.lines.units.items():
            hangs: dict[str, list[str]] = defaultdict(list)
            for unit in units:
                hangs[self.model.units[unit].hangs_on].append(unit)
            for hang, mine in hangs.items():
                if len(mine) < 2 or not deviants.intersection(mine):
                    continue
                states = {u: self.model.expected(u) for u in mine}
                if len(mine) < len(units):
                    cause = {u: s.fed({universe: NOWHERE}) for u, s in states.items()}
                    yield HangDark(cause, (hang, universe), HangDark.odds())
                yield from self._breaks(hang, universe, mine, deviants)
                yield from self._modes(hang, mine)
                yield from self._shifts(hang, universe, mine, deviants, steps)
            line = self._by_address(units)
            for at in range(len(line) - 1):  # the last of a hang may shift what comes after it
                hung = {self.model.units[unit].hangs_on for unit in line[at : at + 2]}
                if len(hung) > 1 and deviants.issuperset(line[at : at + 2]):
                    yield from self._other_mode_at(line, at, True)

    def of_whole_hangs(self, deviants: set[str], left: set[str]) -> Iterator[Cause]:
        """Hangs of which no unit ever lights, but for those of which all are `left` to be
        explained: what seems to get nothing also does so where it is shifted or in another mode.
        """
        called = deviants & self.evidence.verdicts.keys() - self.seen.callers.keys()
        never = {u for u in called if self.evidence.ways(u) <= {"silent"}}
        for universe, units in self.lines.units.items():
            hangs: dict[str, list[str]] = defaultdict(list)
            for unit in units:
                hangs[self.model.units[unit].hangs_on].append(unit)
            for hang, mine in hangs.items():
                if len(mine) > 1 and never.issuperset(mine) and not left.issuperset(mine):
                    yield from self._modes(hang, mine)
                    line = self._by_address(mine)
                    yield from self._shifted_from(hang, universe, line, 0, self._usual_steps(line))

    def _by_address(self, units: Iterable[str]) -> list[str]:
        return sorted(units, key=lambda u: self.model.expected(u).places[0][2])

    def _breaks(
        self, hang: str, universe: int, mine: list[str], deviants: set[str]
    ) -> Iterator[Cause]:
        """A cable that is out between two units: nothing comes to those on one side of it."""
        line = self._by_address(mine)
        for at in range(1, len(line)):
            for last, rest in ((line[at - 1], line[at:]), (line[at], line[:at])):
                ends = rest[0] if last == line[at - 1] else rest[-1]
                if len(rest) > 1 and ends in deviants and last not in deviants:
                    states = {u: self.model.expected(u).fed({universe: NOWHERE}) for u in rest}
                    yield Break(states, (hang, universe, last, rest[0]), Break.odds())

    def _modes(self, hang: str, mine: list[str]) -> Iterator[Cause]:
        """All units of a kind of a hang in another mode."""
        kinds: dict[tuple[int, str], list[str]] = defaultdict(list)
        for unit in mine:
            profile = self.model.programs[unit].profile
            kinds[(id(profile), self.model.expected(unit).mode)].append(unit)
        for (_, mode), units in kinds.items():
            others = self.model.programs[units[0]].profile.modes if len(units) > 1 else ()
            for other in others:
                if other.name != mode:
                    normal = ((u, self.model.expected(u)) for u in units)
                    states = {u: replace(state, mode=other.name) for u, state in normal}
                    share = 1 / (len(others) - 1)
                    yield HangMode(states, (hang, other.name), HangMode.odds(share))

    def _shifts(
        self,
        hang: str,
        universe: int,
        mine: list[str],
        deviants: set[str],
        steps: Mapping[str, set[int]],
    ) -> Iterator[Cause]:
        """The same step for all from one unit on; and one unit in another mode with all after it
        shifted by the difference.
        """
        mine = self._by_address(mine)
        off = [u in deviants for u in mine]
        offered = self._usual_steps(mine) | {by for u in mine for by in steps.get(u, ())}
        both = [at for at in range(len(mine) - 1) if off[at] and off[at + 1]]
        for first in both:
            # a run that is off already begins further up, unless this one alone fits a step
            if not first or not off[first - 1] or steps.get(mine[first]):
                yield from self._shifted_from(hang, universe, mine, first, offered)
        line = self._by_address(self.lines.units[universe])
        for at in both:
            yield from self._other_mode_at(mine, at, False)
            if mine[at] != line[-1] and line[line.index(mine[at]) + 1 :] != mine[at + 1 :]:
                yield from self._other_mode_at(line, line.index(mine[at]), True)

    def _usual_steps(self, units: list[str]) -> set[int]:
        """Steps people are off by: one, a digit, a footprint or two, to either side."""
        widths = self._widths(units)
        sizes = (1, 2, 10, 100, *widths, *(2 * w for w in widths))
        return {step * sign for step in sizes for sign in (1, -1)}

    def _widths(self, units: list[str]) -> set[int]:
        return {self.model.programs[u].width for u in units}

    def _shifted_from(
        self, hang: str, universe: int, mine: list[str], first: int, offered: Iterable[int]
    ) -> Iterator[Cause]:
        for by in offered:
            states = {u: self.model.expected(u).moved(by) for u in mine[first:]}
            if all(1 <= s.places[0][2] <= SLOTS for s in states.values()):
                share = min(1.0, 2 * how_likely(by, tuple(self._widths(mine)), False, False))
                likely = Shifted.odds(share) - (1.5 if first else 0.0)
                yield Shifted(states, (hang, universe, by, mine[first]), likely)

    def _other_mode_at(self, mine: list[str], at: int, whole: bool) -> Iterator[Cause]:
        unit = mine[at]
        own, normal = self.model.programs[unit], self.model.expected(unit)
        for mode in own.profile.modes:
            by = chart(own.profile, mode).footprint - own.chart.footprint
            if mode.name != normal.mode and by:
                states = {u: self.model.expected(u).moved(by) for u in mine[at + 1 :]}
                states[unit] = replace(normal, mode=mode.name)
                yield Run(states, (unit, mode.name, by, whole), Run.odds(0.5))
