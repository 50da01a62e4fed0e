"""The roll call that runs: its steps, its acts, and the verdicts kept from it."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any, Protocol

from PySide6.QtCore import QObject, Signal

from isthmus.app.model.levels import Levels
from isthmus.app.model.selection import Selection
from isthmus.check import rollcall, verdicts
from isthmus.check.slots import mark_slot
from isthmus.plural import many
from isthmus.show import Show


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

    def step_phase(self) -> float:
        """On by one phase of the act; returns the seconds it is to stand."""
        if not self.call:
            return 1.0
        show, live = self._keeps.show, self._levels.live
        self.call, seconds = rollcall.step_phase(self.call, show, live)
        self._acted()
        return seconds

    def mark(
        self,
        result: str,
        note: str = "",
        what: Sequence[str] = (),
        others: Sequence[str] = (),
        by: str = "",
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
                    show, unit, result, note, what=what, others=others, acts=kinds, by=by
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
        self.changed.emit()
        self._levels.changed.emit()
