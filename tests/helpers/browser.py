"""A real browser without a window, driven over its debugging socket; and a line between two sockets that can be cut."""

from __future__ import annotations

import asyncio
import contextlib
import json
import shutil
import socket
import subprocess
import threading
import time
from pathlib import Path
from typing import Any

import aiohttp

NAMES = ("chromium", "chromium-browser", "google-chrome")
BROWSER = next((path for name in NAMES if (path := shutil.which(name))), None)

TAKE_PICTURE = """(async () => {
  const canvas = document.createElement("canvas");
  canvas.getContext("2d").fillRect(0, 0, 9, 9);
  const blob = await new Promise(done => canvas.toBlob(done, "image/jpeg")), hand = new DataTransfer();
  hand.items.add(new File([blob], "seen.jpg", {type: "image/jpeg"}));
  const field = document.querySelector("#picture");
  field.files = hand.files;
  field.dispatchEvent(new Event("change"));
})()"""


class Browser:
    """Each page has cookies and storage of its own, as phones have. `page` opens one."""

    def __init__(self, folder: Path) -> None:
        assert BROWSER
        flags = (
            "--headless=new",
            "--no-sandbox",
            "--disable-gpu",
            "--disable-dev-shm-usage",
            "--remote-debugging-port=0",
            "--no-first-run",
        )
        command = [BROWSER, *flags, f"--user-data-dir={folder}", "about:blank"]
        self._process = subprocess.Popen(
            command, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL
        )
        note, end = folder / "DevToolsActivePort", time.monotonic() + 60
        while not note.exists() or len(note.read_text().split()) < 2:
            assert time.monotonic() < end and self._process.poll() is None, (
                "the browser does not start"
            )
            time.sleep(0.05)
        port, path = note.read_text().split()[:2]
        self._loop = asyncio.new_event_loop()
        self._thread = threading.Thread(target=self._loop.run_forever, daemon=True)
        self._thread.start()
        self._number = 0
        self._waiting: dict[int, asyncio.Future] = {}
        self._do(self._connect(f"ws://127.0.0.1:{port}{path}"))

    def _do(self, work: Any, seconds: float = 30.0) -> Any:
        return asyncio.run_coroutine_threadsafe(work, self._loop).result(seconds)

    async def _connect(self, url: str) -> None:
        self._session = aiohttp.ClientSession()
        self._socket = await self._session.ws_connect(url, max_msg_size=0)
        self._reader = asyncio.create_task(self._read())

    async def _leave(self) -> None:
        await self._socket.close()
        self._reader.cancel()
        await self._session.close()
        await asyncio.sleep(0.05)

    async def _read(self) -> None:
        async for message in self._socket:
            told = json.loads(message.data)
            if "id" in told and told["id"] in self._waiting:
                self._waiting.pop(told["id"]).set_result(told)

    async def _ask(self, method: str, session: str, **more: Any) -> dict[str, Any]:
        self._number += 1
        number = self._number
        self._waiting[number] = asyncio.get_running_loop().create_future()
        await self._socket.send_json(
            {
                "id": number,
                "method": method,
                "params": more,
                **({"sessionId": session} if session else {}),
            }
        )
        told = await asyncio.wait_for(self._waiting[number], 25)
        assert "error" not in told, told
        return told["result"]

    def ask(self, method: str, session: str = "", **more: Any) -> dict[str, Any]:
        return self._do(self._ask(method, session, **more))

    def page(self, url: str, size: tuple[int, int] = (390, 844)) -> BrowserPage:
        context = self.ask("Target.createBrowserContext")["browserContextId"]
        target = self.ask("Target.createTarget", url="about:blank", browserContextId=context)[
            "targetId"
        ]
        session = self.ask("Target.attachToTarget", targetId=target, flatten=True)["sessionId"]
        self.ask(
            "Emulation.setDeviceMetricsOverride",
            session,
            width=size[0],
            height=size[1],
            deviceScaleFactor=1,
            mobile=True,
        )
        self.ask("Page.navigate", session, url=url)
        return BrowserPage(self, session)

    def close(self) -> None:
        with contextlib.suppress(Exception):
            self._do(self._leave(), 5)
        self._process.terminate()
        with contextlib.suppress(subprocess.TimeoutExpired):
            self._process.wait(10)
        self._process.kill()
        self._loop.call_soon_threadsafe(self._loop.stop)
        self._thread.join(5)
        self._loop.close()


class BrowserPage:
    def __init__(self, browser: Browser, session: str) -> None:
        self.browser, self.session = browser, session

    def run(self, script: str) -> Any:
        told = self.browser.ask(
            "Runtime.evaluate",
            self.session,
            expression=script,
            returnByValue=True,
            awaitPromise=True,
        )
        assert "exceptionDetails" not in told, told["exceptionDetails"]
        return told["result"].get("value")

    def until(self, script: str, seconds: float = 15.0) -> Any:
        end = time.monotonic() + seconds
        while time.monotonic() < end:
            with contextlib.suppress(AssertionError):  # the page may still be on its way
                if found := self.run(script):
                    return found
            time.sleep(0.04)
        raise AssertionError(f"never: {script}; the page says {self.text('body')[:600]}")

    def text(self, what: str) -> str:
        return self.run(f"document.querySelector({json.dumps(what)}).innerText") or ""

    def click(self, what: str) -> None:
        """A real press at the middle of an element."""
        found = json.dumps(what)
        self.run(f"document.querySelector({found}).scrollIntoView({{block: 'center'}})")
        box = self.run(
            f"(() => {{ const r = document.querySelector({found}).getBoundingClientRect(); return [r.x + r.width / 2, r.y + r.height / 2]; }})()"
        )
        for kind in ("mousePressed", "mouseReleased"):
            self._mouse(kind, *box)

    def hold(self, what: str, right: float, up: float) -> None:
        """Press the middle of an element and draw it so many pixels; it stays held."""
        box = self.run(
            f"(() => {{ const r = document.querySelector({json.dumps(what)}).getBoundingClientRect(); return [r.x + r.width / 2, r.y + r.height / 2]; }})()"
        )
        self._mouse("mousePressed", *box)
        self._mouse("mouseMoved", box[0] + right, box[1] - up)

    def let_go(self) -> None:
        self._mouse("mouseReleased", 0, 0)

    def _mouse(self, kind: str, x: float, y: float) -> None:
        event = {"type": kind, "x": x, "y": y, "button": "left", "clickCount": 1}
        self.browser.ask("Input.dispatchMouseEvent", self.session, buttons=1, **event)

    def type(self, what: str, text: str) -> None:
        self.run(f"document.querySelector({json.dumps(what)}).focus()")
        self.browser.ask("Input.insertText", self.session, text=text)

    def picture(self) -> bytes:
        import base64

        return base64.b64decode(
            self.browser.ask("Page.captureScreenshot", self.session, format="png")["data"]
        )


class Cut:
    """A line from a port of its own to another; `cut` breaks what goes over it and lets nothing new through."""

    def __init__(self, target: tuple[str, int]) -> None:
        self.target, self.whole = target, True
        self.server = socket.create_server(("127.0.0.1", 0))
        self.port = self.server.getsockname()[1]
        self._pairs: list[socket.socket] = []
        threading.Thread(target=self._accept, daemon=True).start()

    def _accept(self) -> None:
        with contextlib.suppress(OSError):
            while True:
                client, _ = self.server.accept()
                if not self.whole:
                    client.close()
                    continue
                far = socket.create_connection(self.target)
                self._pairs += [client, far]
                for a, b in ((client, far), (far, client)):
                    threading.Thread(target=self._pump, args=(a, b), daemon=True).start()

    @staticmethod
    def _pump(a: socket.socket, b: socket.socket) -> None:
        with contextlib.suppress(OSError):
            while data := a.recv(65536):
                b.sendall(data)
        with contextlib.suppress(OSError):
            b.shutdown(socket.SHUT_RDWR)

    def cut(self) -> None:
        self.whole = False
        for end in self._pairs:
            with contextlib.suppress(OSError):
                end.shutdown(socket.SHUT_RDWR)
            end.close()
        self._pairs.clear()

    def join(self) -> None:
        self.whole = True

    def close(self) -> None:
        self.cut()
        self.server.close()
