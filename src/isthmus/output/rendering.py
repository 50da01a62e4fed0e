"""From levels to the frame that is sent: shaped, rendered, laid over, held within limits.

Arrays only, so that another process can do it too.
"""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from isthmus.output.bounds import Bounds
from isthmus.output.compile import Compiled, Levels, Places
from isthmus.output.shape import Shaping, shape_show
from isthmus.show.records import SLOTS, Show

Frame = NDArray[np.uint8]
Over = Mapping[tuple[int, int], int]  # (universe, address) → a byte laid over what is sent


@dataclass(frozen=True)
class Rendering:
    """What a show does with levels. `light` are the parameters that are light, at 0 all is dark:
    worked out when they are asked for, or known already.
    """

    compiled: Compiled
    shaping: Shaping
    bounds: Bounds
    light: NDArray[np.int64] | None = None

    def shaped(self, levels: Levels) -> Levels:
        """What is sent of what is asked."""
        return self.shaping.apply(levels)

    def write(
        self,
        sent: Levels,
        frame: Frame,
        over: Over | None = None,
        beyond: Collection[tuple[int, int]] = (),
    ) -> None:
        """Shaped levels into a flat frame; `over` is laid on it, and limits hold but for the slots
        in `beyond`.
        """
        self.compiled.render(sent, frame)
        if over:
            rows = {universe: row for row, universe in enumerate(self.compiled.universes)}
            for (universe, address), value in over.items():
                if universe in rows:
                    frame[rows[universe] * SLOTS + address - 1] = value
        self.bounds.hold(frame, beyond)

    def dark(self, sent: Levels) -> Frame:
        """The frame with every light out and all else as it is: dimmers at 0, and colours where
        there is no dimmer.
        """
        levels = sent.copy()
        levels[self.compiled.light if self.light is None else self.light] = 0
        frame = self.compiled.frame()
        self.write(levels, frame)
        return frame

    def abroad(self) -> Rendering:
        """Without what only this process needs: where the parameters of each unit are."""
        bare = replace(self.compiled, places=Places({}))
        return replace(self, compiled=bare, light=self.compiled.light)


def render_show(show: Show, compiled: Compiled) -> Rendering:
    return Rendering(compiled, shape_show(show, compiled), Bounds(show, compiled))
