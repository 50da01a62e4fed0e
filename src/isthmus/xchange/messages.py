"""Messages of MVR-xchange, as records and as the JSON of the standard.

Read tolerantly: members that are missing are empty, those of another type are taken for what they
say, and texts and lists are cut to what anybody needs.
"""

from __future__ import annotations

import json
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from isthmus import __version__
from isthmus.errors import NetworkFault

PROVIDER = f"Isthmus {__version__}"
MAJOR, MINOR = 1, 6
MAX_WORDS, MAX_NAME = 500, 120
MAX_COMMITS, MAX_STATIONS = 100, 64


@dataclass(frozen=True)
class Commit:
    """A file that a station offers. `size` is in bytes; `wanted` are the stations it is for, all
    where none is named.
    """

    file: str
    station: str
    size: int = 0
    comment: str = ""
    name: str = ""
    minor: int = MINOR
    wanted: tuple[str, ...] = ()


@dataclass(frozen=True)
class Join:
    station: str
    name: str
    provider: str = PROVIDER
    commits: tuple[Commit, ...] = ()
    minor: int = MINOR


@dataclass(frozen=True)
class Leave:
    station: str


@dataclass(frozen=True)
class Request:
    """`file` empty: the last one. `stations`: whose, any where none is named."""

    file: str
    stations: tuple[str, ...] = ()


@dataclass(frozen=True)
class NewHost:
    """All go to another group, or to a host by its address."""

    group: str = ""
    url: str = ""


@dataclass(frozen=True)
class Answer:
    """To a message: done or not, and why. To a Join with who answers."""

    to: str
    well: bool = True
    words: str = ""
    join: Join | None = None


Message = Commit | Join | Leave | Request | NewHost | Answer
JOIN, LEAVE, COMMIT = "MVR_JOIN", "MVR_LEAVE", "MVR_COMMIT"
REQUEST, NEW_HOST = "MVR_REQUEST", "MVR_NEW_SESSION_HOST"
_ANSWER = "_RET"


# ---------------------------------------------------------------- writing


def write_message(message: Message) -> bytes:
    return json.dumps(_plain(message), ensure_ascii=False).encode()


def _plain(message: Message) -> dict[str, Any]:
    match message:
        case Commit():
            return {"Type": COMMIT, **_commit(message)}
        case Join():
            return {"Type": JOIN, **_join(message)}
        case Leave(station):
            return {"Type": LEAVE, "FromStationUUID": station}
        case Request(file, stations):
            return {"Type": REQUEST, "FileUUID": file, "FromStationUUID": list(stations)}
        case NewHost(group, url):
            name = f"{group}._mvrxchange._tcp.local." if group else ""
            return {"Type": NEW_HOST, "ServiceName": name, "ServiceURL": url}
        case Answer(to, well, words, join):
            head = {"Type": to + _ANSWER, "OK": "true" if well else "false", "Message": words}
            return head | (_join(join) if join else {})


def _join(join: Join) -> dict[str, Any]:
    return {
        "Provider": join.provider,
        "StationName": join.name,
        "verMajor": MAJOR,
        "verMinor": join.minor,
        "StationUUID": join.station,
        "Commits": [_commit(one) for one in join.commits],
    }


def _commit(one: Commit) -> dict[str, Any]:
    return {
        "verMajor": MAJOR,
        "verMinor": one.minor,
        "FileSize": one.size,
        "FileUUID": one.file,
        "StationUUID": one.station,
        "ForStationsUUID": list(one.wanted),
        "Comment": one.comment,
        "FileName": one.name,
    }


# ---------------------------------------------------------------- reading


def read_message(data: bytes | str) -> Message:
    """Raises NetworkFault for what is not a message of the standard."""
    try:
        raw = json.loads(data)
    except (ValueError, RecursionError) as error:
        raise NetworkFault("a message is not JSON.") from error
    if not isinstance(raw, dict):
        raise NetworkFault("a message is not a JSON object.")
    kind = _words(raw.get("Type"), 60)
    if kind.endswith(_ANSWER):
        join = _read_join(raw) if kind == JOIN + _ANSWER else None
        words = _words(raw.get("Message"), MAX_WORDS)
        return Answer(kind.removesuffix(_ANSWER), _is_true(raw.get("OK", True)), words, join)
    if kind not in _READ:
        raise NetworkFault(f"a message has the unknown type “{kind}”.")
    return _READ[kind](raw)


def _read_join(raw: dict[str, Any]) -> Join:
    station = _words(raw.get("StationUUID"), MAX_NAME)
    commits = raw.get("Commits")
    told = [one for one in commits if isinstance(one, dict)] if isinstance(commits, list) else []
    read = (_read_commit(one, station) for one in told[-MAX_COMMITS:])
    return Join(
        station,
        _words(raw.get("StationName"), MAX_NAME) or "no name",
        _words(raw.get("Provider"), MAX_NAME),
        tuple(one for one in read if one.file),
        _whole(raw.get("verMinor")),
    )


def _read_commit(raw: dict[str, Any], station: str = "") -> Commit:
    return Commit(
        _words(raw.get("FileUUID"), MAX_NAME),
        _words(raw.get("StationUUID"), MAX_NAME) or station,
        _whole(raw.get("FileSize")),
        _words(raw.get("Comment"), MAX_WORDS),
        _words(raw.get("FileName"), MAX_NAME),
        _whole(raw.get("verMinor")),
        _names(raw.get("ForStationsUUID")),
    )


def _read_leave(raw: dict[str, Any]) -> Leave:
    return Leave(_words(raw.get("FromStationUUID") or raw.get("StationUUID"), MAX_NAME))


def _read_request(raw: dict[str, Any]) -> Request:
    return Request(_words(raw.get("FileUUID"), MAX_NAME), _names(raw.get("FromStationUUID")))


def _read_new_host(raw: dict[str, Any]) -> NewHost:
    name = _words(raw.get("ServiceName"), MAX_NAME)
    return NewHost(group_of(name), _words(raw.get("ServiceURL"), MAX_WORDS))


_READ: dict[str, Callable[[dict[str, Any]], Message]] = {
    JOIN: _read_join,
    LEAVE: _read_leave,
    COMMIT: _read_commit,
    REQUEST: _read_request,
    NEW_HOST: _read_new_host,
}


def group_of(service: str) -> str:
    """The group in the name of a service: the last part before those of the protocol."""
    head = service.partition("._mvrxchange")[0]
    return head.removesuffix("._sub").rpartition(".")[2]


def _words(value: object, most: int) -> str:
    """One line of plain text: signs that steer a screen or a log are left out."""
    text = "" if value is None or isinstance(value, (dict, list)) else str(value)
    return "".join(c for c in " ".join(text[: 4 * most].split()) if c.isprintable())[:most]


def _names(value: object) -> tuple[str, ...]:
    many = value if isinstance(value, list) else [value]
    found = (_words(one, MAX_NAME) for one in many[:MAX_STATIONS])
    return tuple(one for one in found if one)


def _whole(value: object) -> int:
    try:
        return max(0, min(int(str(value)), 1 << 62)) if value is not None else 0
    except ValueError:
        return 0


def _is_true(value: object) -> bool:
    return str(value).strip().lower() in ("true", "1", "ok", "yes")
