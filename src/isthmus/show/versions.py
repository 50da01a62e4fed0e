"""Versions of a show, inside it: made, looked at, thinned.

A version is made of the show as it was before an edit, in the same step: undo gives back just what
was there, and a redo has the version again.
"""

from __future__ import annotations

import contextlib
import getpass
from collections.abc import Sequence
from datetime import UTC, date, datetime
from typing import Any

import msgspec
from msgspec.structs import replace

from isthmus.errors import EntryFault, FileFault
from isthmus.plural import many
from isthmus.show.carried import blobs_of
from isthmus.show.checked import MAX_JSON
from isthmus.show.parts import Texts, needed, packed, put_together, split
from isthmus.show.plain import members_of, show_of
from isthmus.show.records import Show, Version

MANY = 20  # units removed or re-addressed at once, before which a version is made
SAVED = "as it was saved"
RULE = (
    "Versions with a note stay. Of the others all of today are kept, and the last of each day "
    "before."
)


def now() -> datetime:
    return datetime.now(UTC)


def with_version(
    show: Show, of: Show, note: str = "", why: str = "", at: datetime | None = None
) -> Show:
    """The show with what `of` holds as its newest version, older ones thinned. What is a version
    already is not made one again, but for a note.
    """
    return _with(show, members_of(of), dict(blobs_of(of)), note, why, at)


def before_migration(show: Show, raw: dict[str, Any]) -> Show:
    """With what its file of an older format held, as that format has it."""
    why = f"before format {raw['format']} became {show.format}"
    return _with(show, raw, dict(blobs_of(show)), "", why, None)


def _with(
    show: Show,
    members: dict[str, Any],
    blobs: dict[str, bytes],
    note: str,
    why: str,
    at: datetime | None,
) -> Show:
    texts = split({n: value for n, value in members.items() if n not in ("versions", "kept")})
    last = show.versions[-1].root if show.versions else ""
    there = {member: data for member, data in blobs.items() if data}
    root, kept = packed(texts, there, last, show.kept)
    note = note.strip()
    if not note and any(v.root == root for v in show.versions):
        return show
    made = Version(
        number=1 + max((v.number for v in show.versions), default=0),
        at=(at or now()).isoformat(timespec="seconds"),
        note=note,
        why=why,
        who=_who(),
        root=root,
    )
    return _thinned(replace(show, versions=(*show.versions, made), kept=kept))


def root_of(show: Show) -> str:
    """The root it would have as a version: alike in shows that hold the same."""
    return with_version(without_versions(show), show).versions[0].root


def _who() -> str:
    with contextlib.suppress(OSError, KeyError):
        return getpass.getuser()
    return ""


# ------------------------------------------------------------ kept with an edit


def with_all(show: Show, other: Show) -> Show:
    """The show with the versions of another too, by their time, those that hold the same once."""
    there = {v.root for v in show.versions}
    numbers = {v.number for v in show.versions}
    made = list(show.versions)
    for version in other.versions:
        if version.root not in there:
            number = version.number if version.number not in numbers else 1 + max(numbers)
            numbers.add(number)
            made.append(replace(version, number=number))
    if len(made) == len(show.versions):
        return show
    made.sort(key=lambda v: (v.at, v.number))
    return _thinned(replace(show, versions=tuple(made), kept={**other.kept, **show.kept}))


def risk(old: Show, new: Show) -> str:
    """Why a version is made before an edit; "" where it needs none."""
    if old.units is new.units:
        return ""
    after = {unit.id: unit for unit in new.units}
    gone = sum(unit.id not in after for unit in old.units)
    moved = sum(
        bool(unit.patch) and unit.id in after and after[unit.id].patch != unit.patch
        for unit in old.units
    )
    if gone >= MANY:
        return f"before {many(gone, 'unit')} went"
    return f"before {many(moved, 'unit')} got other addresses" if moved >= MANY else ""


def guarded(old: Show, new: Show) -> Show:
    """The new show, with the old one among its versions where the edit is a risk."""
    why = risk(old, new)
    return with_version(new, old, why=why) if why else new


def _thinned(show: Show) -> Show:
    left = thinned(show.versions)
    if len(left) < len(show.versions):
        show = replace(show, versions=left, kept=needed((v.root for v in left), show.kept))
    return show


def thinned(versions: Sequence[Version], today: date | None = None) -> tuple[Version, ...]:
    """By `RULE`. Days are those of the clock on the wall; what lies in the future counts as
    today.
    """
    today = today or now().astimezone().date()
    last: dict[date, Version] = {}
    for version in versions:
        last[day_of(version)] = version
    return tuple(v for v in versions if v.note or day_of(v) >= today or last[day_of(v)] is v)


def day_of(version: Version) -> date:
    moment = time_of(version)
    return moment.date() if moment else date.min


def time_of(version: Version) -> datetime | None:
    """When it was made, by the clock on the wall; None where it does not say."""
    try:
        return datetime.fromisoformat(version.at).astimezone()
    except (ValueError, OverflowError, OSError):
        return None


# ------------------------------------------------------------ looked at


def version_named(show: Show, number: int) -> Version:
    """Raises EntryFault."""
    found = next((v for v in show.versions if v.number == number), None)
    if found is None:
        there = ", ".join(str(v.number) for v in show.versions[-12:])
        do = f"It has {there}." if there else "It has none yet."
        raise EntryFault(f"This show has no version {number}.", do=do)
    return found


def shown(show: Show, version: Version) -> Show:
    """The show as it was, without versions of its own. Raises FileFault where it is damaged."""
    try:
        texts = Texts(show.kept, MAX_JSON)
        tree = texts.tree(version.root)
        was = show_of(put_together(map(texts.text, tree.parts)), [])
    except (KeyError, ValueError, TypeError, msgspec.MsgspecError, RecursionError) as error:
        raise FileFault(
            f"version {version.number} is damaged.", do="Take one before or after it."
        ) from error

    def data(member: str) -> bytes:
        return show.kept.get(tree.blobs.get(member, ""), b"")

    return replace(
        was,
        profiles=tuple(replace(p, data=data(f"profiles/{p.file}")) for p in was.profiles),
        files=tuple(replace(f, data=data(f"files/{f.name}")) for f in was.files),
    )


def gone_back(show: Show, version: Version) -> Show:
    """The show as it was, with what it is now among its versions. Raises FileFault."""
    back = replace(shown(show, version), versions=show.versions, kept=show.kept)
    return with_version(back, show, why=f"before version {version.number} came back")


def without_versions(show: Show) -> Show:
    return replace(show, versions=(), kept={})
