"""What can be seen of a unit, and what makes of it a verdict: the same eyes for a person's stand-in
and for findings.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from isthmus.profiles.colour import LUMINANCE
from isthmus.profiles.light import LightState

DARK, DIM = 0.02, 0.6  # of the light wished
FADED = 0.1  # of the light of a colour: less is none of it
PLAIN = 0.15  # of full light: what nobody takes for dark
TURN = 10.0  # degrees
SHADE = 0.25  # apart in colour
ZOOMED = 0.35  # of the wished angle
Array = NDArray[np.float64]


@dataclass(frozen=True)
class Sights:
    """One unit over k moments: light of each cell (k, b), its colour where lit (k, b, 3), angles of
    each head (k, h), field (k, b).
    """

    cells: Array
    colour: Array
    pan: Array
    tilt: Array
    field: Array

    @staticmethod
    def of(state: LightState) -> Sights:
        """What is seen of a batch of states (k,)."""
        cells = state.rgb @ LUMINANCE
        peak = state.rgb.max(axis=2, keepdims=True, initial=0.0)
        return Sights(cells, state.rgb / np.maximum(peak, 1e-9), state.pan, state.tilt, state.field)

    def at(self, moments: Sequence[int]) -> Sights:
        """Of some moments alone."""
        return Sights(
            self.cells[moments],
            self.colour[moments],
            self.pan[moments],
            self.tilt[moments],
            self.field[moments],
        )

    @property
    def level(self) -> Array:
        """(k,) the brightest cell."""
        return self.cells.max(axis=1, initial=0.0)


def ways_wrong(wished: Sights, seen: Sights, kinds: Sequence[str]) -> tuple[str, ...]:
    """In which ways what is seen differs from what is wished over the same moments; `kinds` names
    the act of each.

    Empty when all is as wished; ("silent",) when nothing at all happens; see
    `ways.WRONG_IN` for the rest.
    """
    if wished.cells.shape[1] == 0:
        return ()
    lit = wished.level > DARK

    def moments(*names: str) -> list[int]:
        return [i for i, kind in enumerate(kinds) if kind in names]

    if not (seen.level[lit] > DARK * wished.level[lit].clip(0.05)).any():
        return ("dark",) if _moves(wished, TURN) and _moves(seen, TURN / 2) else ("silent",)
    plain, part = [i for i in moments("light") if lit[i]], moments("light", "cells")
    same = seen.cells.shape == wished.cells.shape
    differs = {
        "dim": bool(plain) and (seen.level[plain] < DIM * wished.level[plain]).any(),
        "colour": _colour_differs(wished, seen, moments("light", "colour")),
        "pan": _axis_differs(wished.pan, seen.pan),
        "tilt": _axis_differs(wished.tilt, seen.tilt),
        "beam": same and bool(moments("beam")) and _beam_differs(wished, seen, moments("beam")),
        "cell": not same or ((wished.cells[part] > DARK) != (seen.cells[part] > DARK)).any(),
    }
    return tuple(way for way, wrong in differs.items() if wrong)


def how_wrong(wished: Sights, seen: Sights, kinds: Sequence[str]) -> set[str]:
    """How it differs, as `ways.HOW` has it: which axis how, which colours, which cell."""
    moments = [i for i, kind in enumerate(kinds) if kind in ("light", "movement")]
    out = {f"pan {how}" for how in _axis_how(wished.pan, seen.pan, wished.tilt, moments)}
    out |= {f"tilt {how}" for how in _axis_how(wished.tilt, seen.tilt, wished.pan, moments)}
    for i, kind in enumerate(kinds):
        if kind in ("light", "colour") and _colour_differs(wished, seen, [i]):
            out |= {f"colour {name}" for name in _colour_names(wished, i)}
        if kind == "light" and seen.cells.shape == wished.cells.shape:
            missing = np.flatnonzero((wished.cells[i] > DARK) & (seen.cells[i] <= DARK)).tolist()
            if len(missing) == 1:
                out.add(f"cell {missing[0] + 1}")
            if missing and missing == list(range(missing[0], wished.cells.shape[1])):
                out.add(f"cell after {missing[0]}")
    return out


def _axis_how(wished: Array, seen: Array, other: Array, moments: list[int]) -> set[str]:
    if not moments or not wished.shape[1] or not seen.shape[1]:
        return set()
    wish, saw = wished[moments, 0], seen[moments, 0]
    spans = float(np.ptp(wish)), float(np.ptp(saw))
    home = wish[0]
    out = set()
    if spans[1] < TURN / 2 < spans[0]:
        out.add("stuck")
    elif np.abs((saw - home) + (wish - home)).max() < 2 * TURN and spans[0] > TURN:
        out.add("other way")
    elif spans[1] < 0.75 * spans[0]:
        out.add("too little")
    elif spans[1] > 1.3 * spans[0]:
        out.add("too far")
    if other.shape[1] and spans[1] > TURN and spans[0] > TURN:
        moved = np.abs(saw - saw[0]) > TURN
        if (moved == (np.abs(other[moments, 0] - other[moments[0], 0]) > TURN)).all():
            out.add("other axis")
    return out


def _colour_names(wished: Sights, moment: int) -> set[str]:
    """What the colour wished may be called: by which of red, green and blue are plainly in it."""
    tint = wished.colour[moment, int(wished.cells[moment].argmax())]
    red, green, blue = (bool(x) for x in tint > 0.5 * tint.max())
    return set(_NAMES[red, green, blue])


_NAMES = {
    (True, False, False): ("red", "amber"),
    (False, True, False): ("green",),
    (False, False, True): ("blue", "violet"),
    (True, True, False): ("yellow", "amber"),
    (False, True, True): ("cyan",),
    (True, False, True): ("magenta", "violet"),
    (True, True, True): ("white",),
    (False, False, False): ("white",),
}


def _moves(sights: Sights, by: float) -> bool:
    """Whether an axis of a head turns by more than so many degrees over the moments."""
    return any(np.ptp(axis, axis=0).max(initial=0.0) > by for axis in (sights.pan, sights.tilt))


def _axis_differs(wished: Array, seen: Array) -> bool:
    """Whether a head stands elsewhere; another number of heads (another mode) compares the
    first.
    """
    heads = min(wished.shape[1], seen.shape[1])
    return bool((np.abs(wished[:, :heads] - seen[:, :heads]) > TURN).any())


def _colour_differs(wished: Sights, seen: Sights, moments: list[int]) -> bool:
    for i in moments:
        if wished.level[i] > DARK:
            a = wished.colour[i, int(wished.cells[i].argmax())]
            if (
                seen.level[i] <= FADED * wished.level[i]
                or np.abs(a - seen.colour[i, int(seen.cells[i].argmax())]).max() > SHADE
            ):
                return True
    return False


def _beam_differs(wished: Sights, seen: Sights, moments: list[int]) -> bool:
    a, b = (
        wished.field[moments].max(axis=1, initial=0.1),
        seen.field[moments].max(axis=1, initial=0.1),
    )
    return bool((np.abs(np.log(np.maximum(b, 0.1) / np.maximum(a, 0.1))) > ZOOMED).any())
