"""Verbs about routes and the network: routes, nodes, net, watch, send, rig."""

from __future__ import annotations

import argparse
import json
import signal
import sys
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

from msgspec.structs import replace

from isthmus.cli.common import DONE, SNAGS, Result, keep, load, saving
from isthmus.engine import Engine
from isthmus.errors import EntryFault
from isthmus.net import Hub, View, check, compare
from isthmus.net.ipv4 import Change
from isthmus.net.plan import RANGES, plan
from isthmus.net.serial_ports import serial_ports
from isthmus.output import Composer, Live, Masters, identity
from isthmus.output.captured import CaptureLimits, CaptureShare
from isthmus.output.claims import Claims, told_of
from isthmus.output.routing import set_pace
from isthmus.patch.choose import read_choice
from isthmus.patch.numbers import read_numbers
from isthmus.plural import many
from isthmus.routes import (
    Reach,
    notations,
    propose,
    read_hosts,
    read_number,
    routed,
    universes_in_use,
    write_number,
    write_output,
    write_port_address,
)
from isthmus.routes import edits as core
from isthmus.routes.propose import BY_CAPACITY, BY_POSITION
from isthmus.show import Show
from isthmus.show.records import Output, new_id
from isthmus.standin import StandInRig, joined, read_scenario
from isthmus.watch import MAX_SOURCES, Playing, Source, read_capture

Verb = Callable[..., argparse.ArgumentParser]


# ---------------------------------------------------------------- routes


def _row(show: Show, reach: Reach, use: dict[int, int], o: Output) -> dict[str, Any]:
    return {
        "universe": o.universe,
        "units": use.get(o.universe, 0),
        "protocol": o.protocol,
        "delivery": o.delivery,
        "hosts": list(o.hosts),
        "number": o.number,
        "written": write_port_address(o.number) if o.protocol == "artnet" else str(o.number),
        "enabled": o.enabled,
        "priority": o.priority,
        "role": o.role,
        "label": o.label,
        "ports": [port.label for port in reach.of_output[o.id]],
    }


def routes_list(options: argparse.Namespace) -> Result:
    show = load(options.show)
    reach, use = Reach(show), universes_in_use(show)
    rows = [_row(show, reach, use, o) for o in show.outputs]
    lost = [u for u in use if u not in routed(show)]
    lines = [
        f"{o.universe:5}  {use.get(o.universe, 0):4} units  {write_output(o):44} "
        f"{', '.join(p.label for p in reach.of_output[o.id]) or '–'}"
        f"{'' if o.enabled else '  (off)'}"
        for o in show.outputs
    ]
    lines += [f"{u:5}  {use[u]:4} units  has no output; counted alike: {_alike(u)}" for u in lost]
    return DONE, {"outputs": rows, "lead_nowhere": lost}, lines or ["No outputs."]


def _alike(universe: int) -> str:
    return ", ".join(f"{name} {number}" for name, number in notations(universe))


def routes_set(options: argparse.Namespace) -> Result:
    """Add outputs, or with --remove remove them."""
    show = load(options.show)
    universes = read_numbers(options.universes)
    if options.remove:
        gone = [o for o in show.outputs if o.universe in universes]
        made = core.remove_outputs(show, {o.id for o in gone})
        words = f"Removed {many(len(gone), 'output')}."
    else:
        protocol = "dmx" if options.dmx else "sacn" if options.sacn else "artnet"
        hosts = read_hosts(options.to) if options.to else ()
        first = (
            read_number(protocol, options.sacn or options.artnet)
            if options.sacn or options.artnet
            else 0
        )
        way = options.way or (
            core.DELIVERIES[protocol][0] if hosts or protocol != "artnet" else "asked"
        )
        outputs = []
        for at, universe in enumerate(universes):
            number = (
                first + at * options.step
                if first or options.artnet
                else universe - (protocol == "artnet")
            )
            numbers = {
                "artnet": {"port_address": number},
                "sacn": {"sacn": number},
                "dmx": {"device": options.dmx},
            }[protocol]
            more = {
                "host": hosts[0] if hosts else "",
                "more_hosts": hosts[1:],
                "priority": options.priority,
            }
            outputs.append(
                Output(
                    id=new_id(),
                    universe=universe,
                    protocol=protocol,
                    delivery=way,
                    **numbers,
                    **more,
                )
            )
        made = core.add(show, *outputs)
        words = (
            f"Universes {options.universes}: "
            f"{write_output(outputs[0])}{' and on' if len(outputs) > 1 else ''}."
        )
    path, told = keep(options, made)
    return DONE, {"outputs": len(made.outputs), "saved": path}, [words, told]


def routes_propose(options: argparse.Namespace) -> Result:
    show = load(options.show)
    made = propose(show, options.by)
    fresh = made.outputs[len(show.outputs) :]
    reach = Reach(made)
    rows = [
        {
            "universe": o.universe,
            "ports": [p.label for p in reach.of_output[o.id]],
            "to": write_output(o),
        }
        for o in fresh
    ]
    path, told = keep(options, made)
    return (
        DONE,
        {"added": rows, "saved": path},
        [f"Universe {r['universe']} to {', '.join(r['ports'])}" for r in rows] + [told],
    )


# ---------------------------------------------------------------- the network


def hub_of(options: argparse.Namespace, show: Show | None) -> Hub:
    hub = Hub()
    hosts = (
        {
            p: [h for o in show.outputs if o.protocol == p for h in o.hosts]
            for p in ("artnet", "sacn")
        }
        if show
        else {}
    )
    universes = (
        set(read_numbers(options.universes)) if getattr(options, "universes", None) else set()
    )
    universes |= {o.number for o in show.outputs if o.protocol == "sacn"} if show else set()
    adapters: dict[str, str] = dict.fromkeys(("artnet", "sacn"), str(options.adapter or ""))
    hub.want(
        adapters,
        hosts,
        [n.ip for n in show.nodes if n.protocol == "artnet"] if show else [],
        sorted(universes),
    )
    hub.start()
    return hub


def nodes(options: argparse.Namespace) -> Result:
    """Ask who is there."""
    show = load(options.show) if options.show else None
    hub = hub_of(options, show)
    try:
        hub.look(True)
        time.sleep(options.seconds)
        view = hub.view
    finally:
        hub.stop()
    found = [
        {
            "ip": n.ip,
            "name": n.name,
            "long_name": n.long_name,
            "mask": n.mask,
            "macs": list(n.macs),
            "firmware": n.firmware,
            "rdm": n.rdm,
            "ports": [
                {
                    "port": p.index,
                    "direction": p.direction,
                    "number": p.number,
                    "written": p.words,
                    "merge": p.merge,
                    "live": p.active,
                }
                for p in n.ports
            ],
        }
        for n in view.nodes
    ]
    differ = (
        [
            {"kind": d.kind, "severity": d.severity, "text": d.text}
            for d in compare(show, view.nodes)
        ]
        if show
        else []
    )
    senders = [{"name": s.name, "ip": s.ip, "universes": list(s.universes)} for s in view.sacn]
    lines = [
        f"{n.ip:15} {n.name:18} {', '.join(f'{p.direction} {p.words}' for p in n.ports)}"
        for n in view.nodes
    ]
    lines += [f"{d['severity']:10} {d['text']}" for d in differ]
    told = any(d["severity"] == "fault" for d in differ) or not view.nodes
    lines = [*view.trouble, *lines] if view.nodes else ["No node answers.", *view.trouble, *lines]
    return (
        SNAGS if told or view.trouble else DONE,
        {"nodes": found, "differences": differ, "senders": senders, "trouble": list(view.trouble)},
        lines,
    )


def net_check(options: argparse.Namespace) -> Result:
    """Adapters, and whether packets get to where the show sends."""
    show = load(options.show)
    view = _settled(options, show)
    troubles = check(show, view.adapters, view.choices, view.nodes)
    data = {
        "adapters": [
            {"name": a.name, "ip": a.ip, "mask": a.mask, "up": a.up, "speed": a.speed}
            for a in view.adapters
        ],
        "goes_out_by": {
            p: {"adapter": c.adapter.name if c.adapter else None, "why": c.why}
            for p, c in view.choices.items()
        },
        "troubles": [
            {
                "kind": t.kind,
                "severity": t.severity,
                "text": t.text,
                "why": t.why,
                "fixes": [_fix(way) for way in t.ways],
            }
            for t in troubles
        ],
    }
    lines = [
        f"{a.name:10} {a.ip:15} {a.mask:15} {'up' if a.up else 'no link'}" for a in view.adapters
    ]
    for t in troubles:
        lines += [
            f"{t.severity}: {t.text}",
            f"    {t.why}",
            *(f"    {n}. {w.words}" for n, w in enumerate(t.ways, 1)),
        ]
    return (
        DONE,
        data,
        lines + ([] if troubles else ["Every destination lies in a network of this computer."]),
    )


def _fix(way: Change) -> dict[str, Any]:
    return {
        "words": way.words,
        "end": way.end,
        "address": way.address,
        "mask": way.mask,
        "commands": list(way.commands),
    }


def _settled(options: argparse.Namespace, show: Show) -> View:
    hub = hub_of(options, show)
    hub.stop()
    return hub.view


def net_ports(options: argparse.Namespace) -> Result:
    """The serial ports of this computer, and why one cannot be used."""
    found = serial_ports()
    rows = [{"device": p.device, "what": p.words, "trouble": p.trouble} for p in found]
    lines = [f"{p.device:44} {p.words}{f': {p.trouble}' if p.trouble else ''}" for p in found]
    return DONE, rows, lines or ["No serial adapter is plugged in."]


def net_plan(options: argparse.Namespace) -> Result:
    """Propose addresses."""
    show = load(options.show)
    lines = plan(_settled(options, show).adapters, show.nodes, options.range)
    rows = [
        {
            "device": x.name,
            "now": x.now,
            "address": x.address,
            "mask": x.mask,
            "commands": list(x.commands),
        }
        for x in lines
    ]
    return (
        DONE,
        rows,
        [text for x in lines for text in (x.words, *(f"    {c}" for c in x.commands))],
    )


def watch(options: argparse.Namespace) -> Result:
    """Listen, and say what each device sends."""
    hub = hub_of(options, None)
    try:
        if options.capture:
            hub.watch.capture(options.capture)
        time.sleep(options.seconds)
        sources = hub.watch.sources()
        levels = [hub.watch.levels(s) for s in sources]
        if options.capture:
            hub.watch.capture("")
            time.sleep(0.3)
        counts, captured, trouble = hub.watch.counts(), hub.captured, hub.view.trouble
    finally:
        hub.stop()
    if captured is not None and captured.error:
        raise EntryFault(f"{options.capture} cannot be written: {captured.error}.")
    rows = [
        _source(s) | {"levels": slots.tolist() if options.levels else None}
        for s, slots in zip(sources, levels, strict=True)
    ]
    lines = [
        f"{write_number(s.protocol, s.number):24} {s.ip:15} {s.name or '–':20} {s.rate:5.1f} "
        f"Hz  priority {s.priority}, {s.lost} lost"
        for s in sources
    ]
    lines = lines or ["Nothing that can be heard is sent." if trouble else "Nothing is sent."]
    told = {"packets": counts.packets, "bad": counts.bad, "trouble": list(trouble)}
    if counts.full:
        told["left_out"] = counts.full
        lines.append(
            f"More than {MAX_SOURCES} sources at once: {many(counts.full, 'packet')} of others "
            "left out."
        )
    return SNAGS if trouble else DONE, {"sources": rows, **told}, [*trouble, *lines]


def _source(s: Source) -> dict[str, Any]:
    keys = (
        "protocol",
        "number",
        "ip",
        "name",
        "priority",
        "rate",
        "packets",
        "lost",
        "preview",
        "ended",
        "sync",
    )
    return {key: getattr(s, key) for key in keys}


# ---------------------------------------------------------------- sending


STARTS_WITHIN = 10.0  # seconds the engine is waited for


def send(options: argparse.Namespace) -> Result:
    """Light units, or play a capture back, from this computer, with the same engine as the
    application.
    """
    if options.capture:
        return _play(options)
    if not 0 <= options.level <= 100:
        raise EntryFault("A level lies between 0 and 100 percent.")
    show = load(options.show)
    if options.outputs:
        show = replace(
            show,
            outputs=tuple(o for o in show.outputs if o.universe in read_numbers(options.outputs)),
        )
    live = Live(show)
    chosen = set(read_choice(show, options.unit).ids) if options.unit else set()
    units = [u for u in show.units if u.id in chosen]
    dark = [u.number for u in units if not any(p.universe in routed(show) for p in u.patch)]
    live.light_up([u.id for u in units], options.level / 100)
    hub, engine, claims = hub_of(options, show), Engine(), Claims(show.name)
    composer = Composer(Masters(), claims)
    asks = any(o.delivery == "asked" for o in show.outputs)
    try:
        claims.begin()
        hub.look(asks)
        engine.use(hub.outlets)
        engine.start()
        set_pace(engine, show.sending)
        begun = time.monotonic()
        end = begun + options.seconds
        first = waiting = True
        while time.monotonic() < end:
            if first or hub.view.asking != composer.asking:
                composer.asking, composer.broadcast = hub.view.asking, hub.outlets.broadcast
                engine.publish(*composer.compose(show, live), identity(show))
                engine.enable(True)
                first = False
            engine.beat()
            engine.check()
            # the seconds asked for count from where it sends: a process takes a while to begin
            if waiting and time.monotonic() - begun < STARTS_WITHIN:
                waiting = engine.stats().state in ("idle", "gone")
                end = time.monotonic() + options.seconds
            time.sleep(min(0.1, max(0.0, end - time.monotonic())))
        stats = engine.stats()
    finally:
        engine.stop()
        claims.close()
        hub.stop()
    data = {
        "seconds": options.seconds,
        "packets": stats.packets,
        "errors": stats.errors,
        "error": stats.error,
        "rate": stats.rate,
        "spread_ms": stats.spread_ms,
        "dmx_ports": [
            {"device": p.device, "state": p.state, "packets": p.packets} for p in stats.ports
        ],
        "outputs": stats.routes,
        "not_reached": dark,
        "left_out": {u: sender.pid for u, sender in composer.left.items()},
    }
    lines = [
        (
            f"Sent {stats.packets} packets to {stats.routes} outputs at {stats.rate:.1f} Hz, "
            f"{stats.errors} errors."
        ),
        f"99 % of them went within {stats.spread_ms:.2f} ms of their time.",
    ]
    if composer.left:
        lines.append(told_of(composer.left)[1])
    wrong = not stats.packets or stats.errors or dark or composer.left
    return (
        SNAGS if wrong else DONE,
        data,
        lines + [f"Unit {n} is not reached: its universe has no output." for n in dark],
    )


def _play(options: argparse.Namespace) -> Result:
    show = load(options.show)
    playing = Playing(read_capture(Path(options.capture)), options.to or "")
    limits = CaptureLimits(show)
    hub, sent = hub_of(options, None), 0
    with Claims(show.name) as claims:
        share = CaptureShare(claims, playing.packets)
        try:
            while not playing.done:
                for payload, (host, port) in playing.due():
                    if share.may(payload, host):
                        held = payload if options.past_limits else limits.hold(payload)
                        sent += not hub.send(held, host, port)
                time.sleep(0.005)
        finally:
            hub.stop()
    told = [f"Played {sent} packets back in {playing.seconds:.1f} s."]
    told += [f"Limits held {limits.held} packets back."] if limits.held else []
    told += [told_of(share.left)[1]] if share.left else []
    data = {
        "sent": sent,
        "seconds": playing.seconds,
        "held": limits.held,
        "left_out": {number: sender.pid for number, sender in share.left.items()},
    }
    return (SNAGS if share.left else DONE), data, told


def rig(options: argparse.Namespace) -> Result:
    loaded = joined([read_scenario(Path(name)) for name in options.scenario])
    stand_in = StandInRig(loaded, options.port, options.udp_port)
    host, port = stand_in.address
    ready = {
        "ready": True,
        "host": host,
        "port": port,
        "nodes": [node.ip for node in stand_in.loaded.scenario.nodes],
    }
    listens = (
        f"The simulator listens on {', '.join(map(str, ready['nodes']))}; ask it on "
        f"{host}:{port}. End with Ctrl C."
    )
    signal.signal(signal.SIGTERM, lambda *_: stand_in.stop())
    print(json.dumps(ready) if options.json else listens, flush=True)
    if options.with_parent:
        stand_in.end_with(sys.stdin.buffer)
    try:
        stand_in.serve(time.monotonic() + options.seconds if options.seconds else None)
        ports = stand_in.ports_now()["ports"]
    finally:
        stand_in.close()
    return (
        DONE,
        ports,
        [f"{p['node']} port {p['port']}: {p['packets']} packets, {p['lost']} lost" for p in ports],
    )


def add_verbs(verbs: Any, verb: Verb) -> None:
    groups = verbs.add_parser("routes", help="where universes go").add_subparsers(
        required=True, metavar="WHAT"
    )
    verb(groups, "list", routes_list, "every output in every notation, and what has no output")
    made = verb(groups, "set", routes_set, "route universes, or take their routes away")
    made.add_argument("universes", help="1, or 1-4")
    made.add_argument("--artnet", metavar="ADDRESS", help="first port-address: 16, or 0.1.0")
    made.add_argument("--sacn", metavar="UNIVERSE", help="first sACN universe")
    made.add_argument("--dmx", metavar="DEVICE", help="a DMX port of this computer: /dev/ttyUSB0")
    made.add_argument(
        "--to",
        metavar="HOSTS",
        help="addresses to unicast to; else to nodes that ask, or by multicast",
    )
    made.add_argument("--way", choices=("unicast", "asked", "broadcast", "multicast"))
    made.add_argument("--step", type=int, default=1, help="count on by")
    made.add_argument("--priority", type=int, default=100)
    made.add_argument("--remove", action="store_true")
    saving(made)
    made = verb(
        groups, "propose", routes_propose, "give every universe without an output a free port"
    )
    made.add_argument("--by", choices=(BY_POSITION, BY_CAPACITY), default=BY_POSITION)
    saving(made)
    made = verb(
        verbs, "nodes", nodes, "who answers on the network, against what a show expects", show=False
    )
    made.add_argument("show", nargs="?", help="a .isthmus file, or “demo”")
    made.add_argument("--seconds", type=float, default=3.0)
    _adapter(made)
    groups = verbs.add_parser("net", help="adapters and addresses").add_subparsers(
        required=True, metavar="WHAT"
    )
    _adapter(verb(groups, "check", net_check, "whether packets get to where the show sends"))
    made = verb(groups, "plan", net_plan, "propose addresses for this computer and the nodes")
    made.add_argument("--range", choices=list(RANGES), default="2.x")
    _adapter(made)
    verb(groups, "ports", net_ports, "serial ports DMX may go out by", show=False)
    made = verb(verbs, "watch", watch, "what each device sends on the network", show=False)
    made.add_argument("--seconds", type=float, default=3.0)
    made.add_argument("--universes", help="sACN universes to join: 1-8")
    made.add_argument("--levels", action="store_true", help="with the levels of all slots")
    made.add_argument("--capture", metavar="FILE", help="write what comes in to a pcapng file")
    _adapter(made)
    made = verb(verbs, "send", send, "light units and send for a while")
    made.add_argument("--seconds", type=float, default=2.0)
    made.add_argument("--unit", help="units: 101-104, all but 201, a name")
    made.add_argument("--level", type=float, default=100.0, help="percent")
    made.add_argument("--outputs", help="only these universes")
    made.add_argument("--capture", metavar="FILE", help="play a capture back instead")
    made.add_argument(
        "--past-limits", action="store_true", help="send the capture past the limits of the show"
    )
    made.add_argument(
        "--to", metavar="HOST", help="send the capture there, instead of where it went"
    )
    _adapter(made)
    made = verb(verbs, "rig", rig, "run the simulator", show=False)
    made.add_argument("--scenario", required=True, action="append", help="a file; several may be")
    made.add_argument("--port", type=int, default=0, help="TCP port to be asked on (0: any)")
    made.add_argument("--udp-port", type=int, default=6454)
    made.add_argument("--with-parent", action="store_true", help="end when standard input closes")
    made.add_argument("--seconds", type=float, default=0.0, help="end after this time (0: never)")


def _adapter(made: argparse.ArgumentParser) -> None:
    made.add_argument("--adapter", metavar="NAME", help="go out by this adapter (name or address)")
