"""Stations of a group on the network: said and found by mDNS, by one adapter."""

from __future__ import annotations

import asyncio
import socket
from collections.abc import Callable, Coroutine
from typing import Any

from zeroconf import IPVersion, ServiceStateChange, Zeroconf
from zeroconf.asyncio import AsyncServiceBrowser, AsyncServiceInfo, AsyncZeroconf

from isthmus.errors import NetworkFault, os_reason
from isthmus.net.adapters import Adapter
from isthmus.xchange.links import Where
from isthmus.xchange.messages import group_of
from isthmus.xchange.station import Me

SERVICE = "_mvrxchange._tcp.local."
WAIT_MS = 3000
MAX_SERVICES = 256


class Finder:
    """`found` gets UUID, name, and host with port of each station of the group; `gone` the UUID of
    one that has left. `groups` are all whose stations are there.
    """

    def __init__(
        self,
        adapter: Adapter,
        group: str,
        found: Callable[[str, str, Where], None],
        gone: Callable[[str], None],
    ) -> None:
        self.adapter, self.group = adapter, group
        self.groups: set[str] = set()
        self._found, self._gone = found, gone
        self._known: dict[str, str] = {}  # service → UUID
        self._net: AsyncZeroconf | None = None
        self._browser: AsyncServiceBrowser | None = None
        self._tasks: set[asyncio.Future[None]] = set()

    async def begin(self, me: Me, port: int) -> None:
        """Raises NetworkFault where the adapter takes no multicast."""
        try:
            self._net = AsyncZeroconf(interfaces=[self.adapter.ip], ip_version=IPVersion.V4Only)
            info = AsyncServiceInfo(
                SERVICE,
                f"{part(me.name)}.{part(self.group)}.{SERVICE}",
                port=port,
                addresses=[socket.inet_aton(self.adapter.ip)],
                properties={"StationName": me.name, "StationUUID": me.uuid},
                server=f"{me.uuid}.local.",
            )
            saying = await self._net.async_register_service(info, allow_name_change=True)
            self._keep(asyncio.ensure_future(saying))
        except OSError as error:
            raise NetworkFault(
                f"stations cannot be found there. {os_reason(error)}",
                where=self.adapter.words,
                do="Choose another adapter, or type the address of a station.",
            ) from error
        self._browser = AsyncServiceBrowser(self._net.zeroconf, SERVICE, handlers=[self._changed])

    async def end(self) -> None:
        for task in self._tasks:
            task.cancel()
        if self._browser is not None:
            await self._browser.async_cancel()
        if self._net is not None:
            await self._net.async_unregister_all_services()
            await self._net.async_close()

    def _changed(
        self, zeroconf: Zeroconf, service_type: str, name: str, state_change: ServiceStateChange
    ) -> None:
        if state_change is ServiceStateChange.Removed:
            key = self._known.pop(name, "")
            if key:
                self._gone(key)
        elif name in self._known or len(self._known) < MAX_SERVICES:
            self._soon(self._look(zeroconf, name))

    async def _look(self, zeroconf: Zeroconf, name: str) -> None:
        info = AsyncServiceInfo(SERVICE, name)
        if not await info.async_request(zeroconf, WAIT_MS):
            return
        told = {
            key.decode("utf-8", "replace").lower(): (value or b"").decode("utf-8", "replace")
            for key, value in info.properties.items()
        }
        key = told.get("stationuuid", "")[:120] or name[:120]
        self.groups.add(group_of(name)[:60])
        hosts = info.parsed_addresses(IPVersion.V4Only)
        near = next((host for host in hosts if self.adapter.holds(host)), None)
        if near is None or group_of(name).lower() != part(self.group).lower():
            return  # of another group, or where this adapter does not lead
        self._known[name] = key
        self._found(key, told.get("stationname", "")[:120] or name[:60], (near, info.port or 0))

    def _soon(self, work: Coroutine[Any, Any, None]) -> None:
        self._keep(asyncio.get_running_loop().create_task(work))

    def _keep(self, task: asyncio.Future[None]) -> None:
        self._tasks.add(task)
        task.add_done_callback(self._tasks.discard)


def part(name: str) -> str:
    """As one part of a name of a service: no dots, at most 63 bytes."""
    plain = " ".join(name.replace(".", " ").split()) or "Default"
    while len(plain.encode()) > 63:
        plain = plain[:-1]
    return plain
