"""Output tests: slots, units and universes shown on the rig to prove a route."""

from __future__ import annotations

import time
from collections.abc import Callable

from PySide6.QtCore import QObject, QTimer, Signal

from isthmus.app.model.levels import Levels
from isthmus.check.prove import Proof
from isthmus.output.turns import Turns

LOOK_MS = 50  # between two looks at which step it is


class Proving(QObject):
    """One test at a time. The levels are given back when it ends."""

    changed = Signal()

    def __init__(self, levels: Levels) -> None:
        super().__init__()
        self._levels = levels
        self.proof: Proof | None = None
        self.first: Callable[[], object] = lambda: None  # what ends before a test begins
        # may a test go past these units' limits
        self.ask_past: Callable[[str, list[int]], bool] = lambda about, numbers: False
        self.past_numbers: list[int] = []  # units whose limits the test that runs goes past
        self._past: dict[str, bool] = {}
        self._timer = QTimer(self)
        self._timer.setInterval(LOOK_MS)
        self._timer.timeout.connect(lambda: self.step(time.monotonic()))

    @property
    def turns(self) -> Turns | None:
        """The steps of the test that runs."""
        return self.proof.turns if self.proof is not None else None

    @property
    def alone(self) -> bool:
        """Whether nothing else may be sent while it runs."""
        return self.proof is not None and self.proof.alone

    def begin(self, make: Callable[[], Proof], about: str = "") -> None:
        """Raises EntryFault when it cannot be. The levels are given back when it ends.

        Where limits are in its way it is asked whether this one may go past them: once for a row of
        tests about the same, such as the steps of a hunt, until `end`. The limits hold
        unless the person says so.
        """
        self.first()
        self._end()
        proof = make()
        live = self._levels.live
        held = (number for slots in proof.laid() for number in live.held_back(slots))
        numbers = list(dict.fromkeys(held))
        if numbers:
            about = about or proof.words
            if about not in self._past:
                self._past = {about: self.ask_past(about, numbers)}
            proof.past = self._past[about]
            self.past_numbers = numbers if proof.past else []
        self.proof = proof
        self.step(self.proof.began)
        steps = self.proof.turns.steps
        if len(steps) > 1 or steps[0].to:
            self._timer.start()
        self.changed.emit()

    def step(self, now: float) -> None:
        if self.proof is not None and self.proof.step(now):
            self._levels.changed.emit()
            self.changed.emit()

    def end(self) -> None:
        """The levels are given back; what was allowed for it is not allowed any more."""
        self._past = {}
        self._end()

    def _end(self) -> None:
        if self.proof is not None:
            proof, self.proof = self.proof, None
            self._timer.stop()
            self.past_numbers = []
            proof.end()
            self.changed.emit()
            self._levels.changed.emit()
