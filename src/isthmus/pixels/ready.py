"""Layer sets of a show made ready for its rig: each layer once, for as long as nothing about it
changes.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable

import numpy as np
from numpy.typing import NDArray

from isthmus.output import Live
from isthmus.pixels.blending import BLENDS
from isthmus.pixels.colours import CellTable, table_of
from isthmus.pixels.generators import GENERATORS
from isthmus.pixels.lettering import strip_of
from isthmus.pixels.painting import Canvas, Heap, Pictures, Shown
from isthmus.pixels.plans import LayerPlan, SetPlan
from isthmus.pixels.sampling import FITS, Frame, sampling
from isthmus.pixels.sources import Made, Source
from isthmus.pixels.timing import Clock
from isthmus.profiles.colour import decode_srgb, white_rgb
from isthmus.show.records import LayerSet, Media, PictureLayer, PixelGrid, Show

KEPT = 256  # layers
PICTURE_WHITE = 6504.0  # kelvin: the white of a picture (D65, as sRGB has it)
FAR, SIZES = (-20.0, 20.0), (0.005, 50.0)  # shares of the grid
FINE, FEW = 2.0, 24_000  # pixels of a made picture for each place, and of all of it at most
Floats = NDArray[np.float32]


class Studio:
    """`frames` gives the source of a picture brought in; None where it cannot be had."""

    def __init__(self, frames: Callable[[Show, Media], Source | None]) -> None:
        self._frames = frames
        self._layers: dict[str, tuple[object, object, LayerPlan]] = {}  # by layer, with its ground
        self._canvases: dict[str, tuple[object, object, Canvas]] = {}  # by grid, likewise
        self._made = Pictures()

    def pictures(self, show: Show, live: Live, sets: Iterable[str]) -> Pictures:
        """These sets, as the show has them; the same as before where nothing is another."""
        grids = {grid.id: grid for grid in show.grids}
        found = {one.id: one for one in show.layer_sets}
        plans: dict[str, SetPlan] = {}
        canvases: dict[str, Canvas] = {}
        for name in dict.fromkeys(sets):
            one = found.get(name)
            grid = grids.get(one.grid) if one else None
            if one is None or grid is None:
                continue
            plans[name] = self._set(show, one, grid)
            canvases[grid.id] = self.canvas(live, grid)
        old = self._made
        if _alike(old.sets, plans) and _alike(old.canvases, canvases):
            return old
        self._made = Pictures(canvases, plans)
        return self._made

    def still(
        self, show: Show, live: Live, sets: Iterable[str], seconds: float = 1.0
    ) -> tuple[NDArray[np.int64], Floats] | None:
        """What these sets make of which parameters, so many seconds after they began; None when
        they show nothing.
        """
        names = list(sets)
        pictures = self.pictures(show, live, names)
        if not pictures.canvases:
            return None
        painted = live.levels.copy()
        pictures.paint(painted, [Shown(name, 0.0) for name in names], seconds)
        index = np.unique(np.concatenate([c.index for c in pictures.canvases.values()]))
        return index, painted[index]

    def _set(self, show: Show, one: LayerSet, grid: PixelGrid) -> SetPlan:
        layers = [self.layer(show, layer, grid) for layer in one.layers if layer.on]
        there = tuple(layer for layer in layers if layer is not None)
        old = self._made.sets.get(one.id)
        same = old is not None and (old.grid, old.count, old.dark) == (
            grid.id,
            len(grid.cells),
            one.dark,
        )
        if old is not None and same and old.layers == there:
            return old
        return SetPlan(one.id, grid.id, there, len(grid.cells), one.dark)

    def layer(self, show: Show, layer: PictureLayer, grid: PixelGrid) -> LayerPlan | None:
        """One layer; None when what it shows cannot be had."""
        media = next((m for m in show.media if m.id == layer.media), None)
        ground = layer, grid.width, grid.height, media
        kept = self._layers.get(layer.id)
        if kept is not None and kept[0] == ground and kept[1] is grid.cells:
            return kept[2]
        source = source_of(layer, (grid.width, grid.height))
        if layer.source == "media":
            source = self._frames(show, media) if media else None
        made = plan_of(layer, grid, source) if source else None
        if made is not None:  # else it may be there the next time
            self._layers.pop(next(iter(self._layers)) if len(self._layers) >= KEPT else "", None)
            self._layers[layer.id] = ground, grid.cells, made
        return made

    def canvas(self, live: Live, grid: PixelGrid) -> Canvas:
        """A grid on the rig as it is patched."""
        kept = self._canvases.get(grid.id)
        if kept is None or kept[0] is not grid or kept[1] is not live.compiled:
            kept = self._canvases[grid.id] = grid, live.compiled, canvas_of(live, grid)
        return kept[2]


def _alike(old, new) -> bool:
    return old.keys() == new.keys() and all(new[name] is old[name] for name in new)


def middles(grid: PixelGrid) -> NDArray[np.float64]:
    """The middles of its cells (n, 2), in places from its top left corner."""
    at = [cell.at or (cell.x + 0.5, cell.y + 0.5) for cell in grid.cells]
    return np.array(at, np.float64).reshape(-1, 2)


def frame_of(layer: PictureLayer, grid: tuple[int, int]) -> Frame:
    """Made pictures and words are as large as their box; those brought in are fitted."""
    media = layer.source == "media"
    left, top, right, bottom = (_within(c, 0, 0.95, 0) for c in layer.crop)
    fits = media and left + right < 1 and top + bottom < 1
    return Frame(
        grid,
        _within(layer.x, *FAR, 0.5),
        _within(layer.y, *FAR, 0.5),
        _within(layer.width, *SIZES, 1.0),
        _within(layer.height, *SIZES, 1.0),
        _within(layer.turn, -3600, 3600, 0.0),
        layer.fit if media and layer.fit in FITS else "stretch",
        (left, top, right, bottom) if fits else (0.0, 0.0, 0.0, 0.0),
    )


def _within(value: float, low: float, high: float, usual: float) -> float:
    """What a file says, as far as it can be meant."""
    return min(high, max(low, value)) if math.isfinite(value) else usual


def source_of(layer: PictureLayer, grid: tuple[int, int]) -> Source | None:
    """What a layer shows, when it is made or written; None when it is brought in."""
    box = frame_of(layer, grid).places
    if layer.source == "text":
        has = layer.settings
        scale = min(2.0, max(0.1, has.get("scale", 1.0)))
        return strip_of(layer.text, _face(layer), box, has.get("run", 0.0) > 0, scale)
    made = GENERATORS.get(layer.source)
    if made is None:
        return None
    if layer.source == "plain":
        return Made("plain", (), (1, 1))
    fine = min(FINE, math.sqrt(FEW / (box[0] * box[1])))
    size = tuple(int(np.clip(round(fine * side), 1, 512)) for side in box)
    return Made(layer.source, tuple(sorted(made.held(layer.settings).items())), size)  # type: ignore[arg-type]


def _face(layer: PictureLayer) -> str:
    from isthmus.pixels.lettering import FACES

    names = list(FACES)
    return names[int(min(len(names) - 1, max(0, layer.settings.get("face", 0))))]


def plan_of(layer: PictureLayer, grid: PixelGrid, source: Source) -> LayerPlan:
    """A layer over the cells of a grid."""
    size = grid.width, grid.height
    frame, at = frame_of(layer, size), middles(grid)
    cover = mask_of(layer.mask, frame.shares(at))
    if layer.units:
        mine = set(layer.units)
        cover = cover * np.array([cell.unit in mine for cell in grid.cells], np.float32)
    tint = linear(layer.colour)
    begin = _within(layer.begin, 0, 1e5, 0.0)
    end = layer.end if layer.end > begin else source.long
    if math.isfinite(source.long):
        end = min(end, source.long)
    return LayerPlan(
        source,
        Clock(_within(layer.speed, 0, 100, 1.0), layer.way, begin, end),
        sampling(at, frame, source.size),
        cover.astype(np.float32),
        np.append(tint, np.float32(1)),
        np.append(linear(layer.behind), np.float32(1)) if layer.behind else np.zeros(4, np.float32),
        (hue_turn(layer.hue) * tint).astype(np.float32),
        layer.blend if layer.blend in BLENDS else "over",
        _within(layer.level, 0, 1, 1.0),
    )


def linear(colour: str) -> Floats:
    """Linear light (3,) of `#rrggbb`; white for what is none."""
    try:
        codes = [int(colour[i : i + 2], 16) for i in (1, 3, 5)]
    except ValueError:
        codes = [255, 255, 255]
    return decode_srgb(np.array(codes) / 255).astype(np.float32)


def hue_turn(degrees: float) -> NDArray[np.float64]:
    """The matrix (3, 3), for colours from the left, that turns hues around the greys by degrees:
    red to green by 120.
    """
    c, s = math.cos(math.radians(degrees)), math.sin(math.radians(degrees))
    a, b, d = c + (1 - c) / 3, (1 - c) / 3 - s / math.sqrt(3), (1 - c) / 3 + s / math.sqrt(3)
    return np.array([[a, d, b], [b, a, d], [d, b, a]])


MASKS = ("", "ellipse", "soft edge")
EDGE = 0.2  # of a box: how far a soft edge reaches in


def mask_of(kind: str, shares: NDArray[np.float64]) -> NDArray[np.float64]:
    """How much of each cell (n,) a mask leaves, by where it is in the box (n, 2)."""
    if kind == "ellipse":
        return (((shares - 0.5) ** 2).sum(axis=1) <= 0.25).astype(np.float64)
    if kind == "soft edge":
        inside = np.minimum(shares, 1 - shares).min(axis=1)
        return np.clip(inside / EDGE, 0, 1)
    return np.ones(len(shares))


def canvas_of(live: Live, grid: PixelGrid) -> Canvas:
    """A grid on the parameters of a rig."""
    heaps: dict[CellTable, list[int]] = {}  # cells whose channels make light alike
    for at, cell in enumerate(grid.cells):
        program = live.program(cell.unit)
        table = table_of(program, cell.cell) if program else None
        if table is not None:
            heaps.setdefault(table, []).append(at)
    places = live.compiled.places
    found = []
    for table, cells in heaps.items():
        entries = [
            (column * len(cells) + row, row, at)
            for row, cell in enumerate(cells)
            for column, name in enumerate(table.names)
            for at in places.get((grid.cells[cell].unit, grid.cells[cell].cell, name))
        ]
        entries.sort(key=lambda entry: entry[2])  # written one after another
        of, row, at = np.array(entries, np.int64).reshape(-1, 3).T.copy()
        found.append(Heap(np.array(cells, np.int64), table, of, row, at))
    white = np.ones(3)
    if grid.white:
        white = white_rgb(grid.white) / white_rgb(PICTURE_WHITE)
        white = np.maximum(white, 0) / white.max()
    light = (white * min(1.0, max(0.0, grid.limit))).astype(np.float32)
    return Canvas(len(grid.cells), tuple(found), max(0.2, min(5.0, grid.gamma)), light)
