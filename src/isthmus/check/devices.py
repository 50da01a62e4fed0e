"""Discovery: devices that answer RDM, asked one by one, and matched as a whole to the units of the
patch.
"""

from __future__ import annotations

import contextlib
import struct
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, field, replace
from typing import TYPE_CHECKING

from isthmus.errors import NetworkFault
from isthmus.show.records import Show
from isthmus.wire import rdm

if TYPE_CHECKING:
    from isthmus.net.found import FoundNode, FoundPort
    from isthmus.net.talk import Talker

MAX_PERSONALITIES, MAX_SENSORS = 64, 16
Progress = Callable[[int, int, str], object]  # done, all, words; may raise Cancelled


@dataclass(frozen=True)
class Device:
    """One device behind a port. `personalities` are (words, footprint), the first is number 1;
    `trouble` what went wrong.
    """

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
    """Everything found, and what was odd on the way. `asked` are the (address, port-address) that
    were asked.
    """

    devices: list[Device] = field(default_factory=list)
    odd: list[str] = field(default_factory=list)
    asked: list[tuple[str, int]] = field(default_factory=list)
    ended: bool = False


def discover(
    talker: Talker,
    nodes: Iterable[FoundNode],
    show: Show,
    progress: Progress = lambda done, all_, words: None,
    into: Discovered | None = None,
) -> Discovered:
    """Ask every node for its devices, then each device. Ports where RDM is off are left alone.

    `into` fills meanwhile, so that what has answered is there when `progress` raises Cancelled.
    """
    off = {n.ip for n in show.nodes if not n.rdm}
    ports = [
        (n, p)
        for n in nodes
        if n.rdm and not n.silent and n.ip not in off
        for p in n.ports
        if p.direction == "out" and p.rdm and p.protocol == "artnet"
    ]
    out = into if into is not None else Discovered()
    count = _Count(progress, len(ports))
    # all tables first: how many devices there are is then known, and progress is true
    tables = [_table(talker, node, port, out, count) for node, port in ports]
    todo = _devices_of(ports, tables, out)
    count.all += len(todo)
    for device in todo:
        count.on(f"Asking {device.name}")
        out.devices.append(ask(talker, device))
    return out


def _table(
    talker: Talker, node: FoundNode, port: FoundPort, out: Discovered, count: _Count
) -> tuple[list[bytes], str]:
    """The devices behind a port, and what is odd about the answer."""
    count.on(f"Asking for devices at {node.name or node.ip}, port {port.index}")
    out.asked.append((node.ip, port.number))
    try:
        return talker.table(node.ip, port.number)
    except NetworkFault as fault:
        return [], fault.what.rstrip(".")


def _devices_of(
    ports: Sequence[tuple[FoundNode, FoundPort]],
    tables: Sequence[tuple[list[bytes], str]],
    out: Discovered,
) -> list[Device]:
    """What is to be asked, port by port; what is odd is told in `out`."""
    todo: list[Device] = []
    seen: dict[bytes, str] = {}
    for (node, port), (uids, odd) in zip(ports, tables, strict=True):
        where = f"{node.name or node.ip}, port {port.index}"
        if odd:
            out.odd.append(f"{where}: {odd}.")
        for uid in uids:
            if uid in seen:
                both = f"{rdm.write_uid(uid)} answers behind {seen[uid]} and behind {where}"
                out.odd.append(f"{both}: two devices with one number, or one line seen twice.")
            seen.setdefault(uid, where)
            todo.append(Device(uid, node.ip, node.name or node.ip, port.index, port.number))
    return todo


class _Count:
    """How far it is."""

    def __init__(self, progress: Progress, all_: int) -> None:
        self.progress, self.all, self.done = progress, all_, 0

    def on(self, words: str) -> None:
        self.progress(self.done, self.all, words)
        self.done += 1


def ask(talker: Talker, device: Device) -> Device:
    """What a device tells of itself. What it does not know is left empty; a device that fails is
    kept with the reason.
    """

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


def identify(talker: Talker, device: Device, on: bool) -> None:
    """Let a device show itself, or end it. Raises NetworkFault."""
    talker.set(device.ip, device.port_address, device.uid, rdm.IDENTIFY, bytes([on]))
