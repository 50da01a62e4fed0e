"""The live levels, what masters them, and the rig as it is lit by them."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PySide6.QtCore import QObject, Signal

from isthmus.output import Live, Masters, RigView
from isthmus.output.aiming import Aiming, aim_units, in_words
from isthmus.show import Show


class Levels(QObject):
    """What is asked of the rig. A roll call or an output test holds it while it runs."""

    changed = Signal()
    sending_changed = Signal()

    def __init__(self, show: Callable[[], Show], tell: Callable[[str, str], object]) -> None:
        super().__init__()
        self._show, self._tell = show, tell
        self.live = Live(show())
        self.masters = Masters()
        self.sending = False  # kept by the output control
        self.held_by: Callable[[], str] = lambda: ""  # what holds the levels, in words
        self._view: tuple[tuple[object, ...], RigView] | None = None

    def change(self, change: Callable[[Live], object]) -> None:
        """Change live levels, unless something holds them."""
        if who := self.held_by():
            self._tell("attention", f"The {who} holds the levels. End it to use hand controls.")
            return
        change(self.live)
        self.changed.emit()

    def master(self, state: str, universe: int | None = None, output: str | None = None) -> None:
        """Dark, hold or live again: everything, a universe or one output."""
        self.masters.set(state, universe, output)
        self.changed.emit()

    def aim(
        self, ids: Sequence[str], targets: object, way: str = "nearest", quiet: bool = False
    ) -> list[Aiming]:
        """Point beams at one point for all or one for each; who cannot reach is told, unless it is
        `quiet`.
        """
        answers: list[Aiming] = []

        def point(live: Live) -> None:
            wanted, found = aim_units(live, ids, targets, way)
            answers.extend(found)
            live.ask(wanted)

        self.change(point)
        if answers and not quiet:
            reached = all(a.reached for a in answers)
            self._tell("ok" if reached else "attention", in_words(answers))
        return answers

    @property
    def view(self) -> RigView:
        """The rig in space as the show has it, fed from the frame that is sent."""
        show, compiled = self._show(), self.live.compiled
        # of what it is made; a verdict, for one, changes none of them
        ground = (show.units, show.profiles, show.structures, show.gels, compiled)
        if self._view is None or any(
            a is not b for a, b in zip(self._view[0], ground, strict=True)
        ):
            self._view = (ground, RigView(show, compiled))
        return self._view[1]

    def begin_anew(self) -> None:
        """Another show: nothing is asked of it yet."""
        self.masters.clear()
        self.live = Live(self._show())
