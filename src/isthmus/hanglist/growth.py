"""What a column of addresses is, told by how they grow: by the footprints of the units beside them.

Weights, lengths and wattages do not.
"""

from __future__ import annotations

import itertools
from collections.abc import Sequence
from dataclasses import dataclass

from isthmus.hanglist.spots import PAIR, SLOT, THROUGH, Cell, One, in_range, read_cell
from isthmus.show.records import SLOTS

SEEN = 0.8  # of the cells must be readable in a way
CLASH = 0.12  # of the units may take channels of others: people slip
MOST_CLASH = 0.6  # under a heading that says addresses: units may share them
FEW = 3  # numbers that slipped
PROVEN = 0.4  # of the steps are exactly a footprint


@dataclass(frozen=True)
class Growth:
    """How well a column reads one way. `exact` of its steps are the footprint of the unit before,
    `clash` of its units begin within the one before or end past their universe; `unclear`
    says that another way reads as well. `risen`: nearly all stand a footprint apart at least, and
    none stands twice.
    """

    way: str = ""
    seen: float = 0.0
    exact: float = 0.0
    clash: float = 0.0
    steps: int = 0
    largest: int = 0
    unclear: str = ""
    risen: bool = False

    @property
    def score(self) -> float:
        grows = max(0.75 * self.exact, 0.4 * self.risen)
        return self.seen * (0.25 + grows) - 2.0 * max(0.0, self.clash - 0.05)

    @property
    def proven(self) -> bool:
        return (
            self.seen >= SEEN and self.exact >= PROVEN and self.clash <= CLASH and self.steps >= 3
        )

    def clashes(self, said: bool) -> str:
        """Why it cannot be meant; `said` by its heading, only where most would clash."""
        if self.seen and self.clash > (MOST_CLASH if said else CLASH):
            return f"{self.clash:.0%} of the units would take channels of others"
        return ""


def spot_of(one: One, way: str) -> tuple[int, int] | None:
    """Where one address lies in a way of writing; in a column of slots `1-24` is a range."""
    if way in (SLOT, THROUGH) and one.mark == "-":
        return None
    return one.ways.get(way)


Feet = tuple[int, ...]
Spot = tuple[int, int, Feet]  # universe, address, the footprints the unit may have


def _seen(cells: Sequence[tuple[str, Feet]], way: str) -> tuple[int, list[Spot], int]:
    """How many cells say an address at all, those that do so in a way, and the largest of them."""
    told, spots, largest = 0, list[Spot](), 0
    for text, feet in cells:
        cell = read_cell(text)
        if cell is not None and cell.none:
            continue
        told += 1
        spot = _spot(cell, way) if cell is not None else None
        if cell is None or spot is None:
            continue
        single = len(cell.ones) == 1 and not cell.through
        spots.append((*spot[:2], spot[2] or (feet if single else ())))
        if not spot[2]:
            largest = max(largest, spot[1] + (spot[0] - 1) * SLOTS * (way == THROUGH))
    return told, spots, largest


def _spot(cell: Cell, way: str) -> Spot | None:
    """The address of a cell in a way of writing; with its length where it is a range of slots."""
    first = cell.ones[0]
    if way != PAIR and first.mark == "-":  # 1-24: from one channel to another
        begin, end = first.ways[PAIR]
        return (0, begin, (end - begin + 1,)) if end > begin else None
    spot = spot_of(first, way)
    if spot is None or (way == SLOT and spot[1] > SLOTS) or (way == PAIR and not in_range(*spot)):
        return None
    return (*spot, ())


def _grown(cells: Sequence[tuple[str, Feet]], way: str, apart: bool) -> Growth:
    told, spots, largest = _seen(cells, way)
    exact = steps = apart_enough = 0
    for (u, a, feet), (u2, a2, _) in itertools.pairwise(spots):
        if not feet or u != u2 or (way == SLOT and apart and a2 <= a):
            continue  # in the last case the next universe begins
        steps += 1
        exact += (a2 - a) in feet
        apart_enough += a2 - a >= min(feet)
    once = len({spot[:2] for spot in spots}) == len(spots)
    risen = once and steps >= max(2, len(spots) / 2) and apart_enough >= 0.9 * steps
    ordered = sorted((u, a, min(feet)) for u, a, feet in spots if feet and (u or not apart))
    clash = sum(
        u == u2 and a2 < a + least for (u, a, least), (u2, a2, _) in itertools.pairwise(ordered)
    )
    past = sum(bool(feet) and a + min(feet) - 1 > SLOTS for _, a, feet in spots)
    clashing = (clash + past) / max(1, len(spots))
    return Growth(
        way, len(spots) / max(1, told), exact / max(1, steps), clashing, steps, largest, risen=risen
    )


def _written(cells: Sequence[tuple[str, Feet]]) -> tuple[int, int, int]:
    """How many addresses have a mark between two figures, how many of those could be no slot after
    it, and how many have no mark.
    """
    marked = beyond = plain = 0
    for text, _ in cells:
        cell = read_cell(text)
        for one in cell.ones[:1] if cell else ():
            if PAIR not in one.ways:
                plain += SLOT in one.ways
                beyond += SLOT not in one.ways
                marked += SLOT not in one.ways
            else:
                marked += 1
                beyond += THROUGH in one.ways and not in_range(*one.ways[PAIR])
    return marked, beyond, plain


def best_way(cells: Sequence[tuple[str, Feet]], universes: bool) -> Growth:
    """The way a column reads best; `universes` where they stand in a column of their own."""
    pair, through, slot = (_grown(cells, way, universes) for way in (PAIR, THROUGH, SLOT))
    if universes and slot.seen >= SEEN:
        return slot
    marked, beyond, plain = _written(cells)
    if not marked:  # counted from 1: through all universes, or with none, which is asked for
        return through if through.largest > SLOTS else slot
    if beyond >= FEW and beyond > 0.2 * marked:
        return through  # about half of the numbers counted through end in more than 512
    if plain <= 0.1 * marked or pair.seen >= SEEN:
        return pair
    best = max((pair, through), key=lambda g: (round(g.seen, 1), g.score))
    other = through if best is pair else pair
    alike = other.seen >= best.seen - 0.1 and other.clash <= CLASH
    if alike and other.exact > best.exact - 0.3:
        return Growth(**{**vars(best), "unclear": other.way})
    return best
