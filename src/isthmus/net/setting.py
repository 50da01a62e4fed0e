"""Setting a node from here: what would change, what that would silence, the packets that do it, and
whether it took.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass, replace

from isthmus.errors import EntryFault
from isthmus.net import ipv4
from isthmus.net.found import IN, OUT, FoundNode, FoundPort
from isthmus.plural import many
from isthmus.routes import universes_in_use, write_number
from isthmus.routes.edits import change_node
from isthmus.show.records import Show
from isthmus.wire import artnet
from isthmus.wire.artnet import setting as s


@dataclass(frozen=True)
class PortWish:
    """What a port is to be; None leaves it."""

    index: int
    number: int | None = None
    direction: str | None = None
    merge: str | None = None
    disabled: bool | None = None


@dataclass(frozen=True)
class Wish:
    """What a node is to be; empty texts leave it."""

    name: str = ""
    long_name: str = ""
    ports: tuple[PortWish, ...] = ()
    ip: str = ""
    mask: str = ""


@dataclass(frozen=True)
class WouldChange:
    """One thing that would change. `along` marks what was not asked for and changes anyway."""

    what: str
    before: str
    after: str
    along: bool = False


def _page(node: FoundNode, bind: int) -> list[FoundPort]:
    return [p for p in node.ports if p.bind_index == bind]


def _wishes(node: FoundNode, wish: Wish) -> dict[int, dict[int, PortWish]]:
    """Page → slot → wish. Raises EntryFault for what cannot be."""
    ports = {p.index: p for p in node.ports}
    found: dict[int, dict[int, PortWish]] = defaultdict(dict)
    for w in wish.ports:
        port = ports.get(w.index)
        if port is None:
            raise EntryFault(f"{node.name} has no port {w.index}.")
        if w.number is not None and not 0 <= w.number <= artnet.MAX_PORT_ADDRESS:
            raise EntryFault(f"{w.number} is not an Art-Net port-address.", do="Write 0 to 32767.")
        if w.direction is not None and w.direction != port.direction and not node.direction_able:
            raise EntryFault(
                f"{node.name} does not let its ports change direction from afar.", do="Set node."
            )
        found[port.bind_index][port.slot] = w
    for bind, wishes in found.items():
        heads = {w.number >> 4 for w in wishes.values() if w.number is not None}
        if len(heads) > 1:
            names = ", ".join(str(p.index) for p in _page(node, bind))
            raise EntryFault(
                f"Ports {names} of {node.name} share net and sub-net: they cannot go to "
                "different ones.",
                do="Choose numbers of one block of 16.",
            )
    if wish.ip:
        ipv4.prefix(wish.mask or ipv4.usual_mask(wish.ip))
    return found


def after(node: FoundNode, wish: Wish) -> tuple[FoundPort, ...]:
    """The ports as they would be. Ports of one page share net and sub-net, so others of it may go
    along.
    """
    wishes = _wishes(node, wish)
    made = []
    for port in node.ports:
        page = wishes.get(port.bind_index, {})
        head = next((w.number >> 4 for w in page.values() if w.number is not None), None)
        mine = page.get(port.slot, PortWish(port.index))
        number = (
            mine.number
            if mine.number is not None
            else port.number
            if head is None
            else head << 4 | port.number & 15
        )
        made.append(
            replace(
                port,
                number=number,
                direction=mine.direction or port.direction,
                merge=mine.merge or port.merge,
                disabled=port.disabled if mine.disabled is None else mine.disabled,
            )
        )
    return tuple(made)


def before_after(node: FoundNode, wish: Wish) -> list[WouldChange]:
    """Everything that would change, in order. Raises EntryFault."""
    asked = {w.index for w in wish.ports}
    lines = []
    if wish.name and wish.name != node.name:
        lines.append(WouldChange("Name", node.name, wish.name))
    if wish.long_name and wish.long_name != node.long_name:
        lines.append(WouldChange("Long name", node.long_name, wish.long_name))
    words = {OUT: "puts DMX out", IN: "takes DMX in"}
    for old, new in zip(node.ports, after(node, wish), strict=True):
        name, along = f"Port {old.index}", old.index not in asked
        if old.number != new.number:
            lines.append(
                WouldChange(
                    name,
                    write_number("artnet", old.number),
                    write_number("artnet", new.number),
                    along,
                )
            )
        if old.direction != new.direction:
            lines.append(WouldChange(name, words[old.direction], words[new.direction], along))
        if old.merge != new.merge:
            lines.append(
                WouldChange(
                    name, f"merges {old.merge.upper()}", f"merges {new.merge.upper()}", along
                )
            )
        if old.disabled != new.disabled:
            lines.append(
                WouldChange(
                    name,
                    "input off" if old.disabled else "input on",
                    "input off" if new.disabled else "input on",
                    along,
                )
            )
    if wish.ip and (wish.ip != node.ip or wish.mask not in ("", node.mask)):
        before = f"{node.ip}{f', mask {node.mask}' if node.mask else ''}"
        lines.append(
            WouldChange(
                "Address", before, f"{wish.ip}, mask {wish.mask or ipv4.usual_mask(wish.ip)}"
            )
        )
    return lines


def silences(show: Show, node: FoundNode, wish: Wish) -> list[str]:
    """What would go dark: universes the show sends to ports that would no longer listen, with their
    units.
    """
    use, out = universes_in_use(show), []
    fed: dict[int, list[int]] = defaultdict(list)
    for output in show.outputs:
        if (
            output.enabled
            and output.protocol == "artnet"
            and (output.delivery != "unicast" or node.ip in output.hosts)
        ):
            fed[output.port_address].append(output.universe)
    moved = bool(wish.ip) and wish.ip != node.ip
    for old, new in zip(node.ports, after(node, wish), strict=True):
        if old.direction == OUT and (new.direction != OUT or new.number != old.number or moved):
            for universe in fed.get(old.number, []):
                count = use.get(universe, 0)
                units = many(count, "unit")
                out.append(
                    f"Universe {universe} with {units} would no longer come out of port "
                    f"{old.index} of {node.name}."
                )
    return out


def packets(node: FoundNode, wish: Wish) -> list[bytes]:
    """The packets, in the order they are to be sent: names first, directions before numbers (a node
    keeps one for each direction), the address last. Raises EntryFault."""
    out = []
    if wish.name or wish.long_name:
        out.append(
            artnet.encode_address(
                artnet.ArtAddress(1, short_name=wish.name, long_name=wish.long_name)
            )
        )
    new = after(node, wish)
    for bind, wishes in sorted(_wishes(node, wish).items()):
        old_page, page = _page(node, bind), [p for p in new if p.bind_index == bind]
        for slot, w in sorted(wishes.items()):
            for wanted, codes in (
                (w.direction, {OUT: s.DIRECTION_OUT, IN: s.DIRECTION_IN}),
                (w.merge, {"htp": s.MERGE_HTP, "ltp": s.MERGE_LTP}),
            ):
                if wanted:
                    out.append(
                        artnet.encode_address(
                            artnet.ArtAddress(bind, command=codes[wanted] | slot - 1)
                        )
                    )
        if any(a.number != b.number for a, b in zip(old_page, page, strict=True)):
            head = page[0].number >> 4
            switches: dict[str, list[int | None]] = {OUT: [None] * 4, IN: [None] * 4}
            for p in page:
                switches[p.direction][p.slot - 1] = p.number & 15
            packet = artnet.ArtAddress(
                bind, head >> 4, head & 15, tuple(switches[IN]), tuple(switches[OUT])
            )
            out.append(artnet.encode_address(packet))
        if any(w.disabled is not None for w in wishes.values()):
            states = [p.disabled for p in page]
            out.append(artnet.encode_input(artnet.ArtInput(bind, tuple(states))))
    if wish.ip:
        command = s.PROGRAM | s.PROGRAM_IP | s.PROGRAM_MASK
        out.append(
            artnet.encode_ip_prog(
                artnet.ArtIpProg(command, wish.ip, wish.mask or ipv4.usual_mask(wish.ip))
            )
        )
    return out


def left_undone(found: Sequence[FoundNode], node: FoundNode, wish: Wish) -> list[str]:
    """What the node tells differently from what was asked; empty when everything took."""
    ip = wish.ip or node.ip
    real = next((f for f in found if f.ip == ip and not f.silent), None)
    if real is None:
        return [f"{node.name} does not answer at {ip}."]
    out = []
    if wish.name and real.name != wish.name[:17]:
        out.append(f"its name is still {real.name}")
    for want, got in zip(after(node, wish), real.ports, strict=False):
        for what, a, b in (
            ("universe", want.number, got.number),
            ("direction", want.direction, got.direction),
            ("merge", want.merge, got.merge),
            ("input", want.disabled, got.disabled),
        ):
            if a != b and any(w.index == want.index for w in wish.ports):
                out.append(
                    f"port {want.index} keeps its {what}: "
                    f"{b if what != 'universe' else write_number('artnet', int(b))}"
                )
    return out


def expected_after(show: Show, node: FoundNode, wish: Wish) -> Show:
    """The show, with its expected node following what was set. The node it is about is found by
    address.
    """
    mine = next((n for n in show.nodes if n.ip == node.ip), None)
    if mine is None:
        return show
    ports = tuple(p.number for p in after(node, wish))
    inputs = tuple(p.index for p in after(node, wish) if p.direction == IN)
    mask = (wish.mask or ipv4.usual_mask(wish.ip)) if wish.ip else mine.mask
    changes = {
        "name": wish.name or mine.name,
        "ports": ports,
        "inputs": inputs,
        "ip": wish.ip or mine.ip,
        "mask": mask,
    }
    return change_node(show, mine.id, **changes)
