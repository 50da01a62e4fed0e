"""Aiming: pan and tilt that make a beam pass through a point, from the profile's own geometry.
Vectorised over units.

A unit is: a base in the world; fixed steps; a turn about z by pan; a fixed step; a turn about x by
tilt; fixed steps to the lens. With p the target seen from the pan axis, the tilt axis off it by t,
and the beam leaving the head at o along −z, x is not changed by tilting, so pan = atan2(p) ±
acos((ox + tx)/ρ): two ways. In the plane that is left, tilt turns the target onto the beam's line.
Where a profile's fixed steps turn the axes as well, Newton's method finishes the work on the true
chain; what counts in the end is always the residual of the true chain.
"""

from __future__ import annotations

import itertools
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from isthmus.profiles.geometry import Link
from isthmus.stage.transforms import turns_about

Array = NDArray[np.float64]
REACHED = 1e-3  # metres the beam may pass beside the point
FULL = 360.0
AIM_WAYS = ("nearest", "least travel", "same way")


@dataclass(frozen=True)
class Chain:
    """How a head is built: fixed transforms (4, 4) before pan, between pan and tilt, and after tilt
    to the lens.
    """

    before: Array
    between: Array
    after: Array
    pans: bool
    tilts: bool
    tilt_first: bool = False  # the tilt axis carries the pan axis


def chain_of(links: Sequence[Link]) -> Chain:
    """Fold the links of a beam into a chain. Later turns of the same name are taken with their axis
    at rest.
    """
    parts = [np.eye(4)]
    names: list[str] = []
    for link in links:
        parts[-1] = parts[-1] @ link.matrix
        if link.turns and link.turns not in names:
            names.append(link.turns)
            parts.append(np.eye(4))
    while len(parts) < 3:
        parts.insert(0 if names == ["Tilt"] else len(parts), np.eye(4))
    return Chain(
        parts[0], parts[1], parts[2], "Pan" in names, "Tilt" in names, names[:2] == ["Tilt", "Pan"]
    )


def forward(chain: Chain, base: Array, pan: Array, tilt: Array) -> tuple[Array, Array]:
    """Where the beam starts (n, 3) and its direction (n, 3), for bases (n, 4, 4) and
    degrees (n,).
    """
    first, second = (
        (turns_about(0, tilt), turns_about(2, pan))
        if chain.tilt_first
        else (turns_about(2, pan), turns_about(0, tilt))
    )
    lens, out = chain.after[:3, 3], -chain.after[:3, 2]
    steps = (
        second[:, :3, :3],
        chain.between,
        first[:, :3, :3],
        chain.before,
        base,
    )  # from the lens back to the world
    for step in steps:
        turn = step[..., :3, :3]
        lens, out = (turn @ lens[..., None])[..., 0], (turn @ out[..., None])[..., 0]
        if step.shape[-1] == 4:
            lens = lens + step[..., :3, 3]
    return lens, out


@dataclass(frozen=True)
class Reach:
    """Degrees each axis may take, (n,) each."""

    pan_low: Array
    pan_high: Array
    tilt_low: Array
    tilt_high: Array


@dataclass(frozen=True)
class Aimed:
    """For each unit: degrees, how far beside the point the beam passes (metres), and whether it
    meets it.
    """

    pan: Array
    tilt: Array
    miss: Array
    reached: NDArray[np.bool_]


def residual(origin: Array, direction: Array, target: Array) -> Array:
    """Metres by which a beam passes beside a point, (n,); a point behind the lens is as far as it
    is away.
    """
    to = target - origin
    along = (to * direction).sum(axis=1)
    off = np.linalg.norm(to - along[:, None] * direction, axis=1)
    return np.where(along > 0, off, np.linalg.norm(to, axis=1))


def _closed(chain: Chain, base: Array, target: Array) -> list[tuple[Array, Array]]:
    """The two ways in closed form, exact when the steps after pan do not turn the axes. Degrees
    (n,) pairs.
    """
    at = base @ chain.before
    p = ((target - at[:, :3, 3])[:, None, :] @ at[:, :3, :3])[
        :, 0
    ]  # turned back into the axis's own coordinates
    t = chain.between[:3, 3]
    radius = np.hypot(p[:, 0], p[:, 1])
    aside = float(chain.after[0, 3] + t[0])
    with np.errstate(invalid="ignore", divide="ignore"):
        lean = np.arccos(
            np.clip(np.where(radius > 1e-12, aside / np.maximum(radius, 1e-12), 0.0), -1.0, 1.0)
        )
    heading = np.arctan2(p[:, 1], p[:, 0])
    found: list[tuple[Array, Array]] = []
    for sign in (1.0, -1.0):
        pan: Array = heading + sign * lean
        c, s = np.cos(pan), np.sin(pan)
        tilt = _tilted(chain, -s * p[:, 0] + c * p[:, 1] - t[1], p[:, 2] - t[2])
        found.append((np.degrees(pan), np.degrees(tilt)))
    return found


def _tilted(chain: Chain, y: Array, z: Array) -> Array:
    """Radians (n,) that turn (y, z), seen from the tilt axis, onto the line of the beam, ahead of
    the lens.
    """
    o, d = chain.after[:3, 3], -chain.after[:3, 2]
    normal: Array = np.array([-d[2], d[1]])
    normal = normal / (float(np.hypot(*normal)) or 1.0)
    off = float(normal @ o[1:3])
    bend = np.arccos(np.clip(off / np.maximum(np.hypot(y, z), 1e-12), -1.0, 1.0))
    middle = np.arctan2(z, y) - np.arctan2(normal[1], normal[0])
    near, far = middle - bend, middle + bend

    def along(tilt: Array) -> Array:
        ry, rz = np.cos(tilt) * y + np.sin(tilt) * z, -np.sin(tilt) * y + np.cos(tilt) * z
        return (ry - o[1]) * d[1] + (rz - o[2]) * d[2]

    return np.where(along(far) > along(near), far, near)


def _offsets(chain: Chain, base: Array, pan: Array, tilt: Array, target: Array) -> Array:
    """The direction minus the direction to the target, (n, 3): 0 when it is met."""
    origin, direction = forward(chain, base, pan, tilt)
    to = target - origin
    return direction - to / np.maximum(np.linalg.norm(to, axis=1, keepdims=True), 1e-9)


def _polish(
    chain: Chain,
    base: Array,
    pan: Array,
    tilt: Array,
    target: Array,
    reach: Reach | None,
    rounds: int = 12,
) -> tuple[Array, Array]:
    """Gauss and Newton on the true chain, kept inside the reach where one is given."""
    for _ in range(rounds):
        r = _offsets(chain, base, pan, tilt, target)
        if np.abs(r).max(initial=0.0) < 1e-10:
            break
        pan, tilt = _newton(chain, base, pan, tilt, target, r, reach)
    return pan, tilt


def _newton(
    chain: Chain, base: Array, pan: Array, tilt: Array, target: Array, r: Array, reach: Reach | None
) -> tuple[Array, Array]:
    """Pan and tilt one round nearer; `r` are the offsets (n, 3) they have now."""
    step, still = 1e-3, np.zeros_like(r)
    a: Array = still
    b: Array = still
    if chain.pans:
        a = (_offsets(chain, base, pan + step, tilt, target) - r) / step
    if chain.tilts:
        b = (_offsets(chain, base, pan, tilt + step, target) - r) / step
    aa, bb, ab = (a * a).sum(1) + 1e-14, (b * b).sum(1) + 1e-14, (a * b).sum(1)
    ar, br = (a * r).sum(1), (b * r).sum(1)
    det = aa * bb - ab * ab
    safe = np.where(np.abs(det) > 1e-22, det, 1e-22)
    dp: Array = (ab * br - bb * ar) / safe
    dt: Array = (ab * ar - aa * br) / safe
    if reach is not None:  # an axis at its stop leaves the other one free to do its best
        stuck_p = ((pan <= reach.pan_low) & (dp < 0)) | ((pan >= reach.pan_high) & (dp > 0))
        stuck_t = ((tilt <= reach.tilt_low) & (dt < 0)) | ((tilt >= reach.tilt_high) & (dt > 0))
        dt = np.where(stuck_p, -br / bb, dt)
        dp = np.where(stuck_p, 0.0, np.where(stuck_t, -ar / aa, dp))
        dt = np.where(stuck_t, 0.0, dt)
    big = np.maximum(np.maximum(np.abs(dp), np.abs(dt)) / 30.0, 1.0)
    pan, tilt = pan + dp / big * chain.pans, tilt + dt / big * chain.tilts
    return (pan, tilt) if reach is None else _within(pan, tilt, reach)


def _within(pan: Array, tilt: Array, reach: Reach) -> tuple[Array, Array]:
    return (
        np.clip(pan, reach.pan_low, reach.pan_high),
        np.clip(tilt, reach.tilt_low, reach.tilt_high),
    )


def aim(
    chain: Chain,
    base: Array,
    targets: Array,
    reach: Reach,
    now: tuple[Array, Array],
    way: str = "nearest",
) -> Aimed:
    """Pan and tilt for units of one mode. `base` (n, 4, 4); `targets` (n, 3) or (3,); `now` degrees
    (n,) each.

    nearest: the smallest turn from now, both axes together. least travel: the shortest time, the
    larger of the two turns. same way: stays on the side of its tilt it is on now and never flips
    over, even where it then cannot reach. Whoever cannot reach is pointed as near as the limits
    allow, and `reached` is False.
    """
    n = len(base)
    target = np.broadcast_to(np.asarray(targets, np.float64), (n, 3))
    pan_now, tilt_now = now
    seeds = (
        _closed(chain, base, target) if chain.pans and chain.tilts and not chain.tilt_first else []
    ) or _spread_out(chain, reach)
    ways_p: list[Array] = []
    ways_t: list[Array] = []
    besides: list[Array] = []
    for seed in seeds:
        pan, tilt, beside = _brought(chain, base, seed, target)
        ways_p.append(
            _wrapped(pan, reach.pan_low, reach.pan_high) if chain.pans else np.zeros((1, n))
        )
        ways_t.append(
            _wrapped(tilt, reach.tilt_low, reach.tilt_high) if chain.tilts else np.zeros((1, n))
        )
        besides.append(beside)
    turns_p, turns_t = (
        np.stack(ways_p)[:, :, None],
        np.stack(ways_t)[:, None],
    )  # (ways, whole turns of pan, of tilt, n)
    slack = 1e-6
    inside = ((turns_p >= reach.pan_low - slack) & (turns_p <= reach.pan_high + slack)) & (
        (turns_t >= reach.tilt_low - slack) & (turns_t <= reach.tilt_high + slack)
    )
    inside = inside & (np.stack(besides) <= REACHED)[:, None, None]
    side = np.sign(tilt_now)
    if way == "same way":
        inside = inside & ((np.sign(turns_t) == side) | (side == 0) | (np.abs(turns_t) < 1e-6))
    dp, dt = np.abs(turns_p - pan_now), np.abs(turns_t - tilt_now)
    cost = np.maximum(dp, dt) + 1e-3 * (dp + dt) if way == "least travel" else dp * dp + dt * dt
    cost = np.where(inside, cost, np.inf).reshape(-1, n)
    best = cost.argmin(axis=0)
    who = np.arange(n)
    pans = np.broadcast_to(turns_p, inside.shape).reshape(-1, n)
    tilts = np.broadcast_to(turns_t, inside.shape).reshape(-1, n)
    pan, tilt = pans[best, who], tilts[best, who]
    miss = np.stack(besides)[best // (len(cost) // len(seeds)), who]
    reached = np.isfinite(cost[best, who])
    if not reached.all():
        lost = ~reached
        near = _as_near(
            chain,
            base[lost],
            target[lost],
            _of(reach, lost),
            pans[:, lost],
            tilts[:, lost],
            side[lost] if way == "same way" else None,
        )
        pan[lost], tilt[lost] = near
        miss[lost] = residual(*forward(chain, base[lost], pan[lost], tilt[lost]), target[lost])
        # the search at the stops may find what the closed form overlooked (a target on an axis)
        reached[lost] = miss[lost] <= REACHED
    return Aimed(*_within(pan, tilt, reach), miss, reached)


def _spread_out(chain: Chain, reach: Reach) -> list[tuple[Array, Array]]:
    """Where to begin when no closed form says: seven places on each axis there is."""
    spread = [float(v) for v in np.linspace(-0.45, 0.45, 7)]
    pan, tilt = (reach.pan_low + reach.pan_high) / 2, (reach.tilt_low + reach.tilt_high) / 2
    wide, high = reach.pan_high - reach.pan_low, reach.tilt_high - reach.tilt_low
    return [
        (pan + a * wide, tilt + b * high)
        for a, b in itertools.product(
            spread if chain.pans else [0.0], spread if chain.tilts else [0.0]
        )
    ]


def _brought(
    chain: Chain, base: Array, seed: tuple[Array, Array], target: Array
) -> tuple[Array, Array, Array]:
    """Pan, tilt, and how far beside the target they pass: the seed where it is near enough, else
    what Newton makes of it.
    """
    pan, tilt = seed
    beside = residual(*forward(chain, base, pan, tilt), target)
    if not (beside > REACHED / 100).any():
        return pan, tilt, beside
    pan, tilt = _polish(chain, base, pan, tilt, target, None)
    return pan, tilt, residual(*forward(chain, base, pan, tilt), target)


def _of(reach: Reach, which: NDArray[np.bool_]) -> Reach:
    return replace(
        reach,
        pan_low=reach.pan_low[which],
        pan_high=reach.pan_high[which],
        tilt_low=reach.tilt_low[which],
        tilt_high=reach.tilt_high[which],
    )


def _wrapped(angle: Array, low: Array, high: Array) -> Array:
    """(3, n): the angle brought as near to the middle of its range as whole turns allow, and one
    turn to either side.
    """
    near = angle - FULL * np.round((angle - (low + high) / 2) / FULL)
    return near + np.array([[0.0], [-FULL], [FULL]])


def _as_near(
    chain: Chain,
    base: Array,
    target: Array,
    reach: Reach,
    pans: Array,
    tilts: Array,
    side: Array | None,
) -> tuple[Array, Array]:
    """The smallest angle between beam and target within the stops: from every way clipped and a
    coarse grid, polished.
    """
    if side is not None:
        reach = replace(
            reach,
            tilt_low=np.where(side > 0, np.maximum(reach.tilt_low, 0.0), reach.tilt_low),
            tilt_high=np.where(side < 0, np.minimum(reach.tilt_high, 0.0), reach.tilt_high),
        )
    plain = np.allclose(chain.between[:3, :3], np.eye(3)) and np.allclose(
        chain.after[:3, :3], np.eye(3)
    )
    share, share_tilt = (
        np.linspace(0, 1, 13 if plain else 61),
        np.linspace(0, 1, 9 if plain else 41),
    )
    starts = [_within(p, t, reach) for p, t in zip(pans, tilts, strict=True)]
    starts += [
        (
            reach.pan_low + a * (reach.pan_high - reach.pan_low),
            reach.tilt_low + b * (reach.tilt_high - reach.tilt_low),
        )
        for a, b in itertools.product(
            share if chain.pans else [0.5], share_tilt if chain.tilts else [0.5]
        )
    ]
    off = np.stack([(_offsets(chain, base, p, t, target) ** 2).sum(axis=1) for p, t in starts])
    order = np.argsort(off, axis=0)[: 4 if plain else 24]
    who = np.arange(len(base))
    all_pans, all_tilts = np.stack([p for p, _ in starts]), np.stack([t for _, t in starts])
    best_pan, best_tilt, best = (
        all_pans[order[0], who],
        all_tilts[order[0], who],
        off[order[0], who],
    )
    for rank in range(len(order)):
        pan, tilt = _polish(
            chain, base, all_pans[order[rank], who], all_tilts[order[rank], who], target, reach, 40
        )
        now = (_offsets(chain, base, pan, tilt, target) ** 2).sum(axis=1)
        better = now < best
        best_pan, best_tilt, best = (
            np.where(better, pan, best_pan),
            np.where(better, tilt, best_tilt),
            np.minimum(now, best),
        )
    return best_pan, best_tilt
