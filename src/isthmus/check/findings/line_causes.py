"""Causes that lie on the way to units: hangs, ports, nodes, outputs, other senders."""

from __future__ import annotations

from collections.abc import Collection, Sequence

from msgspec.structs import replace

from isthmus.check.findings.cause import Cause
from isthmus.check.findings.fixes import Fix
from isthmus.check.findings.model import Model
from isthmus.check.findings.unit_causes import Placed, number, signed
from isthmus.check.matched import Match
from isthmus.routes import Reach, write_number
from isthmus.routes.edits import change_output
from isthmus.show.records import Node, Output, Show


class Shifted(Placed):
    """About the hang, its universe, the shift, and the first unit."""

    KIND, RARITY, DEVICES_TELL, HUNT_TELLS = "shifted", 0.010, True, True

    def say(self, model: Model) -> str:
        hang, universe, by = self.about[:3]
        some, where = len(self.states), hang or "one hang"
        return f"{some} units of {where} on universe {universe} are all off by {signed(by)}."

    def advice(self, model: Model) -> str:
        return "Set the addresses at the units again, or move the patch to where they are."


class Run(Placed):
    """One unit in another mode, and those addressed after it shifted by the difference: on its
    hang, or on its whole line.
    """

    KIND, RARITY, DEVICES_TELL, HUNT_TELLS = "run", 0.010, True, True

    def say(self, model: Model) -> str:
        unit, mode, by, whole = self.about
        return (
            f"Unit {number(model, unit)} is in mode {mode}, and the {len(self.states) - 1} after "
            f"it on the same {'line' if whole else 'hang'} are shifted by {signed(by)}."
        )

    def advice(self, model: Model) -> str:
        return (
            f"Set {number(model, self.unit)} back to its mode and the others to their addresses, "
            "or take it all into the patch."
        )


class HangMode(Placed):
    """About the hang and the mode."""

    KIND, RARITY, DEVICES_TELL, WHAT = "hang mode", 0.008, True, "mode"
    HUNT_TELLS = True

    def say(self, model: Model) -> str:
        hang, mode = self.about[:2]
        return f"{len(self.states)} units of {hang or 'one hang'} are in another mode: {mode}."

    def advice(self, model: Model) -> str:
        return "Set the mode at the units again, or take it into the patch."


class Break(Cause):
    """About the hang, the universe, the last unit that answers, and the first of those beyond: two
    lines may end at one unit.
    """

    KIND, RARITY, DEVICES_TELL = "break", 0.006, True

    def say(self, model: Model) -> str:
        hang, universe, last = self.about[:3]
        return (
            f"{len(self.states)} units of {hang or 'one hang'} get nothing of universe {universe}: "
            f"the line ends at {number(model, last)}."
        )

    def advice(self, model: Model) -> str:
        return f"Look at the cable and the plugs after {number(model, self.about[2])}."


class HangDark(Cause):
    KIND, RARITY, DEVICES_TELL = "hang dark", 0.006, True

    def say(self, model: Model) -> str:
        hang, universe = self.about[0] or "One hang", self.about[-1]
        return f"{hang} gets nothing of universe {universe}: one cable or one break in its line."

    def advice(self, model: Model) -> str:
        return "Follow the line from the last unit that answers to the first that does not."


class NodeDark(Cause):
    KIND, RARITY = "node dark", 0.012

    def say(self, model: Model) -> str:
        name = next((n.name for n in model.show.nodes if n.id == self.about[0]), "The node")
        return f"{name} is dark: no power, no network, or broken."

    def advice(self, model: Model) -> str:
        return "Look at the node's power, then its network cable."


class OfPort(Cause):
    """About a port as (node id, port) and the universe that should come out of it."""

    def port(self) -> tuple[str, int]:
        node, port = self.about[0]  # type: ignore[misc]
        return str(node), int(port)

    def universe(self) -> int:
        return int(str(self.about[1]))

    def node(self, model: Model) -> Node | None:
        return next((n for n in model.show.nodes if n.id == self.port()[0]), None)

    def where(self, model: Model) -> str:
        node = self.node(model)
        return f"Port {self.port()[1]} of {node.name if node else '?'}"


class PortDark(OfPort):
    KIND, RARITY, DEVICES_TELL = "port dark", 0.012, True

    def say(self, model: Model) -> str:
        return (
            f"{self.where(model)} sends nothing of universe {self.universe()}: the port, its line "
            "or its cable."
        )

    def advice(self, model: Model) -> str:
        return (
            "Look at the port's lamp, then the first cable after it. Where its universe goes to "
            "several ports, discover: what answers still is not behind this one."
        )


class PortNumber(OfPort):
    """About the number it has, third."""

    KIND, RARITY = "port number", 0.015

    def number(self) -> int:
        return int(str(self.about[2]))

    def say(self, model: Model) -> str:
        node = self.node(model)
        now = write_number(node.protocol if node else "artnet", self.number())
        return (
            f"{self.where(model)} listens to {now}, so universe {self.universe()} does not come "
            "out there."
        )

    def advice(self, model: Model) -> str:
        return "Set the port back to its number."

    def fixes(self, model: Model, matches: Sequence[Match] = ()) -> list[Fix]:
        node = self.node(model)
        if node is None:
            return []
        port, universe, out = self.port()[1], self.universe(), []
        reach = Reach(model.show)
        feeding = [
            o for o in reach.of_port.get(self.port(), ()) if o.enabled and o.universe == universe
        ]
        # what feeds other ports as well stays as it is
        if all(len(reach.of_output[o.id]) <= 1 for o in feeding) and not self._taken(model, node):
            label = f"Send universe {universe} to where the port listens"
            out.append(Fix(label, lambda show: self._follow(show, feeding)))
        if node.protocol == "artnet":
            back = (node.id, port, node.ports[port - 1])
            out.append(Fix(f"Set port {port} of {node.name} back", None, (), back))
        return out

    def _taken(self, model: Model, node: Node) -> bool:
        """Whether another universe goes there: two at one number would only be mixed."""
        return any(
            o.enabled
            and o.universe != self.universe()
            and (o.protocol, o.number) == (node.protocol, self.number())
            and reaches(o, node.ip)
            for o in model.show.outputs
        )

    def _follow(self, show: Show, feeding: Sequence[Output]) -> Show:
        """What feeds it sends to its number, which the show then expects of it."""
        (node_id, port), wanted = self.port(), self.number()
        for output in feeding:
            member = "port_address" if output.protocol == "artnet" else "sacn"
            show = change_output(show, output.id, **{member: wanted})

        def numbered(node: Node) -> Node:
            ports = tuple(wanted if i == port else x for i, x in enumerate(node.ports, 1))
            return replace(node, ports=ports)

        nodes = tuple(numbered(n) if n.id == node_id else n for n in show.nodes)
        return replace(show, nodes=nodes)


class NodeNumbers(Cause):
    """About the node, and by how much all its ports are off."""

    KIND, RARITY = "node numbers", 0.010

    def say(self, model: Model) -> str:
        name = next((n.name for n in model.show.nodes if n.id == self.about[0]), "The node")
        return (
            f"All ports of {name} are off by {signed(self.about[1])}: it counts from "
            f"{0 if self.about[1] == -1 else 1} where the show does not."
        )

    def advice(self, model: Model) -> str:
        return "Set the ports to the numbers of the show, or the outputs to those of the node."


class PortsExchanged(Cause):
    """About two universes and the two ports."""

    KIND, RARITY = "ports exchanged", 0.012

    def say(self, model: Model) -> str:
        a, b = self.about[:2]
        return f"Universes {a} and {b} are exchanged at their ports."

    def advice(self, model: Model) -> str:
        return "Exchange the two cables at the node, or the numbers of the ports."

    def fixes(self, model: Model, matches: Sequence[Match] = ()) -> list[Fix]:
        a, b = (int(str(universe)) for universe in self.about[:2])
        ports = set(self.about[2:])
        label = f"Exchange where universes {a} and {b} go"
        return [Fix(label, lambda s: _exchange(s, a, b, ports))]


def _exchange(show: Show, a: int, b: int, ports: Collection[object]) -> Show:
    """The two universes go where the other one went, at these ports."""
    other, reach = {a: b, b: a}, Reach(show)
    here = {
        o.id
        for o in show.outputs
        if o.universe in other and any(p.key in ports for p in reach.of_output[o.id])
    }
    outputs = (replace(o, universe=other[o.universe]) if o.id in here else o for o in show.outputs)
    return replace(show, outputs=tuple(outputs))


class OutputOff(Cause):
    """About a universe and the output, which is known to be off."""

    KIND, RARITY = "output off", 0.3

    def say(self, model: Model) -> str:
        universe = self.about[0]
        return f"One output of universe {universe} is off, and what hangs behind it gets nothing."

    def advice(self, model: Model) -> str:
        return "Switch it on."

    def fixes(self, model: Model, matches: Sequence[Match] = ()) -> list[Fix]:
        universe, output = self.about[0], str(self.about[1])
        label = f"Switch that output of universe {universe} on"
        return [Fix(label, lambda s: change_output(s, output, enabled=True))]


class Sender(Cause):
    """About the universe, and whether the other counts alone there."""

    KIND, RARITY = "sender", 0.003

    def say(self, model: Model) -> str:
        if self.about[1]:
            return f"A second sender has universe {self.about[0]} to itself."
        return f"A second sender lights universe {self.about[0]}."

    def advice(self, model: Model) -> str:
        return "Switch the other sender off, or let it merge on purpose."


def reaches(output: Output, ip: str) -> bool:
    """Whether what an output sends gets to a node."""
    return not output.hosts or ip in output.hosts
