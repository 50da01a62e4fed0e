"""How many may knock at once: connections are counted, and one that sends no whole request is
closed.

Without it a thousand half-sent requests take every file descriptor of the application, and saving
stops.
"""

from __future__ import annotations

import asyncio
from collections import Counter
from typing import Any

from aiohttp import web

MOST = 96  # connections at once
MOST_FROM_ONE = 24  # from one address: a phone has a socket and a few requests
PATIENCE = 10.0  # seconds for a first whole request


class _FrontDoor(asyncio.Protocol):
    """Lets a connection in to the server's own protocol, or closes it."""

    def __init__(self, bounds: Bounds) -> None:
        self._bounds = bounds

    def connection_made(self, transport: Any) -> None:
        self._bounds.let_in(transport)


class Bounds:
    """Makes protocols for `loop.create_server`, as many as are allowed."""

    def __init__(self) -> None:
        self._server: Any = None
        self._loop = asyncio.get_running_loop()
        self._waiting: dict[
            int, Any
        ] = {}  # protocols that have not had a whole request yet, by identity

    def guard(self, server: web.Server) -> Bounds:
        """Count the connections of this server."""
        self._server = server
        return self

    def __call__(self) -> asyncio.Protocol:
        return _FrontDoor(self)

    def let_in(self, transport: Any) -> None:
        address = (transport.get_extra_info("peername") or ("?",))[0]
        there = [h.transport for h in self._server.connections if h.transport is not None]
        by_address = Counter((t.get_extra_info("peername") or ("?",))[0] for t in there)
        if len(there) >= MOST or by_address[address] >= MOST_FROM_ONE:
            transport.abort()
            return
        handler = self._server()
        transport.set_protocol(handler)
        handler.connection_made(transport)
        self._waiting[id(handler)] = handler
        self._loop.call_later(PATIENCE, self._look, handler)

    def _look(self, handler: Any) -> None:
        if self._waiting.get(id(handler)) is handler:
            del self._waiting[id(handler)]
            if handler.transport is not None:
                handler.transport.abort()

    def middleware(self) -> Any:
        """Notes whose request came whole: that connection may stay."""

        @web.middleware
        async def note(request: web.Request, handler: Any) -> web.StreamResponse:
            self._waiting.pop(id(request.protocol), None)
            return await handler(request)

        return note
