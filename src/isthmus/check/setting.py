"""Settings of devices: what would make them as the patch has them, set one by one, read back, and
taken back.
"""

from __future__ import annotations

import struct
from collections.abc import Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

from isthmus.check.devices import Device
from isthmus.check.matched import ADDRESS, MODE, Match
from isthmus.errors import EntryFault, NetworkFault
from isthmus.profiles import chart, profiles_of
from isthmus.show.records import SLOTS, Show
from isthmus.wire import rdm

if TYPE_CHECKING:
    from isthmus.net.talk import Talker


@dataclass(frozen=True)
class Change:
    """One setting of one device: `what` is address, mode or label, with what it was and what it is
    to be.
    """

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
            named = [
                i
                for i in fits
                if m.device.personalities[i - 1][0].casefold() == m.unit.mode.casefold()
            ]
            if fits:
                number = (named or fits)[0]
                after = m.device.personalities[number - 1][0] or str(number)
                out.append(
                    Change(
                        m.device,
                        "mode",
                        m.device.mode or str(m.device.info.personality if m.device.info else ""),
                        after,
                        number,
                    )
                )
        if ADDRESS in m.ways:
            address = m.unit.patch[0].address
            out.append(
                Change(m.device, "address", f"{m.device.address:03d}", f"{address:03d}", address)
            )
    return out


def label_changes(matches: Sequence[Match]) -> list[Change]:
    """Numbers written into the devices' labels, so that they are known again wherever they hang."""
    pairs = [(m.unit, m.device) for m in matches if m.unit and m.device]
    wanted = [(d, d.label, f"{u.number} {u.name}".strip()[:32]) for u, d in pairs]
    return [Change(d, "label", was, new) for d, was, new in wanted if was != new]


def apply(talker: Talker, change: Change) -> Done:
    """Set one thing and read it back. Nothing is raised: what happened is told."""
    parameter = {
        "address": rdm.DMX_START_ADDRESS,
        "mode": rdm.PERSONALITY,
        "label": rdm.DEVICE_LABEL,
    }[change.what]
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
    return Done(
        change, True, f"{device.name}: {change.what} {change.before} → {change.after}, read back."
    )


def wished(device: Device, address: str = "", mode: str = "", text: str = "") -> list[Change]:
    """What was typed about one device, as changes; what is empty or as it is stays. Raises
    EntryFault for what cannot be.
    """
    out: list[Change] = []
    if mode.strip() and mode.strip().casefold() != device.mode.casefold():
        names = [name.casefold() for name, _ in device.personalities]
        number = names.index(mode.strip().casefold()) + 1 if mode.strip().casefold() in names else 0
        number = number or (
            int(mode) if mode.strip().isdigit() and 1 <= int(mode) <= len(names) else 0
        )
        if not number:
            raise EntryFault(
                f"{device.name} has no mode “{mode.strip()[:30]}”.",
                do=f"It has {', '.join(n for n, _ in device.personalities)}.",
            )
        after = device.personalities[number - 1][0] or str(number)
        out.append(Change(device, "mode", device.mode, after, number))
    if address.strip() and address.strip().lstrip("0") != str(device.address):
        if not address.strip().isdigit() or not 1 <= int(address) <= SLOTS:
            raise EntryFault(
                f"“{address.strip()[:20]}” is not an address.", do=f"Write 1 to {SLOTS}."
            )
        out.append(
            Change(device, "address", f"{device.address:03d}", f"{int(address):03d}", int(address))
        )
    if text.strip() != device.label and text.strip():
        if len(text.strip()) > 32 or not text.strip().isascii():
            raise EntryFault(
                "A label has at most 32 plain letters.", do="Leave accents out, or write less."
            )
        out.append(Change(device, "label", device.label, text.strip()))
    return out


def reverse(change: Change) -> Change:
    """What takes a change back."""
    number = int(change.before) if change.what == "address" else 0
    if change.what == "mode":
        names = [name for name, _ in change.device.personalities]
        number = (
            names.index(change.before) + 1
            if change.before in names
            else int(change.before)
            if change.before.isdigit()
            else 0
        )
    return Change(change.device, change.what, change.after, change.before, number)
