"""Proving a route: raise something behind it so that a person at the node can see that it is the
right one.

One slot, one unit, a chase over universes, or a universe flashing its own number: 12 flashes once,
then twice; a 0 is one long flash. Where units are patched their own light is used (no slot
that moves or resets anything is touched); where nothing is patched yet, all slots of the universe.
"""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence

from isthmus.check.acts import KINDS, acts_of
from isthmus.errors import EntryFault
from isthmus.output import Live
from isthmus.output.live import Asked
from isthmus.patch.index import index_of
from isthmus.profiles import light_program, profiles_of
from isthmus.show.records import SLOTS, Show

FLASH, DARK, BETWEEN, LONG, PAUSE = 0.25, 0.25, 0.7, 0.9, 1.6  # seconds
STEP = 1.2  # of the chase


def flashes(number: int) -> list[tuple[bool, float]]:
    """A number as (light on, seconds), digit by digit, ended by a pause."""
    found: list[tuple[bool, float]] = []
    for digit in str(number):
        if found:
            found.append((False, BETWEEN))
        count = int(digit)
        found += (
            [(True, LONG), (False, DARK)] if count == 0 else [(True, FLASH), (False, DARK)] * count
        )
    return [*found, (False, PAUSE)]


def pattern_at(pattern: Sequence[tuple[bool, float]], seconds: float) -> bool:
    """Whether the light is on at a time of a pattern that goes round."""
    left = seconds % sum(length for _, length in pattern)
    for on, length in pattern:
        if left < length:
            return on
        left -= length
    return False


class Proof:
    """One proof while it runs. Call `step` often; `end` gives the levels back. `words` say what
    should be seen.
    """

    def __init__(self, show: Show, live: Live, now: float) -> None:
        self.show, self.live, self.began = show, live, now
        self.words = ""
        self.before: Asked = live.snapshot()
        self._over = dict(live.over)
        self._state: object = None
        # its bytes go past limits: asked for by name, and said in the output sign while it lasts
        self.past = False

    def bytes_laid(self) -> dict[tuple[int, int], int]:
        """The bytes it lays over what is sent, for whoever asks whether limits are in its way."""
        return {}

    def _named(self) -> Collection[tuple[int, int]]:
        """The slots that may go past their limits."""
        return self.bytes_laid() if self.past else ()

    def step(self, now: float) -> bool:
        """True when something was changed."""
        wanted = self._wanted(now - self.began)
        if wanted == self._state:
            return False
        self._state = wanted
        self._raise(wanted)
        return True

    def _wanted(self, seconds: float) -> object:
        raise NotImplementedError

    def _raise(self, wanted: object) -> None:
        raise NotImplementedError

    def _light(self, universes: set[int], level: float = 1.0) -> None:
        """The light of these universes alone."""
        index = index_of(self.show)
        self.live.restore({})
        units = {span.unit for universe in universes for span in index.universe(universe).spans}
        bare = [u for u in universes if not index.universe(u).spans]
        self.live.light_up(units, level)
        self.live.lay_over(
            {(u, slot): round(255 * level) for u in bare for slot in range(1, SLOTS + 1)}
            if level
            else {}
        )

    def end(self) -> None:
        self.live.lay_over(self._over)
        self.live.restore(self.before)


class ProveSlot(Proof):
    """One slot at a level; everything else is left as it is."""

    def __init__(
        self, show: Show, live: Live, now: float, universe: int, address: int, level: float = 1.0
    ) -> None:
        """Raises EntryFault for an address that cannot be."""
        if not 1 <= address <= SLOTS:
            raise EntryFault(
                f"{address} is not an address.", do=f"A universe has addresses 1 to {SLOTS}."
            )
        super().__init__(show, live, now)
        self.place, self.level = (universe, address), round(255 * level)
        self.words = f"Slot {universe}.{address:03d} is at {self.level}, everything else as it was."

    def _wanted(self, seconds: float) -> object:
        return self.level

    def _raise(self, wanted: object) -> None:
        self.live.lay_over(self._over | self.bytes_laid(), self._named())

    def bytes_laid(self) -> dict[tuple[int, int], int]:
        return {self.place: self.level}


class ProveUnit(Proof):
    """One unit lights up, alone."""

    def __init__(self, show: Show, live: Live, now: float, unit: str, level: float = 1.0) -> None:
        super().__init__(show, live, now)
        self.unit, self.level = unit, level
        found = show.unit(unit)
        self.words = f"Unit {found.number if found else ''} alone is lit."

    def _wanted(self, seconds: float) -> object:
        return self.unit

    def _raise(self, wanted: object) -> None:
        self.live.restore({})
        self.live.light_up([self.unit], self.level)


class ProveNumber(Proof):
    """A universe flashes its own number."""

    def __init__(
        self, show: Show, live: Live, now: float, universe: int, level: float = 1.0
    ) -> None:
        super().__init__(show, live, now)
        self.universe, self.level = universe, level
        self.pattern = flashes(universe)
        digits = ", ".join("one long" if d == "0" else d for d in str(universe))
        self.words = f"Universe {universe} flashes its number: {digits}, then a pause."

    def _wanted(self, seconds: float) -> object:
        return pattern_at(self.pattern, seconds)

    def _raise(self, wanted: object) -> None:
        self._light({self.universe}, self.level if wanted else 0.0)


class ProveChase(Proof):
    """One universe after the other lights up."""

    def __init__(
        self, show: Show, live: Live, now: float, universes: Sequence[int], level: float = 1.0
    ) -> None:
        """Raises EntryFault without universes."""
        if not universes:
            raise EntryFault(
                "There is nothing to chase over.", do="Choose outputs, or route a universe first."
            )
        super().__init__(show, live, now)
        self.universes, self.level = list(universes), level

    def _wanted(self, seconds: float) -> object:
        return int(seconds / STEP) % len(self.universes)

    def _raise(self, wanted: object) -> None:
        at = int(str(wanted))
        self.words = f"Universe {self.universes[at]} is lit, {at + 1} of {len(self.universes)}."
        self._light({self.universes[at]}, self.level)


class ProveSlots(Proof):
    """These slots as they are given, and nothing else: a look that findings or a hunt ask for."""

    def __init__(
        self, show: Show, live: Live, now: float, slots: Mapping[tuple[int, int], int], words: str
    ) -> None:
        super().__init__(show, live, now)
        self.slots, self.words = dict(slots), words

    def _wanted(self, seconds: float) -> object:
        return True

    def _raise(self, wanted: object) -> None:
        self.live.restore({})
        self.live.lay_over(self.slots, self._named())

    def bytes_laid(self) -> dict[tuple[int, int], int]:
        return self.slots


class ProveActs(Proof):
    """One unit goes through what it does when called, round and round, whatever else is dark."""

    def __init__(
        self,
        show: Show,
        live: Live,
        now: float,
        unit: str,
        words: str,
        kinds: Sequence[str] = KINDS,
    ) -> None:
        """Raises EntryFault for a unit without a profile."""
        found = show.unit(unit)
        mode = profiles_of(show).mode_of(found) if found else None
        if found is None or mode is None:
            raise EntryFault(
                "A unit without a profile can do nothing.", do="Give it a profile first."
            )
        super().__init__(show, live, now)
        self.words = words
        self.phases = [
            (phase, act.seconds)
            for act in acts_of(light_program(*mode), found, 1.0, kinds)
            for phase in act.phases
        ]

    def _wanted(self, seconds: float) -> object:
        left = seconds % sum(length for _, length in self.phases)
        for at, (_, length) in enumerate(self.phases):
            if left < length:
                return at
            left -= length
        return 0

    def _raise(self, wanted: object) -> None:
        self.live.restore({})
        self.live.ask(self.phases[int(str(wanted))][0])
