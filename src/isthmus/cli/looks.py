"""The verbs of looks: palettes, the starter set, and who can do what is wished."""

from __future__ import annotations

import argparse
import math
from collections.abc import Callable
from typing import Any

import msgspec

from isthmus.cli.common import DONE, Result, keep, load, saving
from isthmus.looks import KINDS, apply, in_words
from isthmus.looks.edits import of_kind
from isthmus.looks.lines import named
from isthmus.looks.starters import with_starters
from isthmus.looks.words import say_palette
from isthmus.output import Live
from isthmus.patch.choose import read_choice
from isthmus.plural import many

Verb = Callable[..., argparse.ArgumentParser]


def palettes_list(options: argparse.Namespace) -> Result:
    show = load(options.show)
    found = [p for kind in KINDS for p in of_kind(show, kind)]
    rows = [msgspec.to_builtins(p) | {"words": say_palette(show, p)} for p in found]
    lines = [f"{p.kind:>9} {p.number:>4}  {p.name}: {say_palette(show, p)}" for p in found]
    return DONE, rows, lines or ["No palettes. Make some: palettes make-starters"]


def palettes_make_starters(options: argparse.Namespace) -> Result:
    show, fresh, changed = with_starters(load(options.show))
    saved, words = keep(options, show)
    told = f"{many(fresh, 'palette')} made, {changed} made again."
    return DONE, {"made": fresh, "again": changed, "saved": saved}, [told, words]


def palettes_use(options: argparse.Namespace) -> Result:
    """What units would be asked for, and who comes short."""
    show = load(options.show)
    one = named(show, options.palette)
    live = Live(show)
    ids = read_choice(show, options.units or "all").ids
    asked, short = apply(live, one, ids)
    number = {u.id: u.number for u in show.units}
    levels = [
        {"unit": number[unit], "cell": cell, "attribute": name, "level": round(level, 6)}
        for (unit, cell, name), level in asked.items()
    ]
    misses = [
        {
            "unit": s.number,
            "kind": s.kind,
            "why": s.words,
            "apart": round(s.apart, 3) if math.isfinite(s.apart) else None,
        }
        for s in short
    ]
    touched = len({key[0] for key in asked})
    words = f"{one.kind.capitalize()} {one.number} {one.name}: {many(touched, 'unit')} do it."
    lines = [words, *(f"{s.number:>6}  {s.words}" for s in short)]
    data = {"palette": one.name, "levels": levels, "short": misses, "words": in_words(short)}
    return DONE, data, lines


def add_verbs(verbs: Any, verb: Verb) -> None:
    group = verbs.add_parser("palettes", help="palettes of what light can be").add_subparsers(
        required=True, metavar="WHAT"
    )
    verb(group, "list", palettes_list, "all palettes, and what each wishes")
    made = verb(
        group,
        "make-starters",
        palettes_make_starters,
        "make palettes from what the units and the stage have, or make them again",
    )
    saving(made)
    use = verb(group, "use", palettes_use, "what units would be asked for, and who cannot")
    use.add_argument(
        "--palette", required=True, help="kind and number, such as “colour 4”, or name"
    )
    use.add_argument("--units", "--unit", help="which units (all without)")
