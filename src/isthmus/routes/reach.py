"""What outputs reach: the ports of the expected nodes, matched by number and address."""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Iterable
from dataclasses import dataclass

from isthmus.recent import Recent
from isthmus.routes.ports import write_number
from isthmus.show.records import Node, Output, Show

SPARE, MIRROR = "spare", "mirror"


@dataclass(frozen=True)
class Port:
    """One port of an expected node; `number` is its port-address or sACN universe."""

    node: Node
    index: int
    number: int

    @property
    def label(self) -> str:
        return f"{self.node.name}, port {self.index}"

    @property
    def key(self) -> tuple[str, int]:
        return self.node.id, self.index

    @property
    def protocol(self) -> str:
        return self.node.protocol

    @property
    def is_input(self) -> bool:
        return self.index in self.node.inputs

    @property
    def words(self) -> str:
        return write_number(self.protocol, self.number)


def universes_in_use(show: Show) -> dict[int, int]:
    """Universe → how many units have slots in it, in order."""
    return dict(_IN_USE.get((show.units,), lambda _: _count_units(show)))


def _count_units(show: Show) -> dict[int, int]:
    found = Counter(unit.patch[0].universe for unit in show.units if len(unit.patch) == 1)
    for unit in show.units:
        if len(unit.patch) > 1:  # several DMX breaks in a universe are one unit
            found.update({patched.universe for patched in unit.patch})
    return {universe: found[universe] for universe in sorted(found)}


_IN_USE: Recent[dict[int, int]] = Recent()


def universes_known(show: Show) -> list[int]:
    """Every universe that has units or outputs."""
    return sorted({*universes_in_use(show), *(output.universe for output in show.outputs)})


def ports(show: Show) -> list[Port]:
    return [
        Port(node, index, number)
        for node in show.nodes
        for index, number in enumerate(node.ports, 1)
    ]


class Reach:
    """Outputs and ports of one show, looked up either way."""

    def __init__(self, show: Show) -> None:
        self.ports = ports(show)
        self._by_number: dict[tuple[str, int], list[Port]] = defaultdict(list)
        for port in self.ports:
            self._by_number[port.protocol, port.number].append(port)
        self.of_output: dict[str, list[Port]] = {
            output.id: self._find(output) for output in show.outputs
        }
        self.of_port: dict[tuple[str, int], list[Output]] = defaultdict(list)
        for output in show.outputs:
            for port in self.of_output[output.id]:
                self.of_port[port.key].append(output)

    def _find(self, output: Output) -> list[Port]:
        alike = self._by_number.get((output.protocol, output.number), [])
        return [
            port for port in alike if output.delivery != "unicast" or port.node.ip in output.hosts
        ]

    def free(self) -> list[Port]:
        """Outputs of nodes that nothing reaches and that do not stand by, in order."""
        return [
            p
            for p in self.ports
            if not p.is_input and not p.node.spare and not self.of_port.get(p.key)
        ]

    def off_by_one(self, output: Output) -> Port | None:
        """A port next door at the same node, when an output meets none: one end counts from 0, the
        other from 1.
        """
        if self.of_output.get(output.id):
            return None
        near = [
            p
            for step in (-1, 1)
            for p in self._by_number.get((output.protocol, output.number + step), [])
        ]
        return next(
            (
                p
                for p in near
                if not self.of_port.get(p.key)
                and (output.delivery != "unicast" or p.node.ip in output.hosts)
            ),
            None,
        )


def routed(show: Show) -> set[int]:
    """Universes with at least one output that is on."""
    return {output.universe for output in show.outputs if output.enabled}


def goes_to(show: Show, universe: int) -> str:
    """What a universe is called on the wire, in every notation, by the outputs that are on; "" when
    it has no output.
    """
    numbers = [
        write_number(o.protocol, o.number)
        for o in show.outputs
        if o.enabled and o.universe == universe
    ]
    return ", ".join(dict.fromkeys(numbers))


def way_key(output: Output) -> str:
    """What makes an output another one: where it goes. Verdicts rest on it."""
    if output.protocol == "artnet" and output.delivery == "unicast":
        return f"{output.universe}>{output.host}/{output.port_address}"
    hosts = ",".join(output.hosts)
    return f"{output.universe}>{output.protocol}/{output.delivery}/{hosts}/{output.number}"


def load_of(outputs: Iterable[Output], node: Node) -> int:
    """How many different universes are sent to a node by its address."""
    return len({(o.protocol, o.number) for o in outputs if o.enabled and node.ip in o.hosts})
