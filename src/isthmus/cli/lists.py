"""`isthmus compare`: another's list of the rig, as CSV or MVR, beside ours."""

from __future__ import annotations

import argparse
from pathlib import Path
from typing import Any

from isthmus.cli.common import DONE, SNAGS, Result, keep, load, saving
from isthmus.cli.papers import drawn
from isthmus.compare.expected import expected_by, meetings, read_expected, with_routes
from isthmus.compare.expected import sentences as in_words
from isthmus.compare.lists import FIELDS, beside, sentences
from isthmus.compare.taking import lines, with_new, with_theirs
from isthmus.errors import EntryFault
from isthmus.library.at_hand import at_hand
from isthmus.mvr.uses import rows_of_file
from isthmus.papers.drawn import block_of
from isthmus.papers.lists import differences_paper
from isthmus.patch.choose import read_choice
from isthmus.show.files import write_atomically


def compare(options: argparse.Namespace) -> Result:
    """What is other, shifts in one sentence each; --take takes their side."""
    show = load(options.show)
    theirs = rows_of_file(Path(options.list), show, at_hand(show))
    found = beside(show, theirs)
    told, each = sentences(found), lines(found)
    data: dict[str, Any] = {
        "sentences": told,
        "numbers": found.numbers,
        "universes": {str(a): b for a, b in found.universes.items()},
        "addresses": found.slots,
        "differences": [
            {"unit": number, "field": field, "ours": ours, "theirs": there}
            for _, number, field, ours, there in each
        ],
        "saved": None,
    }
    out = [*told, *(_line(*row[1:]) for row in each)]
    if options.paper:
        target = Path(options.paper)
        paper = differences_paper(show, found, Path(options.list).name)
        write_atomically(target, drawn(paper, target, None, block_of(show)))
        out.append(f"Saved {target}")
    if options.take:
        fields = FIELDS if options.take == "all" else tuple(options.take.split(","))
        unknown = [field for field in fields if field not in (*FIELDS, "new")]
        if unknown:
            raise EntryFault(
                f"“{unknown[0][:40]}” cannot be taken.", do=f"Say {', '.join((*FIELDS, 'new'))}."
            )
        only = set(read_choice(show, options.units).ids) if options.units else None
        made = with_theirs(show, found, at_hand(show), fields, only)
        if "new" in fields:
            made = with_new(made, found.theirs_only, at_hand(show))
        data["saved"], words = keep(options, made)
        out.append(words)
    return (SNAGS if each or len(told) > 1 else DONE), data, out


def universes(options: argparse.Namespace) -> Result:
    """What we send beside what is expected, by a list or typed; --set changes the outputs."""
    show = load(options.show)
    if options.expects:
        expected = read_expected(options.expects)
    elif options.list:
        found = beside(show, rows_of_file(Path(options.list), show, at_hand(show)))
        expected = expected_by(found, options.protocol, options.artnet_from)
    else:
        raise EntryFault("Nothing is expected yet.", do="Say --list FILE, or --expects 1=artnet 0.")
    met = meetings(show, expected)
    told = in_words(met)
    data: dict[str, Any] = {
        "sentences": told,
        "universes": [
            {
                "universe": one.universe,
                "protocol": one.protocol,
                "expected": one.expected,
                "sent": [output.number for output in one.outputs],
                "right": one.right,
            }
            for one in met
        ],
        "saved": None,
    }
    if options.set:
        data["saved"], words = keep(options, with_routes(show, expected))
        told = [*told, words]
    return (DONE if all(one.right for one in met) else SNAGS), data, told


def _line(number: str, field: str, ours: str, theirs: str) -> str:
    if field:
        return f"{number:>6}  {field:10} ours {ours or 'none'}, theirs {theirs}"
    return f"{number:>6}  only with {'us' if ours else 'them'}: {ours or theirs}"


def add_verbs(verbs: Any, verb: Any) -> None:
    one = verb(verbs, "compare", compare, "another's list of the rig beside ours (CSV or MVR)")
    one.add_argument("list", help="their list: .csv, .mvr, or a show")
    one.add_argument("--paper", metavar="OUT", help="the differences as OUT.pdf, .csv or .html")
    one.add_argument(
        "--take",
        metavar="FIELDS",
        help=f"take their side: all, or some of {','.join(FIELDS)}; new adds their units",
    )
    one.add_argument("--units", help="only of these")
    saving(one)
    pair = verb(verbs, "expects", universes, "what we send beside what another program listens to")
    pair.add_argument("--list", metavar="FILE", help="their list: .csv, .mvr, or a show")
    pair.add_argument("--expects", help="typed: “1=artnet 0, 2-4=sacn 11”")
    pair.add_argument("--protocol", choices=("artnet", "sacn"), default="artnet")
    pair.add_argument(
        "--artnet-from", type=int, choices=(0, 1), default=1, help="which of theirs is Art-Net 0"
    )
    pair.add_argument("--set", action="store_true", help="send as is expected")
    saving(pair)
