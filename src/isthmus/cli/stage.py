"""The verbs of the stage: aim, lux, land, render, turntable."""

from __future__ import annotations

import argparse
import re
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np

from isthmus.cli.common import DONE, Result, load
from isthmus.errors import EntryFault
from isthmus.output import Live, RigView
from isthmus.output.aiming import aim_units, in_words
from isthmus.patch.choose import read_choice
from isthmus.render.gltf import rig_gltf
from isthmus.render.still import gif, png, stills, turntable
from isthmus.show import Show
from isthmus.show.files import write_atomically
from isthmus.stage import VIEWS, Camera, Drawn
from isthmus.stage.camera import named
from isthmus.stage.drawing import LEVELS
from isthmus.stage.landing import backs, land, surfaces
from isthmus.stage.photometry import contributions, over
from isthmus.stage.rig import Beams, Rig
from isthmus.stage.shade import shade_of
from isthmus.stage.space import space_of

Verb = Callable[..., argparse.ArgumentParser]
SURELY = 0.5  # lux below which a unit is not named


def read_point(text: str) -> tuple[float, float, float]:
    parts = re.split(r"[,; ]+", text.strip().replace("−", "-"))
    try:
        x, y, z = (float(p) for p in (parts if len(parts) == 3 else [*parts, "0"]))
    except ValueError:
        raise EntryFault(
            f"“{text[:30]}” is not a point.", do="Write metres as X,Y,Z such as 1.5,-2,0."
        ) from None
    if not all(np.isfinite(v) and abs(v) <= 500 for v in (x, y, z)):
        raise EntryFault(f"“{text[:30]}” lies outside the world.")
    return x, y, z


def size_of(text: str) -> tuple[int, int]:
    match = re.fullmatch(r"(\d{2,5})x(\d{2,5})", text)
    if not match:
        raise EntryFault(f"“{text}” is not a size.", do="Write 1280x800.")
    return int(match[1]), int(match[2])


def _lit(options: argparse.Namespace) -> tuple[Show, Live, list[str]]:
    """The show with the wanted units lit, and aimed where that is said."""
    show = load(options.show)
    live = Live(show)
    ids = list(read_choice(show, options.units or "all").ids)
    live.light_up(ids, options.level / 100)
    if options.aim:
        live.ask(aim_units(live, ids, read_point(options.aim))[0])
    return show, live, ids


def stage_aim(options: argparse.Namespace) -> Result:
    show = load(options.show)
    live = Live(show)
    ids = list(read_choice(show, options.units or "all").ids)
    _, answers = aim_units(live, ids, read_point(options.at), options.way)
    rows = [
        {
            "unit": a.number,
            "head": a.head,
            "pan": round(a.pan, 3),
            "tilt": round(a.tilt, 3),
            "reached": a.reached,
            "miss": round(a.miss, 4) if np.isfinite(a.miss) else None,
            "why": a.why,
        }
        for a in answers
    ]
    lines = [
        f"{a.name:>14}  pan {a.pan:8.2f}°  tilt {a.tilt:8.2f}°  "
        f"{'meets it' if a.reached else a.why}"
        for a in answers
    ]
    return DONE, rows, [*lines, in_words(answers)]


def stage_land(options: argparse.Namespace) -> Result:
    show, live, ids = _lit(options)
    view = RigView(show, live.compiled)
    beams, _ = view.pose(live.frame, Drawn(hide_off=False))
    on = [*surfaces(show.structures), *backs(show.structures)]
    points, which = land(beams.origin, beams.direction, on)
    chosen = set(ids)
    rows, lines = [], []
    for index in range(len(points)):
        at = int(beams.unit[index])
        if view.rig.order[at] not in chosen:
            continue
        met = which[index] >= 0
        place = [round(float(v), 3) for v in points[index]] if met else None
        rows.append(
            {
                "unit": view.rig.numbers[at],
                "at": place,
                "on": on[which[index]].name if met else None,
            }
        )
        words = (
            f"{on[which[index]].name} at {place[0]:.2f}, {place[1]:.2f}, {place[2]:.2f}"
            if place
            else "nothing"
        )
        lines.append(f"{view.rig.numbers[at]:6}  lands on {words}")
    return DONE, rows, lines


def stage_lux(options: argparse.Namespace) -> Result:
    """Lux at a point by unit, or over a surface."""
    show, live, _ = _lit(options)
    view = RigView(show, live.compiled)
    beams, _ = view.pose(live.frame, Drawn(hide_off=False))
    if options.over:
        return _lux_over(show, beams, options.over, options.grid)
    if not options.at:
        raise EntryFault("Where?", do="Say --at X,Y,Z or --over DECK.")
    facing = np.array(read_point(options.facing))
    length = float(np.linalg.norm(facing))
    if length < 1e-9:
        raise EntryFault("A surface faces somewhere.", do="Say --facing 0,-1,0 for an upright one.")
    each = contributions(beams, [read_point(options.at)], facing / length, shade_of(show))[0]
    by_unit: dict[int, float] = {}
    for index, value in enumerate(each):
        if value > 0:
            number = view.rig.numbers[int(beams.unit[index])]
            by_unit[number] = by_unit.get(number, 0.0) + float(value)
    rows = [
        {"unit": n, "lux": round(v, 3)} for n, v in sorted(by_unit.items(), key=lambda i: -i[1])
    ]
    lines = [f"{sum(by_unit.values()):.1f} lux"] + [
        f"  {r['unit']:6}  {r['lux']:.1f}" for r in rows if r["lux"] >= SURELY
    ]
    return DONE, {"lux": round(sum(by_unit.values()), 3), "units": rows}, lines


def _lux_over(show: Show, beams: Beams, name: str, grid: int) -> Result:
    on = [s for s in surfaces(show.structures) if s.structure]
    one = next((s for s in on if s.name.lower() == name.lower()), None)
    if one is None:
        raise EntryFault(
            f"No surface is called “{name}”.", do=f"There are {', '.join(s.name for s in on)}."
        )
    lux = over(beams, one, grid, grid, shade_of(show))
    low, mean, high = float(lux.min()), float(lux.mean()), float(lux.max())
    data = {"low": low, "mean": mean, "high": high, "grid": np.round(lux, 2).tolist()}
    return DONE, data, [f"{one.name}: {low:.0f} to {high:.0f} lux, {mean:.0f} on average"]


def camera_named(show: Show, name: str, aspect: float, rig: Rig) -> Camera:
    for view in VIEWS:
        if view.lower() == name.lower():
            space = space_of(rig.positions, rig.structures)
            there = np.delete(rig.positions, space.strays, axis=0)
            return named(view, there, space.low, space.high, aspect)
    for kept in show.views:
        if kept.name.lower() == name.lower():
            return Camera(kept.target, kept.distance, kept.bearing, kept.height, kept.fov)
    names = [*VIEWS, *(v.name for v in show.views)]
    raise EntryFault(f"There is no view “{name}”.", do=f"There are {', '.join(names)}.")


def stage_render(options: argparse.Namespace) -> Result:
    """Draw the stage to a PNG or a turning GIF, without a window or a display."""
    show, live, _ = _lit(options)
    view = RigView(show, live.compiled)
    size = size_of(options.size)
    camera = camera_named(show, options.view, size[0] / size[1], view.rig)
    drawing = next(d for d in LEVELS if d.name.lower() == options.drawing)
    if options.turn:
        shots = [(c, live.frame) for c in turntable(camera, options.turn)]
        data = gif(stills(show, view, shots, size, drawing), size, options.seconds)
    else:
        data = png(next(iter(stills(show, view, [(camera, live.frame)], size, drawing))), size)
    write_atomically(Path(options.out), data)
    beams, _ = view.pose(live.frame, drawing.drawn())
    strays = [view.rig.numbers[i] for i in space_of(view.rig.positions, view.rig.structures).strays]
    more = [f"Far off and left out of the haze: {', '.join(map(str, strays))}"] if strays else []
    return (
        DONE,
        {"saved": options.out, "beams": len(beams.rgb), "strays": strays},
        [f"Saved {options.out}", *more],
    )


def stage_gltf(options: argparse.Namespace) -> Result:
    """The rig for a viewer, as one binary glTF file."""
    data = rig_gltf(load(options.show))
    write_atomically(Path(options.to), data)
    return DONE, {"saved": options.to}, [f"Saved {options.to}: {len(data) // 1024} kB"]


def add_verbs(verbs: Any, verb: Verb) -> None:
    stages = verbs.add_parser("stage", help="the stage in 3-D").add_subparsers(
        required=True, metavar="WHAT"
    )
    aim = verb(stages, "aim", stage_aim, "pan and tilt that make beams meet at a point")
    aim.add_argument("--at", required=True, help="metres: X,Y,Z")
    aim.add_argument("--way", choices=["nearest", "least travel", "same way"], default="nearest")
    aim.add_argument("--units", "--unit", help="which units (all without): 101-104, a name")
    lux = verb(stages, "lux", stage_lux, "illuminance at a point, or over a surface")
    lux.add_argument("--at", help="metres: X,Y,Z")
    lux.add_argument(
        "--facing", default="0,0,1", help="which way the surface at the point faces (default: up)"
    )
    lux.add_argument("--over", help="the name of a deck, hull, wall, drape or screen")
    lux.add_argument(
        "--grid",
        type=int,
        default=20,
        choices=range(2, 201),
        metavar="N",
        help="points a side (default 20)",
    )
    model = verb(stages, "gltf", stage_gltf, "structures and units as glTF for a viewer")
    model.add_argument("--to", required=True, metavar="OUT.glb")
    landing = verb(stages, "land", stage_land, "where beams land")
    render = verb(
        stages, "render", stage_render, "draw the stage to a PNG or GIF, without a display"
    )
    render.add_argument("out", help="OUT.png, or OUT.gif with --turn")
    render.add_argument(
        "--view", default="Seats", help=f"{', '.join(VIEWS)}, or one the show keeps"
    )
    render.add_argument("--size", default="1280x800")
    render.add_argument("--drawing", choices=[d.name.lower() for d in LEVELS], default="fine")
    render.add_argument(
        "--turn",
        type=int,
        default=0,
        choices=range(361),
        metavar="N",
        help="once round in N pictures, as GIF",
    )
    render.add_argument(
        "--seconds", type=float, default=6.0, help="how long the GIF takes once round"
    )
    for one in (lux, landing, render):
        one.add_argument(
            "--units", "--unit", help="light only these units (all without): 101-104, a name"
        )
        one.add_argument("--level", type=float, default=100.0, help="percent they are lit at")
        one.add_argument("--aim", help="aim them at X,Y,Z first")
