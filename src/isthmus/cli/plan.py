"""The verbs of the plan: sheets, their export, and laying units out on them."""

from __future__ import annotations

import argparse
from collections.abc import Callable
from pathlib import Path
from typing import Any

from isthmus.cli.common import DONE, Result, keep, load, saving
from isthmus.cli.stage import read_point
from isthmus.errors import EntryFault
from isthmus.layout.choose import in_order
from isthmus.layout.facing import FACINGS, faced, ways
from isthmus.layout.laying import KINDS, Laying
from isthmus.layout.place import move_units, structure_named
from isthmus.layout.structures import hang
from isthmus.patch.choose import read_choice
from isthmus.sheets.files import pdf, svg
from isthmus.sheets.marks import PAPERS, fitting_scale, pages
from isthmus.sheets.sheets import locked_among, newly_held, points_of, put_points, sheet, sheets_of
from isthmus.show import Show
from isthmus.show.files import write_atomically
from isthmus.stage.runs import SIDES

Verb = Callable[..., argparse.ArgumentParser]


def plan_sheets(options: argparse.Namespace) -> Result:
    show = load(options.show)
    rows = [
        {
            "id": s.id,
            "name": s.name,
            "kind": s.kind,
            "units": len(s.spots) if s.kind == "free" else None,
        }
        for s in sheets_of(show)
    ]
    return DONE, rows, [f"{r['name']} ({r['kind']})" for r in rows]


def plan_export(options: argparse.Namespace) -> Result:
    show = load(options.show)
    one = sheet(show, options.sheet)
    scale = options.scale or fitting_scale(show, one, options.paper)
    only = read_choice(show, options.units).ids if options.units else None
    made = pages(show, one, scale, options.paper, only)
    kind = Path(options.out).suffix.lower()
    if kind not in (".pdf", ".svg"):
        raise EntryFault(
            f"“{options.out}” is neither PDF nor SVG.", do="End the name in .pdf or .svg."
        )
    data = pdf(show, made, f"{show.name}: {one.name}") if kind == ".pdf" else svg(show, made)
    write_atomically(Path(options.out), data)
    words = (
        f"Saved {options.out}: {one.name} at 1:{scale} on {len(made)} "
        f"page{'s' * (len(made) != 1)} of {options.paper}"
    )
    return DONE, {"saved": options.out, "scale": scale, "pages": len(made)}, [words]


def plan_lay(options: argparse.Namespace) -> Result:
    show = load(options.show)
    one = sheet(show, options.sheet)
    ids = _chosen(show, options)
    start, *_ = points = [read_point(text)[:2] for text in options.at]
    ends = {"line": 2, "path": 2, "circle": 1, "grid": 1}[options.kind]
    if len(points) < ends or (options.kind != "path" and len(points) > ends):
        wanted = ("one point", "two points")[ends - 1]
        more = " or more" if options.kind == "path" else ""
        raise EntryFault(f"A {options.kind} takes {wanted}{more}.", do="Say --at X,Y for each.")
    laying = Laying(
        options.kind,
        start=start,
        end=points[-1],
        path=tuple(points),
        spacing=options.every,
        across=options.across,
        down=options.down,
        radius=options.radius,
        angle=options.start,
        sweep=options.over,
        columns=options.columns,
        by_columns=options.by_columns,
        serpentine=options.serpentine,
        closed=options.closed,
    )
    places = laying.places(len(ids))
    laid = {u: (float(x), float(y)) for u, (x, y) in zip(ids, places, strict=True)}
    # typed, so kept to the figure: what is laid over a structure hangs on it only when asked
    after = put_points(show, one, laid, False, options.hang and one.kind == "plan")
    if options.facing and one.kind == "plan":
        after = faced(after, ids, ways(laying, len(ids), options.facing), options.facing)
    return _laid(options, show, after, ids)


def plan_hang(options: argparse.Namespace) -> Result:
    show = load(options.show)
    ids = _chosen(show, options)
    on = structure_named(show, options.on)
    if on is None:
        names = ", ".join(s.name for s in show.structures) or "none"
        raise EntryFault(f"no structure is called “{options.on}”.", do=f"There are: {names}.")
    how = "marks" if options.marks else "spacing" if options.every else "evenly"
    after = hang(show, ids, on.id, how, options.side, options.every, options.offset)
    return _laid(options, show, after, ids)


def plan_move(options: argparse.Namespace) -> Result:
    show = load(options.show)
    ids = _chosen(show, options)
    return _laid(options, show, move_units(show, ids, read_point(options.by)), ids)


def _chosen(show: Show, options: argparse.Namespace) -> list[str]:
    """In the order they are typed, or by number."""
    ids = list(read_choice(show, options.units).ids)
    return in_order(show, ids, "by number") if options.by_number else ids


def _laid(options: argparse.Namespace, show: Show, after: Show, ids: list[str]) -> Result:
    """Where units are now, which stayed, and what hangs where."""
    saved, words = keep(options, after)
    stayed = locked_among(show, ids)
    rows = [
        {
            "unit": unit.number,
            "at": [round(v, 4) for v in unit.position] if unit.position else None,
            "on": unit.structure,
        }
        for unit in (after.unit(i) for i in ids)
        if unit
    ]
    free = sheet(after, getattr(options, "sheet", "plan"))
    if free.kind == "free":
        points = points_of(after, free)
        for row, i in zip(rows, ids, strict=True):
            row["on_sheet"] = [round(v, 4) for v in points[i]] if i in points else None
    lines = [
        f"{r['unit']:>6}  {', '.join(f'{v:.3f}' for v in r.get('on_sheet') or r['at'] or ())}"
        for r in rows
    ]
    held = newly_held(show, after, ids)
    locked = [f"{', '.join(map(str, stayed))} locked, and left where they are."] if stayed else []
    data = {"units": rows, "locked": stayed, "hanging": held, "saved": saved}
    return DONE, data, [*lines, *held, *locked, words]


def add_verbs(verbs: Any, verb: Verb) -> None:
    plans = verbs.add_parser("plan", help="sheets of the plan").add_subparsers(
        required=True, metavar="WHAT"
    )
    verb(plans, "sheets", plan_sheets, "which sheets there are")
    export = verb(plans, "export", plan_export, "a sheet as PDF or SVG, at a true scale")
    export.add_argument("out", help="OUT.pdf or OUT.svg")
    export.add_argument("--sheet", default="Plan")
    export.add_argument(
        "--scale", type=int, help="50 for 1:50; the largest that fits one page without"
    )
    export.add_argument("--paper", choices=list(PAPERS), default="A3")
    export.add_argument("--units", help="only these units")
    lay = verb(plans, "lay", plan_lay, "lay units in a line, along a path, on a circle, in a grid")
    lay.add_argument("--as", dest="kind", required=True, choices=KINDS)
    lay.add_argument(
        "--at",
        action="append",
        required=True,
        metavar="X,Y",
        help="metres: both ends of a line, each point of a path, the centre of a circle, the "
        "first of a grid",
    )
    lay.add_argument("--every", type=float, default=0.0, help="metres apart (even without)")
    lay.add_argument("--radius", type=float, default=2.0)
    lay.add_argument("--start", type=float, default=90.0, help="degrees the circle begins at")
    lay.add_argument("--over", type=float, default=360.0, help="degrees; 180 for half a circle")
    lay.add_argument("--across", type=float, default=1.0, help="metres to the next in a row")
    lay.add_argument("--down", type=float, default=1.0, help="metres to the next row")
    lay.add_argument("--columns", type=int, default=4, help="units in a row")
    lay.add_argument("--by-columns", action="store_true")
    lay.add_argument("--serpentine", action="store_true", help="every other row goes back")
    lay.add_argument("--closed", action="store_true", help="the path ends where it begins")
    lay.add_argument("--sheet", default="Plan")
    lay.add_argument("--facing", choices=[f for f in FACINGS if f], help="how units are turned")
    lay.add_argument("--hang", action="store_true", help="on the structures there, however high")
    hanging = verb(plans, "hang", plan_hang, "hang units along a structure")
    hanging.add_argument("--on", required=True, help="the name of a structure")
    hanging.add_argument("--every", type=float, default=0.0, help="metres apart (even without)")
    hanging.add_argument("--marks", action="store_true", help="at its marked points")
    hanging.add_argument("--side", default="", choices=["", *SIDES])
    hanging.add_argument("--offset", type=float, default=0.0, help="metres further out")
    move = verb(plans, "move", plan_move, "move units by metres")
    move.add_argument("--by", required=True, metavar="X,Y,Z")
    for one in (lay, hanging, move):
        one.add_argument("--units", required=True, help="which units, in the order they are laid")
        one.add_argument("--by-number", action="store_true", help="lay them in numeric order")
        saving(one)
