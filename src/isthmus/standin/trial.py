"""A whole roll call of a made-up rig without a network: the observer looks, findings reason, looks
are taken, units hunted.
"""

from __future__ import annotations

import random
from collections.abc import Mapping
from dataclasses import dataclass, field, replace

import numpy as np
from numpy.typing import NDArray

from isthmus.check.acts import MOVEMENT
from isthmus.check.findings.chances import AXIS, MOVES, slots_of_look
from isthmus.check.findings.evidence import SILENT, WORKS, Evidence, Told
from isthmus.check.findings.looks import Look, next_look
from isthmus.check.findings.model import SEEN_ACTS, Model
from isthmus.check.findings.reason import Finding, reason
from isthmus.check.findings.sent import Frames, Laid
from isthmus.check.hunt import Hunt
from isthmus.check.sights import DARK, TURN, Sights
from isthmus.errors import IsthmusError
from isthmus.output.live import highlight
from isthmus.profiles import light_program
from isthmus.show.records import SLOTS, Verdict
from isthmus.standin.eyes import Said, noticed, say, see
from isthmus.standin.generate import Fault, MadeRig

Bytes = NDArray[np.uint8]
SURE = 0.9


@dataclass
class Outcome:
    """places: of each fault, at which rank its cause stands (1 the first, 0 not among them)."""

    findings: list[Finding] = field(default_factory=list)
    places: dict[Fault, int] = field(default_factory=dict)
    looks: int = 0
    hunted: int = 0
    units: int = 0


class Trial:
    def __init__(self, rig: MadeRig, careless: float = 0.0, seed: int = 0) -> None:
        """`careless` is the part of what is wrong that the observer does not notice."""
        self.rig, self.careless = rig, careless
        self.chance = random.Random(seed)
        self.model = Model(rig.show)
        scenario = rig.loaded.scenario
        self.sims = {f"u{u.label}": u for u in scenario.units}
        modes = zip(scenario.units, rig.loaded.modes, strict=True)
        self.programs = {
            f"u{u.label}": light_program(rig.loaded.profiles[u.profile][0], mode)
            for u, mode in modes
        }
        self.ports = {
            (n.name, i): number for n in scenario.nodes for i, number in enumerate(n.ports)
        }
        wish = {
            k: v
            for u in self.model.ids
            for k, v in highlight(self.model.programs[u], u, 1.0).items()
        }
        self.theirs = self.model.frames(
            [wish]
        )  # what a second sender says, where there is one; ports merge by HTP
        names = {n.ip: n.name for n in scenario.nodes}
        self.ips = {name: ip for ip, name in names.items()}
        self.sent = {
            (names[o.host], o.port_address): o.universe for o in rig.show.outputs if o.enabled
        }

    # ------------------------------------------------------------ what really happens

    def feed(self, unit: str, frames: Frames) -> Bytes | None:
        """What comes out of the port a unit is plugged to (k, 512)."""
        sim = self.sims[unit]
        number = self.ports[(sim.node, sim.port)]
        universe = self.sent.get((sim.node, number))
        if sim.node in self.rig.off or (sim.node, sim.port) in self.rig.dark or universe is None:
            return None
        mine = frames.part(universe, 1, SLOTS)
        return (
            np.maximum(mine, self.theirs.part(universe, 1, SLOTS))
            if universe in self.rig.senders
            else mine
        )

    def see(self, unit: str, frames: Frames) -> Sights:
        return see(self.sims[unit], self.programs[unit], self.feed(unit, frames))

    def call(self) -> dict[str, Verdict]:
        """The verdicts of a round."""
        model = self.model
        others: dict[str, list[str]] = {u: [] for u in model.ids}
        for unit in self.sims:
            lit = noticed(self.see(unit, model.lights))
            for caller in np.flatnonzero(np.broadcast_to(lit, len(model.ids))):
                if model.ids[caller] != unit:
                    others[model.ids[caller]].append(unit)
        verdicts = {}
        for unit in model.ids:
            frames, wished, kinds = model.own(unit)
            seen = self.see(unit, frames)
            if len(seen.pan) != len(kinds):  # nothing comes: one moment stands for all
                seen = Sights(
                    *(
                        np.repeat(getattr(seen, n), len(kinds), axis=0)
                        for n in ("cells", "colour", "pan", "tilt", "field")
                    )
                )
            said = self._noticed(say(wished, seen, kinds, others[unit]))
            verdicts[unit] = Verdict(
                unit=unit, result=said.result, what=said.what, others=said.others, acts=SEEN_ACTS
            )
        return verdicts

    def _noticed(self, said: Said) -> Said:
        """What is left of it when the observer is careless: single ways are missed, other units go
        unseen.
        """
        if not self.careless or said.result != "wrong":
            return said
        others = tuple(u for u in said.others if self.chance.random() >= self.careless)
        ways = tuple(
            w for w in said.what if w in ("other", "dark") or self.chance.random() >= self.careless
        )
        if "other" in ways and not others:
            return Said("silent")
        ways = tuple(w for w in ways if w != "too" or others)
        return Said("wrong", ways, others) if ways else Said("works")

    def evidence(self, verdicts: Mapping[str, Verdict]) -> Evidence:
        rig = self.rig
        nodes = {n.id: SILENT if n.name in rig.off else WORKS for n in rig.show.nodes}
        ports = {
            (n.id, i + 1): self.ports[(n.name, i)]
            for n in rig.show.nodes
            if n.name not in rig.off
            for i in range(len(n.ports))
        }
        told = {}
        for unit, sim in self.sims.items() if rig.rdm else ():
            on = (
                "dead" not in sim.faults
                and sim.node not in rig.off
                and (sim.node, sim.port) not in rig.dark
            )
            mode, number = sim.mode, self.ports[(sim.node, sim.port)]
            universe, behind = self.sent.get((sim.node, number), 0), (self.ips[sim.node], number)
            told[unit] = (
                Told(sim.address, mode, universe, behind=behind) if on else Told(there=False)
            )
        senders = dict.fromkeys(rig.senders, ("Harbour radio desk",))
        return Evidence(verdicts, {}, nodes, ports, senders, told, True)

    def answer(self, look: Look) -> bool:
        model = self.model
        if look.name in (MOVES, AXIS):
            frames, _, kinds = model.own(look.unit)
            sights = self.see(
                look.unit, frames.at([i for i, k in enumerate(kinds) if k == MOVEMENT])
            )
            turns = [
                float(np.ptp(a, axis=0).max()) > TURN / 2 if len(a) else False
                for a in (sights.pan, sights.tilt)
            ]
            return any(turns) if look.name == MOVES else all(turns)
        return bool(
            self.see(look.unit, Laid.of(slots_of_look(model, look.name, look.unit))).level[0] > DARK
        )

    def hunt(self, unit: str) -> tuple[int, int]:
        """The address found (0 for none) and the looks it took."""
        try:
            hunt = Hunt(self.rig.show, unit)
        except IsthmusError:
            return 0, 0
        while (look := hunt.look()) is not None and hunt.used < 12:
            hunt.answer(
                look,
                "yes" if hunt.lights(float(self.see(unit, Laid.of(look.slots)).level[0])) else "no",
            )
        found = hunt.found
        return (found[0].address if found else 0), hunt.used

    # ------------------------------------------------------------ the whole

    def run(self, most: int = 12) -> Outcome:
        evidence = self.evidence(self.call())
        out = Outcome(units=len(self.model.ids))
        answers: dict[tuple[str, str], bool] = {}
        told = dict(evidence.told)
        while True:
            out.findings = reason(self.model, replace(evidence, answers=answers, told=told))
            unsure = [f for f in out.findings if f.ranked[0].chance < SURE]
            look = next(
                (found for f in unsure if (found := next_look(self.model, f, list(answers)))), None
            )
            if look is not None and out.looks < most:
                answers[(look.name, look.unit)] = self.answer(look)
                out.looks += 1
                continue
            lost = [f.units[0] for f in out.findings if to_hunt(f) and f.units[0] not in told]
            if not lost:
                break
            unit = lost[0]
            address, looks = self.hunt(unit)
            out.hunted += looks
            told[unit] = Told(address) if address else Told(there=False)
        for fault in self.rig.faults:
            out.places[fault] = place_of(fault, out.findings, self.model)
        return out


def to_hunt(finding: Finding) -> bool:
    """Whether only the address itself would tell more: it is unknown, or several steps fit
    alike.
    """
    cause = finding.cause
    return cause.elsewhere or (finding.ranked[0].chance < SURE and cause.HUNT_TELLS)


def place_of(fault: Fault, findings: list[Finding], model: Model) -> int:
    """At which rank the finding about a fault names it: 1 is first, 0 is nowhere."""
    best = 0
    for finding in findings:
        if set(finding.units) & set(fault.units) or any(
            set(r.cause.units) & set(fault.units) for r in finding.ranked
        ):
            for rank, ranked in enumerate(finding.ranked, 1):
                if names(fault, ranked.cause.kind, ranked.cause.about) and (
                    not best or rank < best
                ):
                    best = rank
    if fault.kind == "output off" and any(left.unit in fault.units for left in model.left):
        return 1
    return best


def names(fault: Fault, kind: str, about: tuple[object, ...]) -> bool:
    """Whether a cause is the fault: its kind, and what it is about."""
    size = 3 if fault.kind == "shifted" else len(fault.about)
    return kind == fault.kind and about[:size] == fault.about[:size]
