"""Beams and surfaces as the shaders want them: flat rows of floats, and only what can be seen."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from isthmus.render import meshes
from isthmus.show.records import Structure
from isthmus.stage.landing import surfaces
from isthmus.stage.rig import Beams

REACH = 34.0  # metres a beam is drawn
SOFT_HULL = 1.21  # (1−r²)² reaches 10 % at the field's edge
SOFT_RATIO = 0.655  # and 50 % at this share of it: the softest beam
MAX_PLANES = 16
PLAIN, SHAPED = 20, 36  # floats a beam: without and with gobo and blades
SHADES = slice(16, 20)
MAX_BOXES = 32
_ALBEDO = {
    "deck": (1.0, 0.95, 0.88),
    "hull": (1.0, 0.95, 0.88),
    "wall": (0.9, 0.84, 0.78),
    "drape": (0.34, 0.32, 0.36),
    "screen": (1.3, 1.3, 1.3),
}
_OUT = 9.0  # a blade that is out


@dataclass(frozen=True)
class Plane:
    centre: tuple[float, float, float]
    along: tuple[float, float, float]
    across: tuple[float, float, float]
    normal: tuple[float, float, float]
    albedo: tuple[float, float, float]
    structure: str = ""


def planes_of(structures: tuple[Structure, ...]) -> list[Plane]:
    """The surfaces pools of light are drawn on; the ground comes last."""
    kinds = {s.id: s.kind for s in structures}
    ground = meshes.ground_of(structures)
    found = [
        Plane(
            _three(s.centre),
            _three(s.along),
            _three(s.across),
            _three(s.normal),
            _ALBEDO[kinds[s.structure]],
            s.structure,
        )
        for s in surfaces(structures)
        if s.structure
    ]
    reach = meshes.GROUND_REACH
    whole = Plane((0, 0, ground.level), (reach, 0, 0), (0, reach, 0), (0, 0, 1), ground.albedo)
    return [*found[: MAX_PLANES - 1], whole]


def _three(v: NDArray) -> tuple[float, float, float]:
    x, y, z = (float(a) for a in v)
    return x, y, z


def pack_beams(beams: Beams, fog: NDArray[np.bool_] | None = None) -> NDArray[np.float64]:
    """(k, 36): virtual apex and T; direction and lens distance; colour and end; hardness, iris,
    gobo and haze; boxes that shade it, none yet; then for shaped beams right and turn, blade
    distances, blade angles."""
    field = np.minimum(beams.tan, 4.0)
    hard = np.clip(
        (beams.half / np.maximum(beams.tan, 1e-6) - SOFT_RATIO) / (1 - SOFT_RATIO), 0.0, 1.0
    )
    hull = SOFT_HULL + (1.0 - SOFT_HULL) * hard
    tan = field * hull
    lens = np.maximum(beams.lens, 0.02)
    back = lens / (tan * 0.9)
    apex = beams.origin - beams.direction * back[:, None]
    rgb = beams.rgb * (0.14 * (tan / 0.15) ** 0.30)[:, None]
    # a wide or weak beam is lost in the haze long before a narrow one
    reach = np.clip(
        REACH * np.sqrt(0.15 / tan) * np.maximum(beams.rgb.max(axis=1, initial=0.0), 1e-4) ** 0.25,
        4.0,
        REACH,
    )
    in_haze = np.ones(len(tan)) if fog is None else fog.astype(float)
    blades = np.where(
        np.isfinite(beams.blades[:, :, 0]), beams.blades[:, :, 0] / hull[:, None], _OUT
    )
    angles = np.where(np.isfinite(beams.blades[:, :, 1]), beams.blades[:, :, 1], 0.0)
    return np.concatenate(
        [
            apex,
            tan[:, None],
            beams.direction,
            back[:, None],
            rgb,
            (reach + back)[:, None],
            hard[:, None],
            (np.where(beams.iris < 0.999, beams.iris, 2.0) / hull)[:, None],
            beams.gobo[:, None].astype(float),
            in_haze[:, None],
            np.full((len(tan), 4), -1.0),
            beams.right,
            beams.turn[:, None],
            blades,
            angles,
            hull[:, None],
            np.zeros((len(tan), 3)),
        ],
        axis=1,
    )


def shaped(packed: NDArray) -> NDArray:
    """Which beams have a gobo or a blade in them."""
    return np.asarray((packed[:, 14] >= 0) | (packed[:, 24:28] < _OUT).any(axis=1))


def within(
    origins: NDArray, space: tuple[tuple[float, float, float], tuple[float, float, float]] | None
) -> NDArray:
    """Whose lens lies in the haze: in its box, or a little outside of it, (k,)."""
    if space is None or not len(origins):
        return np.ones(len(origins), bool)
    low, high = np.array(space[0]), np.array(space[1])
    room = np.maximum((high - low) * 0.15, 1.5)
    return np.all((origins >= low - room) & (origins <= high + room), axis=1)


def pool_rows(packed: NDArray, plane: Plane, deck: tuple[float, float, float, float]) -> NDArray:
    """The beams that reach a plane, (k, 40): the beam, then the box of its pool in the plane's own
    axes (−1…1).
    """
    normal, centre = np.array(plane.normal), np.array(plane.centre)
    apex, axis, tan = packed[:, :3], packed[:, 4:7], packed[:, 3]
    height = (apex - centre) @ normal
    facing = -(axis @ normal)
    near = (height > 0.02) & (facing > 0.03) & (height / np.maximum(facing, 1e-3) < REACH)
    packed, apex, axis, tan, height, facing = (
        a[near] for a in (packed, apex, axis, tan, height, facing)
    )
    if not len(packed):
        return np.zeros((0, SHAPED + 4))
    lean = axis + normal * facing[:, None]
    size = np.linalg.norm(lean, axis=1)
    lean = np.where(
        size[:, None] > 1e-4,
        lean / np.maximum(size, 1e-4)[:, None],
        np.array(plane.along) / np.linalg.norm(plane.along),
    )
    angle, half = np.arctan2(size, facing), np.arctan(tan)
    low, high = (
        height * np.tan(np.maximum(angle - half, -1.3)),
        height * np.tan(np.minimum(angle + half, 1.3)),
    )
    wide = np.maximum(
        tan * np.hypot(height, np.maximum(np.abs(low), np.abs(high))), (high - low) / 2
    )
    foot, side = apex - centre - normal * height[:, None], np.cross(normal, lean)
    middle, reach = foot + lean * ((low + high) / 2)[:, None], (high - low) / 2
    boxes = []
    for direction in (plane.along, plane.across):
        length = float(np.linalg.norm(direction))
        unit = np.array(direction) / length
        at, spread = middle @ unit, np.abs(lean @ unit) * reach + np.abs(side @ unit) * wide
        boxes += [np.maximum((at - spread) / length, -1), np.minimum((at + spread) / length, 1)]
    seen = (boxes[0] < boxes[1]) & (boxes[2] < boxes[3])
    if (
        plane.centre[2] < -0.5 and deck[0] < deck[1]
    ):  # the water: pools that fall wholly on the deck never reach it
        on_deck = apex + axis * (apex[:, 2] / np.maximum(-axis[:, 2], 1e-3))[:, None]
        spill = wide * np.maximum(apex[:, 2], 0) / np.maximum(height, 1e-3)
        inside = (
            (on_deck[:, 0] - spill > deck[0])
            & (on_deck[:, 0] + spill < deck[1])
            & (on_deck[:, 1] - spill > deck[2])
            & (on_deck[:, 1] + spill < deck[3])
        )
        seen &= ~(inside & (apex[:, 2] > 0))
    return np.concatenate([packed[seen], np.stack(boxes, axis=1)[seen]], axis=1)
