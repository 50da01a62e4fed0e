"""`isthmus papers`: what people work from, as PDF, CSV or HTML, or told."""

from __future__ import annotations

import argparse
from pathlib import Path
from typing import Any

from isthmus.cli.common import DONE, Result, load
from isthmus.cli.looks import list_of, load_evening
from isthmus.errors import EntryFault, FileFault, os_reason
from isthmus.papers.all_papers import RIG
from isthmus.papers.drawn import SIZES, as_csv, as_pdf, usual_size
from isthmus.papers.evening import cue_sheet, focus_sheet
from isthmus.papers.marked import as_html
from isthmus.papers.since import since, units_then
from isthmus.papers.table import Paper
from isthmus.patch.choose import read_choice
from isthmus.show import Show
from isthmus.show.container import write_atomically


def papers_cues(options: argparse.Namespace) -> Result:
    show = load_evening(options.show)
    return _made(options, cue_sheet(show, list_of(show, options.list).id))


def papers_focus(options: argparse.Namespace) -> Result:
    return _made(options, focus_sheet(load_evening(options.show)))


def papers_rig(options: argparse.Namespace) -> Result:
    """One of the papers of the rig; with --since only what changed since then."""
    show = load(options.show)
    only = set(read_choice(show, options.units).ids) if options.units else None
    paper = RIG[options.paper][1](show, only)
    if options.since:
        old = _earlier(options)
        was = RIG[options.paper][1](old, units_then(old, show, only))
        paper = since(was, paper, options.since)
    return _made(options, paper)


def _earlier(options: argparse.Namespace) -> Show:
    """A version of the show by its number, or another file."""
    name = f"{options.show}@{options.since}" if options.since.isdecimal() else options.since
    return load(name)


def papers_all(options: argparse.Namespace) -> Result:
    """Every paper of the rig in a folder."""
    show, folder = load(options.show), Path(options.out)
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise FileFault(
            f"the folder cannot be made. {os_reason(error)}", where=str(folder)
        ) from error
    saved = []
    for name, (_, make) in RIG.items():
        target = folder / f"{name}.{options.ending}"
        write_atomically(target, _drawn(make(show, None), target, options.size))
        saved.append(str(target))
    return DONE, {"saved": saved}, [f"Saved {name}" for name in saved]


def _drawn(paper: Paper, target: Path, size: str | None) -> bytes:
    """By the ending of its name."""
    ending = target.suffix.lower()
    if ending == ".csv":
        return as_csv(paper).encode()
    if ending == ".html":
        return as_html(paper).encode()
    if ending == ".pdf":
        return as_pdf(paper, size or usual_size())
    raise EntryFault(
        f"“{target.name}” is neither PDF, CSV nor HTML.", do="End its name in .pdf, .csv or .html."
    )


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
    write_atomically(target, _drawn(paper, target, options.size))
    return DONE, data | {"saved": str(target)}, [f"Saved {target}"]


def add_verbs(verbs: Any, verb: Any) -> None:
    group = verbs.add_parser("papers", help="papers people work from").add_subparsers(
        required=True, metavar="WHAT"
    )
    cues = verb(group, "cues", papers_cues, "the cues of a list with their times")
    cues.add_argument("--list", default="1", help="number or name of the cue list")
    focus = verb(group, "focus", papers_focus, "where each unit points, position by position")
    made = [cues, focus]
    for name, (words, _) in RIG.items():
        one = verb(group, name, papers_rig, words[0].lower() + words[1:])
        one.set_defaults(paper=name)
        one.add_argument("--units", help="only these: 101-110, a position, a group")
        one.add_argument(
            "--since", metavar="N", help="only what changed since version N, or since a file"
        )
        made.append(one)
    whole = verb(group, "all", papers_all, "every paper of the rig in a folder")
    whole.add_argument("--out", required=True, metavar="DIR", help="the folder; it is made")
    whole.add_argument("--ending", choices=("pdf", "csv", "html"), default="pdf")
    whole.add_argument("--size", choices=SIZES, help="of the paper (that of the locale without)")
    for one in made:
        one.add_argument("--to", metavar="OUT", help="save as OUT.pdf, OUT.csv or OUT.html")
        one.add_argument("--size", choices=SIZES, help="of the paper (that of the locale without)")
