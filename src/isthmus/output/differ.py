"""What paper asks against what the simulated rig does: unit by unit, in words."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from isthmus.output.view import RigView
from isthmus.plural import many
from isthmus.stage.rig import Beams, Drawn

DARK = 0.02
DIM = 0.25  # share of light
ASIDE = 2.0  # degrees
SHADE = 0.15


@dataclass(frozen=True)
class Difference:
    number: int
    words: str
    severity: str


def _by_number(
    view: RigView, frame: NDArray[np.uint8]
) -> dict[int, tuple[float, NDArray, NDArray]]:
    """Number → (light, colour, direction) of the unit's brightest beam."""
    beams: Beams = view.pose(frame, Drawn(hide_off=False))[0]
    light = beams.rgb.sum(axis=1)
    found: dict[int, tuple[float, NDArray, NDArray]] = {}
    for index, unit in enumerate(beams.unit):
        number = view.rig.numbers[int(unit)]
        if number not in found or light[index] > found[number][0]:
            found[number] = (
                float(light[index]),
                beams.rgb[index] / max(float(beams.rgb[index].max()), 1e-9),
                beams.direction[index],
            )
    return found


def differences(
    paper: tuple[RigView, NDArray[np.uint8]], rig: tuple[RigView, NDArray[np.uint8]]
) -> list[Difference]:
    """Units that do something else than paper asks, in order of their numbers."""
    asked, done = _by_number(*paper), _by_number(*rig)
    found = []
    for number in sorted(asked.keys() | done.keys()):
        if number not in done:
            found.append(Difference(number, "not at the rig", "attention"))
        elif number not in asked:
            found.append(Difference(number, "not on paper, or without a place there", "attention"))
        elif words := _words(asked[number], done[number]):
            found.append(
                Difference(
                    number, words, "fault" if words.startswith(("dark", "lit")) else "attention"
                )
            )
    return found


def _words(asked: tuple[float, NDArray, NDArray], done: tuple[float, NDArray, NDArray]) -> str:
    if asked[0] < DARK and done[0] < DARK:
        return ""
    if done[0] < DARK:
        return "dark at the rig"
    if asked[0] < DARK:
        return "lit at the rig, and not asked to"
    said = []
    if abs(done[0] - asked[0]) > DIM * asked[0]:
        said.append("brighter" if done[0] > asked[0] else "dimmer")
    if float(np.abs(asked[1] - done[1]).max()) > SHADE:
        said.append("another colour")
    aside = float(np.degrees(np.arccos(np.clip(asked[2] @ done[2], -1, 1))))
    if aside > ASIDE:
        said.append(f"points {aside:.0f}° aside")
    return ", ".join(said)


def in_words(found: Sequence[Difference]) -> str:
    """The differences as one sentence."""
    if not found:
        return "The rig does what is sent."
    shown = "; ".join(f"{d.number} {d.words}" for d in found[:4])
    return (
        f"{many(len(found), 'unit')} differ{'s' * (len(found) == 1)}: "
        f"{shown}{'; …' if len(found) > 4 else '.'}"
    )
