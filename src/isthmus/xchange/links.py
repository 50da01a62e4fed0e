"""What carries packets between stations: TCP by one adapter; tests put another in its place."""

from __future__ import annotations

import asyncio
from collections.abc import Awaitable, Callable
from typing import Protocol

from isthmus.errors import NetworkFault, os_reason

PATIENCE = 5.0  # seconds until a station has to be there
Where = tuple[str, int]  # host and port


class Out(Protocol):
    """What of asyncio's StreamWriter is used."""

    def write(self, data: bytes) -> None: ...
    async def drain(self) -> None: ...
    def close(self) -> None: ...


Called = Callable[[asyncio.StreamReader, Out, str], Awaitable[None]]


class Links(Protocol):
    async def listen(self, called: Called) -> Where:
        """Take calls of others; where they reach us. Raises NetworkFault."""
        ...

    async def call(self, where: Where) -> tuple[asyncio.StreamReader, Out]:
        """Raises NetworkFault."""
        ...

    async def close(self) -> None: ...


class TcpLinks:
    """By the adapter that has `ip`, in and out. Port 0: any that is free."""

    def __init__(self, ip: str, port: int = 0) -> None:
        self.ip, self.port = ip, port
        self._server: asyncio.Server | None = None

    async def listen(self, called: Called) -> Where:
        async def take(reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
            peer = writer.get_extra_info("peername") or ("?", 0)
            await called(reader, writer, str(peer[0]))

        try:
            self._server = await asyncio.start_server(take, self.ip, self.port, backlog=16)
        except OSError as error:
            raise NetworkFault(
                f"stations cannot be heard. {os_reason(error)}",
                where=f"{self.ip}:{self.port}",
                do="Choose another adapter.",
            ) from error
        port = self._server.sockets[0].getsockname()[1]
        return self.ip, port

    async def call(self, where: Where) -> tuple[asyncio.StreamReader, Out]:
        asked = asyncio.open_connection(*where, local_addr=(self.ip, 0))
        try:
            return await asyncio.wait_for(asked, PATIENCE)
        except (OSError, TimeoutError) as error:
            why = os_reason(error) if isinstance(error, OSError) else "Nothing answers."
            raise NetworkFault(
                f"the station is not reached. {why}", where=f"{where[0]}:{where[1]}"
            ) from error

    async def close(self) -> None:
        if self._server is not None:
            self._server.close()
            self._server = None
