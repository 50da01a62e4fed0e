"""What two copies of a show both come from: the last version both hold, else the nearest one."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from msgspec.structs import replace

from isthmus.compare.difference import WHOLE, difference
from isthmus.compare.matching import matched
from isthmus.compare.merge import Merged, merge
from isthmus.compare.references import KEYS, key_of, renamed_show
from isthmus.show.records import Show, Version
from isthmus.show.versions import root_of, shown, with_all, with_version, without_versions


@dataclass(frozen=True)
class Base:
    """`version` is what it is among those of `holder`, "mine" or "theirs"; None where it is one of
    the two as it is now, or what both have in common. `sure`: both hold it.
    """

    show: Show
    version: Version | None
    holder: str
    sure: bool


def base_of(mine: Show, theirs: Show) -> Base:
    """Found by what versions hold, whatever they are called."""
    ours, others = root_of(mine), root_of(theirs)
    of_mine = {v.root: v for v in mine.versions}
    of_theirs = {v.root: v for v in theirs.versions}
    if others == ours or others in of_mine:
        return Base(without_versions(theirs), None, "theirs", True)
    if ours in of_theirs:
        return Base(without_versions(mine), None, "mine", True)
    both = [v for v in mine.versions if v.root in of_theirs]
    if both:
        return Base(shown(mine, both[-1]), both[-1], "mine", True)
    return _nearest(mine, theirs)


def _nearest(mine: Show, theirs: Show) -> Base:
    """The version of either that differs least from both; what they have in common without one."""
    found: list[tuple[int, Base]] = []
    for holder, of in (("mine", mine), ("theirs", theirs)):
        for version in of.versions:
            was = shown(of, version)
            far = sum(len(difference(was, show).changes) for show in (mine, theirs))
            found.append((far, Base(was, version, holder, False)))
    apart = len(difference(mine, theirs).changes)
    far, best = min(found, key=lambda pair: pair[0], default=(apart + 1, None))
    if best is not None and far <= 2 * apart:
        return best
    return Base(in_common(mine, theirs), None, "", False)


def in_common(mine: Show, theirs: Show) -> Show:
    """The things that both have alike, under our ids."""
    theirs = renamed_show(theirs, matched(mine, theirs))
    usual = Show()
    changed: dict[str, Any] = {
        name: getattr(usual, name)
        for name in WHOLE
        if name != "extra" and getattr(mine, name) != getattr(theirs, name)
    }
    for kind in KEYS:
        there = {key_of(kind, x): x for x in getattr(theirs, kind)}
        changed[kind] = tuple(x for x in getattr(mine, kind) if there.get(key_of(kind, x)) == x)
    return replace(without_versions(mine), **changed)


def joined(mine: Show, theirs: Show) -> tuple[Base, Merged]:
    """Both copies' edits since what they come from."""
    base = base_of(mine, theirs)
    if not base.sure:
        theirs = renamed_show(theirs, matched(mine, theirs))
    return base, merge(base.show, without_versions(mine), without_versions(theirs))


def with_both(show: Show, mine: Show, theirs: Show, name: str) -> Show:
    """The joined show with the versions of both, and with both as they were; `name` is theirs."""
    made = with_all(replace(show, versions=mine.versions, kept=mine.kept), theirs)
    made = with_version(made, theirs, why=f"what “{name}” held when it was joined")
    return with_version(made, mine, why=f"before “{name}” was joined")
