"""How Python looks for garbage while the window is open."""

from __future__ import annotations

import gc

from isthmus.app.model.workbench import Workbench

YOUNG, MIDDLE, OLD = 20_000, 20, 20  # new objects, and rounds, before a look at each age


def keep_still(bench: Workbench) -> None:
    """A look through everything takes a tenth of a second in a show of thousands of units, and came
    in the middle of a drag. So what lives as long as the show is left out of it, and an edit of a
    whole rig is one look instead of a hundred.
    """
    gc.set_threshold(YOUNG, MIDDLE, OLD)
    gc.freeze()
    bench.adopted.connect(_anew)


def _anew() -> None:
    """Another show: what was left of the one before counts again, once."""
    gc.unfreeze()
    gc.collect()
    gc.freeze()
