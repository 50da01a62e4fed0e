"""A scenario: what really hangs, as JSON. Its truth is its own; it never reads a show."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

import msgspec

from isthmus.errors import FileFault
from isthmus.plural import many
from isthmus.profiles import Mode, Profile
from isthmus.profiles.store import load_stored
from isthmus.routes import read_host
from isthmus.show.container import safe_name
from isthmus.show.decoding import decoded
from isthmus.show.files import read_file

MAX_BYTES = 32 * 2**20
CELLS = ("turned round", "mirrored", "flipped", "zigzag", "columns", "backwards")
FAULTS = (
    *("dead", "lamp", "pan", "swapped", "pan inverted", "tilt inverted", "shutter", "no rdm"),
    *(f"cells {way}" for way in CELLS),  # how they are wired inside
)
MAX_PORTS = 16


class SimNode(msgspec.Struct, frozen=True, omit_defaults=True):
    """A node: a loopback address, and the number each of its ports listens to.

    inputs: ports (from 1) that take DMX in. mirror_of: the node whose units it feeds too, port by
    port, when that one is gone. cap: how many universes it takes at once. delay: seconds everything
    takes. drop: the part of packets it loses. dead: ports (from 1) that put nothing out, whatever
    they say. says: the address it tells when it answers. twin: another device with its address
    answers as well.
    """

    name: str
    ip: str
    ports: tuple[int, ...]
    protocol: str = "artnet"
    inputs: tuple[int, ...] = ()
    merge: str = "htp"
    mirror_of: str = ""
    cap: int = 0
    delay: float = 0.0
    drop: float = 0.0
    says: str = ""
    mask: str = "255.0.0.0"
    twin: bool = False
    dead: tuple[int, ...] = ()
    fixed: bool = False  # its ports' directions cannot be changed from afar
    rdm: bool = True


class SimUnit(msgspec.Struct, frozen=True):
    """A unit as it hangs: the address set on it, the node port it is plugged to, where it is, what
    is broken.
    """

    serial: str
    label: str
    profile: str
    mode: str
    node: str
    port: int
    address: int
    position: tuple[float, float, float] = (0.0, 0.0, 0.0)
    rotation: tuple[float, float, float, float] = (1.0, 0.0, 0.0, 0.0)
    gel: tuple[float, float, float] = (1.0, 1.0, 1.0)
    faults: tuple[str, ...] = ()


class Scenario(msgspec.Struct, frozen=True):
    name: str
    nodes: tuple[SimNode, ...]
    units: tuple[SimUnit, ...]


class Loaded(msgspec.Struct, frozen=True):
    scenario: Scenario
    profiles: dict[str, tuple[Profile, bytes]]
    modes: tuple[Mode, ...]  # of each unit, in order


def check_node(node: SimNode, where: str = "") -> None:
    """Raises FileFault for a node that cannot be."""
    top = 0x7FFF if node.protocol == "artnet" else 63999
    wrong = (
        f"it has {many(len(node.ports), 'port')}"
        if not 1 <= len(node.ports) <= MAX_PORTS
        else "a port number cannot be"
        if any(not 0 <= number <= top for number in node.ports)
        else f"“{node.protocol}” is not a protocol"
        if node.protocol not in ("artnet", "sacn")
        else f"“{node.merge}” is not a way to merge"
        if node.merge not in ("htp", "ltp")
        else "it is not on a loopback address"
        if not node.ip.startswith("127.")
        else ""
    )
    read_host(node.ip)
    if wrong:
        raise FileFault(
            f"node {node.name}: {wrong}.",
            where=where,
            do=f"A node has 1 to {MAX_PORTS} ports, of artnet or sacn.",
        )


def joined(parts: Sequence[Loaded]) -> Loaded:
    """Several scenarios as one rig."""
    return Loaded(
        Scenario(
            ", ".join(part.scenario.name for part in parts),
            tuple(node for part in parts for node in part.scenario.nodes),
            tuple(unit for part in parts for unit in part.scenario.units),
        ),
        {name: profile for part in parts for name, profile in part.profiles.items()},
        tuple(mode for part in parts for mode in part.modes),
    )


def read_scenario(path: Path) -> Loaded:
    """Read a scenario and its profiles, which lie beside it in `profiles/`. Raises FileFault."""
    where = path.name
    try:
        scenario = decoded(read_file(path, MAX_BYTES), kind=Scenario)
    except msgspec.MsgspecError as error:
        raise FileFault(
            f"this is not a scenario: {error}.",
            where=where,
            do="Take the shipped one as a pattern.",
        ) from error
    nodes = {node.name: node for node in scenario.nodes}
    for node in scenario.nodes:
        check_node(node, where)
    profiles: dict[str, tuple[Profile, bytes]] = {}
    modes = []
    for unit in scenario.units:
        if unit.profile not in profiles:
            if not safe_name(unit.profile):
                raise FileFault(f"“{unit.profile[:60]}” is not a plain file name.", where=where)
            stored, profile = load_stored(path.parent / "profiles" / unit.profile)
            profiles[unit.profile] = profile, stored.data
        mode = profiles[unit.profile][0].mode(unit.mode)
        if mode is None:
            raise FileFault(
                f"unit {unit.label}: {unit.profile} has no mode “{unit.mode}”.", where=where
            )
        if unit.node not in nodes or not 0 <= unit.port < len(nodes[unit.node].ports):
            raise FileFault(
                f"unit {unit.label} is plugged to port {unit.port} of “{unit.node}”, which "
                "is not there.",
                where=where,
            )
        if not 1 <= unit.address <= 512 or any(fault not in FAULTS for fault in unit.faults):
            raise FileFault(
                f"unit {unit.label} has an address or a fault that cannot be.",
                where=where,
                do=f"Addresses go from 1 to 512, faults are {', '.join(FAULTS)}.",
            )
        modes.append(mode)
    return Loaded(scenario, profiles, tuple(modes))
