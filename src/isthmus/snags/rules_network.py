"""Rules about the network as it is: what answers, what arrives, and whether packets get there at
all.
"""

from __future__ import annotations

from collections.abc import Iterator

from isthmus.net import View, check, compare, is_own, source_name
from isthmus.output import identity
from isthmus.plural import many
from isthmus.routes import Reach, write_number, write_output
from isthmus.routes import edits as route_edits
from isthmus.routes.edits import spares_for
from isthmus.show.records import Output, Show
from isthmus.snags.context import Context
from isthmus.snags.records import ATTENTION, FAULT, NOTE, Fix, Snag
from isthmus.watch import Source

_RULES = {
    "missing": "node-missing",
    "new": "node-new",
    "moved": "node-moved",
    "universe": "port-universe",
    "direction": "port-direction",
    "twice": "twice",
    "fewer": "node-fewer",
}


def differences(at: Context) -> Iterator[Snag]:
    """Found against expected; not before a first round of answers has had its time."""
    if at.network is None or not at.network.looked:
        return
    reach = Reach(at.show)
    for d in compare(at.show, at.network.nodes):
        fix = Fix(d.label, d.edit) if d.edit else None
        text = d.text
        if d.kind == "missing" and (spares := spares_for(at.show, d.node)):
            node = d.node
            fix = Fix(
                f"Switch to the spare ({many(len(spares), 'output')})",
                lambda s, n=node: route_edits.take_over(s, n),
            )
        if d.kind == "missing" and _mirrored(at, reach, d.node):
            text = f"{text.removesuffix('.')} Its mirror carries on."
        universes = [
            o.universe
            for p in reach.ports
            if p.node.id == d.node and d.port in (0, p.index)
            for o in reach.of_port.get(p.key, ())
        ]
        yield Snag(
            _RULES[d.kind],
            d.severity,
            text,
            "Routes",
            (),
            "route",
            fix,
            universes[0] if universes else 0,
        )


def _mirrored(at: Context, reach: Reach, node_id: str) -> bool:
    """Whether everything sent to a node goes to another one too."""
    mine = {
        o.universe
        for o in at.show.outputs
        if o.enabled and any(p.node.id == node_id for p in reach.of_output[o.id])
    }
    elsewhere = {
        o.universe
        for o in at.show.outputs
        if o.enabled and o.role and all(p.node.id != node_id for p in reach.of_output[o.id])
    }
    return bool(mine) and mine <= elsewhere


def troubles(at: Context) -> Iterator[Snag]:
    """Addresses, masks, adapters."""
    if at.network is None or not at.network.adapters:
        return
    for t in check(at.show, at.network.adapters, at.network.choices, at.network.nodes):
        if t.kind != "twice" or not any(
            len(node.macs) > 1 and node.ip == t.ip for node in at.network.nodes
        ):
            yield Snag(t.kind, t.severity, t.text, "Routes", (), "route")


def nobody_listens(at: Context) -> Iterator[Snag]:
    """An Art-Net output whose node answers, and has no such port; or that waits to be asked for."""
    if at.network is None or not at.network.looked:
        return
    nodes = {node.ip: node for node in at.network.nodes if not node.silent}
    reach = Reach(at.show)
    for o in at.show.outputs:
        if not o.enabled or o.protocol != "artnet":
            continue
        if o.delivery == "asked" and not at.network.asking.get(o.port_address):
            where = write_number("artnet", o.port_address)
            text = (
                f"Universe {o.universe} is sent only to nodes that ask for it, and none has "
                f"an output set to {where}."
            )
            yield Snag("no-listener", FAULT, text, "Routes", (), "route", None, o.universe)
        for host in (
            o.hosts if not reach.of_output[o.id] else ()
        ):  # expected ports are compared port by port
            if host in nodes and not any(
                p.number == o.port_address and p.direction == "out" for p in nodes[host].ports
            ):
                text = (
                    f"Universe {o.universe} goes to {write_output(o)}; {nodes[host].name} has no "
                    "output set to that."
                )
                yield Snag("no-listener", FAULT, text, "Routes", (), "route", None, o.universe)


def second_senders(at: Context) -> Iterator[Snag]:
    """Another program sends what we send; with a merge note it is meant, and only told."""
    view = at.network
    if view is None:
        return
    own = identity(at.show).cid.hex()
    others = [s for s in view.sources if not s.silent and not is_own(s, view, own)]
    for o in at.show.outputs:
        for source in others if o.enabled else ():
            if (source.protocol, source.number) == (o.protocol, o.number):
                who = f"{source_name(source, view)} at {source.ip}"
                yield _beside(at.show, o, source, who)
    yield from _merging(at, view)


def _beside(show: Show, o: Output, source: Source, who: str) -> Snag:
    """One of ours and one of theirs on the same universe."""
    if o.protocol == "sacn" and source.priority > o.priority and not source.preview:
        text = (
            f"{who} sends {write_number('sacn', o.number)} with priority {source.priority}, we "
            f"send universe {o.universe} with {o.priority}: receivers take theirs."
        )
        fix = _raise(o, source.priority)
        return Snag("priority-lower", FAULT, text, "Routes", (), "route", fix, o.universe)
    text = (
        f"Two senders for {write_number(o.protocol, o.number)}: {show.name} "
        f"(universe {o.universe}) and {who}."
    )
    severity = NOTE if o.merge else FAULT
    return Snag("second-sender", severity, text, "Routes", universe=o.universe)


def _merging(at: Context, view: View) -> Iterator[Snag]:
    """Ports that say themselves that they merge two senders."""
    reach = Reach(at.show)
    for node in view.nodes:
        for port in node.ports if not node.silent else ():
            if not port.merging:
                continue
            mine = [p for p in reach.ports if p.node.ip == node.ip and p.index == port.index]
            outputs = [o for p in mine for o in reach.of_port.get(p.key, ())]
            text = (
                f"Port {port.index} of {node.name} merges two senders on {port.words} by "
                f"{port.merge.upper()}."
            )
            severity = NOTE if any(o.merge for o in outputs) else ATTENTION
            universe = outputs[0].universe if outputs else 0
            yield Snag("second-sender", severity, text, "Routes", universe=universe)


def _raise(output: Output, theirs: int) -> Fix | None:
    wanted = min(200, theirs + 10)
    if wanted <= theirs:
        return None
    return Fix(
        f"Send with priority {wanted}",
        lambda show: route_edits.change_output(show, output.id, priority=wanted),
    )


NETWORK_RULES = (differences, troubles, nobody_listens, second_senders)
