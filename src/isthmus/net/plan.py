"""An address plan: addresses and masks for this computer and the nodes in one range, as a sheet and
a sentence a device.
"""

from __future__ import annotations

import html
from collections.abc import Sequence
from dataclasses import dataclass

from isthmus.errors import EntryFault
from isthmus.net import ipv4
from isthmus.net.adapters import Adapter
from isthmus.plural import many
from isthmus.show.records import Node

RANGES = {"2.x": ("2.0.0.0", 8), "10.x": ("10.0.0.0", 8), "192.168.x": ("192.168.1.0", 24)}
FIRST_NODE = 10  # below it: this computer and others that send


@dataclass(frozen=True)
class PlannedDevice:
    """One device of the plan."""

    name: str
    place: str
    now: str
    address: str
    mask: str
    words: str
    commands: tuple[str, ...] = ()

    @property
    def stays(self) -> bool:
        return self.now == self.address


def plan(adapters: Sequence[Adapter], nodes: Sequence[Node], wanted: str) -> list[PlannedDevice]:
    """Lines for adapters that lead somewhere and for all nodes. Devices that lie in the range
    already keep their address.

    Raises EntryFault for a range that is not offered, or is too small.
    """
    if wanted not in RANGES:
        raise EntryFault(f"“{wanted}” is not a range.", do=f"Choose {', '.join(RANGES)}.")
    base, bits = RANGES[wanted]
    mask = ipv4.mask_of(bits)
    size = 1 << (32 - bits)
    taken: set[str] = set()
    devices: list[tuple[Adapter | Node, str]] = []
    for device in (*(a for a in adapters if not a.local), *nodes):
        keeps = ipv4.same(base, mask, device.ip) and device.ip not in taken
        address = device.ip if keeps else ""
        taken |= {address} if address else set()
        devices.append((device, address))
    if len(devices) > size - FIRST_NODE - 2:
        raise EntryFault(
            f"{many(len(devices), 'device')} do not fit into {wanted}.", do="Choose 2.x or 10.x."
        )
    found = []
    counts = {True: 1, False: FIRST_NODE}
    for device, kept in devices:
        own = isinstance(device, Adapter)
        address = kept
        while not address:
            candidate = ipv4.write(ipv4.number(base) + counts[own])
            counts[own] += 1
            if candidate not in taken:
                address = candidate
                taken.add(candidate)
        found.append(_line(device, address, mask, bits))
    return found


def _line(device: Adapter | Node, address: str, mask: str, bits: int) -> PlannedDevice:
    if isinstance(device, Adapter):
        right = device.ip == address and device.mask == mask
        words = (
            f"{device.name} of this computer {'has' if right else 'gets'} {address}, mask {mask}."
        )
        commands = () if right else (f"ip address add {address}/{bits} dev {device.name}",)
        return PlannedDevice(
            device.name, "this computer", device.ip, address, mask, words, commands
        )
    right = device.ip == address and device.mask in ("", mask)
    where = f" ({device.place})" if device.place else ""
    words = (
        f"{device.name}{where} {'keeps' if right else 'is set to'} {address}, mask "
        f"{mask}{'' if right else f', instead of {device.ip}'}."
    )
    return PlannedDevice(device.name, device.place, device.ip, address, mask, words)


def sheet(title: str, lines: Sequence[PlannedDevice]) -> str:
    """The plan as a page to print, as HTML: a table to tick off, then the sentences."""
    e = html.escape
    rows = "".join(
        f"<tr><td>☐</td><td><b>{e(n.name)}</b></td><td>{e(n.place)}</td><td>{n.now}</td><td><b>{n.address}</b></td><td>{n.mask}</td></tr>"
        for n in lines
    )
    words = "".join(
        f"<li>{e(n.words)}{''.join(f'<br><code>{e(c)}</code>' for c in n.commands)}</li>"
        for n in lines
    )
    return (
        f"<h2>{e(title)}: addresses</h2><table cellpadding='6' border='1' cellspacing='0'>"
        "<tr><th></th><th align='left'>Device</th><th align='left'>Place</th><th "
        "align='left'>Now</th><th align='left'>Address</th>"
        f"<th align='left'>Mask</th></tr>{rows}</table><ul>{words}</ul>"
        "<p>Isthmus does not change the settings of this computer; the commands are to be run "
        "by whoever may.</p>"
    )
