"""Verbs about checking the rig: rollcall, discover, findings, hunt."""

from __future__ import annotations

import argparse
import sys
import time
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from pathlib import Path
from typing import Any

from isthmus.check import Manner, record
from isthmus.check.acts import KINDS, LIGHT
from isthmus.check.calls import ORDERS, callable_units
from isthmus.check.codes import light_code
from isthmus.check.devices import discover
from isthmus.check.findings.ruled_out import ruled_out
from isthmus.check.findings.told import FindingTold, findings_of
from isthmus.check.hunt import Hunt
from isthmus.check.hunt_asked import Place
from isthmus.check.matched import Match, match
from isthmus.check.verdicts import say, tally, tally_words
from isthmus.cli.common import DONE, SNAGS, Result, keep, load, saving
from isthmus.engine import Engine
from isthmus.errors import EntryFault, NetworkFault
from isthmus.net import Hub
from isthmus.net.talk import Talker
from isthmus.output import Composer, Live, Masters, identity
from isthmus.output.claims import Claims, told_of
from isthmus.patch.cells import addresses
from isthmus.patch.choose import read_choice
from isthmus.show.records import Show, Unit, Verdict
from isthmus.standin import RigClient, StandInRig, read_scenario
from isthmus.standin.caller import Caller

Verb = Callable[..., argparse.ArgumentParser]


@contextmanager
def _hub(show: Show) -> Iterator[Hub]:
    hub = Hub()
    hosts = {
        p: [h for o in show.outputs if o.protocol == p and o.enabled for h in o.hosts]
        for p in ("artnet", "sacn")
    }
    hub.want({}, hosts, [n.ip for n in show.nodes if n.protocol == "artnet"])
    hub.start()
    try:
        yield hub
    finally:
        hub.stop()


@contextmanager
def _rig(options: argparse.Namespace) -> Iterator[RigClient]:
    """The rig to look at: one that runs (HOST:PORT), or a scenario that is run meanwhile."""
    host, _, port = str(options.rig).rpartition(":")
    if host and port.isdigit():
        client = RigClient((host, int(port)))
        try:
            yield client
        finally:
            client.close()
        return
    import threading

    rig = StandInRig(read_scenario(Path(options.rig)))
    thread = threading.Thread(target=rig.serve, daemon=True)
    thread.start()
    client = RigClient(rig.address)
    try:
        yield client
    finally:
        client.close()
        rig.stop()
        thread.join(5)
        rig.close()


@contextmanager
def _caller(options: argparse.Namespace, show: Show) -> Iterator[tuple[Caller, Hub]]:
    with _rig(options) as client, _hub(show) as hub, Claims(show.name) as claims:
        engine, composer = Engine(), Composer(Masters(), claims)
        try:
            engine.use(hub.outlets)
            engine.start()
            engine.pace(
                show.sending.artnet_rate, show.sending.sacn_rate, False, show.sending.artnet_sync
            )

            def send(live: Live) -> None:
                composer.asking, composer.broadcast = hub.view.asking, hub.outlets.broadcast
                engine.publish(*composer.compose(show, live), identity(show))
                engine.enable(True)
                engine.beat()

            caller = Caller(show, client, send)
            caller.warm_up()
            if composer.left:  # what another lights would be told of ours
                raise NetworkFault(told_of(composer.left)[1], do="End the other one first.")
            yield caller, hub
        finally:
            engine.stop()


def _nodes(hub: Hub) -> None:
    """Let nodes answer a poll or two."""
    hub.look(True)
    end = time.monotonic() + 5
    while not hub.view.looked and time.monotonic() < end:
        time.sleep(0.05)


def _matches(hub: Hub, show: Show) -> tuple[list[Match], list[str]]:
    found = discover(Talker.of(hub), hub.view.nodes, show)
    return match(show, found.devices, found.asked), found.odd


def _finding(f: FindingTold, show: Show) -> dict[str, Any]:
    numbers = {u.id: u.number for u in show.units}
    return {
        "units": [numbers[u] for u in f.units],
        "kind": f.kind,
        "cause": f.words,
        "chance": round(f.chance, 3),
        "evidence": list(f.evidence),
        "rivals": [
            {"kind": r.kind, "cause": r.words, "chance": round(r.chance, 3)} for r in f.rivals
        ],
        "look": f.look.question if f.look else None,
        "hunt": numbers.get(f.hunt),
        "fixes": [m.label for m in f.fixes],
    }


def _lines(found: list[FindingTold]) -> list[str]:
    out = []
    for f in found:
        out.append(f"{f.title}: {f.words} ({100 * f.chance:.0f} %)")
        out += [f"    because {line}" for line in f.evidence]
        out += [f"    or {r.words} ({100 * r.chance:.0f} %)" for r in f.rivals]
        out += [f"    look: {f.look.question}"] if f.look else []
        out += [f"    fix: {m.label}" for m in f.fixes]
    return out


def rollcall(options: argparse.Namespace) -> Result:
    """Call every unit against a simulator, with the automatic observer; then say what is behind
    it.
    """
    show = load(options.show)
    only = read_choice(show, options.units).ids if options.units else None
    kinds = tuple(
        dict.fromkeys((LIGHT, *(k.strip() for k in options.acts.split(",") if k.strip())))
    )
    if set(kinds) - set(KINDS):
        raise EntryFault(f"“{options.acts[:40]}” are not acts.", do=f"Use {', '.join(KINDS[1:])}.")
    if not 5 <= options.level <= 100:
        raise EntryFault("A level for roll call lies between 5 and 100 percent.")
    manner = Manner("unit", options.order, options.level / 100, kinds)

    def tell(at: int, all_: int, words: str) -> None:
        if not options.json and sys.stderr.isatty():
            print(f"\r{at + 1} of {all_}: {words[:60]:60}", end="", file=sys.stderr, flush=True)

    with _caller(options, show) as (caller, hub):
        _nodes(hub)
        show = caller.round(manner, only, tell)
        matches = _matches(hub, show)[0] if options.discover else []
        found, _ = findings_of(show, hub.view, matches)
    count = tally(show, only)
    numbers = {u.id: u.number for u in show.units}
    path, kept = keep(options, show) if options.save else (None, "Nothing saved.")
    data = {
        "called": len(only or callable_units(show)[0]),
        "works": count["works"],
        "wrong": count["wrong"],
        "silent": count["silent"],
        "left": [{"unit": x.number, "why": x.why} for x in callable_units(show)[1]],
        "verdicts": [_verdict(v, numbers) for v in show.verdicts],
        "findings": [_finding(f, show) for f in found],
        "saved": path,
    }
    lines = [f"{tally_words(count)}."]
    lines += [f"{numbers[v.unit]} {say(show, v)}" for v in show.verdicts if v.result != "works"]
    return (SNAGS if found else DONE), data, [*lines, "", *_lines(found), kept]


def _verdict(v: Verdict, numbers: dict[str, int]) -> dict[str, Any]:
    return {
        "unit": numbers[v.unit],
        "result": v.result,
        "what": list(v.what),
        "others": [numbers[o] for o in v.others],
    }


def findings(options: argparse.Namespace) -> Result:
    """What is behind the verdicts a show holds; with the network as it is now, when asked."""
    show = load(options.show)
    if options.network:
        with _hub(show) as hub:
            _nodes(hub)
            matches = _matches(hub, show)[0]
            found, _ = findings_of(show, hub.view, matches)
    else:
        found, _ = findings_of(show)
    return (
        (SNAGS if found else DONE),
        [_finding(f, show) for f in found],
        _lines(found) or ["Nothing to find."],
    )


def discovery(options: argparse.Namespace) -> Result:
    """Ask every node which devices are behind it, and compare with the patch."""
    show = load(options.show)
    with _hub(show) as hub:
        _nodes(hub)
        matches, odd = _matches(hub, show)
    rows = [
        {
            "unit": m.unit.number if m.unit else None,
            "ways": list(m.ways),
            "words": m.words,
            "uid": m.device.name if m.device else None,
            "address": m.device.address if m.device else None,
            "footprint": m.device.footprint if m.device else None,
            "mode": m.device.mode if m.device else None,
            "label": m.device.label if m.device else None,
            "behind": [m.device.ip, m.device.port] if m.device else None,
            "lamp_hours": m.device.lamp_hours if m.device else None,
            "sensors": [{"words": s.words, "value": s.value} for s in m.device.sensors]
            if m.device
            else [],
        }
        for m in matches
    ]
    differ = any(m.ways != ("in place",) for m in matches)
    there = any(m.device for m in matches)
    return (
        (SNAGS if differ or odd or not there else DONE),
        {"devices": rows, "odd": odd},
        ([] if there else ["No device answers."]) + [m.words for m in matches] + odd,
    )


def hunt(options: argparse.Namespace) -> Result:
    """Find the address a unit really listens to, or those of several by light codes, against a
    simulator with the observer.
    """
    show = load(options.show)
    ids = read_choice(show, options.unit).ids
    if not ids:
        raise EntryFault("No unit is named to be hunted.", do="Say a number, or several: 203, 207.")
    universes = [o.universe for o in show.outputs if o.enabled] if options.everywhere else ()
    found: Sequence[tuple[Unit, Sequence[Place]]]
    if len(ids) > 1:
        code = light_code(show, ids, universes, options.any_mode, int(options.lie))
        with _caller(options, show) as (caller, _):
            spelt = caller.spell(code)
        found, looks = [(c.unit, spelt[c.unit.id].places) for c in code.units], len(code.pictures)
    else:
        unit = next(iter(ids))
        barred = set() if options.lie else ruled_out(show, unit, universes, options.any_mode)
        block = options.hunted_break
        wrong, flashing = int(options.lie), not options.yes_or_no
        made = Hunt(show, unit, universes, options.any_mode, wrong, barred, block, flashing)
        with _caller(options, show) as (caller, _):
            looks = caller.hunt(made)
        found = [(made.unit, made.found)]
    rows, said = [], []
    for unit, places in found:
        told = [{"universe": p.universe, "address": p.address, "mode": p.mode} for p in places]
        rows.append(
            {"unit": unit.number, "places": told, "looks": looks, "patched": addresses(unit)}
        )
        where = " or ".join(f"{p.words} ({p.mode})" for p in places)
        lights = f"listens at {where}" if where else "lights at no address here"
        said.append(f"{unit.number} {lights}; {looks} looks. The patch has {addresses(unit)}.")
    return (
        (DONE if all(places for _, places in found) else SNAGS),
        (rows[0] if len(rows) == 1 else {"units": rows}),
        said,
    )


def record_out(options: argparse.Namespace) -> Result:
    """The record of roll call, or the snag list, as PDF or CSV."""
    show = load(options.show)
    out = Path(options.out)
    if out.suffix not in (".csv", ".pdf"):
        raise EntryFault(f"“{out.name}” is neither a .csv nor a .pdf.", do="Name the file so.")
    data = (
        record.as_csv(show)
        if out.suffix == ".csv"
        else record.as_pdf(show, findings_of(show)[0], options.snags)
    )
    out.write_bytes(data)
    return DONE, {"saved": str(out), "bytes": len(data)}, [f"Saved {out}"]


def add_verbs(verbs: Any, verb: Verb) -> None:
    made = verb(
        verbs, "rollcall", rollcall, "call every unit of a simulator and say what is behind it"
    )
    made.add_argument(
        "--rig",
        required=True,
        metavar="RIG",
        help="a scenario file, or HOST:PORT of a rig that runs",
    )
    made.add_argument("--order", choices=list(ORDERS), default="hang")
    made.add_argument("--level", type=float, default=100.0, help="percent")
    made.add_argument(
        "--acts",
        default="colour,movement,beam,cells",
        help="tests besides light: colour,movement,beam,cells",
    )
    made.add_argument("--units", help="only these: 101-104, a position")
    made.add_argument("--discover", action="store_true", help="ask by RDM as well")
    saving(made)
    made = verb(
        verbs,
        "findings",
        findings,
        "what is behind the verdicts of a show; exit code 1 when there is anything",
    )
    made.add_argument(
        "--network", action="store_true", help="with nodes and devices as they answer now"
    )
    verb(
        verbs,
        "discover",
        discovery,
        "who answers RDM, against the patch; exit code 1 when anything differs",
    )
    made = verb(
        verbs, "hunt", hunt, "find where a unit of a simulator really listens, or several at once"
    )
    made.add_argument("--unit", required=True, metavar="UNITS", help="203, or several: 203, 207")
    made.add_argument(
        "--rig",
        required=True,
        metavar="RIG",
        help="a scenario file, or HOST:PORT of a rig that runs",
    )
    made.add_argument("--everywhere", action="store_true", help="in every universe that is sent")
    made.add_argument("--any-mode", action="store_true", help="mode unknown")
    made.add_argument("--lie", action="store_true", help="answers may be wrong")
    made.add_argument(
        "--yes-or-no", action="store_true", help="no flashes are counted: lit or dark, more looks"
    )
    made.add_argument(
        "--break",
        dest="hunted_break",
        type=int,
        default=0,
        metavar="N",
        help="of a unit of several DMX breaks: which of them, the others stay lit",
    )
    made = verb(verbs, "record", record_out, "the record of roll call as a file")
    made.add_argument("out", metavar="OUT.pdf|.csv")
    made.add_argument("--snags", action="store_true", help="open faults alone, by position")
