"""Fanning: a value spread over the ordered selection. Pure figures; what they are put to is the
caller's.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from isthmus.errors import EntryFault

Array = NDArray[np.float64]
CURVES = ("linear", "smooth", "sine")
FAN_WAYS = ("from to", "about the middle", "mirrored")


def fan(
    count: int,
    start: float,
    end: float,
    way: str = "from to",
    curve: str = "linear",
    block: int = 1,
) -> Array:
    """One value for each of `count` units, in their order.

    from to: start … end. about the middle: `start` is the middle and `end` how far the ends lie
    from it, one below and one above. mirrored: start at both ends, end in the middle. `block` units
    share a value. Curves bend the way between: smooth leaves and arrives slowly (3s² − 2s³), sine
    goes there and back (half a wave).
    """
    if not (np.isfinite(start) and np.isfinite(end)):
        raise EntryFault("That is not a figure to fan.")
    if way not in FAN_WAYS or curve not in CURVES:
        raise EntryFault(
            f"There is no fan “{way}, {curve}”.",
            do=f"Ways: {', '.join(FAN_WAYS)}; curves: {', '.join(CURVES)}.",
        )
    block = max(1, block)
    groups = -(-count // block)
    share = (
        np.linspace(0.0, 1.0, groups)
        if groups > 1
        else np.full(groups, 0.5 if way == "about the middle" else 0.0)
    )
    if way == "mirrored":
        share = (
            1.0 - np.abs(2.0 * np.linspace(0.0, 1.0, groups) - 1.0)
            if groups > 1
            else np.ones(groups)
        )
        peak = float(share.max(initial=0.0))
        share = (
            share / peak if peak > 0 else share
        )  # the middle two of an even number share the end
    if curve == "smooth":
        share = share * share * (3.0 - 2.0 * share)
    elif curve == "sine":
        # mirrored it is a quarter there and a quarter back: the end stays in the middle
        share = np.sin((np.pi / 2 if way == "mirrored" else np.pi) * share)
    values = (
        start + (2.0 * share - 1.0) * end
        if way == "about the middle"
        else start + share * (end - start)
    )
    return np.repeat(values, block)[:count]
