"""Handovers: versions that were given to others, under a revision letter."""

from __future__ import annotations

import re

from msgspec.structs import replace

from isthmus.errors import EntryFault
from isthmus.show.records import Show, Version
from isthmus.show.versions import root_of, time_of, with_version


def handovers(show: Show) -> list[Version]:
    """Oldest first."""
    return [version for version in show.versions if version.letter]


def next_letter(show: Show) -> str:
    """A, B … Z, AA: the one behind the last."""
    last = max((v.letter for v in handovers(show)), key=lambda x: (len(x), x), default="")
    stem = last.rstrip("Z")
    zeros = len(last) - len(stem)
    if not stem:
        return "A" * (zeros + 1)
    return f"{stem[:-1]}{chr(ord(stem[-1]) + 1)}{'A' * zeros}"


def handed_over(show: Show, to: str = "", note: str = "", letter: str = "") -> Show:
    """The show with what it is now as its next revision; `letter` other than the next one. Raises
    EntryFault for a letter that is none, or is taken.
    """
    letter = (letter.strip() or next_letter(show)).upper()
    if not re.fullmatch(r"[A-Z]{1,3}", letter):
        raise EntryFault(f"“{letter[:20]}” is not a revision letter.", do="Write A to ZZZ.")
    if any(version.letter == letter for version in show.versions):
        raise EntryFault(
            f"Revision {letter} is there already.", do=f"The next one is {next_letter(show)}."
        )
    words = note.strip() or f"revision {letter}"
    made = with_version(show, show, words)
    last = replace(made.versions[-1], letter=letter, to=to.strip())
    return replace(made, versions=(*made.versions[:-1], last))


def handover_named(show: Show, letter: str) -> Version | None:
    """The last of that letter."""
    wanted = letter.strip().upper()
    return next((v for v in reversed(show.versions) if v.letter and v.letter == wanted), None)


def told(version: Version) -> str:
    """`revision B of 2026-12-01, to the house`."""
    moment = time_of(version)
    when = f" of {moment:%Y-%m-%d}" if moment else ""
    return f"revision {version.letter}{when}" + (f", to {version.to}" if version.to else "")


def standing(show: Show) -> str:
    """What the show is: a revision, or what came after one; "" before the first."""
    made = handovers(show)
    if not made:
        return ""
    unnamed = replace(show, sending=replace(show.sending, cid=""))  # given at the first edit
    same = made[-1].root in (root_of(show), root_of(unnamed))
    return told(made[-1]) if same else f"after revision {made[-1].letter}"
