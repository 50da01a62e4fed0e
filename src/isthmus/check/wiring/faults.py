"""What may be wrong with the wiring of a grid: each fault says which cell really lights when one is
sent, and what to do about it.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from isthmus.check.wiring.panels import Panels
from isthmus.patch.numbers import write_numbers
from isthmus.plural import many

Index = NDArray[np.int64]
DARK = -1
MANY = 40  # units up to which any two may have been exchanged; beyond, those beside each other
OFF = (1, -1, 2, -2)  # cells that a panel may begin too late or too early


@dataclass(frozen=True, eq=False)
class Fault:
    """`lights` (c,) is, for each cell of the grid as it is sent, which cell of the grid as it is
    drawn stands where the light comes out (DARK: nowhere). `units` are those it is about; `fixable`
    whether the grid can be edited to it.
    """

    kind: str
    words: str
    cable: str  # what to change at the rig instead
    units: tuple[str, ...]
    lights: Index
    weight: float
    fixable: bool = True

    @property
    def mends_grid(self) -> bool:
        """Whether an edit of the grid makes pictures whole again."""
        return self.fixable and self.kind != "right"


# within a box of w by h: where a place (x, y) comes to lie; None where the box must be square
Move = Callable[[int, int, int, int], tuple[int, int] | None]
TURNS: dict[str, tuple[Move, str, str]] = {
    "left": (
        lambda x, y, w, h: (y, w - 1 - x) if w == h else None,
        "hangs turned to the left",
        "turn it to the right by a quarter",
    ),
    "right": (
        lambda x, y, w, h: (h - 1 - y, x) if w == h else None,
        "hangs turned to the right",
        "turn it to the left by a quarter",
    ),
    "round": (
        lambda x, y, w, h: (w - 1 - x, h - 1 - y),
        "hangs upside down, turned round",
        "turn it round",
    ),
    "sideways": (
        lambda x, y, w, h: (w - 1 - x, y),
        "is mirrored: left and right exchanged",
        "its cells run the other way",
    ),
    "upside down": (
        lambda x, y, w, h: (x, h - 1 - y),
        "is mirrored: top and bottom exchanged",
        "its rows run the other way",
    ),
}


def _path(order: str, w: int, h: int) -> list[tuple[int, int]]:
    """Places of a box in the order a panel may be wired in inside."""
    if order == "rows":
        return [(x, y) for y in range(h) for x in range(w)]
    if order == "rows, back and forth":
        return [(x if y % 2 == 0 else w - 1 - x, y) for y in range(h) for x in range(w)]
    if order == "columns":
        return [(x, y) for x in range(w) for y in range(h)]
    return [(x, y if x % 2 == 0 else h - 1 - y) for x in range(w) for y in range(h)]


ORDERS = ("rows", "rows, back and forth", "columns", "columns, back and forth")


class _Grid:
    """Looks up cells by their place."""

    def __init__(self, panels: Panels) -> None:
        self.panels = panels
        self.of = {(int(x), int(y)): i for i, (x, y) in enumerate(panels.at)}
        self.same = np.arange(len(panels.at))

    def moved(self, units: Iterator[int] | list[int], move: Move) -> Index | None:
        """Each unit turned in its own box; None where that cannot be, or changes nothing."""
        lights = self.same.copy()
        for unit in units:
            left, top, w, h = map(int, self.panels.boxes[unit])
            for cell in self.panels.cells[unit]:
                x, y = self.panels.at[cell]
                found = move(int(x) - left, int(y) - top, w, h)
                other = None if found is None else self.of.get((left + found[0], top + found[1]))
                if other is None:
                    return None
                lights[cell] = other
        return lights

    def wired(self, units: list[int], order: str) -> Index | None:
        """The cells of each unit, from the corner where they begin, in another order."""
        lights = self.same.copy()
        for unit in units:
            mine = self.panels.cells[unit]
            left, top, w, h = map(int, self.panels.boxes[unit])
            if len(mine) != w * h or w == 1 or h == 1:
                return None
            first = self.panels.at[mine[0]] - (left, top)
            if first[0] not in (0, w - 1) or first[1] not in (0, h - 1):
                return None
            for cell, (x, y) in zip(mine, _path(order, w, h), strict=True):
                x = w - 1 - x if first[0] else x
                y = h - 1 - y if first[1] else y
                other = self.of.get((left + x, top + y))
                if other is None:
                    return None
                lights[cell] = other
        return lights

    def backwards(self, units: list[int]) -> Index:
        """The cells of each unit from its last to its first."""
        lights = self.same.copy()
        for unit in units:
            mine = self.panels.cells[unit]
            lights[mine] = mine[::-1]
        return lights

    def late(self, units: list[int], by: int) -> Index:
        """Each unit listens so many cells later: what is sent to a cell lights the one before."""
        lights = self.same.copy()
        for unit in units:
            mine = self.panels.cells[unit]
            for place, cell in enumerate(mine):
                lights[cell] = mine[place - by] if 0 <= place - by < len(mine) else DARK
        return lights

    def renamed(self, to: dict[int, int]) -> Index | None:
        """What is sent to one unit lights another, cell by cell; None for units that have not as
        many.
        """
        lights = self.same.copy()
        for unit, other in to.items():
            mine = self.panels.cells[unit]
            if other < 0:
                lights[mine] = DARK
                continue
            theirs = self.panels.cells[other]
            if len(mine) != len(theirs):
                return None
            lights[mine] = theirs
        return lights


class _Book:
    """Faults as they are thought of; no two light alike."""

    def __init__(self, panels: Panels) -> None:
        self.panels, self.grid = panels, _Grid(panels)
        self.count, self.rows = len(panels.units), _rows(panels)
        self.found: list[Fault] = []
        self._known: set[bytes] = set()

    def add(
        self,
        kind: str,
        units: list[int],
        lights: Index | None,
        words: str,
        cable: str,
        weight: float,
        fixable: bool = True,
    ) -> None:
        if lights is None or lights.tobytes() in self._known:
            return
        self._known.add(lights.tobytes())
        ids = tuple(self.panels.units[u] for u in units)
        self.found.append(Fault(kind, words, cable, ids, lights, weight, fixable))

    def within(self, units: list[int], weight: float) -> None:
        """What may be wrong inside panels: all of them alike."""
        who, whom = _who(self.panels, units), _whom(self.panels, units)
        for how, (move, words, cable) in TURNS.items():
            lights = self.grid.moved(units, move)
            self.add(how, units, lights, f"{who} {words}.", cable, weight)
        cable = "set the order of cells at the panel"
        for order in ORDERS:
            words = f"The cells of {whom} follow each other in {order}."
            self.add("order", units, self.grid.wired(units, order), words, cable, weight / 2)
        words = f"The cells of {whom} follow each other the other way round."
        self.add("order", units, self.grid.backwards(units), words, cable, weight / 2)
        for by in OFF:
            how = f"{many(abs(by), 'cell')} too {'late' if by > 0 else 'early'}"
            lights, words = self.grid.late(units, by), f"{who} begins {how}."
            self.add("late", units, lights, words, "set the address", weight / 3, False)

    def exchanged(self) -> None:
        pairs = list(_pairs(self.panels))
        for one, other in pairs:
            words = f"{_number(self.panels, one)} and {_number(self.panels, other)} are exchanged."
            lights = self.grid.renamed({one: other, other: one})
            cable = "swap their cables or addresses"
            self.add("exchanged", [one, other], lights, words, cable, 8.0 / len(pairs))

    def chains(self) -> None:
        """Panels fed from the other end, or back and forth."""
        for words, units in _chains(self.panels, self.rows):
            to = dict(zip(units, reversed(units), strict=True))
            said = f"{words} run the other way round."
            cable = "feed them from the other end"
            self.add("chain reversed", units, self.grid.renamed(to), said, cable, 1.0)
        step, everyone = len(self.rows[0]), list(range(self.count))
        if step > 1 and self.count % step == 0 and self.count > step:
            for odd in (1, 0):
                mine = [u for u in everyone if u // step % 2 == odd]
                to = {u: u - u % step + step - 1 - u % step for u in mine}
                words = "Panels run back and forth, row by row."
                cable = "feed every other row from the other end"
                lights = self.grid.renamed(to)
                self.add("chain back and forth", list(to), lights, words, cable, 1.0)

    def dark(self) -> None:
        for at in range(self.count):
            who = _number(self.panels, at)
            lights = self.grid.renamed({at: DARK})
            words, cable = f"{who} gets no data or power.", "look at its cables"
            self.add("dark", [at], lights, words, cable, 4.0 / self.count, False)
            after = list(range(at, self.count))
            lights = self.grid.renamed(dict.fromkeys(after, DARK))
            words = f"From {who[0].lower() + who[1:]} on nothing arrives."
            cable = "look at the cable before it, or at where the universe ends"
            self.add("cut", after, lights, words, cable, 3.0 / self.count, False)

    def ends(self) -> None:
        """Universes that end elsewhere: from a panel on, each shows what is meant for another."""
        for at in range(self.count):
            after = list(range(at, self.count))
            same = [u for u in after if self.panels.universe[u] == self.panels.universe[at]]
            for by, word in ((1, "next one"), (-1, "one before")):
                for chain in (after, same):
                    to = {u: u + by if u + by in chain else DARK for u in chain}
                    words = (
                        f"From {_number(self.panels, at).lower()} on, what is meant for a panel "
                        f"lights the {word}."
                    )
                    cable = "set their addresses, or where the universe breaks"
                    lights, weight = self.grid.renamed(to), 3.0 / self.count
                    self.add("universe end", chain, lights, words, cable, weight, False)

    def whole(self) -> None:
        w, h = self.panels.grid.width, self.panels.grid.height
        everyone = list(range(self.count))
        for how, (move, words, _) in TURNS.items():
            places = [move(int(x), int(y), w, h) for x, y in self.panels.at]
            others = [self.grid.of.get(place) if place else None for place in places]
            lights = None if None in others else np.array(others, np.int64)
            said = f"The whole grid {words.replace('hangs ', 'is ')}."
            cable = "or propose the grid from the other side"
            weight = 1.5 if how == "sideways" else 0.7
            self.add("whole", everyone, lights, said, cable, weight)


def faults_of(panels: Panels) -> list[Fault]:
    """All that is thought of, the grid as it is drawn first."""
    book, everyone = _Book(panels), list(range(len(panels.units)))
    book.add("right", [], book.grid.same, "The grid is wired as it is drawn.", "", 3.0)
    if book.count > 1:
        book.within(everyone, 3.0)
    for unit in everyone:
        book.within([unit], 8.0 / book.count)
    for row in book.rows:
        if 1 < len(row) < book.count:
            book.within(row, 1.5 / len(book.rows))
    book.exchanged()
    book.chains()
    book.dark()
    book.ends()
    book.whole()
    return book.found


def _rows(panels: Panels) -> list[list[int]]:
    """Panels beside each other, by their upper edges, from the left."""
    found: dict[int, list[int]] = {}
    for unit, (_, top, _, _) in enumerate(panels.boxes.tolist()):
        found.setdefault(top, []).append(unit)
    return [
        sorted(row, key=lambda u: int(panels.boxes[u][0])) for _, row in sorted(found.items())
    ] or [[]]


def _chains(panels: Panels, rows: list[list[int]]) -> Iterator[tuple[str, list[int]]]:
    everyone = list(range(len(panels.units)))
    if len(everyone) > 2:
        yield "All panels", everyone
    for row in rows:
        if 2 < len(row) < len(everyone):
            chain = sorted(row)
            yield f"Panels {write_numbers([panels.numbers[u] for u in row])}", chain


def _pairs(panels: Panels) -> Iterator[tuple[int, int]]:
    count = len(panels.units)
    for one in range(count):
        for other in range(one + 1, count if count <= MANY else min(count, one + 2)):
            yield one, other


def _number(panels: Panels, unit: int) -> str:
    return f"Unit {panels.numbers[unit]}"


def _who(panels: Panels, units: list[int]) -> str:
    if len(units) == 1:
        return _number(panels, units[0])
    if len(units) == len(panels.units):
        return "Every panel"
    return f"Each of {write_numbers([panels.numbers[u] for u in units])}"


def _whom(panels: Panels, units: list[int]) -> str:
    who = _who(panels, units)
    return who[0].lower() + who[1:]
