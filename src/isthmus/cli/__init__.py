"""The `isthmus` command: what the core can do, without a window.

Exit codes: 0 done; 1 snags were found (only `snags`); 2 the command line is wrong; 3 something
could not be done, told in one sentence; 4 interrupted.
"""

from __future__ import annotations

import argparse
import json
import sys
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any

from isthmus import __version__
from isthmus.cli import check as check_verbs
from isthmus.cli import network as network_verbs
from isthmus.cli import patch as patch_verbs
from isthmus.cli import profiles as profile_verbs
from isthmus.cli import stage as stage_verbs
from isthmus.cli.common import DONE, FAILED, INTERRUPTED, SNAGS, Result, load
from isthmus.demo import lantern_tide
from isthmus.errors import IsthmusError
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


def parser() -> argparse.ArgumentParser:
    top = argparse.ArgumentParser(
        prog="isthmus",
        description="Prepare a show's rig, without a window.",
        epilog=(__doc__ or "").split("\n\n")[1],
    )
    top.add_argument("--version", action="version", version=__version__)
    verbs = top.add_subparsers(dest="verb", required=True, metavar="VERB")
    common = argparse.ArgumentParser(add_help=False)
    common.add_argument("--json", action="store_true", help="answer in JSON")

    def verb(
        group: Any,
        name: str,
        run: Callable[[argparse.Namespace], Result],
        text: str,
        show: bool = True,
    ) -> argparse.ArgumentParser:
        made = group.add_parser(name, help=text, description=text, parents=[common])
        made.set_defaults(run=run)
        if show:
            made.add_argument("show", help="a .isthmus file, or “demo”")
        return made

    shows = verbs.add_parser("show", help="what a show holds").add_subparsers(
        required=True, metavar="WHAT"
    )
    verb(shows, "info", show_info, "units, universes and how far they have crossed")
    verb(shows, "schema", show_schema, "the JSON Schema of show.json", show=False)
    verb(shows, "demo", demo_save, "save the demo show as a file", show=False).add_argument("out")
    patch_verbs.add_verbs(verbs, verb)
    profile_verbs.add_verbs(verbs, verb)
    verb(verbs, "snags", snags, "what is wrong or missing; exit code 1 when there is anything")
    network_verbs.add_verbs(verbs, verb)
    check_verbs.add_verbs(verbs, verb)
    stage_verbs.add_verbs(verbs, verb)
    return top


def _with_points(arguments: Sequence[str]) -> list[str]:
    """`--at -8,1,0` as `--at=-8,1,0`: a point that begins with a minus is not an option."""
    made: list[str] = []
    for word in arguments:
        if made and made[-1] in ("--at", "--aim") and word[:1] in "-−" and word[1:2].isdigit():
            made[-1] += f"={word}"
        else:
            made.append(word)
    return made


def main(arguments: Sequence[str] | None = None) -> int:
    options = parser().parse_args(_with_points(sys.argv[1:] if arguments is None else arguments))
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
