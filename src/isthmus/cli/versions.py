"""`isthmus versions`: what a show was, inside its file."""

from __future__ import annotations

import argparse
from pathlib import Path
from typing import Any

from isthmus.cli.common import DONE, Result, keep, load, saving
from isthmus.compare import difference
from isthmus.compare.words import first_sentences, sentences
from isthmus.show import save_show
from isthmus.show.versions import (
    gone_back,
    shown,
    time_of,
    version_named,
    with_version,
    without_versions,
)


def list_versions(options: argparse.Namespace) -> Result:
    """Versions with what each changed; a version made, taken out, come back to, or all left out."""
    show = load(options.show)
    if options.out:
        number, target = options.out
        save_show(shown(show, version_named(show, int(number))), Path(target))
        return DONE, {"saved": target}, [f"Version {number} saved as {target}"]
    if options.passing_on:
        save_show(without_versions(show), Path(options.passing_on))
        told = f"Saved {options.passing_on} without versions"
        return DONE, {"saved": options.passing_on}, [told]
    if options.make is None and options.back is None:
        rows = _rows(show)
        lines = [_line(row) for row in rows]
        return DONE, {"versions": rows}, lines or ["This show has no versions yet."]
    if options.make is not None:
        made = with_version(show, show, options.make)
        told = f"Version {made.versions[-1].number} made."
    else:
        made = gone_back(show, version_named(show, options.back))
        told = f"The show is as version {options.back} was."
    saved, words = keep(options, made)
    return DONE, {"saved": saved, "versions": len(made.versions)}, [told, words]


def _rows(show: Any) -> list[dict[str, Any]]:
    rows, before = [], None
    for version in show.versions:
        was = shown(show, version)
        rows.append(
            {
                "number": version.number,
                "at": version.at,
                "note": version.note,
                "why": version.why,
                "who": version.who,
                "changes": sentences(difference(before, was)) if before else [],
            }
        )
        moment = time_of(version)
        rows[-1]["when"] = f"{moment:%Y-%m-%d %H:%M}" if moment else ""
        before = was
    return rows


def _line(row: dict[str, Any]) -> str:
    name = row["note"] or row["why"]
    told = first_sentences(row["changes"], 3)
    return f"{row['number']}  {row['when']}  {name}" + (f": {told}" if told else "")


def add_verbs(verbs: Any, verb: Any) -> None:
    one = verb(verbs, "versions", list_versions, "what a show was, inside its file")
    acts = one.add_mutually_exclusive_group()
    acts.add_argument("--make", metavar="NOTE", help="make a version that stays")
    acts.add_argument("--back", type=int, metavar="N", help="make the show what version N was")
    acts.add_argument("--out", nargs=2, metavar=("N", "FILE"), help="save version N as a file")
    acts.add_argument("--passing-on", metavar="FILE", help="save the show without versions")
    saving(one)
