"""The cue lists that run: what is asked of them, and what they make of the levels now.

The window works out for its pictures what the player works out for the wire: both from the same
acts and times.
"""

from __future__ import annotations

import math
import time
from collections.abc import Callable, Sequence

from PySide6.QtCore import QObject, QTimer, Signal

from isthmus.app.model.levels import Levels
from isthmus.app.model.picturing import Picturing
from isthmus.looks import Short
from isthmus.looks.cue_edits import cue_list, say_number
from isthmus.looks.playback import Act, Playback
from isthmus.looks.position import Position
from isthmus.looks.programme import Programme, compile_list, in_order
from isthmus.show import Show
from isthmus.show.records import Cue, CueList

PICTURES_MS = 50  # between two looks at what moves
GROUND = (
    *("units", "profiles", "structures", "gels", "groups", "looks", "palettes"),
    *("layer_sets", "grids"),
)


class Playing(QObject):
    changed = Signal()  # a list went somewhere, or something about it did
    acted = Signal(object)  # an Act, for the player

    def __init__(self, show: Callable[[], Show], levels: Levels) -> None:
        super().__init__()
        self._show, self._levels = show, levels
        self.playback = Playback(levels.live.compiled.defaults)
        self.picturing = Picturing(show, levels)
        self.picturing.frames.ready.connect(self._look)
        self._made: dict[str, tuple[tuple[object, ...], Programme, dict[str, list[Short]]]] = {}
        self._timer = QTimer(self)
        self._timer.setInterval(PICTURES_MS)
        self._timer.timeout.connect(self._look)

    # ------------------------------------------------------------ what is asked

    def go(self, list_id: str) -> None:
        """The next cue; the first of a list that does not run, or when its last has been."""
        position = self._now(list_id)
        order = in_order(cue_list(self._show(), list_id))
        if not order:
            self._levels.tell("attention", "This list has no cues yet.")
        elif position is not None and not math.isnan(position.paused):
            self._act(list_id, "resume")
        elif position is None or position.releasing:
            self._act(list_id, "to", 0)
        elif position.cue + 1 < len(order):
            self._act(list_id, "to", position.cue + 1)
        elif self.programme(list_id).round:
            self._act(list_id, "to", 0)
        else:
            self._levels.tell("note", "That was the last cue of this list.")

    def back(self, list_id: str) -> None:
        """The cue before, at its own times."""
        position = self._now(list_id)
        if position is not None and position.cue > 0:
            self._act(list_id, "to", position.cue - 1)

    def jump(self, list_id: str, cue_id: str, seconds: float = math.nan) -> None:
        """Any cue, at its own times or in so many seconds."""
        programme = self.programme(list_id)
        if cue_id in programme.cues:
            self._act(list_id, "to", programme.cues.index(cue_id), seconds)

    def pause(self, list_id: str) -> None:
        """Stop a fade where it is, or go on with it."""
        position = self._now(list_id)
        if position is not None:
            self._act(list_id, "pause" if math.isnan(position.paused) else "resume")

    def release(self, list_id: str) -> None:
        """Give up what a list holds, in its release time."""
        if self._now(list_id) is not None:
            self._act(list_id, "release")

    def release_all(self) -> None:
        for list_id in list(self.playback.positions):
            self.release(list_id)

    def _act(self, list_id: str, what: str, cue: int = -1, seconds: float = math.nan) -> None:
        if who := self._levels.held_by():
            self._levels.tell(
                "attention", f"The {who} holds the levels. End it, then the list goes on."
            )
            return
        self._take()
        programme = self.programme(list_id)
        if self.playback.programmes.get(list_id) is not programme:
            self.playback.take([*self._others(list_id), programme])
        act = Act(time.monotonic(), list_id, what, cue, seconds)
        self.playback.act(act)
        self.acted.emit(act)
        self._look()

    # ------------------------------------------------------------ what is so

    def programme(self, list_id: str) -> Programme:
        """A list compiled, as the show has it now."""
        return self._compiled(list_id)[0]

    def short(self, list_id: str) -> dict[str, list[Short]]:
        """By cue, who comes short of its look."""
        return self._compiled(list_id)[1]

    def _compiled(self, list_id: str) -> tuple[Programme, dict[str, list[Short]]]:
        show, live = self._show(), self._levels.live
        cues = cue_list(show, list_id)
        ground = (cues, live.compiled, *(getattr(show, name) for name in GROUND))
        kept = self._made.get(list_id)
        if kept is None or any(a is not b for a, b in zip(kept[0], ground, strict=True)):
            kept = self._made[list_id] = (ground, *compile_list(show, cues, live.blank()))
        return kept[1:]

    @property
    def running(self) -> tuple[Programme, ...]:
        """The lists that have any say."""
        return tuple(self.playback.programmes.values())

    def _others(self, list_id: str) -> list[Programme]:
        return [p for p in self.playback.programmes.values() if p.id != list_id]

    def _now(self, list_id: str) -> Position | None:
        self.playback.advance(time.monotonic())
        return self.playback.positions.get(list_id)

    def position(self, list_id: str) -> Position | None:
        """Where a list stands; None when it does not run."""
        return self.playback.positions.get(list_id)

    def cue_now(self, list_id: str) -> Cue | None:
        position = self.position(list_id)
        order = in_order(cue_list(self._show(), list_id))
        return order[position.cue] if position and position.cue < len(order) else None

    def who(self, parameter: int) -> str:
        """Which list and cue has the say on a parameter, in words; "" when none has."""
        if self._muted:
            return ""
        found = self.playback.winner(time.monotonic(), parameter)
        cue = self.cue_now(found) if found else None
        if cue is None:
            return ""
        return f"{name_of(cue_list(self._show(), found))}, cue {say_number(cue.number)}"

    # ------------------------------------------------------------ going on

    @property
    def _muted(self) -> bool:
        """A roll call and an output test may have the rig to themselves."""
        return self._levels.alone()

    def shut_down(self) -> None:
        self._timer.stop()
        self.picturing.frames.stop()

    def follow(self) -> None:
        """The show was edited, or who holds the levels has changed."""
        if self.playback.programmes or self.picturing.hand:
            self._take()
            self._look(told=False)

    def _take(self) -> None:
        """The lists that run, as the show has them now."""
        there = {cues.id for cues in self._show().cue_lists}
        running = [self.programme(n) for n in self.playback.positions if n in there]
        home = self._levels.live.compiled.defaults
        if home is not self.playback.home or running != list(self.running):
            self.playback.take(running, home)

    def _look(self, told: bool = True) -> None:
        """What the lists make of the levels now."""
        now = time.monotonic()
        went = self.playback.advance(now)
        live = self._levels.live
        if self.playback.positions and not self._muted:
            units = frozenset(key[0] for p in self.running for key in p.keys)
            made = self.playback.levels(now)
            self.picturing.paint(made, self.playback, now)
            live.play(made, units)
        elif live.played is not None:
            live.play(None)
        self.picturing.cover(self.playback, now)
        busy = self.playback.moving(now) or self.playback.next_due() < math.inf
        busy = busy or self.picturing.moving(self.playback, now)
        if busy != self._timer.isActive():
            self._timer.start() if busy else self._timer.stop()
        if told:
            self._levels.changed.emit()
            self.changed.emit()
        elif went:
            self.changed.emit()

    def show_set(self, set_id: str) -> None:
        """Show a layer set by hand, in front of everything; it starts again."""
        if who := self._levels.held_by():
            self._levels.tell(
                "attention", f"The {who} holds the levels. End it, then pictures are shown."
            )
            return
        self.picturing.show_set(set_id)
        self._look()

    def end_set(self, set_id: str = "") -> None:
        """Show it no more by hand; all of them, when none is named."""
        self.picturing.end_set(set_id)
        self._look()

    def begin_anew(self) -> None:
        """Another show: nothing runs."""
        self.picturing.end_set()
        self.playback, self._made = Playback(self._levels.live.compiled.defaults), {}
        self._timer.stop()
        self.changed.emit()


def name_of(cues: CueList) -> str:
    """What a list is called: its name, or its number."""
    return cues.name or f"list {cues.number}"


def lists_of(show: Show) -> Sequence[CueList]:
    """By number."""
    return sorted(show.cue_lists, key=lambda one: one.number)
