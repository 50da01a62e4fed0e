"""The exchange as a program uses it: a station on a thread of its own, by one adapter."""

from __future__ import annotations

import asyncio
import threading
from collections.abc import Callable, Coroutine
from dataclasses import dataclass
from typing import Any, TypeVar

from isthmus.errors import EntryFault
from isthmus.net.adapters import Adapter
from isthmus.xchange import messages as m
from isthmus.xchange.finding import Finder
from isthmus.xchange.group import Group
from isthmus.xchange.links import TcpLinks, Where
from isthmus.xchange.station import Me, Station

T = TypeVar("T")
DEFAULT_GROUP = "Default"
POLL = 0.1


@dataclass(frozen=True)
class Shown:
    """A station as it is now."""

    uuid: str
    name: str
    provider: str
    address: str
    joined: bool
    commits: tuple[m.Commit, ...]


class Exchange:
    """`changed` and `told` are called from the thread of the exchange."""

    def __init__(
        self,
        me: Me,
        adapter: Adapter,
        group: str = DEFAULT_GROUP,
        changed: Callable[[], None] = lambda: None,
        told: Callable[[str], None] = lambda words: None,
        port: int = 0,
    ) -> None:
        self.adapter, self.group_name = adapter, group
        self.station = Station(me, changed, told)
        self.group = Group(self.station, TcpLinks(adapter.ip, port))
        self.finder = Finder(adapter, group, self.group.found, self.station.leave)
        self._loop = asyncio.new_event_loop()
        self._thread = threading.Thread(target=self._run, name="exchange", daemon=True)

    # ------------------------------------------------------------ on and off

    def start(self) -> None:
        """Raises NetworkFault when the adapter cannot be had; nothing runs then."""
        self._thread.start()
        try:
            self.wait(self._begin())
        except BaseException:
            self._end_thread()
            raise

    async def _begin(self) -> None:
        await self.group.begin()
        if not self.adapter.local:  # on this computer stations are called by their address
            await self.finder.begin(self.station.me, self.group.where[1])

    def stop(self) -> None:
        if self._thread.is_alive():
            try:
                self.wait(self._end())
            finally:
                self._end_thread()

    async def _end(self) -> None:
        await self.finder.end()
        await self.group.end()

    def _end_thread(self) -> None:
        self._loop.call_soon_threadsafe(self._loop.stop)
        self._thread.join(5)

    def _run(self) -> None:
        asyncio.set_event_loop(self._loop)
        self._loop.run_forever()
        self._loop.close()

    # ------------------------------------------------------------ what is so

    @property
    def where(self) -> str:
        return f"{self.group.where[0]}:{self.group.where[1]}"

    def others(self) -> list[Shown]:
        """By name. A station that has nothing but its address is among them."""
        made = []
        for one in list(self.station.others.values()):
            address = f"{one.where[0]}:{one.where[1]}" if one.where else one.seen_from
            made.append(Shown(one.uuid, one.name, one.provider, address, one.joined, one.commits))
        return sorted(made, key=lambda one: (one.name, one.uuid))

    # ------------------------------------------------------------ acts

    def join(self, text: str) -> None:
        """A station by `host:port`, or a host by `ws://host:port/`. Raises NetworkFault and
        EntryFault.
        """
        if text.strip().startswith(("ws://", "wss://")):
            self.wait(self.group.join_web(text.strip()))
        else:
            self.wait(self.group.join(read_where(text), stay=True))

    def offer(self, data: bytes, name: str, comment: str) -> list[str]:
        """To all; the names of those who could not be told. Raises EntryFault and NetworkFault."""
        return self.wait(self.group.offer(data, name, comment))[1]

    def move(self, to: str) -> list[str]:
        """Ask all to go to a group by its name, or to a host by its address."""
        host = m.NewHost(url=to) if "://" in to else m.NewHost(group=to)
        return self.wait(self.group.tell(host))

    def get(
        self, commit: m.Commit, step: Callable[[float, str], None] = lambda share, words: None
    ) -> bytes:
        """A file that is offered. `step` is called as it comes and may raise Cancelled. Raises
        NetworkFault.
        """
        done = 0

        def come(size: int) -> None:
            nonlocal done
            done = size

        def tell() -> None:
            share = min(1.0, done / commit.size) if commit.size else 0.0
            step(share, f"{done // 1024} kB")

        return self.wait(self.group.get(commit, come), tell)

    def wait(self, work: Coroutine[Any, Any, T], between: Callable[[], None] = lambda: None) -> T:
        """Run on the thread of the exchange, and wait. What `between` raises ends the work."""
        coming = asyncio.run_coroutine_threadsafe(work, self._loop)
        while True:
            try:
                return coming.result(POLL)
            except TimeoutError:
                if coming.done():
                    raise
            try:
                between()
            except BaseException:
                coming.cancel()
                raise


def read_where(text: str) -> Where:
    """`host:port`. Raises EntryFault."""
    host, _, port = text.strip().rpartition(":")
    if not host or not port.isdecimal() or not 0 < int(port) < 65536:
        raise EntryFault(
            f"“{text.strip()[:60]}” is not the address of a station.",
            do="Type it as 10.0.0.7:47100, or as ws://10.0.0.7:47100/ for a host.",
        )
    return host, int(port)
