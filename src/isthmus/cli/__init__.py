"""The `isthmus` command: what the core can do, without a window.

Exit codes: 0 done; 1 something is a snag, differs, or does not answer; 2 the command line is
wrong; 3 something could not be done, told in one sentence; 4 interrupted.
"""

from __future__ import annotations

import argparse
import json
import os
import sys
from collections.abc import Callable, Sequence
from importlib import import_module
from typing import Any

from isthmus import __version__
from isthmus.cli.common import FAILED, INTERRUPTED, Result
from isthmus.errors import IsthmusError

# Module → its verbs. One is imported when its verb is called, for each takes half a second.
MODULES = {
    "shows": ("show", "snags"),
    "compare": ("diff", "take", "merge"),
    "versions": ("versions",),
    "unsaved": ("unsaved",),
    "bring": ("bring",),
    "patch": ("patch", "limits", "groups"),
    "profiles": ("profiles", "exchange"),
    "network": ("routes", "nodes", "net", "watch", "send", "rig"),
    "check": ("rollcall", "findings", "discover", "hunt", "record"),
    "stage": ("stage",),
    "plan": ("plan",),
    "looks": ("palettes", "looks", "cues"),
    "papers": ("papers",),
    "mvr": ("mvr",),
    "xchange": ("xchange", "xchange-station"),
    "lists": ("compare", "expects"),
    "hang_list": ("hang-list",),
    "demo_set": ("demo-set",),
    "pixels": ("pixels",),
    "play": ("play",),
}


def parser(wanted: str | None = None) -> argparse.ArgumentParser:
    """Reads the command line: all of it, or only what the module of one verb has."""
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

    for module, mine in MODULES.items():
        if wanted is None or wanted in mine:
            import_module(f"isthmus.cli.{module}").add_verbs(verbs, verb)
    return top


def _with_points(arguments: Sequence[str]) -> list[str]:
    """`--at -8,1,0` as `--at=-8,1,0`: a point that begins with a minus is not an option."""
    made: list[str] = []
    for word in arguments:
        if (
            made
            and made[-1] in ("--at", "--aim", "--by", "--facing")
            and word[:1] in "-−"
            and word[1:2].isdigit()
        ):
            made[-1] += f"={word}"
        else:
            made.append(word)
    return made


def main(arguments: Sequence[str] | None = None) -> int:
    given = _with_points(sys.argv[1:] if arguments is None else arguments)
    known = {verb for verbs in MODULES.values() for verb in verbs}
    wanted = given[0] if given and given[0] in known else None
    options = parser(wanted).parse_args(given)
    try:
        code, data, lines = options.run(options)
    except IsthmusError as error:
        if options.json:
            print(json.dumps({"error": error.what, "where": error.where, "do": error.do}))
        print(f"isthmus: {error}", file=sys.stderr)
        return FAILED
    except KeyboardInterrupt:
        return INTERRUPTED
    try:
        print(json.dumps(data) if options.json else "\n".join(lines), flush=True)
    except BrokenPipeError:  # `| head` has read enough
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
    return code
