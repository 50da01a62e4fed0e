"""Matrices of MVR, whose rows are axes in millimetres, and our places: metres, quaternions."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from isthmus.mvr.records import PLAIN, Rows
from isthmus.show.records import Quat, Vec3
from isthmus.stage.transforms import Array, turn_of

SCALED = 1e-3  # an axis that is off one by more has a scale


def transform(rows: Rows | None) -> Array:
    """(4, 4), applied to columns, millimetres."""
    made = np.eye(4)
    made[:3, :4] = np.array(rows or PLAIN).T
    return made


def rows_of(matrix: Array) -> Rows:
    """The other way."""
    u, v, w, o = (tuple(map(float, column)) for column in matrix[:3, :4].T)
    return (u, v, w, o)  # type: ignore[return-value]


def rows_at(position: Vec3, rotation: Quat) -> Rows:
    """A place of ours as a matrix."""
    made = np.eye(4)
    made[:3, :3] = turn_of(rotation)
    made[:3, 3] = np.array(position) * 1000.0
    return rows_of(made)


@dataclass(frozen=True)
class Placed:
    """A place in metres, a turn, and what the matrix did besides turning: `stretch` (3, 3), applied
    before it, with whether it is more than none, and whether it mirrors.
    """

    position: Vec3
    rotation: Quat
    stretch: Array
    scaled: bool
    mirrored: bool


def placed(matrices: Sequence[Array]) -> list[Placed]:
    """Turn and stretch of each by the polar decomposition A = R S; of one that mirrors, S does. An
    axis of no length is taken as it would be without a turn.
    """
    if not len(matrices):
        return []
    from scipy.spatial.transform import Rotation

    stack = np.array(matrices)
    axes = stack[:, :3, :3]
    flat = np.abs(np.linalg.det(axes)) < 1e-12
    axes = np.where(flat[:, None, None], np.eye(3), axes)
    u, _, vt = np.linalg.svd(axes)
    turn = u @ vt
    turn *= np.sign(np.linalg.det(turn))[:, None, None]  # a mirror stays out of the turn
    stretch = np.swapaxes(turn, 1, 2) @ stack[:, :3, :3]
    quats = Rotation.from_matrix(turn).as_quat()[:, [3, 0, 1, 2]]
    quats *= np.where(quats[:, :1] < 0, -1.0, 1.0)
    scaled = np.abs(stretch - np.eye(3)).max(axis=(1, 2)) > SCALED
    mirrored = np.linalg.det(stretch) < 0
    parts = ((stack[:, :3, 3] / 1000.0), quats, scaled, mirrored)
    return [
        Placed(tuple(p), tuple(q), s, more, turned)  # type: ignore[arg-type]
        for p, q, more, turned, s in zip(*(part.tolist() for part in parts), stretch, strict=True)
    ]
