"""What a look of a hunt shows, in words."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from isthmus.check.hunt_flashes import Counts, runs_of
from isthmus.check.hunt_looks import Mask
from isthmus.show.records import SLOTS

MOST = 5  # parts that are told one by one
DOES = ("is dark", "flashes once", "flashes twice", "flashes three times", "stays lit")


def _spot(universes: Sequence[int], slot: int) -> str:
    return f"{universes[(slot - 1) // SLOTS]}.{(slot - 1) % SLOTS + 1:03d}"


def parts(counts: Counts, universes: Sequence[int]) -> str:
    """Which addresses flash how often, from the first to the last that are not dark."""
    runs = [(first + 1, last, count) for first, last, count in runs_of(counts)]
    dark = "" if counts.all() else " The rest is dark."
    if len(runs) > MOST:
        first, last = (_spot(universes, slot) for slot in (runs[0][0], runs[-1][1]))
        return f"Parts between {first} and {last} flash or stay lit.{dark}"
    told = (
        f"{_spot(universes, a)} {f'to {_spot(universes, b)} ' if b > a else ''}{DOES[count]}"
        for a, b, count in runs
    )
    return f"{', '.join(told)}.{dark}"


def told(mask: Mask, universes: Sequence[int]) -> str:
    """Which addresses are lit, in words."""
    total = len(mask)
    if mask.all():
        many = len(universes) > 1
        where = f"{len(universes)} universes" if many else f"universe {universes[0]}"
        return f"Everything in {where} is lit."
    edges = np.flatnonzero(np.diff(np.concatenate([[False], mask, [False]]).astype(np.int8)))
    first, last = int(edges[0]) + 1, int(edges[1])

    if len(edges) == 2 and len(universes) == 1 and (first == 1 or last == total):
        return f"Addresses {first} to {last} of universe {universes[0]} are lit."
    begin, end = _spot(universes, first), _spot(universes, last)
    if len(edges) == 2 and (first == 1 or last == total):
        return f"Addresses {f'up to {end}' if first == 1 else f'from {begin} on'} are lit."
    if len(edges) == 2:
        return f"Only {begin}{f' to {end}' if last > first else ''} is lit."
    first, last = last + 1, int(edges[2])
    more = f" to {_spot(universes, last)}" if last > first else ""
    return f"All is lit but {_spot(universes, first)}{more}."
