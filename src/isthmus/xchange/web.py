"""MVR-xchange over WebSocket: messages are texts, files are binary. A host passes on what stations
say to each other.
"""

from __future__ import annotations

import asyncio
import contextlib
from dataclasses import replace as with_

import aiohttp
from aiohttp import WSMsgType, web

from isthmus.errors import NetworkFault
from isthmus.xchange import messages as m
from isthmus.xchange.line import STALL
from isthmus.xchange.links import PATIENCE
from isthmus.xchange.station import MAX_FILE, Station


class WebLink:
    """A station joined to a host. All goes over one connection, a request at a time."""

    def __init__(self, url: str, station: Station) -> None:
        self.url, self.station = url, station
        self._session: aiohttp.ClientSession | None = None
        self._ws: aiohttp.ClientWebSocketResponse | None = None
        self._listening: asyncio.Task[None] | None = None
        self._turn = asyncio.Lock()
        self._awaited: asyncio.Future[bytes | m.Message] | None = None

    async def begin(self) -> None:
        """Raises NetworkFault."""
        self._session = aiohttp.ClientSession()
        try:
            asked = self._session.ws_connect(self.url, max_msg_size=MAX_FILE, heartbeat=20)
            self._ws = await asyncio.wait_for(asked, PATIENCE)
        except (aiohttp.ClientError, TimeoutError, ValueError, OSError) as error:
            await self._session.close()
            raise NetworkFault(
                "no host of MVR-xchange answers there.",
                where=self.url,
                do="Type its address as ws://host:port/.",
            ) from error
        self._listening = asyncio.get_running_loop().create_task(self._listen())
        await self.send(self.station.join())

    async def end(self) -> None:
        with contextlib.suppress(NetworkFault):
            await self.send(m.Leave(self.station.me.uuid))
        if self._listening is not None:
            self._listening.cancel()
        if self._ws is not None:
            await self._ws.close()
        if self._session is not None:
            await self._session.close()

    async def send(self, message: m.Message) -> None:
        """Raises NetworkFault."""
        if self._ws is None or self._ws.closed:
            raise NetworkFault("the connection to the host has ended.", where=self.url)
        await self._ws.send_str(m.write_message(message).decode())

    async def ask(self, message: m.Request) -> bytes | m.Message:
        """A file, or why there is none. Raises NetworkFault."""
        async with self._turn:
            self._awaited = asyncio.get_running_loop().create_future()
            try:
                await self.send(message)
                return await asyncio.wait_for(self._awaited, STALL)
            except TimeoutError as error:
                raise NetworkFault("the host gives no answer.", where=self.url) from error
            finally:
                self._awaited = None

    async def _listen(self) -> None:
        assert self._ws is not None
        async for got in self._ws:
            if got.type == WSMsgType.BINARY:
                self._arrived(got.data)
            elif got.type == WSMsgType.TEXT:
                with contextlib.suppress(NetworkFault):
                    await self._said(m.read_message(got.data))
        self._arrived(m.Answer(m.REQUEST, False, "The connection has ended."))
        self.station.told(f"The connection to {self.url} has ended.")

    def _arrived(self, what: bytes | m.Message) -> None:
        if self._awaited is not None and not self._awaited.done():
            self._awaited.set_result(what)

    async def _said(self, message: m.Message) -> None:
        assert self._ws is not None
        if isinstance(message, m.Answer) and message.to == m.REQUEST:
            self._arrived(message)
            return
        reply = self.station.hear(message, self.url)
        if isinstance(reply, bytes):
            await self._ws.send_bytes(reply)
        elif reply is not None:
            await self.send(reply)


class WebHost:
    """Holds a group together: tells all who joins and what is offered, and fetches files from those
    that have them.
    """

    def __init__(self, station: Station, ip: str, port: int = 0) -> None:
        self.station, self.ip, self.port = station, ip, port
        self._runner: web.AppRunner | None = None
        self._joined: dict[str, web.WebSocketResponse] = {}
        self._files: dict[str, asyncio.Future[bytes | None]] = {}  # by who is asked

    async def begin(self) -> None:
        app = web.Application()
        app.router.add_get("/", self._serve)
        self._runner = web.AppRunner(app, access_log=None)
        await self._runner.setup()
        site = web.TCPSite(self._runner, self.ip, self.port)
        await site.start()
        self.port = self._runner.addresses[0][1]

    async def end(self) -> None:
        for ws in list(self._joined.values()):
            await ws.close()
        if self._runner is not None:
            await self._runner.cleanup()

    @property
    def url(self) -> str:
        return f"ws://{self.ip}:{self.port}/"

    async def tell(self, message: m.Message, but: str = "") -> None:
        wanted = message.wanted if isinstance(message, m.Commit) else ()
        for key, ws in list(self._joined.items()):
            if key != but and (not wanted or key in wanted) and not ws.closed:
                await ws.send_str(m.write_message(message).decode())

    async def _serve(self, request: web.Request) -> web.StreamResponse:
        ws = web.WebSocketResponse(max_msg_size=MAX_FILE, heartbeat=20)
        await ws.prepare(request)
        tasks: set[asyncio.Task[None]] = set()
        source, key = request.remote or "?", ""
        async for got in ws:
            if got.type == WSMsgType.BINARY and key in self._files:
                self._files.pop(key).set_result(got.data)
            elif got.type == WSMsgType.TEXT:
                try:
                    message = m.read_message(got.data)
                except NetworkFault:
                    break
                if isinstance(message, m.Join) and len(self._joined) < m.MAX_STATIONS:
                    key = message.station
                    self._joined[key] = ws
                # A file that another has to send may take its time: nobody else waits for it.
                task = asyncio.get_running_loop().create_task(self._said(ws, key, message, source))
                tasks.add(task)
                task.add_done_callback(tasks.discard)
        for task in tasks:
            task.cancel()
        if self._joined.get(key) is ws:
            del self._joined[key]
            self.station.leave(key)
        return ws

    async def _said(
        self, ws: web.WebSocketResponse, key: str, message: m.Message, source: str
    ) -> None:
        if isinstance(message, m.Answer) and message.to == m.REQUEST and key in self._files:
            self._files.pop(key).set_result(None)
            return
        reply = self.station.hear(message, source)
        if isinstance(message, m.Join) and isinstance(reply, m.Answer):
            theirs = [one for other in self.station.others.values() for one in other.commits]
            own = self.station.join()
            reply = with_(reply, join=with_(own, commits=(*own.commits, *theirs)))
        if isinstance(message, m.Request) and not isinstance(reply, bytes):
            reply = await self._fetched(message) or reply
        if isinstance(message, (m.Commit, m.Join)):
            await self.tell(message, key)
        if isinstance(reply, bytes):
            await ws.send_bytes(reply)
        elif reply is not None:
            await ws.send_str(m.write_message(reply).decode())

    async def _fetched(self, request: m.Request) -> bytes | None:
        """A file from the station that offers it; None where it is not there."""
        for other in list(self.station.others.values()):
            ws = self._joined.get(other.uuid)
            has = any(one.file == request.file for one in other.commits)
            if has and ws is not None and other.uuid not in self._files:
                coming = asyncio.get_running_loop().create_future()
                self._files[other.uuid] = coming
                await ws.send_str(m.write_message(request).decode())
                try:
                    return await asyncio.wait_for(coming, STALL)
                except TimeoutError:
                    self._files.pop(other.uuid, None)
        return None
