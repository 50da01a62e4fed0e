"""`isthmus diff`, `take` and `merge`: two shows told apart, and joined."""

from __future__ import annotations

import argparse
from pathlib import Path
from typing import Any

from isthmus.cli.common import DONE, SNAGS, Result, keep, load, saving
from isthmus.compare import Changed, Difference, apply, difference, joined, merge, with_both
from isthmus.compare.words import sentences, told, told_changes, told_conflict
from isthmus.errors import EntryFault
from isthmus.papers.changes import changes_paper
from isthmus.papers.drawn import as_csv, as_pdf, usual_size
from isthmus.plural import many
from isthmus.show import Show, save_show
from isthmus.show.files import write_atomically
from isthmus.snags.together import only_together


def diff_shows(options: argparse.Namespace) -> Result:
    """What differs between two shows: in sentences, or each change with --text."""
    old = load(options.old)
    new = load(options.new, old)
    found = difference(old, new)
    each = told(found)
    lines = sentences(found)
    if options.text:
        lines = [_line(one) for one in each]
    data = {
        "sentences": sentences(found),
        "changes": [
            {"kind": x.kind, "thing": x.thing, "what": x.member, "old": x.old, "new": x.new}
            for x in each
        ],
    }
    if options.paper:
        data["paper"] = _paper(options, new, found)
        lines = [*lines, f"Saved {options.paper}"]
    return (SNAGS if each else DONE), data, lines or ["They are alike."]


def _paper(options: argparse.Namespace, show: Show, found: Difference) -> str:
    paper = changes_paper(show, found, (options.old, options.new))
    csv = options.paper.lower().endswith(".csv")
    data = as_csv(paper).encode() if csv else as_pdf(paper, usual_size())
    write_atomically(Path(options.paper), data)
    return options.paper


def _line(one: Any) -> str:
    words = " ".join(x for x in (one.kind, one.thing, one.member) if x)
    if not one.member:
        return f"{words}: {one.new or one.old}"
    return f"{words}: {one.new}, not {one.old}"


def merge_shows(options: argparse.Namespace) -> Result:
    """Both sides' edits of a base in one show; with conflicts our side of them is kept."""
    mine, theirs = load(options.mine), load(options.theirs)
    if options.base == "-":
        made = joined(mine, theirs)[1]
    else:
        made = merge(load(options.base), mine, theirs)
    side = {c.place: options.take == "theirs" for c in made.conflicts}
    show = with_both(made.settled(side), mine, theirs, Path(options.theirs).name)
    if options.mine == "demo" and not options.out:
        raise EntryFault("the demo show has no file.", do="Say -o OUT.isthmus.")
    target = Path(options.out or options.mine)
    save_show(show, target)
    told_of = [told_conflict(made, c) for c in made.conflicts]
    rows = [{"what": x.what, "base": x.base, "mine": x.mine, "theirs": x.theirs} for x in told_of]
    lines = [f"{many(len(made.taken), 'change')} taken. Saved {target}"]
    lines += [f"{x.what}: mine {x.mine}, theirs {x.theirs}, before {x.base}" for x in told_of]
    together = only_together(mine, theirs, show)
    lines += [f"Wrong only together: {words}" for words in together]
    open_ = bool(made.conflicts) and not options.take
    if open_:
        lines.append(f"{many(len(rows), 'conflict')}: the file has mine.")
    return (
        (SNAGS if open_ else DONE),
        {"saved": str(target), "conflicts": rows, "together": together},
        lines,
    )


def take_changes(options: argparse.Namespace) -> Result:
    """What another show has differently, taken into this one: the changes that say these words."""
    show, other = load(options.show), load(options.source)
    taken, lines = changes_with(difference(show, other), options.only)
    if not taken:
        raise EntryFault(f"No change says “{options.only}”.", do="See isthmus diff --text.")
    saved, words = keep(options, apply(taken, show))
    return DONE, {"saved": saved, "taken": lines}, [*lines, words]


def changes_with(found: Difference, words: str) -> tuple[list[Changed], list[str]]:
    """The changes whose line has all of these words, and the lines; without words all of them."""
    wanted = words.lower().split()
    rows = [(one, _line(x)) for one, x in told_changes(found)]
    mine = [(one, line) for one, line in rows if all(word in line.lower() for word in wanted)]
    if not words:
        return list(found.changes), [line for _, line in mine]
    return [one for one, _ in mine], [line for _, line in mine]


def add_verbs(verbs: Any, verb: Any) -> None:
    one = verb(verbs, "diff", diff_shows, "what differs between two shows", show=False)
    one.add_argument("old", help="a show file")
    one.add_argument("new", help="another")
    one.add_argument("--text", action="store_true", help="each change in a line, as Git shows it")
    one.add_argument("--paper", metavar="FILE", help="each change on paper: .pdf or .csv")
    some = verb(verbs, "take", take_changes, "take what another show has differently")
    some.add_argument("source", help="the other show, or a version such as FILE@3")
    some.add_argument("--only", default="", metavar="WORDS", help="such as “unit 203 name”")
    saving(some)
    both = verb(verbs, "merge", merge_shows, "join edits of two copies of a show", show=False)
    both.add_argument("base", help="the show both come from; - finds it among their versions")
    both.add_argument("mine", help="one copy")
    both.add_argument("theirs", help="the other")
    both.add_argument("-o", "--out", help="where it is saved; over MINE without it")
    both.add_argument("--take", choices=("mine", "theirs"), help="whose side of conflicts is taken")
