"""The adapters of this computer, and which of them each protocol goes out by. Nothing here changes
the system.
"""

from __future__ import annotations

import socket
from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from isthmus.net import ipv4

LOOPBACK = "127.0.0.1"


@dataclass(frozen=True)
class Adapter:
    """One IPv4 address of an adapter. `speed` is in Mbit/s, 0 when it is not told."""

    name: str
    ip: str
    mask: str
    up: bool = True
    speed: int = 0
    mac: str = ""

    @property
    def local(self) -> bool:
        return self.ip.startswith("127.")

    @property
    def broadcast(self) -> str:
        return ipv4.broadcast(self.ip, self.mask)

    @property
    def words(self) -> str:
        return f"{self.name}, {self.ip}"

    def holds(self, address: str) -> bool:
        return ipv4.same(self.ip, self.mask, address)


def read_adapters() -> tuple[Adapter, ...]:
    """What this computer has now: an entry for each IPv4 address, loopback last, without those that
    have none.
    """
    import psutil

    states = psutil.net_if_stats()
    found = []
    for name, addresses in psutil.net_if_addrs().items():
        mac = next((a.address for a in addresses if a.family == psutil.AF_LINK), "")
        state = states.get(name)
        for address in addresses:
            if address.family == socket.AF_INET and address.netmask:
                up, speed = (state.isup, max(0, state.speed)) if state else (False, 0)
                found.append(Adapter(name, address.address, address.netmask, up, speed, mac))
    return tuple(sorted(found, key=lambda a: (a.local, a.name, a.ip)))


@dataclass(frozen=True)
class Choice:
    """The adapter a protocol goes out by, and why; None when there is none."""

    adapter: Adapter | None
    why: str
    asked: str = ""

    @property
    def address(self) -> str:
        return self.adapter.ip if self.adapter else LOOPBACK


def choose(adapters: Sequence[Adapter], wanted: str, hosts: Iterable[str]) -> Choice:
    """The adapter that was asked for (by address or name); else the one whose network holds most of
    the hosts.

    Hosts of this computer itself need none, and an adapter no one asked for is never taken when
    nothing lies in its network: so nothing is sent where no one expects it.
    """
    if wanted:
        for adapter in adapters:
            if wanted in (adapter.ip, adapter.name):
                return Choice(adapter, "chosen by you", wanted)
        return Choice(
            None,
            f"{wanted}, which you chose, is not there: unplugged, or its address has changed",
            wanted,
        )
    away = [h for h in dict.fromkeys(hosts) if not h.startswith("127.")]
    best = max((a for a in adapters if a.up), key=lambda a: sum(map(a.holds, away)), default=None)
    if away and best is not None and any(map(best.holds, away)):
        count = sum(map(best.holds, away))
        return Choice(
            best, f"chosen automatically: its network holds {count} of {len(away)} destinations"
        )
    local = next((a for a in adapters if a.local), None)
    why = (
        "no adapter's network holds a destination"
        if away
        else "every destination is on this computer"
    )
    return Choice(local, f"this computer only: {why}")


def adapter_for(adapters: Sequence[Adapter], host: str) -> Adapter | None:
    """The adapter in whose network a host lies, the narrowest first."""
    holding = [a for a in adapters if a.holds(host)]
    return max(holding, key=lambda a: ipv4.prefix(a.mask), default=None)
