"""Which boxes may shade a beam, and what light of beams falls on bodies."""

from __future__ import annotations

import itertools
from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from isthmus.render.packing import MAX_BOXES, REACH, SHAPED, Plane
from isthmus.show.records import Structure
from isthmus.stage.rig import Beams, Bodies
from isthmus.stage.shade import BOXES, Shade, boxes_of

Array = NDArray[np.float64]
_MOST = 3  # boxes a beam is asked about
_LEAST = 2e-3  # light on a body below which nothing is looked for in its way
_LAMP = 1.5  # how bright a body is in a beam, beside the pool of that beam
_TOUCH = 1e-3  # less than this two things only touch
_LOW = 0.3  # metres over the ground: what is lower shades no haze


_CORNERS = np.array(list(itertools.product((-1.0, 1.0), repeat=3)))


class Blocks:
    """The boxes that keep light from what lies behind them, in the order of the shader's own."""

    def __init__(self, structures: Sequence[Structure], ground: float) -> None:
        solid = [s for s in structures if s.kind in BOXES][:MAX_BOXES]
        self.place = {s.id: index for index, s in enumerate(solid)}
        self.boxes = boxes_of(solid)
        self.shade = Shade(self.boxes, np.zeros((0, 2, 3)), np.zeros((0, 1, 3, 3)))
        world = np.linalg.inv(self.boxes) if solid else np.zeros((0, 4, 4))
        self._corners = (_CORNERS @ world[:, :3, :3].transpose(0, 2, 1)) + world[:, None, :3, 3]
        lowest = self._corners[:, :, 2].min(axis=1)
        upright = np.array([s.kind not in ("deck", "hull") for s in solid], bool)
        self._hull = np.array([s.kind == "hull" for s in solid], bool)
        # haze below a low deck is not seen: the deck itself hides it
        self._in_haze = upright | (lowest > ground + _LOW)

    @property
    def matrices(self) -> bytes:
        """As the shader takes them: column by column, filled up."""
        filled = np.zeros((MAX_BOXES, 4, 4), np.float32)
        filled[: len(self.boxes)] = self.boxes.transpose(0, 2, 1)
        return filled.tobytes()

    def ends(self, packed: NDArray) -> NDArray:
        """(k,) how far along each beam goes in haze: to the box that catches all of it, or to its
        end.
        """
        found = packed[:, 11].copy()
        rims = _around(packed[:, 4:7]) * packed[:, 3, None, None] + packed[:, None, 4:7]
        for box in self.boxes[self._in_haze]:
            start = packed[:, :3] @ box[:3, :3].T + box[:3, 3]
            way = rims @ box[:3, :3].T
            way = np.where(np.abs(way) < 1e-9, 1e-9, way)
            one, other = (-1 - start[:, None]) / way, (1 - start[:, None]) / way
            enter = np.minimum(one, other).max(axis=2)
            leave = np.maximum(one, other).min(axis=2)
            caught = ((enter < leave) & (enter > packed[:, 7, None])).all(axis=1)
            found = np.where(caught, np.minimum(found, enter.max(axis=1)), found)
        return found

    def shading_haze(self, packed: NDArray) -> NDArray:
        """(k, 4) three boxes that may stand in the haze of each beam, −1 for none, and how far
        along it the first of them begins.
        """
        return self._near(packed, self._in_haze, packed[:, 15])

    def shading_pools(self, packed: NDArray, plane: Plane) -> NDArray:
        """(k, 4) the same of what may stand before the plane that pools (k, 40) fall on."""
        # the shader of pools knows of the hull above the water
        others = np.ones(len(self.boxes), bool) if plane.structure else ~self._hull
        if plane.structure in self.place:
            others[self.place[plane.structure]] = False
        if not others.any() or not len(packed):
            return np.full((len(packed), _MOST + 1), -1.0)
        return self._near(packed, others, packed[:, 11], self._shadows(packed, plane))

    def _shadows(self, packed: NDArray, plane: Plane) -> NDArray[np.bool_]:
        """(k, b) whether the shadow a box throws on a plane may touch the pool there."""
        normal, centre = np.array(plane.normal), np.array(plane.centre)
        apex = packed[:, None, None, :3]
        over = (apex - centre) @ normal  # (k, 1, 1)
        high = (self._corners - centre) @ normal
        # a corner as high as the lens, or higher, throws its shadow out of sight
        times = over / np.maximum(over - high, 1e-3)
        at = apex + (self._corners - apex) * times[..., None] - centre
        seen = (high > 0.01).any(axis=1)
        meets = np.broadcast_to(seen, at.shape[:2]).copy()
        for side, (low, top) in zip(
            (plane.along, plane.across),
            ((SHAPED, SHAPED + 1), (SHAPED + 2, SHAPED + 3)),
            strict=True,
        ):
            along = np.array(side)
            share = at @ (along / (along @ along))
            inside = share.max(axis=2) > packed[:, low, None] + _TOUCH
            meets &= inside & (share.min(axis=2) < packed[:, top, None] - _TOUCH)
        return meets

    def _near(
        self,
        packed: NDArray,
        which: NDArray[np.bool_],
        ends: NDArray,
        among: NDArray[np.bool_] | None = None,
    ) -> NDArray:
        """The nearest boxes that meet the cone of a beam before its end and do not hold its lens;
        `among` (k, b) says which come into question.
        """
        found = np.full((len(packed), _MOST + 1), -1.0)
        index = np.flatnonzero(which)
        if not len(index) or not len(packed):
            return found
        apex, axis, tan = packed[:, None, None, :3], packed[:, 4:7], packed[:, 3]
        to = self._corners[index] - apex  # (k, b, 8, 3)
        begins = np.einsum("kbci,ki->kbc", to, axis)
        last, begins = begins.max(axis=2), begins.min(axis=2)
        meets = (last > packed[:, 7:8]) & (begins < ends[:, None] - _TOUCH)
        if among is not None:
            meets &= among[:, index]
        # outside a cone is what lies wholly on the far side of one of the planes that hold it
        planes = _sides(axis, tan)  # (k, 8, 3)
        meets &= ~(np.einsum("kbci,kpi->kbpc", to, planes) > 0).all(axis=3).any(axis=2)
        lens = packed[:, :3] + axis * packed[:, 7:8]
        boxes = self.boxes[index]
        own = np.einsum("bij,kj->kbi", boxes[:, :3, :3], lens) + boxes[:, :3, 3]
        meets &= np.abs(own).max(axis=2) > 1
        begins = np.where(meets, begins, np.inf)
        order = np.argsort(begins, axis=1)[:, :_MOST]
        there = np.take_along_axis(meets, order, axis=1)
        found[:, : order.shape[1]] = np.where(there, index[order], -1)
        found[:, _MOST] = np.minimum(begins.min(axis=1), REACH * 2)
        return found


def _around(axis: NDArray) -> NDArray:
    """Eight unit vectors across each axis, all round, (k, 8, 3)."""
    aside = np.where(np.abs(axis[:, 2:]) < 0.9, [[0.0, 0.0, 1.0]], [[1.0, 0.0, 0.0]])
    x = np.cross(axis, aside)
    x /= np.linalg.norm(x, axis=1, keepdims=True)
    y = np.cross(axis, x)
    turn = np.arange(8) * (np.pi / 4)
    return np.cos(turn)[:, None] * x[:, None] + np.sin(turn)[:, None] * y[:, None]


def _sides(axis: NDArray, tan: NDArray) -> NDArray:
    """Outward normals of eight planes that touch each cone from outside, (k, 8, 3)."""
    return _around(axis) - axis[:, None] * tan[:, None, None]


def light_on_bodies(
    bodies: Bodies, beams: Beams, packed: NDArray, shade: Shade
) -> tuple[NDArray, NDArray]:
    """For each body part the direction light of the beams comes from, (m, 3), and how much of each
    colour, (m, 3). A unit's own beams do not light it.

    `packed` are rows of `pack_beams` of these beams. Parts of a unit are lit alike, at its middle.
    """
    many = int(bodies.unit.max(initial=-1)) + 1
    count = np.bincount(bodies.unit, minlength=many)
    at = np.zeros((many, 3))
    for i in range(3):
        at[:, i] = np.bincount(bodies.unit, bodies.matrix[:, i, 3], many)
    at /= np.maximum(count, 1)[:, None]
    apex, axis, tan = packed[:, :3], packed[:, 4:7], packed[:, 3]
    along = at @ axis.T - (apex * axis).sum(axis=1)
    square = (at**2).sum(axis=1)[:, None] - 2 * at @ apex.T + (apex**2).sum(axis=1)
    reach = (along > packed[:, 7] + 0.05) & (square < along**2 * (1 + tan**2))
    reach &= beams.unit != np.arange(many)[:, None]
    unit, beam = np.nonzero(reach)
    near, far = along[unit, beam], square[unit, beam]
    inner = 1.0 - (far / near**2 - 1.0) / tan[beam] ** 2
    light = _LAMP * 9.0 * tan[beam] ** -1.3 * np.maximum(inner, 0.0) ** 2 / far
    strong = light * packed[beam, 8:11].max(axis=1, initial=0.0) > _LEAST
    unit, beam, light = unit[strong], beam[strong], light[strong]
    open_ = ~shade.stops(at[unit], beams.origin[beam])
    unit, beam, light = unit[open_], beam[open_], light[open_]
    way = apex[beam] - at[unit]
    way /= np.maximum(np.linalg.norm(way, axis=1, keepdims=True), 1e-9)
    rgb, lamp = np.zeros((many, 3)), np.zeros((many, 3))
    for i in range(3):
        rgb[:, i] = np.bincount(unit, light * packed[beam, 8 + i], many)
        lamp[:, i] = np.bincount(unit, light * way[:, i], many)
    lamp /= np.maximum(np.linalg.norm(lamp, axis=1, keepdims=True), 1e-9)
    return lamp[bodies.unit], rgb[bodies.unit]
