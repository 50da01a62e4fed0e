"""One connection between two stations: messages both ways, and files that were asked for."""

from __future__ import annotations

import asyncio
import contextlib
from collections.abc import AsyncIterator, Callable

from isthmus.errors import NetworkFault
from isthmus.xchange import messages as m
from isthmus.xchange.links import Out
from isthmus.xchange.packets import FILE, JSON, receive, write_packet
from isthmus.xchange.station import MAX_FILE

IDLE = 600.0  # seconds that a connection of another may be silent
STALL = 60.0  # seconds in which a file has to come over a connection that is held
Step = Callable[[int], None]


def none(done: int) -> None:
    """How far a file has come is not wanted."""


class Line:
    def __init__(self, reader: asyncio.StreamReader, out: Out, source: str) -> None:
        self.source = source
        self._reader, self._out = reader, out
        self._turn = asyncio.Lock()
        self._awaited: asyncio.Future[m.Message | bytes] | None = None
        self._step: Step = none

    async def say(self, message: m.Message) -> None:
        self._out.write(write_packet(JSON, m.write_message(message)))
        await self._out.drain()

    async def give(self, data: bytes) -> None:
        self._out.write(write_packet(FILE, data))
        await self._out.drain()

    def close(self) -> None:
        if self._awaited is not None and not self._awaited.done():
            self._awaited.set_exception(NetworkFault("the station has closed.", where=self.source))
        with contextlib.suppress(OSError):
            self._out.close()

    async def ask(self, message: m.Message, step: Step = none) -> m.Message | bytes:
        """Say something over a connection that is read here alone, and read what comes back. Raises
        NetworkFault.
        """
        try:
            await self.say(message)
            got = await receive(self._reader, lambda: MAX_FILE, step=step)
        except OSError as error:
            raise NetworkFault("the station has closed.", where=self.source) from error
        if got is None:
            raise NetworkFault("the station gives no answer.", where=self.source)
        kind, data = got
        return data if kind == FILE else m.read_message(data)

    async def request(self, message: m.Request, step: Step = none) -> m.Message | bytes:
        """Ask for a file over a connection whose messages are read elsewhere. Raises
        NetworkFault.
        """
        async with self._turn:
            self._awaited = asyncio.get_running_loop().create_future()
            self._step = step
            try:
                await self.say(message)
                return await asyncio.wait_for(self._awaited, STALL)
            except (OSError, TimeoutError) as error:
                raise NetworkFault("the station gives no answer.", where=self.source) from error
            finally:
                self._awaited, self._step = None, none

    async def messages(self) -> AsyncIterator[m.Message]:
        """What the other side says, until it closes. A file goes to who has asked for one; unasked,
        none is taken. Raises NetworkFault.
        """
        while True:
            got = await receive(self._reader, self._most, IDLE, lambda done: self._step(done))
            if got is None:
                return
            kind, data = got
            what = data if kind == FILE else m.read_message(data)
            answers = isinstance(what, m.Answer) and what.to == m.REQUEST
            if (isinstance(what, bytes) or answers) and self._awaited is not None:
                if not self._awaited.done():
                    self._awaited.set_result(what)
            elif not isinstance(what, bytes):
                yield what

    def _most(self) -> int:
        return MAX_FILE if self._awaited is not None else 0
