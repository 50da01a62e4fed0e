"""Models and modes as people write them: by name, by footprint, by both, in one cell or in two.

Only what can mean one thing is taken; what nearly matches is proposed with the reason.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass

from isthmus.patch.models import Library, names_of, plain
from isthmus.profiles import Profile, chart

_FEET = re.compile(
    r"\(?\s*\b(\d{1,3})\s*-?\s*(?:ch(?:an(?:nel)?)?s?|k(?:an(?:äle|al)?)?|canaux|canales|canali|kanalen"
    r"|dmx(?:\s*ch)?|slots?|voies|c)\b\.?\s*\)?",
    re.IGNORECASE,
)
CLOSE = 80.0  # hundredths of letters: a text that is a model as a whole
CUTS = 24  # places at which a model's text is tried to end
_NTH = re.compile(
    r"^(?:mode|modus|modo|modalità|m|mod\.?|stand|personality|pers\.?)?\s*#?\s*(\d{1,2})$",
    re.IGNORECASE,
)
_REST = re.compile(r"^[\s(,;:/–—\-\[]+|[\s),;:/–—\-\]]+$")


@dataclass(frozen=True)
class Told:
    """What a text may mean and why; `sure` when it can mean nothing else."""

    key: str = ""  # of a profile, or the name of a mode
    why: str = ""
    sure: bool = False
    rest: str = ""  # of a model's text, what may name its mode
    text: str = ""  # and what names the model itself, where that is not the whole


def footprints(profile: Profile) -> dict[str, int]:
    return {mode.name: chart(profile, mode).footprint for mode in profile.modes}


def apart(step: int) -> str:
    """What stands for a mode that is not written: units whose addresses stand so far apart."""
    return f"({step} apart)"


def said_apart(text: str) -> bool:
    return text.startswith("(") and text.endswith(" apart)")


class Models:
    """Written models and modes against a library, each text looked up once."""

    def __init__(
        self,
        library: Library,
        models: Mapping[str, str] | None = None,
        modes: Mapping[tuple[str, str], str] | None = None,
    ) -> None:
        """`models` (written → key) and `modes` ((key, written) → mode) are what was agreed to."""
        self.library = library
        self.agreed = {plain(text): key for text, key in (models or {}).items()}
        self.chosen = {(key, plain(text)): name for (key, text), name in (modes or {}).items()}
        self._models: dict[str, Told] = {}
        self._modes: dict[tuple[str, str, str], Told] = {}
        self._feet: dict[str, dict[str, int]] = {}
        self._squeezed: dict[str, set[str]] | None = None

    def agree(self, models: Mapping[str, str]) -> None:
        """Take written models for what they are proven to be."""
        self.agreed |= {plain(text): key for text, key in models.items()}
        self._models.clear()

    def profile(self, key: str) -> Profile:
        return self.library.profiles.profiles[key]

    def feet(self, key: str) -> dict[str, int]:
        """The footprint of each mode of a profile."""
        if key not in self._feet:
            self._feet[key] = footprints(self.profile(key))
        return self._feet[key]

    def model(self, text: str) -> Told:
        if text not in self._models:
            self._models[text] = self._model(text)
        return self._models[text]

    def _model(self, text: str) -> Told:
        agreed = self.agreed.get(plain(text))
        if agreed in self.library.profiles.profiles:
            return Told(agreed, "agreed", True)
        if found := self.library.match(text):
            return Told(found[0], "", True)
        if same := self._same_letters(text):
            return Told(same, "the same letters, spaced otherwise", True)
        for key, head, rest in self._parts(text, self._exactly):
            return Told(key, "", True, rest, head)
        whole = self.library.likeness(text) >= CLOSE
        for key, head, rest in () if whole else self._parts(text, self.library.nearest):
            return Told(key, self.library.why_near(head, key), False, rest, head)
        near = self.library.nearest(text)
        return Told(near, self.library.why_near(text, near), False) if near else Told()

    def _exactly(self, text: str) -> str:
        """The key of the profile a text names; empty when it names none."""
        if key := self.agreed.get(plain(text)):
            return key if key in self.library.profiles.profiles else ""
        found = self.library.match(text)
        return found[0] if found else self._same_letters(text)

    def _parts(self, text: str, name: Callable[[str], str]) -> Iterator[tuple[str, str, str]]:
        """A text cut into a model and what surely is a mode of it: (key, model, mode)."""
        for cut in self._shorter(text):
            head, rest = text[:cut].strip(), text[cut:]
            key = name(head) if plain(head) else ""
            if key and plain(rest) and self.mode(key, rest, "").sure:
                yield key, head, _REST.sub("", rest)

    def _same_letters(self, text: str) -> str:
        """The only profile whose name has the same letters and figures, or the same words."""
        if self._squeezed is None:
            self._squeezed = {}
            for key, profile in self.library.profiles.profiles.items():
                for name in names_of(profile):
                    for form in _forms(name):
                        self._squeezed.setdefault(form, set()).add(key)
        for form in _forms(text):
            keys = self._squeezed.get(form, set())
            names = {plain(self.profile(key).name) for key in keys}
            if keys and len(names) == 1:
                return min(keys)
        return ""

    @staticmethod
    def _shorter(text: str) -> list[int]:
        """Where a mode may begin within a model's text, the longest model first."""
        return [m.start() for m in re.finditer(r"\s*[(\[,;/]|\s+-\s+|\s+", text)][::-1][:CUTS]

    # ------------------------------------------------------------ modes

    def mode(self, key: str, text: str, feet: str, grown: int = 0) -> Told:
        """The mode of a profile by what is written for it, and by the footprint in a column of its
        own. `grown` is the distance between addresses of such units: it settles what is left
        open.
        """
        at = (key, text, f"{feet}/{grown}")
        if at not in self._modes:
            self._modes[at] = self._mode(key, text, feet, grown)
        return self._modes[at]

    def _mode(self, key: str, text: str, feet: str, grown: int) -> Told:
        sizes = self.feet(key)
        if said_apart(text):
            if len(sizes) == 1:
                return Told(next(iter(sizes)), "its only mode", True)
            if (key, plain(text)) not in self.chosen:
                text = ""
        if (key, plain(text)) in self.chosen and self.chosen[key, plain(text)] in sizes:
            return Told(self.chosen[key, plain(text)], "agreed", True)
        said = int(feet) if feet.strip().isdigit() else 0
        exact = [name for name in sizes if plain(name) == plain(text)] if plain(text) else []
        sizes_said = list(_FEET.finditer(text))
        size = sizes_said[-1] if sizes_said else None  # the last: a mode may have one in its name
        rest = _REST.sub("", f"{text[: size.start()]} {text[size.end() :]}") if size else text
        if size and not exact:
            if said and said != int(size[1]):
                return Told("", f"{size[1]} channels here, and {said} in their own column")
            said = int(size[1])
        return self._told(sizes, exact or self._named(sizes, rest), plain(rest), said, grown)

    def _told(
        self, sizes: Mapping[str, int], named: list[str], rest: str, said: int, grown: int
    ) -> Told:
        sized = [name for name, size in sizes.items() if said and size == said]
        if said and not sized:
            return Told("", f"no mode of it takes {said} channels")
        if named and said:
            both = [name for name in named if name in sized]
            if len(both) == 1:
                return Told(both[0], "", True)
            name = named[0]
            return Told("", f"its mode {name} takes {sizes[name]} channels, and {said} are written")
        if len(named) == 1:
            return Told(named[0], "", True)
        if not named and said and (not rest or len(sized) == 1):
            if len(sized) == 1:
                return Told(sized[0], f"the only mode of {said} channels", not rest)
            fits = ", ".join(sized)
            return Told(sized[0], f"{fits} take {said} channels", False)
        if not rest and not said and len(sizes) == 1:
            return Told(next(iter(sizes)), "its only mode", True)
        if (match := _NTH.match(rest)) and not named:
            return self._counted(sizes, rest, int(match[1]), grown)
        fits = [name for name, size in sizes.items() if size == grown]
        if grown and len(fits) == 1:
            return Told(fits[0], f"the addresses stand {grown} apart", False)
        return Told()

    @staticmethod
    def _counted(sizes: Mapping[str, int], text: str, number: int, grown: int) -> Told:
        """A bare number is a footprint, or a place in the list of modes."""
        by_size = [name for name, size in sizes.items() if size == number]
        if not text.startswith("m") and len(by_size) == 1:
            return Told(by_size[0], f"the only mode of {number} channels", number > 3)
        if not 1 <= number <= len(sizes):
            return Told()
        name = list(sizes)[number - 1]
        agrees = bool(grown) and [n for n, size in sizes.items() if size == grown] == [name]
        return Told(name, f"number {number} of its modes", agrees)

    @staticmethod
    def _named(sizes: Mapping[str, int], text: str) -> list[str]:
        """Modes a text names: whole, without the word mode, or cut short in one way only."""
        wanted = plain(text)
        if not wanted:
            return []
        bare = " ".join(w for w in wanted.split() if w not in ("mode", "modus", "modo", "stand"))
        for made in (wanted, bare):
            if found := [name for name in sizes if plain(name) == made and made]:
                return found
            squeezed = made.replace(" ", "")
            if found := [n for n in sizes if plain(n).replace(" ", "") == squeezed and squeezed]:
                return found
        if len(bare) >= 3:
            begun = [name for name in sizes if plain(name).startswith(bare)]
            if len(begun) == 1:
                return begun
        return []


def _forms(text: str) -> set[str]:
    """A name without its spaces, and its words in order of the alphabet."""
    wanted = plain(text)
    return {wanted.replace(" ", ""), " ".join(sorted(wanted.split()))} - {""}
