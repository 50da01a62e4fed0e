"""`isthmus mvr`: rigs as MVR files, written, checked, and taken as paper or for their places.

Every verb that reads another show reads an MVR file as one: `bring`, `diff`, `take`.
"""

from __future__ import annotations

import argparse
from pathlib import Path
from typing import Any

from isthmus.cli.common import DONE, SNAGS, Result, keep, load, saving
from isthmus.library.at_hand import at_hand
from isthmus.mvr import LAYERS, as_show, read_mvr, write_show
from isthmus.mvr.uses import with_paper, with_places
from isthmus.patch.numbers import write_numbers
from isthmus.plural import many
from isthmus.show.container import MAX_TOTAL
from isthmus.show.files import read_file, write_atomically
from isthmus.show.records import Show

VERSIONS = {"1.4": 4, "1.5": 5, "1.6": 6}


def check(options: argparse.Namespace) -> Result:
    """What is in a file, and each place where it deviates from the standard."""
    path = Path(options.file)
    mvr = read_mvr(read_file(path, MAX_TOTAL), path.name)
    came = as_show(mvr, path.stem, at_hand(Show()))
    show, scene = came.show, mvr.scene
    data: dict[str, Any] = {
        "version": f"1.{scene.minor}",
        "provider": f"{scene.provider} {scene.provider_version}".strip(),
        "units": len(show.units),
        "profiles": [stored.key for stored in show.profiles],
        "structures": len(show.structures),
        "layers": [layer.name for layer in scene.layers],
        "deviations": [{"place": n.place, "what": n.text} for n in came.notices],
    }
    by = f", by {data['provider']}" if data["provider"] else ""
    head = ", ".join(
        (
            many(len(show.units), "unit"),
            many(len(show.profiles), "profile"),
            many(len(show.structures), "structure"),
        )
    )
    lines = [f"MVR {data['version']}{by}: {head}.", *map(str, came.notices)]
    return (SNAGS if came.notices else DONE), data, lines


def write(options: argparse.Namespace) -> Result:
    show, target = load(options.show), Path(options.to)
    data = write_show(show, options.layers, VERSIONS[options.version])
    write_atomically(target, data)
    words = f"Saved {target}: {many(len(show.units), 'unit')}, {len(data) // 1024} kB"
    return DONE, {"saved": str(target), "units": len(show.units)}, [words]


def paper(options: argparse.Namespace) -> Result:
    """The file's units as the hang list of the show."""
    show = load(options.show)
    other = load(options.file, show)
    saved, words = keep(options, with_paper(show, other, Path(options.file).stem))
    lines = [f"{many(len(other.units), 'line')} of paper. {words}"]
    return DONE, {"lines": len(other.units), "saved": saved}, lines


def place(options: argparse.Namespace) -> Result:
    """Our units where those of the file are."""
    show = load(options.show)
    made, moved, stayed = with_places(show, load(options.file, show))
    saved, words = keep(options, made) if moved else (None, "All of them are there already.")
    lines = [f"{many(len(moved), 'unit')} placed. {words}"]
    if stayed:
        lines.append(f"Pinned, so they stay: {write_numbers(stayed)}.")
    return DONE, {"placed": moved, "stayed": stayed, "saved": saved}, lines


def add_verbs(verbs: Any, verb: Any) -> None:
    group = verbs.add_parser("mvr", help="rigs as MVR files (DIN SPEC 15801)").add_subparsers(
        required=True, metavar="WHAT"
    )
    one = verb(group, "check", check, "what is in an MVR file, and where it deviates", show=False)
    one.add_argument("file")
    out = verb(group, "write", write, "the rig as an MVR file")
    out.add_argument("--to", required=True, metavar="OUT.mvr")
    out.add_argument("--layers", choices=tuple(LAYERS), default="position", help="what each is of")
    out.add_argument("--version", choices=tuple(VERSIONS), default="1.6", help="of the standard")
    for name, run, words in (
        ("paper", paper, "take an MVR file's units as the hang list of a show"),
        ("place", place, "put units where those of an MVR file are, by number"),
    ):
        made = verb(group, name, run, words)
        made.add_argument("file", help="the MVR file")
        saving(made)
