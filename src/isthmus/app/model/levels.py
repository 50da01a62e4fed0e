"""The live levels, what masters them, and the rig as it is lit by them."""

from __future__ import annotations

import time
from collections.abc import Callable, Sequence

from PySide6.QtCore import QObject, Signal

from isthmus.looks import apply
from isthmus.looks import in_words as looks_in_words
from isthmus.looks.resolve import Book, levels_of
from isthmus.output import Live, Masters, RigView
from isthmus.output.aiming import Aiming, aim_units, in_words
from isthmus.output.live import Asked
from isthmus.show import Show
from isthmus.show.records import Look, Palette

Act = tuple[str, Asked]
TOGETHER = 1.0  # seconds within which the same thing again is one act: a fader that is moved
GOING_ON = ("levels", "intensity", "colour", "pan and tilt", "aim", "fan")
MOST_ACTS = 100


class Levels(QObject):
    """What is asked of the rig. A roll call or an output test holds it while it runs."""

    changed = Signal()
    sending_changed = Signal()
    acts_changed = Signal()  # what can be taken back, or done again

    def __init__(self, show: Callable[[], Show], tell: Callable[[str, str], object]) -> None:
        super().__init__()
        self._show, self.tell = show, tell
        self.live = Live(show())
        self.masters = Masters()
        self.used: dict[tuple[str, str], str] = {}  # unit, kind → the palette it was last set to
        self._acts: list[Act] = []  # what was asked before each, the newest last
        self._undone: list[Act] = []
        self._last = ("", 0.0)  # the newest act, and when it went on
        self.sending = False  # kept by the output control
        self.held_by: Callable[[], str] = lambda: ""  # what holds the levels, in words
        self.alone: Callable[[], bool] = lambda: False  # whether cue lists have no say meanwhile
        self._view: tuple[tuple[object, ...], RigView] | None = None

    def change(self, change: Callable[[Live], object], name: str = "levels") -> None:
        """Change live levels, unless something holds them. `name` says what is done: one of
        GOING_ON again within a moment is the same act.
        """
        if who := self.held_by():
            self.tell("attention", f"The {who} holds the levels. End it to use hand controls.")
            return
        now = time.monotonic()
        going_on = name in GOING_ON and name == self._last[0] and now - self._last[1] < TOGETHER
        if not going_on:
            self._acts.append((name, self.live.snapshot()))
            del self._acts[:-MOST_ACTS]
        self._last, self._undone = (name, now), []
        change(self.live)
        self.changed.emit()
        if not going_on:
            self.acts_changed.emit()

    @property
    def undo_name(self) -> str | None:
        """The live act `undo` would take back."""
        return self._acts[-1][0] if self._acts else None

    @property
    def redo_name(self) -> str | None:
        return self._undone[-1][0] if self._undone else None

    def undo(self) -> None:
        """Take the last live act back: what was asked before it. The show's own history is apart
        from this.
        """
        self._go_back(self._acts, self._undone, "Taken back")

    def redo(self) -> None:
        """The live act that was taken back last, again."""
        self._go_back(self._undone, self._acts, "Again")

    def _go_back(self, of: list[Act], to: list[Act], words: str) -> None:
        if who := self.held_by():
            self.tell("attention", f"The {who} holds the levels. End it to use hand controls.")
        elif of:
            name, asked = of.pop()
            to.append((name, self.live.snapshot()))
            self._last = ("", 0.0)
            self.live.restore(asked)
            self.tell("ok", f"{words}: {name}. The show stays as it is.")
            self.changed.emit()
            self.acts_changed.emit()

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

        self.change(point, "aim")
        if answers and not quiet:
            reached = all(a.reached for a in answers)
            self.tell("ok" if reached else "attention", in_words(answers))
        return answers

    def use(self, palette: Palette, ids: Sequence[str]) -> None:
        """Ask units for what a palette wishes; who comes short is told."""
        if not ids:
            self.tell("attention", "No units are selected. Select those it is for.")
            return
        told: list[str] = []

        def change(live: Live) -> None:
            asked, short = apply(live, palette, ids)
            live.ask(asked)
            told.append(looks_in_words(short))

        self.change(change, palette.name or palette.kind)
        self.used |= {(unit, palette.kind): palette.id for unit in ids}
        if told and told[0]:
            self.tell("attention", f"{palette.name}: {told[0]}.")

    def use_look(self, look: Look) -> None:
        """Ask for what a look says, by hand; who comes short is told."""
        told: list[str] = []

        def change(live: Live) -> None:
            book = Book(self._show())
            levels, short = levels_of(live.blank(), book.wanted(look))
            live.ask({key: level for its in levels.values() for key, level in its.items()})
            told.append(looks_in_words(short))

        self.change(change, look.name or f"look {look.number}")
        if told and told[0]:
            self.tell("attention", f"{look.name or f'Look {look.number}'}: {told[0]}.")

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
        self._acts, self._undone, self._last, self.used = [], [], ("", 0.0), {}
        self.live = Live(self._show())
