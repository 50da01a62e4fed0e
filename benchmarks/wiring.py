"""The wiring check over generated walls with a fault each, watched by people who look at the wall
itself: right cause first, and how many looks it took.

The walls are wired here by rules of their own: a list of lamps in the order data runs through them.
Nothing of how faults are thought of in `check/wiring` is used; the person reads the lit wall.
"""

from __future__ import annotations

import time
from collections import Counter
from collections.abc import Iterator

import numpy as np

from isthmus.check.wiring import LOOKS, Check, panels_of
from isthmus.show.records import GridCell, Patched, PixelGrid, Show, Unit

KINDS = (
    *("turned left", "turned right", "upside down", "mirrored", "rows flipped"),
    *("all mirrored", "all upside down", "zigzag", "all zigzag", "columns", "backwards"),
    *("exchanged", "late", "early", "chain reversed", "rows back and forth", "dead", "cut"),
    *("one address too far", "seen from behind", "nothing"),
)


WALLS = 500
NAMED = {
    (1, 1, 1): "white",
    (1, 0, 0): "red",
    (0, 1, 0): "green",
    (0, 0, 1): "blue",
    (1, 0.45, 0): "amber",
}


class Wall:
    """`data[k][i]`: the lamp (row, column) that the i-th cell of the k-th panel's data lights; None
    for no lamp. As drawn: each panel row by row from its top left.
    """

    def __init__(self, rng: np.random.Generator) -> None:
        self.rng = rng
        self.across, self.down = int(rng.integers(2, 7)), int(rng.integers(1, 4))
        self.wide, self.high = [(6, 4), (4, 4), (5, 5), (8, 3), (4, 6)][int(rng.integers(5))]
        self.count = self.across * self.down
        self.data: list[list[tuple[int, int] | None]] = [
            [
                (
                    k // self.across * self.high + i // self.wide,
                    k % self.across * self.wide + i % self.wide,
                )
                for i in range(self.wide * self.high)
            ]
            for k in range(self.count)
        ]

    def drawn(self, k: int, i: int) -> tuple[int, int]:
        """Where a person has drawn a cell: row and column."""
        y, x = divmod(i, self.wide)
        return k // self.across * self.high + y, k % self.across * self.wide + x

    def show(self) -> tuple[Show, PixelGrid]:
        """What the person drew: no fault is in it."""
        long = 3 * self.wide * self.high
        each = max(1, 512 // long)
        units = []
        for k in range(self.count):
            patch = Patched(universe=1 + k // each, address=1 + k % each * long)
            units.append(Unit(id=f"p{k}", number=1 + k, profile="any", mode="any", patch=(patch,)))
        cells = []
        for k in range(self.count):
            for i in range(self.wide * self.high):
                y, x = self.drawn(k, i)
                cells.append(GridCell(unit=f"p{k}", cell=1 + i, x=x, y=y))
        width, height = self.across * self.wide, self.down * self.high
        grid = PixelGrid(id="g", number=1, width=width, height=height, cells=tuple(cells))
        return Show(units=tuple(units), grids=(grid,)), grid

    def inside(self, k: int, order: list[tuple[int, int]]) -> None:
        """Wire one panel anew: the places inside it, in the order of its data."""
        top, left = k // self.across * self.high, k % self.across * self.wide
        self.data[k] = [(top + y, left + x) for y, x in order]

    def grid_of(self) -> np.ndarray:
        """Places inside a panel as a table [y, x] of pairs."""
        y, x = np.mgrid[0 : self.high, 0 : self.wide]
        return np.stack([y, x], axis=2)

    def break_it(self, kind: str) -> None:
        base, table = kind.removeprefix("all "), self.grid_of()
        # the i-th datum lights the lamp at place i of the table as it hangs: in a panel turned to
        # the left, what was meant for its upper right corner is lit at its upper left
        inside = {
            "turned left": lambda t: np.rot90(t, -1),
            "turned right": lambda t: np.rot90(t, 1),
            "upside down": lambda t: t[::-1, ::-1],
            "mirrored": lambda t: t[:, ::-1],
            "rows flipped": lambda t: t[::-1],
            "zigzag": self._zigzag,
            "columns": lambda t: t.transpose(1, 0, 2),
            "backwards": lambda t: t.reshape(-1, 2)[::-1],
        }
        one = int(self.rng.integers(self.count))
        if base not in inside:
            self._break_chain(kind, one)
            return
        for k in range(self.count) if kind.startswith("all ") else [one]:
            hung = inside[base](table).reshape(-1, 2)
            self.inside(k, [(int(y), int(x)) for y, x in hung])

    def _break_chain(self, kind: str, one: int) -> None:
        data, gone = self.data, [None] * (self.wide * self.high)
        if kind == "exchanged":
            a, b = self.rng.choice(self.count, 2, replace=False)
            data[a], data[b] = data[b], data[a]
        elif kind in ("late", "early"):
            by, lamps = int(self.rng.integers(1, 3)), data[one]
            data[one] = [*gone[:by], *lamps[:-by]] if kind == "late" else [*lamps[by:], *gone[:by]]
        elif kind == "chain reversed":
            self.data = data[::-1]
        elif kind == "rows back and forth":
            for row in range(1, self.down, 2):
                at = slice(row * self.across, (row + 1) * self.across)
                data[at] = data[at][::-1]
        elif kind in ("dead", "cut"):
            last = one + 1 if kind == "dead" else self.count
            data[one:last] = [list(gone) for _ in data[one:last]]
        elif kind == "one address too far":
            self.data = [*data[:one], *data[one + 1 :], list(gone)]
        elif kind == "seen from behind":
            last = self.across * self.wide - 1
            self.data = [[p and (p[0], last - p[1]) for p in lamps] for lamps in data]

    @staticmethod
    def _zigzag(table: np.ndarray) -> np.ndarray:
        made = table.copy()
        made[1::2] = made[1::2, ::-1]
        return made

    def fits(self, kind: str) -> bool:
        if kind.startswith("turned"):
            return self.wide == self.high
        if kind == "rows back and forth":
            return self.down > 1
        return kind != "chain reversed" or self.count > 2


class Person:
    """Looks at the lit wall panel by panel and names what differs from the screen. `slip`: how
    often a panel is named wrongly or overlooked.
    """

    def __init__(self, rng: np.random.Generator, slip: float) -> None:
        self.rng, self.slip = rng, slip

    def says(self, wall: Wall, name: str, sent: np.ndarray, answers: tuple[str, ...]) -> dict:
        """`sent` (cells, 3) in the order of the grid drawn."""
        lit = np.zeros((wall.down * wall.high, wall.across * wall.wide, 3))
        screen = np.zeros_like(lit)
        each = wall.wide * wall.high
        for k in range(wall.count):
            for i in range(each):
                lamp = wall.data[k][i]
                if lamp is not None:
                    lit[lamp] = np.maximum(lit[lamp], sent[k * each + i])
                screen[wall.drawn(k, i)] = sent[k * each + i]
        told = {}
        for k in range(wall.count):
            top, left = wall.drawn(k, 0)
            box = np.s_[top : top + wall.high, left : left + wall.wide]
            words = self._one(name, lit[box], screen[box])
            if self.rng.random() < self.slip:
                words = "" if words and self.rng.random() < 0.5 else str(self.rng.choice(answers))
            if words:
                told[f"p{k}"] = words
        return told

    @staticmethod
    def _one(name: str, seen: np.ndarray, wanted: np.ndarray) -> str:
        if np.array_equal(seen, wanted):
            return ""
        if seen.max() == 0:
            return "dark"
        if name == "letters":
            ways = {
                "turned left": wanted.transpose(1, 0, 2)[::-1],
                "turned right": wanted.transpose(1, 0, 2)[:, ::-1],
                "turned round": wanted[::-1, ::-1],
                "mirrored": wanted[:, ::-1],
                "upside down": wanted[::-1],
            }
            return next((w for w, p in ways.items() if np.array_equal(p, seen)), "something else")
        if "tones" in name:
            cells = {tuple(c) for c in seen.reshape(-1, 3)}
            return NAMED.get(next(iter(cells)) if len(cells) == 1 else (), "something else")
        if name == "running":
            return Person._dot(seen[:, :, 0])
        return Person._begin(seen, wanted)

    @staticmethod
    def _begin(seen: np.ndarray, wanted: np.ndarray) -> str:
        reds, greens = (
            [p for p in np.ndindex(seen.shape[:2]) if tuple(seen[p]) == tone]
            for tone in ((1, 0, 0), (0, 1, 0))
        )
        red_at, green_at = (
            next(p for p in np.ndindex(seen.shape[:2]) if tuple(wanted[p]) == tone)
            for tone in ((1, 0, 0), (0, 1, 0))
        )
        if len(reds) != 1:
            if not greens:
                return "neither red nor green"
            return "green where red should be" if greens == [red_at] else "no red"
        if reds == [green_at]:
            return "red where green should be"
        (y, x), (high, wide) = reds[0], seen.shape[:2]
        if y in (0, high - 1) and x in (0, wide - 1):
            corner = f"red {'bottom' if y else 'top'} {'right' if x else 'left'}"
            if greens and greens[0][0] == y:
                return f"{corner}, green beside it"
            return f"{corner}, green above or below it" if greens and greens[0][1] == x else corner
        return "red inside"

    @staticmethod
    def _dot(turns: np.ndarray) -> str:
        """Follows the dot by eye: where it begins, which way it goes first, and what it does at
        the end of that line.
        """
        high, wide = turns.shape
        path = []
        for t in range(1, turns.size + 1):
            lit = np.argwhere(turns == t)
            path += [(int(lit[0][0]), int(lit[0][1]))] if len(lit) == 1 else []
        if len(path) < turns.size or min(high, wide) < 2:
            return "something else"
        (y, x), (y1, x1) = path[0], path[1]
        if y not in (0, high - 1) or x not in (0, wide - 1) or abs(y1 - y) + abs(x1 - x) != 1:
            return "something else"
        line = wide if y1 == y else high
        down, right_ = (1 if y == 0 else -1), (1 if x == 0 else -1)
        turned = path[line]
        fresh = (y + down, x) if y1 == y else (y, x + right_)
        forth = turned == fresh
        walked = []
        for n in range(turns.size):
            k, i = divmod(n, line)
            i = i if forth or k % 2 == 0 else line - 1 - i
            dy, dx = (k, i) if y1 == y else (i, k)
            walked.append((y + down * dy, x + right_ * dx))
        if walked != path:
            return "something else"
        corner = f"{'top' if y == 0 else 'bottom'} {'left' if x == 0 else 'right'}"
        way = "rows" if y1 == y else "columns"
        return f"{way} from {corner}" + ("" if forth else ", back and forth")


def right(check: Check, wall: Wall) -> bool:
    """Whether the likeliest fault lights the very lamps."""
    best = check.likely()[0].fault
    drawn = {(c.y, c.x): i for i, c in enumerate(check.panels.grid.cells)}
    truth = [-1 if lamp is None else drawn[lamp] for data in wall.data for lamp in data]
    return best.lights.tolist() == truth


def watch(count: int, slip: float, seed: int = 11) -> tuple[Counter, Counter, list[int], float]:
    """(tried, right) by kind, looks of each, seconds of the longest answer."""
    rng = np.random.default_rng(seed)
    tried, found, looks, slowest = Counter(), Counter(), [], 0.0
    while sum(tried.values()) < count:
        wall, kind = Wall(rng), str(rng.choice(KINDS))
        if not wall.fits(kind):
            continue
        show, grid = wall.show()
        panels = panels_of(show, grid)
        wall.break_it(kind)
        person = Person(rng, slip)
        check = Check(panels)
        while True:
            begun = time.perf_counter()
            name = check.next()
            slowest = max(slowest, time.perf_counter() - begun)
            if not name:
                break
            look = next(one for one in LOOKS if one.name == name)
            check.answer(name, person.says(wall, name, look.sent(panels), look.answers))
        tried[kind] += 1
        found[kind] += right(check, wall)
        looks.append(len(check.answers))
    return tried, found, looks, slowest


def run() -> Iterator[tuple[str, float, float, str, str]]:
    for who, slip, aim in (("careful", 0.005, "3 % at most"), ("hasty", 0.03, "")):
        tried, found, looks, slowest = watch(WALLS, slip)
        wrong = 100 * (1 - sum(found.values()) / sum(tried.values()))
        yield f"wiring check, {who}: wrong cause first", wrong, 0.0, "%", aim
        yield f"wiring check, {who}: looks at most", float(max(looks)), 0.0, "", "4"
        yield f"wiring check, {who}: slowest answer", 1000 * slowest, 0.0, "ms", ""
        for kind in KINDS:
            if found[kind] < tried[kind]:
                yield f"    {kind}: missed of {tried[kind]}", tried[kind] - found[kind], 0.0, "", ""
