"""Discovery: devices that answer RDM, asked one by one, and matched as a whole to the units of the patch."""

from __future__ import annotations

import contextlib
import struct
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, field, replace
from typing import TYPE_CHECKING

import numpy as np

from isthmus.check.findings.evidence import Told
from isthmus.errors import EntryFault, NetworkFault
from isthmus.profiles import chart, profiles_of
from isthmus.routes import Reach
from isthmus.show.records import SLOTS, Show, Unit
from isthmus.wire import rdm

if TYPE_CHECKING:
    from isthmus.net.found import FoundNode
    from isthmus.net.talk import Talker

MAX_PERSONALITIES, MAX_SENSORS = 64, 16
IN_PLACE, ADDRESS, MODE, PORT, UNKNOWN, MISSING = "in place", "other address", "other mode", "other port", "unknown here", "missing there"
Progress = Callable[[int, int, str], bool]  # done, all, words; False ends it


@dataclass(frozen=True)
class Device:
    """One device behind a port. `personalities` are (words, footprint), the first is number 1; `trouble` what went wrong."""

    uid: bytes
    ip: str
    node: str
    port: int  # of the node, from 1
    port_address: int
    info: rdm.Info | None = None
    label: str = ""
    model: str = ""
    maker: str = ""
    software: str = ""
    personalities: tuple[tuple[str, int], ...] = ()
    sensors: tuple[rdm.Sensor, ...] = ()
    lamp_hours: int | None = None
    identifying: bool = False
    trouble: tuple[str, ...] = ()

    @property
    def address(self) -> int:
        return self.info.address if self.info else 0

    @property
    def footprint(self) -> int:
        return self.info.footprint if self.info else 0

    @property
    def mode(self) -> str:
        at = self.info.personality - 1 if self.info else -1
        return self.personalities[at][0] if 0 <= at < len(self.personalities) else ""

    @property
    def name(self) -> str:
        return rdm.write_uid(self.uid)


@dataclass
class Discovered:
    """Everything found, and what was odd on the way. `asked` are the (address, port-address) that were asked."""

    devices: list[Device] = field(default_factory=list)
    odd: list[str] = field(default_factory=list)
    asked: list[tuple[str, int]] = field(default_factory=list)
    ended: bool = False


def discover(talker: Talker, nodes: Iterable[FoundNode], show: Show, progress: Progress = lambda done, all_, words: True) -> Discovered:
    """Ask every node for its devices, then each device. Ports where RDM is off are left alone."""
    off = {n.ip for n in show.nodes if not n.rdm}
    ports = [
        (n, p)
        for n in nodes
        if n.rdm and not n.silent and n.ip not in off
        for p in n.ports
        if p.direction == "out" and p.rdm and p.protocol == "artnet"
    ]
    out = Discovered()
    todo: list[Device] = []
    seen: dict[bytes, str] = {}
    for done, (node, port) in enumerate(ports):
        where = f"{node.name or node.ip}, port {port.index}"
        if not progress(done, len(ports), f"Who is behind {where}?"):
            out.ended = True
            return out
        out.asked.append((node.ip, port.number))
        try:
            uids, odd = talker.table(node.ip, port.number)
        except NetworkFault as fault:
            out.odd.append(f"{where}: {fault.what}")
            continue
        if odd:
            out.odd.append(f"{where}: {odd}.")
        for uid in uids:
            if uid in seen:
                both = f"{rdm.write_uid(uid)} answers behind {seen[uid]} and behind {where}"
                out.odd.append(f"{both}: two devices with one number, or one line seen twice.")
            seen.setdefault(uid, where)
            todo.append(Device(uid, node.ip, node.name or node.ip, port.index, port.number))
    for done, device in enumerate(todo):
        if not progress(len(ports) + done, len(ports) + len(todo), f"Asking {device.name}"):
            out.ended = True
            break
        out.devices.append(ask(talker, device))
    return out


def ask(talker: Talker, device: Device) -> Device:
    """What a device tells of itself. What it does not know is left empty; a device that fails is kept with the reason."""

    def get(parameter: int, data: bytes = b"") -> bytes:
        return talker.get(device.ip, device.port_address, device.uid, parameter, data)

    def words(parameter: int) -> str:
        with contextlib.suppress(NetworkFault):
            return rdm.read_words(get(parameter))
        return ""

    try:
        info = rdm.read_info(get(rdm.DEVICE_INFO))
    except NetworkFault as fault:
        return replace(device, trouble=(fault.what,))
    if info is None:
        return replace(device, trouble=("what it tells of itself makes no sense",))
    personalities = []
    for number in range(1, min(info.personalities, MAX_PERSONALITIES) + 1):
        with contextlib.suppress(NetworkFault):
            data = get(rdm.PERSONALITY_WORDS, bytes([number]))
            if len(data) >= 3 and data[0] == number:
                personalities.append((rdm.read_words(data[3:]), struct.unpack(">H", data[1:3])[0]))
                continue
        personalities.append(("", 0))
    sensors = []
    for number in range(min(info.sensors, MAX_SENSORS)):
        with contextlib.suppress(NetworkFault):
            found = rdm.read_sensor(get(rdm.SENSOR_DEFINITION, bytes([number])))
            value = get(rdm.SENSOR_VALUE, bytes([number]))
            if found and len(value) >= 3:
                sensors.append(replace(found, value=struct.unpack(">h", value[1:3])[0]))
    hours = None
    with contextlib.suppress(NetworkFault):
        data = get(rdm.LAMP_HOURS)
        hours = struct.unpack(">I", data)[0] if len(data) == 4 else None
    identifying = False
    with contextlib.suppress(NetworkFault):
        identifying = get(rdm.IDENTIFY)[:1] == b"\x01"
    return replace(
        device,
        info=info,
        label=words(rdm.DEVICE_LABEL),
        model=words(rdm.MODEL_WORDS),
        maker=words(rdm.MAKER_WORDS),
        software=words(rdm.SOFTWARE_WORDS),
        personalities=tuple(personalities),
        sensors=tuple(sensors),
        lamp_hours=hours,
        identifying=identifying,
        trouble=(),
    )


# ---------------------------------------------------------------- against the patch


@dataclass(frozen=True)
class Match:
    """A unit with the device that is most likely it, and in which ways they differ; or one of them alone."""

    unit: Unit | None
    device: Device | None
    ways: tuple[str, ...]
    words: str


COSTS = {"port": 4.0, "footprint": 3.0, "model": 8.0, "label": -6.0, "address": 2.0}
NOBODY = 12.0  # rather nobody than a match as bad as this


def match(show: Show, devices: Sequence[Device], asked: Iterable[tuple[str, int]] = ()) -> list[Match]:
    """Devices and units matched so that all together differ least. Units by number, then devices nobody knows.

    A unit counts as missing only where its port was asked.
    """
    reach = Reach(show)
    ports: dict[int, set[tuple[str, int]]] = {}
    for port in reach.ports:
        for output in reach.of_port.get(port.key, ()):
            if output.enabled:
                ports.setdefault(output.universe, set()).add((port.node.ip, port.number))
    units = sorted((u for u in show.units if u.patch and profiles_of(show).mode_of(u)), key=lambda u: u.number)
    able = [d for d in devices if d.info is not None and d.footprint]
    cost = _costs(show, units, able, ports)
    pairs: dict[int, int] = {}
    if units and able:
        size = len(units) + len(able)
        whole = np.full((size, size), NOBODY / 2)
        whole[: len(units), : len(able)] = cost
        whole[len(units) :, len(able) :] = 0.0
        from scipy.optimize import linear_sum_assignment  # slow to import, and only needed here

        rows, columns = linear_sum_assignment(whole)
        pairs = {int(r): int(c) for r, c in zip(rows, columns, strict=True) if r < len(units) and c < len(able)}
    asked = set(asked)
    out = []
    for row, unit in enumerate(units):
        device = able[pairs[row]] if row in pairs else None
        if device is None:
            mine = ports.get(unit.patch[0].universe, set())
            if asked & mine:
                out.append(Match(unit, None, (MISSING,), f"{unit.number} does not answer where it should be."))
            continue
        out.append(_differences(show, unit, device, ports))
    used = {able[c].uid for c in pairs.values()}
    for device in devices:
        if device.uid not in used:
            what = f"{device.maker} {device.model}".strip() or "A device"
            where = f"{device.node}, port {device.port}"
            words = f"{what} {device.name} behind {where}" + (f": {device.trouble[0]}." if device.trouble else " is not in the patch.")
            out.append(Match(None, device, (UNKNOWN,), words))
    return out


def _costs(show: Show, units: Sequence[Unit], devices: Sequence[Device], ports: dict[int, set[tuple[str, int]]]) -> np.ndarray:
    """(units, devices), all at once."""
    if not units or not devices:
        return np.zeros((len(units), len(devices)))
    profiles = profiles_of(show)
    address = np.array([d.address for d in devices])
    width = np.array([d.footprint for d in devices])
    out = np.zeros((len(units), len(devices)))
    for row, unit in enumerate(units):
        found = profiles.mode_of(unit)
        assert found
        profile, mode = found
        mine = ports.get(unit.patch[0].universe, set())
        widths = [chart(profile, m).footprint for m in profile.modes]
        apart = np.abs(address - unit.patch[0].address)
        out[row] += np.where(apart == 0, 0.0, COSTS["address"] + np.minimum(apart, 200) / 100)
        out[row] += np.where(width == chart(profile, mode).footprint, 0.0, np.where(np.isin(width, widths), 1.0, COSTS["footprint"]))
        out[row] += [0.0 if (d.ip, d.port_address) in mine else COSTS["port"] for d in devices]
        if profile.rdm and profile.rdm.model:
            ids = (_hex(profile.rdm.maker), _hex(profile.rdm.model))
            out[row] += [0.0 if d.info and (struct.unpack(">H", d.uid[:2])[0], d.info.model) == ids else COSTS["model"] for d in devices]
        else:
            names = f"{profile.maker} {profile.name}".casefold()
            out[row] += [0.0 if not d.model or d.model.casefold() in names else COSTS["model"] for d in devices]
        out[row] += [COSTS["label"] if d.label and d.label.split()[0] == str(unit.number) else 0.0 for d in devices]
    return out


def _hex(text: str) -> int:
    try:
        return int(text.removeprefix("0x"), 16)
    except ValueError:
        return -1


def _differences(show: Show, unit: Unit, device: Device, ports: dict[int, set[tuple[str, int]]]) -> Match:
    found = profiles_of(show).mode_of(unit)
    assert found
    width = chart(*found).footprint
    ways, words = [], []
    mine = ports.get(unit.patch[0].universe)  # none where its universe leads nowhere yet
    if mine and (device.ip, device.port_address) not in mine:
        ways.append(PORT)
        words.append(f"it answers behind {device.node}, port {device.port}")
    if device.footprint != width:
        ways.append(MODE)
        words.append(
            f"it takes {device.footprint} slots{f' as {device.mode}' if device.mode else ''}, the patch has {width} as {unit.mode}"
        )
    if device.address != unit.patch[0].address:
        ways.append(ADDRESS)
        words.append(f"it is set to {device.address:03d}, the patch has {unit.patch[0].address:03d}")
    said = f"{unit.number}: {'; '.join(words)}." if words else f"{unit.number} is as the patch has it."
    return Match(unit, device, tuple(ways) or (IN_PLACE,), said)


def told_of(show: Show, matches: Sequence[Match]) -> dict[str, Told]:
    """What discovery says of each unit, for findings."""
    sent = {(h, o.number): o.universe for o in show.outputs if o.enabled and o.protocol == "artnet" for h in (o.hosts or ("",))}
    out: dict[str, Told] = {}
    for m in matches:
        if m.unit is None:
            continue
        if m.device is None:
            out[m.unit.id] = Told(there=False)
            continue
        found = profiles_of(show).mode_of(m.unit)
        modes = found[0].modes if found else ()
        mode = next((x.name for x in modes if found and chart(found[0], x).footprint == m.device.footprint), "")
        universe = sent.get((m.device.ip, m.device.port_address)) or sent.get(("", m.device.port_address), 0)
        out[m.unit.id] = Told(m.device.address, mode, universe, True, m.device.name, (m.device.ip, m.device.port_address))
    return out


# ---------------------------------------------------------------- setting


@dataclass(frozen=True)
class Change:
    """One setting of one device: `what` is address, mode or label, with what it was and what it is to be."""

    device: Device
    what: str
    before: str
    after: str
    number: int = 0  # the address, or the personality


@dataclass(frozen=True)
class Done:
    change: Change
    well: bool
    words: str


def changes_for(show: Show, matches: Sequence[Match]) -> list[Change]:
    """Everything that would make the devices what the patch says, modes before addresses."""
    out: list[Change] = []
    for m in matches:
        if m.unit is None or m.device is None:
            continue
        found = profiles_of(show).mode_of(m.unit)
        width = chart(*found).footprint if found else 0
        if MODE in m.ways:
            fits = [i for i, (_, size) in enumerate(m.device.personalities, 1) if size == width]
            named = [i for i in fits if m.device.personalities[i - 1][0].casefold() == m.unit.mode.casefold()]
            if fits:
                number = (named or fits)[0]
                after = m.device.personalities[number - 1][0] or str(number)
                out.append(
                    Change(m.device, "mode", m.device.mode or str(m.device.info.personality if m.device.info else ""), after, number)
                )
        if ADDRESS in m.ways:
            address = m.unit.patch[0].address
            out.append(Change(m.device, "address", f"{m.device.address:03d}", f"{address:03d}", address))
    return out


def label_changes(matches: Sequence[Match]) -> list[Change]:
    """Numbers written into the devices' labels, so that they are known again wherever they hang."""
    pairs = [(m.unit, m.device) for m in matches if m.unit and m.device]
    wanted = [(d, d.label, f"{u.number} {u.name}".strip()[:32]) for u, d in pairs]
    return [Change(d, "label", was, new) for d, was, new in wanted if was != new]


def apply(talker: Talker, change: Change) -> Done:
    """Set one thing and read it back. Nothing is raised: what happened is told."""
    parameter = {"address": rdm.DMX_START_ADDRESS, "mode": rdm.PERSONALITY, "label": rdm.DEVICE_LABEL}[change.what]
    data = {
        "address": struct.pack(">H", change.number),
        "mode": bytes([change.number & 255]),
        "label": change.after.encode("ascii", "replace")[:32],
    }[change.what]
    device = change.device
    try:
        talker.set(device.ip, device.port_address, device.uid, parameter, data)
        back = talker.get(device.ip, device.port_address, device.uid, parameter)
    except NetworkFault as fault:
        return Done(change, False, f"{device.name} keeps its {change.what}: {fault.what}")
    if back[: len(data)] != data:
        return Done(change, False, f"{device.name} took the {change.what} and still tells another.")
    return Done(change, True, f"{device.name}: {change.what} {change.before} → {change.after}, read back.")


def wished(device: Device, address: str = "", mode: str = "", text: str = "") -> list[Change]:
    """What was typed about one device, as changes; what is empty or as it is stays. Raises EntryFault for what cannot be."""
    out: list[Change] = []
    if mode.strip() and mode.strip().casefold() != device.mode.casefold():
        names = [name.casefold() for name, _ in device.personalities]
        number = names.index(mode.strip().casefold()) + 1 if mode.strip().casefold() in names else 0
        number = number or (int(mode) if mode.strip().isdigit() and 1 <= int(mode) <= len(names) else 0)
        if not number:
            raise EntryFault(
                f"{device.name} has no mode “{mode.strip()[:30]}”.", do=f"It has {', '.join(n for n, _ in device.personalities)}."
            )
        after = device.personalities[number - 1][0] or str(number)
        out.append(Change(device, "mode", device.mode, after, number))
    if address.strip() and address.strip().lstrip("0") != str(device.address):
        if not address.strip().isdigit() or not 1 <= int(address) <= SLOTS:
            raise EntryFault(f"“{address.strip()[:20]}” is no address.", do=f"Write 1 to {SLOTS}.")
        out.append(Change(device, "address", f"{device.address:03d}", f"{int(address):03d}", int(address)))
    if text.strip() != device.label and text.strip():
        if len(text.strip()) > 32 or not text.strip().isascii():
            raise EntryFault("A label has at most 32 plain letters.", do="Leave accents out, or write less.")
        out.append(Change(device, "label", device.label, text.strip()))
    return out


def reverse(change: Change) -> Change:
    """What takes a change back."""
    number = int(change.before) if change.what == "address" else 0
    if change.what == "mode":
        names = [name for name, _ in change.device.personalities]
        number = names.index(change.before) + 1 if change.before in names else int(change.before) if change.before.isdigit() else 0
    return Change(change.device, change.what, change.after, change.before, number)


def identify(talker: Talker, device: Device, on: bool) -> None:
    """Let a device show itself, or end it. Raises NetworkFault."""
    talker.set(device.ip, device.port_address, device.uid, rdm.IDENTIFY, bytes([on]))
