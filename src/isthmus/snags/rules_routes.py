"""Rules about routes, as far as the show itself tells: outputs against the ports of the expected
nodes.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator

from isthmus.plural import many
from isthmus.routes import Port, Reach, write_number, write_output
from isthmus.routes import edits as route_edits
from isthmus.routes.reach import load_of
from isthmus.show.records import Output
from isthmus.snags.context import Context
from isthmus.snags.records import ATTENTION, FAULT, Fix, Snag


def doubled_ports(at: Context) -> Iterator[Snag]:
    """Two universes at one port fight, unless a note says that they are meant to merge there."""
    found: dict[tuple[object, ...], list[Output]] = defaultdict(list)
    for output in at.show.outputs:
        if output.enabled:
            for host in output.hosts or (output.device or output.delivery,):
                found[output.protocol, output.number, host].append(output)
    for (protocol, number, host), outputs in found.items():
        universes = sorted({o.universe for o in outputs})
        if len(universes) > 1 and not any(o.merge for o in outputs):
            names = " and ".join(map(str, universes))
            text = (
                f"Universes {names} go to the same port, {host} "
                f"{write_number(str(protocol), int(str(number)))}: they would conflict."
            )
            yield Snag("doubled-port", FAULT, text, "Routes", (), "route", None, universes[0])


def stray_outputs(at: Context) -> Iterator[Snag]:
    """An output that meets no expected port; the one next door means that one end counts from 0."""
    reach = Reach(at.show)
    for output in at.show.outputs:
        if (
            not output.enabled
            or not at.show.nodes
            or reach.of_output[output.id]
            or output.delivery in ("multicast", "serial")
        ):
            continue
        near = reach.off_by_one(output)
        if near is not None:
            first = "1" if output.number > near.number else "0"
            text = (
                f"Universe {output.universe} goes to {write_output(output)}, but "
                f"{near.label} listens to {near.words}: "
                f"one end counts from {first}, the other from {'0' if first == '1' else '1'}."
            )
            yield Snag(
                "off-by-one",
                FAULT,
                text,
                "Routes",
                (),
                "route",
                _lead_to(output, near),
                output.universe,
            )
        else:
            text = (
                f"Universe {output.universe} goes to {write_output(output)}, which no expected "
                "node has."
            )
            yield Snag("stray-output", ATTENTION, text, "Routes", (), "", None, output.universe)


def _lead_to(output: Output, port: Port) -> Fix:
    return Fix(f"Send it to {port.words}", lambda show: route_edits.retarget(show, output.id, port))


def fed_inputs(at: Context) -> Iterator[Snag]:
    reach = Reach(at.show)
    for port in reach.ports:
        for output in reach.of_port.get(port.key, ()) if port.is_input else ():
            if output.enabled:
                text = (
                    f"Universe {output.universe} goes to {port.label}, which takes DMX in: "
                    "nothing is sent there."
                )
                yield Snag("port-input", FAULT, text, "Routes", (), "route", None, output.universe)


def over_cap(at: Context) -> Iterator[Snag]:
    for node in at.show.nodes:
        load = load_of(at.show.outputs, node) if node.cap else 0
        if load > node.cap:
            text = (
                f"{node.name} takes {many(node.cap, 'universe')} and is sent "
                f"{load}: the last ones stay dark."
            )
            yield Snag("over-cap", FAULT, text, "Routes", (), "route")


ROUTE_RULES = (doubled_ports, stray_outputs, fed_inputs, over_cap)
