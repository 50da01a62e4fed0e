"""`isthmus papers`: what people work from, as PDF, CSV or HTML, or told."""

from __future__ import annotations

import argparse
from pathlib import Path
from typing import Any

from isthmus.cli.common import DONE, Result, keep, load, made_folder, saving
from isthmus.cli.looks import list_of, load_evening
from isthmus.errors import EntryFault
from isthmus.library.at_hand import at_hand
from isthmus.papers.all_papers import RIG
from isthmus.papers.choosing import units_for
from isthmus.papers.drawn import NO_BLOCK, SIZES, Block, as_csv, as_pdf, block_of, usual_size
from isthmus.papers.evening import cue_sheet
from isthmus.papers.label_sheets import SHEETS, read_sheet
from isthmus.papers.labels import Labels, labelled, labels_pdf
from isthmus.papers.loads import HEAVIEST, STRONGEST, read_load, with_loads, with_type_loads
from isthmus.papers.marked import as_html
from isthmus.papers.since import since, units_then
from isthmus.papers.table import Paper
from isthmus.papers.whole import whole_set
from isthmus.patch.choose import read_choice
from isthmus.plural import many
from isthmus.show import Show
from isthmus.show.files import write_atomically
from isthmus.show.handovers import handed_over, handover_named, handovers, told
from isthmus.show.versions import shown


def papers_rig(options: argparse.Namespace) -> Result:
    """One of the papers of the rig; with --since only what changed since then."""
    show = load_evening(options.show)
    if getattr(options, "list", None):
        return _made(options, cue_sheet(show, list_of(show, options.list).id))
    only = units_for(show, options.units)
    paper = RIG[options.paper][1](show, only)
    if options.since:
        old = _earlier(options)
        was = RIG[options.paper][1](old, units_then(old, show, only))
        paper = since(was, paper, options.since)
    return _made(options, paper, block_of(show))


def _earlier(options: argparse.Namespace) -> Show:
    """A version of the show by its number, a revision by its letter, or another file."""
    show = load(options.show)
    if (made := handover_named(show, options.since)) and not Path(options.since).exists():
        return shown(show, made)
    name = f"{options.show}@{options.since}" if options.since.isdecimal() else options.since
    return load(name)


def hand_over(options: argparse.Namespace) -> Result:
    """What the show is now, as its next revision; without --make those that were made."""
    show = load(options.show)
    if not options.make:
        rows = [
            {"letter": v.letter, "at": v.at, "to": v.to, "note": v.note, "version": v.number}
            for v in handovers(show)
        ]
        lines = [f"{v.letter}  {told(v)}: {v.note}" for v in handovers(show)]
        return DONE, {"handovers": rows}, lines or ["Nothing was handed over yet."]
    made = handed_over(show, options.to_whom, options.note, options.letter)
    saved, words = keep(options, made)
    last = made.versions[-1]
    return DONE, {"letter": last.letter, "saved": saved}, [f"Made {told(last)}. {words}"]


def papers_labels(options: argparse.Namespace) -> Result:
    """Address labels as PDF; without --to the sheets there are."""
    if not options.to:
        names = [sheet.name for sheet in SHEETS]
        lines = [f"{at:>3}  {name}" for at, name in enumerate(names, 1)]
        return DONE, {"sheets": names}, lines
    show = load(options.show)
    only = set(read_choice(show, options.units).ids) if options.units else None
    wanted = Labels(read_sheet(options.sheet), options.first, options.url, not options.no_switches)
    write_atomically(Path(options.to), labels_pdf(show, wanted, only))
    count = len(labelled(show, only))
    data = {"saved": options.to, "labels": count, "sheet": wanted.sheet.name}
    return DONE, data, [f"Saved {options.to}: {many(count, 'label')}, {wanted.sheet.name}"]


def weigh(options: argparse.Namespace) -> Result:
    """What units, or all of a type, weigh and take, as typed; nothing: as profiles state it."""
    show = load(options.show)
    weight = read_load(options.kg, HEAVIEST, "kilograms")
    power = read_load(options.watts, STRONGEST, "watts")
    if options.type:
        match = at_hand(show).match(options.type)
        keys = {one.key for one in show.profiles if match and one.key == match[0]}
        if not keys:
            raise EntryFault(f"There is no type “{options.type[:40]}” in the show.")
        made, what = with_type_loads(show, keys, weight, power), ", ".join(keys)
    else:
        units = read_choice(show, options.units).ids
        made, what = with_loads(show, units, weight, power), many(len(units), "unit")
    saved, words = keep(options, made)
    return DONE, {"saved": saved}, [f"{what}. {words}"]


def papers_all(options: argparse.Namespace) -> Result:
    """Every paper of the rig in a folder, or one behind the other in a PDF."""
    show, folder = load_evening(options.show), Path(options.out)
    if folder.suffix.lower() == ".pdf":
        write_atomically(folder, whole_set(show, options.size or usual_size()))
        return DONE, {"saved": [str(folder)]}, [f"Saved {folder}"]
    folder = made_folder(options.out)
    saved = []
    for name, (_, make) in RIG.items():
        target = folder / f"{name}.{options.ending}"
        write_atomically(target, drawn(make(show, None), target, options.size, block_of(show)))
        saved.append(str(target))
    return DONE, {"saved": saved}, [f"Saved {name}" for name in saved]


def drawn(paper: Paper, target: Path, size: str | None, block: Block) -> bytes:
    """By the ending of its name."""
    ending = target.suffix.lower()
    if ending == ".csv":
        return as_csv(paper).encode()
    if ending == ".html":
        return as_html(paper).encode()
    if ending == ".pdf":
        return as_pdf(paper, size or usual_size(), block)
    raise EntryFault(
        f"“{target.name}” is neither PDF, CSV nor HTML.", do="End its name in .pdf, .csv or .html."
    )


def _made(options: argparse.Namespace, paper: Paper, block: Block = NO_BLOCK) -> Result:
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
    write_atomically(target, drawn(paper, target, options.size, block))
    return DONE, data | {"saved": str(target)}, [f"Saved {target}"]


def add_verbs(verbs: Any, verb: Any) -> None:
    group = verbs.add_parser("papers", help="papers people work from").add_subparsers(
        required=True, metavar="WHAT"
    )
    made = []
    for name, (words, _) in RIG.items():
        one = verb(group, name, papers_rig, words[0].lower() + words[1:])
        one.set_defaults(paper=name)
        one.add_argument("--units", default="", help="101-110, a position, a group, a node")
        if name == "cues":
            one.add_argument("--list", help="only the cue list of this number or name")
        one.add_argument(
            "--since", metavar="N", help="only what changed since version N, revision B, or a file"
        )
        made.append(one)
    labels = verb(group, "labels", papers_labels, "address labels for the units")
    labels.add_argument("--to", metavar="OUT.pdf")
    labels.add_argument("--sheet", default="1", help="number, name, “3x8 70x37 A4”, “roll 62x29”")
    labels.add_argument("--first", type=int, default=1, help="label to begin with on a used sheet")
    labels.add_argument("--units", help="only these: 101-110, a position, a group")
    labels.add_argument("--url", default="", help="of the page for phones: adds a code to each")
    labels.add_argument("--no-switches", action="store_true", help="leave address switches out")
    one = verb(group, "weigh", weigh, "what units weigh and take, where profiles do not state it")
    of = one.add_mutually_exclusive_group(required=True)
    of.add_argument("--units", help="101-110, a position, a group")
    of.add_argument("--type", help="all units of a type")
    one.add_argument("--kg", default="", help="nothing: as the profile states it")
    one.add_argument("--watts", default="", help="nothing: as the profile states it")
    saving(one)
    over = verb(group, "handovers", hand_over, "what was handed over, or a new revision")
    over.add_argument("--make", action="store_true", help="the show as it is now, as a revision")
    over.add_argument("--to-whom", default="", metavar="NAME")
    over.add_argument("--note", default="")
    over.add_argument("--letter", default="", help="another than the next")
    saving(over)
    whole = verb(group, "all", papers_all, "every paper of the rig in a folder, or in one PDF")
    whole.add_argument(
        "--out", required=True, metavar="DIR", help="the folder, which is made; or OUT.pdf"
    )
    whole.add_argument("--ending", choices=("pdf", "csv", "html"), default="pdf")
    whole.add_argument("--size", choices=SIZES, help="of the paper (that of the locale without)")
    for one in made:
        one.add_argument("--to", metavar="OUT", help="save as OUT.pdf, OUT.csv or OUT.html")
        one.add_argument("--size", choices=SIZES, help="of the paper (that of the locale without)")
