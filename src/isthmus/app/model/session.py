"""The roll call that runs: its steps, its acts, and the verdicts kept from it."""

from __future__ import annotations

import time
from collections.abc import Callable, Sequence
from typing import Any, Protocol

from PySide6.QtCore import QObject, QTimer, Signal

from isthmus.app.model.levels import Levels
from isthmus.app.model.selection import Selection
from isthmus.check import rollcall, verdicts
from isthmus.check.slots import mark_slot
from isthmus.output.turns import Turns
from isthmus.plural import many
from isthmus.show import Show

LOOK_MS = 50  # between two looks at which phase it is


class _Keeps(Protocol):
    """Where verdicts go, and what is told."""

    @property
    def show(self) -> Show: ...
    def commit(self, name: str, show: Show) -> None: ...
    def tell(self, severity: str, sentence: str) -> None: ...


class CallSession(QObject):
    """One call at a time; `call` is None when none runs. The levels are given back at its end."""

    changed = Signal()

    def __init__(self, keeps: _Keeps, levels: Levels, selection: Selection) -> None:
        super().__init__()
        self._keeps, self._levels, self._selection = keeps, levels, selection
        self.call: rollcall.RollCall | None = None
        self.first: Callable[[], object] = lambda: None  # what ends before a call begins
        self.turns: Turns | None = None  # the phases of what is done now, where there are several
        self._phases: list[rollcall.Phase] = []
        self._through = False
        self._timer = QTimer(self)
        self._timer.setInterval(LOOK_MS)
        self._timer.timeout.connect(self._look)

    def begin(
        self,
        manner: rollcall.Manner | None = None,
        only: Sequence[str] | None = None,
        start: str | None = None,
        words: str = "",
    ) -> None:
        """`words` says what keeps the others out, when `only` some are called. Raises EntryFault
        when nothing can be called.
        """
        self.end()
        self.first()
        show, live = self._keeps.show, self._levels.live
        self.call = rollcall.begin(show, live, manner, start, only, words)
        self._called()

    def step(self, by: int) -> None:
        if self.call:
            self.call = rollcall.step(self.call, self._keeps.show, self._levels.live, by)
            self._called()

    def again(self) -> None:
        """The same step once more, from its first act."""
        self.step(0)

    def jump(self, unit: str) -> None:
        if self.call:
            self.call = rollcall.jump(self.call, self._keeps.show, self._levels.live, unit)
            self._called()

    def step_act(self, by: int = 1) -> None:
        if self.call:
            self.call = rollcall.step_act(self.call, self._keeps.show, self._levels.live, by)
            self._acted()

    @property
    def alone(self) -> bool:
        """Whether nothing else may be sent while it runs."""
        return self.call is not None and self.call.manner.rest != "leave"

    def run_through(self, on: bool) -> None:
        """Go through all acts of a stop; else the one act goes round."""
        if on != self._through:
            self._through = on
            if self.call:
                self._acted()

    def mark(
        self,
        result: str,
        note: str = "",
        what: Sequence[str] = (),
        others: Sequence[str] = (),
        by: str = "",
        how: Sequence[str] = (),
    ) -> None:
        """Keep a verdict of the units called, and go on to the next step. Raises EntryFault for a
        verdict that is not known.
        """
        if self.call is None:
            return
        stop, kinds, show = self.call.stop, self.call.manner.kinds, self._keeps.show
        if stop.slot:
            show = mark_slot(show, stop.slot, result, note, what, by)
        else:
            for unit in stop.units:
                show = verdicts.mark(
                    show, unit, result, note, what=what, others=others, acts=kinds, by=by, how=how
                )
        if show is not self._keeps.show:
            self._keeps.commit(f"Mark {stop.title} {result}", show)
        if self.call.at + 1 < len(self.call.calls):
            self.step(1)
        else:
            self._keeps.tell("ok", f"That was the last one called. {self._left_in_words()}")
            self.changed.emit()

    def _left_in_words(self) -> str:
        call = self.call
        left = verdicts.tally(self._keeps.show, call.order)["left"] if call else 0
        if not left:
            return "Every unit called has a verdict."
        return f"{many(left, 'unit')} called {'has' if left == 1 else 'have'} no verdict."

    def mark_unit(self, unit: str, result: str, note: str = "", **more: Any) -> None:
        """Keep a verdict of any unit, called or not."""
        found = self._keeps.show.unit(unit)
        self._keeps.commit(
            f"Mark {found.number if found else ''} {result}",
            verdicts.mark(self._keeps.show, unit, result, note, **more),
        )

    def unmark(self) -> None:
        """Take the verdicts of the units called away."""
        if self.call and not self.call.stop.slot:
            show = self._keeps.show
            for unit in self.call.stop.units:
                show = verdicts.unmark(show, unit)
            self._keeps.commit(f"Take the verdict of {self.call.stop.title} away", show)

    def end(self) -> None:
        if self.call:
            call, self.call = self.call, None
            self._take_turns()
            rollcall.end(call, self._levels.live)
            self.changed.emit()
            self._levels.changed.emit()

    def follow(self) -> None:
        """End a call of which units are no longer in the show."""
        ids = {unit.id for unit in self._keeps.show.units}
        if self.call and any(unit not in ids for unit in self.call.order):
            self.end()

    def _called(self) -> None:
        if self.call:
            self._selection.select(self.call.stop.units)
        self._acted()

    def _acted(self) -> None:
        self._take_turns()
        self.changed.emit()
        self._levels.changed.emit()

    def _take_turns(self) -> None:
        """Phases take turns from now on: the player works out which from the time, and so does the
        window.
        """
        call, show = self.call, self._keeps.show
        self._phases = rollcall.phases_now(call, show, self._through) if call else []
        self.turns = None
        if call and len(self._phases) > 1:
            now = time.monotonic()
            self.turns = rollcall.turns(call, show, self._levels.live, self._phases, now)
            self._timer.start()
        else:
            self._timer.stop()

    def _look(self) -> None:
        if self.call and self.turns:
            call = rollcall.turned(self.call, self._phases, self.turns, time.monotonic())
            if call != self.call:
                self.call = call
                rollcall.show_call(call, self._keeps.show, self._levels.live)
                self.changed.emit()
                self._levels.changed.emit()
