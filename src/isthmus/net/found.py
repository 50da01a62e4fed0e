"""Nodes as they answer: pages of ArtPollReply put together, and how they differ from what the show
expects.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from typing import Any

from msgspec.structs import replace

from isthmus.plural import many
from isthmus.routes import Reach, write_number
from isthmus.routes.edits import change_node
from isthmus.show.records import Node, Show, new_id
from isthmus.wire.artnet import ArtPollReply
from isthmus.wire.artnet import poll_codes as bits

SILENT = 8.0  # seconds without an answer to polls that come every 2.5 s
FORGOTTEN = 120.0
MAX_NODES = 1000
MAX_PAGES = 256
OUT, IN = "out", "in"


@dataclass(frozen=True)
class FoundPort:
    """One port as the node tells it; `index` counts over all its pages, `slot` on its page
    `bind_index` (both from 1).
    """

    index: int
    bind_index: int
    slot: int
    direction: str
    number: int
    protocol: str = "artnet"
    merge: str = "htp"
    active: bool = False  # data goes out, or comes in
    merging: bool = False
    disabled: bool = False
    rdm: bool = True

    @property
    def words(self) -> str:
        return write_number(self.protocol, self.number)


@dataclass(frozen=True)
class FoundNode:
    """A node that answers. `age` is how long ago it last did, seconds; `macs` has more than one
    when two share the address.
    """

    ip: str
    name: str
    long_name: str
    ports: tuple[FoundPort, ...]
    macs: tuple[str, ...] = ()
    firmware: int = 0
    report: str = ""
    dhcp: bool = False
    rdm: bool = False
    sacn: bool = False
    direction_able: bool = False
    refresh: int = 0
    mask: str = ""
    age: float = 0.0

    @property
    def silent(self) -> bool:
        return self.age > SILENT


@dataclass
class _Seen:
    pages: dict[int, ArtPollReply] = field(default_factory=dict)
    at: float = 0.0
    macs: dict[bytes, float] = field(default_factory=dict)
    mask: str = ""


class Finder:
    """Takes answers as they come; `nodes` is what is known at a time (seconds of a monotonic
    clock).
    """

    def __init__(self) -> None:
        self._seen: dict[str, _Seen] = {}

    def take(self, reply: ArtPollReply, sender: str, now: float) -> bool:
        """False when there is no room for one more."""
        ip = reply.ip if reply.ip != "0.0.0.0" else sender
        seen = self._seen.get(ip)
        if seen is None:
            if len(self._seen) >= MAX_NODES:
                return False
            seen = self._seen[ip] = _Seen()
        index = max(1, reply.bind_index)
        if len(seen.pages) < MAX_PAGES or index in seen.pages:
            seen.pages[index] = reply
        seen.at = now
        if any(reply.mac) and len(seen.macs) < 8:
            seen.macs[reply.mac] = now
        return True

    def take_mask(self, ip: str, mask: str) -> None:
        if ip in self._seen:
            self._seen[ip].mask = mask

    def forget(self) -> None:
        self._seen.clear()

    def nodes(self, now: float) -> tuple[FoundNode, ...]:
        """Everything that answered lately, by address."""
        for ip in [ip for ip, seen in self._seen.items() if now - seen.at > FORGOTTEN]:
            del self._seen[ip]
        return tuple(
            _node(ip, seen, now)
            for ip, seen in sorted(
                self._seen.items(), key=lambda p: tuple(map(int, p[0].split(".")))
            )
        )


def _node(ip: str, seen: _Seen, now: float) -> FoundNode:
    ports: list[FoundPort] = []
    for bind, page in sorted(seen.pages.items()):
        for slot, port in enumerate(page.pages, 1):
            if not (port.is_output or port.is_input):
                continue
            out = port.is_output
            ports.append(
                FoundPort(
                    len(ports) + 1,
                    bind,
                    slot,
                    OUT if out else IN,
                    page.port_address(port),
                    "sacn" if out and port.good_output & bits.FROM_SACN else "artnet",
                    "ltp" if port.good_output & bits.LTP else "htp",
                    bool((port.good_output if out else port.good_input) & 0x80),
                    out and bool(port.good_output & bits.MERGING),
                    not out and bool(port.good_input & bits.INPUT_DISABLED),
                    not port.good_output_b & bits.RDM_OFF,
                )
            )
    first = seen.pages[min(seen.pages)]
    macs = tuple(raw.hex(":") for raw, at in sorted(seen.macs.items()) if now - at < SILENT)
    return FoundNode(
        ip,
        first.short_name,
        first.long_name,
        tuple(ports),
        macs,
        first.firmware,
        first.report,
        bool(first.status2 & bits.DHCP),
        bool(first.status1 & bits.RDM_ABLE),
        bool(first.status2 & bits.SACN_ABLE),
        bool(first.status3 & bits.DIRECTION_ABLE),
        first.refresh,
        seen.mask,
        now - seen.at,
    )


# ---------------------------------------------------------------- found against expected

MISSING, NEW, MOVED, OTHER_NUMBER, DIRECTION, TWICE, FEWER = (
    "missing",
    "new",
    "moved",
    "universe",
    "direction",
    "twice",
    "fewer",
)


@dataclass(frozen=True)
class Difference:
    """Where what answers is not what the show expects. `edit` takes what is found into the show."""

    kind: str
    severity: str  # fault, attention, note
    text: str
    node: str = ""  # id of the expected node
    ip: str = ""
    port: int = 0
    label: str = ""
    edit: Callable[[Show], Show] | None = field(default=None, compare=False)


def pair(show: Show, found: Sequence[FoundNode]) -> dict[str, FoundNode]:
    """Expected node id → the one that answers for it: at its address, else under its name."""
    by_ip = {node.ip: node for node in found if not node.silent}
    pairs = {node.id: by_ip[node.ip] for node in show.nodes if node.ip in by_ip}
    left = [node for node in by_ip.values() if node not in pairs.values()]
    for node in show.nodes:
        if node.id not in pairs:
            named = [f for f in left if f.name and f.name.casefold() == node.name[:17].casefold()]
            if len(named) == 1:
                pairs[node.id] = named[0]
                left.remove(named[0])
    return pairs


def as_expected(found: FoundNode) -> Node:
    """A found node as one the show expects from now on."""
    protocol = (
        "sacn" if found.ports and all(p.protocol == "sacn" for p in found.ports) else "artnet"
    )
    inputs = tuple(p.index for p in found.ports if p.direction == IN)
    name = found.name or found.ip
    return Node(
        id=new_id(),
        name=name,
        ip=found.ip,
        ports=tuple(p.number for p in found.ports),
        protocol=protocol,
        inputs=inputs,
        mask=found.mask,
    )


def compare(show: Show, found: Sequence[FoundNode]) -> list[Difference]:
    """Every difference, those about expected nodes first. An sACN node cannot be asked, so it is
    never missing.
    """
    pairs = pair(show, found)
    reach = Reach(show)
    out: list[Difference] = []
    for node in show.nodes:
        real = pairs.get(node.id)
        fed = sorted(
            {
                o.universe
                for p in reach.ports
                if p.node.id == node.id
                for o in reach.of_port.get(p.key, [])
                if o.enabled
            }
        )
        if real is None:
            if node.protocol == "artnet":
                what = f"{node.name}, {node.ip}, does not answer"
                lost = (
                    f": {_universes(fed)} reach{'es' * (len(fed) == 1)} no device there."
                    if fed
                    else "."
                )
                out.append(
                    Difference(
                        MISSING,
                        "fault" if fed and not node.spare else "attention",
                        what + lost,
                        node.id,
                        node.ip,
                    )
                )
            continue
        if real.ip != node.ip:
            text = f"{node.name} answers at {real.ip}; the show has it at {node.ip}."
            edit = _change(node.id, ip=real.ip)
            out.append(
                Difference(
                    MOVED, "fault", text, node.id, real.ip, 0, f"Take {real.ip} into the show", edit
                )
            )
        out += _ports(node, real, reach)
    known = {real.ip for real in pairs.values()}
    for real in found:
        if len(real.macs) > 1:
            who = " and ".join(real.macs)
            text = (
                f"{many(len(real.macs), 'device')} have the address {real.ip}: {who}. What "
                "is sent there "
                "reaches either, or both."
            )
            out.append(Difference(TWICE, "fault", text, "", real.ip))
        if real.ip not in known and not real.silent:
            count = many(len(real.ports), "port")
            text = (
                f"{real.name or 'A node'} answers at {real.ip} with {count}; the show does not "
                "expect it."
            )
            out.append(
                Difference(
                    NEW, "note", text, "", real.ip, 0, "Expect it from now on", _expect(real)
                )
            )
    return out


def _ports(node: Node, real: FoundNode, reach: Reach) -> list[Difference]:
    out = []
    if len(real.ports) < len(node.ports):
        text = (
            f"{node.name} has {many(len(real.ports), 'port')}; the show expects {len(node.ports)}."
        )
        out.append(Difference(FEWER, "attention", text, node.id, real.ip))
    for index, (number, port) in enumerate(zip(node.ports, real.ports, strict=False), 1):
        expects_in = index in node.inputs
        where = f"Port {index} of {node.name}"
        fed = [
            p
            for p in reach.ports
            if p.node.id == node.id and p.index == index and reach.of_port.get(p.key)
        ]
        if (port.direction == IN) != expects_in:
            now = "takes DMX in" if port.direction == IN else "puts DMX out"
            then = "take it in" if expects_in else "send it"
            severity = "fault" if port.direction == IN and fed else "attention"
            out.append(
                Difference(
                    DIRECTION,
                    severity,
                    f"{where} {now}; the show expects it to {then}.",
                    node.id,
                    real.ip,
                    index,
                )
            )
        if (port.protocol, port.number) != (node.protocol, number):
            text = (
                f"{where} listens to {port.words}; the show expects "
                f"{write_number(node.protocol, number)}."
            )
            label, edit = f"Take {port.words} into the show", _renumber(node, index, port)
            out.append(
                Difference(
                    OTHER_NUMBER,
                    "fault" if fed else "attention",
                    text,
                    node.id,
                    real.ip,
                    index,
                    label,
                    edit,
                )
            )
    return out


def _universes(numbers: Sequence[int]) -> str:
    return (
        f"universe{'s' * (len(numbers) != 1)} "
        f"{', '.join(map(str, numbers[:6]))}{' …' if len(numbers) > 6 else ''}"
    )


def _change(node_id: str, **changes: Any) -> Callable[[Show], Show]:
    return lambda show: change_node(show, node_id, **changes)


def _renumber(node: Node, index: int, port: FoundPort) -> Callable[[Show], Show]:
    if port.protocol != node.protocol:
        return lambda show: change_node(
            show,
            node.id,
            protocol=port.protocol,
            ports=tuple(_number_as(port, n, i == index) for i, n in enumerate(node.ports, 1)),
        )
    return lambda show: change_node(
        show,
        node.id,
        ports=tuple(port.number if i == index else n for i, n in enumerate(node.ports, 1)),
    )


def _number_as(port: FoundPort, number: int, this: bool) -> int:
    """The same universe counted as the other protocol counts it."""
    return port.number if this else number + 1 if port.protocol == "sacn" else max(0, number - 1)


def _expect(real: FoundNode) -> Callable[[Show], Show]:
    return lambda show: replace(show, nodes=(*show.nodes, as_expected(real)))
