"""The automatic observer: it sees only what stand-in units do, and says what a person would say of
it.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from isthmus.check.sights import DARK, Sights, ways_wrong
from isthmus.profiles.light import LightProgram
from isthmus.standin.scenario import SimUnit
from isthmus.standin.units import broken

NOTICED = 0.05  # light of another unit that a person notices


@dataclass(frozen=True)
class Said:
    """A verdict without a unit: what `check.mark` wants."""

    result: str
    what: tuple[str, ...] = ()
    others: tuple[str, ...] = ()


def say(wished: Sights, seen: Sights, kinds: Sequence[str], others: Sequence[str]) -> Said:
    """What is said of a unit called, of the acts seen of it, and of others that lit meanwhile."""
    ways = ways_wrong(wished, seen, kinds)
    if ways == ("silent",):
        return Said("wrong", ("other",), tuple(others)) if others else Said("silent")
    what = (*ways, *(("too",) if others else ()))
    return Said("wrong", what, tuple(others)) if what else Said("works")


def sights_of(states: Sequence[Mapping[str, Any]]) -> Sights:
    """What was seen of one unit, from what the rig told of it (`Units.state`) moment by moment."""
    return Sights(
        np.array([s["cells"] for s in states], float).reshape(len(states), -1),
        np.array([s["tints"] for s in states], float).reshape(len(states), -1, 3),
        np.array([s["pan"] for s in states], float).reshape(len(states), -1),
        np.array([s["tilt"] for s in states], float).reshape(len(states), -1),
        np.array([s["field"] for s in states], float).reshape(len(states), -1),
    )


def see(unit: SimUnit, program: LightProgram, slots: NDArray[np.uint8] | None) -> Sights:
    """What is seen of a unit while its port sends these slots (k, 512), all moments at once.
    None: nothing comes.
    """
    rows = np.zeros((1 if slots is None else len(slots), program.width), np.uint8)
    if slots is not None:
        part = slots[:, unit.address - 1 : unit.address - 1 + program.width]
        rows[:, : part.shape[1]] = part
    for i, row in enumerate(rows):
        rows[i] = broken(unit, program, row)
    light = program.read(rows)
    sights = Sights.of(light)
    gone = slots is None or "dead" in unit.faults
    if gone or "lamp" in unit.faults:
        dark, still = np.zeros_like(sights.cells), np.zeros_like(sights.pan)
        sights = Sights(
            dark,
            sights.colour,
            still if gone else sights.pan,
            still if gone else sights.tilt,
            sights.field,
        )
    return sights


def noticed(sights: Sights) -> NDArray[np.bool_]:
    """(k,) whether a person would notice its light."""
    return sights.level > max(NOTICED, DARK)
