"""Layer sets as the window shows them: those of cue lists that run, and those shown by hand."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterable

import numpy as np

from isthmus.app.model.frames import Frames
from isthmus.app.model.levels import Levels
from isthmus.looks.compiled import Programme
from isthmus.looks.playback import Playback
from isthmus.output.compile import Levels as Floats
from isthmus.pixels.painting import Pictures, Shown
from isthmus.pixels.ready import Studio
from isthmus.show import Show


class Picturing:
    """`hand` is what is shown by hand, the later in front."""

    def __init__(self, show: Callable[[], Show], levels: Levels) -> None:
        self._show, self._levels = show, levels
        self.frames = Frames()
        self._studio = Studio(self.frames.of)
        self.hand: tuple[Shown, ...] = ()

    def show_set(self, set_id: str) -> None:
        """Show a set by hand, in front; it starts again. One set a grid."""
        grids = {one.id: one.grid for one in self._show().layer_sets}
        others = tuple(s for s in self.hand if grids.get(s.set) != grids.get(set_id))
        self.hand = (*others, Shown(set_id, time.monotonic()))

    def end_set(self, set_id: str = "") -> None:
        """Show a set no more; all, when none is named."""
        self.hand = tuple(s for s in self.hand if set_id and s.set != set_id)

    def shows(self, set_id: str) -> bool:
        return any(s.set == set_id for s in self.hand)

    def in_front(self) -> tuple[Shown, ...]:
        """What is shown by hand; nothing while something has the rig to itself."""
        return () if self._levels.alone() else self.hand

    def pictures(self, running: Iterable[Programme]) -> Pictures:
        """All sets that may be shown now, made ready."""
        named = [p for programme in running for cue in programme.pictures for p in cue]
        there = {one.id for one in self._show().layer_sets}
        self.hand = tuple(s for s in self.hand if s.set in there)
        sets = dict.fromkeys((*named, *(s.set for s in self.hand)))
        return self._studio.pictures(self._show(), self._levels.live, sets)

    def paint(self, levels: Floats, playback: Playback, now: float) -> None:
        """What the lists show, over the levels they make, in place."""
        shown = [Shown(*one) for one in playback.shown(now)]
        if shown:
            self.pictures(playback.programmes.values()).paint(levels, shown, now)

    def cover(self, playback: Playback, now: float) -> None:
        """What is shown by hand, over everything."""
        front, live = self.in_front(), self._levels.live
        if not front:
            if live.covered is not None:
                live.cover(None)
            return
        pictures = self.pictures(playback.programmes.values())
        live.cover(None)
        painted = live.levels.copy()
        pictures.paint(painted, front, now)
        grids = {pictures.sets[s.set].grid for s in front if s.set in pictures.sets}
        found = [pictures.canvases[g].index for g in grids if g in pictures.canvases]
        index = np.unique(np.concatenate(found or [np.zeros(0, np.int64)]))
        live.cover((index, painted[index]))

    def moving(self, playback: Playback, now: float) -> bool:
        """Whether any of it is another picture soon."""
        shown = [*(Shown(*one) for one in playback.shown(now)), *self.in_front()]
        return bool(shown) and self.pictures(playback.programmes.values()).rate(shown) > 0
