"""`isthmus show …` and `isthmus snags`: what a show holds, and what is wrong or missing in it."""

from __future__ import annotations

import argparse
import json
from collections.abc import Callable
from pathlib import Path
from typing import Any

from isthmus.cli.common import DONE, SNAGS, Result, load
from isthmus.compare.words import listing
from isthmus.demo import lantern_tide
from isthmus.plural import many
from isthmus.routes import universes_in_use
from isthmus.show import save_show
from isthmus.show.container import schema
from isthmus.snags import SnagBook, find_snags


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
        (
            f"{many(len(show.units), 'unit')} of {many(len(show.profiles), 'profile')} on "
            f"{many(len(use), 'universe')}, {many(len(show.outputs), 'output')}"
        ),
    ]
    return (
        DONE,
        data,
        [*lines, *(f"  {step:9} {count} of {steps.total}" for step, count in steps.done.items())],
    )


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
            "fix": s.fix.label if s.fix else None,
        }
        for s in found
    ]
    lines = [f"{s.severity:10} {s.text}{f'  → {s.fix.label}' if s.fix else ''}" for s in found]
    return (SNAGS if found else DONE), rows, lines or ["No snags."]


def show_text(options: argparse.Namespace) -> Result:
    """Every thing and every member of it that is not as usual, in an order that stays."""
    lines = listing(load(options.show))
    return DONE, lines, lines


def add_verbs(verbs: Any, verb: Callable[..., argparse.ArgumentParser]) -> None:
    """Put the verbs onto the command line."""
    shows = verbs.add_parser("show", help="what a show holds").add_subparsers(
        required=True, metavar="WHAT"
    )
    verb(shows, "info", show_info, "units, universes and how far they have crossed")
    verb(shows, "schema", show_schema, "the JSON Schema of show.json", show=False)
    verb(shows, "text", show_text, "all a show says, a line each: what Git compares")
    verb(shows, "demo", demo_save, "save the demo show as a file", show=False).add_argument("out")
    verb(verbs, "snags", snags, "what is wrong or missing; exit code 1 when there is anything")
