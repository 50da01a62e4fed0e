"""Reasoning: the few causes that together explain what was seen, each beside its rivals.

Every unit has a score for every state it could be in: the logarithm of how likely what was seen is
then. Causes put units into states and cost their own rarity, so that one cause for many silent
units beats many causes. The set is built greedily, then each member is tried against every rival in
its place.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from math import exp

from isthmus.check.findings.cause import Cause
from isthmus.check.findings.causes import Causes
from isthmus.check.findings.evidence import Evidence
from isthmus.check.findings.fit import Fit
from isthmus.check.findings.line_causes import Sender
from isthmus.check.findings.model import Model, State
from isthmus.check.findings.seen import Seen
from isthmus.check.findings.unit_causes import Address, ByTheShow, Unknown

WORTH = 0.5  # a cause must add, as a logarithm
LARGE, LARGEST = 3, 12  # causes of so many units, and the likeliest of them that are tried
MANY, UNFIT = 6, -9.0  # units that one cause explains; what fits worse than that is not explained
MOST = 24  # causes in one explanation
RIVALS = 6
TOLD = 0.5
OTHER_WORD = 0.6  # that it is what the show does, though none of that was said
SEEN_ONCE, SEEN_OF_MANY, LOOKED_TWICE = 0.11, 0.06, 0.02  # something else than all that is known
ROUNDS = 5


@dataclass(frozen=True)
class Ranked:
    cause: Cause
    chance: float  # 0…1 among its rivals


@dataclass(frozen=True)
class Finding:
    """What is wrong with some units: the likeliest cause first."""

    units: tuple[str, ...]
    ranked: tuple[Ranked, ...]

    @property
    def cause(self) -> Cause:
        return self.ranked[0].cause

    @property
    def open(self) -> bool:
        """Whether it cannot be told yet: no cause is likelier than all others together."""
        return self.ranked[0].chance < TOLD


class Reason:
    """Weighs causes for one model and its evidence. `findings` is the outcome."""

    def __init__(self, model: Model, evidence: Evidence) -> None:
        self.model, self.evidence = model, evidence
        self.seen = Seen(model, evidence)
        self.fit = Fit(model, evidence, self.seen)
        self.score, self.ways = self.fit.score, self.fit.ways
        self.causes = Causes(model, evidence, self.score, self.seen)
        self._gains: dict[
            int, float
        ] = {}  # by the identity of a cause; all of them live as long as this does
        elsewhere = {u for v in evidence.verdicts for u in evidence.others(v)}
        self.normal = {u: model.expected(u) for u in model.ids}
        self.deviants = {
            u
            for u in model.ids
            if (u in evidence.verdicts and evidence.verdicts[u].result != "works")
            or u in elsewhere
            or (
                (told := evidence.told.get(u)) is not None
                and (not told.there or told.dark or not self.fit.agrees(u, self.normal[u]))
            )
        }

    # ------------------------------------------------------------ explanations

    def total(self, chosen: Sequence[Cause]) -> float:
        """Of these causes together, against none at all; where two concern a unit, the later one
        has it but for what is broken inside."""
        better = sum(
            self.score(u, state) - self.score(u, self.normal[u])
            for u, state in self.states_of(chosen).items()
        )
        over = sum(len(c.states) for c in chosen) - len(self.states_of(chosen))
        return sum(c.prior for c in chosen) + better - _twice(over)

    def states_of(self, chosen: Sequence[Cause]) -> dict[str, State]:
        states: dict[str, State] = {}
        for cause in sorted(chosen, key=lambda c: -len(c.states)):
            for unit, state in cause.states.items():
                states[unit] = (
                    _together(states[unit], state, self.normal[unit]) if unit in states else state
                )
        return states

    def findings(self) -> list[Finding]:
        """The causes that explain what was seen, those of most units first; and what the show
        itself explains.
        """
        if not self.deviants:
            return []
        causes = self._kept = self._candidates()
        chosen = self._greedy(causes, [])
        for _ in range(ROUNDS):
            better = self._bettered(chosen, causes)
            if better == chosen:
                break
            chosen = better
        out = [self._finding(cause, chosen, causes) for cause in chosen]
        explained = set().union(*(f.units for f in out)) if out else set()
        out += self._by_the_show(explained)
        return sorted(out, key=lambda f: (-len(f.units), f.units))

    def _candidates(self) -> list[Cause]:
        """From the way to units inwards: what many units share and what explains them well spares
        looking into each of them.
        """
        made: dict[tuple[str, tuple[object, ...]], Cause] = {}

        def more(causes: Iterable[Cause]) -> None:
            for cause in causes:
                made.setdefault((cause.kind, cause.about), cause)

        causes = self.causes
        more(causes.lines.causes(self.deviants))
        left = self._unexplained(list(made.values()))
        more(causes.of_whole_hangs(self.deviants, left))
        more(causes.of_hangs(left, {}))
        left = self._unexplained(list(made.values()))
        more(c for unit in sorted(left) for c in causes.of_unit(unit))
        more(causes.of_pairs(left))
        more(causes.of_hangs(left, self._steps(made.values())))
        return list(made.values())

    def _unexplained(self, causes: list[Cause]) -> set[str]:
        """The units that look wrong, without those that causes of many explain. A sender does
        not count: it fits anything.
        """
        left = set(self.deviants)
        for cause in self._greedy(causes, []):
            if isinstance(cause, Sender) or len(self.deviants & cause.states.keys()) < MANY:
                continue
            better = {
                u: self.score(u, s) - self.score(u, self.normal[u]) for u, s in cause.states.items()
            }
            if sum(by < -3.0 for by in better.values()) > len(better) // 12:
                continue  # some of its units would not look as they do: of others it may be wrong
            for unit, state in cause.states.items():
                fits = self.score(unit, state)
                if fits > UNFIT and better[unit] > 4.0:
                    left.discard(unit)
        return left

    def _steps(self, causes: Iterable[Cause]) -> dict[str, set[int]]:
        """By how much each unit alone may be off, on its own universe."""
        steps: dict[str, set[int]] = {}
        for cause in causes:
            if isinstance(cause, Address) and not cause.elsewhere:
                _, universe, address = cause.states[cause.unit].places[0]
                normal = self.normal[cause.unit].places[0]
                if normal[1] == universe:
                    steps.setdefault(cause.unit, set()).add(address - normal[2])
        return steps

    def _bettered(self, chosen: list[Cause], causes: list[Cause]) -> list[Cause]:
        """Each in turn gives way to its best rival, or to whatever the others need when it is left
        out.
        """
        best = self.total(chosen)
        for cause in chosen:
            rest = [c for c in chosen if c is not cause]
            rival = self._finding(cause, chosen, causes).cause
            without = [c for c in causes if (c.kind, c.about) != (cause.kind, cause.about)]
            single = [
                c for c in without if len(c.states) == 1
            ]  # several of one unit each, where one of many was too greedy
            smaller = [
                c for c in without if c.states.keys() < cause.states.keys()
            ]  # or of some of its units each
            starts = (
                ([*rest, rival], causes),
                (rest, without),
                (self._greedy(single, rest), causes),
                (self._greedy(smaller, rest), causes),
            )
            for start, offered in starts:
                tried = self._greedy(offered, start)
                if (total := self.total(tried)) > best + 0.1:
                    chosen, best = tried, total
                    break
        return self._swallowed(chosen, best, causes)

    def _swallowed(self, chosen: list[Cause], best: float, causes: list[Cause]) -> list[Cause]:
        """One of many units in place of all those that concern some of its units."""
        large = [c for c in causes if len(c.states) >= LARGE and c not in chosen]
        large.sort(key=lambda c: -self._alone(c))
        for cause in large[:LARGEST]:
            rest = [c for c in chosen if not c.states.keys() <= cause.states.keys()]
            if len(chosen) - len(rest) > 1:
                tried = self._greedy(causes, [*rest, cause])
                if self.total(tried) > best + 0.1:
                    return tried
        return chosen

    def _greedy(self, causes: list[Cause], chosen: list[Cause]) -> list[Cause]:
        chosen = list(chosen)
        states = self.states_of(chosen)
        gains = [
            self._alone(c) if states.keys().isdisjoint(c.states) else self._gain(c, states)
            for c in causes
        ]
        for _ in range(MOST):
            have = {(c.kind, c.about) for c in chosen}
            best = max(
                (i for i, c in enumerate(causes) if (c.kind, c.about) not in have),
                key=gains.__getitem__,
                default=None,
            )
            if best is None or gains[best] <= WORTH:
                break
            chosen.append(causes[best])
            states = self.states_of(chosen)
            changed = causes[best].states.keys()
            gains = [
                g if changed.isdisjoint(c.states) else self._gain(c, states)
                for g, c in zip(gains, causes, strict=True)
            ]
        return self._pruned(chosen)

    def _gain(self, cause: Cause, states: Mapping[str, State]) -> float:
        """What a cause adds to an explanation in which units are in these states."""
        over = sum(unit in states for unit in cause.states)
        gain = cause.prior - _twice(over)
        for unit, state in cause.states.items():
            now = states.get(unit, self.normal[unit])
            then = _together(now, state, self.normal[unit]) if unit in states else state
            gain += self.score(unit, then) - self.score(unit, now)
        return gain

    def _alone(self, cause: Cause) -> float:
        """The same, where all its units are as the show has them so far."""
        found = self._gains.get(id(cause))
        if found is None:
            found = self._gains[id(cause)] = self._gain(cause, {})
        return found

    def _pruned(self, chosen: list[Cause]) -> list[Cause]:
        """Without those that later ones have made needless."""
        for cause in list(chosen):
            rest = [c for c in chosen if c is not cause]
            if self.total(rest) >= self.total(chosen) - 0.5:
                chosen = rest
        return chosen

    def _finding(self, cause: Cause, chosen: list[Cause], causes: list[Cause]) -> Finding:
        """The cause among all that could stand in its place while the others stay."""
        mine = set(cause.units)
        rest = [c for c in chosen if c is not cause]
        states = self.states_of(rest)
        touched = mine & set(self.model.place)
        weights: list[tuple[float, Cause]] = []
        for rival in causes:
            if not mine.intersection(rival.states):
                continue
            around = {*touched, *rival.states}
            weight = rival.prior
            for unit in around:
                now = states.get(unit, self.normal[unit])
                state = rival.states.get(unit)
                then = (
                    now
                    if state is None
                    else _together(now, state, self.normal[unit])
                    if unit in states
                    else state
                )
                weight += self.score(unit, then) - self.score(unit, now)
            weights.append((weight, rival))
        weights.sort(key=lambda pair: (-pair[0], len(pair[1].states)))
        kept: list[tuple[float, Cause]] = []
        for weight, rival in weights:
            if weight < weights[0][0] - 8 or len(kept) == RIVALS:
                break
            if all((rival.kind, rival.about) != (c.kind, c.about) for _, c in kept):
                kept.append((weight, rival))
        kept += self._senders_seen(weights, kept)
        top = kept[0][0]
        parts = [exp(weight - top) for weight, _ in kept]
        known = 1.0 - self._otherwise(kept[0][1])
        ranked = tuple(
            Ranked(rival, known * part / sum(parts))
            for part, (_, rival) in zip(parts, kept, strict=True)
        )
        numbers = {u: self.model.units[u].number for u in mine | set(ranked[0].cause.units)}
        return Finding(tuple(sorted(numbers, key=lambda u: numbers[u])), ranked)

    def _senders_seen(
        self, weights: Sequence[tuple[float, Cause]], kept: Sequence[tuple[float, Cause]]
    ) -> Sequence[tuple[float, Cause]]:
        """A sender that the network view shows is always among what it could be."""
        have = {cause.about[0] for _, cause in kept if isinstance(cause, Sender)}
        seen = [
            (weight, cause)
            for weight, cause in weights
            if isinstance(cause, Sender)
            and self.evidence.senders.get(int(str(cause.about[0])))
            and cause.about[0] not in have
        ]
        return seen[:1]

    def _otherwise(self, cause: Cause) -> float:
        """How likely it is something that is not among the causes: least where it was looked at
        twice.
        """
        looked = {u for _, u in self.evidence.answers} | self.evidence.told.keys()
        if looked & cause.states.keys():
            return LOOKED_TWICE
        marked = sum(u in self.evidence.verdicts for u in cause.states)
        return SEEN_OF_MANY if marked >= LARGE else SEEN_ONCE

    def _by_the_show(self, explained: set[str]) -> list[Finding]:
        """Units that look wrong just as the show makes them: a limit, a curve, an address that two
        of them share.
        """
        out = []
        for unit in self.model.ids:
            if unit in explained or unit not in self.deviants or unit not in self.seen.at:
                continue
            ways = self.ways(unit, self.normal[unit])
            seen, verdict = self.evidence.ways(unit), self.evidence.verdicts[unit]
            if seen or (
                verdict.result == "wrong"
                and not (verdict.others and explained.issuperset(verdict.others))
            ):
                kind = ByTheShow if ways else Unknown  # an eye may miss some, or add to it
                cause = kind.of(unit, self.normal[unit])
                known = 0.0 if kind is Unknown else 1.0 - self._otherwise(cause)
                if not seen & ways:  # what is faint loses its colour too: another word for it
                    known *= OTHER_WORD
                out.append(Finding((unit,), (Ranked(cause, known),)))
        return out


def _twice(units: int) -> float:
    """What it costs that something is wrong with so many units in two ways at once."""
    return 1.5 * min(2, units) + 0.3 * units


def _together(under: State, over: State, normal: State) -> State:
    """A state on top of another: each brings what it changes."""
    return State(
        over.places if over.places != normal.places else under.places,
        over.mode if over.mode != normal.mode else under.mode,
        over.fault or under.fault,
    )


def reason(model: Model, evidence: Evidence) -> list[Finding]:
    """What is behind everything that was seen. An empty list when all is well or nothing was seen
    yet.
    """
    return Reason(model, evidence).findings()


def units_of(findings: Sequence[Finding]) -> Mapping[str, Finding]:
    """Unit → the finding that is most about it."""
    out: dict[str, Finding] = {}
    for finding in sorted(findings, key=lambda f: -len(f.units)):
        out |= dict.fromkeys(finding.units, finding)
    return out
