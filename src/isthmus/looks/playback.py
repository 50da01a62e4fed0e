"""Where cue lists are, and what they make of the parameters at any time.

Fades are straight lines between a value and the next, worked out from the time alone: whoever asks
at the same time gets the same answer, however often or seldom they ask. Times are seconds of one
clock. A list gives each of its parameters a value and a weight, 0…1: how far it has taken the
parameter over from what is below it.
"""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import dataclass, field, replace

import numpy as np
from numpy.typing import NDArray

from isthmus.looks.compiled import Programme, Timing
from isthmus.looks.merge import merged, say, winner
from isthmus.looks.position import Fading, Floats, Position, turned_over


@dataclass(frozen=True)
class Act:
    """Something asked of a list at a time: `to` the cue with an index, pause, resume or release.
    `time` takes the place of all times of the cue.
    """

    at: float
    list: str
    what: str
    cue: int = -1
    time: float = math.nan


def _nowhere(programme: Programme) -> Position:
    none = np.zeros(len(programme.index), np.float32)
    still = Timing(0.0, 0.0, 0.0, 0.0, math.nan)
    never = np.full(len(none), -math.inf)
    return Position(-1, -math.inf, still, none, none, none, none, none, never)


@dataclass
class Playback:
    """The lists that run. Acts must come in the order of their times; one that comes late counts
    from its own time on.
    """

    home: Floats  # (p,) levels of all parameters of which nothing is asked
    programmes: dict[str, Programme] = field(default_factory=dict)
    positions: dict[str, Position] = field(default_factory=dict)  # only of lists that hold anything

    # ------------------------------------------------------------ what is asked

    def act(self, act: Act) -> None:
        """Take something asked; of a list or cue that is not there any more it is nothing."""
        programme = self.programmes.get(act.list)
        if programme is None:
            return
        position = self.positions.get(act.list)
        if act.what == "to" and 0 <= act.cue < len(programme.times):
            self._go(programme, act)
        elif position is None:
            return
        elif act.what == "pause" and math.isnan(position.paused):
            self.positions[act.list] = replace(position, paused=act.at)
        elif act.what == "resume" and not math.isnan(position.paused):
            self.positions[act.list] = _resumed(position, act.at)
        elif act.what == "release":
            self._release(programme, position, act)

    def _go(self, programme: Programme, act: Act, forth: bool | None = None) -> None:
        old = self.positions.get(programme.id) or _nowhere(programme)
        timing = programme.times[act.cue]
        if not math.isnan(act.time):
            timing = Timing(act.time, act.time, act.time, 0.0, timing.follow)
        value, weight = old.at(act.at)
        owned = programme.owned[act.cue]
        target = np.where(owned, programme.targets[act.cue], value)
        fresh = owned & (weight <= 0)
        changed = owned & (programme.named[act.cue] | fresh | (old.to_value != target))
        if programme.round and forth is not None:  # of the steps of a chase only the first takes
            changed &= old.order == -math.inf
        value = self._from(programme, act.at, value, weight, owned, changed)
        rising = target > value
        seconds = np.where(rising, np.float32(timing.up), np.float32(timing.down))
        seconds = np.where(programme.intensity, seconds, np.float32(timing.move))
        seconds[programme.steps] = 0
        order = np.where(changed, act.at, old.order)
        self.positions[programme.id] = Position(
            act.cue,
            act.at,
            timing,
            value.astype(np.float32),
            target.astype(np.float32),
            np.where(owned, 1, weight).astype(np.float32),
            owned.astype(np.float32),
            seconds.astype(np.float32),
            order,
            old.forth if forth is None else forth,
            pictures=turned_over(
                old.pictures, programme.pictures_of(act.cue), programme.covers, act.at, timing
            ),
        )

    def _from(
        self,
        programme: Programme,
        at: float,
        value: Floats,
        weight: Floats,
        owned: NDArray[np.bool_],
        changed: NDArray[np.bool_],
    ) -> NDArray:
        """Where its parameters begin a fade: the latest counts, so from what is there now; where
        the highest counts, from its own share of it.
        """
        index = programme.index
        home = self.home[index]
        taken = say(self.running, at, index) if self.positions else np.zeros_like(home)
        now = merged(self.running, at, self.home)[index]
        own = np.maximum(value * weight, home * (1 - taken))
        return np.where(owned & programme.highest, own, np.where(changed, now, value))

    @property
    def running(self) -> list[tuple[Programme, Position]]:
        """The lists that hold anything, and where they are."""
        return [(self.programmes[name], p) for name, p in self.positions.items()]

    def levels(self, time: float) -> Floats:
        """The levels of all parameters."""
        return merged(self.running, time, self.home)

    def shown(self, time: float) -> list[tuple[str, float, float]]:
        """(layer set, since when, its weight), the list that last went to a cue in front."""
        order = sorted(self.positions.values(), key=lambda position: position.start)
        return [one for position in order for one in position.shown(time)]

    def winner(self, time: float, parameter: int) -> str:
        """The id of the list that has the say on a parameter; "" where none has."""
        return winner(self.running, time, parameter)

    def _release(self, programme: Programme, position: Position, act: Act) -> None:
        time = programme.release if math.isnan(act.time) else act.time
        value, weight = position.at(act.at)
        self.positions[programme.id] = replace(
            position,
            start=act.at,
            timing=Timing(time, time, time, 0.0, math.nan),
            from_value=value,
            to_value=value,
            from_weight=weight,
            to_weight=np.zeros_like(weight),
            seconds=np.full(len(weight), time, np.float32),
            paused=math.nan,
            releasing=True,
            pictures=turned_over(
                position.pictures, (), {}, act.at, Timing(time, time, time, 0.0, math.nan)
            ),
        )

    # ------------------------------------------------------------ what goes by itself

    def due(self, list_id: str) -> tuple[float, int, bool]:
        """When a list goes on automatically, to which cue, and whether it runs forth: (inf, …)
        where it waits.
        """
        programme, position = self.programmes[list_id], self.positions[list_id]
        if position.releasing or not math.isnan(position.paused):
            return math.inf, -1, True
        if programme.round and len(programme.times) > 1:
            cue, forth = stepped(
                position.cue, len(programme.times), programme.direction, position.forth
            )
            return position.start + programme.step, cue, forth
        follow = position.timing.follow
        if math.isnan(follow) or position.cue + 1 >= len(programme.times):
            return math.inf, -1, True
        return position.start + position.timing.whole + follow, position.cue + 1, True

    def next_due(self) -> float:
        return min((self.due(name)[0] for name in self.positions), default=math.inf)

    def advance(self, time: float) -> bool:
        """Take all that was due until now. Whether anything was."""
        any_due = False
        for name in list(self.positions):
            self._skip_rounds(name, time)
            while (due := self.due(name))[0] <= time:
                at, cue, forth = due
                self._go(self.programmes[name], Act(at, name, "to", cue), forth)
                any_due = True
            position = self.positions[name]
            if position.releasing and position.done(time):
                del self.positions[name]
                any_due = True
        return any_due

    def _skip_rounds(self, name: str, time: float) -> None:
        """A chase left alone for long is where it would be: whole rounds change nothing."""
        programme, position = self.programmes[name], self.positions[name]
        if not programme.round or self.due(name)[0] == math.inf:
            return
        count = len(programme.times)
        fro = programme.direction == "to and fro"
        round_ = programme.step * (2 * (count - 1) if fro else count)
        behind = math.floor((time - position.start) / round_) - 1
        if behind > 0:
            self.positions[name] = replace(position, start=position.start + behind * round_)

    def moving(self, time: float) -> bool:
        """Whether anything fades."""
        return any(not position.done(time) for position in self.positions.values())

    # ------------------------------------------------------------ another programme

    def take(self, programmes: Iterable[Programme], home: Floats | None = None) -> None:
        """The lists as they are now edited; those that run go on where they are. `home` when the
        parameters are others.
        """
        if home is not None:
            self.home = home
        before, self.programmes = self.programmes, {p.id: p for p in programmes}
        for name, position in list(self.positions.items()):
            old, new = before[name], self.programmes.get(name)
            if new is None or not new.times:
                del self.positions[name]
            elif old is not new:
                self.positions[name] = _carried(old, new, position)


def stepped(cue: int, count: int, direction: str, forth: bool) -> tuple[int, bool]:
    """The next step of a chase, and whether it now runs forth."""
    if direction == "to and fro":
        forth = forth if 0 <= cue + (1 if forth else -1) < count else not forth
    else:
        forth = direction != "back"
    return (cue + (1 if forth else -1)) % count, forth


def _resumed(position: Position, at: float) -> Position:
    since = at - position.paused
    pictures = tuple(replace(one, start=one.start + since) for one in position.pictures)
    return replace(position, start=position.start + since, paused=math.nan, pictures=pictures)


def _columns(old: Programme, new: Programme) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """Which columns of one programme are which of another: the nth parameter of the same key."""

    def named(programme: Programme) -> dict[tuple[object, int], int]:
        count: dict[object, int] = {}
        found = {}
        for column, key in enumerate(programme.keys):
            count[key] = count.get(key, 0) + 1
            found[key, count[key]] = column
        return found

    there = named(new)
    pairs = [(there[name], column) for name, column in named(old).items() if name in there]
    to, of = np.array(pairs, np.int64).reshape(-1, 2).T
    return to, of


def _carried(old: Programme, new: Programme, position: Position) -> Position:
    """A position over the parameters of another programme. It stays at its cue (or, when that is
    gone, at its place) and goes to what that cue asks now.
    """
    name = old.cues[position.cue]
    cue = new.cues.index(name) if name in new.cues else min(position.cue, len(new.times) - 1)
    to, of = _columns(old, new)
    count = len(new.index)

    def moved(values: NDArray, empty: float = 0.0) -> NDArray:
        made = np.full(count, empty, values.dtype)
        made[to] = values[of]
        return made

    known = np.zeros(count, bool)
    known[to] = True
    going = not position.releasing
    owned = new.owned[cue] & going
    target = np.where(owned, new.targets[cue], moved(position.to_value))
    return replace(
        position,
        cue=cue,
        timing=new.times[cue] if going else position.timing,
        from_value=np.where(known, moved(position.from_value), target).astype(np.float32),
        to_value=target.astype(np.float32),
        from_weight=moved(position.from_weight),
        to_weight=owned.astype(np.float32),
        seconds=moved(position.seconds),
        order=moved(position.order, position.start),
        pictures=_carried_pictures(new, position, cue, going),
    )


def _carried_pictures(
    new: Programme, position: Position, cue: int, going: bool
) -> tuple[Fading, ...]:
    """What a cue shows now, at once; what fades out goes on with it."""
    wanted = new.pictures_of(cue) if going else ()
    there = {one.set: one for one in position.pictures if one.after > 0}
    kept = [
        there.get(name) or Fading(name, position.start, -math.inf, 0.0, 1.0, 1.0) for name in wanted
    ]
    fading = [one for one in position.pictures if one.after == 0 and one.set not in wanted]
    return (*fading, *kept)
