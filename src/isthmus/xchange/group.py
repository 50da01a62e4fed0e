"""A station at work in a group: it takes the calls of others, and calls them."""

from __future__ import annotations

import asyncio
from collections import Counter
from collections.abc import Coroutine
from typing import Any

from isthmus.errors import NetworkFault
from isthmus.xchange import messages as m
from isthmus.xchange.line import Line, Step, none
from isthmus.xchange.links import Links, Out, Where
from isthmus.xchange.station import Other, Station
from isthmus.xchange.web import WebLink

MAX_CALLS, MAX_CALLS_EACH = 64, 8  # at once; of one address


class Group:
    def __init__(self, station: Station, links: Links) -> None:
        self.station, self.links = station, links
        self.where: Where = ("", 0)
        self.web: WebLink | None = None
        self._calls: Counter[str] = Counter()
        self.lines: dict[str, Line] = {}  # stations that stay connected
        self._tasks: set[asyncio.Task[None]] = set()

    # ------------------------------------------------------------ in and out of it

    async def begin(self) -> None:
        """Raises NetworkFault where calls cannot be taken."""
        self.where = await self.links.listen(self._called)

    async def end(self) -> None:
        """Say good-bye to all who can be called; those that do not answer are not waited for."""
        said: list[Coroutine[Any, Any, object]] = [
            self._try(one, m.Leave(self.station.me.uuid)) for one in self._reached()
        ]
        if self.web is not None:
            said.append(self.web.end())
        await asyncio.gather(*said)
        for task in self._tasks:
            task.cancel()
        for line in list(self.lines.values()):
            line.close()
        await self.links.close()

    async def join(self, where: Where, stay: bool = False) -> Other:
        """Join a station; stay connected where it may have no other way to reach us. Raises
        NetworkFault.
        """
        line = await self._call(where)
        try:
            answer = await line.ask(self.station.join())
            other = self._let_in(answer, where)
        except BaseException:
            line.close()
            raise
        if stay:
            self._soon(self._hold(line, other.uuid))
        else:
            line.close()
        return other

    def _let_in(self, answer: m.Message | bytes | None, where: Where) -> Other:
        join, well, words = None, False, ""
        if isinstance(answer, m.Answer):
            join, well, words = answer.join, answer.well, answer.words
        if join is None or not well:
            raise NetworkFault(f"the station does not let us join. {words}".strip(), where=where[0])
        if not self.station.know(join, where[0], where):
            raise NetworkFault("that is this station itself.", where=f"{where[0]}:{where[1]}")
        return self.station.others[join.station]

    async def join_web(self, url: str) -> None:
        """Join the group of a host by its WebSocket. Raises NetworkFault."""
        if self.web is not None:
            await self.web.end()
        self.web = WebLink(url, self.station)
        await self.web.begin()

    def found(self, key: str, name: str, where: Where) -> None:
        """A station was found on the network: join it, if that is not done yet."""
        if self.station.found(key, name, where):
            self._soon(self._join_found(where))

    async def _join_found(self, where: Where) -> None:
        try:
            await self.join(where)
        except NetworkFault as error:
            self.station.told(str(error))

    # ------------------------------------------------------------ files

    async def offer(
        self, data: bytes, name: str, comment: str = "", wanted: tuple[str, ...] = ()
    ) -> tuple[m.Commit, list[str]]:
        """Offer a file to all, or to some; with the names of those who could not be told. Raises
        EntryFault.
        """
        made = self.station.offer(data, name, comment, wanted)
        told = await self.tell(made, wanted)
        return made, told

    async def tell(self, message: m.Message, wanted: tuple[str, ...] = ()) -> list[str]:
        """A message to all, or to some; the names of those who did not take it."""
        asked = [one for one in self._reached() if not wanted or one.uuid in wanted]
        well = await asyncio.gather(*(self._try(one, message) for one in asked))
        if self.web is not None:
            await self.web.send(message)
        return [one.name for one, done in zip(asked, well, strict=True) if not done]

    async def get(self, commit: m.Commit, step: Step = none) -> bytes:
        """The bytes of a file that was offered. Raises NetworkFault."""
        other = self.station.others.get(commit.station)
        request = m.Request(commit.file, (commit.station,))
        if other is not None and other.where is not None:
            got = await self._ask(other.where, request, step)
        elif other is not None and other.uuid in self.lines:
            got = await self.lines[other.uuid].request(request, step)
        elif self.web is not None:
            got = await self.web.ask(request)
        else:
            raise NetworkFault("the station cannot be called: it has not said where it listens.")
        name = other.name if other else "the station"
        if not isinstance(got, bytes):
            words = got.words if isinstance(got, m.Answer) else ""
            raise NetworkFault(f"{name} does not give the file. {words}".strip())
        if commit.size and len(got) != commit.size:
            raise NetworkFault(f"{name} gave {len(got)} bytes, and had offered {commit.size}.")
        return got

    # ------------------------------------------------------------ calling

    def _reached(self) -> list[Other]:
        others = self.station.others.values()
        return [one for one in others if one.where is not None or one.uuid in self.lines]

    async def _try(self, other: Other, message: m.Message) -> bool:
        try:
            if other.where is not None:
                answer = await self._ask(other.where, message)
                return not isinstance(answer, m.Answer) or answer.well
            await self.lines[other.uuid].say(message)
        except (NetworkFault, OSError, KeyError):
            return False
        return True

    async def _call(self, where: Where) -> Line:
        return Line(*await self.links.call(where), where[0])

    async def _ask(self, where: Where, message: m.Message, step: Step = none) -> m.Message | bytes:
        line = await self._call(where)
        try:
            return await line.ask(message, step)
        finally:
            line.close()

    # ------------------------------------------------------------ being called

    async def _called(self, reader: asyncio.StreamReader, out: Out, source: str) -> None:
        if self._calls[source] >= MAX_CALLS_EACH or self._calls.total() >= MAX_CALLS:
            out.close()
            return
        self._calls[source] += 1
        try:
            await self._hold(Line(reader, out, source), "")
        finally:
            self._calls[source] -= 1

    async def _hold(self, line: Line, key: str) -> None:
        """Answer what comes over a connection until it ends; `key`: whose it is, if known."""
        if key:
            self.lines[key] = line
        try:
            async for message in line.messages():
                reply = self.station.hear(message, line.source)
                if isinstance(message, m.Join) and message.station in self.station.others:
                    self.lines[message.station] = line
                if isinstance(reply, bytes):
                    await line.give(reply)
                elif reply is not None:
                    await line.say(reply)
        except (NetworkFault, OSError):
            pass  # of another's making: the connection ends, and nothing else
        finally:
            self.lines = {key: held for key, held in self.lines.items() if held is not line}
            line.close()

    def _soon(self, work: Coroutine[Any, Any, None]) -> None:
        task = asyncio.get_running_loop().create_task(work)
        self._tasks.add(task)
        task.add_done_callback(self._tasks.discard)
