"""A station of MVR-xchange to try against: another program that has the rig, and changed it."""

from __future__ import annotations

import asyncio
import contextlib
from collections.abc import Callable

from msgspec.structs import replace

from isthmus.errors import NetworkFault
from isthmus.mvr import write_show
from isthmus.net.adapters import Adapter
from isthmus.show.records import Show
from isthmus.xchange import messages as m
from isthmus.xchange.finding import Finder
from isthmus.xchange.group import Group
from isthmus.xchange.links import TcpLinks
from isthmus.xchange.station import Me, Station
from isthmus.xchange.web import WebHost

MOVED = 3  # units that it hung elsewhere
BY = 0.75  # metres


def changed_rig(show: Show) -> bytes:
    """An MVR file of the show with some units hung elsewhere, and the last one gone."""
    units = list(show.units)
    placed = [at for at, unit in enumerate(units) if unit.position is not None][:MOVED]
    for at in placed:
        x, y, z = units[at].position or (0.0, 0.0, 0.0)
        units[at] = replace(units[at], position=(x + BY, y, z))
    return write_show(replace(show, units=tuple(units[:-1])))


class StandInStation:
    """Over TCP by an adapter, found by mDNS where it leads out of this computer; with `web` as the
    host of a group over WebSocket. `told` hears what goes on.
    """

    def __init__(
        self,
        me: Me,
        adapter: Adapter,
        group: str,
        port: int = 0,
        web: bool = False,
        told: Callable[[str], None] = print,
    ) -> None:
        self.me, self.adapter, self.told = me, adapter, told
        self.station = Station(me, told=told)
        self.group = Group(self.station, TcpLinks(adapter.ip, port))
        self.host = WebHost(self.station, adapter.ip, port) if web else None
        self.finder = Finder(adapter, group, self.group.found, self.station.leave)

    async def begin(self) -> str:
        """Where it listens. Raises NetworkFault."""
        if self.host is not None:
            await self.host.begin()
            return self.host.url
        await self.group.begin()
        if not self.adapter.local:
            await self.finder.begin(self.me, self.group.where[1])
        return f"{self.group.where[0]}:{self.group.where[1]}"

    async def offer(self, data: bytes, name: str, comment: str) -> None:
        if self.host is not None:
            await self.host.tell(self.station.offer(data, name, comment))
        else:
            await self.group.offer(data, name, comment)

    async def fetch_all(self) -> None:
        """Fetch what others offer, as a program would that shows it at once."""
        had: set[str] = set()
        while True:
            await asyncio.sleep(0.2)
            for other in list(self.station.others.values()):
                for commit in other.commits:
                    if commit.file not in had:
                        had.add(commit.file)
                        await self._fetch(commit, other.name)

    async def _fetch(self, commit: m.Commit, name: str) -> None:
        with contextlib.suppress(NetworkFault):
            data = await self.group.get(commit)
            self.told(f"Fetched {commit.name} of {name}: {len(data)} bytes")

    async def end(self) -> None:
        await self.finder.end()
        if self.host is not None:
            await self.host.end()
        else:
            await self.group.end()
