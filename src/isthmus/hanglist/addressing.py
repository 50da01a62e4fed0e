"""The addresses of a row: where its units begin, from its cell, its universe and its count."""

from __future__ import annotations

import re
from dataclasses import dataclass

from isthmus.hanglist.growth import spot_of
from isthmus.hanglist.spots import PAIR, SLOT, THROUGH, One, in_range, read_cell
from isthmus.plural import many
from isthmus.show.address import write_address
from isthmus.show.records import SLOTS, UNIVERSES

_UNIVERSE = re.compile(
    r"^(?:U|Univ(?:erse)?\.?|DMX|L)?\s*[.#:-]?\s*(\d{1,5})(?:[.,]0)?$", re.IGNORECASE
)


class Wrong(Exception):
    """Why a cell cannot be read: the kind of fault, what, what to do."""

    def __init__(self, kind: str, what: str, do: str = "") -> None:
        super().__init__(what)
        self.kind, self.what, self.do = kind, what, do


@dataclass(frozen=True)
class Spots:
    """Where units begin; empty: they have no address yet. `told` are slips read as what they
    likely are.
    """

    starts: tuple[tuple[int, int], ...] = ()
    told: tuple[str, ...] = ()
    whole: bool = True  # every unit of the row has its own


class Addressing:
    """How a column of addresses is read: its way, whether three figures follow its mark, and the
    universe of what has none.
    """

    def __init__(self, way: str, padded: bool, universe: int) -> None:
        self.way, self.padded, self.universe = way, padded, universe

    def read_universe(self, text: str) -> int:
        """Raises Wrong. Nothing written is 0."""
        if not text.strip():
            return 0
        match = _UNIVERSE.match(text.strip())
        if not match or not 1 <= int(match[1]) <= UNIVERSES:
            raise Wrong(
                "universe",
                f"“{text[:20]}” is not a universe.",
                f"Universes go from 1 to {UNIVERSES}.",
            )
        return int(match[1])

    def _place(self, one: One, universe: int, text: str) -> tuple[int, int]:
        """Where one address lies, in this column's way. Raises Wrong."""
        way = self.way
        if way == SLOT and PAIR in one.ways and SLOT not in one.ways:
            way = PAIR  # one that says its universe though the column has none
        if way == PAIR and PAIR not in one.ways and SLOT in one.ways and universe:
            way = SLOT  # a universe carried by the column beside it
        spot = spot_of(one, way) or (one.ways.get(PAIR) if way == PAIR else None)
        if spot is None:
            raise Wrong(
                "bad address",
                f"“{text[:40]}” is not written as the other addresses are.",
                "Write universe.address, for example 2.101.",
            )
        if way == PAIR and self.padded and one.mark in (".", ",") and not one.padded:
            tail = str(spot[1])
            spot = (spot[0], int(tail.ljust(3, "0")))
        if way == SLOT:
            given = universe or self.universe
            if not given:
                raise Wrong(
                    "no universe",
                    f"“{text[:20]}” has no universe.",
                    "Choose the universe it is in, above.",
                )
            spot = (given, spot[1])
        elif universe and way == PAIR and spot[0] != universe:
            raise Wrong(
                "universe",
                f"“{text[:20]}” stands beside universe {universe}.",
                "Correct the one or the other.",
            )
        if not in_range(*spot):
            raise Wrong(
                "out of range",
                f"{text[:20]} is outside the universes."
                if not 1 <= spot[0] <= UNIVERSES
                else f"{text[:20]} has address {spot[1]}.",
                f"A universe has addresses 1 to {SLOTS}, and universes go from 1 to {UNIVERSES}.",
            )
        return spot

    def read(self, text: str, universe: int, units: int, feet: int) -> Spots:
        """The starts of `units` units of `feet` channels each. Raises Wrong."""
        cell = read_cell(text)
        if cell is None:
            raise Wrong(
                "bad address",
                f"“{text.strip()[:40]}” is not an address.",
                "Write universe.address, for example 2.101.",
            )
        if cell.none:
            return Spots()
        told = []
        if any(one.letters for one in cell.ones):
            told.append(f"“{text[:20]}” has a letter for a figure")
        first = cell.ones[0]
        if len(cell.ones) == 1 and not cell.through and self.way != PAIR and first.mark == "-":
            return self._range(first.ways[PAIR], universe, units, feet, text)
        starts = [self._place(one, universe, text) for one in cell.ones]
        told += [
            f"“{text[:20]}” has lost its last zeros: {write_address(*spot)}"
            for one, spot in zip(cell.ones, starts, strict=True)
            if self._lost(one)
        ]
        if cell.through is not None:
            last = self._place(self._like(cell.through, first), universe or starts[0][0], text)
            return self._span(starts[0], last, units, feet, text, tuple(told))
        if cell.onward:
            return Spots(self._onward(starts[0], units, feet, text), tuple(told))
        if len(starts) in (1, units):
            return Spots(tuple(starts), tuple(told), len(starts) == units)
        raise Wrong(
            "count",
            f"“{text[:40]}” has {len(starts)} addresses for {many(units, 'unit')}.",
            "Write one for each.",
        )

    def _lost(self, one: One) -> bool:
        return self.padded and self.way == PAIR and one.mark in (".", ",") and not one.padded

    def _like(self, one: One, first: One) -> One:
        """The end of a range that leaves its universe out (`2.001–024`)."""
        if PAIR in first.ways and PAIR not in one.ways and SLOT in one.ways and self.way == PAIR:
            ways = {PAIR: (first.ways[PAIR][0], one.ways[SLOT][1])}
            return One(ways, first.mark, True)
        return one

    def _range(
        self, ends: tuple[int, int], universe: int, units: int, feet: int, text: str
    ) -> Spots:
        """`1-24` in a column of plain numbers."""
        a, b = ends
        if self.way == THROUGH:
            first, last = (
                ((n - 1) // SLOTS + 1, (n - 1) % SLOTS + 1) for n in (max(a, 1), max(b, 1))
            )
            return self._span(first, last, units, feet, text, ())
        given = universe or self.universe
        if not given:
            raise Wrong("no universe", f"“{text[:20]}” has no universe.", "Choose it above.")
        return self._span((given, a), (given, b), units, feet, text, ())

    def _span(
        self,
        first: tuple[int, int],
        last: tuple[int, int],
        units: int,
        feet: int,
        text: str,
        told: tuple[str, ...],
    ) -> Spots:
        length = (last[0] - first[0]) * SLOTS + last[1] - first[1] + 1
        if length < 1:
            raise Wrong("range", f"“{text[:40]}” runs backwards.", "Write the first address first.")
        if last[0] != first[0]:
            raise Wrong(
                "range", f"“{text[:40]}” crosses into another universe.", "Write one row for each."
            )
        if length != units * feet:
            wanted = f"{units} times {feet}" if units > 1 else str(feet)
            raise Wrong(
                "range",
                f"“{text[:40]}” is {length} channels, and {wanted} are needed.",
                "Correct the range, the quantity or the mode.",
            )
        return Spots(self._onward(first, units, feet, text), told)

    @staticmethod
    def _onward(
        first: tuple[int, int], units: int, feet: int, text: str
    ) -> tuple[tuple[int, int], ...]:
        """One after another from the first. Raises Wrong where they leave their universe."""
        if first[1] + units * feet - 1 > SLOTS:
            raise Wrong(
                "past 512",
                f"{units} units of {feet} channels from {write_address(*first)} run past {SLOTS}.",
                "Write where the next universe begins.",
            )
        return tuple((first[0], first[1] + n * feet) for n in range(units))
