"""Discovered devices matched as a whole to the units of the patch, and what that tells findings."""

from __future__ import annotations

import struct
from collections.abc import Iterable, Sequence
from dataclasses import dataclass

import numpy as np

from isthmus.check.devices import Device
from isthmus.check.findings.evidence import Told
from isthmus.profiles import chart, profiles_of
from isthmus.profiles.records import Profile
from isthmus.routes import Reach
from isthmus.show.records import Show, Unit

IN_PLACE, ADDRESS, MODE, PORT, UNKNOWN, MISSING = (
    "in place",
    "other address",
    "other mode",
    "other port",
    "unknown here",
    "missing there",
)


@dataclass(frozen=True)
class Match:
    """A unit with the device that is most likely it, and in which ways they differ; or one of them
    alone.
    """

    unit: Unit | None
    device: Device | None
    ways: tuple[str, ...]
    words: str


COSTS = {"port": 4.0, "footprint": 3.0, "model": 8.0, "label": -6.0, "address": 2.0}
NO_MATCH = 12.0  # rather none than a match as bad as this


def match(
    show: Show, devices: Sequence[Device], asked: Iterable[tuple[str, int]] = ()
) -> list[Match]:
    """Devices and units matched so that all together differ least. Units by number, then devices
    is not known.

    A unit counts as missing only where its port was asked.
    """
    ports = _ports_of_universes(show)
    units = sorted(
        (u for u in show.units if u.patch and profiles_of(show).mode_of(u)), key=lambda u: u.number
    )
    able = [d for d in devices if d.info is not None and d.footprint]
    pairs = _pairs(_costs(show, units, able, ports))
    asked = set(asked)
    out = []
    for row, unit in enumerate(units):
        if row in pairs:
            out.append(_differences(show, unit, able[pairs[row]], ports))
        elif asked & ports.get(unit.patch[0].universe, set()):
            words = f"{unit.number} does not answer where it should be."
            out.append(Match(unit, None, (MISSING,), words))
    used = {able[c].uid for c in pairs.values()}
    return out + [_unknown(device) for device in devices if device.uid not in used]


def _ports_of_universes(show: Show) -> dict[int, set[tuple[str, int]]]:
    """Universe → the ports it goes to, each by address of the node and port-address."""
    reach = Reach(show)
    ports: dict[int, set[tuple[str, int]]] = {}
    for port in reach.ports:
        for output in reach.of_port.get(port.key, ()):
            if output.enabled:
                ports.setdefault(output.universe, set()).add((port.node.ip, port.number))
    return ports


def _pairs(cost: np.ndarray) -> dict[int, int]:
    """Row → column of the cheapest matching. Each side may stay alone at half the price of a bad
    match: the matrix is bordered by as many that stand for none.
    """
    from scipy.optimize import linear_sum_assignment  # slow to import, and only needed here

    units, devices = cost.shape
    if not units or not devices:
        return {}
    whole = np.full((units + devices, units + devices), NO_MATCH / 2)
    whole[:units, :devices] = cost
    whole[units:, devices:] = 0.0
    rows, columns = linear_sum_assignment(whole)
    return {int(r): int(c) for r, c in zip(rows, columns, strict=True) if r < units and c < devices}


def _unknown(device: Device) -> Match:
    what = f"{device.maker} {device.model}".strip() or "A device"
    why = f": {device.trouble[0]}." if device.trouble else " is not in the patch."
    words = f"{what} {device.name} behind {device.node}, port {device.port}{why}"
    return Match(None, device, (UNKNOWN,), words)


def _costs(
    show: Show,
    units: Sequence[Unit],
    devices: Sequence[Device],
    ports: dict[int, set[tuple[str, int]]],
) -> np.ndarray:
    """(units, devices), all at once."""
    out = np.zeros((len(units), len(devices)))
    if not units or not devices:
        return out
    profiles = profiles_of(show)
    address = np.array([d.address for d in devices])
    width = np.array([d.footprint for d in devices])
    for row, unit in enumerate(units):
        found = profiles.mode_of(unit)
        assert found
        profile, mode = found
        mine = ports.get(unit.patch[0].universe, set())
        number = str(unit.number)
        widths = [chart(profile, m).footprint for m in profile.modes]
        apart = np.abs(address - unit.patch[0].address)
        out[row] += np.where(apart == 0, 0.0, COSTS["address"] + np.minimum(apart, 200) / 100)
        out[row] += np.where(
            width == chart(profile, mode).footprint,
            0.0,
            np.where(np.isin(width, widths), 1.0, COSTS["footprint"]),
        )
        out[row] += [0.0 if (d.ip, d.port_address) in mine else COSTS["port"] for d in devices]
        out[row] += [0.0 if _may_be(profile, d) else COSTS["model"] for d in devices]
        out[row] += [COSTS["label"] if d.label.split()[:1] == [number] else 0.0 for d in devices]
    return out


def _may_be(profile: Profile, device: Device) -> bool:
    """Whether a device can be of a profile: by the numbers of RDM where it has them, else by
    name.
    """
    if profile.rdm and profile.rdm.model:
        maker = struct.unpack(">H", device.uid[:2])[0]
        ids = (_hex(profile.rdm.maker), _hex(profile.rdm.model))
        return device.info is not None and (maker, device.info.model) == ids
    names = f"{profile.maker} {profile.name}".casefold()
    return not device.model or device.model.casefold() in names


def _hex(text: str) -> int:
    try:
        return int(text.removeprefix("0x"), 16)
    except ValueError:
        return -1


def _differences(
    show: Show, unit: Unit, device: Device, ports: dict[int, set[tuple[str, int]]]
) -> Match:
    found = profiles_of(show).mode_of(unit)
    assert found
    width = chart(*found).footprint
    ways, words = [], []
    mine = ports.get(unit.patch[0].universe)  # none where its universe has no output yet
    if mine and (device.ip, device.port_address) not in mine:
        ways.append(PORT)
        words.append(f"it answers behind {device.node}, port {device.port}")
    if device.footprint != width:
        ways.append(MODE)
        words.append(
            f"it takes {device.footprint} "
            f"slots{f' as {device.mode}' if device.mode else ''}, the patch has {width} as "
            f"{unit.mode}"
        )
    if device.address != unit.patch[0].address:
        ways.append(ADDRESS)
        words.append(
            f"it is set to {device.address:03d}, the patch has {unit.patch[0].address:03d}"
        )
    said = (
        f"{unit.number}: {'; '.join(words)}." if words else f"{unit.number} is as the patch has it."
    )
    return Match(unit, device, tuple(ways) or (IN_PLACE,), said)


def told_of(show: Show, matches: Sequence[Match]) -> dict[str, Told]:
    """What discovery says of each unit, for findings."""
    sent = {
        (h, o.number): o.universe
        for o in show.outputs
        if o.enabled and o.protocol == "artnet"
        for h in (o.hosts or ("",))
    }
    out: dict[str, Told] = {}
    for m in matches:
        if m.unit is None:
            continue
        if m.device is None:
            out[m.unit.id] = Told(there=False)
            continue
        found = profiles_of(show).mode_of(m.unit)
        modes = found[0].modes if found else ()
        mode = next(
            (x.name for x in modes if found and chart(found[0], x).footprint == m.device.footprint),
            "",
        )
        universe = sent.get((m.device.ip, m.device.port_address)) or sent.get(
            ("", m.device.port_address), 0
        )
        out[m.unit.id] = Told(
            m.device.address,
            mode,
            universe,
            True,
            m.device.name,
            behind=(m.device.ip, m.device.port_address),
        )
    return out
