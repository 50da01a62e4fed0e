"""`isthmus xchange`: rigs offered to other programs, and theirs fetched, as MVR 1.6 describes it.

Nothing is sent but by the adapter that is named. A fetched file is only written down: `diff`,
`compare` and `bring` show what is other in it.
"""

from __future__ import annotations

import argparse
import asyncio
import contextlib
import json
import signal
import socket
import time
import uuid
from pathlib import Path
from typing import Any

from isthmus.cli.common import DONE, Result, load
from isthmus.demo import whole_demo
from isthmus.errors import EntryFault, NetworkFault
from isthmus.mvr import write_show
from isthmus.net.adapters import Adapter, read_adapters
from isthmus.plural import many
from isthmus.show.container import MAX_TOTAL
from isthmus.show.files import read_file, write_atomically
from isthmus.standin.station import StandInStation, changed_rig
from isthmus.xchange import DEFAULT_GROUP, Commit, Exchange, Me, Shown


def _adapter_of(options: argparse.Namespace) -> Adapter:
    """The one that is named by its name or address. Raises EntryFault."""
    have = read_adapters()
    for one in have:
        if options.adapter in (one.name, one.ip):
            return one
    known = ", ".join(one.words for one in have)
    raise EntryFault(f"There is no adapter {options.adapter}.", do=f"There are: {known}.")


def _exchange(options: argparse.Namespace) -> Exchange:
    me = Me(str(uuid.uuid4()), options.name or f"Isthmus on {socket.gethostname()}")
    made = Exchange(me, _adapter_of(options), options.group)
    made.start()
    try:
        for one in options.join:
            made.join(one)
    except BaseException:
        made.stop()
        raise
    return made


def _plain(one: Shown) -> dict[str, Any]:
    return {
        "station": one.name,
        "program": one.provider,
        "address": one.address,
        "offers": [
            {"file": c.file, "name": c.name, "bytes": c.size, "comment": c.comment}
            for c in one.commits
        ],
    }


def stations(options: argparse.Namespace) -> Result:
    """Who is there, and what they offer."""
    exchange = _exchange(options)
    try:
        time.sleep(options.seconds)
        found = exchange.others()
    finally:
        exchange.stop()
    lines = [f"{many(len(found), 'station')} in the group {options.group}."]
    for one in found:
        lines.append(f"{one.name}, {one.provider or 'no program told'}, {one.address}")
        lines += [f"  {c.name}, {c.size // 1024} kB: {c.comment}" for c in one.commits]
    return DONE, {"group": options.group, "stations": [_plain(one) for one in found]}, lines


def _wanted(options: argparse.Namespace, exchange: Exchange) -> tuple[Shown, Commit] | None:
    """The newest file of the station that is named, of any where none is."""
    for one in exchange.others():
        if one.commits and (not options.station or options.station in (one.name, one.uuid)):
            return one, one.commits[-1]
    return None


def get(options: argparse.Namespace) -> Result:
    """The file that was offered last. Written down, nothing else."""
    exchange = _exchange(options)
    try:
        until = time.monotonic() + options.seconds
        while (wanted := _wanted(options, exchange)) is None:
            if time.monotonic() > until:
                who = options.station or "anybody"
                raise NetworkFault(f"nothing is offered by {who}.", where=options.group)
            time.sleep(0.1)
        station, commit = wanted
        data = exchange.get(commit)
    finally:
        exchange.stop()
    write_atomically(Path(options.to), data)
    words = f"Saved {options.to}: {commit.name} of {station.name}, {len(data) // 1024} kB."
    return DONE, {"saved": options.to, "of": station.name, "comment": commit.comment}, [words]


def offer(options: argparse.Namespace) -> Result:
    """The rig of a show, for as long as the seconds say, or until Ctrl C."""
    show = load(options.show)
    data = write_show(show)
    exchange = _exchange(options)
    try:
        missed = exchange.offer(data, f"{show.name}.mvr", options.comment)
        told = [one.name for one in exchange.others() if one.name not in missed]
        words = f"{exchange.where} offers {show.name}.mvr, {len(data) // 1024} kB."
        if not options.json:
            print(f"{words} End with Ctrl C.", flush=True)
        with contextlib.suppress(KeyboardInterrupt):
            time.sleep(options.seconds or 86_400 * 365)
    finally:
        exchange.stop()
    return DONE, {"bytes": len(data), "told": told, "missed": missed}, [f"{words} Ended."]


def station(options: argparse.Namespace) -> Result:
    """The simulated station, until Ctrl C or its seconds are over."""
    if options.file:
        name, data = Path(options.file).name, read_file(Path(options.file), MAX_TOTAL)
    else:
        show = whole_demo()  # as `./run demo` shows it
        name, data = f"{show.name}.mvr", changed_rig(show)
    heard: list[str] = []

    def told(words: str) -> None:
        heard.append(words)
        if not options.json:
            print(words, flush=True)

    made = StandInStation(
        Me(str(uuid.uuid4()), options.name or "Quay desk"),
        _adapter_of(options),
        options.group,
        options.port,
        options.websocket,
        told,
    )
    asyncio.run(_serve(made, options, data, name))
    return DONE, {"told": heard}, ["Ended."]


async def _serve(made: StandInStation, options: argparse.Namespace, data: bytes, name: str) -> None:
    where = await made.begin()
    await made.offer(data, name, options.comment or "Three hung elsewhere, the last one is gone")
    ready = {"ready": True, "where": where, "name": made.me.name}
    print(json.dumps(ready) if options.json else f"{made.me.name} is at {where}.", flush=True)
    ending = asyncio.Event()
    loop = asyncio.get_running_loop()
    for one in (signal.SIGTERM, signal.SIGINT):
        loop.add_signal_handler(one, ending.set)
    fetching = loop.create_task(made.fetch_all())
    with contextlib.suppress(TimeoutError):
        await asyncio.wait_for(ending.wait(), options.seconds or None)
    fetching.cancel()
    await made.end()


def add_verbs(verbs: Any, verb: Any) -> None:
    group = verbs.add_parser(
        "xchange", help="rigs offered and fetched between programs (MVR-xchange)"
    ).add_subparsers(required=True, metavar="WHAT")
    one = verb(group, "stations", stations, "who is there, and what they offer", show=False)
    _where(one, 3.0)
    one = verb(group, "get", get, "fetch what was offered last", show=False)
    one.add_argument("--station", default="", help="whose, by name; anybody's where none is named")
    one.add_argument("--to", required=True, metavar="OUT.mvr")
    _where(one, 10.0)
    one = verb(group, "offer", offer, "offer the rig of a show")
    one.add_argument("--comment", default="", help="what others read beside it")
    _where(one, 0.0)
    one = verb(verbs, "xchange-station", station, "a simulated station, to try against", show=False)
    one.add_argument("--file", help="the MVR file it offers; else the demo rig, changed a little")
    one.add_argument("--comment", default="", help="what others read beside it")
    one.add_argument("--port", type=int, default=0, help="where it listens; any that is free")
    one.add_argument("--websocket", action="store_true", help="the host of a group by WebSocket")
    _where(one, 0.0)


def _where(made: argparse.ArgumentParser, seconds: float) -> None:
    made.add_argument("--adapter", default="127.0.0.1", help="by its name or address")
    made.add_argument("--group", default=DEFAULT_GROUP, help="the group of stations")
    made.add_argument("--name", default="", help="how this station is called")
    made.add_argument(
        "--join", action="append", default=[], metavar="HOST:PORT", help="or ws://HOST:PORT/"
    )
    made.add_argument("--seconds", type=float, default=seconds, help="0: until Ctrl C")
