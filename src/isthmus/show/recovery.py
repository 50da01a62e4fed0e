"""Work of earlier runs that was never saved: found, read as far as it is whole, taken up or thrown
away.
"""

from __future__ import annotations

import hashlib
import os
import shutil
from dataclasses import dataclass, field
from pathlib import Path

import msgspec
from platformdirs import user_state_dir

from isthmus.errors import IsthmusError
from isthmus.show.change import apply_change
from isthmus.show.container import SUFFIX, Damage, open_damaged
from isthmus.show.decoding import decoded
from isthmus.show.files import read_file
from isthmus.show.journal import ABOUT, BEGIN, EDIT, LEVELS, About, Begin, Levels, entries, hold
from isthmus.show.records import Show

MAX_JOURNAL = 1024 * 1024 * 1024


def state_folder() -> Path:
    """Where what belongs to this computer is kept; `ISTHMUS_STATE` puts it elsewhere."""
    return Path(os.environ.get("ISTHMUS_STATE") or user_state_dir("isthmus"))


def recovery_folder() -> Path:
    return state_folder() / "recovery"


@dataclass
class Found:
    """Unsaved work: a journal's folder, or a whole file. While it is looked at no other process may
    take it.
    """

    place: Path
    show: Show
    original: Path | None
    when: float
    levels: Levels = ()  # live levels a roll call had put aside
    losses: list[str] = field(default_factory=list)  # what of it could not be read, in sentences
    last: str = ""  # the last edit it holds
    digest: str = ""  # what the show's file was (SHA-256) when this work began
    held: int = -1

    def saved(self) -> Show | None:
        """What its file holds; None where there is none that can be read."""
        try:
            return open_damaged(self.original)[0] if self.original else None
        except IsthmusError:
            return None

    def let_go(self) -> None:
        """Leave it where it is, for another time."""
        if self.held >= 0:
            os.close(self.held)
            self.held = -1

    def discard(self) -> None:
        """Remove it for good."""
        if self.place.is_dir():
            shutil.rmtree(self.place, ignore_errors=True)
        else:
            self.place.unlink(missing_ok=True)
            self.place.with_suffix(".json").unlink(missing_ok=True)
        self.let_go()


def left_behind(folder: Path) -> tuple[list[Found], list[str]]:
    """What runs that ended left unsaved, newest first; and in sentences what is there but cannot be
    read. It stays there.
    """
    found: list[Found] = []
    told: list[str] = []
    for place in sorted(folder.iterdir()) if folder.is_dir() else ():
        try:
            if place.is_dir():
                item = _read_folder(place)
            elif place.suffix == SUFFIX:
                item = _read_file(place)
            else:
                continue
        except (IsthmusError, OSError, msgspec.MsgspecError, ValueError) as error:
            told.append(
                f"Unsaved work of an earlier run could not be read ({error}). It stays in {place}."
            )
            continue
        if item is not None:
            found.append(item)
    return sorted(found, key=lambda f: -f.when), told


def _read_file(place: Path) -> Found:
    """A whole show kept beside, with or without a note of where it came from."""
    show, damage = open_damaged(place)
    about: dict = {}
    try:
        about = decoded(place.with_suffix(".json").read_bytes(), kind=dict)
    except (OSError, msgspec.MsgspecError):
        pass
    original = about.get("original")
    return Found(
        place,
        show,
        Path(original) if isinstance(original, str) and original else None,
        place.stat().st_mtime,
        losses=damage.words,
    )


def _read_folder(place: Path) -> Found | None:
    """The newest state a journal leads to; None when its run lives, or when nothing of it is
    unsaved.
    """
    held = hold(place)
    if held is None:
        return None
    try:
        item = _replay(place)
    except BaseException:
        os.close(held)
        raise
    if item is None:
        shutil.rmtree(place, ignore_errors=True)
        os.close(held)
        return None
    item.held = held
    return item


@dataclass
class _State:
    show: Show
    unsaved: bool
    levels: Levels = ()
    last: str = ""
    digest: str = ""
    file: str = ""  # the show's own


def _replay(place: Path) -> Found | None:
    numbers = sorted(
        {
            int(p.name.partition(".")[0])
            for p in place.iterdir()
            if p.suffix in (".base", ".journal") and p.stem.isdigit()
        }
    )
    losses: list[str] = []
    about = _about(place)
    for number in reversed(numbers):
        state = _state_after(place, number, numbers, losses)
        if state is None:
            continue
        original = Path(state.file or about.original) if state.file or about.original else None
        if not state.unsaved or (not losses and _is_saved(state.show, original)):
            return None
        when = max((p.stat().st_mtime for p in place.glob("*.journal")), default=about.when)
        return Found(
            place,
            state.show,
            original,
            when,
            state.levels,
            list(dict.fromkeys(losses)),
            state.last,
            state.digest,
        )
    if numbers and any(
        (place / f"{n}.journal").stat().st_size
        for n in numbers
        if (place / f"{n}.journal").exists()
    ):
        raise ValueError("what its edits build on is missing")
    return None


def _about(place: Path) -> About:
    try:
        return decoded((place / ABOUT).read_bytes(), kind=About)
    except (OSError, msgspec.MsgspecError):
        return About()


def digest_of(path: Path) -> str:
    """The SHA-256 of a file; empty when it cannot be read."""
    try:
        with path.open("rb") as stream:
            return hashlib.file_digest(stream, "sha256").hexdigest()
    except OSError:
        return ""


def _is_saved(show: Show, original: Path | None) -> bool:
    """Whether the show's own file holds just this."""
    try:
        return original is not None and open_damaged(original) == (show, Damage())
    except IsthmusError:
        return False


def _state_after(place: Path, number: int, numbers: list[int], losses: list[str]) -> _State | None:
    """The state at the end of a generation; None when nothing leads to it."""
    file = place / f"{number}.journal"
    data = read_file(file, MAX_JOURNAL) if file.exists() else b""
    found, whole = entries(data)
    if whole < len(data):
        losses.append(
            "The last edit was being written when the power or the program ended, and is not there."
        )
    begin = (
        decoded(found[0][1], kind=Begin)
        if found and found[0][0] == BEGIN
        else Begin("before", unsaved=True)
    )
    state = _beginning(place, number, numbers, begin, losses)
    if state is None:
        if any(kind == EDIT for kind, _ in found):
            losses.append(
                "The last edits build on something that cannot be read, and are not there."
            )
        return None
    state.digest, state.file = begin.digest or state.digest, begin.file or state.file
    for kind, body in found:
        if kind == EDIT:
            try:
                state.last, state.show = apply_change(state.show, body, begin.format)
            except (ValueError, msgspec.MsgspecError):
                losses.append(
                    "An edit does not fit what was before it; it and what came after are not there."
                )
                break
            state.unsaved = True
        elif kind == LEVELS:
            state.levels = msgspec.msgpack.decode(body, type=Levels)
    return state


def _beginning(
    place: Path, number: int, numbers: list[int], begin: Begin, losses: list[str]
) -> _State | None:
    """What a generation begins with: its base, the file it was read from, or the end of the one
    before.
    """
    base = place / f"{number}.base"
    candidates = [base] if base.exists() else []
    if begin.source == "file" and digest_of(Path(begin.file)) == begin.digest:
        candidates.append(Path(begin.file))
    for file in candidates:
        try:
            show, damage = open_damaged(file)
        except IsthmusError:
            continue
        if damage.words and file is base and len(candidates) > 1:
            continue
        losses.extend(damage.words)
        return _State(show, begin.unsaved)
    if begin.source == "before" and number - 1 in numbers:
        return _state_after(place, number - 1, numbers, losses)
    return None
