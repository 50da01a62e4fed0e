"""How well a state of a unit fits what was seen of it: the logarithm of how likely that is then.

People forget, err and are in a hurry: single signs weigh as much as people can be relied on for
them, and no verdict weighs more than the chance that it was given to the wrong unit.
"""

from __future__ import annotations

from collections.abc import Set
from math import lgamma, log

import numpy as np
from numpy.typing import NDArray

from isthmus.check.findings.broken import DEAD, LAMP
from isthmus.check.findings.cause import ALWAYS, ELSEWHERE, KNOWN, MIXED
from isthmus.check.findings.chances import chance_of_yes
from isthmus.check.findings.evidence import Evidence
from isthmus.check.findings.model import NOWHERE, Model, State
from isthmus.check.findings.seen import Seen
from isthmus.profiles import chart

INVENTED = log(3e-4)  # a unit that is well is called wrong or silent: hardly ever
PASSED = log(0.01)  # a unit that is wrong was passed as a whole
GARBLED = log(2e-3)  # one that is wrong is said to be so in quite another way
MISSED = {"dim": 0.3, "beam": 0.3, "colour": 0.2, "cell": 0.2, "pan": 0.15, "tilt": 0.15}
IMPRECISE = log(0.3)  # a way that is marked beside others: it never costs more than one missed
NOT_SAID = log(0.3)  # wrong, and nobody said how
SAID = log(0.7)  # that it is late, or does not know its home, of one that is so
HALF_SEEN = log(0.25)  # silent said of one that moves
OTHERWISE = log(0.15)  # how it is wrong was said otherwise
NOT_NAMED = log(0.4)  # of red, green and blue some were named, and this one, as wrong, was not
PRIMARIES = ("colour red", "colour green", "colour blue")
LIT_BEFORE = log(0.7), log(0.5)  # said of one that is lit always, and not said
NOT_BEFORE = log(0.007)  # said of one that is not
# of a unit in the call of another: named among those that light, and not
NAMED = {"lit": (log(0.75), log(0.25)), "dark": (log(0.01), 0.0), "glimmer": (log(0.4), log(0.6))}
CROWDED = {True: log(0.9), False: log(0.5)}  # not named though others were: who names but one
MOST_NOT_NAMED = -8.0
YES_ERR = 0.03
NOT_SEEN = log(0.03)  # a hunt ends dark for one that would have lit
HOME, LATE = "home", "late"  # faults that are called like the way they are said in
FAINT = log(0.8)  # taken for dark, where there is a glimmer: by the same eyes in each call
NO_LIGHT = frozenset(("silent", "dark"))
BESIDE = frozenset(("before", HOME, "moves", LATE))  # ways no act shows
Flags = NDArray[np.bool_]


class Fit:
    def __init__(self, model: Model, evidence: Evidence, seen: Seen) -> None:
        self.model, self.evidence, self.seen = model, evidence, seen
        self._scores: dict[tuple[str, State], float] = {}

    def score(self, unit: str, state: State) -> float:
        key = unit, state
        if key not in self._scores:
            self._scores[key] = (
                self._own(unit, state)
                + self._row(unit, state)
                + self._looks(unit, state)
                + self._told(unit, state)
            )
        return self._scores[key]

    # ------------------------------------------------------------ its own call

    def ways(self, unit: str, state: State) -> frozenset[str]:
        """In which ways its own call would look wrong."""
        if state.fault == ELSEWHERE:
            return frozenset(("silent",))
        verdict = self.evidence.verdicts.get(unit)
        if verdict is None or state.fault in (ALWAYS, MIXED):
            return frozenset()
        if state.fault == HOME:  # off by whatever it is: of the axes, what was said of them
            return self.evidence.ways(unit) & {"pan", "tilt"}
        return frozenset(self.model.ways(unit, state, self._acts(unit)))

    def _acts(self, unit: str) -> tuple[str, ...]:
        """What it was made to do, and what it must have done for its marks to be seen: who says
        that pan goes the other way saw it move, by hand or by another test.
        """
        verdict = self.evidence.verdicts[unit]
        return tuple(
            dict.fromkeys((*verdict.acts, *(_TEST[w] for w in verdict.what if w in _TEST)))
        )

    def _own(self, unit: str, state: State) -> float:
        if unit not in self.seen.at:
            return 0.0
        verdict = self.evidence.verdicts[unit]
        seen = self.evidence.ways(unit)
        before = self._before(unit, state, "before" in seen)
        before += sum(self._beside(unit, state, way) for way in seen & {HOME, LATE})
        own = seen - BESIDE
        if state.fault in (ALWAYS, MIXED):
            moved = any(h.startswith(_MOVED) for h in verdict.how)
            return before + self._mixed(state, own) + (OTHERWISE if moved else 0.0)
        if verdict.result == "wrong" and not verdict.what and not verdict.others:
            wanted = self.ways(unit, state)
            return before + (NOT_SAID if wanted - {"silent"} else GARBLED if wanted else INVENTED)
        return before + self._ways(unit, state, own)

    def _beside(self, unit: str, state: State, way: str) -> float:
        """Late, or not at home at rest, which a head is too that hears what is for others."""
        if state.fault == way:
            return SAID
        normal = self.model.expected(unit)
        astray = (state.places, state.mode) != (normal.places, normal.mode)
        return NOT_SAID if way == HOME and (astray or state.fault in (ALWAYS, MIXED)) else INVENTED

    def _before(self, unit: str, state: State, said: bool) -> float:
        lit = state.fault == ALWAYS or self._rests_lit(unit, state)
        if lit:
            return LIT_BEFORE[not said]
        return NOT_BEFORE if said else 0.0

    def _rests_lit(self, unit: str, state: State) -> bool:
        return state.fault not in (ELSEWHERE, MIXED) and self.model.rests_lit(unit, state)

    def _mixed(self, state: State, seen: Set[str]) -> float:
        """Of one that another sender has a hand in: whatever comes of it."""
        if "silent" in seen or "dark" in seen:
            return GARBLED
        return log(0.1) if state.fault == ALWAYS else log(0.03) if seen else log(0.25)

    def _ways(self, unit: str, state: State, seen: frozenset[str]) -> float:
        wanted = self.ways(unit, state)
        if wanted == seen and not seen - {"silent", "dark"}:
            return 0.0
        if not wanted:
            more = 0 if "silent" in seen else len(seen) - 1
            return INVENTED + min(3, max(0, more)) * IMPRECISE
        if "silent" in wanted or "silent" in seen or ("dark" in wanted) != ("dark" in seen):
            if not wanted & NO_LIGHT and seen == {*self.model.unlit(unit, state, self._acts(unit))}:
                return FAINT
            half = wanted == {"dark"} and "silent" in seen
            return HALF_SEEN if half else GARBLED if seen else PASSED
        missed = sum(log(MISSED.get(way, 0.2)) for way in wanted - seen)
        if not seen:
            return max(PASSED, missed)
        if not wanted & seen:
            return GARBLED
        noted = sum(log(1 - MISSED.get(way, 0.2)) for way in wanted & seen)
        exact = {h.split()[0] for h in self.evidence.verdicts[unit].how}
        strange = IMPRECISE * (len(seen - wanted) + len((seen - wanted) & exact))
        fits = missed + noted + strange + self._how(unit, state, wanted & seen)
        return max(GARBLED + 2 * IMPRECISE, fits)

    def _how(self, unit: str, state: State, ways: Set[str]) -> float:
        """What was said of how it is wrong, beside how it would be."""
        verdict = self.evidence.verdicts[unit]
        said = [h for h in verdict.how if h.split()[0] in ways]
        if not said:
            return 0.0
        would = self.model.how(unit, state, self._acts(unit))
        if not would:
            return OTHERWISE / 2
        off = sum(h not in would for h in said)
        named = any(h in PRIMARIES for h in said)
        unsaid = sum(h in would and h not in said for h in PRIMARIES) if named else 0
        return OTHERWISE * min(1.5, off) + NOT_NAMED * unsaid

    # ------------------------------------------------------------ the calls of others

    def _row(self, unit: str, state: State) -> float:
        seen = self.seen
        if state.fault == ALWAYS or self._rests_lit(unit, state):
            return _now_and_then(seen.named(unit), seen.calls - seen.unnamed)
        lit, dark = self._lit(unit, state)
        out = 0.0
        for name, where in (("lit", lit), ("dark", dark), ("glimmer", ~lit & ~dark)):
            named, not_named = seen.counts(unit, where)
            if_named, if_not = NAMED[name]
            unsaid = not_named * if_not
            if name == "lit":
                crowded = seen.crowded(unit, where)
                unsaid = (not_named - crowded) * if_not + crowded * CROWDED[seen.names_one]
                unsaid = max(MOST_NOT_NAMED, unsaid)
            out += named * if_named + unsaid
        return out

    def _lit(self, unit: str, state: State) -> tuple[Flags, Flags]:
        """(calls,) in which it would plainly light, and in which it would be dark."""
        if state.fault == ELSEWHERE:
            none = np.zeros(len(self.model.ids), bool)
            return none, ~none
        return self.model.plainly(unit, state)

    # ------------------------------------------------------------ looks, discovery, hunts

    def _looks(self, unit: str, state: State) -> float:
        out = 0.0
        for (look, about), answer in self.evidence.answers.items():
            if about == unit:
                yes = chance_of_yes(self.model, look, unit, state)
                if yes is not None:
                    yes = min(1 - YES_ERR, max(YES_ERR, yes))
                    out += log(yes if answer else 1 - yes)
        return out

    def agrees(self, unit: str, state: State) -> bool:
        """Whether what a device or a hunt says of a unit is so in this state."""
        told = self.evidence.told[unit]
        _, universe, address = state.places[0]
        if told.universe not in (0, universe):
            return False
        width = self._width(unit, state.mode)
        return any(
            at in (0, address) and (not mode or self._width(unit, mode) == width)
            for at, mode in told.places
        )

    def _width(self, unit: str, mode: str) -> int:
        profile = self.model.programs[unit].profile
        found = profile.mode(mode)
        return chart(profile, found).footprint if found else 0

    def _told(self, unit: str, state: State) -> float:
        """Discovery: what a device says of itself is believed, and that it is not there speaks for
        no power or no line.
        """
        told = self.evidence.told.get(unit)
        if told is None:
            return 0.0
        if told.dark:
            own = {u for _, u, _ in self.model.expected(unit).places}
            away = not any(u in own for _, u, _ in state.places)
            return 0.0 if away or state.fault in (DEAD, LAMP) else NOT_SEEN
        if not told.there:
            gone = state.fault == DEAD or all(u == NOWHERE for _, u, _ in state.places)
            return 0.0 if gone else log(0.1)
        if state.fault in (DEAD, ELSEWHERE):
            return -KNOWN
        return 0.0 if self.agrees(unit, state) else -KNOWN


def _now_and_then(named: int, calls: int) -> float:
    """One that is lit always is named as often as a person cares to: any rate is as likely."""
    rest = max(0, calls - named)
    return lgamma(named + 1) + lgamma(rest + 1) - lgamma(named + rest + 2)


# movements as nothing makes them that does not follow
_MOVED = tuple(f"{axis} {how}" for axis in ("pan", "tilt") for how in ("other", "too far"))
_TEST = {"colour": "colour", "pan": "movement", "tilt": "movement", "beam": "beam", "cell": "cells"}
