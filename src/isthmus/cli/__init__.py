"""The `isthmus` command: what the core can do, without a window.

Exit codes: 0 done; 1 snags were found (only `snags`); 2 the command line is wrong; 3 something could not be done,
told in one sentence; 4 interrupted.
"""

from __future__ import annotations

import argparse
import json
import re
import signal
import sys
import time
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any

import numpy as np
from msgspec.structs import replace

from isthmus import __version__
from isthmus.cli import patch as patch_verbs
from isthmus.cli import profiles as profile_verbs
from isthmus.cli.common import DONE, FAILED, INTERRUPTED, SNAGS, Result, load
from isthmus.demo import lantern_tide
from isthmus.engine import Engine
from isthmus.errors import EntryFault, FileFault, IsthmusError, NetworkFault, os_reason
from isthmus.output import Live, RigView, engine_routes
from isthmus.patch.choose import read_choice
from isthmus.patch.numbers import read_numbers
from isthmus.render import Look, Picture, RenderClient, Request
from isthmus.routes import routed, universes_in_use
from isthmus.show import save_show
from isthmus.show.container import schema
from isthmus.snags import SnagBook, find_snags
from isthmus.stage import VIEWS
from isthmus.standin import StandInRig, read_scenario


def show_info(options: argparse.Namespace) -> Result:
    show = load(options.show)
    steps = SnagBook().update(show).crossing
    use = universes_in_use(show)
    data = {
        "name": show.name,
        "venue": show.venue,
        "format": show.format,
        "units": len(show.units),
        "profiles": len(show.profiles),
        "universes": {str(universe): count for universe, count in use.items()},
        "outputs": len(show.outputs),
        "crossing": steps.done,
    }
    lines = [
        f"{show.name}{', ' + show.venue if show.venue else ''}",
        f"{len(show.units)} units of {len(show.profiles)} profiles on {len(use)} universes, {len(show.outputs)} outputs",
    ]
    return DONE, data, [*lines, *(f"  {step:9} {count} of {steps.total}" for step, count in steps.done.items())]


def show_schema(options: argparse.Namespace) -> Result:
    made = schema()
    return DONE, made, [json.dumps(made, indent=1)]


def demo_save(options: argparse.Namespace) -> Result:
    save_show(lantern_tide(), Path(options.out))
    return DONE, {"saved": options.out}, [f"Saved {options.out}"]


def snags(options: argparse.Namespace) -> Result:
    show = load(options.show)
    found = find_snags(show)
    numbers = {u.id: u.number for u in show.units}
    rows = [
        {
            "rule": s.rule,
            "severity": s.severity,
            "text": s.text,
            "page": s.page,
            "units": [numbers[u] for u in s.units],
            "mend": s.mend.label if s.mend else None,
        }
        for s in found
    ]
    lines = [f"{s.severity:10} {s.text}{f'  → {s.mend.label}' if s.mend else ''}" for s in found]
    return (SNAGS if found else DONE), rows, lines or ["No snags."]


def send(options: argparse.Namespace) -> Result:
    """Light units and send for a while, from this machine, with the same engine as the application."""
    show = load(options.show)
    if options.outputs:
        show = replace(show, outputs=tuple(o for o in show.outputs if o.universe in read_numbers(options.outputs)))
    live = Live(show)
    chosen = set(read_choice(show, options.unit).ids) if options.unit else set()
    units = [u for u in show.units if u.id in chosen]
    dark = [u.number for u in units if not any(p.universe in routed(show) for p in u.patch)]
    live.light_up([u.id for u in units], options.level / 100)
    engine = Engine()
    engine.start()
    try:
        engine.publish(live.frame, engine_routes(show, live.compiled))
        engine.enable(True)
        end = time.monotonic() + options.seconds
        while time.monotonic() < end:
            engine.beat()
            engine.check()
            time.sleep(min(0.1, max(0.0, end - time.monotonic())))
        stats = engine.stats()
    finally:
        engine.stop()
    data = {
        "seconds": options.seconds,
        "packets": stats.packets,
        "errors": stats.errors,
        "error": stats.error,
        "rate": stats.rate,
        "spread_ms": stats.spread_ms,
        "outputs": stats.routes,
        "not_reached": dark,
    }
    lines = [
        f"Sent {stats.packets} packets to {stats.routes} outputs at {stats.rate:.1f} Hz, {stats.errors} errors.",
        f"99 % of them went within {stats.spread_ms:.2f} ms of their time.",
    ]
    return DONE, data, lines + [f"Unit {n} is not reached: its universe leads nowhere." for n in dark]


def stage_render(options: argparse.Namespace) -> Result:
    """Draw the stage to a PNG, without a window or a display."""
    from PIL import Image

    show = load(options.show)
    live = Live(show)
    live.light_up(read_choice(show, options.unit or "all").ids, options.level / 100)
    view = RigView(show, live.compiled)
    match = re.fullmatch(r"(\d{2,4})x(\d{2,4})", options.size)
    if not match:
        raise EntryFault(f"“{options.size}” is no size.", do="Write 1280x800.")
    size = int(match[1]), int(match[2])
    beams, bodies = view.pose(live.frame)
    tint = np.full((max(1, len(view.rig.order)), 3), 0.18)
    client = RenderClient()
    client.start()
    try:
        news = client.wait(30)
        client.ask(Request(size, VIEWS[options.view], beams, bodies, tint, Look(), show.structures, exact=True))
        while news != "failed" and not isinstance(news := client.wait(30), Picture):
            if news is None:
                raise NetworkFault("the stage could not be drawn in time.")
        if not isinstance(news, Picture):
            raise NetworkFault(f"OpenGL does not start: {client.failure}.", do="Install Mesa: apt-get install libegl1 libgl1-mesa-dri")
        Image.frombytes("RGBX", size, bytes(client.pixels(news))).convert("RGB").save(options.out)
    except OSError as error:
        raise FileFault(f"it could not be saved. {os_reason(error)}", where=options.out) from error
    finally:
        client.stop()
    return DONE, {"saved": options.out, "beams": len(beams.rgb)}, [f"Saved {options.out}"]


def rig(options: argparse.Namespace) -> Result:
    stand_in = StandInRig(read_scenario(Path(options.scenario)), options.port, options.udp_port)
    host, port = stand_in.address
    ready = {"ready": True, "host": host, "port": port, "nodes": [node.ip for node in stand_in.loaded.scenario.nodes]}
    print(
        json.dumps(ready)
        if options.json
        else f"The stand-in rig listens on {', '.join(ready['nodes'])}; ask it on {host}:{port}. End with Ctrl C.",
        flush=True,
    )
    signal.signal(signal.SIGTERM, lambda *_: stand_in.stop())
    if options.with_parent:
        stand_in.end_with(sys.stdin.buffer)
    try:
        stand_in.serve(time.monotonic() + options.seconds if options.seconds else None)
        state = stand_in.state()
    finally:
        stand_in.close()
    return DONE, state["ports"], [f"{p['node']} port {p['port']}: {p['packets']} packets, {p['lost']} lost" for p in state["ports"]]


def parser() -> argparse.ArgumentParser:
    top = argparse.ArgumentParser(
        prog="isthmus", description="Prepare a show's rig, without a window.", epilog=(__doc__ or "").split("\n\n")[1]
    )
    top.add_argument("--version", action="version", version=__version__)
    verbs = top.add_subparsers(dest="verb", required=True, metavar="VERB")
    common = argparse.ArgumentParser(add_help=False)
    common.add_argument("--json", action="store_true", help="answer in JSON")

    def verb(group: Any, name: str, run: Callable[[argparse.Namespace], Result], text: str, show: bool = True) -> argparse.ArgumentParser:
        made = group.add_parser(name, help=text, description=text, parents=[common])
        made.set_defaults(run=run)
        if show:
            made.add_argument("show", help="a .isthmus file, or “demo”")
        return made

    shows = verbs.add_parser("show", help="what a show holds").add_subparsers(required=True, metavar="WHAT")
    verb(shows, "info", show_info, "units, universes and how far they have crossed")
    verb(shows, "schema", show_schema, "the JSON Schema of show.json", show=False)
    verb(shows, "demo", demo_save, "save the demo show as a file", show=False).add_argument("out")
    patch_verbs.add_verbs(verbs, verb)
    profile_verbs.add_verbs(verbs, verb)
    verb(verbs, "snags", snags, "what is wrong or missing; exit code 1 when there is anything")
    sending = verb(verbs, "send", send, "light units and send for a while")
    sending.add_argument("--seconds", type=float, default=2.0)
    sending.add_argument("--unit", help="units: 101-104, all but 201, a name")
    sending.add_argument("--level", type=float, default=100.0, help="percent")
    sending.add_argument("--outputs", help="only these universes")
    stages = verbs.add_parser("stage", help="the stage in 3-D").add_subparsers(required=True, metavar="WHAT")
    render = verb(stages, "render", stage_render, "draw the stage to a PNG, without a display")
    render.add_argument("--out", required=True)
    render.add_argument("--view", choices=list(VIEWS), default="Seats")
    render.add_argument("--size", default="1280x800")
    render.add_argument("--unit", help="light only these units (all without): 101-104, a name")
    render.add_argument("--level", type=float, default=100.0, help="percent")
    rigs = verb(verbs, "rig", rig, "run the stand-in rig", show=False)
    rigs.add_argument("--scenario", required=True)
    rigs.add_argument("--port", type=int, default=0, help="TCP port to be asked on (0: any)")
    rigs.add_argument("--udp-port", type=int, default=6454)
    rigs.add_argument("--with-parent", action="store_true", help="end when standard input closes")
    rigs.add_argument("--seconds", type=float, default=0.0, help="end after this time (0: never)")
    return top


def main(arguments: Sequence[str] | None = None) -> int:
    options = parser().parse_args(arguments)
    try:
        code, data, lines = options.run(options)
    except IsthmusError as error:
        if options.json:
            print(json.dumps({"error": error.what, "where": error.where, "do": error.do}))
        print(f"isthmus: {error}", file=sys.stderr)
        return FAILED
    except KeyboardInterrupt:
        return INTERRUPTED
    print(json.dumps(data) if options.json else "\n".join(lines))
    return code
