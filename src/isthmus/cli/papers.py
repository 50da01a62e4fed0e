"""`isthmus papers`: what people work from, as PDF, as CSV, or told."""

from __future__ import annotations

import argparse
from pathlib import Path
from typing import Any

from isthmus.cli.common import DONE, Result
from isthmus.cli.looks import list_of, load_evening
from isthmus.errors import EntryFault
from isthmus.papers.drawn import SIZES, as_csv, as_pdf, usual_size
from isthmus.papers.evening import cue_sheet, focus_sheet
from isthmus.papers.table import Paper
from isthmus.show.container import write_atomically


def papers_cues(options: argparse.Namespace) -> Result:
    show = load_evening(options.show)
    return _made(options, cue_sheet(show, list_of(show, options.list).id))


def papers_focus(options: argparse.Namespace) -> Result:
    return _made(options, focus_sheet(load_evening(options.show)))


def _made(options: argparse.Namespace, paper: Paper) -> Result:
    """Saved by the ending of its name, or told."""
    heads = [column.words for column in paper.columns]
    rows = [
        {"under": group.title} | dict(zip(heads, row, strict=True))
        for group in paper.groups
        for row in group.rows
    ]
    data = {"title": paper.title, "about": paper.about, "rows": rows}
    if not options.to:
        lines = [paper.title, paper.about]
        for group in paper.groups:
            lines += ["", group.title] if group.title else [""]
            lines += ["  ".join(words for words in row if words) for row in group.rows]
        return DONE, data, lines
    target = Path(options.to)
    if target.suffix.lower() == ".csv":
        made = as_csv(paper).encode()
    elif target.suffix.lower() == ".pdf":
        made = as_pdf(paper, options.size or usual_size())
    else:
        raise EntryFault(
            f"“{target.name}” is neither PDF nor CSV.", do="End its name in .pdf or .csv."
        )
    write_atomically(target, made)
    return DONE, data | {"saved": str(target)}, [f"Saved {target}"]


def add_verbs(verbs: Any, verb: Any) -> None:
    group = verbs.add_parser("papers", help="papers people work from").add_subparsers(
        required=True, metavar="WHAT"
    )
    cues = verb(group, "cues", papers_cues, "the cues of a list with their times")
    cues.add_argument("--list", default="1", help="number or name of the cue list")
    focus = verb(group, "focus", papers_focus, "where each unit points, position by position")
    for one in (cues, focus):
        one.add_argument("--to", metavar="OUT", help="save as OUT.pdf or OUT.csv")
        one.add_argument("--size", choices=SIZES, help="of the paper (that of the locale without)")
