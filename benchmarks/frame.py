"""One frame of 1 000 universes × 512 slots from levels, against a plain NumPy scatter of as many
bytes.
"""

from __future__ import annotations

import time
from collections.abc import Callable, Iterator

import numpy as np

from isthmus.output.compile import Compiled, Group, Places

UNIVERSES = 1000


def best(act: Callable[[], object], runs: int = 60) -> float:
    """Seconds of the quickest run: what the machine can do when it is left alone."""
    times = []
    for _ in range(runs):
        started = time.perf_counter()
        act()
        times.append(time.perf_counter() - started)
    return min(times)


def compiled(shares: dict[int, float]) -> tuple[Compiled, np.ndarray]:
    """A frame filled with parameters of several resolutions, in the order units would lie."""
    slots = np.arange(UNIVERSES * 512)
    groups, at, used = [], 0, 0
    for resolution, share in shares.items():
        count = int(len(slots) * share) // resolution
        part = slots[used : used + count * resolution].reshape(count, resolution)
        groups.append(
            Group(
                resolution,
                at,
                at + count,
                tuple(np.ascontiguousarray(part[:, b]) for b in range(resolution)),
            )
        )
        at, used = at + count, used + count * resolution
    levels = np.random.default_rng(1).random(at, np.float32)
    return Compiled(tuple(range(1, UNIVERSES + 1)), tuple(groups), levels, Places({})), levels


def run() -> Iterator[tuple[str, float, float, str, str]]:
    frame = np.zeros(UNIVERSES * 512, np.uint8)
    where, values = (
        np.arange(len(frame)),
        np.random.default_rng(2).integers(0, 256, len(frame)).astype(np.uint8),
    )

    def scatter() -> None:
        frame[where] = values

    for name, shares in (("8 bit", {1: 1.0}), ("half 16 bit", {1: 0.5, 2: 0.5})):
        made, levels = compiled(shares)
        ours, plain = (
            best(lambda made=made, levels=levels: made.render(levels, frame)),
            best(scatter),
        )
        yield (
            f"frame of 1000 universes, {name} / scatter",
            ours * 1e3,
            plain * 1e3,
            "ms",
            "within 3×",
        )
