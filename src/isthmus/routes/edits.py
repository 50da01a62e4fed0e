"""Edits of the routes: pure functions from a show to another."""

from __future__ import annotations

import re
from collections.abc import Collection, Sequence
from typing import Any

from msgspec.structs import replace

from isthmus.errors import EntryFault
from isthmus.plural import many
from isthmus.routes.ports import MAX_PORT_ADDRESS, write_output
from isthmus.routes.reach import MIRROR, SPARE, Port, Reach
from isthmus.show.records import UNIVERSES, Node, Output, Sending, Show, new_id

DELIVERIES = {
    "artnet": ("unicast", "asked", "broadcast"),
    "sacn": ("multicast", "unicast"),
    "dmx": ("serial",),
}
MAX_PRIORITY = 200


def _check(output: Output) -> None:
    if not 1 <= output.universe <= UNIVERSES:
        raise EntryFault(
            f"{output.universe} is not a universe.", do=f"Universes go from 1 to {UNIVERSES}."
        )
    if output.protocol not in DELIVERIES or output.delivery not in DELIVERIES[output.protocol]:
        raise EntryFault(
            f"{output.protocol} cannot go {output.delivery}.",
            do=f"Choose {' or '.join(DELIVERIES.get(output.protocol, DELIVERIES))}.",
        )
    if output.protocol == "artnet" and not 0 <= output.port_address <= MAX_PORT_ADDRESS:
        raise EntryFault(
            f"{output.port_address} is not an Art-Net port-address.",
            do=f"Port-addresses go from 0 to {MAX_PORT_ADDRESS}.",
        )
    if not 0 <= output.sacn <= UNIVERSES or not 0 <= output.sync <= UNIVERSES:
        raise EntryFault(
            f"{max(output.sacn, output.sync)} is not an sACN universe.",
            do=f"Write 1 to {UNIVERSES}; 0 for none.",
        )
    if not 0 <= output.priority <= MAX_PRIORITY:
        raise EntryFault(
            f"{output.priority} is not a priority.",
            do=f"sACN priorities go from 0 to {MAX_PRIORITY}; 100 is usual.",
        )
    is_device = re.fullmatch(r"/dev/[\w./:+-]{1,120}", output.device) and ".." not in output.device
    if output.protocol == "dmx" and not is_device:
        raise EntryFault(
            f"“{output.device[:40]}” is not a port of this computer."
            if output.device
            else "It has no port to go out by.",
            do="Choose a port, or type its device such as /dev/ttyUSB0.",
        )
    if output.delivery == "unicast" and not output.hosts:
        raise EntryFault(
            "It has no address to go to.",
            do="Type a node's address, or let it go by multicast, broadcast or to nodes that ask.",
        )


def place(output: Output) -> tuple[object, ...]:
    """What two outputs may not share. A DMX port sends one universe."""
    if output.protocol == "dmx":
        return output.protocol, output.device
    return output.universe, output.protocol, output.delivery, output.hosts, output.number


def add(show: Show, *outputs: Output) -> Show:
    """Take outputs in. Raises EntryFault for one that cannot be, or that is there already."""
    have = {place(o) for o in show.outputs}
    for output in outputs:
        _check(output)
        if place(output) in have:
            raise EntryFault(f"Universe {output.universe} goes to {write_output(output)} already.")
        have.add(place(output))
    return replace(show, outputs=(*show.outputs, *outputs))


def add_output(show: Show, universe: int, host: str, port_address: int) -> Show:
    """One universe to one Art-Net port-address at one host."""
    return add(show, Output(id=new_id(), universe=universe, host=host, port_address=port_address))


def to_port(universe: int, port: Port, **more: Any) -> Output:
    """An output that reaches a port of an expected node."""
    if port.protocol == "artnet":
        return Output(
            id=new_id(), universe=universe, host=port.node.ip, port_address=port.number, **more
        )
    return Output(
        id=new_id(), universe=universe, host=port.node.ip, sacn=port.number, protocol="sacn", **more
    )


def _taken_in(show: Show, outputs: tuple[Output, ...], ids: Collection[str]) -> Show:
    """Look at the changed ones among outputs, and keep them."""
    if outputs == show.outputs:
        return show
    seen: set[tuple[object, ...]] = {place(o) for o in outputs if o.id not in ids}
    for output in outputs:
        if output.id in ids:
            _check(output)
            if place(output) in seen:
                raise EntryFault(
                    f"Universe {output.universe} goes to {write_output(output)} already."
                )
            seen.add(place(output))
    return replace(show, outputs=outputs)


def change_outputs(show: Show, ids: Collection[str], **changes: object) -> Show:
    """Change any fields of some outputs. Raises EntryFault; nothing is changed then."""
    return _taken_in(
        show, tuple(replace(o, **changes) if o.id in ids else o for o in show.outputs), ids
    )


def change_output(show: Show, output_id: str, **changes: object) -> Show:
    return change_outputs(show, {output_id}, **changes)


def change_protocol(show: Show, ids: Collection[str], protocol: str) -> Show:
    """The other protocol, with the number that means the same universe there, and its usual way."""
    for output in [o for o in show.outputs if o.id in ids and o.protocol != protocol]:
        if protocol == "dmx":
            raise EntryFault(
                "An output by a DMX port needs the port.", do="Change the output, and choose it."
            )
        if protocol == "sacn":
            changes = {
                "protocol": "sacn",
                "device": "",
                "delivery": "unicast" if output.hosts else "multicast",
                "sacn": output.universe,
            }
        else:
            number = min(output.universe - 1, MAX_PORT_ADDRESS)
            changes = {
                "protocol": "artnet",
                "device": "",
                "delivery": "unicast" if output.hosts else "asked",
                "port_address": number,
            }
        show = change_outputs(show, {output.id}, **changes)
    return show


def remove_outputs(show: Show, ids: Collection[str]) -> Show:
    return replace(show, outputs=tuple(o for o in show.outputs if o.id not in ids))


def retarget(show: Show, output_id: str, port: Port) -> Show:
    """Lead an output to another port; what else it says stays."""
    fresh = to_port(0, port)
    return change_output(
        show,
        output_id,
        protocol=fresh.protocol,
        delivery="unicast",
        host=fresh.host,
        more_hosts=(),
        port_address=fresh.port_address,
        sacn=fresh.sacn,
    )


def number_in_order(show: Show, ids: Sequence[str], first: int, step: int = 1) -> Show:
    """Numbers on the wire one by one, in the order given; a step of 2 leaves every other
    one free.
    """
    if step < 1:
        raise EntryFault(
            f"{step} is not a step.", do="Write 1 to count on, 2 to leave one free between."
        )
    numbers = {output_id: first + at * step for at, output_id in enumerate(ids)}
    key = {"artnet": "port_address", "sacn": "sacn"}
    outputs = tuple(
        replace(o, **{key[o.protocol]: numbers[o.id]}) if o.id in numbers else o
        for o in show.outputs
    )
    return _taken_in(show, outputs, numbers)


def assign_in_order(
    show: Show, universes: Sequence[int], targets: Sequence[Port], leave: int = 0
) -> Show:
    """Universes to ports in order, with `leave` ports left free after each. Raises EntryFault when
    ports run out.
    """
    chosen = list(targets)[:: leave + 1]
    if len(chosen) < len(universes):
        raise EntryFault(
            f"{many(len(universes), 'universe')} need as many ports; {len(chosen)} are there.",
            do="Add a node, or leave fewer gaps.",
        )
    return add(show, *(to_port(u, p) for u, p in zip(universes, chosen, strict=False)))


def mirror(show: Show, node_id: str, to_id: str, role: str = MIRROR) -> Show:
    """Send what goes to a node to another one too, port by port; as a spare it stands by, switched
    off.

    Raises EntryFault when the other one has too few ports.
    """
    nodes = {node.id: node for node in show.nodes}
    if node_id not in nodes or to_id not in nodes or node_id == to_id:
        raise EntryFault("A node is mirrored by another one.", do="Choose two nodes.")
    reach, other = Reach(show), nodes[to_id]
    made = []
    for output in show.outputs:
        for port in reach.of_output[output.id]:
            if port.node.id == node_id and not output.role:
                if port.index > len(other.ports):
                    raise EntryFault(
                        f"{other.name} has no port {port.index} to mirror universe "
                        f"{output.universe}."
                    )
                target = Port(other, port.index, other.ports[port.index - 1])
                made.append(
                    to_port(
                        output.universe,
                        target,
                        role=role,
                        enabled=role == MIRROR,
                        priority=output.priority,
                    )
                )
    fresh = [o for o in made if place(o) not in {place(p) for p in show.outputs}]
    if not fresh:
        raise EntryFault(f"Nothing that goes to {nodes[node_id].name} is left to be mirrored.")
    return add(show, *fresh)


def spares_for(show: Show, node_id: str) -> list[Output]:
    """Outputs that stand by for universes sent to a node, leading elsewhere."""
    reach = Reach(show)
    universes = {
        o.universe
        for o in show.outputs
        if o.enabled and any(p.node.id == node_id for p in reach.of_output[o.id])
    }
    return [
        o
        for o in show.outputs
        if o.role == SPARE
        and not o.enabled
        and o.universe in universes
        and all(p.node.id != node_id for p in reach.of_output[o.id])
    ]


def take_over(show: Show, node_id: str) -> Show:
    """Switch on what stands by for a node, and stop sending to it. Raises EntryFault when nothing
    stands by.
    """
    ids = {o.id for o in spares_for(show, node_id)}
    if not ids:
        raise EntryFault("Nothing stands by for that node.", do="Mirror it to a spare first.")
    reach = Reach(show)
    universes = {o.universe for o in show.outputs if o.id in ids}
    gone = {
        o.id
        for o in show.outputs
        if o.universe in universes and any(p.node.id == node_id for p in reach.of_output[o.id])
    }
    return change_outputs(change_outputs(show, ids, enabled=True), gone, enabled=False)


# ---------------------------------------------------------------- nodes


def _check_node(show: Show, node: Node) -> None:
    if not node.name.strip() or not node.ports:
        raise EntryFault("A node needs a name and at least one port.")
    if any(other.ip == node.ip and other.id != node.id for other in show.nodes):
        raise EntryFault(f"A node with the address {node.ip} is listed already.")
    top = MAX_PORT_ADDRESS if node.protocol == "artnet" else UNIVERSES
    if (
        any(not (0 if node.protocol == "artnet" else 1) <= number <= top for number in node.ports)
        or len(node.ports) > 64
    ):
        raise EntryFault(
            f"{node.name} has a port number that cannot be.",
            do=f"Numbers go up to {top}, and a node has at most 64 ports.",
        )


def add_node(
    show: Show, name: str, ip: str, place: str, port_numbers: tuple[int, ...], **more: Any
) -> Show:
    """An expected node; `more` are other fields of it. Raises EntryFault."""
    node = Node(
        id=new_id(), name=name.strip(), ip=ip, place=place.strip(), ports=port_numbers, **more
    )
    _check_node(show, node)
    return replace(show, nodes=(*show.nodes, node))


def change_node(show: Show, node_id: str, **changes: object) -> Show:
    """Change a node; outputs that led to its ports go on leading there. Raises EntryFault."""
    reach = Reach(show)
    nodes = tuple(replace(n, **changes) if n.id == node_id else n for n in show.nodes)
    node = next(n for n in nodes if n.id == node_id)
    made = replace(show, nodes=nodes)
    _check_node(made, node)
    for output in show.outputs:
        mine = [p for p in reach.of_output[output.id] if p.node.id == node_id]
        if len(mine) == 1 and len(output.hosts) == 1 and mine[0].index <= len(node.ports):
            made = retarget(
                made, output.id, Port(node, mine[0].index, node.ports[mine[0].index - 1])
            )
    return made


def remove_nodes(show: Show, ids: Collection[str]) -> Show:
    return replace(show, nodes=tuple(n for n in show.nodes if n.id not in ids))


def change_sending(show: Show, **changes: object) -> Show:
    """Change how the show sends. Raises EntryFault for a rate that cannot be."""
    made: Sending = replace(show.sending, **changes)
    rates = ("Art-Net", made.artnet_rate), ("sACN", made.sacn_rate), ("DMX", made.dmx_rate)
    for words, rate in rates:
        if not 1 <= rate <= 44:
            raise EntryFault(
                f"{words} cannot be sent at {rate:g} Hz.",
                do="Rates go from 1 to 44 Hz: DMX itself is not a faster.",
            )
    return replace(show, sending=made)
