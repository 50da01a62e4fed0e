"""The client of a profile exchange: browse what was last seen, download with checksum and resume,
share one's own.

Nothing is ever half written: a download lies under another name until its checksum is right.
"""

from __future__ import annotations

import contextlib
import hashlib
import http.client
import ipaddress
import json
import os
import re
import socket
import ssl
from collections.abc import Callable
from pathlib import Path
from typing import Annotated
from urllib.parse import quote, urlsplit

import msgspec

from isthmus.errors import Cancelled, EntryFault, FileFault, NetworkFault, os_reason
from isthmus.library.dialling import Line
from isthmus.library.facts import Facts
from isthmus.library.index import FileSeen, Index, Trust
from isthmus.library.sources import EXCHANGE, data_folder, downloads_folder
from isthmus.profiles.gdtf import read_gdtf
from isthmus.profiles.store import file_name, profiles_of, stored_of
from isthmus.show.decoding import decoded
from isthmus.show.files import read_file, write_atomically
from isthmus.show.records import Show, StoredProfile

USUAL_URL = "http://127.0.0.1:8642"
TIMEOUT = 6.0
MAX_CATALOGUE = 64 * 1024 * 1024
MAX_DOWNLOAD = 64 * 1024 * 1024
_BLOCK = 16 * 1024


class CatalogueEntry(msgspec.Struct, frozen=True, kw_only=True):
    """One profile on offer, in its newest revision."""

    ident: str
    revision: str
    maker: str
    model: str
    uploader: str
    by_maker: bool
    proven_3d: bool
    proven_unit: bool
    rating: Annotated[float, msgspec.Meta(ge=0, le=5)]
    ratings: Annotated[int, msgspec.Meta(ge=0, le=2**31)]
    size: Annotated[int, msgspec.Meta(ge=0, le=2**31)]
    sha256: str
    facts: Facts


class Catalogue(msgspec.Struct, frozen=True):
    format: int
    name: str
    entries: list[CatalogueEntry]


def default_url() -> str:
    """Where the exchange is when no one says: `ISTHMUS_EXCHANGE`, or the stand-in's usual place."""
    return os.environ.get("ISTHMUS_EXCHANGE") or USUAL_URL


class Exchange:
    """An exchange at a URL; `token` is needed for sharing only. Every method raises NetworkFault in
    plain words.
    """

    def __init__(self, url: str = "", token: str = "", timeout: float = TIMEOUT) -> None:
        url = url.strip() or default_url()
        wrong = EntryFault(
            f"“{url}” is not an address of an exchange.", do=f"Write it as {USUAL_URL}."
        )
        try:
            parts = urlsplit(url if "//" in url else f"http://{url}")
            port = parts.port
        except ValueError:
            raise wrong from None
        if parts.scheme not in ("http", "https") or not parts.hostname:
            raise wrong
        self.host, self.port = parts.hostname, port or (443 if parts.scheme == "https" else 80)
        self.secure = parts.scheme == "https"
        self.token, self.timeout = token, timeout
        self.line = Line()

    @property
    def where(self) -> str:
        return f"{self.host}:{self.port}"

    # ------------------------------------------------------------ asking

    def _ask(
        self,
        method: str,
        path: str,
        body: bytes | None = None,
        headers: dict[str, str] | None = None,
    ) -> tuple[http.client.HTTPConnection, http.client.HTTPResponse]:
        connection = http.client.HTTPConnection(self.host, self.port, timeout=self.timeout)
        try:
            connection.sock = self._dialled()
            connection.request(method, path, body, headers or {})
            return connection, connection.getresponse()
        except (OSError, http.client.HTTPException) as error:
            connection.close()
            raise self._away(error) from error

    def _dialled(self) -> socket.socket:
        plain = self.line.dial(self.host, self.port, self.timeout)
        if not self.secure:
            return plain
        try:
            return ssl.create_default_context().wrap_socket(plain, server_hostname=self.host)
        except OSError:
            plain.close()
            raise

    def _check(self) -> None:
        if self.line.given_up:
            raise Cancelled

    def stop(self) -> None:
        """Whoever waits for an answer is released at once; from any thread."""
        self.line.give_up()

    @property
    def in_the_open(self) -> bool:
        """Whether what is sent could be read on its way: not encrypted, and not to this host."""
        with contextlib.suppress(ValueError):
            return not (self.secure or ipaddress.ip_address(self.host).is_loopback)
        return not (self.secure or self.host == "localhost")

    def _away(self, error: Exception) -> NetworkFault:
        self._check()
        if isinstance(error, (TimeoutError, socket.timeout)):
            return NetworkFault(
                f"the exchange did not answer within {self.timeout:.0f} seconds.",
                where=self.where,
                do="What was seen last is shown; try again later.",
            )
        reason = (
            "Nothing answers there."
            if isinstance(error, ConnectionRefusedError)
            else os_reason(error)
            if isinstance(error, OSError)
            else "It broke off."
        )
        return NetworkFault(
            f"the exchange does not answer. {reason}",
            where=self.where,
            do="What was seen last is shown; check its address and the network.",
        )

    def _garbage(self) -> NetworkFault:
        return NetworkFault(
            "what answers there is not an exchange.",
            where=self.where,
            do="Check its address; a wireless network's log-in page may stand in the way.",
        )

    def _read(self, response: http.client.HTTPResponse, limit: int) -> bytes:
        try:
            data = response.read(limit + 1)
        except (OSError, http.client.HTTPException) as error:
            raise self._away(error) from error
        self._check()
        if len(data) > limit:
            raise NetworkFault(
                f"it sends more than {limit // 2**20} MB.", where=self.where, do="Nothing was kept."
            )
        return data

    def refresh(self, index: Index) -> Catalogue:
        """Fetch the catalogue, keep it for browsing offline, and bring it into the index."""
        headers = {}
        kept = read_catalogue()
        if kept is not None and _tag_file().exists():
            headers["If-None-Match"] = _tag_file().read_text("ascii", "replace")[:80]
        connection, response = self._ask("GET", "/catalogue", headers=headers)
        try:
            if response.status == 304 and kept is not None:
                catalogue = kept
            elif response.status != 200:
                raise NetworkFault(
                    f"the exchange answers with error {response.status}.",
                    where=self.where,
                    do="Try again later.",
                )
            else:
                data = self._read(response, MAX_CATALOGUE)
                catalogue = self._decoded(data)
                _catalogue_file().parent.mkdir(parents=True, exist_ok=True)
                write_atomically(_catalogue_file(), data)
                write_atomically(
                    _tag_file(), (response.getheader("ETag") or "").encode("ascii", "replace")
                )
        finally:
            _hung_up(connection, response)
        put_catalogue(index, catalogue)
        return catalogue

    def _decoded(self, data: bytes) -> Catalogue:
        try:
            catalogue = decoded(data, kind=Catalogue)
        except msgspec.MsgspecError as error:
            raise self._garbage() from error
        if catalogue.format != 1:
            raise NetworkFault(
                f"the exchange speaks format {catalogue.format}, this version reads 1.",
                where=self.where,
                do="Update Isthmus.",
            )
        return catalogue

    def download(
        self, entry: CatalogueEntry, told: Callable[[int, int], None] | None = None
    ) -> Path:
        """A profile's file, resumed where an earlier try broke off. `told(done, all)` may raise to
        stop.
        """
        folder = downloads_folder()
        part = (
            folder
            / f"{hashlib.sha256(f'{entry.ident} {entry.revision}'.encode()).hexdigest()[:20]}.part"
        )
        try:
            folder.mkdir(parents=True, exist_ok=True)
            have = part.stat().st_size if part.exists() else 0
        except OSError as error:
            raise FileFault(
                f"the folder for downloads cannot be used. {os_reason(error)}", where=str(folder)
            ) from error
        if entry.size > MAX_DOWNLOAD:
            raise NetworkFault(
                f"“{entry.model}” is larger than {MAX_DOWNLOAD // 2**20} MB.",
                where=self.where,
                do="It was not downloaded.",
            )
        if have >= entry.size:
            part.unlink(missing_ok=True)
            have = 0
        self._fetch(entry, part, have, told)
        data = read_file(part, MAX_DOWNLOAD)
        if hashlib.sha256(data).hexdigest() != entry.sha256:
            part.unlink(missing_ok=True)
            raise NetworkFault(
                f"“{entry.model}” arrived with a wrong checksum.",
                where=self.where,
                do="It was thrown away; download it again, and tell the exchange if it repeats.",
            )
        profile = read_gdtf(data, entry.model)
        part.unlink(missing_ok=True)
        if profile.id != entry.ident:
            raise NetworkFault(
                f"“{entry.model}” is another profile than the one offered.",
                where=self.where,
                do="It was thrown away.",
            )
        short = re.sub(r"[^0-9A-Za-z]", "", profile.id)[
            :8
        ]  # nothing of an id may lead out of the folder
        target = folder / f"{short} {file_name(profile)}".strip()
        write_atomically(target, data)
        return target

    def _fetch(
        self, entry: CatalogueEntry, part: Path, have: int, told: Callable[[int, int], None] | None
    ) -> None:
        path = f"/files/{quote(entry.ident, safe='')}/{quote(entry.revision, safe='')}"
        connection, response = self._ask(
            "GET", path, headers={"Range": f"bytes={have}-"} if have else {}
        )
        try:
            if response.status not in (200, 206):
                raise NetworkFault(
                    f"“{entry.model}” cannot be fetched: error {response.status}.",
                    where=self.where,
                    do="Refresh the catalogue and try again.",
                )
            if have and response.status == 200:
                have = 0  # it cannot resume
            with part.open(
                "ab" if have else "wb", buffering=0
            ) as out:  # what has come is kept at once
                while have < entry.size:
                    block = response.read1(min(_BLOCK, entry.size - have))
                    if not block:
                        break
                    out.write(block)
                    have += len(block)
                    if told is not None:
                        told(have, entry.size)
        except http.client.HTTPException as error:
            raise self._broken_off(entry, have) from error
        except OSError as error:
            if isinstance(error, (TimeoutError, ConnectionError)):
                raise self._broken_off(entry, have) from error
            raise FileFault(
                f"the download cannot be written. {os_reason(error)}",
                where=str(part.parent),
                do="Make room there.",
            ) from error
        finally:
            _hung_up(connection, response)
        self._check()
        if have < entry.size:
            raise self._broken_off(entry, have)

    def _broken_off(self, entry: CatalogueEntry, have: int) -> NetworkFault:
        self._check()
        return NetworkFault(
            f"“{entry.model}” broke off after {have} of {entry.size} bytes.",
            where=self.where,
            do="Download it again; it goes on where it stopped.",
        )

    def share(self, stored: StoredProfile, uploader: str = "", openly: bool = False) -> str:
        """Give a profile of one's own to the exchange; its id there. The token goes over the
        network unencrypted only with `openly`.
        """
        if self.token and self.in_the_open and not openly:
            raise EntryFault(
                "the token could be read on its way, for this address is not https.",
                where=self.where,
                do="Use https, or say that it may be sent so.",
            )
        if not (self.token.isascii() and self.token.isprintable()):
            raise EntryFault("the token holds signs that cannot be sent.", do="Type it again.")
        if not self.token:
            raise EntryFault(
                "sharing needs a token.",
                where=self.where,
                do="Type the token the exchange gave you.",
            )
        headers = {
            "Authorization": f"Bearer {self.token}",
            "Content-Type": "application/octet-stream",
            "X-Uploader": uploader.encode("ascii", "replace").decode(),
        }
        connection, response = self._ask("POST", "/share", stored.data, headers)
        try:
            body = self._read(response, 1 << 16)
        finally:
            _hung_up(connection, response)
        if response.status == 401:
            raise NetworkFault(
                "the exchange refuses the token.",
                where=self.where,
                do="Type the token again, or ask for a new one.",
            )
        if response.status != 201:
            raise NetworkFault(
                f"the exchange does not take {stored.key}: "
                f"{_said(body) or f'error {response.status}'}.",
                where=self.where,
                do="Nothing was shared.",
            )
        try:
            return str(json.loads(body)["id"])
        except (ValueError, KeyError, TypeError, RecursionError) as error:
            raise self._garbage() from error


def _hung_up(connection: http.client.HTTPConnection, response: http.client.HTTPResponse) -> None:
    response.close()  # as well, for a connection does not know of one that ends with it
    connection.close()


def _said(body: bytes) -> str:
    try:
        return str(json.loads(body)["error"]).rstrip(".")[:200]
    except (ValueError, KeyError, TypeError, RecursionError):
        return ""


# ---------------------------------------------------------------- what was last seen


def _catalogue_file() -> Path:
    return data_folder() / "exchange-catalogue.json"


def _tag_file() -> Path:
    return data_folder() / "exchange-catalogue.tag"


def read_catalogue() -> Catalogue | None:
    """The catalogue as it was last seen; None when there is none."""
    try:
        return decoded(read_file(_catalogue_file(), MAX_CATALOGUE), kind=Catalogue)
    except (FileFault, msgspec.MsgspecError):
        return None


def put_catalogue(index: Index, catalogue: Catalogue) -> None:
    """Trust marks for every profile known by id, and an entry for each that was not
    downloaded yet.
    """
    index.set_trust(
        Trust(
            e.ident,
            e.by_maker,
            e.uploader,
            e.proven_3d,
            e.proven_unit,
            e.rating,
            e.ratings,
            e.revision,
        )
        for e in catalogue.entries
    )
    here = {
        ident
        for (ident,) in index.db.execute(
            "SELECT ident FROM profile p JOIN file f ON f.id = p.file WHERE p.source=? AND "
            "f.path NOT LIKE 'exchange:%'",
            (EXCHANGE,),
        )
    }
    index.put(
        EXCHANGE,
        [
            (FileSeen(f"exchange:{e.ident}", e.size, 0), e.facts)
            for e in catalogue.entries
            if e.ident not in here
        ],
    )


def newer_in(show: Show, catalogue: Catalogue) -> list[tuple[StoredProfile, str, CatalogueEntry]]:
    """Profiles of a show with a newer revision on offer: the stored one, its revision, and the
    entry.
    """
    by_id = {entry.ident: entry for entry in catalogue.entries}
    found = []
    kept = {stored.key: stored for stored in show.profiles}
    for key, profile in profiles_of(show).profiles.items():
        entry = by_id.get(profile.id)
        if entry is not None and entry.revision > profile.revision:
            found.append((kept[key], profile.revision, entry))
    return found


def downloaded(path: Path) -> StoredProfile:
    """A downloaded file as it is kept in a show. Raises FileFault."""
    data = read_file(path, MAX_DOWNLOAD)
    return stored_of(read_gdtf(data, path.name), data)
