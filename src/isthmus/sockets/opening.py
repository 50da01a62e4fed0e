"""Opening sockets for one adapter. Nothing is bound to 0.0.0.0 for Art-Net, so that stand-ins of
this computer keep their addresses.
"""

from __future__ import annotations

import contextlib
import errno
import os
import socket
import struct
from dataclasses import dataclass, field
from pathlib import Path

from isthmus.errors import NetworkFault, os_reason

ARTNET_PORT, SACN_PORT = 6454, 5568
EVERYBODY = "255.255.255.255"
MEMBERSHIPS = 20  # groups a socket may join: net.ipv4.igmp_max_memberships as Linux ships it
SO_RCVBUFFORCE, IP_MULTICAST_ALL = 33, 49


@dataclass
class Opened:
    """Sockets of one adapter that receive, with what could not be had, in sentences."""

    sockets: list[socket.socket] = field(default_factory=list)
    trouble: list[str] = field(default_factory=list)

    def close(self) -> None:
        for sock in self.sockets:
            sock.close()
        self.sockets.clear()


def plain(reuse: bool = False) -> socket.socket:
    sock = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)
    sock.setsockopt(socket.SOL_SOCKET, socket.SO_BROADCAST, 1)
    if reuse:
        sock.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
    for option in (
        SO_RCVBUFFORCE,
        socket.SO_RCVBUF,
    ):  # the first needs privileges and may go past the machine's limit
        try:
            sock.setsockopt(socket.SOL_SOCKET, option, 8 << 20)
            break
        except OSError:
            continue
    with contextlib.suppress(OSError):
        sock.setsockopt(socket.SOL_SOCKET, socket.SO_SNDBUF, 4 << 20)
    sock.setblocking(False)
    return sock


def open_sender(address: str, port: int = 0) -> tuple[socket.socket, str]:
    """A socket that sends from an address, from `port` where that is free; and why it is not, if
    so.

    Raises NetworkFault when this computer does not have the address.
    """
    sock = plain()
    with contextlib.suppress(OSError):
        sock.setsockopt(socket.IPPROTO_IP, socket.IP_MULTICAST_IF, socket.inet_aton(address))
        sock.setsockopt(socket.IPPROTO_IP, socket.IP_MULTICAST_TTL, 8)
    trouble = ""
    try:
        sock.bind((address, port))
    except OSError as error:
        trouble = f"Port {port} of {address} is taken{who_has(address, port)}."
        try:
            sock.bind((address, 0))
        except OSError:
            sock.close()
            raise NetworkFault(
                f"nothing can be sent from it. {os_reason(error)}",
                where=address,
                do="Choose another adapter.",
            ) from error
    return sock, trouble


def open_receivers(address: str, broadcast: str, port: int, unicast: bool = False) -> Opened:
    """What comes in by broadcast to an adapter; its unicast comes to the socket that sends, or here
    if nothing is sent by it.
    """
    made = Opened()
    for to in dict.fromkeys((broadcast, EVERYBODY, address if unicast else "")):
        if not to:
            continue
        sock = plain(reuse=True)
        try:
            sock.bind((to, port))
            made.sockets.append(sock)
        except OSError as error:
            sock.close()
            made.trouble.append(f"Broadcasts to {to} cannot be heard. {os_reason(error)}")
    return made


def join(address: str, groups: list[str]) -> Opened:
    """Sockets that have joined multicast groups by one adapter, as many as it takes; the first also
    hears unicast.
    """
    made = Opened()
    for at in range(0, max(1, len(groups)), MEMBERSHIPS):
        sock = plain(reuse=True)
        try:
            sock.setsockopt(socket.IPPROTO_IP, IP_MULTICAST_ALL, 0)
            sock.bind(("0.0.0.0", SACN_PORT))
            for group in groups[at : at + MEMBERSHIPS]:
                sock.setsockopt(
                    socket.IPPROTO_IP,
                    socket.IP_ADD_MEMBERSHIP,
                    struct.pack("4s4s", *map(socket.inet_aton, (group, address))),
                )
            made.sockets.append(sock)
        except OSError as error:
            sock.close()
            why = os_reason(error)
            if error.errno == errno.EADDRINUSE:
                why = f"Its port {SACN_PORT} is taken{who_has('0.0.0.0', SACN_PORT)}."
            made.trouble.append(f"sACN cannot be heard at {address}. {why}")
            break
    return made


def who_has(address: str, port: int) -> str:
    """` by NAME (process N)` of the program that has a UDP port, as far as this user may see it."""
    import psutil  # a tenth of a second, and only wanted when something is wrong

    with contextlib.suppress(psutil.Error, OSError):
        for connection in psutil.net_connections("udp4"):
            local = connection.laddr
            if (
                local
                and local.port == port
                and local.ip in (address, "0.0.0.0")
                and connection.pid not in (None, os.getpid())
            ):
                with contextlib.suppress(OSError):
                    name = Path(f"/proc/{connection.pid}/comm").read_text().strip()
                    return f" by {name} (process {connection.pid})"
    return ""
