"""A scenario: what really hangs, as JSON. Its truth is its own; it never reads a show."""

from __future__ import annotations

from pathlib import Path

import msgspec

from isthmus.errors import FileFault
from isthmus.profiles import Mode, Profile
from isthmus.profiles.store import load_stored
from isthmus.routes import read_host
from isthmus.show.container import read_file, safe_name

MAX_BYTES = 32 * 2**20
FAULTS = ("dead",)


class SimNode(msgspec.Struct, frozen=True):
    name: str
    ip: str
    ports: tuple[int, ...]  # the Art-Net port-address of each port


class SimUnit(msgspec.Struct, frozen=True):
    """A unit as it hangs: the address set on it, the node port it is plugged to, where it is, what is broken."""

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


def read_scenario(path: Path) -> Loaded:
    """Read a scenario and its profiles, which lie beside it in `profiles/`. Raises FileFault."""
    where = path.name
    try:
        scenario = msgspec.json.decode(read_file(path, MAX_BYTES), type=Scenario)
    except (msgspec.MsgspecError, UnicodeDecodeError, RecursionError) as error:
        raise FileFault(f"this is no scenario: {error}.", where=where, do="Take the shipped one as a pattern.") from error
    nodes = {node.name: node for node in scenario.nodes}
    for node in scenario.nodes:
        read_host(node.ip)
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
            raise FileFault(f"unit {unit.label}: {unit.profile} has no mode “{unit.mode}”.", where=where)
        if unit.node not in nodes or not 0 <= unit.port < len(nodes[unit.node].ports):
            raise FileFault(f"unit {unit.label} is plugged to port {unit.port} of “{unit.node}”, which is not there.", where=where)
        if not 1 <= unit.address <= 512 or any(fault not in FAULTS for fault in unit.faults):
            raise FileFault(
                f"unit {unit.label} has an address or a fault that cannot be.",
                where=where,
                do=f"Addresses go from 1 to 512, faults are {', '.join(FAULTS)}.",
            )
        modes.append(mode)
    return Loaded(scenario, profiles, tuple(modes))
