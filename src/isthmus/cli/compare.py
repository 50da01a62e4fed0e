"""`isthmus diff` and `isthmus merge`: two shows told apart, edits of two people joined."""

from __future__ import annotations

import argparse
from pathlib import Path
from typing import Any

from isthmus.cli.common import DONE, SNAGS, Result, load
from isthmus.compare import difference, joined, merge, with_both
from isthmus.compare.words import sentences, told, told_conflict
from isthmus.errors import EntryFault
from isthmus.plural import many
from isthmus.show import save_show


def diff_shows(options: argparse.Namespace) -> Result:
    """What differs between two shows: in sentences, or each change with --text."""
    found = difference(load(options.old), load(options.new))
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
    return (SNAGS if lines else DONE), data, lines or ["They are alike."]


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
    open_ = bool(made.conflicts) and not options.take
    if open_:
        lines.append(f"{many(len(rows), 'conflict')}: the file has mine.")
    return (SNAGS if open_ else DONE), {"saved": str(target), "conflicts": rows}, lines


def add_verbs(verbs: Any, verb: Any) -> None:
    one = verb(verbs, "diff", diff_shows, "what differs between two shows", show=False)
    one.add_argument("old", help="a show file")
    one.add_argument("new", help="another")
    one.add_argument("--text", action="store_true", help="each change in a line, as Git shows it")
    both = verb(verbs, "merge", merge_shows, "join edits of two copies of a show", show=False)
    both.add_argument("base", help="the show both come from; - finds it among their versions")
    both.add_argument("mine", help="one copy")
    both.add_argument("theirs", help="the other")
    both.add_argument("-o", "--out", help="where it is saved; over MINE without it")
    both.add_argument("--take", choices=("mine", "theirs"), help="whose side of conflicts is taken")
