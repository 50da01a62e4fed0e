"""Findings in words: the cause in a sentence, the evidence for it, and what to do."""

from __future__ import annotations

from collections import Counter
from collections.abc import Container, Iterable, Iterator, Sequence

from isthmus.check.calls import numbers_of
from isthmus.check.findings.cause import ELSEWHERE, Cause
from isthmus.check.findings.chances import EVERYTHING, UNIVERSE
from isthmus.check.findings.evidence import SILENT, Evidence
from isthmus.check.findings.model import Model
from isthmus.check.verdicts import WAYS
from isthmus.patch.limits import limits_in_words
from isthmus.plural import many
from isthmus.profiles import profiles_of
from isthmus.routes import Reach, write_number
from isthmus.show.records import Verdict

LINES = 7


def say(model: Model, cause: Cause) -> str:
    """The cause in one sentence."""
    show, about = model.show, cause.about
    names = {n.id: n.name for n in show.nodes}

    def number(unit: object) -> str:
        return str(model.units[str(unit)].number) if str(unit) in model.units else "?"

    def address(unit: object) -> str:
        _, universe, at = cause.states[str(unit)].places[0]
        return f"{universe}.{at:03d}"

    if cause.kind in ("address", "double"):
        state = cause.states[str(about[0])]
        if state.fault == ELSEWHERE:
            return f"Unit {number(about[0])} listens at another address, which is not known yet."
        own = model.expected(str(about[0])).places[0]
        by = state.places[0][2] - own[2]
        if cause.kind == "double":
            return (
                f"Unit {number(about[0])} is set to {address(about[0])}, the address of "
                f"{number(about[1])}."
            )
        return f"Unit {number(about[0])} is set to {address(about[0])}: off by {signed(by)}."
    if cause.kind == "shifted":
        hang, universe, by = about[:3]
        some = len(cause.states)
        where = hang or "one hang"
        return f"{some} units of {where} on universe {universe} are all off by {signed(by)}."
    if cause.kind == "run":
        unit, mode, by = about
        return (
            f"Unit {number(unit)} is in mode {mode}, and the {len(cause.states) - 1} after "
            "it on the "
            f"same hang are shifted by {signed(by)}."
        )
    if cause.kind in ("port dark", "port number"):
        (node, port), universe = about[0], about[1]  # type: ignore[misc]
        where = f"Port {port} of {names.get(node, '?')}"
        if cause.kind == "port dark":
            return f"{where} sends nothing of universe {universe}: the port, its line or its cable."
        protocol = next((n.protocol for n in show.nodes if n.id == node), "artnet")
        return (
            f"{where} listens to {write_number(protocol, int(str(about[2])))}, so universe "
            f"{universe} does not come out there."
        )
    sentences = {
        "dead": f"Unit {number(about[0])} is dead: no power, or broken.",
        "lamp": f"Unit {number(about[0])} moves, but its lamp is out or its shutter shut.",
        "swapped": f"Unit {number(about[0])} has pan and tilt swapped.",
        "pan inverted": f"Unit {number(about[0])} pans the other way.",
        "tilt inverted": f"Unit {number(about[0])} tilts the other way.",
        "pan": f"Unit {number(about[0])} does not pan.",
        "tilt": f"Unit {number(about[0])} does not tilt.",
        "mode": f"Unit {number(about[0])} is in another mode: {about[-1]}.",
        "line": f"Unit {number(about[0])} hangs on another line: universe {about[-1]} comes to it.",
        "exchanged": f"Units {' and '.join(number(u) for u in about)} are exchanged.",
        "hang dark": (
            f"{about[0] or 'One hang'} gets nothing of universe {about[-1]}: one cable or one "
            "break in its line."
        ),
        "node dark": (
            f"{names.get(str(about[0]), 'The node')} is dark: no power, no network, or broken."
        ),
        "ports exchanged": (
            f"Universes {about[0]} and {about[min(1, len(about) - 1)]} are exchanged at their "
            "ports."
        ),
        "output off": (
            f"One output of universe {about[0]} is off, and what hangs behind it gets nothing."
        ),
        "sender": f"A second sender lights universe {about[0]}.",
        "show": (
            f"Unit {number(about[0])} is kept like that by the show itself: "
            f"{_kept(model, str(about[0]))}."
        ),
        "unknown": f"Unit {number(about[0])}: nothing known explains it.",
    }
    return sentences[cause.kind]


def _kept(model: Model, unit: str) -> str:
    u = model.units.get(unit)
    words = limits_in_words(u, profiles_of(model.show)) if u else ""
    return words or "its address is shared, or its handling bends it"


def evidence_for(model: Model, evidence: Evidence, cause: Cause) -> list[str]:
    """What speaks for a cause, in words, the strongest first; LINES at most."""
    units = set(cause.states)
    out = [
        *_from_the_network(model, evidence, units),
        *_from_the_call(model, evidence, units),
        *_from_other_calls(model, evidence, units),
        *_from_the_devices(model, evidence, units),
        *_from_answers(model, evidence, units),
    ]
    return out[:LINES]


def _on(model: Model, units: set[str], universes: Container[int]) -> bool:
    """Whether one of the units has an address in one of the universes."""
    return any(p.universe in universes for u in units for p in model.units[u].patch)


def _by_number(model: Model, units: Iterable[str]) -> list[str]:
    return sorted(units, key=lambda u: model.units[u].number)


def _from_the_network(model: Model, evidence: Evidence, units: set[str]) -> Iterator[str]:
    """Nodes that are silent, ports with another number, other senders."""
    for node in model.show.nodes:
        if evidence.nodes.get(node.id) == SILENT and _behind(model, node.id) & units:
            yield f"{node.name}, {node.ip}, does not answer."
    reach = Reach(model.show)
    for port in reach.ports:
        real = evidence.ports.get((port.node.id, port.index))
        fed = {o.universe for o in reach.of_port.get(port.key, ()) if o.enabled}
        if real is not None and real != port.number and _on(model, units, fed):
            now = write_number(port.protocol, real)
            yield (
                f"{port.node.name} says that its port {port.index} listens to {now}; the "
                f"show expects {port.words}."
            )
    for universe, names in evidence.senders.items():
        if _on(model, units, (universe,)):
            yield f"{', '.join(names)} sends universe {universe} too."


def _from_the_call(model: Model, evidence: Evidence, units: set[str]) -> Iterator[str]:
    """What was seen when these units were called."""
    seen = _by_number(model, (u for u in units if u in evidence.verdicts))
    counts = Counter(evidence.verdicts[u].result for u in seen)
    if len(units) > 1 and counts:
        said = ", ".join(f"{n} {result}" for result, n in counts.most_common())
        yield f"Of {many(len(units), 'unit')} called there: {said}."
    for unit in seen:
        verdict, number = evidence.verdicts[unit], model.units[unit].number
        if verdict.others:
            lit = numbers_of(model.show, verdict.others)
            yield f"When {number} was called, {lit} lit {_too_or_instead(verdict)}."
        elif verdict.result == "wrong" and len(units) <= 2:
            ways = ", ".join(WAYS[w] for w in verdict.what)
            how = f" in {ways}." if ways else "; no one said in which way."
            yield f"{number} was wrong{how}"
        elif verdict.result == "silent" and len(units) <= 2:
            yield f"{number} stayed silent."
        if verdict.note and len(units) <= 2:
            yield f"Noted of {number}: {verdict.note}"


def _too_or_instead(verdict: Verdict) -> str:
    return "too" if "too" in verdict.what else "instead"


def _from_other_calls(model: Model, evidence: Evidence, units: set[str]) -> Iterator[str]:
    """When other units were called and these lit."""
    for caller, verdict in evidence.verdicts.items():
        mine = units.intersection(verdict.others)
        if mine and caller not in units and caller in model.units:
            number, lit = model.units[caller].number, numbers_of(model.show, mine)
            yield f"When {number} was called, {lit} lit {_too_or_instead(verdict)}."


def _from_the_devices(model: Model, evidence: Evidence, units: set[str]) -> Iterator[str]:
    """What discovery or a hunt found of these units."""
    for unit in _by_number(model, units & evidence.told.keys()):
        told, number = evidence.told[unit], model.units[unit].number
        _, universe, address = model.expected(unit).places[0]
        elsewhere = told.universe not in (0, universe)
        if not told.there:
            yield f"Discovery does not find {number}."
        elif elsewhere or told.address != address:
            spot = f"{told.address:03d}"
            where = f"{told.universe}.{spot}" if elsewhere else f"address {spot}"
            yield f"{'Discovery' if told.uid else 'The hunt'} finds {number} at {where}."
        elif told.uid and len(units) <= 2:
            yield f"Discovery finds {number} at its address: it has power, and is reached."


def _from_answers(model: Model, evidence: Evidence, units: set[str]) -> Iterator[str]:
    """What was answered to the questions of a finding."""
    seen_in = {UNIVERSE: "with its universe at full", EVERYTHING: "with everything at full"}
    for (look, unit), yes in evidence.answers.items():
        if unit in units:
            did = "lit" if look in seen_in else "moved"
            where = seen_in.get(look, "while it was called")
            yield f"{model.units[unit].number} {'' if yes else 'never '}{did} {where}."


def _behind(model: Model, node_id: str) -> set[str]:
    reach = Reach(model.show)
    fed = {
        o.universe
        for p in reach.ports
        if p.node.id == node_id
        for o in reach.of_port.get(p.key, ())
        if o.enabled
    }
    return {u for u in model.ids if any(p.universe in fed for p in model.units[u].patch)}


def signed(by: object) -> str:
    """A shift with its sign: +3 or −3."""
    return f"{by:+d}".replace("-", "−")


def advice(model: Model, cause: Cause) -> str:
    """What to do by hand, in words."""
    first = str(cause.about[0])
    n = str(model.units[first].number) if first in model.units else ""
    where = model.units[first].hangs_on if first in model.units else ""
    own = model.expected(first).places[0] if first in model.units else None
    words = {
        "dead": (
            f"Look at the power and the data cable of {n}{f', {where}' if where else ''}; then "
            "change it."
        ),
        "lamp": f"Strike or change the lamp of {n}{f', {where}' if where else ''}.",
        "address": f"Set {n} to {own[2]:03d} at the unit." if own else "",
        "double": f"Set {n} to {own[2]:03d} at the unit." if own else "",
        "mode": f"Set {n} to its mode at the unit, or take its mode into the patch.",
        "exchanged": "Exchange the addresses at the units, or in the patch.",
        "shifted": "Set the addresses at the units again, or move the patch to where they are.",
        "run": (
            f"Set {n} back to its mode and the others to their addresses, or take it all into "
            "the patch."
        ),
        "port dark": (
            "Look at the port's lamp, then the first cable after it. Where its universe goes to "
            "several ports, discover: what answers still is not behind this one."
        ),
        "node dark": "Look at the node's power, then its network cable.",
        "hang dark": "Follow the line from the last unit that answers to the first that does not.",
        "port number": "Set the port back to its number.",
        "ports exchanged": "Exchange the two cables at the node, or the numbers of the ports.",
        "output off": "Switch it on.",
        "sender": "Switch the other sender off, or let it merge on purpose.",
        "line": "Follow its cable to the node.",
        "unknown": "Call it again, and say more exactly what is wrong.",
    }
    return words.get(cause.kind, "Say so in the patch, or fix it at the unit.")


def headline(model: Model, units: Sequence[str]) -> str:
    count = len(units)
    return (
        f"{numbers_of(model.show, units)}"
        if count <= 8
        else f"{many(count, 'unit')}: {numbers_of(model.show, units)}"
    )
