"""Proving a route: raise something behind it so that a person at the node can see that it is the
right one.

One slot, one unit, a chase over universes, or a universe flashing its own number: 12 flashes once,
then twice; a 0 is one long flash. Where units are patched their own light is used (no slot
that moves or resets anything is touched); where nothing is patched yet, all slots of the universe.
"""

from __future__ import annotations

from collections.abc import Sequence
from functools import cached_property

from isthmus.check.acts import KINDS, acts_of
from isthmus.errors import EntryFault
from isthmus.output import Live
from isthmus.output.live import Asked
from isthmus.output.turns import Slots, Step, Turns
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


class Proof:
    """One proof while it runs: steps in turns. Call `step` often; `end` gives the levels back.
    `words` say what should be seen.
    """

    alone = True  # nothing but what it asks is sent: cue lists have no say while it lasts

    def __init__(self, show: Show, live: Live, now: float) -> None:
        self.show, self.live, self.began = show, live, now
        self.words = ""
        self.before: Asked = live.snapshot()
        self._over = dict(live.over)
        self._shown: object = None
        # its bytes go past limits: asked for by name, and said in the output sign while it lasts
        self.past = False

    def laid(self) -> Sequence[Slots]:
        """The bytes it lays over what is sent, step by step, for whoever asks whether limits are
        in its way.
        """
        return ()

    @cached_property
    def turns(self) -> Turns:
        """What it asks as a function of the time. Asked for when `past` is decided."""
        beyond = frozenset(slot for over in self.laid() for slot in over) if self.past else ()
        return Turns(self.began, self._steps(), frozenset(beyond))

    def _steps(self) -> Sequence[Step]:
        raise NotImplementedError

    def step(self, now: float) -> bool:
        """True when something was changed."""
        at = self.turns.clock.at(now)
        moves = self.turns.steps[at[0]].to
        if (shown := at if moves else at[0]) == self._shown:
            return False
        self._shown = shown
        asked, over = self.turns.at(now)
        self.live.restore(asked)
        self.live.lay_over(dict(over), self.turns.beyond)
        self._tell(at[0])
        return True

    def _tell(self, at: int) -> None:
        """Say what is seen in a step, where that differs."""

    def end(self) -> None:
        self.live.lay_over(self._over)
        self.live.restore(self.before)


def _light(show: Show, live: Live, universe: int, seconds: float, level: float = 1.0) -> Step:
    """The light of a universe alone."""
    spans = index_of(show).universe(universe).spans
    every = range(1, SLOTS + 1) if level and not spans else ()
    over = {(universe, slot): round(255 * level) for slot in every}
    return Step(seconds, live.wish_light({span.unit for span in spans}, level), over)


class ProveSlot(Proof):
    """One slot at a level; everything else is left as it is, cue lists too."""

    alone = False

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

    def _steps(self) -> Sequence[Step]:
        return [Step(1.0, self.before, {**self._over, self.place: self.level})]

    def laid(self) -> Sequence[Slots]:
        return ({self.place: self.level},)


class ProveUnit(Proof):
    """One unit lights up, alone."""

    def __init__(self, show: Show, live: Live, now: float, unit: str, level: float = 1.0) -> None:
        super().__init__(show, live, now)
        self.unit, self.level = unit, level
        found = show.unit(unit)
        self.words = f"Unit {found.number if found else ''} alone is lit."

    def _steps(self) -> Sequence[Step]:
        return [Step(1.0, self.live.wish_light([self.unit], self.level))]


class ProveNumber(Proof):
    """A universe flashes its own number."""

    def __init__(
        self, show: Show, live: Live, now: float, universe: int, level: float = 1.0
    ) -> None:
        super().__init__(show, live, now)
        self.universe, self.level = universe, level
        digits = ", ".join("one long" if d == "0" else d for d in str(universe))
        self.words = f"Universe {universe} flashes its number: {digits}, then a pause."

    def _steps(self) -> Sequence[Step]:
        return [
            _light(self.show, self.live, self.universe, seconds, self.level if on else 0.0)
            for on, seconds in flashes(self.universe)
        ]


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

    def _steps(self) -> Sequence[Step]:
        return [_light(self.show, self.live, one, STEP, self.level) for one in self.universes]

    def _tell(self, at: int) -> None:
        self.words = f"Universe {self.universes[at]} is lit, {at + 1} of {len(self.universes)}."


class ProveSlots(Proof):
    """These slots as they are given, and nothing else: a look that findings or a hunt ask for.
    Several pictures, (seconds, slots), take turns.
    """

    def __init__(
        self,
        show: Show,
        live: Live,
        now: float,
        pictures: Sequence[tuple[float, Slots]],
        words: str,
    ) -> None:
        super().__init__(show, live, now)
        self.pictures, self.words = pictures, words

    def _steps(self) -> Sequence[Step]:
        return [Step(seconds, {}, slots) for seconds, slots in self.pictures]

    def laid(self) -> Sequence[Slots]:
        return list({id(slots): slots for _, slots in self.pictures}.values())


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
        self._acts = acts_of(light_program(*mode), found, 1.0, kinds)

    def _steps(self) -> Sequence[Step]:
        return [Step(act.seconds, phase) for act in self._acts for phase in act.phases]
