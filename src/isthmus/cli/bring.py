"""`isthmus bring`: what of another show is taken into this one."""

from __future__ import annotations

import argparse
from typing import Any

from isthmus.bringing import Wanted, choose, plan
from isthmus.bringing.wanted import HOWS, ORDER, everything, read_universes
from isthmus.bringing.words import told
from isthmus.cli.common import DONE, Result, keep, load, saving
from isthmus.errors import EntryFault
from isthmus.plural import many
from isthmus.show.records import Show


def bring(options: argparse.Namespace) -> Result:
    """What comes of what is wanted, why, and what it meets; it is saved unless --dry-run."""
    show = load(options.show)
    other = load(options.source, show)
    things = [thing for text in options.want for thing in _wanted(other, text)]
    wanted = Wanted(
        things=frozenset(things or everything(other)),
        first=options.first,
        close=options.close,
        addresses=_addresses(options.addresses),
        clashes=dict(_clash(text) for text in options.clash),
        units=dict(_stand_in(show, other, text) for text in options.stand_in),
    )
    found = plan(show, other, wanted, options.source)
    rows = [told(one) for one in found.coming]
    data: dict[str, Any] = {
        "coming": [
            {
                "kind": one.kind,
                "thing": row.thing,
                "becomes": row.becomes,
                "why": row.why,
                "how": one.how,
                "mine": row.mine,
            }
            for one, row in zip(found.coming, rows, strict=True)
        ],
        "notes": list(found.notes),
    }
    lines = [f"{row.thing}: {row.becomes} ({row.why})" for row in rows] + list(found.notes)
    if found.show == show:
        return DONE, data | {"saved": None}, [*lines, "Nothing comes: all of it is there."]
    saved, words = keep(options, found.show)
    clashes = sum(one.clashes for one in found.coming)
    lines.append(f"{many(len(found.coming), 'thing')}, {clashes} of them met by ours. {words}")
    return DONE, data | {"saved": saved}, lines


def _wanted(other: Any, text: str) -> list[tuple[str, str]]:
    kind, _, words = text.strip().partition(" ")
    return choose(other, kind, words)


def _addresses(text: str) -> str | tuple[int, ...]:
    return text if text in ("keep", "off") else read_universes(text)


def _stand_in(show: Show, other: Show, text: str) -> tuple[str, str]:
    """`9=105`: their 9 is shown by our 105; `9=` by no unit."""
    theirs, _, ours = text.partition("=")
    found = []
    for of, number in ((other, theirs), (show, ours)):
        unit = next((u for u in of.units if str(u.number) == number.strip()), None)
        if unit is None and (of is other or number.strip()):
            raise EntryFault(f"There is no unit “{number}” in “{text}”.", do="Say 9=105.")
        found.append(unit.id if unit else "")
    return found[0], found[1]


def _clash(text: str) -> tuple[str, str]:
    kind, _, how = text.partition("=")
    if kind not in ORDER or how not in HOWS:
        raise EntryFault(f"“{text}” is not understood.", do="Say looks=theirs, for example.")
    return kind, how


def add_verbs(verbs: Any, verb: Any) -> None:
    one = verb(verbs, "bring", bring, "take things of another show into this one")
    one.add_argument("source", help="the other show; it is only read")
    one.add_argument(
        "--want",
        action="append",
        default=[],
        metavar="KIND [WORDS]",
        help="such as “units 101-110”, “groups”, “looks 1-4”; everything without it",
    )
    one.add_argument("--first", type=int, help="the number of the first unit that comes")
    one.add_argument("--close", action="store_true", help="without gaps between numbers")
    one.add_argument(
        "--addresses", default="keep", help="keep, off, or the universes theirs become: 40,42-44"
    )
    one.add_argument(
        "--clash",
        action="append",
        default=[],
        metavar="KIND=HOW",
        help="how what we have already is met: mine, theirs, another, levels (of looks)",
    )
    one.add_argument(
        "--stand-in",
        action="append",
        default=[],
        metavar="THEIRS=OURS",
        help="in looks our unit is lit for theirs, by number; nothing for no unit",
    )
    saving(one)
