"""Choosing units by where and what they are, and putting a choice in another order. Ids in, ids
out.
"""

from __future__ import annotations

from collections.abc import Collection, Sequence

import numpy as np

from isthmus.patch.index import index_of
from isthmus.show.records import Show, Unit

ORDERS = (
    "left to right",
    "right to left",
    "front to back",
    "back to front",
    "bottom to top",
    "by number",
    "along the path",
    "reversed",
)


def every(ids: Sequence[str], step: int, first: int = 1) -> list[str]:
    """Every `step`th of a choice, beginning with the `first` (from 1)."""
    return list(ids[max(0, first - 1) :: max(1, step)])


def inverted(show: Show, ids: Collection[str], among: Collection[str] | None = None) -> list[str]:
    """All units that are not chosen, of `among` where that is given."""
    away = set(ids)
    return [u.id for u in show.units if u.id not in away and (among is None or u.id in among)]


def alike(show: Show, ids: Collection[str], how: str) -> list[str]:
    """Those chosen and all like them: `type` (profile), `mode`, `structure`, `purpose`, or
    `similar` (profile, gel and structure).
    """
    keys = {
        "type": lambda u: u.profile,
        "mode": lambda u: (u.profile, u.mode),
        "structure": lambda u: u.structure or u.hangs_on,
        "purpose": lambda u: u.purpose,
        "similar": lambda u: (u.profile, u.gel, u.structure or u.hangs_on),
    }
    key = keys[how]
    chosen = set(ids)
    wanted = {key(u) for u in show.units if u.id in chosen}
    wanted.discard("")
    return [*ids, *(u.id for u in show.units if u.id not in chosen and key(u) in wanted)]


def in_order(show: Show, ids: Sequence[str], order: str) -> list[str]:
    """The same choice in another order. Units without a place come last."""
    by_id = index_of(show).by_id
    units = [by_id[i] for i in ids if i in by_id]
    if order == "reversed":
        return [u.id for u in reversed(units)]
    if order == "by number":
        return [u.id for u in sorted(units, key=lambda u: u.number)]
    if order == "along the path":
        return _nearest_next(units)
    axis, sign = {
        "left to right": (0, 1),
        "right to left": (0, -1),
        "front to back": (1, 1),
        "back to front": (1, -1),
        "bottom to top": (2, 1),
    }[order]

    def place(unit: Unit) -> tuple:
        at = unit.position
        return (at is None, sign * round(at[axis], 3) if at else 0, at or (), unit.number)

    return [u.id for u in sorted(units, key=place)]


def _nearest_next(units: list[Unit]) -> list[str]:
    """From the first on, always to the nearest that is left: the way a person walks along them."""
    placed = [u for u in units if u.position is not None]
    rest = [u.id for u in units if u.position is None]
    if not placed:
        return rest
    points = np.array([u.position for u in placed])
    left = np.ones(len(placed), bool)
    at, found = 0, []
    for _ in placed:
        found.append(placed[at].id)
        left[at] = False
        away = np.where(left, np.linalg.norm(points - points[at], axis=1), np.inf)
        at = int(np.argmin(away))
    return found + rest
