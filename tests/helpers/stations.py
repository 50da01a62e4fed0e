"""A simulated station in a thread, and stations that reach each other without any network."""

from __future__ import annotations

import asyncio
import contextlib
import threading
from collections.abc import Iterator

from isthmus.net import read_adapters
from isthmus.net.adapters import Adapter
from isthmus.standin.station import StandInStation
from isthmus.xchange import Me
from isthmus.xchange.links import Called, Where


def loopback() -> Adapter:
    return next(one for one in read_adapters() if one.ip == "127.0.0.1")


@contextlib.contextmanager
def running_station(
    data: bytes, comment: str, name: str = "Quay desk", web: bool = False
) -> Iterator[tuple[str, list[str]]]:
    """Where it listens, and what it says. It offers `data` and fetches what others offer."""
    told: list[str] = []
    loop = asyncio.new_event_loop()
    thread = threading.Thread(target=loop.run_forever)
    thread.start()

    def do(work):
        return asyncio.run_coroutine_threadsafe(work, loop).result(20)

    made = StandInStation(
        Me(f"uuid of {name}", name), loopback(), "Default", web=web, told=told.append
    )
    where = do(made.begin())
    do(made.offer(data, "rig.mvr", comment))
    fetching = asyncio.run_coroutine_threadsafe(made.fetch_all(), loop)
    yield where, told
    fetching.cancel()
    do(made.end())
    loop.call_soon_threadsafe(loop.stop)
    thread.join()
    loop.close()


class _End:
    def __init__(self, to: asyncio.StreamReader) -> None:
        self.to = to

    def write(self, data: bytes) -> None:
        self.to.feed_data(data)

    async def drain(self) -> None:
        await asyncio.sleep(0)

    def close(self) -> None:
        self.to.feed_eof()


class Pond:
    """Where stations listen, by address; a call is a pair of streams in memory."""

    def __init__(self) -> None:
        self.at: dict[Where, Called] = {}
        self.tasks: set[asyncio.Task[None]] = set()

    def links(self, host: str) -> PondLinks:
        return PondLinks(self, host)


class PondLinks:
    def __init__(self, pond: Pond, host: str) -> None:
        self.pond, self.where = pond, (host, 1)

    async def listen(self, called: Called) -> Where:
        self.pond.at[self.where] = called
        return self.where

    async def call(self, where: Where) -> tuple[asyncio.StreamReader, _End]:
        there, here = asyncio.StreamReader(), asyncio.StreamReader()
        work = self.pond.at[where](there, _End(here), self.where[0])
        task = asyncio.get_running_loop().create_task(work)
        self.pond.tasks.add(task)
        task.add_done_callback(self.pond.tasks.discard)
        return here, _End(there)

    async def close(self) -> None:
        self.pond.at.pop(self.where, None)
