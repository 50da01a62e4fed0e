"""`isthmus pixels`: grids of cells, proposed from the rig, and test pictures on them."""

from __future__ import annotations

import argparse
from typing import Any

from msgspec.structs import replace

from isthmus.cli.common import DONE, Result, keep, load, saving
from isthmus.cli.looks import level_rows
from isthmus.errors import EntryFault
from isthmus.output import Live
from isthmus.patch.choose import read_choice
from isthmus.pixels.by_hand import STARTS, Run, lay_out
from isthmus.pixels.grids import (
    SHOWN,
    VIEWS,
    grid_named,
    next_number,
    propose,
    put_grid,
    read_shown,
    read_size,
    say_shown,
)
from isthmus.pixels.power import power_of
from isthmus.pixels.ready import canvas_of
from isthmus.pixels.shown import ask_picture
from isthmus.pixels.wiring_pictures import PICTURES
from isthmus.plural import many
from isthmus.show.records import SLOTS, PixelGrid, Show


def load_pixels(name: str) -> Show:
    """A show file; the demo show comes with its picture wall."""
    show = load(name)
    if name == "demo":
        from isthmus.demo.wall import with_wall  # a profile is made for it

        return with_wall(show)
    return show


def _told(show: Show, grid: PixelGrid) -> dict[str, Any]:
    number = {unit.id: unit.number for unit in show.units}
    cells = [{"unit": number.get(c.unit), "cell": c.cell, "x": c.x, "y": c.y} for c in grid.cells]
    return {
        "number": grid.number,
        "name": grid.name,
        "width": grid.width,
        "height": grid.height,
    } | {"cells": cells}


def pixels_propose(options: argparse.Namespace) -> Result:
    """A grid from where the cells of units are; kept where it is to be saved."""
    show = load_pixels(options.show)
    units = read_choice(show, options.units).ids
    found = propose(show, units, options.view, options.true_places)
    made, _ = put_grid(show, replace(found.grid, name=options.name or found.grid.name))
    target, said = keep(options, made)
    told = _told(show, made.grids[-1]) | {"words": found.in_words(), "saved": target}
    return DONE, told, [found.in_words(), said]


def pixels_make(options: argparse.Namespace) -> Result:
    """A grid by how its cells follow each other."""
    show = load_pixels(options.show)
    panel = read_size(options.panel) if options.panel else None
    grid = lay_out(
        Live(show).blank(),
        read_choice(show, options.units).ids,
        options.across,
        Run(options.start, options.columns, options.back_and_forth),
        panel,
        Run(options.panel_start, options.panel_columns, options.panel_back_and_forth),
    )
    made, _ = put_grid(show, replace(grid, number=next_number(show), name=options.name))
    target, said = keep(options, made)
    words = f"{grid.width} × {grid.height}, {many(len(grid.cells), 'cell')}."
    return DONE, _told(show, made.grids[-1]) | {"saved": target}, [words, said]


def pixels_list(options: argparse.Namespace) -> Result:
    show = load_pixels(options.show)
    lines = [
        f"{g.number:>3}  {g.name}  {g.width} × {g.height}, {many(len(g.cells), 'cell')}"
        for g in show.grids
    ]
    return DONE, [_told(show, grid) for grid in show.grids], lines or ["No grids yet."]


def pixels_grid(options: argparse.Namespace) -> Result:
    """How pictures are shown on a grid."""
    show = load_pixels(options.show)
    grid = grid_named(show, options.grid)
    for name in SHOWN:
        if (text := getattr(options, name)) is not None:
            grid = read_shown(grid, name, text)
    made, _ = put_grid(show, grid)
    target, said = keep(options, made)
    live = Live(made)
    power = power_of(live, grid, canvas_of(live, grid))
    told = {name: getattr(grid, name) for name in SHOWN} | {"saved": target}
    told["power"] = {"now": power.now, "full": power.full, "unknown_cells": power.unknown}
    lines = [", ".join(f"{SHOWN[n][0]} {say_shown(grid, n) or 'of the picture'}" for n in SHOWN)]
    lines += [power.in_words()] if power.in_words() else []
    return DONE, told, [*lines, said]


def pixels_test(options: argparse.Namespace) -> Result:
    """What a test picture asks of each cell, and the slots that are sent then."""
    show = load_pixels(options.show)
    grid = grid_named(show, options.grid)
    if not 0 <= options.level <= 100:
        raise EntryFault(f"{options.level:g} % is not a level.", do="Write 0 to 100.")
    live = Live(show)
    picture = PICTURES[options.picture](grid.width, grid.height, options.at)
    asked = ask_picture(live, grid, picture, options.level / 100)
    live.ask(asked)
    universes = {
        str(universe): live.frame[row * SLOTS : (row + 1) * SLOTS].tolist()
        for row, universe in enumerate(live.compiled.universes)
    }
    lit = sum(bool(v.any()) for v in picture.reshape(-1, 3))
    lines = [f"{options.picture} on {grid.width} × {grid.height}: {many(lit, 'place')} lit."]
    return DONE, {"asked": level_rows(show, asked), "universes": universes}, lines


def add_verbs(verbs: Any, verb: Any) -> None:
    group = verbs.add_parser("pixels", help="grids of cells").add_subparsers(
        required=True, metavar="WHAT"
    )
    made = verb(group, "propose", pixels_propose, "a grid from where the cells of units are")
    made.add_argument("--units", "--unit", required=True, help="whose cells")
    made.add_argument("--view", default="best", help=f"{', '.join(VIEWS)}, or a saved view")
    made.add_argument("--name", default="", help="what the grid is called")
    made.add_argument("--true-places", action="store_true", help="on no lattice: as they hang")
    saving(made)
    hand = verb(group, "make", pixels_make, "a grid by how its cells follow each other")
    hand.add_argument("--units", "--unit", required=True, help="whose cells, in their order")
    hand.add_argument("--across", type=int, required=True, help="cells, or panels, in each line")
    hand.add_argument("--panel", default="", help="whole units of so many cells, such as 6x4")
    hand.add_argument("--name", default="", help="what the grid is called")
    for of, first in (("", "the first"), ("panel-", "the first cell of each panel")):
        hand.add_argument(
            f"--{of}start", choices=STARTS, default=STARTS[0], help=f"where {first} is"
        )
        hand.add_argument(f"--{of}columns", action="store_true", help="column by column")
        hand.add_argument(
            f"--{of}back-and-forth", action="store_true", help="each second line back"
        )
    saving(hand)
    verb(group, "list", pixels_list, "all grids and their cells")
    test = verb(group, "test", pixels_test, "what a test picture asks of each cell")
    test.add_argument("--grid", default="1", help="number or name of the grid")
    test.add_argument("--picture", choices=list(PICTURES), default="letter", help="which one")
    test.add_argument("--at", type=float, default=0.0, help="seconds since it began")
    test.add_argument("--level", type=float, default=100.0, help="how bright, in percent")
    shown = verb(group, "grid", pixels_grid, "how pictures are shown on a grid")
    shown.add_argument("--grid", default="1", help="number or name of the grid")
    shown.add_argument("--gamma", help="light to the power of it")
    shown.add_argument("--white", help="kelvin; empty for the white of the picture")
    shown.add_argument("--limit", help="how bright at most, in percent")
    saving(shown)
    from isthmus.cli.layers import add_layer_verbs

    add_layer_verbs(group, verb)
