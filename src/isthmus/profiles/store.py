"""The profiles of a show, read from the files it keeps. Read once for each file object."""

from __future__ import annotations

import re
from dataclasses import dataclass, field
from pathlib import Path

from isthmus.errors import IsthmusError
from isthmus.profiles.gdtf import read_gdtf
from isthmus.profiles.records import Mode, Profile
from isthmus.recent import Recent
from isthmus.show.container import MAX_MEMBER
from isthmus.show.files import read_file
from isthmus.show.records import Show, StoredProfile, Unit

_READ: dict[int, tuple[StoredProfile, Profile | IsthmusError]] = {}


def read_stored(stored: StoredProfile) -> Profile | IsthmusError:
    """The profile, or why it cannot be read; by identity of the stored record, which never
    changes.
    """
    kept = _READ.get(id(stored))
    if kept is None or kept[0] is not stored:
        try:
            result: Profile | IsthmusError = read_gdtf(stored.data, stored.file)
        except IsthmusError as error:
            result = error
        if len(_READ) > 4096:
            _READ.clear()
        kept = _READ[id(stored)] = (stored, result)
    return kept[1]


@dataclass(frozen=True)
class ProfileSet:
    """Profiles by key, and the complaints about those that cannot be read."""

    profiles: dict[str, Profile]
    faults: dict[str, IsthmusError]
    _modes: dict[tuple[str, str], tuple[Profile, Mode] | None] = field(default_factory=dict)

    def mode_of(self, unit: Unit) -> tuple[Profile, Mode] | None:
        key = unit.profile, unit.mode
        if key not in self._modes:
            profile = self.profiles.get(unit.profile)
            mode = profile.mode(unit.mode) if profile else None
            self._modes[key] = (profile, mode) if profile and mode else None
        return self._modes[key]


_SETS: Recent[ProfileSet] = Recent()


def profiles_of(show: Show) -> ProfileSet:
    """All profiles of a show; the same object as long as the show's profiles are the same."""
    return _SETS.get((show.profiles,), lambda _: _set_of(show.profiles))


def _set_of(profiles: tuple[StoredProfile, ...]) -> ProfileSet:
    results = {stored.key: read_stored(stored) for stored in profiles}
    return ProfileSet(
        {key: value for key, value in results.items() if isinstance(value, Profile)},
        {key: value for key, value in results.items() if isinstance(value, IsthmusError)},
    )


def load_stored(path: Path) -> tuple[StoredProfile, Profile]:
    """A GDTF file as it is kept in a show. Raises FileFault when it cannot be read."""
    return kept_of(read_file(path, MAX_MEMBER), path.name)


def kept_of(data: bytes, where: str) -> tuple[StoredProfile, Profile]:
    """The same of its bytes. Raises FileFault."""
    profile = read_gdtf(data, where)
    stored = stored_of(profile, data)
    _READ[id(stored)] = (stored, profile)
    return stored, profile


def stored_of(profile: Profile, data: bytes) -> StoredProfile:
    """A GDTF file's bytes as they are kept in a show, under maker and model."""
    return StoredProfile(key=profile.title, file=file_name(profile), data=data)


def file_name(profile: Profile) -> str:
    """The usual name of a profile's file, safe on any disk."""
    return _on_disk(f"{profile.maker}@{profile.name}") + ".gdtf"


def is_usual_file(stem: str, key: str) -> bool:
    """Whether a file of this name, without its ending, may be the usual one of a profile."""
    return stem.replace("@", " ", 1) == _on_disk(key)


def _on_disk(words: str) -> str:
    return re.sub(r"[^\w@ .-]", "_", words)[:110]
