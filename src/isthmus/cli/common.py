"""What all verbs share: opening a show, keeping what came of it, exit codes."""

from __future__ import annotations

import argparse
import sys
from pathlib import Path
from typing import Any

from isthmus.errors import EntryFault, FileFault, os_reason
from isthmus.show import Show, save_show
from isthmus.show.container import open_damaged
from isthmus.show.versions import SAVED, risk, shown, version_named, with_version

DONE, SNAGS, FAILED, INTERRUPTED = 0, 1, 3, 4  # 2 is argparse's own
Result = tuple[int, Any, list[str]]


def load(name: str, known: Show | None = None) -> Show:
    """A show file, one of its versions (`FILE@3`), or the demo show when the name is `demo`. An MVR
    file is read as a show too: what others made of the one that is `known`.
    """
    if name == "demo":
        from isthmus.demo import lantern_tide  # half of the rooms of the house: only where wanted

        return lantern_tide()
    if version := _version_in(name):
        file, number = version
        show = load(file)
        return shown(show, version_named(show, number))
    if name.lower().endswith(".mvr"):
        return _load_mvr(Path(name), known)
    show, damage = open_damaged(Path(name))
    for words in damage.words:
        print(f"isthmus: {name}: {words}", file=sys.stderr)
    return show


def _load_mvr(path: Path, known: Show | None) -> Show:
    from isthmus.library.at_hand import at_hand  # half of the rooms of the house again
    from isthmus.mvr import open_mvr

    came = open_mvr(path, at_hand(known or Show()), known)
    for notice in came.notices:
        print(f"isthmus: {path}: {notice}", file=sys.stderr)
    return came.show


def _version_in(name: str) -> tuple[str, int] | None:
    """`FILE@3` as file and number; None for what is a file itself."""
    file, _, number = name.rpartition("@")
    return (file, int(number)) if file and number.isdecimal() and not Path(name).exists() else None


def made_folder(name: str) -> Path:
    """A folder to save in, made where it is not there. Raises FileFault."""
    folder = Path(name)
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise FileFault(
            f"the folder cannot be made. {os_reason(error)}", where=str(folder)
        ) from error
    return folder


def saving(parser: argparse.ArgumentParser) -> None:
    """The options of verbs that change a show."""
    parser.add_argument(
        "--dry-run", action="store_true", help="say what would be done, save nothing"
    )
    parser.add_argument("--save", metavar="OUT", help="save as another file")


def keep(options: argparse.Namespace, show: Show) -> tuple[str | None, str]:
    """Save a changed show where the options say, with what it was among its versions. Returns the
    path, and a sentence.
    """
    if options.dry_run:
        return None, "Nothing saved (dry run)."
    if options.show == "demo" and not options.save:
        raise EntryFault("the demo show has no file.", do="Say --save OUT.isthmus, or --dry-run.")
    if _version_in(options.show) and not options.save:
        raise EntryFault("A version stays as it is.", do="Say --save OUT.isthmus, or --dry-run.")
    if options.show.lower().endswith(".mvr") and not options.save:
        raise EntryFault("An MVR file stays as it is.", do="Say --save OUT.isthmus, or --dry-run.")
    target = Path(options.save or options.show)
    if options.show != "demo":
        old = load(options.show)
        show = with_version(show, old, why=risk(old, show) or SAVED)
    save_show(show, target)
    return str(target), f"Saved {target}"
