"""An orbiting camera: where it looks, from which bearing, how far away."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from isthmus.stage.transforms import Array, look_at, perspective

Vec = Sequence[float]
_SNUG = 0.8  # corners of a box are seldom all in the way: a little nearer than its ball asks


@dataclass(frozen=True)
class Camera:
    """`bearing` is degrees anticlockwise seen from above, 0 from the audience; `height` degrees
    above the horizon.
    """

    target: tuple[float, float, float] = (0.0, 1.0, 2.5)
    distance: float = 22.0
    bearing: float = 0.0
    height: float = 12.0
    fov: float = 42.0
    near: float = 0.3
    far: float = 140.0

    @property
    def eye(self) -> tuple[float, float, float]:
        """Where the eye is, metres."""
        b, h = math.radians(self.bearing), math.radians(self.height)
        flat = math.cos(h) * self.distance
        x, y, z = self.target
        return (x + flat * math.sin(b), y - flat * math.cos(b), z + math.sin(h) * self.distance)

    def view(self) -> Array:
        """World to eye, (4, 4); its first rows are right and up in the world."""
        return look_at(self.eye, self.target)

    def projection(self, aspect: float) -> Array:
        """Eye to clip space, (4, 4), for a picture `aspect` times as wide as high."""
        return perspective(self.fov, aspect, self.near, self.far)

    def turned(self, bearing: float, height: float) -> Camera:
        """Turned about its target by degrees; the height stays within -5 and 89."""
        return replace(
            self,
            bearing=(self.bearing + bearing) % 360,
            height=min(89.0, max(-5.0, self.height + height)),
        )

    def nearer(self, factor: float) -> Camera:
        """`factor` times as far from its target, within 1.5 and 90 m."""
        return replace(self, distance=min(90.0, max(1.5, self.distance * factor)))

    def moved(self, right: float, up: float) -> Camera:
        """Move the target across the picture, in metres."""
        view = self.view()
        step = view[0, :3] * right + view[1, :3] * up
        x, y, z = (float(a) for a in np.asarray(self.target) + step)
        return replace(self, target=(x, y, z))

    def project(self, points: Array, width: float, height: float) -> tuple[Array, Array]:
        """Pixel positions (n, 2), origin top left, and depth along the view (n,); depth ≤ near is
        behind.
        """
        p = np.asarray(points, np.float64).reshape(-1, 3)
        eye = p @ self.view()[:3, :3].T + self.view()[:3, 3]
        depth = -eye[:, 2]
        safe = np.maximum(depth, 1e-6)
        proj = self.projection(width / max(height, 1))
        x, y = eye[:, 0] * proj[0, 0] / safe, eye[:, 1] * proj[1, 1] / safe
        return np.stack([(x + 1) / 2 * width, (1 - y) / 2 * height], axis=1), depth

    def walked(self, forward: float, right: float, up: float) -> Camera:
        """Eye and target together, metres on the level and up."""
        b = math.radians(self.bearing)
        x, y, z = self.target
        target = (
            x - math.sin(b) * forward + math.cos(b) * right,
            y + math.cos(b) * forward + math.sin(b) * right,
            z + up,
        )
        return replace(self, target=target)

    def fitted(self, low: Sequence[float], high: Sequence[float], aspect: float) -> Camera:
        """The box between two corners in view, from the present side; `aspect` is width over
        height.
        """
        a, b = np.asarray(low, np.float64), np.asarray(high, np.float64)
        upright = math.radians(self.fov / 2)
        across = math.atan(math.tan(upright) * aspect)
        away = max(4.0, _SNUG * float(np.linalg.norm(b - a)) / 2 / math.sin(min(upright, across)))
        x, y, z = (float(v) for v in (a + b) / 2)
        return replace(self, target=(x, y, z), distance=away, far=max(140.0, 3 * away))

    def around(self, points: Array, aspect: float) -> Camera:
        """As far off as it takes for all points (n, 3) to be in the picture; from where it is."""
        made = self
        for _ in range(24):
            at, depth = made.project(points, aspect, 1.0)
            seen = (depth > made.near) & (at > 0).all(axis=1) & (at < (aspect, 1.0)).all(axis=1)
            if seen.all():
                break
            away = made.distance * 1.12
            made = replace(made, distance=away, far=max(140.0, 3 * away))
        return made

    def shows(self, points: Array, width: float, height: float) -> bool:
        """Whether any of the points (n, 3) lies in the picture."""
        if not len(points):
            return False
        at, depth = self.project(points, width, height)
        return bool(
            (
                (depth > self.near)
                & (at >= 0).all(axis=1)
                & (at[:, 0] <= width)
                & (at[:, 1] <= height)
            ).any()
        )

    def ray(self, x: float, y: float, width: float, height: float) -> Array:
        """The direction (3,) from the eye through a pixel, unit length."""
        proj, view = self.projection(width / max(height, 1)), self.view()
        way = view[:3, :3].T @ np.array(
            [(2 * x / width - 1) / proj[0, 0], (1 - 2 * y / height) / proj[1, 1], -1.0]
        )
        return way / np.linalg.norm(way)

    def pick(
        self, points: Array, radius: float, x: float, y: float, width: float, height: float
    ) -> int | None:
        """The nearest of the spheres (n, 3) under a pixel."""
        if not len(points):
            return None
        ray = self.ray(x, y, width, height)
        to = np.asarray(points) - np.asarray(self.eye)
        along = to @ ray
        off = np.linalg.norm(to - along[:, None] * ray, axis=1)
        reach = radius + 0.004 * along  # a far unit stays as easy to hit as a near one
        hit = np.where((along > 0) & (off < reach), along, np.inf)
        best = int(np.argmin(hit))
        return best if np.isfinite(hit[best]) else None


def named(name: str, points: Array, low: Vec, high: Vec, aspect: float) -> Camera:
    """One of VIEWS. Where it would leave out some of the units at these points (n, 3), it goes as
    far off as their box asks.
    """
    view = VIEWS[name]
    at, depth = view.project(points, aspect, 1.0)
    seen = (depth > view.near) & (at > 0).all(axis=1) & (at < (aspect, 1.0)).all(axis=1)
    return view if seen.all() else view.fitted(low, high, aspect).around(points, aspect)


def seen_from(eye: Sequence[float], target: Sequence[float], fov: float = 50.0) -> Camera:
    """A camera at a place, looking at a point."""
    to = np.asarray(target, np.float64) - np.asarray(eye, np.float64)
    distance = max(float(np.linalg.norm(to)), 1e-6)
    bearing = math.degrees(math.atan2(-to[0], to[1]))
    height = math.degrees(math.asin(max(-1.0, min(1.0, -float(to[2]) / distance))))
    x, y, z = (float(v) for v in target)
    return Camera((x, y, z), max(2.0, distance), bearing, height, fov)


VIEWS = {
    "Seats": Camera(target=(0, 0.6, 2.9), distance=19.5, height=9),
    "Front": Camera(target=(0, 0, 3.4), distance=26, height=0.5, fov=34),
    "Side": Camera(target=(0, 0, 3.4), distance=26, bearing=90, height=2, fov=34),
    "Top": Camera(target=(0, 0, 1.0), distance=27, height=89, fov=38),
    "Corner": Camera(target=(0, 0.4, 2.6), distance=23, bearing=38, height=19),
}
