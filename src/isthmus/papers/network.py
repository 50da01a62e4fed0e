"""The address plan of the network: each node with what its ports are set to."""

from __future__ import annotations

from isthmus.papers.table import Column, Group, Paper
from isthmus.plural import many
from isthmus.routes.ports import write_number
from isthmus.show.records import Node, Show

COLUMNS = (
    Column("Node", 36),
    Column("Address", 30, figures=True),
    Column("Mask", 30, figures=True),
    Column("Port", 12, figures=True),
    Column("Is", 14),
    Column("Set to", 44),
    Column("Universes", 24, figures=True),
    Column("Where", 50),
)


def address_plan(show: Show, only: object = None) -> Paper:
    """A line for each port. Units say nothing about it: `only` is for papers alike."""
    rows = [row for node in sorted(show.nodes, key=_by_address) for row in _ports(show, node)]
    told = f"{many(len(show.nodes), 'node')}, {many(len(rows), 'port')}."
    title = f"{show.name}: address plan of the network"
    return Paper(title, told, COLUMNS, [Group("", rows)], keys=4)


def _by_address(node: Node) -> tuple[tuple[int, ...], str]:
    parts = node.ip.split(".")
    return tuple(int(part) if part.isdecimal() else 0 for part in parts), node.name


def _ports(show: Show, node: Node) -> list[tuple[str, ...]]:
    rows = []
    spare = " (spare)" if node.spare else ""
    for at, number in enumerate(node.ports, 1):
        here = {
            output.universe
            for output in show.outputs
            if (output.protocol, output.number) == (node.protocol, number)
            and (output.delivery != "unicast" or node.ip in (output.host, *output.more_hosts))
        }
        rows.append(
            (
                f"{node.name}{spare}",
                node.ip,
                node.mask,
                str(at),
                "input" if at in node.inputs else "output",
                write_number(node.protocol, number),
                ", ".join(map(str, sorted(here))) if at not in node.inputs else "",
                node.place,
            )
        )
    return rows
