"""A round of roll call on a rig by a person, what findings make of it, and whether that is true."""

from __future__ import annotations

import time
from collections.abc import Mapping
from dataclasses import dataclass, field, replace

import numpy as np
from msgspec import structs

from benchmarks.stands.people import Person, Shown
from benchmarks.stands.rig import NodeStands, Rig, Sent, Standing, Truth, Universe
from isthmus.check import mark
from isthmus.check.acts import KINDS
from isthmus.check.findings.chances import AXIS, MOVES, slots_of_look
from isthmus.check.findings.evidence import SILENT, WORKS, Evidence, Told, told_by_hunt
from isthmus.check.findings.looks import Look as Question
from isthmus.check.findings.looks import next_look
from isthmus.check.findings.model import Model
from isthmus.check.findings.reason import Finding, reason
from isthmus.check.hunt import Hunt
from isthmus.check.hunt_asked import NO, YES
from isthmus.check.rollcall import Manner, acts_now, begin, step, wanted
from isthmus.errors import IsthmusError
from isthmus.output import Live
from isthmus.show.records import PLAIN_HANDLING, Show

MOST_LOOKS, MOST_HUNTS = 12, 6
SURE = 0.9


@dataclass(frozen=True)
class Call:
    """What is sent while a unit is called: the test of each phase, and the universes then."""

    kinds: tuple[str, ...]
    sent: tuple[Sent, ...]


def calls_of(show: Show) -> tuple[dict[str, Call], Sent]:
    """Of every unit that can be called; and what is sent while nothing is."""
    live = Live(show)

    def now() -> Sent:
        rows = zip(live.compiled.universes, live.frame.reshape(-1, 512), strict=True)
        return {u: row.copy() for u, row in rows}

    rest = now()
    call = begin(show, live, Manner(kinds=KINDS), start=show.units[0].id)
    out: dict[str, Call] = {}
    call = step(call, show, live, -len(call.calls))
    for _ in call.calls:
        kinds: list[str] = []
        sent: list[Sent] = []
        for _, _, acts in acts_now(call, show):
            for at, act in enumerate(acts):
                for phase in range(len(act.phases)):
                    asked, _ = wanted(replace(call, act=at, phase=phase), show, live)
                    live.restore(asked)
                    kinds.append(act.kind)
                    sent.append(now())
        out[call.stop.units[0]] = Call(tuple(kinds), tuple(sent))
        call = step(call, show, live, 1)
    return out, rest


def plainly(show: Show) -> Show:
    """The show without limits and handling: what a person expects to see."""
    units = tuple(structs.replace(u, limits=(), handling=PLAIN_HANDLING) for u in show.units)
    return structs.replace(show, units=units)


@dataclass
class Outcome:
    """`first` and `three` are the truths named first, and among the first three; `visible` those
    anybody could have seen signs of; `false` the causes named first that are not so.
    """

    visible: list[Truth] = field(default_factory=list)
    first: list[Truth] = field(default_factory=list)
    three: list[Truth] = field(default_factory=list)
    false: list[Finding] = field(default_factory=list)
    found: list[Finding] = field(default_factory=list)
    said: list[tuple[float, bool]] = field(default_factory=list)  # chance, whether it was so
    open: int = 0  # findings that say that it cannot be told yet
    looks: int = 0
    hunts: int = 0
    seconds: float = 0.0


class Round:
    """One rig, watched by one person."""

    def __init__(self, rig: Rig, person: Person) -> None:
        self.rig, self.person = rig, person
        self.calls, self.rest = calls_of(rig.paper)
        self.ideal = Rig(rig.paper, _as_on_paper(rig), _nodes_on_paper(rig))
        wishes = plainly(rig.paper) != rig.paper
        self.wished = calls_of(plainly(rig.paper))[0] if wishes else self.calls

    # ------------------------------------------------------------ the round

    def marked(self) -> Show:
        """The show with a verdict for each unit."""
        show, rig = self.rig.paper, self.rig
        at_rest = {u.id: rig.look(u, self.rest) for u in rig.units.values()}
        always = frozenset(
            u.number for u in rig.units.values() if at_rest[u.id].light >= self.person.least
        )
        numbers = sorted(u.number for u in rig.units.values())
        for unit in self.calls:
            call, own = self.calls[unit], rig.units[unit]
            others = [
                u.number
                for u in rig.units.values()
                if u.id != unit and rig.look(u, call.sent[0]).light >= self.person.least
            ]
            shown = Shown(
                own.number,
                call.kinds,
                [self.ideal.look(self.ideal.units[unit], s) for s in self.wished[unit].sent],
                [rig.look(own, s) for s in call.sent],
                sorted(others),
                always,
                numbers,
                at_rest[unit],
            )
            said = self.person.marks(shown)
            if said is not None:
                named = [f"u{n}" for n in said.others if f"u{n}" in rig.units]
                acts = tuple(k for k in KINDS if k in self.person.tests)
                show = mark(
                    *(show, unit, said.result),
                    what=said.what,
                    how=said.how,
                    others=named,
                    acts=acts,
                    at="2026-12-01T20:00:00",
                )
        return show

    def evidence(self, show: Show) -> Evidence:
        """What is known besides: nodes answer or do not, and senders are seen."""
        stands = {n.id: self.rig.nodes[n.name] for n in show.nodes}
        nodes = {key: WORKS if node.answers else SILENT for key, node in stands.items()}
        ports = {
            (key, at + 1): number
            for key, node in stands.items()
            if nodes[key] == WORKS
            for at, number in enumerate(node.numbers)
        }
        senders = {o.universe: ("Harbour radio desk",) for o in self.rig.foreign if o.seen}
        return Evidence({v.unit: v for v in show.verdicts}, {}, nodes, ports, senders, {}, True)

    def _sees(self, unit: Standing, slots: Mapping[tuple[int, int], int]) -> float:
        """Its light while these slots are sent, everything else at nought."""
        sent: dict[int, Universe] = {u: np.zeros(512, np.uint8) for u in self.rest}
        for (universe, address), value in slots.items():
            sent.setdefault(universe, np.zeros(512, np.uint8))[address - 1] = value
        return self.rig.look(unit, sent).light

    def answer(self, model: Model, look: Question) -> bool:
        unit = self.rig.units[look.unit]
        if look.name in (MOVES, AXIS):
            call = self.calls[look.unit]
            moving = [s for k, s in zip(call.kinds, call.sent, strict=True) if k == "movement"]
            looks = [self.rig.look(unit, s) for s in moving]
            pan, tilt = (
                bool(looks) and max(v) - min(v) > 5
                for v in ([x.pan for x in looks], [x.tilt for x in looks])
            )
            return (pan or tilt) if look.name == MOVES else (pan and tilt)
        slots = slots_of_look(model, look.name, look.unit)
        return self._sees(unit, slots) >= self.person.least

    def hunt(self, unit: str, any_mode: bool) -> Told | None:
        """What a hunt with careful eyes says."""
        try:
            hunt = Hunt(self.rig.paper, unit, any_mode=any_mode)
        except IsthmusError:
            return None
        brightest = 0.0
        while (look := hunt.look()) is not None and hunt.used < 20:
            light = self._sees(self.rig.units[unit], look.slots)
            brightest = max(brightest, light)
            hunt.answer(look, YES if light >= max(0.02, 0.1 * brightest) else NO)
        if hunt.dark:
            return Told(dark=True)
        return told_by_hunt(hunt.found, any_mode)

    # ------------------------------------------------------------ what is made of it

    def judged(self) -> Outcome:
        show = self.marked()
        model, evidence, out = Model(show), self.evidence(show), Outcome()
        answers: dict[tuple[str, str], bool] = {}
        told: dict[str, Told] = {}
        hunted: set[str] = set()
        while True:
            began = time.process_time()
            out.found = reason(model, replace(evidence, answers=answers, told=told))
            unsure = [f for f in out.found if f.ranked[0].chance < SURE]
            looks = (next_look(model, f, list(answers)) for f in unsure)
            look = next(filter(None, looks), None) if out.looks < MOST_LOOKS else None
            out.seconds += time.process_time() - began
            if look is not None:
                answers[(look.name, look.unit)] = self.answer(model, look)
                out.looks += 1
                continue
            lost = [(u, f) for f in out.found if (u := to_hunt(f)) and u not in hunted]
            if not lost or out.hunts >= MOST_HUNTS:
                break
            unit, about = lost[0]
            hunted.add(unit)
            out.hunts += 1
            found = self.hunt(unit, any("mode" in r.cause.kind for r in about.ranked))
            if found is not None:
                told[unit] = found
        self._grade(show, out)
        return out

    def _grade(self, show: Show, out: Outcome) -> None:
        wrong = {v.unit for v in show.verdicts if v.result != "works"}
        wrong |= {o for v in show.verdicts for o in v.others}
        out.visible = [t for t in self.rig.truths if t.units & wrong]
        for finding in out.found:
            ranks = [
                [t for t in self.rig.truths if t.says(r.cause.kind, r.cause.units, r.cause.about)]
                for r in finding.ranked
            ]
            _named(out.first, ranks[:1], out.visible)
            _named(out.three, ranks[:3], out.visible)
            if finding.cause.kind == "unknown" or finding.open:
                out.open += 1
                continue
            out.said.append((finding.ranked[0].chance, bool(ranks[0])))
            if not ranks[0]:
                out.false.append(finding)


def _named(named: list[Truth], ranks: list[list[Truth]], visible: list[Truth]) -> None:
    """Each truth once, however many findings and causes say it."""
    said = [truth for rank in ranks for truth in rank]
    named += [truth for truth in visible if truth in said and truth not in named]


def to_hunt(finding: Finding) -> str:
    """The unit whose address only a hunt would tell, or ""."""
    cause = finding.cause
    if cause.elsewhere or (finding.ranked[0].chance < SURE and cause.HUNT_TELLS):
        return finding.units[0]
    return ""


def _as_on_paper(rig: Rig) -> dict[str, Standing]:
    nodes = {
        (n.ip, number): (n.name, at) for n in rig.paper.nodes for at, number in enumerate(n.ports)
    }
    lines: dict[int, tuple[str, int]] = {}
    for o in rig.paper.outputs:
        lines.setdefault(o.universe, nodes[(o.host, o.port_address)])
    return {
        u.id: replace(
            rig.units[u.id],
            mode=u.mode,
            address=u.patch[0].address,
            line=lines[u.patch[0].universe],
            wrong=(),
        )
        for u in rig.paper.units
    }


def _nodes_on_paper(rig: Rig) -> dict[str, NodeStands]:
    return {
        n.name: replace(rig.nodes[n.name], numbers=n.ports, on=True, dead=())
        for n in rig.paper.nodes
    }
