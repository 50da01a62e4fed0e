"""`isthmus pixels`: layer sets laid, pictures brought in, films of them, and the wiring check."""

from __future__ import annotations

import argparse
import math
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import numpy as np

from isthmus.check.wiring import PICTURES, Check, panels_of
from isthmus.cli.common import DONE, Result, keep, saving
from isthmus.cli.pixels import load_pixels
from isthmus.errors import EntryFault
from isthmus.output import Live, RigView
from isthmus.pixels import layer_edits as core
from isthmus.pixels.dark import dark_units
from isthmus.pixels.fields import fields_of, read_field, said
from isthmus.pixels.film import grid_picture, write_film
from isthmus.pixels.grids import grid_named, put_grid
from isthmus.pixels.media import bring, frames_of, longest_for, put_media
from isthmus.pixels.ready import Studio
from isthmus.plural import many
from isthmus.show.records import LayerSet, Show
from isthmus.stage.drawing import LEVELS

MOST_SECONDS = 600.0


def _told(show: Show, one: LayerSet) -> dict[str, Any]:
    grids = {grid.id: grid.number for grid in show.grids}
    layers = [
        {"name": said(layer), "source": layer.source, "shown": layer.on}
        | {f.name.removeprefix(f"{layer.source}."): f.say(layer) for f in fields_of(layer)}
        for layer in one.layers
    ]
    told = {"number": one.number, "name": one.name, "grid": grids.get(one.grid), "dark": one.dark}
    return told | {"layers": layers}


def pixels_sets(options: argparse.Namespace) -> Result:
    show = load_pixels(options.show)
    lines = [
        f"{one.number:>3}  {one.name}: {', '.join(said(x) for x in one.layers) or 'no layers'}"
        for one in show.layer_sets
    ]
    return DONE, [_told(show, one) for one in show.layer_sets], lines or ["No layer sets yet."]


def _set_here(show: Show, options: argparse.Namespace) -> LayerSet:
    """The set named; a new one on the grid when there is none of that name."""
    try:
        return core.set_named(show, options.set)
    except EntryFault:
        if options.set.isdigit() and int(options.set) <= len(show.layer_sets):
            raise
    name = "" if options.set.isdigit() else options.set
    return LayerSet(id="", number=0, name=name, grid=grid_named(show, options.grid).id)


def pixels_lay(options: argparse.Namespace) -> Result:
    """A layer more in front, or fields of one that is there."""
    show = load_pixels(options.show)
    one = _set_here(show, options)
    if options.layer:
        if not 1 <= options.layer <= len(one.layers):
            raise EntryFault(f"This set has {many(len(one.layers), 'layer')}.")
        at = options.layer - 1
    else:
        one = core.add_layer(one, options.source)
        at = len(one.layers) - 1
    for text in options.put:
        name, _, value = text.partition("=")
        layer = one.layers[at]
        one = core.change_layer(one, layer.id, read_field(layer, name.strip(), value))
    made, set_id = core.put_set(show, one)
    target, words = keep(options, made)
    one = core.set_of(made, set_id)
    lines = [f"Set {one.number}: {', '.join(said(x) for x in one.layers)}.", words]
    return DONE, _told(made, one) | {"saved": target}, lines


def pixels_bring(options: argparse.Namespace) -> Result:
    """A picture or film as a layer in front."""
    show = load_pixels(options.show)
    one = _set_here(show, options)
    grid = next((g for g in show.grids if g.id == one.grid), None)
    if grid is None:
        raise EntryFault("The grid of this set is gone.")
    brought = bring(Path(options.file), longest_for(grid.width, grid.height))
    made, media = put_media(show, brought)
    one = core.add_layer(one, "media", media=media, name=brought.media.name)
    made, _ = core.put_set(made, one)
    target, words = keep(options, made)
    kept = brought.media
    data = {"size": kept.size, "frames": kept.frames, "rate": round(kept.rate, 3)}
    data |= {"bytes": len(brought.file.data), "saved": target}
    return DONE, data, [brought.words, words]


def pixels_render(options: argparse.Namespace) -> Result:
    """A film of a set on its grid, or on stage."""
    show = load_pixels(options.show)
    one = core.set_named(show, options.set)
    grid = next((g for g in show.grids if g.id == one.grid), None)
    if grid is None:
        raise EntryFault("The grid of this set is gone.")
    if not 0 < options.seconds <= MOST_SECONDS or not 1 <= options.rate <= 60:
        raise EntryFault(f"A film has up to {MOST_SECONDS:g} s, and 1 to 60 pictures a second.")
    live, studio = Live(show), Studio(frames_of)
    count = max(1, math.ceil(options.seconds * options.rate))
    times = [at / options.rate for at in range(count)]
    if options.stage:
        pictures = _on_stage(show, live, studio, one, times, options)
    else:
        plan = studio.pictures(show, live, [one.id]).sets[one.id]
        pictures = (grid_picture(grid, plan, time) for time in times)
    written = write_film(Path(options.out), pictures, options.rate)
    return DONE, {"saved": options.out, "frames": written}, [f"Saved {options.out}"]


def _on_stage(
    show: Show,
    live: Live,
    studio: Studio,
    one: LayerSet,
    times: list[float],
    options: argparse.Namespace,
) -> Iterator[np.ndarray]:
    from isthmus.cli.stage import camera_named, size_of
    from isthmus.render.still import stills

    view = RigView(show, live.compiled)
    grid = next(g for g in show.grids if g.id == one.grid)
    asks = dark_units(view, live, grid, studio.canvas(live, grid))
    live.ask({key: level for dark in asks for key, level in dark.asks.items()})
    size = size_of(options.size)
    camera = camera_named(show, options.view, size[0] / size[1], view.rig)
    drawing = next(d for d in LEVELS if d.name.lower() == options.drawing)
    frames = []
    for time in times:
        live.cover(studio.still(show, live, [one.id], time))
        frames.append(live.frame.copy())
    for pixels in stills(show, view, [(camera, frame) for frame in frames], size, drawing):
        yield np.frombuffer(pixels, np.uint8).reshape(size[1], size[0], 4)[:, :, :3]


def pixels_check(options: argparse.Namespace) -> Result:
    """What answers to the pictures of the wiring check speak for, and which picture is next."""
    show = load_pixels(options.show)
    grid = grid_named(show, options.grid)
    check = Check(panels_of(show, grid))
    units = {str(u.number): u.id for u in show.units}
    for text in options.saw:
        picture, _, told = text.partition(":")
        look = PICTURES.get(picture.strip())
        if look is None:
            raise EntryFault(
                f"There is no picture “{picture.strip()}”.", do=f"There are {', '.join(PICTURES)}."
            )
        marks = {}
        for part in (p for p in told.split(";") if p.strip()):
            number, _, words = (x.strip() for x in part.partition("="))
            if number not in units or words not in look.answers:
                raise EntryFault(
                    f"“{part.strip()}” is not an answer to {look.name}.",
                    do=f"Write a unit and what it shows, 704={look.answers[0]}; "
                    f"there are {', '.join(look.answers)}.",
                )
            marks[units[number]] = words
        check.answer(look.name, marks)
    likely, following = check.likely(), check.next()
    best = likely[0].fault
    target = None
    if options.fix and best.fixable:
        made, _ = put_grid(show, check.fixed(best))
        target, _ = keep(options, made)
    causes = [
        {"words": x.fault.words, "cable": x.fault.cable, "chance": round(x.share, 4)}
        for x in likely[:3]
    ]
    lines = [f"{100 * x['chance']:3.0f} %  {x['words']}" for x in causes]
    lines += [f"Next picture: {following}. {PICTURES[following].asks}"] if following else []
    lines += [f"Saved {target}"] if target else []
    return DONE, {"causes": causes, "next": following, "saved": target}, lines


def add_layer_verbs(group: Any, verb: Any) -> None:
    verb(group, "sets", pixels_sets, "all layer sets and their layers")
    lay = verb(group, "lay", pixels_lay, "lay a layer in front, or change one")
    lay.add_argument("--set", default="1", help="number or name; a new name begins a set")
    lay.add_argument("--grid", default="1", help="the grid of a new set")
    lay.add_argument("--source", choices=core.SOURCES[:-1], default="plain", help="what it shows")
    lay.add_argument("--layer", type=int, default=0, help="change this one, 1 is the backmost")
    put = "such as level=60 blend=add"
    lay.add_argument("--put", nargs="+", default=[], metavar="FIELD=VALUE", help=put)
    saving(lay)
    made = verb(group, "bring", pixels_bring, "bring in a picture or a film as a layer")
    made.add_argument("file", help="PNG, JPEG, GIF, WebP, or a film")
    made.add_argument("--set", default="1", help="number or name; a new name begins a set")
    made.add_argument("--grid", default="1", help="the grid of a new set")
    saving(made)
    film = verb(group, "render", pixels_render, "a film of a layer set")
    film.add_argument("--set", default="1", help="number or name")
    film.add_argument("--out", required=True, help="a file that ends in .mp4, .mkv or .gif")
    film.add_argument("--seconds", type=float, default=4.0, help="how long")
    film.add_argument("--rate", type=float, default=25.0, help="pictures a second")
    film.add_argument("--stage", action="store_true", help="the stage, not the grid alone")
    film.add_argument("--view", default="Seats", help="how the stage is seen")
    film.add_argument("--size", default="640x400", help="of a film of the stage")
    film.add_argument("--drawing", choices=[d.name.lower() for d in LEVELS], default="quick")
    check = verb(group, "check", pixels_check, "what answers to the wiring check speak for")
    check.add_argument("--grid", default="1", help="number or name of the grid")
    check.add_argument(
        "--saw",
        nargs="+",
        default=[],
        metavar="PICTURE:UNIT=ANSWER;…",
        help="“letters:704=turned round”",
    )
    check.add_argument("--fix", action="store_true", help="change the grid to what is likeliest")
    saving(check)
