"""People who watch a roll call: what they notice, what they mark, and how they err.

A person knows how the unit called should look, as one does who reads the sentence and knows the
other units of its kind; eyes go by ratios, and nobody writes everything down.
"""

from __future__ import annotations

import random
from collections.abc import Sequence
from dataclasses import dataclass, field

from benchmarks.stands.kinds import Look


@dataclass(frozen=True)
class Mark:
    """What is marked of a unit: see `check.verdicts`. A careless one may be skipped."""

    result: str
    what: tuple[str, ...] = ()
    others: tuple[int, ...] = ()
    how: tuple[str, ...] = ()


@dataclass(frozen=True)
class Shown:
    """What there is to see in a call: for each phase its test, and how the unit should look and
    looks; the numbers of others that are lit, and of those that are lit whatever is called.
    """

    number: int
    kinds: Sequence[str]
    wished: Sequence[Look]
    seen: Sequence[Look]
    others: Sequence[int]
    always: frozenset[int]
    neighbours: Sequence[int]
    at_rest: Look  # how it looks while nothing is called


@dataclass
class Person:
    """`misses` how often a detail that is wrong is not marked; `slips` how often the whole unit is
    passed as working; `skips` how often it is not marked at all; `mistakes` how often another
    unit is called by its neighbour's number; `writes` how often it is said how something is
    wrong. Some tests are not done (`tests`); `red_green` cannot tell those apart.
    """

    name: str
    seed: int
    misses: float = 0.05
    slips: float = 0.0
    skips: float = 0.0
    mistakes: float = 0.0
    writes: float = 0.6
    least: float = 0.04
    turn: float = 12.0
    one_other: bool = False
    unnamed: float = 0.03
    blind_to: frozenset[str] = frozenset()
    red_green: bool = False
    tests: frozenset[str] = frozenset(("light", "colour", "movement", "beam", "cells"))
    chance: random.Random = field(init=False)

    def __post_init__(self) -> None:
        self.chance = random.Random(self.seed)

    def marks(self, shown: Shown) -> Mark | None:
        """What is marked after a call; None when it is skipped."""
        if self._does(self.skips):
            return None
        phases = [i for i, kind in enumerate(shown.kinds) if kind in self.tests]
        lit = [i for i in phases if shown.wished[i].light > 0.04]
        others = self._others(shown)
        if not any(self._sees(shown.seen[i]) for i in lit):
            return self._unlit(shown, phases, others)
        ways, how = self._ways(shown, phases)
        if shown.at_rest.light > self.least:
            ways.append("before")
        kept = [way for way in ways if not self._does(self.misses)]
        how = [word for word in how if word.split()[0] in kept and self._does(self.writes)]
        if others:
            kept.append("too")
        if not kept or self._does(self.slips):
            return Mark("works")
        return Mark("wrong", tuple(kept), tuple(others), tuple(how))

    # ------------------------------------------------------------ noticing

    def _does(self, often: float) -> bool:
        return self.chance.random() < often

    def _sees(self, look: Look) -> bool:
        return look.light >= self.least

    def _others(self, shown: Shown) -> list[int]:
        """Who else lights: those that light all the time are named now and then."""
        named = [n for n in shown.others if n not in shown.always or self._does(0.4)]
        named = [n for n in named if not self._does(self.misses)]
        if self.one_other:
            named = named[:1]
        return [
            self.chance.choice([m for m in (n - 1, n + 1) if m != shown.number])
            if self._does(self.mistakes)
            else n
            for n in named
        ]

    def _unlit(self, shown: Shown, phases: Sequence[int], others: list[int]) -> Mark:
        heads = [shown.seen[i] for i in phases]
        turned = any(
            max(getattr(h, axis) for h in heads) - min(getattr(h, axis) for h in heads) > self.turn
            for axis in ("pan", "tilt")
        )
        if turned and not self._does(self.misses):
            return Mark("wrong", ("dark", *(("too",) if others else ())), tuple(others))
        fresh = [n for n in others if n not in shown.always]
        if fresh and self._does(self.unnamed):
            return Mark("wrong", ("other",))
        if fresh:
            return Mark("wrong", ("other",), tuple(others))
        return Mark("silent")

    def _ways(self, shown: Shown, phases: Sequence[int]) -> tuple[list[str], list[str]]:
        ways: list[str] = []
        how: list[str] = []
        pairs = [(shown.kinds[i], shown.wished[i], shown.seen[i]) for i in phases]
        light = [(w, s) for kind, w, s in pairs if kind == "light"]
        if any(s.light < 0.62 * w.light for w, s in light):
            ways.append("dim")
        self._colours(pairs, ways, how)
        for axis in ("pan", "tilt"):
            self._axis(axis, pairs, ways, how)
        beam = [(w, s) for kind, w, s in pairs if kind == "beam" and w.light > 0.04]
        if any(
            s.picture != w.picture or abs(s.wide - w.wide) > 0.3 or not self._sees(s)
            for w, s in beam
        ) or any(self._sees(s) for kind, w, s in pairs if kind == "beam" and w.light <= 0.04):
            ways.append("beam")
        self._cells(pairs, ways, how)
        return [way for way in ways if way not in self.blind_to], how

    def _colours(self, pairs, ways: list[str], how: list[str]) -> None:
        off = [
            (w, s)
            for kind, w, s in pairs
            if kind in ("light", "colour")
            and w.light > 0.04
            and (not self._sees(s) or self._tints_differ(w, s))
        ]
        if off:
            ways.append("colour")
            names = [name for w, _ in off if (name := _primary(w.tints[0]))]
            how += [f"colour {name}" for name in dict.fromkeys(names)]

    def _tints_differ(self, wished: Look, seen: Look) -> bool:
        a, b = (
            look.tints[max(range(len(look.cells)), key=look.cells.__getitem__)]
            for look in (wished, seen)
        )
        if self.red_green:
            a, b = ((max(x[0], x[1]), x[2]) for x in (a, b))
        return max(abs(x - y) for x, y in zip(a, b, strict=True)) > 0.35

    def _axis(self, axis: str, pairs, ways: list[str], how: list[str]) -> None:
        moves = [(w, s) for kind, w, s in pairs if kind in ("light", "movement")]
        far = [(getattr(w, axis), getattr(s, axis)) for w, s in moves]
        if not any(abs(w - s) > self.turn for w, s in far):
            return
        ways.append(axis)
        seen = [s for _, s in far]
        wished = [w for w, _ in far]
        if max(seen) - min(seen) < 3:
            how.append(f"{axis} stuck")
        elif all(abs(w + s) <= self.turn for w, s in far):
            how.append(f"{axis} other way")
        elif max(seen) - min(seen) > 1.5 * (max(wished) - min(wished)):
            how.append(f"{axis} too far")
        elif max(seen) - min(seen) < 0.6 * (max(wished) - min(wished)):
            how.append(f"{axis} too little")

    def _cells(self, pairs, ways: list[str], how: list[str]) -> None:
        for kind, w, s in pairs:
            if kind not in ("light", "cells"):
                continue
            if len(w.cells) != len(s.cells):
                continue
            missing = [
                i
                for i, (x, y) in enumerate(zip(w.cells, s.cells, strict=True))
                if (x > 0.04) != (y > self.least)
            ]
            if missing and "cell" not in ways:
                ways.append("cell")
                if kind == "light" and len(missing) == 1:
                    how.append(f"cell {missing[0] + 1}")
                elif kind == "light" and missing == list(range(missing[0], len(w.cells))):
                    how.append(f"cell after {missing[0]}")


def _primary(tint: tuple[float, float, float]) -> str:
    """Red, green or blue, where it is plainly one of them."""
    top = max(range(3), key=tint.__getitem__)
    rest = [x for i, x in enumerate(tint) if i != top]
    return ("red", "green", "blue")[top] if max(rest) < 0.4 * tint[top] else ""


def careful(seed: int) -> Person:
    return Person("careful", seed)


def hasty(seed: int) -> Person:
    """Marks what catches the eye, one other unit at most, and skips some tests."""
    return Person(
        *("hasty", seed),
        misses=0.3,
        slips=0.02,
        skips=0.04,
        mistakes=0.03,
        writes=0.15,
        one_other=True,
        unnamed=0.2,
        tests=frozenset(("light", "colour", "movement")),
    )


def far_away(seed: int) -> Person:
    """Sees neither beams nor half light, and takes a unit's neighbour for it."""
    return Person(
        *("far away", seed),
        misses=0.1,
        mistakes=0.12,
        writes=0.2,
        least=0.1,
        turn=25.0,
        blind_to=frozenset(("beam", "dim")),
    )


def colour_blind(seed: int) -> Person:
    return Person("colour-blind", seed, red_green=True)


PEOPLE = {"careful": careful, "hasty": hasty, "far away": far_away, "colour-blind": colour_blind}
