"""A small profile exchange on loopback: catalogue, revisions, ratings, downloads with checksums,
sharing with a token.

It stands in for an exchange on the internet and can misbehave on purpose (`Fault`), so that the
client is proved against what goes wrong out there.
"""

from __future__ import annotations

import hashlib
import json
import random
import threading
import time
from collections.abc import Iterable
from dataclasses import dataclass, field
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from pathlib import Path
from typing import Literal
from urllib.parse import unquote

import msgspec
from msgspec.structs import replace

from isthmus.errors import IsthmusError, NetworkFault, os_reason
from isthmus.library.exchange import CatalogueEntry
from isthmus.library.facts import facts_of
from isthmus.library.sources import shipped_folders
from isthmus.profiles import records as r
from isthmus.profiles.adapt import set_bands
from isthmus.profiles.channel_table import Band
from isthmus.profiles.gdtf import read_archive, read_members, write_gdtf
from isthmus.profiles.make.plausible import plausible_profiles

Fault = Literal["", "slow", "wrong checksum", "garbage", "cut short", "server error"]
MAX_UPLOAD = 16 * 1024 * 1024
TOKEN = "made-up-token"


@dataclass
class Wares:
    """What the exchange holds: catalogue entries by id, files by id and revision."""

    entries: dict[str, CatalogueEntry] = field(default_factory=dict)
    files: dict[tuple[str, str], bytes] = field(default_factory=dict)

    def put(
        self,
        data: bytes,
        uploader: str,
        by_maker: bool,
        proven_3d: bool,
        proven_unit: bool,
        rating: float,
        ratings: int,
    ) -> CatalogueEntry:
        """Take a file in; a known id becomes a newer revision. Raises FileFault for what cannot be
        read.
        """
        read = read_archive(data, "upload")
        profile = read.profile
        entry = CatalogueEntry(
            ident=profile.id,
            revision=profile.revision,
            maker=profile.maker,
            model=profile.name,
            uploader=uploader,
            by_maker=by_maker,
            proven_3d=proven_3d,
            proven_unit=proven_unit,
            rating=rating,
            ratings=ratings,
            size=len(data),
            sha256=hashlib.sha256(data).hexdigest(),
            facts=facts_of(read),
        )
        self.entries[profile.id] = entry
        self.files[profile.id, profile.revision] = data
        return entry


def usual_wares() -> Wares:
    """The stand-in's wares: two dozen made-up profiles, and a newer revision of one that is
    shipped.
    """
    wares = Wares()
    rng = random.Random(11)
    for profile in plausible_profiles(24, 1906):
        dated = replace(
            profile,
            revisions=(
                r.Revision(
                    text="First published",
                    date=f"2026-{rng.randint(1, 9):02}-{rng.randint(1, 28):02}T09:00:00",
                ),
            ),
        )
        maker = rng.random() < 0.4
        uploader = (
            profile.maker
            if maker
            else rng.choice(("ada-weir", "lock-and-key", "third-electrics", "m-sandre"))
        )
        wares.put(
            write_gdtf(dated),
            uploader,
            maker,
            rng.random() < 0.6,
            rng.random() < 0.4,
            round(rng.uniform(2.2, 5.0), 1),
            rng.randint(1, 60),
        )
    newer = _newer_shipped()
    if newer is not None:
        wares.put(newer, "Halyard Optics", True, True, True, 4.8, 31)
    return wares


def _newer_shipped() -> bytes | None:
    """The Lapwing with another shutter: its maker found the strobe begins at 32."""
    path = next(
        (path for folder in shipped_folders() for path in folder.glob("*Lapwing 19.gdtf")), None
    )
    if path is None:
        return None
    data = path.read_bytes()
    profile = read_archive(data, path.name).profile
    bands = (
        Band(0, 31, "Closed", "Shutter1", 0, 0),
        Band(32, 223, "Strobe, slow to fast", "Shutter1Strobe", 0.5, 20),
        Band(224, 255, "Open", "Shutter1", 1, 1),
    )
    for mode in profile.modes:
        index = next(
            i
            for i, channel in enumerate(mode.channels)
            if channel.logical[0].attribute == "Shutter1"
        )
        profile = set_bands(profile, mode.name, index, bands)
    note = r.Revision(text="Strobe begins at 32, measured on ten units", date="2026-10-05T08:30:00")
    return write_gdtf(
        replace(profile, revisions=(*profile.revisions, note)), read_members(data, path.name)
    )


class _Server(ThreadingHTTPServer):
    def handle_error(self, request: object, client_address: object) -> None:
        """A client that hangs up in the middle is not a fault of the server."""


class ExchangeServer:
    """Serves its wares until it is closed; `fault` may be set at any time."""

    def __init__(
        self, wares: Wares | None = None, port: int = 0, host: str = "127.0.0.1", token: str = TOKEN
    ) -> None:
        self.wares = wares or usual_wares()
        self.token = token
        self.fault: Fault = ""
        self.delay = 0.0
        outer = self

        class Handler(_Handler):
            server_of = outer

        try:
            self._http = _Server((host, port), Handler)
        except OSError as error:
            raise NetworkFault(
                f"the stand-in exchange cannot listen. {os_reason(error)}",
                where=f"{host}:{port}",
                do="Choose another port.",
            ) from error
        self._http.daemon_threads = True
        self._thread = threading.Thread(
            target=self._http.serve_forever,
            kwargs={"poll_interval": 0.1},
            daemon=True,
            name="exchange",
        )

    @property
    def url(self) -> str:
        host, port = self._http.server_address[:2]
        return f"http://{host!s}:{port}"

    def start(self) -> ExchangeServer:
        self._thread.start()
        return self

    def close(self) -> None:
        if self._thread.is_alive():
            self._http.shutdown()
            self._thread.join(5)
        self._http.server_close()

    def catalogue(self) -> bytes:
        entries: Iterable[CatalogueEntry] = self.wares.entries.values()
        return msgspec.json.encode(
            {"format": 1, "name": "Made-up exchange", "entries": list(entries)}
        )


class _Handler(BaseHTTPRequestHandler):
    server_of: ExchangeServer
    protocol_version = "HTTP/1.1"
    timeout = 20

    def log_message(self, format: str, *args: object) -> None:  # noqa: A002
        """Nothing: the stand-in is quiet."""

    def answer(
        self, code: int, body: bytes, kind: str = "application/json", **headers: str
    ) -> None:
        self.send_response(code)
        for name, value in {
            "Content-Type": kind,
            "Content-Length": str(len(body)),
            **headers,
        }.items():
            self.send_header(name.replace("_", "-"), value)
        self.end_headers()
        self.wfile.write(body)

    def do_GET(self) -> None:
        server = self.server_of
        time.sleep(server.delay)
        if server.fault == "server error":
            self.answer(500, b'{"error": "it is being fixed"}')
        elif server.fault == "garbage":
            self.answer(200, b"<html>Please log in to the harbour wireless</html>", "text/html")
        elif self.path == "/catalogue":
            self.get_catalogue()
        elif self.path.startswith("/files/"):
            self.get_file()
        else:
            self.answer(404, b'{"error": "there is no such page"}')

    def get_catalogue(self) -> None:
        body = self.server_of.catalogue()
        tag = hashlib.sha256(body).hexdigest()[:16]
        if self.headers.get("If-None-Match") == tag:
            self.answer(304, b"", ETag=tag)
        else:
            self.answer(200, body, ETag=tag)

    def get_file(self) -> None:
        server = self.server_of
        _, _, ident, revision = (unquote(part) for part in self.path.split("/", 3))
        data = server.wares.files.get((ident, revision))
        if data is None:
            self.answer(404, b'{"error": "there is no such file"}')
            return
        if server.fault == "wrong checksum":
            data = data[:-1] + bytes([data[-1] ^ 1])
        start = 0
        wanted = self.headers.get("Range", "")
        if wanted.startswith("bytes=") and wanted[6:].rstrip("-").isdigit():
            start = min(int(wanted[6:].rstrip("-")), len(data))
        body = data[start:]
        self.send_response(206 if start else 200)
        self.send_header("Content-Type", "application/octet-stream")
        self.send_header("Content-Length", str(len(body)))
        if start:
            self.send_header("Content-Range", f"bytes {start}-{len(data) - 1}/{len(data)}")
        self.end_headers()
        if server.fault == "cut short":
            self.wfile.write(body[: max(1, len(body) // 2)])
            self.close_connection = True
            return
        for at in range(0, len(body), 4096):
            self.wfile.write(body[at : at + 4096])
            if server.fault == "slow":
                time.sleep(0.4)

    def do_POST(self) -> None:
        server = self.server_of
        size = self.headers.get("Content-Length", "")
        if self.path != "/share" or not size.isdigit() or int(size) > MAX_UPLOAD:
            self.answer(400, b'{"error": "that cannot be shared"}')
            self.close_connection = True
            return
        data = self.rfile.read(int(size))
        if self.headers.get("Authorization") != f"Bearer {server.token}":
            self.answer(401, b'{"error": "the token is not known"}')
            return
        try:
            entry = server.wares.put(
                data, self.headers.get("X-Uploader", "a person")[:60], False, False, False, 0.0, 0
            )
        except IsthmusError as error:
            self.answer(422, json.dumps({"error": error.what}).encode())
            return
        self.answer(201, json.dumps({"id": entry.ident, "revision": entry.revision}).encode())


def serve_forever(port: int, folder: Path | None = None, token: str = TOKEN) -> ExchangeServer:
    """A running exchange; with a folder, its GDTF files are offered besides the usual wares. Raises
    NetworkFault, FileFault.
    """
    wares = usual_wares()
    for path in sorted(folder.glob("*.gdtf")) if folder else ():
        wares.put(path.read_bytes(), "folder", False, False, False, 0.0, 0)
    return ExchangeServer(wares, port, token=token).start()
