"""`isthmus hang-list`: a list from anywhere, what was read of it and what is asked, and its units
added to a show.
"""

from __future__ import annotations

import argparse
from dataclasses import asdict, replace
from pathlib import Path
from typing import Any

from isthmus.cli.common import DONE, SNAGS, Result, keep, load, saving
from isthmus.errors import EntryFault
from isthmus.hanglist import CHOSEN, MAX_BYTES, PLAIN, Answers, HangList, Reading
from isthmus.layout import set_out
from isthmus.library.at_hand import at_hand
from isthmus.patch.models import Library
from isthmus.patch.paper import take_paper
from isthmus.plural import many
from isthmus.show.files import read_file
from isthmus.show.records import PaperRow, Show


def hang_list(options: argparse.Namespace) -> Result:
    """Read a list; with a show, add its units to it."""
    show = load(options.show) if options.show else Show()
    path = Path(options.file)
    library = at_hand(show)
    reading = Reading(read_file(path, MAX_BYTES), path.name, library)
    found = reading.read(Answers(sheet=options.sheet or ""))
    answers = _answers(options, found, library)
    found = reading.read(answers)
    if options.agree:
        found = reading.read(_agreed(answers, found))
    data, lines = _told(found)
    open_ = bool(found.lacking or found.questions or found.paper.unread)
    if options.show:
        if found.lacking or found.questions:
            raise EntryFault(" ".join(lines[-3:]), do="Answer with --column, --universe or --way.")
        made = take_paper(show, found.paper, library)
        fresh = [u.id for u in made.units[len(show.units) :]]
        saved, words = keep(options, set_out(made, fresh))
        data |= {"added": len(fresh), "saved": saved}
        lines += [f"{many(len(fresh), 'unit')} added.", words]
    return (SNAGS if open_ else DONE), data, lines


def _answers(options: argparse.Namespace, found: HangList, library: Library) -> Answers:
    """What the options say. Raises EntryFault."""
    answers = Answers(
        sheet=options.sheet or "",
        universe=options.universe or 0,
        way=options.way or "",
        together=options.together,
    )
    if options.column:
        columns = dict(found.at)
        for said in options.column:
            name, _, head = said.partition("=")
            columns[_field(name)] = _column(head, found)
        answers = replace(answers, columns=columns)
    models = {}
    for said in options.model or ():
        text, _, name = said.partition("=")
        match = library.match(name)
        if match is None:
            raise EntryFault(
                f"“{name[:40]}” is not a profile.", do="Look for it with profiles find."
            )
        models[text] = match[0]
    return replace(answers, models=models)


def _field(name: str) -> str:
    for key in CHOSEN:
        if name.strip().lower() in (key, PLAIN[key].lower()):
            return key
    columns = ", ".join(CHOSEN)
    raise EntryFault(f"“{name[:20]}” is not a column.", do=f"Columns are {columns}.")


def _column(head: str, found: HangList) -> int:
    heads = [one.casefold() for one in found.heads]
    if head.strip().casefold() in heads:
        return heads.index(head.strip().casefold())
    if head.strip().isdigit() and 1 <= int(head) <= len(heads):
        return int(head) - 1
    if head.strip() in ("", "-"):
        return -1
    raise EntryFault(f"No column is headed “{head[:30]}”.", do=f"It has {', '.join(found.heads)}.")


def _agreed(answers: Answers, found: HangList) -> Answers:
    """Every name that nearly matches, as it is proposed."""
    models = {one.text: one.key for one in found.unknown if one.key and not one.of}
    modes = {(one.of, one.text): one.key for one in found.unknown if one.key and one.of}
    return replace(answers, models={**answers.models, **models}, modes=modes)


def _row(row: PaperRow) -> dict[str, object]:
    return {
        "line": row.line,
        "number": row.number,
        "fixture_id": row.fixture_id,
        "type": row.type,
        "mode": row.mode,
        "address": f"{row.universe}.{row.address:03d}" if row.universe else "",
        "position": row.hangs_on,
        "purpose": row.purpose,
        "gel": row.gel,
    }


def _told(found: HangList) -> tuple[dict[str, object], list[str]]:
    lines = [
        f"{PLAIN[name]} is “{found.heads[at]}”{' (not sure)' if name in found.guessed else ''}."
        for name, at in found.at.items()
        if at < len(found.heads)
    ]
    lines += found.notes
    lines += [str(fault) for fault in found.faults]
    near = [one for one in found.unknown if one.key]
    lines += [f"“{one.text}” in {many(one.count, 'line')}: {one.why}." for one in near]
    lines.append(
        f"{many(len(found.paper.rows), 'unit')} read; {many(len(found.paper.unread), 'line')} "
        "cannot be taken yet."
    )
    lines += [question.words for question in found.questions]
    if found.lacking:
        named = " and ".join(PLAIN[name] for name in found.lacking)
        lines.append(f"No column is surely {named}: say it with --column.")
    data: dict[str, object] = {
        "columns": {
            name: found.heads[at] for name, at in found.at.items() if at < len(found.heads)
        },
        "not_sure": dict(found.guessed),
        "lacking": list(found.lacking),
        "questions": [asdict(question) for question in found.questions],
        "units": [_row(row) for row in found.paper.rows],
        "faults": [asdict(fault) for fault in found.faults],
        "nearly": [asdict(one) for one in found.unknown],
        "unread": [[line.line, line.why] for line in found.paper.unread],
        "notes": list(found.notes),
    }
    return data, lines


def add_verbs(verbs: Any, verb: Any) -> None:
    """Put the verb onto the command line."""
    text = "read a hang list; add its units to a show"
    made = verb(verbs, "hang-list", hang_list, text, show=False)
    made.add_argument("--show", metavar="SHOW", help="the show its units are added to")
    made.add_argument("file", help="text, CSV, XLSX, ODS or PDF")
    made.add_argument("--sheet", help="which sheet of a spreadsheet")
    made.add_argument(
        "--column", action="append", metavar="FIELD=HEAD", help="address=DMX; also by its number"
    )
    made.add_argument("--universe", type=int, help="of addresses that say none")
    made.add_argument("--way", choices=("pair", "through"), help="how addresses are written")
    made.add_argument("--model", action="append", metavar="TEXT=PROFILE")
    made.add_argument(
        "--together", action="store_true", help="units of one type and mode may share an address"
    )
    made.add_argument("--agree", action="store_true", help="take names that nearly match")
    saving(made)
