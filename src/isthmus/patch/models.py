"""Profiles that may be chosen, found by the names people write."""

from __future__ import annotations

import difflib
import re
from collections.abc import Callable

from rapidfuzz import fuzz, process

from isthmus.profiles import Profile, ProfileSet, profiles_of
from isthmus.profiles.store import read_stored
from isthmus.show.records import Show, StoredProfile

ALIKE = 55.0  # hundredths of letters in common from which a name may be meant
More = Callable[[str], list[StoredProfile]]


class Library:
    """Profiles that may be chosen, by key, with the file each comes from."""

    def __init__(
        self, stored: dict[str, StoredProfile], profiles: ProfileSet, more: More | None = None
    ) -> None:
        """`more` looks for profiles of a written name that are not among these yet."""
        self.stored, self.profiles, self._more = stored, profiles, more
        self._by_name: dict[str, tuple[str, Profile]] = {}
        for key, profile in profiles.profiles.items():
            for name in names_of(profile):
                self._by_name.setdefault(name, (key, profile))
        self._near: dict[str, tuple[str, float]] = {}

    @staticmethod
    def of(*sources: tuple[StoredProfile, ...], more: More | None = None) -> Library:
        merged: dict[str, StoredProfile] = {}
        for source in sources:
            for stored in source:
                merged.setdefault(stored.key, stored)
        return Library(merged, profiles_of(Show(profiles=tuple(merged.values()))), more)

    def match(self, text: str) -> tuple[str, Profile] | None:
        """The profile meant by a model name, with or without its maker; only an exact name
        counts.
        """
        found = self._by_name.get(plain(text))
        if found is None and self._more is not None and plain(text):
            for stored in self._more(text):
                profile = read_stored(stored)
                if isinstance(profile, Profile) and stored.key not in self.stored:
                    self.stored[stored.key] = stored
                    self.profiles.profiles[stored.key] = profile
                    for name in names_of(profile):
                        self._by_name.setdefault(name, (stored.key, profile))
            found = self._by_name.get(plain(text))
        return found

    def _nearest(self, text: str) -> tuple[str, float]:
        wanted = plain(text)
        if wanted not in self._near:
            close = process.extractOne(
                wanted, list(self._by_name), scorer=fuzz.ratio, score_cutoff=ALIKE
            )
            self._near[wanted] = (self._by_name[close[0]][0], close[1]) if close else ("", 0.0)
        return self._near[wanted]

    def nearest(self, text: str) -> str:
        """The key of the profile with the likest name; empty when none is like it."""
        return self._nearest(text)[0]

    def likeness(self, text: str) -> float:
        """How like the likest name is, in hundredths of the letters."""
        return self._nearest(text)[1]

    def why_near(self, text: str, key: str) -> str:
        """What is alike and what differs between a written name and a profile's."""
        profile = self.profiles.profiles[key]
        wanted, name = plain(text), plain(profile.name)
        if sorted(wanted.split()) == sorted(name.split()):
            return "the same words in another order"
        if wanted.replace(" ", "") == name.replace(" ", ""):
            return "the same letters, spaced otherwise"
        if set(name.split()) < set(wanted.split()):
            return (
                f"“{' '.join(w for w in wanted.split() if w not in name.split())}” is not in its "
                "name"
            )
        same = sum(
            block.size
            for block in difflib.SequenceMatcher(None, wanted, name).get_matching_blocks()
        )
        return f"{same} of {len(name)} letters agree"


def names_of(profile: Profile) -> tuple[str, ...]:
    """What people may call it, in plain letters: with and without its maker, and at length."""
    names = (profile.name, f"{profile.maker} {profile.name}", profile.long_name)
    return tuple(dict.fromkeys(name for name in map(plain, names) if name))


def plain(text: str) -> str:
    return " ".join(re.findall(r"[a-z0-9#]+", text.lower()))
