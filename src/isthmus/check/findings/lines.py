"""Causes on the way from an output to a line: ports and nodes that are dark or set otherwise,
second senders, outputs off.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Iterator, Sequence
from dataclasses import replace
from math import log

from isthmus.check.findings.cause import ALWAYS, KNOWN, MIXED, Cause
from isthmus.check.findings.evidence import SILENT, Evidence
from isthmus.check.findings.line_causes import (
    NodeDark,
    NodeNumbers,
    OutputOff,
    PortDark,
    PortNumber,
    PortsExchanged,
    Sender,
    reaches,
)
from isthmus.check.findings.model import NOWHERE, Model, State
from isthmus.routes import Port, Reach
from isthmus.routes.reach import SPARE
from isthmus.show.records import Node

MOSTLY = 0.75  # of a hang that went wrong: an eye may err
UNTOUCHED, HELD_UP, TOUCHED = log(0.9), log(0.3), log(0.1)  # by another sender, unit by unit
UNSEEN = -3.0  # the network was looked at, and no such sender was seen
LONELY = 1.5  # that no one hangs behind the other ports of a universe


class Lines:
    """`units` are those of each universe, `ports` where it comes out."""

    def __init__(
        self, model: Model, evidence: Evidence, fit: Callable[[str, State], float]
    ) -> None:
        self.model, self.evidence, self.fit = model, evidence, fit
        reach = Reach(model.show)
        self.units: dict[int, list[str]] = defaultdict(list)
        for unit in model.ids:
            for universe in dict.fromkeys(p.universe for p in model.units[unit].patch):
                self.units[universe].append(unit)
        self.ports: dict[int, list[Port]] = defaultdict(list)
        for port in reach.ports:
            for output in reach.of_port.get(port.key, ()):
                if output.enabled and output.role != SPARE and not port.is_input:
                    self.ports[output.universe].append(port)
        self.off: dict[int, list[str]] = defaultdict(
            list
        )  # outputs that are off while others of their universe are on
        for output in model.show.outputs:
            if not output.enabled and not output.role and output.universe in self.ports:
                self.off[output.universe].append(output.id)

    def causes(self, deviants: set[str]) -> Iterator[Cause]:
        """Universes that do not come out where they should, or come out somewhere else."""
        touched = [u for u, units in self.units.items() if deviants.intersection(units)]
        for universe in touched:
            for port in self.ports.get(universe, []):
                units = self.behind(universe, port)
                if units:
                    states = self._fed({universe: NOWHERE}, units)
                    yield PortDark(states, (port.key, universe), self._dark(universe, port, units))
                    yield from self._numbered(universe, port, units)
                    yield from self._exchanges(universe, port, units, touched)
            for output in self.off.get(universe, ()):
                states = self._fed({universe: NOWHERE}, self.behind(universe, None))
                yield OutputOff(states, (universe, output), OutputOff.odds())
            yield from self._senders(universe)
        yield from self._nodes(deviants)

    def _dark(self, universe: int, port: Port, units: Sequence[str]) -> float:
        """How likely a port is dark: less so when its node is silent as a whole, a device behind it
        answers, or it had to feed all of the universe that other ports feed too.
        """
        silent = self.evidence.nodes.get(port.node.id) == SILENT
        all_of_it = len(units) == len(self.units[universe]) and len(self.ports[universe]) > 1
        alive = self._alive(universe, port)
        return PortDark.odds() - 3 * silent - KNOWN * alive - LONELY * all_of_it

    def _senders(self, universe: int) -> Iterator[Cause]:
        """Another sender: far likelier when one was seen, less so when the network was looked at
        and none was. It counts alone, so that nothing of ours comes; or beside ours, and touches
        some units or none of them.
        """
        seen = self.evidence.senders.get(universe)
        prior = Sender.odds() + (KNOWN if seen else UNSEEN if self.evidence.looked else 0.0)
        alone: dict[str, State] = {}
        beside: dict[str, State] = {}
        cost = 0.0
        for unit in self.units[universe]:
            normal = self.model.expected(unit)
            always, mixed = replace(normal, fault=ALWAYS), replace(normal, fault=MIXED)
            gone = normal.fed({universe: NOWHERE})
            alone[unit] = max((gone, always), key=lambda s: self.fit(unit, s))
            ways = ((normal, UNTOUCHED), (always, HELD_UP), (mixed, TOUCHED))
            beside[unit], apart = max(ways, key=lambda w: self.fit(unit, w[0]) + w[1])
            cost += apart
        yield Sender(
            alone,
            (universe, True),
            prior + log(0.3) * any(s.fault == ALWAYS for s in alone.values()),
        )
        yield Sender(beside, (universe, False), prior + cost)

    def _nodes(self, deviants: set[str]) -> Iterator[Cause]:
        """Nodes that are dark as a whole."""
        for node in self.model.show.nodes:
            dark: dict[str, State] = {}
            for universe, ports in self.ports.items():
                for port in ports:
                    if port.node.id == node.id:
                        dark |= self._fed({universe: NOWHERE}, self.behind(universe, port))
            if deviants.intersection(dark):
                says = self.evidence.nodes.get(node.id)
                # one that answers may still put nothing out
                known = 0.0 if not says else KNOWN if says == SILENT else -2.0
                yield NodeDark(dark, (node.id,), NodeDark.odds() + known)
                yield from self._counts(node)

    def _counts(self, node: Node) -> Iterator[Cause]:
        """All its ports are off by one: it counts from 0, or the show does."""
        mine = [
            (universe, port)
            for universe, ports in self.ports.items()
            for port in ports
            if port.node.id == node.id and self.behind(universe, port)
        ]
        for by in (-1, 1) if len(mine) > 1 else ():
            states: dict[str, State] = {}
            says = 0.0
            for universe, port in mine:
                comes = self._sent_to(port).get((port.protocol, port.number + by), NOWHERE)
                states |= self._fed({universe: comes}, self.behind(universe, port))
                says += self._says(port, port.number + by)
            says = max(-KNOWN, min(KNOWN / 2, says))
            yield NodeNumbers(states, (node.id, by), NodeNumbers.odds(0.5) + says)

    def _sent_to(self, port: Port) -> dict[tuple[str, int], int]:
        """What is sent to a port's node: number → universe."""
        reaching = (o for o in self.model.show.outputs if o.enabled and reaches(o, port.node.ip))
        return {(o.protocol, o.number): o.universe for o in reaching}

    def behind(self, universe: int, port: Port | None) -> list[str]:
        """The units behind a port; None stands for one that gets nothing.

        Where a universe goes to several ports, devices tell it, hang by hang; a hang of which
        is not known is behind whichever port went wrong, when nearly all that was called of it did.
        """
        line = self.units[universe]
        if len(self.ports[universe]) == 1 and universe not in self.off:
            return line
        hangs: dict[str, list[str]] = defaultdict(list)
        for unit in line:
            hangs[self.model.units[unit].hangs_on].append(unit)
        usual = {(p.node.ip, p.number) for p in self.ports[universe]}
        mine: list[str] = []
        for units in hangs.values():
            known = [place for u in units if (place := self._stands(u)) in usual]
            called = [u for u in units if u in self.evidence.verdicts]
            if known and port is not None:
                mine += units if known.count((port.node.ip, port.number)) > len(known) / 2 else []
            elif (
                not known
                and called
                and sum(bool(self.evidence.ways(u)) for u in called) >= MOSTLY * len(called)
            ):
                mine += units
        return mine

    def _stands(self, unit: str) -> tuple[str, int] | None:
        told = self.evidence.told.get(unit)
        return told.behind if told and told.there else None

    def _alive(self, universe: int, port: Port) -> bool:
        """Whether a device of this universe answers behind the port and its unit is as it should
        be.
        """
        here = [u for u in self.units[universe] if self._stands(u) == (port.node.ip, port.number)]
        return any(
            u in self.evidence.verdicts and self.evidence.verdicts[u].result == "works"
            for u in here
        )

    def _exchanges(
        self, universe: int, port: Port, units: list[str], touched: Sequence[int]
    ) -> Iterator[Cause]:
        """This port's universe comes out at that of another, and the other way round."""
        for other in touched:
            for theirs in self.ports.get(other, []) if other > universe else ():
                near = port.node.id == theirs.node.id
                prior = PortsExchanged.odds() - (0.0 if near else 1.5)
                both = self._crossed(port, theirs, (universe, other))
                crossed = [*units, *self.behind(other, theirs)]
                states = self._fed({universe: other, other: universe}, crossed)
                about = (universe, other, port.key, theirs.key)
                yield PortsExchanged(states, about, prior + both)

    def _says(self, port: Port, number: int) -> float:
        """What the node itself says about a port having a number."""
        real = self.evidence.ports.get((port.node.id, port.index))
        return 0.0 if real is None else KNOWN / 2 if real == number else -KNOWN

    def _crossed(self, a: Port, b: Port, universes: tuple[int, int]) -> float:
        """What nodes say of two ports at which universes come out crossed: by their numbers, or by
        cables, which leave those.
        """
        says = [self.evidence.ports.get((p.node.id, p.index)) for p in (a, b)]
        if None in says or says == [a.number, b.number]:
            return 0.0
        mine, theirs = universes
        comes = self._sent(theirs, a) and self._sent(mine, b)
        return KNOWN if says == [b.number, a.number] and comes else -KNOWN

    def _sent(self, universe: int, port: Port) -> bool:
        return any(
            o.universe == universe and o.enabled and reaches(o, port.node.ip)
            for o in self.model.show.outputs
        )

    def _numbered(self, universe: int, port: Port, units: Sequence[str]) -> Iterator[Cause]:
        """The port is set to another number: the one next door, or whatever the node says."""
        sent = self._sent_to(port)
        real = self.evidence.ports.get((port.node.id, port.index))
        near = {port.number - 1, port.number + 1, *([] if real is None else [real])} - {port.number}
        for number in sorted(n for n in near if n >= 0):
            comes = sent.get((port.protocol, number), NOWHERE)
            prior = PortNumber.odds(1 / 2) + self._says(port, number)
            states = self._fed({universe: comes}, units)
            yield PortNumber(states, (port.key, universe, number), prior)
        for (_, number), other in sent.items():
            if other != universe and number not in near:
                prior = PortNumber.odds(1 / 12) + self._says(port, number)
                states = self._fed({universe: other}, units)
                yield PortNumber(states, (port.key, universe, number), prior)

    def _fed(self, universes: dict[int, int], units: Sequence[str]) -> dict[str, State]:
        return {u: self.model.expected(u).fed(universes) for u in units}
