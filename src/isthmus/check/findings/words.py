"""What speaks for a cause, in words."""

from __future__ import annotations

from collections import Counter
from collections.abc import Container, Iterable, Iterator, Sequence

from isthmus.check.calls import numbers_of
from isthmus.check.findings.cause import Cause
from isthmus.check.findings.chances import EVERYTHING, LINE, UNIVERSE, ZERO
from isthmus.check.findings.evidence import SILENT, Evidence
from isthmus.check.findings.model import Model
from isthmus.check.ways import in_words
from isthmus.plural import many
from isthmus.routes import Reach, write_number
from isthmus.show.records import Verdict

LINES = 7


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
            ways = ", ".join(in_words(w, verdict.how) for w in verdict.what)
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
        if told.dark:
            yield f"The hunt never saw {number} light in its universe."
        elif not told.there:
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
    seen_in[ZERO] = "with everything at 0"
    for (look, unit), yes in evidence.answers.items():
        if unit in units:
            line = look.removeprefix(LINE) if look.startswith(LINE) else ""
            did = "lit" if look in seen_in or line else "moved"
            where = seen_in.get(look, "while it was called")
            where = f"with universe {line} at full" if line else where
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


def headline(model: Model, units: Sequence[str]) -> str:
    count = len(units)
    return (
        f"{numbers_of(model.show, units)}"
        if count <= 8
        else f"{many(count, 'unit')}: {numbers_of(model.show, units)}"
    )
