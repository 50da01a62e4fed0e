"""3-D transforms as plain functions over arrays. Right-handed, z up, metres, degrees, quaternions
(w, x, y, z).
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from functools import lru_cache

import numpy as np
from numpy.typing import ArrayLike, NDArray

from isthmus.show.records import Quat, Vec3

Array = NDArray[np.float64]


def quat_about(axis: Vec3, degrees: float) -> Quat:
    """The unit quaternion (w, x, y, z) of a turn by degrees about a unit vector (3,),
    right-handed.
    """
    half = math.radians(degrees) / 2
    length = math.hypot(*axis)
    s = math.sin(half) / length
    return (math.cos(half), axis[0] * s, axis[1] * s, axis[2] * s)


def quat_multiply(a: Quat, b: Quat) -> Quat:
    """The turn b, then the turn a."""
    aw, ax, ay, az = a
    bw, bx, by, bz = b
    return (
        aw * bw - ax * bx - ay * by - az * bz,
        aw * bx + ax * bw + ay * bz - az * by,
        aw * by - ax * bz + ay * bw + az * bx,
        aw * bz + ax * by - ay * bx + az * bw,
    )


def matrices(quats: ArrayLike) -> Array:
    """Rotation matrices (n, 3, 3) of quaternions (n, 4); they are normalised first."""
    q = np.asarray(quats, np.float64).reshape(-1, 4)
    q = q / np.maximum(np.linalg.norm(q, axis=1, keepdims=True), 1e-12)
    w, x, y, z = q.T
    return np.stack(
        [
            1 - 2 * (y * y + z * z),
            2 * (x * y - w * z),
            2 * (x * z + w * y),
            2 * (x * y + w * z),
            1 - 2 * (x * x + z * z),
            2 * (y * z - w * x),
            2 * (x * z - w * y),
            2 * (y * z + w * x),
            1 - 2 * (x * x + y * y),
        ],
        axis=1,
    ).reshape(-1, 3, 3)


@lru_cache(65536)
def turn_of(rotation: Quat) -> Array:
    """The rotation matrix (3, 3) of one quaternion, not to be written to. Kept: the units of a rig
    share a few turns.
    """
    made = matrices([rotation])[0]
    made.flags.writeable = False
    return made


def placements(positions: ArrayLike, quats: ArrayLike) -> Array:
    """(n, 4, 4) transforms from turns and places."""
    p = np.asarray(positions, np.float64).reshape(-1, 3)
    out = np.zeros((len(p), 4, 4))
    out[:, :3, :3] = matrices(quats)
    out[:, :3, 3] = p
    out[:, 3, 3] = 1
    return out


def turns_about(axis: int, degrees: Array) -> Array:
    """(n, 4, 4) turns about a coordinate axis (0 x, 1 y, 2 z)."""
    a = np.radians(degrees)
    out = np.zeros((len(a), 4, 4))
    i, j = (axis + 1) % 3, (axis + 2) % 3
    out[:, axis, axis] = out[:, 3, 3] = 1
    out[:, i, i] = out[:, j, j] = np.cos(a)
    out[:, i, j], out[:, j, i] = -np.sin(a), np.sin(a)
    return out


def look_at(eye: Sequence[float], target: Sequence[float]) -> Array:
    """View matrix (4, 4) for a camera at `eye`; straight up and down are fine."""
    e = np.asarray(eye, np.float64)
    forward = np.asarray(target, np.float64) - e
    forward /= max(float(np.linalg.norm(forward)), 1e-9)
    up = np.array([0.0, 0.0, 1.0]) if abs(forward[2]) < 0.9999 else np.array([0.0, 1.0, 0.0])
    right = np.cross(forward, up)
    right /= np.linalg.norm(right)
    view = np.eye(4)
    view[0, :3], view[1, :3], view[2, :3] = right, np.cross(right, forward), -forward
    view[:3, 3] = -view[:3, :3] @ e
    return view


def perspective(fov_y: float, aspect: float, near: float, far: float) -> Array:
    """OpenGL projection, fov_y in degrees."""
    t = 1 / math.tan(math.radians(fov_y) / 2)
    return np.array(
        [
            [t / aspect, 0, 0, 0],
            [0, t, 0, 0],
            [0, 0, (far + near) / (near - far), 2 * far * near / (near - far)],
            [0, 0, -1, 0],
        ]
    )
