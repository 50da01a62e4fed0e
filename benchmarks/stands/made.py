"""Rigs made up by chance, with one fault or two: kinds, hangs and universes of any order."""

from __future__ import annotations

import random
from collections.abc import Callable

from benchmarks.stands import faults as f
from benchmarks.stands.faults import Fault
from benchmarks.stands.kinds import BY_NAME, KINDS
from benchmarks.stands.rig import Hung, Rig, Standing, stand

HANGS = (
    *("Bow rail", "Port mast", "Starboard mast", "Mast bridge", "Boathouse eave"),
    *("Foredeck", "Waterline", "Boathouse boom", "Harbour wall", "Slipway"),
)


def hung(seed: int) -> Rig:
    """A rig as the paper has it."""
    chance = random.Random(seed)
    nodes, universe = {}, 0
    for name in ("Ferry A", "Ferry B", "Ferry C")[: chance.choice((1, 2, 2, 3))]:
        ports = chance.choice((1, 2, 2, 4))
        nodes[name] = tuple(range(universe + 1, universe + ports + 1))
        universe += ports
    parts, names = [], list(HANGS)
    chance.shuffle(names)
    for number in range(1, min(universe, 5) + 1):
        at = chance.choice((1, 1, 1, 11, 101))
        for _ in range(chance.choice((1, 2, 2))):
            kind = chance.choice(KINDS)
            plan, size, _ = chance.choice(kind.modes)
            apart = chance.choice((0, 0, 0, -(-size // 10) * 10))
            count = chance.randint(3, 7)
            if names and at + count * (apart or size) < 400:
                parts.append(Hung(names.pop(), kind.name, plan.name, count, number, at, apart))
                at += count * (apart or size) + chance.choice((0, 0, 5, 20))
    return stand(nodes, parts)


class _Spoiler:
    """Chooses faults that fit a rig and do not touch each other."""

    def __init__(self, rig: Rig, chance: random.Random) -> None:
        self.rig, self.chance = rig, chance
        self.touched: set[str] = set()

    def one(self, kinds: dict[str, Callable[[], Fault | None]]) -> bool:
        """Whether one more was found and done."""
        make = kinds[self.chance.choice(list(kinds))]
        fault = make()
        if fault is None:
            return False
        try:
            changed = fault(self.rig)
        except (AssertionError, StopIteration):
            return False
        units = changed.truths[-1].units
        if not units or units & self.touched:
            return False
        self.rig, self.touched = changed, self.touched | units
        return True

    def free(self, want: Callable[[Standing], bool] = lambda u: True) -> Standing | None:
        fits = [u for u in self.rig.units.values() if u.id not in self.touched and want(u)]
        return self.chance.choice(fits) if fits else None

    def inside(self, what: str, *bodies: str) -> Callable[[], Fault | None]:
        def make() -> Fault | None:
            unit = self.free(lambda u: not bodies or BY_NAME[u.kind].body in bodies)
            figure = {"emitter": self.chance.choice((0, 1, 2)), "cell": self.chance.randrange(6)}
            if unit is None or (what == "cell" and unit.mode != "Cells"):
                return None
            return f.broken(unit.number, what, figure.get(what, 0.25))

        return make

    def address(self) -> Fault | None:
        unit = self.free()
        if unit is None:
            return None
        size = BY_NAME[unit.kind].of(unit.mode)[0]
        turned = int(f"{unit.address:03d}"[::-1])
        ways = [unit.address + by for by in (1, -1, 10, -10, size, -size, 100)]
        to = self.chance.choice([*ways, turned, self.chance.randint(1, 480)])
        fits = 1 <= to <= 500 - size and to != unit.address
        return f.address(unit.number, to) if fits else None

    def exchanged(self) -> Fault | None:
        a = self.free()
        b = self.free(lambda u: a is not None and (u.kind, u.line) == (a.kind, a.line) and u != a)
        return f.exchanged(a.number, b.number) if a and b else None

    def mode(self, fault: Callable[[int, str], Fault] = f.mode) -> Fault | None:
        """A unit in the other mode of its kind, with what follows from it."""
        unit = self.free(lambda u: len(BY_NAME[u.kind].modes) > 1)
        if unit is None:
            return None
        other = next(p.name for p, _, _ in BY_NAME[unit.kind].modes if p.name != unit.mode)
        return fault(unit.number, other)

    def hang(self, fault: Callable[[Standing, list[Standing]], Fault | None]) -> Fault | None:
        unit = self.free()
        if unit is None:
            return None
        mine = [u for u in self.rig.units.values() if u.hang == unit.hang]
        return fault(unit, sorted(mine, key=lambda u: u.address))

    def other_mode(self, unit: Standing, _: list[Standing]) -> Fault | None:
        modes = [p.name for p, _, _ in BY_NAME[unit.kind].modes if p.name != unit.mode]
        return f.hang_mode(unit.hang, modes[0]) if modes else None

    def shifted(self, unit: Standing, mine: list[Standing]) -> Fault | None:
        size = BY_NAME[unit.kind].of(unit.mode)[0]
        by = self.chance.choice((1, -1, 10, size, 100))
        fits = all(1 <= u.address + by <= 512 - size for u in mine)
        return f.shifted(unit.hang, by) if fits else None

    def broken_line(self, unit: Standing, mine: list[Standing]) -> Fault | None:
        rest = mine[mine.index(unit) :]
        if len(rest) < 2 or len(rest) == len(mine):
            return None
        return f.cut(*(u.number for u in rest), kind="break")

    def line(self) -> Fault | None:
        unit = self.free()
        lines = {u.line for u in self.rig.units.values()}
        others = sorted(lines - {unit.line}) if unit else []
        return f.line(unit.number, *self.chance.choice(others)) if unit and others else None

    def port(self) -> tuple[str, int]:
        return self.chance.choice(sorted({u.line for u in self.rig.units.values()}))

    def crossed(self) -> Fault | None:
        node, port = self.port()
        lines = {u.line for u in self.rig.units.values() if u.line[0] == node}
        others = sorted(lines - {(node, port)})
        return f.crossed(node, port, self.chance.choice(others)[1]) if others else None

    def sender(self) -> Fault | None:
        unit = self.free()
        if unit is None:
            return None
        universe, first = unit.number // 100, self.chance.randint(1, 60)
        rank = self.chance.choice(("beside", "above", "slots"))
        return f.sender(universe, range(first, first + self.chance.randint(10, 60)), rank)

    def kinds(self) -> dict[str, Callable[[], Fault | None]]:
        heads = ("swapped", "pan inverted", "tilt inverted", "pan stuck", "tilt stuck")
        some = {what: self.inside(what, "mover") for what in heads}
        return some | {
            "dead": self.inside("dead"),
            "lamp": self.inside("lamp", "mover", "lantern"),
            "held": self.inside("held"),
            "by itself": self.inside("by itself", "mover", "can"),
            "emitter": self.inside("emitter", "can"),
            "cell": self.inside("cell", "cells"),
            "address": self.address,
            "address again": self.address,
            "exchanged": self.exchanged,
            "mode": self.mode,
            "hang mode": lambda: self.hang(self.other_mode),
            "run": lambda: self.mode(f.longer),
            "shifted": lambda: self.hang(self.shifted),
            "hang dark": lambda: self.hang(lambda u, mine: f.cut(*(m.number for m in mine))),
            "break": lambda: self.hang(self.broken_line),
            "line": self.line,
            "port dark": lambda: f.port_dark(*self.port()),
            "node dark": lambda: f.node_dark(self.port()[0], self.chance.random() < 0.3),
            "port number": lambda: f.port_number(*self.port(), self.chance.randint(0, 40)),
            "node numbers": lambda: f.counts_from(self.port()[0], self.chance.choice((-1, 1))),
            "ports exchanged": self.crossed,
            "sender": self.sender,
            "show": lambda: (u := self.free()) and f.limited(u.number, 0.25),
        }


def made(seed: int) -> Rig:
    """A rig with one fault, or every third time two."""
    chance = random.Random(seed)
    for attempt in range(1000):
        spoiler = _Spoiler(hung(seed * 1000 + attempt), chance)
        wanted = 1 + (seed % 3 == 0)
        for _ in range(60):
            if len(spoiler.rig.truths) == wanted:
                return spoiler.rig
            spoiler.one(spoiler.kinds())
    raise ValueError(f"no fault fits rig {seed}")
