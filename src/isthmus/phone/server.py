"""The page for phones and its socket: an aiohttp server on a thread of its own, on one chosen
address.
"""

from __future__ import annotations

import asyncio
import io
import json
import threading
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from aiohttp import WSMsgType, web

from isthmus.errors import FileFault, NetworkFault, os_reason
from isthmus.phone.bounded import Bounds
from isthmus.phone.door import Door, Phone
from isthmus.phone.pace import Pace
from isthmus.pictures import small_picture

PAGE = Path(__file__).parent / "page"
PORT = 8462
MAX_BODY = 12 * 2**20
MAX_PICTURE = 1600  # pixels along its longer side
MAX_TEXT = 20_000
FILES = {
    "/": "index.html",
    **{f"/{name}": name for name in ("page.js", "focus.js", "pixels.js", "page.css")},
}
PIXELS = {"picture_test", "wiring_begin", "wiring_mark", "wiring_next", "wiring_fix", "wiring_end"}
DOES = {"mark", "begin", "step", "jump", "act", "focus", "push", *PIXELS}
LOOSE = {"push"}  # for its moment only: neither kept nor acknowledged
SPACING = 0.02  # seconds between two of those of a phone; what comes sooner is dropped
SAFE = {
    "Content-Security-Policy": (
        "default-src 'none'; script-src 'self'; style-src 'self'; connect-src 'self'; img-src "
        "'self' blob:"
    ),
    "X-Content-Type-Options": "nosniff",
    "Referrer-Policy": "no-referrer",
    "X-Frame-Options": "DENY",
    "Cache-Control": "no-store",
}


@dataclass(frozen=True)
class Op:
    """What a phone wants: `id` names it once and for all, `ago` is how many seconds ago it was done
    there.
    """

    phone: str
    token: str
    id: str
    do: str
    data: dict[str, Any]
    ago: float
    picture: bytes = b""


class PhoneServer:
    """`on_op` and `on_news` are called from the server's thread. `acknowledge` says what came of an
    operation.
    """

    def __init__(
        self,
        host: str,
        on_op: Callable[[Op], object],
        on_news: Callable[[], object] = lambda: None,
        port: int = PORT,
    ) -> None:
        self.host, self.port = host, port
        self.door = Door()
        self._on_op, self._on_news = on_op, on_news
        self._loop = asyncio.new_event_loop()
        self._thread = threading.Thread(target=self._run, name="phones", daemon=True)
        self._sockets: dict[str, set[web.WebSocketResponse]] = {}
        self._pushed: dict[str, float] = {}
        self._paces: dict[str, Pace] = {}
        self._state: str = "{}"
        self._ready = threading.Event()
        self._trouble: OSError | None = None
        self._runner: web.AppRunner | None = None
        self._ending: asyncio.Event | None = None

    # ------------------------------------------------------------ from outside

    def start(self) -> None:
        """Raises NetworkFault when the address or port cannot be had."""
        self._thread.start()
        self._ready.wait(10)
        if self._trouble is not None:
            self._thread.join(5)
            what = f"the page for phones cannot be served. {os_reason(self._trouble)}"
            raise NetworkFault(
                what, where=f"{self.host}:{self.port}", do="Choose another adapter or port."
            )

    @property
    def url(self) -> str:
        return f"http://{self.host}:{self.port}/"

    @property
    def join_url(self) -> str:
        """With the code behind the #, which never goes into a log."""
        return f"{self.url}#{self.door.code}"

    def publish(self, state: dict[str, Any]) -> None:
        """What every phone shows from now on."""
        text = json.dumps({"kind": "state", **state})
        if text != self._state:
            self._state = text
            self._soon(self._send_all(text))

    def acknowledge(self, op: Op, well: bool, words: str = "") -> None:
        phone = self.door.phones.get(op.token)
        if phone is not None:
            phone.ids[op.id] = well, words
            phone.marks += well and op.do == "mark"
            told = {
                "kind": "done",
                "id": op.id,
                "well": well,
                "words": words,
                "picture": op.do == "picture",
            }
            self._soon(self._send(op.token, json.dumps(told)))

    def put_out(self, token: str) -> None:
        """A phone may no longer take part."""
        self.door.leave(token)
        self._soon(self._close(token))

    def stop(self) -> None:
        if self._thread.is_alive() and self._ending is not None:
            self._loop.call_soon_threadsafe(self._ending.set)
            self._thread.join(5)

    def _soon(self, work: Any) -> None:
        if self._thread.is_alive() and not self._loop.is_closed():
            asyncio.run_coroutine_threadsafe(work, self._loop)
        else:
            work.close()

    # ------------------------------------------------------------ the thread

    def _run(self) -> None:
        asyncio.set_event_loop(self._loop)
        try:
            self._loop.run_until_complete(self._serve())
        except OSError as error:
            self._trouble = error
        finally:
            self._ready.set()
            self._loop.close()

    async def _serve(self) -> None:
        self._ending = asyncio.Event()
        bounds = Bounds()
        self._decoding = asyncio.Semaphore(1)
        app = web.Application(
            client_max_size=MAX_BODY, middlewares=[bounds.middleware(), self._named()]
        )
        for path in FILES:
            app.router.add_get(path, self._file)
        app.router.add_post("/join", self._join)
        app.router.add_get("/ws", self._socket)
        app.router.add_post("/picture", self._picture)
        self._runner = web.AppRunner(app, access_log=None)
        await self._runner.setup()
        server: asyncio.Server | None = None
        try:
            assert self._runner.server is not None
            server = await self._loop.create_server(
                bounds.guard(self._runner.server), self.host, self.port, backlog=64
            )
            if self.port == 0:
                self.port = server.sockets[0].getsockname()[1]
            self._ready.set()
            await self._ending.wait()
        finally:
            if server is not None:
                server.close()
            for sockets in list(self._sockets.values()):
                for ws in list(sockets):
                    await ws.close(code=4001, message=b"ended")
            await self._runner.cleanup()

    def _named(self) -> Any:
        """Answers only who asked for this address: a page of elsewhere whose name was made to lead
        here is none of ours.
        """

        @web.middleware
        async def named(request: web.Request, handler: Any) -> web.StreamResponse:
            if request.host.partition(":")[0] != self.host:
                words = {"words": f"This is not {request.host[:80]}: open {self.url}"}
                return web.json_response(words, status=421, headers=SAFE)
            return await handler(request)

        return named

    async def _file(self, request: web.Request) -> web.Response:
        name = FILES[request.path]
        kind = {"html": "text/html", "js": "text/javascript", "css": "text/css"}[
            name.rsplit(".", 1)[1]
        ]
        return web.Response(
            body=(PAGE / name).read_bytes(), content_type=kind, charset="utf-8", headers=SAFE
        )

    async def _join(self, request: web.Request) -> web.Response:
        ip = request.remote or "?"
        try:
            asked = json.loads((await request.content.read(2000)).decode())
            code, name = str(asked["code"]), str(asked.get("name", ""))
        except (ValueError, KeyError, TypeError, AttributeError, RecursionError):
            return web.json_response({"words": "That was no code."}, status=400, headers=SAFE)
        phone = self.door.join(code[:40], name[:200], ip)
        self._on_news()
        if phone is None:
            wait = self.door.wait_of(ip)
            words = (
                f"Wrong code. Wait {wait:.0f} s."
                if wait
                else "Wrong code: read the one on the screen now."
            )
            return web.json_response({"words": words, "wait": wait}, status=403, headers=SAFE)
        made = web.json_response({"name": phone.name}, headers=SAFE)
        made.set_cookie("phone", phone.token, httponly=True, samesite="Strict", max_age=24 * 3600)
        return made

    def _phone(self, request: web.Request) -> Phone | None:
        origin = request.headers.get("Origin", "")
        if (
            origin and origin.split("//", 1)[-1] != request.host
        ):  # a page of another unit's in the same browser
            return None
        return self.door.of(request.cookies.get("phone", ""))

    async def _socket(self, request: web.Request) -> web.StreamResponse:
        phone = self._phone(request)
        if phone is None:
            return web.json_response({"words": "Join first."}, status=401, headers=SAFE)
        ws = web.WebSocketResponse(heartbeat=10, max_msg_size=MAX_TEXT)
        await ws.prepare(request)
        mine = self._sockets.setdefault(phone.token, set())
        mine.add(ws)
        phone.on = True
        self._on_news()
        try:
            await ws.send_str(json.dumps({"kind": "hello", "name": phone.name}))
            await ws.send_str(self._state)
            async for message in ws:
                if message.type == WSMsgType.TEXT:
                    await self._said(phone, ws, message.data)
        finally:
            mine.discard(ws)
            phone.on = bool(mine)
            self._on_news()
        return ws

    async def _said(self, phone: Phone, ws: web.WebSocketResponse, text: str) -> None:
        op = read_op(phone, text)
        if op is None:
            await ws.send_str(json.dumps({"kind": "odd"}))
            return
        self.door.of(phone.token)
        if op.do in LOOSE:
            now = self._loop.time()
            if now - self._pushed.get(phone.token, 0.0) >= SPACING or not any(
                op.data.get(way) for way in "xy"
            ):
                self._pushed[phone.token] = now
                self._on_op(op)
            return
        pace = self._paces.setdefault(phone.token, Pace(self._loop.time))
        if wait := pace.wait():
            await asyncio.sleep(wait)  # nothing more of it is read meanwhile
        known = self.door.take(phone, op.id)
        if known is True:
            self._on_op(op)
        elif isinstance(known, tuple):
            await ws.send_str(
                json.dumps({"kind": "done", "id": op.id, "well": known[0], "words": known[1]})
            )

    async def _picture(self, request: web.Request) -> web.Response:
        """A picture for a unit, as JPEG; made small and without anything else the file may hold."""
        phone = self._phone(request)
        if phone is None:
            return web.json_response({"words": "Join first."}, status=401, headers=SAFE)
        unit, id_ = request.query.get("unit", "")[:40], request.query.get("id", "")[:60]
        body = await request.read()
        async with self._decoding:  # one at a time, and beside the marks of others
            data = await asyncio.to_thread(clean_picture, body)
        if not data or not id_:
            return web.json_response({"words": "That is not a picture."}, status=400, headers=SAFE)
        if self.door.take(phone, id_) is True:
            self._on_op(Op(phone.name, phone.token, id_, "picture", {"unit": unit}, 0.0, data))
        return web.json_response({"id": id_}, headers=SAFE)

    # ------------------------------------------------------------ sending

    async def _send(self, token: str, text: str) -> None:
        for ws in list(self._sockets.get(token, ())):
            if not ws.closed:
                try:
                    await ws.send_str(text)
                except (ConnectionError, RuntimeError):
                    continue

    async def _send_all(self, text: str) -> None:
        for token in list(self._sockets):
            await self._send(token, text)

    async def _close(self, token: str) -> None:
        for ws in list(self._sockets.pop(token, ())):
            await ws.close(code=4003, message=b"sent out")


def read_op(phone: Phone, text: str) -> Op | None:
    """What a phone says, or None when it makes no sense."""
    try:
        asked = json.loads(text)
        id_, do, ago = asked["id"], asked["do"], float(asked.get("ago", 0))
        data = {k: v for k, v in asked.items() if k not in ("id", "do", "ago")}
    except (ValueError, KeyError, TypeError, OverflowError, RecursionError):
        return None
    if (
        not isinstance(id_, str)
        or not isinstance(do, str)
        or not 1 <= len(id_) <= 60
        or do not in DOES
        or not 0 <= ago < 7 * 86400
    ):
        return None
    return Op(phone.name, phone.token, id_, do, data, ago)


def clean_picture(data: bytes) -> bytes:
    """As JPEG of at most 1600 pixels a side, turned as it was held, nothing else kept. b"" for what
    is not a picture.
    """
    try:
        made = small_picture(data, MAX_PICTURE, ("JPEG", "PNG", "WEBP")).convert("RGB")
    except FileFault:
        return b""
    out = io.BytesIO()
    made.save(out, "JPEG", quality=82)
    return out.getvalue()
