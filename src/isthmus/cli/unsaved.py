"""`isthmus unsaved`: work that a crash left."""

from __future__ import annotations

import argparse
import time
from pathlib import Path
from typing import Any

from isthmus.cli.common import DONE, Result
from isthmus.cli.compare import changes_with
from isthmus.compare import apply, difference
from isthmus.compare.words import contents, sentences
from isthmus.errors import EntryFault
from isthmus.plural import many
from isthmus.show import save_show
from isthmus.show.recovery import Found, left_behind, recovery_folder
from isthmus.show.versions import with_all


def unsaved(options: argparse.Namespace) -> Result:
    """Unsaved work of runs that ended, against its saved file; or saved as a file."""
    found, unread = left_behind(Path(options.folder) if options.folder else recovery_folder())
    try:
        if options.out:
            number, target = options.out
            return _saved(_numbered(found, number), Path(target), options.only)
        rows = [_row(at, item) for at, item in enumerate(found, 1)]
    finally:
        for item in found:  # it stays for the window, or for another time
            item.let_go()
    lines = [
        f"{r['number']}  {r['when']}  “{r['title']}”: {' '.join(r['sentences'])}" for r in rows
    ]
    return DONE, {"unsaved": rows, "unread": unread}, [*(lines or ["Nothing is unsaved."]), *unread]


def _numbered(found: list[Found], number: str) -> Found:
    if not (number.isdecimal() and 1 <= int(number) <= len(found)):
        raise EntryFault(f"There is no unsaved work {number}.", do=f"There is 1 to {len(found)}.")
    return found[int(number) - 1]


def _row(number: int, item: Found) -> dict[str, Any]:
    saved = item.saved()
    told = contents(item.show) if saved is None else sentences(difference(saved, item.show))
    return {
        "number": number,
        "when": time.strftime("%Y-%m-%d %H:%M", time.localtime(item.when)),
        "title": item.show.name,
        "file": str(item.original or ""),
        "sentences": [*told, *item.losses],
    }


def _saved(item: Found, target: Path, only: str) -> Result:
    """All of it, or into what its file holds only the changes that say these words."""
    show, saved, lines = item.show, item.saved(), []
    if only:
        if saved is None:
            raise EntryFault("Its file cannot be read.", do="Save all of it, without --only.")
        taken, lines = changes_with(difference(saved, show), only)
        show = with_all(apply(taken, saved), item.show)
    save_show(show, target)
    words = f"{many(len(lines), 'change')} saved in {target}" if only else f"Saved {target}"
    return DONE, {"saved": str(target), "taken": lines}, [*lines, words]


def add_verbs(verbs: Any, verb: Any) -> None:
    one = verb(verbs, "unsaved", unsaved, "work that a crash left", show=False)
    one.add_argument("--out", nargs=2, metavar=("N", "FILE"), help="save it as a file")
    one.add_argument(
        "--only", default="", metavar="WORDS", help="of it the changes with these words"
    )
    one.add_argument("--folder", help="where it is kept, if not where the application does")
