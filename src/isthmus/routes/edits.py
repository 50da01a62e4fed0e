"""Edits of the routes, and what can be said of them: pure functions."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass

from msgspec.structs import replace

from isthmus.errors import EntryFault
from isthmus.routes.ports import MAX_PORT_ADDRESS
from isthmus.show.records import UNIVERSES, Node, Output, Show, new_id


@dataclass(frozen=True)
class Port:
    """One port of an expected node."""

    node: Node
    index: int
    port_address: int

    @property
    def label(self) -> str:
        return f"{self.node.name}, port {self.index}"


def universes_in_use(show: Show) -> dict[int, int]:
    """Universe → how many units have slots in it, in order."""
    found: dict[int, set[str]] = {}
    for unit in show.units:
        for patched in unit.patch:
            found.setdefault(patched.universe, set()).add(unit.id)
    return {universe: len(found[universe]) for universe in sorted(found)}


def universes_known(show: Show) -> list[int]:
    """Every universe that has units or outputs."""
    return sorted({*universes_in_use(show), *(output.universe for output in show.outputs)})


def ports(show: Show) -> list[Port]:
    return [Port(node, index, address) for node in show.nodes for index, address in enumerate(node.ports, 1)]


def port_of(show: Show, output: Output) -> Port | None:
    """The expected node's port an output reaches, if there is one."""
    return next((p for p in ports(show) if p.node.ip == output.host and p.port_address == output.port_address), None)


def routed(show: Show) -> set[int]:
    """Universes with at least one output that is on."""
    return {output.universe for output in show.outputs if output.enabled}


def add_output(show: Show, universe: int, host: str, port_address: int) -> Show:
    _check(universe, port_address)
    if any((o.universe, o.host, o.port_address) == (universe, host, port_address) for o in show.outputs):
        raise EntryFault(f"Universe {universe} goes to {host}, port-address {port_address}, already.")
    output = Output(id=new_id(), universe=universe, host=host, port_address=port_address)
    return replace(show, outputs=(*show.outputs, output))


def change_output(show: Show, output_id: str, **changes: object) -> Show:
    """Change universe, host, port_address, enabled or label of one output."""
    outputs = tuple(replace(o, **changes) if o.id == output_id else o for o in show.outputs)
    for output in outputs:
        _check(output.universe, output.port_address)
    return show if outputs == show.outputs else replace(show, outputs=outputs)


def remove_outputs(show: Show, ids: Collection[str]) -> Show:
    return replace(show, outputs=tuple(o for o in show.outputs if o.id not in ids))


def add_node(show: Show, name: str, ip: str, place: str, port_addresses: tuple[int, ...]) -> Show:
    if any(node.ip == ip for node in show.nodes):
        raise EntryFault(f"A node with the address {ip} is listed already.")
    if not name.strip() or not port_addresses:
        raise EntryFault("A node needs a name and at least one port.")
    return replace(show, nodes=(*show.nodes, Node(id=new_id(), name=name.strip(), ip=ip, place=place.strip(), ports=port_addresses)))


def free_ports(show: Show) -> list[Port]:
    """Ports of expected nodes that no output reaches, in order."""
    taken = {(o.host, o.port_address) for o in show.outputs}
    return [p for p in ports(show) if (p.node.ip, p.port_address) not in taken]


def propose(show: Show) -> Show:
    """Give every universe that has units and no output the next free port of the expected nodes."""
    spare = free_ports(show)
    missing = [u for u in universes_in_use(show) if u not in {o.universe for o in show.outputs}]
    if not missing:
        raise EntryFault("Every universe with units has an output already.")
    if not spare:
        raise EntryFault("No expected node has a free port.", do="Add a node, or type an address and a port-address.")
    for universe, port in zip(missing, spare, strict=False):
        show = add_output(show, universe, port.node.ip, port.port_address)
    return show


def _check(universe: int, port_address: int) -> None:
    if not 1 <= universe <= UNIVERSES:
        raise EntryFault(f"{universe} is not a universe.", do=f"Universes go from 1 to {UNIVERSES}.")
    if not 0 <= port_address <= MAX_PORT_ADDRESS:
        raise EntryFault(f"{port_address} is not an Art-Net port-address.", do=f"Port-addresses go from 0 to {MAX_PORT_ADDRESS}.")
