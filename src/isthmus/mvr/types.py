"""Which profile the fixtures of an MVR file are of: the GDTF inside it, one of ours, or a stand-in
of their footprint.
"""

from __future__ import annotations

import re
from bisect import bisect_right
from collections import defaultdict
from collections.abc import Iterable, Sequence

from msgspec.structs import replace

from isthmus.errors import FileFault, IsthmusError
from isthmus.mvr import records as r
from isthmus.mvr.archive import Mvr
from isthmus.mvr.pieces import Tell
from isthmus.patch.models import Library, plain
from isthmus.plural import many
from isthmus.profiles.gdtf import write_gdtf
from isthmus.profiles.make import Channel, ModePlan, compose
from isthmus.profiles.make.bodies import Body
from isthmus.profiles.records import Profile
from isthmus.profiles.store import kept_of, read_stored, stored_of
from isthmus.show.records import SLOTS, StoredProfile

STAND_IN = "Stand-in"
_SLOTS = re.compile(r"(\d{1,3})\s*-?\s*(?:ch\b|chan|slots?\b|dmx\b|k\b)", re.IGNORECASE)


class Types:
    """Profiles by what fixtures name. `profiles` holds those that are used."""

    def __init__(
        self, mvr: Mvr, fixtures: Sequence[r.Thing], library: Library | None, tell: Tell
    ) -> None:
        self.mvr, self.library, self.tell = mvr, library, tell
        self.profiles: dict[str, StoredProfile] = {}
        self.used: set[str] = set()
        self._of: dict[str, StoredProfile | None] = {}
        self._fixtures = fixtures
        self._starts = sorted({a.absolute for one in fixtures for a in one.addresses})
        self._stand_ins: dict[str, dict[str, str]] = {}
        self._modes: dict[tuple[str, str], tuple[str, str]] = {}

    def of(self, thing: r.Thing) -> tuple[str, str]:
        """The key of its profile and the name of its mode."""
        key = thing.gdtf, thing.mode
        if key not in self._modes:
            self._modes[key] = self._find(thing)
        return self._modes[key]

    def _find(self, thing: r.Thing) -> tuple[str, str]:
        if thing.gdtf not in self._of:
            self._of[thing.gdtf] = self._stored(thing.gdtf)
        stored = self._of[thing.gdtf]
        profile = read_stored(stored) if stored is not None else None
        if stored is None or not isinstance(profile, Profile):
            return self._stand_in(thing)
        self.profiles[stored.key] = stored
        return stored.key, self._mode(profile, thing)

    def _stored(self, spec: str) -> StoredProfile | None:
        member = self.mvr.named(spec, ".gdtf") if spec.strip() else ""
        if member:
            self.used.add(member)
            found = self._read(member)
            if found is not None:
                return found
        match = self.library.match(_words(spec)) if self.library and spec.strip() else None
        if match is not None and self.library is not None:
            self.tell(
                f"“{spec[:60]}”",
                f"It is not in the file; the library's {match[0]} is taken.",
                f"type {spec}",
            )
            return self.library.stored[match[0]]
        return None

    def _read(self, member: str) -> StoredProfile | None:
        data = self.mvr.member(member)
        same = next((one for one in self._known() if one.data == data), None)
        if same is not None:
            return same
        try:
            if data is None:
                raise FileFault("it is damaged.", where=member)
            made, _ = kept_of(data, member)
        except IsthmusError as error:
            words = f"The profile is not read: {error.what}"
            self.tell(f"“{member[:60]}”", words, f"gdtf {member}")
            return None
        if made.key not in {one.key for one in self._of.values() if one is not None}:
            return made
        file = member.rpartition("/")[2]  # two files of one model
        return replace(made, key=f"{made.key} ({file.removesuffix('.gdtf')})", file=file)

    def _known(self) -> Iterable[StoredProfile]:
        return self.library.stored.values() if self.library else ()

    def _mode(self, profile: Profile, thing: r.Thing) -> str:
        if profile.mode(thing.mode) is not None:
            return thing.mode
        wanted = plain(thing.mode)
        near = [mode.name for mode in profile.modes if plain(mode.name) == wanted and wanted]
        if not near and len(profile.modes) == 1:
            near = [profile.modes[0].name]
        if near:
            self.tell(
                f"“{thing.gdtf[:60]}”",
                f"Mode “{thing.mode[:60]}” is called “{near[0]}” in its profile.",
                f"mode {thing.gdtf} {thing.mode}",
            )
            return near[0]
        self.tell(
            f"“{thing.gdtf[:60]}”",
            f"Its profile has no mode “{thing.mode[:60]}”.",
            f"mode {thing.gdtf} {thing.mode}",
        )
        return thing.mode

    # ------------------------------------------------------------ stand-ins

    def _stand_in(self, thing: r.Thing) -> tuple[str, str]:
        """A profile that has nothing but the slots, one for all modes of a type."""
        spec = thing.gdtf
        if spec not in self._stand_ins:
            alike = [one for one in self._fixtures if one.gdtf == spec]
            modes = list(dict.fromkeys(one.mode for one in alike))
            name = _words(spec) or "no type"
            plans, names = [], {}
            for at, mode in enumerate(modes):
                said = mode.strip() or f"Mode {at + 1}"
                sizes = self._footprint([one for one in alike if one.mode == mode], mode)
                names[mode] = said
                total = sum(sizes)
                plans.append(
                    ModePlan(
                        said,
                        tuple(Channel("NoFeature", name=f"Slot {n + 1}") for n in range(total)),
                        blocks=tuple(b for b, size in enumerate(sizes, 1) for _ in range(size)),
                    )
                )
                self.tell(
                    f"“{name[:60]}”",
                    f"Its profile is nowhere; a stand-in of {many(total, 'slot')} is taken in mode "
                    f"“{said[:60]}”.",
                    f"stand-in {spec} {mode}",
                )
            profile = compose(
                STAND_IN,
                name,
                Body("machine", (0.3, 0.3, 0.3)),
                plans,
                description="Of the footprint an MVR file shows; what the slots do is not known.",
            )
            stored = stored_of(profile, write_gdtf(profile))
            self.profiles[stored.key] = stored
            self._stand_ins[spec] = {mode: f"{stored.key}\n{said}" for mode, said in names.items()}
        key, _, mode = self._stand_ins[spec][thing.mode].partition("\n")
        return key, mode

    def _footprint(self, alike: Sequence[r.Thing], mode: str) -> list[int]:
        """Slots by block: what the mode's name says, but no more than there is room up to the next
        fixture; without it, that room where two of the kind follow each other.
        """
        room: dict[int, int] = defaultdict(lambda: SLOTS)
        close: dict[int, int] = {}
        mine = {(a.absolute, a.block) for one in alike for a in one.addresses}
        for absolute, block in mine:
            past = (absolute - 1) // SLOTS * SLOTS + SLOTS + 1
            next_one = bisect_right(self._starts, absolute)
            after = self._starts[next_one] if next_one < len(self._starts) else past
            room[block] = min(room[block], min(after, past) - absolute)
            if (after, block) in mine:
                close[block] = min(close.get(block, SLOTS), after - absolute)
        said = _SLOTS.search(mode)
        blocks = max((block for _, block in mine), default=0) + 1
        if said and blocks == 1:
            return [max(1, min(int(said[1]), room[0]))]
        return [close.get(block, 1) for block in range(min(blocks, 64))]


def _words(spec: str) -> str:
    """`Maker@Model@revision.gdtf` as maker and model."""
    stem = re.sub(r"\.gdtf$", "", spec.strip(), flags=re.IGNORECASE).replace("_", " ")
    return " ".join(stem.split("@")[:2]).strip()
