"""`isthmus profiles …` and `isthmus exchange …`: the library, charts and manuals without a
window.
"""

from __future__ import annotations

import argparse
import json
import re
import signal
import sys
import threading
import time
from collections.abc import Callable
from dataclasses import asdict
from pathlib import Path
from typing import Any

from isthmus.errors import Cancelled, EntryFault, FileFault
from isthmus.library import (
    Entry,
    Progress,
    Query,
    Shelf,
    fresh_shelf,
    importing,
    read_sources,
    update_library,
    write_sources,
)
from isthmus.library.exchange import Exchange, read_catalogue
from isthmus.library.search import Stands, read_bounds, read_stands
from isthmus.library.shelf import keep_own
from isthmus.library.sources import folder_source
from isthmus.library.tokens import kept_token
from isthmus.plural import many
from isthmus.profiles.attributes import KNOWN, plain
from isthmus.profiles.channel_table import ChannelLine, ChannelTable, channel_table, physical_text
from isthmus.profiles.clock import now
from isthmus.profiles.compare import compare
from isthmus.profiles.gdtf.rules import check_file
from isthmus.profiles.judge import judge, note_to_maker
from isthmus.profiles.make import from_sheet
from isthmus.profiles.make.compose import body_for
from isthmus.profiles.manual import ManualChart, propose, read_chart
from isthmus.profiles.manual.pdf import best_chart, likely_pages, page_texts
from isthmus.profiles.records import Mode, Profile
from isthmus.profiles.store import load_stored
from isthmus.show.container import MAX_MEMBER
from isthmus.show.files import read_file, write_atomically
from isthmus.standin.exchange import serve_forever

Result = tuple[int, Any, list[str]]
DONE, DEVIATES = 0, 1
Verb = Callable[..., argparse.ArgumentParser]


# ---------------------------------------------------------------- reading arguments


def attribute(text: str) -> str:
    """An attribute by the standard's name or in plain words. Raises EntryFault."""
    exact = {name.replace("(n)", "1").lower(): name.replace("(n)", "1") for name in KNOWN}
    if text.lower() in exact:
        return exact[text.lower()]
    if re.fullmatch(r"[A-Z]\w*", text):
        return text
    guess = propose(text)
    if not guess.attribute:
        raise EntryFault(
            f"“{text}” is not an attribute.", do="Use a name such as Dimmer or “colour wheel”."
        )
    return guess.attribute


def bounds(text: str, what: str) -> tuple[int, int]:
    """`22`, `20-24`, `>14`. Raises EntryFault."""
    return read_bounds(text, what)


def placed(text: str) -> Stands:
    """`4=Dimmer`, `5-9=Pan`, `4 16 bit=Pan`. Raises EntryFault."""
    slot, equals, name = text.partition("=")
    if not equals or not slot.strip():
        raise EntryFault(f"“{text}” is not an attribute on a channel.", do="Write 4=Dimmer.")
    return read_stands(slot, attribute(name.strip()))


def query_of(options: argparse.Namespace) -> Query:
    return Query(
        text=options.text or "",
        footprint=bounds(options.footprint, "footprint") if options.footprint else None,
        standing=tuple(placed(text) for text in options.on or ()),
        having=tuple(attribute(text) for text in options.having or ()),
        without=tuple(attribute(text) for text in options.without or ()),
        cells=bounds(options.cells, "number of cells") if options.cells else None,
        wheel=True if options.wheel else None,
        ranges=True if options.ranges else None,
        sources=frozenset(options.source) if options.source else None,
        by_maker=options.by_maker,
        proven_3d=options.proven_3d,
        proven_unit=options.proven_unit,
        rating=options.rating,
        like=chart_named(options.like, None) if options.like else None,
    )


def profile_named(name: str, shelf: Shelf | None) -> Profile:
    """A profile from a GDTF file, or from the library by id, or by maker and model. Raises
    EntryFault, FileFault.
    """
    if name.lower().endswith(".gdtf") or Path(name).is_file():
        return load_stored(Path(name))[1]
    shelf = shelf or fresh_shelf()
    return shelf.take(shelf.find_id(name))[1]


def mode_of(profile: Profile, name: str) -> Mode:
    found = profile.mode(name) if name else profile.modes[0]
    if found is None:
        raise EntryFault(
            f"{profile.name} has no mode “{name}”.",
            do=f"It has {', '.join(m.name for m in profile.modes)}.",
        )
    return found


def chart_named(name: str, mode: str | None) -> ChannelTable:
    """A chart from `PROFILE[:MODE]`, or from a text, CSV or PDF file of a manual. Raises
    EntryFault, FileFault.
    """
    if name.lower().endswith((".csv", ".txt", ".tsv", ".pdf")):
        return read_file_charts(Path(name))[0].sheet()
    head, colon, tail = name.rpartition(":")
    if mode is None and colon and not Path(name).exists():
        name, mode = head, tail
    profile = profile_named(name, None)
    return channel_table(profile, mode_of(profile, mode or ""))


def read_file_charts(path: Path, page: int | None = None) -> list[ManualChart]:
    """The charts in a text or PDF file. Raises EntryFault, FileFault."""
    if path.suffix.lower() != ".pdf":
        return read_chart(read_file(path, 16 * 1024 * 1024).decode("utf-8-sig", "replace"))
    texts = page_texts(path, [page] if page else None)
    pages = [page] if page else likely_pages(texts) or list(texts)
    for number in pages:
        try:
            return best_chart(texts[number])[1]
        except EntryFault:
            continue
    raise EntryFault(
        "no chart was found in it.", where=path.name, do="Say which --page has the chart."
    )


# ---------------------------------------------------------------- verbs


def _row(entry: Entry) -> dict[str, Any]:
    return asdict(entry) | {
        "id": entry.profile_id,
        "differs": list(entry.differs),
        "distance": round(entry.distance, 3),
    }


def search(options: argparse.Namespace) -> Result:
    shelf = fresh_shelf(
        [*read_sources(), *(folder_source(Path(folder)) for folder in options.folder or ())]
    )
    answer = shelf.search(query_of(options), options.limit)
    hits, near = shelf.entries(answer.hits), shelf.entries(answer.near)
    data = {
        "total": answer.total,
        "hits": [_row(e) for e in hits],
        "near": [_row(e) for e in near],
        "makers": [
            {"maker": m.maker, "modes": m.modes, "lines": dict(m.lines)} for m in answer.makers
        ],
    }
    lines = [
        f"{e.profile_id:>6}  {e.title[:34]:34} {e.mode[:30]:30} {e.footprint:>4}  {e.source}"
        for e in hits
    ]
    lines += ["", "Near misses:"] if near else []
    lines += [
        f"{e.profile_id:>6}  {e.title[:34]:34} {e.mode[:20]:20} {e.footprint:>4}  "
        f"{e.distance:.2f}  {'; '.join(e.differs)}"
        for e in near
    ]
    return DONE, data, [f"{many(answer.total, 'mode')} found.", *lines]


def _sheet_data(whole: ChannelTable) -> dict[str, Any]:
    def ranges(line: ChannelLine) -> list[dict[str, Any]]:
        return [asdict(band) | {"physical": physical_text(band)} for band in line.bands]

    channels = [
        asdict(line) | {"words": line.words, "ranges": ranges(line)} for line in whole.lines
    ]
    for channel in channels:
        del channel["bands"]
    return {
        "title": whole.title,
        "footprint": whole.footprint,
        "cells": whole.cells,
        "channels": channels,
    }


def _sheet_lines(whole: ChannelTable) -> list[str]:
    told = [
        (
            f"{whole.title}: {whole.footprint} "
            f"channels{f', {whole.cells} cells' if whole.cells else ''}"
        )
    ]
    for line in whole.lines:
        default = "" if line.default is None else f" default {line.default}"
        told.append(
            f"{line.where():>9}  {line.words}{f' (cell {line.cell})' if line.cell else ''}{default}"
        )
        if len(line.bands) > 1:
            told += [
                f"{'':9}    {b.start:>5} to {b.end:<5} {b.name}  {physical_text(b)}".rstrip()
                for b in line.bands
            ]
    return told


def chart(options: argparse.Namespace) -> Result:
    whole = chart_named(options.profile, options.mode)
    return DONE, _sheet_data(whole), _sheet_lines(whole)


def compare_charts(options: argparse.Namespace) -> Result:
    left, right = chart_named(options.a, None), chart_named(options.b, None)
    verdicts = compare(left, right)
    data = [
        {
            "state": v.state,
            "shift": v.shift,
            "text": v.words(),
            "left": v.left.where() if v.left else None,
            "right": v.right.where() if v.right else None,
            "ranges": [{"state": b.state, "shift": b.shift, "text": b.words()} for b in v.bands],
        }
        for v in verdicts
    ]
    lines = [f"{v.state:8}  {v.words()}" for v in verdicts]
    return (
        (DEVIATES if any(v.state != "same" for v in verdicts) else DONE),
        {"left": left.title, "right": right.title, "channels": data},
        lines,
    )


def read_manual(options: argparse.Namespace) -> Result:
    charts = read_file_charts(Path(options.file), options.page)
    data, lines = [], []
    for found in charts:
        whole = found.sheet()
        findings = judge(whole)
        rows = [
            {
                "slots": list(row.slots),
                "name": row.name,
                "attribute": row.attribute,
                "confidence": row.confidence,
                "doubts": list(row.doubts),
                "lines": list(row.source),
                "default": row.default,
                "ranges": [
                    {"from": b.start, "to": b.end, "name": b.name, "line": b.source}
                    for b in row.bands
                ],
            }
            for row in found.rows
        ]
        note = note_to_maker(whole, findings)
        data.append(
            {
                "title": found.title,
                "confidence": round(found.confidence, 2),
                "notes": list(found.notes),
                "rows": rows,
                "findings": [f.text for f in findings],
                "note": note,
            }
        )
        lines += [
            (
                f"{found.title or 'Chart'}: {many(len(found.rows), 'channel')}, confidence "
                f"{found.confidence:.0%}"
            ),
            *found.notes,
        ]
        lines += [
            f"{'+'.join(map(str, r.slots)):>9}  {r.confidence:>4.0%}  "
            f"{plain(r.attribute) if r.attribute else '?':24} {r.name}"
            f"{'  – ' + '; '.join(r.doubts) if r.doubts else ''}"
            for r in found.rows
        ]
        lines += ["", *(f.text for f in findings), *(["", note] if note and options.note else [])]
    if options.make:
        made = charts[0].sheet()
        maker, _, model = options.make.partition("/")
        if not model.strip():
            raise EntryFault(f"“{options.make}” is not a maker and model.", do="Write MAKER/MODEL.")
        whole = made
        profile = from_sheet(
            whole,
            maker.strip(),
            model.strip(),
            charts[0].title or "From the manual",
            body_for({line.attribute for line in whole.lines}),
            date=now(),
        )
        saved, _ = keep_own(profile)
        lines.append(f"Saved {saved}")
        return DONE, {"charts": data, "saved": str(saved)}, lines
    return DONE, data, lines


def import_files(options: argparse.Namespace) -> Result:
    done: list[dict[str, Any]] = []
    refused = []
    for name in options.files:
        for path in sorted(Path(name).rglob("*.gdtf")) if Path(name).is_dir() else [Path(name)]:
            try:
                waiting = importing.look_at(path)
                kept = importing.keep(waiting, options.clash or "")
                told = [{"place": n.place, "text": n.text} for n in waiting.notices]
                modes = [m.name for m in waiting.profile.modes]
                done.append(
                    {
                        "file": str(path),
                        "profile": waiting.profile.title,
                        "modes": modes,
                        "kept": str(kept or ""),
                        "notices": told,
                    }
                )
            except (FileFault, EntryFault) as fault:
                refused.append({"file": str(path), "why": str(fault)})
    if refused and not done:
        raise FileFault(refused[0]["why"])
    lines = []
    for item in done:
        lines.append(
            f"{item['profile']}: "
            f"{', '.join(item['modes'])}{'' if item['kept'] else ' (left out, the own one stays)'}"
        )
        lines += [f"    {n['place']}: {n['text']}" for n in item["notices"]]
    deviates = refused or any(item["notices"] for item in done)
    return (
        (DEVIATES if deviates else DONE),
        {"imported": done, "refused": refused},
        [*lines, *(item["why"] for item in refused)],
    )


def export(options: argparse.Namespace) -> Result:
    shelf = fresh_shelf()
    stored, profile = shelf.take(shelf.find_id(options.profile))
    write_atomically(Path(options.out), stored.data)
    return (
        DONE,
        {"saved": options.out, "profile": profile.title},
        [f"Saved {profile.title} as {options.out}"],
    )


def check(options: argparse.Namespace) -> Result:
    path = Path(options.file)
    notices = check_file(read_file(path, MAX_MEMBER), path.name)
    data = [{"place": n.place, "text": n.text} for n in notices]
    return (
        (DEVIATES if notices else DONE),
        data,
        [str(n) for n in notices] or ["It keeps to the standard."],
    )


def sources(options: argparse.Namespace) -> Result:
    kept = read_sources()
    if options.add:
        kept.append(folder_source(Path(options.add)))
    if options.remove:
        kept = [
            s for s in kept if s.kind != "folder" or options.remove not in (s.path, s.name, s.id)
        ]
    if options.add or options.remove:
        write_sources(kept)
    shelf = fresh_shelf(kept)
    counts, away = shelf.index.counts(), shelf.index.away()
    rows = [
        {
            "id": s.id,
            "kind": s.kind,
            "name": s.name,
            "path": s.path,
            "on": s.on,
            "away": s.id in away,
            "profiles": counts.get(s.id, 0),
        }
        for s in kept
    ]
    lines = [
        f"{r['name'][:24]:24} {r['profiles']:>6}  "
        f"{'not connected' if r['away'] else 'on' if r['on'] else 'off'}  {r['path']}"
        for r in rows
    ]
    faults = shelf.index.faults()
    return (
        DONE,
        {"sources": rows, "faults": [{"file": f, "why": w} for f, w in faults]},
        [*lines, *(f"cannot be read: {f}: {w}" for f, w in faults)],
    )


def build_index(options: argparse.Namespace) -> Result:
    """Bring the index up to date; with --progress a JSON line for every step, for the window that
    waits for it.
    """
    shelf = Shelf()
    ended: list[int] = []
    signal.signal(signal.SIGTERM, lambda *_: ended.append(1))

    def told(progress: Progress) -> None:
        if options.progress:
            print(
                json.dumps({"done": progress.done, "total": progress.total, "name": progress.name}),
                flush=True,
            )
        if ended:
            raise Cancelled

    outcome = update_library(shelf.index, read_sources(), told, options.workers)
    data = {
        "read": outcome.read,
        "removed": outcome.removed,
        "faults": outcome.faults,
        "stopped": outcome.stopped,
        "rebuilt": shelf.index.rebuilt,
    }
    shelf.close()
    return (
        DONE,
        data,
        [
            (
                f"{outcome.read} files read, {outcome.removed} gone, {outcome.faults} cannot "
                f"be read{', stopped' if outcome.stopped else ''}."
            )
        ],
    )


def exchange_serve(options: argparse.Namespace) -> Result:
    server = serve_forever(
        options.port, Path(options.folder) if options.folder else None, options.token
    )
    print(
        f'{{"ready": true, "url": "{server.url}"}}'
        if options.json
        else f"The stand-in exchange listens on {server.url}. End with Ctrl C.",
        flush=True,
    )
    ended: list[int] = []
    signal.signal(signal.SIGTERM, lambda *_: ended.append(1))
    if options.with_parent:
        threading.Thread(
            target=lambda: (sys.stdin.buffer.read(), ended.append(1)), daemon=True
        ).start()
    end = time.monotonic() + options.seconds if options.seconds else None
    try:
        while not ended and (end is None or time.monotonic() < end):
            time.sleep(0.1)
    finally:
        server.close()
    return (
        DONE,
        {"profiles": len(server.wares.entries)},
        [f"{many(len(server.wares.entries), 'profile')} on offer."],
    )


def exchange_browse(options: argparse.Namespace) -> Result:
    shelf = Shelf()
    catalogue = (
        Exchange(options.url).refresh(shelf.index) if not options.offline else read_catalogue()
    )
    if catalogue is None:
        raise EntryFault("no catalogue has been seen yet.", do="Ask again without --offline.")
    rows = [
        {
            "id": e.ident,
            "maker": e.maker,
            "model": e.model,
            "revision": e.revision,
            "uploader": e.uploader,
            "by_maker": e.by_maker,
            "proven_3d": e.proven_3d,
            "proven_unit": e.proven_unit,
            "rating": e.rating,
            "ratings": e.ratings,
        }
        for e in catalogue.entries
    ]
    return (
        DONE,
        rows,
        [
            f"{r['maker'][:22]:22} {r['model'][:22]:22} {r['revision'][:10]}  "
            f"{r['rating']:.1f} of {r['ratings']:>2}  {r['uploader']}"
            for r in rows
        ],
    )


def exchange_get(options: argparse.Namespace) -> Result:
    catalogue = read_catalogue() or Exchange(options.url).refresh(Shelf().index)
    entry = next(
        (
            e
            for e in catalogue.entries
            if options.profile in (e.ident, e.model, f"{e.maker} {e.model}")
        ),
        None,
    )
    if entry is None:
        raise EntryFault(f"the exchange has no profile “{options.profile}”.", do="Browse it first.")
    path = Exchange(options.url).download(entry)
    return DONE, {"saved": str(path)}, [f"Saved {path}"]


def exchange_share(options: argparse.Namespace) -> Result:
    stored, profile = load_stored(Path(options.file))
    there = Exchange(options.url, options.token)
    there.token = there.token or kept_token(there.where)
    ident = there.share(stored, openly=options.openly)
    return DONE, {"id": ident}, [f"Shared {profile.title}"]


def add_verbs(verbs: Any, verb: Verb) -> None:
    """Put the verbs of this file into the parser."""
    group = verbs.add_parser("profiles", help="the library, charts and manuals").add_subparsers(
        required=True, metavar="WHAT"
    )
    find = verb(
        group, "search", search, "find modes by words and by facts about their channels", show=False
    )
    find.add_argument("--text", help="letters of maker, model or mode")
    find.add_argument("--footprint", help="22, or 20-24")
    find.add_argument(
        "--on",
        action="append",
        metavar="N=ATTRIBUTE",
        help="an attribute on a channel (the coarse one of 16 bit)",
    )
    find.add_argument("--with", dest="having", action="append", metavar="ATTRIBUTE")
    find.add_argument("--without", action="append", metavar="ATTRIBUTE")
    find.add_argument("--cells", help="6, or 4-12")
    find.add_argument("--wheel", action="store_true", help="with a colour wheel")
    find.add_argument("--ranges", action="store_true", help="with ranges")
    find.add_argument(
        "--source", action="append", help="shipped, generic, own, exchange, or folder:PATH"
    )
    find.add_argument("--folder", action="append", metavar="DIR", help="look here too")
    find.add_argument("--by-maker", action="store_true")
    find.add_argument("--proven-3d", action="store_true")
    find.add_argument("--proven-unit", action="store_true")
    find.add_argument("--rating", type=float, default=0.0)
    find.add_argument(
        "--like",
        metavar="CHART",
        help="charts near this one: PROFILE[:MODE], or a manual's .csv, .txt, .pdf",
    )
    find.add_argument("--limit", type=int, default=40)
    show = verb(group, "chart", chart, "the DMX chart of a mode", show=False)
    show.add_argument("profile", help="a .gdtf file, or a profile of the library")
    show.add_argument("--mode")
    both = verb(
        group,
        "compare",
        compare_charts,
        "two charts, channel by channel; exit code 1 when they differ",
        show=False,
    )
    both.add_argument("a", metavar="A[:MODE]")
    both.add_argument("b", metavar="B[:MODE]|CHART.csv")
    manual = verb(group, "read-chart", read_manual, "read the chart of a manual", show=False)
    manual.add_argument("file", help=".txt, .csv or .pdf")
    manual.add_argument("--page", type=int)
    manual.add_argument("--note", action="store_true", help="also the note to the maker")
    manual.add_argument("--make", metavar="MAKER/MODEL", help="keep it as an own profile")
    taken = verb(
        group,
        "import",
        import_files,
        "import GDTF files or folders; exit code 1 when one deviates from the standard",
        show=False,
    )
    taken.add_argument("files", nargs="+")
    taken.add_argument(
        "--clash",
        choices=list(importing.CLASHES),
        help="what becomes of another own profile of that name",
    )
    out = verb(group, "export", export, "write a profile of the library as a file", show=False)
    out.add_argument("profile")
    out.add_argument("out")
    verb(
        group,
        "check",
        check,
        "every deviation from the standard; exit code 1 when there is one",
        show=False,
    ).add_argument("file")
    where = verb(group, "sources", sources, "where profiles come from", show=False)
    where.add_argument("--add", metavar="DIR")
    where.add_argument("--remove", metavar="DIR")
    build = verb(group, "index", build_index, "bring the index up to date", show=False)
    build.add_argument("--progress", action="store_true", help="a JSON line for every step")
    build.add_argument("--workers", type=int, default=2)
    exchange = verbs.add_parser(
        "exchange", help="the stand-in exchange (run without more words), and its client"
    )
    exchange.set_defaults(
        run=exchange_serve,
        json=False,
        port=8642,
        folder=None,
        token="made-up-token",
        seconds=0.0,
        with_parent=False,
    )
    trade = exchange.add_subparsers(required=False, metavar="WHAT")
    serve = verb(
        trade, "serve", exchange_serve, "run the stand-in exchange on loopback", show=False
    )
    serve.add_argument("--port", type=int, default=8642)
    serve.add_argument("--folder", help="offer the GDTF files of this folder too")
    serve.add_argument("--token", default="made-up-token")
    serve.add_argument("--with-parent", action="store_true", help="end when standard input closes")
    serve.add_argument("--seconds", type=float, default=0.0)
    for name, run, text in (
        ("browse", exchange_browse, "what is on offer"),
        ("get", exchange_get, "download a profile"),
        ("share", exchange_share, "give a profile to the exchange"),
    ):
        made = verb(trade, name, run, text, show=False)
        made.add_argument("--url", default="", help="the stand-in's usual place without")
        if name == "browse":
            made.add_argument("--offline", action="store_true", help="what was last seen")
        if name == "get":
            made.add_argument("profile")
        if name == "share":
            made.add_argument("file")
            made.add_argument("--token", default="")
            made.add_argument(
                "--openly", action="store_true", help="the token may be read on its way"
            )
