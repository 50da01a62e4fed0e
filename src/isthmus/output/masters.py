"""Dark and hold: what is sent instead of the live levels, for everything, for a universe or for one
output.

Live, like levels: never saved, never undone. Dark sends lights and leaves the rest of a unit
where it is, so that heads do not swing; hold goes on sending what was sent when it began.
"""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from isthmus.show.records import SLOTS, Output

LIVE, DARK, HOLD = "", "dark", "hold"


@dataclass
class Masters:
    """The state asked of everything, of universes, of outputs; the nearest one to the wire that
    says something holds.
    """

    everything: str = LIVE
    universes: dict[int, str] = field(default_factory=dict)
    outputs: dict[str, str] = field(default_factory=dict)
    rows: dict[int, NDArray[np.uint8]] = field(
        default_factory=dict
    )  # universe → its slots when it was held

    def of(self, output: Output) -> str:
        """Dark anywhere is dark; else hold anywhere is hold."""
        asked = (
            self.everything,
            self.universes.get(output.universe, LIVE),
            self.outputs.get(output.id, LIVE),
        )
        return DARK if DARK in asked else HOLD if HOLD in asked else LIVE

    def set(self, state: str, universe: int | None = None, output: str | None = None) -> None:
        """One state for everything, a universe or one output."""
        if output is not None:
            self.outputs[output] = state
        elif universe is not None:
            self.universes[universe] = state
        else:
            self.everything = state

    def clear(self) -> None:
        """Everything live again."""
        self.everything = LIVE
        self.universes.clear()
        self.outputs.clear()
        self.rows.clear()


def row_of(frame: NDArray[np.uint8], row: int) -> NDArray[np.uint8]:
    """The 512 bytes of a row, a view."""
    return frame[row * SLOTS : (row + 1) * SLOTS]
