"""Serial ports of this computer that DMX may go out by, and why one cannot be used."""

from __future__ import annotations

import grp
import os
from collections.abc import Iterable
from dataclasses import dataclass
from pathlib import Path

BY_ID = Path("/dev/serial/by-id")
MORE = "ISTHMUS_DMX_PORTS"  # devices the system does not list, with colons between them


@dataclass(frozen=True)
class SerialPort:
    """`device` is a name that stays the same when it is plugged in elsewhere, where there is one;
    `words` say what it is; `trouble` why it cannot be opened, "" when it can.
    """

    device: str
    words: str
    trouble: str = ""


def serial_ports() -> list[SerialPort]:
    """Every serial port that is an adapter: built-in ones without hardware behind them are left
    out.
    """
    from serial.tools import list_ports

    lasting = {os.path.realpath(link): str(link) for link in _links()}
    found = [
        SerialPort(lasting.get(p.device, p.device), _named(p), trouble_of(p.device))
        for p in list_ports.comports()
        if p.vid is not None or p.device in lasting
    ]
    more = [d for d in os.environ.get(MORE, "").split(":") if d]
    found += [SerialPort(d, "named by this computer's settings", trouble_of(d)) for d in more]
    return sorted(found, key=lambda port: port.device)


def _links() -> Iterable[Path]:
    try:
        return list(BY_ID.iterdir())
    except OSError:
        return []


def _named(port) -> str:
    """`Maker, product, serial number`, as far as the adapter says."""
    parts = (port.manufacturer, port.product, port.serial_number)
    return ", ".join(str(part) for part in parts if part) or str(port.description or "serial port")


def trouble_of(device: str) -> str:
    """Why a port cannot be opened by this person, with what to do; "" when it can, or is not
    there.
    """
    try:
        about = Path(device).stat()
    except OSError:
        return ""
    if os.access(device, os.R_OK | os.W_OK):
        return ""
    try:
        group = grp.getgrgid(about.st_gid).gr_name
    except KeyError:
        group = str(about.st_gid)
    return (
        f"not allowed: join the group {group} (sudo usermod -aG {group} $USER), then log in again"
    )


def said(state: str, device: str) -> str:
    """What a state of the engine's port means, with what to do."""
    if state == "denied":
        return trouble_of(device) or "not allowed"
    return {
        "off": "ready",
        "sending": "sending",
        "gone": "not there: plug it in, and sending goes on",
        "taken": "in use by another program: end that one, and sending goes on",
        "stuck": "does not take what is sent: unplug the adapter and plug it in again",
        "unfit": "does not keep the speed of DMX: it is another kind of port",
    }.get(state, state)
