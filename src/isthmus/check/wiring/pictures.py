"""The pictures of the wiring check, and what a person says of each panel that looks otherwise."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from isthmus.check.wiring.faults import DARK, Fault
from isthmus.check.wiring.panels import Panels
from isthmus.pixels.wiring_pictures import BLUE, GREEN, RED, WHITE, F, strokes

Light = NDArray[np.float64]  # (cells, 3), linear light of each cell as it is sent
AMBER = (1.0, 0.45, 0.0)
TONES = {"white": WHITE, "red": RED, "green": GREEN, "blue": BLUE, "amber": AMBER}
AS_SHOWN, ELSE, GONE = "as on screen", "something else", "dark"
WAYS = {
    "turned left": lambda box: np.rot90(box),
    "turned right": lambda box: np.rot90(box, -1),
    "turned round": lambda box: np.rot90(box, 2),
    "mirrored": lambda box: box[:, ::-1],
    "upside down": lambda box: box[::-1],
    "turned left and mirrored": lambda box: np.rot90(box)[:, ::-1],
    "turned right and mirrored": lambda box: np.rot90(box, -1)[:, ::-1],
}
RED_SECOND, GREEN_FIRST = "red where green should be", "green where red should be"
NEITHER, NO_RED, INSIDE = "neither red nor green", "no red", "red inside"
CORNERS = ("top left", "top right", "bottom left", "bottom right")


@dataclass(frozen=True)
class Look:
    """A picture and what can be said of a panel that looks otherwise. `sent` makes the light of
    all cells (of one that moves: when the turn of each is); `says` what one sees of a panel that
    should show one light and shows another (both (h, w, 3), or (cells, 3) of a panel that is no
    rectangle).
    """

    name: str
    asks: str
    answers: tuple[str, ...]
    sent: Callable[[Panels], Light]
    says: Callable[[Light, Light], str]
    runs: Callable[[Panels], list[Light]] | None = None

    def steps(self, panels: Panels) -> list[Light]:
        """What is sent one after another; once, when it does not move."""
        return self.runs(panels) if self.runs else [self.sent(panels)]


def _letters(panels: Panels) -> Light:
    """A letter F on each panel that has room for one; the others are lit from their left."""
    light = np.zeros((len(panels.at), 3))
    for unit, mine in enumerate(panels.cells):
        left, top, w, h = map(int, panels.boxes[unit])
        x, y = (panels.at[mine] - (left, top)).T
        shape = strokes(F, w, h) if min(w, h) >= 3 else np.tile(np.linspace(1, 0.05, w), (h, 1))
        light[mine] = (shape[y, x] > 0.4 if min(w, h) >= 3 else shape[y, x])[:, None] * np.ones(3)
    return light


def _says_letter(wanted: Light, seen: Light) -> str:
    if not seen.any():
        return GONE
    if np.allclose(seen, wanted):
        return AS_SHOWN
    if wanted.ndim == 3:
        for name, turn in WAYS.items():
            turned = turn(wanted)
            if turned.shape == seen.shape and np.allclose(seen, turned):
                return name
    return ELSE


def tones(panels: Panels, by: int) -> list[str]:
    """The tone of each panel, so that those `by` apart differ: its place in the chain, in fives."""
    names = list(TONES)
    return [names[unit // by % len(names)] for unit in range(len(panels.units))]


def _toned(by: int) -> Callable[[Panels], Light]:
    def sent(panels: Panels) -> Light:
        light = np.zeros((len(panels.at), 3))
        for mine, tone in zip(panels.cells, tones(panels, by), strict=True):
            light[mine] = TONES[tone]
        return light

    return sent


def _says_tone(wanted: Light, seen: Light) -> str:
    cells = seen.reshape(-1, 3)
    if not cells.any():
        return GONE
    for name, tone in TONES.items():
        if np.allclose(cells, tone):
            return AS_SHOWN if np.allclose(wanted.reshape(-1, 3), tone) else name
    return ELSE


def _begins(panels: Panels) -> Light:
    """Of each panel the first cell red, the second green, the last blue."""
    light = np.zeros((len(panels.at), 3))
    for mine in panels.cells:
        light[mine[-1]] = BLUE
        if len(mine) > 2:
            light[mine[1]] = GREEN
        light[mine[0]] = RED
    return light


def _says_begin(wanted: Light, seen: Light) -> str:
    """Where the red cell is, and where the green one lies from it."""
    if not seen.any():
        return GONE
    if np.allclose(seen, wanted):
        return AS_SHOWN
    if wanted.ndim != 3:
        return ELSE
    red, green = (np.argwhere((seen == tone).all(axis=2)) for tone in (RED, GREEN))
    should = [np.argwhere((wanted == tone).all(axis=2)) for tone in (RED, GREEN)]
    if len(red) != 1:
        if len(green) != 1:
            return NEITHER
        return GREEN_FIRST if np.array_equal(green, should[0]) else NO_RED
    if np.array_equal(red, should[1]):
        return RED_SECOND
    (y, x), (h, w) = red[0], seen.shape[:2]
    corner = _corner(int(x), int(y), w, h)
    return corner + _beside(red[0], green) if corner else INSIDE


def _corner(x: int, y: int, w: int, h: int) -> str:
    if x not in (0, w - 1) or y not in (0, h - 1):
        return ""
    return f"red {'top' if y == 0 else 'bottom'} {'left' if x == 0 else 'right'}"


def _beside(red: NDArray, green: NDArray) -> str:
    if len(green) != 1:
        return ""
    dy, dx = green[0] - red
    if dy == 0:
        return ", green beside it"
    return ", green above or below it" if dx == 0 else ""


_BEGINS = tuple(
    f"red {corner}{beside}"
    for corner in CORNERS
    for beside in (", green beside it", ", green above or below it", "")
)


def _ranks(panels: Panels) -> Light:
    """Each cell by when its turn is, from 1."""
    light = np.zeros((len(panels.at), 3))
    for mine in panels.cells:
        light[mine] = np.arange(1, len(mine) + 1)[:, None] * np.ones(3)
    return light


def _running(panels: Panels) -> list[Light]:
    """The cells of every panel one after another, all panels at once."""
    ranks = _ranks(panels)
    return [(ranks == turn).astype(float) for turn in range(1, int(ranks.max(initial=1)) + 1)]


def _says_run(wanted: Light, seen: Light) -> str:
    if not seen.any():
        return GONE
    if np.array_equal(seen, wanted):
        return AS_SHOWN
    if wanted.ndim != 3 or min(wanted.shape[:2]) < 2:
        return ELSE
    turns = seen[:, :, 0]
    for corner, turned in _FROM_CORNERS.items():
        for way, by_rows in (("rows", turned(turns)), ("columns", turned(turns).T)):
            ranks = np.arange(1, by_rows.size + 1).reshape(by_rows.shape)
            if np.array_equal(by_rows, ranks):
                return f"{way} from {corner}"
            ranks[1::2] = ranks[1::2, ::-1]
            if np.array_equal(by_rows, ranks):
                return f"{way} from {corner}, back and forth"
    return ELSE


_FROM_CORNERS = {
    "top left": lambda box: box,
    "top right": lambda box: box[:, ::-1],
    "bottom left": lambda box: box[::-1],
    "bottom right": lambda box: box[::-1, ::-1],
}
_RUNS = tuple(
    f"{way} from {corner}{how}"
    for way in ("rows", "columns")
    for corner in CORNERS
    for how in ("", ", back and forth")
)
LOOKS: tuple[Look, ...] = (
    Look(
        "letters",
        "Every panel should show an upright F, as on screen.",
        (*WAYS, ELSE, GONE),
        _letters,
        _says_letter,
    ),
    Look(
        "tones",
        "Panels should have the colours on screen.",
        (*TONES, ELSE, GONE),
        _toned(1),
        _says_tone,
    ),
    Look(
        "other tones",
        "Panels should have the colours on screen.",
        (*TONES, ELSE, GONE),
        _toned(len(TONES)),
        _says_tone,
    ),
    Look(
        "first cells",
        "Each panel should show its first cell red, the second green, the last blue.",
        (*_BEGINS, RED_SECOND, GREEN_FIRST, NEITHER, INSIDE, NO_RED, ELSE, GONE),
        _begins,
        _says_begin,
    ),
    Look(
        "running",
        "A dot runs through the cells of every panel, as on screen.",
        (*_RUNS, ELSE, GONE),
        _ranks,
        _says_run,
        _running,
    ),
)
PICTURES = {look.name: look for look in LOOKS}


class Traces:
    """Which panels look otherwise with a fault, and what is lit where on them: worked out once for
    all pictures.
    """

    def __init__(self, panels: Panels) -> None:
        self.panels = panels
        self._whose, self._same = panels.whose, np.arange(len(panels.at))
        self.shapes: list[tuple[int, ...]] = []
        self.orders: list[NDArray[np.int64]] = []  # the cells of each panel, rows from its top
        for unit, mine in enumerate(panels.cells):
            _, _, w, h = map(int, panels.boxes[unit])
            x, y = panels.at[mine].T
            self.orders.append(mine[np.lexsort((x, y))])
            self.shapes.append((h, w, 3) if len(mine) == w * h else (len(mine), 3))

    def of(self, fault: Fault) -> list[tuple[int, NDArray[np.int64]]]:
        """(panel, for each of its cells in order which cell is sent to it; DARK: none)."""
        other = np.flatnonzero(fault.lights != self._same)
        to = fault.lights[other]
        units = set(self._whose[other].tolist()) | set(self._whose[to[to != DARK]].tolist())
        reached = self._same.copy()
        reached[other] = DARK
        reached[to[to != DARK]] = other[to != DARK]
        return [(unit, reached[self.orders[unit]]) for unit in sorted(units)]


class Seen:
    """What one says of the panels of a grid while a picture is sent."""

    def __init__(self, traces: Traces, look: Look) -> None:
        self.traces, self.look = traces, look
        sent = look.sent(traces.panels)
        self._sent = np.concatenate([sent, np.zeros((1, 3))])  # the last is what no one sends
        self._wanted = [sent[order] for order in traces.orders]
        self._names = [wanted.tobytes() for wanted in self._wanted]
        self._known: dict[tuple[bytes, bytes], str] = {}

    def __call__(self, touched: list[tuple[int, NDArray[np.int64]]]) -> dict[int, str]:
        """By panel, of those that look otherwise than on screen."""
        found = {}
        for unit, reached in touched:
            seen = self._sent[reached]
            key = self._names[unit], seen.tobytes()
            if key not in self._known:
                shape = self.traces.shapes[unit]
                wanted = self._wanted[unit].reshape(shape)
                self._known[key] = self.look.says(wanted, seen.reshape(shape))
            if self._known[key] != AS_SHOWN:
                found[unit] = self._known[key]
        return found
